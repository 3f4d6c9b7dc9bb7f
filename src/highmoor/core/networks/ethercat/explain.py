"""What codes of EtherCAT mean, in words: of states, of service data; and what a device's lamps show.

Source: ETG.1000.6, table 11 (AL status codes) and table 41 (abort codes); ETG.1300, 4 (RUN and ERR indicators).
"""

from __future__ import annotations

from dataclasses import dataclass

INIT, PREOP, BOOT, SAFEOP, OP = 1, 2, 3, 4, 8
ERROR_BIT = 0x10
STATES = {INIT: "Init", PREOP: "Pre-Op", BOOT: "Bootstrap", SAFEOP: "Safe-Op", OP: "Op"}


@dataclass(frozen=True, slots=True)
class StateCode:
    """Why a device does not go on: in words, and the fields that may well be wrong (the row's table and the path)."""

    text: str
    settings: tuple[str, ...] = ()


_PDOS = ("stations.settings.pdos", "modules.settings.pdos")
_CLOCK = ("stations.settings.clock", "modules.settings.clock", "networks.settings.clocks")
_WATCHDOG = ("stations.settings.watchdog_ms", "modules.settings.watchdog_ms")
_CYCLE = ("networks.settings.cycle_ms",)
STATE_CODES: dict[int, StateCode] = {
    0x0000: StateCode("no error"),
    0x0001: StateCode("unspecified error"),
    0x0002: StateCode("no memory left"),
    0x0011: StateCode("it cannot go from its state to the one asked for"),
    0x0012: StateCode("there is no such state"),
    0x0013: StateCode("it has no bootstrap"),
    0x0014: StateCode("no valid firmware"),
    0x0015: StateCode("the mailbox is set otherwise than it wants (bootstrap)"),
    0x0016: StateCode("the mailbox is set otherwise than it wants"),
    0x0017: StateCode("a sync manager is set otherwise than it wants"),
    0x0018: StateCode("it has no valid inputs", _PDOS),
    0x0019: StateCode("it has no valid outputs", _PDOS),
    0x001A: StateCode("it lost the synchronisation", (*_CLOCK, *_CYCLE)),
    0x001B: StateCode("no outputs came within its watchdog", _WATCHDOG),
    0x001C: StateCode("sync managers of a kind it does not take"),
    0x001D: StateCode("its outputs are not of the size it wants", _PDOS),
    0x001E: StateCode("its inputs are not of the size it wants", _PDOS),
    0x001F: StateCode("its watchdog is set otherwise than it wants", _WATCHDOG),
    0x0020: StateCode("it wants to be started anew"),
    0x0021: StateCode("it wants to be in Init"),
    0x0022: StateCode("it wants to be in Pre-Op"),
    0x0023: StateCode("it wants to be in Safe-Op"),
    0x0024: StateCode("its inputs are mapped as it cannot", _PDOS),
    0x0025: StateCode("its outputs are mapped as it cannot", _PDOS),
    0x0026: StateCode("settings that do not go together"),
    0x0027: StateCode("it cannot run without a clock", _CLOCK),
    0x0028: StateCode("it cannot be synchronised so", _CLOCK),
    0x0029: StateCode("it needs three buffers for free run"),
    0x002A: StateCode("background watchdog"),
    0x002B: StateCode("neither valid inputs nor outputs", _PDOS),
    0x002C: StateCode("its Sync0 or Sync1 stopped", (*_CLOCK, *_CYCLE)),
    0x002D: StateCode("there is no Sync0 or Sync1", _CLOCK),
    0x0030: StateCode("its clock is set otherwise than it can", (*_CLOCK, *_CYCLE)),
    0x0031: StateCode("the clocks do not follow one another", _CLOCK),
    0x0032: StateCode("its clock is not locked to the others", _CLOCK),
    0x0033: StateCode("its clock strays", _CLOCK),
    0x0034: StateCode("time-out of its clock", _CLOCK),
    0x0035: StateCode("the cycle is not one it can", _CYCLE),
    0x0036: StateCode("its Sync0 cycle is not one it can", (*_CLOCK, *_CYCLE)),
    0x0037: StateCode("its Sync1 cycle is not one it can", (*_CLOCK, *_CYCLE)),
    0x0041: StateCode("a fault of its AoE mailbox"),
    0x0042: StateCode("a fault of its EoE mailbox"),
    0x0043: StateCode("a fault of its CoE mailbox"),
    0x0050: StateCode("its memory cannot be reached"),
    0x0051: StateCode("its memory is faulty"),
    0x0060: StateCode("it has been started anew by itself"),
    0x0061: StateCode("its identity has been changed", ("stations.settings.alias",)),
    0x0070: StateCode("other modules are there than are configured"),
}


def state_text(code: int) -> str:
    """An AL status code in words."""
    found = STATE_CODES.get(code)
    return found.text if found else "a code of the maker's own" if code >= 0x8000 else "a code that nobody has named"


@dataclass(frozen=True, slots=True)
class AbortCode:
    """Why service data was refused, and what can be done about it."""

    text: str
    advice: str = ""


ABORT_CODES: dict[int, AbortCode] = {
    0x05030000: AbortCode("the toggle bit did not change", "Try again; a segment was lost."),
    0x05040000: AbortCode("no answer in time", "Is the device still in Pre-Op or above?"),
    0x05040001: AbortCode("a command it does not know"),
    0x05040005: AbortCode("no memory left"),
    0x06010000: AbortCode("this object cannot be reached so", "Try it entry by entry."),
    0x06010001: AbortCode("it can only be written", "Its value cannot be read."),
    0x06010002: AbortCode("it can only be read", "It tells something; it is not set."),
    0x06010003: AbortCode("its number of entries must be 0 first", "Write 0 to subindex 0, then the entries."),
    0x06020000: AbortCode("there is no such object", "Look at the index; modules move theirs with the slot."),
    0x06040041: AbortCode("it cannot be mapped into a PDO"),
    0x06040042: AbortCode("the PDO would be too long"),
    0x06040043: AbortCode("parameters that do not go together"),
    0x06040047: AbortCode("not compatible within the device"),
    0x06060000: AbortCode("a fault of its hardware"),
    0x06070010: AbortCode("the value has the wrong length", "Give as many octets as its type has."),
    0x06070012: AbortCode("the value is too long", "Give as many octets as its type has."),
    0x06070013: AbortCode("the value is too short", "Give as many octets as its type has."),
    0x06090011: AbortCode("there is no such subindex", "Subindex 0 tells how many there are."),
    0x06090030: AbortCode("the value is out of its range"),
    0x06090031: AbortCode("the value is too great"),
    0x06090032: AbortCode("the value is too small"),
    0x06090036: AbortCode("the greatest is below the least"),
    0x08000000: AbortCode("general error"),
    0x08000020: AbortCode("it cannot be stored"),
    0x08000021: AbortCode("it is controlled at the device itself", "Hand control over at the device."),
    0x08000022: AbortCode("not in this state", "Bring the device to Pre-Op first, or stop it."),
    0x08000023: AbortCode("there is no object dictionary"),
}


def abort_text(code: int) -> str:
    """An abort code in words, with what to do where that can be said."""
    found = ABORT_CODES.get(code)
    if found is None:
        return "a code that nobody has named"
    return f"{found.text}. {found.advice}" if found.advice else found.text


# An abort code in the sixteen bits that a program is told: its first octet (8 as 7, where no AL status codes are), its
# second and its last, 0601 0002 as 6102. What begins otherwise is all one.
_FIRST = {0x05: 0x5000, 0x06: 0x6000, 0x08: 0x7000}
_OTHER_ABORT = 0x7FFF


def abort_in_16(code: int) -> int:
    """An abort code as the program is told of it."""
    first = _FIRST.get(code >> 24)
    return _OTHER_ABORT if first is None else first | (code >> 16 & 0xF) << 8 | code & 0xFF


# What came of an exchange: an AL status code, an abort code, or one of these, which the standard leaves free.
GOOD, SHORT, LOST, NOT_OP, SHUT = 0, 0x0101, 0x0102, 0x0103, 0x0104
_EXCHANGE = {
    GOOD: "good",
    SHORT: "the working counter falls short",
    LOST: "the frame was lost",
    NOT_OP: "the device is not in Op",
    SHUT: "the device is not there, or its mailbox is shut",
    _OTHER_ABORT: "refused, with a code of the maker's own",
    **{abort_in_16(code): f"refused: {found.text}" for code, found in ABORT_CODES.items()},
}


def explain(code: int) -> str:
    """What an exchange's error code means."""
    return _EXCHANGE.get(code) or state_text(code)


def likely(code: int) -> tuple[str, ...]:
    """The settings that may well be wrong: a row's table and a dotted path, or its beginning."""
    found = STATE_CODES.get(code)
    return found.settings if found else _CYCLE if code == LOST else ()


def indicators(state: int, code: int, *, error: bool) -> str:
    """What the RUN and ERR lamps show (ETG.1300, 4.2 and 4.3)."""
    run = {INIT: "off", PREOP: "blinking", SAFEOP: "flashing once", OP: "on", BOOT: "flickering"}.get(state, "off")
    if not error:
        err = "off"
    elif code in (0x001B,):
        err = "flashing twice"
    elif code in (0x001A, 0x002C):
        err = "flashing once"
    else:
        err = "blinking"
    return f"RUN {run}, ERR {err}"

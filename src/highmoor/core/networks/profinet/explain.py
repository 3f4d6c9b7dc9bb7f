"""Why an exchange or a record of PROFINET fails: the device's own four octets of status, or a code of the controller's.

Source: IEC 61158-6-10, 5.2.6 (PNIOStatus).
"""

from __future__ import annotations

# The controller's own.
NOT_FOUND, TWO_OF_IT, ADDRESS_TAKEN, OTHER_DEVICE, NO_ANSWER, LOST, NOT_READY, STOPPED, BAD, ENDED = range(1, 11)
# What was asked for.
CONNECT, RELEASE, CONTROL, READ, WRITE, ALARM = 0xDB, 0xDC, 0xDD, 0xDE, 0xDF, 0xCF
# How the last two octets are to be read: of a record, of the protocol.
_RECORD, _PROTOCOL = 0x80, 0x81
# Whose fault.
RELATION, IOCR, EXPECTED, ALARM_CR, CALLS, ENDED_BY = 1, 2, 3, 4, 0x40, 0xFD
# Of calls.
MISSING, IN_USE, UNKNOWN_RELATION, WRONG_STATE = 2, 4, 5, 6
# Of an alarm relation that was ended.
WATCHDOG, CLOSED = 5, 2
INVALID_INDEX, LENGTH, INVALID_SLOT, ACCESS, RANGE, PARAMETER = 0xB0, 0xB1, 0xB2, 0xB6, 0xB7, 0xB8

_WORDS = {
    NOT_FOUND: "nobody on the network has its name",
    TWO_OF_IT: "two devices have its name",
    ADDRESS_TAKEN: "somebody else has its IP address",
    OTHER_DEVICE: "the device with its name is another one",
    NO_ANSWER: "it has its name and address, and does not answer a call",
    LOST: "no data came from it within its watchdog",
    NOT_READY: "it does not say that it is ready",
    STOPPED: "the controller has stopped",
    BAD: "some of its submodules give no good data",
    ENDED: "it has ended the connection",
}
_BLOCKS = {
    RELATION: "who connects", IOCR: "its cyclic data", EXPECTED: "the submodules expected", ALARM_CR: "its alarms",
}  # fmt: skip
_FIELDS = {
    (IOCR, 8): "octets of data", (IOCR, 10): "send clock", (IOCR, 11): "reduction: it has no such update time",
    (IOCR, 12): "phase", (IOCR, 15): "watchdog", (IOCR, 24): "place of a submodule's data", (IOCR, 1): "block",
    (EXPECTED, 14): "octets of a submodule", (EXPECTED, 1): "block",
}  # fmt: skip
_CALLS = {
    1: "a block of it is none", MISSING: "a block of it is missing", IN_USE: "another controller has it",
    UNKNOWN_RELATION: "it knows nothing of this connection", WRONG_STATE: "not in its present state",
}  # fmt: skip
_RECORDS = {
    0xA0: "read error", 0xA1: "write error", 0xA2: "module failure", 0xA9: "feature not supported",
    INVALID_INDEX: "it has no such record", LENGTH: "the record is not as long as it should be",
    INVALID_SLOT: "nothing is in that slot or subslot", ACCESS: "access denied", RANGE: "value out of range",
    PARAMETER: "a value of it is none", 0xC0: "busy", 0xC3: "no resources",
}  # fmt: skip
_FIRST_OF_RECORDS = 0xA0
_ASKED = {
    CONNECT: "refuses to connect", RELEASE: "refuses to be let go", CONTROL: "refuses the end of parameters",
    READ: "refuses to be read", WRITE: "refuses a record",
}  # fmt: skip


def refused(block: int, field: int, asked: int = CONNECT) -> int:
    """The status by which something is refused for its protocol."""
    return asked << 24 | _PROTOCOL << 16 | block << 8 | field


def refused_record(why: int, asked: int, more: int = 0) -> int:
    """The status by which a record is refused."""
    return asked << 24 | _RECORD << 16 | why << 8 | more


def short(status: int) -> int:
    """A status in the 16 bits that a program gets: whose fault, which field; the controller's own codes as they are."""
    return status & 0xFFFF


def _whole(code: int) -> int:
    """The status that a program's 16 bits are of."""
    if code > 0xFFFF or code in _WORDS:
        return code
    one = code >> 8
    if one == ENDED_BY:
        return code | ALARM << 24 | _PROTOCOL << 16
    if one >= _FIRST_OF_RECORDS:
        return code | WRITE << 24 | _RECORD << 16
    return code | CONNECT << 24 | _PROTOCOL << 16


def explain(code: int) -> str:
    """A status, or what a program gets of it, in words."""
    if code in _WORDS:
        return _WORDS[code]
    code = _whole(code)
    asked, how, one, two = code.to_bytes(4, "big") if code <= 0xFFFFFFFF else (0, 0, 0, 0)
    spelled = f"{asked:02X} {how:02X} {one:02X} {two:02X}"
    does = _ASKED.get(asked)
    if asked == ALARM and one == ENDED_BY:
        return "it has ended the connection: " + ("no data came to it" if two == WATCHDOG else "it was let go")
    if does and how == _RECORD:
        return f"{does}: {_RECORDS.get(one, spelled)}"
    if does and how == _PROTOCOL:
        if one == CALLS:
            return f"{does}: {_CALLS.get(two, spelled)}"
        field = _FIELDS.get((one, two), f"field {two}")
        return f"{does}: {_BLOCKS.get(one, f'block {one}')}, {field}"
    return f"status {spelled}"


# Which settings a code speaks of.
_LIKELY = {
    NOT_FOUND: ("stations.settings.device_name", "stations.upstream"),
    TWO_OF_IT: ("stations.settings.device_name",),
    ADDRESS_TAKEN: ("stations.address",),
    OTHER_DEVICE: ("stations.settings.vendor", "stations.settings.device"),
    LOST: ("stations.settings.watchdog", "stations.settings.update_ms", "stations.upstream"),
    BAD: ("stations.settings.submodules",),
    refused(IOCR, 10): ("networks.settings.clock",),
    refused(IOCR, 11): ("stations.settings.update_ms",),
    refused(IOCR, 15): ("stations.settings.watchdog",),
    refused(EXPECTED, 14): ("stations.settings.submodules",),
}  # fmt: skip


def likely(code: int) -> tuple[str, ...]:
    """The settings that may well be wrong."""
    return _LIKELY.get(_whole(code), ())

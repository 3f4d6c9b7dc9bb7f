"""States that status words name: CiA 402, PROFIdrive, the CIP control supervisor."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from highmoor.core.errors import Refusal

# Mask, bits, state: IEC 61800-7-201 (CiA 402-2), table of state coding.
_CIA_402: tuple[tuple[int, int, str], ...] = (
    (0x4F, 0x00, "not_ready_to_switch_on"),
    (0x4F, 0x40, "switch_on_disabled"),
    (0x6F, 0x21, "ready_to_switch_on"),
    (0x6F, 0x23, "switched_on"),
    (0x6F, 0x27, "operation_enabled"),
    (0x6F, 0x07, "quick_stop_active"),
    (0x4F, 0x0F, "fault_reaction_active"),
    (0x4F, 0x08, "fault"),
)


@lru_cache(maxsize=1024)
def cia_402_state(status_word: int) -> str | None:
    """The state that a status word names, None for bits that name none. Raises Refusal beyond 16 bits."""
    if not 0 <= status_word <= 0xFFFF:
        raise Refusal(f"A status word has 16 bits, 0–65535, not {status_word}.", value=status_word)
    return next((state for mask, bits, state in _CIA_402 if status_word & mask == bits), None)


@dataclass(frozen=True, slots=True)
class Decoded:
    """A word taken apart: its state in words ("" where it names none), and the names of the bits that are set."""

    state: str
    bits: tuple[str, ...]


# IEC 61800-7-201, status word and control word; "" is the maker's own.
_STATUS_BITS = (
    "ready to switch on", "switched on", "operation enabled", "fault", "voltage enabled", "no quick stop",
    "switch on disabled", "warning", "", "remote", "target reached", "internal limit", "mode bit 12", "mode bit 13",
    "", "",
)  # fmt: skip
_CONTROL_BITS = (
    "switch on", "enable voltage", "no quick stop", "enable operation", "mode bit 4", "mode bit 5", "mode bit 6",
    "fault reset", "halt", "mode bit 9", "", "", "", "", "", "",
)  # fmt: skip
# IEC 61800-7-203 (PROFIdrive), ZSW1 and STW1 of speed control.
_ZSW1_BITS = (
    "ready for switching on", "ready for operation", "operation enabled", "fault present", "no coast stop",
    "no quick stop", "switching on inhibited", "warning present", "speed error within tolerance", "control requested",
    "speed reached", "", "", "", "", "",
)  # fmt: skip
_STW1_BITS = (
    "on", "no coast stop", "no quick stop", "enable operation", "enable ramp generator", "unfreeze ramp generator",
    "enable set-point", "acknowledge fault", "jog 1", "jog 2", "control by PLC", "", "", "", "", "",
)  # fmt: skip
WORDS: dict[str, tuple[str, ...]] = {
    "cia402-status": _STATUS_BITS, "cia402-control": _CONTROL_BITS, "zsw1": _ZSW1_BITS, "stw1": _STW1_BITS,
    "cip-state": (),
}  # fmt: skip


def decoded_word(kind: str, word: int) -> Decoded:
    """A word of a kind in `WORDS`. Raises Refusal beyond 16 bits."""
    if not 0 <= word <= 0xFFFF:
        raise Refusal(f"A word has 16 bits, 0–65535, not {word}.", field="word", value=word)
    if kind == "cip-state":
        return Decoded(_SUPERVISOR[word] if word < len(_SUPERVISOR) else "names no state", ())
    bits = tuple(name or f"bit {n}" for n, name in enumerate(WORDS[kind]) if word >> n & 1)
    if kind == "cia402-status":
        state = cia_402_state(word)
        return Decoded((state or "names no state").replace("_", " "), bits)
    if kind == "cia402-control":
        return Decoded(_commanded(word), bits)
    return Decoded(_profidrive_state(word) if kind == "zsw1" else "", bits)


def _commanded(word: int) -> str:
    """What a control word asks of the states (IEC 61800-7-201, command coding)."""
    if word & 0x80:
        return "fault reset, on its rising edge"
    if not word & 0x02:
        return "disable voltage"
    if not word & 0x04:
        return "quick stop"
    return {0x06: "shutdown", 0x07: "switch on", 0x0F: "enable operation"}.get(word & 0x0F, "shutdown")


# IEC 61800-7-203, general state machine: bits 0, 1, 2, 6 of ZSW1.
_PROFIDRIVE: dict[tuple[int, int, int, int], str] = {
    (0, 0, 0, 1): "S1 switching on inhibited", (1, 0, 0, 0): "S2 ready for switching on",
    (1, 1, 0, 0): "S3 switched on, or S5 switching off", (1, 1, 1, 0): "S4 operation",
}  # fmt: skip
# CIP volume 1, 5-29, control supervisor, attribute 6.
_SUPERVISOR = ("vendor's own", "startup", "not ready", "ready", "enabled", "stopping", "fault stop", "faulted")


def _profidrive_state(word: int) -> str:
    ready, on, operation, inhibited = (word >> n & 1 for n in (0, 1, 2, 6))
    return _PROFIDRIVE.get((ready, on, operation, inhibited), "names no state")

"""States that status words name: CiA 402, PROFIdrive, the CIP control supervisor."""

from __future__ import annotations

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


def cia_402_state(status_word: int) -> str | None:
    """The state that a status word names, None for bits that name none. Raises Refusal beyond 16 bits."""
    if not 0 <= status_word <= 0xFFFF:
        raise Refusal(f"A status word has 16 bits, 0–65535, not {status_word}.", value=status_word)
    return next((state for mask, bits, state in _CIA_402 if status_word & mask == bits), None)

"""What a station of PROFINET says of itself in words: modules that differ, channels with errors, neighbours.

Source: IEC 61158-6-10, 5.2.7 (ChannelErrorType); IEEE 802.1AB.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet.acceptance import Where
from highmoor.core.networks.profinet.realtime import ChannelError
from highmoor.core.networks.profinet.settings import IoDevice
from highmoor.core.networks.profinet.submodules import PnSubmodule

WHOLE = 0x8000
ERRORS = {
    1: "short circuit", 2: "undervoltage", 3: "overvoltage", 4: "overload", 5: "overtemperature", 6: "line break",
    7: "upper limit exceeded", 8: "below its lower limit", 9: "error", 10: "simulation active", 15: "parameter missing",
    16: "parameter fault", 17: "no supply voltage", 18: "fuse blown", 19: "communication fault", 20: "ground fault",
    21: "reference point lost", 22: "sampling error", 23: "threshold exceeded", 24: "output disabled",
    25: "safety event", 26: "external fault",
}  # fmt: skip


def error_text(error: ChannelError, extended: Mapping[tuple[int, int], str]) -> str:
    """An error in words; what it means more closely is the file's to say."""
    own = ERRORS.get(error.error, f"error {error.error} of the maker's")
    more = extended.get((error.error, error.more), "") if error.more else ""
    return f"{own}: {more}" if more else own


def _where(device: IoDevice, where: Where) -> tuple[str, PnSubmodule | None]:
    sub = next((one for one in device.submodules if (one.slot, one.subslot) == where), None)
    return f"slot {where[0]}.{where[1]}" + (f" {sub.label}" if sub else ""), sub


def submodules_told(
    device: IoDevice, differs: Sequence[b.RealModule], pulled: Mapping[Where, str],
    errors: Mapping[Where, Sequence[ChannelError]], doubtful: set[Where],
) -> Iterator[Diagnosis]:  # fmt: skip
    """Modules that are not as expected, what was pulled, what gives no good data, what is wrong with channels."""
    explained = {(slot, subslot) for slot, subslot, _ in b.submodules_of(differs)} | set(pulled)
    for slot, subslot, why in b.submodules_of(differs):
        of = next((s for s in device.submodules if s.slot == slot and subslot in (0, s.subslot)), None)
        place = f"slot {slot}.{subslot}" if subslot else f"slot {slot}"
        wanted = f"; {of.label} is configured" if of else ""
        yield Diagnosis(f"differs {slot}.{subslot}", f"{place}: {why}{wanted}", place=of.row if of else "")
    for where, why in sorted(pulled.items()):
        place, sub = _where(device, where)
        words = f"{place} {why}" if why.startswith("was") else f"{place}: {why}"
        yield Diagnosis(f"pulled {place}", words, place=sub.row if sub else "")
    for where in sorted(doubtful):
        if where not in explained and (where[0], 0) not in explained:
            place, sub = _where(device, where)
            yield Diagnosis(f"bad {place}", f"{place}: its data is bad, as it says", place=sub.row if sub else "")
    extended = {(error, more): text for error, more, text in device.facts.extended} if device.facts else {}
    for where, there in sorted(errors.items()):
        place, sub = _where(device, where)
        for error in there:
            channel = "" if error.channel == WHOLE else f", channel {error.channel}"
            words = error_text(error, extended)
            yield Diagnosis(
                f"{place} {error.channel} {error.error}.{error.more}", f"{place}{channel}: {words}",
                place=sub.row if sub else "",
            )  # fmt: skip


def neighbours_told(
    device: IoDevice, drawn: Mapping[int, tuple[str, str]], seen: Mapping[int, tuple[str, str] | None]
) -> Iterator[Diagnosis]:
    """Cables that are not as they are drawn, where both ends tell who they are."""
    for socket, there in sorted(seen.items()):
        wanted = drawn.get(socket)
        if there is None or there == wanted or not there[1]:
            continue
        is_drawn = f"drawn is {wanted[1]} {wanted[0]}" if wanted else "nothing is drawn there"
        yield Diagnosis(f"port {socket}", f"port {socket} sees {there[1]} {there[0]}; {is_drawn}")

"""Records in a station read and written by hand while the bench runs, by slot and index, over the master's cycle.

Source: IEC 61158-6-3, DP-V1, services of class 1.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from highmoor.core.errors import Refusal
from highmoor.core.figures.profibus_identifier import parse_hex
from highmoor.core.networks.live import Forms, ObjectAccess, ObjectAsk, ObjectTold
from highmoor.core.networks.profibus_dp.bench import Master
from highmoor.core.networks.profibus_dp.cycle import Guest, StationLive, Talk
from highmoor.core.networks.profibus_dp.explain import NOT_EXCHANGING, explain
from highmoor.core.networks.profibus_dp.requester import Service, asking
from highmoor.core.networks.profibus_dp.telegrams import ACYCLIC_OCTETS_AT_MOST
from highmoor.core.networks.requester import Came

_MOST_SLOT, _MOST_INDEX = 254, 255


def _live(master: Master, row: str) -> StationLive:
    found = next((live for live in master.cycle.stations if live.station.id == row), None)
    if found is None:
        raise Refusal("Records are in stations: choose one that is asked.", place=row)
    return found


def octets(master: Master, row: str, slot: int, index: int, typed: str) -> bytes:
    """What was typed in hex. Raises Refusal for what are no octets, and for more than a service carries."""
    given = parse_hex(typed)
    if len(given) > ACYCLIC_OCTETS_AT_MOST:
        raise Refusal(f"{len(given)} octets are too many: {ACYCLIC_OCTETS_AT_MOST} are the most.", value=len(given))
    return given


def forms(master: Master, row: str, slot: int, index: int, told: bytes) -> Forms:
    """A record as people write it: what is short also as a number, high octet first, or as text."""
    text = told.decode("ascii") if told and all(0x20 <= octet < 0x7F for octet in told) else ""
    return Forms.high_first(told, text)


def ask(master: Master, row: str, asks: Sequence[ObjectAsk], told: Callable[[ObjectAsk, ObjectTold], bool]) -> None:
    """One after the other, each a slot and an index. Raises Refusal where nobody could answer."""
    live = _live(master, row)
    for one in asks:
        if not (0 <= one.index <= _MOST_SLOT and 0 <= one.subindex <= _MOST_INDEX):
            raise Refusal(f"A slot goes up to {_MOST_SLOT}, an index to {_MOST_INDEX}.", place=row, field="key")
    if live.state != "exchange":
        raise Refusal(f"{explain(NOT_EXCHANGING).capitalize()}.", place=row)
    master.ask_between(Guest(_each(master, live, asks, told)))


def _each(
    master: Master, live: StationLive, asks: Sequence[ObjectAsk], told: Callable[[ObjectAsk, ObjectTold], bool]
) -> Talk:  # fmt: skip
    for one in asks:
        came: list[Came] = []
        service = Service(one.index, one.subindex, ACYCLIC_OCTETS_AT_MOST, one.octets)
        yield from asking(live, master.bus.line.master, service, lambda _: None, came.append)
        last = came[-1]
        data = last.data if one.octets is None else one.octets
        words = last.text or ("read" if one.octets is None else "written")
        if not told(one, ObjectTold(not last.code, words, b"" if last.code else data)):
            return


RECORDS = ObjectAccess(lambda *_: (), octets, forms, ask)

"""Records in a device read and written by hand while the bench runs: by slot, subslot and index.

Written within the controller's own relation, read without one. Source: IEC 61158-6-10, 4.10 (read, write, implicit
read).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from highmoor.core.errors import Refusal
from highmoor.core.figures.profibus_identifier import parse_hex
from highmoor.core.networks.live import Forms, ObjectAccess, ObjectAsk, ObjectTold
from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet import bring_up as up
from highmoor.core.networks.profinet import calls as c
from highmoor.core.networks.profinet import record_blocks as r
from highmoor.core.networks.profinet.bench import Controller, StationLive

RECORD_OCTETS_AT_MOST = 1024
_MOST_SLOT, _MOST_INDEX = 0x7FFF, 0xFFFF


def _live(master: Controller, row: str) -> StationLive:
    found = next((live for live in master.stations if live.wanted.device.id == row), None)
    if found is None:
        raise Refusal("Records are in stations: choose one that is connected.", place=row)
    return found


def octets(master: Controller, row: str, place: int, index: int, typed: str) -> bytes:
    """What was typed in hex. Raises Refusal for what are no octets, and for more than a record has here."""
    given = parse_hex(typed)
    if len(given) > RECORD_OCTETS_AT_MOST:
        raise Refusal(f"{len(given)} octets are too many: {RECORD_OCTETS_AT_MOST} are the most.", value=len(given))
    return given


def forms(master: Controller, row: str, place: int, index: int, told: bytes) -> Forms:
    """A record as people write it: what is short also as a number, high octet first, or as text."""
    text = "".join(chr(octet) if 0x20 <= octet < 0x7F else "·" for octet in told) if len(told) > 4 else ""
    return Forms.high_first(told, text)


def ask(
    master: Controller, row: str, asks: Sequence[ObjectAsk], told: Callable[[ObjectAsk, ObjectTold], bool]
) -> None:  # fmt: skip
    """One after the other, each slot and subslot in one number, and an index. Raises Refusal where nobody could
    answer."""
    live = _live(master, row)
    for one in asks:
        if not (0 <= one.index >> 16 <= _MOST_SLOT and 0 <= one.subindex <= _MOST_INDEX):
            raise Refusal("A slot goes up to 32767, a record's index to 65535.", place=row, field="key")
    end = live.end
    if end is None or not end.ready:
        raise Refusal("It is not connected, and takes no records meanwhile.", place=row)
    master.asker.run(_each(live, end.relation, asks, told))


def _each(
    live: StationLive, relation: b.Relation, asks: Sequence[ObjectAsk],
    told: Callable[[ObjectAsk, ObjectTold], bool],
) -> up.Talk:  # fmt: skip
    address, obj = live.wanted.device.address, live.wanted.object
    for one in asks:
        slot, subslot = one.index >> 16, one.index & 0xFFFF
        try:
            if one.octets is None:
                data = yield from up.read(address, obj, slot, subslot, one.subindex)
            else:
                data = one.octets
                head = r.RecordAsked(relation.uuid, 1, slot, subslot, one.subindex, len(data))
                yield from up.asked(address, c.WRITE, obj, r.record(b.WRITE_HEAD, head) + data)
            came = ObjectTold(True, "read" if one.octets is None else "written", data)
        except up.Failed as failed:
            came = ObjectTold(False, failed.text)
        if not told(one, came):
            return


RECORDS = ObjectAccess(lambda *_: (), octets, forms, ask)

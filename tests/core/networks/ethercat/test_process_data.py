"""Process data as it is chosen: what is told of each PDO is where its values travel, whatever is taken."""

from __future__ import annotations

from itertools import chain

from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.networks.ethercat.process_data import PdoFacts, ProcessData
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Exchange, Module
from tests.core.networks.ethercat.test_bench import _slots
from tests.core.networks.ethercat.turner import LIBRARY, line, named, put

DRIVE = line("CS-5")


def told(plant: Plant, row: str) -> ProcessData:
    part = "ethercat.process-data" if row in plant.tables["stations"] else "ethercat.module-data"
    found: ProcessData = analyse(plant, LIBRARY).result(part, row)
    return found


def pdos(data: ProcessData) -> dict[str, PdoFacts]:
    return {pdo.key: pdo for way in data.ways for pdo in way.pdos}


CHOICES = [pdo.key for pdo in pdos(told(DRIVE, named(DRIVE, "S1").id)).values() if not pdo.held]


@given(st.fixed_dictionaries({key: st.booleans() for key in CHOICES}))
def test_values_are_told_where_they_travel(taken: dict[str, bool]) -> None:
    drive = named(DRIVE, "S1").id
    plant = put(DRIVE, drive, **{f"settings__pdos__{key}": value for key, value in taken.items()})
    data = told(plant, drive)
    found = pdos(data)
    assert all(found[key].taken == value for key, value in taken.items())
    for way in data.ways:
        exchange = next(x for x in plant.all(Exchange) if x.direction == way.direction)
        wire = analyse(plant, LIBRARY).result("exchange.wire", exchange.id)
        values = [
            (pdo.at + entry.bit, entry.bits)
            for pdo in way.pdos
            if pdo.at is not None
            for entry in pdo.entries
            if entry.key
        ]
        assert values == [(piece.bit, piece.bits) for piece in wire.pieces if piece.key.startswith("i")]
        assert way.octets == wire.octets == (way.bits + 7) // 8
        assert way.bits == sum(pdo.bits for pdo in way.pdos if pdo.taken)


def test_who_excludes_whom_and_what_cannot_be_left_out() -> None:
    found = pdos(told(DRIVE, named(DRIVE, "S1").id))
    assert (found["1601"].taken, found["1601"].instead, found["1601"].against) == (False, ("1600",), "")
    assert found["1600"].instead == ()
    assert (found["1A00"].held, found["1A01"].held) == ("its file wants it", "")
    # A file's own choice is usual, whatever is set.
    other = put(DRIVE, named(DRIVE, "S1").id, settings__pdos__1600=False, settings__pdos__1601=True)
    now = pdos(told(other, named(DRIVE, "S1").id))
    assert [(now[key].taken, now[key].usual) for key in ("1600", "1601")] == [(False, True), (True, False)]
    assert now["1600"].instead == ("1601",)


def test_padding_is_told_and_has_no_key() -> None:
    entries = list(chain.from_iterable(pdo.entries for pdo in pdos(told(DRIVE, named(DRIVE, "S1").id)).values()))
    assert {entry.bits for entry in entries if not entry.key} == {8}
    assert {entry.label for entry in entries if not entry.key} == {"padding"}


def test_a_module_in_a_slot_has_what_its_slot_makes_of_it() -> None:
    gates = _slots("m0000a116", "m0000a116")
    found = [p for way in told(gates, named(gates, "S1").id).ways for p in way.pdos if way.direction == "out"]
    # What is set keeps its name when the module goes to another slot.
    assert [(p.slot, p.index, p.key, p.entries[0].key) for p in found] == [
        (1, 0x1600, "1600", "i7000:01"),
        (2, 0x1601, "1600", "i7010:01"),
    ]
    assert [p.row for p in found] == [module.id for module in gates.all(Module)]

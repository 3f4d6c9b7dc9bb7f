"""The address plan: whose every address is, what is reserved, and the first stretch with room."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.types import Dial
from highmoor.core.errors import Refusal
from highmoor.core.hardware.dials import Dialled, dialled
from highmoor.core.networks.address_plan import address_plan
from highmoor.core.networks.addressing import IPV4, Numbers
from highmoor.core.networks.numbering import read_rule, ruled
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Network, Port
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.plants import hall


def stations(mask: str, fieldbus: str, *addresses: str) -> Plant:
    plant = hall()
    ports = plant.children(Port, plant.all(Controller)[0].id)
    port = ports[-1 if fieldbus == "modbus-rtu" else 0].id
    steps: list[Any] = [
        edits.SetFields(ids=[ports[0].id], values={"address": "10.1.0.1", "mask": mask}),
        edits.AddNetwork(fieldbus=fieldbus, port=port, name="Net", tag="$n"),
        *(edits.AddStation(network="$n", name=f"S{n}", address=a) for n, a in enumerate(addresses)),
    ]
    return apply(plant, BUILTIN, edits.Batch(edits=steps)).plant


def test_a_subnet_by_hand() -> None:
    field = address_plan(stations("/28", "modbus-tcp", "10.1.0.3", "10.1.0.3", "10.1.0.9"), 4)[0]
    assert (field.kind, field.span, field.low, field.high) == ("grid", "10.1.0.0/28", 0, 15)
    assert [(c.number, len(c.owners), c.reserved) for c in field.cells] == [
        (0, 0, "names the subnet"), (1, 1, ""), (3, 2, ""), (9, 1, ""), (15, 0, "everybody in the subnet"),
    ]  # fmt: skip
    assert field.free == 11
    # One free address from .2, five from .4: four fit there.
    assert [(g.address, g.count) for g in field.short] == [("10.1.0.2", 1)]
    assert field.block is not None
    assert (field.block.address, field.block.count) == ("10.1.0.4", 4)
    assert address_plan(stations("/28", "modbus-tcp", "10.1.0.3"), 12)[0].block is None


def test_a_partner_is_its_own_port_and_at_another_address_somebody_else() -> None:
    plant = stations("/28", "modbus-tcp")
    made = apply(plant, BUILTIN, edits.Batch(edits=[
        edits.AddController(type="tarnfell.tf-21", name="KILN", address="10.1.0.2", tag="$c"),
        edits.AddStation(network=plant.all(Network)[0].id, partner="$c", tag="$s"),
    ]))  # fmt: skip

    def owners(of: Plant) -> dict[int, int]:
        return {c.number: len(c.owners) for c in address_plan(of, 1)[0].cells if c.owners}

    assert owners(made.plant) == {1: 1, 2: 1}
    moved = edits.SetFields(ids=[made.tags["$s"]], values={"address": "10.1.0.3"})
    assert owners(apply(made.plant, BUILTIN, moved).plant) == {1: 1, 2: 1, 3: 1}


def test_a_wide_subnet_shows_the_blocks_in_use() -> None:
    fields = address_plan(stations("/16", "modbus-tcp", "10.1.0.3", "10.1.7.0", "10.1.7.255"), 1)
    assert [f.span for f in fields] == ["10.1.0.0/24", "10.1.7.0/24"]
    # Within a wider subnet 0 and 255 are hosts like any other.
    assert [c.reserved for c in fields[1].cells] == ["", ""]


@given(st.sets(st.integers(1, 247), min_size=1, max_size=20), st.integers(1, 60))
def test_the_block_is_the_first_that_is_free(numbers: set[int], room: int) -> None:
    plan = address_plan(stations("/24", "modbus-rtu", *map(str, numbers)), room)
    ruler = next(f for f in plan if f.kind == "ruler")
    free = [n for n in range(1, 248) if n not in numbers]
    assert ruler.free == len(free)
    first = next((n for n in free if all(n + k in free for k in range(room))), None)
    assert (ruler.block.number if ruler.block else None) == first
    scheme = Numbers(1, 247, "Station number")
    assert scheme.next(None, map(str, numbers), count=room) == (
        [str(first + k) for k in range(room)] if first is not None else []
    )
    assert IPV4.next(None, ["10.0.0.1"]) == []


@pytest.mark.parametrize(
    ("rule", "name", "number"),
    [
        ("20 + 10*a + n", "Bed 3 fan 2", 52), ("10 + n", "Moisture 4", 14), ("n", "no number", None),
        ("100 - (a + 2) * n", "A1B2", 94), ("10*a+n", "Drive7", 7), ("", "Drive7", None),
    ],
)  # fmt: skip
def test_rules_by_hand(rule: str, name: str, number: int | None) -> None:
    assert ruled(read_rule(rule), name) == number


@pytest.mark.parametrize("rule", ["n**2", "__import__('os')", "b + 1", "n +", "9" * 30, "n.real", "'x'", "1.5*n"])
def test_what_is_no_rule_is_refused(rule: str) -> None:
    with pytest.raises(Refusal):
        read_rule(rule)


def test_exceptions_to_a_rule_are_told() -> None:
    plant = stations("/24", "modbus-tcp", "10.1.0.20", "10.1.0.77")
    network = plant.all(Network)[0].id
    plant = apply(plant, BUILTIN, edits.SetFields(ids=[network], values={"settings.numbering": "20 + n"})).plant
    assert [c.ruled for c in address_plan(plant, 1)[0].cells if c.owners] == ["", "", "10.1.0.21"]


@given(st.integers(0, 999), st.sampled_from([Dial("rotary-10", 3), Dial("rotary-16", 2), Dial("dip", 8)]))
def test_switches_say_the_number(number: int, dial: Dial) -> None:
    told = dialled(dial, f"10.0.0.{number}")
    assert told is not None
    base = {"rotary-10": 10, "rotary-16": 16, "dip": 2}[dial.kind]
    positions = told.positions if dial.kind == "dip" else told.positions[::-1]
    assert sum(p * base**n for n, p in enumerate(positions)) == number % base**dial.count
    assert bool(told.problem) == (number >= base**dial.count)
    assert len(told.labels) == dial.count


def test_switches_by_hand() -> None:
    assert dialled(Dial("rotary-10", 3), "10.20.9.22") == Dialled("rotary-10", (0, 2, 2), ("×100", "×10", "×1"))
    assert dialled(Dial("dip", 5), "11") == Dialled("dip", (1, 1, 0, 1, 0), ("1", "2", "3", "4", "5"))
    assert dialled(Dial("dip", 5), "") is None

"""Rings: who is in one, who opens it, and what the bench carries while one is shut, broken and open."""

from __future__ import annotations

import pytest

from highmoor.core.bench.cabling import Cable, Cabling
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.networks.rings import Ring
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import ClosingCable
from highmoor.core.project import edits
from tests.core.networks.profinet.bagging import DI, LIBRARY, bagging, do, named, network, put


def ring_of(plant: Plant) -> tuple[list[str], str, str]:
    """Its stations, its manager and what is wrong with it."""
    told: tuple[Ring, ...] = analyse(plant, LIBRARY).result("network.rings", network(plant).id)
    (ring,) = told
    names = [plant.tables["stations"][one].name if one else "port" for one in ring.stations]
    return names, plant.tables["stations"][ring.manager].name if ring.manager else "", ring.problem


def closed(plant: Plant, one: str, other: str) -> Plant:
    """With a cable that closes a ring."""
    ends = named(plant, one).id, named(plant, other).id if other else None
    return do(plant, edits.AddClosingCable(network=network(plant).id, one=ends[0], other=ends[1]))


IO = ("TR-40", [DI])


@pytest.mark.parametrize(
    ("heads", "tree", "ends", "managers", "told"),
    [
        (["switch", IO, IO], [0, 1, 2], ("S1", "S3"), ["S2"], (["S1", "S2", "S3"], "S2", "")),
        (["switch", IO, IO], [0, 1, 1], ("S3", "S2"), ["S1"], (["S3", "S1", "S2"], "S1", "")),
        (["switch", IO, IO], [0, 1, 2], ("S1", "S3"), [], (["S1", "S2", "S3"], "", "nothing there opens it")),
        (["switch", IO, IO], [0, 1, 2], ("S1", "S3"), ["S1", "S2"],
         (["S1", "S2", "S3"], "", "both S1 and S2 would open it")),
        (["plain switch", IO, IO], [0, 1, 2], ("S1", "S3"), ["S2"], (["S1", "S2", "S3"], "S2", "S1 cannot be in one")),
        ([IO, IO], [0, 1], ("S2", ""), ["S1"],
         (["S2", "S1", "port"], "", "the controller's port is in it, which takes one cable")),
    ],
)  # fmt: skip
def test_who_is_in_a_ring_and_who_opens_it(
    heads: list[object], tree: list[int], ends: tuple[str, str], managers: list[str], told: tuple[list[str], str, str]
) -> None:
    plant = closed(bagging(*heads, tree=tree), *ends)  # type: ignore[arg-type]
    for name in managers:
        plant = put(plant, named(plant, name).id, settings__ring="manager")
    assert ring_of(plant) == told
    codes = {found.code for found in analyse(plant, LIBRARY).findings.values()}
    assert ("NET-123" in codes) == bool(told[2])
    assert len(plant.all(ClosingCable)) == 1


def test_a_ring_is_shut_until_it_is_broken_for_as_long_as_it_takes() -> None:
    clock = VirtualClock()
    cabling = Cabling(clock=clock)
    for node, upper in (("A", "port"), ("B", "A"), ("C", "B")):
        cabling.lay(node, upper)
    cabling.close(Cable("A", "C", 3, 3), 200)
    # Shut: nothing goes round, the way is that of the tree.
    tracks = [leg.track for leg in cabling.way("port", "C") or ()]
    assert tracks == [cabling.tracks[node, "down"] for node in ("port", "B", "C")]
    cabling.put("B", plugged=False, powered=True)
    assert not cabling.together("port", "C")
    clock.run_until(199)
    assert not cabling.together("port", "C")
    clock.run_until(200)
    assert cabling.together("port", "C")
    # B is reached the other way round.
    assert len(cabling.way("port", "B") or ()) == 3
    # Whole again, shut again.
    cabling.put("B", plugged=True, powered=True)
    assert len(cabling.way("port", "B") or ()) == 2
    # Whoever closes it without power carries nothing.
    cabling.put("C", plugged=True, powered=False)
    clock.run_until(1000)
    cabling.put("B", plugged=False, powered=True)
    clock.run_until(2000)
    assert not cabling.together("port", "B")


def test_neighbours_are_those_at_the_other_end_of_each_cable() -> None:
    cabling = Cabling(clock=VirtualClock())
    cabling.lay("A", "port", 1, 1)
    cabling.lay("B", "A", 2, 4)
    cabling.close(Cable("A", "B", 5, 1), 200)
    assert [tuple(one) for one in cabling.neighbours("A")] == [(1, "port", 1), (4, "B", 2), (5, "B", 1)]
    cabling.put("B", plugged=False, powered=True)
    assert [tuple(one) for one in cabling.neighbours("A")] == [(1, "port", 1), (5, "B", 1)]
    cabling.put("A", plugged=True, powered=False)
    assert cabling.neighbours("B") == []

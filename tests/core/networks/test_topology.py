"""How networks are cabled: one answer for trees and lines, metres both ways, and whatever is drawn in a circle."""

from __future__ import annotations

import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.media import ETHERNET, RS485
from highmoor.core.demo.plant import demo_plant
from highmoor.core.networks.topology import Topology, topology, uppers
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Network, Station


def laid(*upstreams: int | None, metres: tuple[float | None, ...] = ()) -> list[Station]:
    """Stations s0, s1 … each hanging on the one of this number, None for the port."""
    return [
        Station(
            f"s{n}", "n", f"S{n}", "t", f"{n:04d}", upstream=None if upper is None else f"s{upper}",
            settings={"length_m": metres[n]} if metres and metres[n] is not None else {},
        )
        for n, upper in enumerate(upstreams)
    ]  # fmt: skip


def test_metres_by_hand() -> None:
    """W at 10 m with A (5 m) and V (20 m) behind it, C (3 m) behind V; B (7 m) at the port."""
    told = topology(ETHERNET, laid(None, 0, 0, 2, None, metres=(10, 5, 20, 3, 7)))
    far = {node.station: node.distance_m for node in told.nodes}
    assert far == {"s0": 10, "s1": 15, "s2": 30, "s3": 33, "s4": 7}
    assert told.apart_m("s1", "s3") == 5 + 20 + 3
    assert told.apart_m("s3", "s4") == 33 + 7
    assert told.apart_m("", "s2") == 30
    assert told.apart_m("s2", "s2") == 0
    # On a line each hangs on the one before it, whatever is said of cables; an unsaid length counts for nothing.
    line = topology(RS485, laid(None, 0, 0, metres=(4, None, 6)))
    assert [(n.upstream, n.distance_m, n.length_m) for n in line.nodes] == [("", 4, 4), ("s0", 4, None), ("s1", 10, 6)]


@given(st.lists(st.tuples(st.integers(-1, 7), st.integers(0, 50)), min_size=1, max_size=8), st.data())
def test_any_drawing_is_a_tree_and_metres_are_the_same_both_ways(
    drawn: list[tuple[int, int]], data: st.DataObject
) -> None:
    """Circles included: whoever is in one, or behind it, hangs at the port."""
    ups = [None if upper < 0 or upper >= len(drawn) else upper for upper, _ in drawn]
    rows = laid(*ups, metres=tuple(float(length) for _, length in drawn))
    told = topology(ETHERNET, rows)
    assert sorted(node.station for node in told.nodes) == sorted(row.id for row in rows)
    seen = {""}
    for node in told.nodes:
        assert node.upstream in seen
        seen.add(node.station)
    for n, upper in enumerate(ups):
        way, at = [], upper
        while at is not None and at not in way:
            way.append(at)
            at = ups[at]
        ends = at is None and n not in way
        assert uppers(rows)[f"s{n}"] == (f"s{upper}" if ends and upper is not None else "")
    ids = ["", *(row.id for row in rows)]
    one, other, third = (data.draw(st.sampled_from(ids)) for _ in range(3))
    assert told.apart_m(one, other) == told.apart_m(other, one) >= 0
    assert told.apart_m(one, third) <= told.apart_m(one, other) + told.apart_m(other, third)


def test_a_chain_of_thousands_is_walked_once() -> None:
    rows = laid(None, *range(4000))
    begun = time.process_time()
    told = topology(ETHERNET, rows)
    assert len(told.nodes) == 4001
    # Were the way up walked anew for each, this would be eight million steps.
    assert time.process_time() - begun < 1


@pytest.mark.parametrize("name", [n.name for n in demo_plant().all(Network)])
def test_what_fieldbuses_tell_of_lengths_follows_from_it(name: str) -> None:
    plant = demo_plant()
    network = next(n for n in plant.all(Network) if n.name == name)
    analysis = analyse(plant, BUILTIN)
    told: Topology = analysis.result("network.topology", network.id)
    route, tree = (analysis.result(part, network.id) for part in ("network.route", "network.tree"))
    if route:
        assert told.nodes[-1].distance_m == route.length_m
    else:
        assert [(n.station, n.upstream, n.socket) for n in tree.nodes] == [
            (n.station, n.upstream, n.socket) for n in told.nodes
        ]

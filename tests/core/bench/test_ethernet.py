"""Plain frames on the bench's Ethernet: each cable once, one behind the other, to whoever hears their type."""

from __future__ import annotations

from functools import partial

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.ethernet import Ethernet, EthernetHost

TYPE, ALL = 0x8892, bytes.fromhex("010ECF000000")
# The least frame, with all around it, at 100 Mbit/s; passing it on.
FRAME, PASSING = 6720, 5000
Heard = list[tuple[str, int, bytes]]


def star(count: int) -> tuple[Ethernet, EthernetHost, Heard]:
    """A port, a switch on it, and hosts on that; what they hear, when."""
    ethernet = Ethernet(VirtualClock())
    ethernet.cabling.lay("W", "port")
    ethernet.cabling.passing_ns["W"] = PASSING
    heard: Heard = []
    port = ethernet.attach("port", "10.0.0.1")
    for n in range(count):
        ethernet.cabling.lay(f"H{n}", "W")
        host = ethernet.attach(f"H{n}", f"10.0.0.{n + 2}")
        host.hear_frames(TYPE, partial(_hears, ethernet, heard, f"H{n}"))
    return ethernet, port, heard


def _hears(ethernet: Ethernet, heard: Heard, name: str, source: bytes, _: bytes, octets: bytes) -> None:
    heard.append((name, ethernet.clock.now_ns, octets))


def test_a_frame_to_all_goes_over_each_cable_once() -> None:
    ethernet, port, heard = star(40)
    port.send_frame(ALL, TYPE, b"who")
    ethernet.clock.run_until(10**7)
    assert {at for _, at, _ in heard} == {2 * FRAME + PASSING}
    assert len(heard) == 40
    assert ethernet.cabling.tracks["port", "down"].busy_ns == FRAME


def test_frames_wait_for_one_another_where_they_share_a_cable() -> None:
    ethernet, port, heard = star(2)
    other = ethernet.stations[next(mac for mac, host in ethernet.stations.items() if host.node == "H1")]
    first = next(host for host in ethernet.stations.values() if host.node == "H0")
    # Both at once to the first: they meet on its own cable.
    port.send_frame(first.mac, TYPE, b"a", 6)
    other.send_frame(first.mac, TYPE, b"b")
    ethernet.clock.run_until(10**7)
    tagged = FRAME + 4 * 80
    assert heard == [("H0", 2 * FRAME + PASSING, b"b"), ("H0", 2 * FRAME + PASSING + tagged, b"a")]


@pytest.mark.parametrize(("unplugged", "asked"), [("", 1), ("H0", 0)])
def test_who_has_an_address_says_so(unplugged: str, asked: int) -> None:
    ethernet, port, _ = star(3)
    if unplugged:
        ethernet.cabling.put(unplugged, plugged=False, powered=True)
    found: list[bytes] = []
    port.who_has("10.0.0.2", found.append)
    ethernet.clock.run_until(10**7)
    assert len(found) == asked
    assert all(ethernet.stations[mac].node == "H0" for mac in found)


def test_whoever_changes_his_address_is_found_by_the_new_one_alone() -> None:
    ethernet, port, _ = star(1)
    (host,) = (host for host in ethernet.stations.values() if host.node == "H0")
    host.take("10.0.0.77")
    assert ethernet.found("10.0.0.77", port) is host
    assert ethernet.found("10.0.0.2", port) is None
    host.take("")
    assert ethernet.found("", port) is None


WHO = st.integers(0, 5)
SENDS = st.lists(st.tuples(st.integers(0, 120_000), WHO, WHO, st.integers(0, 1400)), max_size=12)


@given(SENDS, st.lists(st.integers(0, 10), min_size=5, max_size=5))
def test_a_frame_that_is_alone_goes_as_fast_as_leg_by_leg(
    sends: list[tuple[int, int, int, int]], tree: list[int]
) -> None:
    """Whatever sets out whenever, it is there at the same time whether or not some went straight."""

    def course(*, straight: bool) -> list[tuple[str, int, bytes]]:
        ethernet = Ethernet(VirtualClock())
        heard: Heard = []
        for n, upper in enumerate(tree, start=1):
            ethernet.cabling.lay(f"H{n}", f"H{upper % n}" if upper % n else "H0", metres=7.0 * n)
        hosts = []
        for n in range(6):
            host = ethernet.attach(f"H{n}", f"10.0.0.{n + 2}")
            host.hear_frames(TYPE, partial(_hears, ethernet, heard, f"H{n}"))
            hosts.append(host)
        ethernet.busy_until_ns = -1 if straight else 10**12
        for k, (at, source, target, size) in enumerate(sends):
            octets = bytes([k]) * (size + 1)
            to = ALL if target == source else hosts[target].mac
            ethernet.clock.at(at, partial(hosts[source].send_frame, to, TYPE, octets))
        ethernet.clock.run_until(10**9)
        return sorted(heard)

    assert course(straight=True) == course(straight=False)

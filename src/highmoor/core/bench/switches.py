"""Managed switches on the bench: beside passing frames on, they tell their neighbours who they are."""

from __future__ import annotations

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.ethernet import EthernetHost
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.networks import neighbours

_EVERY_NS = neighbours.EVERY_S * 1000 * NS_A_MS


def tell_neighbours(clock: VirtualClock, host: EthernetHost, name: str) -> None:
    """From now on, out of each socket (IEEE 802.1AB)."""

    def tell() -> None:
        host.tell_neighbours(
            neighbours.NEAREST, neighbours.ETHERTYPE, lambda socket: neighbours.encode(name, host.mac, socket)
        )
        clock.at(clock.now_ns + _EVERY_NS, tell)

    clock.at(clock.now_ns, tell)

"""The media of a bench: for each network, how devices get onto its medium and come off it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from random import Random
from typing import Any, Protocol

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.ethernet import Ethernet, EthernetHost
from highmoor.core.bench.on_the_fly import OnTheFly
from highmoor.core.bench.segmented_line import SegmentedLine, SegmentedMedium
from highmoor.core.bench.serial_line import SerialEnd, SerialLine
from highmoor.core.catalogue.media import Medium, Sharing
from highmoor.core.plant.rows import Port


class BenchMedium(Protocol):
    """One network's medium."""

    def master(self) -> Any:
        """What the network's controller has of it; None where it is on no port."""

    def seat(self, node: str, address: str, *, said: bool) -> Any:
        """What a device has of it; None where nobody could be there."""

    def leave(self, node: str) -> None:
        """A device is taken away."""

    def put(self, node: str, *, plugged: bool, powered: bool) -> None:
        """Whether a node's cable is in and it has power."""

    def disturb(self, settings: Mapping[str, Any]) -> None:
        """What the plant as built says of the medium as a whole."""


@dataclass(slots=True)
class EthernetMedium:
    """A network on Ethernet: all of a plant share one cabling, in pieces where nothing joins them."""

    ethernet: Ethernet
    port: Port | None
    ports: dict[str, EthernetHost]
    seats: dict[str, tuple[EthernetHost, bool]] = field(default_factory=dict)

    def master(self) -> EthernetHost | None:
        """The host of the port."""
        return self.ports.get(self.port.id) if self.port else None

    def seat(self, node: str, address: str, *, said: bool) -> EthernetHost:
        """A host of its own; what is only drawn and has an address with another drawn one is the same device."""
        shared = None if said else next((h for h in self.ethernet.hosts.get(address, ()) if h.drawn), None)
        host = shared or self.ethernet.attach(node, address, drawn=not said)
        self.seats[node] = host, shared is None
        return host

    def leave(self, node: str) -> None:
        """Its host goes, unless it is another's."""
        host, own = self.seats.pop(node)
        if own:
            self.ethernet.detach(host)

    def put(self, node: str, *, plugged: bool, powered: bool) -> None:
        """Onto the cabling."""
        self.ethernet.cabling.put(node, plugged=plugged, powered=powered)

    def disturb(self, settings: Mapping[str, Any]) -> None:
        """Switches drop what is damaged: of Ethernet there is nothing to say."""


@dataclass(slots=True)
class LineMedium:
    """A network on a serial line; the controller's end is the first."""

    line: SerialLine
    port: Port | None
    end: SerialEnd = field(init=False)
    seats: dict[str, SerialEnd] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.end = self.line.attach()

    def master(self) -> SerialEnd | None:
        """The end at the port."""
        return self.end if self.port else None

    def seat(self, node: str, address: str, *, said: bool) -> SerialEnd | None:
        """An end of its own."""
        if self.port is None:
            return None
        self.seats[node] = self.line.attach()
        return self.seats[node]

    def disturb(self, settings: Mapping[str, Any]) -> None:
        """What the plant as built says of the line: noise, and whether the resistor at the port is in."""
        self.line.noise = float(settings.get("noise", 0.0))
        if "terminated" in settings:
            self.end.terminated = bool(settings["terminated"])

    def leave(self, node: str) -> None:
        """Its end goes."""
        self.line.detach(self.seats.pop(node))

    def put(self, node: str, *, plugged: bool, powered: bool) -> None:
        """A device without power is as one without a cable."""
        if node in self.seats:
            self.seats[node].plugged = plugged and powered


@dataclass(slots=True)
class Media:
    """What all media of one bench share, and the medium of each network."""

    clock: VirtualClock
    ethernet: Ethernet
    ports: dict[str, EthernetHost] = field(default_factory=dict)

    def put_port(self, port: Port) -> None:
        """A controller's port that is on Ethernet with an address of its own, whether or not a network is on it."""
        if port.address and port.id not in self.ports:
            self.ports[port.id] = _host_of(self.ethernet, port)

    def medium(self, kind: Medium, port: Port | None, chance: Random) -> BenchMedium:
        """A network's medium."""
        return _KINDS[kind.sharing](self, kind, port, chance)


def _host_of(ethernet: Ethernet, port: Port) -> EthernetHost:
    host = ethernet.attach(port.id, port.address)
    host.mask, host.gateway = port.mask, port.gateway
    return host


def _ethernet(media: Media, _: Medium, port: Port | None, __: Random) -> BenchMedium:
    if port and port.id not in media.ports:
        media.ports[port.id] = _host_of(media.ethernet, port)
    return EthernetMedium(media.ethernet, port, media.ports)


def _line(media: Media, _: Medium, port: Port | None, chance: Random) -> BenchMedium:
    return LineMedium(SerialLine(media.clock, chance), port)


def _segmented(media: Media, kind: Medium, port: Port | None, chance: Random) -> BenchMedium:
    return SegmentedMedium(SegmentedLine(media.clock, chance, medium=kind), port)


def _on_the_fly(media: Media, _: Medium, port: Port | None, chance: Random) -> BenchMedium:
    return OnTheFly(media.clock, chance, port)


_KINDS: dict[Sharing, Callable[[Media, Medium, Port | None, Random], BenchMedium]] = {
    "switched": _ethernet, "shared": _line, "in segments": _segmented, "on the fly": _on_the_fly,
}  # fmt: skip

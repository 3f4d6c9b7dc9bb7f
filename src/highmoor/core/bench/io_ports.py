"""Devices on the ports of an IO-Link master on the bench: what their terminals bring goes into the master's data once a
cycle of the port, and what the master takes goes out to them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from highmoor.core.bench.clock import Repeating, VirtualClock
from highmoor.core.bench.port_device import PortDevice, operates, refusal
from highmoor.core.bench.port_standing import StandingPort
from highmoor.core.bench.rail import NS_A_MS, SimulatedRail, Terminal, channel_terminals
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.networks.blocks import Block
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.io_link.data import LETTERS, PIN_OUT, data_of, mode_of
from highmoor.core.networks.io_link.parameters import NO_DEVICE, PortAnswer, PortAsk
from highmoor.core.networks.io_link.timing import cycle_ms, port_message_ms
from highmoor.core.networks.live import Octets, RailChannel
from highmoor.core.networks.wire import WireField, scale_of
from highmoor.core.plant.rows import Json

# The octets of an exchange in the master itself, None where that has no such.
OctetsOf = Callable[[str], Octets | None]


@dataclass(slots=True)
class _Port:
    """A port that goes round: its octets among those of all, what it gave and took last."""

    standing: StandingPort
    device: PortDevice
    first_in: int
    octets_in: int
    first_out: int
    octets_out: int
    message_ns: int
    running: Repeating | None = None
    gave: bytes | None = None
    took: bytes | None = None
    # When it began, how often it goes round (ns), and whether it is to at its next turn.
    began_ns: int = 0
    period_ns: int = 0
    due: bool = False


@dataclass(slots=True)
class _PortRail(SimulatedRail):
    """Terminals on ports: whoever goes round is told when something else has come to one."""

    changed: Callable[[str], None] = lambda _: None

    def _settle(self, code: Terminal, value: float) -> None:
        SimulatedRail._settle(self, code, value)
        self.changed(code.key)


@dataclass(slots=True)
class PortsLive:
    """The ports of one master, going on in virtual time."""

    clock: VirtualClock
    catalogue: Catalogue
    octets: OctetsOf
    # Told of what is to be remembered of a device on a port, by its module.
    keep: Callable[[str, Mapping[str, Any]], None] = lambda *_: None
    rail: _PortRail = field(init=False)
    # By module and key, where wires lead.
    leads: dict[tuple[str, str], tuple[SimulatedRail, str]] = field(default_factory=dict)
    _ports: list[_Port] = field(default_factory=list)
    _standing: Sequence[StandingPort] = ()

    def stand(self, standing: Sequence[StandingPort]) -> None:
        """Bring the ports to what is to stand; what is there keeps what wires have brought to it."""
        before = getattr(self, "rail", None)
        self.end()
        self._standing = standing
        terminals: dict[str, Terminal] = {}
        into = out = 0
        for one in standing:
            device = self.catalogue.find(one.type)
            if device is None:
                self._silent(one)
                continue
            there = PortDevice.of(one, device)
            set_in_it = there.data_settings()
            sizes = [_octets_of(block, device, set_in_it, area) for block, area in _ways(one)]
            made = channel_terminals(one.module, _channels(one, device, set_in_it), into, out)
            terminals.update(made)
            message = int(port_message_ms(device, one.settings) * NS_A_MS)
            self._ports.append(_Port(one, there, into, sizes[0], out, sizes[1], message))
            into, out = into + _whole(one.inward), out + _whole(one.outward)
        self.rail = _PortRail(self.clock, bytearray(into), bytearray(out), 0, terminals)
        self.leads = {
            (key.partition(".")[0], key.partition(".")[2]): (self.rail, key) for key in terminals
        }  # fmt: skip
        if before is not None:
            self.rail.given_as(before)
        by_module = {port.standing.module: port for port in self._ports}
        for port in self._ports:
            self._begin(port)
        self.rail.changed = lambda key: self._changed(by_module[key.partition(".")[0]])

    def end(self) -> None:
        """Nothing goes on any more."""
        for port in self._ports:
            if port.running:
                port.running.over = True
        self._ports = []

    def asked(self, ask: PortAsk) -> PortAnswer:
        """A parameter of the device on a port, read or written; what decides its process data changes that at once."""
        port = next((one for one in self._ports if one.standing.port == ask.port), None)
        if port is None or not operates(self.catalogue, port.standing):
            return PortAnswer(NO_DEVICE)
        before = port.device.data_settings()
        answer = port.device.asked(ask)
        if ask.octets is not None and not answer.error:
            kept = port.device.keeps()
            if port.device.data_settings() != before:
                own = {**port.standing.own, **{path.partition(".")[2]: value for path, value in kept.items()}}
                again = replace(port.standing, own=own)
                self.stand([again if one is port.standing else one for one in self._standing])
            self.keep(port.standing.module, kept)
        return answer

    def told(self) -> list[Diagnosis]:
        """What devices tell of themselves, and of what operates not."""
        found = [diagnosis for one in self._standing if (diagnosis := refusal(self.catalogue, one))]
        for port in self._ports:
            if operates(self.catalogue, port.standing):
                found += port.device.told()
        return found

    def _begin(self, port: _Port) -> None:
        device = port.device.type
        if not operates(self.catalogue, port.standing):
            self._silent(port.standing, connected=True)
            return
        cycle = cycle_ms(device, port.standing.settings)
        # A pin that only switches is looked at all the time.
        port.period_ns = int(cycle * NS_A_MS) if mode_of(device) == "data" else NS_A_MS
        port.began_ns = self.clock.now_ns
        if port.standing.outward is not None:
            port.running = self.clock.every(port.period_ns, lambda: self._round(port), 1)
        else:
            self._changed(port)

    def _changed(self, port: _Port) -> None:
        """What only gives has nothing new to give until something comes to its terminals: at its next turn then."""
        if port.due or port.running or not port.period_ns:
            return
        port.due = True
        turns = -(-(self.clock.now_ns - port.began_ns) // port.period_ns)
        self.clock.at(port.began_ns + turns * port.period_ns, lambda: self._turn(port), 1)

    def _turn(self, port: _Port) -> None:
        port.due = False
        if port in self._ports:
            self._round(port)

    def _round(self, port: _Port) -> None:
        """A cycle: what the device has at its beginning is the master's at the end of the message."""
        block = port.standing.inward
        if block is not None:
            given = bytes(self.rail.image_in[port.first_in : port.first_in + len(block.spots)])
            if given != port.gave:
                port.gave = given
                self.clock.at(self.clock.now_ns + port.message_ns, lambda: self._give(port, given))
        if port.standing.outward is not None:
            taken = self._taken(port)
            if taken != port.took:
                port.took = taken
                self.clock.at(self.clock.now_ns + port.message_ns, lambda: self._take(port, taken))

    def _give(self, port: _Port, given: bytes) -> None:
        block = port.standing.inward
        if block is None or port not in self._ports:
            return
        for n in range(port.octets_in):
            self._put(block, n, given[n])
        for piece in block.pieces:
            if piece.bit >= 8 * block.octets:
                mask = 1 << piece.bit % 8
                told = piece.key in _TOLD or bool(given[piece.bit // 8] & mask)
                self._set(block, piece, on=told)

    def _taken(self, port: _Port) -> bytes:
        block = port.standing.outward
        assert block is not None
        octets = bytearray(len(block.spots))
        for n, spot in enumerate(block.spots):
            there = self.octets(spot.holder) if spot else None
            if spot and there is not None and spot.octet < len(there):
                octets[n] = there[spot.octet]
        return bytes(octets)

    def _take(self, port: _Port, taken: bytes) -> None:
        if port in self._ports:
            self.rail.image_out[port.first_out : port.first_out + len(taken)] = taken

    def _put(self, block: Block, n: int, octet: int) -> None:
        spot = block.spots[n]
        there = self.octets(spot.holder) if spot else None
        if spot and there is not None and spot.octet < len(there):
            there[spot.octet] = octet

    def _set(self, block: Block, piece: WireField, *, on: bool) -> None:
        spot = block.spots[piece.bit // 8]
        there = self.octets(spot.holder) if spot else None
        if spot and there is not None and spot.octet < len(there):
            mask = 1 << piece.bit % 8
            there[spot.octet] = there[spot.octet] | mask if on else there[spot.octet] & ~mask

    def _silent(self, standing: StandingPort, *, connected: bool = False) -> None:
        """Nothing comes from it: no data, and it is not valid."""
        block = standing.inward
        if block is None:
            return
        for n in range(block.octets):
            self._put(block, n, 0)
        for piece in block.pieces:
            if piece.bit >= 8 * block.octets:
                self._set(block, piece, on=connected and piece.key == "connected")


_TOLD = ("valid", "connected")


def _ways(one: StandingPort) -> tuple[tuple[Block | None, str], tuple[Block | None, str]]:
    return (one.inward, "in"), (one.outward, "out")


def _octets_of(block: Block | None, device: DeviceType, settings: Json, area: str) -> int:
    """How many octets of the data there is room for the device has."""
    data = data_of(device, settings)
    return min(block.octets if block else 0, data.in_octets if area == "in" else data.out_octets)


def _whole(block: Block | None) -> int:
    return len(block.spots) if block else 0


def _channels(one: StandingPort, device: DeviceType, settings: Json) -> Iterator[RailChannel]:
    """The values that wires lead to: those it has as it is set, and those somebody reads by their bits; a bit that the
    master itself tells has no terminals."""
    data = data_of(device, settings)
    known: dict[str, WireField] = {piece.key: piece for piece in one.fields if piece.key not in _TOLD}
    known |= {piece.key: piece for piece in (*data.gives, *data.takes)}
    for piece in known.values():
        kind = DATA_TYPES.get(piece.data_type)
        if kind is None:
            continue
        inward = not (piece.key.startswith(LETTERS["out"]) or piece.key == PIN_OUT)
        block = one.inward if inward else one.outward
        in_data = piece.key.startswith(tuple(LETTERS.values()))
        end = piece.bit // 8 + (piece.bit % 8 + piece.bits + 7) // 8
        if block is None or end > (block.octets if in_data else len(block.spots)):
            # Its port has no room for it.
            continue
        scale = scale_of(piece)
        ends = (scale.lo, scale.hi, scale.raw_lo, scale.raw_hi) if scale else None
        yield RailChannel(
            piece.key, inward, piece.bit, piece.bits, kind.family == "signed", ends, True,
            kind.family == "real",
        )  # fmt: skip

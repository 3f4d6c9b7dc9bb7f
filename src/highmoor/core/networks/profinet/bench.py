"""The IO controller on the bench: brings each station to exchange data, keeps it there, tells how it is.

Source: IEC 61158-6-10, 4.10 (context management of the controller).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import partial
from uuid import UUID, uuid5

from highmoor.core.networks import neighbours
from highmoor.core.networks.alive import Clock, ExchangeLive, Memory
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.line import BenchLine
from highmoor.core.networks.live import NetworkFact, NetworkTold, NodeTold
from highmoor.core.networks.media import Host
from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet import bring_up as up
from highmoor.core.networks.profinet import calls as c
from highmoor.core.networks.profinet import dcp
from highmoor.core.networks.profinet import realtime as rt
from highmoor.core.networks.profinet import record_blocks as r
from highmoor.core.networks.profinet.acceptance import Where
from highmoor.core.networks.profinet.asking import Asker
from highmoor.core.networks.profinet.cycle import ControllerEnd
from highmoor.core.networks.profinet.diagnosis import neighbours_told, submodules_told
from highmoor.core.networks.profinet.explain import LOST, NOT_FOUND, STOPPED, explain
from highmoor.core.networks.profinet.settings import (
    LineSettings,
    StationSettings,
    io_device,
    name_of,
)
from highmoor.core.networks.profinet.timing import phases
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Network

_NS_A_MS = 1_000_000
_NS_A_S = 1_000_000_000
# When a station that is not there is looked for again, and how often its neighbours are asked for.
_AGAIN_NS, _NEIGHBOURS_NS = 1 * _NS_A_S, 10 * _NS_A_S
# Stations are looked for one after the other.
_STAGGER_NS = 5 * _NS_A_MS
_FIRST_FRAME = rt.FIRST_ID + 1
AWAY, ADDRESSED, CONNECTED, GETS, EXCHANGING, TROUBLED = range(6)
_WORDS = {
    AWAY: "not there", ADDRESSED: "gets its address", CONNECTED: "is connected", GETS: "gets its parameters",
    EXCHANGING: "exchanges", TROUBLED: "exchanges, a submodule is bad",
}  # fmt: skip


@dataclass(slots=True)
class StationLive:
    """A station as its controller sees it: how far it is, why it does not go on, what it has said of itself."""

    wanted: up.Wanted
    into: int | None
    out: int | None
    lives: tuple[ExchangeLive, ...]
    # Who is drawn at the other end of which socket: port and name.
    drawn: dict[int, tuple[str, str]]
    state: int = AWAY
    code: int = NOT_FOUND
    text: str = "not looked for yet"
    end: ControllerEnd | None = None
    differs: list[b.RealModule] = field(default_factory=list)
    errors: dict[Where, list[rt.ChannelError]] = field(default_factory=dict)
    # What was pulled, or put there instead, in words.
    pulled: dict[Where, str] = field(default_factory=dict)
    seen: dict[int, tuple[str, str] | None] = field(default_factory=dict)
    failures: int = 0


@dataclass(slots=True)
class Controller:
    """The controller of one network."""

    clock: Clock
    memory: Memory
    host: Host
    own: LineSettings
    stations: list[StationLive] = field(default_factory=list)
    stopped: bool = False
    asker: Asker = field(init=False)
    _by_frame: dict[bytes, StationLive] = field(default_factory=dict)
    _by_mac: dict[bytes, StationLive] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.asker = Asker(self.clock, self.host, self._knows)

    def put(self, live: StationLive) -> None:
        """A station more."""
        self.stations.append(live)
        self._by_frame[live.wanted.frame_id.to_bytes(2, "big")] = live

    def _knows(self, relation: UUID) -> bool:
        return any(live.end is not None and live.end.relation.uuid == relation for live in self.stations)

    def listen(self) -> None:
        """It is on the network from now on."""
        self.host.hear_frames(b.RT_ETHERTYPE, self._frame)
        self.asker.listen()
        self.clock.at(self.clock.now_ns, self._tell_neighbours)

    def _tell_neighbours(self) -> None:
        name, mac = self.own.name, self.host.mac
        self.host.tell_neighbours(
            neighbours.NEAREST, neighbours.ETHERTYPE, lambda socket: neighbours.encode(name, mac, socket)
        )
        self.clock.at(self.clock.now_ns + neighbours.EVERY_S * _NS_A_S, self._tell_neighbours)

    def _frame(self, source: bytes, _: bytes, octets: bytes) -> None:
        live = self._by_frame.get(octets[:2])
        if live is not None:
            if live.end is not None and source == live.end.mac:
                live.end.heard(octets)
            return
        frame_id = int.from_bytes(octets[:2], "big")
        if frame_id in (rt.HIGH_ALARM, rt.LOW_ALARM):
            live = self._by_mac.get(source)
            if live is not None and live.end is not None:
                live.end.alarm_heard(octets)
        elif frame_id in (dcp.IDENTIFIED, dcp.GET_SET):
            self.asker.told(source, octets)
        elif frame_id == dcp.IDENTIFY:
            self._is_looked_for(source, octets)

    def _is_looked_for(self, source: bytes, octets: bytes) -> None:
        """Somebody asks who is there: a controller answers as one."""
        asked = dcp.decode(octets)
        if asked is None or asked.blocks != (dcp.Block(dcp.ALL),):
            return
        blocks = (
            dcp.Block(dcp.NAME, self.own.name.encode(), 0), dcp.Block(dcp.ROLE, bytes((2, 0)), 0),
            dcp.Block(dcp.IP, dcp.address_octets(self.host.address, self.host.mask), 1),
        )  # fmt: skip
        told = dcp.answer(asked, blocks).encode()
        self.clock.at(self.clock.now_ns + _NS_A_MS, lambda: self.host.send_frame(source, b.RT_ETHERTYPE, told))

    # ── stations

    def begin(self, live: StationLive) -> None:
        """Look for a station, and bring it as far as it goes."""
        if self.stopped or live.end is not None:
            return
        self.asker.run(self._bring_up(live), lambda failed: self._brought(live, failed))

    def _bring_up(self, live: StationLive) -> up.Talk:
        wanted = live.wanted
        number = self.asker.number()
        told = yield from up.found(wanted, number)
        self._turn(live, ADDRESSED, live.code, "gets its address")
        yield from up.addressed(wanted, told, number)
        relation = up.relation_of(wanted, self.host.mac, self.asker.number())
        answer = yield from up.asked(wanted.device.address, c.CONNECT, wanted.object, up.connecting(wanted, relation))
        frames = b.read_connected(answer.blocks)
        live.differs = frames.differs
        live.errors, live.pulled = {}, {}
        self._by_mac[told.mac] = live
        live.end = ControllerEnd(
            self.clock, self.memory, self.host, wanted, relation, told.mac, frames.ids.get("out", 0),
            frames.reference, live.into, live.out, lambda code: self._over(live, code),
            lambda alarm: self._alarmed(live, alarm), lambda: self._turned(live),
        )  # fmt: skip
        live.end.begin()
        self._turn(live, CONNECTED, live.code, "is connected")
        there = {(sub.slot, sub.subslot) for sub in wanted.device.submodules} - set(self._wrong(live))
        self._turn(live, GETS, live.code, "gets its parameters")
        yield from up.records(wanted, relation, there)
        yield from up.parameters_end(wanted, relation)
        if live.end is None:
            raise up.Failed(LOST)
        live.end.ready = True
        self._turned(live)

    def _wrong(self, live: StationLive) -> Iterator[Where]:
        """Submodules that are not as expected, as the device told."""
        whole = {slot for slot, subslot, _ in b.submodules_of(live.differs) if not subslot}
        single = {(slot, subslot) for slot, subslot, _ in b.submodules_of(live.differs) if subslot}
        for sub in live.wanted.device.submodules:
            where = sub.slot, sub.subslot
            if sub.slot in whole or where in single or where in live.pulled:
                yield where

    def _brought(self, live: StationLive, failed: up.Failed | None) -> None:
        if failed is None:
            self._look_around(live)
            return
        end, live.end = live.end, None
        if end is not None:
            end.over = lambda _: None
            end.end(failed.code)
        self._turn(live, AWAY, failed.code, failed.text)
        self.clock.at(self.clock.now_ns + _AGAIN_NS, lambda: self.begin(live))

    def _over(self, live: StationLive, code: int) -> None:
        """A relation has ended."""
        end, live.end = live.end, None
        if end is None:
            return
        live.failures += 1
        self._turn(live, AWAY, code, explain(code))
        if end.ready:
            self.clock.at(self.clock.now_ns + _AGAIN_NS, lambda: self.begin(live))

    def _turned(self, live: StationLive) -> None:
        """How its submodules are, once it exchanges."""
        end = live.end
        if end is None or not end.ready:
            return
        for one in live.lives:
            one.doubtful = end.bad
        state = TROUBLED if end.doubtful or live.errors else EXCHANGING
        self._turn(live, state, 0, _WORDS[state])

    def _turn(self, live: StationLive, state: int, code: int, text: str) -> None:
        live.state, live.code, live.text = state, code, text
        good = state in (EXCHANGING, TROUBLED)
        for one in live.lives:
            one.state, one.text = ("good", "") if good else ("bad", text)
            self.memory.set_code(one.exchange, 0 if good else code)
            self.memory.set_state(one.exchange, state)

    def _alarmed(self, live: StationLive, alarm: rt.Alarm) -> None:
        where = alarm.slot, alarm.subslot
        if alarm.kind in (rt.DIAGNOSIS, rt.DISAPPEARS) and alarm.error is not None:
            there = [error for error in live.errors.get(where, []) if error != alarm.error]
            if alarm.kind == rt.DIAGNOSIS:
                there.append(alarm.error)
            live.errors[where] = there
            if not there:
                del live.errors[where]
        elif alarm.kind in (rt.PULL, rt.PLUG_WRONG):
            other = f"another is there, ident 16#{alarm.submodule:08X}"
            live.pulled[where] = "was pulled" if alarm.kind == rt.PULL else other
            live.errors.pop(where, None)
        elif alarm.kind == rt.PLUG and live.end is not None:
            self.asker.run(
                self._plugged(live, where, alarm.number, live.end.relation),
                lambda failed: self._refused(live, where, failed),
            )
        self._turned(live)

    def _refused(self, live: StationLive, where: Where, failed: up.Failed | None) -> None:
        """What was plugged may not take its parameters."""
        if failed is not None:
            live.pulled[where] = f"was plugged, and is not ready: {failed.text}"
            self._turned(live)

    def _plugged(self, live: StationLive, where: Where, number: int, relation: b.Relation) -> up.Talk:
        """What was plugged gets its parameters."""
        live.pulled.pop(where, None)
        expected = [(sub.subslot, sub.ident) for sub in live.wanted.device.submodules if sub.slot == where[0]]
        live.differs = b.plugged(live.differs, *where, expected)
        yield from up.records(live.wanted, relation, [where])
        yield from up.parameters_end(live.wanted, relation, number, b.PLUG_END)

    def _look_around(self, live: StationLive) -> None:
        """Ask it who its neighbours are, now and then."""
        end = live.end
        if end is None or self.stopped:
            return

        def again(_: up.Failed | None) -> None:
            self.clock.at(
                self.clock.now_ns + _NEIGHBOURS_NS, lambda: self._look_around(live) if live.end is end else None
            )

        self.asker.run(self._neighbours(live), again)

    def _neighbours(self, live: StationLive) -> up.Talk:
        facts = live.wanted.device.facts
        for socket, port in enumerate(facts.ports if facts else (), start=1):
            octets = yield from up.read(live.wanted.device.address, live.wanted.object, 0, port.subslot, r.REAL_PORT)
            live.seen[socket] = r.read_real_port(octets)

    def stop(self) -> None:
        """Every relation is let go."""
        self.stopped = True
        for live in self.stations:
            end = live.end
            if end is None:
                continue
            live.end = None
            octets = b.control(b.RELEASED, end.relation.uuid, end.relation.key, b.RELEASE)
            call = c.Call(
                c.REQUEST, c.RELEASE, uuid5(end.relation.uuid, "release"), self.asker.number(), live.wanted.object,
                c.DEVICE_INTERFACE, octets,
            )  # fmt: skip
            self.host.send(live.wanted.device.address, c.PORT, call.encode(), c.PORT)
            end.alive = False
            self._turn(live, AWAY, STOPPED, explain(STOPPED))

    # ── what is told

    def told(self) -> NetworkTold:
        """Each station as its controller sees it, and the network as a whole."""
        return NetworkTold(tuple(self._node(live) for live in self.stations), tuple(self._facts()))

    def _facts(self) -> Iterator[NetworkFact]:
        yield NetworkFact("Controller", f"{self.own.name}, sends every {shown(self.own.clock_ms)} ms", not self.stopped)
        good = sum(live.state == EXCHANGING for live in self.stations)
        yield NetworkFact("Stations", f"{good} of {len(self.stations)} exchange", good == len(self.stations))
        late = max((live.end.latest_ns for live in self.stations if live.end), default=0)
        if late:
            yield NetworkFact("Latest frame", f"{shown(late / 1000, 3)} µs after its time")

    def _node(self, live: StationLive) -> NodeTold:
        device = live.wanted.device
        told: list[Diagnosis] = []
        if live.end is not None:
            doubtful = live.end.doubtful if live.end.ready else set()
            told += submodules_told(device, live.differs, live.pulled, live.errors, doubtful)
            told += neighbours_told(device, live.drawn, live.seen)
        code = f"{live.code:04X}" if live.code and live.state < EXCHANGING else ""
        return NodeTold(
            device.id, device.address, _WORDS[live.state], live.state == EXCHANGING, live.text, code, _lamps(live),
            tuple(told),
        )  # fmt: skip


def _lamps(live: StationLive) -> str:
    """What its indicators show: bus fault, system fault."""
    if live.state < EXCHANGING:
        return "bus fault on" if live.state == AWAY else "bus fault flashes"
    return "bus fault dark" + (", system fault on" if live.state == TROUBLED else "")


def go_live(clock: Clock, memory: Memory, host: Host, network: Network, lines: list[BenchLine]) -> Controller:
    """Start the controller of one network."""
    own = LineSettings.of(network)
    controller = Controller(clock, memory, host, own)
    devices = [io_device(line.line) for line in lines]
    phase = phases(devices, own.clock)
    for n, (line, device) in enumerate(zip(lines, devices, strict=True)):
        ids = {x.direction: x.id for x in line.line.exchanges}
        drawn = {
            one.socket: (
                neighbours.port_name(one.other),
                name_of(one.station.name, StationSettings.of(one.station.settings)) if one.station else own.name,
            )
            for one in line.beyond
        }
        wanted = up.Wanted(
            device,
            _FIRST_FRAME + n,
            own.clock,
            phase[device.id],
            tuple(f"{port}.{name}" for port, name in drawn.values()),
            host.mask,
            host.gateway,
            own.name,
        )
        live = StationLive(
            wanted,
            line.offsets.get(ids.get("in", "")),
            line.offsets.get(ids.get("out", "")),
            tuple(line.live.values()),
            drawn,
        )
        controller.put(live)
        for way, exchange in ids.items():
            line.live[exchange].refresh = _refresher(live, line.live[exchange], way)
        clock.at(clock.now_ns + n * _STAGGER_NS, partial(controller.begin, live))
    controller.listen()
    memory.at_stop.append(controller.stop)
    return controller


def _refresher(live: StationLive, told: ExchangeLive, way: str) -> Callable[[], None]:
    """Brings what is told of an exchange up to now."""

    def refresh() -> None:
        end = live.end
        told.failures = live.failures
        if end is None:
            return
        told.request, told.response = end.unit, end.came
        told.transactions = end.heard_frames if way == "in" else end.sent
        told.last_good_ns = end.good_ns
        into, out = live.wanted.device.octets("in"), live.wanted.device.octets("out")
        memory = end.memory
        if way == "in" and live.into is not None:
            told.data = bytes(memory.image_in[live.into : live.into + into])
        elif way == "out" and live.out is not None:
            told.data = bytes(memory.image_out[live.out : live.out + out])

    return refresh

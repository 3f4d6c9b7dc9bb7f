"""A fieldbus that is not there: flags on a rope. Run as a module it is the demo server with this one fieldbus more.

Nothing of it stands anywhere else, so that whatever is seen of it came through the seam of fieldbuses alone. Masts
stand along one rope and are told apart by where they stand. The signaller hoists one frame for all of them; each takes
its flags from it and answers in its own turn; and a mast waves by itself when its flags fall. Behind a mast there may
be modules, and a pole carries modules of its own.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from random import Random
from typing import Annotated, Any, ClassVar, Literal

from annotated_types import Gt
from pydantic import TypeAdapter

from highmoor.core import networks
from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.analysis.findings import Check, finding
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.media import RS485
from highmoor.core.catalogue.types import DeviceType, Slots
from highmoor.core.networks.addressing import Positions
from highmoor.core.networks.alive import Clock, Memory
from highmoor.core.networks.blocks import Block, SeatedModule, Spot
from highmoor.core.networks.counting import Counting
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.fieldbus import Drafting, Fieldbus, Mend, NetworkEdit, StartupWrite
from highmoor.core.networks.frames import Frame, FramePiece
from highmoor.core.networks.line import BenchLine, Line
from highmoor.core.networks.line_time import Block as TimeBlock
from highmoor.core.networks.line_time import Due, ExchangeTiming, Lane, Timing
from highmoor.core.networks.lines import kind_at
from highmoor.core.networks.live import Live, Process, Seat
from highmoor.core.networks.media import Heard, LineEnd
from highmoor.core.networks.scanning import Found, Scans, ScanSeat
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.plant.change import with_value
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Connection, Exchange, Network, Station

HOIST_MS = 5.0
KEY = "flags"
CYCLE_NS, TURN_NS = 200_000_000, 10_000_000
FLAGS = FieldSpec("settings.flags", "Flags", "integer", default=3, minimum=1, maximum=90, unit="flags")
# Flags of a mast with modules are counted by octets, their bits from the last one.
MODULES = Counting("u", 8, from_last=True, every=True)
SINGLE = Counting("b", 1)


def _flags(exchange: Exchange) -> int:
    flags: int = exchange.settings.get("flags", 3)
    return flags


def octets_of(exchange: Exchange) -> int:
    return -(-_flags(exchange) // 8)


def _layout(exchange: Exchange, line: Line) -> WireLayout:
    flags = _flags(exchange)
    what = f"{flags} flags"
    if line.device and line.device.rail:
        octets = octets_of(exchange)
        whole = WireField("u0", "all flags", 0, 8 * octets)
        return WireLayout(octets, 8 * octets, (whole,), what, "rope 1", counting=MODULES)
    pieces = tuple(WireField(f"b{n}", f"flag {n + 1}", n, 1) for n in range(flags))
    return WireLayout(octets_of(exchange), len(pieces), pieces, what, "rope 1", counting=SINGLE)


def _lay(modules: Sequence[SeatedModule], lines: Sequence[Line]) -> Iterator[Block]:
    """In the frame's octets, from the second on. What hangs on a pole lies within it, as everywhere."""
    inward = next((x for line in lines for x in line.exchanges if x.direction == "in"), None)
    begin = 1
    for module in modules if inward else ():
        octets = module.type.in_octets
        yield Block(module.id, "in", tuple(Spot(inward.id, begin + n) for n in range(octets)), f"flags from {begin}")
        begin += octets


def _timing(network: Network, lines: Sequence[Line], silent: str = "", *, drawn: bool = True) -> Timing:
    """One frame for all who take flags, then each mast's answer in its turn; on one lane, the rope's."""
    everything = [(n, line, exchange) for n, line in enumerate(lines, start=1) for exchange in line.exchanges]
    taken = tuple(exchange.id for _, __, exchange in everything if exchange.direction == "out")
    blocks = [TimeBlock(0, HOIST_MS, "request", "hoist", taken)] if taken else []
    told = []
    for n, _, exchange in everything:
        turn = n * TURN_NS / 1e6
        if exchange.direction == "in":
            blocks.append(TimeBlock(turn, turn + 1, "response", "answer", (exchange.id,)))
        told.append(ExchangeTiming(exchange.id, CYCLE_NS / 1e6, HOIST_MS, 1, 0, 0, turn, 0, 0))
    dues = tuple(Due(0, 0, exchange) for exchange in taken)
    lane = Lane(network.id, "Rope", tuple(blocks), dues, 0.1)
    return Timing(CYCLE_NS / 1e6, True, (lane,), tuple(told), 0.1, "of the signaller's time", "polled-line", cycle_ms=1)


def _frames(_: Network, lines: Sequence[Line]) -> list[Frame]:
    """One for all of them with what each takes behind the other, then each one's answer."""
    ends, pieces, answers = 1, [], []
    for n, line in enumerate(lines, start=1):
        for exchange in (x for x in line.exchanges if x.direction == "out"):
            pieces.append(FramePiece(exchange.id, ends, octets_of(exchange)))
            ends += octets_of(exchange)
        inward = [(x.id, octets_of(x)) for x in line.exchanges if x.direction == "in"]
        octets = 1 + max((many for _, many in inward), default=1)
        told = tuple(FramePiece(exchange, 1, many) for exchange, many in inward)
        answers.append(Frame(line.station.id, (), octets, octets, CYCLE_NS / 1e6, told, 10.0 * n))
    masts = tuple(line.station.id for line in lines)
    return [Frame("", masts, ends, ends, CYCLE_NS / 1e6, tuple(pieces)), *answers]


def _startup(_: Network, line: Line) -> tuple[StartupWrite, ...]:
    """A mast's crest, before the first flags."""
    crest = str(line.station.settings.get("crest", ""))
    return (StartupWrite("before the first hoist", "crest", crest.encode(), "setting"),) if crest else ()


@dataclass(frozen=True, slots=True)
class Furling:
    """How many flags everybody is to have."""

    flags: Annotated[int, Gt(0)]


def _furl(draft: Drafting, network: Network, wanted: Furling) -> None:
    """An edit of its own: all exchanges of a rope at once."""
    for station in draft.plant.children(Station, network.id):
        for connection in draft.plant.children(Connection, station.id):
            for exchange in draft.plant.children(Exchange, connection.id):
                draft.put(with_value(exchange, "settings.flags", wanted.flags))


def _new_exchange(wanted: Mapping[str, Any], _: Line) -> tuple[Literal["in", "out"], dict[str, Any]]:
    return ("in" if wanted.get("inward") else "out"), {"flags": FLAGS.parse(wanted.get("flags", 3))}


def _too_many(_: Any, reader: Reader, root: str) -> Any:
    exchange = reader.row(root, Exchange)
    if "flags" in exchange.settings and _flags(exchange) > 8:
        yield finding("TOY-101", (root, "settings.flags"), name=exchange.name)


def _weight(reader: Reader, root: str) -> int:
    """A part of its own: how much hangs on the rope."""
    if kind_at(reader, root) != KEY:
        return 0
    lines: tuple[Line, ...] = reader.part("network.lines", root)
    return sum(_flags(x) for line in lines for x in line.exchanges)


def _weight_headlines(result: int, reader: Reader, root: str) -> Iterator[Headline]:
    if result:
        yield Headline(root, "weight", "Weight of the rope", result, "flags", 100, "less")


# ── on the bench


@dataclass(frozen=True, slots=True)
class Slow:
    """How flags travel."""

    baud: int = 9600
    octet_ms: Fraction = Fraction(1, 10)


@dataclass(slots=True)
class Mast:
    """A mast: `shows` is what it gives, `sees` what it takes."""

    end: LineEnd
    clock: Clock
    position: int
    shows: bytearray
    name: str
    sees: bytes = b""
    crest: bytes = b""
    fell: bool = False

    def told(self) -> Sequence[Diagnosis]:
        """That its flags have fallen, until they wave again."""
        return [Diagnosis("fallen", "its flags have fallen", settings=("stations.settings.crest",))] * self.fell

    def heard(self, heard: Heard) -> None:
        """The signaller's frame, or its question who is there."""
        kind, rest = heard.octets[:1], heard.octets[1:]
        if kind == b"W" and rest[:1] == bytes([self.position]):
            self.crest = rest[1:]
        if kind not in (b"F", b"?"):
            return
        self.sees = rest
        answer = b"=" + self.name.encode() if kind == b"?" else bytes(self.shows)
        mine = bytes([ord("a") + self.position]) + answer
        turn = self.clock.now_ns + self.position * TURN_NS
        self.clock.at(turn, lambda: self.end.transmit(mine, Slow()) and None)

    def fall(self) -> None:
        """Its flags fall: it says so unasked."""
        self.fell = True
        self.end.transmit(bytes([ord("A") + self.position]), Slow())


@dataclass(slots=True)
class Waving:
    """A model: the flags change every step, and fall when it is told so."""

    period_ms: ClassVar[int] = 50

    mast: Mast
    settings: Mapping[str, Any]
    fell: bool = False

    def step(self, seconds: float) -> None:
        """One more."""
        self.mast.shows[-1] = (self.mast.shows[-1] + 1) % 256
        if self.settings.get("falls") and self.mast.shows[-1] > 1 and not self.fell:
            self.fell = True
            self.mast.fall()


@dataclass(slots=True)
class Signaller:
    """The master: one frame for all, then each mast's answer in its turn."""

    clock: Clock
    memory: Memory
    end: LineEnd
    lines: list[BenchLine]
    waved: list[int] = field(default_factory=list)
    hearing: Callable[[bytes], None] | None = None
    _answered: set[int] = field(default_factory=set)

    def hoist(self) -> None:
        """The next frame; who has not answered the last one is bad."""
        for n, one in enumerate(self.lines, start=1):
            for live in one.live.values():
                if live.transactions and n not in self._answered:
                    live.state, live.text = "bad", f"no flags from mast {n}"
                    live.failures += 1
                    self.memory.set_code(live.exchange, 1)
                live.transactions += 1
        self._answered.clear()
        frame = b"".join(
            bytes(self.memory.image_out[one.offsets[x.id] : one.offsets[x.id] + octets_of(x)])
            for one in self.lines for x in one.line.exchanges if x.direction == "out"
        )  # fmt: skip
        self.end.transmit(b"F" + frame, Slow())
        self.clock.at(self.clock.now_ns + CYCLE_NS, self.hoist)

    def heard(self, heard: Heard) -> None:
        """An answer, or a wave."""
        first = heard.octets[0]
        if ord("A") <= first <= ord("Z"):
            self.waved.append(first - ord("A"))
        elif heard.octets[1:2] == b"=" and self.hearing:
            self.hearing(heard.octets)
        elif ord("a") < first <= ord("a") + len(self.lines):
            self._take(first - ord("a"), heard.octets[1:])

    def _take(self, position: int, octets: bytes) -> None:
        one = self.lines[position - 1]
        self._answered.add(position)
        for exchange in one.line.exchanges:
            live = one.live[exchange.id]
            live.state, live.text, live.last_good_ns = "good", "good", self.clock.now_ns
            self.memory.set_code(exchange.id, 0)
            if exchange.direction == "in":
                start, many = one.offsets[exchange.id], octets_of(exchange)
                self.memory.image_in[start : start + many] = octets[:many].ljust(many, b"\x00")


def _master(clock: Clock, memory: Memory, end: LineEnd, network: Network, lines: list[BenchLine]) -> Signaller:
    made = Signaller(clock, memory, end, lines)
    end.terminated = True
    end.on(made.heard)
    at = clock.now_ns
    for line in lines:
        for write in _startup(network, line.line):
            octets = b"W" + bytes([int(line.line.station.address)]) + write.octets
            clock.at(at, lambda octets=octets: end.transmit(octets, Slow()) and None)  # type: ignore[misc]
            at += TURN_NS
    clock.at(at, made.hoist)
    return made


def _device(seat: Seat) -> Mast:
    made = Mast(seat.medium, seat.clock, int(seat.address), bytearray(seat.facts["octets"]), str(seat.facts["name"]))
    if seat.rail is not None:
        rail = seat.rail
        made.shows = bytearray(1) + rail.image_in
    seat.medium.terminated = True
    seat.medium.on(made.heard)
    return made


def _as_configured(_: Network, station: Station | None, lines: Sequence[Line], __: DeviceType | None) -> dict[str, Any]:
    inward = [octets_of(x) for line in lines for x in line.exchanges if x.direction == "in"]
    return {"octets": max(inward, default=1), "name": station.name if station else "stranger"}


def _problem(facts: Mapping[str, Any]) -> str:
    return "" if set(facts) <= {"octets", "name"} else "a mast knows its octets and its name"


def _waving(mast: Any, settings: Mapping[str, Any], _: Random) -> Process:
    return Waving(mast, settings)


@dataclass(slots=True)
class Looking:
    """A scan: one question to all, answered in turn."""

    seat: ScanSeat
    done: int = 0
    asked: int = 1

    def begin(self) -> None:
        """Ask."""
        master: Signaller = self.seat.master
        master.hearing = self._heard
        self.seat.medium.transmit(b"?", Slow())
        self.seat.clock.at(self.seat.clock.now_ns + CYCLE_NS, self._over)

    def stop(self) -> None:
        """Hear no more."""
        self.seat.master.hearing = None

    def _heard(self, octets: bytes) -> None:
        self.seat.find(Found(str(octets[0] - ord("a")), "waves back", name=octets[2:].decode()))

    def _over(self) -> None:
        self.done = 1
        self.stop()
        self.seat.over()


SCANS = Scans(
    fields=lambda *_: (), takes_s=lambda *_: CYCLE_NS / 1e9, make=Looking, alike=lambda *_: None,
    differs=lambda found, line: "" if found.name == line.station.name else f"it says that it is {found.name}",
)  # fmt: skip

FIELDBUS = Fieldbus(
    key=KEY,
    name="Flag rope",
    standard="none",
    medium=RS485,
    addresses=Positions("Mast"),
    generic_type="generic.flags",
    fields={
        "networks": lambda *_: (),
        "stations": lambda *_: (FieldSpec("settings.crest", "Crest", "text", default="", optional=True),),
        "connections": lambda *_: (),
        "exchanges": lambda *_: (FLAGS,),
    },
    new_exchange_fields=(FLAGS,),
    new_exchange=_new_exchange,
    layout=_layout,
    timing=_timing,
    frames=_frames,
    startup=_startup,
    edits={"furl": NetworkEdit(TypeAdapter(Furling), _furl)},
    parts=(Part("rope.weight", "networks", _weight, _weight_headlines),),
    checks=(
        Check(
            "TOY-101", "exchange.wire", "networks", "warning", "Rope too short",
            "{name} has more flags than the rope is long.", "Eight flags fit on a rope.", _too_many,
        ),
    ),
    mends={"TOY-101": lambda _, found: Mend("Hoist eight", found.places[0].id, {"settings.flags": 8})},
    live=Live(
        master=_master, as_configured=_as_configured, device=_device, problem=_problem, models={"waving": _waving},
        scans=SCANS,
    ),
    explain=lambda code: f"flag {code}",
    lay=_lay,
)  # fmt: skip

BUILTIN.types["generic.flags"] = DeviceType(
    "generic.flags", "device", "Signal mast", "", "generic", 0, "Any mast", ("1.0",), fieldbus="flags"
)
BUILTIN.types["toy.mast"] = DeviceType(
    "toy.mast", "device", "Mast with modules", "M-1", "toy", 0, "A mast that modules hang on", ("1.0",),
    bus_supply_ma=2000, field_limit_ma=4000, fieldbus="flags", rail=Slots(addressed=False, covers=False, places=(8,)),
)  # fmt: skip
BUILTIN.types["toy.pole"] = replace(
    BUILTIN.types["tarnfell.di-16"], key="toy.pole", name="Pole", rail=Slots(addressed=False, covers=False, places=(2,))
)
networks.FIELDBUSES = (*networks.FIELDBUSES, FIELDBUS)

if __name__ == "__main__":
    from highmoor.server.__main__ import main

    sys.exit(main(sys.argv[1:]))

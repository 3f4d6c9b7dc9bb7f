"""PROFIBUS DP on the bench: what of it the bench uses; a slave as it is built, with what its modules give and take."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, cast

from pydantic import Field, TypeAdapter

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.alive import Clock, ParameterTold
from highmoor.core.networks.counting import MODULE_OCTETS
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.line import Line
from highmoor.core.networks.live import (
    GIVE_ADDRESS,
    Facts,
    Live,
    ModuleData,
    NetworkAct,
    RailChannel,
    RailModule,
    Seat,
    problem_of,
)
from highmoor.core.networks.media import Heard, SegmentEnd
from highmoor.core.networks.profibus_dp import telegrams as t
from highmoor.core.networks.profibus_dp.bench import DpCoding, Master, go_live, operate
from highmoor.core.networks.profibus_dp.cycle import Guest, Question, Talk
from highmoor.core.networks.profibus_dp.explain import likely
from highmoor.core.networks.profibus_dp.models import MODELS
from highmoor.core.networks.profibus_dp.records import RECORDS
from highmoor.core.networks.profibus_dp.scan import SCANS
from highmoor.core.networks.profibus_dp.settings import (
    DIRECTIONS,
    StationSettings,
    Wiring,
    dp_station,
    ident_of,
    is_described,
    read_identifiers,
)
from highmoor.core.networks.profibus_dp.slave import Slave, SlaveFacts
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Exchange, Network, Station

_HEX = Annotated[str, Field(max_length=800, pattern=r"^(?:[0-9A-Fa-f]{2} ?)*$")]


@dataclass(frozen=True, slots=True, kw_only=True)
class BuiltFacts:
    """A station as it is built. `ident` None: its type's; `identifiers` in hex where no file lists its modules.

    `prm` is how many octets of parameters it takes, None for any; `tsdr` after how many bit times it answers; `reports`
    what it has to say in its diagnosis beyond the six octets, in hex; `records` what it is asked for acyclically, hex
    by slot and index ("0/2"), None where it takes no such requests.
    """

    ident: Annotated[int, Field(ge=0, le=0xFFFF)] | None = None
    identifiers: _HEX = ""
    prm: Annotated[int, Field(ge=0, le=237)] | None = None
    tsdr: Annotated[int, Field(ge=11, le=1023)] = 11
    reports: _HEX = ""
    records: dict[str, _HEX] | None = None
    terminated: bool = False
    terminated_behind: bool = False
    length_m: Annotated[float, Field(ge=0, le=10_000)] = 0.0
    stub_m: Annotated[float, Field(ge=0, le=100)] = 0.0


FACTS: TypeAdapter[BuiltFacts] = TypeAdapter(BuiltFacts)


def _as_configured(_: Network, station: Station | None, lines: Sequence[Line], device: DeviceType | None) -> Facts:
    facts: dict[str, Any] = {"tsdr": 11}
    if station is not None:
        repeats = device is not None and device.repeater is not None
        wiring = Wiring.of(station.settings, repeats=repeats)
        facts |= {
            "terminated": wiring.terminated, "terminated_behind": wiring.terminated_behind,
            "length_m": wiring.length_m, "stub_m": wiring.stub_m,
        }  # fmt: skip
        own = StationSettings.of(station.settings)
        if not is_described(device):
            facts |= {"ident": ident_of(device, own), "identifiers": own.identifiers}
        elif device is not None and lines:
            facts["prm"] = min(len(dp_station(lines[0]).user_prm), 237)
    if device is not None and device.facts.get("c1_read_write_supp") == 1:
        facts["records"] = {}
    return facts


@dataclass(slots=True)
class DpDevice:
    """A slave with its modules' octets: of a model behind it `gives` and `takes` are those."""

    slave: Slave
    gives: bytearray
    takes: bytearray

    def told(self) -> Sequence[Diagnosis]:
        """What it has to say it says over the bus."""
        return ()


@dataclass(slots=True)
class Repeater:
    """Only passes on."""

    def told(self) -> Sequence[Diagnosis]:
        """Nothing."""
        return ()


def _device(seat: Seat) -> DpDevice | Repeater:
    facts = FACTS.validate_python(dict(seat.facts))
    end = cast("SegmentEnd", seat.medium)
    end.length_m, end.stub_m = facts.length_m, facts.stub_m
    end.terminated, end.terminated_behind = facts.terminated, facts.terminated_behind
    if seat.type is not None and seat.type.repeater is not None:
        end.repeats = True
        return Repeater()
    plugged = seat.rail.modules if seat.rail else ()
    of_modules = [_identifiers(module) for module in plugged]
    typed = bytes.fromhex(facts.identifiers)
    described = is_described(seat.type)
    cfg = b"".join(of_modules) if described else typed
    into, out = _sizes(facts, plugged, described=described)
    gives = seat.rail.image_in if seat.rail else bytearray(into)
    takes = seat.rail.image_out if seat.rail else bytearray(out)
    told: Mapping[str, Any] = seat.type.facts if seat.type else {}
    fact = told.get
    known = SlaveFacts(
        facts.ident if facts.ident is not None else (seat.type.product_code or 0) if seat.type else 0, cfg,
        tuple(map(len, of_modules)) if described else (len(typed),), into, out, facts.tsdr,
        not described or fact("sync_mode_supp") == 1, not described or fact("freeze_mode_supp") == 1,
        fact("fail_safe") == 1, fact("set_slave_add_supp") == 1, facts.prm,
        1 if fact("wd_base_1ms_supp") == 1 and fact("dpv1_slave") == 1 else 10,
        _records(facts.records), bytes.fromhex(facts.reports),
    )  # fmt: skip
    number = int(seat.address) if seat.address.isdigit() else 127
    slave = Slave(known, number, seat.clock, end, gives, takes)
    slave.on_lost = seat.rail.let_go if seat.rail else lambda: _emptied(takes)
    slave.keep = lambda given: seat.keep({"address": str(given)})
    end.on(_in_time(slave, seat.clock, end))
    return DpDevice(slave, gives, takes)


def _emptied(takes: bytearray) -> None:
    takes[:] = bytes(len(takes))


def _identifiers(module: RailModule) -> bytes:
    return b"".join(bytes.fromhex(one.octets) for one in module.type.identifiers)


def _sizes(facts: BuiltFacts, plugged: Sequence[RailModule], *, described: bool) -> tuple[int, int]:
    if described:
        return sum(m.data.in_octets for m in plugged), sum(m.data.out_octets for m in plugged)
    typed = read_identifiers(facts.identifiers)
    return sum(one.in_octets for one in typed), sum(one.out_octets for one in typed)


def _records(given: Mapping[str, str] | None) -> dict[tuple[int, int], bytes] | None:
    """None where it takes no requests; what is no slot and index is passed over."""
    if given is None:
        return None
    found = {}
    for key, octets in given.items():
        slot, _, index = key.partition("/")
        if slot.isdigit() and index.isdigit():
            found[int(slot), int(index)] = bytes.fromhex(octets)
    return found


def _in_time(slave: Slave, clock: Clock, end: SegmentEnd) -> Callable[[Heard], None]:
    """What it hears on the line it answers after its time."""

    def heard(heard: Heard) -> None:
        came = slave.heard(heard.octets)
        if came is not None and heard.on is not None:
            octets, bits = came
            on: DpCoding = heard.on
            clock.at(clock.now_ns + round(1e9 * bits / on.baud), lambda: _transmitted(end, octets, on))

    return heard


def _transmitted(end: SegmentEnd, octets: bytes, on: DpCoding) -> None:
    end.transmit(octets, on)


def module_data(device: DeviceType, settings: Mapping[str, Any]) -> ModuleData:
    """What a module gives and takes, and its units as channels: words where its identifiers count in words, bits of
    octets otherwise. What is at the terminals of a word for which counts is no matter of its file."""
    if not device.identifiers:
        return ModuleData(device.in_octets, device.out_octets)
    channels: list[RailChannel] = []
    octets = {"in": device.in_octets, "out": device.out_octets}
    for way in DIRECTIONS:
        letter, inward = MODULE_OCTETS[way].letter, way == "in"
        n = 0
        while n < octets[way]:
            key = f"{letter}{n}"
            if key in device.words:
                at = device.range_at(key, dict(settings))
                ends = (at.low, at.high, at.raw_low, at.raw_high) if at else None
                channels.append(RailChannel(key, inward, 8 * n, 16, True, ends, high_first=True))
                n += 2
                continue
            channels += (RailChannel(f"{key}.{bit}", inward, 8 * n + bit, 1) for bit in range(8))
            n += 1
    return ModuleData(octets["in"], octets["out"], tuple(channels))


def stands_for(facts: Facts, device: DeviceType) -> bool:
    """Whether a stranger's ident number is this type's; without a file it is whoever stands there."""
    return not is_described(device) or facts.get("ident") == device.product_code


# ── what can be done over the bus


def _give_address(
    clock: Clock, medium: Any, master: Master | None, at: str, value: str, done: Callable[[ParameterTold], None]
) -> None:  # fmt: skip
    """A new address for whoever has none of its own: it must not be exchanging (IEC 61158-6-3, Set_Slave_Add)."""
    if master is None:
        done(ParameterTold(False, "no master is on this line"))
        return
    own = master.bus.line.master

    def talk() -> Talk:
        number = int(at)
        answer = yield Question(number, t.to_point(number, own, t.FIRST, t.SLAVE_DIAG))
        told = _telegram(answer)
        if told is None or len(told.data) < 6:
            done(ParameterTold(False, f"nobody answers at {at}"))
            return
        ident = told.data[4:6]
        asked = t.to_point(number, own, t.FIRST, t.SET_SLAVE_ADD, bytes((int(value),)) + ident + b"\x00")
        answer = yield Question(number, asked)
        if answer != t.SHORT:
            done(ParameterTold(False, "it cannot be given an address over the bus: it is set at the device"))
            return
        number = int(value)
        answer = yield Question(number, t.to_point(number, own, t.FIRST, t.SLAVE_DIAG))
        good = _telegram(answer) is not None
        words = f"it answers at {value} now" if good else f"it took the address, and does not answer at {value}"
        done(ParameterTold(good, words))

    master.ask_between(Guest(talk()))


def _telegram(octets: bytes | None) -> t.Telegram | None:
    try:
        return t.decode(octets) if octets and octets != t.SHORT else None
    except t.NoTelegram:
        return None


def _mode(wanted: bool) -> Any:
    def run(
        clock: Clock, medium: Any, master: Master | None, at: str, value: str, done: Callable[[ParameterTold], None]
    ) -> None:  # fmt: skip
        if master is None:
            done(ParameterTold(False, "no master is on this line"))
            return
        operate(master, wanted)
        done(ParameterTold(True, "outputs count again" if wanted else "all outputs are in their safe state"))

    return run


def _data(device: DpDevice | Repeater, _: Line, exchange: Exchange) -> bytearray | memoryview | None:
    """All that its modules give or take."""
    if isinstance(device, Repeater):
        return None
    return device.gives if exchange.direction == "in" else device.takes


LIVE = Live(
    octets=_data,
    master=go_live, as_configured=_as_configured, device=_device, problem=problem_of(FACTS), models=MODELS,
    module_data=module_data, scans=SCANS, stands_for=stands_for, objects=RECORDS, told=Master.told,
    likely=lambda code, _: likely(code),
    acts=(
        NetworkAct(
            GIVE_ADDRESS, "Give it another address", _give_address, asks="address", keeps=True,
            back="give it the old one again",
        ),
        NetworkAct("clear", "Clear all outputs", _mode(False), back="Operate again", all=True),
        NetworkAct("operate", "Operate", _mode(True), back="Clear all outputs", all=True),
    ),
    fields=(
        FieldSpec("facts.ident", "Ident number", "integer", minimum=0, maximum=0xFFFF, optional=True,
                  show=lambda value: f"16#{value:04X}" if isinstance(value, int) else ""),
        FieldSpec("facts.tsdr", "Answers after", "integer", minimum=11, maximum=1023, optional=True, unit="bit"),
        FieldSpec("facts.terminated", "Terminator", "boolean", optional=True),
        FieldSpec("facts.reports", "It reports", "text", default="", optional=True, term="extended diagnosis",
                  hint="In hex, behind the six octets that every diagnosis has."),
    ),
)  # fmt: skip

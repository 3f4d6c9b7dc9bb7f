"""What can be set of an axis, its links and its moves."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from highmoor.core.catalogue.types import Catalogue, PulsePair
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import modules_behind
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.motion.handing_over import USUAL_SCAN_MS
from highmoor.core.motion.home_search import METHODS
from highmoor.core.motion.homing import method_label
from highmoor.core.motion.links import LINK_KINDS
from highmoor.core.motion.profiles import BASES, is_place
from highmoor.core.motion.robots.types import PLACES
from highmoor.core.motion.settings import USUAL_GAIN, USUAL_REACTION_MS
from highmoor.core.motion.units import AXIS_KINDS, UNITS, Unit, unit_of
from highmoor.core.plant.fields import Choice, FieldSection, FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Axis,
    ChainLink,
    CommandProfile,
    Module,
    Move,
    Network,
    Port,
    Robot,
    SafetyFunction,
    SafetyPart,
    Scanner,
    Signal,
    Station,
    Use,
)

_NAME = FieldSpec("name", "Name", "identifier", hint="As the program calls it.", term="IEC 61131-3")
_NOTE = FieldSpec("note", "Note", "note", default="", optional=True)


# No machine has more of anything, and every sum of such numbers can be told.
_MOST = 1e9


def _set(key: str, label: str, unit: str, section: FieldSection, minimum: float = -_MOST, **more: Any) -> FieldSpec:
    return FieldSpec(
        f"settings.{key}", label, "number", unit=unit, minimum=minimum, maximum=more.pop("maximum", _MOST),
        optional=True, section=section, **more,
    )  # fmt: skip


def drives_of(plant: Plant, catalogue: Catalogue, controller: str) -> Iterator[tuple[Station, str]]:
    """The stations of a controller's networks that may be drives, with what they are called."""
    for network in plant.all(Network):
        port: Port | None = plant.find(network.port)
        owner = controller_of_port(plant.find, port)
        if owner is None or owner.id != controller:
            continue
        for station in plant.children(Station, network.id):
            device = catalogue.find(station.type)
            if station.partner is None and not (device and device.passes_on):
                yield station, f"{station.name} · {network.name}"


def pulse_modules_of(
    plant: Plant, catalogue: Catalogue, controller: str
) -> Iterator[tuple[Module, str, tuple[PulsePair, ...]]]:
    """The modules on a controller's own rails that give pulses, with what they are called and their pairs."""
    for module in modules_behind(plant, controller):
        device = catalogue.find(module.type)
        pulses = tuple(pair for group in (device.channels if device else ()) for pair in group.wiring.pulses)
        if device and pulses:
            yield module, f"{module.designation or device.name} · pulses", pulses


def _output(plant: Plant, catalogue: Catalogue, row: Axis) -> FieldSpec:
    """Which of its outputs gives the pulses; none to choose where a drive does all by itself."""
    pairs = next(
        (pairs for module, _, pairs in pulse_modules_of(plant, catalogue, row.controller) if module.id == row.drive), ()
    )
    if not pairs:
        return FieldSpec("key", "Output", "text", default="", optional=True, made=True)
    choices = tuple(Choice(f"ch{p.pulse}", f"channel {p.pulse}, direction {p.direction}") for p in pairs)
    return FieldSpec("key", "Pulses from", "choice", default="", choices=choices)


def axis_fields(plant: Plant, catalogue: Catalogue, row: Axis) -> tuple[FieldSpec, ...]:
    unit = unit_of(row.kind, row.unit)
    kind = AXIS_KINDS[row.kind]
    drives = (
        *(Choice(s.id, label) for s, label in drives_of(plant, catalogue, row.controller)),
        *(Choice(m.id, label) for m, label, _ in pulse_modules_of(plant, catalogue, row.controller)),
    )
    return (
        _NAME,
        FieldSpec("kind", "Axis", "choice", choices=tuple(Choice(k.key, k.label) for k in AXIS_KINDS.values())),
        FieldSpec("unit", "Counted in", "choice", read=_unit,
                  choices=_units(kind.units)),
        FieldSpec("drive", "Drive", "choice", optional=True, choices=drives),
        FieldSpec("profile", "Commanded by", "choice", optional=True,
                  choices=tuple(Choice(p.id, p.name) for p in plant.all(CommandProfile))),
        _output(plant, catalogue, row),
        FieldSpec("settings.reversed", "Turns the other way", "boolean", default=False,
                  hint="The motor's positive turn is the axis's negative one."),
        *_of_robot(plant, row),
        *_bounds(unit, row),
        *_travel(unit, row),
        *_homing(unit, row),
        *_drive(unit),
        _NOTE,
    )  # fmt: skip


def _of_robot(plant: Plant, row: Axis) -> Iterator[FieldSpec]:
    robots = plant.children(Robot, row.controller)
    if row.kind not in ("rotary", "endless") or not (robots or row.robot):
        return
    yield FieldSpec("robot", "Robot", "choice", optional=True, choices=tuple(Choice(r.id, r.name) for r in robots))
    yield FieldSpec("arm", "Is its", "choice", default="", optional=True,
                    choices=(Choice("", "none"), *(Choice(key, label) for key, label in PLACES.items())))  # fmt: skip


def _unit(given: Any) -> str:
    """Any unit there is: which of them fit is the kind's, and a kind may be changed first."""
    return str(FieldSpec("unit", "Counted in", "choice", choices=_units(UNITS)).parse(given))


def _units(keys: Iterable[str]) -> tuple[Choice, ...]:
    units = (UNITS[key] for key in keys)
    return tuple(Choice(unit.key, unit.label if unit.a_speed == 1 else unit.speed) for unit in units)


def _bounds(unit: Unit, row: Axis) -> Iterator[FieldSpec]:
    rate = f"{unit.label}/s²" if unit.a_speed == 1 else "1/min/s"
    yield _set("speed", "Highest speed", unit.speed, "bounds", 1e-9)
    yield _set("acceleration", "Acceleration", rate, "bounds", 1e-9)
    yield _set("deceleration", "Deceleration", rate, "bounds", 1e-9, hint="If empty: as the acceleration.")
    yield _set("quick_ramp", "Emergency-stop ramp", rate, "bounds", 1e-9, hint="If empty: as it brakes.")
    if row.kind == "speed":
        return
    yield _set("jerk", "Jerk", f"{unit.label}/s³", "bounds", 1e-9,
               hint="Then it brakes as it accelerates. If empty: not bounded.")  # fmt: skip
    yield _set("gain", "Position gain", "1/s", "bounds", 0, default=USUAL_GAIN, hint="Speed over following error.")
    yield _set("following", "Following error allowed", unit.label, "bounds", 0)
    yield _set("window", "In position within", unit.label, "bounds", 0)


def _travel(unit: Unit, row: Axis) -> Iterator[FieldSpec]:
    if row.kind == "endless":
        yield _set("modulo", "Counts from 0 again after", unit.label, "travel", 1e-9, hint="If empty: a turn.")
    if row.kind in ("linear", "rotary"):
        for way, sign in (("minus", "−"), ("plus", "+")):
            yield _set(f"soft_{way}", f"Soft limit {sign}", unit.label, "travel")
            yield _set(f"switch_{way}", f"Switch {sign}", unit.label, "travel")
            yield _set(f"stop_{way}", f"Hard stop {sign}", unit.label, "travel")
        yield FieldSpec("settings.limits_close", "Limit switches close when held", "boolean", default=False,
                        section="travel", hint="One that opens also tells a broken wire.")  # fmt: skip
        yield _set("cam", "Switch stays held for", unit.label, "travel", 0, hint="The length of what holds it.")
        yield _set("reaction_ms", "Braking begins after", "ms", "travel", 0, maximum=10_000, default=USUAL_REACTION_MS,
                   hint="From the switch to the ramp.")  # fmt: skip
    if row.kind != "speed":
        yield _set("index_turn", "Index after the switch", "turns", "travel", 0, maximum=1,
                   hint="Of a motor turn, as the drive shows it after homing.")  # fmt: skip


def _homing(unit: Unit, row: Axis) -> Iterator[FieldSpec]:
    if row.kind == "speed":
        return
    methods = (Choice(0, "none"), *(Choice(number, method_label(number)) for number in METHODS))
    yield FieldSpec("settings.home_method", "Finds home by", "choice", default=0, choices=methods, section="homing",
                    optional=True, term="IEC 61800-7-201")  # fmt: skip
    yield _set("home_from", "Home switch held from", unit.label, "homing", hint="If empty: from the lower end on.")
    yield _set("home_to", "to", unit.label, "homing", hint="If empty: to the upper end.")
    yield _set("home_fast", "Seeks the switch at", unit.speed, "homing", 1e-9,
               hint="If empty: a tenth of the highest speed.")  # fmt: skip
    yield _set("home_slow", "its edge and the index at", unit.speed, "homing", 1e-9,
               hint="If empty: a hundredth of it.")  # fmt: skip
    yield _set("home_position", "Counts at home", unit.label, "homing",
               hint="If empty: where the switch and the index are.")  # fmt: skip
    yield _set("encoder_offset", "Encoder offset", unit.label, "homing",
               hint="What the drive adds to what an absolute encoder says.")  # fmt: skip


def _drive(unit: Unit) -> Iterator[FieldSpec]:
    yield _set("peak_a", "Drive's peak current", "A", "drive", 0)
    yield _set("capacitance_uf", "Capacitors", "µF", "drive", 0)
    yield _set("bus_v", "Supply of the bridge", "V", "drive", 0)
    yield _set("bus_most_v", "switched off at", "V", "drive", 0)
    yield _set("resistor_w", "Braking resistor", "W", "drive", 0)
    parts = (Choice(n, f"10^−{n} {unit.label}" if n else unit.label) for n in range(7))
    digits = (Choice("counts", "encoder counts"), *parts)
    yield FieldSpec("settings.drive_digits", "Drive counts", "choice", default="counts", section="drive", optional=True,
                    choices=digits, hint="What one of its position units is.")  # fmt: skip


def link_fields(plant: Plant, catalogue: Catalogue, row: ChainLink) -> tuple[FieldSpec, ...]:
    kinds = tuple(Choice(kind.key, kind.label) for kind in LINK_KINDS.values())
    return (
        FieldSpec("kind", "Link", "choice", choices=kinds, made=True),
        *LINK_KINDS[row.kind].fields,
    )


def profile_fields(plant: Plant, catalogue: Catalogue, row: CommandProfile) -> tuple[FieldSpec, ...]:
    base = BASES.get(row.base)
    bases = tuple(Choice(one.key, one.label) for one in BASES.values())
    return (
        FieldSpec("name", "Name", "text"),
        FieldSpec("base", "Bits as in", "choice", choices=bases, hint=base.source if base else ""),
        *(
            FieldSpec(f"settings.words.{word.role}", word.label, "text", default=word.at, optional=True,
                      read=_word_place, hint="From the controller." if word.way == "out" else "To the controller.")
            for word in (base.words if base else ())
        ),
        FieldSpec("settings.scan_ms", "The drive looks every", "number", unit="ms", minimum=0.01, maximum=10_000,
                  default=USUAL_SCAN_MS, optional=True, hint="Its own scan, by its manual."),
        FieldSpec("settings.speed_is", "A count of its speed is", "choice", default=base.speed_is if base else "counts",
                  optional=True, choices=_SPEEDS),
        FieldSpec("settings.speed_full", "Counts of the rated speed", "integer", minimum=1, maximum=2**31 - 1,
                  default=base.speed_full if base else 0x4000, optional=True, hint="Where it is a share."),
        _NOTE,
    )  # fmt: skip


_SPEEDS = (
    Choice("counts", "a count a second"), Choice("rpm", "1/min of the motor"),
    Choice("share", "a share of the rated speed"),
)  # fmt: skip


def _word_place(given: Any) -> str:
    text = str(given).strip()
    if text.lower() == "none":
        return ""
    if not is_place(text):
        raise Refusal(
            f"“{text[:20]}” says no place: an octet as 4, a bit as 4.2, an object as i6040, or none.", value=given
        )
    return text


def use_fields(plant: Plant, catalogue: Catalogue, row: Use) -> tuple[FieldSpec, ...]:
    of: Axis | SafetyFunction | SafetyPart | Scanner | None = plant.find(row.of)
    if isinstance(of, SafetyPart):
        of = plant.find(of.function)
    signals = tuple(Choice(s.id, s.name) for s in plant.children(Signal, of.controller)) if of else ()
    return (
        FieldSpec("role", "Word", "text", made=True),
        FieldSpec("signal", "Signal", "choice", choices=signals),
    )


MOVE_KINDS = (Choice("relative", "by so far"), Choice("absolute", "to a position"))


def move_fields(plant: Plant, catalogue: Catalogue, row: Move) -> tuple[FieldSpec, ...]:
    axis: Axis | None = plant.find(row.axis)
    unit = unit_of(axis.kind, axis.unit) if axis else UNITS["mm"]
    return (
        FieldSpec("name", "Name", "text"),
        FieldSpec("kind", "Goes", "choice", choices=MOVE_KINDS),
        FieldSpec("settings.to", "Position" if row.kind == "absolute" else "Distance", "number", unit=unit.label,
                  minimum=-_MOST, maximum=_MOST, optional=True),
        FieldSpec("settings.speed", "Speed", "number", unit=unit.speed, minimum=1e-9, maximum=_MOST, optional=True,
                  hint="If empty: the axis's highest."),
        FieldSpec("settings.acceleration", "Acceleration", "number", unit=f"{unit.label}/s²", minimum=1e-9,
                  maximum=_MOST, optional=True, hint="If empty: the axis's."),
        FieldSpec("settings.wait_s", "Then waits", "number", unit="s", minimum=0, maximum=1e6, default=0,
                  optional=True),
        FieldSpec("settings.wait_on", "held by", "choice", default="motor", optional=True,
                  choices=(Choice("motor", "the motor"), Choice("brake", "the brake"))),
    )  # fmt: skip

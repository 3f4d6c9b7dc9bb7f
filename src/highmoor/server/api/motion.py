"""Axes: the trial move that is proposed and how it goes, and what a tape says. Nothing is kept."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from itertools import combinations
from typing import Annotated, Any, Literal

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import Field

from highmoor.core.bench.axes.commander import Out
from highmoor.core.bench.axes.hands import Does, State
from highmoor.core.errors import HighmoorError, Refusal
from highmoor.core.figures.motion.states import decoded_word
from highmoor.core.motion.chain import chain_of
from highmoor.core.motion.copies import CopiesTold, copies_told, in_drive, values_of
from highmoor.core.motion.steppers import coil_pairs
from highmoor.core.motion.trial import Curve, Proposal, curve, lead_of, proposed
from highmoor.core.motion.units import unit_of
from highmoor.core.networks.strangers import built_of
from highmoor.core.numbers import parse_number
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, BuiltDevice, ChainLink, Station
from highmoor.core.project.tape import Measured, TapeTold, read_tape
from highmoor.server.api.access import member, opened, user_of
from highmoor.server.api.shapes import Problem, Shape
from highmoor.server.live.bench_host import BENCHES, LiveBench
from highmoor.server.plants import OpenPlant

router = Router(tags=["motion"])
Typed = Annotated[str, Field(max_length=60)]


class TrialIn(Shape):
    """A move as it is typed or dragged, in the axis's units or any that fit; None for what is proposed."""

    distance: Typed | None = None
    speed: Typed | None = None
    acceleration: Typed | None = None
    jerk: Typed | None = None


class TrialOut(Shape):
    """What is proposed (null where nothing can be), and the move that was asked for, else the proposed one; `lead` is
    how far it is to go back and forth again first, for its play."""

    proposal: Proposal | None
    lead: float
    curve: Curve | None


@router.get("/plants/{key}/axes/{axis_id}/copies", response={200: CopiesTold, 422: Problem}, operation_id="axis_copies")
def axis_copies(request: HttpRequest, key: str, axis_id: str) -> CopiesTold:
    """What of an axis is not alike in the project, in the controller and in its drive."""
    held = opened(request, key)
    with held.lock:
        plant, catalogue = held.plant, held.analysis.catalogue
        axis = plant.get(axis_id, Axis)
    return _copies(plant, axis, built_of(plant, plant, catalogue), _downloaded(key))


@router.get("/plants/{key}/copies", response=dict[str, int], operation_id="axes_apart")
def axes_apart(request: HttpRequest, key: str) -> dict[str, int]:
    """The axes of which something is not alike everywhere, and how much."""
    held = opened(request, key)
    with held.lock:
        plant, catalogue = held.plant, held.analysis.catalogue
    built, sent = built_of(plant, plant, catalogue), _downloaded(key)
    axes = (axis for axis in plant.all(Axis) if isinstance(plant.find(axis.drive), Station))
    found = {axis.id: len(_copies(plant, axis, built, sent).differing) for axis in axes}
    return {axis: count for axis, count in found.items() if count}


def _downloaded(key: str) -> Plant | None:
    running = BENCHES.get(key)
    return running.downloaded if running is not None and running.running else None


def _copies(plant: Plant, axis: Axis, built: Mapping[str, BuiltDevice], sent: Plant | None) -> CopiesTold:
    project = _values(plant, axis)
    there = sent.find(axis.id) if sent else None
    device = built.get(axis.drive or "")
    drive = in_drive(axis.id, project, device.settings if device else {})
    controller = _values(sent, there) if sent and isinstance(there, Axis) else None
    return copies_told(project, controller, drive, unit_of(axis.kind, axis.unit).label)


def _values(plant: Plant, axis: Axis) -> dict[str, float | None]:
    unit = unit_of(axis.kind, axis.unit)
    return values_of(axis, chain_of(plant.children(ChainLink, axis.id), linear=unit.linear), unit)


class MeasuredIn(Shape):
    asked: Typed
    measured: Typed


class TapeIn(Shape):
    """One move or two with what the tape said, and how well it can be read; as typed."""

    moves: list[MeasuredIn] = Field(min_length=1, max_length=2)
    uncertainty: Typed = ""


@router.post("/plants/{key}/axes/{axis_id}/trial", response={200: TrialOut, 422: Problem}, operation_id="trial_move")
def trial_move(request: HttpRequest, key: str, axis_id: str, given: TrialIn) -> TrialOut:
    """A move of an axis, drawn."""
    held = opened(request, key)
    with held.lock:
        axis = held.plant.get(axis_id, Axis)
        chain = held.analysis.result("axis.links", axis_id)
        play = held.analysis.result("axis.chain", axis_id).play
    unit, proposal = unit_of(axis.kind, axis.unit), proposed(axis, chain)
    lead = lead_of(play, unit)

    def number(typed: str | None, usual: float | None, of: str) -> Fraction | None:
        if typed is None or not typed.strip():
            return None if usual is None else Fraction(str(usual))
        return parse_number(typed, unit=of)

    distance = number(given.distance, proposal.distance if proposal else None, unit.label)
    speed = number(given.speed, proposal.speed if proposal else None, unit.speed)
    rate = number(given.acceleration, proposal.acceleration if proposal else None, f"{unit.label}/s²")
    jerk = number(given.jerk, proposal.jerk if proposal else None, f"{unit.label}/s³")
    if distance is None or speed is None or rate is None:
        return TrialOut(proposal=proposal, lead=lead, curve=None)
    return TrialOut(proposal=proposal, lead=lead, curve=curve(axis, distance, speed, rate, jerk))


@router.post("/plants/{key}/axes/{axis_id}/tape", response={200: TapeTold, 422: Problem}, operation_id="read_tape")
def tape(request: HttpRequest, key: str, axis_id: str, given: TapeIn) -> TapeTold:
    """What a measured way says of the chain."""
    held = opened(request, key)
    with held.lock:
        axis = held.plant.get(axis_id, Axis)
        unit = unit_of(axis.kind, axis.unit).label
        moves = [Measured(_number(m.asked, unit, "asked"), _number(m.measured, unit, "measured")) for m in given.moves]
        off = _number(given.uncertainty, unit, "uncertainty") if given.uncertainty.strip() else None
        return read_tape(held.analysis, axis_id, moves, off)


def _number(typed: str, unit: str, field: str) -> Fraction:
    try:
        return parse_number(typed, unit=unit)
    except Refusal as refusal:
        raise Refusal(refusal.reason, field=field, value=typed) from None


class AxisFactOut(Shape):
    """Something that has to be so before an axis moves, and whether it is."""

    text: str
    good: bool


class AxisLiveOut(Shape):
    """An axis on the bench: positions in its unit, torque in Nm (null where a process of its own is behind its drive),
    `trace` of its latest move as s, asked, shown. `turns` is its speed; `plc_open` the state as its
    program would see it, `out` what a block of its latest `command` would show; `does` what its words can.
    """

    axis: str
    state: State
    plc_open: str
    command: str
    out: Out
    does: list[Does]
    turns: float
    text: str
    position: float
    wanted: float
    held_by: str
    good: bool
    facts: list[AxisFactOut]
    limits: list[bool]
    home: bool
    torque: float | None
    fault: int
    # Whether a safe stop has taken its motor's supply.
    safely_held: bool
    trace: list[list[float]]


class AxisDoIn(Shape):
    """What an axis is to do; numbers as they are typed, in its units or any that fit. A jog goes on only as long as it
    is said again, at least every 300 ms."""

    do: Literal["enable", "disable", "reset", "home", "move", "jog", "run", "stop", "quick-stop"]
    distance: Typed = "0"
    speed: Typed = "0"
    acceleration: Typed = "0"
    absolute: bool = False


class TapeOut(Shape):
    """Where the load really is, as a tape held to it reads."""

    at: float


def running_bench(key: str) -> LiveBench:
    """The bench of a plant. Raises HighmoorError where none runs."""
    running = BENCHES.get(key)
    if running is None or not running.running:
        raise HighmoorError("The bench does not run: download first.")
    return running


@router.get("/plants/{key}/bench/axes/{axis_id}", response={200: AxisLiveOut, 422: Problem}, operation_id="axis_live")
def axis_live(request: HttpRequest, key: str, axis_id: str) -> AxisLiveOut:
    """An axis as it is on the bench."""
    member(request, key)
    return AxisLiveOut(**running_bench(key).axis(axis_id))


@router.post("/plants/{key}/bench/axes/{axis_id}", response={200: AxisLiveOut, 422: Problem}, operation_id="axis_do")
def axis_do(request: HttpRequest, key: str, axis_id: str, given: AxisDoIn) -> AxisLiveOut:
    """Enable an axis, move it, jog it, stop it. Nothing is enabled under an error."""
    member(request, key, "edit")
    held = opened(request, key)
    with held.lock:
        axis = held.plant.get(axis_id, Axis)
        if given.do == "enable":
            _refuse_under_error(held, axis)
    unit = unit_of(axis.kind, axis.unit)
    value: dict[str, Any] = {"absolute": given.absolute}
    if given.do in ("move", "jog", "run"):
        value["speed"] = float(parse_number(given.speed, unit=unit.speed)) / unit.a_speed
    if given.do in ("move", "home"):
        value["distance"] = float(parse_number(given.distance, unit=unit.label))
    if given.do == "move":
        value["acceleration"] = float(parse_number(given.acceleration, unit=f"{unit.label}/s²"))
    return AxisLiveOut(**running_bench(key).axis(axis_id, given.do, value))


def _refuse_under_error(held: OpenPlant, axis: Axis) -> None:
    own = {axis.id, *(link.id for link in held.plant.children(ChainLink, axis.id))}
    for found in held.analysis.findings.values():
        check = held.analysis.checks.by_code[found.code]
        if check.severity == "error" and found.places[0].id in own:
            raise Refusal(f"Not before this is mended: {check.render(found)}", place=axis.id)


@router.post("/plants/{key}/bench/axes/{axis_id}/tape", response={200: TapeOut, 422: Problem}, operation_id="hold_tape")
def hold_tape(request: HttpRequest, key: str, axis_id: str) -> TapeOut:
    """Hold the tape to the load."""
    member(request, key)
    return TapeOut(**running_bench(key).axis(axis_id, "tape"))


class DecodedOut(Shape):
    """A status or control word taken apart: its state where it names one, and each bit that is set."""

    word: int
    hexadecimal: str
    state: str
    bits: list[str]


@router.get("/decode", response={200: DecodedOut, 422: Problem}, operation_id="decode_word")
def decode_word(
    request: HttpRequest, kind: Literal["cia402-status", "cia402-control", "zsw1", "stw1", "cip-state"],
    word: Annotated[str, Query(max_length=40)],
) -> DecodedOut:  # fmt: skip
    """A word of a drive, typed in any base."""
    user_of(request)
    value = parse_number(word)
    if value.denominator != 1:
        raise Refusal(f"A word is a whole number, not {word}.", field="word", value=word)
    told = decoded_word(kind, value.numerator)
    return DecodedOut(
        word=value.numerator, hexadecimal=f"16#{value.numerator:04X}", state=told.state, bits=list(told.bits)
    )


class CoilsIn(Shape):
    """Resistances between four wires as they were measured: 1–2, 1–3, 1–4, 2–3, 2–4, 3–4; empty or "open" for none."""

    ohms: list[Typed] = Field(min_length=6, max_length=6)


class CoilsOut(Shape):
    """The two coils by their wires, counted from 1; none where the resistances name no two coils."""

    pairs: list[list[int]]


@router.post("/coils", response={200: CoilsOut, 422: Problem}, operation_id="coil_pairs")
def coils(request: HttpRequest, given: CoilsIn) -> CoilsOut:
    """Which of a stepping motor's four wires belong together."""
    user_of(request)
    ways = combinations(range(4), 2)
    found = coil_pairs({way: _ohms(typed) for way, typed in zip(ways, given.ohms, strict=True)})
    return CoilsOut(pairs=[[one + 1, other + 1] for one, other in found or ()])


def _ohms(typed: str) -> float | None:
    text = typed.strip().lower()
    if text in ("", "open", "∞"):
        return None
    value = parse_number(text.removesuffix("ohm").removesuffix("ω").strip())
    if value < 0:
        raise Refusal(f"A resistance is not below 0: {typed}.", field="ohms", value=typed)
    return float(value)

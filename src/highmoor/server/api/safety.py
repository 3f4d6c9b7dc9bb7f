"""Safety on the bench over HTTP: as it is, and what hands do to it."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from highmoor.core.bench.safety.contacts import WireFault
from highmoor.core.bench.safety.trying import PLACES_AT_MOST
from highmoor.core.errors import Refusal
from highmoor.server.api.access import member
from highmoor.server.api.motion import running_bench
from highmoor.server.api.shapes import Problem, Shape

router = Router(tags=["safety"])


class FunctionLiveOut(Shape):
    """Whether all its sensors are good, and whether it releases."""

    good: bool
    released: bool


class SensorLiveOut(Shape):
    """A sensor: whether there is a demand, what is wrong with its contacts, what its channels say, its pair's value."""

    demand: bool
    skew_ms: float
    faults: list[WireFault]
    crossed: bool
    channels: list[bool]
    value: bool
    fault: bool


class ActuatorLiveOut(Shape):
    """An actuator: whether it gives its supply, and since when."""

    on: bool
    since_ms: float
    welded: bool


class StopSeenOut(Shape):
    """From where the actuator began to act until the axis stood, ms; its speed then, units a second."""

    ms: float
    speed: float


class StopsLiveOut(Shape):
    """The last stops that were seen of an axis, and whether ten of them are being made."""

    measuring: bool
    problem: str
    seen: list[StopSeenOut]


class SwitchedOut(Shape):
    """An output of a scanner that went on or off, ms after somebody began to walk."""

    ms: float
    output: int
    on: bool


class PlaceSeenOut(Shape):
    """A place, mm, and whether a test piece was seen there."""

    x: float
    y: float
    seen: bool


class TriedLiveOut(Shape):
    """A test piece held to an output's zone: the places where it was, and how many there are."""

    situation: str
    output: int
    running: bool
    places: list[PlaceSeenOut]
    of: int


class ScannerLiveOut(Shape):
    """A scanner: its inputs, the situation it watches, its outputs, where somebody is (mm) and how far from the hazard
    he is when all stands."""

    pattern: str
    situation: str | None
    # In the device: it need not be configured any more.
    situation_name: str
    # The inputs, by number, that outputs of the controller drive.
    driven: list[int]
    outputs: dict[str, bool]
    person: list[float] | None
    walked_ms: float
    switched: list[SwitchedOut]
    left_mm: float | None
    tried: TriedLiveOut | None


class SafeModuleLiveOut(Shape):
    """A safe module: whether it is held safe, and whether its telegrams are cut off."""

    held: bool
    cut: bool


class SafetyLiveOut(Shape):
    """A controller's safety as it is: its safe part's times in ms, and by ids of rows its functions, parts, modules."""

    controller: str
    run_ms: float
    longest_ms: float
    warning_ms: float
    allowed_ms: float
    cycle_ms: float
    stopped: bool
    functions: dict[str, FunctionLiveOut]
    sensors: dict[str, SensorLiveOut]
    actuators: dict[str, ActuatorLiveOut]
    modules: dict[str, SafeModuleLiveOut]
    feedback_faults: list[str]
    stops: dict[str, StopsLiveOut]
    scanners: dict[str, ScannerLiveOut]


Pattern = Annotated[str, Field(pattern=r"^[01]{1,16}$")]


class TriesIn(Shape):
    """Where a test piece is held, mm, in which situation and for which output."""

    situation: str = Field(max_length=48)
    output: int = Field(ge=1, le=16)
    piece_mm: float = Field(ge=1, le=1000, allow_inf_nan=False)
    places: list[PlaceIn] = Field(max_length=PLACES_AT_MOST)


class PlaceIn(Shape):
    x: float = Field(allow_inf_nan=False)
    y: float = Field(allow_inf_nan=False)


class SafetyDoIn(Shape):
    """Something done by hand to a sensor, an actuator, a safe module, a button's signal or the controller itself."""

    row: str = Field(max_length=48)
    do: Literal[
        "demand",
        "skew",
        "fault-a",
        "fault-b",
        "cross",
        "weld",
        "cut",
        "connect",
        "lose",
        "press",
        "burden",
        "restart",
        "measure",
        "select",
        "walk",
        "leave",
        "try",
    ]
    value: bool | float | WireFault | Pattern | Annotated[list[list[float]], Field(max_length=20)] | None = None
    tries: TriesIn | None = None


@router.get(
    "/plants/{key}/bench/safety/{controller_id}",
    response={200: SafetyLiveOut, 422: Problem},
    operation_id="safety_live",
)
def safety_live(request: HttpRequest, key: str, controller_id: str) -> SafetyLiveOut:
    """A controller's safety as it is on the bench."""
    member(request, key)
    return SafetyLiveOut(**running_bench(key).safety(controller_id))


@router.post(
    "/plants/{key}/bench/safety/{controller_id}", response={200: SafetyLiveOut, 422: Problem}, operation_id="safety_do"
)
def safety_do(request: HttpRequest, key: str, controller_id: str, given: SafetyDoIn) -> SafetyLiveOut:
    """A demand, a fault, a button pressed, a link cut; and how it is then."""
    member(request, key, "edit")
    value: Any = given.value
    if (given.do == "try") != (given.tries is not None):
        raise Refusal("A test piece is held somewhere, and nothing else is.", field="tries")
    if given.tries is not None:
        value = {**given.tries.model_dump(), "places": [(one.x, one.y) for one in given.tries.places]}
    return SafetyLiveOut(**running_bench(key).safety(controller_id, given.row, given.do, value))

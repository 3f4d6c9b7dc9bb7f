"""The bench: download, stop, follow, write, force. What is done to the plant as built is an edit of it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Literal

from django.db import connection
from django.http import HttpRequest
from ninja import Router, Status
from pydantic import Field

from highmoor.core.errors import HighmoorError
from highmoor.core.networks.live import Forms as ValueForms
from highmoor.core.networks.scanning import Found
from highmoor.core.project.likely import Forms, likely_settings
from highmoor.server.api.access import member, opened, user_of
from highmoor.server.api.shapes import Shape
from highmoor.server.live.bench_host import BENCHES
from highmoor.server.models import Project
from highmoor.server.plants import open_plant

router = Router(tags=["bench"])
_FORMS_AT_MOST = 100


class ExchangeLiveOut(Shape):
    """An exchange as it goes; octets as capital hex pairs, `last_good_s` in bench time.

    `request` and `response` are frames as they last went over the wire, `data` what was last carried well.
    """

    id: str
    name: str
    state: Literal["waiting", "good", "bad"]
    text: str
    request: str
    response: str
    data: str = ""
    last_good_s: float | None = None
    transactions: int
    failures: int


class ParameterLiveOut(Shape):
    """A parameter in a device: what its file has as usual, and what was last read or written, when (bench time, s)."""

    key: str
    label: str
    path: str
    usual: str
    writable: bool
    good: bool
    text: str
    value: float | None
    meaning: str
    octets: str
    at_s: float | None


class LikelyOut(Shape):
    """A setting that may well be wrong: of which object, what its form calls it."""

    id: str
    field: str
    label: str


class DiagnosisOut(Shape):
    """What is or was wrong at a station, told by its device or by who asks it; when it came, and went (bench s)."""

    station: str
    key: str
    text: str
    severity: Literal["error", "warning", "note"]
    place: str
    channel: str
    code: str
    came_s: float
    went_s: float | None
    likely: list[LikelyOut] = []


class NodeLiveOut(Shape):
    """Whoever answers for himself at a station or on its rail, as his controller sees him, and what his lamps show."""

    row: str
    name: str
    address: str
    state: str
    good: bool
    text: str
    code: str
    lamps: str


class NetworkFactOut(Shape):
    """Something counted of a whole network."""

    label: str
    text: str
    good: bool


class NetworkLiveOut(Shape):
    """A network as its controller sees it."""

    id: str
    facts: list[NetworkFactOut]


class ObjectLiveOut(Shape):
    """An object in a device as it was last read or written (bench time, s); `forms` null where it told nothing."""

    key: str
    good: bool
    text: str
    forms: ValueForms | None
    at_s: float


class ObjectsLiveOut(Shape):
    """What is known of a device's objects."""

    values: list[ObjectLiveOut]


class UnderWayOut(Shape):
    """A device whose objects are being asked: how many of them are known."""

    asked: int
    done: int


class StationLiveOut(Shape):
    """A station as it goes, with what stands on its device's label."""

    id: str
    name: str
    address: str
    state: Literal["waiting", "good", "bad"]
    text: str
    cable: bool
    power: bool = True
    everybody: bool = False
    parked: bool = False
    diagnoses: list[DiagnosisOut] = []
    mac: str = ""
    serial: str = ""
    parameters: list[ParameterLiveOut] = []
    nodes: list[NodeLiveOut] = []
    exchanges: list[ExchangeLiveOut]


class ScanOut(Shape):
    """A scan of a network, under way, over, or waiting for the one of `ahead`; `takes_s` at most, `ran_s` so far."""

    number: int
    network: str
    by: str
    wanted: dict[str, Any]
    state: Literal["waiting", "running", "done", "stopped"]
    ahead: str
    takes_s: float
    ran_s: float
    done: int
    asked: int
    found: list[Found]


class DeedOut(Shape):
    """Something done in a device over its network; `good` null while nothing is known of it."""

    network: str
    at: str
    text: str
    good: bool | None


class MarkedLineOut(Shape):
    """A line in which values left their types, and how often."""

    line: int
    times: int


class ProgramLiveOut(Shape):
    """A program in its controller: whether it runs, else why not and in which line."""

    id: str
    controller: str
    state: Literal["running", "not translated", "stopped"]
    line: int
    text: str
    marked: list[MarkedLineOut]


class BenchOut(Shape):
    """The bench of a plant; `revision` is the one that was downloaded."""

    state: Literal["idle", "running", "ended"]
    revision: int | None = None
    time_s: float = 0
    stations: list[StationLiveOut] = []
    forces: dict[str, float | bool] = {}
    scans: list[ScanOut] = []
    deeds: list[DeedOut] = []
    gone: list[DiagnosisOut] = []
    networks: list[NetworkLiveOut] = []
    programs: list[ProgramLiveOut] = []
    # By row of who is asked; and how often anything was told of anybody's objects.
    objects: dict[str, UnderWayOut] = {}
    objects_told: int = 0


class FollowIn(Shape):
    """What a tab shows: the signals, and programs' own variables, whose values its browser's stream is to carry, and
    whether the bench's state."""

    stream: str = Field(max_length=48)
    tab: str = Field("", max_length=48)
    signals: list[str] = Field(max_length=5000)
    state: bool = False


class CommandIn(Shape):
    """`target` is a signal for write, force and release, a station for parameter, who answers for himself for object. A
    value may be as it was typed.

    A parameter or object of a device is named by its `key`; it is read without a value, and written with one. Without a
    key all objects are read.
    """

    command: Literal["write", "force", "release", "parameter", "object", "stop-objects"]
    target: str
    key: str | None = Field(default=None, max_length=200)
    value: bool | float | str | None = None


def bench_state(key: str) -> BenchOut:
    bench = BENCHES.get(key)
    if bench is None:
        return BenchOut(state="idle")
    told = bench.state
    held = open_plant(Project.objects.get(key=key))
    plant, catalogue = held.plant, held.catalogue

    forms: Forms = {}

    def diagnosis(noted: dict[str, Any]) -> DiagnosisOut:
        found = likely_settings(plant, catalogue, noted["station"], noted["place"], noted["settings"], forms)
        # A line of five hundred that are all silent is not asked for a thousand forms twice a second.
        few = found if noted["went_s"] is None and len(forms) < _FORMS_AT_MOST else ()
        return DiagnosisOut(**noted, likely=[LikelyOut(**asdict(one)) for one in few])

    def station(told: dict[str, Any]) -> StationLiveOut:
        return StationLiveOut(**{**told, "diagnoses": [diagnosis(noted) for noted in told["diagnoses"]]})

    return BenchOut(
        state="running" if bench.running else "ended",
        revision=bench.revision,
        time_s=told.get("time_s", 0),
        stations=[station(one) for one in told.get("stations", [])],
        forces=told.get("forces", {}),
        scans=[ScanOut(**scan) for scan in told.get("scans", [])],
        deeds=[DeedOut(**deed) for deed in told.get("deeds", [])],
        gone=[diagnosis(noted) for noted in told.get("gone", [])],
        objects={row: UnderWayOut(**one) for row, one in told.get("objects", {}).items()},
        objects_told=bench.objects_told,
        networks=[NetworkLiveOut(**one) for one in told.get("networks", [])],
        programs=[ProgramLiveOut(**one) for one in told.get("programs", [])],
    )


def _for_streams(key: str) -> dict[str, Any]:
    """The same for those who look on; called from the thread that hears the bench."""
    try:
        return bench_state(key).model_dump(mode="json")
    finally:
        connection.close()


BENCHES.state_of = _for_streams


@router.get("/plants/{key}/bench", response=BenchOut, operation_id="bench")
def bench(request: HttpRequest, key: str) -> BenchOut:
    """What the bench does."""
    member(request, key)
    return bench_state(key)


@router.post("/plants/{key}/bench", response=BenchOut, operation_id="download")
def download(request: HttpRequest, key: str) -> BenchOut:
    """Download the plant's head to the bench and go to run; what ran before is ended."""
    project, _ = member(request, key, "edit")
    held = open_plant(project)
    with held.lock:
        plant, revision = held.plant, held.revision
        catalogue = held.catalogue
    BENCHES.download(key, revision, plant, catalogue)
    return bench_state(key)


@router.delete("/plants/{key}/bench", response=BenchOut, operation_id="stop_bench")
def stop(request: HttpRequest, key: str) -> BenchOut:
    """End the bench."""
    member(request, key, "edit")
    BENCHES.stop(key)
    return bench_state(key)


@router.get("/plants/{key}/bench/objects/{row}", response=ObjectsLiveOut, operation_id="bench_objects")
def objects(request: HttpRequest, key: str, row: str) -> ObjectsLiveOut:
    """What is known of a device's objects."""
    member(request, key)
    running = BENCHES.get(key)
    known = list(running.objects.get(row, {}).values()) if running else []
    return ObjectsLiveOut(values=[ObjectLiveOut(**one) for one in known])


@router.post("/plants/{key}/bench/follow", response={204: None}, operation_id="follow")
def follow(request: HttpRequest, key: str, wanted: FollowIn) -> Status[None]:
    """What a stream is to carry of the bench."""
    opened(request, key)
    running = BENCHES.get(key)
    if running and running.running:
        running.follow(wanted.stream, wanted.tab, wanted.signals, state=wanted.state)
    return Status(204, None)


@router.post("/plants/{key}/bench/command", response=BenchOut, operation_id="bench_command")
def command(request: HttpRequest, key: str, wanted: CommandIn) -> BenchOut:
    """Write once, force, release; read or write a parameter or an object in a device."""
    member(request, key, "edit")
    running = BENCHES.get(key)
    if running is None or not running.running:
        raise HighmoorError("The bench does not run: download first.")
    running.command(user_of(request), wanted.command, wanted.target, wanted.value, wanted.key or "")
    return bench_state(key)

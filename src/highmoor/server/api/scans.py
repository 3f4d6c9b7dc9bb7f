"""Scans of networks: what is wanted of one, how long it takes, begin and stop, what was found against the plant."""

from __future__ import annotations

from functools import cache
from typing import Any

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from highmoor.core.errors import HighmoorError, Refusal
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.lines import plant_lines
from highmoor.core.networks.scanning import Found, Scans
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Network, Port, Station
from highmoor.core.project.differences import Difference, Reachable, differences
from highmoor.server.api.access import member, opened, user_of
from highmoor.server.api.bench import BenchOut, ScanOut, bench_state
from highmoor.server.api.shapes import Problem, Shape
from highmoor.server.api.views import FieldOut, described
from highmoor.server.library import within_reach
from highmoor.server.live.bench_host import BENCHES, LiveBench
from highmoor.server.plants import OpenPlant

router = Router(tags=["scans"])


class WantedIn(Shape):
    """What is wanted of a scan, as its fields name it; what is not named is as usual."""

    wanted: dict[str, Any] = Field(default={}, max_length=20)


class ScanPlanOut(Shape):
    """What a scan of a network asks for, with what is wanted filled in, and how long it takes at most, s.

    `problem` says why it cannot be done, "" where it can.
    """

    fields: list[FieldOut]
    takes_s: float | None
    problem: str


class ComparedOut(Shape):
    """The last scan of a network, and the plant as it is now against it."""

    revision: int
    scan: ScanOut | None
    differences: list[Difference]


class ActIn(Shape):
    """What is to be done over the network to the device at an address; `value` where something is typed for it."""

    at: str = Field(max_length=80)
    act: str = Field(max_length=40)
    value: str = Field("", max_length=200)


def _fields(held: OpenPlant, network: Network) -> tuple[FieldSpec, ...]:
    bus = fieldbus_of(network.kind)
    port: Port | None = held.plant.find(network.port)
    return bus.live.scans.fields(network, port) if bus and bus.live.scans else ()


def _scans(held: OpenPlant, network: str) -> Scans | None:
    bus = fieldbus_of(held.plant.get(network, Network).kind)
    return bus.live.scans if bus else None


def _problem(held: OpenPlant, network: Network) -> str:
    bus = fieldbus_of(network.kind)
    if bus is None or bus.live.scans is None:
        return "This kind of network cannot be scanned."
    return "" if network.port else "It is on no port, so there is nobody to scan it from."


@router.post(
    "/plants/{key}/networks/{network}/scan/plan", response={200: ScanPlanOut, 422: Problem}, operation_id="scan_plan"
)
def plan(request: HttpRequest, key: str, network: str, given: WantedIn) -> ScanPlanOut:
    """What a scan would ask, and how long it would take."""
    held = opened(request, key)
    with held.lock:
        row = held.plant.get(network, Network)
        bus, specs = fieldbus_of(row.kind), _fields(held, row)
        wanted = {spec.path.partition(".")[2]: spec.default for spec in specs}
        for spec in specs:
            name = spec.path.partition(".")[2]
            if name in given.wanted:
                wanted[name] = spec.parse(given.wanted[name])
        problem, takes = _problem(held, row), None
        if not problem and bus and bus.live.scans:
            stations = held.plant.children(Station, row.id)
            lines = [line for s in stations for line in plant_lines(held.plant, held.catalogue, s)]
            try:
                takes = bus.live.scans.takes_s(row, lines, wanted)
            except Refusal as refusal:
                problem = refusal.reason
        shown = [described(spec, wanted[spec.path.partition(".")[2]]) for spec in specs]
        return ScanPlanOut(fields=shown, takes_s=takes, problem=problem)


@router.get("/plants/{key}/networks/{network}/scan", response=ComparedOut, operation_id="compared")
def compared(request: HttpRequest, key: str, network: str) -> ComparedOut:
    """What the last scan found against the plant."""
    held = opened(request, key)
    bench = BENCHES.get(key)
    made = [ScanOut(**scan) for scan in (bench.state if bench else {}).get("scans", []) if scan["network"] == network]
    scan = made[0] if made else None
    with held.lock:
        found: list[Found] = scan.found if scan else []
        states = bench.state.get("stations", []) if bench else []
        failing = {station["id"]: station["text"] for station in states if station["state"] == "bad"}
        scans = _scans(held, network)

        def asked(address: str) -> bool:
            """Whether the scan has asked an address: one that goes on, or was stopped, may not have."""
            return bool(scan and scans and scan.state == "done" and scans.covers(scan.wanted, address))

        @cache
        def reach() -> list[Reachable]:
            return within_reach(held.project, user_of(request))

        told = differences(held.analysis, network, found, failing, asked, reach) if scan else []
        return ComparedOut(revision=held.revision, scan=scan, differences=told)


def _running(key: str) -> LiveBench:
    running = BENCHES.get(key)
    if running is None or not running.running:
        raise HighmoorError("The bench does not run: download first.")
    return running


@router.post("/plants/{key}/networks/{network}/scan", response={200: BenchOut, 422: Problem}, operation_id="begin_scan")
def begin(request: HttpRequest, key: str, network: str, given: WantedIn) -> BenchOut:
    """Scan a network on the bench; where somebody else does, wait until theirs is over."""
    member(request, key, "edit")
    _running(key).command(user_of(request), "scan", network, given.wanted)
    return bench_state(key)


@router.delete(
    "/plants/{key}/networks/{network}/scan", response={200: BenchOut, 422: Problem}, operation_id="stop_scan"
)
def stop(request: HttpRequest, key: str, network: str) -> BenchOut:
    """Stop the scan of a network, or take back one's own that waits."""
    member(request, key, "edit")
    _running(key).command(user_of(request), "stop-scan", network, None)
    return bench_state(key)


@router.post(
    "/plants/{key}/networks/{network}/act", response={200: BenchOut, 422: Problem}, operation_id="act_on_device"
)
def act(request: HttpRequest, key: str, network: str, given: ActIn) -> BenchOut:
    """Do something to a device over its network; what it keeps, the plant as built keeps."""
    member(request, key, "edit")
    asked = {"at": given.at, "value": given.value}
    _running(key).command(user_of(request), "act", network, asked, given.act)
    return bench_state(key)

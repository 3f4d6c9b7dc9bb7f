"""What must hold of what is computed, on any plant: octets that do not meet, sums that agree, places that are there."""

from __future__ import annotations

import math
import re
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from highmoor.core.analysis.engine import Analysis
from highmoor.core.demo.plant import demo_plant
from highmoor.core.errors import Refusal
from highmoor.core.hardware.parts import RailMounting, RailPower
from highmoor.core.networks.line_time import Timing
from highmoor.core.networks.tree import NetworkTree
from highmoor.core.networks.wire import WireLayout
from highmoor.core.parts import CHECKS, PARTS, analyse
from highmoor.core.plant.rows import Controller, Exchange, Link, Module, Network, Rail, Signal, Station
from highmoor.core.project.apply import apply
from highmoor.core.project.reporting import rendered
from highmoor.core.signals.image import ControllerImage
from highmoor.core.signals.path import SignalPath
from tests.core.plants import LIBRARY, an_edit, hall

ANY = settings(max_examples=50, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
DEMO = demo_plant()
BY_CODE = {check.code: check for check in CHECKS}


@st.composite
def analyses(draw: Any) -> Analysis:
    """A plant after a few edits, whatever they are."""
    plant = draw(st.sampled_from([DEMO, hall("di-16", "ai-8", "fi-12", "do-16", "ai-4t")]))
    for _ in range(draw(st.integers(0, 6))):
        try:
            plant = apply(plant, LIBRARY, an_edit(draw, plant)).plant
        except Refusal:
            continue
    return analyse(plant, LIBRARY)


def octets_of(image: ControllerImage, area: str) -> list[tuple[int, int, bool]]:
    return sorted((i.offset, i.end, i.pinned) for i in image.items.values() if i.area == area and i.end > i.offset)


@ANY
@given(analyses())
def test_no_two_share_an_octet_of_an_image_unless_both_were_pinned_there(analysis: Analysis) -> None:
    for controller in analysis.plant.all(Controller):
        image: ControllerImage = analysis.result("controller.image", controller.id)
        for area in ("in", "out"):
            placed = octets_of(image, area)
            for n, (begin, _, pinned) in enumerate(placed):
                for _, other_end, other_pinned in placed[:n]:
                    assert other_end <= begin or (pinned and other_pinned)
            told = image.in_octets if area == "in" else image.out_octets
            assert told == max((end for _, end, _ in placed), default=0)
            assert all(begin % image.alignment == 0 for begin, _, pinned in placed if not pinned)
        beside = [(seat.octet, seat.bit, key.rsplit(".", 1)[1]) for key, seat in image.beside.items()]
        assert len(set(beside)) == len(beside)


@ANY
@given(analyses())
def test_an_image_holds_what_is_fitted_and_what_is_exchanged_and_nothing_else(analysis: Analysis) -> None:
    plant = analysis.plant
    held: dict[tuple[str, str], int] = {}
    for controller in plant.all(Controller):
        image: ControllerImage = analysis.result("controller.image", controller.id)
        for item in image.items.values():
            if ":" not in item.holder and plant.find(item.holder):
                held[item.holder, item.area] = held.get((item.holder, item.area), 0) + 1
                row = plant.find(item.holder)
                if isinstance(row, Exchange):
                    wire: WireLayout = analysis.result("exchange.wire", row.id)
                    assert item.octets in (wire.octets, wire.back_octets)
                else:
                    device = LIBRARY.find(row.type)
                    assert device and item.octets == (device.in_octets if item.area == "in" else device.out_octets)
    for rail in plant.all(Rail):
        if isinstance(plant.find(rail.head), Controller):
            for module in plant.children(Module, rail.id):
                device = LIBRARY.find(module.type)
                assert ((module.id, "in") in held) == bool(device and device.in_octets)
                assert ((module.id, "out") in held) == bool(device and device.out_octets)


@ANY
@given(analyses())
def test_the_internal_supply_is_counted_module_by_module(analysis: Analysis) -> None:
    for rail in analysis.plant.all(Rail):
        power: RailPower = analysis.result("rail.power", rail.id)
        mounting: RailMounting = analysis.result("rail.mounting", rail.id)
        assert [step.module for step in power.steps] == [seat.module for seat in mounting.seats]
        left = power.supply_ma
        for step in power.steps:
            left = (left if step.feeds_ma is None else step.feeds_ma) - step.draw_ma
            assert step.left_ma == left
        assert power.end_ma == left
        assert power.lowest_ma == min([power.supply_ma, *(step.left_ma for step in power.steps)])
        short = [step.module for step in power.steps if step.left_ma < 0]
        assert power.first_short == (short[0] if short else None)
        fitted = [seat for seat in mounting.seats if seat.module]
        assert mounting.slots == {seat.module: seat.slot for seat in fitted}
        assert len({seat.slot for seat in mounting.seats}) == len(mounting.seats)
        assert mounting.open_places == len(mounting.seats) - len(fitted)
        assert mounting.heat_w == pytest.approx(mounting.head_heat_w + sum(seat.heat_w for seat in fitted), abs=0.06)


@ANY
@given(analyses())
def test_a_path_takes_the_sum_of_its_hops_and_no_less_at_worst_than_usually(analysis: Analysis) -> None:
    plant = analysis.plant
    for signal in plant.all(Signal)[:: max(1, len(plant.all(Signal)) // 40)]:
        path: SignalPath = analysis.result("signal.path", signal.id)
        assert {told.link for told in path.links} == {link.id for link in plant.all(Link) if link.signal == signal.id}
        for way in path.ways:
            assert 0 <= way.typical_ms <= way.worst_ms <= path.worst_ms
            assert way.worst_ms == pytest.approx(sum(hop.worst_ms for hop in way.hops), rel=1e-9)
            assert all(plant.find(hop.place) for hop in way.hops if hop.place)
        for told in path.links:
            if told.octet is None:
                continue
            image: ControllerImage = analysis.result("controller.image", told.controller)
            end = told.octet + -(-(told.bit + max(told.bits, 1)) // 8) if told.bit is not None else told.octet + 1
            assert end <= (image.in_octets if told.area == "in" else image.out_octets) or told.bits > told.room


@ANY
@given(analyses())
def test_a_network_s_time_speaks_of_its_exchanges_and_is_never_early(analysis: Analysis) -> None:
    plant = analysis.plant
    for network in plant.all(Network):
        told: Timing = analysis.result("network.timing", network.id)
        stations = {station.id for station in plant.children(Station, network.id)}
        for exchange in told.exchanges:
            row = plant.find(exchange.exchange)
            assert plant.get(plant.get(row.connection).station).id in stations
            # What is asked over a session takes no time on the wire that could be told.
            assert exchange.transaction_ms > 0 or told.shape == "senders"
            assert exchange.worst_late_ms is None or exchange.worst_late_ms >= -1e-9
            if exchange.late_one_silent_ms is not None and exchange.worst_late_ms is not None:
                assert exchange.late_one_silent_ms >= exchange.worst_late_ms - 1e-9 or not told.whole_one_silent
        assert told.load >= 0
        assert all(lane.utilisation >= 0 for lane in told.lanes)
        if told.shape in ("polled-line", "token-cycle"):
            assert told.load == pytest.approx(sum(lane.utilisation for lane in told.lanes))
        if told.shape == "polled-line":
            assert told.cycle_ms == pytest.approx(sum(e.transaction_ms for e in told.exchanges if e.period_ms))


@ANY
@given(analyses())
def test_cables_carry_what_hangs_behind_them(analysis: Analysis) -> None:
    for network in analysis.plant.all(Network):
        tree: NetworkTree | None = analysis.result("network.tree", network.id)
        if tree is None:
            continue
        stations = [station.id for station in analysis.plant.children(Station, network.id)]
        assert sorted(node.station for node in tree.nodes) == sorted(stations)
        own = {told.station: told for told in analysis.result("network.traffic", network.id)}
        for node in tree.nodes:
            behind = [other for other in tree.nodes if other.upstream == node.station]
            alone = own[node.station].in_mbit_s if node.station in own else 0.0
            assert node.in_mbit_s == pytest.approx(alone + sum(other.in_mbit_s for other in behind))
            assert node.load == pytest.approx(max(node.in_mbit_s, node.out_mbit_s) / 100)
            assert node.flood_packets_s >= 0


@ANY
@given(analyses())
def test_findings_speak_of_what_is_there_in_whole_sentences(analysis: Analysis) -> None:
    texts = rendered(analysis)
    assert len({found["key"] for found in texts}) == len(texts)
    for found in analysis.findings.values():
        assert found.code in BY_CODE
        assert found.places
        assert all(analysis.plant.find(place.id) for place in found.places)
    for told in texts:
        for text in (told["text"], told["where"], told["title"]):
            assert text
            assert not re.search(r"\bNone\b|\bnan\b|\binf\b|\{|\}|\(\)|  ", text), text
        assert told["text"].endswith((".", "…", "?")), told["text"]


@ANY
@given(analyses())
def test_figures_are_numbers_and_parts_of_what_is_there(analysis: Analysis) -> None:
    for part in PARTS:
        for root in list(analysis.plant.tables[part.table])[:20]:
            analysis.result(part.key, root)
    for (_, root), entry in analysis._entries.items():
        assert analysis.plant.find(root)
        for headline in entry.headlines:
            assert analysis.plant.find(headline.place)
            assert headline.value is None or math.isfinite(headline.value)

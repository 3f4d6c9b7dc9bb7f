"""The same octets as bits, octets, words and double words: what each is called leads there, and what it says agrees."""

from __future__ import annotations

import struct
from functools import cache
from itertools import product

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Link, Module, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.signals.at import At
from highmoor.core.signals.image import ControllerImage
from highmoor.core.signals.image_views import ImageValue, item_at, meant, values_in, views_at
from highmoor.core.signals.path import SignalPath, in_image
from highmoor.core.signals.places import place_of
from tests.core.analysis.test_invariants import analyses
from tests.core.demo import DEMO, LIBRARY
from tests.core.plants import hall


@cache
def demo() -> Analysis:
    return analyse(DEMO, LIBRARY)


def images() -> list[tuple[str, ControllerImage]]:
    return [(c.id, demo().result("controller.image", c.id)) for c in DEMO.all(Controller)]


def test_where_a_view_says_that_a_link_would_lead_just_these_bits_are() -> None:
    reader, led = Reader(demo()), 0
    for controller, image in images():
        for item in image.items.values():
            for octet in range(item.offset, item.offset + item.octets, 3):
                for view in views_at(reader, controller, item.area, octet):
                    if not view.key:
                        continue
                    place = place_of(reader, view.holder, At.read(view.key))
                    assert place is not None, (view, item)
                    there, bit = in_image(reader, place)
                    assert there is not None
                    assert (8 * there + bit, place.controller, place.area) == (view.bit, controller, item.area)
                    assert place.room >= view.bits
                    assert place.order in ("", view.order) or view.bits <= 8
                    led += 1
    assert led > 1000


def test_every_signal_in_an_image_is_found_there_once() -> None:
    reader = Reader(demo())
    found: list[tuple[str, int, int]] = []
    for controller, image in images():
        for item in image.items.values():
            found += [(value.link, value.bit, value.bits) for value in values_in(reader, controller, item)]
    told = []
    for signal in DEMO.all(Signal):
        path: SignalPath = demo().result("signal.path", signal.id)
        told += [
            (link.link, 8 * link.octet + (link.bit or 0), link.bits)
            for link in path.links
            if link.octet is not None and link.controller == signal.controller
        ]
    assert sorted(found) == sorted(told)
    assert len(found) > 400


@settings(max_examples=30, suppress_health_check=list(HealthCheck))
@given(analyses())
def test_whatever_the_plant_an_image_is_told_whole(analysis: Analysis) -> None:
    reader = Reader(analysis)
    for controller in analysis.plant.all(Controller):
        for stretch in analysis.result("controller.stretches", controller.id).stretches:
            item = item_at(reader, controller.id, stretch.area, stretch.offset)
            assert (item.offset, item.octets, item.padding) == (stretch.offset, stretch.octets, stretch.padding)
            inside = range(8 * item.offset, 8 * item.end)
            assert all(value.bit in inside for value in values_in(reader, controller.id, item))
            views_at(reader, controller.id, stretch.area, stretch.offset)


PLANT = hall("do-16", "di-16")
OUTPUTS = next(m for m in PLANT.all(Module) if m.type == "tarnfell.do-16")
_SPANS = {"BOOL": 1, "BYTE": 8, "WORD": 16}


@given(st.lists(st.tuples(st.sampled_from(sorted(_SPANS)), st.integers(0, 15)), min_size=1, max_size=7))
def test_what_shares_bits_is_told_of_both(wanted: list[tuple[str, int]]) -> None:
    plant, spans = PLANT, {}
    for n, (kind, at) in enumerate(wanted):
        first = {"BOOL": at, "BYTE": 8 * (at % 2), "WORD": 0}[kind]
        key = f"ch{at}" if kind == "BOOL" else f"byte {first // 8}"
        plant = _with(plant, f"S{n}", kind, OUTPUTS.id, key)
        spans[f"S{n}"] = (first, first + _SPANS[kind])
    reader, controller = Reader(analyse(plant, BUILTIN)), plant.all(Controller)[0].id
    values = values_in(reader, controller, item_at(reader, controller, "out", 0))
    assert {v.name: set(v.among) for v in values} == {
        one: {other for other, (low, high) in spans.items() if other != one and low < end and begin < high}
        for one, (begin, end) in spans.items()
    }
    views = views_at(reader, controller, "out", 1)
    assert [view.address for view in views] == [*(f"%QX1.{n}" for n in range(8)), "%QB1", "%QW0"]
    for view, value in product(views, values):
        begin, end = spans[value.name]
        shares = begin < view.bit + view.bits and view.bit < end
        exact = (begin, end) == (view.bit, view.bit + view.bits)
        assert (value in view.values, value in view.across) == (shares and exact, shares and not exact)


def _with(plant: Plant, name: str, kind: str, place: str, key: str) -> Plant:
    run = edits.AddSignals(
        controller=plant.all(Controller)[0].id, pattern=name, count=1, type=kind, place=place, key=key
    )
    return apply(plant, BUILTIN, run).plant


def test_a_link_made_by_each_view_is_what_that_view_shows() -> None:
    controller = PLANT.all(Controller)[0].id
    kinds = {"bit": "BOOL", "octet": "BYTE", "word": "WORD"}
    for view in views_at(Reader(analyse(PLANT, BUILTIN)), controller, "out", 1):
        plant = _with(PLANT, "New", kinds[view.unit], view.holder, view.key)
        after = views_at(Reader(analyse(plant, BUILTIN)), controller, "out", 1)
        same = next(one for one in after if (one.bit, one.bits) == (view.bit, view.bits))
        assert [(value.name, value.link) for value in same.values] == [("New", plant.all(Link)[0].id)]
        assert all(isinstance(v, ImageValue) and v.name == "New" for one in after for v in one.across)


def test_beyond_the_image_there_is_nothing_and_padding_has_no_views() -> None:
    reader, controller = Reader(analyse(PLANT, BUILTIN)), PLANT.all(Controller)[0].id
    assert views_at(reader, controller, "out", 2) == ()
    for octet in (4, -1):
        with pytest.raises(Refusal, match="has no octet"):
            views_at(reader, controller, "out", octet)


@given(st.binary(min_size=4, max_size=4), st.sampled_from(["ABCD", "DCBA"]))
def test_what_the_views_say_agrees(octets: bytes, order: str) -> None:
    said = {bits: dict(meant(octets[: bits // 8], bits, 0, order)) for bits in (8, 16, 32)}
    big = order == "ABCD"
    words = [int(dict(meant(octets[n : n + 2], 16, 0, order))["UINT"]) for n in (0, 2)]
    high, low = words if big else words[::-1]
    assert int(said[32]["UDINT"]) == high << 16 | low
    assert said[32]["hex"] == f"16#{high:04X}{low:04X}"
    single = "".join(dict(meant(octets[:1], 1, n, order))["BOOL"] for n in range(7, -1, -1))
    assert int(single, 2) == octets[0] == int(said[8]["USINT"]) == int(said[8]["bits"][2:].replace("_", ""), 2)
    assert int(said[16]["INT"]) == struct.unpack((">" if big else "<") + "h", octets[:2])[0]
    real = struct.unpack((">" if big else "<") + "f", octets)[0]
    if real - real != 0:
        assert said[32]["REAL"] == "no number"
    else:
        assert float(said[32]["REAL"]) == pytest.approx(real, rel=1e-6, abs=1e-44)

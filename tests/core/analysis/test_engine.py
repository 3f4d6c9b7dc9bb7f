"""The engine renews what it must and no more; consequences are ranked; every remedy mends."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from highmoor.core.analysis.engine import Analysis, Headline, Part
from highmoor.core.analysis.findings import Check, Checks, finding
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.generated import generated_cell, generated_plant
from highmoor.core.demo.plant import demo_plant
from highmoor.core.networks.lines import kind_at
from highmoor.core.parts import CHECKS, PARTS, analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    Controller,
    Exchange,
    Module,
    Network,
    Rail,
    Signal,
    Station,
)
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.consequences import preview
from highmoor.core.project.remedies import remedy_of
from highmoor.core.project.reporting import checks_document, label_of

PLANT = demo_plant()


def counted(plant: Plant) -> tuple[Analysis, list[tuple[str, str]]]:
    """An analysis that notes every part it computes."""
    done: list[tuple[str, str]] = []

    def noting(part: Part) -> Part:
        def compute(reader: Any, root: str) -> Any:
            done.append((part.key, root))
            return part.compute(reader, root)

        return replace(part, compute=compute)

    return Analysis(plant, BUILTIN, [noting(p) for p in PARTS], Checks(CHECKS, kind_at)), done


def test_one_entry_of_a_part_renews_only_who_read_that_entry() -> None:
    """All exchanges of a scanner stand in one dict of times; another interval changes one of them."""
    plant = generated_cell(12)
    analysis = analyse(plant, BUILTIN)
    exchange = plant.all(Exchange)[5].id
    for values, hops in (({"settings.rpi_ms": 25}, [exchange]), ({"settings.octets": 9}, None)):
        for each in plant.all(Exchange):
            analysis.result("exchange.hops", each.id)
        applied = apply(analysis.plant, BUILTIN, edits.SetFields(ids=[exchange], values=values))
        delta = analysis.advance(applied.plant, applied.change)
        renewed = [root for key, root in delta.changed if key == "exchange.hops"]
        # A longer packet makes all those wait that go the same way.
        way = plant.get(exchange, Exchange).direction
        assert sorted(renewed) == sorted(hops or [x.id for x in plant.all(Exchange) if x.direction == way])
        assert analysis.findings == analyse(analysis.plant, BUILTIN).findings


def find(kind: type[Any], **values: Any) -> Any:
    return next(r for r in PLANT.all(kind) if all(getattr(r, k) == v for k, v in values.items()))


@pytest.mark.parametrize(
    ("row", "values", "renewed"),
    [
        (find(Signal, name="Tank1Level"), {"note": "x"}, {"module.links", "controller.signals", "controller.asked",
                                                              "controller.scope"}),
        (find(Module, designation="-K9"), {"location": "x"}, {"rail.mounting", "rail.power", "rail.octets",
                                                              "rail.seats",
                                                              "module.hops", "module.links", "module.wiring",
                                                              "rail.port-list"}),
        (find(Station, name="Compressor"), {"note": "x"}, {"network.addresses", "network.timing", "exchange.wire",
                                                           "exchange.links", "exchange.controllers",
                                                               "controller.connections", "connection.facts",
                                                           "connection.agreed", "connection.line",
                                                           "connection.startup", "ethercat.nodes",
                                                           "network.tree", "network.ways", "network.topology",
                                                           "network.times",
                                                           "network.slowest", "network.lines",
                                                           "network.connections", "network.asked-lines",
                                                           "network.parked",
                                                           "network.frames", "exchange.frames",
                                                           "station.kinds",
                                                           "exchange.hops", "controller.image",
                                                           "signal.path"}),
    ],
)  # fmt: skip
def test_an_edit_renews_what_reads_it_and_stops_where_nothing_changes(row: Any, values: Any, renewed: set[str]) -> None:
    analysis, done = counted(PLANT)
    done.clear()
    applied = apply(PLANT, BUILTIN, edits.SetFields(ids=[row.id], values=values))
    delta = analysis.advance(applied.plant, applied.change)
    assert {part for part, _ in done} <= renewed
    # Of a hundred signals, those that look the same are not computed again.
    assert sum(1 for part, _ in done if part == "signal.path") <= 4
    assert delta.added == delta.gone == []
    assert len(done) == len(set(done))


def test_one_edit_on_a_large_plant_touches_one_controller() -> None:
    plant = generated_plant(10, 200, 1000)
    analysis, done = counted(plant)
    done.clear()
    rail = plant.all(Rail)[0]
    applied = apply(plant, BUILTIN, edits.InsertModules(rail=rail.id, type="tarnfell.di-16"))
    analysis.advance(applied.plant, applied.change)
    touched = {root for part, root in done if part == "controller.image"}
    assert touched == {rail.head}
    assert len(done) < 200


def test_a_preview_leaves_no_trace() -> None:
    analysis = analyse(PLANT, BUILTIN)
    tried = (
        edits.Remove(ids=[find(Controller, name="HALL").id]),
        edits.AddController(type="tarnfell.tf-21"),
        edits.SetFields(ids=[find(Exchange, name="Measured").id], values={"settings.timeout_ms": 0}),
    )
    for edit in tried:
        # What they ask for of the plant as it is stays.
        preview(analysis, edit)
    before = {key: entry.result for key, entry in analysis._entries.items()}
    findings, dependents = dict(analysis.findings), {k: set(v) for k, v in analysis._dependents.items() if v}
    for edit in tried:
        preview(analysis, edit)
        assert {key: entry.result for key, entry in analysis._entries.items()} == before
        assert analysis.findings == findings
        assert {k: v for k, v in analysis._dependents.items() if v} == dependents
        assert analysis.plant is PLANT


def test_consequences_put_a_crossed_limit_first_and_name_who_moves() -> None:
    analysis = analyse(PLANT, BUILTIN)
    rail = next(r for r in PLANT.all(Rail) if r.head == find(Controller, name="HALL").id)
    # Behind the feed-in there is room for none.
    first = next(m for m in PLANT.children(Module, rail.id) if m.designation == "-K6")
    applied, result = preview(analysis, edits.InsertModules(rail=rail.id, type="tarnfell.ai-8", before=first.id))
    assert [line.crossed for line in result.figures[:2]] == [True, False]
    # By name the first of those that move, and how many they are in all.
    before, after = (analyse(plant, BUILTIN) for plant in (PLANT, applied.plant))
    octets = [
        [(s.name, [link.octet for link in analysis.result("signal.path", s.id).links]) for s in PLANT.all(Signal)]
        for analysis in (before, after)
    ]
    moved = [name for (name, was), (_, now) in zip(*octets, strict=True) if was != now]
    assert len(moved) == result.moving > len(result.moved) > 0
    assert set(result.moved) < set(moved)
    _, quiet = preview(analysis, edits.SetFields(ids=[first.id], values={"note": "x"}))
    assert quiet.figures == quiet.added == quiet.gone == ()
    assert Headline("r", "k", "l", -1, "mA", 0, "more").over
    assert not Headline("r", "k", "l", 0, "mA", 0, "more").over
    assert Headline("r", "k", "l", 101, "%", 100, "less").over


def test_a_module_that_draws_more_than_a_feed_in_gives_is_told_so() -> None:
    import dataclasses

    greedy = dataclasses.replace(BUILTIN.types["tarnfell.ai-8"], bus_current_ma=5000)
    catalogue = dataclasses.replace(BUILTIN, types={**BUILTIN.types, greedy.key: greedy})
    analysis = analyse(PLANT, catalogue)
    found = next(f for f in analysis.findings.values() if f.code == "HW-101")
    remedy = remedy_of(analysis, found)
    assert remedy is not None
    assert (remedy.edit, remedy.hand) == (None, "by hand at the device")


def test_two_checks_of_one_code_are_refused_and_labels_lead_from_the_outside_in() -> None:
    check = Check("X-1", "rail.power", "hardware", "error", "t", "t.", "r.", lambda *_: iter(()))
    with pytest.raises(ValueError, match="two checks"):
        Checks([check, check])
    assert finding("X-1", ("m1", "slot"), "m2").key == "X-1:m1.slot:m2"
    type_of = BUILTIN.find
    assert label_of(PLANT, find(Exchange, name="Measured").id, type_of) == "Utilities, Humidifier, Measured"
    assert label_of(PLANT, find(Module, designation="-K4").id, type_of) == "HALL, -K4"
    assert label_of(PLANT, find(Network, name="Utilities").id, type_of) == "Utilities"
    assert "HW-101" in checks_document()


def _toy_parts(seen: list[str], values: dict[str, int]) -> list[Part]:
    """A dict, two who read an entry of it each, one who reads a field of a row, one that is only computed if asked."""

    def noted(key: str, compute: Any) -> Any:
        def noting(reader: Any, root: str) -> Any:
            seen.append(key)
            return compute(reader, root)

        return noting

    def table(reader: Any, root: str) -> dict[str, int]:
        return {**values, "note": len(reader.row(root, Controller).note)}

    return [
        Part("dict", "controllers", noted("dict", table)),
        Part("note", "controllers", noted("note", lambda r, root: r.item("dict", root, "note"))),
        Part("other", "controllers", noted("other", lambda r, root: r.item("dict", root, "other"))),
        Part("name", "controllers", noted("name", lambda r, root: r.value(root, Controller, "name"))),
        Part("asked", "controllers", noted("asked", lambda r, root: r.part("dict", root)), asked=True),
    ]


def test_only_who_read_what_is_another_now_is_renewed_and_what_is_asked_is_forgotten() -> None:
    seen: list[str] = []
    analysis = Analysis(PLANT, BUILTIN, _toy_parts(seen, {"other": 1}), Checks(()))
    hall = find(Controller, name="HALL").id
    assert "asked" not in seen
    assert analysis.result("asked", hall) == {"other": 1, "note": len(PLANT.get(hall, Controller).note)}
    for values, renewed, stale in (
        ({"note": "longer than it was before"}, ["dict", "note"], {"dict", "note", "asked"}),
        ({"name": "HALLE"}, ["dict", "name"], {"name"}),
    ):
        seen.clear()
        applied = apply(analysis.plant, BUILTIN, edits.SetFields(ids=[hall], values=values))
        delta = analysis.advance(applied.plant, applied.change)
        assert sorted(seen) == renewed
        assert {key for key, root in delta.changed if root == hall} == stale
    # Nobody has asked for it since: it is computed anew when somebody does.
    assert analysis.result("asked", hall)["note"] == len("longer than it was before")


def test_a_part_that_is_computed_from_itself_is_named() -> None:
    failed: list[str] = []

    def noted(part: Part, root: str, error: Exception) -> None:
        failed.append(f"{part.key}: {error}")

    one = Part("one", "controllers", lambda reader, root: reader.part("two", root))
    two = Part("two", "controllers", lambda reader, root: reader.part("one", root))
    analysis = Analysis(PLANT, BUILTIN, [one, two], Checks(()), noted)
    assert failed
    assert all("computed from itself" in told for told in failed)
    hall = find(Controller, name="HALL").id
    gone = apply(PLANT, BUILTIN, edits.Remove(ids=[hall]))
    # It ends, whatever is renewed.
    assert analysis.advance(gone.plant, gone.change).changed
    assert analysis.result("one", hall) is None
    back = gone.change.inverse()
    analysis.advance(gone.plant.patched(back), back)
    assert analysis.result("one", hall) is None
    with pytest.raises(ValueError, match="neither headlines nor checks"):
        Analysis(PLANT, BUILTIN, [replace(one, asked=True, headlines=lambda *_: ())], Checks(()))

"""Plant files and clips from outside: whatever is in them, they are refused with a place or can be worked with."""

from __future__ import annotations

import copy
import json
import os
import random
from functools import cache
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.analysis.engine import Part
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.exchange_format import BadFile, PlantFile, export_text, parse_plant
from highmoor.core.project.fields import fields_of
from highmoor.core.project.reporting import rendered
from highmoor.server.demo import demo_files, demo_with_types
from highmoor.server.library import LIBRARY

_JUNK: tuple[Any, ...] = (
    None, True, 0, -1, 0.5, 1e308, 2**53, 2**70, 10**30, "", "x", "0", "-1", "\ud800", "\u0000", "settings", [], {},
    [None], {"lo": None}, {"channels": 5}, "in", "out", 65536, 255, 1e-9,
)  # fmt: skip


# Environment for a longer hunt than the usual one.
SEEDS = int(os.environ.get("HIGHMOOR_SEEDS", "12"))


@cache
def _demo() -> str:
    return export_text(demo_with_types(demo_files()), LIBRARY.find)


@cache
def _as_taken() -> tuple[Plant, Catalogue]:
    taken = parse_plant(_demo().encode())
    return taken.plant, taken.catalogue


def _taken(text: str) -> PlantFile | None:
    """What is taken in can be analysed, shown, edited and taken in again; None for what is refused with a place."""
    try:
        taken = parse_plant(text.encode("utf-8", "surrogatepass"))
    except BadFile as bad:
        assert all(fault.reason for fault in bad.faults)
        return None
    broken: list[tuple[str, str, Exception]] = []

    def noted(part: Part, root: str, error: Exception) -> None:
        broken.append((part.key, root, error))

    analysis = analyse(taken.plant, taken.catalogue, noted)
    assert not broken, broken[0]
    rendered(analysis)
    for row in taken.plant.rows():
        for spec in fields_of(taken.plant, taken.catalogue, row):
            spec.beside(spec.default)
    again = export_text(taken.plant, taken.catalogue.find)
    assert export_text(parse_plant(again.encode()).plant, taken.catalogue.find) == again
    return taken


def _leaves(tree: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Every place of a tree."""
    here = [path] if path else []
    if isinstance(tree, dict):
        return here + [leaf for key, inner in tree.items() for leaf in _leaves(inner, (*path, key))]
    if isinstance(tree, list):
        return here + [leaf for n, inner in enumerate(tree) for leaf in _leaves(inner, (*path, n))]
    return here


def _damaged(data: Any, chance: random.Random, places: list[tuple[Any, ...]]) -> Any:
    data = copy.deepcopy(data)
    for _ in range(chance.choice((1, 1, 1, 2, 5))):
        path = chance.choice(places)
        holder = data
        try:
            for step in path[:-1]:
                holder = holder[step]
            act = chance.random()
            if act < 0.6:
                holder[path[-1]] = chance.choice(_JUNK)
            elif act < 0.7:
                del holder[path[-1]]
            elif act < 0.85 and isinstance(holder, dict):
                holder[chance.choice(list(holder))] = chance.choice(_JUNK)
            elif isinstance(holder, list):
                holder.append(copy.deepcopy(holder[path[-1]]))
        except (KeyError, IndexError, TypeError):
            continue
    return data


@pytest.mark.parametrize("seed", range(SEEDS))
def test_a_damaged_plant_file_is_refused_or_can_be_worked_with(seed: int) -> None:
    chance = random.Random(seed)
    data = json.loads(_demo())
    # The readings are another reader's matter; its own test damages them.
    tables = [name for name, rows in data.items() if isinstance(rows, list)]
    taken = 0
    for _ in range(20):
        places = [path for path in _leaves(data) if path[0] == chance.choice(tables)]
        taken += _taken(json.dumps(_damaged(data, chance, places))) is not None
    assert taken < 20


@pytest.mark.parametrize(
    ("table", "path", "value", "says"),
    [
        ("exchanges", ("settings", "period_ms"), 0, "is below"),
        ("exchanges", ("settings", "timeout_ms"), "x", "a number is needed"),
        ("links", ("scaling", "lo"), None, "is needed"),
        ("tasks", ("period_ms",), 0, "is below"),
        ("tasks", ("period_ms",), 10**30, "too large"),
        ("exchanges", ("settings", "count"), 10**30, "too large"),
        ("rails", ("places",), 10**6, "outside 1–1024"),
        ("stations", ("name",), "\ud800", "half a character"),
        ("signals", ("name",), "a b", "contains “ ”"),
        ("signals", ("type",), "FLOAT", "cannot be “FLOAT”"),
        ("modules", ("settings", "channels", "ch0", "length_m"), -1, "is below"),
        ("list_lines", ("values", "tag"), 5, "a text in each column"),
        ("list_lines", ("left", "gone"), "yes", "named by its column"),
        ("lists", ("columns", "headings"), "Tag", "pairs of a heading and a key"),
        ("lists", ("columns", "headings"), [["Tag"]], "pairs of a heading and a key"),
        ("lists", ("names",), "{what}", "is no column"),
        ("signals", ("wiring", "kind"), 7, "a text is needed"),
        ("types", ("key",), "tarnfell.tf-42", "not that of this device"),
    ],
)  # fmt: skip
def test_what_no_edit_could_set_is_refused_with_its_place(
    table: str, path: tuple[str, ...], value: Any, says: str
) -> None:
    data = json.loads(_demo())
    wanted = {"exchanges": lambda row: "function" in row["settings"], "links": lambda row: row["scaling"]}
    wanted["modules"] = lambda row: row["type"].startswith("tarnfell.di")
    at = next(n for n, row in enumerate(data[table]) if wanted.get(table, bool)(row))
    holder = data[table][at]
    for step in path[:-1]:
        holder = holder.setdefault(step, {})
    holder[path[-1]] = value
    with pytest.raises(BadFile) as refused:
        parse_plant(json.dumps(data).encode())
    fault = refused.value.faults[0]
    assert fault.place.startswith(f"{table}[{at}]")
    assert says in fault.reason


@settings(max_examples=int(os.environ.get("HIGHMOOR_CLIPS", "60")))
@given(data=st.data())
def test_a_damaged_clip_is_refused_or_can_be_worked_with(data: Any) -> None:
    from highmoor.core.project.clips import clip_of

    plant, catalogue = _as_taken()
    stations = list(plant.tables["stations"].values())
    station = data.draw(st.sampled_from([s for s in stations if plant.referring("connections", "station", s.id)]))
    clip = clip_of(plant, [station.id]).model_dump(mode="json")
    chance = random.Random(data.draw(st.integers(0, 2**32)))
    damaged = _damaged(clip, chance, [p for p in _leaves(clip) if p[0] == "rows"])
    try:
        edit = edits.Paste(clip=edits.Clip.model_validate(damaged), into=station.network)
        after = apply(plant, catalogue, edit)
    except (ValueError, Refusal):
        return
    broken: list[Any] = []
    analyse(after.plant, catalogue, lambda *what: broken.append(what))
    assert not broken, broken[0]
    assert _taken(export_text(after.plant, catalogue.find))


def test_a_part_that_breaks_is_said_and_all_else_goes_on(monkeypatch: pytest.MonkeyPatch) -> None:
    from highmoor.core.networks import parts as network_parts

    taken = parse_plant(_demo().encode())
    network = next(iter(taken.plant.tables["networks"].values()))
    whole = analyse(taken.plant, taken.catalogue)
    part = next(p for p in network_parts.PARTS if p.key == "network.timing")
    compute = part.compute

    def breaks(reader: Any, root: str) -> Any:
        if root == network.id and reader.row(root, type(network)).name != "Mended":
            raise ZeroDivisionError
        return compute(reader, root)

    object.__setattr__(part, "compute", breaks)
    try:
        analysis = analyse(taken.plant, taken.catalogue)
        (found,) = [f for f in analysis.findings.values() if f.code == "NET-190"]
        assert found.places[0].id == network.id
        assert "network.timing" in next(f["text"] for f in rendered(analysis) if f["code"] == "NET-190")
        elsewhere = {k for k in whole.findings if network.id not in k}
        # What is told of signals behind that network goes with it; the rest of the plant is told as before.
        assert elsewhere & set(analysis.findings)
        mended = apply(taken.plant, taken.catalogue, edits.SetFields(ids=[network.id], values={"name": "Mended"}))
        delta = analysis.advance(mended.plant, mended.change)
        assert "NET-190" in {f.code for f in delta.gone}
        assert set(analysis.findings) == set(analyse(mended.plant, taken.catalogue).findings)
    finally:
        object.__setattr__(part, "compute", compute)

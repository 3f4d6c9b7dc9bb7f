"""Lists that come again and again: last issue, new issue and plant, whatever they say."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, IoList, Link, ListLine, Module, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.lists.columns import cell_text, recognised
from highmoor.core.project.lists.comparing import Comparison, compare
from highmoor.core.project.lists.naming import name_of, type_of
from highmoor.core.project.lists.writing import written
from highmoor.core.project.undo import inverse_on
from tests.core.plants import hall

KEYS = ["tag", "text", "area", "strip", "terminal", "kind", "range", "unit", "x1"]
HEADINGS = [edits.ListHeading(text=key.title(), key=key) for key in KEYS]


def issue_with(plant: Plant, lines: list[dict[str, str]], **more: Any) -> dict[str, Any]:
    """An issue of the plant's list, or of its first."""
    lists, controllers = plant.all(IoList), plant.all(Controller)
    rows = [edits.ListRow(row=n + 2, cells=[line.get(key, "") for key in KEYS]) for n, line in enumerate(lines)]
    of = lists[0].id if lists else None
    known = {"of": of, "name": "List", "controller": controllers[0].id, "headings": HEADINGS, "rows": rows}
    return {**known, **more}


def compared(plant: Plant, lines: list[dict[str, str]], **more: Any) -> Comparison:
    return compare(plant, edits.ListIssue(**issue_with(plant, lines, **more)))


def after(plant: Plant, lines: list[dict[str, str]], **more: Any) -> Plant:
    return apply(plant, BUILTIN, edits.TakeList(**issue_with(plant, lines, **more))).plant


def all_taken(plant: Plant, lines: list[dict[str, str]], **more: Any) -> Plant:
    return after(plant, lines, taken=[one.id for one in compared(plant, lines, **more).differences], **more)


def named(plant: Plant, name: str) -> Signal:
    return next(signal for signal in plant.all(Signal) if signal.name == name)


_LINES = st.lists(
    st.fixed_dictionaries(
        {"tag": st.sampled_from(["21-LT-001", "21-lt-001", "LT 2", "TT-3", "XV-4", "=A.5", "0", "Ä-7", ""])},
        optional={
            "text": st.sampled_from(["Level", "Level tank 1", "", "=SUM(A1)"]),
            "area": st.sampled_from(["Steep", ""]),
            "strip": st.sampled_from(["X1", "X2"]),
            "terminal": st.sampled_from(["1", "2", "3"]),
            "kind": st.sampled_from(["AI", "DI", "DO", "4-20 mA", "?"]),
            "range": st.sampled_from(["0-3,2", "0 … 3.2", "-1 to 1 m", "none", ""]),
            "unit": st.sampled_from(["m", "°C"]),
            "x1": st.sampled_from(["Rev. A", "Rev. B"]),
        },
    ),
    max_size=7,
)


def rows_of(lines: list[dict[str, str]], plant: Plant) -> list[list[str]]:
    """The lines that were not refused, as they are compared."""
    refused = {row for one in compared(plant, lines).refused for row in one.rows}
    told = [[cell_text(key, line.get(key, "")) for key in KEYS] for line in lines]
    return [cells for n, cells in enumerate(told) if any(cells) and n + 2 not in refused]


@given(_LINES, _LINES, st.data())
def test_a_list_taken_wholly_comes_out_as_it_came(
    first: list[dict[str, str]], second: list[dict[str, str]], data: st.DataObject
) -> None:
    plant, by_hand = hall("di-16"), False
    for lines in (first, second):
        wanted = rows_of(lines, plant)
        # What was changed here alone would stay, unless it is asked about.
        plant = all_taken(plant, lines, again=by_hand)
        assert not compared(plant, lines).differences
        of = plant.all(IoList)[0]
        out = written(plant, of)
        assert out[0] == [heading.text for heading in HEADINGS]
        # Of doubled tags the plant keeps what the issue before said.
        kept = {cells[0] for cells in wanted}
        assert [cells for cells in out[1:] if cells[0] in kept] == wanted
        # Meanwhile somebody writes into the plant, or not.
        by_hand = data.draw(st.booleans())
        for signal in plant.all(Signal) if by_hand else ():
            note = data.draw(st.sampled_from(["", "By hand", "Level"]))
            plant = apply(plant, BUILTIN, edits.SetFields(ids=[signal.id], values={"note": note})).plant


@given(_LINES, _LINES)
def test_what_is_left_stays_as_it_is_and_is_not_asked_about_again(
    first: list[dict[str, str]], second: list[dict[str, str]]
) -> None:
    plant = all_taken(hall("di-16"), first)
    pairs = [one.id for one in compared(plant, second).differences if one.kind == "renamed"]
    before = compared(plant, second, apart=pairs).differences
    left = after(plant, second, apart=pairs, left=[one.id for one in before])
    assert left.all(Signal) == plant.all(Signal)
    assert not compared(left, second, apart=pairs).differences
    again = compared(left, second, apart=pairs, again=True).differences
    told = {(one.kind, one.key, one.column, one.old, one.new) for one in before}
    assert told <= {(one.kind, one.key, one.column, one.old, one.new) for one in again}
    # And what is not decided on is asked about as it was.
    undecided = after(plant, second)
    assert compared(undecided, second).differences == compared(plant, second).differences


@given(_LINES, _LINES, st.data())
def test_one_undo_takes_an_issue_back(
    first: list[dict[str, str]], second: list[dict[str, str]], data: st.DataObject
) -> None:
    plant = all_taken(hall("di-16"), first)
    ids = [one.id for one in compared(plant, second).differences]
    taken = [one for one in ids if data.draw(st.booleans())]
    left = [one for one in ids if data.draw(st.booleans())]
    applied = apply(plant, BUILTIN, edits.TakeList(**issue_with(plant, second, taken=taken, left=left)))
    inverse = inverse_on(applied.plant, applied.change)
    assert not inverse.overlaps
    assert applied.plant.patched(inverse.change).tables == plant.tables


LEVEL = {"tag": "LT-1", "text": "Level", "strip": "X1", "terminal": "1", "kind": "AI", "range": "0-3,2", "unit": "m"}


def test_each_side_that_changed_is_told_apart() -> None:
    plant = all_taken(hall("di-16"), [LEVEL, {"tag": "XS-2", "text": "Full", "kind": "DI"}])
    level = named(plant, "LT_1")
    assert (level.type, level.unit, level.note, level.tag) == ("REAL", "m", "Level", "LT-1")
    assert level.wiring == {"strip": "X1", "terminal": "1", "kind": "AI", "range": "0 … 3.2"}
    assert named(plant, "XS_2").type == "BOOL"
    by_hand = apply(plant, BUILTIN, edits.SetFields(ids=[level.id], values={"note": "By hand", "unit": "cm"})).plant
    now = compared(by_hand, [{**LEVEL, "text": "Level tank", "range": "0…3.2"}, {"tag": "NEW"}])
    told = {(one.kind, one.column): (one.both, one.old, one.new, one.last) for one in now.differences}
    assert told == {
        # Changed on both sides; the unit only here, and the range only in how it is written.
        ("changed", "text"): (True, "By hand", "Level tank", "Level"),
        ("new", ""): (False, "", "", None),
        ("gone", ""): (False, "Full · DI", "", None),
    }
    assert now.differences[0].both
    assert now.kept == 1


def test_a_line_at_the_same_terminal_is_perhaps_the_same_signal_and_keeps_its_links() -> None:
    plant = all_taken(hall("ai-8"), [LEVEL])
    level = named(plant, "LT_1")
    module = plant.all(Module)[0]
    scaling = {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 3.2}
    link = edits.LinkSignal(signal=level.id, place=module.id, key="ch0", scaling=scaling)
    plant = apply(plant, BUILTIN, link).plant
    moved = {**LEVEL, "tag": "LT-9", "range": "0 - 4"}
    now = compared(plant, [moved])
    assert [(one.kind, one.column, one.old, one.new) for one in now.differences] == [
        ("renamed", "tag", "LT-1", "LT-9"),
        ("changed", "range", "0 … 3.2", "0 … 4"),
    ]
    rename, changed = now.differences
    # Without the rename nobody says that the range is this signal's.
    assert after(plant, [moved], taken=[changed.id]).all(Signal) == plant.all(Signal)
    taken = after(plant, [moved], taken=[rename.id, changed.id])
    assert named(taken, "LT_9").id == level.id
    assert taken.all(Link)[0].scaling == {**scaling, "clamp": False, "lo": 0, "hi": 4}
    # Said to be two: the one goes, the other comes.
    kinds = [one.kind for one in compared(plant, [moved], apart=[rename.id]).differences]
    assert kinds == ["new", "gone"]


def test_a_row_that_ends_early_says_nothing_in_its_other_columns() -> None:
    plant = hall("di-16")
    rows = [edits.ListRow(row=2, cells=["Level"]), edits.ListRow(row=3, cells=["Full", "LT-1"])]
    headings = [edits.ListHeading(text=key, key=key) for key in ("text", "tag", "unit")]
    told = compared(plant, [], headings=headings, rows=rows)
    assert [(one.rows, one.reason) for one in told.refused] == [((2,), "The line has no tag.")]
    assert [one.tag for one in told.differences] == ["LT-1"]


def test_a_signal_removed_here_is_not_made_again_unless_the_list_changed() -> None:
    plant = all_taken(hall("di-16"), [LEVEL])
    without = apply(plant, BUILTIN, edits.Remove(ids=[named(plant, "LT_1").id])).plant
    assert not compared(without, [LEVEL]).differences
    (new,) = compared(without, [{**LEVEL, "text": "Other"}]).differences
    assert (new.kind, new.both) == ("new", True)
    assert not after(without, []).all(ListLine)


def test_a_plant_that_is_there_already_is_met_by_tag_or_by_name() -> None:
    plant = hall("di-16")
    owner = plant.all(Controller)[0].id
    plant = apply(plant, BUILTIN, edits.AddSignals(controller=owner, pattern="LT_1", type="REAL", note="Here")).plant
    one, *rest = compared(plant, [LEVEL]).differences
    assert (one.kind, one.column, one.old, one.new, one.both) == ("changed", "text", "Here", "Level", True)
    assert not any(other.both for other in rest)
    tagged = edits.SetFields(ids=[named(plant, "LT_1").id], values={"tag": "lt–1", "name": "Tank1Level"})
    plant = apply(plant, BUILTIN, tagged).plant
    assert {one.signal for one in compared(plant, [LEVEL]).differences} == {named(plant, "Tank1Level").id}
    plant = apply(plant, BUILTIN, edits.AddSignals(controller=owner, pattern="Other")).plant
    doubled = edits.SetFields(ids=[named(plant, "Other").id], values={"tag": "LT-1"})
    (refused,) = compared(apply(plant, BUILTIN, doubled).plant, [LEVEL]).refused
    assert refused.reason == "Several signals of the plant have this tag: Tank1Level, Other."


@pytest.mark.parametrize(
    ("lines", "rows", "reason"),
    [
        ([{"tag": "A"}, {"tag": "B"}, {"tag": " a "}], (2, 4), "The tag stands in several lines."),
        ([{"tag": "A"}, {"text": "Level"}], (3,), "The line has no tag."),
        ([{"tag": "A" * 201}], (2,), "Tag has 201 characters; 200 are allowed."),
        ([{"tag": "A", "text": "a\x07"}], (2,), "Text contains a control character."),
    ],
)
def test_a_line_that_cannot_be_taken_is_refused_with_its_rows(
    lines: list[dict[str, str]], rows: tuple[int, ...], reason: str
) -> None:
    (refused,) = compared(hall("di-16"), lines).refused
    assert (refused.rows, refused.reason) == (rows, reason)


@pytest.mark.parametrize("lines", [[LEVEL, LEVEL], [{**LEVEL, "text": "x" * 1001}]])
def test_a_tag_whose_line_is_refused_is_not_gone(lines: list[dict[str, str]]) -> None:
    told = compared(all_taken(hall("di-16"), [LEVEL]), lines)
    assert (told.differences, len(told.refused)) == ([], 1)


@pytest.mark.parametrize(
    ("more", "reason"),
    [
        ({"headings": [edits.ListHeading(text="A", key="text")]}, "Say which column has the tags"),
        ({"headings": [edits.ListHeading(text=t, key="tag") for t in "AB"]}, "“A” and “B” cannot both be the tag."),
        ({"headings": [edits.ListHeading(text="A", key="id")]}, "“id” is nothing"),
        ({"names": "{nothing}"}, "“{nothing}” is no column"),
        ({"names": "same"}, "A pattern names a column in braces"),
        ({"taken": ["new x"]}, "The plant was changed meanwhile"),
    ],
)
def test_what_cannot_be_understood_is_refused(more: dict[str, Any], reason: str) -> None:
    with pytest.raises(Refusal, match=reason.replace("{", "\\{")):
        after(hall("di-16"), [LEVEL], **more)


def test_headings_are_known_in_any_order_and_as_they_were_mapped() -> None:
    headings = ["Cable no.", "SIGNAL TYPE", "Tag-No", "Descr.", "Terminal", "terminals", "Rev", "Eng. unit"]
    assert recognised(headings) == ["cable", "kind", "tag", "", "terminal", "", "", "unit"]
    assert recognised(headings, {"Descr.": "text", "Rev": ""})[3] == "text"
    assert recognised(["Tag", "Tag"], {"Tag": "tag"}) == ["tag", ""]


@pytest.mark.parametrize(
    ("given", "text"),
    [
        ("0-10 bar", "0 … 10 bar"), ("0,5…3,20", "0.5 … 3.2"), ("-2.5..+2.5", "-2.5 … 2.5"), ("−1–1", "-1 … 1"),
        ("4 to 20mA", "4 … 20 mA"), (".5 - 1e3", "0.5 … 1000"), ("0 ... -5", "0 … -5"), ("10", "10"), ("0-", "0-"),
        ("a-b", "a-b"), ("0-0.125", "0 … 0.125"), ("1-2-3", "1 … 2 -3"),
    ],
)  # fmt: skip
def test_a_range_is_written_in_one_way(given: str, text: str) -> None:
    assert cell_text("range", given) == text
    assert cell_text("range", text) == text


@pytest.mark.parametrize(
    ("pattern", "values", "name"),
    [
        ("{tag}", {"tag": "21-LT-001"}, "T21_LT_001"),
        ("{tag}", {"tag": "LT__1.a/"}, "LT_1_a"),
        ("{tag}", {"tag": "Ä ß"}, "A_ss"),
        ("{tag}", {"tag": "if"}, "Tif"),
        ("{tag}", {"tag": "泵"}, "Signal"),
        ("{text}", {"text": "Level tank 1"}, "LevelTank1"),
        ("{location}_{tag}", {"location": "Steep house", "tag": "LT 1"}, "SteepHouse_LT_1"),
        ("{tag}", {"tag": "x" * 100}, "x" * 56),
    ],
)
def test_names_are_made_of_what_lines_say(pattern: str, values: dict[str, str], name: str) -> None:
    assert name_of(pattern, values) == name


@pytest.mark.parametrize(
    ("values", "kind"),
    [
        ({"kind": "AI"}, "REAL"), ({"kind": "4-20 mA"}, "REAL"), ({"kind": "Pt100"}, "REAL"), ({"kind": "DI"}, "BOOL"),
        ({"kind": "Digital output"}, "BOOL"), ({"kind": "24 V"}, "BOOL"), ({"kind": "uint"}, "UINT"),
        ({"kind": "Pulse"}, "UDINT"), ({"range": "0-5"}, "REAL"), ({}, "BOOL"), ({"kind": "Diameter"}, "BOOL"),
    ],
)  # fmt: skip
def test_the_type_of_a_new_signal_follows_from_its_kind(values: dict[str, str], kind: str) -> None:
    assert type_of(values) == kind

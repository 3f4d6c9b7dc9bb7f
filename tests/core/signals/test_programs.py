"""Programs of a controller: what they use, who writes, names that follow, and what they do on the bench."""

from __future__ import annotations

import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import PROGRAM_LETTERS_AT_MOST, Controller, DataStructure, Module, Program, Signal, Task
from highmoor.core.program.renaming import renamed
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.exchange_format import export_text, parse_plant
from highmoor.core.project.undo import inverse_on
from tests.core.demo import DEMO, LIBRARY
from tests.core.plants import hall


def done(plant: Plant, *steps: edits.Edit) -> Plant:
    for step in steps:
        plant = apply(plant, BUILTIN, step).plant
    return plant


def ids(plant: Plant) -> dict[str, str]:
    return {signal.name: signal.id for signal in plant.all(Signal)}


def with_programs(*texts: str, task: str | None = None) -> Plant:
    """HALL with a button and a level in, a lamp, a horn and a valve out, memory, and these programs."""
    plant = hall("di-16", "do-16", "ai-8", "ao-4")
    controller = plant.all(Controller)[0].id
    tasks = {t.name: t.id for t in plant.all(Task)}
    places = {m.type.partition(".")[2]: m.id for m in plant.all(Module)}
    scaling = {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 10}

    def add(name: str, kind: str, module: str = "", key: str = "", **more: object) -> edits.AddSignals:
        return edits.AddSignals(
            controller=controller, pattern=name, type=kind, place=places.get(module), key=key or None, **more
        )  # type: ignore[arg-type]

    return done(
        plant,
        add("Button", "BOOL", "di-16", "ch0"), add("Lamp", "BOOL", "do-16", "ch0"),
        add("Horn", "BOOL", "do-16", "ch1"), add("Level", "REAL", "ai-8", "ch0", scaling=scaling),
        add("Valve", "REAL", "ao-4", "ch0", scaling=scaling), add("Count", "INT"), add("Bins[{n}]", "INT", count=3),
        add("Whole", "INT", "ai-8", "ch1", scaling=scaling),
        *(edits.AddProgram(controller=controller, text=text, task=tasks[task] if task else None) for text in texts),
    )  # fmt: skip


def told(plant: Plant, n: int = 0):  # type: ignore[no-untyped-def]
    return analyse(plant, BUILTIN).result("program.checked", plant.all(Program)[n].id)


def codes(plant: Plant) -> set[str]:
    return {found.code for found in analyse(plant, BUILTIN).findings.values()}


# ── what is told


def test_what_a_program_uses_is_told_line_by_line() -> None:
    plant = with_programs("VAR T1 : TON; END_VAR\nT1(IN := Button, PT := T#2s);\nBins[Count] := 1;\nLamp := t1.q;")
    found, named = told(plant), ids(plant)
    uses = [(use.line, use.name, use.variable, use.type, use.writes) for use in found.uses]
    program = plant.all(Program)[0].id
    assert uses == [
        (2, "Button", named["Button"], "BOOL", False),
        (3, "Count", named["Count"], "INT", False),
        (4, "Lamp", named["Lamp"], "BOOL", True),
        (4, "T1.Q", f"{program}.t1.q", "BOOL", False),
    ]
    assert set(found.writes) == {named[name] for name in ("Lamp", "Bins[1]", "Bins[2]", "Bins[3]")}
    # What a program uses is no signal that leads nowhere; what it does not use still is.
    lonely = {f.places[0].id for f in analyse(plant, BUILTIN).findings.values() if f.code == "SIG-103"}
    assert lonely == set()
    assert "SIG-103" in codes(with_programs("Lamp := Button;"))


def test_a_variable_of_the_program_s_own_may_be_of_a_declared_structure() -> None:
    members = [edits.StructureMember(name="Speed", type="REAL"), edits.StructureMember(name="Runs", type="BOOL")]
    text = "VAR f : ARRAY[1..2] OF fandata; i : INT; END_VAR\ni := 2;\nf[i].Speed := Level;\nValve := f[2].speed * 2.0;"
    assert told(with_programs(text)).faults[0].text.startswith("fandata is no type")
    plant = done(with_programs(text), edits.SetStructure(name="FanData", members=members))
    assert told(plant).faults == ()
    bench, named, at = running(plant)
    rail = rail_of(bench)
    rail.give(f"{at['ai-8']}.ch0", rail.terminals[f"{at['ai-8']}.ch0"].electrical(9000))
    bench.run_until(1)
    assert bench.value(named["Valve"])[0] == pytest.approx(6.0, abs=1e-3)
    # Called otherwise, and the text says so; of another shape, and it says what does not fit any more.
    other = edits.SetStructure(of=plant.all(DataStructure)[0].id, name="Fan", members=[
        edits.StructureMember(name=one.name, type=one.type, was=one.name) for one in members
    ])  # fmt: skip
    called = done(plant, other)
    assert ("OF Fan; i" in called.all(Program)[0].text, told(called).faults) == (True, ())
    changed = edits.SetStructure(
        of=plant.all(DataStructure)[0].id, name="FanData", members=[edits.StructureMember(name="Rpm", type="INT")]
    )
    assert "no array f[…].Speed" in told(done(plant, changed)).faults[0].text


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("Button := TRUE;", (1, 1, "Button comes from outside: it cannot be written.")),
        ("Lamp := TRUE;\nLamp := Levle > 2.0;", (2, 9, "Levle is not known here.")),
        ("Lamp := Level;", (1, 9, "This is a REAL, and a BOOL is needed; REAL_TO_BOOL(…) makes one of it.")),
        ("Lamp := TRUE", (1, 13, "Something is missing at the end; a semicolon may be missing.")),
        ("CASE Count OF 1..5: Lamp := TRUE; 3: Horn := TRUE; END_CASE;", (1, 35, "3 stands there already.")),
        ("CASE Count OF 7: Lamp := TRUE; 3..9: Horn := TRUE; END_CASE;", (1, 32, "7 stands there already.")),
    ],
)
def test_what_is_wrong_is_said_with_line_and_column(text: str, says: tuple[int, int, str]) -> None:
    first = told(with_programs(text)).faults[0]
    assert (first.line, first.column, first.text) == says


def test_a_nesting_that_doubles_at_each_level_is_worked_out_once_a_level() -> None:
    deep = "Valve := " + "MIN(Level, " * 40 + "Level" + ")" * 40 + ";"
    assert told(with_programs(deep)).faults == ()


# ── names that follow


def test_a_rename_follows_into_the_texts_by_whatever_edit_and_undo_takes_both_back() -> None:
    plant = with_programs("Lamp := Button; // Button stays here", "Horn := NOT Lamp;")
    named = ids(plant)
    other = apply(plant, BUILTIN, edits.AddController(type="tarnfell.tf-21", name="STEEP", address="10.0.0.9")).plant
    for edit, text in (
        (edits.SetFields(ids=[named["Button"]], values={"name": "Start"}), "Lamp := Start; // Button stays here"),
        (edits.SetEach(values={named["Lamp"]: {"name": "H1"}, named["Horn"]: {"name": "Lamp"}}),
         "H1 := Button; // Button stays here"),
        (edits.Rewrite(ids=[named["Button"]], field="name", find="But", by="Cot"),
         "Lamp := Cotton; // Button stays here"),
        (edits.RenameVariable(controller=plant.all(Controller)[0].id, name="Lamp", by="Hall.Lamp"),
         "Hall.Lamp := Button; // Button stays here"),
    ):  # fmt: skip
        applied = apply(other, BUILTIN, edit)
        assert applied.plant.all(Program)[0].text == text
        assert not any(told(applied.plant, n).faults for n in (0, 1))
        assert applied.plant.patched(inverse_on(applied.plant, applied.change).change).tables == other.tables
    swapped = done(other, edits.SetEach(values={named["Lamp"]: {"name": "Horn"}, named["Horn"]: {"name": "Lamp"}}))
    assert [program.text for program in swapped.all(Program)][1] == "Lamp := NOT Horn;"


@pytest.mark.parametrize(
    ("text", "after"),
    [
        ("a[i].v := a[2].v + A[ 2 ].V;", "b[i].w := b[2].w + b[ 2 ].w;"),
        ("a[b1[i]].v := 1;", "b[c1[i]].w := 1;"),
        ("T(a1 := b1[1], Q => x); x := a1;", "T(a1 := c1[1], Q => y.z); y.z := a2;"),
        ("VAR x : INT; END_VAR (* x *) x := 1; /* x */ // x", "VAR x : INT; END_VAR (* x *) y.z := 1; /* x */ // x"),
        ("x := 16#A1 + T#1s; FOR x := 1 TO a1 DO END_FOR;", "y.z := 16#A1 + T#1s; FOR y.z := 1 TO a2 DO END_FOR;"),
        ("x := q; IF (x) THEN", "y.z := q; IF (y.z) THEN"),
        ("keep[i] := one[1]; one[i] := 0;", "keep[i] := two[1]; one[i] := 0;"),
        ("x := one[", "y.z := one["),
    ],
)
def test_places_are_written_anew_and_all_else_stays(text: str, after: str) -> None:
    names = {"x": "y.z", "a1": "a2", "b1[1]": "c1[1]", "b1[2]": "c1[2]", "keep[1]": "keep[1]",
             **{f"a[{n}].v": f"b[{n}].w" for n in (1, 2)},
             # Of these the elements part: an index that is computed has no name that holds for all.
             "one[1]": "two[1]", "one[2]": "three[2]"}  # fmt: skip
    assert renamed(text, names) == after


LINES = (
    "Lamp := Button AND (Count > 2) OR horn;",
    "Bins[1] := bins[ 2 ] + Bins[Count];",
    "FOR Count := 1 TO 3 DO Bins[Count] := Bins[Bins[Count]] + Count; END_FOR;",
    "T1(IN := NOT Lamp, PT := T#1s, Q => Lamp); // Lamp := Button",
    "Valve := LIMIT(0.0, Level * 2.0, 10.0); (* Valve *)",
    "CASE Count OF 1: Horn := Lamp; 2..3: Horn := NOT Horn; ELSE Horn := T1.Q; END_CASE;",
)
NAMES = ("Lamp", "Horn", "Button", "IN", "Q", "T2", "Bins2", "Level", "Plant.Lamp", "Rack[3].On", "Valve")


@given(
    lines=st.lists(st.sampled_from(LINES), min_size=1, max_size=5),
    names=st.permutations(NAMES),
    array=st.sampled_from(["Bins", "Silos", "Plant.Bins", "Bins[1].Held"]),
)
def test_a_text_means_the_same_whatever_its_signals_are_called(lines: list[str], names: list[str], array: str) -> None:
    plant = with_programs("VAR T1 : TON; END_VAR\n" + "\n".join(lines))
    before, named = told(plant), ids(plant)
    renames = zip(("Lamp", "Horn", "Button", "Level", "Valve"), names, strict=False)
    values = {named[old]: {"name": new} for old, new in renames}
    if array != "Bins[1].Held":
        values |= {named[f"Bins[{n}]"]: {"name": f"{array}[{n}]"} for n in (1, 2, 3)}
    after = told(done(plant, edits.SetEach(values=values)))
    assert not before.faults
    assert [(use.line, use.variable, use.writes) for use in after.uses] == [
        (use.line, use.variable, use.writes) for use in before.uses
    ]
    assert (after.faults, after.reads, after.writes) == ((), before.reads, before.writes)


# ── on the bench


def running(plant: Plant) -> tuple[Bench, dict[str, str], dict[str, str]]:
    bench = Bench(plant, BUILTIN)
    rail = next(iter(bench.controllers.values())).rail
    for key in rail.terminals:
        bench.signals.wired.add(key)
    return bench, ids(plant), {m.type.partition(".")[2]: m.id for m in plant.all(Module)}


def rail_of(bench: Bench):  # type: ignore[no-untyped-def]
    return next(iter(bench.controllers.values())).rail


def test_a_program_reads_inputs_and_moves_what_is_at_the_terminals() -> None:
    bench, named, at = running(with_programs("Lamp := Button AND Level > 2.5;\nValve := Level / 2.0;\nCount := Whole;"))
    rail = rail_of(bench)
    rail.give(f"{at['di-16']}.ch0", 1)
    rail.give(f"{at['ai-8']}.ch0", rail.terminals[f"{at['ai-8']}.ch0"].electrical(24_000))
    # 9.5 of 10 in the raw count that is read as a whole number: halves away from zero.
    rail.give(f"{at['ai-8']}.ch1", rail.terminals[f"{at['ai-8']}.ch1"].electrical(28_500))
    bench.run_until(1)
    assert rail.take(f"{at['do-16']}.ch0") == 1
    assert bench.value(named["Valve"])[0] == pytest.approx(4.0, abs=1e-3)
    assert bench.value(named["Count"]) == (10, "good")
    # What is forced is what the program has of it; what it writes is written again, whatever hands wrote.
    bench.signals.force(named["Button"], 0)
    bench.signals.write(named["Valve"], 9)
    bench.run_until(1.5)
    assert rail.take(f"{at['do-16']}.ch0") == 0
    assert bench.value(named["Valve"])[0] == pytest.approx(4.0, abs=1e-3)


def test_a_timer_runs_in_bench_time_and_its_variables_are_seen() -> None:
    plant = with_programs("VAR T1 : TON; END_VAR\nT1(IN := Button, PT := T#500ms);\nLamp := T1.Q;")
    bench, named, at = running(plant)
    program = plant.all(Program)[0].id
    bench.run_until(1)
    rail_of(bench).give(f"{at['di-16']}.ch0", 1)
    bench.run_until(1.45)
    assert (bench.value(named["Lamp"])[0], 0.2 < bench.value(f"{program}.t1.et")[0] < 0.5) == (False, True)
    bench.run_until(1.75)
    assert bench.value(named["Lamp"])[0] is True
    assert bench.value(f"{program}.t1.et") == (0.5, "good")
    assert bench.value(f"{program}.nobody") == (None, "good")
    assert bench.value("y9.t1.et") == (None, "old")


@pytest.mark.parametrize(("task", "runs"), [("Fast", 100), ("Slow", 10), (None, 10)])
def test_a_program_runs_in_the_period_of_its_task(task: str | None, runs: int) -> None:
    plant = with_programs("Count := Count + 1;", task=task)
    bench, named, _ = running(plant)
    bench.run_until(1.0005)
    assert abs(bench.value(named["Count"])[0] - runs) <= 1


def test_what_a_quick_program_writes_goes_out_by_the_task_that_refreshes_it() -> None:
    plant = with_programs("Lamp := Button;", task="Fast")
    slow = next(t.id for t in plant.all(Task) if t.name == "Slow")
    kept = done(plant, edits.SetFields(ids=[ids(plant)["Lamp"]], values={"task": slow}))
    for each, latest in ((plant, 0.03), (kept, 0.13)):
        bench, _, at = running(each)
        bench.run_until(1.001)
        rail_of(bench).give(f"{at['di-16']}.ch0", 1)
        bench.run_until(1.001 + latest)
        assert rail_of(bench).take(f"{at['do-16']}.ch0") == 1


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("Lamp := TRUE;\nCount := 7 / (Count - Count);", 2, "A division by zero."),
        ("Lamp := TRUE;\n\nBins[Count + 4] := 1;", 3, "The index 4 is none of the array's."),
        ("VAR i : DINT; END_VAR\nLamp := TRUE;\nFOR i := 0 TO 9 DO\n i := 0;\nEND_FOR;", 3, "loop steps in one run"),
    ],
)
def test_a_fault_names_its_line_and_outputs_do_what_they_are_set_to(text: str, line: int, says: str) -> None:
    plant = with_programs("VAR own : INT; END_VAR\nValve := 5.0;\nHorn := TRUE;", f"IF Button THEN\n{text}\nEND_IF;")
    at = {m.type.partition(".")[2]: m.id for m in plant.all(Module)}
    plant = done(
        plant,
        edits.SetFields(ids=[at["do-16"]], values={"settings.channels.ch1.on_loss": "hold"}),
        edits.SetFields(ids=[at["ao-4"]], values={"settings.channels.ch0.on_loss": "off"}),
    )
    if text.startswith("VAR"):
        text = text.removeprefix("VAR i : DINT; END_VAR\n")
        changed = f"VAR i : DINT; END_VAR\nIF Button THEN\n{text}\nEND_IF;"
        plant = done(plant, edits.SetFields(ids=[plant.all(Program)[1].id], values={"text": changed}))
    bench, named, _ = running(plant)
    bench.run_until(1)
    rail = rail_of(bench)
    assert [rail.take(f"{at['do-16']}.ch1"), rail.take(f"{at['ao-4']}.ch0") > 4] == [1, True]
    rail.give(f"{at['di-16']}.ch0", 1)
    bench.run_until(2)
    program = bench.programs[plant.all(Program)[1].id]
    assert (program.state, program.line) == ("stopped", line + 1)
    assert says in program.text
    # The channel that holds still holds, the other ones are off; nobody writes any more, and nothing of it is new.
    assert [rail.take(f"{at['do-16']}.ch{n}") for n in (0, 1)] == [0, 1]
    assert rail.take(f"{at['ao-4']}.ch0") == rail.terminals[f"{at['ao-4']}.ch0"].range.low
    assert bench.value(named["Button"])[1] == "old"
    assert bench.value(f"{plant.all(Program)[0].id}.own") == (0, "old")
    bench.stop()


def test_one_that_cannot_be_translated_is_left_out_and_the_others_run() -> None:
    plant = with_programs("Lamp := ;", "Horn := TRUE;")
    bench, named, _ = running(plant)
    bench.run_until(1)
    first = bench.programs[plant.all(Program)[0].id].told()
    assert (first["state"], first["line"]) == ("not translated", 1)
    assert bench.value(named["Horn"])[0] is True


def test_when_a_program_stops_its_controller_nobody_asks_its_stations_any_more() -> None:
    """In the demo with all its fieldbuses: every exchange says so, the other controllers go on."""
    controllers = {c.name: c.id for c in DEMO.all(Controller)}
    text = "VAR n, zero : DINT; END_VAR\nn := n + 1;\nIF n > 20 THEN n := n / zero; END_IF;"
    plant = apply(DEMO, LIBRARY, edits.AddProgram(controller=controllers["HALL"], text=text)).plant
    bench = Bench(plant, LIBRARY)
    bench.run_until(4)
    before = {key: one.transactions for key, one in bench.exchanges.items()}
    bench.run_until(6)
    stopped = {key for key, one in bench.exchanges.items() if one.text == "its controller has stopped"}
    assert bench.controllers[controllers["HALL"]].stopped
    assert not bench.controllers[controllers["KILN"]].stopped
    assert len(stopped) > 20
    assert all(bench.exchanges[key].transactions == before[key] for key in stopped)
    gone_on = [key for key in before if key not in stopped and bench.exchanges[key].transactions > before[key]]
    assert gone_on
    bench.stop()


def test_a_loop_with_a_long_body_ends_as_soon_as_one_with_a_short_one() -> None:
    body = "Count := Count + 1;\n" * 2000
    plant = with_programs(f"VAR i : INT; END_VAR\nFOR i := 0 TO 9 DO\n  i := 0;\n{body}END_FOR;")
    bench, _, _ = running(plant)
    began = time.process_time()
    bench.run_until(0.2)
    assert next(iter(bench.programs.values())).state == "stopped"
    assert time.process_time() - began < 5


@given(value=st.floats() | st.integers(-(10**400), 10**400).map(lambda n: n / 10**390))
def test_whatever_a_program_puts_on_an_output_the_bench_goes_on(value: float) -> None:
    plant = with_programs("Valve := Level * 0.0;")
    bench, named, _ = running(plant)
    controller = next(iter(bench.controllers.values()))
    program = next(iter(bench.programs.values()))
    assert program.compiled is not None
    controller.programs.clear()
    controller.put(named["Valve"], value)
    bench.run_until(0.3)
    assert bench.value(named["Valve"])[0] is not None


def test_as_much_as_is_kept_can_be_read_and_comes_back_from_a_file() -> None:
    text = "Lamp := TRUE;\n" * (PROGRAM_LETTERS_AT_MOST // 14)
    plant = with_programs(text)
    assert told(plant).faults == ()
    assert parse_plant(export_text(plant).encode()).plant.all(Program)[0].text == text


def test_a_text_that_is_too_long_is_refused_and_said() -> None:
    plant = with_programs("")
    with pytest.raises(Refusal, match="at most 400000"):
        done(plant, edits.SetFields(ids=[plant.all(Program)[0].id], values={"text": ";" * 1_000_000}))

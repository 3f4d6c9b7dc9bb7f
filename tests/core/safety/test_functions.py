"""Safety functions: how soon and how surely they act, by hand and by trying all ways."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.errors import Refusal
from highmoor.core.figures.safety.distance import scanner_distance
from highmoor.core.figures.safety.failures import level_of
from highmoor.core.numbers import exact
from highmoor.core.parts import analyse
from highmoor.core.plant.rows import Axis, Controller, Link, SafetyFunction, SafetyPart, Signal, Use
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.safety.failing import failing_of
from highmoor.core.safety.functions import rank
from highmoor.core.safety.told import FunctionTold
from tests.core.demo import DEMO, LIBRARY
from tests.core.plants import built
from tests.core.safety.functions import CONTACTS, SI, SO, analysed, at, do, of, on, pair, press, put, told, with_part


def test_the_press_by_hand() -> None:
    found = told(press())
    # Input delay 3 and module 5; telegram 3 + 1; cycle 8 + 2; 4; output 2; STO 5; the watchdog of 20 beyond 4.
    assert [one.worst_ms for one in found.time.segments] == [0, 8, 4, 10, 4, 2, 5]
    assert (found.time.response_ms, found.time.fault_ms, found.time.fault_of) == (49, 16, f"link.{at(press(), SI)}")
    assert (found.time.stop_ms, found.time.total_ms, found.time.missing) == (420, 469, ())
    # The button, λ = 5·10⁻⁷: 0.98²·λ²·(0.99·2 + 0.01·175 200) + 0.02·λ; the types and the drive 0.8 + 4.2 + 1.1 + 2.0.
    assert found.level.pfh == pytest.approx(8.1e-9 + 1.04211e-8, rel=1e-5)
    assert (found.level.level, found.level.sil, found.level.enough, found.change) == ("e", 3, True, ())
    assert [one.kind for one in found.level.counted] == ["sensor", "input", "logic", "output", "actuator"]


def test_the_aisle_of_the_demo_and_the_distance_it_asks_for() -> None:
    analysis = analyse(DEMO, LIBRARY)
    aisle = next(one for one in DEMO.all(SafetyFunction) if one.name == "Turner aisle")
    time = analysis.result("function.told", aisle.id).time
    assert [one.worst_ms for one in time.segments] == [140, 8, 4, 10, 4, 2, 5]
    assert (time.response_ms, time.total_ms) == (189, 609)
    for stop, distance in ((420, Fraction("2194.4")), (560, Fraction("2418.4"))):
        whole = exact(time.response_ms) + stop
        found = scanner_distance("horizontal", Fraction(200), Fraction(50), whole / 1000, Fraction(100))
        assert found.mm == distance


def test_the_latest_way_counts_and_one_that_cannot_be_told_before_it() -> None:
    slow = on(press(), "Door", worst_ms=60)
    assert (told(slow).time.sensor, told(slow).time.total_ms) == (of(slow, "Door"), 529)
    braked = on(put(press(), of(press(), "Drive"), block="ss1-t"), "Drive", delay_ms=300, stop_ms=100)
    time = told(braked).time
    assert (time.response_ms, time.delay_ms, time.stop_ms, time.total_ms) == (49, 300, 100, 449)
    # A delay belongs to what brakes before it lets go.
    assert told(put(braked, of(braked, "Drive"), block="sto")).time.total_ms == 149
    unknown = with_part(slow, "sensor", "espe", "Field", SI, "ch4")
    time = told(unknown).time
    assert (time.sensor, time.total_ms, time.missing) == (of(unknown, "Field"), None, ("how long Field takes",))


def test_a_watchdog_below_what_it_watches_gives_no_response() -> None:
    plant = put(press(), at(press(), SO), settings__safe_watchdog_ms=3)
    time = told(plant).time
    assert time.response_ms is None and "would run out while all is well" in time.missing[0]
    assert time.fault_ms == 16


def test_what_would_help_is_told() -> None:
    late = put(press(), of(press(), "Press"), asked_ms=460)
    assert told(late).change == (
        "411 ms instead of 420 ms for the machine's stop would be soon enough.",
        "7 ms instead of 16 ms for what the longest watchdog costs would be soon enough.",
        "1 ms instead of 10 ms for HALL would be soon enough.",
    )
    single = pair(press("PL e"), SI, "ch0", evaluation="1oo1")
    assert told(single).change == (
        "Button reaches PL c by itself.", "-S1, channel 0 reaches PL d by itself.",
    )  # fmt: skip
    # Contacts pressed often, by themselves still good enough: the sum is not.
    worn = on(press("PL e"), "Button", b10d=8_000)
    assert told(worn).level.level == "d"


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.integers(0, 300), st.booleans()), min_size=1, max_size=3),
    st.lists(st.tuples(st.integers(0, 50), st.integers(0, 900), st.integers(0, 500)), min_size=1, max_size=3),
    st.integers(1, 40), st.integers(1, 10), st.integers(10, 90),
)  # fmt: skip
def test_no_way_takes_longer_than_is_told(
    sensors: list[tuple[int, bool]], drives: list[tuple[int, int, int]], cycle: int, longest: int, watchdog: int
) -> None:
    plant = do(press(), edits.Remove(ids=[part.id for part in press().all(SafetyPart)]))
    plant = put(plant, of(plant, "HALL"), settings__safe_cycle_ms=cycle, settings__safe_longest_ms=longest,
                settings__safe_watchdog_ms=watchdog)  # fmt: skip
    for n, (worst, _) in enumerate(sensors):
        plant = with_part(plant, "sensor", "contact", f"S{n}", SI, f"ch{2 * n}", worst_ms=worst)
    for n, (worst, stop, delay) in enumerate(drives):
        plant = with_part(plant, "actuator", "ss1-t", f"A{n}", SO, "ch0", worst_ms=worst, stop_ms=stop, delay_ms=delay)
    found = told(plant)
    if watchdog < cycle + longest:
        assert found.time.total_ms is None
        return
    beyond = max(watchdog - cycle - longest, 16)
    ways = [s + 8 + 4 + cycle + longest + 4 + 2 + a + beyond + stop + delay
            for s, _ in sensors for a, stop, delay in drives]  # fmt: skip
    assert found.time.total_ms == max(ways)
    assert found.time.segments[0].of == found.time.sensor and found.time.segments[-1].of == found.time.actuator


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.sampled_from([1e-9, 4e-8, 3e-7, 2e-6, 5e-5, None]), st.sampled_from("abcde")), min_size=2,
                max_size=4), st.integers(1, 3))  # fmt: skip
def test_a_level_is_no_higher_than_that_of_the_worst_demand(parts: list[tuple[float | None, str]], split: int) -> None:
    """By going through all demands; in whatever order the parts stand."""
    sensors, drives = parts[:split], parts[split:]
    plant = do(press(), edits.Remove(ids=[part.id for part in press().all(SafetyPart)]))
    for role, block, place, given_ in (("sensor", "contact", SI, sensors), ("actuator", "sto", SO, drives)):
        for n, (pfh, level) in enumerate(given_):
            values: dict[str, Any] = {"level": level} | ({} if pfh is None else {"pfh": pfh, "category": "4"})
            plant = with_part(
                plant, role, block, f"{role}{n}", place, f"ch{2 * n if role == 'sensor' else 0}", **values
            )
    found = told(plant).level
    if not drives:
        assert (found.level, found.enough) == ("", None)
        return
    fixed = exact(8e-10) + exact(4.2e-9) + exact(1.1e-9)
    assert found.at_least == any(pfh is None for pfh, _ in parts)
    if found.at_least:
        assert (found.level, found.enough) == ("", None)
        return
    levels = []
    for pfh, level in sensors:
        total = fixed + exact(pfh or 0) + sum((exact(one or 0) for one, _ in drives), Fraction(0))
        own = [min(own_level, level_of(exact(one or 0)) or "") for one, own_level in ((pfh, level), *drives)]
        levels.append(min(level_of(total) or "", *own))
    assert found.level == min(levels)
    assert found.enough == (rank(min(levels)) >= rank("d"))


@pytest.mark.parametrize(
    ("given_", "per_hour", "single", "pfh", "level"),
    [
        ({"pfh": 1e-8}, None, False, 1e-8, "e"),
        # As its maker says, where that is less than the failures would allow.
        ({"pfh": 1e-8, "level": "d"}, None, False, 1e-8, "d"),
        # Not as its maker says, where the failures do not allow it.
        ({"pfh": 5e-6, "level": "e"}, None, False, 5e-6, "b"),
        ({"pfh": 1e-8, "category": "1"}, None, False, 1e-8, "c"),
        ({"pfh": 1e-8, "category": "4", "ccf": 64}, None, False, 1e-8, "c"),
        ({"pfh": 1e-8, "category": "4", "ccf": 65}, None, False, 1e-8, "e"),
        # Contacts: nothing without how often they are used.
        ({"b10d": 1e6}, None, False, None, ""),
        # One channel: 0.1·n/B10D, found ones off it only with tests.
        ({"b10d": 1e6}, 2, True, 2e-7, "c"),
        ({"b10d": 1e6, "category": "B"}, 2, False, 2e-7, "b"),
        ({"b10d": 1e6, "category": "2", "dc": 90}, 2, False, 2e-8, "d"),
        # Two: 0.98²·λ²·(0.99·½ + 0.01·175 200) + 0.02·λ with λ = 2·10⁻⁷.
        ({"b10d": 1e6}, 2, False, 4.06732e-9, "e"),
        ({"b10d": 1e6, "beta": 10}, 2, False, 2.00568e-8, "e"),
        ({}, 2, False, None, ""),
    ],
)
def test_what_a_part_fails_by(
    given_: dict[str, Any], per_hour: int | None, single: bool, pfh: float | None, level: str
) -> None:
    found = failing_of(given_, None if per_hour is None else Fraction(per_hour), single=single)
    assert found.level == level
    assert found.pfh == (None if pfh is None else pytest.approx(pfh, rel=1e-4))


def test_contacts_are_used_for_no_longer_than_they_last() -> None:
    """A million operations at twelve an hour are 9.5 years: T1 is that, not twenty."""
    found = failing_of({"b10d": 1e6, "dc": 0, "beta": 0}, Fraction(12), single=False)
    assert found.replace_years == pytest.approx(1e6 / 12 / 8760)
    assert found.pfh == pytest.approx((12 / 1e7) ** 2 * (1e6 / 12))


def test_what_edits_of_functions_refuse() -> None:
    plant = press()
    function, drive, button = (of(plant, name) for name in ("Press", "Drive", "Button"))
    other = built(edits.AddController(type="tarnfell.tf-21", name="S", address="10.0.0.2"))
    with pytest.raises(Refusal, match="has no safe part"):
        apply(other, BUILTIN, edits.AddSafetyFunction(controller=other.all(Controller)[0].id))
    reset = of(plant, "Reset")
    for edit, why in (
        (edits.AddSafetyPart(function=function, role="sensor", block="sto"), "no kind of sensor"),
        (edits.AddSafetyPart(function=function, role="sensor", block="guard", place=function), "wired to a module"),
        (
            edits.AddSafetyPart(function=function, role="actuator", block="sto", device=reset),
            "a station, an axis or a scanner",
        ),
        (edits.UseSignal(of=function, role="feedback", signal=reset), "nothing that a signal can be to Press"),
        (edits.UseSignal(of=button, role="feedback", signal=reset), "nothing that a signal can be to Button"),
        (edits.UseSignal(of=reset, role="reset", signal=reset), "by safety functions"),
        (edits.SetFields(ids=[drive], values={"block": "guard"}), "Kind cannot be"),
        (edits.SetFields(ids=[function], values={"asked": "PL f"}), "Level asked cannot be"),
    ):
        with pytest.raises(Refusal, match=why):
            apply(plant, BUILTIN, edit)
    fed = do(plant, edits.UseSignal(of=drive, role="feedback", signal=reset))
    assert [use.role for use in fed.children(Use, drive)] == ["feedback"]
    assert not do(fed, edits.UseSignal(of=drive, role="feedback")).children(Use, drive)
    for typed, key in (("2", "ch2"), ("2 and 3", "ch2"), ("channels 4 + 5", "ch4"), ("ch6", "ch6"), ("r12", "r12")):
        assert put(plant, button, key=typed).get(button, SafetyPart).key == key
    # What is cleared is none, and what is gone leaves nothing.
    assert put(plant, function, asked="").all(SafetyFunction)[0].asked == ""
    assert not do(plant, edits.Remove(ids=[at(plant, SI)])).get(button, SafetyPart).place
    gone = do(fed, edits.Remove(ids=[function]))
    assert not gone.all(SafetyPart) and not gone.all(Use)


def test_a_part_goes_to_the_first_pair_that_is_free() -> None:
    plant = with_part(press(), "sensor", "guard", "Hatch", SI, "", **CONTACTS)
    assert plant.get(of(plant, "Hatch"), SafetyPart).key == "ch4"


def test_an_edit_of_what_lies_between_renews_the_function_alone() -> None:
    plant, function = press(), of(press(), "Press")
    analysis = analyse(plant, BUILTIN)
    made = apply(plant, BUILTIN, edits.SetFields(ids=[at(plant, SI)], values={"settings.pairs.ch0.filter_ms": 10}))
    analysis.advance(made.plant, made.change)
    result: FunctionTold = analysis.result("function.told", function)
    assert result.time.total_ms == 476
    assert not plant.all(Axis)


def test_a_watchdog_of_a_module_that_two_functions_use_is_found_once_and_stays_while_one_does() -> None:
    plant = put(press(), at(press(), SI), settings__safe_watchdog_ms=10)
    other = do(plant, edits.AddSafetyFunction(controller=of(plant, "HALL"), name="Other"))
    function = next(one.id for one in other.all(SafetyFunction) if one.name == "Other")
    add = edits.AddSafetyPart(
        function=function, role="sensor", block="guard", name="Flap", place=at(plant, SI), key="ch4"
    )
    other = do(other, add)
    analysis = analysed(other)

    def found() -> list[str]:
        return [one.code for one in analysis.findings.values() if one.code == "SAF-123"]

    assert found() == ["SAF-123"]
    for gone in ("Other", "Press"):
        made = apply(other, BUILTIN, edits.Remove(ids=[of(other, gone)]))
        analysis.advance(made.plant, made.change)
        assert found() == ["SAF-123"], gone
        analysis = analysed(other)


def test_pairs_that_have_no_signal_get_one_by_a_pattern() -> None:
    plant = press()
    function = of(plant, "Press")
    before = {signal.name for signal in plant.all(Signal)}
    named = do(plant, edits.NameParts(of=function, pattern="{function} {part} good"))
    made = {signal.name: signal for signal in named.all(Signal) if signal.name not in before}
    assert set(made) == {"PressButtonGood", "PressDoorGood", "PressDriveGood"}
    links = {made_.name: next(one for one in named.all(Link) if one.signal == made_.id) for made_ in made.values()}
    parts = {part.name: part for part in plant.children(SafetyPart, function)}
    assert {name: (one.place, one.key, one.access) for name, one in links.items()} == {
        f"Press{part.name}Good": (part.place, part.key, "writes" if part.role == "actuator" else "reads")
        for part in parts.values()
    }
    assert {signal.type for signal in made.values()} == {"SAFEBOOL"}
    # A finding of none of them: what a safe channel gives is safe.
    assert not {f.code for f in analysed(named).findings.values()} & {"SAF-201", "SAF-202", "SAF-203"}
    with pytest.raises(Refusal, match="has a signal"):
        do(named, edits.NameParts(of=function))
    for pattern in ("{door}", "{part!x}", "{part.real}", "{part:>9}", "part}"):
        with pytest.raises(Refusal, match="not understood"):
            do(plant, edits.NameParts(of=function, pattern=pattern))

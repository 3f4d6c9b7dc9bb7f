"""Records of stop times, tests and replacements: what they come to, what is due when, and that they stay."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.days import day_of, days_from, months_after
from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, Controller, Proof, SafetyFunction
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.safety.fault_plan import FaultTold, not_tried
from highmoor.core.safety.proofs import DueTold, ProofsTold
from tests.core.motion.axes import LIFT, an_axis
from tests.core.safety.functions import CONTACTS, SI, analysed, at, do, of, on, press, put, with_part
from tests.core.safety.wrong import TODAY, after_test, stopped


def told(plant: Plant, today: str = TODAY, name: str = "Press") -> ProofsTold:
    analysis = analysed(plant)
    analysis.pass_to(today)
    result: ProofsTold = analysis.result("function.proofs", of(plant, name))
    return result


def due(plant: Plant, name: str, kind: str, today: str = TODAY) -> DueTold | None:
    return next((one for one in told(plant, today).due if (one.name, one.kind) == (name, kind)), None)


def test_a_stop_time_by_hand() -> None:
    plant = stopped(press(), 410, 390, 420)
    (record,) = told(plant).records[of(plant, "Drive")]
    # 400 seven times, 410, 390, 420: their mean 402, the squares 28 + 64 + 144 + 324 over 9, three times that spread.
    assert (record.mean_ms, record.readings) == (402, 10)
    assert record.deviation_ms == pytest.approx((560 / 9) ** 0.5)
    assert record.value_ms == pytest.approx(402 + 3 * (560 / 9) ** 0.5)
    # All alike but one: the largest counts where three deviations come to less.
    (record,) = told(stopped(press(), *[400.0] * 10)).records[of(plant, "Drive")]
    assert record.value_ms == 400


@pytest.mark.parametrize(
    ("start", "months", "ends"),
    [("2025-06-15", 12, "2026-06-15"), ("2026-01-31", 1, "2026-02-28"), ("2024-02-29", 12, "2025-02-28"),
     ("2026-12-31", 1, "2027-01-31"), ("2026-11-30", 1, "2026-12-30"), ("2025-12-01", 25, "2028-01-01")],
)  # fmt: skip
def test_months_later(start: str, months: int, ends: str) -> None:
    assert months_after(start, months) == ends


@given(st.dates(date(1990, 1, 1), date(2090, 1, 1)), st.integers(1, 240))
def test_so_many_months_are_never_more_than_their_days(start: date, months: int) -> None:
    days = days_from(start.isoformat(), months_after(start.isoformat(), months))
    assert 28 * months <= days <= 31 * months


@pytest.mark.parametrize(
    ("today", "state"),
    [("2026-05-14", "in time"), ("2026-05-15", "in time"), ("2026-05-16", "soon"), ("2026-06-15", "soon"),
     ("2026-06-16", "overdue"), ("", "unknown")],
)  # fmt: skip
def test_a_year_from_its_day(today: str, state: str) -> None:
    one = due(stopped(press(), at="2025-06-15"), "Drive", "stop-time", today)
    assert one and (one.last, one.due, one.state) == ("2025-06-15", "2026-06-15", state)


def test_which_tests_are_asked_of_what() -> None:
    def every(asked: str, demand: float | None, block: str = "guard", **settings: Any) -> str:
        plant = put(press(asked), of(press(), "Press"), settings__demand_per_h=demand)
        plant = put(on(plant, "Door", **settings), of(plant, "Door"), block=block)
        one = due(plant, "Door", "test")
        return one.every if one else ""

    # A door that is opened less than once a month (730 h), once a year (8760 h).
    assert [every("PL e", 1 / 729), every("PL e", 1 / 731), every("PL e", None)] == ["", "month", "month"]
    assert [every("PL d", 1 / 8759), every("PL d", 1 / 8761), every("SIL 2", None)] == ["", "year", "year"]
    assert [every("PL c", None), every("PL c", 1, check_months=3), every("PL e", None, check_months=0)] == [
        "", "3 months", "",
    ]  # fmt: skip
    assert [every("PL c", 1, "espe"), every("PL c", 1, "espe", check_months=24)] == ["year", "2 years"]
    assert every("PL e", None, "contact") == ""


def test_contacts_are_due_when_a_tenth_of_them_has_failed() -> None:
    # 100 000 presses at 1 an hour are 11.4 years of 8760 hours.
    plant = put(press(), of(press(), "Press"), settings__demand_per_h=1)
    assert due(plant, "Button", "replaced").state == "never"  # type: ignore[union-attr]
    assert due(plant, "Door", "replaced") is None
    plant = do(plant, edits.AddProof(of=of(plant, "Button"), what="replaced", at="2020-01-01", by="Ada"))
    one = due(plant, "Button", "replaced")
    ends = (date(2020, 1, 1) + timedelta(days=int(100_000 / 24))).isoformat()
    assert one and (one.every, one.due, one.state) == ("11.4 years", ends, "in time")


def test_only_what_stands_on_site_counts_and_the_last_of_it() -> None:
    plant = stopped(press(), at="2026-01-10")
    stop = edits.Reading(readings_ms=[500.0] * 10)
    of_drive: dict[str, Any] = {"of": of(plant, "Drive"), "what": "stop-time", "by": "Ada", "stop": stop}
    plant = do(plant, edits.AddProof(**of_drive, at="2026-03-01", where="bench"))
    plant = do(plant, edits.AddProof(**of_drive, at="2026-04-01"))

    def last() -> tuple[str, set[str]]:
        one = due(plant, "Drive", "stop-time")
        assert one
        return one.last, {found.code for found in analysed(plant).findings.values() if found.code == "SAF-125"}

    assert last() == ("2026-04-01", {"SAF-125"})
    newest = next(one for one in plant.all(Proof) if one.at == "2026-04-01")
    plant = do(plant, edits.VoidProof(id=newest.id, reason="Wrong axis."))
    assert last() == ("2026-01-10", set())
    # What is dated later than today has not been.
    plant = do(plant, edits.AddProof(**of_drive, at="2026-06-16"))
    assert last()[0] == "2026-01-10"


def test_what_is_measured_of_an_axis_holds_in_every_function_that_stops_it() -> None:
    plant = an_axis(LIFT, plant=press(), speed=200, acceleration=500)
    axis = plant.all(Axis)[0]
    plant = do(plant, edits.AddSafetyFunction(controller=of(plant, "HALL"), name="Other"))
    plant = put(plant, of(plant, "Drive"), device=axis.id)
    other = next(one for one in plant.all(SafetyFunction) if one.name == "Other")
    plant = do(plant, edits.AddSafetyPart(function=other.id, role="actuator", block="sto", name="X", device=axis.id))
    stop = edits.Reading(readings_ms=[400.0] * 10)
    plant = do(plant, edits.AddProof(of=axis.id, what="stop-time", at=TODAY, by="Ada", stop=stop))
    for name, part in (("Press", "Drive"), ("Other", "X")):
        assert [one.at for one in told(plant, name=name).records[of(plant, part)]] == [TODAY]
    # Without the axis there is nothing to say of it any more.
    assert not do(plant, edits.Remove(ids=[axis.id])).all(Proof)


def test_a_door_that_two_functions_have_is_tested_once() -> None:
    plant = do(press(), edits.AddSafetyFunction(controller=of(press(), "HALL"), name="Other"))
    other = next(one for one in plant.all(SafetyFunction) if one.name == "Other")
    place = at(plant, SI)
    door = edits.AddSafetyPart(function=other.id, role="sensor", block="guard", name="The door", place=place, key="ch2")
    plant = do(plant, door)
    plant = with_part(plant, "sensor", "guard", "Flap", SI, "ch4", **CONTACTS)
    plant = after_test(plant, "passed")
    assert [one.at for one in told(plant, name="Other").records[of(plant, "The door")]] == [TODAY]
    assert not told(plant).records[of(plant, "Flap")]


@pytest.mark.parametrize(
    ("values", "reason"),
    [
        ({"what": "test", "result": "passed"}, "no such records"),
        ({"at": "30.9.2026"}, "no day"),
        ({"at": "2026-02-30"}, "no day"),
        ({"by": " "}, "Who did it"),
        ({"stop": None}, "readings"),
        ({"stop": edits.Reading(readings_ms=[400.0] * 9)}, "At least 10"),
        ({"stop": edits.Reading(readings_ms=[400.0] * 9 + [0])}, "not above 0"),
        ({"result": "passed"}, "passed or failed"),
        ({"of": "HALL"}, "no such records"),
    ],
)
def test_what_is_no_record(values: dict[str, Any], reason: str) -> None:
    plant = press()
    stop = edits.Reading(readings_ms=[4.0] * 10)
    asked = {"of": "Drive", "what": "stop-time", "at": TODAY, "by": "Ada", "stop": stop, **values}
    with pytest.raises(Refusal, match=reason):
        do(plant, edits.AddProof(**{**asked, "of": of(plant, asked["of"])}))


def test_a_record_stays_until_its_part_goes_and_no_copy_has_it() -> None:
    plant = after_test(stopped(press()), "passed")
    stop, test = plant.all(Proof)
    for row in (stop, test):
        with pytest.raises(Refusal, match="A record stays"):
            do(plant, edits.Remove(ids=[row.id]))
        with pytest.raises(Refusal):
            do(plant, edits.SetFields(ids=[row.id], values={"at": "2026-01-01"}))
    with pytest.raises(Refusal, match="reason"):
        do(plant, edits.VoidProof(id=stop.id, reason=" "))
    voided = do(plant, edits.VoidProof(id=stop.id, reason="Another speed."))
    with pytest.raises(Refusal, match="before"):
        do(voided, edits.VoidProof(id=stop.id, reason="Again."))
    assert do(plant, edits.Remove(ids=[of(plant, "Door")])).all(Proof) == [stop]
    copy = do(plant, edits.Duplicate(id=plant.all(Controller)[0].id))
    assert len(copy.all(SafetyFunction)) == 2 and copy.all(Proof) == [stop, test]


@given(st.lists(st.dates(date(2025, 1, 1), date(2027, 12, 31)), min_size=1, max_size=4))
def test_as_days_pass_all_is_as_if_it_were_told_from_the_first(days: list[date]) -> None:
    plant = after_test(stopped(press(), at="2025-06-15"), "passed", at="2026-06-01")
    analysis = analysed(plant)
    function = of(plant, "Press")
    for one in days:
        analysis.pass_to(one.isoformat())
        fresh = analysed(plant)
        fresh.pass_to(one.isoformat())
        assert analysis.findings == fresh.findings
        assert analysis.result("function.proofs", function) == fresh.result("function.proofs", function)
    made = apply(plant, BUILTIN, edits.VoidProof(id=plant.all(Proof)[0].id, reason="No."))
    analysis.advance(made.plant, made.change)
    assert not [one for one in analysis.findings.values() if one.code == "SAF-127"]


def test_a_day_is_written_in_one_way() -> None:
    assert day_of(" 2026-09-30 ") == "2026-09-30"
    for wrong in ("", "20", "2026-13-01", None, 5, "9999999-01-01"):
        with pytest.raises(Refusal, match="no day"):
            day_of(wrong)


@pytest.mark.parametrize(
    ("values", "holds"),
    [({"drop_out_ms": 3}, False), ({"stop_ms": 431}, True), ({"worst_ms": 6, "pfh": 1e-9}, True),
     ({"key": "ch2"}, False),
     ({"name": "Press drive"}, True)],
)  # fmt: skip
def test_a_record_holds_as_long_as_what_it_was_done_with(values: dict[str, Any], holds: bool) -> None:
    before = stopped(press())
    part = of(before, "Drive")
    paths = {key if key in ("key", "name") else f"settings.{key}": value for key, value in values.items()}
    plant = do(before, edits.SetFields(ids=[part], values=paths))
    (record,) = told(plant).records[part]
    assert (record.counts, record.changed) == (holds, not holds)
    # A pair beside it was not tested.
    plant = do(before, edits.SetFields(ids=[at(before, SI)], values={"settings.pairs.ch6.discrepancy_ms": 20}))
    assert told(plant).records[part][0].counts


def test_a_fault_that_was_tried_is_of_the_plan_and_stays_open_until_it_went_as_expected() -> None:
    plant = press()
    button = of(plant, "Button")

    def tried(plant: Plant) -> tuple[FaultTold, ...]:
        faults: tuple[FaultTold, ...] = analysed(plant).result("function.faults", of(plant, "Press"))
        return tuple(one for one in faults if one.part == button)

    def record(plant: Plant, result: Any, fault: str = "stuck-b", where: Any = "site", at: str = TODAY) -> Plant:
        made = edits.AddProof(of=button, what="fault", fault=fault, result=result, where=where, at=at, by="Ada")
        return do(plant, made)

    every = len(tried(plant))
    assert not_tried(tried(plant)) == {"Button": (every, every)}
    assert not_tried(tried(record(plant, "passed"))) == {"Button": (every - 1, every)}
    assert not_tried(tried(record(plant, "passed", where="bench"))) == {"Button": (every, every)}
    failed = record(record(plant, "passed", at="2026-06-01"), "failed", at="2026-06-02")
    assert {one.key: one.site for one in tried(failed)}["stuck-b"] == "failed"
    # Another pair is another thing that was tried.
    moved = do(
        record(plant, "passed"), edits.SetFields(ids=[at(plant, SI)], values={"settings.pairs.ch0.filter_ms": 10})
    )
    assert not_tried(tried(moved)) == {"Button": (every, every)}
    for wrong in ({"fault": "open-c"}, {"fault": ""}):
        with pytest.raises(Refusal, match=r"no such fault|one of the plan"):
            record(plant, "passed", **wrong)
    with pytest.raises(Refusal, match="passed or failed"):
        record(plant, "")

"""The text of a safe part, for documentation: whole, and its button the same as the one that decides."""

from __future__ import annotations

import re

from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.plant.rows import SafetyFunction
from highmoor.core.project import edits
from highmoor.core.safety.logic import ResetButton
from tests.core.safety.functions import DI, SI, analysed, at, do, of, pair, press, put


def text_of(plant: object) -> str:
    text: str = analysed(plant).result("controller.safe-text", of(plant, "HALL")).text  # type: ignore[arg-type]
    return text


def test_the_press_as_a_text() -> None:
    owner = press().all(SafetyFunction)[0].controller
    plant = do(
        pair(press(), SI, "ch2", kind="antivalent", discrepancy_ms=250),
        edits.AddSignals(controller=owner, pattern="EStop", type="SAFEBOOL", place=at(press(), SI), key="ch0"),
        edits.AddSignals(controller=owner, pattern="Dropped", place=at(press(), DI), key="ch3"),
        edits.UseSignal(of=of(press(), "Press"), role="start", signal=of(press(), "Start")),
    )
    plant = put(plant, of(plant, "Drive"), block="contactor", settings__feedback_ms=60)
    plant = do(plant, edits.UseSignal(of=of(plant, "Drive"), role="feedback", signal=of(plant, "Dropped")))
    text = text_of(plant)
    for line in (
        "(* Runs every 8 ms, at most 2 ms long. *)",
        "(* Press: stop category 0, PL d asked. *)",
        "(* Button: -S1, channels 0 and 1, as SF_Equivalent, DiscrepancyTime := T#100ms *)",
        "(* Door: -S1, channels 2 and 3, as SF_Antivalent, DiscrepancyTime := T#250ms *)",
        # Of the door no signal is made: it is called by its place.
        "S_Press_good := EStop AND S1_ch2;",
        "Press_button(Pressed := Reset, S_Good := S_Press_good);",
        "S_EDM1 := Dropped, S_EDM2 := Dropped, MonitoringTime := T#60ms);",
        "S_SafeControl := S_Press AND S2_ch0_edm.S_EDM_Out, ProcessControl := Start, StaticControl := FALSE",
        "S2_ch0 := S2_ch0_control.S_OutControl;",
    ):
        assert line in text, line
    by_itself = text_of(put(press(), of(press(), "Press"), settings__restart="self"))
    assert "S_AutoReset := TRUE, Reset := FALSE" in by_itself and "Press_button" not in by_itself
    assert text_of(do(press(), edits.Remove(ids=[of(press(), "Press")]))) == ""


@given(st.lists(st.tuples(st.booleans(), st.booleans()), max_size=40))
def test_the_button_that_is_written_is_the_one_that_decides(runs: list[tuple[bool, bool]]) -> None:
    text = text_of(press())
    lines = re.findall(r"^  (\w+) := (.+);$", text, re.MULTILINE)
    assert [name for name, _ in lines] == ["Resets", "counts", "was"]
    known = {"was": True, "counts": False, "Resets": False}
    button = ResetButton()
    for pressed, good in runs:
        known |= {"Pressed": pressed, "S_Good": good}
        for name, rule in lines:
            said = rule.replace("AND NOT", "and not").replace("AND", "and").replace("OR", "or").replace("NOT", "not")
            known[name] = bool(eval(said, {}, known))
        assert known["Resets"] == button.pulse(pressed, good)

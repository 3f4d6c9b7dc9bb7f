"""What the safe part of a controller does, written in the terms of PLCopen Safety, for documentation.

Nothing runs by this text: what is decided is `logic.py`, and the blocks named here are those of PLCopen Safety, part 1.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Controller, Link, Module, SafetyFunction, SafetyPart, Signal, Use
from highmoor.core.safety.lanes import Wired, wired_to
from highmoor.core.safety.settings import SENSORS, safe_part_of

_BUTTON = """\
FUNCTION_BLOCK ResetButton
  (* A press counts if all of it was seen since the start, and everything was good meanwhile. *)
  VAR_INPUT Pressed : BOOL; S_Good : SAFEBOOL; END_VAR
  VAR_OUTPUT Resets : BOOL; END_VAR
  VAR was : BOOL := TRUE; counts : BOOL; END_VAR
  Resets := was AND NOT Pressed AND counts AND S_Good;
  counts := S_Good AND ((Pressed AND NOT was) OR (counts AND Pressed));
  was := Pressed;
END_FUNCTION_BLOCK
"""
_INPUTS = {
    "SF_EmergencyStop": ("S_EStopIn",), "SF_GuardMonitoring": ("S_GuardSwitch1", "S_GuardSwitch2"),
    "SF_ESPE": ("S_ESPE_In",),
}  # fmt: skip
_OUTPUTS = {"SF_EmergencyStop": "S_EStopOut", "SF_GuardMonitoring": "S_GuardMonitoring", "SF_ESPE": "S_ESPE_Out"}


@dataclass(frozen=True, slots=True)
class SafeText:
    """The text of a controller's safe part; empty where it has no safety function."""

    text: str


def _text(reader: Reader, root: str) -> SafeText:
    functions = reader.children(SafetyFunction, root)
    if not functions:
        return SafeText("")
    row = reader.row(root, Controller)
    safe = safe_part_of(row.settings)
    head = (
        f"(* For documentation: the safe part of {row.name}. *)\n(* Runs every {shown(safe.cycle)} ms, "
        f"at most {shown(safe.longest)} ms long. *)\n\n{_BUTTON}"
    )
    outputs: dict[tuple[str, str], list[SafetyFunction]] = {}
    blocks = [head]
    for function in functions:
        blocks.append("\n".join(_function(reader, function)))
        for part in reader.children(SafetyPart, function.id):
            wired = wired_to(reader, part) if part.role == "actuator" else None
            if wired:
                those = outputs.setdefault((wired.module.id, part.key), [])
                those.extend([function] if function not in those else [])
    blocks += ["\n".join(_output(reader, module, key, those)) for (module, key), those in outputs.items()]
    return SafeText("\n".join(f"{block.rstrip()}\n" for block in blocks))


def _name(text: str) -> str:
    """A name as a program can use it."""
    kept = "".join(c if c.isascii() and c.isalnum() else "_" for c in text).strip("_")
    while "__" in kept:
        kept = kept.replace("__", "_")
    return kept if kept[:1].isalpha() else f"f_{kept}".rstrip("_")


def _at(reader: Reader, module: str, key: str) -> str:
    """The signal that lies at a pair; where there is none, what the pair is called."""
    for link in reader.referring(Link, "place", module):
        if link.key == key:
            return str(reader.value(link.signal, Signal, "name"))
    row = reader.row(module, Module)
    return _name(f"{row.designation or row.type} {key}")


def _signal(reader: Reader, of: str, role: str) -> str | None:
    found = next((use.signal for use in reader.children(Use, of) if use.role == role), None)
    return None if found is None else str(reader.value(found, Signal, "name"))


def _function(reader: Reader, function: SafetyFunction) -> Iterator[str]:
    name = _name(function.name)
    sensors = [part for part in reader.children(SafetyPart, function.id) if part.role == "sensor"]
    wired = [(part, wired_to(reader, part)) for part in sensors]
    values = [_at(reader, one.module.id, part.key) if one else f"FALSE (* {part.name}: not wired *)"
              for part, one in wired]  # fmt: skip
    by_hand = function.settings.get("restart", "hand") == "hand"
    kinds = {SENSORS[part.block].block for part in sensors if part.block in SENSORS}
    kind = kinds.pop() if len(kinds) == 1 else "SF_EmergencyStop"
    asked = f", {function.asked} asked" if function.asked else ""
    yield f"(* {function.name}: stop category {function.settings.get('stop_category', 0)}{asked}. *)"
    yield from _compared(wired)
    yield f"S_{name}_good := {_and(values)};"
    reset = _signal(reader, function.id, "reset") if by_hand else None
    if reset:
        yield f"{name}_button(Pressed := {reset}, S_Good := S_{name}_good);"
    pulse = f"{name}_button.Resets" if reset else "FALSE"
    good = f"S_{name}_good"
    inputs = ", ".join(f"{one} := {good}" for one in _INPUTS[kind])
    yield (
        f"{name}(Activate := TRUE, {inputs}, S_StartReset := FALSE, "
        f"S_AutoReset := {str(not by_hand).upper()}, Reset := {pulse});  (* {kind} *)"
    )
    yield f"S_{name} := {name}.{_OUTPUTS[kind]};"


def _compared(wired: Iterable[tuple[SafetyPart, Wired | None]]) -> Iterator[str]:
    """What the modules do before the safe part sees anything."""
    for part, one in wired:
        if one and one.pair.together:
            kind = "SF_Antivalent" if one.pair.antivalent else "SF_Equivalent"
            limit = shown(one.pair.discrepancy_ms)
            yield f"(* {part.name}: {one.called}, {one.pair.called}, as {kind}, DiscrepancyTime := T#{limit}ms *)"


def _and(terms: list[str]) -> str:
    return " AND ".join(terms) if terms else "FALSE"


def _output(reader: Reader, module: str, key: str, functions: list[SafetyFunction]) -> Iterator[str]:
    value = _at(reader, module, key)
    name = _name(value)
    row = reader.row(module, Module)
    yield f"(* {row.designation or row.type}, {key}: on while all of these release it. *)"
    all_release = _and([f"S_{_name(function.name)}" for function in functions])
    feedbacks = list(_feedbacks(reader, module, key, functions))
    for feedback, within in feedbacks:
        yield (
            f"{name}_edm(Activate := TRUE, S_OutControl := {value}, S_EDM1 := {feedback}, S_EDM2 := {feedback}, "
            f"MonitoringTime := T#{within}ms);  (* SF_EDM *)"
        )
    safe = " AND ".join([all_release, *([f"{name}_edm.S_EDM_Out"] if feedbacks else [])])
    starts = list(dict.fromkeys(s for f in functions if (s := _signal(reader, f.id, "start"))))
    stops = list(dict.fromkeys(s for f in functions if (s := _signal(reader, f.id, "stop"))))
    process = " OR ".join(starts) or "TRUE"
    yield (
        f"{name}_control(Activate := TRUE, S_SafeControl := {safe}, ProcessControl := {process}, "
        f"StaticControl := {str(not starts).upper()}, S_StartReset := FALSE, S_AutoReset := TRUE);  (* SF_OutControl *)"
    )
    off = "".join(f" AND NOT {stop}" for stop in stops)
    yield f"{value} := {name}_control.S_OutControl{off};"


def _feedbacks(
    reader: Reader, module: str, key: str, functions: list[SafetyFunction]
) -> Iterator[tuple[str, str]]:  # fmt: skip
    for function in functions:
        for part in reader.children(SafetyPart, function.id):
            feedback = _signal(reader, part.id, "feedback") if (part.place, part.key) == (module, key) else None
            within = part.settings.get("feedback_ms")
            if feedback and within is not None:
                yield feedback, shown(within)


PARTS: tuple[Part, ...] = (
    Part("controller.safe-text", "controllers", _text, shown=SafeText, asked=True, stage="safety"),
)

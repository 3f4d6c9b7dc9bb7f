"""What can be set of a safety function and its parts, and of the safe part of a controller."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import partial
from typing import Any

from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.figures.safety.failures import LEVELS
from highmoor.core.hardware.mounting import modules_behind
from highmoor.core.hardware.safe_pairs import Pair, pairs_of
from highmoor.core.motion.fields import drives_of
from highmoor.core.plant.fields import Choice, FieldSection, FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Axis, Exchange, Module, SafetyFunction, SafetyPart, Scanner
from highmoor.core.safety.failing import ALLOWS, USUAL_BETA, USUAL_DC
from highmoor.core.safety.proofs import FIELD_MONTHS, USUAL_STOP_TIME_MONTHS
from highmoor.core.safety.scanner.types import scanner_set
from highmoor.core.safety.settings import (
    ASKED,
    BLOCKS,
    BRAKING,
    USUAL_CYCLE_MS,
    USUAL_LONGEST_MS,
    USUAL_WARNING_MS,
    USUAL_WATCHDOG_MS,
    Block,
    is_safe,
)

_NOTE = FieldSpec("note", "Note", "note", default="", optional=True)
_LONG_MS = 600_000


def _ms(key: str, label: str, section: FieldSection = "safety", **more: Any) -> FieldSpec:
    return FieldSpec(
        f"settings.{key}", label, "number", unit="ms", minimum=more.pop("minimum", 0),
        maximum=more.pop("maximum", _LONG_MS), optional=True, section=section, **more,
    )  # fmt: skip


def safe_part_fields(device: DeviceType | None) -> Iterator[FieldSpec]:
    """Of a controller that has a safe part."""
    if device is None or device.safety is None:
        return
    yield _ms("safe_cycle_ms", "Safe part runs every", default=USUAL_CYCLE_MS, minimum=1, maximum=1000)
    yield _ms("safe_longest_ms", "takes at most", default=USUAL_LONGEST_MS, minimum=0.1, maximum=1000,
              hint="Longer, and it stops with everything held safe. It is part of every response.")  # fmt: skip
    yield _ms("safe_warning_ms", "warns above", default=USUAL_WARNING_MS, minimum=0.1, maximum=1000)
    yield _ms("safe_watchdog_ms", "Watchdog over it", default=USUAL_WATCHDOG_MS, minimum=1, maximum=10_000)
    yield FieldSpec("settings.stop_time_months", "Stop times measured again every", "integer", unit="months",
                    minimum=1, maximum=240, default=USUAL_STOP_TIME_MONTHS, optional=True, section="safety",
                    term="ISO 13855", counted=True)  # fmt: skip


def safe_module_fields(device: DeviceType | None) -> Iterator[FieldSpec]:
    """Of a safe module as a whole."""
    if is_safe(device):
        yield _ms("safe_watchdog_ms", "Safe telegrams watched for", default=USUAL_WATCHDOG_MS, minimum=1,
                  maximum=10_000, hint="Without one for so long, its channels are held safe.")  # fmt: skip


def function_fields(plant: Plant, catalogue: Catalogue, row: SafetyFunction) -> tuple[FieldSpec, ...]:
    stops = (
        Choice(0, "0: supply off at once"),
        Choice(1, "1: brakes, then supply off"),
        Choice(2, "2: brakes, stays on"),
    )
    views = (
        Choice("outside", "outside, in view of the zone"), Choice("inside", "inside the zone"),
        Choice("blind", "where the zone cannot be seen"),
    )  # fmt: skip
    return (
        FieldSpec("name", "Name", "text"),
        FieldSpec("asked", "Level asked", "choice", default="", optional=True, term="ISO 13849-1, IEC 62061",
                  choices=tuple(Choice(key, key or "none") for key in ASKED), hint="As the risk assessment has it."),
        FieldSpec("asked_ms", "Standstill asked within", "number", unit="ms", minimum=0.1, maximum=_LONG_MS,
                  optional=True),
        FieldSpec("settings.stop_category", "Stop category", "choice", default=0, choices=stops, optional=True,
                  section="safety", term="IEC 60204-1"),
        FieldSpec("settings.demand_per_h", "Demanded", "number", unit="1/h", minimum=1e-6, maximum=3600, optional=True,
                  section="safety", hint="How often an hour; contacts wear by it."),
        FieldSpec("settings.restart", "After it, starts again", "choice", default="hand", optional=True,
                  section="safety",
                  choices=(Choice("hand", "when reset by hand"), Choice("self", "by itself"))),
        FieldSpec("settings.reset_at", "Reset stands", "choice", default="outside", choices=views, optional=True,
                  section="safety"),
        _NOTE,
    )  # fmt: skip


def _channel(given: Any) -> str:
    """A channel's key, typed as such or by numbers: ch2, 2, 2 and 3. Other keys are kept as they are."""
    text = str(given).strip()
    numbers = re.match(r"(?:channels?\s*)?(\d{1,3})(?:\s*(?:and|\+|,)\s*\d{1,3})?$", text, re.IGNORECASE)
    if numbers:
        return f"ch{int(numbers[1])}"
    return str(FieldSpec("key", "Channels", "text").parse(text))


def _in_words(pairs: tuple[Pair, ...], key: str) -> str:
    pair = next((pair for pair in pairs if key in pair.channels), None)
    return pair.called if pair and pair.together and key == pair.key else ""


def part_fields(plant: Plant, catalogue: Catalogue, row: SafetyPart) -> tuple[FieldSpec, ...]:
    sensor = row.role == "sensor"
    there = plant.find(row.place)
    pairs = pairs_of(catalogue.find(there.type), there.settings) if isinstance(there, Module) else ()
    block = BLOCKS[row.role].get(row.block)
    blocks = tuple(Choice(one.key, one.label) for one in BLOCKS[row.role].values())
    return (
        FieldSpec("role", "Role", "text", made=True),
        FieldSpec("name", "Name", "text"),
        FieldSpec("block", "Kind", "choice", choices=blocks, hint=block.source if block else ""),
        FieldSpec("device", "Is", "choice", optional=True, choices=tuple(_devices(plant, catalogue, row))),
        FieldSpec("place", "Wired to", "choice", optional=True, choices=tuple(_places(plant, catalogue, row))),
        FieldSpec("key", "Channels", "text", default="", optional=True, read=_channel, show=partial(_in_words, pairs),
                  hint="The channel by its number, of two taken together the first."),
        *(_sensor_fields(block, plant.find(row.device)) if sensor else _actuator_fields(block)),
        *_failing_fields(),
    )  # fmt: skip


def _devices(plant: Plant, catalogue: Catalogue, row: SafetyPart) -> Iterator[Choice]:
    """What is elsewhere in the plant and is this part: a station, or an axis that is stopped."""
    function: SafetyFunction | None = plant.find(row.function)
    if function is None:
        return
    if row.role == "sensor":
        for scanner in plant.children(Scanner, function.controller):
            yield Choice(scanner.id, f"scanner {scanner.name}")
    if row.role == "actuator":
        for axis in plant.children(Axis, function.controller):
            yield Choice(axis.id, f"axis {axis.name}")
    for station, label in drives_of(plant, catalogue, function.controller):
        yield Choice(station.id, label)


def places_of_controller(plant: Plant, catalogue: Catalogue, controller: str) -> Iterator[tuple[Module, DeviceType]]:
    """The safe modules whose safe telegrams a controller gets, on its rail and on those of its stations."""
    heads = (controller, *(station.id for station, _ in drives_of(plant, catalogue, controller)))
    for head in heads:
        for module in modules_behind(plant, head):
            device = catalogue.find(module.type)
            if device is not None and is_safe(device):
                yield module, device


def _places(plant: Plant, catalogue: Catalogue, row: SafetyPart) -> Iterator[Choice]:
    function: SafetyFunction | None = plant.find(row.function)
    if function is None:
        return
    inward = row.role == "sensor"
    safe = list(places_of_controller(plant, catalogue, function.controller))
    for module, device in safe:
        if any(pair.inward == inward for pair in pairs_of(device, module.settings)):
            yield Choice(module.id, module.designation or device.name)
    # What is wired plainly can be said as well, and is found.
    there: Module | Exchange | None = plant.find(row.place)
    if there is not None and there.id not in {module.id for module, _ in safe}:
        name = there.name if isinstance(there, Exchange) else there.designation or there.type
        yield Choice(there.id, f"{name}, not safe")


_TESTED_HINT = "If empty: where it is opened less often, for PL e every month, for PL d every year."


def _sensor_fields(block: Block | None, device: object) -> Iterator[FieldSpec]:
    if isinstance(device, Scanner):
        outputs = scanner_set(device.type, device.settings).outputs
        yield FieldSpec("settings.output", "By its output", "integer", minimum=1, maximum=outputs, default=1,
                        optional=True, section="safety")  # fmt: skip
        yield _ms("worst_ms", "Responds within", disabled="it follows from the scanner")
    else:
        yield _ms("worst_ms", "Responds within", hint="Of contacts 0: they open as they are moved.")
    yield FieldSpec("settings.pulsed", "Has pulsed outputs of its own", "boolean", default=False, optional=True,
                    section="safety", hint="It tests its two outputs itself.")  # fmt: skip
    yield _ms("pulse_ms", "its test pulses last", maximum=100)
    yield FieldSpec("settings.check_months", "Tested every", "integer", unit="months", minimum=0, maximum=240,
                    optional=True, section="safety", default=FIELD_MONTHS if block and block.key == "espe" else None,
                    hint=_TESTED_HINT if block and block.key == "guard" else "", counted=True)  # fmt: skip
    if block and block.key == "guard":
        yield _ms("opening_ms", "Reached after opening for", hint="From opening until a person fits through.")
        for key, label, hint in (
            ("distance_mm", "Hazard lies behind it", "Straight from the guard."),
            ("reach_mm", "Reached through its gap", "Before it is seen to be open, by ISO 13857."),
        ):
            yield FieldSpec(f"settings.{key}", label, "number", unit="mm", minimum=0, maximum=100_000, optional=True,
                            section="safety", hint=hint)  # fmt: skip
        yield FieldSpec("settings.locked", "Locked until all stands", "boolean", default=False, optional=True,
                        section="safety", term="ISO 14119")  # fmt: skip


def _actuator_fields(block: Block | None) -> Iterator[FieldSpec]:
    yield _ms("worst_ms", "Acts within", hint="From its input's change to the end of the movement's supply.")
    if block and block.key in BRAKING:
        yield _ms("delay_ms", "Supply goes after", hint="The drive brakes until then.")
    yield _ms("stop_ms", "Machine then stops within", hint="By its stop time record, or as expected.")
    yield _ms("filter_ms", "Its input passes over", maximum=1000, hint="Pulses that are shorter do not switch it.")
    yield _ms("drop_out_ms", "Drops out within", maximum=10_000, hint="Until its feedback contact is closed again.")
    yield _ms("feedback_ms", "Feedback expected within", maximum=10_000)


def _failing_fields() -> Iterator[FieldSpec]:
    section: FieldSection = "failing"
    yield FieldSpec("settings.pfh", "Fails dangerously", "number", unit="1/h", minimum=0, maximum=1, optional=True,
                    section=section, term="PFH", hint="By its data sheet; else by its contacts.")  # fmt: skip
    yield FieldSpec("settings.level", "Level by its maker", "choice", optional=True, section=section,
                    choices=tuple(Choice(one, f"PL {one}") for one in LEVELS),
                    hint="If empty: by its failures.")  # fmt: skip
    yield FieldSpec("settings.b10d", "Operations until a tenth failed", "number", minimum=1, maximum=1e12,
                    optional=True, section=section, term="B10D")  # fmt: skip
    yield FieldSpec("settings.category", "Category", "choice", optional=True, section=section,
                    choices=tuple(Choice(one, one) for one in ALLOWS), term="ISO 13849-1, 6.2",
                    hint="If empty: 3, with one channel 1.")  # fmt: skip
    yield _percent("dc", "Failures found", float(USUAL_DC), "DC")
    yield _percent("beta", "Failures in common", float(USUAL_BETA), "β")
    yield FieldSpec("settings.ccf", "Points against common cause", "number", minimum=0, maximum=100, optional=True,
                    section=section, term="ISO 13849-1, F", hint="From category 2 on 65 are needed.")  # fmt: skip


def _percent(key: str, label: str, usual: float, term: str) -> FieldSpec:
    return FieldSpec(f"settings.{key}", label, "number", unit="%", minimum=0, maximum=100, default=usual, optional=True,
                     section="failing", term=term)  # fmt: skip

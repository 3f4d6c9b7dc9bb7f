"""What can be wrong with a safety function: how soon and how surely it acts, how it starts again."""

from __future__ import annotations

from collections.abc import Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.numbers import fraction_at, plain, shown
from highmoor.core.plant.rows import Controller, SafetyFunction, SafetyPart, Use
from highmoor.core.safety.settings import safe_part_of
from highmoor.core.safety.told import FunctionTold

_TOLD = "function.told"


def _function(reader: Reader, root: str) -> SafetyFunction:
    return reader.row(root, SafetyFunction)


def _has_emergency_stop(reader: Reader, root: str) -> bool:
    return any(part.block == "emergency-stop" for part in reader.children(SafetyPart, root))


def _incomplete(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    lacks = [what for what, lanes in (("sensor", result.sensors), ("actuator", result.actuators)) if not lanes]
    if lacks:
        yield finding("SAF-101", root, name=_function(reader, root).name, what=" and no ".join(lacks))


def _same_name(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    own = _function(reader, root)
    for other in reader.children(SafetyFunction, own.controller):
        if other.id < root and other.name.lower() == own.name.lower():
            yield finding("SAF-102", (root, "name"), (other.id, "name"), name=own.name)


def _unsure(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    level, name = result.level, _function(reader, root).name
    if level.enough is False:
        reached = f"PL {level.level}{_sil(level.sil)}" if level.level else "no level"
        asked = _function(reader, root).asked
        yield finding("SAF-105", (root, "asked"), name=name, reached=reached, asked=asked)


def _sil(sil: int) -> str:
    return f" (SIL {sil})" if sil else ""


def _undetermined(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    if not result.level.asked:
        return
    for one in result.level.counted:
        if one.pfh is None:
            yield finding("SAF-106", (root, "asked"), one.of, name=_function(reader, root).name, part=one.label)


def _late(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    asked = fraction_at({"ms": _function(reader, root).asked_ms}, "ms")
    total = result.time.total_ms
    if asked is not None and total is not None and total > asked:
        yield finding("SAF-107", (root, "asked_ms"), name=_function(reader, root).name, total=shown(total),
                      asked=shown(plain(asked)))  # fmt: skip


def _untold(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    own = _function(reader, root)
    if own.asked_ms is not None and result.time.total_ms is None and result.sensors and result.actuators:
        yield finding("SAF-108", (root, "asked_ms"), name=own.name, missing=", ".join(result.time.missing))


def _stays_on(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    own = _function(reader, root)
    stops = _has_emergency_stop(reader, root)
    if stops and own.settings.get("stop_category", 0) == 2:
        yield finding("SAF-109", (root, "settings.stop_category"), name=own.name)


def _by_itself(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    own = _function(reader, root)
    stops = _has_emergency_stop(reader, root)
    if stops and own.settings.get("restart") == "self":
        yield finding("SAF-110", (root, "settings.restart"), name=own.name)


def _no_reset(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    own = _function(reader, root)
    roles = {use.role for use in reader.children(Use, root)}
    if own.settings.get("restart", "hand") == "hand" and "reset" not in roles and result.actuators:
        yield finding("SAF-111", root, name=own.name)


def _reset_starts(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    uses = {use.role: use.signal for use in reader.children(Use, root)}
    if "reset" in uses and uses["reset"] == uses.get("start"):
        yield finding("SAF-112", root, uses["reset"], name=_function(reader, root).name)


def _reset_blind(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    own = _function(reader, root)
    where = {"inside": "inside the zone", "blind": "where the zone cannot be seen"}.get(
        str(own.settings.get("reset_at") or "")
    )
    if where and own.settings.get("restart", "hand") == "hand":
        yield finding("SAF-113", (root, "settings.reset_at"), name=own.name, where=where)


def _logic_trips(result: FunctionTold, reader: Reader, root: str) -> Iterator[Finding]:
    own = _function(reader, root)
    controller = reader.row(own.controller, Controller)
    safe = safe_part_of(controller.settings)
    first = min(one.id for one in reader.children(SafetyFunction, own.controller))
    if root == first and safe.watchdog < safe.worst:
        yield finding("SAF-124", (controller.id, "settings.safe_watchdog_ms"), name=controller.name,
                      watchdog=shown(plain(safe.watchdog)), worst=shown(plain(safe.worst)))  # fmt: skip


FUNCTION_CHECKS: tuple[Check, ...] = (
    Check(
        "SAF-101", _TOLD, "safety", "warning", "Safety function without an end",
        "{name} has no {what}.", "Without what sees the demand and what stops the movement it does nothing.",
        _incomplete,
    ),
    Check(
        "SAF-102", _TOLD, "safety", "error", "Two safety functions of one name",
        "{name} is the name of two safety functions.", "In the report nobody could tell them apart.", _same_name,
    ),
    Check(
        "SAF-105", _TOLD, "safety", "error", "Level not reached",
        "The figures of {name} reach {reached}; {asked} is asked.",
        "The sum of dangerous failures an hour, or a part of it, is not good enough for the risk.", _unsure,
        "ISO 13849-1:2015, 6.3",
    ),
    Check(
        "SAF-106", _TOLD, "safety", "warning", "Level cannot be told",
        "{name}: how often {part} fails is not given.",
        "The sum is then only known to be at least what the others give. Contacts also need to know how often they are "
        "used.", _undetermined, "ISO 13849-1:2015, 6.3",
    ),
    Check(
        "SAF-107", _TOLD, "safety", "error", "Standstill later than asked",
        "{name} takes {total} ms from demand to standstill; {asked} ms are asked.",
        "Someone could reach the hazard before it has stopped.", _late, "ISO 13855:2010, 5",
    ),
    Check(
        "SAF-108", _TOLD, "safety", "warning", "Time to standstill cannot be told",
        "{name}: not known is {missing}.",
        "A time that is asked for can only be held against one that is told.", _untold,
    ),
    Check(
        "SAF-109", _TOLD, "safety", "error", "Emergency stop that stays on",
        "{name} has an emergency stop, and stop category 2 leaves the drive under power.",
        "An emergency stop is of stop category 0 or 1.", _stays_on, "ISO 13850:2015, 4.1.4; IEC 60204-1, 9.2.5.4.2",
    ),
    Check(
        "SAF-110", _TOLD, "safety", "error", "Emergency stop that resets itself",
        "{name} has an emergency stop, and starts again by itself once that is released.",
        "Releasing the button must start nothing: a reset by hand comes first.", _by_itself, "ISO 13850:2015, 4.1.4",
    ),
    Check(
        "SAF-111", _TOLD, "safety", "error", "Nothing to reset it by",
        "{name} is to be reset by hand, and no signal does that.", "Once it has stopped, it would never release again.",
        _no_reset, "ISO 13849-1:2015, 5.2.2",
    ),
    Check(
        "SAF-112", _TOLD, "safety", "error", "Reset that starts",
        "{name}: the same signal resets and starts.", "A reset prepares a start and must not be one.", _reset_starts,
        "ISO 13849-1:2015, 5.2.2",
    ),
    Check(
        "SAF-113", _TOLD, "safety", "error", "Reset where nobody may reset",
        "{name}: its reset stands {where}.",
        "Whoever resets has to see that nobody is in the zone, and must not be in it.", _reset_blind,
        "ISO 13849-1:2015, 5.2.2",
    ),
    Check(
        "SAF-124", _TOLD, "safety", "error", "Watchdog shorter than what it watches",
        "The safe part of {name} takes up to {worst} ms, and its watchdog runs out after {watchdog} ms.",
        "It would stop while all is well.", _logic_trips, "IEC 61784-3, 5.4",
    ),
)  # fmt: skip

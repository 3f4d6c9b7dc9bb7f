"""Which signals a scanner's inputs, its enable and its plain outputs are, and how far apart inputs can change.

An input selects while its signal is TRUE; with an enable, inputs are only taken while that is. What a signal is to a
scanner is its role: `select1`, `enable`, `output2`.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.datatypes import SAFE_TYPE
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Link, Scanner, Signal, Situation, Use
from highmoor.core.safety.scanner.types import INPUT_MS, ScannerSet, scanner_set
from highmoor.core.signals.hops import task_of
from highmoor.core.signals.path import SignalPath

ENABLE, SELECT, OUTPUT = "enable", "select", "output"
# What is TRUE or FALSE.
TYPES = ("BOOL", SAFE_TYPE)


@dataclass(frozen=True, slots=True)
class InputTold:
    """An input: the signal that drives it, and the situations that need it."""

    role: str
    number: int
    signal: str | None
    situations: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class OutputTold:
    """An output: the plain signal that reads it."""

    role: str
    number: int
    signal: str | None


@dataclass(frozen=True, slots=True)
class ScannerSignals:
    """`select_ms` is how long it takes at worst from the program to the last of its inputs, `apart_ms` how much later
    than another one of them can change; both 0 without signals."""

    inputs: tuple[InputTold, ...]
    enable: str | None
    outputs: tuple[OutputTold, ...]
    select_ms: float
    apart_ms: float


def roles_of(of: ScannerSet) -> tuple[str, ...]:
    """What signals can be to a scanner."""
    return (*(f"{SELECT}{n + 1}" for n in range(of.inputs)), ENABLE, *(f"{OUTPUT}{n + 1}" for n in range(of.outputs)))


def _told(reader: Reader, root: str) -> ScannerSignals:
    row = reader.row(root, Scanner)
    of = scanner_set(row.type, row.settings)
    by_role = {use.role: use.signal for use in reader.children(Use, root)}
    situations = reader.children(Situation, root)
    inputs = tuple(
        InputTold(f"{SELECT}{n + 1}", n + 1, by_role.get(f"{SELECT}{n + 1}"),
                  tuple(one.id for one in situations if one.select[n : n + 1] == "1"))
        for n in range(of.inputs)
    )  # fmt: skip
    outputs = tuple(OutputTold(f"{OUTPUT}{n + 1}", n + 1, by_role.get(f"{OUTPUT}{n + 1}")) for n in range(of.outputs))
    driven = [one.signal for one in inputs if one.signal is not None]
    enable = by_role.get(ENABLE)
    late = max((_worst(reader, one) for one in driven), default=0.0)
    # What leaves in one image, by one task, is there at one instant.
    ways = {way for one in driven if (way := _way(reader, one)) is not None}
    return ScannerSignals(inputs, enable, outputs, late if enable is None else max(late, _worst(reader, enable)),
                          late if len(ways) > 1 else 0.0)  # fmt: skip


def _worst(reader: Reader, signal: str) -> float:
    """From the program until the scanner has noticed; 0 for one that is linked to nothing."""
    path: SignalPath | None = reader.part("signal.path", signal)
    return path.worst_ms + INPUT_MS if path and path.links else 0.0


def _way(reader: Reader, signal: str) -> tuple[str, ...] | None:
    """By which task, and where, it leaves; None for one that is written nowhere."""
    places = sorted(link.place for link in reader.children(Link, signal) if link.access != "reads")
    task = task_of(reader, reader.row(signal, Signal))
    return (task.id if task else "", *places) if places else None


def _apart(result: ScannerSignals, reader: Reader, root: str) -> Iterator[Finding]:
    row = reader.row(root, Scanner)
    limit = scanner_set(row.type, row.settings).switch_over_ms
    if result.enable is None and result.apart_ms > limit:
        yield finding("SAF-317", root, name=row.name, apart=shown(result.apart_ms), limit=shown(limit))


def _undriven(result: ScannerSignals, reader: Reader, root: str) -> Iterator[Finding]:
    if not any(one.signal for one in result.inputs):
        return
    for one in result.inputs:
        if one.signal is None and one.situations:
            yield finding("SAF-318", (root, one.role), one.situations[0], name=reader.value(root, Scanner, "name"),
                          number=one.number, situation=reader.value(one.situations[0], Situation, "name"))  # fmt: skip


def _not_written(result: ScannerSignals, reader: Reader, root: str) -> Iterator[Finding]:
    asked = [(one.role, one.signal, "writes") for one in result.inputs]
    asked.append((ENABLE, result.enable, "writes"))
    asked += [(one.role, one.signal, "reads") for one in result.outputs]
    for role, signal, access in asked:
        if signal is None:
            continue
        links = reader.children(Link, signal)
        if links and all(link.access != access for link in links):
            wrong = "is read from an input, and drives nothing" if access == "writes" else "is written to an output"
            yield finding("SAF-319", (root, role), signal, name=reader.value(root, Scanner, "name"),
                          signal=reader.value(signal, Signal, "name"), wrong=wrong)  # fmt: skip


PARTS: tuple[Part, ...] = (Part("scanner.signals", "scanners", _told, shown=ScannerSignals),)

SIGNAL_CHECKS: tuple[Check, ...] = (
    Check("SAF-317", "scanner.signals", "safety", "error", "Inputs that change too far apart",
          "The inputs of {name} can change up to {apart} ms after one another; after {limit} ms of a wrong pattern it "
          "shuts off.", "On their ways to different modules one can be so much later. With an enable it takes them "
          "when all are there.", _apart, "IEC 61496-3"),
    Check("SAF-318", "scanner.signals", "safety", "warning", "Input that nothing drives",
          "Input {number} of {name} selects {situation}, and no signal drives it.",
          "Other inputs are driven by signals: with this one nothing can select the situation.", _undriven),
    Check("SAF-319", "scanner.signals", "safety", "error", "Signal that goes the wrong way",
          "{signal} {wrong}: it cannot be what it is said to be at {name}.",
          "Inputs of a scanner are driven by outputs of the controller, and its outputs are read.", _not_written),
)  # fmt: skip

"""The little programs of a controller: what each text means with the signals that are there, and who writes what."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, replace

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import DataStructure, Link, Program, Signal, Task
from highmoor.core.program.checking import Checked, Faulty, check
from highmoor.core.program.kinds import TIME, held
from highmoor.core.program.renaming import named_in
from highmoor.core.program.steps import Scope
from highmoor.core.program.syntax import At, Fault, Fix, Text, Unsound, read
from highmoor.core.signals.declared import Declarations
from highmoor.core.signals.hops import slowest_task
from highmoor.core.signals.values import literal_value

# What is not worked out of a text that nobody could read anyway.
_USES_AT_MOST = 20_000


@dataclass(frozen=True, slots=True)
class KnownSignal:
    """A signal as the programs of its controller know it."""

    signal: str
    name: str
    type: str
    writable: bool
    initial: float | int | bool


@dataclass(frozen=True, slots=True)
class ControllerScope:
    """All signals that the programs of a controller can name, in order; none where it has no program."""

    signals: tuple[KnownSignal, ...]
    # Declared structures by name in small letters: each value's name behind the variable's, with its type.
    structures: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = ()

    def scope(self) -> Scope:
        """To be checked against, one slot a signal in this order."""
        scope = Scope.of((one.name, DATA_TYPES[one.type], one.writable, one.initial) for one in self.signals)
        scope.structures = {name: [(one, DATA_TYPES[kind]) for one, kind in shape] for name, shape in self.structures}
        return scope


@dataclass(frozen=True, slots=True)
class FixTold:
    """What mends a fault: `letters` from a line and column on are replaced."""

    line: int
    column: int
    letters: int
    by: str


@dataclass(frozen=True, slots=True)
class FaultTold:
    """What is wrong with a text, from which line and column on; `unknown` is a name that nobody knows."""

    line: int
    column: int
    text: str
    unknown: str = ""
    fix: FixTold | None = None


@dataclass(frozen=True, slots=True)
class UseTold:
    """A variable that a line names: a signal, or one of the program's own as `PROGRAM.name`."""

    line: int
    column: int
    name: str
    variable: str
    type: str
    unit: str
    writes: bool


@dataclass(frozen=True, slots=True)
class ProgramTold:
    """What a text comes to: what is wrong with it, what its sound lines use; the signals it reads and writes."""

    faults: tuple[FaultTold, ...] = ()
    uses: tuple[UseTold, ...] = ()
    reads: tuple[str, ...] = ()
    writes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class ControllerPrograms:
    """The signals that programs use, and those that several of them write, each with the programs."""

    used: frozenset[str]
    contested: tuple[tuple[str, tuple[str, ...]], ...]


def _scope(reader: Reader, root: str) -> ControllerScope:
    if not reader.children(Program, root):
        return ControllerScope(())
    links = reader.index(Link, "signal")
    known, names = [], set()
    for signal in reader.children(Signal, root):
        kind = DATA_TYPES.get(signal.type)
        if kind is None or signal.name.lower() in names:
            continue
        names.add(signal.name.lower())
        outside = any(reader.value(link, Link, "access") == "reads" for link in links.get(signal.id, ()))
        begins = literal_value(signal.initial, kind) if signal.initial else None
        if begins is None:
            begins = False if kind.family == "bool" else 0
        known.append(KnownSignal(signal.id, signal.name, signal.type, not outside, held(begins, kind)))
    return ControllerScope(tuple(known), tuple(_structures(reader.all(DataStructure))))


def _structures(rows: list[DataStructure]) -> Iterator[tuple[str, tuple[tuple[str, str], ...]]]:
    """Those that can be used; what is wrong with another one is told of that."""
    declared = Declarations(rows)
    for row in rows:
        with suppress(Refusal):
            yield row.name.lower(), tuple((one.name[1:], one.type) for one in declared.elements("x", row.name))


def _read(reader: Reader, root: str) -> Text | tuple[Fault, ...]:
    return read_text(reader.value(root, Program, "text"))


def read_text(text: str) -> Text | tuple[Fault, ...]:
    """What a text says, or what is wrong with it."""
    try:
        return read(text)
    except Unsound as unsound:
        return unsound.faults
    except (RecursionError, MemoryError):
        return (_TOO_DEEP,)


_TOO_DEEP = Fault(At(1, 1), "This is nested too deeply, or a single expression is too long.")


def _checked(reader: Reader, root: str) -> ProgramTold:
    text: Text | tuple[Fault, ...] = reader.part("program.read", root)
    controller = reader.value(root, Program, "controller")
    known: ControllerScope = reader.part("controller.scope", controller)
    units = {one.signal: "" for one in known.signals}
    told = told_of(text, known, root)
    for signal in {use.variable for use in told.uses} & units.keys():
        units[signal] = reader.value(signal, Signal, "unit")
    uses = (
        UseTold(use.line, use.column, use.name, use.variable, use.type, units.get(use.variable, use.unit), use.writes)
        for use in told.uses
    )
    return ProgramTold(told.faults, tuple(uses), told.reads, told.writes)


def told_of(text: Text | tuple[Fault, ...], known: ControllerScope, program: str) -> ProgramTold:
    """What a text that was read comes to with the signals that are known."""
    if isinstance(text, tuple):
        return ProgramTold(tuple(map(_told, text)))
    scope = known.scope()
    try:
        checked = check(text, scope)
    except Faulty as faulty:
        # The lines that mean something are told all the same.
        return replace(_uses(faulty.sound, known, program), faults=tuple(map(_told, faulty.faults)))
    except (RecursionError, MemoryError):
        return ProgramTold((_told(_TOO_DEEP),))
    return _uses(checked, known, program)


def _told(fault: Fault) -> FaultTold:
    fix: Fix | None = fault.fix
    mend = FixTold(fix.at.line, fix.at.column, fix.letters, fix.by) if fix else None
    return FaultTold(fault.at.line, fault.at.column, fault.text, fault.unknown, mend)


def _uses(checked: Checked, known: ControllerScope, program: str) -> ProgramTold:
    ids = [one.signal for one in known.signals]
    uses: dict[UseTold, None] = {}
    reads: dict[str, None] = {}
    writes: dict[str, None] = {}
    arrays: set[tuple[int, bool]] = set()
    for use in checked.uses:
        # The elements of an array are one tuple, however often the text uses it.
        several = (id(use.slots), use.writes)
        for slot in use.slots if len(use.slots) == 1 or several not in arrays else ():
            if slot < len(ids):
                (writes if use.writes else reads)[ids[slot]] = None
        if len(use.slots) > 1:
            arrays.add(several)
        if len(use.slots) == 1 and len(uses) < _USES_AT_MOST:
            slot = use.slots[0]
            name, kind = checked.scope.names[slot], checked.scope.kinds[slot]
            variable = ids[slot] if slot < len(ids) else own_variable(program, name)
            unit = "s" if kind is TIME else ""
            uses[UseTold(use.at.line, use.at.column, name, variable, kind.name, unit, use.writes)] = None
    return ProgramTold((), tuple(uses), tuple(reads), tuple(writes))


def own_variable(program: str, name: str) -> str:
    """How a variable of a program's own is called outside it."""
    return f"{program}.{name.lower()}"


def _programs(reader: Reader, root: str) -> ControllerPrograms:
    used: set[str] = set()
    writers: dict[str, list[str]] = {}
    for program in reader.children(Program, root):
        told: ProgramTold | None = reader.part("program.checked", program.id)
        if told is None:
            continue
        if told.faults:
            # What is being written is not used yet, but it is not forgotten either.
            names = named_in(reader.value(program.id, Program, "text"))
            known: ControllerScope = reader.part("controller.scope", root)
            used.update(one.signal for one in known.signals if one.name.lower() in names)
        used.update(told.reads, told.writes)
        for signal in told.writes:
            writers.setdefault(signal, []).append(program.id)
    contested = tuple((signal, tuple(by)) for signal, by in writers.items() if len(by) > 1)
    return ControllerPrograms(frozenset(used), contested)


def program_task(reader: Reader, program: Program) -> Task | None:
    """The task that runs a program: its own, or the controller's slowest."""
    own: Task | None = reader.find(program.task)
    return own or slowest_task(reader, program.controller)


def _tasks(reader: Reader, root: str) -> dict[str, str]:
    """By signal the quickest of the tasks whose programs use it."""
    quickest: dict[str, Task] = {}
    for program in reader.children(Program, root):
        told: ProgramTold | None = reader.part("program.checked", program.id)
        task = program_task(reader, program)
        for signal in (*told.reads, *told.writes) if told and task else ():
            before = quickest.get(signal)
            if task and (before is None or task.period_ms < before.period_ms):
                quickest[signal] = task
    return {signal: task.id for signal, task in quickest.items()}


@dataclass(frozen=True, slots=True)
class ProgramUse:
    """Where a program uses a signal: the lines that read it and those that write it."""

    program: str
    name: str
    reads: tuple[int, ...]
    writes: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class SignalUses:
    """All programs that use a signal."""

    programs: tuple[ProgramUse, ...]


def _signal_uses(reader: Reader, root: str) -> SignalUses:
    found = []
    for program in reader.children(Program, reader.value(root, Signal, "controller")):
        told: ProgramTold | None = reader.part("program.checked", program.id)
        if told is None or root not in (*told.reads, *told.writes):
            continue
        lines: dict[bool, dict[int, None]] = {False: {}, True: {}}
        for use in told.uses:
            if use.variable == root:
                lines[use.writes][use.line] = None
        found.append(ProgramUse(program.id, program.name, tuple(lines[False]), tuple(lines[True])))
    return SignalUses(tuple(found))


PARTS: tuple[Part, ...] = (
    Part("controller.scope", "controllers", _scope, asked=True),
    Part("program.read", "programs", _read, asked=True),
    Part("program.checked", "programs", _checked, shown=ProgramTold, stage="signals"),
    Part("controller.programs", "controllers", _programs, stage="signals"),
    Part("controller.tasks", "controllers", _tasks, asked=True),
    Part("signal.uses", "signals", _signal_uses, shown=SignalUses, asked=True),
)


def _faulty(result: ProgramTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.faults:
        first, more = result.faults[0], len(result.faults) - 1
        yield finding(
            "SIG-201", (root, "text"), name=reader.value(root, Program, "name"), line=first.line, column=first.column,
            problem=first.text.rstrip("."), more=f" ({more} more)" if more else "",
        )  # fmt: skip


def _contested(result: ControllerPrograms, reader: Reader, root: str) -> Iterator[Finding]:
    for signal, programs in result.contested:
        one, other = (reader.value(program, Program, "name") for program in programs[:2])
        name = reader.value(signal, Signal, "name")
        yield finding("SIG-202", signal, *programs, name=name, one=one, other=other)


CHECKS: tuple[Check, ...] = (
    Check(
        "SIG-201", "program.checked", "signals", "error", "Program that cannot be translated",
        "{name}, line {line}, column {column}: {problem}{more}.",
        "The controller goes without this program until its text is sound.", _faulty, "IEC 61131-3, 7.3",
    ),
    Check(
        "SIG-202", "controller.programs", "signals", "error", "Written by two programs",
        "{name} is written by {one} and by {other}.",
        "The one that runs last wins, silently. A value has one writer.", _contested,
    ),
)  # fmt: skip

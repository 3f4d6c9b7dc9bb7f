"""A kept move as Structured Text: what its program does is what the trial move does, by the interval and task there
are."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction

from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.handover import hold_ms
from highmoor.core.figures.motion.profile import MotionLimits, Piece, pieces, profile
from highmoor.core.motion.chain import chain_of
from highmoor.core.motion.handing_over import USUAL_SCAN_MS
from highmoor.core.motion.load import move_of
from highmoor.core.motion.profiles import BASES
from highmoor.core.motion.scale import words_a_unit
from highmoor.core.motion.settings import bounds_of
from highmoor.core.motion.units import Unit, unit_of
from highmoor.core.numbers import exact, shown
from highmoor.core.plant.change import value_at
from highmoor.core.plant.rows import (
    Axis,
    ChainLink,
    CommandProfile,
    Connection,
    Exchange,
    Link,
    Move,
    Network,
    Program,
    Signal,
    Station,
    Task,
    Use,
)
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.fields import fields_of
from highmoor.core.project.signal_names import SignalNames, identifier_of
from highmoor.core.project.wires import bus_of_station

_STREAMED = """\
VAR
  Go : R_TRIG;
  Moving : BOOL;
  State : WORD;
  Since, Begin, Wanted : LREAL;
END_VAR

// {says}, set-point by set-point, every {task} ms.
{mode} := 8;
State := {status} AND 16#006F;
IF NOT {on} THEN
  {control} := 16#0006;
ELSIF State = 16#0021 THEN
  {control} := 16#0007;
ELSIF State = 16#0023 OR State = 16#0027 THEN
  {control} := 16#000F;
ELSE
  {control} := 16#0006;
END_IF;
Go(CLK := {go});
IF State <> 16#0027 THEN
  Moving := FALSE;
  Wanted := {position} / {counts};
ELSIF Go.Q AND NOT Moving THEN
  Moving := TRUE;
  Since := 0.0;
  Begin := Wanted;
END_IF;
IF Moving THEN
  Since := Since + {step};
{pieces}
END_IF;
{target} := {put};
"""

_TOLD = """\
VAR
  Go : R_TRIG;
  Asking, NotSeen : BOOL;
  TooLong : TON;
END_VAR

// {says}: the drive goes by itself.
{enable} := {on};
{target} := {goal};
{speed} := {most};
{rate} := {ramp};
{relative} := {by};
// The start stands until the drive has seen it, as long as that can take at worst.
Go(CLK := {go} AND {enabled});
IF Go.Q THEN
  Asking := TRUE;
  NotSeen := FALSE;
END_IF;
IF {acknowledged} THEN
  Asking := FALSE;
END_IF;
TooLong(IN := Asking, PT := T#{within}ms);
IF TooLong.Q THEN
  Asking := FALSE;
  NotSeen := TRUE;
END_IF;
{start} := Asking;
"""


def write_move_program(draft: Draft, edit: edits.WriteMoveProgram) -> None:
    """A program for a move. Raises Refusal for an axis without scale, speeds or words, or with another drive."""
    move = draft.plant.get(draft.resolve(edit.move), Move)
    axis = draft.plant.get(move.axis, Axis)
    unit = unit_of(axis.kind, axis.unit)
    chain = chain_of(draft.plant.children(ChainLink, axis.id), linear=unit.linear)
    counts = words_a_unit(axis.settings, chain, unit)
    found = move_of(move, bounds_of(axis), Fraction(0))
    base: CommandProfile | None = draft.plant.find(axis.profile)
    if counts is None or found is None or base is None or base.base not in ("cia402", "words"):
        raise Refusal(
            f"{axis.name} needs a whole chain, a speed, an acceleration, a distance and the words of a drive first.",
            place=axis.id,
        )
    if move.kind == "absolute" and base.base == "cia402":
        raise Refusal("A program for a drive that follows set-points is written for a move by so far.", place=move.id)
    sign = -1 if axis.settings.get("reversed") else 1
    words = _Words(draft, axis)
    tasks = [draft.plant.get(task, Task) for task in words.tasks()]
    task = min(tasks, key=_period, default=None)
    step = exact(task.period_ms) if task else Fraction(100)
    signals = _told_by(draft, axis, move, task)
    says = f"{axis.name} {'to' if move.kind == 'absolute' else 'by'} {shown(found[0])} {unit.label}"
    names = {**signals, "says": says, "task": shown(step)}
    if BASES[base.base].streams:
        text = _streamed(words, names, found, sign * counts.value, step)
    else:
        scan = exact(base.settings.get("scan_ms", USUAL_SCAN_MS))
        text = _handed_over(words, names, found, (sign * counts.value, unit), (move, words.hold(scan, step)))
    taken = [program.name for program in draft.plant.children(Program, axis.controller)]
    name = draft.free_name(identifier_of(f"{axis.name} {move.name}"), taken)
    rank = draft.last_rank(Program, axis.controller)[0]
    row = Program(draft.new_id("programs"), axis.controller, name, rank, task.id if task else None, text)
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def _period(task: Task) -> float:
    return float(task.period_ms)


def _told_by(draft: Draft, axis: Axis, move: Move, task: Task | None) -> dict[str, str]:
    """The two signals that switch it on and set it going."""
    names, found = SignalNames(draft, axis.controller), {}
    for key, words in (("on", f"{axis.name} on"), ("go", f"{axis.name} {move.name} go")):
        rank = draft.last_rank(Signal, axis.controller)[0]
        name = names.new(words)
        task_id = task.id if task else None
        draft.put(Signal(draft.new_id("signals"), axis.controller, name, "BOOL", rank, task=task_id))
        found[key] = name
    return found


class _Words:
    """The signals of an axis by role, as a program writes and reads their counts."""

    def __init__(self, draft: Draft, axis: Axis) -> None:
        self._draft, self._axis = draft, axis
        self._signals = {
            use.role: draft.plant.get(use.signal, Signal) for use in draft.plant.children(Use, axis.id)
        }  # fmt: skip

    def name(self, role: str) -> str:
        """Raises Refusal where a word has no signal."""
        return self._signal(role).name

    def word(self, role: str) -> str:
        """Its bits, whatever number its signal is declared as."""
        signal = self._signal(role)
        return signal.name if signal.type in ("WORD", "DWORD") else f"{signal.type}_TO_WORD({signal.name})"

    def real(self, role: str) -> str:
        """Its count as a real number."""
        signal = self._signal(role)
        return signal.name if signal.type == "LREAL" else f"{signal.type}_TO_LREAL({signal.name})"

    def of_real(self, role: str, value: str) -> str:
        """A real number as its signal takes it."""
        signal = self._signal(role)
        return value if signal.type == "LREAL" else f"LREAL_TO_{signal.type}({value})"

    def tasks(self) -> list[str]:
        return [signal.task for signal in self._signals.values() if signal.task]

    def hold(self, scan: Fraction, step: Fraction) -> Fraction:
        """How long a command has to stand, ms, by the intervals of the exchanges its words are in."""
        plant, places = self._draft.plant, set()
        for signal in self._signals.values():
            places |= {plant.get(i, Link).place for i in plant.referring("links", "signal", signal.id)}
        exchanges = [row for row in map(plant.find, places) if isinstance(row, Exchange)]
        longest = max((_interval_ms(self._draft, row) for row in exchanges), default=Fraction(0))
        if not longest:
            raise Refusal(f"Nobody says how often the words of {self._axis.name} are exchanged.", place=self._axis.id)
        return hold_ms(longest, scan, step, 1)

    def _signal(self, role: str) -> Signal:
        signal = self._signals.get(role)
        if signal is None:
            raise Refusal(f"{self._axis.name} has no signal for its word {role}: name its words first.")
        for link_id in self._draft.plant.referring("links", "signal", signal.id):
            if self._draft.plant.get(link_id, Link).scaling:
                raise Refusal(f"{signal.name} is scaled: a program needs the counts as they are.", place=signal.id)
        return signal


def _interval_ms(draft: Draft, exchange: Exchange) -> Fraction:
    """How often an exchange goes, as its fieldbus has that set: on itself, on its station or on its network; ms."""
    station = draft.plant.get(draft.plant.get(exchange.connection, Connection).station, Station)
    bus = bus_of_station(draft.plant, station)
    if bus is None:
        return Fraction(0)
    rows = {"exchange": exchange, "station": station, "network": draft.plant.get(station.network, Network)}
    row = rows[bus.interval_on]
    spec = next((s for s in fields_of(draft.plant, draft.catalogue, row) if s.path == bus.interval_field), None)
    value = value_at(row, bus.interval_field)
    value = spec.default if value is None and spec else value
    return exact(value) if isinstance(value, int | float) else Fraction(0)


def _streamed(
    words: _Words, names: Mapping[str, str], found: tuple[Fraction, MotionLimits], counts: Fraction, step: Fraction
) -> str:
    distance, limits = found
    course = pieces(profile(abs(distance), limits))
    way = 1 if distance >= 0 else -1
    lines, first = [], True
    for piece in course:
        until = _number(piece.at + piece.lasts)
        lines.append(
            f"  {'IF' if first else 'ELSIF'} Since < {until} THEN\n    Wanted := Begin + {_along(piece, way)};"
        )
        first = False
    end = f"    Wanted := Begin + {_number(float(distance))};\n    Moving := FALSE;"
    lines.append(f"  ELSE\n{end}\n  END_IF;" if lines else end)
    return _STREAMED.format(
        **names, mode=words.name("mode"), status=words.word("status"), control=words.name("control"),
        position=words.real("position"), target=words.name("target"), counts=_number(float(counts)),
        step=_number(float(step / 1000)), pieces="\n".join(lines),
        put=words.of_real("target", f"Wanted * {_number(float(counts))}"),
    )  # fmt: skip


def _along(piece: Piece, way: int) -> str:
    """Position along a piece, as nested products of the time since it began."""
    t = f"(Since - {_number(piece.at)})" if piece.at else "Since"
    p, v, a, j = (_number(way * each) for each in (piece.p, piece.v, piece.a / 2, piece.j / 6))
    inner = f"({a} + {t} * {j})" if piece.j else a
    return f"{p} + {t} * ({v} + {t} * {inner})"


def _handed_over(
    words: _Words, names: Mapping[str, str], found: tuple[Fraction, MotionLimits], scale: tuple[Fraction, Unit],
    asked: tuple[Move, Fraction],
) -> str:  # fmt: skip
    distance, limits = found
    (counts, _), (move, hold) = scale, asked
    speed, rate = limits.speed, limits.acceleration
    return _TOLD.format(
        **names, enable=words.name("enable"), target=words.name("target"), goal=round(distance * counts),
        speed=words.name("target_speed"), most=round(speed * abs(counts)), rate=words.name("rate"),
        ramp=round(rate * abs(counts)), relative=words.name("relative"),
        by="FALSE" if move.kind == "absolute" else "TRUE", enabled=words.name("enabled"),
        acknowledged=words.name("acknowledged"), start=words.name("start"), within=shown(2 * hold),
    )  # fmt: skip


def _number(value: float) -> str:
    """A real number as it is written, every digit of it."""
    text = repr(float(value))
    return f"({text})" if value < 0 else text

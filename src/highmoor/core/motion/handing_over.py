"""How long a command has to stand so that a drive behind a cyclic exchange surely sees it, drawn in lanes."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.figures.motion.handover import hold_ms
from highmoor.core.motion.words import CommandsTold, WordTold
from highmoor.core.numbers import exact
from highmoor.core.plant.rows import CommandProfile, Connection, Exchange, Signal, Station, Task
from highmoor.core.signals.hops import task_of

USUAL_SCAN_MS = 10
_LOST = 1


@dataclass(frozen=True, slots=True)
class Packet:
    """A packet on its way: when it leaves, ms, and whether it comes."""

    at: float
    lost: bool


@dataclass(frozen=True, slots=True)
class HandoverTold:
    """A command's way to a drive, in ms from the task run that gives it, at worst and with one packet lost.

    `hold` is how long it stands, and then how long its idle stands; the drive sees it at `seen`. Where it tells that,
    the program knows it at `told`, and waits `within` for it at most; None where no word tells it.
    """

    word: str
    interval: float
    scan: float
    task: float
    hold: float
    packets: tuple[Packet, ...]
    looks: tuple[float, ...]
    seen: float
    told: float | None
    within: float | None
    start_taken: str


def _handover(reader: Reader, root: str) -> HandoverTold | None:
    told: CommandsTold | None = reader.part("axis.commands", root)
    start = _start_of(told) if told else None
    if told is None or start is None or not start.exchange or not start.signal:
        return None
    interval = _interval(reader, start.exchange)
    profile = reader.row(told.profile, CommandProfile)
    scan = exact(profile.settings.get("scan_ms", USUAL_SCAN_MS))
    task = _task_ms(reader, root, start.signal)
    if not interval or not scan or not task:
        return None
    hold = hold_ms(interval, scan, task, _LOST)
    back = next((word for word in told.words if word.role == "acknowledged" and word.exchange), None)
    back_ms = _interval(reader, back.exchange) if back else None
    # At worst a packet has just left when the command is given, and the next one is lost.
    packets = tuple(Packet(float(interval * n), lost=n == 1) for n in range(1, int((2 * hold) // interval) + 1))
    seen = 2 * interval + scan
    known = None
    if back_ms:
        # Told with the packet after that, and seen by the run behind it.
        known = task * -(-(seen + 2 * back_ms) // task)
    looks = tuple(float(seen - scan + scan * n) for n in range(int((2 * hold) // scan) + 1))
    return HandoverTold(
        start.label, float(interval), float(scan), float(task), float(hold), packets, looks, float(seen),
        None if known is None else float(known), None if known is None else float(2 * known), told.start_taken,
    )  # fmt: skip


def _start_of(told: CommandsTold) -> WordTold | None:
    """The word whose edge gives a command."""
    by_role = {word.role: word for word in told.words}
    return next((by_role[role] for role in ("start", "run", "control") if role in by_role), None)


def _interval(reader: Reader, exchange: str) -> Fraction | None:
    """How often an exchange goes, ms."""
    connection = reader.value(exchange, Exchange, "connection")
    station = reader.value(connection, Connection, "station")
    times = reader.part("network.times", reader.value(station, Station, "network"))
    found = times.get(exchange) if times else None
    return exact(found.period_ms) if found and found.period_ms else None


def _task_ms(reader: Reader, root: str, signal: str) -> Fraction:
    row = reader.row(signal, Signal)
    task: Task | None = task_of(reader, row)
    return exact(task.period_ms) if task else Fraction(100)


PARTS: tuple[Part, ...] = (Part("axis.handover", "axes", _handover, shown=HandoverTold, asked=True),)

"""Frames of PROFINET in time: each sender sends in its own phase, whoever else sends.

The controller's frames lie in the phases of its send clock; how a device's lie to them is chance. Drawn is the worst:
all of one phase at once, one behind the other on the controller's link. Source: IEC 61158-6-10, 4.7 and 4.12 (class 1).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from highmoor.core.figures.profinet import AROUND_OCTETS, DATA_UNIT_LEAST
from highmoor.core.networks.frames import Frame, FramePiece
from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import (
    MS_AN_OCTET,
    Block,
    Due,
    ExchangeTiming,
    Lane,
    TimeColumn,
    Timing,
)
from highmoor.core.networks.profinet.settings import DIRECTIONS, Direction, IoDevice, LineSettings, io_device
from highmoor.core.plant.rows import Network

_LINK_BIT_S = 100e6
_FRAMES_AT_MOST = 720
# Preamble, check sequence and gap, which no analyser shows.
_UNSEEN_OCTETS = 24
# Ethernet header, VLAN tag, EtherType, frame id.
DATA_AT = 20

COLUMNS = (
    TimeColumn("Every", "period_ms", hint="Its update time: the send clock, reduced"),
    TimeColumn("Takes", "transaction_ms", "µs", hint="One frame on the wire"),
    TimeColumn("Queued", "worst_late_ms", "µs", 3, "At worst, behind the frames of all others on one link"),
    TimeColumn("Gives up", "silent_cost_ms", hint="Its watchdog: after so much silence it is lost"),
)


@dataclass(frozen=True, slots=True)
class Sent:
    """The frames of one direction of a station: octets on the wire, update time and phase, ms."""

    device: IoDevice
    direction: Direction
    exchange: str
    wire_octets: int
    update_ms: float
    phase_ms: float
    watchdog_ms: float

    @property
    def wire_ms(self) -> float:
        """How long one takes."""
        return self.wire_octets * MS_AN_OCTET

    @property
    def bit_s(self) -> float:
        """What they take of a link."""
        return 8 * self.wire_octets * 1000 / self.update_ms


def phases(devices: Sequence[IoDevice], clock: int) -> dict[str, int]:
    """In which send clock of its update time each is sent to, from 0: those of one update time share them evenly."""
    told: dict[str, int] = {}
    seen: Counter[int] = Counter()
    for device in devices:
        ratio = device.ratio(clock)
        told[device.id] = seen[ratio] % ratio
        seen[ratio] += 1
    return told


def wire_octets(unit: int) -> int:
    """Octets of a frame on the wire; beyond what one holds, as many as it would take."""
    return AROUND_OCTETS + max(DATA_UNIT_LEAST, unit)


def streams(network: Network, lines: Sequence[Line]) -> Sequence[Sent]:
    """Both directions of every station, in route order."""
    own = LineSettings.of(network)
    return lines[0].together(lines, ("streams", own), lambda: _streams(own, lines)) if lines else ()


def _streams(own: LineSettings, lines: Sequence[Line]) -> list[Sent]:
    clock, clock_ms = own.clock, own.clock_ms
    devices = [io_device(line) for line in lines]
    phase = phases(devices, clock)
    found = []
    for line, device in zip(lines, devices, strict=True):
        ids = {x.direction: x.id for x in line.exchanges}
        update, watchdog = device.real_update_ms(clock), device.watchdog_ms(clock)
        for direction in DIRECTIONS:
            found.append(
                Sent(
                    device, direction, ids.get(direction, ""), wire_octets(device.unit_octets(direction)), update,
                    phase[device.id] * clock_ms, watchdog,
                )
            )  # fmt: skip
    return found


def timing(network: Network, lines: Sequence[Line], silent: str = "", *, drawn: bool = True) -> Timing:
    """A lane a station over two of the longest update times, as far as they can be drawn.

    From a station that is `silent` nothing comes; the controller sends until its watchdog is over.
    """
    sent = streams(network, lines)
    rate = sum(1000 / s.update_ms for s in sent)
    longest = max((s.update_ms for s in sent), default=100.0)
    shortest = min((s.update_ms for s in sent), default=100.0)
    window = max(min(2 * longest, 1000 * _FRAMES_AT_MOST / rate if rate else 100.0), 2 * shortest)
    queue_ms = {way: sum(s.wire_ms for s in sent if s.direction == way) for way in DIRECTIONS}
    use = {way: sum(s.bit_s for s in sent if s.direction == way) / _LINK_BIT_S for way in DIRECTIONS}
    blocks, dues = _frames_in(sent, window, silent) if drawn else ({}, {})
    lanes = tuple(
        Lane(
            own.device.id, own.device.called, tuple(blocks.get(own.device.id, ())), tuple(dues.get(own.device.id, ())),
            max(own.bit_s, back.bit_s) / _LINK_BIT_S, 2 * 1000 / own.update_ms,
        )
        for own, back in zip(sent[::2], sent[1::2], strict=True)
    )  # fmt: skip
    exchanges = tuple(_timed(s, queue_ms[s.direction]) for s in sent if s.exchange)
    whole = max(use.values(), default=0.0)
    return Timing(
        window, True, lanes, exchanges, whole,
        "of 100 Mbit/s " + ("into" if use["in"] >= use["out"] else "out of") + " the controller", "senders",
        whole=whole <= 1, packets_per_s=rate,
    )  # fmt: skip


def _timed(sent: Sent, queue_ms: float) -> ExchangeTiming:
    octets = (sent.wire_octets, 0) if sent.direction == "out" else (0, sent.wire_octets)
    late = queue_ms - sent.wire_ms
    return ExchangeTiming(
        sent.exchange, sent.update_ms, sent.wire_ms, *octets, late, sent.watchdog_ms, 0.0, late
    )  # fmt: skip


def _frames_in(
    sent: Sequence[Sent], window: float, silent: str
) -> tuple[dict[str, list[Block]], dict[str, list[Due]]]:  # fmt: skip
    """Frames within the window, one behind the other where they meet on the controller's link."""
    blocks: dict[str, list[Block]] = {}
    dues: dict[str, list[Due]] = {}
    begun: list[tuple[float, int]] = []
    for n, one in enumerate(sent):
        if one.device.id == silent and one.direction == "in":
            end = min(one.watchdog_ms, window)
            blocks.setdefault(silent, []).append(Block(0.0, end, "time-out", "watchdog", (one.exchange,)))
            continue
        end = one.watchdog_ms if one.device.id == silent else window
        at = one.phase_ms
        while at < min(end, window):
            begun.append((at, n))
            at += one.update_ms
    free: dict[Direction, float] = {"in": 0.0, "out": 0.0}
    for due, n in sorted(begun)[: 2 * _FRAMES_AT_MOST]:
        one = sent[n]
        start = max(due, free[one.direction])
        free[one.direction] = start + one.wire_ms
        kind: Literal["request", "response"] = "request" if one.direction == "out" else "response"
        blocks.setdefault(one.device.id, []).append(Block(start, free[one.direction], kind, "", (one.exchange,)))
        dues.setdefault(one.device.id, []).append(Due(due, start, one.exchange))
    return blocks, dues


def frames(network: Network, lines: Sequence[Line]) -> list[Frame]:
    """A frame a direction; data lies in it submodule by submodule, each with its status behind it."""
    made = []
    for sent in streams(network, lines):
        into = sent.direction == "in"
        made.append(
            Frame(
                sent.device.id if into else "", () if into else (sent.device.id,), sent.wire_octets - _UNSEEN_OCTETS,
                sent.wire_octets, sent.update_ms, tuple(_pieces(sent)) if sent.exchange else (), sent.phase_ms,
            )
        )  # fmt: skip
    return made


def _pieces(sent: Sent) -> list[FramePiece]:
    found = []
    for piece in sent.device.unit(sent.direction):
        if piece.what == "data":
            first = piece.submodule.at_in if sent.direction == "in" else piece.submodule.at_out
            found.append(FramePiece(sent.exchange, DATA_AT + piece.at, piece.octets, first=first))
    return found

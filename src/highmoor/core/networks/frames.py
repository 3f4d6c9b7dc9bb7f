"""What goes over a network: each frame with who sends it, how often, how long it is, and whose data lies where in it.

A fieldbus says which frames there are; what loads the cables, where a value stands in a capture, and what the bench is
held against follows from them, whatever the fieldbus.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import Traffic
from highmoor.core.plant.rows import Connection, Exchange, Network


@dataclass(frozen=True, slots=True)
class FramePiece:
    """Octets of an exchange in a frame: so many from the frame's octet `at` on, both counted from 0.

    They are the exchange's own, or with `back` what goes the other way in its transaction; `first` is where they begin
    in the exchange, which may travel in several pieces.
    """

    exchange: str
    at: int
    octets: int
    back: bool = False
    first: int = 0


@dataclass(frozen=True, slots=True)
class Frame:
    """A frame: from whom to whom, by stations' ids, "" for the controller; what of it is data.

    `octets` as a network analyser shows it, from the first of its header to the last before the check sequence of
    Ethernet; `wire_octets` with preamble, padding, check sequence and gap, as long as the medium is busy with it. On a
    line both are its characters, and an octet of data is so many of them (`characters`). Sent every `period_ms`, None
    when something asks for it; the first `phase_ms` behind the others. What is `to_all` reaches every socket.
    """

    sender: str
    receivers: tuple[str, ...]
    octets: int
    wire_octets: int
    period_ms: float | None
    pieces: tuple[FramePiece, ...] = ()
    phase_ms: float = 0.0
    to_all: bool = False
    characters: int = 1

    @property
    def per_s(self) -> float:
        """How many a second."""
        return 1000 / self.period_ms if self.period_ms else 0.0

    @property
    def mbit_s(self) -> float:
        """What they take of the medium, 10⁶ bit a second."""
        return 8 * self.wire_octets * self.per_s / 1e6


# A network's frames, of those of its lines that the controller exchanges with.
FramesOf = Callable[[Network, Sequence[Line]], Sequence[Frame]]


def traffic(frames: Iterable[Frame]) -> tuple[Traffic, ...]:
    """What each station sends and is sent; a frame for several is what each of them is sent."""
    told: dict[str, Traffic] = {}
    for frame in frames:
        for station in (frame.sender,) if frame.sender else frame.receivers:
            so_far = told.get(station, Traffic(station, 0, 0))
            told[station] = Traffic(
                station,
                so_far.in_mbit_s + (frame.mbit_s if frame.sender else 0),
                so_far.out_mbit_s + (0 if frame.sender else frame.mbit_s),
                so_far.multicast_mbit_s + (frame.mbit_s if frame.to_all else 0),
                so_far.multicast_packets_s + (frame.per_s if frame.to_all else 0),
                so_far.packets_s + frame.per_s,
            )
    return tuple(told.values())


@dataclass(frozen=True, slots=True)
class InFrame:
    """Where an exchange's data lies in a frame of `octets`: from octet `first` to `last`; `back` as of `FramePiece`."""

    first: int
    last: int
    octets: int
    back: bool


def in_frames(frames: Iterable[Frame]) -> dict[str, tuple[InFrame, ...]]:
    """By exchange."""
    found: dict[str, list[InFrame]] = {}
    for frame in frames:
        for piece in frame.pieces:
            last = piece.at + frame.characters * piece.octets - 1
            found.setdefault(piece.exchange, []).append(InFrame(piece.at, last, frame.octets, piece.back))
    return {exchange: tuple(told) for exchange, told in found.items()}


def _traffic(reader: Reader, root: str) -> tuple[Traffic, ...]:
    return traffic(reader.part("network.frames", root))


def _in_frames(reader: Reader, root: str) -> dict[str, tuple[InFrame, ...]]:
    return in_frames(reader.part("network.frames", root))


@dataclass(frozen=True, slots=True)
class ExchangeFrames:
    """The frames that carry an exchange's data."""

    frames: tuple[InFrame, ...]


def _of_exchange(reader: Reader, root: str) -> ExchangeFrames:
    connection: Connection | None = reader.find(reader.row(root, Exchange).connection)
    station = reader.find(connection.station) if connection else None
    told: tuple[InFrame, ...] | None = reader.item("network.in-frames", station.network, root) if station else None
    return ExchangeFrames(told or ())


PARTS: tuple[Part, ...] = (
    Part("network.traffic", "networks", _traffic, asked=True),
    Part("network.in-frames", "networks", _in_frames, asked=True),
    Part("exchange.frames", "exchanges", _of_exchange, shown=ExchangeFrames, asked=True),
)

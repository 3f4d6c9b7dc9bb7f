"""Time on a network, neutral of its fieldbus: lanes, blocks and due marks, figures an exchange; the cable as laid."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

# How time is shared: one line where one asks after the other, each when it is due; the same, all in turn, as often as
# that takes; each station asked by itself; everybody sending unasked; one frame for all in every cycle.
Shape = Literal["polled-line", "token-cycle", "polled-stations", "senders", "cyclic-frame"]

# An octet on the wire at 100 Mbit/s.
MS_AN_OCTET = 80e-6


@dataclass(frozen=True, slots=True)
class Block:
    """A stretch of time on a lane, ms: a request, a wait, a response, a silent time-out; and whose it is.

    A frame that serves several is of all of them.
    """

    start_ms: float
    end_ms: float
    kind: Literal["request", "wait", "response", "time-out", "gap"]
    label: str
    exchanges: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Due:
    """When an exchange was due and when it began, ms."""

    due_ms: float
    start_ms: float
    exchange: str


@dataclass(frozen=True, slots=True)
class Lane:
    """One strand of time: a line, or the connection to one station; packets a second where it sends unasked."""

    id: str
    label: str
    blocks: tuple[Block, ...]
    dues: tuple[Due, ...]
    utilisation: float
    packets_per_s: float | None = None


@dataclass(frozen=True, slots=True)
class Traffic:
    """A station's part of an Ethernet link, Mbit/s on the wire; packets of multicast a second, and all of its own."""

    station: str
    in_mbit_s: float
    out_mbit_s: float
    multicast_mbit_s: float = 0
    multicast_packets_s: float = 0
    packets_s: float = 0


@dataclass(frozen=True, slots=True)
class ExchangeTiming:
    """How long one transaction takes and how late it gets, ms; `octets` on the wire both ways.

    `wait_ms` runs from the end of the request to the end of the answer, as a time-out does. `late_one_silent_ms` is
    the worst lateness while the station whose silence costs most is silent. None is for ever. What the program starts
    has a period of 0; it may wait as long as it is told to be late.
    """

    exchange: str
    period_ms: float
    transaction_ms: float
    request_octets: int
    response_octets: int
    worst_late_ms: float | None
    silent_cost_ms: float | None
    wait_ms: float
    late_one_silent_ms: float | None


@dataclass(frozen=True, slots=True)
class TimeColumn:
    """A column of the table of exchanges: a figure, its unit and significant digits; `hint` says what it means."""

    title: str
    figure: Literal["period_ms", "transaction_ms", "worst_late_ms", "silent_cost_ms", "late_one_silent_ms"]
    unit: Literal["ms", "µs"] = "ms"
    digits: int = 4
    hint: str = ""


EVERY = TimeColumn("Every", "period_ms", hint="How often it is exchanged")
TAKES = TimeColumn("Takes", "transaction_ms", hint="From the first octet of the request to the last of the answer")
LATE = TimeColumn("Late", "worst_late_ms", hint="At worst, behind the moment it was due")


@dataclass(frozen=True, slots=True)
class Timing:
    """A network's time, neutral of its fieldbus: lanes over a window, and figures an exchange.

    In the shape of a line, polled or of a token, `cycle_ms` is each request once, and `cycle_one_silent_ms` the same
    while `silent` does not answer, the station whose silence costs most; with `silent_for_ever` it never ends.
    `whole` says that lateness was followed until it repeats, `whole_one_silent` the same while that station is silent;
    otherwise a lateness is at least so much.
    `packets_per_s` counts both directions where nobody asks and everybody sends.
    """

    window_ms: float
    cyclic: bool
    lanes: tuple[Lane, ...]
    exchanges: tuple[ExchangeTiming, ...]
    load: float
    load_label: str
    shape: Shape = "polled-stations"
    cycle_ms: float | None = None
    cycle_one_silent_ms: float | None = None
    silent: str = ""
    silent_for_ever: bool = False
    whole: bool = True
    whole_one_silent: bool = True
    packets_per_s: float | None = None


@dataclass(frozen=True, slots=True)
class RouteNode:
    """A place on the cable: the port (`station` "") or a station; m of cable to it and of its tap."""

    station: str
    length_m: float
    tap_m: float
    terminated: bool
    biased: bool


@dataclass(frozen=True, slots=True)
class RouteFacts:
    """A line as it is laid, the port first; lengths in m, loads in unit loads."""

    nodes: tuple[RouteNode, ...]
    length_m: float
    length_at_most_m: float
    loads: float
    loads_at_most: float

"""An adapter as it is built: what the configuration need not know."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

# The usual encapsulation inactivity time-out, s (CIP volume 2, 5-4.3.2.13).
IDLE_S = 120.0


@dataclass(frozen=True, slots=True)
class AdapterPoint:
    """A connection point: which way its data goes as the controller sees it, octets, whether a header is before them.

    `role` heartbeat stands for points without data, of input only or listen only. At most `consumers` connections hear
    a point, where there is such a limit.
    """

    point: int
    direction: Literal["in", "out"]
    octets: int = 0
    header: bool = False
    role: Literal["data", "input only", "listen only"] = "data"
    consumers: int | None = None


@dataclass(frozen=True, slots=True)
class AdapterFacts:
    """An adapter as it is built. `revision` as major.minor; `attributes` maps paths to values, both octets in hex.

    Intervals from `rpi_least_ms` to `rpi_most_ms` are taken. One that is `terse` has one status for a wrong size of
    either direction, as older devices have. It ends a TCP connection on which nothing came for `idle_s`, 0 for never.
    All connections together hold at most `room_octets`. `backplane` is the port it is reached through, `slot` its place
    there. It thinks `reply_ms` before it answers a message.
    """

    vendor: int = 0
    device_type: int = 0
    product: int = 0
    revision: str = "1.1"
    name: str = ""
    points: tuple[AdapterPoint, ...] = ()
    config_point: int | None = None
    config_octets: int = 0
    needs_configuration: bool = False
    connections: int = 4
    idle_s: float = IDLE_S
    room_octets: int | None = None
    rpi_least_ms: float = 1
    rpi_most_ms: float | None = None
    large: bool = True
    redundant_owners: bool = True
    terse: bool = False
    backplane: int | None = None
    slot: int = 0
    reply_ms: float = 5
    # The class by which an IO-Link master is asked for parameters of what hangs on its ports, 0 where it is none.
    port_class: int = 0
    attributes: dict[str, str] = field(default_factory=dict)
    # What was set of them over the network.
    kept: dict[str, str] = field(default_factory=dict)

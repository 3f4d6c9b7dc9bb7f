"""The line as it is laid: its length, its ends, its loads.

Source: Modbus over Serial Line 1.02, 3.4 (TIA/EIA-485: 32 unit loads, termination at both ends, polarization at one
point, trunk up to 1000 m at 9600 bit/s, taps up to 20 m); baud × length ≤ 10⁸ bit/s·m as a guide of RS-485 practice.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from highmoor.core.networks.modbus_rtu.settings import StationWiring, line_settings, port_biased, port_terminated
from highmoor.core.plant.rows import Network, Station

LOADS_AT_MOST = 32
BIAS_LOADS = 4
TRUNK_AT_MOST_M = 1000
TAP_AT_MOST_M = 20
_RATE_TIMES_LENGTH = 100_000_000


@dataclass(frozen=True, slots=True)
class LineFacts:
    """A line summed up. `ends` are the port ("") and the last station; loads in unit loads, lengths in m."""

    length_m: float
    length_at_most_m: float
    loads: float
    terminated: tuple[str, ...]
    biased: tuple[str, ...]
    ends: tuple[str, ...]


def line_facts(network: Network, stations: Iterable[Station]) -> LineFacts:
    """The facts of a line with its stations in the order of the cable; the port is its beginning."""
    rows = [s for s in stations if s.address != "0"]
    wired = {s.id: StationWiring.of(s) for s in rows}
    terminated = (("",) if port_terminated(network) else ()) + tuple(i for i, w in wired.items() if w.terminated)
    biased = (("",) if port_biased(network) else ()) + tuple(i for i, w in wired.items() if w.biased)
    loads = 1 + sum(w.unit_load for w in wired.values()) + BIAS_LOADS * len(biased)
    return LineFacts(
        sum(w.length_m for w in wired.values()),
        length_at_most_m(line_settings(network).baud),
        loads,
        terminated,
        biased,
        ("", rows[-1].id) if rows else ("",),
    )


def length_at_most_m(baud: int) -> float:
    """How long a trunk may be: 1000 m up to 9600 bit/s, beyond it what rate times length allows."""
    return min(TRUNK_AT_MOST_M, _RATE_TIMES_LENGTH / baud)

"""The bus parameters of a network: each computed from its rate and its stations, unless somebody set it otherwise.

Source: IEC 61158-4-3, 5.1 and 6.2 (times of the data link layer), in bit times.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from highmoor.core.figures.profibus_cycle import (
    BITS_A_CHARACTER,
    MIN_TSDR,
    SYN_BITS,
    gap_bits,
    idle_bits,
    message_bits,
    request_octets,
    response_octets,
    token_bits,
)
from highmoor.core.networks.line import Line
from highmoor.core.networks.profibus_dp.settings import DpStation, LineSettings, stations_of
from highmoor.core.plant.rows import Network

GAP_FACTOR = 10
HIGHEST_ADDRESS = 126
# A telegram with service access points has two octets more each way.
SAP_OCTETS = 2
# What a diagnosis has at least, and may have where no file says.
DIAG_OCTETS, DIAG_OCTETS_USUAL = 6, 32


@dataclass(frozen=True, slots=True)
class BusParameter:
    """One of them: the standard's sign, what it is in words, its value, what it would be by itself and why."""

    key: str
    sign: str
    label: str
    value: int
    usual: int
    unit: str
    reason: str
    minimum: int
    maximum: int
    settable: bool = True

    @property
    def own(self) -> bool:
        """Whether somebody set it otherwise."""
        return self.value != self.usual


@dataclass(frozen=True, slots=True)
class Bus:
    """A network's stations and what its bus runs by; bit times unless said otherwise."""

    line: LineSettings
    stations: tuple[DpStation, ...]
    parameters: tuple[BusParameter, ...]
    slot: int
    min_tsdr: int
    max_tsdr: int
    set: int
    qui: int
    retries: int
    gap: int
    highest: int
    rotation: int

    @property
    def idle(self) -> int:
        """T_ID1: before every telegram behind an acknowledged one."""
        return idle_bits(self.set, self.qui)

    @property
    def idle_unacknowledged(self) -> int:
        """T_ID2: behind a telegram that nobody acknowledges."""
        return max(SYN_BITS + 2 + 2 * self.set, self.max_tsdr)

    def exchange_bits(self, station: DpStation, tsdr: int) -> int:
        """The message cycle of a station's data."""
        return message_bits(
            request_octets(station.out_octets), response_octets(station.in_octets), tsdr, self.idle
        )  # fmt: skip

    @property
    def around_bits(self) -> int:
        """What every cycle has beside its stations: the token and one request into the gap."""
        return token_bits(self.idle) + gap_bits(self.idle, self.slot)

    def cycle_bits(self, *, typical: bool) -> int:
        """One cycle; typical: all answer as soon as they may."""
        tsdr = self.min_tsdr if typical else self.max_tsdr
        return self.around_bits + sum(self.exchange_bits(station, tsdr) for station in self.stations)

    @property
    def least_ms(self) -> float:
        """What holds a cycle back: the network's own, and the slowest station's minimum interval."""
        return max(self.line.cycle_ms, self.interval_ms)

    @property
    def interval_ms(self) -> float:
        """The longest minimum interval of its stations' files."""
        return max((interval_ms(station) for station in self.stations), default=0.0)

    def cycle_ms(self, *, typical: bool) -> float:
        """One cycle, as long as it is held back at least."""
        return max(self.ms(self.cycle_bits(typical=typical)), self.least_ms)

    def silent_bits(self, station: DpStation) -> int:
        """What a station costs that does not answer: it is asked again as often as is set, each time for a slot time.

        At first for its data, then for its diagnosis.
        """
        asked = max(request_octets(station.out_octets), request_octets(0) + 3 + SAP_OCTETS)
        return (self.retries + 1) * (self.idle + BITS_A_CHARACTER * asked + self.slot)

    @property
    def diagnosis_bits(self) -> int:
        """The longest diagnosis that may be asked for between two cycles."""
        most = max((_diag_octets(station) for station in self.stations), default=DIAG_OCTETS)
        asked, told = request_octets(0) + 3 + SAP_OCTETS, response_octets(most + SAP_OCTETS)
        return message_bits(asked, told, self.max_tsdr, self.idle)

    def ms(self, bits: int) -> float:
        """Bit times in ms."""
        return 1000 * bits / self.line.baud


def interval_ms(station: DpStation) -> float:
    """How often its file lets it be asked at most; 0 where that does not say."""
    least = station.device.limits.min_interval_us if station.device else None
    return (least or 0) / 1000


def _diag_octets(station: DpStation) -> int:
    told = station.device.limits.diagnosis_octets if station.device else None
    return min(max(told or DIAG_OCTETS_USUAL, DIAG_OCTETS), 244)


def bus_of(network: Network, lines: Sequence[Line]) -> Bus:
    """A network's bus, worked out once for lines that stay the same."""
    line = LineSettings.of(network)
    return lines[0].together(lines, ("bus", line), lambda: _bus(line, lines)) if lines else _bus(line, lines)


def _bus(line: LineSettings, lines: Sequence[Line]) -> Bus:
    rate = line.rate
    stations = tuple(stations_of(lines))
    slowest = max(stations, key=lambda station: station.tsdr_bits(rate), default=None)
    tsdr = slowest.tsdr_bits(rate) if slowest else rate.tsdr_bits
    why = f"the slowest to answer: {slowest.name}" if slowest else "usual at the rate"
    made: list[BusParameter] = []

    def add(
        key: str, sign: str, label: str, usual: int, reason: str, span: tuple[int, int], unit: str = "bit"
    ) -> int:  # fmt: skip
        value = min(max(line.otherwise(key, usual), span[0]), span[1])
        made.append(BusParameter(key, sign, label, value, usual, unit, reason, *span))
        return value

    at_rate = f"usual at {rate_text(rate.baud)}"
    set_bits = add("set", "T_SET", "Set-up time", rate.set_bits, at_rate, (1, 494))
    qui = add("qui", "T_QUI", "Quiet time", rate.qui_bits, at_rate, (0, 493))
    least = add("min_tsdr", "min T_SDR", "Answers not before", MIN_TSDR, "the least there is", (11, 1023))
    most = add("max_tsdr", "max T_SDR", "Answers at the latest after", tsdr, why, (11, 1023))
    needed = most + BITS_A_CHARACTER + 2 + 2 * set_bits + qui
    slot_reason = at_rate if rate.slot_bits >= needed else f"the latest answer ({most} bit), a character and a margin"
    slot = add("slot", "T_SL", "Slot time", max(rate.slot_bits, needed), slot_reason, (37, 16383))
    retries = add("retries", "max_retry", "Asked again", rate.retries, at_rate, (0, 8), "times")
    gap = add("gap", "G", "Gap looked at every", GAP_FACTOR, "usual", (1, 100), "rotations")
    highest = add("hsa", "HSA", "Highest address", HIGHEST_ADDRESS, "all there are", (1, 126), "")
    plain = Bus(line, stations, (), slot, least, most, set_bits, qui, retries, gap, highest, 0)
    longest = max((plain.exchange_bits(station, most) for station in stations), default=0)
    target = plain.cycle_bits(typical=False) + plain.diagnosis_bits + retries * longest
    rotation = add(
        "rotation", "T_TR", "Target rotation time", target,
        f"the worst cycle, a diagnosis and {retries} {'retry' if retries == 1 else 'retries'} of the longest exchange",
        (256, 16_777_215),
    )  # fmt: skip
    return Bus(line, stations, tuple(made), slot, least, most, set_bits, qui, retries, gap, highest, rotation)


def rate_text(baud: int) -> str:
    """As people say it."""
    if baud >= 1_000_000:
        return f"{baud / 1_000_000:g} Mbit/s"
    return f"{baud / 1000:g} kbit/s"

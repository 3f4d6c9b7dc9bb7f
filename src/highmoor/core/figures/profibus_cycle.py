"""Times on a PROFIBUS DP line, in bit times: what a rate brings, telegrams, and the cycle of one master.

Source: IEC 61158-4-3 (data link layer, type 3): bus parameters and message cycles; IEC 61784-1, 4.3 (profile DP).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.errors import Refusal

# Start, eight data bits, even parity, stop.
BITS_A_CHARACTER = 11
# Silence before a telegram.
SYN_BITS = 33
OCTETS_AT_MOST = 244
MIN_TSDR = 11
# Octets of telegrams: without data, with data around it, the token, the short acknowledgement.
SD1_OCTETS, SD2_AROUND, SD4_OCTETS, SC_OCTETS = 6, 9, 3, 1


@dataclass(frozen=True, slots=True)
class RateTimes:
    """What holds at a rate (bit/s) unless a device says otherwise, in bit times; retries as they are usual there."""

    baud: int
    set_bits: int
    qui_bits: int
    tsdr_bits: int
    slot_bits: int
    retries: int

    @property
    def idle_bits(self) -> int:
        """T_ID1: how long a master is silent before it sends, once something was acknowledged."""
        return idle_bits(self.set_bits, self.qui_bits)


def idle_bits(set_bits: int, qui_bits: int) -> int:
    """T_ID1 of a set-up and a quiet time: silence, a margin of two bits with twice the set-up, the quiet time."""
    return SYN_BITS + 2 + 2 * set_bits + qui_bits


RATES: dict[int, RateTimes] = {
    rate.baud: rate
    for rate in (
        *(RateTimes(baud, 1, 0, 60, 100, 1) for baud in (9_600, 19_200, 45_450, 93_750, 187_500)),
        RateTimes(500_000, 1, 0, 100, 200, 1),
        RateTimes(1_500_000, 1, 0, 150, 300, 1),
        RateTimes(3_000_000, 4, 3, 250, 400, 2),
        RateTimes(6_000_000, 8, 6, 450, 600, 3),
        RateTimes(12_000_000, 16, 9, 800, 1000, 4),
    )
}


def request_octets(data: int) -> int:
    """A request with so many octets of data."""
    return SD2_AROUND + data if data else SD1_OCTETS


def response_octets(data: int) -> int:
    """An answer with so many; without any it is the short acknowledgement."""
    return SD2_AROUND + data if data else SC_OCTETS


def message_bits(request: int, response: int, tsdr_bits: int, idle: int) -> int:
    """A message cycle of telegrams of so many octets: idle, request, the answerer's delay, answer."""
    return idle + BITS_A_CHARACTER * (request + response) + tsdr_bits


def token_bits(idle: int) -> int:
    """The token passed on."""
    return BITS_A_CHARACTER * SD4_OCTETS + idle


def gap_bits(idle: int, slot_bits: int) -> int:
    """Somebody asked for who is not there: the request, and the slot time waited in vain."""
    return BITS_A_CHARACTER * SD1_OCTETS + idle + slot_bits


@dataclass(frozen=True, slots=True)
class Exchanged:
    """What a station gives (in) and takes (out) in every cycle, octets."""

    in_octets: int
    out_octets: int


def rate_of(baud: int | Fraction) -> RateTimes:
    """Raises Refusal for a rate that PROFIBUS has not."""
    found = RATES.get(int(baud)) if baud == int(baud) else None
    if found is None:
        known = ", ".join(str(rate) for rate in RATES)
        raise Refusal(f"{baud} bit/s is no rate of PROFIBUS DP; they are {known}.", value=str(baud))
    return found


def cycle_bits(rate: RateTimes, stations: Iterable[Exchanged], tsdr_bits: int) -> int:
    """One cycle: each station once, the token, one gap request. Raises Refusal for octets outside 0 … 244."""
    total = token_bits(rate.idle_bits) + gap_bits(rate.idle_bits, rate.slot_bits)
    for station in stations:
        for octets in (station.in_octets, station.out_octets):
            if not 0 <= octets <= OCTETS_AT_MOST:
                raise Refusal(f"A station exchanges 0 to {OCTETS_AT_MOST} octets each way, not {octets}.", value=octets)
        request, response = request_octets(station.out_octets), response_octets(station.in_octets)
        total += message_bits(request, response, tsdr_bits, rate.idle_bits)
    return total


def cycle_ms(baud: int | Fraction, stations: list[Exchanged]) -> tuple[Fraction, Fraction]:
    """Typical (all answer as soon as they may) and worst cycle, ms. Raises Refusal."""
    rate = rate_of(baud)
    typical, worst = (cycle_bits(rate, stations, tsdr) for tsdr in (MIN_TSDR, rate.tsdr_bits))
    return Fraction(1000 * typical, rate.baud), Fraction(1000 * worst, rate.baud)

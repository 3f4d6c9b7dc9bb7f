"""Time on a serial Modbus line, in exact ms.

Source: Modbus over Serial Line 1.02, 2.5; Modbus Application Protocol 1.1b3, clause 6.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from highmoor.core.errors import Refusal
from highmoor.core.figures.modbus_functions import (
    FUNCTIONS,
    Function,
    Quantity,
    quantity_of,
    request_pdu_octets,
    response_pdu_octets,
)
from highmoor.core.numbers import plain

Parity = Literal["none", "even", "odd"]
PARITIES: tuple[Parity, ...] = ("none", "even", "odd")
# Address and CRC around the unit.
_FRAME_OCTETS = 3
_FIXED_ABOVE = 19_200
_FIXED_T35 = Fraction(7, 4)
_FIXED_T15 = Fraction(3, 4)
BROADCAST_TURNAROUND_MS = Fraction(100)


@dataclass(frozen=True, slots=True)
class Character:
    """How octets travel on a line: rate in bit/s and the bits of a character."""

    baud: Fraction
    parity: Parity
    stop_bits: int
    data_bits: int = 8

    @property
    def bits(self) -> int:
        """Start, data, parity and stop bits."""
        return 1 + self.data_bits + (self.parity != "none") + self.stop_bits

    @property
    def ms(self) -> Fraction:
        """Time of one character."""
        return Fraction(1000 * self.bits) / self.baud

    @property
    def silent_ms(self) -> Fraction:
        """The silence that ends a frame: 3.5 characters, above 19 200 bit/s fixed."""
        return _FIXED_T35 if self.baud > _FIXED_ABOVE else Fraction(7, 2) * self.ms

    @property
    def pause_ms(self) -> Fraction:
        """The longest pause within a frame: 1.5 characters, above 19 200 bit/s fixed."""
        return _FIXED_T15 if self.baud > _FIXED_ABOVE else Fraction(3, 2) * self.ms


@dataclass(frozen=True, slots=True)
class Transaction:
    """One request and its response on the line, times in ms; `response_octets` 0 for a broadcast."""

    request_octets: int
    response_octets: int
    request_ms: Fraction
    wait_ms: Fraction
    response_ms: Fraction
    silent_ms: Fraction

    @property
    def time_ms(self) -> Fraction:
        """From the request's first bit until the next may begin."""
        return self.request_ms + self.wait_ms + self.response_ms + self.silent_ms

    def dead_ms(self, timeout_ms: Fraction, retries: int) -> Fraction:
        """What it costs when nobody answers: each attempt waits its time-out, from the end of the request."""
        return (retries + 1) * (self.request_ms + timeout_ms + self.silent_ms)


def character(baud: Fraction, data_bits: Fraction, parity: str, stop_bits: Fraction) -> Character:
    """A character as RTU allows it. Raises Refusal for what it does not."""
    if baud <= 0:
        raise Refusal(f"{plain(baud)} bit/s is not a possible rate.", value=plain(baud))
    if data_bits != 8:
        raise Refusal(f"{plain(data_bits)} data bits: an RTU character has 8.", value=plain(data_bits))
    found = next((p for p in PARITIES if parity.lower() in (p, p[0])), None)
    if found is None:
        raise Refusal(f"Parity is none, even or odd, not {parity[:20]!r}.", value=parity[:20])
    if stop_bits not in (1, 2):
        raise Refusal(f"{plain(stop_bits)} stop bits: 1 or 2 are possible.", value=plain(stop_bits))
    return Character(baud, found, int(stop_bits))


def function_of(code: Fraction) -> Function:
    """A public function by its code. Raises Refusal for another one."""
    found = FUNCTIONS.get(int(code)) if code.denominator == 1 else None
    if found is None:
        known = ", ".join(map(str, FUNCTIONS))
        raise Refusal(f"{plain(code)} is not one of the functions {known}.", value=plain(code))
    return found


def transaction(
    on: Character,
    function: Function,
    quantity: Quantity,
    reply_delay_ms: Fraction,
    *,
    broadcast: bool = False,
    turnaround_ms: Fraction = BROADCAST_TURNAROUND_MS,
) -> Transaction:
    """Octets and times of one transaction.

    Raises Refusal for a negative delay and for the broadcast of a function that reads.
    """
    if reply_delay_ms < 0:
        raise Refusal(f"A reply delay of {plain(reply_delay_ms)} ms is negative.", value=plain(reply_delay_ms))
    request = _FRAME_OCTETS + request_pdu_octets(function, quantity.count, quantity.writes)
    if broadcast:
        if function.direction == "in":
            raise Refusal(f"Function {function.code} reads; nobody answers a broadcast.", value=function.code)
        wait = max(on.silent_ms, turnaround_ms)
        return Transaction(request, 0, request * on.ms, wait, Fraction(0), Fraction(0))
    response = _FRAME_OCTETS + response_pdu_octets(function, quantity.count)
    wait = max(on.silent_ms, reply_delay_ms)
    return Transaction(request, response, request * on.ms, wait, response * on.ms, on.silent_ms)


@dataclass(frozen=True, slots=True)
class Polled:
    """A transaction that is due every period; times in ms."""

    transaction: Transaction
    period_ms: Fraction
    timeout_ms: Fraction
    retries: int


@dataclass(frozen=True, slots=True)
class Poll:
    """Each request once, ms; the share of time taken; the cycle with each request's station silent."""

    cycle_ms: Fraction
    utilisation: Fraction
    cycle_one_dead_ms: tuple[Fraction, ...]


def poll(requests: Sequence[Polled]) -> Poll:
    """The poll cycle of a line. Raises Refusal for a period or time-out of 0 or less, or negative retries."""
    for place, asked in enumerate(requests):
        for what, value in (("period", asked.period_ms), ("time-out", asked.timeout_ms)):
            if value <= 0:
                raise Refusal(f"Request {place}: a {what} of {plain(value)} ms is not above 0.", value=plain(value))
        if asked.retries < 0:
            raise Refusal(f"Request {place}: {asked.retries} retries are negative.", value=asked.retries)
    cycle = sum((r.transaction.time_ms for r in requests), Fraction(0))
    used = sum((r.transaction.time_ms / r.period_ms for r in requests), Fraction(0))
    dead = (cycle - r.transaction.time_ms + r.transaction.dead_ms(r.timeout_ms, r.retries) for r in requests)
    return Poll(cycle, used, tuple(dead))


def asked_quantity(function: Function, given: dict[str, Fraction | None]) -> Quantity:
    """The quantity of a case: `count`, or for a function that does both `read_count` and `write_count`.

    Raises Refusal for keys that do not belong to the function and for counts out of its limits.
    """
    keys = ("read_count", "write_count") if function.writes_at_most else ("count",)
    for key, value in given.items():
        if (value is None) == (key in keys):
            wrong = "is missing" if value is None else f"does not belong to function {function.code}"
            raise Refusal(f"The key {key!r} {wrong}.")
    counts = [given[key] for key in keys]
    for count in counts:
        if count is None or count.denominator != 1:
            raise Refusal(f"A count is a whole number, not {plain(count) if count is not None else count}.")
    return quantity_of(function, *(int(count) for count in counts if count is not None))

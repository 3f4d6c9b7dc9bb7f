"""How stations are told apart: by IPv4 address on Ethernet, by a small number on a line, by where they are in it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from ipaddress import AddressValueError, IPv4Address
from typing import Any, Protocol

from highmoor.core.errors import Refusal
from highmoor.core.hardware.ethernet import host_in_network_problem, host_problem, interface, next_free, parse_address
from highmoor.core.numbers import parse_number
from highmoor.core.plant.rows import Port


class Scheme(Protocol):
    """What a fieldbus's addresses are. `own` is the port the network is on, None while it is on none.

    `everywhere` says that an address stands for one device in the whole plant, not only on its network; `entered` that
    somebody says which, and that it does not follow from the order of stations.
    """

    @property
    def label(self) -> str: ...

    @property
    def everywhere(self) -> bool: ...

    @property
    def entered(self) -> bool: ...

    def read(self, given: Any) -> str: ...

    def is_everybody(self, address: str) -> bool: ...

    def problem(self, address: str, own: Port | None) -> str: ...

    def span(self, own: Port | None) -> str: ...

    def room(self, own: Port | None) -> int | None: ...

    def next(self, own: Port | None, used: Iterable[str], behind: str = "", count: int = 1) -> list[str]: ...


@dataclass(frozen=True, slots=True)
class Ipv4:
    """IPv4 addresses within the subnet of the network's port."""

    label: str = "IP address"
    everywhere: bool = True
    entered: bool = True

    def read(self, given: Any) -> str:
        """A host's address. Raises Refusal for what can be no host."""
        return parse_address(str(given))

    def is_everybody(self, address: str) -> bool:
        """No station stands for everybody here."""
        return False

    def problem(self, address: str, own: Port | None) -> str:
        """Why nobody is reached at an address, or ""."""
        net = interface(own.address, own.mask) if own else None
        try:
            host = IPv4Address(address)
        except AddressValueError:
            return f"{address} is not an IPv4 address"
        return (host_problem(host) or host_in_network_problem(host, net.network)) if net else ""

    def span(self, own: Port | None) -> str:
        """The subnet."""
        net = interface(own.address, own.mask) if own else None
        return str(net.network) if net else ""

    def room(self, own: Port | None) -> int | None:
        """How many hosts the subnet holds, the port itself included."""
        net = interface(own.address, own.mask) if own else None
        return net.network.num_addresses - (2 if net.network.prefixlen < 31 else 0) if net else None

    def next(self, own: Port | None, used: Iterable[str], behind: str = "", count: int = 1) -> list[str]:
        """The first free block behind an address, or from the subnet's beginning; empty where there is none."""
        net = interface(own.address, own.mask) if own else None
        if net is None:
            return []
        taken = [a for text in used if (a := ipv4_of(text)) and a in net.network]
        after = ipv4_of(behind)
        free = next_free(net.network, [*taken, net.ip], count, after=after) if after else []
        return [str(a) for a in free or next_free(net.network, [*taken, net.ip], count)]


def ipv4_of(text: str) -> IPv4Address | None:
    """The address a text spells, None where it spells none."""
    try:
        return IPv4Address(text)
    except AddressValueError:
        return None


@dataclass(frozen=True, slots=True)
class Numbers:
    """Station numbers from `low` to `high`; `others` says what the numbers next to them are for.

    `everybody` is the number of a broadcast, which stands for all of them and for no device. New ones are given from
    `first` up to `given_to`.
    """

    low: int
    high: int
    label: str
    others: str = ""
    everybody: int | None = None
    everywhere: bool = False
    entered: bool = True
    first: int | None = None
    given_to: int | None = None

    def read(self, given: Any) -> str:
        """A station's number in any base. Raises Refusal outside of the span."""
        number = parse_number(str(given))
        if number.denominator != 1:
            raise Refusal(f"{given} is not a whole number.", value=given)
        problem = self._outside(number.numerator)
        if problem:
            raise Refusal(f"{problem}.", value=given)
        return str(number.numerator)

    def _outside(self, number: int) -> str:
        if self.low <= number <= self.high or number == self.everybody:
            return ""
        others = f"; {self.others}" if self.others else ""
        return f"{number} is not a station's number: they go from {self.low} to {self.high}{others}"

    def is_everybody(self, address: str) -> bool:
        """Whether an address stands for all stations and for no device."""
        return self.everybody is not None and address == str(self.everybody)

    def problem(self, address: str, own: Port | None) -> str:
        """Why nobody is reached at a number, or ""."""
        if not (address.isascii() and address.isdigit() and len(address) < 10):
            return f"{address[:20]} is not a station's number"
        return self._outside(int(address))

    def span(self, own: Port | None) -> str:
        """The numbers there are."""
        return f"{self.low}–{self.high}"

    def room(self, own: Port | None) -> int | None:
        """How many numbers there are."""
        return (self.given_to or self.high) - self.low + 1

    def next(self, own: Port | None, used: Iterable[str], behind: str = "", count: int = 1) -> list[str]:
        """The first free block behind a number, or from the first one; empty where there is none."""
        taken = {int(text) for text in used if text.isascii() and text.isdigit() and len(text) < 10}
        low, high = self.low if self.first is None else self.first, self.given_to or self.high
        begins = int(behind) + 1 if behind.isascii() and behind.isdigit() and len(behind) < 10 else low
        for begin in (max(begins, low), low):
            for start in range(begin, high - count + 2):
                block = range(start, start + count)
                if not taken.intersection(block):
                    return [str(n) for n in block]
        return []


@dataclass(frozen=True, slots=True)
class Positions:
    """Places along a line, counted from `first`: they follow from the order of stations, and nobody enters them."""

    label: str = "Position"
    first: int = 1
    everywhere: bool = False
    entered: bool = False

    def read(self, given: Any) -> str:
        """Raises Refusal: a position is not set."""
        raise Refusal("A position follows from the order of the stations; move the station instead.", value=given)

    def is_everybody(self, address: str) -> bool:
        """No station stands for everybody here."""
        return False

    def problem(self, address: str, own: Port | None) -> str:
        """Nothing can be wrong with what follows."""
        return ""

    def span(self, own: Port | None) -> str:
        """There is no end to them."""
        return ""

    def room(self, own: Port | None) -> int | None:
        """As many as there are stations."""
        return None

    def next(self, own: Port | None, used: Iterable[str], behind: str = "", count: int = 1) -> list[str]:
        """None is given out."""
        return []

    def address(self, nth: int) -> str:
        """The address of the nth station of its network, from 0."""
        return str(self.first + nth)


IPV4 = Ipv4()

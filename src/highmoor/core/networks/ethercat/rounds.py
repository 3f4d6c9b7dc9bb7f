"""What goes round in every cycle on the bench: frames, their datagrams, and whose data they carry to and fro."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TypeVar

from highmoor.core.networks.alive import ExchangeLive
from highmoor.core.networks.ethercat import datagrams as d
from highmoor.core.networks.ethercat.asking import SOURCE, Talk, Wait
from highmoor.core.networks.ethercat.explain import OP
from highmoor.core.networks.ethercat.passing import Crossing, Passing
from highmoor.core.networks.ethercat.plan import Datagram, Plan
from highmoor.core.networks.ethercat.settings import FIRST_ADDRESS, Node
from highmoor.core.networks.ethercat.slave import Slave

T = TypeVar("T")
_TURN_NS = 1_000_000


@dataclass(slots=True)
class NodeLive:
    """A device as its controller sees it: its state, the code and words of why it does not go on, its lamps."""

    node: Node
    position: int
    state: int = 0
    code: int = 0
    error: bool = False
    # Whether it says so itself.
    flagged: bool = False
    text: str = "not asked yet"
    # Why it could not be brought up, "" once it is.
    why: str = ""
    found: bool = False
    again_ns: int = 0
    # How often in a row he refused for the same reason.
    refusals: int = 0
    # Whether he is being brought up, and when that ended last.
    rising: bool = False
    brought_ns: int = -1
    # Who wants to talk with it takes a number, and waits until that is called: its mailbox holds one message.
    _numbers: int = 0
    _called: int = 0

    @property
    def address(self) -> int:
        """Its configured station address."""
        return FIRST_ADDRESS + self.position

    @property
    def good(self) -> bool:
        """Whether it exchanges."""
        return self.found and self.state == OP and not self.error

    def alone(self, asking: Talk[T]) -> Talk[T]:
        """Let a conversation wait for its turn."""
        number = self._numbers
        self._numbers += 1
        while self._called != number:
            yield Wait(_TURN_NS)
        try:
            return (yield from asking)
        finally:
            self._called += 1


@dataclass(slots=True)
class Run:
    """Octets that travel every cycle: between an exchange's place in the image and a datagram's data."""

    exchange: ExchangeLive
    image: int
    at: int
    octets: int
    first: int
    node: NodeLive
    direction: str


@dataclass(slots=True)
class Carried:
    """An exchange of which a datagram carries something, and all of its octets in the image."""

    live: ExchangeLive
    inward: bool
    first: int
    end: int


@dataclass(slots=True)
class Going:
    """A cyclic datagram with what it carries each way, of which exchanges, and how it last came back."""

    plan: Datagram
    outward: list[Run]
    inward: list[Run]
    carried: list[Carried]
    address: int = 0
    # What goes out of the image piece by piece, and where in the image what comes in belongs.
    pieces: list[bytes | memoryview] = field(default_factory=list)
    into: list[tuple[slice, memoryview]] = field(default_factory=list)
    counter: int = -1
    rounds: int = 0
    told_rounds: int = 0
    whole_ns: int = -1

    def bring_in(self, data: bytes | bytearray) -> None:
        """What came back, into the image, if nobody is missing from it."""
        if self.counter == self.plan.counter:
            for here, image in self.into:
                image[:] = data[here]


@dataclass(frozen=True, slots=True)
class Met:
    """Where a cyclic datagram (its number in the frame) met process data; `pairs` is each stretch of the image with
    what a device gives to it."""

    datagram: int
    going: Going
    crossing: Crossing
    pairs: Sequence[tuple[memoryview, memoryview]]

    def returned(self) -> None:
        """What everybody gives now, into the image, if nobody is missing from it."""
        if self.going.counter == self.going.plan.counter:
            for image, given in self.pairs:
                image[:] = given


def _pairs(
    gives: Sequence[tuple[slice, memoryview]], into: Sequence[tuple[slice, memoryview]]
) -> Iterator[tuple[memoryview, memoryview]]:
    """Each has a place of its own in the datagram's data: by these they find each other."""
    gives = sorted(gives, key=_begins)
    begins = [here.start for here, _ in gives]
    for there, image in into:
        for n in range(max(bisect_right(begins, there.start) - 1, 0), len(gives)):
            here, given = gives[n]
            first, last = max(here.start, there.start), min(here.stop, there.stop)
            if first < last:
                yield image[first - there.start : last - there.start], given[first - here.start : last - here.start]
            elif here.start >= there.stop:
                break


def _begins(one: tuple[slice, memoryview]) -> int:
    begins: int = one[0].start
    return begins


@dataclass(slots=True)
class Round:
    """A cyclic frame, and how it last came back.

    As long as nobody on its way does otherwise, it meets the same octets with the same counters: then these are moved
    straight between image and devices, and if none of them is another, nothing is.
    """

    going: list[Going]
    octets: bytes = b""
    # Whether somebody is to be looked for, as it last came back.
    missed: bool = False
    _out: bytes = b""
    # The data of each datagram as it goes out, and where in the frame it stands.
    _data: list[bytes] = field(default_factory=list)
    _at: list[int] = field(default_factory=list)
    # How many are on their way, and whether what goes out has been taken.
    _flying: int = 0
    _taken: bool = False
    _version: int = -1
    _met: list[Met] = field(default_factory=list)
    _gives: list[memoryview] = field(default_factory=list)
    _gave: bytes = b""
    _takers: list[Slave] = field(default_factory=list)
    _pieces: list[bytes | memoryview] = field(default_factory=list)

    def filled(self) -> bytes:
        """The frame with what goes out now."""
        if not self._pieces:
            # What is the same in every frame is not looked at.
            self._pieces = [one for going in self.going for one in going.pieces if isinstance(one, memoryview)] or [b""]
        out = b"".join(self._pieces)
        if out != self._out or not self.octets:
            self._out, self._taken = out, False
            self._data = [b"".join(going.pieces) for going in self.going]
            self.octets = self._encoded()
        self._flying += 1
        return self.octets

    def _encoded(self) -> bytes:
        """Only data is another than last time."""
        if not self._at:
            sent = [
                d.Sent(COMMANDS[going.plan.command], n, going.address, data)
                for n, (going, data) in enumerate(zip(self.going, self._data, strict=True), start=1)
            ]
            octets = d.encode(SOURCE, sent)
            self._at = [at + d.DATA for at, *_ in d.places(octets)]
            return octets
        frame = bytearray(self.octets)
        for at, data in zip(self._at, self._data, strict=True):
            frame[at : at + len(data)] = data
        return bytes(frame)

    def came(self, passing: Passing) -> None:
        """It went through everybody and is back."""
        self._flying -= 1
        self._taken = not self._flying
        if self._version != passing.version:
            self._met = [
                Met(n, going, crossing, tuple(_pairs(crossing.gives, going.into)))
                for n, going in enumerate(self.going)
                if (crossing := passing.crossing(COMMANDS[going.plan.command], going.address, going.plan.octets))
            ]
            self._gives = [given for met in self._met for _, given in met.crossing.gives]
            self._takers = [taker for met in self._met for _, _, taker in met.crossing.takes]
            self._version = passing.version
        self._gave = b"".join(self._gives)

    def forget(self) -> None:
        """It is lost: the next one goes through everybody."""
        self._flying -= 1
        self._version = -1

    def passed_straight(self, version: int, now_ns: int) -> bool:
        """Whether it meets the same octets as it did: then they are where they are to be after it is back."""
        # What another one carries that is out already is not what this one does.
        if version != self._version or self._flying > 1:
            return False
        self._flying -= 1
        if not self._taken:
            self._taken = True
            for met in self._met:
                met.crossing.take(self._data[met.datagram])
        for taker in self._takers:
            taker.written_ns = now_ns
        gave = b"".join(self._gives)
        if gave != self._gave:
            self._gave = gave
            for met in self._met:
                met.returned()
        for going in self.going:
            going.rounds += 1
            if going.counter == going.plan.counter:
                going.whole_ns = now_ns
        return True


COMMANDS = {"LRW": d.LRW, "LRD": d.LRD, "LWR": d.LWR, "FRMW": d.FRMW, "BRD": d.BRD}


def ends_of(told: Plan, offsets: Mapping[str, int]) -> dict[str, int]:
    """Behind the last octet of each exchange in the image."""
    ends: dict[str, int] = {}
    for datagram in told.datagrams:
        for run in datagram.runs:
            if run.exchange in offsets:
                end = offsets[run.exchange] + run.first + run.octets
                ends[run.exchange] = max(ends.get(run.exchange, 0), end)
    return ends


def carried_by(runs: Sequence[Run], ends: Mapping[str, int]) -> Iterator[Carried]:
    first = {run.exchange.exchange: run for run in reversed(runs)}
    for key, run in first.items():
        yield Carried(run.exchange, run.direction == "in", run.image - run.first, ends[key])


def pieces_of(going: Going, image: bytearray) -> list[bytes | memoryview]:
    """The data of a datagram as it goes out: what comes in begins as zeros."""
    pieces: list[bytes | memoryview] = []
    end = 0
    for run in sorted(going.outward, key=_at):
        pieces += [bytes(run.at - end), memoryview(image)[run.image : run.image + run.octets]]
        end = run.at + run.octets
    return [*pieces, bytes(going.plan.octets - end)]


def _at(run: Run) -> int:
    return run.at

"""What a frame of EtherCAT meets on its way: every device reads and writes as it passes, and counts.

Source: ETG.1000.4, 5.4 (commands, and by how much each counts).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from highmoor.core.networks.alive import Clock
from highmoor.core.networks.ethercat import datagrams as d
from highmoor.core.networks.ethercat.registers import AL_STATUS, SYSTEM_TIME
from highmoor.core.networks.ethercat.slave import Slave

AL_STATUS_OCTETS = 2
# The commands that count the position on at each device.
_COUNTING = (d.APRD, d.APWR, d.APRW, d.BRD, d.BWR, d.BRW, d.ARMW)


@dataclass(slots=True)
class Passing:
    """Frames of one network through its devices."""

    clock: Clock
    # That of the medium when a frame last passed.
    version: int = -1
    _crossings: dict[tuple[int, int, int], Crossing] = field(default_factory=dict)

    def alter(self, frame: bytearray, chain: Sequence[Slave], version: int) -> None:
        """A frame through all of them, in order."""
        self.version = version
        for at, command, _, address, octets in d.places(frame):
            data = at + d.DATA
            if d.LRD <= command <= d.LRW:
                counter = self._logical(frame, data, octets, address, command, chain, version)
            else:
                passed = _PHYSICAL.get(command)
                counter = passed(frame, data, octets, address, chain) if passed else 0
                if command in _COUNTING:
                    frame[at + 2 : at + 4] = ((address & 0xFFFF) + len(chain) & 0xFFFF).to_bytes(2, "little")
            behind = data + octets
            told = int.from_bytes(frame[behind : behind + 2], "little") + counter
            frame[behind : behind + 2] = (told & 0xFFFF).to_bytes(2, "little")

    def crossing(self, command: int, address: int, octets: int) -> Crossing | None:
        """Where a logical datagram met process data when it last passed."""
        return self._crossings.get((command, address, octets))

    def _logical(
        self, frame: bytearray, data: int, octets: int, address: int, command: int, chain: Sequence[Slave], version: int
    ) -> int:
        """Process data, by slices that stay the same as long as nobody does otherwise."""
        key = command, address, octets
        known = self._crossings.get(key)
        if known is None or known.version != version:
            known = self._crossings[key] = Crossing.of(command, address, octets, chain, version)
        return known.crossed(memoryview(frame)[data : data + octets], self.clock.now_ns)


@dataclass(frozen=True, slots=True)
class Crossing:
    """Where a logical datagram meets process data: what devices give it, and what it gives them."""

    version: int
    counter: int
    gives: tuple[tuple[slice, memoryview], ...]
    takes: tuple[tuple[slice, memoryview, Slave], ...]

    @classmethod
    def of(cls, command: int, address: int, octets: int, chain: Sequence[Slave], version: int) -> Crossing:
        """Who is read counts one, who is written two in a datagram that does both and one otherwise."""
        counter, end = 0, address + octets
        gives, takes = [], []
        for slave in chain:
            for area in slave.mapped:
                if area.end <= address or end <= area.start:
                    continue
                first, last = max(area.start, address), min(area.end, end)
                here = slice(first - address, last - address)
                inside = slice(area.offset + first - area.start, area.offset + last - area.start)
                if area.read and command != d.LWR:
                    gives.append((here, memoryview(slave.gives)[inside]))
                    counter += 1
                elif area.write and command != d.LRD:
                    takes.append((here, memoryview(slave.takes)[inside], slave))
                    counter += 2 if command == d.LRW else 1
        return cls(version, counter, tuple(gives), tuple(takes))

    def crossed(self, data: memoryview, now_ns: int) -> int:
        """The datagram's data through them. Returns the working counter."""
        for _, _, slave in self.takes:
            slave.written_ns = now_ns
        self.take(data)
        self.give(data)
        return self.counter

    def take(self, data: bytes | memoryview) -> None:
        """What they take from a datagram's data; it counts in Op."""
        for here, taken, slave in self.takes:
            if slave.in_op:
                taken[:] = data[here]

    def give(self, data: bytearray | memoryview) -> None:
        """What they give it."""
        for here, given in self.gives:
            data[here] = given


_Access = Callable[[bytearray, int, int, Slave, int], int]
_Passed = Callable[[bytearray, int, int, int, Sequence[Slave]], int]


def _read(frame: bytearray, data: int, octets: int, slave: Slave, register: int) -> int:
    told = slave.read(register, octets)
    if told is None:
        return 0
    frame[data : data + octets] = told
    return 1


def _read_together(frame: bytearray, data: int, octets: int, address: int, chain: Sequence[Slave]) -> int:
    """All answers laid over one another."""
    register = address >> 16
    if register == AL_STATUS and octets == AL_STATUS_OCTETS:
        # Asked of everybody in every cycle.
        told = [slave.status for slave in chain]
    else:
        answers = [slave.read(register, octets) for slave in chain]
        told = [int.from_bytes(answer, "little") for answer in answers if answer is not None]
    together = 0
    for answer in {*told}:
        together |= answer
    frame[data : data + octets] = together.to_bytes(octets, "little")
    return len(told)


def _write(frame: bytearray, data: int, octets: int, slave: Slave, register: int) -> int:
    return 1 if slave.write(register, bytes(frame[data : data + octets])) else 0


def _exchange(frame: bytearray, data: int, octets: int, slave: Slave, register: int) -> int:
    written = bytes(frame[data : data + octets])
    counter = _read(frame, data, octets, slave, register)
    return counter + (2 if slave.write(register, written) else 0)


def _by_position(access: _Access) -> _Passed:
    def passed(frame: bytearray, data: int, octets: int, address: int, chain: Sequence[Slave]) -> int:
        # The first device is asked for with 0, the one behind it with -1.
        position = -address & 0xFFFF
        return access(frame, data, octets, chain[position], address >> 16) if position < len(chain) else 0

    return passed


def _by_address(access: _Access) -> _Passed:
    def passed(frame: bytearray, data: int, octets: int, address: int, chain: Sequence[Slave]) -> int:
        wanted, register = address & 0xFFFF, address >> 16
        asked = [slave for slave in chain if slave.address == wanted]
        return sum(access(frame, data, octets, slave, register) for slave in asked)

    return passed


def _by_all(access: _Access) -> _Passed:
    def passed(frame: bytearray, data: int, octets: int, address: int, chain: Sequence[Slave]) -> int:
        return sum(access(frame, data, octets, slave, address >> 16) for slave in chain)

    return passed


def _hand_on(
    frame: bytearray, data: int, octets: int, address: int, chain: Sequence[Slave], *, by_position: bool = False
) -> int:
    """The one that is addressed is read, all others are given what it told (the reference clock's time)."""
    wanted, register, position = address & 0xFFFF, address >> 16, -address & 0xFFFF
    asked = chain[position : position + 1] if by_position else [slave for slave in chain if slave.address == wanted]
    counter = sum(_read(frame, data, octets, slave, register) for slave in asked)
    others = [slave for slave in chain if slave.has_clock and slave not in asked]
    # All clocks of the bench run alike: there is nothing to be put right.
    return counter + (len(others) if register == SYSTEM_TIME else _written(frame, data, octets, others, register))


def _written(frame: bytearray, data: int, octets: int, chain: Sequence[Slave], register: int) -> int:
    return sum(_write(frame, data, octets, slave, register) for slave in chain)


def _hand_on_by_position(frame: bytearray, data: int, octets: int, address: int, chain: Sequence[Slave]) -> int:
    return _hand_on(frame, data, octets, address, chain, by_position=True)


_PHYSICAL: dict[int, _Passed] = {
    d.APRD: _by_position(_read),
    d.APWR: _by_position(_write),
    d.APRW: _by_position(_exchange),
    d.FPRD: _by_address(_read),
    d.FPWR: _by_address(_write),
    d.FPRW: _by_address(_exchange),
    d.BRD: _read_together,
    d.BWR: _by_all(_write),
    d.BRW: _by_all(_exchange),
    d.FRMW: _hand_on,
    d.ARMW: _hand_on_by_position,
}

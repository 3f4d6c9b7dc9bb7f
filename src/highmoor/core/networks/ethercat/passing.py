"""What a frame of EtherCAT meets on its way: every device reads and writes as it passes, and counts.

Source: ETG.1000.4, 5.4 (commands, and by how much each counts).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from highmoor.core.networks.ethercat import datagrams as d
from highmoor.core.networks.ethercat.slave import Slave

# The commands that count the position on at each device.
_COUNTING = (d.APRD, d.APWR, d.APRW, d.BRD, d.BWR, d.BRW, d.ARMW)


def alter(frame: bytearray, chain: Sequence[Slave]) -> None:
    """A frame through all of them, in order."""
    for at, command, _, address, octets in d.places(frame):
        data = at + d.DATA
        if d.LRD <= command <= d.LRW:
            counter = _logical(frame, data, octets, address, command, chain)
        else:
            passed = _PHYSICAL.get(command)
            counter = passed(frame, data, octets, address, chain) if passed else 0
            if command in _COUNTING:
                frame[at + 2 : at + 4] = ((address & 0xFFFF) + len(chain) & 0xFFFF).to_bytes(2, "little")
        behind = data + octets
        told = int.from_bytes(frame[behind : behind + 2], "little") + counter
        frame[behind : behind + 2] = (told & 0xFFFF).to_bytes(2, "little")


def _logical(frame: bytearray, data: int, octets: int, address: int, command: int, chain: Sequence[Slave]) -> int:
    """Process data: who is read counts one, who is written two in a datagram that does both and one otherwise."""
    counter, end = 0, address + octets
    reads, writes = command != d.LWR, command != d.LRD
    for_writing = 2 if command == d.LRW else 1
    for slave in chain:
        for area in slave.mapped:
            if area.end <= address or end <= area.start:
                continue
            first, last = max(area.start, address), min(area.end, end)
            here, inside, count = data + first - address, area.offset + first - area.start, last - first
            if area.read and reads:
                frame[here : here + count] = slave.gives[inside : inside + count]
                counter += 1
            elif area.write and writes:
                slave.outputs(inside, frame[here : here + count])
                counter += for_writing
    return counter


_Access = Callable[[bytearray, int, int, Slave, int], int]
_Passed = Callable[[bytearray, int, int, int, Sequence[Slave]], int]


def _read(frame: bytearray, data: int, octets: int, slave: Slave, register: int) -> int:
    told = slave.read(register, octets)
    if told is None:
        return 0
    frame[data : data + octets] = told
    return 1


def _read_together(frame: bytearray, data: int, octets: int, slave: Slave, register: int) -> int:
    """All answers laid over one another."""
    told = slave.read(register, octets)
    if told is None:
        return 0
    for n, octet in enumerate(told):
        frame[data + n] |= octet
    return 1


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
    counter = 0
    for n, slave in enumerate(chain):
        if n == position if by_position else slave.address == wanted:
            counter += _read(frame, data, octets, slave, register)
        elif slave.has_clock:
            counter += _write(frame, data, octets, slave, register)
    return counter


def _hand_on_by_position(frame: bytearray, data: int, octets: int, address: int, chain: Sequence[Slave]) -> int:
    return _hand_on(frame, data, octets, address, chain, by_position=True)


_PHYSICAL: dict[int, _Passed] = {
    d.APRD: _by_position(_read),
    d.APWR: _by_position(_write),
    d.APRW: _by_position(_exchange),
    d.FPRD: _by_address(_read),
    d.FPWR: _by_address(_write),
    d.FPRW: _by_address(_exchange),
    d.BRD: _by_all(_read_together),
    d.BWR: _by_all(_write),
    d.BRW: _by_all(_exchange),
    d.FRMW: _hand_on,
    d.ARMW: _hand_on_by_position,
}

"""Frames and working counters of EtherCAT.

Source: ETG.1000.4 (IEC 61158-4-12), 5.2 and 5.4; IEEE 802.3, 3.1 and 4.4.2.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.errors import Refusal

# A datagram's header and its working counter; all datagrams of a frame together; one's data alone.
HEADER_OCTETS, COUNTER_OCTETS = 10, 2
AROUND_OCTETS = HEADER_OCTETS + COUNTER_OCTETS
DATAGRAMS_AT_MOST, DATA_AT_MOST = 1498, 1486
# Preamble before and gap behind; Ethernet header, EtherCAT header and check sequence; the least frame.
_PREAMBLE, _GAP, _FRAME_AROUND, _LEAST = 8, 12, 20, 64
# At 100 Mbit/s.
US_AN_OCTET = Fraction(8, 100)


@dataclass(frozen=True, slots=True)
class PackedFrame:
    """A frame with the datagrams it takes, by their numbers; `wire_octets` with preamble, padding and gap."""

    datagrams: tuple[int, ...]
    data_octets: int

    @property
    def wire_octets(self) -> int:
        """As long as the medium is busy with it."""
        return _PREAMBLE + max(_LEAST, _FRAME_AROUND + self.data_octets) + _GAP


def packed(data_octets: Sequence[int]) -> list[PackedFrame]:
    """Datagrams of so many octets of data in order, none split. Raises Refusal for one that fits no frame."""
    frames: list[PackedFrame] = []
    taken: list[int] = []
    octets = 0
    for n, data in enumerate(data_octets):
        if data < 0:
            raise Refusal(f"A datagram cannot have {data} octets.", value=data)
        if data > DATA_AT_MOST:
            raise Refusal(f"A datagram holds {DATA_AT_MOST} octets of data at most, not {data}.", value=data)
        if taken and octets + AROUND_OCTETS + data > DATAGRAMS_AT_MOST:
            frames.append(PackedFrame(tuple(taken), octets))
            taken, octets = [], 0
        taken.append(n)
        octets += AROUND_OCTETS + data
    if taken:
        frames.append(PackedFrame(tuple(taken), octets))
    return frames


def counter_of(inputs: bool, outputs: bool) -> int:
    """What one device adds to the working counter of a datagram that reads and writes."""
    return (1 if inputs else 0) + (2 if outputs else 0)


def lrw_counter(devices: Iterable[tuple[bool, bool]]) -> int:
    """The working counter of a datagram that all these pass, each with (inputs, outputs)."""
    return sum(counter_of(inputs, outputs) for inputs, outputs in devices)

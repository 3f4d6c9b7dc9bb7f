"""The media of fieldbuses as values: how frames travel, whether stations have IP addresses, what cables there are.

Nothing else in Highmoor compares a medium's name; whoever has to know something of one asks its value.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

MediumKey = Literal["ethernet", "rs-485", "ethercat", "profibus"]
# Passed on by switches to whom it concerns, heard by all on one line or on segments that repeaters join, or altered by
# each node that it passes.
Sharing = Literal["switched", "shared", "in segments", "on the fly"]


@dataclass(frozen=True, slots=True)
class CableKind:
    """A kind of cable; metres at most between two sockets."""

    key: str
    label: str
    length_at_most_m: float


@dataclass(frozen=True, slots=True)
class Medium:
    """A medium. `port` is a port of it in a sentence; on one of `several` more than one network can be.

    `cables` are those between two sockets, the usual one first; a line's own rules of length are its fieldbus's.
    `segments_m` is how long a segment may be, by rate (bit/s) up to which, where repeaters join several.
    """

    key: MediumKey
    name: str
    port: str
    sharing: Sharing
    has_ip: bool
    several: bool
    cables: tuple[CableKind, ...] = ()
    segments_m: tuple[tuple[int, float], ...] = ()

    @property
    def switches(self) -> bool:
        """Whether switches stand among its stations."""
        return self.sharing == "switched"

    @property
    def repeats(self) -> bool:
        """Whether repeaters stand among its stations."""
        return self.sharing == "in segments"

    @property
    def on_a_line(self) -> bool:
        """Whether all hear all that is sent, and so may spoil it."""
        return self.sharing in ("shared", "in segments")

    def segment_at_most_m(self, baud: int) -> float:
        """How long a segment may be at a rate; no end to it where nobody says."""
        return next((metres for rate, metres in self.segments_m if baud <= rate), float("inf"))

    @property
    def branches(self) -> bool:
        """Whether its cables run as a tree."""
        return not self.on_a_line

    @property
    def chained(self) -> bool:
        """Whether a station whose cable nobody has told of hangs on the one before it, and not on the port."""
        return self.sharing != "switched"


MEDIA: dict[str, Medium] = {
    medium.key: medium
    for medium in (
        Medium(
            "ethernet", "Ethernet", "Ethernet", "switched", has_ip=True, several=True,
            # At 100 Mbit/s: ISO/IEC 11801-1, 8 (copper); IEEE 802.3, 26.4 (multimode) and 58.1 (single-mode).
            cables=(
                CableKind("copper", "copper", 100),
                CableKind("multimode", "multimode fibre", 2_000),
                CableKind("single-mode", "single-mode fibre", 10_000),
            ),
        ),
        Medium("rs-485", "RS-485", "an RS-485 port", "shared", has_ip=False, several=False),
        Medium(
            "ethercat", "EtherCAT", "an EtherCAT port", "on the fly", has_ip=False, several=False,
            # 100BASE-TX (ISO/IEC 11801-1, 8).
            cables=(CableKind("copper", "copper", 100),),
        ),
        Medium(
            "profibus", "PROFIBUS", "a PROFIBUS port", "in segments", has_ip=False, several=False,
            # Cable of type A (IEC 61158-2, 22).
            segments_m=(
                (93_750, 1200), (187_500, 1000), (500_000, 400), (1_500_000, 200), (12_000_000, 100),
            ),
        ),
    )
}  # fmt: skip
ETHERNET, RS485, ETHERCAT, PROFIBUS = (MEDIA[key] for key in ("ethernet", "rs-485", "ethercat", "profibus"))

"""What each command profile's words do on both ends, by base: the drive on the bench and the controller's hand."""

from __future__ import annotations

from collections.abc import Callable

from highmoor.core.bench.axes.cia402_drive import Cia402Drive
from highmoor.core.bench.axes.cip_position import CipPositionDrive, CipPositionHand
from highmoor.core.bench.axes.hands import Cia402Hand, CipSpeedHand, Hand, MdiHand, ProfidriveHand, WordHand
from highmoor.core.bench.axes.machine import Machine
from highmoor.core.bench.axes.powered import Drive, Facts, Words
from highmoor.core.bench.axes.speed_drives import CipSpeedDrive, MdiDrive, ProfidriveDrive
from highmoor.core.bench.axes.word_drive import WordDrive

DRIVES: dict[str, Callable[[Facts, Machine, Words, float], Drive]] = {
    "cia402": Cia402Drive,
    "words": WordDrive,
    "cip-20-70": CipSpeedDrive,
    "cip-21-71": CipSpeedDrive,
    "cip-position": CipPositionDrive,
    "profidrive-1": ProfidriveDrive,
    "profidrive-9": MdiDrive,
}
# By the roles of those words that have a signal.
HANDS: dict[str, Callable[[frozenset[str]], Hand]] = {
    "cia402": Cia402Hand,
    "words": lambda _: WordHand(),
    "cip-20-70": CipSpeedHand,
    "cip-21-71": CipSpeedHand,
    "cip-position": lambda _: CipPositionHand(),
    "profidrive-1": lambda _: ProfidriveHand(),
    "profidrive-9": lambda _: MdiHand(),
}

"""How a controller commands a drive by the words of its profile: what it writes for what is wanted, what it reads."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal, Protocol

from highmoor.core.figures.motion.states import cia_402_state

State = Literal["off", "enabling", "standstill", "homing", "moving", "jogging", "running", "stopping", "fault"]
Does = Literal["move", "home", "turn", "quick-stop"]
# A word as it counts, by its role; 0 where there is none.
Read = Callable[[str], float]
Written = Iterator[tuple[str, float]]


@dataclass(slots=True)
class Wish:
    """What is wanted of a drive now. Positions, speeds and rates in the axis's unit and s; `turning` is a speed with
    its sign. `counts` are those of a unit, `speed_counts` those of a unit a second, as the motor turns."""

    counts: float
    speed_counts: float
    on: bool = False
    state: State = "off"
    # Where it is to be at this moment, and where the move ends.
    wanted: float = 0.0
    goal: float = 0.0
    speed: float = 0.0
    rate: float = 0.0
    turning: float = 0.0
    start: bool = False
    resetting: bool = False
    quick: bool = False


class Hand(Protocol):
    """What knows a profile's words. `streams`: the drive only follows what is wanted moment by moment. `does` is what
    can be asked by it; to turn at a speed needs no position."""

    streams: bool
    does: frozenset[Does]

    def seen(self, read: Read) -> tuple[bool, str]:
        """Whether the drive moves what it is told, and its fault in words."""

    def limited(self, read: Read) -> bool:
        """Whether the drive says that a limit stops it."""

    def acknowledged(self, read: Read) -> bool:
        """Whether it says that it has seen the start."""

    def homed(self, read: Read) -> bool | None:
        """Whether it has found home, or has failed to; None as long as it seeks."""

    def words(self, wish: Wish, read: Read) -> Written:
        """What is written, word by word, as counts."""


# CiA 402 status word: internal limit, and of homing attained and its error.
_INTERNAL_LIMIT, _REACHED, _ATTAINED, _HOMING_ERROR = 1 << 11, 1 << 10, 1 << 12, 1 << 13
_CSP, _HOMING = 8, 6
_STEPS = {"ready_to_switch_on": 0x07, "switched_on": 0x0F, "operation_enabled": 0x0F}


class Cia402Hand:
    """IEC 61800-7-201: cyclic positions, homing by the drive's own method."""

    streams = True
    does: frozenset[Does] = frozenset(("move", "home", "turn", "quick-stop"))

    def __init__(self, roles: frozenset[str]) -> None:
        self._says_mode = "mode_shown" in roles

    def seen(self, read: Read) -> tuple[bool, str]:
        state = cia_402_state(int(read("status")) & 0xFFFF)
        bad = state in ("fault", "fault_reaction_active")
        return state == "operation_enabled", "the drive is in fault" if bad else ""

    def limited(self, read: Read) -> bool:
        return bool(int(read("status")) & _INTERNAL_LIMIT)

    def acknowledged(self, read: Read) -> bool:
        return True

    def homed(self, read: Read) -> bool | None:
        status = int(read("status"))
        # Bits 12 and 13 are those of homing only once the drive says that it is in that mode.
        if not status & _REACHED or not self._in_homing(read):
            return None
        return False if status & _HOMING_ERROR else True if status & _ATTAINED else None

    def words(self, wish: Wish, read: Read) -> Written:
        yield "target", wish.wanted * wish.counts
        homing = wish.state == "homing"
        yield "mode", _HOMING if homing else _CSP
        yield "control", 0x80 if wish.resetting else self._control(wish, read, start=homing)

    def _control(self, wish: Wish, read: Read, *, start: bool) -> int:
        if wish.quick:
            return 0x02
        if not wish.on:
            return 0x06 if wish.state != "fault" else 0x00
        state = cia_402_state(int(read("status")) & 0xFFFF)
        # It starts to seek with a rising bit 4, once it is in that mode.
        begins = start and self._in_homing(read)
        return _STEPS.get(state or "", 0x06) | (0x10 if begins else 0)

    def _in_homing(self, read: Read) -> bool:
        """A drive that does not say its mode is taken to be in that it was told."""
        return not self._says_mode or int(read("mode_shown")) == _HOMING


class WordHand:
    """A drive of plain words: it is told where to go and goes there by itself."""

    streams = False
    does: frozenset[Does] = frozenset(("move", "home", "turn"))

    def seen(self, read: Read) -> tuple[bool, str]:
        code = int(read("fault_code"))
        return bool(read("enabled")), f"the drive is in fault, code 16#{code:04X}" if read("fault") else ""

    def limited(self, read: Read) -> bool:
        return False

    def acknowledged(self, read: Read) -> bool:
        return bool(read("acknowledged"))

    def homed(self, read: Read) -> bool | None:
        return True if read("homed") else None

    def words(self, wish: Wish, read: Read) -> Written:
        counts, turning = wish.counts, wish.state in ("jogging", "running")
        yield "target", wish.goal * counts
        yield "enable", wish.on
        yield "reset", wish.resetting
        yield "target_speed", abs(wish.turning if turning else wish.speed) * abs(counts)
        yield "rate", wish.rate * abs(counts)
        yield "stop", wish.state == "stopping"
        yield "home", wish.state == "homing"
        yield "set_position", wish.goal * counts if wish.state == "homing" else 0
        turned = wish.turning * (1 if counts > 0 else -1)
        yield "jog_plus", turning and turned > 0
        yield "jog_minus", turning and turned < 0
        yield "start", wish.start and wish.state == "moving"


class CipSpeedHand:
    """CIP volume 1, AC/DC drive: it runs forward or back at a speed, and stands when it is not told to run."""

    streams = False
    does: frozenset[Does] = frozenset(("turn",))

    def __init__(self, roles: frozenset[str]) -> None:
        self._says_ready = "ready" in roles

    def seen(self, read: Read) -> tuple[bool, str]:
        fault = bool(read("fault"))
        return not fault and bool(read("ready") or not self._says_ready), "the drive is in fault" if fault else ""

    def limited(self, read: Read) -> bool:
        return False

    def acknowledged(self, read: Read) -> bool:
        return True

    def homed(self, read: Read) -> bool | None:
        return None

    def words(self, wish: Wish, read: Read) -> Written:
        turning = wish.turning * wish.speed_counts if wish.on and wish.state in ("jogging", "running") else 0.0
        yield "net_control", 1
        yield "net_reference", 1
        yield "run", turning > 0
        yield "run_back", turning < 0
        yield "reset", wish.resetting
        yield "target_speed", abs(turning)


# IEC 61800-7-203, STW1: no coast stop, no quick stop, enabled, ramp generator on, set-point, control by PLC; and on.
_READY_1, _ON_1, _ACKNOWLEDGE_1 = 0x047E, 0x0001, 0x0080
_NO_QUICK = 1 << 2
_READY_FOR_ON, _OPERATION, _FAULT_PRESENT = 1, 1 << 2, 1 << 3


class ProfidriveHand:
    """IEC 61800-7-203, speed control (telegram 1)."""

    streams = False
    does: frozenset[Does] = frozenset(("turn", "quick-stop"))

    def seen(self, read: Read) -> tuple[bool, str]:
        status = int(read("status"))
        return bool(status & _OPERATION), "the drive is in fault" if status & _FAULT_PRESENT else ""

    def limited(self, read: Read) -> bool:
        return False

    def acknowledged(self, read: Read) -> bool:
        return True

    def homed(self, read: Read) -> bool | None:
        return None

    def words(self, wish: Wish, read: Read) -> Written:
        yield "control", (_READY_1 | self._on(wish, read)) & ~(_NO_QUICK if wish.quick else 0)
        turning = wish.turning if wish.on and wish.state in ("jogging", "running") else 0.0
        yield "target_speed", turning * wish.speed_counts

    def _on(self, wish: Wish, read: Read) -> int:
        """On, once the drive is ready for that: what is on from the beginning does not start (S1)."""
        if wish.resetting:
            return _ACKNOWLEDGE_1
        return _ON_1 if wish.on and int(read("status")) & _READY_FOR_ON else 0


# STW1 of positioning: do not reject, do not stop in between, start (its edge), jog; and of ZSW1 task acknowledged.
_NO_REJECT, _NO_HALT, _START_TASK, _TASK_SEEN = 1 << 4, 1 << 5, 1 << 6, 1 << 12
_PLC = 1 << 10
# SATZANW: what is to be done comes with the telegram. MDI_MOD: to a position, not by so far.
_DIRECT, _ABSOLUTE = 1 << 15, 1
# MDI_ACC and MDI_DEC are shares of the highest, 16#4000 being all of it.
_ALL = 0x4000


class MdiHand(ProfidriveHand):
    """IEC 61800-7-203, positioning with direct input (telegram 9)."""

    does = frozenset(("move", "quick-stop"))

    def acknowledged(self, read: Read) -> bool:
        return bool(int(read("status")) & _TASK_SEEN)

    def words(self, wish: Wish, read: Read) -> Written:
        stands = 0 if wish.state == "stopping" else _NO_REJECT
        begins = _START_TASK if wish.start and wish.state == "moving" else 0
        control = 0x0E | _PLC | _NO_HALT | stands | begins
        yield "control", (control | self._on(wish, read)) & ~(_NO_QUICK if wish.quick else 0)
        yield "stored", _DIRECT
        yield "target", wish.goal * wish.counts
        yield "target_speed", wish.speed * abs(wish.counts)
        yield "rate", _ALL
        yield "rate_down", _ALL
        yield "mdi_mode", _ABSOLUTE

"""Drives by their profiles: every transition of their states by a table, and homing to within a count."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from math import inf
from typing import Any

import pytest

from highmoor.core.bench.axes.cia402_drive import Cia402Drive
from highmoor.core.bench.axes.cip_position import CipPositionDrive
from highmoor.core.bench.axes.machine import Build, Machine
from highmoor.core.bench.axes.powered import LINK_LOST, Facts, Homing
from highmoor.core.bench.axes.speed_drives import CipSpeedDrive, MdiDrive, ProfidriveDrive
from highmoor.core.figures.motion.states import cia_402_state, decoded_word
from highmoor.core.motion.home_search import METHODS, Ground
from highmoor.core.motion.homing import zones
from highmoor.core.motion.mechanics import Mechanics
from tests.core.motion.test_homing import ENDS, GROUND, _ground

DT = 0.002
COUNTS = 1000.0


class Words:
    """Words that go nowhere but to the test."""

    def __init__(self) -> None:
        self.given: dict[str, int] = {}
        self.told: dict[str, int] = {}

    def look(self) -> tuple[bytes, ...]:
        return (repr(self.given).encode(),)

    def has(self, role: str) -> bool:
        return True

    def get(self, role: str) -> int:
        return self.given.get(role, 0)

    def put(self, role: str, value: float) -> None:
        self.told[role] = round(value)

    def tell(self) -> None:
        pass


class On:
    """A drive with its machine, on and on."""

    def __init__(self, kind: Any, ground: Ground | None = None, at: float = 0.0, homing: Homing | None = None) -> None:
        self.words = Words()
        build = Build(Mechanics(0.001, (), 0.0, 0.0, 0.0), 2.5, 0.001, inf, 0.0, 0.0, ground=ground or Ground())
        self.machine = Machine(build, at)
        facts = Facts(COUNTS, 2.5, 50.0, None, 0.01, 100.0, 500.0, 10.0, homing)
        # It counts from somewhere else than the load is.
        self.drive = kind(facts, self.machine, self.words, at + 7.25)
        self.now = 0.0

    def go(self, seconds: float = DT, alive: bool = True, **words: int) -> dict[str, int]:
        self.words.given.update(words)
        for _ in range(max(round(seconds / DT), 1)):
            self.now += DT
            if not self.drive.idle:
                self.drive.step(DT, self.now, alive=alive)
        return self.words.told

    @property
    def state(self) -> str | None:
        return cia_402_state(self.words.told["status"])


# ── CiA 402: what each control word makes of each state (IEC 61800-7-201, transitions 2 to 12 and 15)

N, R, S, E, Q, F = (
    "switch_on_disabled", "ready_to_switch_on", "switched_on", "operation_enabled", "quick_stop_active", "fault",
)  # fmt: skip
# By bits 3 to 0 of the control word, x for either: what becomes of N, R, S, E, Q.
TRANSITIONS = {
    "xx0x": (N, N, N, N, N), "x01x": (N, N, N, Q, Q), "x110": (R, R, R, R, Q), "0111": (N, S, S, S, Q),
    "1111": (N, S, E, E, Q),
}  # fmt: skip


def _bits(pattern: str, word: int) -> bool:
    return all(bit == "x" or int(bit) == word >> 3 - n & 1 for n, bit in enumerate(pattern))


def _brought_to(state: str) -> On:
    on = On(Cia402Drive)
    on.go(mode=3, target_speed=0)
    # It turns, so that a quick stop takes a while.
    for word in {N: (), R: (6,), S: (6, 7), E: (6, 7, 15), Q: (6, 7, 15), F: (6,)}[state]:
        on.go(control=word)
    if state in (E, Q):
        on.go(0.2, target_speed=round(50 * COUNTS))
    if state == Q:
        on.go(control=2)
    if state == F:
        on.drive.fault = LINK_LOST
        on.go(target=1)
    assert on.state == state
    return on


def test_every_control_word_in_every_state() -> None:
    covered = 0
    for n, state in enumerate((N, R, S, E, Q)):
        for word in range(256):
            on = _brought_to(state)
            expected = next(after[n] for pattern, after in TRANSITIONS.items() if _bits(pattern, word))
            # A word that stands already is no rising edge.
            on.go(control=word)
            assert on.state == expected, (state, hex(word))
            covered += 1
    assert covered == 5 * 256


def test_an_enable_at_once_goes_through_all_states() -> None:
    on = On(Cia402Drive)
    on.go(control=6)
    on.go(0.01, control=15)
    assert on.state == E


def test_only_a_rising_bit_7_leaves_the_fault() -> None:
    for word in range(256):
        on = _brought_to(F)
        on.go(control=word)
        assert on.state == (N if word & 0x80 else F), hex(word)
    on = _brought_to(F)
    on.go(control=0x80)
    on.drive.fault = LINK_LOST
    on.go(target=2)
    assert on.state == F, "the bit stands since before"
    on.go(control=0)
    on.go(control=0x80)
    assert on.state == N


# ── homing, from every zone, on a drive that counts from elsewhere


@pytest.mark.parametrize("number", METHODS)
def test_home_is_found_within_a_count(number: int) -> None:
    method, ground = METHODS[number], _ground(number)
    for _, (low, high) in zones(ground, method, (-100, 500)):
        start = (low + high) / 2
        on = On(Cia402Drive, ground, start, Homing(method, 60.0, 3.0, 12.0))
        for word in (6, 7, 15):
            on.go(control=word, mode=6)
        assert on.go(control=0x1F)["status"] >> 12 & 1 == (number == 37)
        for _ in range(200):
            status = on.go(0.1)["status"]
            if status & 1 << 10:
                break
        assert status >> 10 & 0b1111 == 0b0101, (start, "reached and attained, no error, no limit")
        home = ENDS[number] if method.switch else start if number == 37 else ENDS[number] if start == 200 else None
        assert home is not None
        # What it counts now is 12 where home is; the load stands where that says.
        assert on.drive.shown - on.machine.position == pytest.approx(12.0 - home, abs=1.01 / COUNTS), start
        # On the cyclic set-points again it stays where it is.
        on.go(0.5, mode=8, control=15, target=round(on.drive.shown * COUNTS))
        assert on.machine.speed == 0 and on.state == E


def test_homing_that_finds_nothing_says_so_and_one_broken_off_stands() -> None:
    on = On(Cia402Drive, replace(GROUND, home=None), 200.0, Homing(METHODS[7], 60.0, 3.0, 0.0))
    for word in (6, 7, 15):
        on.go(control=word, mode=6)
    status = on.go(30, control=0x1F)["status"]
    assert status >> 12 & 0b11 == 0b10 and on.machine.speed == 0
    on.go(control=0x0F)
    on.go(1, control=0x1F)
    assert on.machine.speed != 0
    status = on.go(1, control=0x0F)["status"]
    assert status >> 12 & 0b11 == 0 and status >> 10 & 1 and on.machine.speed == 0
    # Taken out of its search by another mode it brakes too.
    on.go(control=0x0F)
    on.go(1, control=0x1F)
    speeds = []
    for _ in range(400):
        on.go(mode=3, target_speed=0)
        speeds.append(abs(on.machine.speed))
    assert speeds[-1] == 0 and all(b <= a + 1e-9 for a, b in pairwise(speeds[10:]))


# ── PROFIdrive (IEC 61800-7-203, general state machine) and CIP's control supervisor

READY, OPERATION = 0x047E, 0x047F


def test_profidrive_goes_through_its_states_and_turns() -> None:
    on = On(ProfidriveDrive)

    def state() -> str:
        return decoded_word("zsw1", on.words.told["status"]).state[:2]

    # What is on already when it gets power does not start.
    on.go(control=OPERATION)
    assert state() == "S1"
    for word, expected in ((READY, "S2"), (0x0477, "S3"), (OPERATION, "S4"), (0x0477, "S3"), (OPERATION, "S4")):
        on.go(control=word)
        assert state() == expected, hex(word)
    told = on.go(1, target_speed=500)
    # Of a speed of one unit a second its word counts 10.
    assert on.machine.speed == pytest.approx(50) and told["speed"] == 500 and told["status"] & 1 << 10
    # Taken away, it ramps down (S5) and is ready again; by a coast stop it is let go, by a quick one braked, both S1.
    on.go(control=READY)
    assert state() == "S3" and on.machine.speed > 40, "bits of S5"
    on.go(1)
    assert (state(), on.machine.speed) == ("S2", 0)
    for word, brakes in ((0x047D, False), (0x047B, True)):
        on.go(control=READY)
        on.go(control=OPERATION)
        on.go(1)
        assert state() == "S4"
        on.go(0.05, control=word)
        assert (on.machine.speed < 49) == brakes
        on.go(1)
        assert state() == "S1"
        on.machine.speed = 0.0
    # Without control by PLC its words do not count.
    on.go(control=READY)
    on.go(control=OPERATION & ~0x400)
    assert state() == "S2"
    on.go(control=OPERATION)
    on.go()
    on.go(0.1, alive=False)
    assert on.words.told["status"] & 1 << 3 and on.drive.fault == LINK_LOST
    on.go(control=READY | 0x80)
    on.go(control=READY)
    assert state() == "S2"


def test_profidrive_goes_to_a_target_that_comes_with_the_telegram() -> None:
    on = On(MdiDrive, Ground(plus=(100, 120)))
    for word in (READY, OPERATION):
        on.go(control=word | 0x30)
    on.go(control=OPERATION, target=40_000, target_speed=30_000, rate=0x4000, mdi_mode=1)
    told = on.go(control=OPERATION & ~0x50 | 0x10)
    assert not told["status"] & 1 << 12
    told = on.go(2, control=OPERATION)
    assert told["status"] & 1 << 12 and told["status"] & 1 << 10 and told["position"] == 40_000
    # By so far; stopped by an intermediate halt, and on again; given up by bit 4.
    on.go(control=OPERATION & ~0x40, target=-10_000, mdi_mode=0)
    on.go(0.1, control=OPERATION)
    on.go(0.5, control=OPERATION & ~0x20)
    assert on.machine.speed == 0 and not on.words.told["status"] & 1 << 10
    assert on.go(2, control=OPERATION)["position"] == 30_000
    on.go(control=OPERATION & ~0x40, target=50_000, mdi_mode=1)
    on.go(0.1, control=OPERATION)
    on.go(1, control=OPERATION & ~0x10)
    assert 30_000 < on.words.told["position"] < 40_000
    # A switch stops it on the way.
    on.go(control=OPERATION & ~0x40, target=200_000, mdi_mode=1)
    on.go(8, control=OPERATION)
    assert 100 < on.machine.position < 105


def test_cip_runs_forward_and_back_and_faults_without_its_connection() -> None:
    on = On(CipSpeedDrive)
    told = on.go(run=0, run_back=0)
    assert (told["state"], told["ready"], told["running"]) == (3, 1, 0)
    told = on.go(1, run=1, target_speed=200)
    assert (told["state"], told["at_speed"], told["running"], told["speed"]) == (4, 1, 1, 200)
    assert on.machine.speed == pytest.approx(20)
    told = on.go(1, run=0, run_back=1)
    assert (told["running"], told["running_back"], told["speed"]) == (0, 1, -200)
    # Both at once are neither.
    told = on.go(0.01, run=1)
    assert told["state"] == 5
    assert on.go(1)["state"] == 3 and on.machine.speed == 0
    on.go(0.2, run_back=0)
    told = on.go(0.1, alive=False)
    assert (told["fault"], told["state"], told["ready"]) == (1, 7, 0)
    told = on.go(0.1, run=0, reset=1)
    assert (told["fault"], told["state"]) == (0, 3)


def test_a_cip_position_drive_takes_one_message_at_a_time() -> None:
    on = On(CipPositionDrive, Ground(plus=(100, 120)))
    asked = {"asks": 1 << 5 | 1}

    def load(kind: int, value: float) -> dict[str, int]:
        on.go(load=0)
        assert not on.words.told["loaded"]
        on.go(load=1, says=1 << 5 | kind, target=round(value))
        return dict(on.words.told)

    told = on.go(enable=1, **asked)
    assert (told["enabled"], told["in_progress"], told["answers"]) == (1, 0, 1 << 5 | 1)
    assert all(load(kind, value)["loaded"] for kind, value in ((3, 200_000), (4, 200_000), (2, 20_000)))
    # What it does not know it does not take.
    assert not load(9, 5)["loaded"]
    told = load(1, 40_000)
    assert (told["loaded"], told["in_progress"], told["in_position"]) == (1, 1, 0)
    # What stands there does not begin again; the start taken away takes nothing away.
    told = on.go(0.5, load=0)
    assert on.machine.speed == pytest.approx(20, rel=1e-2)
    assert on.go(3)["position"] == 40_000 and on.words.told["in_position"]
    assert on.go(asks=1 << 5 | 3)["position"] == pytest.approx(0, abs=20) and on.go(**asked)["position"] == 40_000
    # By so far, braked on the way, and once more to the same target.
    on.go(relative=1)
    load(1, -20_000)
    on.go(0.3)
    on.go(stop=1)
    stands = on.go(1)["position"]
    assert 30_000 < stands < 40_000 and not on.words.told["in_progress"]
    on.go(stop=0, relative=0)
    load(1, 20_000)
    assert on.go(2)["position"] == 20_000
    # A switch stops it on the way; a lost link is a fault that goes with the next enable.
    load(1, 200_000)
    assert 100 < on.go(8)["position"] / COUNTS - 7.25 < 105 and on.words.told["limit_plus"]
    load(1, 20_000)
    told = on.go(0.1, alive=False)
    assert (told["fault"], told["enabled"]) == (1, 0)
    assert on.go()["fault"] == 1
    on.go(enable=0)
    told = on.go(enable=1)
    assert (told["fault"], told["enabled"]) == (0, 1)


@pytest.mark.parametrize(("quick", "way"), [(None, 2.5), (1000.0, 1.25)])
def test_a_profidrive_quick_stop_brakes_by_its_own_ramp(quick: float | None, way: float) -> None:
    on = On(ProfidriveDrive)
    on.drive.facts = replace(on.drive.facts, quick_rate=quick)
    for word in (READY, OPERATION):
        on.go(control=word)
    on.go(1, control=OPERATION, target_speed=500)
    begin = on.machine.position
    assert on.machine.speed == pytest.approx(50)
    on.go(1, control=OPERATION & ~0x04)
    # v²/2a, and v/Kv as far as the load is behind.
    assert on.machine.position - begin == pytest.approx(way + 0.9, abs=0.1) and on.machine.speed == 0

"""Robots: how quick their arms turn, where they reach, their straight move; what a type asks, and who meets it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from math import cos, dist, pi, sin
from random import Random

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from highmoor.core.errors import Refusal
from highmoor.core.figures.motion.delta import Delta
from highmoor.core.motion.robots.frame import frame_of
from highmoor.core.motion.robots.line import JointWay, Line, line_of, line_told, pose
from highmoor.core.motion.robots.reach import reach, why_not, within
from highmoor.core.motion.robots.types import ARM_PLACES, PLACES, TYPES
from highmoor.core.plant.rows import Axis, ChainLink, Controller, Port, Robot, Station
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from tests.core.demo import LIBRARY
from tests.core.motion.axes import applied, found, put
from tests.core.motion.robots import LINE, WRISTED, joint, of_robot, picker, with_values, without_axes
from tests.core.plants import hall

OF = TYPES[WRISTED]
coordinates = st.floats(-250, 250)
heights = st.floats(-620, -340)


# ── the arms


@given(coordinates, coordinates, heights, *[st.floats(-2000, 2000)] * 3)
def test_arms_turn_as_quick_as_their_angles_change(x: float, y: float, z: float, u: float, v: float, w: float) -> None:
    assume(within(OF, x, y, z))
    here, step = OF.delta.angles(x, y, z), 1e-6
    try:
        there = OF.delta.angles(x + u * step, y + v * step, z + w * step)
    except Refusal:
        return
    told = OF.delta.rates((x, y, z), (u, v, w), here)
    for before, after, rate in zip(here, there, told, strict=True):
        assert (after - before) / step == pytest.approx(rate, rel=1e-2, abs=0.05)


def test_an_arm_by_hand() -> None:
    # Upper arm 3 level, lower arm 4 straight down from an elbow 3 out: with equal radii the platform is at (3, 0, −4).
    by_hand = Delta(1, 1, 3, 4)
    assert by_hand.arm_angle(0, 3, 0, -4) == pytest.approx(0)
    # Straight down at 1 a second: the elbow goes round at a third of a radian a second.
    rate, *_ = by_hand.rates((3, 0, -4), (0, 0, -1), (0.0, 0.0, 0.0))
    assert rate == pytest.approx(180 / pi / 3)
    # Both arms in one line, level: it cannot follow anything along that line.
    assert by_hand.rates((7, 0, 0), (1, 0, 0), (0.0, 0.0, 0.0))[0] == float("inf")
    assert by_hand.rates((7, 0, 0), (0, 0, 0), (0.0, 0.0, 0.0))[0] == 0


# ── reach


def inside(outline: Sequence[tuple[float, float]], x: float, y: float) -> bool:
    """Whether a place is in an outline: how often a ray from it crosses that."""
    crossed = False
    for (ax, ay), (bx, by) in zip(outline, [*outline[1:], outline[0]], strict=True):
        if (ay > y) != (by > y) and x < (bx - ax) * (y - ay) / (by - ay) + ax:
            crossed = not crossed
    return crossed


@settings(max_examples=12)
@given(st.sampled_from(list(TYPES.values())), st.floats(0.1, 0.95), st.integers(0, 2**32).map(Random))
def test_what_is_drawn_is_what_is_reached(of, share, chance) -> None:  # type: ignore[no-untyped-def]
    z = -(of.delta.upper_arm + of.delta.lower_arm) * share
    told = reach(of, z)
    # A column is as wide as this; between two of them an edge is drawn straight.
    near = 3 * told.half / 50
    for _ in range(60):
        x, y = (chance.uniform(-1.2, 1.2) * told.half for _ in range(2))
        about = [(x + near * cos(n), y + near * sin(n)) for n in range(6)]
        if len({within(of, *p, z) for p in (*about, (x, y))}) == 1:
            assert any(inside(cell, x, y) for cell in told.plan) == within(of, x, y, z)
        down = chance.uniform(told.low * 1.2, 0)
        about = [(x + near * cos(n), down + near * sin(n)) for n in range(6)]
        if len({within(of, a, 0, b) for a, b in (*about, (x, down))}) == 1:
            assert any(inside(cell, x, down) for cell in told.section) == within(of, x, 0, down)
    if told.radius is None:
        assert not within(of, 0, 0, z)
        return
    bearings = [chance.uniform(0, 2 * pi) for _ in range(200)]
    assert all(within(of, 0.995 * told.radius * cos(b), 0.995 * told.radius * sin(b), z) for b in bearings)
    out = [2 * pi * n / 360 for n in range(360)]
    assert not all(within(of, 1.005 * told.radius * cos(b), 1.005 * told.radius * sin(b), z) for b in out)


@given(*[st.floats(OF.low_deg, OF.high_deg)] * 3)
def test_wherever_arms_within_their_limits_hold_the_platform_is_reached(a: float, b: float, c: float) -> None:
    at = OF.delta.position((a, b, c))
    turned = OF.delta.angles(*at)
    assume(all(abs(one - other) < 1e-6 for one, other in zip(turned, (a, b, c), strict=True)))
    assert within(OF, *at) or min(abs(e - x) for x in turned for e in (OF.low_deg, OF.high_deg)) < 1e-6
    assert (why_not(OF, at) == "") == within(OF, *at)


# ── the straight move

places = st.tuples(coordinates, coordinates, st.floats(-60, 60)).map(lambda at: tuple(round(x, 3) for x in at))


@settings(max_examples=40)
@given(
    places,
    places,
    st.floats(50, 3000),
    st.floats(500, 60_000),
    st.integers(-180, 180),
    st.integers(0, 2**32).map(Random),
)  # fmt: skip
def test_a_straight_move_tells_the_most_each_joint_turns(  # type: ignore[no-untyped-def]
    begin, end, speed, rate, turn, chance
) -> None:
    assume(dist(begin, end) > 1)
    values = dict(zip(("from_x", "from_y", "from_z", "to_x", "to_y", "to_z"), (*begin, *end), strict=True))
    robot = Robot("z1", "c1", "R", "V", WRISTED, settings={
        **values, "frame_z": -470, "frame_turn": turn, "line_speed": speed, "line_acceleration": rate, "to_turn": turn,
    })  # fmt: skip
    line = line_of(robot, OF)
    assert line is not None
    told = line_told(OF, line, {})
    frame = frame_of(robot.settings)
    for t, place in ((0.0, begin), (line.takes, end)):
        assert dist(line.place(t), frame.outside(place)) < 1e-6
    if told.leaves:
        assert why_not(OF, line.place(0)) or told.leaves_at > 0
        return
    assert told.takes >= max(told.length / speed, 2 * (told.length / rate) ** 0.5) - 1e-9
    step = told.takes * 1e-5
    for _ in range(60):
        t = chance.uniform(0, told.takes - step)
        ahead, place = pose(OF, line, t + step), pose(OF, line, t)
        for joint_told, (there, quicker), (here, quick) in zip(told.joints, ahead, place, strict=True):
            assert abs(there - here) / step <= joint_told.most * 1.002 + 1e-6
            assert abs(quicker - quick) / step <= joint_told.acceleration * 1.002 + 1
            assert joint_told.low - 0.5 <= here <= joint_told.high + 0.5
    for n, joint_told in enumerate(told.joints):
        assert abs(pose(OF, line, joint_told.at)[n][1]) == pytest.approx(joint_told.most)
        # As much as that it does accelerate, on the one side of that moment or the other.
        t, near = joint_told.accelerates_at, told.takes * 1e-4
        speeds = [pose(OF, line, min(max(t + by, 0.0), told.takes))[n][1] for by in (-near, 0.0, near)]
        sides = [abs(one - other) / near for one, other in pairwise(speeds)]
        assert max(sides) == pytest.approx(joint_told.acceleration, rel=0.02, abs=1)
        assert JointWay(OF, line, joint_told.place, 2).at(joint_told.at)[0] == pose(OF, line, joint_told.at)[n][0] / 2


class _Astray:
    """A way that is far off at all moments but those that are looked at."""

    takes = 240.0
    pieces = ()

    def at(self, t: float) -> tuple[float, float]:
        return (t / 240, 1 / 240) if t == round(t) else (100.0, 1.0)


def test_what_is_not_reached_between_two_moments_is_led_as_at_the_nearest() -> None:
    line = Line((-50, 0, -450), (50, 0, -450), _Astray(), 1.0, (0, 90))  # type: ignore[arg-type]
    assert not line_told(OF, line, {}).leaves
    with pytest.raises(Refusal):
        pose(OF, line, 7.3)
    for place in ARM_PLACES:
        way = JointWay(OF, line, place)
        assert way.at(7.3) == way.at(7) and way.at(7.6) == way.at(8)


def test_without_a_frame_it_is_drawn_where_it_is_widest() -> None:
    told = reach(OF)
    assert told.radius is not None
    for by in (-60, -25, 25, 60):
        there = reach(OF, told.z + by).radius
        assert there is None or there <= told.radius


def test_a_line_needs_its_ends_and_its_speed() -> None:
    for lacks in ("line_speed", "line_acceleration"):
        assert line_of(Robot("z1", "c1", "R", "V", WRISTED, settings={**LINE, lacks: None}), OF) is None
    nowhere = {**LINE, "to_x": LINE["from_x"], "to_y": LINE["from_y"], "to_z": 0}
    assert line_of(Robot("z1", "c1", "R", "V", WRISTED, settings=nowhere), OF) is None
    # Without a wrist nothing turns.
    alone = line_of(Robot("z1", "c1", "R", "V", "arms-200-460", settings=LINE), TYPES["arms-200-460"])
    assert alone is not None and alone.turns is None


def test_the_frame_is_turned_and_moved() -> None:
    frame = frame_of({"frame_x": 10, "frame_z": -400, "frame_turn": 90})
    assert frame.outside((3, 4, 5)) == pytest.approx((10 - 4, 3, -395))


# ── what a type asks


def test_axes_are_brought_to_what_is_asked() -> None:
    plant = picker()
    assert found(plant) == set()
    arm = joint(plant, "arm2").id
    gear = next(link.id for link in plant.children(ChainLink, arm) if link.kind == "gear")
    # A second gear of 5 : 2 in front of it, turned the other way, counted in turns.
    wrong = applied(
        plant, edits.AddChainLink(axis=arm, link="gear", before=gear),
        edits.SetFields(ids=[arm], values={"unit": "turn", "settings.reversed": True, "settings.peak_a": 5}),
    )  # fmt: skip
    first = next(link.id for link in wrong.children(ChainLink, arm) if link.kind == "gear" and link.id != gear)
    wrong = put(wrong, first, settings__motor_turns=5, settings__load_turns=2)
    assert "MOT-162" in found(wrong)
    met = applied(wrong, edits.MeetType(robot=wrong.all(Robot)[0].id))
    assert found(met) == set()
    row = met.get(arm, Axis)
    assert (row.unit, row.settings["reversed"], row.settings["peak_a"]) == ("deg", False, 4.2)
    # 20 motor turns a turn through both: the other gives all of them.
    assert met.get(first, ChainLink).settings["motor_turns"] == 1
    # Only what is named.
    only = applied(wrong, edits.MeetType(robot=wrong.all(Robot)[0].id, keys=["peak_a"])).get(arm, Axis)
    assert (only.settings["peak_a"], only.settings["reversed"], only.unit) == (4.2, True, "turn")


def test_a_robot_made_of_drives_lacks_only_its_encoder_offsets() -> None:
    plant = hall()
    steps: list[edits.Edit] = [edits.AddNetwork(fieldbus="ethercat", port=plant.all(Port)[2].id, tag="$n")]
    steps += [edits.AddStation(network="$n", name=name) for name in ("A1", "B1", "C1", "W1")]
    plant = applied(plant, edits.Batch(edits=steps))
    drives = {s.name: s.id for s in plant.all(Station)}
    joints = dict(zip(PLACES, drives.values(), strict=True))
    controller = plant.all(Controller)[0].id
    made = apply(plant, LIBRARY, edits.AddRobot(controller=controller, robot=WRISTED, joints=joints, tag="$r"))  # type: ignore[arg-type]
    assert found(made.plant) & {f"MOT-16{n}" for n in range(9)} == {"MOT-163"}
    assert [(a.name, a.kind, a.arm, a.drive) for a in made.plant.all(Axis)] == [
        ("A1", "rotary", "arm1", drives["A1"]), ("B1", "rotary", "arm2", drives["B1"]),
        ("C1", "rotary", "arm3", drives["C1"]), ("W1", "endless", "wrist", drives["W1"]),
    ]  # fmt: skip
    assert made.tags["$r"] == made.plant.all(Robot)[0].id
    # A copy of an arm's drive is no arm of the robot.
    copy = apply(made.plant, LIBRARY, edits.Replicate(id=drives["A1"], count=1)).plant
    assert [axis.robot for axis in copy.all(Axis) if axis.drive not in drives.values()] == [None]


def test_a_robot_by_its_data_sheet() -> None:
    plant = without_axes("own")
    sheet = {
        "base_radius": 150,
        "platform_radius": 40,
        "upper_arm": 200,
        "lower_arm": 460,
        "low_deg": -35,
        "high_deg": 85,
    }
    assert found(plant) == {"MOT-161"}
    robot = plant.all(Robot)[0].id
    with pytest.raises(Refusal, match="upper arm"):
        applied(plant, edits.MeetType(robot=robot))
    whole = of_robot(plant, **sheet)
    assert found(whole) == {"MOT-160"}
    with_wrist = of_robot(whole, has_wrist=True)
    asks = of_robot(with_wrist, arms_gear=20, wrist_gear=8)
    for plant, told in ((whole, ["arm1", "arm2", "arm3"]), (asks, ["arm1", "arm2", "arm3", "wrist"])):
        taken = plant
        for place in told:
            kind = "endless" if place == "wrist" else "rotary"
            add = edits.AddAxis(controller=plant.all(Controller)[0].id, axis=kind, name=place, tag="$a")  # type: ignore[arg-type]
            values = {"robot": robot, "arm": place, "settings.encoder_offset": 0}
            taken = applied(taken, edits.Batch(edits=[add, edits.SetFields(ids=["$a"], values=values)]))
            if place != "wrist":
                taken = with_values(taken, joint(taken, place).id, soft_minus=-35, soft_plus=85)
        assert ("MOT-162" in found(taken)) == (plant is asks)
        met = applied(taken, edits.MeetType(robot=robot))
        assert found(met) & {f"MOT-16{n}" for n in range(9)} == set()


@pytest.mark.parametrize(("joints", "text"), [
    ({"wrist": "a"}, "has no wrist"), ({"arm1": "nothing"}, "nothing"), ({"arm1": "c"}, "a drive on a network"),
])  # fmt: skip
def test_what_cannot_be_a_joint_is_refused(joints: dict[str, str], text: str) -> None:
    plant = picker("arms-200-460")
    controller = plant.all(Controller)[0].id
    given = {place: {"a": plant.all(Axis)[0].id, "c": controller}.get(what, what) for place, what in joints.items()}
    with pytest.raises(Refusal, match=text):
        applied(plant, edits.AddRobot(controller=controller, robot="arms-200-460", joints=given))  # type: ignore[arg-type]
    with pytest.raises(Refusal, match="no type"):
        applied(plant, edits.AddRobot(controller=controller, robot="none"))


@settings(max_examples=60)
@given(*[st.tuples(coordinates, coordinates, heights)] * 2)
def test_by_its_joints_a_platform_hangs_on_the_arms_all_the_way(
    one: tuple[float, float, float], other: tuple[float, float, float]
) -> None:
    """As it goes to where its straight move begins."""
    assume(within(OF, *one) and within(OF, *other))
    begin, end = OF.delta.angles(*one), OF.delta.angles(*other)
    for n in range(11):
        turned = tuple(a + (b - a) * n / 10 for a, b in zip(begin, end, strict=True))
        assert OF.delta.angles(*OF.delta.position(turned)) == pytest.approx(turned, abs=1e-6)  # type: ignore[arg-type]

"""A scanner's distance by hand, its zones clipped, who comes from where; geometry against rays of the test's own."""

from __future__ import annotations

from math import cos, hypot, pi, radians, sin
from typing import Any

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from shapely import LineString
from shapely import Point as Spot

from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import PlanShape, Proof, Scanner, Situation, Zone, ZoneUse
from highmoor.core.project import edits
from highmoor.core.safety.scanner.shapes import ring_of, sector, shape_problem
from highmoor.core.safety.scanner.sight import in_sight, watched
from highmoor.core.safety.scanner.walk import OutputWalk, WalkTold, places_along
from tests.core.safety.functions import analysed, do, of, on
from tests.core.safety.functions import told as function
from tests.core.safety.scanner.aisle import (
    FIELD,
    HAZARD,
    aisle,
    guard,
    one,
    scanner,
    shaped,
    situation,
    told,
    with_shape,
    without,
    zone,
)

XY = tuple[float, float]


@pytest.mark.parametrize(
    ("stop", "scans", "needed"),
    # 1600 mm/s for 189 and 420 ms, 1200 less 0.4 of 200, 100 of tolerance; 40 ms more a scan.
    [(420, 2, 2194.4), (560, 2, 2418.4), (420, 3, 2258.4), (420, 4, 2322.4), (560, 5, 2610.4)],
)
def test_the_distance_by_hand(stop: float, scans: int, needed: float) -> None:
    plant = scanner(on(aisle(), "Drive", stop_ms=stop), scans=scans)
    found = guard(plant)
    assert found.needed == needed
    # Two metres and six hundred to the edge, fifty to the hazard behind the scanner.
    assert (found.distance, found.short) == (2650, pytest.approx(needed - 2650))
    assert function(plant).sensors[2].segments[0].worst_ms == 60 + 40 * scans


def test_where_it_comes_too_near_is_told_with_its_bearing() -> None:
    # A corner cut off on the right: from (800, 2600) to (2000, 1400).
    corners = [[-2000, 0], [2000, 0], [2000, 1400], [800, 2600], [-2000, 2600]]
    found = guard(shaped(aisle(), kind="polygon", points=corners))
    assert found.distance == pytest.approx(1450, abs=6)
    assert found.short == pytest.approx(2194.4 - 1450, abs=6)
    # Up to within five of the wall: atan(2000 / 1400).
    assert found.bearing == pytest.approx(55, abs=0.3)


def test_walls_close_and_without_them_somebody_comes_from_the_side() -> None:
    plant = aisle()
    assert len(guard(plant).edge) == 1
    ((begin, *_, end),) = guard(plant).edge
    assert {begin[1], end[1]} == {2600.0} and abs(begin[0] - end[0]) == pytest.approx(3990, abs=1)
    bare = without(plant, PlanShape, kind="wall")
    assert guard(bare).past
    # Nobody comes but through what is open: without such a line from all around.
    assert guard(without(bare, PlanShape, kind="open")).past


@pytest.mark.parametrize(("gap", "past"), [(60, False), (69, False), (74, True), (200, True)])
def test_a_gap_that_a_leg_passes(gap: float, past: bool) -> None:
    found = guard(shaped(aisle(), x=-2000 + gap, width=4000 - gap))
    assert found.past is past


@pytest.mark.parametrize(("room", "stands"), [(290, False), (310, True), (600, True)])
def test_somebody_who_stands_behind_the_zone(room: float, stands: bool) -> None:
    """Between the zone and the hazard."""
    plant = scanner(shaped(aisle(), y=-50 + room, depth=2650 - room), y=-50 + room)
    assert bool(guard(plant).behind) is stands
    assert not guard(plant).past


def test_a_hazard_of_one_situation_counts_in_that_alone() -> None:
    plant = do(aisle(), edits.AddSituation(scanner=one(aisle(), Scanner).id, name="Other"))
    first, other = plant.all(Situation)
    assert (first.select, other.select) == ("1000", "0100")
    plant = without(plant, PlanShape, kind="hazard")
    plant = with_shape(plant, "hazard", HAZARD, situation=first.id)
    plant = do(plant, edits.UseZone(situation=other.id, output=1, zone=one(plant, Zone).id))
    assert situation(plant, 0).guards[0].distance == 2650 and situation(plant, 1).guards[0].distance is None
    assert situation(plant, 1).hazards == ()
    # The situation gone, the hazard is one of all.
    plant = do(plant, edits.Remove(ids=[first.id]))
    assert situation(plant, 0).guards[0].distance == 2650


def test_an_output_of_two_functions_waits_for_the_slower() -> None:
    plant = aisle()
    place = plant.get(of(plant, "Field")).place
    plant = do(
        plant,
        edits.AddSafetyFunction(controller=of(plant, "HALL"), name="Other", tag="$f"),
    )
    other = of(plant, "Other")
    add = edits.AddSafetyPart(function=other, role="sensor", block="espe", name="Again", place=place, key="ch4",
                              device=one(plant, Scanner).id)  # fmt: skip
    plant = do(plant, add)
    assert guard(plant).needed is None and "not known" in guard(plant).missing
    drive = plant.get(of(plant, "Drive"))
    plant = do(
        plant, edits.AddSafetyPart(function=other, role="actuator", block="sto", name="D", place=drive.place, key="ch0")
    )
    plant = on(plant, "D", worst_ms=5, stop_ms=500)
    assert guard(plant).needed == pytest.approx(2194.4 + 1.6 * 80)
    assert guard(plant, 2).missing == "no safety function has output 2 as a sensor"


@pytest.mark.parametrize(
    ("shape", "problem"),
    [
        ([[0, 0], [1000, 1000], [1000, 0], [0, 1000]], "crosses itself"),
        ([[0, 0], [1000, 0], [2000, 0]], "crosses itself"),
        ([[0, 0], [0, 0], [0, 0]], "crosses itself"),
        ([[0, 0], [1000, 0], [1000, 1000], [0, 1000]], ""),
    ],
)
def test_what_is_no_area(shape: list[list[float]], problem: str) -> None:
    found = zone(shaped(aisle(), kind="polygon", points=shape))
    assert bool(found.problem) is bool(problem)
    if problem:
        assert found.watched == () and guard(shaped(aisle(), kind="polygon", points=shape)).distance is None


@pytest.mark.parametrize(
    "shape",
    [
        {"kind": "circle"}, {"kind": "polygon", "points": [[0, 0], [1, 1]]}, {"kind": "polygon", "points": "no"},
        {"kind": "polygon", "points": [[0, 0], [1, 1], [1, "2"]]}, {"kind": "sector", "from": 0, "to": 90},
        {"kind": "sector", "from": 0, "to": 90, "radius": 0}, {"kind": "rectangle", "x": 0, "y": 0, "width": 1},
        {"kind": "polygon", "points": [[0, 0], [1, 1], [1e9, 2]]}, [], None, "polygon",
        {"kind": "polygon", "points": [[0, 0]] * 501}, {**FIELD, "z": 1},
        {"kind": "polygon", "points": [[0, 0, 0]] * 3},
    ],
)  # fmt: skip
def test_what_is_no_shape(shape: Any) -> None:
    plant = aisle()
    with pytest.raises(Refusal):
        do(plant, edits.SetFields(ids=[one(plant, Zone).id], values={"settings.shape": shape}))


def test_one_that_stands_on_its_wall_sees_what_it_looks_to_and_not_behind() -> None:
    plant = with_shape(scanner(aisle(), angle=360), "wall", [[-500, 0], [500, 0]])
    found = zone(shaped(plant, y=-40, depth=2640))
    # Behind it a strip of 40 mm is lost, as wide as the wall and its shadow are.
    assert found.lost_mm2 > 40 * 1000 and zone(plant).lost_mm2 == 0


def test_a_line_that_the_zone_covers_is_entered_from_beyond() -> None:
    plant = with_shape(without(aisle(), PlanShape, kind="open"), "open", [[-2000, 2000], [2000, 2000]])
    assert (guard(plant).distance, guard(plant).past) == (2650, False)


def test_a_closed_room_beside_is_no_place_behind_the_zone() -> None:
    ring = [[3000, 0], [5000, 0], [5000, 2000], [3000, 2000], [3000, 0]]
    assert not guard(with_shape(aisle(), "wall", ring)).behind
    # Nor is a hazard whose outline crosses itself any smaller.
    crossed = [[-2000, -1500], [2000, -50], [2000, -1500], [-2000, -50]]
    plant = with_shape(without(aisle(), PlanShape, kind="hazard"), "hazard", crossed)
    assert guard(plant).distance == pytest.approx(2650, abs=0.1)


def test_edits_of_other_scanners_are_refused() -> None:
    plant = do(aisle(), edits.AddScanner(controller=of(aisle(), "HALL"), scanner="ws-5", tag="$x"))
    other = next(row for row in plant.all(Scanner) if row.name != "Eye")
    mine = one(plant, Situation)
    plant = do(plant, edits.AddZone(scanner=other.id))
    theirs = next(row for row in plant.all(Zone) if row.scanner == other.id)
    assert theirs.letter == "A"
    with pytest.raises(Refusal, match="another scanner"):
        do(plant, edits.UseZone(situation=mine.id, output=1, zone=theirs.id))
    with pytest.raises(Refusal, match="another scanner"):
        with_other = edits.AddPlanShape(scanner=other.id, shape="wall", points=[[0, 0], [1, 1]], situation=mine.id)
        do(plant, with_other)
    with pytest.raises(Refusal, match="no type"):
        do(plant, edits.AddScanner(controller=of(plant, "HALL"), scanner="nobody's"))
    # No output twice in a situation; none takes it away.
    plant = do(plant, edits.UseZone(situation=mine.id, output=1, zone=one(plant, Zone).id))
    assert len(plant.all(ZoneUse)) == 1
    assert not do(plant, edits.UseZone(situation=mine.id, output=1)).all(ZoneUse)


def test_the_response_and_the_range_follow_its_type_and_its_sheet() -> None:
    assert (told(aisle()).response_ms, told(aisle()).range, told(aisle()).tolerance) == (140, 5500, 100)
    assert told(scanner(aisle(), resolution=40)).range == 3500
    assert told(scanner(aisle(), resolution=30)).range == 2500
    assert told(scanner(aisle(), scan_ms=30, fixed_ms=50, scans=4)).response_ms == 170
    assert (told(scanner(aisle(), reflectors=True)).tolerance, told(aisle()).rule) == (300, "parallel")
    assert "does not see a leg" in told(scanner(aisle(), resolution=70, height=299)).refused


# ── what is seen, and watched, against rays of the test's own

_walls = st.lists(
    st.tuples(st.integers(-3000, 3000), st.integers(-3000, 3000), st.integers(-3000, 3000), st.integers(-3000, 3000)),
    max_size=6,
)
_spots = st.tuples(st.floats(0, 360), st.floats(50, 4000))
AT: XY = (130.0, -70.0)


def _crosses(a: XY, b: XY, c: XY, d: XY) -> bool:
    """Whether the ways from a to b and from c to d cross, by signs of areas."""

    def side(p: XY, q: XY, r: XY) -> float:
        return (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0])

    return side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0


def _spot(bearing: float, distance: float) -> XY:
    return AT[0] + distance * sin(radians(bearing)), AT[1] + distance * cos(radians(bearing))


@given(_walls, _spots, st.floats(-180, 180), st.sampled_from([90.0, 180.0, 275.0, 360.0]))
def test_seen_is_what_no_wall_hides_within_its_angle_and_range(
    walls: list[tuple[int, int, int, int]], spot: tuple[float, float], looks: float, angle: float
) -> None:
    lines = [((float(a), float(b)), (float(c), float(d))) for a, b, c, d in walls]
    lines = [line for line in lines if line[0] != line[1] and _clear_of(AT, line) > 20]
    area = in_sight(AT, looks, angle, 3000, lines)
    bearing, distance = spot
    where = _spot(bearing, distance)
    # What lies on the very edge of anything is neither here nor there.
    assume(area.boundary.distance(Spot(where)) > 5)
    off = abs((bearing - looks + 180) % 360 - 180)
    wanted = off <= angle / 2 and distance <= 3000 and not any(_crosses(AT, where, *line) for line in lines)
    assert area.contains(Spot(where)) is wanted


def _clear_of(at: XY, line: tuple[XY, XY]) -> float:
    (ax, ay), (bx, by) = line
    t = max(0.0, min(1.0, ((at[0] - ax) * (bx - ax) + (at[1] - ay) * (by - ay)) / ((bx - ax) ** 2 + (by - ay) ** 2)))
    return hypot(at[0] - ax - t * (bx - ax), at[1] - ay - t * (by - ay))


@st.composite
def _rings(draw: Any) -> list[XY]:
    """Around some place, by distances all around it: it does not cross itself, and a scanner may not see all of it."""
    n = draw(st.integers(3, 12))
    x, y = draw(st.integers(-1500, 1500)), draw(st.integers(-1500, 1500))
    out = [draw(st.floats(200, 1800)) for _ in range(n)]
    return [(x + r * cos(2 * pi * k / n), y + r * sin(2 * pi * k / n)) for k, r in enumerate(out)]


@given(_rings(), _spots)
def test_watched_is_a_zone_up_to_where_it_first_ends(ring: list[XY], spot: tuple[float, float]) -> None:
    assume(not shape_problem(ring))
    everything = in_sight(AT, 0, 360, 5000, [])
    area = watched(ring, AT, everything)
    bearing, distance = spot
    where = _spot(bearing, distance)
    sides = list(zip(ring, [*ring[1:], ring[0]], strict=True))
    clear = min(_clear_of(where, side) for side in sides)
    assume(clear > 2 and min(_clear_of(AT, side) for side in sides) > 2)
    assume(area.is_empty or area.boundary.distance(Spot(where)) > 2)
    assume(all(abs((_bearing(corner) - bearing + 180) % 360 - 180) > 0.1 for corner in ring))
    # Where a ray crosses it, from near to far; the zone ends where it leaves it for the first time.
    far = _spot(bearing, 9000)
    crossed = sorted(hypot(c[0] - AT[0], c[1] - AT[1]) for side in sides if (c := _crossing(AT, far, *side)))
    inside = len(crossed) % 2 == 1
    ends = crossed[0] if inside else (crossed[1] if crossed else 0.0)
    assert area.contains(Spot(where)) is (distance < ends)


def _bearing(to: XY) -> float:
    from math import atan2, degrees

    return degrees(atan2(to[0] - AT[0], to[1] - AT[1]))


def _crossing(a: XY, b: XY, c: XY, d: XY) -> XY | None:
    if not _crosses(a, b, c, d):
        return None
    rx, ry, sx, sy = b[0] - a[0], b[1] - a[1], d[0] - c[0], d[1] - c[1]
    t = ((c[0] - a[0]) * sy - (c[1] - a[1]) * sx) / (rx * sy - ry * sx)
    return a[0] + t * rx, a[1] + t * ry


def test_shapes_are_drawn_as_they_are_entered() -> None:
    assert ring_of({"kind": "rectangle", "x": -1, "y": 2, "width": 3, "depth": 4}, (9, 9)) == [
        (-1, 2), (2, 2), (2, 6), (-1, 6),
    ]  # fmt: skip
    quarter = sector((0, 0), 0, 90, 1000)
    assert quarter[0] == (0, 0) and quarter[1] == pytest.approx((0, 1000)) and quarter[-1] == pytest.approx((1000, 0))
    assert sector((0, 0), 350, 10, 1000)[1] == pytest.approx((-173.65, 984.81), abs=0.01)
    assert len(sector((0, 0), 0, 0, 1000)) == 720


def test_findings_of_the_aisle_are_none_of_its_scanner() -> None:
    assert not [one.code for one in analysed(aisle()).findings.values() if one.code.startswith("SAF-3")]


def test_a_walk_is_of_every_place_and_holds_as_long_as_the_scanner() -> None:
    plant = aisle()
    situation = plant.all(Situation)[0].id

    def walked(plant: Plant) -> OutputWalk:
        told: WalkTold = analysed(plant).result("situation.walk", situation)
        return told.outputs[0]

    places = walked(plant).places

    def record(*seen: bool, where: str = "site", at: str = "2026-06-01", plant: Plant = plant) -> Plant:
        tried = [edits.Tried(x=p.x, y=p.y, seen=s) for p, s in zip(places, seen, strict=False)]
        walk = edits.Walked(output=1, piece_mm=50, places=tried)
        return do(plant, edits.AddProof(of=situation, what="walk", where=where, at=at, by="Ada", walk=walk))

    every = [True] * len(places)
    assert walked(plant).state == "never" and walked(record(*every, where="bench")).state == "never"
    assert [one.bench for one in walked(record(*every, where="bench")).places] == every
    assert walked(record(True)).state == "partly" and walked(record(*every)).state == "walked"
    assert (walked(record(*every)).last, walked(record(*every)).by) == ("2026-06-01", "Ada")
    # Where it was not seen, a later walk makes it good, whatever was written down first.
    missed = record(False, plant=record(*every, at="2026-06-02"), at="2026-06-03")
    assert walked(missed).state == "failed" and walked(record(True, plant=missed, at="2026-06-04")).state == "walked"
    assert walked(record(False, plant=record(*every, at="2026-06-02"), at="2026-06-01")).state == "walked"
    # Where it stands is part of what was walked, its note is not.
    assert walked(scanner(record(*every), x=50)).state == "changed"
    noted = do(record(*every), edits.SetFields(ids=[plant.all(Scanner)[0].id], values={"note": "by the door"}))
    assert walked(noted).state == "walked"
    voided = do(record(*every), edits.VoidProof(id=record(*every).all(Proof)[0].id, reason="another piece"))
    assert walked(voided).state == "never" and walked(voided).records[0].voided == "another piece"
    with pytest.raises(Refusal, match="Nowhere was walked"):
        record()
    with pytest.raises(Refusal, match="no such records"):
        do(plant, edits.AddProof(of=situation, what="test", at="2026-06-01", by="Ada", result="passed"))


@given(st.lists(st.tuples(st.integers(-5000, 5000), st.integers(-5000, 5000)), min_size=2, max_size=8, unique=True))
def test_no_stretch_of_an_edge_is_longer_than_half_a_metre_without_a_place(corners: list[tuple[int, int]]) -> None:
    line = tuple((float(x), float(y)) for x, y in corners)
    places = [Spot(at) for at in places_along([line])]
    edge = LineString(line)
    assert all(edge.distance(one) < 1e-3 for one in places)
    assert Spot(line[0]).distance(places[0]) < 1e-6
    for n in range(int(edge.length // 100) + 1):
        spot = edge.interpolate(n * 100)
        assert min(spot.distance(one) for one in places) <= 250 + 1

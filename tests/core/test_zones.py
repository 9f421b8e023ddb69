"""Readings of a tracking radar, chances against drawn reports, and numbers for the device. The references draw reports
one by one from the definition of M13."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from shapely import Polygon, contains_xy

from samples import CHAIR, STOOL, rect, tracked
from vastwatch.design.project import find
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.tracker import (
    Pose,
    ReadingNoise,
    Scatter,
    mirrored,
    noisy_readings,
    positions_of,
    readings,
    to_device_frame,
    to_plan,
)
from vastwatch.sensing.zones import band_probabilities, sample_readings, spread_of, zone_probabilities
from vastwatch.site.building import Hazard

USUAL = Scatter(0.15, math.radians(4.0))


def box(x0, x1, y0, y1):
    return np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], float)


def drawn(rng, n):
    return ReadingNoise(*rng.standard_normal((4, n)))


# -- readings and chances -------------------------------------------------------------------------------------------


def test_the_worked_readings():
    assert readings(Pose(0, 0, 2.4, 90, 0.35), [(0, 3.0)], 1.2)[0] == pytest.approx((0.0, 3.581), abs=5e-4)
    assert readings(Pose(0, 0, 1.6, 90, 0.35), [(1.0, 3.0)], 0.9)[0] == pytest.approx((1.135, 3.405), abs=5e-4)


def test_the_worked_chances():
    level, high = Pose(0, 0, 1.2, 90, 0.0), Pose(0, 0, 1.6, 90, 0.35)
    flat = spread_of(level, USUAL, [(1, 3)], 1.2)
    assert zone_probabilities(flat, [box(0.4, 1.6, 2.4, 3.6), box(0.0, 1.0, 2.4, 3.6)])[0] == pytest.approx(
        (0.983, 0.504), abs=1e-3
    )
    two = spread_of(high, USUAL, [(1, 3), (2, 3)], 0.9)
    typed, centred = box(0.5, 1.5, 2.5, 3.5), box(0.635, 1.635, 2.905, 3.905)
    assert zone_probabilities(two, [typed, centred])[0] == pytest.approx((0.614, 0.918), abs=1e-3)
    assert zone_probabilities(two, [centred])[1, 0] == pytest.approx(0.017, abs=1e-3)


@given(
    st.floats(-5, 5), st.floats(-5, 5), st.floats(0.3, 3), st.floats(-180, 180), st.floats(-0.2, 0.6),
    st.floats(0.3, 7), st.floats(-1.2, 1.2), st.sampled_from((1.2, 0.9, 0.55)),
)  # fmt: skip
def test_frames_and_readings_are_turned_back(x, y, height, yaw, bias, d, az, chest):
    pose = Pose(x, y, height, yaw, bias)
    point = to_plan(pose, [(d * math.sin(az), d * math.cos(az))])
    assert to_device_frame(pose, point)[0] == pytest.approx((d * math.sin(az), d * math.cos(az)), abs=1e-9)
    assert positions_of(pose, readings(pose, point, chest), chest)[0] == pytest.approx(point[0], abs=1e-6)


@pytest.mark.parametrize("seed", range(12))
def test_chances_are_those_of_drawn_reports(seed):
    """Poses, heights, scatter, rectangles and many-cornered zones at random: within half a point."""
    rng = np.random.default_rng(seed)
    n = 400_000
    pose = Pose(*rng.uniform(-1, 1, 2), rng.uniform(0.6, 2.6), rng.uniform(-180, 180), rng.uniform(-0.2, 0.5))
    scatter = Scatter(rng.uniform(0.05, 0.25), math.radians(rng.uniform(1, 8)))
    d, az, chest = rng.uniform(0.3, 7), rng.uniform(-1.05, 1.05), float(rng.choice((1.2, 0.9, 0.55)))
    point = to_plan(pose, [(d * math.sin(az), d * math.cos(az))])
    middle = readings(pose, point, chest)[0] + rng.uniform(-0.8, 0.8, 2)
    angle = np.sort(rng.uniform(0, 2 * math.pi, 6))
    star = middle + np.column_stack([np.cos(angle), np.sin(angle)]) * rng.uniform(0.3, 1.2, (6, 1))
    w, h = rng.uniform(0.3, 2, 2)
    square = box(middle[0] - w / 2, middle[0] + w / 2, middle[1] - h / 2, middle[1] + h / 2)
    xy = noisy_readings(pose, scatter, np.repeat(point, n, 0), chest, drawn(rng, n))
    spread = spread_of(pose, scatter, point, chest)
    for outline in (star, square):
        assert zone_probabilities(spread, [outline])[0, 0] == pytest.approx(
            contains_xy(Polygon(outline), xy[:, 0], xy[:, 1]).mean(), abs=0.005
        )
    r = np.hypot(*xy.T)
    near, far = np.quantile(r, (0.2, 0.7))
    assert band_probabilities(spread, near, far)[0] == pytest.approx(0.5, abs=0.005)


def test_zones_side_by_side_share_out_all_reports():
    spread = spread_of(Pose(0, 0, 1.5, 90, 0.3), USUAL, [(0.4, 2.0), (-1.0, 3.0), (0.0, 0.4)], 0.9)
    tiles = [box(x, x + 0.5, y, y + 0.5) for x in np.arange(-6, 6, 0.5) for y in np.arange(-1, 7, 0.5)]
    assert zone_probabilities(spread, tiles).sum(axis=1) == pytest.approx(np.ones(3), abs=2e-3)


def test_a_cloud_is_spread_like_the_reports():
    spread = spread_of(Pose(0, 0, 1.5, 90, 0.3), USUAL, [(0.4, 2.0)], 0.9)
    dots = sample_readings(spread, 0, 4000)
    inside = ((dots >= (0.2, 2.2)) & (dots <= (0.7, 2.7))).all(axis=1).mean()
    assert inside == pytest.approx(zone_probabilities(spread, [box(0.2, 0.7, 2.2, 2.7)])[0, 0], abs=0.02)


def test_a_mirror_shows_whoever_is_before_it():
    mirror = Hazard(id="m", level="g", name="M", kind="mirror or metal", outline=rect(2.0, 0.0, 2.1, 2.0))
    image, before = mirrored(mirror, [(1.05, 1.0), (1.05, 5.0)])
    assert image[0] == pytest.approx((3.05, 1.0)) and before.tolist() == [True, False]


# -- numbers --------------------------------------------------------------------------------------------------------


def test_numbers_hold_their_own_and_keep_the_others_out():
    known = zoned_sensor(project := tracked(zones=(CHAIR, STOOL)), find(project.sensors, "t"))
    spots = [s.id for s in known.spots]
    for spot, j in (("chair", 0), ("stool", 1)):
        i = spots.index(spot)
        assert known.intended[i, j] and known.counted[i, j] >= 0.97 and known.counted[i, 1 - j] < 0.01
    # As drawn and typed as it is, the same box holds much less.
    frame = to_device_frame(known.pose, CHAIR.outline)
    low, high = frame.min(axis=0), frame.max(axis=0)
    typed = zone_probabilities(known.spread, [box(low[0], high[0], low[1], high[1])])[spots.index("chair"), 0]
    assert typed < 0.9


def test_numbers_keep_the_rules_of_the_device():
    beside = replace(CHAIR, id="zb", name="Beside", outline=rect(1.0, 2.0, 2.0, 3.0))
    tight = zoned_sensor(project := tracked(zones=(CHAIR, beside, STOOL)), find(project.sensors, "t"))
    rules = tight.device.zone_rules
    corners = [np.array(s.outline) for s in tight.shapes]
    for shape, c in zip(tight.shapes, corners):
        x1, x2, y1, y2 = shape.numbers
        assert all(float(v) % rules.step == 0 for v in shape.numbers)
        assert (x1, y1) == pytest.approx(tuple(100 * c.min(axis=0))) and y1 >= 0
        assert x2 - x1 >= 100 * rules.least_m and y2 - y1 >= 100 * rules.least_m
    for a in range(3):
        for b in range(a):
            assert Polygon(corners[a]).distance(Polygon(corners[b])) >= rules.gap_m - 1e-6


def test_a_polygon_is_told_with_the_sign_the_device_counts_by():
    zones = (CHAIR, STOOL)
    known = zoned_sensor(project := tracked("radar-60-tracker", zones=zones), find(project.sensors, "t"))
    for j, shape in enumerate(known.shapes):
        pairs = np.array(shape.numbers, float).reshape(-1, 2) / 1000
        assert pairs * (-1, 1) == pytest.approx(np.array(shape.outline))
        assert (np.array(shape.numbers) % 50 == 0).all() and 3 <= len(pairs) <= 6
        own = known.counted[known.intended[:, j], j]
        assert len(own) == 1 and own[0] > 0.95


def test_bands_are_told_as_a_run_of_them():
    known = zoned_sensor(project := tracked("radar-24-bands", zones=(CHAIR, STOOL)), find(project.sensors, "t"))
    first, last = known.shapes[0].numbers
    near, far = known.shapes[0].ring
    assert (near, far) == pytest.approx(((first - 1) * 0.75, last * 0.75))
    chair = [s.id for s in known.spots].index("chair")
    assert known.counted[chair, 0] == pytest.approx(band_probabilities(known.spread, near, far)[chair])
    assert known.counted[chair, 0] > 0.9


def test_what_the_device_uses_is_where_the_drawn_zone_is():
    known = zoned_sensor(project := tracked(zones=(CHAIR, STOOL)), find(project.sensors, "t"))
    for j, zone in enumerate(known.zones):
        used, meant = Polygon(known.outline(j)), Polygon(zone.outline)
        assert used.intersection(meant).area > 0.5 * meant.area

"""Readings of a tracking radar, chances against drawn reports, numbers for the device, targets and zones that are lived
in. The references draw reports one by one from the definition of M13."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from shapely import Polygon, contains_xy

from samples import device, make_room, rect
from vastwatch.advice.findings import findings
from vastwatch.advice.zone_checks import zone_findings
from vastwatch.advice.zone_help import what_helps
from vastwatch.advice.zone_matrix import matrix
from vastwatch.advice.zone_proposal import zones_for
from vastwatch.cli import main
from vastwatch.design.edits.whole_rooms import move_room
from vastwatch.design.edits.zones import add_zone, clear_of, replace_zones, set_outline, tidy
from vastwatch.design.placed import settings_faults, settings_words
from vastwatch.design.project import find, put
from vastwatch.design.records import Report, Sensor, Settings, Zone, zone_part
from vastwatch.design.references import without
from vastwatch.devices.faults import faults
from vastwatch.files import load_project, save_project
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.reports import notices_on, run_sensors, run_without, targets_on
from vastwatch.rehearsal.targets import Targets, _rows, _told, _wander, occupied
from vastwatch.rehearsal.zone_scores import score_zones
from vastwatch.sensing.coverage import coverage
from vastwatch.sensing.figures import SEATED, STANDING, Stayer, Walker
from vastwatch.sensing.model import staying, walking
from vastwatch.sensing.mounted import mount, zoned
from vastwatch.sensing.tracker import (
    Drawn,
    Pose,
    Scatter,
    in_frame,
    mirrored,
    on_plan,
    places_read,
    readings,
    reported,
)
from vastwatch.sensing.zone_numbers import Shape
from vastwatch.sensing.zones import chances, cloud, ring_chances, spread_of
from vastwatch.signals import Signal
from vastwatch.site.building import Hazard, Spot

USUAL = Scatter(0.15, math.radians(4.0))


def box(x0, x1, y0, y1):
    return np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], float)


def drawn(rng, n):
    return Drawn(*rng.standard_normal((4, n)))


def tracked(kind="radar-24-tracker", at=(0.1, 2.0, 1.2), yaw=0.0, zones=()):
    """The big room with a tracker on its west wall; its chair at (1.5, 1.5) and a stool at (3.4, 2.9)."""
    project = make_room()
    stool = Spot(id="stool", room="big", name="stool", at=(3.4, 2.9), facing=180, posture="seated", activity="desk")
    sensor = Sensor(id="t", device=kind, level="g", name="Tracker", at=at, yaw=yaw, pitch=-10)
    return replace(
        project, spots=(*project.spots, stool), devices=(*project.devices, device(kind)),
        sensors=(*project.sensors, sensor), zones=tuple(zones),
    )  # fmt: skip


CHAIR = Zone(id="zc", sensor="t", name="Chair", outline=rect(1.0, 1.0, 2.0, 2.0))
STOOL = Zone(id="zs", sensor="t", name="Stool", outline=rect(2.9, 2.4, 3.9, 3.4))


# -- readings and chances ------------------------------------------------------------------------------------------


def test_the_worked_readings():
    assert readings(Pose(0, 0, 2.4, 90, 0.35), [(0, 3.0)], 1.2)[0] == pytest.approx((0.0, 3.581), abs=5e-4)
    assert readings(Pose(0, 0, 1.6, 90, 0.35), [(1.0, 3.0)], 0.9)[0] == pytest.approx((1.135, 3.405), abs=5e-4)


def test_the_worked_chances():
    level, high = Pose(0, 0, 1.2, 90, 0.0), Pose(0, 0, 1.6, 90, 0.35)
    flat = spread_of(level, USUAL, [(1, 3)], 1.2)
    assert chances(flat, [box(0.4, 1.6, 2.4, 3.6), box(0.0, 1.0, 2.4, 3.6)])[0] == pytest.approx(
        (0.983, 0.504), abs=1e-3
    )
    two = spread_of(high, USUAL, [(1, 3), (2, 3)], 0.9)
    typed, centred = box(0.5, 1.5, 2.5, 3.5), box(0.635, 1.635, 2.905, 3.905)
    assert chances(two, [typed, centred])[0] == pytest.approx((0.614, 0.918), abs=1e-3)
    assert chances(two, [centred])[1, 0] == pytest.approx(0.017, abs=1e-3)


@given(
    st.floats(-5, 5), st.floats(-5, 5), st.floats(0.3, 3), st.floats(-180, 180), st.floats(-0.2, 0.6),
    st.floats(0.3, 7), st.floats(-1.2, 1.2), st.sampled_from((1.2, 0.9, 0.55)),
)  # fmt: skip
def test_frames_and_readings_are_turned_back(x, y, height, yaw, bias, d, az, chest):
    pose = Pose(x, y, height, yaw, bias)
    point = on_plan(pose, [(d * math.sin(az), d * math.cos(az))])
    assert in_frame(pose, point)[0] == pytest.approx((d * math.sin(az), d * math.cos(az)), abs=1e-9)
    assert places_read(pose, readings(pose, point, chest), chest)[0] == pytest.approx(point[0], abs=1e-6)


@pytest.mark.parametrize("seed", range(12))
def test_chances_are_those_of_drawn_reports(seed):
    """Poses, heights, scatter, rectangles and many-cornered zones at random: within half a point."""
    rng = np.random.default_rng(seed)
    n = 400_000
    pose = Pose(*rng.uniform(-1, 1, 2), rng.uniform(0.6, 2.6), rng.uniform(-180, 180), rng.uniform(-0.2, 0.5))
    scatter = Scatter(rng.uniform(0.05, 0.25), math.radians(rng.uniform(1, 8)))
    d, az, chest = rng.uniform(0.3, 7), rng.uniform(-1.05, 1.05), float(rng.choice((1.2, 0.9, 0.55)))
    point = on_plan(pose, [(d * math.sin(az), d * math.cos(az))])
    middle = readings(pose, point, chest)[0] + rng.uniform(-0.8, 0.8, 2)
    angle = np.sort(rng.uniform(0, 2 * math.pi, 6))
    star = middle + np.column_stack([np.cos(angle), np.sin(angle)]) * rng.uniform(0.3, 1.2, (6, 1))
    w, h = rng.uniform(0.3, 2, 2)
    square = box(middle[0] - w / 2, middle[0] + w / 2, middle[1] - h / 2, middle[1] + h / 2)
    xy = reported(pose, scatter, np.repeat(point, n, 0), chest, drawn(rng, n))
    spread = spread_of(pose, scatter, point, chest)
    for outline in (star, square):
        assert chances(spread, [outline])[0, 0] == pytest.approx(
            contains_xy(Polygon(outline), xy[:, 0], xy[:, 1]).mean(), abs=0.005
        )
    r = np.hypot(*xy.T)
    near, far = np.quantile(r, (0.2, 0.7))
    assert ring_chances(spread, near, far)[0] == pytest.approx(0.5, abs=0.005)


def test_zones_side_by_side_share_out_all_reports():
    spread = spread_of(Pose(0, 0, 1.5, 90, 0.3), USUAL, [(0.4, 2.0), (-1.0, 3.0), (0.0, 0.4)], 0.9)
    tiles = [box(x, x + 0.5, y, y + 0.5) for x in np.arange(-6, 6, 0.5) for y in np.arange(-1, 7, 0.5)]
    assert chances(spread, tiles).sum(axis=1) == pytest.approx(np.ones(3), abs=2e-3)


def test_a_cloud_is_spread_like_the_reports():
    spread = spread_of(Pose(0, 0, 1.5, 90, 0.3), USUAL, [(0.4, 2.0)], 0.9)
    dots = cloud(spread, 0, 4000)
    inside = ((dots >= (0.2, 2.2)) & (dots <= (0.7, 2.7))).all(axis=1).mean()
    assert inside == pytest.approx(chances(spread, [box(0.2, 0.7, 2.2, 2.7)])[0, 0], abs=0.02)


def test_a_mirror_shows_whoever_is_before_it():
    mirror = Hazard(id="m", level="g", name="M", kind="mirror or metal", outline=rect(2.0, 0.0, 2.1, 2.0))
    image, before = mirrored(mirror, [(1.05, 1.0), (1.05, 5.0)])
    assert image[0] == pytest.approx((3.05, 1.0)) and before.tolist() == [True, False]


# -- numbers -------------------------------------------------------------------------------------------------------


def test_numbers_hold_their_own_and_keep_the_others_out():
    known = zoned(project := tracked(zones=(CHAIR, STOOL)), find(project.sensors, "t"))
    spots = [s.id for s in known.spots]
    for spot, j in (("chair", 0), ("stool", 1)):
        i = spots.index(spot)
        assert known.own[i, j] and known.counted[i, j] >= 0.97 and known.counted[i, 1 - j] < 0.01
    # As drawn and typed as it is, the same box holds much less.
    frame = in_frame(known.pose, CHAIR.outline)
    low, high = frame.min(axis=0), frame.max(axis=0)
    typed = chances(known.spread, [box(low[0], high[0], low[1], high[1])])[spots.index("chair"), 0]
    assert typed < 0.9


def test_numbers_keep_the_rules_of_the_device():
    beside = replace(CHAIR, id="zb", name="Beside", outline=rect(1.0, 2.0, 2.0, 3.0))
    tight = zoned(project := tracked(zones=(CHAIR, beside, STOOL)), find(project.sensors, "t"))
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
    known = zoned(project := tracked("radar-60-tracker", zones=zones), find(project.sensors, "t"))
    for j, shape in enumerate(known.shapes):
        pairs = np.array(shape.numbers, float).reshape(-1, 2) / 1000
        assert pairs * (-1, 1) == pytest.approx(np.array(shape.outline))
        assert (np.array(shape.numbers) % 50 == 0).all() and 3 <= len(pairs) <= 6
        own = known.counted[known.own[:, j], j]
        assert len(own) == 1 and own[0] > 0.95


def test_bands_are_told_as_a_run_of_them():
    known = zoned(project := tracked("radar-24-bands", zones=(CHAIR, STOOL)), find(project.sensors, "t"))
    first, last = known.shapes[0].numbers
    near, far = known.shapes[0].ring
    assert (near, far) == pytest.approx(((first - 1) * 0.75, last * 0.75))
    chair = [s.id for s in known.spots].index("chair")
    assert known.counted[chair, 0] == pytest.approx(ring_chances(known.spread, near, far)[chair])
    assert known.counted[chair, 0] > 0.9


def test_what_the_device_uses_is_where_the_drawn_zone_is():
    known = zoned(project := tracked(zones=(CHAIR, STOOL)), find(project.sensors, "t"))
    for j, zone in enumerate(known.zones):
        used, meant = Polygon(known.outline(j)), Polygon(zone.outline)
        assert used.intersection(meant).area > 0.5 * meant.area


# -- lived ---------------------------------------------------------------------------------------------------------


def test_zones_are_told_while_somebody_is_there():
    r = rehearse(tracked(zones=(CHAIR, STOOL)), 3, 4)
    score = score_zones(r, "t")
    chair, stool = score.zones["zc"], score.zones["zs"]
    assert chair.there_h > 4 and stool.there_h == 0 and stool.counted is None
    assert chair.counted > 0.9 and chair.false_min < 2 and stool.false_min < 2
    # What the desk, the house and the rehearsal read is one signal.
    said = r.recording.reports["t", zone_part("zc")]
    assert (r.awake("big") & said).total() > 0.85 * said.total()


def test_reports_fall_where_the_chances_say():
    """Of somebody who sits, second by second: the share counted in the zone is the chance that the matrix shows."""
    project = tracked(zones=(replace(CHAIR, outline=rect(1.2, 1.1, 1.8, 1.6)), STOOL))
    r = rehearse(project, 5, 2)
    known = zoned(project, find(project.sensors, "t"))
    i = [s.id for s in known.spots].index("chair")
    inside, n = 0, 0
    for day in range(5):
        told = targets_on(project, "t", r.truth, day)
        sits = np.hypot(*(told.at - (1.5, 1.5)).T) < 1e-6
        inside += int(known.shapes[0].holds(told.read[sits]).sum())
        n += int(sits.sum())
    assert n > 5_000 and inside / n == pytest.approx(known.counted[i, 0], abs=0.02)


def test_the_wander_of_a_body_is_slow_and_as_wide_as_it_is():
    x, y = _wander(7, np.arange(60_000))
    assert x.std() == pytest.approx(1.0, abs=0.03) and abs(np.corrcoef(x, y)[0, 1]) < 0.03
    for lag in (1, 2, 4):
        assert np.corrcoef(x[:-lag], x[lag:])[0, 1] == pytest.approx(math.exp(-lag / 2.0), abs=0.05)
    # A second alone is the same as among others.
    assert _wander(7, np.array([500]))[0][0] == x[500]


def plain_rows(tick, m, n, delay):
    """Second by second, as a device does it."""
    out, on, left = [], None, None
    there = set(tick.tolist())
    for s in range(int(tick.max()) + math.ceil(delay) + 3 if len(tick) else 0):
        if s in there:
            if on is None and sum(q in there for q in range(s - n + 1, s + 1)) >= m:
                on = float(s)
            left = s
        elif on is not None and s >= left + delay:
            out.append((on, left + delay))
            on = None
    if on is not None:
        out.append((on, left + delay))
    return out


@given(
    st.lists(st.integers(1, 120), max_size=40), st.integers(1, 3), st.integers(0, 2), st.sampled_from((1.0, 5.0, 20.0))
)
def test_a_zone_is_entered_and_left_as_second_by_second(seconds, m, more, delay):
    tick = np.unique(np.array(seconds, np.int64))
    rows = Signal.from_intervals(_rows(tick, m, m + more, delay), 0.0, 1e4)
    plain = Signal.from_intervals(np.array(plain_rows(tick, m, m + more, delay)).reshape(-1, 2), 0.0, 1e4)
    # Where a gap is just as long as the delay both may go either way.
    assert (rows - plain).total() + (plain - rows).total() <= 1e-9


def test_no_more_targets_than_it_follows_and_two_together_are_one():
    tick = np.array([1, 1, 1, 1, 2, 2])
    at = np.array([(0, 1), (0, 1.3), (2, 2), (3, 3), (0, 1), (0, 5)], float)
    image = np.array([0, 0, 0, 1, 0, 0], bool)
    stays, lost, merged = _told(tick, at, image, 2)
    assert stays.tolist() == [True, False, True, False, True, True] and (lost, merged) == (0, 1)
    stays, lost, merged = _told(tick, at, image, 1)
    assert stays.tolist() == [True, False, False, False, True, False] and (lost, merged) == (2, 1)


def test_what_is_to_be_ignored_is_nowhere():
    fan = Hazard(id="fan", level="g", name="Fan", kind="fan", outline=rect(3.2, 0.8, 3.6, 1.2), strength=1.0)
    project = replace(tracked(zones=(CHAIR,)), hazards=(fan,))
    over = Zone(id="zi", sensor="t", name="Over the fan", role="ignore", outline=rect(2.9, 0.5, 3.9, 1.5))
    with_area = replace(project, zones=(CHAIR, over))
    spun, still = (
        sum(n.source.tolist().count("fan") for d in range(2) if (n := notices_on(p, "t", r.truth, d)) is not None)
        for p in (project, with_area) for r in [rehearse(p, 2, 1)]
    )  # fmt: skip
    assert spun > 50 and still < 0.1 * spun
    # On the map as in the rehearsal nobody is noticed there, and everybody elsewhere as before.
    before, after = (coverage(p, "t", "across").notice_s for p in (project, with_area))
    gone = np.isfinite(before) & ~np.isfinite(after)
    assert 0 < gone.sum() < 0.2 * np.isfinite(before).sum()
    assert (before[~gone] == after[~gone]).all() or np.allclose(before[~gone], after[~gone], equal_nan=True)


def test_a_zone_of_its_own_sensitivity_is_noticed_less():
    low = replace(CHAIR, sensitivity_below_max=9)
    loud, quiet = (
        mount(p, find(p.sensors, "t")) for p in (tracked("radar-60-tracker", zones=(z,)) for z in (CHAIR, low))
    )
    assert loud.by_place == () and len(quiet.by_place) == 1
    runs = [
        run_sensors(p, rehearse(p, 1, 1).truth)["t"]
        for p in (tracked("radar-60-tracker", zones=(z,)) for z in (CHAIR, low))
    ]
    assert runs[1].report.total() < runs[0].report.total()


def test_a_lamp_follows_a_zone_and_lights_that_alone():
    project = tracked(zones=(CHAIR, STOOL))
    lamp = replace(project.lamps[0], id="desk-lamp", name="Desk lamp", zone="zc")
    project = replace(project, lamps=(*project.lamps, lamp))
    r = rehearse(project, 2, 1)
    burns = r.house.outputs["desk-lamp"].above(0.0)
    said = r.recording.reports["t", zone_part("zc")]
    dark = r.house.dark("big")
    assert burns.same_as(said & dark, 1e-6) and burns.total() > 60
    # The room's own figures are those of its own light.
    assert r.scores["big"] == rehearse(tracked(zones=(CHAIR, STOOL)), 2, 1).scores["big"]


def test_a_presence_reads_a_zone_and_causes_look_at_it():
    project = tracked(zones=(CHAIR, STOOL))
    presence = replace(project.presences[0], expr=Report(sensor="t", zone="zc"))
    project = put(project, presence)
    r = rehearse(project, 2, 1)
    assert r.house.presence("big").same_as(r.recording.reports["t", zone_part("zc")])
    nobody = run_without(project, "t", r.truth, "a", Signal.constant(True, 0.0, r.truth.end))
    assert nobody.zones["zc"].total() == 0
    # Without the zone the presence that read it is gone, and not of the whole sensor.
    assert without(project, ["zc"]).presences == ()


def test_long_runs_and_short_ones_tell_the_same_zones():
    project = tracked(zones=(CHAIR, STOOL))
    assert ("t", zone_part("zc")) not in rehearse(project, 10, 3).recording.reports
    project = put(project, replace(project.lamps[0], zone="zc"))
    week, longer = rehearse(project, 7, 3), rehearse(project, 10, 3)
    for key in (("t", zone_part("zc")), ("t", zone_part("zs"))):
        a, b = week.recording.reports[key], longer.recording.reports[key]
        cut = b.clip(0.0, 7 * 86_400.0 - 120.0)
        assert a.clip(0.0, 7 * 86_400.0 - 120.0).same_as(cut, 1e-6)


def told_at(*seconds, read=(0.5, 0.5)):
    n = len(seconds)
    tick, place = np.array(seconds, np.int64), np.tile(np.array(read, float), (n, 1))
    return Targets(tick, place, place, np.zeros(n, np.int64), ("a",), 0, 0)


def test_roles_and_delays_of_zones():
    rules = device("radar-24-tracker").zone_rules
    unit = Shape(((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)), None, ())
    entry, slow = replace(CHAIR, role="entry"), replace(CHAIR, off_delay_s=60.0)
    ignore = replace(CHAIR, role="ignore")
    seconds = told_at(10, 30, 31, 32)

    def rows(*zones):
        return [r.tolist() for r in occupied(seconds, zones, tuple(unit for _ in zones), rules)]

    # Two of three seconds enter it, and 5 s after the last it is left; an entry zone is entered by one.
    assert rows(CHAIR) == [[[31, 37]]] and rows(entry) == [[[10, 15], [30, 37]]]
    assert rows(slow) == [[[31, 92]]] and rows(CHAIR, ignore)[0] == []
    assert [len(r) for r in occupied(told_at(), (CHAIR,), (unit,), rules)] == [0]
    assert occupied(told_at(10, 11, 12, read=(2.0, 0.5)), (CHAIR,), (unit,), rules)[0].tolist() == []


def test_false_triggers_are_targets_where_they_move():
    fan = Hazard(id="fan", level="g", name="Fan", kind="fan", outline=rect(3.2, 0.8, 3.6, 1.2), strength=1.0)
    project = replace(tracked(), hazards=(fan,))
    r = rehearse(project, 1, 1)
    told = targets_on(project, "t", r.truth, 0)
    spun = told.at[told.of == told.names.index("fan")]
    assert len(spun) > 20 and np.abs(spun - (3.4, 1.0)).max() < 1e-5
    # Each trigger for three seconds.
    n = notices_on(project, "t", r.truth, 0)
    triggers = int((n.source == "fan").sum())
    assert 2 * triggers < len(spun) <= 3 * triggers


def test_a_mirror_makes_ghosts_behind_it():
    mirror = Hazard(
        id="m", level="g", name="M", kind="mirror or metal", outline=rect(1.0, 0.02, 3.0, 0.08), strength=1.0
    )
    # The sensor looks from the north wall at whoever sits before the mirror on the south one.
    project = tracked(at=(2.0, 3.9, 1.2), yaw=-90.0)
    plain, with_mirror = project, replace(project, hazards=(mirror,))
    seen, ghosts = (targets_on(p, "t", rehearse(p, 1, 1).truth, 0) for p in (plain, with_mirror))
    behind = ghosts.at[ghosts.at[:, 1] < 0.0]
    assert len(seen.at[seen.at[:, 1] < 0.0]) == 0 and len(behind) > 0.15 * len(seen.tick)
    sits = np.abs(behind - (1.5, -1.4)).max(axis=1) < 0.02
    assert sits.mean() > 0.9 and set(ghosts.of.tolist()) <= {0, 1}
    # It reads them as far behind as they are before it.
    r = np.hypot(*ghosts.read[ghosts.at[:, 1] < 0.0][sits].T)
    assert np.median(r) == pytest.approx(math.hypot(0.5, 5.3) + 0.35, abs=0.15)


# -- advice --------------------------------------------------------------------------------------------------------


def rules_of(project):
    return {f.rule for f in zone_findings(project, find(project.sensors, "t"))}


@pytest.mark.parametrize(
    ("zones", "rule"),
    [
        ((replace(CHAIR, outline=rect(0.2, 3.2, 0.5, 3.9)),), "zone-unseen"),
        ((replace(CHAIR, outline=rect(0.9, 0.9, 2.1, 2.1)), replace(STOOL, outline=rect(1.5, 1.5, 3.9, 3.4))), "zones-overlap"),
        ((replace(CHAIR, outline=rect(30.0, 1.0, 31.0, 2.0)),), "zone-unseen"),
        ((replace(CHAIR, off_delay_s=9_000.0),), "zone-delay"),
        ((replace(CHAIR, sensitivity_below_max=2),), "zone-sensitivity"),
        ((replace(CHAIR, role="ignore"),), "zone-hides"),
        (tuple(replace(CHAIR, id=f"z{k}", outline=rect(1 + k, 1.0, 1.5 + k, 1.5)) for k in range(5)), "zones-too-many"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_told(zones, rule):
    assert rule in rules_of(tracked(zones=zones))


def test_zones_of_what_has_none_are_kept_aside(tmp_path):
    project = tracked(zones=(CHAIR, STOOL))
    state = device("radar-24-state")
    plain = put(
        replace(project, devices=(*project.devices, state)), replace(find(project.sensors, "t"), device=state.id)
    )
    assert rules_of(plain) == {"zones-aside"} and plain.zones == project.zones
    save_project(plain, tmp_path / "p.vastwatch.json")
    kept = load_project(tmp_path / "p.vastwatch.json").zones
    assert [(z.id, z.outline) for z in kept] == [(z.id, z.outline) for z in project.zones]
    assert all(key[1] is None or not key[1].startswith("zone") for key in rehearse(plain, 1, 1).recording.reports)


def test_a_badly_hung_tracker_is_told_and_turning_it_helps():
    project = tracked(at=(0.1, 3.9, 1.2), yaw=12.0, zones=(CHAIR, STOOL))
    assert rules_of(project) & {"zone-missed", "zone-unseen"}
    found = what_helps(project, find(project.sensors, "t"))
    assert found and found[0].after < found[0].before and "to the right" in found[0].text
    new = put(project, found[0].sensor)
    known = zoned(new, found[0].sensor)
    held = known.counted[known.own]
    assert found[0].counted_after == pytest.approx(held.min() if len(held) == 2 else 0.0)
    # Hung elsewhere is never told as worse than what it is.
    assert all(h.after < h.before for h in what_helps(project, find(project.sensors, "t"), moving=True))


def test_zones_on_one_press_are_clear_of_each_other_and_serve():
    mirror = Hazard(id="m", level="g", name="Mirror", kind="mirror or metal", outline=rect(4.0, 0.3, 4.6, 0.4))
    project = replace(tracked(), hazards=(mirror,))
    sensor = find(project.sensors, "t")
    made = zones_for(project, sensor)
    assert [z.role for z in made.zones].count("detect") == 2 and {"entry", "ignore"} <= {z.role for z in made.zones}
    assert made.wrong < 0.1 and len(made.zones) <= 4
    for a in made.zones:
        for b in made.zones:
            assert a is b or Polygon(a.outline).distance(Polygon(b.outline)) >= 0.1 - 1e-6
    new = replace_zones(project, sensor, made.zones)
    assert not {"zone-missed", "zones-overlap", "zones-too-many"} & rules_of(new)
    # Of two seats that it cannot tell apart it makes one zone.
    close = replace(project, spots=(*project.spots, Spot(id="next", room="big", name="next chair", at=(1.5, 1.95),
                                                         posture="seated", activity="desk")))  # fmt: skip
    assert [z.role for z in zones_for(close, sensor).zones].count("detect") == 2


def test_the_matrix_is_that_of_the_zones():
    project = tracked(zones=(CHAIR, replace(STOOL, role="entry", outline=rect(4.2, 0.3, 4.95, 1.4))))
    known = zoned(project, find(project.sensors, "t"))
    rows = matrix(project, known)
    by = {r.words: r for r in rows}
    assert by["chair"].own == (True, False) and by["chair"].chance == tuple(known.counted[0])
    assert by["in from the small room"].own == (False, True) and by["in from the small room"].chance[1] > 0.5


def test_the_sample_has_zones_without_fault(demo):
    assert not [f for f in findings(demo) if f.rule.startswith("zone")]


# -- edits, types, files -------------------------------------------------------------------------------------------


def test_outlines_are_tidied_and_kept_clear():
    assert tidy([(0, 0), (0, 0), (1, 0), (1, 1.004), (0, 1)]) == ((0, 0), (1, 0), (1, 1), (0, 1))
    with pytest.raises(ValueError, match="cross"):
        tidy([(0, 0), (1, 1), (1, 0), (0, 1)])
    with pytest.raises(ValueError, match="area"):
        tidy([(0, 0), (1, 0), (0.5, 0.02)])
    assert clear_of(rect(0, 0, 1, 1), [rect(2, 0, 3, 1)], 0.1) == rect(0, 0, 1, 1)
    cut = clear_of(rect(0, 0, 1, 1), [rect(0.8, -1, 3, 3)], 0.1)
    assert max(x for x, _ in cut) == pytest.approx(0.7)
    assert clear_of(rect(0, 0, 1, 1), [rect(0.1, -1, 3, 3)], 0.1) is None


def test_a_zone_is_drawn_changed_and_goes_with_its_sensor():
    project, zone = add_zone(tracked(), "t", rect(1, 1, 2, 2))
    project, other = add_zone(project, "t", rect(3, 1, 4, 2))
    assert (zone.name, other.name) == ("Zone", "Zone 2")
    project = set_outline(project, zone.id, rect(1, 1, 2, 3))
    assert find(project.zones, zone.id).outline[2] == (2, 3)
    lamp = replace(project.lamps[0], zone=zone.id)
    gone = without(put(project, lamp), ["t"])
    assert gone.zones == () and gone.lamps[0].zone is None


def test_zones_go_along_with_their_room():
    project = tracked(zones=(CHAIR,))
    moved = move_room(project, "big", -3.0, 0.0).project
    assert find(moved.zones, "zc").outline[0] == (CHAIR.outline[0][0] - 3.0, CHAIR.outline[0][1])
    before, after = (zoned(p, find(p.sensors, "t")) for p in (project, moved))
    assert before.shapes[0].numbers == after.shapes[0].numbers


def test_bands_have_sensitivities_of_their_own():
    project = tracked("radar-24-bands")
    sensor = find(project.sensors, "t")
    points = np.array([(1.0, 2.0), (3.6, 2.0)])

    def rates(**more):
        placed = replace(sensor, settings=replace(sensor.settings, **more))
        mounted = mount(put(project, placed), placed)
        seen = staying(mounted, points, Stayer(SEATED))
        return walking(mounted, points, Walker(STANDING, 1.0, 0.0)), seen.still_per_s

    plain, low = rates(), rates(bands_below_max=(0, 0, 0, 0, 0, 8))
    still = rates(bands_still_below_max=(0, 0, 0, 0, 0, 8))
    # The farther place is read in the sixth band, the nearer in the second: each setting counts for its own alone.
    assert low[0][0] == plain[0][0] and low[0][1] < 0.5 * plain[0][1] and (low[1] == plain[1]).all()
    assert still[1][0] == plain[1][0] and still[1][1] < plain[1][1] and (still[0] == plain[0]).all()
    words = dict(settings_faults(device("radar-24-bands"), Settings(bands_below_max=(0,) * 9)))
    assert "8 bands, not 9" in words["bands_below_max"]
    assert (
        "no bands"
        in dict(settings_faults(device("radar-24-tracker"), Settings(bands_below_max=(1,))))["bands_below_max"]
    )
    assert "by band 9 7 of 9" in settings_words(device("radar-24-bands"), Settings(bands_below_max=(0, 2)))


def test_what_moves_within_a_zone_is_told_until_it_is_ignored():
    fan = Hazard(id="fan", level="g", name="Fan", kind="fan", outline=rect(1.6, 1.6, 1.9, 1.9), strength=1.0)
    project = replace(tracked(zones=(CHAIR,)), hazards=(fan,))
    assert "zone-moves" in rules_of(project)
    over = Zone(id="zi", sensor="t", name="Over", role="ignore", outline=rect(1.3, 1.3, 2.2, 2.2))
    assert "zone-moves" not in rules_of(replace(project, zones=(over,)))


def test_the_rules_of_a_type_are_checked():
    type_ = device("radar-24-tracker")
    rules = type_.zone_rules
    wrong = {
        "zones": replace(type_, zone_rules=None),
        "zone_rules.confirm_of": replace(type_, zone_rules=replace(rules, confirm_of=(4, 3))),
        "zone_rules.step": replace(type_, zone_rules=replace(rules, step=50.0)),
        "zone_rules.off_delay_max_s": replace(type_, zone_rules=replace(rules, off_delay_max_s=1.0)),
        "zone_rules.shape": replace(type_, zones=0),
    }
    assert not faults(type_)
    for field, bad in wrong.items():
        assert field in {f for f, _ in faults(bad)}


def test_a_tracker_of_an_older_file_gets_usual_rules(tmp_path, demo):
    path = tmp_path / "old.vastwatch.json"
    save_project(demo, path)
    document = json.loads(path.read_text())
    document["version"], document["zones"] = 4, []
    for d in document["devices"]:
        d.pop("zone_rules", None)
    for lamp in document["lamps"]:
        lamp.pop("zone", None)
    for sensor in document["sensors"]:
        for field in ("measured_at", "measured_yaw", "measured_bias_m"):
            sensor["settings"].pop(field, None)
    path.write_text(json.dumps(document))
    project = load_project(path)
    assert find(project.devices, "radar-24-tracker").zone_rules is not None and project.zones == ()


# -- the command line ----------------------------------------------------------------------------------------------


def told(capsys, *args):
    assert main([*args, "--json"]) == 0
    return json.loads(capsys.readouterr().out)["sensors"]


def test_the_command_line_tells_numbers_and_chances(capsys, demo):
    shop = told(capsys, "zones", "--demo", "--sensor", "tracker-shop")["tracker-shop"]
    known = zoned(demo, find(demo.sensors, "tracker-shop"))
    for j, zone in enumerate(known.zones):
        said = shop["zones"][zone.id]
        assert tuple(said["numbers"].values()) == known.shapes[j].numbers and said["unit"] == "cm"
        assert {s.id for s in known.spots} == set(shop["noticed"]) < set(said["spots"])
        for s, p in zip(known.spots, known.counted[:, j]):
            assert said["spots"][s.id] == pytest.approx(p, abs=1e-4)
        assert len(said["outline_m"]) > 8 and said["false_min_per_day"] < 3
    assert shop["findings"] == []
    sitting = told(capsys, "zones", "--demo", "--sensor", "tracker-sitting")["tracker-sitting"]
    known = zoned(demo, find(demo.sensors, "tracker-sitting"))
    corners = sitting["zones"]["zone-sofa"]["numbers"]["corners"]
    assert [v for corner in corners for v in corner] == list(known.shapes[0].numbers)


def test_the_command_line_proposes_and_refuses(capsys, tmp_path):
    path = tmp_path / "p.vastwatch.json"
    save_project(tracked(), path)
    made = told(capsys, "zones", str(path), "--sensor", "t", "--for-room")["t"]
    assert made["proposed"]["heuristic"] and len(made["zones"]) >= 3
    assert told(capsys, "zones", str(path)) == {
        "t": {"noticed": ["chair", "stool"], "zones": {}, "findings": [], "helps": []}
    }
    assert main(["zones", str(path), "--sensor", "nobody"]) == 1
    assert "there is no sensor 'nobody'" in capsys.readouterr().err
    bad = json.loads(path.read_text())
    bad["zones"] = [{"id": "z", "sensor": "gone", "name": "Z", "outline": [[0, 0], [1, 0], [1, 1]]}]
    Path(path).write_text(json.dumps(bad))
    assert main(["zones", str(path)]) == 1
    assert "zones[0].sensor: there is no sensor 'gone'" in capsys.readouterr().err

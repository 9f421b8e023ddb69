"""What a tracking radar tells of its zones while people live: targets, scatter second by second, ghosts, roles."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import CHAIR, STOOL, device, rect, tracked
from vastwatch.advice.judging.judge import judge
from vastwatch.design.expressions import Report, zone_part
from vastwatch.design.presence import Roles, from_roles, reports, roles_of
from vastwatch.design.project import find, put
from vastwatch.design.records import Zone
from vastwatch.design.references import without
from vastwatch.devices.types import ZoneRules
from vastwatch.loops.targets import Bodies, Mirrors, Radar, RouteSamples, TargetRows, simulate_targets
from vastwatch.people.routes import STEP
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.noticing.notices import Notices
from vastwatch.rehearsal.reports import notices_on, run_sensors, run_without, sensor_task, targets_on
from vastwatch.rehearsal.tracking import target_batch, zone_reports
from vastwatch.rehearsal.tracking.targets import WANDER_WEIGHTS, Targets, _told, _wander, targets_of, zone_intervals
from vastwatch.rehearsal.tracking.zone_reports import tracking_radar_of
from vastwatch.rehearsal.zone_scores import score_zones
from vastwatch.sensing.coverage import coverage
from vastwatch.sensing.mounted import mount, zoned_sensor
from vastwatch.sensing.tracker import APART_M
from vastwatch.sensing.zone_encoding import Shape
from vastwatch.signals import Signal
from vastwatch.site.building import Hazard

# -- lived ----------------------------------------------------------------------------------------------------------


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
    known = zoned_sensor(project, find(project.sensors, "t"))
    i = [s.id for s in known.spots].index("chair")
    inside, n = 0, 0
    for day in range(5):
        told = targets_on(project, "t", r.truth, day)
        sits = np.hypot(*(told.at - (1.5, 1.5)).T) < 1e-6
        inside += int(known.shapes[0].contains(told.read[sits]).sum())
        n += int(sits.sum())
    assert n > 5_000 and inside / n == pytest.approx(known.counted[i, 0], abs=0.02)


def told_of(places, seconds, **how):
    """What a radar at the origin that looks along +y, as high as any chest, tells of some who stay, each noticed in all
    of some seconds (first and last of each run)."""
    *given, out = laid_out(places, seconds, **how)
    rows, lost, merged = simulate_targets(*given, 0, seconds[-1][1] + 1, out)
    return Targets(*(c[:rows] for c in out[:5]), ("a",) * len(places), out.lost[:lost], out.merged[:merged])


def laid_out(places, seconds, range_m=0.0, wander_m=0.0, most=9, mirrors=(), key=7):
    """The same, before it is told."""
    n, runs = len(places), len(seconds)
    each = np.arange(n + 1)
    seen = np.tile(np.array(seconds, np.int64), (n, 1))
    none, nowhere = np.empty(0), np.zeros(0, np.int64)
    bodies = Bodies(
        each * runs, seen[:, 0].copy(), seen[:, 1].copy(), each, np.full(n, -1e9), np.full(n, 1e9),
        np.array(places, float), np.ones(n), np.ones(n, bool), each * 0, none, none, none, none, nowhere, np.ones(n),
        np.arange(n, dtype=np.uint64) + np.uint64(key), np.arange(n, dtype=np.uint64) + np.uint64(99), each[:-1], n,
    )  # fmt: skip
    ways = RouteSamples(np.empty((0, 2)), np.zeros(0, bool), np.zeros(1, np.int64), nowhere, STEP)
    radar = Radar(0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 1.0, range_m, 0.0, wander_m, most, APART_M, WANDER_WEIGHTS)
    row = (*(np.array([x[k] for x in mirrors], float).reshape(-1, 2) for k in (0, 1)),
           *(np.array([x[k] for x in mirrors], float) for k in (2, 3)))  # fmt: skip
    walls = Mirrors(*row, np.arange(len(mirrors), dtype=np.uint64), 1.0)
    room = (1 + len(mirrors)) * n * sum(b - a + 1 for a, b in seconds)
    out = TargetRows(
        np.empty(room, np.int32), np.empty((room, 2), np.float32), np.empty((room, 2), np.float32),
        np.empty(room, np.int16), np.empty(room, bool), np.empty(room, np.int32), np.empty(room, np.int32),
    )  # fmt: skip
    return bodies, ways, radar, walls, out


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
    return np.array(out).reshape(-1, 2)


def test_the_wander_of_a_body_is_slow_and_as_wide_as_it_is():
    told = told_of([(0.0, 500.0)], [(0, 59_999)], wander_m=1.0)
    x, y = (told.read - told.at).T
    assert x.std() == pytest.approx(1.0, abs=0.03) and abs(np.corrcoef(x, y)[0, 1]) < 0.03
    for lag in (1, 2, 4):
        assert np.corrcoef(x[:-lag], x[lag:])[0, 1] == pytest.approx(math.exp(-lag / 2.0), abs=0.05)
    # In arrays it is the same.
    assert np.abs(np.column_stack(_wander(7, np.arange(60_000))) - (told.read - told.at)).max() < 1e-4
    # A second alone is the same as among others, whenever the one before was.
    alone = told_of([(0.0, 500.0)], [(3, 3), (8, 8), (500, 500)], wander_m=1.0)
    assert (alone.read == told.read[[3, 8, 500]]).all()


def test_range_scatters_anew_each_second_and_as_wide_as_it_is():
    r = np.hypot(*told_of([(3.0, 4.0)], [(0, 59_999)], range_m=0.3).read.T)
    assert r.mean() == pytest.approx(5.0, abs=0.01) and r.std() == pytest.approx(0.3, abs=0.01)
    assert abs(np.corrcoef(r[:-1], r[1:])[0, 1]) < 0.02


@given(
    st.lists(st.integers(1, 120), max_size=40), st.integers(1, 3), st.integers(0, 2), st.sampled_from((1.0, 5.0, 20.0))
)
def test_a_zone_is_entered_and_left_as_second_by_second(seconds, m, more, delay):
    tick = np.unique(np.array(seconds, np.int64))
    rules = ZoneRules(confirm_of=(m, m + more), off_delay_s=delay)
    shape = Shape(((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)), None, ())
    for into in (zone_intervals, target_batch.zone_intervals):
        rows = Signal.from_intervals(into(told_at(*tick), (CHAIR,), (shape,), rules)[0], 0.0, 1e4)
        plain = Signal.from_intervals(plain_rows(tick, m, m + more, delay), 0.0, 1e4)
        # Where a gap is just as long as the delay both may go either way.
        assert (rows - plain).total() + (plain - rows).total() <= 1e-9


@given(st.lists(st.tuples(st.floats(-2, 2), st.floats(0, 4)), max_size=30), st.integers(3, 6), st.integers(0, 99))
def test_reports_fall_into_a_zone_as_into_its_shape(read, corners, seed):
    """Polygons that may cross themselves, and a band; what falls where it is to be ignored falls nowhere."""
    rng = np.random.default_rng(seed)
    shapes = (
        Shape(tuple(map(tuple, rng.uniform((-2, 0), (2, 4), (corners, 2)).tolist())), None, ()),
        Shape((), (1.0, 2.5), ()), Shape(tuple(map(tuple, rng.uniform((-2, 0), (2, 4), (3, 2)).tolist())), None, ()),
    )  # fmt: skip
    zones = (replace(CHAIR, role="entry"), replace(CHAIR, role="entry"), replace(CHAIR, role="ignore"))
    place = np.array(read, np.float32).reshape(-1, 2)
    tick = 10 * np.arange(len(place))
    told = told_at(*tick)._replace(read=place)
    rules = ZoneRules(off_delay_s=1.0)
    out = shapes[2].contains(place)
    for into in (zone_intervals, target_batch.zone_intervals):
        for shape, rows in zip(shapes[:2], into(told, zones, shapes, rules)):
            assert rows[:, 0].tolist() == tick[shape.contains(place) & ~out].tolist()


def test_no_more_targets_than_it_follows_and_two_together_are_one():
    at = [(0, 1), (0, 1.3), (2, 2), (3, 3)]
    told = told_of(at, [(1, 2)])
    assert (told.person.tolist(), told.lost.tolist(), told.merged.tolist()) == ([0, 2, 3] * 2, [], [1, 2])
    # Whom another has already been taken for takes nobody in: of three in a row the first and the last are told.
    assert told_of([(0, 1), (0, 1.4), (0, 1.8)], [(1, 1)]).person.tolist() == [0, 2]
    told = told_of(at[::-1], [(1, 1)], most=2)
    assert (told.person.tolist(), told.lost.tolist(), told.merged.tolist()) == ([3, 1], [1], [1])
    # In arrays it is the same.
    tick, image = np.array([1, 1, 1, 1, 2, 2]), np.array([0, 0, 0, 1, 0, 0], bool)
    place = np.array([(0, 1), (0, 1.3), (2, 2), (3, 3), (0, 1), (0, 5)], float)
    stays, lost, merged = _told(tick, place, image, 1)
    assert stays.tolist() == [True, False, False, False, True, False]
    assert (lost.tolist(), merged.tolist()) == ([1, 2], [1])
    # Images come after people, however near they are, and are not missed.
    glass = ((0.0, 2.5), (0.0, 1.0), 9.0, 1.0)
    told = told_of([(0, 1), (0, 4.5), (0, 5.5)], [(1, 1)], most=3, mirrors=[glass])
    assert told.image.tolist() == [False, False, False] and told.lost.tolist() == []
    told = told_of([(0, 1), (0, 5.5)], [(1, 1)], mirrors=[glass])
    assert sorted(told.at[:, 1].tolist()) == [1.0, 4.0, 5.5] and told.image.tolist() == [False, True, False]


def test_of_very_many_reports_zones_are_told_as_of_few(monkeypatch):
    """Whichever way they are told, the zones of a week are the same."""
    project = tracked(zones=(CHAIR, STOOL))
    few = rehearse(project, 3, 5).recording.reports
    monkeypatch.setattr(zone_reports, "MANY_REPORTS", 0)
    project = replace(project, sensors=tuple(replace(s, name=f"{s.name} again") for s in project.sensors))
    many = rehearse(project, 3, 5).recording.reports
    for zone in ("zc", "zs"):
        assert many["t", zone_part(zone)].same_as(few["t", zone_part(zone)], 1e-9)
    assert few["t", zone_part("zc")].total() > 3600


def test_whoever_walks_is_told_where_they_are_and_only_on_the_level():
    """Along 40 samples to the north, the last of them a level higher; a stay there comes after."""
    bodies, ways, radar, walls, out = laid_out([(0.0, 9.0)], [(0, 99)])
    ways = RouteSamples(
        np.column_stack([np.zeros(40), 1.0 + 0.1 * np.arange(40)]),
        np.arange(40) < 30,
        np.array([0, 40]),
        np.array([10]),
        STEP,
    )
    bodies = bodies._replace(
        stay_from=np.array([90.0]), walk_of=np.array([0, 1]), walk_from=np.array([20.0]), walk_to=np.array([80.0]),
        walk_out=np.array([35.0]), walk_speed=np.array([0.05]), walk_route=np.array([0]),
    )  # fmt: skip
    rows, _, _ = simulate_targets(bodies, ways, radar, walls, 0, 100, out)
    seen = {int(t): round(float(y), 1) for t, y in zip(out.tick[:rows], out.at[:rows, 1])}
    walked = {t: 10 + math.floor((t - 35.0) * 0.05 / STEP) for t in range(20, 80)}
    expected = {t: round(1.0 + 0.1 * max(k, 0), 1) for t, k in walked.items() if k < 30}
    assert seen == expected | dict.fromkeys(range(90, 100), 9.0) and len(expected) < 60


HOUSEHOLDS = {
    "two who sit": tracked(zones=(CHAIR, STOOL)),
    "a fan and a mirror": replace(
        tracked(zones=(CHAIR, STOOL), at=(2.0, 3.9, 1.2), yaw=-90.0),
        hazards=(
            Hazard(id="fan", level="g", name="Fan", kind="fan", outline=rect(3.2, 0.8, 3.6, 1.2), strength=1.0),
            Hazard(id="m", level="g", name="M", kind="mirror or metal", outline=rect(1, 0.02, 3, 0.08), strength=0.6),
        ),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", [*HOUSEHOLDS, "sample"])
def test_targets_are_those_of_the_arrays(name, demo):
    """Loop and arrays, of everything that is told in three days: who, when, where, lost and merged."""
    project = demo if name == "sample" else HOUSEHOLDS[name]
    truth = rehearse(project, 3, 2).truth
    found = 0
    for sensor in project.sensors:
        w = sensor_task(project, sensor, truth)
        if (watched := tracking_radar_of(project, w.mounted, w.level)) is None:
            continue
        for most in (watched[1].device.targets, 1):
            seen = watched[1]._replace(device=replace(watched[1].device, targets=most))
            lives, cuts = truth.household.simulate(0, 3), [truth.calendar.midnight(d) for d in range(4)]
            noticed = notices_on_days(project, sensor.id, truth, 3)
            days = target_batch.targets_of(seen, truth.household, lives, noticed, cuts)
            plain = targets_of(seen, truth.household, lives, noticed)
            found += len(plain.tick)
            for k, column in enumerate(Targets._fields):
                mine = days[0].names if column == "names" else np.concatenate([d[k] for d in days])
                if column in ("read", "at"):
                    assert np.abs(mine - plain[k]).max(initial=0.0) < 2e-5
                else:
                    assert np.array_equal(mine, plain[k]), (sensor.id, column)
    assert found > 5_000


def notices_on_days(project, sensor, truth, days):
    each = [notices_on(project, sensor, truth, d) for d in range(days)]
    return Notices(*(np.concatenate(c) for c in zip(*each)))


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
    assert loud.by_zone == () and len(quiet.by_zone) == 1
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
    tick, place = np.array(seconds, np.int32), np.tile(np.array(read, np.float32), (n, 1))
    return Targets(tick, place, place, np.zeros(n, np.int16), np.zeros(n, bool), ("a",), tick[:0], tick[:0])


def test_roles_and_delays_of_zones():
    rules = device("radar-24-tracker").zone_rules
    unit = Shape(((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)), None, ())
    entry, slow = replace(CHAIR, role="entry"), replace(CHAIR, off_delay_s=60.0)
    ignore = replace(CHAIR, role="ignore")
    seconds = told_at(10, 30, 31, 32)

    def rows(*zones):
        return [r.tolist() for r in zone_intervals(seconds, zones, tuple(unit for _ in zones), rules)]

    # Two of three seconds enter it, and 5 s after the last it is left; an entry zone is entered by one.
    assert rows(CHAIR) == [[[31, 37]]] and rows(entry) == [[[10, 15], [30, 37]]]
    assert rows(slow) == [[[31, 92]]] and rows(CHAIR, ignore)[0] == []
    assert [len(r) for r in zone_intervals(told_at(), (CHAIR,), (unit,), rules)] == [0]
    assert zone_intervals(told_at(10, 11, 12, read=(2.0, 0.5)), (CHAIR,), (unit,), rules)[0].tolist() == []


def test_false_triggers_are_targets_where_they_move():
    fan = Hazard(id="fan", level="g", name="Fan", kind="fan", outline=rect(3.2, 0.8, 3.6, 1.2), strength=1.0)
    project = replace(tracked(), hazards=(fan,))
    r = rehearse(project, 1, 1)
    told = targets_on(project, "t", r.truth, 0)
    spun = told.at[told.person == told.names.index("fan")]
    assert len(spun) > 20 and np.abs(spun - (3.4, 1.0)).max() < 1e-5
    # Each trigger for three seconds.
    n = notices_on(project, "t", r.truth, 0)
    triggers = int((n.source == "fan").sum())
    assert 2 * triggers < len(spun) <= 3 * triggers


def test_what_moves_within_a_zone_counts_as_false_minutes():
    fan = Hazard(id="fan", level="g", name="Fan", kind="fan", outline=rect(3.3, 2.8, 3.5, 3.0), strength=1.0)
    project = tracked(zones=(CHAIR, STOOL))
    quiet, loud = (score_zones(rehearse(p, 2, 1), "t") for p in (project, replace(project, hazards=(fan,))))
    assert loud.zones["zs"].false_min > 10 * max(quiet.zones["zs"].false_min, 0.5)
    assert loud.zones["zc"].false_min == pytest.approx(quiet.zones["zc"].false_min, abs=0.5)


def test_a_mirror_makes_ghosts_behind_it():
    mirror = Hazard(
        id="m", level="g", name="M", kind="mirror or metal", outline=rect(1.0, 0.02, 3.0, 0.08), strength=1.0
    )
    # The sensor looks from the north wall at anybody who sits before the mirror on the south one.
    project = tracked(at=(2.0, 3.9, 1.2), yaw=-90.0)
    plain, with_mirror = project, replace(project, hazards=(mirror,))
    seen, ghosts = (targets_on(p, "t", rehearse(p, 1, 1).truth, 0) for p in (plain, with_mirror))
    behind = ghosts.at[ghosts.at[:, 1] < 0.0]
    assert len(seen.at[seen.at[:, 1] < 0.0]) == 0 and len(behind) > 0.15 * len(seen.tick)
    sits = np.abs(behind - (1.5, -1.4)).max(axis=1) < 0.02
    assert sits.mean() > 0.9 and set(ghosts.person.tolist()) <= {0, 1}
    # It reads them as far behind as they are before it.
    r = np.hypot(*ghosts.read[ghosts.at[:, 1] < 0.0][sits].T)
    assert np.median(r) == pytest.approx(math.hypot(0.5, 5.3) + 0.35, abs=0.15)


def test_roles_name_sensors_and_zones():
    roles = Roles(("pir",), ("pir", "t/zc"), 40.0)
    expr = from_roles(roles)
    assert roles_of(expr) == roles and [(r.sensor, r.zone) for r in reports(expr)][-1] == ("t", "zc")
    project = tracked(zones=(CHAIR, STOOL))
    project = put(project, replace(project.presences[0], expr=expr))
    week = rehearse(project, 2, 1)
    plain = rehearse(tracked(zones=(CHAIR, STOOL)), 2, 1)
    # A zone round the chair keeps the light over anybody who sits there, and the judge hears it too.
    assert week.scores["big"].false_offs < 0.2 * plain.scores["big"].false_offs
    assert judge(project, "big").checks_at(40.0)[0].value < judge(tracked(), "big").checks_at(60.0)[0].value

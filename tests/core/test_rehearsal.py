"""People, reports, fusion, daylight, scores, incidents and causes."""

from __future__ import annotations

import dataclasses
import math
from datetime import date

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device
from vastwatch.causes.chain import explain
from vastwatch.control.belief.fusion import evaluate
from vastwatch.control.house import run_house
from vastwatch.control.light.daylight import (
    dark,
    daylight_factor,
    elevation_for,
    outdoor_lux,
    sun_elevation,
    sun_times,
)  # fmt: skip
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.expressions import AllOf, AnyOf, AtLeast, Hold, Not, OnDelay, Report, StartKeep
from vastwatch.design.needs import needs_of
from vastwatch.design.presence import Roles, from_roles
from vastwatch.design.project import Place, find, put
from vastwatch.design.records import Conclusion, Sensor
from vastwatch.geometry import polygons
from vastwatch.memo import MEMO
from vastwatch.people import simulate_days
from vastwatch.people.routes import STEP, floors, route
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.noticing.interval_merging import merge_notices
from vastwatch.rehearsal.reports import notices_on, run_sensors
from vastwatch.sensing.bodies import MINOR_MOTION, SETTLING
from vastwatch.sensing.coverage import spot_notice_s
from vastwatch.sensing.reporting import hold_blind_merge
from vastwatch.signals import Calendar, Signal
from vastwatch.site.building import Spot
from vastwatch.site.people import Person, Stay

DAY = 86_400.0


def on(*rows, end=100.0):
    return Signal.from_intervals(list(rows), 0.0, end)


# -- people --------------------------------------------------------------------------------------------------------


def test_the_same_seed_lives_the_same_days_to_the_bit(demo):
    a = rehearse(demo, 3, 7)
    MEMO.clear()
    b = rehearse(demo, 3, 7)
    assert a.truth is not b.truth
    for x, y in zip(a.truth.tracks, b.truth.tracks):
        assert np.array_equal(x.arrive, y.arrive)
    for day in range(3):
        assert np.array_equal(a.truth.household_day(day).joined.minor_t, b.truth.household_day(day).joined.minor_t)
    for ident, signal in a.signals.items():
        assert np.array_equal(signal.switches, b.signals[ident].switches)
    assert a.scores == b.scores
    assert rehearse(demo, 3, 8).scores != a.scores


def test_another_day_leaves_the_earlier_days_as_they_were(demo):
    short, long = simulate_days(demo, 2, 3), simulate_days(demo, 4, 3)
    for x, y in zip(short.tracks, long.tracks):
        n = np.searchsorted(y.arrive, 1.9 * DAY)
        assert np.array_equal(x.arrive[: n - 1], y.arrive[: n - 1])


def test_another_person_leaves_everybody_as_they_were(demo):
    fewer = replace(demo, people=demo.people[:1])
    a, b = simulate_days(demo, 2, 3).tracks[0], simulate_days(fewer, 2, 3).tracks[0]
    assert np.array_equal(a.arrive, b.arrive)


def test_tracks_are_whole_and_walks_take_their_time(demo):
    m = simulate_days(demo, 7, 1)
    for track in m.tracks:
        assert len(track.arrive) == len(track.leave) == len(track.spot) == len(track.route) + 1
        assert (track.leave >= track.arrive).all()
        assert (track.arrive[1:] >= track.leave[:-1]).all()
        assert track.arrive[0] == 0
        assert track.leave[-1] >= m.end
        for k, w in enumerate(track.route):
            steps = len(m.routes[w].points) - 1
            assert steps * STEP / track.speed[k] == pytest.approx(track.arrive[k + 1] - track.leave[k])
        assert len(track.route) > (1 if track.person.group else 50)


def test_everybody_is_where_their_track_says(demo):
    m = simulate_days(demo, 2, 1)
    track = m.tracks[0]
    k = 5
    middle = (track.arrive[k] + track.leave[k]) / 2
    where = m.where(track, middle)
    assert where.spot is m.spots[track.spot[k]]
    half = track.leave[k] + (track.arrive[k + 1] - track.leave[k]) / 2
    walking = m.where(track, half)
    assert walking.spot is None
    room = find(demo.rooms, m.spots[track.spot[k]].room).id
    assert m.person_in(track.person.id, room).at(middle) or where.level < 0


def test_whoever_is_on_their_way_at_the_last_midnight_has_not_stayed(room):
    truth = simulate_days(room, 2, 1)
    (track,) = truth.tracks
    late = dataclasses.replace(
        track, arrive=np.append(track.arrive, truth.end + 2.3), leave=np.append(track.leave, truth.end + 900.0),
        spot=np.append(track.spot, track.spot[0]), stay_id=np.append(track.stay_id, 0), exit_at=np.append(track.exit_at, truth.end - 4.0),
        route=np.append(track.route, track.route[0]), speed=np.append(track.speed, 1.0),
    )  # fmt: skip
    after = dataclasses.replace(truth, tracks=(late,))
    room_of = {s.id: s.room for s in truth.spots}
    for spot in ("chair", "exit"):
        was, now = (t.stays_at(room_of[spot], lambda s, spot=spot: s.id == spot) for t in (truth, after))
        assert was.same_as(now)
    assert (after.stays(late, late.spot >= 0) <= truth.end).all()


def test_a_day_sheet_is_kept_to(room):
    m = simulate_days(room, 5, 2)
    track = m.tracks[0]
    chair = next(i for i, s in enumerate(m.spots) if s.id == "chair")
    noon = [float(track.arrive[i]) for i in range(len(track.spot)) if track.spot[i] == chair]
    firsts = [min(t for t in noon if d * DAY <= t < (d + 1) * DAY) for d in range(5)]
    assert np.abs((np.array(firsts) % DAY) - 9 * 3600).max() < 40 * 60
    # Absent people are in no room.
    assert not m.occupied("small").at(3 * 3600.0)
    assert m.occupied("big").total() / 5 == pytest.approx(8 * 3600, rel=0.2)


def test_ways_keep_to_free_floor_and_go_through_doors(demo):
    spots = {s.id: s for s in demo.spots}
    w = route(demo, spots["left-wheel"], spots["counter"])
    assert w is not None
    passed = [demo.rooms[k].id for k in dict.fromkeys(w.room.tolist())]
    assert passed == ["throwing", "passage", "shop"]
    ground = floors(demo)["ground"]
    rows = ((w.points[:, 1] - ground.grid.y0) / ground.grid.cell).astype(int)
    columns = ((w.points[:, 0] - ground.grid.x0) / ground.grid.cell).astype(int)
    assert ground.free[rows, columns][8:-8].mean() > 0.97
    # Samples are STEP apart along the way; across a corner they are a little closer as the crow flies.
    steps = np.hypot(*np.diff(w.points, axis=0).T)
    assert steps.max() <= 1.01 * STEP
    assert np.median(steps) == pytest.approx(STEP, rel=0.01)


def test_the_stair_joins_the_levels(demo):
    spots = {s.id: s for s in demo.spots}
    up = route(demo, spots["left-wheel"], spots["bed-left"])
    assert up is not None
    assert up.level[0] == 0
    assert up.level[-1] == 1
    assert (np.diff(up.level) >= 0).all()
    down = route(demo, spots["bed-left"], spots["left-wheel"])
    assert down is not None
    assert down.length == pytest.approx(up.length, rel=0.03)
    stair = find(demo.furnishings, "stair")
    assert polygons.contains(stair.outline, up.points[up.level == 0]).any()


# -- reports -------------------------------------------------------------------------------------------------------


def slow_pir(notices, hold, rearm):
    """The device as a machine with a clock: on until `hold` after the last notice, then blind."""
    rows, on_since, last, blind_until = [], None, None, -math.inf
    for t in notices:
        if on_since is not None and t > last + hold:
            rows.append((on_since, last + hold))
            blind_until, on_since = last + hold + rearm, None
        if on_since is None:
            if t < blind_until:
                continue
            on_since = t
        last = t
    if on_since is not None:
        rows.append((on_since, last + hold))
    return rows


@pytest.mark.parametrize("seed", range(6))
def test_pir_reports_match_a_machine_with_a_clock(seed):
    rng = np.random.default_rng(seed)
    notices = np.sort(rng.random(300) * 900)
    for hold, rearm in ((5, 3), (0.5, 0), (20, 10)):
        fast = hold_blind_merge(notices, notices, hold, rearm)
        assert fast == pytest.approx(np.array(slow_pir(notices.tolist(), hold, rearm)))
        assert hold_blind_merge(*merge_notices(notices, notices, hold, rearm), hold, rearm) == pytest.approx(fast)
    assert len(hold_blind_merge(np.empty(0), np.empty(0), 5, 3)) == 0


def sitting_all_day(project, days):
    person = Person(id="a", name="A", stays=(Stay(at="00:00", spot="chair", jitter_min=0.0),))
    return simulate_days(replace(project, people=(person,)), days, 5)


def test_notices_come_as_often_as_the_coverage_says(room):
    """Over a month in the chair, the mean gap between notices is the mean wait of the model, to a few percent."""
    m = sitting_all_day(room, 30)
    n = sum(len(notices_on(room, "pir", m, day).start) for day in range(30))
    wait = spot_notice_s(room, "pir", room.spots[0]) - device("pir-corner-12").latency.typical_s
    assert n > 1000
    assert 30 * DAY / n == pytest.approx(wait, rel=0.05)


def radar_at(project, still_m, **figures):
    type_ = replace(device("radar-24-state"), still_m=still_m, **figures)
    sensor = Sensor(id="radar", device=type_.id, level="g", name="R", at=(4.8, 1.5, 0.85), yaw=180)
    return replace(
        project,
        devices=(*project.devices, type_),
        sensors=(*project.sensors, sensor),
        presences=(
            Conclusion(id="here", room="big", name="S", expr=from_roles(Roles(("pir",), ("pir", "radar"), 60.0))),
        ),
    )


def test_a_radar_that_sees_breathing_holds_all_day_and_one_that_hardly_does_drops(room):
    near = radar_at(room, 6.0)
    run = run_sensors(near, sitting_all_day(near, 3))["radar"]
    assert run.report.total() > 3 * DAY - 60
    far = radar_at(room, 1.2, moving_m=1.0)
    assert run_sensors(far, sitting_all_day(far, 3))["radar"].report.total() == 0
    # In between it reports part of the time, in detections drawn one by one.
    between = radar_at(room, 3.15, moving_m=1.0)
    share = run_sensors(between, sitting_all_day(between, 3))["radar"].report.total() / (3 * DAY)
    assert 0.01 < share < 0.999


def test_moving_and_still_are_parts_of_the_report(room):
    project = radar_at(room, 6.0)
    run = run_sensors(project, simulate_days(project, 2, 1))["radar"]
    assert (run.moving - run.report).total() == 0
    assert run.moving.total() > 0
    assert (run.moving & run.still).total() == 0
    assert run.moving.total() + run.still.total() == pytest.approx(run.report.total())


# -- fusion and daylight -------------------------------------------------------------------------------------------


def test_every_operation_of_an_expression():
    a, b = on((10, 20), (50, 52)), on((15, 30), (60, 70))
    reports = {("a", None): a, ("b", None): b, ("a", "moving"): on((12, 13))}
    ra, rb = Report(sensor="a"), Report(sensor="b")
    cases = [
        (AnyOf(of=(ra, rb)), a | b),
        (AllOf(of=(ra, rb)), a & b),
        (AtLeast(k=2, of=(ra, rb, rb)), b),
        (Not(of=ra), ~a),
        (Hold(of=ra, seconds=5), a.hold(5)),
        (OnDelay(of=ra, seconds=5), a.on_delay(5)),
        (StartKeep(start=ra, keep=rb), on((10, 30), (50, 52))),
        (Report(sensor="a", state="moving"), on((12, 13))),
    ]
    for expr, expected in cases:
        assert evaluate(expr, lambda leaf: reports[leaf.sensor, leaf.part]).same_as(expected)


def test_sunrise_and_sunset_at_54_north_in_january(demo):
    rise, fall = sun_times(demo.place, date(2026, 1, 13))
    assert rise == pytest.approx(8.2 * 3600, abs=900)
    assert fall == pytest.approx(16.07 * 3600, abs=900)
    january = Calendar(date(2026, 1, 13), demo.place.timezone, 1)
    assert sun_elevation(demo.place, january, 43_200) == pytest.approx(14.4, abs=0.6)
    assert sun_elevation(demo.place, january, 0) < -40


def test_lux_and_elevation_are_inverse():
    for lux in (5, 80, 299, 301, 4000, 15_000):
        assert outdoor_lux(elevation_for(lux)) == pytest.approx(lux, rel=1e-6)
    assert outdoor_lux(-7) == 0
    assert elevation_for(30_000) == 90


def test_a_room_without_a_window_is_always_dark_and_one_with_a_window_follows_the_sun(room):
    small = dark(room, find(room.rooms, "small"), Calendar(date(2026, 6, 1), "UTC", 2))
    assert small.total() == 2 * DAY
    big = find(room.rooms, "big")
    assert daylight_factor(room, big) == pytest.approx(0.68 * 1.5 * 1.2 * 0.8 * 65 / ((2 * 20 + 18 * 2.5) * 0.75) / 100)
    assert needs_of(room, big).lux == 300
    modest = put(room, replace(big, needs=replace(big.needs, lux=100.0)))
    big = find(modest.rooms, "big")
    in_june, in_january = (dark(modest, big, Calendar(date(2026, m, 1), "UTC", 2)) for m in (6, 1))
    assert not in_june.at(43_200.0)
    assert in_june.at(1000.0)
    assert in_june.total() < in_january.total()
    greedy = put(modest, replace(big, needs=replace(big.needs, lux=4000.0)))
    assert dark(greedy, find(greedy.rooms, "big"), Calendar(date(2026, 6, 1), "UTC", 1)).total() == DAY


def test_polar_days_and_nights_have_no_crossing(room):
    far_north = replace(room, place=Place(latitude=78.0, longitude=15.0, timezone="UTC"))
    assert sun_times(far_north.place, date(2026, 6, 21)) == (None, None)
    big = find(far_north.rooms, "big")
    assert dark(far_north, big, Calendar(date(2026, 12, 20), "UTC", 2)).total() == 2 * DAY
    assert rehearse(far_north, 1, 1).house.dark("big").total() > 0


# -- scores, incidents, causes -------------------------------------------------------------------------------------


def test_a_longer_hold_drops_less_and_burns_more(room):
    scores = [rehearse(set_hold(room, "here", h), 14, 1).scores["big"] for h in (20.0, 120.0, 900.0)]
    assert scores[0].false_offs > scores[1].false_offs >= scores[2].false_offs
    assert scores[0].wasted_h < scores[1].wasted_h < scores[2].wasted_h


def test_a_radar_that_keeps_ends_the_drops(room):
    alone = rehearse(room, 7, 1).scores["big"]
    both = rehearse(radar_at(room, 6.0), 7, 1).scores["big"]
    assert alone.false_offs > 1
    assert both.false_offs < 0.2 * alone.false_offs


def test_the_chain_of_a_drop_leads_from_the_lamp_to_who_sat_there(demo):
    r = rehearse(demo, 7, 1)
    chains = [(i, explain(r, i)) for i in r.incidents if i.room == "throwing" and i.kind == "dropped"]
    left = [(i, c) for i, c in chains if c.where and c.where.spot and c.where.spot.id == "left-wheel"]
    incident, chain = left[0]
    assert any(k.record == "drying-rack" and "hides" in k.value for _, c in left for k in c.causes)
    assert [k.what for k in chain.story] == ["light", "presence", "PIR throwing room"]
    assert [k.record for k in chain.story] == ["lamp-throwing", "presence-throwing", "pir-throwing"]
    assert "5 min ran out" in chain.story[1].text
    assert chain.causes[-1].what == "P at the left wheel" and chain.causes[-1].record == "left-wheel"
    last = r.recording.report("pir-throwing").falls
    silent = incident.at - last[np.searchsorted(last, incident.at) - 1]
    assert silent == pytest.approx(300, abs=1e-6)
    assert chain.sights[0].notice_s == pytest.approx(
        spot_notice_s(demo, "pir-throwing", find(demo.spots, "left-wheel"))
    )


def test_every_incident_of_the_sample_has_a_chain_of_real_records(demo):
    r = rehearse(demo, 7, 1)
    known = {x.id for c in ("lamps", "presences", "sensors", "spots", "people", "walls", "openings", "furnishings", "hazards")
             for x in getattr(demo, c)}  # fmt: skip
    kinds = set()
    for incident in r.incidents:
        chain = explain(r, incident)
        kinds.add(incident.kind)
        assert len(chain.story) >= 2 and chain.causes
        assert {k.record for k in chain.links} <= known
        assert all(k.value or k.text for k in chain.links)
    assert kinds == {"dropped", "late", "idle", "false start"}


def test_the_cat_sets_off_false_starts_and_is_named(demo):
    r = rehearse(demo, 7, 1)
    texts = [k.text for i in r.incidents if i.kind == "false start" for k in explain(r, i).links]
    assert any(text.startswith("Cat") for text in texts)


def test_a_rehearsal_of_no_days_is_refused(room):
    for days in (0, -3, 400):
        with pytest.raises(ValueError, match="1 to 366 days"):
            rehearse(room, days, 1)


def test_nothing_breaks_without_people_sensors_or_anything(room):
    empty = replace(room, people=(), spots=(), sensors=(), presences=(), lamps=(), rooms=(), walls=(), openings=())
    r = rehearse(empty, 1, 1)
    assert r.scores == {}
    assert r.incidents == []
    assert rehearse(replace(room, people=()), 2, 1).scores["big"].false_offs == 0
    lone = Spot(id="far", room="big", name="far", at=(1, 1))
    assert rehearse(replace(room, spots=(*room.spots, lone)), 1, 1).scores["big"] is not None


def test_a_light_that_never_came_is_not_said_to_have_come_late(room):
    """A PIR that looks away notices nobody: the chain says so, and where presence did rise it says when."""
    away = replace(room, sensors=(replace(room.sensors[0], at=(0.2, 3.8, 2.2), yaw=135.0),))
    r = rehearse(away, 3, 1)
    late = [i for i in r.incidents if i.kind == "late"]
    assert late
    chain = explain(r, late[0])
    assert chain.links[1].value.startswith("started") and "went to the switch" in chain.links[1].text
    # Had nobody reacted, it would not have come at all.
    idle = dataclasses.replace(r, house=run_house(away, r.recording))
    late = [i for i in idle.incidents if i.kind == "late"]
    assert late
    assert [k.value for k in explain(idle, late[0]).links[:2]] == ["never came on", "stayed off"]


def test_a_light_that_came_late_says_when(demo):
    r = rehearse(demo, 7, 1)
    for incident in (i for i in r.incidents if i.kind == "late"):
        lamp, chain = r.house.served(incident.room), explain(r, incident)
        came = bool(lamp.at(incident.at + incident.duration_s + 1e-6))
        assert chain.links[0].value.endswith("late") == came
        assert chain.links[1].value.startswith("started") == came


# -- days cut out of tracks --------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("first", "last"), [(0, 1), (0, 4), (1, 2), (2, 4)])
def test_days_are_the_track_cut_at_midnight_by_the_definition(demo, first, last):
    """Each stay of the track once for every day it reaches into; each walk that is on its way at any time."""
    truth = simulate_days(demo, 4, 5)
    book, midnight = truth.household.book, truth.calendar.midnight
    for track, log in zip(truth.tracks, truth.household.logs()):
        days = log.days(first, last)
        stays = [
            (max(a, midnight(d)), min(b, midnight(d + 1)), d, truth.spots[spot].id)
            for d in range(first, last)
            for a, b, spot in zip(track.arrive, track.leave, track.spot)
            if a < midnight(d + 1) and b > midnight(d)
        ]
        spots = [book.spots[k].id for k in days.stay_spot]
        told = [x for x in zip(days.stay_from, days.stay_to, days.stay_day, spots) if x[0] < x[1]]
        assert sorted(told) == sorted(stays)
        walks = [
            (a, b, truth.routes[r].points.tolist())
            for a, b, r in zip(track.leave[:-1], track.arrive[1:], track.route)
            if b > midnight(first) and a < midnight(last)
        ]
        routes = [book.routes[r].points.tolist() for r in days.walk_route]
        assert list(zip(days.walk_leave, days.walk_arrive, routes)) == walks
        assert (days.minor_t >= midnight(first)).all() and (days.minor_t < midnight(last)).all()
        for t, k in zip(days.minor_t, days.minor_spot):
            n = int(np.searchsorted(track.arrive, t, side="right")) - 1
            assert truth.spots[track.spot[n]].id == book.spots[k].id and track.arrive[n] <= t <= track.leave[n]


def test_somebody_moves_as_often_as_their_activity_says(demo):
    """Renewals of gaps with mean m and coefficient of variation c, begun on arrival: of a stretch t long some t / m
    movements, and up to (c^2 - 1) / 2 more, as many where it is long against the gaps (Cox 1962)."""
    truth = simulate_days(demo, 28, 7)
    least, most, moves = {}, {}, {}
    down = ("seated", "lying")
    spots = truth.household.book.spots
    for log in truth.household.logs():
        days = log.days(0, 28)
        known = log._until(28)
        # Who sits or lies down settles, and rises: so many movements more.
        for a, b, spot in zip(known.arrive, known.leave, known.spot):
            kind = spots[spot].activity
            if spots[spot].posture in down and kind != "away":
                settled = SETTLING * (int(0.0 <= a < truth.end) + int(0.0 <= b < truth.end))
                moves[kind] = moves.get(kind, 0) - settled
        for a, b, spot in zip(days.stay_from, days.stay_to, days.stay_spot):
            kind = spots[spot].activity
            law = MINOR_MOTION[kind]
            least[kind] = least.get(kind, 0.0) + (b - a) * law.rate
            most[kind] = most.get(kind, 0.0) + (b - a) * law.rate + (math.expm1(law.sigma**2) - 1) / 2
        for spot in days.minor_spot:
            moves[spots[spot].activity] = moves.get(spots[spot].activity, 0) + 1
    assert "away" not in moves
    frequent = [kind for kind, n in moves.items() if n > 3000]
    assert len(frequent) >= 4
    for kind in frequent:
        assert 0.97 * least[kind] < moves[kind] < 1.02 * most[kind], kind

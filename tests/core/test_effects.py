"""What people and bodies really do, each against a slow reference that follows its definition step by step."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import date, timedelta
from itertools import count, takewhile

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, make_room
from vastwatch.advice.detection.stay_trial import _movements
from vastwatch.control.light.daylight import (
    CLEAR,
    OVERCAST,
    darkness,
    daylight_factor,
    elevation_for,
    outdoor_lux,
    sun_elevation,
    target_lux,
)
from vastwatch.design.edits.sensors import readable_sensors, set_roles
from vastwatch.design.places import opening_middle
from vastwatch.design.presence import Roles
from vastwatch.design.project import find, put
from vastwatch.design.records import Sensor
from vastwatch.people.routes import STEP, route
from vastwatch.people.truth import simulate_days
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.noticing.at_rest import seen_at_rest, seen_fading
from vastwatch.rehearsal.noticing.notices import _chances
from vastwatch.rng import sub_keys
from vastwatch.sensing.bodies import ABED, ADULT_KG, LYING, SETTLING, SETTLING_S, STANDING, Stayer, Walker
from vastwatch.sensing.coverage import notice_times
from vastwatch.sensing.fading import FADE_DB, FADE_S, Fading
from vastwatch.sensing.families.pir import crossing_chance
from vastwatch.sensing.frames import exact_mean_frames
from vastwatch.sensing.model import stay_detection, walker_rate
from vastwatch.sensing.mounted import mount
from vastwatch.signals import Calendar
from vastwatch.site.sky import clear_days, clear_share, is_clear

# -- the echo of somebody at rest fades ----------------------------------------------------------------------------


def seen_by_frames(rng: np.random.Generator, f: Fading, near: float) -> Iterator[float]:
    """Confirmations of one stay, frame by frame: a fade for each stretch, a look in each frame, m of the last n."""
    last: list[bool] = []
    fade = 0.0
    for k in count():
        if k % int(FADE_S * f.frame_hz) == 0:
            fade = FADE_DB * rng.normal()
            last = []
        x = near * 10 ** (-fade / 40)
        last = [*last, rng.random() < 1 / (1 + math.exp(min((x - 1) / 0.06, 700)))][-f.n :]
        if sum(last) >= f.m:
            yield k / f.frame_hz
            last = []


@pytest.mark.parametrize("near", [0.85, 1.0, 1.2])
def test_the_map_waits_as_long_as_frames_drawn_one_by_one(near):
    f, rng = Fading(2.0, 2, 3), np.random.default_rng(int(100 * near))
    waits = [next(seen_by_frames(rng, f, near)) + 1 / f.frame_hz for _ in range(500)]
    told = 1.0 / float(f.excess(np.array([near]), 0.0)[0])
    assert told == pytest.approx(np.mean(waits), abs=4 * np.std(waits) / math.sqrt(len(waits)))


def test_movements_beside_shorten_the_wait_as_they_do_step_by_step():
    f, rng = Fading(10.0, 3, 5), np.random.default_rng(3)
    for near, moving in ((1.05, 0.01), (1.3, 0.03), (0.9, 0.002)):
        waits = []
        for _ in range(6000):
            t = 0.0
            while True:
                p = 1 / (1 + math.exp(min((near * 10 ** (-FADE_DB * rng.normal() / 40) - 1) / 0.06, 700)))
                frames = exact_mean_frames(p, 3, 5) if p > 1e-3 else math.inf
                wait = rng.exponential(1 / (moving + 10.0 / frames))
                if wait < FADE_S:
                    break
                t += FADE_S
            waits.append(t + wait)
        told = 1.0 / (moving + float(f.excess(np.array([near]), moving)[0]))
        assert told == pytest.approx(np.mean(waits), rel=0.06)


def test_the_rehearsal_holds_a_sitter_as_long_as_the_frames_do():
    """At 0.9 of the range: held by the device's own 10 s for as much of the time, and dropped as often."""
    f, hold, stay = Fading(2.0, 2, 3), 10.0, 3600.0
    rng = np.random.default_rng(8)
    dark, gaps = [], []
    for _ in range(40):
        t = np.array([0.0, *takewhile(lambda t: t < stay, seen_by_frames(rng, f, 0.9)), stay])
        long = np.diff(t) - hold
        dark.append(long[long > 0].sum() / stay)
        gaps.append((long > 0).sum())
    n = 400
    begins = np.arange(n) * 2 * stay
    seen = seen_fading(sub_keys(5, np.arange(n)), f, np.full(n, 0.9), begins, begins + stay, hold)
    mine, found = [], []
    for k in range(n):
        rows = np.column_stack([seen.start, seen.end])[seen.stay == k]
        rows = rows[np.argsort(rows[:, 0])] - begins[k]
        edges = np.concatenate([[[0.0, 0.0]], rows, [[stay, stay]]])
        long = edges[1:, 0] - np.maximum.accumulate(edges[:-1, 1]) - hold
        mine.append(long[long > 0].sum() / stay)
        found.append((long > 0).sum())
    assert 0.02 < np.mean(dark) < 0.5
    for a, b in ((mine, dark), (found, gaps)):
        assert np.mean(a) == pytest.approx(np.mean(b), abs=4 * np.std(b) / math.sqrt(len(b)))


def test_where_detections_are_dense_gaps_are_as_often_as_among_detections_drawn():
    rng, rate, hold, stay = np.random.default_rng(4), 0.75, 10.0, 40_000.0
    drawn = []
    for _ in range(30):
        t = np.cumsum(rng.exponential(1 / rate, int(1.1 * stay * rate)))
        drawn.append((np.diff(t[t < stay]) > hold).sum())
    n = 200
    a = np.arange(n) * 2 * stay
    seen = seen_at_rest(sub_keys(9, np.arange(n)), np.full(n, rate), a, a + stay, hold)
    runs = np.bincount(seen.stay, minlength=n) - 1
    assert rate * hold > 6 and np.mean(drawn) > 5
    assert runs.mean() == pytest.approx(np.mean(drawn), abs=4 * np.std(drawn) / math.sqrt(len(drawn)))


# -- movements in all directions -----------------------------------------------------------------------------------


@pytest.mark.parametrize(("a", "b"), [(0.3, 0.1), (0.9, 0.4), (1.4, 0.6), (3.0, 1.3), (9.0, 0.0)])
def test_movements_cross_beams_as_often_as_those_drawn_in_all_directions(a, b):
    rng = np.random.default_rng(2)
    way = rng.normal(size=(200_000, 3))
    way /= np.linalg.norm(way, axis=1)[:, None]
    begin = rng.random((200_000, 2))
    end = begin + way[:, :2] * (a, b)
    crossed = (np.floor(begin) != np.floor(end)).any(axis=1).mean()
    assert float(crossing_chance(np.array([a]), np.array([b]))[0]) == pytest.approx(crossed, abs=0.004)


def test_a_sitter_waits_longer_than_if_every_movement_went_across():
    """At one to two metres by a fifth to two fifths."""
    for r in (1.0, 1.5, 2.0):
        a, b = (np.array([0.25, 0.10]) / (r * math.radians(x)) for x in (5.0, 12.0))
        across = np.minimum(1.0, a).mean()
        assert 1.2 < across / crossing_chance(a, b).mean() < 1.4


# -- who lies, sits down, climbs, and steps on mats ----------------------------------------------------------------


def test_bedding_hides_a_sleeper_from_infrared_and_not_from_a_radar():
    project = make_room()
    at = np.array([[3.0, 2.0]])
    pir = mount(project, project.sensors[0])
    bare, abed = (float(stay_detection(pir, at, Stayer(body)).large[0]) for body in (LYING, ABED))
    assert abed < 0.7 * bare
    radar = mount(
        replace(project, devices=(*project.devices, device("radar-24-state"))),
        replace(project.sensors[0], device="radar-24-state", at=(0.3, 2.0, 1.2), yaw=0.0),
    )
    assert (
        stay_detection(radar, at, Stayer(LYING)).still_per_s == stay_detection(radar, at, Stayer(ABED)).still_per_s > 0
    )
    assert (notice_times(pir, at, "lying") > notice_times(pir, at, "seated")).all()


def test_who_sits_down_settles_and_rises(demo):
    truth = simulate_days(demo, 3, 2)
    book = truth.household.book
    for log in truth.household.logs():
        known, days = log._until(3), log.days(0, 3)
        for k in np.flatnonzero((known.arrive > 0) & (known.leave < truth.end)).tolist():
            spot = book.spots[known.spot[k]]
            if spot.posture not in ("seated", "lying") or spot.activity == "away":
                continue
            a, b = known.arrive[k], known.leave[k]
            large = days.minor_t[days.minor_large]
            if b - a > 2 * SETTLING_S:
                assert ((large >= a) & (large <= a + SETTLING_S)).sum() >= SETTLING
                assert ((large >= b - SETTLING_S) & (large <= b)).sum() >= SETTLING


def test_stairs_take_twice_as_long_and_are_noticed_as_often_by_the_metre(demo):
    order = {level.id: k for k, level in enumerate(demo.levels)}
    level = {s.id: order[find(demo.rooms, s.room).level] for s in demo.spots}
    below = next(s for s in demo.spots if level[s.id] == 0)
    above = next(s for s in demo.spots if level[s.id] == 1)
    way = route(demo, below, above)
    steps = np.hypot(*np.diff(way.points, axis=0).T)
    slow = way.pace[:-1] < 1
    assert slow.any() and steps[slow] == pytest.approx(STEP / 2, rel=0.05)
    assert steps[~slow].mean() == pytest.approx(STEP, rel=0.05)
    pir = mount(make_room(), make_room().sensors[0])
    at = np.array([[3.0, 2.0], [3.0, 2.0]])
    half = walker_rate(pir, at, Walker(STANDING, 1.0, 90.0, pace=np.array([1.0, 0.5])))
    assert half[1] == pytest.approx(half[0] / 2) and half[0] > 0


def test_a_door_mat_feels_a_light_walker_less():
    project = make_room()
    mat = replace(device("mat-door"), closing_kpa=12.0)
    sensor = replace(project.sensors[0], device=mat.id, at=(2.0, 2.0, 0.02))
    mounted = mount(replace(project, devices=(*project.devices, mat)), sensor)
    at = np.array([[2.0, 2.0]])
    light, heavy = (float(walker_rate(mounted, at, Walker(STANDING, 1.0, 90.0, kg=kg))[0]) for kg in (18.0, 110.0))
    assert light == 0 < heavy
    # In a week too, inside the door: the same person, lighter, never sets it off.
    sensor = replace(sensor, at=(4.7, 0.85, 0.02))
    project = put(replace(project, devices=(*project.devices, mat)), sensor)
    rows = []
    for kg in (18.0, 110.0):
        people = tuple(replace(p, body_kg=kg) for p in project.people)
        rows.append(len(rehearse(replace(project, people=people), 3, 1).recording.report(sensor.id)))
    assert rows[0] == 0 < rows[1]


# -- skies ---------------------------------------------------------------------------------------------------------


def test_clear_days_come_as_often_as_their_month_has_them():
    days = [date(2026, 1, 1) + timedelta(days=k) for k in range(365)]
    for month in (1, 7):
        mine = [is_clear(52.0, 4.0, d, seed) for d in days if d.month == month for seed in range(40)]
        assert np.mean(mine) == pytest.approx(clear_share(52.0, month), abs=0.05)
    assert clear_share(-35.0, 1) == clear_share(52.0, 7)
    calendar = Calendar(date(2026, 3, 20), "UTC", 20, 5)
    clear = clear_days(52.0, 4.0, calendar)
    for d in range(20):
        noon = calendar.instant(d, 43_200.0)
        assert bool(clear.at(noon)) == is_clear(52.0, 4.0, calendar.date(d), 5)
    assert not clear.same_as(clear_days(52.0, 4.0, Calendar(date(2026, 3, 20), "UTC", 20, 6)))


def test_a_clear_sky_is_brighter_when_the_sun_is_low():
    """IES: 800 + 15,500 sqrt(sin) against 300 + 21,000 sin; at 30 degrees 11,760 and 10,800 lux."""
    assert outdoor_lux(30.0, CLEAR) == pytest.approx(11_760, abs=1) and outdoor_lux(30.0) == pytest.approx(10_800)
    assert outdoor_lux(5.0, CLEAR) > 2 * outdoor_lux(5.0)
    for sky in (OVERCAST, CLEAR):
        for degrees in (-5.0, -1.0, 0.5, 8.0, 40.0):
            assert elevation_for(outdoor_lux(degrees, sky), sky) == pytest.approx(degrees, abs=1e-6)


def test_a_room_is_dark_by_the_sky_of_its_day(demo):
    shop, place = find(demo.rooms, "shop"), demo.place
    calendar = Calendar(date(2026, 4, 6), place.timezone, 10, 3)
    dark = darkness(demo, calendar)["shop"]
    wanted = target_lux(demo, shop) / daylight_factor(demo, shop)
    skies = set()
    for day in range(10):
        clear = is_clear(place.latitude, place.longitude, calendar.date(day), 3)
        limit = elevation_for(wanted, CLEAR if clear else OVERCAST)
        other = elevation_for(wanted, OVERCAST if clear else CLEAR)
        for clock in range(0, 86_400, 600):
            t = calendar.instant(day, clock)
            sun = sun_elevation(place, calendar, t)
            if abs(sun - limit) > 0.05:
                assert bool(dark.at(t)) == (sun < limit)
                skies |= {clear} if (sun < limit) != (sun < other) else set()
    # Under either there are times at which the other would say something else.
    assert skies == {True, False}


def test_the_sun_lies_on_the_floor_on_clear_days_alone(demo):
    summer = replace(demo, brief=replace(demo.brief, rehearse_from="2026-05-04"))
    patch = next(h for h in demo.hazards if h.kind == "sun patch")
    blinding = put(summer, replace(patch, strength=50.0))
    r, place = rehearse(blinding, 14, 3), demo.place
    struck = {
        day for sensor in r.recording.sensors for day in range(14)
        if patch.id in r.notices(sensor, day).source.tolist()
    }  # fmt: skip
    clear = {d for d in range(14) if is_clear(place.latitude, place.longitude, r.truth.calendar.date(d), 3)}
    assert struck == clear and 2 < len(clear) < 12


# -- a door that opens ---------------------------------------------------------------------------------------------


def test_a_door_that_opens_may_start_the_light_of_either_room():
    room = make_room()
    door, contact = room.openings[0], device("contact-door")
    (x, y), _ = opening_middle(room, door)
    sensor = Sensor(id="contact", device=contact.id, level="g", name="Contact", at=(x, y, 1.9), host=door.id)
    project = replace(room, sensors=(*room.sensors, sensor), devices=(*room.devices, contact))
    assert all("contact" in [s.id for s in readable_sensors(project, r.id)] for r in project.rooms)
    assert "pir" not in [s.id for s in readable_sensors(project, "small")]
    plain = rehearse(project, 7, 1).scores["big"]
    both = ("pir", "contact")
    opened = rehearse(set_roles(project, "here", Roles(both, both, 60.0)), 7, 1).scores["big"]
    assert opened.first_median_s < 0.3 < plain.first_median_s


def test_a_week_notices_climbers_by_the_metre(demo):
    """On stairs, at half the speed, a PIR has half as many notices a second, in the rehearsal as on the map."""
    truth = simulate_days(demo, 2, 1)
    book = truth.household.book
    mounted = mount(demo, find(demo.sensors, "pir-stair-foot"))
    routes = len(book.routes)
    chances = _chances(mounted, 0, book, routes, ((False, ADULT_KG),))
    # Routes on which it notices nothing have no rows.
    known = np.concatenate([
        chances.walk[0, chances.first[k] :][: chances.samples[k]] if chances.until[0, k] >= 0 else np.zeros(chances.samples[k])
        for k in range(routes)
    ])  # fmt: skip
    points, pace, level, heading = (
        np.concatenate([getattr(r, name) for r in book.routes[:routes]]) for name in ("points", "pace", "level", "heading")
    )  # fmt: skip
    plain = walker_rate(mounted, points, Walker(STANDING, 1.0, None, heading))
    climbed = (pace < 1) & (level == 0) & (plain > 0)
    assert climbed.any() and known[climbed] == pytest.approx(plain[climbed] / 2)
    assert known[(pace == 1) & (level == 0)] == pytest.approx(plain[(pace == 1) & (level == 0)])


def test_whoever_comes_to_a_trial_settles_as_well(demo):
    """Anybody who sits down, three times and more on coming and on going; anybody who stands does not."""
    begins, stay = np.arange(5) * 10_000.0, 3600.0
    seated = next(s for s in demo.spots if s.posture == "seated" and s.activity == "reading")
    for spot in (seated, replace(seated, posture="standing")):
        t, large = _movements(spot, begins, stay, 1)
        assert (np.diff(t) >= 0).all()
        around = [
            int((large & (t >= b + a) & (t <= b + a + SETTLING_S)).sum()) for b in begins for a in (0.0, stay - SETTLING_S)
        ]  # fmt: skip
        assert min(around) >= SETTLING if spot is seated else sum(around) < SETTLING * len(around) / 2

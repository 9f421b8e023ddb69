"""Many lives side by side: what sensors report in each is what they report where it is lived by itself."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, random_room
from vastwatch.advice.simulation.room_simulation import simulate_room, simulate_room_batch
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.placed import day_settings
from vastwatch.design.project import Project, find, put
from vastwatch.devices import AREA_FAMILIES, TOUCH_FAMILIES, catalogue
from vastwatch.memo import MEMO
from vastwatch.people.household_batch import household_batch, motion_events_in
from vastwatch.people.minor_motion import minor_motion_events
from vastwatch.people.truth import Truth, simulate_days
from vastwatch.rehearsal import report_batch, reports
from vastwatch.rehearsal.reports import SensorRun, sensor_task

SEEDS = (3, 4, 5)


def with_one_of_each_family(project: Project, level: str, at: tuple[float, float], host: str | None) -> Project:
    """A project with a sensor of each family that senses people, at one place."""
    for family in (*AREA_FAMILIES, *TOUCH_FAMILIES):
        kind = next((d for d in catalogue() if d.family == family), None)
        if kind is not None:
            fixed = host if family in TOUCH_FAMILIES else None
            project, _ = add_sensor(project, kind, level, (*at, 2.2), 200.0, -15.0, fixed)
    return project


def runs_of(project: Project, truths: list[Truth]) -> dict[tuple[str, int, int], SensorRun]:
    """What every sensor reports of each truth, its zones aside, by sensor, part of the day, and truth."""
    out = {}
    for sensor in project.sensors:
        for n, v in enumerate(day_settings(sensor)):
            for k, truth in enumerate(truths):
                w = sensor_task(project, v.sensor, truth)
                if w.zoning is None:
                    out[sensor.id, n, k] = reports._run(*w[:3], truth)
    return out


def compared(project: Project, days: int) -> int:
    """How many reports were made, those of many lives as each life alone has them."""
    truths = [simulate_days(project, days, seed) for seed in SEEDS]
    MEMO.clear()
    report_batch.fill_report_cache(project, truths)
    together_ = runs_of(project, truths)
    MEMO.clear()
    many = 0
    for key, alone in runs_of(project, truths).items():
        assert together_[key] is not alone
        assert together_[key].report.same_as(alone.report, 1e-6), key
        assert together_[key].moving.same_as(alone.moving, 1e-6), key
        many += len(alone.report)
    return many


@pytest.mark.parametrize("by_state", [False, True])
def test_every_family_reports_in_each_life_as_if_it_were_lived_alone(demo, monkeypatch, by_state):
    """With hazards, mats that are in doubt, settings by the hour; asked while somebody moves, and not."""
    every = with_one_of_each_family(demo, "ground", (8.0, 6.0), None)
    every, strip = add_sensor(every, device("mat-bed-strip"), "upper", (9.4, 6.95, 0.3), 0.0, 0.0, "bed")
    # So short a hold does not bridge a breath.
    every = put(every, replace(strip, settings=replace(strip.settings, hold_s=1.0)))
    if by_state:
        ids = frozenset(s.id for s in every.sensors)
        monkeypatch.setattr(report_batch, "read_by_state", lambda project: ids)
    assert compared(every, 8) > 5000


@pytest.mark.parametrize("seed", range(3))
def test_drawn_rooms_too(seed):
    rng = np.random.default_rng(seed)
    room = random_room(rng)
    sensor = room.sensors[0]
    room = put(room, replace(sensor, settings=replace(sensor.settings, hold_s=float(rng.choice([1.0, 8.0, 90.0])))))
    assert compared(with_one_of_each_family(room, "g", (4.8, 3.8), None), 9) > 100


def test_a_room_lived_under_many_seeds_is_the_one_lived_under_each(demo):
    for room in ("sitting", "shop"):
        MEMO.clear()
        each = simulate_room_batch(demo, room, 8, SEEDS)
        MEMO.clear()
        for k, seed in enumerate(SEEDS):
            alone = simulate_room(demo, room, 8, seed)
            assert each[k] is not alone and each[k].start.same_as(alone.start, 1e-6)
            for hold in (60.0, 600.0):
                a, b = each[k].curve.outcome(hold), alone.curve.outcome(hold)
                assert a.false_off_at == pytest.approx(b.false_off_at, abs=1e-6)
                assert (a.dark_s, a.wasted_s) == pytest.approx((b.dark_s, b.wasted_s), abs=1e-3)


def test_whoever_lives_in_many_lives_walks_stays_and_moves_as_in_each(demo):
    lives = tuple(simulate_days(demo, 9, seed).household for seed in SEEDS)
    every, moved = household_batch(lives, 0, 9), motion_events_in(lives, 0, 9, "sitting")
    people = len(demo.people)
    assert every.replicates == 3 and every.walk_of.max() < 3 * people
    for k, life in enumerate(lives):
        alone = life.simulate(0, 9)
        for n in range(people):
            mine, of = k * people + n, alone.walk_person == n
            assert np.array_equal(every.walks.leave[every.walk_of == mine], alone.joined.walk_leave[of])
            assert np.array_equal(every.stays.tag[every.stay_of == mine], alone.joined.stay_tag[alone.stay_person == n])
            here = np.isin(alone.joined.minor_spot, [i for i, s in enumerate(life.book.spots) if s.room == "sitting"])
            t = alone.joined.minor_t[here & (alone.motion_person == n)]
            assert moved.t[moved.of == mine] == pytest.approx(t, abs=1e-6)


def test_small_movements_of_some_stays_are_those_of_them_all(demo):
    """Whatever else is asked for, a stay's movements stay what they are."""
    log = simulate_days(demo, 5, 2).household.logs()[0]
    stays = log.stays(0, 5)
    t, of, large = minor_motion_events(log.book.spots, stays, log.luck)
    for some in (np.arange(0, len(stays.spot), 3), np.arange(len(stays.spot))[::-1]):
        fewer, whose, bigger = minor_motion_events(log.book.spots, stays.at(some), log.luck)
        for k, stay in enumerate(some.tolist()):
            a, b = np.sort(fewer[whose == k]), np.sort(t[of == stay])
            assert a.tolist() == b.tolist() and bigger[whose == k].sum() == large[of == stay].sum()


def test_a_sensor_that_is_asked_who_moves_later_lives_it_anew(demo):
    truths = [simulate_days(demo, 8, seed) for seed in SEEDS]
    MEMO.clear()
    report_batch.fill_report_cache(demo, truths)
    w = sensor_task(demo, find(demo.sensors, "radar-sitting"), truths[0])
    told = reports._run(*w[:3], truths[0])
    assert callable(told.moved) and told.moving.total() > 0
    assert (told.still | told.moving).same_as(told.report)

"""Lives laid end to end come to what each comes to alone."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import make_room
from vastwatch.advice.judging.requirements import _waits, secondary_outcomes
from vastwatch.advice.simulation.curve_batch import CurveBatch, curve_batch
from vastwatch.advice.simulation.hold_curves import Curve, ManualOnCurve, WavingCurve
from vastwatch.advice.simulation.room_simulation import simulate_room, simulate_room_batch
from vastwatch.control.manual.reactions import OccupancyIntervals, WaveSensor
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.project import find, put
from vastwatch.geometry.polygons import centroid
from vastwatch.people.truth import There
from vastwatch.rehearsal.scoring import scores
from vastwatch.rng import poisson_times, poisson_times_batch, sub_keys
from vastwatch.signals import Signal
from vastwatch.site.people import Stay

END = 3.0e4


def life(rng: np.random.Generator, key: int) -> WavingCurve:
    """Somebody about whom two sensors report now and then; often also at the very begin and end."""

    def rows(n: int) -> np.ndarray:
        edges = np.sort(rng.uniform(0, END, 2 * n)).round(3)
        if rng.random() < 0.5:
            edges[0] = 0.0
        if rng.random() < 0.5:
            edges[-1] = END
        return edges.reshape(-1, 2)

    start = Signal.from_intervals(np.sort(rng.uniform(0, END, 20))[:, None] + [0.0, 4.0], 0.0, END)
    keep = start | Signal.from_intervals(np.sort(rng.uniform(0, END, 20))[:, None] + [0.0, 9.0], 0.0, END)
    here = rows(int(rng.integers(1, 9)))
    awake = Signal.from_intervals(np.concatenate([here, rows(2)]), 0.0, END)
    there = There(awake, awake & Signal.from_intervals(rows(4), 0.0, END))
    who = OccupancyIntervals(here[:, 0], here[:, 1], rng.uniform(5, 20, len(here)), rng.uniform(0, 0.9, (2, len(here))))
    sensors = WaveSensor(True, 0.3, 4.0, key), WaveSensor(False, 1.1, 9.0, key + 1)
    return WavingCurve(start, keep, there, Signal.from_intervals(rows(3), 0.0, END), who, sensors)


@given(st.integers(0, 10**6))
def test_each_life_comes_to_what_it_comes_to_alone(seed):
    rng = np.random.default_rng(seed)
    waving = [life(rng, 100 * k) for k in range(int(rng.integers(2, 6)))]
    by_hand = [ManualOnCurve((x.start, x.keep), x.there, x.dark, float(rng.random())) for x in waving]
    # What goes on no line together is walked through one after the other.
    lives: list[Curve] = [by_hand, waving, [by_hand[0], *waving[1:]]][seed % 3]
    together = CurveBatch(lives)
    assert len(together) == len(lives) and (together._line is None) == (seed % 3 == 2)
    # Thousands of steps one after the other round by a few microseconds.
    for hold in (5.0, 60.0, 3600.0):
        all_of_them = together.outcomes(hold)
        for k, (one, light) in enumerate(zip(lives, together.light_per_replicate(hold), strict=True)):
            alone = one.outcome(hold)
            assert all_of_them.drops[k] == len(alone.false_off_at)
            assert all_of_them.dark_s[k] == pytest.approx(alone.dark_s, abs=1e-4)
            assert all_of_them.idle_s[k] == pytest.approx(alone.wasted_s, abs=1e-4)
            assert (all_of_them.waves[k], all_of_them.switch_trips[k]) == (alone.waves, alone.trips)
            assert light.same_as(one.light(hold), 1e-4)


@pytest.mark.parametrize("control", ["presence", "absence"])
def test_lived_weeks_too_and_where_a_hand_switches(control):
    project = make_room()
    project = put(project, replace(project.rooms[0], control=control))
    curves = [simulate_room(project, "big", 7, seed).curve for seed in (3, 4, 5)]
    together = CurveBatch(curves)
    assert len(together) == 3
    for hold in (5.0, 45.0, 300.0):
        got = np.array(together.outcomes(hold)).T
        each = [c.outcome(hold) for c in curves]
        assert got == pytest.approx(np.array([(len(o.false_off_at), *o[1:]) for o in each]), abs=1e-4)
        assert got[:, 1].max() > 0
        for light, c in zip(together.light_per_replicate(hold), curves, strict=True):
            assert light.same_as(c.light(hold), 1e-6)


@given(st.lists(st.floats(0.0, 400.0), min_size=1, max_size=20), st.integers(0, 99))
def test_many_processes_at_once_are_each_by_itself(expected, key):
    """Also those of which very many are to come, and those that never do."""
    n = len(expected)
    keys, begin = sub_keys(key, np.arange(n)), np.linspace(0, 50, n)
    rate, end = np.full(n, 0.5), np.linspace(0, 50, n) + 2.0 * np.array(expected)
    t, of = poisson_times_batch(keys, rate, begin, end)
    assert (np.diff(of) >= 0).all()
    for k in range(n):
        assert t[of == k].tolist() == poisson_times(keys[k], 0.5, float(begin[k]), float(end[k])).tolist()


@given(st.integers(0, 10**6), st.floats(0.0, 1.0))
def test_what_is_waited_for_has_the_quantile_of_each_life_that_has_any(seed, share):
    rng = np.random.default_rng(seed)
    life = np.sort(rng.integers(0, 5, int(rng.integers(0, 30))))
    values = rng.uniform(0, 9, len(life)).round(1)
    found = _waits(values, life, share)
    each = [np.quantile(values[life == k], share) for k in range(5) if (life == k).any()]
    assert found.every is values and found.by_life == pytest.approx(each)


def test_what_lives_come_to_besides_is_what_each_comes_to_alone(demo):
    """In a room where people sleep, with a switch at the door, and where they come and go: laid end to end, and one by
    one as they were lived."""
    owl = replace(demo.people[0], stays=(Stay(at="00:00", spot="left-wheel", jitter_min=0.0),))
    for room, hold in (("bedroom", 120.0), ("passage", 60.0), ("landing", 45.0), ("throwing", 60.0)):
        if room == "throwing":
            # Somebody who is there from the beginning, and never came.
            demo = put(demo, owl)
        if room == "bedroom":
            device = next(d for d in demo.devices if d.family == "pir")
            demo, _ = add_sensor(
                demo, device, "upper", (*centroid(find(demo.rooms, room).outline), 2.3), 0.0, 0.0, None
            )
        lives = simulate_room_batch(demo, room, 9, (3, 4, 5))
        found = secondary_outcomes(tuple(lives), curve_batch(*(x.curve for x in lives)), hold)
        waits, noticed = [], []
        for k, x in enumerate(lives):
            light = x.curve.light(hold)
            rows = light.intervals
            nobody = x.there.awake.cumulative(rows[:, 1]) - x.there.awake.cumulative(rows[:, 0]) <= 0
            assert found.starts[k] == nobody.sum() / 9
            assert found.over_min[k] == pytest.approx((light & x.asleep).total() / 60 / 9)
            waits.append(scores.arrivals(light, x.there, x.dark)[1])
            for came, left in zip(x.visits.came, x.visits.left):
                later = x.start.rises[x.start.rises >= came]
                noticed.append(0.0 if x.start.at(came) else min(*later[:1], left, np.inf) - came)
        assert found.light.every == pytest.approx(np.concatenate(waits), abs=1e-6)
        assert found.noticed.every == pytest.approx(noticed, abs=1e-6)

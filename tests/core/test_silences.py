"""The law of silences against lives lived one notice after another: movements, at rest, fading echoes, own holds."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, make_room
from vastwatch.advice.detection import gap_model
from vastwatch.advice.detection.gap_model import SpotDetection, hold_for, hours_per_false_off
from vastwatch.advice.detection.spot_detection import spot_detections
from vastwatch.advice.detection.stay_trial import run_stay_trial
from vastwatch.design.edits.sensors import add_sensor, set_hold
from vastwatch.design.expressions import Hold, Report
from vastwatch.design.project import put
from vastwatch.sensing.bodies import MINOR_MOTION
from vastwatch.sensing.fading import FADE_DB, FADE_S, Fading

ECHO = Fading(10.0, 3, 5)


def every(wait: float, activity: str) -> tuple[SpotDetection, ...]:
    """Anybody who is noticed so often on average: of their movements, and what is more than those at rest."""
    rate = MINOR_MOTION[activity].rate
    return (SpotDetection(min(1 / (wait * rate), 1.0), max(1 / wait - rate, 0.0)),)


def lived(watches: tuple[SpotDetection, ...], hold: float, activity: str, end: float, rng) -> tuple[float, int]:
    """Hours in the light per false-off over a time, and how many false-offs: every movement and notice drawn, every report
    covering its device hold time and that of the light."""
    moves = MINOR_MOTION[activity]
    gaps = np.exp(np.log(moves.median_s) + moves.sigma * rng.standard_normal(int(end * moves.rate * 1.3) + 1000))
    at = np.cumsum(gaps)
    at = at[at < end]
    noticed = []
    for w in watches:
        mine = [at[rng.random(len(at)) < w.moving], rng.uniform(0, end, rng.poisson(w.at_rest * end))]
        if w.fading is not None:
            # Each sensor's stretches begin when they do, day by day anew.
            first = np.arange(0, end, 86_400.0) + FADE_S * rng.uniform(-1, 0, math.ceil(end / 86_400.0))
            begin = (first[:, None] + FADE_S * np.arange(721)).ravel()
            long = np.minimum(np.append(np.diff(begin), FADE_S), FADE_S)
            rate = w.fading.rate(w.near, FADE_DB * rng.standard_normal(len(begin)))
            many = rng.poisson(rate * np.maximum(long, 0.0))
            mine.append(np.repeat(begin, many) + np.repeat(long, many) * rng.random(many.sum()))
        t = np.concatenate(mine)
        noticed.append(np.column_stack([t, t + w.own_s + hold]))
    rows = np.concatenate(noticed)
    rows = rows[np.argsort(rows[:, 0])]
    until = np.maximum.accumulate(rows[:, 1])
    dark = rows[1:, 0] > until[:-1]
    drops = int(dark.sum())
    return (end - (rows[1:, 0] - until[:-1])[dark].sum()) / drops / 3600, drops


@pytest.mark.parametrize("activity", ["hands-on", "washing", "desk", "reading", "passing"])
def test_movements_alone(activity):
    moves = MINOR_MOTION[activity]
    rng = np.random.default_rng(3)
    gaps = np.exp(np.log(moves.median_s) + moves.sigma * rng.standard_normal(1_500_000))
    for chance in (1.0, 0.4, 0.08):
        noticed = np.diff(np.cumsum(gaps)[rng.random(len(gaps)) < chance])
        wait = 1 / (moves.rate * chance)
        for hold in (2.0 * moves.median_s, 0.5 * wait, 2.5 * wait):
            long = noticed > hold
            if long.sum() < 2000:
                continue
            hours = np.minimum(noticed, hold).sum() / long.sum() / 3600
            watches = (SpotDetection(chance, 0.0),)
            assert hours_per_false_off(watches, hold, activity) == pytest.approx(hours, rel=0.05)
            assert hold_for(watches, hours_per_false_off(watches, hold, activity), activity) == pytest.approx(
                hold, rel=1e-3
            )


@pytest.mark.parametrize(
    ("watches", "hold", "activity"),
    [
        ((SpotDetection(0.5, 0.0, 10.0),), 120.0, "desk"),
        ((SpotDetection(0.5, 0.01),), 120.0, "desk"),
        ((SpotDetection(0.3, 0.0, 20.0), SpotDetection(0.3, 0.0, 20.0)), 120.0, "reading"),
        ((SpotDetection(0.0, 0.0, 0.0, ECHO, 1.0),), 60.0, "desk"),
        ((SpotDetection(0.0, 0.0, 0.0, ECHO, 1.2),), 300.0, "desk"),
        ((SpotDetection(0.0, 0.0, 15.0, ECHO, 0.9),), 60.0, "desk"),
        ((SpotDetection(0.1, 0.0, 5.0, ECHO, 1.1),), 60.0, "reading"),
        ((SpotDetection(0.3, 0.0, 20.0), SpotDetection(0.2, 0.0, 5.0, ECHO, 1.1)), 90.0, "reading"),
        ((SpotDetection(0.2, 0.004, 5.0, ECHO, 1.3), SpotDetection(0.0, 0.0, 5.0, ECHO, 1.0)), 100.0, "film"),
    ],
)
def test_at_rest_fading_and_several_sensors(watches, hold, activity):
    hours, drops = lived(watches, hold, activity, 6e6, np.random.default_rng(7))
    assert drops > 3000
    # Movements that two sensors with unlike holds notice are taken at their mean.
    assert hours_per_false_off(watches, hold, activity) == pytest.approx(hours, rel=0.04)


def test_what_is_seen_at_rest_comes_at_random():
    """Somebody whom a radar finds far more often than they move: then it is w (e^(T / w) - 1)."""
    for wait, hold in ((2.0, 10.0), (5.0, 20.0)):
        at_random = wait * math.expm1(hold / wait) / 3600
        assert hours_per_false_off(every(wait, "sleeping"), hold, "sleeping") == pytest.approx(at_random, rel=0.05)
        assert hours_per_false_off((SpotDetection(0.0, 1 / wait),), hold, "desk") == pytest.approx(at_random, rel=1e-9)


def test_an_echo_that_fades_holds_less_long_than_one_at_random():
    """Noticed as often by the mean wait, near the end of the range: a few minutes' fading is what ends it."""
    rate = float(ECHO.excess(np.array([1.0]), 0.0)[0])
    steady, fades = (SpotDetection(0.0, rate),), (SpotDetection(0.0, rate, 0.0, ECHO, 1.0)._replace(at_rest=0.0),)
    assert hours_per_false_off(fades, 600.0, "desk") < 0.02 * hours_per_false_off(steady, 600.0, "desk")
    # Well within it, it holds; far beyond, it does not.
    assert hours_per_false_off((SpotDetection(0, 0, 0, ECHO, 0.5),), 300.0, "desk") > 1e4
    assert hours_per_false_off((SpotDetection(0, 0, 0, ECHO, 3.0),), 60.0, "desk") == pytest.approx(60 / 3600)


def test_less_noticed_is_a_shorter_light_and_a_longer_hold():
    waits = [2.0, 20.0, 60.0, 200.0, 2000.0, 1e5]
    for activity in ("desk", "reading"):
        by = [every(w, activity) for w in waits]
        hours = [hours_per_false_off(w, 120.0, activity) for w in by]
        assert hours == sorted(hours, reverse=True)
        holds = [hold_for(w, 5.0, activity) for w in by]
        assert holds == sorted(holds)
        assert all(
            np.diff([hours_per_false_off(w, h, activity) for h in (5, 60, 600, 5000, 20_000)]).min() >= 0
            for w in by[:4]
        )
        assert hours_per_false_off(every(1e7, activity), 120.0, activity) == pytest.approx(120 / 3600, rel=0.1)
        assert hours_per_false_off((), 60.0, activity) == pytest.approx(1 / 60)
        assert hold_for((SpotDetection(0.0, 0.0),), 20.0, activity) == math.inf


def test_a_desk_is_not_what_random_notices_would_make_it():
    """Noticed once a minute at a desk, held for 7 min: two hours a false-off, and not twenty."""
    at_random = 59.5 * math.expm1(420 / 59.5) / 3600
    assert at_random > 19 and hours_per_false_off(every(59.5, "desk"), 420.0, "desk") == pytest.approx(1.9, abs=0.1)


@pytest.mark.parametrize("hold", [60.0, 240.0])
def test_a_sitter_near_the_end_of_a_radars_range_drops_as_often_as_the_law_says(hold):
    """The room's own trial, with an echo that fades, movements and the device's hold time."""
    room = make_room(people=(), sensors=(), presences=())
    room = put(room, replace(room.spots[0], activity="reading"))
    spot = room.spots[0]
    kind = replace(device("radar-60-still"), still_m=2.3, id="short")
    room = replace(room, devices=(*room.devices, kind))
    room, made = add_sensor(room, kind, "g", (0.1, 2.0, 1.4), 0.0, 0.0)
    presence = next(p for p in room.presences if p.room == "big")
    room = put(room, replace(presence, expr=Hold(of=Report(sensor=made.id), seconds=hold)))
    room = set_hold(room, presence.id, hold)
    (watch,) = spot_detections(room, [made.id], spot)
    assert watch.fading is not None and 0.9 < watch.near < 1.6 and watch.own_s > 0
    expected = 3600 * hours_per_false_off((watch,), hold, "reading")
    t = run_stay_trial(room, spot.id, min(10 * expected, 86_400.0), 200)
    assert t.share_never_dark < 0.05
    assert np.minimum(t.first_dark_s, t.stay_s).mean() == pytest.approx(expected, rel=0.25)


@pytest.mark.parametrize("sigma", [0.8, 2.0])
def test_the_table_of_movements_is_what_its_recursion_says_step_by_step(sigma):
    t, log_chances, log_none = gap_model._table(sigma)
    n = 200
    law = [0.5 * math.erfc(-math.log(x) / sigma / math.sqrt(2.0)) if x > 0 else 0.0 for x in t[:n]]
    for row in (0, 13, 26, 27):
        missed = 1.0 - math.exp(log_chances[row])
        none = [1.0]
        for k in range(1, n):
            # The next movement was later, or i steps ago and missed; within a step S is the mean of its ends.
            known = sum((law[i + 1] - law[i]) * ((none[k - i] if i else 0.0) + none[k - i - 1]) / 2 for i in range(k))
            none.append((1.0 - law[k] + missed * known) / (1.0 - missed * law[1] / 2))
        assert np.exp(log_none[row, :n]) == pytest.approx(none, rel=1e-10)
    assert len(t) == log_none.shape[1] == gap_model.STEPS and len(log_chances) == len(log_none)


@pytest.mark.parametrize("near", [0.6, 0.95, 1.4])
def test_the_law_of_an_echo_is_the_mean_over_where_in_a_stretch_one_is(near):
    """Stretch after stretch and step after step, each with a draw of its own."""
    law, n = gap_model._fading(ECHO, near), gap_model.EACH_STRETCH
    rate, weight = gap_model.fading_rates(ECHO, near)
    rate, step = np.maximum(rate, 1.0 / gap_model.NEVER_S), FADE_S / n

    def left(of, steps_a, steps_b):
        """The mean over the draws of something, on average within a step of it."""
        return ((np.exp(-rate * steps_a * step) - np.exp(-rate * steps_b * step)) * of * weight).sum() / step

    assert law.t == pytest.approx(step * np.arange(n * gap_model.STRETCHES + 1))
    for k in (0, 1, 7, n - 1, n, n + 1, 2 * n + 5, 5 * n, len(law.t) - 1):
        none, falls = 0.0, 0.0
        for j in range(n):
            # So many steps of the first stretch are still to come.
            if k <= j:
                none += (np.exp(-rate * k * step) * weight).sum() / n
                falls += (np.exp(-rate * k * step) * weight * rate).sum() / n
                continue
            whole, rest = divmod(k - j - 1, n)
            before = left(1.0 / rate, j, j + 1) * (np.exp(-rate * FADE_S) * weight).sum() ** whole / n
            none += before * left(1.0 / rate, rest, rest + 1)
            falls += before * left(1.0, rest, rest + 1)
        assert (law.log_survival[k], law.failure_rate[k]) == pytest.approx((math.log(none), falls / none), rel=1e-9)

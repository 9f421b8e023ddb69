"""Occupancy probability: filtered exactly, against small steps of time, against the simple formula, and lived."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from vastwatch.control.belief.belief_filter import BeliefFilter, filter_of
from vastwatch.control.belief.rates import MarkovChain, markov_chain, markov_chains
from vastwatch.design.edits.conclusions import set_expr
from vastwatch.design.expressions import Belief, Report
from vastwatch.design.project import find
from vastwatch.people.habits import habits
from vastwatch.people.truth import simulate_days
from vastwatch.rehearsal import rehearse
from vastwatch.signals import Signal

END = 600.0


def on(*rows) -> Signal:
    return Signal.from_intervals(rows, 0.0, END)


# Euler's steps: at rates of at most half a second's reciprocal they err by less than what is asked.
STEP_S = 0.01


def chain(seed: int, spots: int, sensors: int) -> MarkovChain:
    rng = np.random.default_rng(seed)
    n = 2 + spots
    moves = rng.uniform(0.0, 0.05, (n, n))
    moves[0, 2:] = moves[2:, 0] = 0.0
    np.fill_diagonal(moves, 0.0)
    np.fill_diagonal(moves, -moves.sum(axis=1))
    return MarkovChain(moves, rng.uniform(1e-4, 0.2, (sensors, n)), rng.uniform(1e-3, 0.5, (sensors, n)))


def by_small_steps(c: MarkovChain, reports: list[Signal], dt: float = STEP_S) -> np.ndarray:
    """The occupancy probability at every step, by Euler's method: the chain moves a little, and what did not switch is weighed."""
    v = c.stationary
    out = []
    now = [bool(r.first) for r in reports]
    for k in range(int(END / dt)):
        t = (k + 1) * dt
        leaving = sum(np.where(s, e, b) for s, b, e in zip(now, c.begins, c.ends))
        v = v + dt * (v @ c.generator - v * leaving)
        for i, r in enumerate(reports):
            if bool(r.at(t)) != now[i]:
                v = v * (c.ends if now[i] else c.begins)[i]
                now[i] = not now[i]
        v = v / v.sum()
        out.append(1.0 - v[0])
    return np.array(out)


@pytest.mark.parametrize("seed", range(3))
def test_the_filter_is_that_of_small_steps(seed):
    c = chain(seed, seed, 1 + seed % 2)
    reports = [on((50, 60), (61, 62), (300, 420)), on((55, 80), (500, 501))][: 1 + seed % 2]
    f = BeliefFilter(c, 0.6, 0.2)
    told, said = f.probability(reports), f.presence(reports)
    slow = by_small_steps(c, reports)
    t = np.arange(1.0, END - 1, 7.3)
    # Told in straight pieces between its looks: between them it is a little off.
    assert told.at(t) == pytest.approx(slow[(t / STEP_S).astype(int)], abs=0.02)
    on_slow, was = 0.0, False
    for p in slow:
        was = p >= 0.2 if was else p > 0.6
        on_slow += STEP_S * was
    assert said.total() == pytest.approx(on_slow, abs=0.3)


def test_one_spot_and_one_sensor_is_the_simple_formula():
    """Nobody comes or goes, and a report has no length: silence for dt moves the logit by -(l1 - l0) dt, a report by
    ln(l1 / l0), and the hold is (logit p_now - logit p_off) / (l1 - l0)."""
    l1, l0 = 1 / 30, 1 / 3600
    still = np.zeros((2, 2))
    c = MarkovChain(still + np.array([[-1e-9, 1e-9], [1e-9, -1e-9]]), np.array([[l0, l1]]), np.array([[1.0, 1.0]]))
    said = BeliefFilter(c, 0.6, 0.1).presence([on((100, 100.5), (110, 110.5))])
    logit = 0.0 - (l1 - l0) * 109.5 + 2 * math.log(l1 / l0)
    hold = (logit - math.log(0.1 / 0.9)) / (l1 - l0)
    assert said.intervals[-1] == pytest.approx([100.0, 110.5 + hold], abs=0.01)


@given(st.integers(0, 1000), st.floats(120, 500))
def test_what_comes_later_changes_nothing_before_it(seed, cut):
    c = chain(seed, 2, 1)
    rng = np.random.default_rng(seed)
    rows = np.sort(rng.uniform(0, END, 12)).reshape(-1, 2)
    whole = BeliefFilter(c, 0.5, 0.2).presence([Signal.from_intervals(rows, 0.0, END)])
    before = rows[rows[:, 1] < cut]
    part = BeliefFilter(c, 0.5, 0.2).presence([Signal.from_intervals(before, 0.0, END)])
    t = np.linspace(0, min(cut, rows[len(before), 0] if len(before) < len(rows) else END) - 1e-3, 500)
    assert (whole.at(t) == part.at(t)).all()


def test_an_hour_that_was_heard_before_is_as_if_heard_afresh():
    """A wave changes what follows it, and soon nothing any more: what is remembered is what would be filtered anew."""
    c = chain(5, 2, 2)
    rng = np.random.default_rng(5)
    end = 20 * 3600.0
    a, b = (Signal.from_intervals(np.sort(rng.uniform(0, end, 400)).reshape(-1, 2), 0.0, end) for _ in range(2))
    kept = filter_of(c, 0.5, 0.2)
    kept.presence([a, b])
    waved = a | Signal.from_intervals([(7_000.0, 7_003.0), (40_000.0, 40_002.0)], 0.0, end)
    heard = len(kept._hours)
    assert kept.presence([waved, b]).same_as(BeliefFilter(c, 0.5, 0.2).presence([waved, b]), 1e-9)
    assert len(kept._hours) - heard < 12
    # Thresholds that contradict each other flicker no end: they are kept apart.
    assert BeliefFilter(c, 0.3, 0.6).presence([a, b]).total() > 0


def test_lives_laid_end_to_end_believe_as_each_alone():
    c = chain(6, 1, 1)
    alone = on((50, 60), (300, 420))
    step = 2 * END
    rows = np.concatenate([alone.intervals, alone.intervals + step])
    alive = Signal.from_intervals([(0, END), (step, step + END)], 0.0, 2 * step)
    both = BeliefFilter(c, 0.5, 0.2).presence([Signal.from_intervals(rows, 0.0, 2 * step)], alive)
    one = BeliefFilter(c, 0.5, 0.2).presence([alone]).intervals
    assert both.intervals == pytest.approx(np.concatenate([one, one + step]), abs=1e-6)


def test_the_hold_depends_on_where_one_was_last_noticed(demo):
    """Noticed where one is seen well and then no more: gone sooner than where one is hardly seen."""
    still = np.array([[-1e-4, 1e-4, 0, 0], [0.1, -0.2, 0.05, 0.05], [0, 0.001, -0.001, 0], [0, 0.001, 0, -0.001]])
    near, far = [1e-6, 1.0, 0.1, 0.001], [1e-6, 1.0, 1e-6, 0.05]
    c = MarkovChain(still, np.array([near, far]), np.array([[0.5, 0.5, 0.5, 0.5]] * 2))
    seen_well = BeliefFilter(c, 0.5, 0.05).presence([on((100, 101), (110, 111)), on()])
    hardly = BeliefFilter(c, 0.5, 0.05).presence([on((100, 101)), on((110, 111), (118, 119))])
    assert hardly.falls[-1] - 119 > 1.2 * (seen_well.falls[-1] - 111)


def test_habits_are_those_of_the_day_sheets(room):
    h = habits(room, "big")
    truth = simulate_days(room, 14, 0)
    inside = truth.occupied("big", True)
    assert h.arrival_rate == pytest.approx(len(inside.rises) / (inside.end - inside.total()))
    assert set(h.share) == {"chair"} and h.share["chair"] == 1.0
    assert 0.2 < h.leave_share < 0.8 and h.stay_s["chair"] > 60
    # Rooms that nobody uses are come into now and then all the same.
    empty = habits(replace(room, people=()), "big")
    assert empty.share == {} and empty.arrival_rate > 0


def test_rates_come_from_the_map_and_the_box(demo):
    of = (Report(sensor="pir-sitting"), Report(sensor="tracker-sitting", zone="zone-sofa"))
    c = markov_chain(demo, of)
    spots = [s for s in demo.spots if s.room == "sitting" and s.id in habits(demo, "sitting").share]
    assert c.generator.shape == (2 + len(spots),) * 2 and c.generator.sum(axis=1) == pytest.approx(0.0)
    assert c.stationary.sum() == pytest.approx(1.0) and (c.stationary @ c.generator) == pytest.approx(0.0, abs=1e-9)
    # A walker is noticed far sooner than a sitter, and nobody hardly ever.
    assert c.begins[0, 1] > 10 * c.begins[0, 2:].max() > 1000 * c.begins[0, 0]
    # A zone tells of the spots in it alone.
    sofa, window = ([s.id for s in spots].index(i) + 2 for i in ("sofa-spot", "window-spot"))
    assert c.begins[1, sofa] > 100 * c.begins[1, window]
    # Equal figures are one chain, so that what is concluded of them is found again.
    belief = Belief(of=of)
    assert markov_chains(demo, [belief])[0] is markov_chains(demo, [replace(belief, on_above=0.7)])[0]


def test_a_believed_light_is_rehearsed_with_people_who_wave(demo):
    believed = set_expr(
        demo, "presence-sitting", Belief(of=(Report(sensor="pir-sitting"), Report(sensor="radar-sitting")))
    )
    mine, theirs = (rehearse(p, 7, 2).scores["sitting"] for p in (believed, demo))
    assert mine.dark_min > 0 and mine.wasted_h < theirs.wasted_h and mine.waves > 0
    # Surer that nobody is there before it goes off: fewer false-offs, and no less light while empty.
    expr = find(believed.presences, "presence-sitting").expr
    surer = set_expr(believed, "presence-sitting", replace(expr, off_below=0.01))
    sure = rehearse(surer, 7, 2).scores["sitting"]
    assert sure.dark_min <= mine.dark_min and sure.wasted_h >= mine.wasted_h

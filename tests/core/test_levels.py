"""The algebra of levels: worked numbers, laws by property, and a slow reference read off point by point."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastwatch.signals import Signal, TimeSeries, first_active, pointwise_max

END = 20.0
TICK = 0.25
instants = st.integers(0, int(END / TICK)).map(lambda k: k * TICK)
values = st.integers(-8, 8).map(lambda k: k / 4)
CLOCK = np.arange(0, END, TICK / 4) + TICK / 8


@st.composite
def levels(draw) -> TimeSeries:
    inner = sorted(draw(st.lists(instants, max_size=8)))
    t = [0.0, *inner, END]
    return TimeSeries.of([(x, draw(values)) for x in t])


@st.composite
def steps(draw) -> TimeSeries:
    rows = draw(st.lists(st.tuples(instants, instants).map(sorted), max_size=5))
    on, off = draw(values), draw(values)
    return TimeSeries.steps(Signal.from_intervals(rows, 0.0, END), on, off)


signals = st.lists(st.tuples(instants, instants).map(sorted), max_size=8).map(
    lambda rows: Signal.from_intervals(rows, 0.0, END)
)


def read(x: TimeSeries, t: float) -> float:
    """The number at an instant, by walking along the points."""
    k = max(i for i in range(len(x.t)) if x.t[i] <= t)
    if k == len(x.t) - 1:
        return 0.0
    run = x.t[k + 1] - x.t[k]
    return float(x.v[k] + (x.v[k + 1] - x.v[k]) * (t - x.t[k]) / run)


# -- worked numbers ------------------------------------------------------------------------------------------------


def test_a_lamp_that_fades_up_and_down():
    lit = TimeSeries.steps(Signal.from_intervals([(4, 10)], 0.0, 20.0))
    soft = lit.rate_limited(2.0)
    assert soft.at([3.9, 4.0, 5.0, 6.0, 9.9, 10.0, 11.0, 12.0, 19.0]).tolist() == pytest.approx(
        [0, 0, 0.5, 1, 1, 1, 0.5, 0, 0]
    )
    # The same light in all: what is missing at the start is there at the end.
    assert (lit.integral(), soft.integral()) == (6.0, 6.0)
    assert soft.integral(4, 5) == pytest.approx(0.25)


def test_a_fade_that_is_cut_short_turns_where_it_is():
    lit = TimeSeries.steps(Signal.from_intervals([(4, 5), (12, 13.5)], 0.0, 20.0)).rate_limited(2.0)
    assert lit.at([5.0, 5.5, 6.0, 7.0]).tolist() == pytest.approx([0.5, 0.375, 0.25, 0.0])
    assert float(lit.at(13.5)) == pytest.approx(0.75)
    late = TimeSeries.steps(Signal.from_intervals([(19, 20)], 0.0, 20.0)).rate_limited(4.0)
    assert float(late.before(20.0)) == pytest.approx(0.25)


def test_on_above_one_threshold_until_below_another():
    lux = TimeSeries.of([(0, 0), (10, 100), (20, 0)])
    assert lux.above(50).intervals.tolist() == [[5, 15]]
    assert lux.above(50, until=20).intervals.tolist() == [[5, 18]]
    wavy = TimeSeries.of([(0, 0), (2, 60), (4, 30), (6, 60), (8, 0), (20, 0)])
    assert len(wavy.above(50).intervals) == 2
    assert wavy.above(50, until=20).intervals.tolist() == [[pytest.approx(5 / 3), pytest.approx(6 + 4 / 3)]]
    with pytest.raises(ValueError, match="same or a lower"):
        lux.above(20, until=50)


def test_the_row_that_holds_first_wins():
    night = Signal.from_intervals([(0, 6), (16, 20)], 0.0, 20.0)
    there = Signal.from_intervals([(4, 8), (15, 18)], 0.0, 20.0)
    out = first_active(
        [(night & there, TimeSeries.constant(0.1, 0.0, 20.0)), (there, TimeSeries.constant(1.0, 0.0, 20.0))],
        TimeSeries.constant(0.0, 0.0, 20.0),
    )
    assert out.at([1, 4, 6, 8, 15, 16, 18]).tolist() == [0, 0.1, 1, 0, 1, 0.1, 0]
    assert out.integral() == pytest.approx(2 * 0.1 + 2 + 1 + 2 * 0.1)


def test_a_step_has_an_old_and_a_new_number():
    x = TimeSeries.of([(0, 1), (5, 1), (5, 3), (10, 3)])
    assert (float(x.before(5)), float(x.at(5))) == (1, 3)
    assert (float(x.at(0)), float(x.before(10)), float(x.at(10)), float(x.at(-1))) == (1, 3, 0, 0)


def test_what_is_no_level_is_refused():
    for rows in ([], [(0, 1)], [(0, 1), (0, 2)], [(2, 0), (1, 0)]):
        with pytest.raises(ValueError, match="order of time"):
            TimeSeries.of(rows)
    with pytest.raises(ValueError, match="start before"):
        TimeSeries.constant(1, 3, 3)
    slope = TimeSeries.of([(0, 0), (5, 1)])
    with pytest.raises(ValueError, match="change in steps"):
        slope.rate_limited(1)
    with pytest.raises(ValueError, match="cannot be negative"):
        TimeSeries.constant(0, 0, 1).rate_limited(-1)
    with pytest.raises(ValueError, match="only be cut shorter"):
        slope.clip(-1, 3)
    for combine in (lambda a, b: a + b, lambda a, b: pointwise_max([a, b])):
        with pytest.raises(ValueError, match="different spans"):
            combine(slope, TimeSeries.constant(0, 0, 9))
    with pytest.raises(ValueError, match="no levels"):
        pointwise_max([])
    with pytest.raises(ValueError, match="different spans"):
        first_active([(Signal.constant(True, 0, 9), slope)], slope)


# -- laws, against the slow reference --------------------------------------------------------------------------------


@given(levels())
def test_every_instant_is_read_as_the_points_say(x):
    assert x.at(CLOCK).tolist() == pytest.approx([read(x, t) for t in CLOCK])


@given(levels(), levels())
def test_sum_and_greatest_are_those_of_the_numbers(x, y):
    a, b = x.at(CLOCK), y.at(CLOCK)
    assert (x + y).at(CLOCK) == pytest.approx(a + b)
    assert pointwise_max([x, y]).at(CLOCK) == pytest.approx(np.maximum(a, b))
    assert pointwise_max([x, y]).same_as(pointwise_max([y, x]), 1e-12)
    assert (x + y).integral() == pytest.approx(x.integral() + y.integral())


@given(levels(), values)
def test_above_is_on_where_the_number_is_above(x, threshold):
    a = x.at(CLOCK)
    clear = np.abs(a - threshold) > 1e-9
    assert (x.above(threshold).at(CLOCK) == (a > threshold))[clear].all()


@given(levels(), values, values)
def test_hysteresis_lies_between_its_two_thresholds(x, one, other):
    high, low = max(one, other), min(one, other)
    on = x.above(high, low)
    assert (x.above(high) - on).total() <= 1e-9
    assert (on - x.above(low)).total() <= 1e-9
    # It rises only where the upper one does.
    assert set(on.rises.tolist()) <= set(x.above(high).rises.tolist())


@given(levels(), instants, instants, instants)
def test_areas_add_up(x, a, b, c):
    lo, mid, hi = sorted((a, b, c))
    assert x.integral(lo, hi) == pytest.approx(x.integral(lo, mid) + x.integral(mid, hi))
    assert x.integral() == pytest.approx(x.at(CLOCK).sum() * TICK / 4, abs=1e-6)
    assert x.scaled(3.0, 1.0).integral() == pytest.approx(3 * x.integral() + END)


def area(x: TimeSeries, a: float, b: float) -> float:
    """The area from a to b, straight piece after straight piece."""
    total = 0.0
    for t0, v0, t1, v1 in zip(x.t[:-1], x.v[:-1], x.t[1:], x.v[1:]):
        lo, hi = max(t0, a), min(t1, b)
        if hi > lo:
            slope = (v1 - v0) / (t1 - t0)
            total += (hi - lo) * (v0 + slope * ((lo + hi) / 2 - t0))
    return total


@given(levels(), instants, instants, signals)
def test_areas_are_those_of_the_pieces_one_by_one(x, a, b, s):
    assert float(x.cumulative(a)) == pytest.approx(area(x, 0.0, a))
    assert x.cumulative([-1.0, END + 1.0]) == pytest.approx([0.0, area(x, 0.0, END)])
    assert x.integral(a, b) == pytest.approx(area(x, a, b)) and x.integral() == pytest.approx(area(x, 0.0, END))
    assert x.integral_while(s) == pytest.approx(sum(area(x, *row) for row in s.intervals.tolist()))


@given(st.lists(st.tuples(signals, levels()), max_size=4), levels())
def test_a_ladder_is_read_from_the_top_at_every_instant(rows, otherwise):
    out = first_active(rows, otherwise)
    holds = [s.at(CLOCK) for s, _ in rows]
    numbers = [*(x.at(CLOCK) for _, x in rows), otherwise.at(CLOCK)]
    first = [next((i for i, on in enumerate(holds) if on[k]), len(rows)) for k in range(len(CLOCK))]
    expected = np.array([numbers[i][k] for k, i in enumerate(first)], float)
    assert np.abs(out.at(CLOCK) - expected).max() < 1e-9


@given(steps(), st.integers(0, 12).map(lambda k: k * TICK))
def test_a_fade_never_leaves_the_levels_it_goes_between_and_none_changes_nothing(x, seconds):
    soft = x.rate_limited(seconds)
    assert soft.v.min() >= x.v.min() - 1e-12 and soft.v.max() <= x.v.max() + 1e-12
    assert (soft.start, soft.end) == (x.start, x.end)
    assert x.rate_limited(0.0) is x
    # Long after the last step it is where it was to go.
    if seconds > 0:
        slope = np.abs(np.diff(soft.v)) / np.maximum(np.diff(soft.t), 1e-12)
        assert slope.max() <= (x.v.max() - x.v.min()) / seconds + 1e-6


@given(signals)
def test_a_signal_as_steps_and_back_is_the_signal(s):
    assert TimeSeries.steps(s).above(0.0).same_as(s)
    assert TimeSeries.steps(s).integral() == pytest.approx(s.total())


def test_exactly_at_the_threshold_is_not_above_it():
    flat = TimeSeries.of([(0, 0.5), (10, 0.5), (20, 1.0), (30, 0.5), (40, 0.5)])
    assert flat.above(0.5).intervals.tolist() == [[10, 30]]
    assert not len(flat.above(1.0).intervals)
    assert TimeSeries.of([(0, 1.0), (10, 0.5), (20, 0.5)]).above(0.5).intervals.tolist() == [[0, 10]]

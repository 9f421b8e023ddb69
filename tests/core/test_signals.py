"""The signal algebra against a slow reference on a fine clock, and its laws by property."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastwatch.signals import Signal, all_of, any_of, at_least

END = 40.0
# Instants on a quarter-second grid, so that a reference sampled in the middle of each quarter is exact.
TICK = 0.25
instants = st.integers(0, int(END / TICK)).map(lambda k: k * TICK)
intervals = st.lists(st.tuples(instants, instants).map(lambda p: (min(p), max(p))), max_size=12)
signals = intervals.map(lambda rows: Signal.from_intervals(rows, 0.0, END))
holds = st.integers(0, 24).map(lambda k: k * TICK)
CLOCK = np.arange(0, END, TICK) + TICK / 2


def sampled(s: Signal) -> np.ndarray:
    return s.at(CLOCK)


def slow_hold(bits: np.ndarray, seconds: float) -> np.ndarray:
    n = round(seconds / TICK)
    out = bits.copy()
    for k in range(len(bits)):
        out[k] = bits[max(k - n, 0) : k + 1].any()
    return out


def slow_on_delay(bits: np.ndarray, seconds: float) -> np.ndarray:
    n, out, run = round(seconds / TICK), np.zeros_like(bits), 0
    for k, on in enumerate(bits):
        run = run + 1 if on else 0
        out[k] = on and run > n
    return out


def slow_start_keep(start: np.ndarray, keep: np.ndarray) -> np.ndarray:
    out, on, before = np.zeros_like(start), False, False
    for k in range(len(start)):
        if start[k] and not before:
            on = True
        on = on and bool(start[k] or keep[k])
        before = bool(start[k])
        out[k] = on
    return out


@given(intervals)
def test_from_intervals_is_the_union(rows):
    s = Signal.from_intervals(rows, 0.0, END)
    expected = np.zeros(len(CLOCK), bool)
    for a, b in rows:
        expected |= (a <= CLOCK) & (b > CLOCK)
    assert (sampled(s) == expected).all()
    assert (np.diff(s.switches) > 0).all()
    assert ((s.switches > 0) & (s.switches < END)).all()


@given(signals, signals, signals)
def test_any_all_and_counting(a, b, c):
    bits = [sampled(s) for s in (a, b, c)]
    assert (sampled(any_of([a, b, c])) == np.any(bits, axis=0)).all()
    assert (sampled(all_of([a, b, c])) == np.all(bits, axis=0)).all()
    assert (sampled(at_least(2, [a, b, c])) == (np.sum(bits, axis=0) >= 2)).all()
    assert (sampled(a - b) == (bits[0] & ~bits[1])).all()


@given(signals, holds)
def test_hold_and_on_delay_match_the_clock(s, seconds):
    assert (sampled(s.hold(seconds)) == slow_hold(sampled(s), seconds)).all()
    assert (sampled(s.on_delay(seconds)) == slow_on_delay(sampled(s), seconds)).all()


@given(signals, signals)
def test_start_keep_matches_the_clock(start, keep):
    assert (sampled(start.start_keep(keep)) == slow_start_keep(sampled(start), sampled(keep))).all()


@given(signals, holds, holds)
def test_holds_add(s, a, b):
    assert s.hold(a).hold(b).same_as(s.hold(a + b), 1e-9)


@given(signals, signals)
def test_de_morgan(a, b):
    assert (~(a | b)).same_as(~a & ~b)
    assert (~(a & b)).same_as(~a | ~b)
    assert (~~a).same_as(a)


@given(signals, signals, holds)
def test_any_of_holds_is_hold_of_any(a, b, seconds):
    assert (a.hold(seconds) | b.hold(seconds)).same_as((a | b).hold(seconds), 1e-9)


@given(signals, signals, holds, holds)
def test_hold_and_on_delay_are_monotone(a, b, short, more):
    big = a | b
    assert (a.hold(short) - big.hold(short)).total() == 0
    assert (a.hold(short) - a.hold(short + more)).total() == 0
    assert (a.on_delay(short) - big.on_delay(short)).total() == 0
    assert (a.on_delay(short + more) - a.on_delay(short)).total() == 0


@given(signals, st.lists(instants, min_size=1, max_size=8))
def test_measure_is_the_seconds_on_so_far(s, times):
    for t in times:
        assert s.cumulative(t) == pytest.approx(s.clip(0.0, max(t, 1e-9)).total(), abs=1e-6)
    assert s.cumulative(END) == pytest.approx(s.total())


@given(signals)
def test_intervals_round_trip(s):
    assert Signal.from_intervals(s.intervals, 0.0, END).same_as(s)
    assert len(s.rises) == len(s.intervals)
    assert len(list(s)) == len(s.intervals)


def test_values_outside_the_span_are_off():
    s = Signal.constant(True, 0.0, 10.0)
    assert s.at([-1.0, 0.0, 9.99, 10.0]).tolist() == [False, True, True, False]


def test_bad_input_is_refused():
    with pytest.raises(ValueError, match="ends before it starts"):
        Signal.from_intervals([(3, 2)], 0, 10)
    with pytest.raises(ValueError, match="ends before it starts"):
        Signal.from_intervals([(float("nan"), 2)], 0, 10)
    with pytest.raises(ValueError, match="start before its end"):
        Signal.constant(True, 5, 5)
    with pytest.raises(ValueError, match="negative"):
        Signal.constant(True, 0, 5).hold(-1)
    with pytest.raises(ValueError, match="negative"):
        Signal.constant(True, 0, 5).on_delay(-1)
    with pytest.raises(ValueError, match="different spans"):
        Signal.constant(True, 0, 5) | Signal.constant(True, 0, 6)
    with pytest.raises(ValueError, match="no signals"):
        any_of([])


def test_one_bad_interval_among_good_ones_is_refused():
    for rows in ([(0, 1), (5, 4), (6, 7)], [(5, 4)], [(0, 1), (2, 3), (9, 8)]):
        with pytest.raises(ValueError, match="ends before it starts"):
            Signal.from_intervals(rows, 0.0, 10.0)


def test_more_than_there_are_never_hold_at_once():
    a, b = Signal.from_intervals([(1, 5)], 0.0, 10.0), Signal.from_intervals([(3, 8)], 0.0, 10.0)
    assert at_least(2, [a, b]).intervals.tolist() == [[3, 5]]
    assert at_least(1, [a, b]).intervals.tolist() == [[1, 8]]
    none = at_least(3, [a, b])
    assert none.total() == 0 and not len(none.intervals)


def test_a_delay_leaves_nothing_of_what_lasts_no_longer():
    # 165.764 - 75.764 rounds to a little more than 90, and 75.764 + 90 is the very end.
    assert len(Signal.from_intervals([(75.764, 165.764)], 0.0, 1000.0).on_delay(90.0)) == 0

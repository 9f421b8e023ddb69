"""Scores and incidents of signals that are made by hand."""

from __future__ import annotations

import pytest

from vastwatch.people.truth import There
from vastwatch.rehearsal.scoring.incidents import find_incidents
from vastwatch.rehearsal.scoring.scores import score
from vastwatch.signals import DAY, Signal


def on(*rows, end=100.0):
    return Signal.from_intervals(list(rows), 0.0, end)


def test_scores_of_a_day_made_by_hand():
    end = DAY
    awake = on((1000, 4000), (6000, 7000), end=end)
    darkness = Signal.constant(True, 0.0, end)
    lamp = on((1002, 3000), (3100, 4300), (6005, 7060), (9000, 9060), end=end)
    s = score(lamp, There(awake, awake), darkness, watts=100, days=1)
    assert s.false_offs == 1
    assert s.dark_min == pytest.approx((2 + 100 + 5) / 60)
    assert s.wasted_h == pytest.approx((300 + 60 + 60) / 3600)
    assert s.wasted_kwh == pytest.approx(s.wasted_h * 0.1)
    assert (s.first_median_s, s.arrivals) == (pytest.approx(3.5), 2)
    found = find_incidents("r", lamp, There(awake, awake), darkness)
    assert [(i.kind, i.at, i.duration_s) for i in sorted(found, key=lambda i: i.at)] == [
        ("dropped", 3000, 100),
        ("idle", 4000, 300),
        ("late", 6000, 5),
        ("false start", 9000, 60),
    ]


def test_whoever_asks_for_no_light_is_not_left_in_the_dark():
    """Somebody comes at 1000, sits down to a film from 1010 to 5000, and leaves at 5020."""
    end = DAY
    there = There(on((1000, 5020), end=end), on((1000, 1010), (5000, 5020), end=end))
    darkness = Signal.constant(True, 0.0, end)
    # It comes on late, goes off amid the film, and is back 8 s after they have risen.
    lamp = on((1004, 2000), (5008, 5400), end=end)
    s = score(lamp, there, darkness, watts=100, days=1)
    assert (s.false_offs, s.dark_min, s.arrivals) == (0, pytest.approx(12 / 60), 1)
    # They were there while it was on, whether they asked for it or not.
    assert s.wasted_h == pytest.approx(380 / 3600)
    found = find_incidents("r", lamp, there, darkness)
    assert [(i.kind, i.at, i.duration_s) for i in sorted(found, key=lambda i: i.at)] == [
        ("late", 1000, 4), ("idle", 5020, 380)
    ]  # fmt: skip
    # Without any light they waited until they sat down.
    assert score(on(end=end), there, darkness, watts=100, days=1).first_median_s == 10


def test_no_scores_by_day_and_none_without_arrivals():
    s = score(on((10, 20)), There(on((10, 20)), on((10, 20))), on(), watts=10, days=1)
    assert (s.false_offs, s.dark_min, s.first_median_s) == (0, 0, None)


def test_a_late_light_and_one_that_drops_at_its_edges():
    """The limits themselves: two seconds is not late, five minutes while empty is lit while empty, a start as somebody comes is
    theirs."""
    end = DAY
    darkness = Signal.constant(True, 0.0, end)
    awake = on((1000, 2000), (5000, 6000), (9000, 9500), end=end)
    lamp = on((1002, 2300), (5002.5, 6299), (9000, 9500), end=end)
    found = sorted(find_incidents("r", lamp, There(awake, awake), darkness), key=lambda i: i.at)
    assert [(i.kind, i.at, i.duration_s) for i in found] == [("idle", 2000, 300), ("late", 5000, 2.5)]
    # A light that goes off on somebody twice in one stay is two false-offs, each as long as it was dark.
    twice = find_incidents("r", on((1000, 1200), (1300, 1500), (1600, 2000), end=end), There(awake, awake), darkness)
    assert [(i.at, i.duration_s) for i in twice if i.kind == "dropped"] == [(1200, 100), (1500, 100)]

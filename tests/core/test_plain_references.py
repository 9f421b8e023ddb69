"""What is reckoned for many at once, against the same one by one, written from its definition."""

from __future__ import annotations

from datetime import date

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from vastwatch.advice.simulation.hold_curves import _longest_before
from vastwatch.people.plans import IN_FORCE_DAYS, Plans
from vastwatch.people.routes import Along
from vastwatch.rehearsal.noticing.notices import _where_noticed
from vastwatch.rng import sub_key_of, sub_keys, uniform, uniform_of
from vastwatch.sensing.reporting import hold_blind_merge
from vastwatch.signals import DAY, Calendar


def test_instants_of_many_days_are_those_of_each_also_when_clocks_are_moved():
    for begin in (date(2026, 3, 25), date(2026, 10, 21), date(2026, 6, 1)):
        calendar = Calendar(begin, "Europe/Paris", 9)
        days, clocks = np.arange(-3, 9), [0.0, 2.5 * 3600, 3 * 3600, 12 * 3600, DAY - 60, DAY + 2.5 * 3600]
        each = [[calendar.instant(int(d), c) for c in clocks] for d in days]
        assert np.array_equal(calendar.instants(days, clocks), each)


@given(st.integers(0, 2**64 - 1), st.integers(-(2**40), 2**62))
def test_one_number_is_the_one_of_the_array(key, index):
    assert sub_key_of(key, index) == int(sub_keys(np.uint64(key), index))
    assert uniform_of(key, index) == float(uniform(np.uint64(key), index))


@given(st.lists(st.tuples(st.floats(0.1, 30), st.floats(0, 4)), max_size=40), st.floats(0.5, 20), st.floats(0, 20))
def test_reports_of_a_motion_sensor_begin_and_end_as_one_notice_after_the_other_says(steps, hold, rearm):
    start = np.cumsum([gap for gap, _ in steps]) if steps else np.empty(0)
    end = start + np.array([lasts for _, lasts in steps]) if steps else start
    # On from a notice; longer with each that comes in time; then blind, and deaf to what begins meanwhile.
    rows, off = [], -np.inf
    reach = np.maximum.accumulate(end) if steps else end
    for k, t in enumerate(start.tolist()):
        if rows and t <= off:
            off = max(off, reach[k] + hold)
            rows[-1][1] = off
        elif not rows or t >= off + rearm:
            off = reach[k] + hold
            rows.append([t, off])
    assert np.allclose(hold_blind_merge(start, end, hold, rearm), np.array(rows).reshape(-1, 2))


@given(st.lists(st.tuples(st.integers(0, 6), st.floats(0, 100)), max_size=50))
def test_the_longest_before_each_in_its_group(pairs):
    pairs.sort(key=lambda p: p[0])
    group, length = np.array([g for g, _ in pairs], int), np.array([x for _, x in pairs])
    each = [max((x for g, x in pairs[:k] if g == pairs[k][0]), default=0.0) for k in range(len(pairs))]
    assert np.array_equal(_longest_before(length, group), each)


def test_a_days_plans_are_the_same_alone_and_among_others_and_the_last_line_before_is_in_force(demo):
    calendar = Calendar(date(2026, 1, 12), demo.place.timezone, 60)
    for person in demo.people[:3]:
        plans = Plans(person, calendar, 5)
        lines, errands = plans.lines(-IN_FORCE_DAYS, 20), plans.errands(0, 20)
        alone = [plans.lines(d, d + 1) for d in range(-IN_FORCE_DAYS, 20)]
        assert sorted(zip(lines.at, lines.spot)) == sorted(x for each in alone for x in zip(each.at, each.spot))
        assert errands == sorted(e for d in range(20) for e in plans.errands(d, d + 1))
        for t in np.linspace(0.0, 10 * DAY, 97):
            before = [spot for at, spot in zip(lines.at, lines.spot) if at <= t]
            assert lines.spots_at([t]) == before[-1:]


@given(
    st.lists(st.lists(st.sampled_from([0.0, 0.0, 0.3]), min_size=1, max_size=8), min_size=1, max_size=8),
    st.integers(0, 10**6),
)
def test_where_on_each_route_anything_is_noticed(routes, seed):
    """Of all samples those on the sensor's level are looked at; routes on which it notices nothing have no rows."""
    rng = np.random.default_rng(seed)
    samples = np.array(list(map(len, routes)))
    level = rng.integers(0, 2, samples.sum())
    along = Along(
        np.zeros((samples.sum(), 2)), *np.zeros((2, samples.sum())), level, np.repeat(np.arange(len(routes)), samples),
        np.cumsum(samples) - samples, samples, np.zeros(len(routes), int),
    )  # fmt: skip
    here = along.on(1)
    walk, first, since, until = _where_noticed(np.concatenate(routes)[None, here], here, along)
    for k, rates in enumerate(routes):
        mine = [r if on else 0.0 for r, on in zip(rates, level[along.first[k] :].tolist())]
        seen = [n for n, rate in enumerate(mine) if rate > 0] or [-1]
        assert (since[0, k], until[0, k]) == (seen[0], seen[-1])
        if seen != [-1]:
            assert walk[0, first[k] : first[k] + samples[k]].tolist() == mine
    assert walk.shape[1] == samples[until[0] >= 0].sum()

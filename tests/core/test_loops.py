"""Compiled loops against the same in plain numbers, by their definitions and the draws of `draws`."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastwatch import draw_loops
from vastwatch.draw_loops import normal_pair_of, sub_key_of, uniform_of
from vastwatch.draws import normal_pair, sub_keys, uniform
from vastwatch.rehearsal.condensing import condensed
from vastwatch.sensing.reporting import held


@given(st.integers(0, 2**64 - 1), st.integers(0, 2**52))
def test_one_number_is_the_one_of_the_array(key, index):
    k = np.uint64(key)
    assert sub_key_of(k, index) == sub_keys(k, index)
    assert uniform_of(k, index) == uniform(k, index)
    assert normal_pair_of(k, index) == pytest.approx([float(x[0]) for x in normal_pair(k, [index])], abs=1e-5)


notices = st.lists(st.tuples(st.floats(0.0, 20.0), st.floats(0.0, 9.0)), max_size=40)


def rows_of(steps):
    start = np.cumsum([gap for gap, _ in steps]) if steps else np.empty(0)
    return start, start + np.array([lasts for _, lasts in steps]) if steps else start


@given(notices, st.floats(0.0, 15.0), st.sampled_from([0.0, 2.0, 8.0]))
def test_what_counts_of_a_run_is_its_ends_and_what_lies_in_the_blind_time(steps, hold, blind):
    start, end = rows_of(steps)
    kept, until = condensed(start, end, hold, blind)
    runs: list[list[int]] = []
    reach = -math.inf
    for k in range(len(start)):
        if start[k] > reach + hold:
            runs.append([])
        runs[-1].append(k)
        reach = max(reach, end[k])
    expected = []
    for run in runs:
        early = [k for k in run if blind > 0 and start[k] <= start[run[0]] + blind]
        stay = sorted({run[0], run[-1], *early, *(k + 1 for k in early if k + 1 in run)})
        ends = [start[k] for k in stay[1:]] + [end[: run[-1] + 1].max()]
        expected += list(zip(start[stay].tolist(), ends))
    assert list(zip(kept.tolist(), until.tolist())) == expected


@given(notices, st.floats(0.0, 15.0))
def test_a_device_stays_on_for_its_hold_after_each_notice(steps, hold):
    start, end = rows_of(steps)
    rows: list[list[float]] = []
    for a, b in zip(start.tolist(), end.tolist()):
        if rows and a <= rows[-1][1]:
            rows[-1][1] = max(rows[-1][1], b + hold)
        else:
            rows.append([a, b + hold])
    assert held(start, end, hold).tolist() == rows


def test_where_nothing_can_be_kept_a_loop_is_compiled_all_the_same(monkeypatch):
    njit = draw_loops.njit

    def unwritable(cache=False, **how):
        if cache:
            raise RuntimeError("cannot cache function: no locator available")
        return njit(**how)

    monkeypatch.setattr(draw_loops, "njit", unwritable)
    assert draw_loops.compiled(lambda x: x + 1)(2) == 3

"""What a sensor notices in many replicates, one look, movement or detection after the other, compiled
(`report_batch`)."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np

from vastwatch.loops.compiling import compiled, part
from vastwatch.loops.rng import exponential_of, grow_rows, uniform_of


class Walks(NamedTuple):
    """Walks that a sensor may notice, each a row: see `tracks.Walks`; whose it is, and their row of the chances."""

    leave: Any
    arrive: Any
    out: Any
    route: Any
    speed: Any
    who: Any
    bearing: Any


class Rates(NamedTuple):
    """How well walkers are noticed: see `notices.DetectionTable`; whether by their speed; `step_m` from sample to
    sample of a route, metres, and `looks_hz` looks a second."""

    first: Any
    samples: Any
    out: Any
    walk: Any
    since: Any
    until: Any
    by_speed: bool
    step_m: float
    looks_hz: float


@part
def _happens(u, expected):  # type: ignore[no-untyped-def]
    """Whether u < 1 - e^-expected, which lies between expected - expected^2 / 2 and expected."""
    if u >= expected:
        return False
    return u < expected - 0.5 * expected * expected or u < -math.expm1(-expected)


@compiled
def noticed_walking(walks, rates, look_key, walk_key, begin, end, joined_s):  # type: ignore[no-untyped-def]
    """Instants within [begin, end) at which walkers are noticed, and who each is, by keys of each person. Of a walk on
    which all of them lie within `joined_s` of each other, the first and the last.

    One look in each fifth of a second of the clock, at random within it: it stays where it is, no matter who walks.
    Only those are taken at which they are where anything is noticed, and one sample beside.
    """
    leave, arrive, left, route, speed = walks.leave, walks.arrive, walks.out, walks.route, walks.speed
    who, bearing = walks.who, walks.bearing
    first, samples, out, walk, since, until = (
        rates.first, rates.samples, rates.out, rates.walk, rates.since, rates.until
    )  # fmt: skip
    t_found, who_found, n = np.empty(256), np.empty(256, np.int64), 0
    step_m, hz = rates.step_m, rates.looks_hz
    for k in range(len(route)):
        b, r, step = bearing[k], route[k], step_m / speed[k]
        near = left[k] + (since[b, r] - out[r] - 1) * step
        far = left[k] + (until[b, r] - out[r] + 2) * step
        # At the ends of a route they stand where it begins or leads to for as long as they are there.
        near = leave[k] if since[b, r] == 0 else max(leave[k], near)
        far = arrive[k] if until[b, r] == samples[r] - 1 else min(arrive[k], far)
        tick, last = math.floor(max(near, begin) * hz), math.floor(min(far, end) * hz)
        begins, ends = max(leave[k], begin), min(arrive[k], end)
        # Where the ends are enough, they are looked for from both ends.
        both = (last + 1 - tick) / hz <= joined_s
        step_on, found = 1, 0
        while tick <= last:
            at = tick if step_on > 0 else last
            t = (at + uniform_of(look_key[who[k]], at)) / hz
            if begins <= t < ends:
                sample = out[r] + math.floor((t - left[k]) * speed[k] / step_m)
                rate = walk[b, first[r] + min(max(sample, 0), samples[r] - 1)]
                if rates.by_speed:
                    rate *= speed[k]
                if rate > 0.0 and _happens(uniform_of(walk_key[who[k]], at), rate / hz):
                    if n == len(t_found):
                        t_found, who_found = grow_rows(t_found), grow_rows(who_found)
                    t_found[n], who_found[n] = t, who[k]
                    n, found = n + 1, found + 1
                    if both:
                        if found == 2:
                            break
                        tick, step_on = tick + 1, -1
                        continue
            if step_on > 0:
                tick += 1
            else:
                last -= 1
    return t_found[:n], who_found[:n]


@compiled
def noticed_moving(t, spot, large, who, bearing, by_large, by_small, key):  # type: ignore[no-untyped-def]
    """Which of some small movements are noticed, by the chances of each bearing at each spot; keys by person."""
    out, n = np.empty(len(t), np.int64), 0
    for k in range(len(t)):
        b = bearing[who[k]]
        chance = by_large[b, spot[k]] if large[k] else by_small[b, spot[k]]
        if chance > 0.0 and uniform_of(key[who[k]], math.floor(t[k] * 1000.0)) < chance:
            out[n] = k
            n += 1
    return out[:n]


@compiled
def noticed_resting(keys, rate, a, b, hold, many):  # type: ignore[no-untyped-def]
    """Stretches of some stays [a, b) with detections at a rate per second, without a gap longer than the hold, by keys
    of their own: from, to, and of which stay. Where no more than `many` are expected a hold, they are instants."""
    begin, end, of, n = np.empty(256), np.empty(256), np.empty(256, np.int64), 0
    for k in range(len(rate)):
        dense = rate[k] * hold > many
        # As `rng.poisson_times`: the sum is taken up anew after so many, at the last of them.
        expected = rate[k] * (b[k] - a[k])
        if not expected > 0.0:
            continue
        among = int(expected + 6.0 * math.sqrt(expected)) + 12
        mean_run = math.expm1(min(rate[k] * hold, 600.0)) / rate[k] - hold
        since, so_far, drawn = a[k], 0.0, 0
        while True:
            so_far += exponential_of(keys[k], drawn)
            drawn += 1
            t = since + so_far / rate[k]
            if not t < b[k]:
                break
            until = t
            if dense:
                # The last detection before the next gap that is too long.
                until = min(t + exponential_of(keys[k], drawn) * mean_run, b[k])
                drawn += 1
                since, so_far = until + hold, 0.0
            elif drawn % among == 0:
                since, so_far = t, 0.0
            if n == len(of):
                begin, end, of = grow_rows(begin), grow_rows(end), grow_rows(of)
            begin[n], end[n], of[n] = t, until, k
            n += 1
    return begin[:n], end[:n], of[:n]


@compiled
def condensed(start, end, of, hold_s, blind_s):  # type: ignore[no-untyped-def]
    """Of the notices of each of some people, one after the other, those on which no report depends left out: see
    `interval_merging.merge_notices`. Of each they come sorted by start."""
    kept_start, kept_end, kept_of, n = np.empty(len(start)), np.empty(len(start)), np.empty(len(start), np.int64), 0
    reach, first, early = -np.inf, 0.0, False
    for k in range(len(start)):
        anew = k == 0 or of[k] != of[k - 1]
        if anew:
            reach, early = -np.inf, False
        begins = start[k] > reach + hold_s
        if begins:
            first = start[k]
        reach = max(reach, end[k])
        ends = k + 1 == len(start) or of[k + 1] != of[k] or start[k + 1] > reach + hold_s
        # The first one after the blind time as well: the report may begin with it.
        after_early, early = early, blind_s > 0.0 and start[k] <= first + blind_s
        if begins or ends or early or after_early:
            if not begins:
                # What is left out lies between what is kept: the run goes on from each to the next.
                kept_end[n - 1] = start[k]
            kept_start[n], kept_end[n], kept_of[n] = start[k], reach, of[k]
            n += 1
    return kept_start[:n], kept_end[:n], kept_of[:n]


@compiled
def hold_blind_merge(start, end, cuts, hold_s, blind_s):  # type: ignore[no-untyped-def]
    """What a device reports in each of some replicates, before its latency: see `sensing.reporting`. Replicate k has
    the notices from cuts[k] to cuts[k + 1], sorted by start; and the [on, off) rows given back likewise."""
    rows, n = np.empty((len(start), 2)), 0
    row_cuts = np.zeros(len(cuts), np.int64)
    for life in range(len(cuts) - 1):
        first, reach = n, -np.inf
        for k in range(cuts[life], cuts[life + 1]):
            reach = max(reach, end[k])
            if n > first and start[k] <= rows[n - 1, 1]:
                rows[n - 1, 1] = max(rows[n - 1, 1], reach + hold_s)
            elif n == first or start[k] >= rows[n - 1, 1] + blind_s:
                rows[n, 0], rows[n, 1] = start[k], reach + hold_s
                n += 1
        row_cuts[life + 1] = n
    return rows[:n], row_cuts


@compiled
def hold_merge(start, end, moving, cuts, hold_s):  # type: ignore[no-untyped-def]
    """[on, off) rows of what stays on for its hold after each notice of a movement, replicate by replicate as above."""
    rows, n = np.empty((len(start), 2)), 0
    row_cuts = np.zeros(len(cuts), np.int64)
    for life in range(len(cuts) - 1):
        first = n
        for k in range(cuts[life], cuts[life + 1]):
            if not moving[k]:
                continue
            off = end[k] + hold_s
            if n > first and start[k] <= rows[n - 1, 1]:
                rows[n - 1, 1] = max(rows[n - 1, 1], off)
            else:
                rows[n, 0], rows[n, 1] = start[k], off
                n += 1
        row_cuts[life + 1] = n
    return rows[:n], row_cuts

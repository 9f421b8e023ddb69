"""People who react to a light that is one hold of some reports, an event after the other, compiled (`reactions`).

The light without any reaction is known beforehand, and with it its dark gaps: in each everything follows one after the
other, off, wave, on, off, wave. A light that outlasts the one it ran into begins the gaps after that later.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np

from vastwatch.loops.compiling import compiled, part
from vastwatch.loops.rng import grow_rows, sub_key_of, twice_rows, uniform_of

# What happened, by the first column of an event's row; the second is when, the third until when. What a sensor reported
# is its place after the last of them.
WAVE, PRESS, LIGHT, FALL, REPORT = 0, 1, 2, 3, 4


class Habits(NamedTuple):
    """What people do about a light: seconds from the door to the switch, from a light that went off to its being on
    again by hand, and of a press; after how many vain waves they go to the switch; and by how many seconds an instant
    may be off by rounding alone."""

    reach_s: float
    again_s: float
    press_s: float
    tries: int
    hair_s: float


class OccupancyArrays(NamedTuple):
    """`reactions.OccupancyIntervals` as the loop reads them, and the luck there: by stretch `begin`, `end`, `after_s`,
    by sensor and stretch `chance` and the `keys` of draws, and the instant its replicate begins at, `since`
    (milliseconds).
    """

    begin: Any
    end: Any
    after_s: Any
    chance: Any
    keys: Any
    since: Any


class WaveSensorArrays(NamedTuple):
    """`reactions.WaveSensor` as the loop reads them, by sensor."""

    starts: Any
    latency_s: Any
    report_s: Any


@part
def _ms(t, hair_s):  # type: ignore[no-untyped-def]
    return math.floor((t + hair_s) * 1000.0)


@part
def append_merged(rows, n, a, b):  # type: ignore[no-untyped-def]
    """With [a, b), which begins no earlier than the last of n rows does: joined to it where they meet; how many."""
    if n and a <= rows[n - 1, 1]:
        rows[n - 1, 1] = max(rows[n - 1, 1], b)
        return n
    rows[n, 0], rows[n, 1] = a, b
    return n + 1


@compiled
def hold_rows(rows, hold_s, end):  # type: ignore[no-untyped-def]
    """Rows [a, b) in order, each so much longer, joined where they meet: as `Signal.hold`."""
    if hold_s == 0.0:
        return rows
    out, n = np.empty_like(rows), 0
    for k in range(len(rows)):
        n = append_merged(out, n, rows[k, 0], min(rows[k, 1] + hold_s, end))
    return out[:n]


@compiled
def merge_within(rows, hold_s):  # type: ignore[no-untyped-def]
    """Rows that any hold no shorter than this joins, joined: held, they are what the rows themselves are."""
    out, n = np.empty_like(rows), 0
    for k in range(len(rows)):
        if n and rows[k, 0] <= out[n - 1, 1] + hold_s:
            out[n - 1, 1] = max(out[n - 1, 1], rows[k, 1])
        else:
            out[n, 0], out[n, 1] = rows[k, 0], rows[k, 1]
            n += 1
    return out[:n]


@compiled
def start_keep_rows(rises, keep):  # type: ignore[no-untyped-def]
    """Of rows [a, b), in order, each from the first rise within it: as `Signal.start_keep` where what starts keeps."""
    out, n, k = np.empty_like(keep), 0, 0
    for j in range(len(keep)):
        while k < len(rises) and rises[k] < keep[j, 0]:
            k += 1
        if k < len(rises) and rises[k] < keep[j, 1]:
            out[n, 0], out[n, 1] = rises[k], keep[j, 1]
            n += 1
    return out[:n]


@compiled
def pressed_at(needed, presence, hold_s, habits):  # type: ignore[no-untyped-def]
    """As `manual_switching.press_times`."""
    t, again, n = np.empty(256), np.empty(256, np.bool_), 0
    lit_until, k = -math.inf, -1
    for j in range(len(needed)):
        a, b = needed[j, 0], needed[j, 1]
        dropped = lit_until > a
        since = lit_until if dropped else a
        press = since + (habits.again_s if dropped else habits.reach_s)
        while press < b:
            if n == len(t):
                t, again = grow_rows(t), grow_rows(again)
            t[n], again[n] = press, dropped
            n += 1
            lit_until = press + habits.press_s + hold_s
            while k + 1 < len(presence) and presence[k + 1, 0] <= lit_until:
                k += 1
            if k >= 0:
                lit_until = max(lit_until, presence[k, 1])
            dropped = True
            press = lit_until + habits.again_s
    return t[:n], again[:n]


@part
def _noted(events, n, kind, begin, end):  # type: ignore[no-untyped-def]
    """With one event more, for which there is room: how many."""
    events[n, 0], events[n, 1], events[n, 2] = kind, begin, end
    return n + 1


@compiled
def react_in_gaps(lit, keep, hold_s, start_s, end_s, habits, present, wave_sensors):  # type: ignore[no-untyped-def]
    """All that happens while a light `lit` (rows) by reports that are held, `keep` (rows), leaves people in the dark.

    Rows (n, 3) of events, in the order of the gaps they are in. Of a hold of zero `keep` are the reports themselves.
    """
    begins, ends, afters, chance, keys = present.begin, present.end, present.after_s, present.chance, present.keys
    since, starts, latency, report = present.since, wave_sensors.starts, wave_sensors.latency_s, wave_sensors.report_s
    again_s, press_s, tries, hair_s = habits.again_s, habits.press_s, habits.tries, habits.hair_s
    count, sensors = len(begins), len(starts)
    # No more than this happen before room is looked for again.
    at_once = sensors + 4
    events, n = np.empty((256 + 2 * at_once + 2 * len(lit), 3)), 0
    noticed = np.empty(sensors, np.bool_)
    # The light that reactions brought lasts until then; the next of the stretches, and of the reports.
    until, stretch, kept = -math.inf, 0, 0
    for g in range(len(lit) + 1):
        begin = start_s if g == 0 else lit[g - 1, 1]
        to = end_s if g == len(lit) else lit[g, 0]
        if not begin < to:
            continue
        if n + at_once > len(events):
            events = twice_rows(events)
        # When the gap after this one begins.
        after = math.inf if g == len(lit) or not lit[g, 1] < end_s else lit[g, 1]
        anchor = _ms(begin - hold_s if g else begin, hair_s)
        t = begin
        if until > begin:
            t = min(until, to)
            n = _noted(events, n, LIGHT, begin, t)
            if not t < to:
                continue
        if g:
            n = _noted(events, n, FALL, t, t)
        while stretch < count and ends[stretch] <= t:
            stretch += 1
        at, vain, waves = stretch, 0, 0
        while t < to and at < count:
            if n + at_once > len(events):
                events = twice_rows(events)
            w = max(t, begins[at]) + (afters[at] if vain < tries else again_s)
            while at < count and w >= ends[at]:
                # They leave, or somebody else comes, before that.
                at, vain, waves = at + 1, 0, 0
                if at < count:
                    w = max(t, begins[at]) + afters[at]
            if at == count or not w < to:
                break
            lit_at, dark_at = math.inf, -math.inf
            if vain >= tries:
                n = _noted(events, n, PRESS, w, w)
                lit_at, dark_at = w, w + press_s
            else:
                n = _noted(events, n, WAVE, w, w)
                drawn_by = max(anchor - since[at], _ms(begins[at], hair_s) - since[at])
                for k in range(sensors):
                    noticed[k] = (
                        latency[k] < report[k]
                        and chance[k, at] > 0.0
                        and uniform_of(sub_key_of(keys[k, at], drawn_by), waves) < chance[k, at]
                    )
                    if noticed[k] and starts[k]:
                        lit_at = min(lit_at, w + latency[k])
                waves += 1
                if not lit_at < math.inf:
                    t, vain = w, vain + 1
                    continue
                for k in range(sensors):
                    if noticed[k]:
                        dark_at = max(dark_at, w + report[k])
                        n = _noted(events, n, REPORT + k, w + latency[k], w + report[k])
            dark_at += hold_s
            # Reports that come while the light is on keep it as they always do.
            while kept < len(keep) and keep[kept, 0] <= dark_at:
                kept += 1
            if kept:
                dark_at = max(dark_at, keep[kept - 1, 1])
            n = _noted(events, n, LIGHT, min(lit_at, to), min(dark_at, to))
            if dark_at < to:
                n = _noted(events, n, FALL, dark_at, dark_at)
            if dark_at > after:
                until = max(until, dark_at)
            t, vain = dark_at, 0
    return events[:n]

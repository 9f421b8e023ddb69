"""Compiled: simulates people's reactions at one hold in every replicate of a batch and measures the light against who
needed it."""

from __future__ import annotations

import numpy as np

from vastwatch.loops.compiling import compiled, part
from vastwatch.loops.reactions import FALL, LIGHT, PRESS, WAVE, append_merged, hold_rows, react_in_gaps, start_keep_rows

# What a replicate comes to, by the column.
DROPS, DARK, IDLE, WAVES, TRIPS = range(5)


@part
def _within(rows, k, a, b):  # type: ignore[no-untyped-def]
    """Seconds of [a, b) within some rows, in order and apart, and the first row that ends after a, from the k-th on."""
    while k < len(rows) and rows[k, 1] <= a:
        k += 1
    seconds, j = 0.0, k
    while j < len(rows) and rows[j, 0] < b:
        seconds += min(rows[j, 1], b) - max(rows[j, 0], a)
        j += 1
    return seconds, k


@part
def _life(t, life, step_s, lives):  # type: ignore[no-untyped-def]
    """The replicate an instant lies in, from the last one on."""
    while life + 1 < lives and t >= (life + 1) * step_s:
        life += 1
    return life


@compiled
def outcomes(rises, keep, hold_s, end_s, habits, present, eyes, need, nobody, left, step_s, lives):  # type: ignore[no-untyped-def]
    """Of each replicate, a row: false-offs, seconds of dark where light was needed, seconds lit while empty, waves,
    presses.

    `rises` of what starts the light and rows that keep it; rows of `need` (somebody awake in the dark) and of `nobody`
    (dark, and nobody awake). At the instants `left`, in order, other light goes out on somebody: each is a false-off
    unless this light is on. Replicate k lasts from k `step_s` on.
    """
    kept = hold_rows(keep, hold_s, end_s)
    lit = start_keep_rows(rises, kept)
    events = react_in_gaps(lit, kept, hold_s, 0.0, end_s, habits, present, eyes)
    out = np.zeros((lives, 5))
    life = 0
    for j in range(len(need)):
        life = _life(need[j, 0], life, step_s, lives)
        out[life, DARK] += need[j, 1] - need[j, 0]
    life = 0
    for t in left:
        life = _life(t, life, step_s, lives)
        out[life, DROPS] += 1.0
    _lit(out, lit, need, nobody, left, step_s)
    # Events come gap by gap, and replicates one after the other.
    brought, n = np.empty((len(events), 2)), 0
    life, f = 0, 0
    for j in range(len(events)):
        kind, t = int(events[j, 0]), events[j, 1]
        life = _life(t, life, step_s, lives)
        if kind == LIGHT:
            brought[n, 0], brought[n, 1] = t, events[j, 2]
            n += 1
        elif kind == FALL:
            while f < len(need) and need[f, 1] <= t:
                f += 1
            if f < len(need) and need[f, 0] <= t:
                out[life, DROPS] += 1.0
        elif kind == WAVE:
            out[life, WAVES] += 1.0
        elif kind == PRESS:
            out[life, TRIPS] += 1.0
    _lit(out, brought[:n], need, nobody, left, step_s)
    for k in range(lives):
        # Sums of many parts may end a hair below nothing.
        out[k, DARK], out[k, IDLE] = max(out[k, DARK], 0.0), max(out[k, IDLE], 0.0)
    return out


@compiled
def _lit(out, rows, need, nobody, left, step_s):  # type: ignore[no-untyped-def]
    """Rows of light, in order: each takes from the dark of its replicate, adds to what is on while empty, and what goes
    out within it leaves nobody in the dark."""
    life, n, w, m = 0, 0, 0, 0
    for j in range(len(rows)):
        a, b = rows[j, 0], rows[j, 1]
        life = _life(a, life, step_s, len(out))
        seconds, n = _within(need, n, a, b)
        out[life, DARK] -= seconds
        seconds, w = _within(nobody, w, a, b)
        out[life, IDLE] += seconds
        while m < len(left) and left[m] < a:
            m += 1
        while m < len(left) and left[m] < b:
            out[life, DROPS] -= 1.0
            m += 1


@compiled
def lit_intervals(rises, keep, hold_s, end_s, habits, present, eyes, dark):  # type: ignore[no-untyped-def]
    """Rows of the light itself, with what people do about it, while it follows (rows of `dark`)."""
    kept = hold_rows(keep, hold_s, end_s)
    lit = start_keep_rows(rises, kept)
    events = react_in_gaps(lit, kept, hold_s, 0.0, end_s, habits, present, eyes)
    out, n, d, i, j = np.empty((2 * (len(lit) + len(events) + len(dark)), 2)), 0, 0, 0, 0
    while True:
        while j < len(events) and events[j, 0] != LIGHT:
            j += 1
        # The next of either, each in order; where they touch they are one.
        own = j == len(events) or (i < len(lit) and lit[i, 0] <= events[j, 1])
        if own and i == len(lit):
            break
        if own:
            a, b, i = lit[i, 0], lit[i, 1], i + 1
        else:
            a, b, j = events[j, 1], events[j, 2], j + 1
        while d < len(dark) and dark[d, 1] <= a:
            d += 1
        k = d
        while k < len(dark) and dark[k, 0] < b:
            since, until = max(a, dark[k, 0]), min(b, dark[k, 1])
            k += 1
            if since < until:
                n = append_merged(out, n, since, until)
    return out[:n]


@compiled
def besides(rows, awake, asleep, came, until, step_s, lives):  # type: ignore[no-untyped-def]
    """Of rows of light, in order: by replicate, a row, how often it came on while nobody was awake, and seconds it was
    on in rows of `asleep`; and how long those waited who `came` when it was off, in order, at most `until` each, and
    which replicate each of them came in."""
    out = np.zeros((lives, 2))
    life, w, s = 0, 0, 0
    for j in range(len(rows)):
        a, b = rows[j, 0], rows[j, 1]
        life = _life(a, life, step_s, lives)
        seconds, w = _within(awake, w, a, b)
        out[life, 0] += seconds <= 0.0
        seconds, s = _within(asleep, s, a, b)
        out[life, 1] += seconds
    waited, of, n = np.empty(len(came)), np.empty(len(came), np.int64), 0
    life, j = 0, 0
    for t, leaves in zip(came, until):
        while j < len(rows) and rows[j, 1] <= t:
            j += 1
        if j < len(rows) and rows[j, 0] <= t:
            continue
        life = _life(t, life, step_s, lives)
        waited[n] = (min(rows[j, 0], leaves) if j < len(rows) else leaves) - t
        of[n] = life
        n += 1
    return out, waited[:n], of[:n]


@compiled
def quantiles(values, life, share):  # type: ignore[no-untyped-def]
    """A quantile of what there is of each replicate, one replicate after the other: between the two values next to
    it."""
    out, n, a = np.empty(len(values)), 0, 0
    while a < len(values):
        b = a
        while b < len(values) and life[b] == life[a]:
            b += 1
        some = np.sort(values[a:b])
        at = share * (b - a - 1)
        low = int(at)
        out[n] = some[low] + (some[min(low + 1, b - a - 1)] - some[low]) * (at - low)
        n, a = n + 1, b
    return out[:n]

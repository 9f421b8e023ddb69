"""What a hold comes to in each of many lives on one line of time, compiled: people walked through it, and the light that
came of it measured against who needed it.
"""

from __future__ import annotations

import numpy as np

from vastwatch.control.reaction_loops import FALL, LIGHT, PRESS, WAVE, begun, held, walked
from vastwatch.draw_loops import compiled


@compiled
def _within(rows, k, a, b):  # type: ignore[no-untyped-def]
    """Seconds of [a, b) within some rows, in order and apart, and the first row that ends after a, from the k-th on."""
    while k < len(rows) and rows[k, 1] <= a:
        k += 1
    seconds, j = 0.0, k
    while j < len(rows) and rows[j, 0] < b:
        seconds += min(rows[j, 1], b) - max(rows[j, 0], a)
        j += 1
    return seconds, k


@compiled
def figures(rises, keep, hold_s, start_s, end_s, present, eyes, need, nobody, step_s, lives):  # type: ignore[no-untyped-def]
    """Of each life, a row: drops, seconds of dark where light was needed, seconds lit for nobody, waves, presses.

    `rises` of what starts the light and rows that keep it; rows of `need` (somebody awake in the dark) and of `nobody`
    (dark, and nobody awake). Life k lives from k `step_s` on.
    """
    kept = held(keep, hold_s, end_s)
    lit = begun(rises, kept)
    events = walked(lit, kept, hold_s, start_s, end_s, present, eyes)
    out = np.zeros((lives, 5))
    for j in range(len(need)):
        out[int(need[j, 0] // step_s), 1] += need[j, 1] - need[j, 0]
    n, w = 0, 0
    for j in range(len(lit)):
        life = min(int(lit[j, 0] // step_s), lives - 1)
        seconds, n = _within(need, n, lit[j, 0], lit[j, 1])
        out[life, 1] -= seconds
        seconds, w = _within(nobody, w, lit[j, 0], lit[j, 1])
        out[life, 2] += seconds
    n, w, f = 0, 0, 0
    for j in range(len(events)):
        kind, t = int(events[j, 0]), events[j, 1]
        life = min(int(t // step_s), lives - 1)
        if kind == LIGHT:
            seconds, n = _within(need, n, t, events[j, 2])
            out[life, 1] -= seconds
            seconds, w = _within(nobody, w, t, events[j, 2])
            out[life, 2] += seconds
        elif kind == FALL:
            while f < len(need) and need[f, 1] <= t:
                f += 1
            if f < len(need) and need[f, 0] <= t:
                out[life, 0] += 1.0
        elif kind == WAVE:
            out[life, 3] += 1.0
        elif kind == PRESS:
            out[life, 4] += 1.0
    for life in range(lives):
        # Sums of many parts may end a hair below nothing.
        out[life, 1], out[life, 2] = max(out[life, 1], 0.0), max(out[life, 2], 0.0)
    return out

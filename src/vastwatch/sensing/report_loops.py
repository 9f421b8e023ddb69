"""What devices make of what they notice, one notice after the other, compiled."""

from __future__ import annotations

import numpy as np

from vastwatch.draw_loops import compiled


@compiled
def held(start, end, hold_s):  # type: ignore[no-untyped-def]
    """[on, off) rows of a device that stays on for its hold after each notice [start, end), sorted by start."""
    out, n = np.empty((len(start), 2)), 0
    for k in range(len(start)):
        off = end[k] + hold_s
        if n and start[k] <= out[n - 1, 1]:
            out[n - 1, 1] = max(out[n - 1, 1], off)
        else:
            out[n, 0], out[n, 1] = start[k], off
            n += 1
    return out[:n]


@compiled
def held_and_blind(start, end, hold_s, rearm_s):  # type: ignore[no-untyped-def]
    """[on, off) rows of one that is blind for `rearm_s` after each: deaf to what begins meanwhile."""
    out, n = np.empty((len(start), 2)), 0
    reach = -np.inf
    for k in range(len(start)):
        reach = max(reach, end[k])
        off = reach + hold_s
        if n and start[k] <= out[n - 1, 1]:
            out[n - 1, 1] = max(out[n - 1, 1], off)
        elif not n or start[k] >= out[n - 1, 1] + rearm_s:
            out[n, 0], out[n, 1] = start[k], off
            n += 1
    return out[:n]

"""What a device reports of what it noticed: on from a notice until its device hold time after the last, then perhaps
blind.

Notices are [start, end) stretches sorted by start, instants having both alike.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from vastwatch.sensing.model import MountedSensor, model_of

Array = NDArray[np.float64]


def hold_and_blind_s(mounted: MountedSensor, own_hold_s: float) -> tuple[float, float] | None:
    """How long a device, or a part of one, reports after the last notice, and cannot report after that, seconds; None
    for one that senses nobody."""
    model = model_of(mounted.device.family)
    return None if model is None else (max(own_hold_s, model.least_s), model.blind_s(mounted.device))


def report_intervals(mounted: MountedSensor, start: Array, end: Array, own_hold_s: float) -> Array:
    """[on, off) rows, (m, 2), that a device makes of its notices, before its latency."""
    how = hold_and_blind_s(mounted, own_hold_s)
    if how is None:
        return np.empty((0, 2))
    hold, blind = how
    return hold_blind_merge(start, end, hold, blind) if blind > 0 else hold_merge(start, end, hold)


def hold_merge(start: Array, end: Array, own_hold_s: float) -> Array:
    """[on, off) rows of a device that stays on for its device hold time after what it noticed, merged where they
    meet."""
    if len(start) == 0:
        return np.empty((0, 2))
    end = np.maximum.accumulate(end + own_hold_s)
    apart = start[1:] > end[:-1]
    return np.column_stack([start[np.concatenate([[True], apart])], end[np.concatenate([apart, [True]])]])


def hold_blind_merge(start: Array, end: Array, hold: float, blind: float) -> Array:
    """The same of a device that is blind for some seconds after each report, and deaf to what begins meanwhile."""
    if len(start) == 0:
        return np.empty((0, 2))
    reach = np.maximum.accumulate(end)
    # A run ends where the next notice is more than `hold` away. Whenever a report begins in it, it ends with the run,
    # and the next report begins with the first notice after the blind time.
    ends = np.flatnonzero(start[1:] > reach[:-1] + hold)
    last = np.append(ends, len(start) - 1)
    off = reach[last] + hold
    first = np.append(0, ends + 1)
    after = np.maximum(start.searchsorted(off + blind), last + 1)
    # Nearly all runs begin a report with their first notice. Where blindness reaches into the runs that follow, the
    # report after it begins later, and what lies within it begins none.
    runs = np.append(first, len(start)).searchsorted(after, side="right") - 1
    there = np.ones(len(first) + 1, bool)
    begin, until = np.append(first, 0), 0
    for k in np.flatnonzero(after > last + 1).tolist():
        if k >= until:
            until = int(runs[k])
            there[k + 1 : until] = False
            begin[until] = after[k]
    there = there[:-1]
    return np.column_stack([start[begin[:-1][there]], off[there]])

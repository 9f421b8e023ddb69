"""What is left of many notices once those are out on which no report depends."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def merge_notices(start: Array, end: Array, hold: float, blind: float) -> tuple[Array, Array]:
    """Return notices (sorted by start) without those that cannot change any report of a device with this hold and blind
    time.

    Within a run (no gap longer than the hold) only its first instant, its last end, and what lies within the device's
    blind time after the first count: a report ends `hold` after a run, and the next run begins later than that, so
    that no blindness reaches further into it. Each row ends where the next of its run begins.
    """
    if len(start) == 0:
        return start, end
    reach = np.maximum.accumulate(end)
    first = np.concatenate([[True], start[1:] > reach[:-1] + hold])
    run = np.cumsum(first) - 1
    begins = start[first]
    last = np.append(np.flatnonzero(first)[1:], len(start)) - 1
    keep = first.copy()
    if blind > 0:
        early = start <= begins[run] + blind
        # The first one after the blind time as well: the report may begin with it.
        keep |= early | np.concatenate([[False], early[:-1]])
    keep[last] = True
    index = np.flatnonzero(keep)
    start, end, run = start[index], np.append(start[index][1:], 0.0), run[index]
    # What is left out lies between what is kept: the run goes on from each to the next, and from the last to its end.
    closes = np.append(run[1:] != run[:-1], True)
    end[closes] = reach[last]
    return start, end

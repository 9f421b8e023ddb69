"""What is left of many notices once those are out on which no report depends."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def condensed(start: Array, end: Array, hold: float, blind: float) -> tuple[Array, Array]:
    """Notices, sorted by start, less those that no report can depend on.

    Within a run (no gap longer than the hold) only its first instant, its last end, and what lies within the device's
    blind time after the first count: a report ends `hold` after a run, and the next run begins later than that, so
    that no blindness reaches further into it. Each row ends where the next of its run begins.
    """
    if len(start) == 0:
        return start, end
    # Loaded where anything is noticed: the compiler takes a moment.
    from vastwatch.rehearsal import notice_loops

    kept_start, kept_end = notice_loops.condensed(start, end, float(hold), float(blind))
    return kept_start, kept_end

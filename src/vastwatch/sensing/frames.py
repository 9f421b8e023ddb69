"""m of n: how long a radar takes to confirm what each frame finds with a chance."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.memo import memoised

Array = NDArray[np.float64]


def exact_mean_frames(p: float, m: int, n: int) -> float:
    """Mean number of frames until, for the first time, m of the last n have hit, each with chance p.

    Solved exactly: the state is which of the last n - 1 frames hit; E = 1 + P E over the states short of m hits.
    """
    if p <= 0:
        return math.inf
    mask = (1 << (n - 1)) - 1
    states = [s for s in range(mask + 1) if s.bit_count() < m]
    place = {s: i for i, s in enumerate(states)}
    a = np.eye(len(states))
    for s in states:
        for hit, weight in ((0, 1 - p), (1, p)):
            if s.bit_count() + hit >= m:
                continue
            after = ((s << 1) | hit) & mask
            a[place[s], place[after]] -= weight
    return float(np.linalg.solve(a, np.ones(len(states)))[place[0]])


@memoised
def _frames_table(m: int, n: int) -> tuple[Array, Array]:
    p = np.concatenate([np.geomspace(1e-3, 0.2, 60), np.linspace(0.21, 1.0, 60)])
    return np.log(p), np.log([exact_mean_frames(float(q), m, n) for q in p])


def mean_frames(p: ArrayLike, m: int, n: int) -> Array:
    """`exact_mean_frames` for many p at once, by interpolation of its logarithm (to 1 part in 1,000).

    Below p = 0.001 it goes as p^-m, which is what is left of it when hits are rare.
    """
    p = np.asarray(p, float)
    log_p, log_frames = _frames_table(m, n)
    with np.errstate(divide="ignore", over="ignore"):
        log = np.log(p)
        rare = log < log_p[0]
        frames = np.interp(log, log_p, log_frames)
        frames = np.where(rare, log_frames[0] + m * (log_p[0] - log), frames)
        return np.where(frames < 60.0, np.exp(np.minimum(frames, 60.0)), np.inf)

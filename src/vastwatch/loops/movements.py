"""Small movements of those who stay, one after the other, compiled (`minor_motion_events`)."""

from __future__ import annotations

import math

import numpy as np

from vastwatch.loops.compiling import compiled
from vastwatch.loops.rng import grow_rows, normal_of


@compiled
def gaps_of(keys, since, lasts, dawn, median_s, sigma, rate):  # type: ignore[no-untyped-def]
    """As `minor_motion.motion_times`.

    A long sum would round by what came before: it is taken up anew after about as many as there may be.
    """
    t_found, of, n = np.empty(256), np.empty(256, np.int64), 0
    for k in range(len(keys)):
        reached, drawn = 0.0, 0
        while reached < lasts[k]:
            more, so_far, t = int((lasts[k] - reached) * rate[k] * 1.2) + 8, 0.0, reached
            for i in range(drawn, drawn + more):
                so_far += median_s[k] * math.exp(sigma[k] * normal_of(keys[k], i))
                t = so_far + reached
                if not t < lasts[k]:
                    break
                if since[k] + t >= dawn[k]:
                    if n == len(of):
                        t_found, of = grow_rows(t_found), grow_rows(of)
                    t_found[n], of[n] = since[k] + t, k
                    n += 1
            reached = t
            drawn += more
    return t_found[:n], of[:n]

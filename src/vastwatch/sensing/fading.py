"""M3: a still echo fades. What a radar gets back from somebody who only breathes comes and goes over minutes, as they
sink in their chair and turn: nobody is held for ever near the end of its range.

The echo is some decibels stronger or weaker than its mean, drawn anew every FADE_S with a spread of FADE_DB, which
moves the range by 10^(dB / 40). Within one such stretch detections come at random at a rate r. With q the mean of
e^(-r FADE_S) over the draws and s that of (1 - e^(-r FADE_S)) / r, the mean wait of anybody who has just come is
s / (1 - q); exactly, because each stretch that passes without a notice is followed by one like the first. Movements
noticed besides add to every r.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.memo import memoised
from vastwatch.sensing.frames import mean_frames
from vastwatch.sensing.roll_off import FRAME_SOFTNESS, detection_probability

Array = NDArray[np.float64]

# Spread of the echo of somebody at rest, dB both ways, and how long it stays so, seconds: typical figures of ours.
FADE_DB, FADE_S = 3.0, 120.0
# The law is tabulated at so many distances from NEAREST to FARTHEST of the range, for so many rates of movements.
NEAREST, FARTHEST, DISTANCES = 0.3, 2.2, 191
SLOWEST, QUICKEST, RATES = 1e-6, 10.0, 29
# What fades is taken at so many equal steps of its normal law, up to so many spreads.
STEPS, SPREADS = 81, 4.0
# Less than this a second is nothing.
NOTHING = 1e-9


class Fading(NamedTuple):
    """Of a radar with so many frames a second that confirms by m of n."""

    frame_hz: float
    m: int
    n: int

    def rate(self, near: ArrayLike, fade_db: ArrayLike) -> Array:
        """Detections per second at a distance, as a share of the range, with an echo so many decibels stronger."""
        return _rate(self, np.asarray(near, float) * 10.0 ** (-np.asarray(fade_db, float) / 40.0))

    def excess(self, near: Array, moving: ArrayLike) -> Array:
        """By how much one over the mean wait is more than the rate of movements noticed, per second, (n,)."""
        table = _table(self)
        at = np.clip((near - NEAREST) / (FARTHEST - NEAREST), 0.0, 1.0) * (DISTANCES - 1)
        i = np.minimum(at.astype(int), DISTANCES - 2)
        along = at - i
        rates = np.clip(np.asarray(moving, float), SLOWEST, QUICKEST)
        up = np.log(rates / SLOWEST) * ((RATES - 1) / np.log(QUICKEST / SLOWEST))
        j = np.minimum(up.astype(int), RATES - 2)
        more = up - j
        low = table[i, j] * (1 - along) + table[i + 1, j] * along
        high = table[i, j + 1] * (1 - along) + table[i + 1, j + 1] * along
        found = np.exp(low * (1 - more) + high * more)
        return np.where((near < FARTHEST) & (found > NOTHING), found, 0.0)


def fading_rates(f: Fading, near: ArrayLike) -> tuple[Array, Array]:
    """The rates at which somebody at a distance is detected, stretch by stretch, per second, (..., draws), and
    how likely each is, (draws,)."""
    z = np.linspace(-SPREADS, SPREADS, STEPS)
    weight = np.exp(-0.5 * z * z)
    return f.rate(near, FADE_DB * z), weight / weight.sum()


def _rate(f: Fading, near: Array) -> Array:
    frames = mean_frames(detection_probability(near, 1.0, FRAME_SOFTNESS), f.m, f.n)
    return np.where(np.isfinite(frames), f.frame_hz / frames, 0.0)


@memoised
def _table(f: Fading) -> Array:
    """Logarithms of the excess, (distances, rates of movements)."""
    near = np.linspace(NEAREST, FARTHEST, DISTANCES)
    alone, weight = fading_rates(f, near[:, None])
    out = np.empty((DISTANCES, RATES))
    for k, moving in enumerate(np.geomspace(SLOWEST, QUICKEST, RATES).tolist()):
        r = alone + moving
        noticed = -np.expm1(-r * FADE_S)
        out[:, k] = noticed @ weight / ((noticed / r) @ weight) - moving
    return np.log(np.maximum(out, 1e-12))

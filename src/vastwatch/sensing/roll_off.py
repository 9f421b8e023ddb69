"""How a range ends: not at a line, but softly around it."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

# Softness of a passive infrared sensor's range: p falls from 0.99 to 0.01 between about 0.63 and 1.37 of it.
SOFTNESS = 0.08
# And of a radar's, for each frame.
FRAME_SOFTNESS = 0.06


def detection_probability(r: ArrayLike, reach: ArrayLike, softness: float = SOFTNESS) -> NDArray[np.float64]:
    """Chance that one look at distance r notices, by a sensor of that range: 1/2 at the range itself (M2, M3)."""
    r, reach = np.asarray(r, float), np.asarray(reach, float)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        p = 1.0 / (1.0 + np.exp(np.minimum((r / reach - 1.0) / softness, 700.0)))
    return np.where(reach > 0, p, 0.0)

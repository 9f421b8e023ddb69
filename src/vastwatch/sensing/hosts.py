"""Who is at the thing a sensor is fixed to."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from vastwatch.geometry import polygons
from vastwatch.site.building import Furnishing


def near_host(host: Any, points: NDArray[np.float64], reach: float) -> NDArray[np.bool_]:
    """Which of the (n, 2) points lie on a furnishing or within reach of it."""
    if not isinstance(host, Furnishing):
        return np.zeros(len(points), bool)
    outline = np.asarray(host.outline, float)
    inside = polygons.contains(outline, points)
    following = np.roll(outline, -1, axis=0)
    for i in np.flatnonzero(~inside):
        distance, _ = polygons.nearest_on_segments(points[i], outline, following)
        inside[i] = distance.min() <= reach
    return inside

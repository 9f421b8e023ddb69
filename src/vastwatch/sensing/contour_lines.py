"""The lines of equal notice time of the sensors of a project, for drawings: the same map that the desk paints."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Project, find
from vastwatch.devices import AREA_FAMILIES
from vastwatch.sensing.bodies import Subject
from vastwatch.sensing.coverage import coverage

# Noticed within so many seconds.
LIMITS_S = (1.0, 5.0, 30.0, 300.0)


def contour_lines(project: Project, figure: Subject = "across") -> dict[str, dict[float, list[NDArray[np.float64]]]]:
    """Of each sensor that watches an area, by limit in seconds, lines of points (n, 2) in metres."""
    import contourpy

    out: dict[str, dict[float, list[NDArray[np.float64]]]] = {}
    for sensor in project.sensors:
        if find(project.devices, sensor.device).family not in AREA_FAMILIES:
            continue
        seen = coverage(project, sensor.id, figure)
        # Never is far beyond the last limit, and yet a number that lines can be drawn between.
        time = np.where(np.isfinite(seen.notice_s), seen.notice_s, 1e6)
        if min(time.shape) < 2:
            continue
        made = contourpy.contour_generator(seen.grid.x, seen.grid.y, np.log(np.maximum(time, 1e-3)))
        out[sensor.id] = {limit: [np.asarray(x) for x in made.lines(float(np.log(limit)))] for limit in LIMITS_S}
    return out

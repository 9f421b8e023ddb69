"""How the sensors of a room watch somebody at a spot, for the law of silences (`gap_model`)."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np

from vastwatch.advice.detection.gap_model import SpotDetection
from vastwatch.design.placed import at_hour, own_hold_s
from vastwatch.design.project import Project, find
from vastwatch.sensing.bodies import LARGE_SHARE, Stayer
from vastwatch.sensing.coverage import spot_body
from vastwatch.sensing.model import MountedSensor, StayDetection, stay_detection
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Spot


def spot_detections(project: Project, sensors: Iterable[str], spot: Spot) -> tuple[SpotDetection, ...]:
    """How some placed sensors watch somebody at a spot; those of another level do not."""
    level = find(project.rooms, spot.room).level
    there = (s for ident in sensors if (s := find(project.sensors, ident)).level == level)
    return tuple(spot_detection(mount(project, at_hour(s)), spot) for s in there)


def spot_detection(mounted: MountedSensor, spot: Spot) -> SpotDetection:
    """How a mounted sensor of its level watches somebody at a spot."""
    at = np.array([spot.at], float)
    return stay_spot_detection(mounted, stay_detection(mounted, at, Stayer(spot_body(spot), spot.facing)), 0)


def stay_spot_detection(mounted: MountedSensor, seen: StayDetection, k: int) -> SpotDetection:
    """How a mounted sensor watches the k-th of those whom it notices so."""
    moving = float(LARGE_SHARE * seen.large[k] + (1 - LARGE_SHARE) * seen.small[k])
    at_rest = float(seen.still_per_s[k])
    own = own_hold_s(mounted.device, mounted.sensor.settings)
    if seen.fading is None or seen.range_ratio is None:
        return SpotDetection(moving, at_rest, own)
    # What it notices at rest by that echo is in `range_ratio`; what is besides is of its other parts.
    besides = at_rest - float(seen.fading.excess(seen.range_ratio[k : k + 1], 0.0)[0])
    near = float(seen.range_ratio[k])
    return SpotDetection(moving, max(besides, 0.0), own, seen.fading if math.isfinite(near) else None, near)

"""One question to any sensor: how readily is a body noticed at these places?

The families differ inside (`pir`, `radar`); here they answer alike, for the coverage map, the rehearsal and the
explanations.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.design.edits import room_of
from vastwatch.design.project import Project, find, find_any
from vastwatch.design.records import Sensor
from vastwatch.devices import AREA_FAMILIES, DeviceType, DualType, PirType, RadarType
from vastwatch.sensing import pir, radar, touch
from vastwatch.sensing.figures import LARGE_SHARE, Body
from vastwatch.sensing.scene import Obstacles, obstacles

Array = NDArray[np.float64]


# What takes longer than ten days never happens.
NEVER_S = 864_000.0


class Placed(NamedTuple):
    """A sensor with everything around it that its sensing reads. Hashable parts only, so results can be cached."""

    sensor: Sensor
    device: DeviceType
    around: Obstacles
    ambient_c: float
    # The record it is fixed to, where it watches that; the parts of one that is two in one housing.
    host: Any = None
    parts: tuple[Placed, ...] = ()


class Staying(NamedTuple):
    """How somebody who stays is noticed: by the large and the small movement (chances), and of itself (per s)."""

    large: Array
    small: Array
    still_per_s: Array

    def rate(self, fidgets_per_s: float) -> Array:
        """Notices per second with movements at a rate."""
        return fidgets_per_s * (LARGE_SHARE * self.large + (1 - LARGE_SHARE) * self.small) + self.still_per_s


def placed(project: Project, sensor: Sensor) -> Placed:
    """Gather what a sensor's sensing reads from the project."""
    device = find(project.devices, sensor.device)
    room = room_of(project, sensor)
    ambient = room.ambient_c if room else pir.CATALOGUE_C

    def alone(device: DeviceType) -> Placed:
        band = device.band_ghz if isinstance(device, RadarType) else "infrared"
        return Placed(sensor, device, obstacles(project, sensor.level, band), ambient)

    if isinstance(device, DualType):
        parts = (alone(device.pir), alone(device.radar))
        return parts[0]._replace(device=device, parts=parts)
    it = alone(device)
    if device.family in AREA_FAMILIES or sensor.on is None:
        return it
    found = find_any(project, sensor.on)
    return it._replace(host=None if found is None else found[1])


def latency_s(device: DeviceType) -> float:
    """Typical delay from noticing to the report, seconds."""
    return device.latency.typical_s


def watches_area(device: DeviceType) -> bool:
    """Whether it sees people from where it hangs, so that contours mean something."""
    return device.family in AREA_FAMILIES


def walking(it: Placed, points: Array, psi_deg: ArrayLike | None, heading_deg: ArrayLike | None, speed: float,
            body: Body) -> Array:  # fmt: skip
    """Notices per second, (n,), of a walker at each point.

    The direction is given either as the angle psi to the sight line, or as a heading on the plan.
    """
    if it.parts:
        return np.sum([walking(part, points, psi_deg, heading_deg, speed, body) for part in it.parts], axis=0)
    sensor, device, around, ambient = it[:4]
    out = np.zeros(len(points))
    if isinstance(device, PirType):
        view = pir.look(sensor, device, around, ambient, points, body)
        if psi_deg is None:
            x, y = points[view.where].T
            bearing = np.degrees(np.arctan2(y - sensor.at[1], x - sensor.at[0]))
            psi_deg = np.asarray(heading_deg, float)[view.where] - bearing
        out[view.where] = pir.walk_rate(device, view, sensor.at[2], psi_deg, speed, body)
    elif isinstance(device, RadarType):
        seen = radar.look(sensor, device, around, points, body)
        out[seen.where] = radar.walk_rate(device, seen)
    else:
        out = touch.walk_rate(sensor, device, it.host, points, body)
    return out


def staying(it: Placed, points: Array, facing_deg: ArrayLike | None, body: Body, kg: float = touch.ADULT_KG) -> Staying:
    """How somebody who stays at each point is noticed; without a facing, all sides count alike."""
    if it.parts:
        first, second = (staying(part, points, facing_deg, body, kg) for part in it.parts)
        return Staying(
            1 - (1 - first.large) * (1 - second.large), 1 - (1 - first.small) * (1 - second.small),
            first.still_per_s + second.still_per_s,
        )  # fmt: skip
    sensor, device, around, ambient = it[:4]
    out = Staying(np.zeros(len(points)), np.zeros(len(points)), np.zeros(len(points)))
    if isinstance(device, PirType):
        view = pir.look(sensor, device, around, ambient, points, body)
        out.large[view.where], out.small[view.where] = pir.fidget_chances(device, view)
        return out
    if not isinstance(device, RadarType):
        facing = np.broadcast_to(np.asarray(0.0 if facing_deg is None else facing_deg, float), len(points))
        return Staying(*touch.stay_chances(sensor, device, it.host, points, facing, body, kg))
    seen = radar.look(sensor, device, around, points, body)
    side: ArrayLike = radar.ANY_SIDE
    if facing_deg is not None:
        x, y = points[seen.where].T
        bearing = np.degrees(np.arctan2(sensor.at[1] - y, sensor.at[0] - x))
        side = radar.facing_factor(np.broadcast_to(facing_deg, len(points))[seen.where], bearing)
    out.large[seen.where] = radar.fidget_chance(device, seen)
    out.still_per_s[seen.where] = radar.still_rate(device, seen, side)
    return out


def mean_wait(rate: ArrayLike, latency: float) -> Array:
    """Mean seconds until the report, inf where nothing is ever noticed (less than once in NEVER_S)."""
    rate = np.asarray(rate, float)
    wait = np.full(rate.shape, math.inf)
    ever = rate > 1.0 / NEVER_S
    wait[ever] = 1.0 / rate[ever] + latency
    return wait

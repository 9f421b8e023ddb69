"""Sensors that watch what they are fixed to: mats, door contacts, vibration tags and plug meters.

They answer the same two questions as those that watch an area: how readily is a walker noticed at a place, and
somebody who stays there. Each is sure within its few centimetres and blind beyond them.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.records import Sensor
from vastwatch.devices import ContactType, DeviceType, MatType, PlugType, VibrationType
from vastwatch.geometry import polygons
from vastwatch.sensing.figures import LYING, PET, SEATED, Body
from vastwatch.sensing.pressure import margin, on_pad
from vastwatch.site.building import Furnishing

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]

# What is sure is noticed at once: notices per second.
SURE_PER_S = 10.0
# Somebody this near the middle of a closed door has it open, metres; it was shut behind whoever is past.
DOOR_M = 0.45
# A machine in use has somebody this near its outline, metres.
AT_MACHINE_M = 0.9
# An adult of whom nobody said how heavy, and a pet, kilograms.
ADULT_KG, PET_KG = 70.0, 4.0


def walk_rate(sensor: Sensor, device: DeviceType, host: Any, points: Array, body: Body) -> Array:
    """Notices per second of somebody walking at each of the (n, 2) points."""
    out = np.zeros(len(points))
    if isinstance(device, MatType):
        kg = PET_KG if body == PET else ADULT_KG
        if margin(sensor, device, None, sensor.at[:2], sensor.yaw, "standing", kg) >= 1.0:
            out[on_pad(sensor, device, points)] = SURE_PER_S
    elif isinstance(device, ContactType) and body != PET:
        out[np.hypot(points[:, 0] - sensor.at[0], points[:, 1] - sensor.at[1]) <= DOOR_M] = SURE_PER_S
    return out


def stay_chances(
    sensor: Sensor, device: DeviceType, host: Any, points: Array, facing_deg: Array, body: Body, kg: float
) -> tuple[Array, Array, Array]:
    """Chances that a large and a small movement of somebody staying at each point is noticed, and notices per second
    of them at rest; each (n,)."""
    n = len(points)
    large, small, still = np.zeros(n), np.zeros(n), np.zeros(n)
    if isinstance(device, MatType):
        posture = "lying" if body == LYING else "seated" if body == SEATED else "standing"
        furniture = host if isinstance(host, Furnishing) else None
        for i in range(n):
            m = margin(sensor, device, furniture, (points[i, 0], points[i, 1]), float(facing_deg[i]), posture, kg)
            still[i] = SURE_PER_S if m >= 1.0 else 0.0
    elif isinstance(device, VibrationType):
        on = _near(host, points, 0.1)
        large[on], small[on] = device.large_share, device.small_share
    elif isinstance(device, PlugType):
        still[_near(host, points, AT_MACHINE_M)] = SURE_PER_S
    return large, small, still


def _near(host: Any, points: Array, reach: float) -> Bools:
    """Which points lie on a furnishing or within reach of it."""
    if not isinstance(host, Furnishing):
        return np.zeros(len(points), bool)
    outline = np.asarray(host.outline, float)
    inside = polygons.contains(outline, points)
    following = np.roll(outline, -1, axis=0)
    for i in np.flatnonzero(~inside):
        distance, _ = polygons.nearest_on_segments(points[i], outline, following)
        inside[i] = distance.min() <= reach
    return inside


def reach_m(device: DeviceType) -> float:
    """How far from itself such a device says anything, metres."""
    if isinstance(device, MatType):
        return math.hypot(*device.pad) / 2
    return DOOR_M if isinstance(device, ContactType) else AT_MACHINE_M

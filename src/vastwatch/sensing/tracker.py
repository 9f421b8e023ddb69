"""M13: what a radar that tells places says of somebody: where it reads them, and how that scatters.

A device's own frame has its origin at the sensor, y away along its aim and x to the right as seen from it. It knows
nothing of heights: it turns a slant range, read long by its bias, and an angle into x = r sin az, y = r cos az.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.design.records import Sensor
from vastwatch.devices import RadarType
from vastwatch.sensing.bodies import BODIES, Body
from vastwatch.site.building import Hazard

# In whatever precision: reports are many.
Array = NDArray[np.floating[Any]]

# What a radar measures of somebody is about the chest, metres above the floor.
CHEST_M = {"standing": 1.2, "seated": 0.9, "lying": 0.55, "pet": 0.2}
# What a walk has found counts while the sensor is drawn no farther from that: metres, degrees.
FOUND_WITHIN_M, FOUND_WITHIN_DEG = 0.75, 25.0
# Of a body not among these the chest is so far up it.
CHEST_SHARE = 0.7
# The reflecting point wanders over the body, each way on the plan; correlated over about so long.
WANDER_M, WANDER_S = 0.12, 2.0
# Two people nearer to each other than this are one target.
APART_M = 0.5
# A report at this rate, Hz; how long a false trigger is followed as a target, seconds.
REPORT_HZ, FALSE_TARGET_S = 1.0, 3.0


def chest_height(body: Body) -> float:
    """The height of a body's chest above the floor, metres."""
    return _CHEST.get((body.low, body.high), CHEST_SHARE * body.high)


_CHEST = {(b.low, b.high): CHEST_M[name] for name, b in BODIES.items()}


class Pose(NamedTuple):
    """Where a device stands for its readings: on the plan, its height, its aim (degrees, 0 along +x, against the
    clock), how much too long it reads, and by what factor."""

    x: float
    y: float
    height: float
    yaw: float
    bias: float
    scale: float = 1.0

    def range_of(self, slant: Array) -> Array:
        """What is read of a slant range."""
        return self.scale * slant + self.bias

    def slant_of(self, read: Array) -> Array:
        """The slant range that a reading means; below zero where it reads less than it can."""
        return (read - self.bias) / self.scale


class Scatter(NamedTuple):
    """How readings of one spot scatter: in range (m), in angle (radians), and by the wander on the body (m)."""

    range_m: float
    angle: float
    wander_m: float = WANDER_M


def pose_of(sensor: Sensor, device: RadarType) -> Pose:
    """The pose that a placed sensor's readings mean: as a walk has found it, where it still is mounted there; else as
    it is drawn. The type is as it is placed: a bias that was found is in it."""
    s = sensor.settings
    (x, y), yaw = sensor.at[:2], sensor.yaw
    if is_pose_current(sensor):
        x, y = s.measured_at or (x, y)
        yaw = yaw if s.measured_yaw is None else s.measured_yaw
    return Pose(x, y, sensor.at[2], yaw, device.bias_r_m, device.scale_r)


def is_pose_current(sensor: Sensor) -> bool:
    """Whether a sensor is mounted about where a walk has found it: moved or turned since, that counts no more."""
    s = sensor.settings
    moved = 0.0 if s.measured_at is None else math.dist(s.measured_at, sensor.at[:2])
    turned = 0.0 if s.measured_yaw is None else abs((s.measured_yaw - sensor.yaw + 180.0) % 360.0 - 180.0)
    return moved <= FOUND_WITHIN_M and turned <= FOUND_WITHIN_DEG


def scatter_of(device: RadarType) -> Scatter:
    """The scatter of a type's readings."""
    return Scatter(device.sigma_r_m, math.radians(device.sigma_az_deg))


def to_device_frame(pose: Pose, points: ArrayLike) -> Array:
    """Points of the plan, (n, 2), as (u right, v ahead) of a device, in metres on the plan."""
    p = _floating(points).reshape(-1, 2)
    yaw = math.radians(pose.yaw)
    x, y = p[:, 0] - pose.x, p[:, 1] - pose.y
    ahead = x * math.cos(yaw) + y * math.sin(yaw)
    right = x * math.sin(yaw) - y * math.cos(yaw)
    return np.column_stack([right, ahead])


def to_plan(pose: Pose, frame: ArrayLike) -> Array:
    """The inverse of `to_device_frame`."""
    f = np.asarray(frame, float).reshape(-1, 2)
    yaw = math.radians(pose.yaw)
    x = pose.x + f[:, 1] * math.cos(yaw) + f[:, 0] * math.sin(yaw)
    y = pose.y + f[:, 1] * math.sin(yaw) - f[:, 0] * math.cos(yaw)
    return np.column_stack([x, y])


def readings(pose: Pose, points: ArrayLike, chest: ArrayLike) -> Array:
    """What the device reads, (n, 2) of x to the right and y ahead in metres, of somebody at points of the plan whose
    chest is so high; without scatter."""
    frame = to_device_frame(pose, points)
    plan = np.hypot(frame[:, 0], frame[:, 1])
    r = pose.range_of(np.hypot(plan, np.asarray(chest, float) - pose.height))
    # Straight under it there is no direction: it reads ahead.
    unit = np.where(plan[:, None] > 1e-9, frame / np.maximum(plan, 1e-9)[:, None], (0.0, 1.0))
    return unit * r[:, None]


def positions_of(pose: Pose, read: ArrayLike, chest: ArrayLike) -> Array:
    """Where on the plan somebody is whose chest is so high and of whom the device reads that: the inverse of
    `readings`. What is read as nearer than the chest can be is straight under it."""
    xy = np.asarray(read, float).reshape(-1, 2)
    r = np.hypot(xy[:, 0], xy[:, 1])
    dz = np.asarray(chest, float) - pose.height
    slant = pose.slant_of(r)
    plan = np.sqrt(np.maximum(slant**2 - dz * dz, 0.0)) * (slant > 0.0)
    return to_plan(pose, xy * (plan / np.maximum(r, 1e-9))[:, None])


class ReadingNoise(NamedTuple):
    """Standard normals a report needs, (n,) each: wander along and across the plan's axes, range, angle."""

    wander_x: Array
    wander_y: Array
    range: Array
    angle: Array


def noisy_readings(pose: Pose, scatter: Scatter, points: ArrayLike, chest: ArrayLike, drawn: ReadingNoise) -> Array:
    """Reports, (n, 2), of somebody at points of the plan, with their scatter, by the definition of M13."""
    p = _floating(points).reshape(-1, 2)
    x = p[:, 0] + scatter.wander_m * drawn.wander_x
    y = p[:, 1] + scatter.wander_m * drawn.wander_y
    frame = to_device_frame(pose, np.column_stack([x, y]))
    dz = _floating(chest) - pose.height
    slant = np.sqrt(frame[:, 0] ** 2 + frame[:, 1] ** 2 + dz * dz)
    r = pose.range_of(slant) + scatter.range_m * drawn.range
    angle = np.arctan2(frame[:, 0], frame[:, 1]) + scatter.angle * drawn.angle
    return np.column_stack([r * np.sin(angle), r * np.cos(angle)])


def _floating(values: ArrayLike) -> Array:
    """As numbers with a fraction, in the precision they come in."""
    out = np.asarray(values)
    return out if out.dtype.kind == "f" else out.astype(float)


class MirrorLine(NamedTuple):
    """A mirror on the plan: the middle of it, the normal to its long side, and how far it reaches from the middle."""

    middle: tuple[float, float]
    normal: tuple[float, float]
    reach: float


def mirror_line(hazard: Hazard) -> MirrorLine:
    """The long middle line of the outline of a mirror or a plane of metal, at which people are mirrored."""
    outline = np.asarray(hazard.outline, float)
    sides = np.roll(outline, -1, axis=0) - outline
    along = sides[np.hypot(sides[:, 0], sides[:, 1]).argmax()]
    along = along / max(float(np.hypot(*along)), 1e-9)
    x, y = outline.mean(axis=0).tolist()
    reach = float(np.abs((outline - (x, y)) @ along).max())
    return MirrorLine((x, y), (-float(along[1]), float(along[0])), reach)


def mirrored(hazard: Hazard, points: ArrayLike) -> tuple[Array, NDArray[np.bool_]]:
    """Points of the plan, (n, 2), behind a mirror or a plane of metal: mirrored at its line; and whether each is in
    front of it, so that its image is seen through it."""
    line = mirror_line(hazard)
    p, normal = np.asarray(points, float).reshape(-1, 2), np.array(line.normal)
    off = (p - line.middle) @ normal
    along = np.array([normal[1], -normal[0]])
    return p - 2.0 * off[:, None] * normal, np.abs((p - line.middle) @ along) <= line.reach

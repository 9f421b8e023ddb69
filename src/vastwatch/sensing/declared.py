"""What a type's model gives in the tests by which a box declares its ranges, beside what the box says.

Practice declares three areas of a motion detector: of somebody walking across, walking towards it, and sitting and
moving an arm; at its own height, over an empty floor, at a set difference of temperature. Here the same is walked in
the model, on a fan of directions. What is noticed in half of the trials counts, which is where a box's range ends.

- *Across*: walks of ACROSS_M at WALK_SPEED at right angles to the sight line.
- *Towards*: walks along the sight line from beyond the range; where half have been noticed.
- *Seated*: ARM_MOVES movements of an arm, by somebody in a chair.
- *At rest*: somebody in a chair, facing it, who only breathes, noticed within REST_S on average; of what can.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Level, Project
from vastwatch.design.records import Sensor, Settings
from vastwatch.devices import DeviceType, DualType, RadarType
from vastwatch.memo import memoised
from vastwatch.sensing.bodies import SEATED, STANDING, Stayer, Walker
from vastwatch.sensing.model import MountedSensor, assemble_sensor, stay_detection, walker_rate, watches_area
from vastwatch.sensing.obstacles import obstacles

Array = NDArray[np.float64]

WALK_SPEED, ACROSS_M, ARM_MOVES, REST_S = 1.0, 2.0, 5, 30.0
# Directions off the axis, degrees, and steps along them, metres.
DIRECTIONS, STEP_M = tuple(range(-90, 91, 5)), 0.1
# Looked at out to so many times the range on the box.
BEYOND = 1.6


class Declared(NamedTuple):
    """Metres on the plan in each of DIRECTIONS, (n,) each, in which the test finds somebody all the way from where it
    finds them first; 0 where nowhere."""

    across: Array
    towards: Array
    seated: Array
    rest: Array

    def on_axis(self) -> tuple[float, float, float, float]:
        """The farthest near the axis, of each: on the axis itself a wall unit may look over who is close."""
        middle = slice(len(DIRECTIONS) // 2 - 2, len(DIRECTIONS) // 2 + 3)
        return tuple(float(a[middle].max()) for a in self)  # type: ignore[return-value]

    def areas_m2(self) -> tuple[float, float, float, float]:
        """The area of each fan, square metres."""
        step = math.radians(DIRECTIONS[1] - DIRECTIONS[0])
        return tuple(float(0.5 * step * (0.5 * (a[1:] ** 2 + a[:-1] ** 2)).sum()) for a in self)  # type: ignore[return-value]


def claimed_ranges(device: DeviceType) -> tuple[float, float, float, float]:
    """What the box says of the same four, metres, on the floor where it names that; 0 for what it does not claim."""
    if isinstance(device, DualType):
        both = zip(claimed_ranges(device.pir), claimed_ranges(device.radar))
        return tuple(max(pair) for pair in both)  # type: ignore[return-value]
    if isinstance(device, RadarType) and device.floor_m is not None:
        return (device.floor_m,) * 3 + (device.floor_still_m or 0.0,)
    across = getattr(device, "tangential_m", 0.0) or getattr(device, "moving_m", 0.0)
    towards = getattr(device, "radial_m", 0.0) or getattr(device, "moving_m", 0.0)
    return across, towards, getattr(device, "minor_m", 0.0) or getattr(device, "moving_m", 0.0), device.still_reach_m()


def bench_mounted(device: DeviceType) -> MountedSensor:
    """A type mounted as its figures are meant, over an empty floor."""
    bare = Project(
        name="", levels=(Level(id="floor", name="", elevation=0.0, height=max(2.5, device.mount_height + 0.1)),)
    )
    tilt = -90.0 if "ceiling" in device.mounts else device.tilt
    sensor = Sensor(
        id="tested", device=device.id, level="floor", name="", at=(0.0, 0.0, device.mount_height), pitch=tilt,
        settings=Settings(),
    )  # fmt: skip
    return assemble_sensor(sensor, device, None, None, lambda band: obstacles(bare, "floor", band))


@memoised
def declared(device: DeviceType) -> Declared | None:
    """The areas that a type's model gives in the tests; None for what watches no area."""
    if not watches_area(device):
        return None
    it = bench_mounted(device)
    far = BEYOND * max(device.reach_m(), device.still_reach_m(), 1.0)
    r = np.arange(STEP_M, far, STEP_M)
    bearing = np.radians(DIRECTIONS)
    points = np.column_stack([(np.cos(bearing)[:, None] * r).ravel(), (np.sin(bearing)[:, None] * r).ravel()])
    shape = len(DIRECTIONS), len(r)

    def walked(psi: float) -> Array:
        return walker_rate(it, points, Walker(STANDING, WALK_SPEED, psi)).reshape(shape)

    across = -np.expm1(-walked(90.0) * ACROSS_M / WALK_SPEED) >= 0.5
    # From afar inwards: the hazard that has been met on the way.
    met = np.cumsum(walked(0.0)[:, ::-1], axis=1)[:, ::-1] * STEP_M / WALK_SPEED
    # In the chair they face it.
    facing = np.repeat(np.asarray(DIRECTIONS, float) + 180.0, len(r))
    seen = stay_detection(it, points, Stayer(SEATED, facing))
    arm = (1.0 - (1.0 - seen.large) ** ARM_MOVES >= 0.5).reshape(shape)
    rest = (seen.rate(0.0) >= 1.0 / REST_S).reshape(shape)
    towards = met >= math.log(2.0)
    return Declared(*(np.where(ok.any(axis=1), r[len(r) - 1 - ok[:, ::-1].argmax(axis=1)], 0.0)
                      for ok in (across, towards, arm, rest)))  # fmt: skip

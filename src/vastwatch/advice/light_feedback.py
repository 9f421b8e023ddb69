"""A lamp that lifts its own sensor of light: dark, so it comes on; on, so it is not dark; off, and so on. How much it
lifts it by, whether it then blinks, and the thresholds that cure it."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from vastwatch.control.darkness import read_by, thresholds
from vastwatch.control.photometry import candela, height_of, indirect_lux, photometry_of
from vastwatch.design.ladders import as_wired, asked, governed, scenes_of_rows
from vastwatch.design.project import Project, find
from vastwatch.design.records import Lamp, Sensor
from vastwatch.design.relations import lamps_in
from vastwatch.site.building import Room

# What a sensor that looks at the floor sees of light that falls there: the reflectance of floors, as a share.
FLOOR = 0.2
# A cure keeps so much between what the lamps add and the gap of the thresholds.
MARGIN = 1.2


class Feedback(NamedTuple):
    """Of a room whose dark is told by a sensor of light: the sensor, what the room's own light adds to its reading, the
    two thresholds, whether the light would blink, every how many seconds, and the upper threshold that cures it."""

    sensor: str
    lifts_lux: float
    below: float
    until: float
    blinks: bool
    every_s: float
    cure: float


def feedback(project: Project, room: str) -> Feedback | None:
    """How a room's light and its sensor of light play together; None where no sensor tells the dark."""
    record = find(project.rooms, room)
    source = record.darkness
    if source is None or source.source not in ("sensor", "flag") or source.sensor is None:
        return None
    sensor = find(project.sensors, source.sensor)
    lifts = lifted(project, record, sensor)
    below, until = thresholds(project, record, source)
    every = 2.0 * read_by(project, source).interval_s
    blinks = below + lifts > until
    cure = math.ceil((below + MARGIN * lifts) / 10.0) * 10.0
    return Feedback(sensor.id, lifts, below, until, blinks, every, cure)


def lifted(project: Project, room: Room, sensor: Sensor) -> float:
    """What the brightest that a room's ladder asks for adds to the reading of a sensor, lux: what falls on it straight
    from the lamps, and what the room reflects."""
    lamps = governed(project, room.id) or tuple(as_wired(project, x) for x in lamps_in(project, room.id))
    goals = (
        asked(lamps, scenes_of_rows(project, room.id)).goals if governed(project, room.id) else np.ones((1, len(lamps)))
    )
    full = np.array([_on_sensor(project, room, lamp, sensor) for lamp in lamps])
    return float((goals @ full).max(initial=0.0))


def _on_sensor(project: Project, room: Room, lamp: Lamp, sensor: Sensor) -> float:
    height = find(project.levels, room.level).height
    at, to = np.array([*lamp.at, height_of(project, lamp)]), np.array(sensor.at)
    ray = to - at
    distance = max(float(np.linalg.norm(ray)), 0.1)
    gamma = math.degrees(math.acos(np.clip(-ray[2] / distance, -1.0, 1.0)))
    c = math.degrees(math.atan2(ray[1], ray[0]))
    yaw, pitch = math.radians(sensor.yaw), math.radians(sensor.pitch)
    facing = np.array([math.cos(pitch) * math.cos(yaw), math.cos(pitch) * math.sin(yaw), math.sin(pitch)])
    falls = max(float(-(ray / distance) @ facing), 0.0)
    strength = float(candela(lamp, photometry_of(project, lamp), np.array([c]), np.array([gamma]))[0])
    return strength * falls / distance**2 + indirect_lux(lamp.lumens, room, height)

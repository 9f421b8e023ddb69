"""Darkness as told by a light sensor that sees the room's own lamps: what they add to its reading, what follows.

At each of its readings the sensor sees daylight, and what the lamps give that are on just then; they are on as the
room's ladders say while it was dark, or was not, since the reading before. So each reading is a step from *was dark* to
*is dark*: one that says dark either way, bright either way, the same as before, or the opposite of before. The last is
what blinks. Steps are joined without going through them one by one: since the last that says the same either way, every
opposite turns it over.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.house import conclude
from vastwatch.control.ladder import Winners
from vastwatch.control.light.darkness import (
    Daylight,
    SensorSampling,
    daylight_on,
    latch_steps,
    sampling_of,
    thresholds,
    zero_order_hold,
)
from vastwatch.control.light.illuminance import candela, height_of, indirect_lux, photometry_of
from vastwatch.control.lighting import run_ladders
from vastwatch.control.recording import Recording
from vastwatch.design.ladders import as_wired, ladders_in, scene_levels
from vastwatch.design.project import Project, find
from vastwatch.design.records import Lamp, Sensor
from vastwatch.design.relations import lamps_in, presence_of
from vastwatch.memo import memoised
from vastwatch.signals import Calendar, Signal
from vastwatch.signals.memoised_ops import always, both, never
from vastwatch.site.building import Room

Array = NDArray[np.float64]


def self_lux_by_scene(project: Project, room: Room, sensor: Sensor) -> list[Array]:
    """By ladder of a room, what each scene that it asks for adds to the reading of a sensor, lux, and last what nothing
    does, which is nothing: what falls on it straight from the lamps, and what the room reflects. Without a ladder: of
    all lamps full on, and nothing."""
    ladders = ladders_in(project, room.id)
    if ladders:
        return [_lifts(project, room, sensor, x.lamps, scene_levels(x.lamps, x.scenes).goals) for x in ladders]
    lamps = tuple(as_wired(project, x) for x in lamps_in(project, room.id))
    return [_lifts(project, room, sensor, lamps, np.array([[1.0], [0.0]]) * np.ones(len(lamps)))]


def max_self_lux(project: Project, room: Room, sensor: Sensor) -> float:
    """The most that the lamps of a room, as its ladders ask for them, can add to the reading of a sensor, lux."""
    return sum(float(x.max(initial=0.0)) for x in self_lux_by_scene(project, room, sensor))


def _lifts(project: Project, room: Room, sensor: Sensor, lamps: tuple[Lamp, ...], goals: Array) -> Array:
    return np.asarray(goals @ np.array([_on_sensor(project, room, lamp, sensor) for lamp in lamps]), float)


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


def with_self_illumination(project: Project, recording: Recording) -> Recording:
    """A recording with what light sensors say of the dark of rooms whose own lamps they see, as far as sensors of
    people conclude; the same recording where there is none such.

    What people do about it, and what hands press above the ladder, is not looked at; where a hand switches on,
    daylight alone is read.
    """
    rooms = [r for r in project.rooms if _sees_own(project, r)]
    if any(what == "dark" for what, _ in recording.facts):
        recording = _with(recording, (), ())
    if not rooms:
        return recording
    told = {("dark", room.id): _dark_in(project, room, recording) for room in rooms}
    return _with(recording, tuple(told), tuple(told.values()))


def _sees_own(project: Project, room: Room) -> bool:
    source = room.darkness
    if source is None or source.source not in ("sensor", "flag") or room.control == "absence":
        return False
    return any(s.id == source.sensor for s in project.sensors)


def _dark_in(project: Project, room: Room, recording: Recording) -> Signal:
    source = room.darkness
    assert source is not None and source.sensor is not None
    end = recording.end
    either = [_with(recording, (("dark", room.id),), (dark,)) for dark in (always(end), never(end))]
    dark, bright = (_won(project, room.id, each) for each in either)
    lifts = tuple(tuple(x.tolist()) for x in self_lux_by_scene(project, room, find(project.sensors, source.sensor)))
    below, until = thresholds(project, room, source)
    daylight = daylight_on(project, room, source)
    return _told(dark, bright, lifts, daylight, sampling_of(project, source), below, until, recording.calendar)


@memoised
def _with(recording: Recording, facts: tuple[tuple[str, str], ...], told: tuple[Signal, ...]) -> Recording:
    known = {k: v for k, v in recording.facts.items() if k[0] != "dark"}
    return Recording(recording.calendar, recording.reports, recording.observed, {**known, **dict(zip(facts, told))})


def _won(project: Project, room: str, recording: Recording) -> tuple[Winners, ...] | Signal:
    """What wins in each ladder of a room, or while its lamps are on where it has none."""
    lighting = presence_of(project, room)
    own = never(recording.end) if lighting is None else conclude(project, recording).presences[lighting.id]
    did = run_ladders(project, room, recording, own)
    # Without a ladder lamps are on while somebody is concluded to be there and it is dark.
    return both(own, recording.facts["dark", room]) if did is None else tuple(x.winners for x in did.ladders)


@memoised
def _told(
    dark: tuple[Winners, ...] | Signal, bright: tuple[Winners, ...] | Signal, lifts: tuple[tuple[float, ...], ...],
    daylight: Daylight, reads: SensorSampling, below: float, until: float, calendar: Calendar,
) -> Signal:  # fmt: skip
    t, day = daylight.at_readings(reads, calendar)
    was_dark, was_bright = (np.clip(day + _lifted_at(won, lifts, t), reads.low, reads.high) for won in (dark, bright))
    return zero_order_hold(t, latch_steps(was_dark < until, was_bright < below), calendar.end)


def _lifted_at(won: tuple[Winners, ...] | Signal, lifts: tuple[tuple[float, ...], ...], t: Array) -> Array:
    """What the lamps add at some instants, going by what was so just before each."""
    before = np.nextafter(t, -np.inf)
    if isinstance(won, Signal):
        return np.where(won.at(np.maximum(before, 0.0)), lifts[0][0], lifts[0][-1])
    return np.sum([np.asarray(lift)[x.row_at(before)] for x, lift in zip(won, lifts)], axis=0)

"""While a room is dark as the house tells it: by computed daylight, by a sensor of light, by a flag that nobody can
set, by the height of the sun, or by a shut door. How dark it is in truth, `daylight` tells."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.daylight import (
    CLEAR,
    OVERCAST,
    asked_lux,
    darker_than,
    daylight_factor,
    outdoor_lux,
)
from vastwatch.control.recording import Recording
from vastwatch.design.expressions import Dark
from vastwatch.design.project import Place, Project, find
from vastwatch.memo import kept
from vastwatch.signals import Calendar, Levels, Signal
from vastwatch.site import sun
from vastwatch.site.building import DarkSource, Room
from vastwatch.site.meter_scale import Scale, scale_of
from vastwatch.site.sky import clear_days

Array = NDArray[np.float64]

# Outdoor light is reckoned in steps of this, seconds, where a sensor samples it.
SAMPLE_S = 60.0


def dark_as_told(project: Project, leaf: Dark, recording: Recording) -> Signal:
    """What a `dark` of an expression comes to: by the source of its room, unless it has figures of its own."""
    room = find(project.rooms, leaf.room)
    source = room.darkness
    seen = recording.facts.get(("dark", leaf.room))
    if seen is not None and leaf.below_lux is None:
        # What its sensor says that sees the room's own lamps too (`own_light`).
        return seen
    if source is None or leaf.below_lux is not None or source.source == "daylight":
        below, until = leaf.below_lux, leaf.until_lux
        if source is not None and below is None:
            below, until = source.below_lux, source.until_lux
        return darker_than(project, room, below, until, recording.calendar)
    if source.source == "sun":
        return _sun_below(project.place, source.sun_deg, recording.calendar)
    if source.source == "shut door":
        said = recording.reports.get((source.sensor or "", None))
        # Without its contact nobody knows, and a room without a window is dark.
        return Signal.constant(True, 0.0, recording.end) if said is None else _not(said)
    below, until = thresholds(project, room, source)
    return _sampled(
        project.place, daylight_factor(project, room), scale_of(source), read_by(project, source), below, until,
        recording.calendar,
    )  # fmt: skip


def thresholds(project: Project, room: Room, source: DarkSource) -> tuple[float, float]:
    """Below how many lux a source says dark, and until how many."""
    meter = _meter(project, source)
    if source.source == "flag":
        flag = asked_lux(project, room) if meter is None or meter.flag_lux is None else meter.flag_lux
        return flag, flag
    scale = scale_of(source)
    below = scale.read(asked_lux(project, room)) if source.below_lux is None else source.below_lux
    return below, max(below, source.until_lux or 0.0)


def _meter(project: Project, source: DarkSource):  # type: ignore[no-untyped-def]
    sensor = next((s for s in project.sensors if s.id == source.sensor), None)
    return None if sensor is None else find(project.devices, sensor.device).light


def interval_s(project: Project, source: DarkSource) -> float:
    """Seconds between the readings of a source's sensor."""
    sensor = next((s for s in project.sensors if s.id == source.sensor), None)
    if sensor is not None and sensor.settings.report_interval_s is not None:
        return sensor.settings.report_interval_s
    meter = _meter(project, source)
    return SAMPLE_S if meter is None else float(meter.interval_s)


def daylight_in(project: Project, room: Room, calendar: Calendar) -> Levels:
    """The mean daylight in a room over some days, lux."""
    return _within(project.place, daylight_factor(project, room), calendar)


@kept
def _within(place: Place, factor: float, calendar: Calendar) -> Levels:
    t, outside = _outside(place, SAMPLE_S, calendar)
    return Levels(np.append(t, calendar.end), np.append(outside, outside[-1:]) * factor)


def daylight_read(project: Project, room: Room, source: DarkSource, calendar: Calendar) -> tuple[Array, Array]:
    """When the sensor of a room's source reads, and the daylight that falls on it then, lux."""
    t, outside = _outside(project.place, read_by(project, source).interval_s, calendar)
    scale = scale_of(source)
    return t, np.maximum(scale.offset + scale.gain * outside * daylight_factor(project, room), 0.0)


def house_dark(project: Project, room: str, recording: Recording) -> Signal:
    """While the house takes a room to be dark: as its source tells, by computed daylight where none is chosen."""
    return dark_as_told(project, Dark(room=room), recording)


class Reading(NamedTuple):
    """How a source's sensor reads: every so many seconds, between two figures, lux."""

    interval_s: float
    low: float
    high: float


def read_by(project: Project, source: DarkSource) -> Reading:
    """How the sensor of a source reads."""
    meter = _meter(project, source)
    low, high = (0.0, math.inf) if meter is None or source.source == "flag" else (meter.low_lux, meter.high_lux)
    return Reading(max(interval_s(project, source), 1.0), low, high)


@kept
def _outside(place: Place, step_s: float, calendar: Calendar) -> tuple[Array, Array]:
    """Lux outside at every so many seconds, as clear or overcast as each day is."""
    t = np.arange(0.0, calendar.end, step_s)
    # The sun's height changes slowly: straight between points of a few minutes.
    coarse = np.arange(0.0, calendar.end + 600.0, 300.0)
    heights = np.array(
        [sun.elevation_deg(place.latitude, place.longitude, calendar.instant_utc(x)) for x in coarse.tolist()]
    )
    overcast, clear = (np.array([outdoor_lux(h, sky) for h in heights.tolist()]) for sky in (OVERCAST, CLEAR))
    bright = clear_days(place.latitude, place.longitude, calendar).at(t)
    return t, np.where(bright, np.interp(t, coarse, clear), np.interp(t, coarse, overcast))


@kept
def _sampled(
    place: Place, factor: float, scale: Scale, reading: Reading, below: float, until: float, calendar: Calendar
) -> Signal:
    """Dark from a reading below one figure until one of at least another; it begins as dark below the upper one."""
    t, outside = _outside(place, reading.interval_s, calendar)
    lux, end = np.clip(scale.offset + scale.gain * outside * factor, reading.low, reading.high), calendar.end
    dark = np.full(len(t), -1)
    dark[lux < below], dark[lux >= until] = 1, 0
    if len(t) and dark[0] < 0:
        dark[0] = 1
    known = np.maximum.accumulate(np.where(dark >= 0, np.arange(len(t)), 0))
    on = dark[known] == 1
    rows = np.column_stack([t, np.append(t[1:], end)])[on]
    return Signal.from_intervals(rows, 0.0, end)


@kept
def _sun_below(place: Place, degrees: float, calendar: Calendar) -> Signal:
    return ~sun.above(place.latitude, place.longitude, degrees, replace(calendar, sky=0))


@kept
def _not(signal: Signal) -> Signal:
    return ~signal

"""While a room is dark as the house tells it: by computed daylight, by a light sensor, by a flag that nobody can
set, by the height of the sun, or by a shut door. How dark it is in truth, `daylight` tells."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.light.daylight import (
    CLEAR,
    OVERCAST,
    darker_than,
    daylight_factor,
    outdoor_lux,
    target_lux,
)
from vastwatch.control.recording import Recording
from vastwatch.design.expressions import Dark
from vastwatch.design.project import Place, Project, find
from vastwatch.memo import memoised
from vastwatch.signals import Calendar, Signal, TimeSeries
from vastwatch.signals.memoised_ops import inverse
from vastwatch.site import sun
from vastwatch.site.building import DarkSource, Room
from vastwatch.site.meter_scale import MeterScale, scale_of
from vastwatch.site.sky import clear_days

Array = NDArray[np.float64]

# Outdoor light is reckoned in steps of this, seconds, where a sensor samples it.
SAMPLE_S = 60.0


def dark_leaf(project: Project, leaf: Dark, recording: Recording) -> Signal:
    """What a `dark` of an expression comes to: by the source of its room, unless it has figures of its own."""
    room = find(project.rooms, leaf.room)
    source = room.darkness
    seen = recording.facts.get(("dark", leaf.room))
    if seen is not None and leaf.below_lux is None:
        # What its sensor says that sees the room's own lamps too (`self_illumination`).
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
        return Signal.constant(True, 0.0, recording.end) if said is None else inverse(said)
    below, until = thresholds(project, room, source)
    return _sampled(daylight_on(project, room, source), sampling_of(project, source), below, until, recording.calendar)


def thresholds(project: Project, room: Room, source: DarkSource) -> tuple[float, float]:
    """Below how many lux a source says dark, and until how many."""
    meter = _meter(project, source)
    if source.source == "flag":
        flag = target_lux(project, room) if meter is None or meter.flag_lux is None else meter.flag_lux
        return flag, flag
    scale = scale_of(source)
    below = scale.read(target_lux(project, room)) if source.below_lux is None else source.below_lux
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


def daylight_in(project: Project, room: Room, calendar: Calendar) -> TimeSeries:
    """The mean daylight in a room over some days, lux."""
    return _within(project.place, daylight_factor(project, room), calendar)


@memoised
def _within(place: Place, factor: float, calendar: Calendar) -> TimeSeries:
    t, outside = _outside(place, SAMPLE_S, calendar)
    return TimeSeries(np.append(t, calendar.end), np.append(outside, outside[-1:]) * factor)


class Daylight(NamedTuple):
    """The daylight on a light sensor: over a place, the share of it in the room, and how the sensor takes that."""

    place: Place
    factor: float
    scale: MeterScale

    def at_readings(self, reads: SensorSampling, calendar: Calendar) -> tuple[Array, Array]:
        """When a sensor reads, and the daylight on it then as it would tell it, lux."""
        t, outside = _outside(self.place, reads.interval_s, calendar)
        return t, np.maximum(self.scale.offset + self.scale.gain * outside * self.factor, 0.0)


def daylight_on(project: Project, room: Room, source: DarkSource) -> Daylight:
    """The daylight on the sensor of a room's source."""
    return Daylight(project.place, daylight_factor(project, room), scale_of(source))


def house_dark(project: Project, room: str, recording: Recording) -> Signal:
    """While the house takes a room to be dark: as its source tells, by computed daylight where none is chosen."""
    return dark_leaf(project, Dark(room=room), recording)


class SensorSampling(NamedTuple):
    """How a source's sensor reads: every so many seconds, between two figures, lux."""

    interval_s: float
    low: float
    high: float


def sampling_of(project: Project, source: DarkSource) -> SensorSampling:
    """How the sensor of a source reads."""
    meter = _meter(project, source)
    low, high = (0.0, math.inf) if meter is None or source.source == "flag" else (meter.low_lux, meter.high_lux)
    return SensorSampling(max(interval_s(project, source), 1.0), low, high)


@memoised
def _outside(place: Place, step_s: float, calendar: Calendar) -> tuple[Array, Array]:
    """Lux outside at every so many seconds, as clear or overcast as each day is."""
    t = np.arange(0.0, calendar.end, step_s)
    # The sun is where it is whatever the weather.
    heights = sun.height(place.latitude, place.longitude, replace(calendar, weather_seed=0)).at(t)
    bright = clear_days(place.latitude, place.longitude, calendar).at(t)
    return t, np.where(bright, outdoor_lux(heights, CLEAR), outdoor_lux(heights, OVERCAST))


@memoised
def _sampled(daylight: Daylight, reads: SensorSampling, below: float, until: float, calendar: Calendar) -> Signal:
    """Dark from a reading below one figure until one of at least another; it begins as dark below the upper one."""
    t, lux = daylight.at_readings(reads, calendar)
    lux = np.clip(lux, reads.low, reads.high)
    return zero_order_hold(t, latch_steps(lux < until, lux < below), calendar.end)


def zero_order_hold(t: Array, on: NDArray[np.bool_], end: float) -> Signal:
    """What holds from each of some instants to the next, as a signal."""
    return Signal.from_intervals(np.column_stack([t, np.append(t[1:], end)])[on], 0.0, end)


def latch_steps(stays: NDArray[np.bool_], comes: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Run a latch from True: at step k it stays on where `stays[k]`, and turns on where `comes[k]`; bool (n,)."""
    k = np.arange(len(stays))
    settled = stays == comes
    last = np.maximum.accumulate(np.where(settled, k, -1))
    turned = np.cumsum(~stays & comes)
    since: NDArray[np.int64] = turned - np.where(last >= 0, turned[np.maximum(last, 0)], 0)
    start = np.where(last >= 0, stays[np.maximum(last, 0)], True)
    return np.asarray(start ^ (since % 2 == 1))


@memoised
def _sun_below(place: Place, degrees: float, calendar: Calendar) -> Signal:
    return ~sun.above(place.latitude, place.longitude, degrees, replace(calendar, weather_seed=0))

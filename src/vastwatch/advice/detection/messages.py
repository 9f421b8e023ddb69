"""How often each device reports in simulated weeks, and so how long its cells last.

A change of what it says is a message; so is each report by the clock. A radar that tells distance or place says so
STREAM_S apart for as long as it sees somebody.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vastwatch.control.recording import Recording
from vastwatch.design.placed import as_placed
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.devices import DeviceType, RadarType
from vastwatch.devices.battery import USUAL_C, battery_years, intervals_per_day
from vastwatch.devices.families import parts_of
from vastwatch.sensing.model import model_of
from vastwatch.signals import DAY

# A radar tells where somebody is so often, seconds.
STREAM_S = 1.0
HOUR_S = 3600.0


class Messages(NamedTuple):
    """What a placed device sends: messages a day, the most in an hour, and how many years its cells last (None without
    cells)."""

    per_day: float
    most_in_an_hour: float
    battery_years: float | None


def messages(project: Project, recording: Recording) -> dict[str, Messages]:
    """By sensor, over the days of a recording."""
    return {s.id: messages_of(project, s, recording) for s in project.sensors}


def in_words(sent: Messages) -> str:
    """`212 messages a day, up to 31 in an hour; its cells last 2.1 years`."""
    said = f"{sent.per_day:.0f} messages a day, up to {sent.most_in_an_hour:.0f} in an hour"
    return said if sent.battery_years is None else f"{said}; its batteries last {sent.battery_years:.1f} years"


def messages_of(project: Project, sensor: Sensor, recording: Recording) -> Messages:
    """Of one sensor."""
    device = as_placed(find(project.devices, sensor.device), sensor.settings)
    days = recording.calendar.end / DAY
    hours = np.append(np.arange(0.0, recording.calendar.end, HOUR_S), recording.calendar.end)
    noticed, told = np.zeros(len(hours) - 1), np.zeros(len(hours) - 1)
    if _reports(device):
        report = recording.report(sensor.id)
        noticed = np.histogram(report.switches, hours)[0].astype(float)
        if _streams(device):
            told = np.diff(report.cumulative(hours)) / STREAM_S
    clock = intervals_per_day(device, sensor.settings.report_interval_s)
    room = room_of(project, sensor)
    warm = USUAL_C if room is None else room.ambient_c
    years = battery_years(device, float(noticed.sum() + told.sum()) / days, sensor.settings.report_interval_s, warm)
    by_hour = noticed + told + clock / 24.0
    return Messages(float(by_hour.sum()) / days, float(by_hour.max(initial=0.0)), years)


def _reports(device: DeviceType) -> bool:
    return any(model_of(part.family) is not None for part in parts_of(device))


def _streams(device: DeviceType) -> bool:
    return any(isinstance(part, RadarType) and part.reports != "state" for part in parts_of(device))

"""Sensors that tell of their room and of nobody in it: media players, humidity."""

from __future__ import annotations

from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.devices import HumidityType, PlayerType
from vastwatch.people.truth import Truth
from vastwatch.rehearsal.room_sensors.humidity import humidity_report
from vastwatch.rehearsal.room_sensors.media_and_calls import player_in
from vastwatch.signals import Signal


def room_sensor_report(project: Project, sensor: Sensor, truth: Truth) -> Signal | None:
    """What a sensor says that tells of its room and of nobody in it: a media player that it plays, a humidity sensor
    that it is damp; None of any other, and out of every room."""
    device, room = find(project.devices, sensor.device), room_of(project, sensor)
    if room is None:
        return None
    if isinstance(device, PlayerType):
        return player_in(truth, room.id).anything
    if isinstance(device, HumidityType):
        every = sensor.settings.report_interval_s or device.interval_s
        return humidity_report(truth, room.id, sensor.id, every, device.accuracy_pct)
    return None

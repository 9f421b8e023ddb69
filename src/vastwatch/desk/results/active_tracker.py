"""Which tracking radar one works with: what is selected says it, or the room in hand."""

from __future__ import annotations

from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.desk.shell.focus import Focus
from vastwatch.sensing.zoned_sensor import tracking_part


def trackers(project: Project, level: str) -> list[Sensor]:
    """The sensors of a level that tell zones or bands apart."""
    return [
        s for s in project.sensors if s.level == level and tracking_part(find(project.devices, s.device)) is not None
    ]  # fmt: skip


def sensor_in_hand(project: Project, focus: Focus) -> Sensor | None:
    """The tracking radar that zones are drawn for: the selected one, that of the selected zone, one of the room in
    hand, or else the first of the level."""
    mine = trackers(project, focus.level)
    zone = next((z for z in project.zones if z.id == focus.selected), None)
    wanted = focus.selected if zone is None else zone.sensor
    chosen = next((s for s in mine if s.id == wanted), None)
    if chosen is not None:
        return chosen
    here = [s for s in mine if (r := room_of(project, s)) is not None and r.id == focus.room]
    return next(iter(here or mine), None)

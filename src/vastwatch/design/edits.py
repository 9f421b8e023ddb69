"""Edits: functions from a project to a new project. What an edit does not touch is shared with the old one."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec.structs import replace

from vastwatch.design.presence import Roles, from_roles, reports, roles_of, with_hold, without_sensor
from vastwatch.design.project import Project, find, find_any, fresh_id, numbered, on_level
from vastwatch.design.records import Presence, Sensor
from vastwatch.design.relations import presence_of
from vastwatch.devices import DeviceType
from vastwatch.geometry import polygons
from vastwatch.site.building import Room
from vastwatch.site.record import Point

# A newly made presence holds this long, seconds: long enough to install by, short enough to test with.
FIRST_HOLD_S = 120.0


def put(project: Project, record: Any) -> Project:
    """Replace the record that has the same id. Raises KeyError when there is none."""
    found = find_any(project, record.id)
    if found is None:
        raise KeyError(record.id)
    collection, old = found
    if old is record:
        return project
    records = tuple(record if r is old else r for r in getattr(project, collection))
    return replace(project, **{collection: records})


def room_at(project: Project, level: str, x: float, y: float) -> Room | None:
    """The room on that level around a point of the plan; the edge of a room counts as inside it."""
    for room in project.rooms:
        if room.level == level and polygons.contains_point(room.outline, x, y):
            return room
    for room in on_level(project.rooms, level):
        a = np.asarray(room.outline, float)
        distance, _ = polygons.nearest_on_segments((x, y), a, np.roll(a, -1, axis=0))
        if distance.min() < 1e-6:
            return room
    return None


def middle_of(record: Any) -> Point:
    """Where a record with an outline or a place is, on the plan: its centroid, or its point."""
    if not hasattr(record, "outline"):
        return record.at[0], record.at[1]
    outline = record.outline
    if len(outline) == 4:
        (ax, ay), (bx, by), (cx, cy), (dx, dy) = outline
        if abs(ax + cx - bx - dx) < 1e-6 and abs(ay + cy - by - dy) < 1e-6:
            # A parallelogram, as most furniture is: a tenth of the time.
            return (ax + cx) / 2, (ay + cy) / 2
    return polygons.centroid(outline)


def room_of(project: Project, sensor: Sensor) -> Room | None:
    """The room a sensor hangs in."""
    return room_at(project, sensor.level, sensor.at[0], sensor.at[1])


# What a placed device is called before its room's name.
FAMILY_WORDS = {
    "pir": "PIR", "radar": "Radar", "dual": "PIR and radar", "mat": "Mat", "contact": "Contact",
    "vibration": "Vibration", "plug": "Plug", "humidity": "Humidity", "light": "Light level",
}  # fmt: skip
# These say by themselves that somebody is there. A contact, a humid bathroom or a bright window do not.
PRESENCE_FAMILIES = ("pir", "radar", "dual", "mat", "vibration")
# Where somebody sleeps, a mat means "in bed", which must never switch the light on.
SLEEPING_USES = ("bedroom", "nursery")


def joins_presence(device: DeviceType, room: Room) -> bool:
    """Whether a device placed in a room becomes part of its presence by itself."""
    if device.family == "mat" and room.use in SLEEPING_USES:
        return False
    return device.family in PRESENCE_FAMILIES


def add_sensor(
    project: Project, device: DeviceType, level: str, at: tuple[float, float, float], yaw: float, pitch: float,
    on: str | None = None,
) -> tuple[Project, Sensor]:  # fmt: skip
    """Place a device, `on` an opening or furnishing where it is fixed to one. It joins the presence of its room in the
    role its family usually has.

    A PIR starts and keeps; a radar keeps where a PIR already starts, and otherwise starts as well. A room without
    presence gets one. Contacts, plugs, humidity and light level are facts to be used later and join nothing. Raises
    ValueError outside every room, and for a device that is no sensor.
    """
    room = room_at(project, level, at[0], at[1])
    if room is None:
        raise ValueError("a sensor must hang inside a room")
    if device.family not in FAMILY_WORDS:
        raise ValueError(f"{device.name} senses nothing: choose it for a circuit in the brief")
    name = numbered(f"{FAMILY_WORDS[device.family]} {room.name.lower()}", (s.name for s in project.sensors))
    ident = fresh_id(project, device.family)
    sensor = Sensor(id=ident, device=device.id, level=level, name=name, at=at, yaw=yaw, pitch=pitch, on=on)
    if all(d.id != device.id for d in project.devices):
        project = replace(project, devices=(*project.devices, device))
    project = replace(project, sensors=(*project.sensors, sensor))
    if not joins_presence(device, room):
        return project, sensor
    presence = presence_of(project, room.id)
    if presence is None:
        made = Presence(
            id=fresh_id(project, f"presence-{room.id}"),
            room=room.id,
            name=f"Somebody in {room.name.lower()}",
            expr=from_roles(Roles((sensor.id,), (sensor.id,), FIRST_HOLD_S)),
        )
        return replace(project, presences=(*project.presences, made)), sensor
    roles = roles_of(presence.expr)
    if roles is not None:
        families = {find(project.devices, find(project.sensors, s).device).family for s in roles.starts}
        starts = roles.starts
        if device.family in ("pir", "dual") or not families & {"pir", "dual"}:
            starts = (*starts, sensor.id)
        roles = Roles(starts, (*roles.keeps, sensor.id), roles.hold_s)
        project = put(project, replace(presence, expr=from_roles(roles)))
    return project, sensor


def remove_sensor(project: Project, ident: str) -> Project:
    """Take a sensor away, with its part in every presence; a presence left without sensors goes too."""
    presences = []
    for p in project.presences:
        if all(r.sensor != ident for r in reports(p.expr)):
            presences.append(p)
        elif (expr := without_sensor(p.expr, ident)) is not None:
            presences.append(replace(p, expr=expr))
    sensors = tuple(s for s in project.sensors if s.id != ident)
    used = {s.device for s in sensors} | {c.module for c in project.circuits} | {o.device for o in project.brief.owned}
    devices = tuple(d for d in project.devices if d.id in used)
    if len(devices) == len(project.devices):
        devices = project.devices
    return replace(project, sensors=sensors, presences=tuple(presences), devices=devices)


def set_roles(project: Project, presence: str, roles: Roles) -> Project:
    """Give a presence new starters, keepers and hold time. Raises ValueError without any starter."""
    old = find(project.presences, presence)
    return put(project, replace(old, expr=from_roles(roles)))


def set_hold(project: Project, presence: str, seconds: float) -> Project:
    """Set a presence's hold time. Raises ValueError where the expression has no single one."""
    old = find(project.presences, presence)
    expr = with_hold(old.expr, seconds)
    if expr is None:
        raise ValueError(f"{old.name} has no single hold time to set")
    return put(project, replace(old, expr=expr))

"""Edits: functions from a project to a new project. What an edit does not touch is shared with the old one."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from vastwatch.design.edits.removing import without_unused_types
from vastwatch.design.expressions import Nothing
from vastwatch.design.placed import settings_faults
from vastwatch.design.places import room_at, room_of, rooms_beside
from vastwatch.design.presence import Roles, from_roles, parse_role_key, roles_of, with_hold
from vastwatch.design.project import Project, find, fresh_id, put, unique_name
from vastwatch.design.records import Conclusion, Sensor, Settings
from vastwatch.design.relations import lighting_of
from vastwatch.devices import DeviceType
from vastwatch.site.building import Room

# A newly made presence holds this long, seconds: long enough to install by, short enough to test with.
FIRST_HOLD_S = 120.0


# Where somebody sleeps, a mat means "in bed", which must never switch the light on.
SLEEPING_USES = ("bedroom", "nursery")


def joins_presence(device: DeviceType, room: Room) -> bool:
    """Whether a device placed in a room becomes part of its presence by itself."""
    if device.pressed and room.use in SLEEPING_USES:
        return False
    return device.presence


def add_sensor(
    project: Project, device: DeviceType, level: str, at: tuple[float, float, float], yaw: float, pitch: float,
    host: str | None = None,
) -> tuple[Project, Sensor]:  # fmt: skip
    """Place a device, `on` an opening or furnishing where it is fixed to one. It joins the presence of its room in the
    role its family usually has.

    A quick starter starts and keeps; others keep where one already starts, and otherwise start as well. A room without
    presence gets one. What does not say by itself that somebody is there is a fact to be used later and joins nothing.
    Raises ValueError outside every room, and for a device that is no sensor.
    """
    room = room_at(project, level, at[0], at[1])
    if room is None:
        raise ValueError("a sensor must be inside a room")
    if not device.called:
        raise ValueError(f"{device.name} is not a sensor: assign it to a circuit in the Brief")
    name = unique_name(f"{device.called} {room.name.lower()}", (s.name for s in project.sensors))
    ident = fresh_id(project, device.family)
    sensor = Sensor(id=ident, device=device.id, level=level, name=name, at=at, yaw=yaw, pitch=pitch, host=host)
    if all(d.id != device.id for d in project.devices):
        project = replace(project, devices=(*project.devices, device))
    project = replace(project, sensors=(*project.sensors, sensor))
    if not joins_presence(device, room):
        return project, sensor
    presence = lighting_of(project, room.id)
    if presence is not None and isinstance(presence.expr, Nothing):
        # Those who name it find it again.
        first = from_roles(Roles((sensor.id,), (sensor.id,), FIRST_HOLD_S))
        return put(project, replace(presence, expr=first)), sensor
    if presence is None:
        made = Conclusion(
            id=fresh_id(project, f"presence-{room.id}"),
            room=room.id,
            name=f"Somebody in {room.name.lower()}",
            expr=from_roles(Roles((sensor.id,), (sensor.id,), FIRST_HOLD_S)),
        )
        return replace(project, presences=(*project.presences, made)), sensor
    roles = roles_of(presence.expr)
    if roles is not None:
        quick = any(
            find(project.devices, find(project.sensors, parse_role_key(s)[0]).device).starts for s in roles.starts
        )
        starts = roles.starts
        if device.starts or not quick:
            starts = (*starts, sensor.id)
        roles = Roles(starts, (*roles.keeps, sensor.id), roles.hold_s)
        project = put(project, replace(presence, expr=from_roles(roles)))
    return project, sensor


def compatible_types(project: Project, sensor: Sensor, types: Sequence[DeviceType]) -> list[DeviceType]:
    """The types that could be mounted in a sensor's place: what watches as it does, an area or what it is fixed to."""
    now = find(project.devices, sensor.device)
    return [
        d for d in types if d.called and d.watches == now.watches and (d.watches == "area" or d.family == now.family)
    ]


def with_type(project: Project, sensor_id: str, device: DeviceType) -> Project:
    """Another type in a sensor's place: name, place, aim and what reads it stay, its zones too, though they may be kept
    aside; of what is set at it, what the new type can be set to. Raises ValueError for a type that senses nothing."""
    if device.is_module:
        raise ValueError(f"{device.name} switches a circuit and senses nothing")
    sensor = find(project.sensors, sensor_id)
    if all(d.id != device.id for d in project.devices):
        project = replace(project, devices=(*project.devices, device))
    settings, comes = sensor.settings, Settings()
    # What is found of one device is nothing of another.
    found = [name for name in settings.__struct_fields__ if name.startswith("measured_")]
    settings = replace(settings, **{name: getattr(comes, name) for name in found})
    while wrong := dict(settings_faults(device, settings)):
        settings = replace(settings, **{name: getattr(comes, name) for name in wrong})
    new = put(project, replace(sensor, device=device.id, settings=settings))
    return without_unused_types(project, new)


def readable_sensors(project: Project, room: str) -> list[Sensor]:
    """The sensors that a room's presence could read: those that are mounted in it, and those on its doors and windows,
    which two rooms share."""
    level = find(project.rooms, room).level
    out = []
    for sensor in (s for s in project.sensors if s.level == level):
        opening = None if sensor.host is None else next((o for o in project.openings if o.id == sensor.host), None)
        mine = rooms_beside(project, opening) if opening is not None else (room_of(project, sensor),)
        if any(r is not None and r.id == room for r in mine):
            out.append(sensor)
    return out


def set_roles(project: Project, presence: str, roles: Roles) -> Project:
    """Give a presence new starters, keepers and hold time. Raises ValueError without any starter."""
    old = find(project.presences, presence)
    return put(project, replace(old, expr=from_roles(roles)))


def set_hold(project: Project, presence: str, seconds: float) -> Project:
    """Set a presence's hold time. Raises ValueError where the expression has no single one."""
    old = find(project.presences, presence)
    expr = with_hold(old.expr, max(seconds, 0.0))
    if expr is None:
        raise ValueError(f"{old.name} has no single hold time to set")
    return put(project, replace(old, expr=expr))


def try_set_hold(project: Project, presence: str, seconds: float) -> Project:
    """As `set_hold`; the project itself where the conclusion has no single hold to set."""
    has_one = with_hold(find(project.presences, presence).expr, seconds) is not None
    return set_hold(project, presence, seconds) if has_one else project

"""Where a device type could be mounted in a room, and whether it gets power there: corners and wall middles, the
ceiling, wall switches, and whatever it is fixed to."""

from __future__ import annotations

import math

import numpy as np

from vastwatch.advice.adviser.room_state import RoomState
from vastwatch.advice.hardware.host_placement import host_placement
from vastwatch.design.places import opening_middle
from vastwatch.design.project import find
from vastwatch.design.records import Sensor, Settings
from vastwatch.devices import TOUCH_FAMILIES, DeviceType, MatType
from vastwatch.geometry import polygons
from vastwatch.memo import memoised

# A device with default settings.
PLAIN = Settings()
# Ceiling places nearer to each other than this are one, metres.
APART_M = 0.6


def places(now: RoomState, device: DeviceType) -> list[Sensor]:
    """Where a type could go in the room."""

    def sensor(
        x: float, y: float, z: float, yaw: float, pitch: float, host: str | None = None, settings: Settings = PLAIN
    ) -> Sensor:  # fmt: skip
        return _tried(device, now.room.level, (x, y, min(z, now.height)), yaw, pitch, host, settings)

    if device.family in TOUCH_FAMILIES:
        return _fixed_places(now, device, sensor)
    if "ceiling" in device.mounts:
        return [sensor(x, y, now.height, 0.0, -90.0) for x, y in _ceiling_places(now)]
    pitch = device.tilt
    if device.in_switch_box:
        return [sensor(x, y, device.mount_height, yaw, pitch) for x, y, yaw in _switch_places(now)]
    points = [sensor(x, y, device.mount_height, yaw, pitch) for x, y, yaw in now.points]
    # With a socket in reach of some places, the others are not worth a cable through the room.
    near = [s for s in points if power_problem(now, device, s) == ""]
    return near or points


@memoised
def _tried(
    device: DeviceType, level: str, at: tuple[float, float, float], yaw: float, pitch: float, host: str | None,
    settings: Settings,
) -> Sensor:  # fmt: skip
    """A type at a place: the same record again, so that what it sees from there is known to anybody who tries it
    again."""
    return Sensor(
        id="tried", device=device.id, level=level, name=device.name, at=at, yaw=yaw, pitch=pitch, host=host,
        settings=settings,
    )  # fmt: skip


def _ceiling_places(now: RoomState) -> list[tuple[float, float]]:
    """The middle of the ceiling, and above the middle of those who stay where that is somewhere else. In a room bent
    around its own middle it is the place farthest from all walls."""
    outline = np.asarray(now.room.outline, float)
    x, y = polygons.centroid(outline)
    if not polygons.contains_point(now.room.outline, x, y):
        following = np.roll(outline, -1, axis=0)
        clear = [float(polygons.nearest_on_segments(p, outline, following)[0].min()) for p in now.cells]
        if not clear:
            return []
        x, y = now.cells[int(np.argmax(clear))]
    out = [(round(float(x), 2), round(float(y), 2))]
    if len(now.at):
        over = (round(float(now.at[:, 0].mean()), 2), round(float(now.at[:, 1].mean()), 2))
        if math.dist(out[0], over) > APART_M and polygons.contains_point(now.room.outline, *over):
            out.append(over)
    return out


def _switch_places(now: RoomState) -> list[tuple[float, float, float]]:
    """At the room's switches, looking across; without any drawn, beside its doors, where switches are."""
    cx, cy = polygons.centroid(now.room.outline)
    at = [s.at for s in now.switches]
    if not at:
        outline = np.asarray(now.room.outline, float)
        for o in now.project.openings:
            if o.kind != "door" or find(now.project.walls, o.wall).level != now.room.level:
                continue
            (mx, my), (ux, uy) = opening_middle(now.project, o)
            distance, _ = polygons.nearest_on_segments((mx, my), outline, np.roll(outline, -1, axis=0))
            if distance.min() > 0.05:
                continue
            side = o.width / 2 + 0.2
            for way in (-1.0, 1.0):
                x, y = mx + way * ux * side, my + way * uy * side
                d = math.hypot(cx - x, cy - y) or 1.0
                p = (x + (cx - x) / d * 0.15, y + (cy - y) / d * 0.15)
                if polygons.contains_point(now.room.outline, *p):
                    at.append(p)
    out = []
    for x, y in at:
        outline = polygons.counter_clockwise(now.room.outline)
        distance, _ = polygons.nearest_on_segments((x, y), outline, np.roll(outline, -1, axis=0))
        k = int(np.argmin(distance))
        d = np.roll(outline, -1, axis=0)[k] - outline[k]
        out.append((round(x, 3), round(y, 3), round(math.degrees(math.atan2(d[0], -d[1])) % 360, 1)))
    return out


def _fixed_places(now: RoomState, device: DeviceType, sensor) -> list[Sensor]:  # type: ignore[no-untyped-def]
    """At each spot of the room (or each door of it), wherever such a device finds what it is fixed to."""
    points = [s.at for s in now.spots]
    if device.at_doors or (isinstance(device, MatType) and not device.foldable and device.closing_kpa >= 4):
        points = [opening_middle(now.project, o)[0] for o in now.project.openings if o.kind == "door"]
        outline = np.asarray(now.room.outline, float)
        following = np.roll(outline, -1, axis=0)
        points = [p for p in points if polygons.nearest_on_segments(p, outline, following)[0].min() < 0.05]
        cx, cy = polygons.centroid(now.room.outline)
        points = [(x + (cx - x) * 0.05, y + (cy - y) * 0.05) for x, y in points]
    out = []
    for x, y in points:
        try:
            fixed = host_placement(now.project, device, now.room.level, x, y)
        except ValueError:
            continue
        if polygons.contains_point(now.room.outline, *fixed.at[:2]):
            out.append(sensor(*fixed.at, fixed.yaw, 0.0, host=fixed.host, settings=fixed.settings or PLAIN))
    return out


def power_problem(now: RoomState, device: DeviceType, sensor: Sensor) -> str:
    """Why the type gets no power at a place; empty where it does, or where nothing is drawn to tell by."""
    reach = now.project.brief.cable_m
    at = sensor.at[:2]
    if device.power == "battery" or device.power == "host" or device.metered:
        return ""
    if device.in_switch_box:
        if not now.project.switches:
            return ""
        switch = min(now.switches, key=lambda s: math.dist(s.at, at), default=None)
        if switch is None:
            return "no wall switch in this room for it to replace"
        circuit = find(now.project.circuits, switch.circuit)
        if device.needs_neutral and not circuit.neutral:
            return f"needs a neutral; the box of {switch.name.lower()} has none"
        return ""
    if "ceiling" in device.mounts:
        if now.lamps and min(math.dist(lamp.at, at) for lamp in now.lamps) <= max(reach, 1.5):
            return ""
        return "no lamp point close enough to bring mains to the ceiling" if now.drawn_sockets else ""
    if not now.drawn_sockets:
        return ""
    nearest = min((math.dist(p, at) for p in now.sockets), default=math.inf)
    if nearest <= reach:
        return ""
    how_far = f"the nearest is {nearest:.1f} m away" if math.isfinite(nearest) else "the room has none"
    return f"no socket within {reach:g} m for its {device.power} supply: {how_far}"

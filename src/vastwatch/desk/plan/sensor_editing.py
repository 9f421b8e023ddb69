"""Sensors by hand on the plan: placed from the device list, dragged along walls, turned by their handle, removed.

It does for sensors what the builder does for the building; the edits themselves are `design/edits/sensors.py`.
"""

from __future__ import annotations

import math
from dataclasses import replace as change

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt

from vastwatch.advice.hardware.default_place import default_place
from vastwatch.advice.hardware.host_placement import host_placement
from vastwatch.design.edits.building import rectangle
from vastwatch.design.edits.fittings import turn_outline
from vastwatch.design.edits.removing import removed
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.places import room_at, room_of
from vastwatch.design.presence import reports
from vastwatch.design.project import Project, find, put
from vastwatch.design.records import Sensor
from vastwatch.design.references import without
from vastwatch.design.relations import presence_of
from vastwatch.desk.plan.edit_context import EditContext
from vastwatch.desk.plan.gestures import Gesture
from vastwatch.desk.plan.painting import HANDLE_REACH
from vastwatch.desk.plan.snapping import clearances, snap
from vastwatch.desk.shell.units import show_angle, show_length
from vastwatch.devices import TOUCH_FAMILIES, DeviceType
from vastwatch.devices.device_facts import turnable
from vastwatch.site.building import Room
from vastwatch.site.record import Outline
from vastwatch.words import error_sentence

SNAP_PX = 16.0
# A new sensor finds its wall from farther away.
NEW_SNAP_PX = 35.0
# By keyboard it is placed at a wall, however the plan is zoomed: metres.
KEY_SNAP_M = 0.3
HANDLE_PX = 10.0
# How large what is in the hand is shown.
DART_PX = 16.0
TURN_DEG = 5.0


class Hanging:
    """See the module's text."""

    def __init__(self, bench: EditContext) -> None:
        self.bench = bench

    @property
    def project(self) -> Project:
        """The document's project."""
        return self.bench.document.project

    def selected(self) -> Sensor | None:
        """The selected sensor, where it is mounted on the shown level."""
        return next((s for s in self.bench.state.sensors if s.id == self.bench.focus.selected), None)

    # -- by the pointer ----------------------------------------------------------------------------------------

    def on_handle(self, pixel: QPointF) -> bool:
        """Whether the rotate handle of the selected sensor lies under a pixel."""
        sensor = self.selected()
        if sensor is None or not turnable(find(self.project.devices, sensor.device)):
            return False
        a = math.radians(sensor.yaw)
        c = self.bench.pixel_of(sensor.at[0], sensor.at[1])
        tip = c + QPointF(math.cos(a), -math.sin(a)) * HANDLE_REACH
        return math.hypot(tip.x() - pixel.x(), tip.y() - pixel.y()) <= HANDLE_PX

    def take_hold(self, pixel: QPointF) -> Gesture | None:
        """Begin to turn the selected sensor, where its handle lies under a pixel."""
        return TurnSensor(self) if self.on_handle(pixel) else None

    def set_yaw(self, sensor: Sensor, yaw: float, key: str) -> None:
        """Make a sensor look to a bearing."""
        new = put(self.project, replace(sensor, yaw=yaw))
        self.bench.document.apply(new, f"Turn {sensor.name} to {show_angle(yaw)}", key)

    def read_out(self, pixel: QPointF, ident: str) -> None:
        """Exact figures while dragging."""
        sensor, feet = find(self.project.sensors, ident), self.bench.focus.feet
        x, y, z = sensor.at
        rows = [
            (f"{show_length(x, feet)}, {show_length(y, feet)}", f"{show_length(z, feet)} high"),
            (f"aim {show_angle(sensor.yaw)}", f"pitch {show_angle(sensor.pitch)}"),
        ]
        sides = clearances(self.project, sensor.level, x, y)
        if len(sides) == 2:
            rows.append(("to the walls", " and ".join(show_length(side[0], feet) for side in sides)))
        self.bench.card.show_at(pixel, rows)

    # -- placing, turning, taking away -------------------------------------------------------------------------

    def place_in(self, device_id: str, room: Room) -> bool:
        """Place a device where it is usually mounted in a room, without pointing; False where it cannot go."""
        device = next((d for d in self.bench.types(self.project) if d.id == device_id), None)
        if device is None:
            return False
        try:
            x, y = default_place(self.project, device, room)
        except ValueError as e:
            self.bench.say(error_sentence(e))
            return False
        return self.place(device_id, x, y, KEY_SNAP_M)

    def place(self, device_id: str, x: float, y: float, reach_m: float | None = None) -> bool:
        """Place a device from the device list at a plan point; False where it cannot go. `reach_m`: how near a wall it
        snaps to that, by default as near as it looks."""
        bench, project, level = self.bench, self.project, self.bench.level
        device = next((d for d in bench.types(project) if d.id == device_id), None)
        if device is None:
            return False
        margin = None
        try:
            if device.family in TOUCH_FAMILIES:
                fixed = host_placement(project, device, level, x, y)
                new, sensor = add_sensor(project, device, level, fixed.at, fixed.yaw, 0.0, fixed.host)
                new = put(new, replace(sensor, settings=fixed.settings))
                margin = fixed.margin
            elif room_at(project, level, x, y) is None:
                raise ValueError("a sensor must be inside a room: click in one")
            else:
                to = snap(project, device, level, x, y, reach_m or NEW_SNAP_PX / bench.scale_px)
                at = (to.x, to.y, _height(project, device, level))
                new, sensor = add_sensor(project, device, level, at, to.yaw or 0.0, _pitch(device))
        except ValueError as e:
            bench.say(error_sentence(e))
            return False
        room = room_of(new, sensor)
        assert room is not None
        bench.document.apply(new, f"Place {device.name} in {room.name.lower()}")
        bench.focus.set(placing=None, selected=sensor.id, room=room.id)
        presence = presence_of(new, room.id)
        words = f"{sensor.name} placed"
        if margin is not None:
            words += f"; pressed with {margin:.1f} times its closing pressure"
        if presence is not None and sensor.id in {r.sensor for r in reports(presence.expr)}:
            words += f"; it is used in “{presence.name}”"
        elif device.family in TOUCH_FAMILIES:
            words += "; not used for presence, but available in rules"
        bench.say(words + ".")
        return True

    def foresee(self, device_id: str, x: float, y: float) -> list[Outline]:
        """Where a device would be mounted, as a dart that looks where it would look; nothing where it cannot."""
        bench, project, level = self.bench, self.project, self.bench.level
        device = next((d for d in bench.types(project) if d.id == device_id), None)
        if device is None or room_at(project, level, x, y) is None:
            return []
        k = DART_PX / bench.scale_px
        if device.family in TOUCH_FAMILIES:
            try:
                fixed = host_placement(project, device, level, x, y)
            except ValueError:
                return []
            return [rectangle(fixed.at[0] - k / 2, fixed.at[1] - k / 2, k, k)]
        to = snap(project, device, level, x, y, NEW_SNAP_PX / bench.scale_px)
        if "ceiling" in device.mounts:
            return [rectangle(to.x - k / 2, to.y - k / 2, k, k)]
        return [turn_outline(((-k / 2, -k / 2), (k, 0.0), (-k / 2, k / 2)), (to.x, to.y), to.yaw or 0.0)]

    def turn(self, degrees: float) -> bool:
        """Turn the selected sensor, positive to the left; False where none is selected alone."""
        sensor = self.selected()
        if sensor is None or self.bench.focus.marked:
            return False
        self.set_yaw(sensor, (sensor.yaw + degrees) % 360, f"turn-{sensor.id}")
        return True

    def delete(self) -> bool:
        """Delete the selected sensor and say what went with it; False where none is selected alone."""
        sensor = self.selected()
        if sensor is None or self.bench.focus.marked:
            return self._delete_zone()
        room = room_of(self.project, sensor)
        new = removed(self.project, sensor.id)
        gone = len(self.project.presences) - len(new.presences)
        self.bench.document.apply(new, f"Delete {sensor.name}")
        self.bench.focus.set(selected=room.id if room else None)
        extra = " and the presence that depended on it" if gone else ""
        self.bench.say(f"Deleted {sensor.name}{extra}. Ctrl+Z undoes it.")
        return True

    def _delete_zone(self) -> bool:
        zone = next((z for z in self.project.zones if z.id == self.bench.focus.selected), None)
        if zone is None or self.bench.focus.marked:
            return False
        self.bench.document.apply(without(self.project, [zone.id]), f"Delete zone {zone.name.lower()}")
        self.bench.focus.set(selected=zone.sensor)
        self.bench.say(f"Deleted {zone.name}. Ctrl+Z undoes it.")
        return True


class MoveSensor(Gesture):
    """Moves a sensor along walls; where it comes to another wall it faces into the room. Alt releases the walls."""

    def __init__(self, hanging: Hanging, pixel: QPointF, sensor: Sensor) -> None:
        bench = hanging.bench
        super().__init__(bench)
        self.hanging, self.ident = hanging, sensor.id
        self.grab = bench.pixel_of(*sensor.at[:2]) - pixel
        device = find(bench.project.devices, sensor.device)
        self.edge = snap(bench.project, device, sensor.level, *sensor.at[:2], SNAP_PX / bench.scale_px).edge

    def move(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Follow the pointer inside rooms."""
        bench = self.bench
        project = bench.project
        bench.state.dragging = True
        x, y = bench.plan_at(pixel + self.grab)
        sensor = find(project.sensors, self.ident)
        device = find(project.devices, sensor.device)
        if room_at(project, sensor.level, x, y) is None:
            bench.say("A sensor must be inside a room; it stays at its last valid position.")
            return
        free = bool(modifiers & Qt.KeyboardModifier.AltModifier)
        to = snap(project, device, sensor.level, x, y, 0.0 if free else SNAP_PX / bench.scale_px)
        if free:
            to = change(to, x=round(x, 3), y=round(y, 3), yaw=None, edge=None)
        yaw = to.yaw if to.yaw is not None and to.edge != self.edge else sensor.yaw
        self.edge = to.edge if to.edge is not None else self.edge
        if room_at(project, sensor.level, to.x, to.y) is not None:
            new = replace(sensor, at=(to.x, to.y, sensor.at[2]), yaw=yaw)
            bench.document.apply(put(project, new), f"Move {sensor.name}", self.key)
        self.hanging.read_out(pixel, self.ident)


class TurnSensor(Gesture):
    """Turns the selected sensor by its handle, in steps of 5 degrees; Alt releases them."""

    def __init__(self, hanging: Hanging) -> None:
        super().__init__(hanging.bench)
        self.hanging = hanging

    def move(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Make it look where the pointer is."""
        self.bench.state.dragging = True
        sensor = self.hanging.selected()
        if sensor is None:
            return
        x, y = self.bench.plan_at(pixel)
        yaw = math.degrees(math.atan2(y - sensor.at[1], x - sensor.at[0])) % 360
        step = 1.0 if modifiers & Qt.KeyboardModifier.AltModifier else TURN_DEG
        self.hanging.set_yaw(sensor, (round(yaw / step) * step) % 360, self.key)
        self.hanging.read_out(pixel, sensor.id)


def _height(project: Project, device: DeviceType, level: str) -> float:
    """Mounting height of a new sensor: as its figures are rated, at most the ceiling."""
    ceiling = find(project.levels, level).height
    return ceiling if "ceiling" in device.mounts else min(device.mount_height, ceiling)


def _pitch(device: DeviceType) -> float:
    if "ceiling" in device.mounts:
        return -90.0
    return device.tilt

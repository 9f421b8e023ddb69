"""Sensors by hand on the plan: placed from the shelf, dragged along walls, turned by their handle, taken away.

It works for the plan view, as the builder does for the building; the edits themselves are `design/edits.py`.
"""

from __future__ import annotations

import math
from dataclasses import replace as change
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt

from vastwatch.advice.fixing import fixed_place
from vastwatch.design.edits.building import rectangle
from vastwatch.design.edits.fittings import turned
from vastwatch.design.edits.removing import removed
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.places import room_at, room_of
from vastwatch.design.presence import reports
from vastwatch.design.project import Project, find, put
from vastwatch.design.records import Sensor
from vastwatch.design.relations import presence_of
from vastwatch.desk.plan.look import HANDLE_REACH
from vastwatch.desk.plan.snapping import clearances, snap
from vastwatch.desk.shell.units import show_angle, show_length
from vastwatch.devices import TOUCH_FAMILIES, DeviceType
from vastwatch.devices.figures import turnable
from vastwatch.site.record import Outline
from vastwatch.words import sentence

if TYPE_CHECKING:
    from vastwatch.desk.plan.view import PlanView

SNAP_PX = 16.0
# A new sensor finds its wall from farther away.
NEW_SNAP_PX = 35.0
HANDLE_PX = 10.0
# How large what is in the hand is shown.
DART_PX = 16.0
TURN_DEG = 5.0


class Hanging:
    """See the module's text."""

    def __init__(self, view: PlanView) -> None:
        self.view = view

    @property
    def project(self) -> Project:
        """The document's project."""
        return self.view.document.project

    def selected(self) -> Sensor | None:
        """The selected sensor, where it hangs on the shown level."""
        return next((s for s in self.view.look.sensors if s.id == self.view.focus.selected), None)

    # -- by the pointer ----------------------------------------------------------------------------------------

    def on_handle(self, pixel: QPointF) -> bool:
        """Whether the rotate handle of the selected sensor lies under a pixel."""
        sensor = self.selected()
        if sensor is None or not turnable(find(self.project.devices, sensor.device)):
            return False
        a = math.radians(sensor.yaw)
        c = self.view.pixel_of(sensor.at[0], sensor.at[1])
        tip = c + QPointF(math.cos(a), -math.sin(a)) * HANDLE_REACH
        return math.hypot(tip.x() - pixel.x(), tip.y() - pixel.y()) <= HANDLE_PX

    def edge_of(self, sensor: Sensor) -> int | None:
        """The wall a sensor hangs at, as the snapping numbers them."""
        device = find(self.project.devices, sensor.device)
        return snap(self.project, device, sensor.level, *sensor.at[:2], SNAP_PX / self.view.scale_px).edge

    def moved(self, drag: dict[str, Any], pixel: QPointF, x: float, y: float, modifiers: Qt.KeyboardModifier) -> None:
        """Follow the pointer to a plan point; where it comes to another wall it faces into the room."""
        project = self.project
        sensor = find(project.sensors, drag["id"])
        device = find(project.devices, sensor.device)
        if room_at(project, sensor.level, x, y) is None:
            self.view.say.emit("A sensor hangs inside a room; it stays at the last place that was.")
            return
        free = bool(modifiers & Qt.KeyboardModifier.AltModifier)
        to = snap(project, device, sensor.level, x, y, 0.0 if free else SNAP_PX / self.view.scale_px)
        if free:
            to = change(to, x=round(x, 3), y=round(y, 3), yaw=None, edge=None)
        yaw = sensor.yaw
        if to.yaw is not None and to.edge != drag["edge"]:
            yaw = to.yaw
        drag["edge"] = to.edge if to.edge is not None else drag["edge"]
        if room_at(project, sensor.level, to.x, to.y) is not None:
            new = replace(sensor, at=(to.x, to.y, sensor.at[2]), yaw=yaw)
            self.view.document.apply(put(project, new), f"Move {sensor.name}", drag["key"])
        self._readout(pixel, sensor.id)

    def turned(self, drag: dict[str, Any], pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Look where the pointer is; Alt lets go of the 5 degree steps."""
        sensor = self.selected()
        if sensor is None:
            return
        x, y = self.view.plan_at(pixel)
        yaw = math.degrees(math.atan2(y - sensor.at[1], x - sensor.at[0])) % 360
        step = 1.0 if modifiers & Qt.KeyboardModifier.AltModifier else TURN_DEG
        self._set_yaw(sensor, (round(yaw / step) * step) % 360, drag["key"])
        self._readout(pixel, sensor.id)

    def _set_yaw(self, sensor: Sensor, yaw: float, key: str) -> None:
        new = put(self.project, replace(sensor, yaw=yaw))
        self.view.document.apply(new, f"Turn {sensor.name} to {show_angle(yaw)}", key)

    def _readout(self, pixel: QPointF, ident: str) -> None:
        """Exact figures while dragging."""
        sensor, feet = find(self.project.sensors, ident), self.view.focus.feet
        x, y, z = sensor.at
        rows = [
            (f"{show_length(x, feet)}, {show_length(y, feet)}", f"{show_length(z, feet)} high"),
            (f"looks to {show_angle(sensor.yaw)}", f"pitch {show_angle(sensor.pitch)}"),
        ]
        sides = clearances(self.project, sensor.level, x, y)
        if len(sides) == 2:
            rows.append(("to the walls", " and ".join(show_length(side[0], feet) for side in sides)))
        self.view.card.show_at(pixel, rows)

    # -- placing, turning, taking away -------------------------------------------------------------------------

    def place(self, device_id: str, x: float, y: float) -> bool:
        """Place a device from the shelf at a plan point; False where it cannot go."""
        view, project, level = self.view, self.project, self.view.focus.level
        device = next((d for d in view.types(project) if d.id == device_id), None)
        if device is None:
            return False
        margin = None
        try:
            if device.family in TOUCH_FAMILIES:
                fixed = fixed_place(project, device, level, x, y)
                new, sensor = add_sensor(project, device, level, fixed.at, fixed.yaw, 0.0, fixed.host)
                new = put(new, replace(sensor, settings=fixed.settings))
                margin = fixed.margin
            elif room_at(project, level, x, y) is None:
                raise ValueError("a sensor hangs inside a room: point into one")
            else:
                to = snap(project, device, level, x, y, NEW_SNAP_PX / view.scale_px)
                at = (to.x, to.y, _height(project, device, level))
                new, sensor = add_sensor(project, device, level, at, to.yaw or 0.0, _pitch(device))
        except ValueError as e:
            view.say.emit(sentence(e))
            return False
        room = room_of(new, sensor)
        assert room is not None
        view.document.apply(new, f"Place {device.name} in {room.name.lower()}")
        view.focus.set(placing=None, selected=sensor.id, room=room.id)
        presence = presence_of(new, room.id)
        words = f"{sensor.name} placed"
        if margin is not None:
            words += f"; pressed {margin:.1f} times what closes it"
        if presence is not None and sensor.id in {r.sensor for r in reports(presence.expr)}:
            words += f"; it takes part in “{presence.name}”"
        elif device.family in TOUCH_FAMILIES:
            words += "; a fact beside presence, for rules to use"
        view.say.emit(words + ".")
        return True

    def foresee(self, device_id: str, x: float, y: float) -> list[Outline]:
        """Where a device would hang, as a dart that looks where it would look; nothing where it cannot."""
        view, project, level = self.view, self.project, self.view.focus.level
        device = next((d for d in view.types(project) if d.id == device_id), None)
        if device is None or room_at(project, level, x, y) is None:
            return []
        k = DART_PX / view.scale_px
        if device.family in TOUCH_FAMILIES:
            try:
                fixed = fixed_place(project, device, level, x, y)
            except ValueError:
                return []
            return [rectangle(fixed.at[0] - k / 2, fixed.at[1] - k / 2, k, k)]
        to = snap(project, device, level, x, y, NEW_SNAP_PX / view.scale_px)
        if "ceiling" in device.mounts:
            return [rectangle(to.x - k / 2, to.y - k / 2, k, k)]
        return [turned(((-k / 2, -k / 2), (k, 0.0), (-k / 2, k / 2)), (to.x, to.y), to.yaw or 0.0)]

    def turn(self, degrees: float) -> bool:
        """Turn the selected sensor, positive to the left; False where none is selected alone."""
        sensor = self.selected()
        if sensor is None or self.view.focus.marked:
            return False
        self._set_yaw(sensor, (sensor.yaw + degrees) % 360, f"turn-{sensor.id}")
        return True

    def delete(self) -> bool:
        """Delete the selected sensor and say what went with it; False where none is selected alone."""
        sensor = self.selected()
        if sensor is None or self.view.focus.marked:
            return False
        room = room_of(self.project, sensor)
        new = removed(self.project, sensor.id)
        gone = len(self.project.presences) - len(new.presences)
        self.view.document.apply(new, f"Delete {sensor.name}")
        self.view.focus.set(selected=room.id if room else None)
        extra = " and the presence it alone upheld" if gone else ""
        self.view.say.emit(f"Deleted {sensor.name}{extra}. Ctrl+Z brings it back.")
        return True


def _height(project: Project, device: DeviceType, level: str) -> float:
    """Mounting height of a new sensor: as its figures are rated, at most the ceiling."""
    ceiling = find(project.levels, level).height
    return ceiling if "ceiling" in device.mounts else min(device.mount_height, ceiling)


def _pitch(device: DeviceType) -> float:
    if "ceiling" in device.mounts:
        return -90.0
    return device.tilt

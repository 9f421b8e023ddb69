"""What sensors notice, painted: isochrones in the family's hue, what the selected one never sees hatched."""

from __future__ import annotations

import math
import time

from PyQt6.QtCore import QLineF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from vastwatch.design.presence import reports
from vastwatch.design.project import find
from vastwatch.design.records import Sensor
from vastwatch.desk.plan.contours import BANDS, band_paths
from vastwatch.desk.plan.painting import cosmetic, in_pixels, polygon
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.theme import alpha, mix
from vastwatch.devices import AREA_FAMILIES, DeviceType, MatType
from vastwatch.geometry import polygons
from vastwatch.sensing import coverage

# What of a frame the map may take while a sensor is dragged, seconds; longer, and it is coarser until it is let go.
FRAME_SHARE_S = 0.007
# Pixels between the lines of a hatch.
HATCH = 7


def shown_sensors(state: PlanState) -> list[Sensor]:
    """Whose contours are laid out: the selected sensor's; else those that serve the selected room; else all."""
    here = state.sensors
    for s in here:
        if s.id == state.selected:
            return [s]
    serving = {
        r.sensor for presence in state.project.presences if presence.room == state.room for r in reports(presence.expr)
    }
    mine = [s for s in here if s.id in serving]
    return mine or here


def lay_out_contours(state: PlanState) -> None:
    """Make the paths of all contours that are shown: done before painting, so that painting only paints."""
    state.laid = []
    if not state.contours:
        return
    for sensor in shown_sensors(state):
        device = find(state.project.devices, sensor.device)
        if device.family not in AREA_FAMILIES:
            state.laid.append((sensor, device, ()))
            continue
        held = state.dragging and sensor.id == state.selected
        begun = time.perf_counter()
        coarse = state.coarseness if held else 0
        paths = band_paths(coverage(state.project, sensor.id, state.figure, coarse, state.second))
        if held and time.perf_counter() - begun > FRAME_SHARE_S:
            state.coarseness = 2
        state.laid.append((sensor, device, paths))


def draw_contours(p: QPainter, state: PlanState) -> None:
    """Isochrones in the family's hue, the unseen part of the own room hatched."""
    if not state.laid:
        return
    built = QPainterPath()
    for room in state.rooms:
        built.addPolygon(polygon(room.outline))
    p.save()
    p.setClipPath(built, Qt.ClipOperation.IntersectClip)
    for sensor, device, paths in state.laid:
        if not paths:
            _pad(p, state, sensor, device)
            continue
        hue = family_hue(state.theme, device.family)
        if sensor.id == state.selected:
            _hatch_unseen(p, state, sensor, paths[0])
        # Fills need no smooth edge, since each has its line; that halves the time they take.
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for path, (_, strength) in zip(paths, BANDS):
            p.fillPath(path, alpha(hue, strength))
        p.setRenderHint(QPainter.RenderHint.Antialiasing, not state.dragging)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(cosmetic(alpha(hue, 0.45), 1))
        for path in paths:
            p.drawPath(path)
    p.restore()


def _pad(p: QPainter, state: PlanState, sensor: Sensor, device: DeviceType) -> None:
    """What a sensor watches that sees no area: a mat its pad; the others only what they are fixed to."""
    if not isinstance(device, MatType):
        return
    hue = family_hue(state.theme, device.family)
    a, (w, d) = math.radians(sensor.yaw), device.pad
    u, v = (math.cos(a) * w / 2, math.sin(a) * w / 2), (-math.sin(a) * d / 2, math.cos(a) * d / 2)
    corners = [
        (sensor.at[0] + i * u[0] + j * v[0], sensor.at[1] + i * u[1] + j * v[1])
        for i, j in ((-1, -1), (1, -1), (1, 1), (-1, 1))
    ]
    p.setPen(cosmetic(hue, 1.4))
    p.setBrush(alpha(hue, 0.35))
    p.drawPolygon(polygon(corners))


def hatch(p: QPainter, path: QPainterPath, colour: QColor) -> None:
    """Slanting lines within a path of the scene."""
    box = p.worldTransform().map(path)
    if box.isEmpty():
        return
    with in_pixels(p):
        p.setClipPath(box, Qt.ClipOperation.IntersectClip)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        p.setPen(QPen(colour, 1))
        r = box.boundingRect()
        first, last = math.floor((r.left() - r.height()) / HATCH), math.ceil(r.right() / HATCH)
        p.drawLines(*[QLineF(k * HATCH, r.bottom(), k * HATCH + r.height(), r.top()) for k in range(first, last)])


def _hatch_unseen(p: QPainter, state: PlanState, sensor: Sensor, seen: QPainterPath) -> None:
    """Hatch the sensor's own room, then give the seen part its ground back."""
    own = next((r for r in state.rooms if polygons.contains_point(r.outline, *sensor.at[:2])), None)
    if own is None:
        return
    room = QPainterPath()
    room.addPolygon(polygon(own.outline))
    hatch(p, room, mix(state.ground, state.theme.dropped, 0.55))
    p.save()
    p.setClipPath(room, Qt.ClipOperation.IntersectClip)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    p.fillPath(seen, state.ground)
    p.restore()

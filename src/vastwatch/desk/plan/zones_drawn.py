"""Zones on the plan as they are painted: as they are drawn, as their device will use them, who is counted where."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from vastwatch.advice.checks.zones import ASTRAY, WELL
from vastwatch.design.places import room_of
from vastwatch.design.records import Zone
from vastwatch.desk.plan.contours import band_paths
from vastwatch.desk.plan.coverage_layer import hatch
from vastwatch.desk.plan.painting import cosmetic, in_pixels, polygon
from vastwatch.desk.plan.places import name_frames
from vastwatch.desk.plan.state import PlanState, ZonesShown
from vastwatch.desk.results.active_tracker import sensor_in_hand, trackers
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import alpha, font, mix
from vastwatch.devices import RadarType
from vastwatch.sensing import coverage
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.tracker import CHEST_M, Pose, positions_of, to_plan
from vastwatch.sensing.zone_encoding import Shape
from vastwatch.sensing.zoned_sensor import ZonedSensor, zones_of
from vastwatch.sensing.zones import sample_readings

# The grid of a device is drawn where its steps are so many pixels.
STEP_PX = 7.0
# Of the reports of a spot so many are drawn.
DOTS = 90


At = Callable[[float, float], QPointF]


def show_zones(state: PlanState, focus: Focus) -> None:
    """Set what of a state belongs to zones."""
    state.zones = None
    if not focus.here.zones:
        return
    sensor = sensor_in_hand(state.project, focus)
    known = None if sensor is None else zoned_sensor(state.project, sensor)
    if known is None:
        return
    dots: tuple[tuple[float, float, bool], ...] = ()
    mine = [i for i, s in enumerate(known.spots) if s.id == focus.selected]
    if mine:
        # Where the reports lie on the plan, for anybody who takes them for places: the device's x and y as they are.
        read = sample_readings(known.spread, mine[0], DOTS)
        own = np.zeros(len(read), bool)
        for j in np.flatnonzero(known.intended[mine[0]]):
            own |= known.shapes[j].contains(read)
        dots = tuple((float(x), float(y), bool(o)) for (x, y), o in zip(to_plan(known.pose, read), own))
    state.zones = ZonesShown(known, dots)


# -- painting ------------------------------------------------------------------------------------------------------


def draw_zones(p: QPainter, state: PlanState) -> None:
    """Reach, zones as drawn (dashed) and as the device will use them (solid), figures at the spots, and dots."""
    shown = state.zones
    if shown is None:
        return
    known, t = shown.known, state.theme
    hue = family_hue(t, "radar")
    _reach(p, state, known, hue)
    room = room_of(state.project, known.sensor)
    for other in trackers(state.project, state.level):
        # In a room with several, each in its own frame.
        if other.id != known.sensor.id and room is not None and room_of(state.project, other) is room:
            beside = zoned_sensor(state.project, other)
            if beside is not None:
                _reach(p, state, beside, mix(hue, state.ground, 0.45))
    for j, zone in enumerate(known.zones):
        colour = _colour(state, known, j, hue)
        chosen = zone.id == state.selected
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(cosmetic(alpha(mix(t.ink, colour, 0.4), 0.55), 1.0, Qt.PenStyle.DashLine))
        p.drawPolygon(polygon(zone.outline))
        if chosen:
            _steps(p, known, j, colour)
        p.setBrush(alpha(colour, 0.2 if chosen else 0.11))
        p.setPen(cosmetic(colour, 2.2 if chosen else 1.4))
        p.drawPolygon(_used(known, j))
    for zone in zones_of(state.project, known.sensor.id)[len(known.zones) :]:
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(cosmetic(t.dropped, 1.2, Qt.PenStyle.DotLine))
        p.drawPolygon(polygon(zone.outline))
    with in_pixels(p) as at:
        p.setPen(Qt.PenStyle.NoPen)
        for x, y, counted in shown.dots:
            p.setBrush(alpha(hue if counted else t.dropped, 0.75))
            p.drawEllipse(at(x, y), 2.0, 2.0)
        taken = name_frames(state, at)
        _figures(p, state, known, at, taken)
        for j, zone in enumerate(known.zones):
            _label(p, state, known, j, zone, at, taken)
            if zone.id == state.selected:
                p.setBrush(t.card)
                p.setPen(QPen(t.ink, 1.2))
                for corner in zone.outline:
                    p.drawRect(QRectF(at(*corner) - QPointF(3.5, 3.5), at(*corner) + QPointF(3.5, 3.5)))


def _used(known: ZonedSensor, j: int) -> QPolygonF:
    """What the device uses of a zone, in the scene."""
    return _used_as(known.shapes[j], known.pose, known.chest[j], known.device.fov_h)


@lru_cache(maxsize=256)
def _used_as(shape: Shape, pose: Pose, chest: float, fov_h: float) -> QPolygonF:
    """Kept: every frame paints all zones, and one of them is dragged."""
    return polygon(shape.on_plan(pose, chest, fov_h))


def _free(box: QRectF, ways: list[QPointF], taken: list[QRectF], view: QRectF) -> QRectF:
    """The first of some shifts of a frame that is in view and lies on nothing, else the frame as it is; it is taken
    from then on."""
    tried = (box.translated(w) for w in ways)
    found = next((b for b in tried if view.contains(b) and not any(b.intersects(t) for t in taken)), box)
    taken.append(found)
    return found


def _view(p: QPainter) -> QRectF:
    device = p.device()
    return QRectF(0, 0, device.width(), device.height()) if device is not None else QRectF()


def _colour(state: PlanState, known: ZonedSensor, j: int, hue: QColor) -> QColor:
    zone, t = known.zones[j], state.theme
    if zone.role == "ignore":
        return t.soft
    held = held_of(known, j)
    if held is not None and held < WELL:
        return t.dropped
    return mix(t.ink, t.soft, 0.3) if zone.role == "entry" else hue


def held_of(known: ZonedSensor, j: int) -> float | None:
    """The share of the reports of its own spots that falls into a zone, the worst of them; None without any."""
    mine = known.counted[known.intended[:, j], j]
    return float(mine.min()) if len(mine) else None


def _reach(p: QPainter, state: PlanState, known: ZonedSensor, hue: QColor) -> None:
    """The field of view and rings of range: for bands where people really are when they fall into them."""
    rings, sides = _reach_lines(known.pose, known.device)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(cosmetic(alpha(hue, 0.75 if known.device.zones == 0 else 0.45), 1.0, Qt.PenStyle.DotLine))
    for line in rings:
        p.drawPolyline(line)
    p.setPen(cosmetic(alpha(hue, 0.6), 1.0))
    for line in sides:
        p.drawPolyline(line)


@lru_cache(maxsize=64)
def _reach_lines(pose: Pose, device: RadarType) -> tuple[list[QPolygonF], list[QPolygonF]]:
    """The rings, and the sides of the field of view, for somebody who sits."""
    chest = CHEST_M["seated"]
    az = np.radians(np.linspace(-0.5, 0.5, 49) * device.fov_h)
    way = np.column_stack([np.sin(az), np.cos(az)])
    reach = (
        [device.band_m * k for k in range(1, device.bands + 1)] if device.zones == 0
        else [float(k) for k in range(1, math.floor(device.max_gate_m) + 1)]
    )  # fmt: skip
    far = positions_of(pose, way[[0, -1]] * device.max_gate_m, chest)
    return (
        [polygon(positions_of(pose, way * r, chest)) for r in reach],
        [polygon([(pose.x, pose.y), tuple(end)]) for end in far],
    )


def draw_blind(p: QPainter, state: PlanState) -> None:
    """What of its room a radar never notices anybody in who sits there: shadows and dead wedges, hatched."""
    if state.zones is None or state.dragging:
        return
    known = state.zones.known
    room = room_of(state.project, known.sensor)
    if room is None:
        return
    seen = band_paths(coverage(state.project, known.sensor.id, "seated", 0, state.second))[0]
    own = QPainterPath()
    own.addPolygon(polygon(room.outline))
    hatch(p, own.subtracted(seen), mix(state.ground, state.ink, 0.3))


def _steps(p: QPainter, known: ZonedSensor, j: int, colour: QColor) -> None:
    """The device's grid within a zone, where it is wide enough to be seen."""
    rules, outline = known.device.zone_rules, np.array(known.shapes[j].outline)
    if rules is None or len(outline) == 0 or rules.step_m * abs(p.worldTransform().m11()) < STEP_PX:
        return
    low, high = outline.min(axis=0), outline.max(axis=0)
    p.setPen(cosmetic(alpha(colour, 0.3), 1.0))
    for axis in (0, 1):
        for v in np.arange(low[axis], high[axis] + 1e-9, rules.step_m):
            ends = np.array([low, high])
            ends[:, axis] = v
            p.drawPolyline(polygon(positions_of(known.pose, ends, known.chest[j])))


def _figures(p: QPainter, state: PlanState, known: ZonedSensor, at: At, taken: list[QRectF]) -> None:
    """At each spot the chance that somebody there is counted in their own zone."""
    t = state.theme
    p.setFont(font(11, 600))
    taken += [QRectF(at(*s.at) - QPointF(8, 8), at(*s.at) + QPointF(8, 8)) for s in known.spots]
    for i, spot in enumerate(known.spots):
        c = at(*spot.at)
        own = known.counted[i][known.intended[i]]
        share = float(own.max()) if len(own) else float(known.counted[i].max(initial=0.0))
        if not len(own) and share < 0.01:
            continue
        words = f"{100 * share:.0f} %"
        bad = share < WELL if len(own) else share > ASTRAY
        width = p.fontMetrics().horizontalAdvance(words) + 8
        box = QRectF(c.x() - width / 2, c.y() - 7.5, width, 15)
        beside = 0.5 * width + 10
        box = _free(box, [QPointF(0, 17), QPointF(beside, 0), QPointF(-beside, 0), QPointF(0, -17)], taken, _view(p))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(alpha(state.ground, 0.8))
        p.drawRoundedRect(box, 7, 7)
        p.setPen(t.dropped if bad else t.ink if len(own) else t.soft)
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _label(p: QPainter, state: PlanState, known: ZonedSensor, j: int, zone: Zone, at: At, taken: list[QRectF]) -> None:
    """The zone's name on its upper edge, or where it lies on nothing else."""
    t = state.theme
    used = _used(known, j).boundingRect()
    if used.isEmpty():
        return
    # The plan is never turned: what is upright on it is upright in pixels.
    ends = [at(q.x(), -q.y()) for q in (used.topLeft(), used.bottomRight())]
    xs, ys = [q.x() for q in ends], [q.y() for q in ends]
    p.setFont(font(11, 600 if zone.id == state.selected else 500))
    width = p.fontMetrics().horizontalAdvance(zone.name) + 14
    box = QRectF((min(xs) + max(xs) - width) / 2, min(ys) - 9, width, 18)
    down, aside = max(ys) - min(ys), (max(xs) - min(xs)) / 3 + 10
    ways = [QPointF(dx, dy) for dy in (0, down, -19, down + 19, down / 2) for dx in (0, -aside, aside)]
    box = _free(box, ways, taken, _view(p))
    colour = _colour(state, known, j, family_hue(t, "radar"))
    p.setBrush(t.card)
    p.setPen(QPen(colour, 1.2, Qt.PenStyle.DashLine if zone.role != "detect" else Qt.PenStyle.SolidLine))
    p.drawRoundedRect(box, 9, 9)
    p.setPen(t.ink)
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, zone.name)


# -- hands ---------------------------------------------------------------------------------------------------------

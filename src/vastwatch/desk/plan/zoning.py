"""Zones on the plan: as they are drawn, as their device will use them, who is counted where; and the hands on them."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from vastwatch.advice.checks.zones import ASTRAY, WELL
from vastwatch.design.edits.zones import add_zone, clear_of, set_outline
from vastwatch.design.places import room_at, room_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor, Zone
from vastwatch.design.relations import spots_on
from vastwatch.desk.plan.bench import Bench
from vastwatch.desk.plan.contours import band_paths
from vastwatch.desk.plan.covered import hatch
from vastwatch.desk.plan.gestures import STILL_PX, Gesture
from vastwatch.desk.plan.painting import cosmetic, in_pixels, polygon
from vastwatch.desk.plan.places import name_frames
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.in_hand import sensor_in_hand, trackers
from vastwatch.desk.shell.looks import family_hue
from vastwatch.desk.shell.theme import alpha, font, mix
from vastwatch.devices import RadarType
from vastwatch.geometry import polygons
from vastwatch.sensing import coverage
from vastwatch.sensing.mounted import zoned
from vastwatch.sensing.tracker import CHEST_M, Pose, on_plan, places_read
from vastwatch.sensing.zone_numbers import Shape
from vastwatch.sensing.zoned import Zoned, off_axis_deg, tracking, zones_of
from vastwatch.sensing.zones import cloud
from vastwatch.words import sentence

# Pixels within which a corner of a zone is taken hold of.
CORNER_PX = 9.0
# What a corner or side takes hold of, metres: furniture and walls.
SNAP_M, GRID_M = 0.08, 0.05
# A click this near a spot means it, metres.
NEAR_M = 0.5
# The grid of a device is drawn where its steps are so many pixels.
STEP_PX = 7.0
# Of the reports of a spot so many are drawn.
DOTS = 90


At = Callable[[float, float], QPointF]


class ZonesShown(NamedTuple):
    """What the plan shows of zones: the tracker in hand, what it makes of them, and the reports of the spot in hand, on
    the plan as whoever reads the device would place them, and whether a zone of its own counts each."""

    known: Zoned
    dots: tuple[tuple[float, float, bool], ...]


def show_zones(state: PlanState, focus: Focus) -> None:
    """Set what of a state belongs to zones."""
    state.zones = None
    if not focus.here.zones:
        return
    sensor = sensor_in_hand(state.project, focus)
    known = None if sensor is None else zoned(state.project, sensor)
    if known is None:
        return
    dots: tuple[tuple[float, float, bool], ...] = ()
    mine = [i for i, s in enumerate(known.spots) if s.id == focus.selected]
    if mine:
        # Where the reports lie on the plan, for whoever takes them for places: the device's x and y as they are.
        read = cloud(known.spread, mine[0], DOTS)
        own = np.zeros(len(read), bool)
        for j in np.flatnonzero(known.own[mine[0]]):
            own |= known.shapes[j].holds(read)
        dots = tuple((float(x), float(y), bool(o)) for (x, y), o in zip(on_plan(known.pose, read), own))
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
            beside = zoned(state.project, other)
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


def _used(known: Zoned, j: int) -> QPolygonF:
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


def _colour(state: PlanState, known: Zoned, j: int, hue: QColor) -> QColor:
    zone, t = known.zones[j], state.theme
    if zone.role == "ignore":
        return t.soft
    held = held_of(known, j)
    if held is not None and held < WELL:
        return t.dropped
    return mix(t.ink, t.soft, 0.3) if zone.role == "entry" else hue


def held_of(known: Zoned, j: int) -> float | None:
    """The share of the reports of its own spots that falls into a zone, the worst of them; None without any."""
    mine = known.counted[known.own[:, j], j]
    return float(mine.min()) if len(mine) else None


def _reach(p: QPainter, state: PlanState, known: Zoned, hue: QColor) -> None:
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
    far = places_read(pose, way[[0, -1]] * device.max_gate_m, chest)
    return (
        [polygon(places_read(pose, way * r, chest)) for r in reach],
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


def _steps(p: QPainter, known: Zoned, j: int, colour: QColor) -> None:
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
            p.drawPolyline(polygon(places_read(known.pose, ends, known.chest[j])))


def _figures(p: QPainter, state: PlanState, known: Zoned, at: At, taken: list[QRectF]) -> None:
    """At each spot the chance that somebody there is counted in their own zone."""
    t = state.theme
    p.setFont(font(11, 600))
    taken += [QRectF(at(*s.at) - QPointF(8, 8), at(*s.at) + QPointF(8, 8)) for s in known.spots]
    for i, spot in enumerate(known.spots):
        c = at(*spot.at)
        own = known.counted[i][known.own[i]]
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


def _label(p: QPainter, state: PlanState, known: Zoned, j: int, zone: Zone, at: At, taken: list[QRectF]) -> None:
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


class ZoneHands:
    """What the mouse and the tools do with zones."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench

    def take_hold(self, pixel: QPointF, mark: str | None = None) -> Gesture | None:
        """Begin to drag a corner of the selected zone, or the zone under a pixel, and select it; without any movement
        it is a click on the `mark` that lies there."""
        shown = self.bench.state.zones
        if shown is None:
            return None
        x, y = self.bench.plan_at(pixel)
        drawn = zones_of(self.bench.project, shown.known.sensor.id)
        chosen = next((z for z in drawn if z.id == self.bench.focus.selected), None)
        if chosen is not None:
            k = min(range(len(chosen.outline)), key=lambda k: math.dist(chosen.outline[k], (x, y)))
            if math.dist(chosen.outline[k], (x, y)) * self.bench.scale_px <= CORNER_PX:
                return ShapeZone(self.bench, pixel, chosen, k, mark)
        under = [z for z in drawn if polygons.contains_point(z.outline, x, y)]
        if not under:
            # What the device will use is what is seen of it: it is taken by that as well.
            known = shown.known
            under = [z for j, z in enumerate(known.zones) if polygons.contains_point(known.outline(j).tolist(), x, y)]
        if not under:
            return None
        zone = chosen if chosen in under else min(under, key=lambda z: polygons.area(z.outline))
        assert zone is not None
        self.bench.focus.set(selected=zone.id)
        return ShapeZone(self.bench, pixel, zone, None, mark)

    def sensor(self) -> Sensor | None:
        """The tracker that a new zone would be for; what is missing is said."""
        sensor = sensor_in_hand(self.bench.project, self.bench.focus)
        if sensor is None:
            self.bench.say("No tracking radar hangs on this level: hang one in Sensors.")
        return sensor

    def add(self, outline: list[tuple[float, float]] | tuple[tuple[float, float], ...], name: str = "") -> bool:
        """A new zone for the tracker in hand, clear of the others; what cannot be is said."""
        sensor = self.sensor()
        if sensor is None:
            return False
        project = self.bench.project
        device = tracking(find(project.devices, sensor.device))
        assert device is not None
        most, drawn = device.zones or device.bands, zones_of(project, sensor.id)
        if len(drawn) >= most:
            self.bench.say(f"{sensor.name} takes {most} zones, and has them.")
            return False
        gap = device.zone_rules.gap_m if device.zone_rules is not None else 0.0
        clear = clear_of(outline, [z.outline for z in drawn], gap) if device.zones else tuple(outline)
        if clear is None:
            self.bench.say("Another zone is there: zones lie side by side.")
            return False
        try:
            new, zone = add_zone(project, sensor.id, clear, name)
        except ValueError as e:
            self.bench.say(sentence(e))
            return False
        self.bench.document.apply(new, f"Draw zone {zone.name.lower()}")
        self.bench.focus.set(placing=None, selected=zone.id)
        if len(clear) != len(outline) or any(math.dist(a, b) > 0.01 for a, b in zip(clear, outline)):
            self.bench.say(f"{zone.name} keeps clear of its neighbours.")
        return True

    def add_round(self, x: float, y: float) -> bool:
        """A new zone round whatever stands at a point."""
        from vastwatch.advice.detection.zone_proposal import drawn_around

        project, level = self.bench.project, self.bench.level
        room = room_at(project, level, x, y)
        near = [s for s in spots_on(project, level) if math.dist(s.at, (x, y)) < NEAR_M]
        spot = min(near, key=lambda s: math.dist(s.at, (x, y)), default=None)
        piece = next(
            (f for f in project.furnishings if f.level == level and polygons.contains_point(f.outline, x, y)), None
        )
        at = (x, y) if piece is not None or spot is None else spot.at
        name = piece.name if piece is not None else spot.name if spot is not None else ""
        return self.add(drawn_around(project, level, at, room), name[:1].upper() + name[1:])


class ShapeZone(Gesture):
    """Drags a zone, or one corner of it: of a rectangle the sides beside it follow. It snaps to furniture and walls,
    and stops at its neighbours; Alt lets go of both."""

    def __init__(self, bench: Bench, pixel: QPointF, zone: Zone, corner: int | None, mark: str | None = None) -> None:
        super().__init__(bench)
        self.zone, self.corner, self.mark = zone, corner, mark
        self.pressed, self.moved = pixel, False
        self.start = bench.plan_at(pixel)
        known = bench.state.zones
        self.gap = 0.0
        if known is not None and known.known.device.zone_rules is not None:
            self.gap = known.known.device.zone_rules.gap_m

    def move(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Follow the pointer."""
        bench = self.bench
        if not self.moved and (pixel - self.pressed).manhattanLength() < STILL_PX:
            return
        self.moved = bench.state.dragging = True
        x, y = bench.plan_at(pixel)
        free = bool(modifiers & Qt.KeyboardModifier.AltModifier)
        dx, dy = x - self.start[0], y - self.start[1]
        outline = list(self.zone.outline)
        if self.corner is None:
            if not free:
                dx, dy = (round(v / GRID_M) * GRID_M for v in (dx, dy))
            outline = [(a + dx, b + dy) for a, b in outline]
        else:
            k = self.corner
            px, py = outline[k][0] + dx, outline[k][1] + dy
            if not free:
                px, py = snapped(bench.project, bench.level, (px, py))
            if is_box(self.zone.outline):
                ox, oy = outline[k]
                outline = [(px if abs(a - ox) < 1e-9 else a, py if abs(b - oy) < 1e-9 else b) for a, b in outline]
            else:
                outline[k] = (px, py)
        others = [z.outline for z in zones_of(bench.project, self.zone.sensor) if z.id != self.zone.id]
        clear = tuple(outline) if free else clear_of(outline, others, self.gap)
        if clear is None:
            return
        try:
            new = set_outline(bench.project, self.zone.id, clear)
        except ValueError:
            return
        bench.document.apply(new, f"Shape zone {self.zone.name.lower()}", self.key)
        bench.card.show_at(pixel, rows_of(bench.project, bench.state, self.zone.id))

    def finish(self) -> None:
        """A click is on what lies there."""
        if not self.moved and self.mark is not None:
            self.bench.focus.set(selected=self.mark)


def rows_of(project: Project, state: PlanState, ident: str) -> list[tuple[str, str]]:
    """What the card says of a zone while it is dragged: its numbers, who is counted, the worst neighbour."""
    from vastwatch.commission.entry_sheet import numbers_told

    shown = state.zones
    if shown is None:
        return []
    known = shown.known
    j = next((j for j, z in enumerate(known.zones) if z.id == ident), None)
    if j is None:
        return []
    unit, numbers = numbers_told(known, j)
    values = list(numbers.values())
    if "from" in numbers:
        rows = [(f"bands {values[0]:g} to {values[1]:g}", "")]
    elif "x1" in numbers:
        rows = [(f"{len(values) // 2} corners", "")]
    else:
        rows = [(f"X {values[0]:g} … {values[1]:g}  Y {values[2]:g} … {values[3]:g} {unit}", "")]
    corners = np.array(known.zones[j].outline, float)
    off = np.abs(off_axis_deg(known.pose, corners)) > known.device.fov_h / 2
    far = np.hypot(*(corners - (known.pose.x, known.pose.y)).T) > known.device.max_gate_m
    if (off | far).any():
        rows.append(("all of it beyond what it sees" if (off | far).all() else "partly beyond what it sees", ""))
    held = held_of(known, j)
    if held is not None:
        rows.append((f"counted {100 * held:.0f} %", ""))
    strays = [(known.counted[i, j], s.name) for i, s in enumerate(known.spots) if not known.own[i, j]]
    worst = max(strays, default=(0.0, ""))
    if worst[0] >= 0.005:
        rows.append((f"{worst[1]} {100 * worst[0]:.0f} %", ""))
    return rows


def is_box(outline: tuple[tuple[float, float], ...]) -> bool:
    """Whether an outline is a rectangle along the plan's axes."""
    return len(outline) == 4 and all(
        abs(a[0] - b[0]) < 1e-9 or abs(a[1] - b[1]) < 1e-9 for a, b in zip(outline, (*outline[1:], outline[0]))
    )  # fmt: skip


def snapped(project: Project, level: str, at: tuple[float, float]) -> tuple[float, float]:
    """A point on the lines of furniture and rooms near it, else on the grid."""
    edges = [p for r in project.rooms if r.level == level for p in r.outline]
    edges += [p for f in project.furnishings if f.level == level for p in f.outline]
    out = []
    for axis in (0, 1):
        near = min((p[axis] for p in edges), key=lambda v: abs(v - at[axis]), default=math.inf)
        out.append(near if abs(near - at[axis]) <= SNAP_M else round(round(at[axis] / GRID_M) * GRID_M, 3))
    return out[0], out[1]

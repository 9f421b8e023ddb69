"""The hands on zones: drawing, taking hold of a corner, moving, and what is said of one."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, Qt

from vastwatch.design.edits.zones import add_zone, clear_of, set_outline
from vastwatch.design.places import room_at
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor, Zone
from vastwatch.design.relations import spots_on
from vastwatch.desk.plan.edit_context import EditContext
from vastwatch.desk.plan.gestures import STILL_PX, Gesture
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.plan.zones_drawn import held_of
from vastwatch.desk.results.active_tracker import sensor_in_hand
from vastwatch.geometry import polygons
from vastwatch.sensing.zoned_sensor import off_axis_deg, tracking_part, zones_of
from vastwatch.words import error_sentence

# Pixels within which a corner of a zone is taken hold of.
CORNER_PX = 9.0
# What a corner or side snaps to, metres: furniture and walls.
SNAP_M, GRID_M = 0.08, 0.05
# A click this near a spot means it, metres.
NEAR_M = 0.5


class ZoneHands:
    """What the mouse and the tools do with zones."""

    def __init__(self, bench: EditContext) -> None:
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
            self.bench.say("No tracking radar on this level: place one in Sensors.")
        return sensor

    def add(self, outline: list[tuple[float, float]] | tuple[tuple[float, float], ...], name: str = "") -> bool:
        """A new zone for the tracker in hand, clear of the others; what cannot be is said."""
        sensor = self.sensor()
        if sensor is None:
            return False
        project = self.bench.project
        device = tracking_part(find(project.devices, sensor.device))
        assert device is not None
        most, drawn = device.zones or device.bands, zones_of(project, sensor.id)
        if len(drawn) >= most:
            self.bench.say(f"{sensor.name} supports {most} zones, and all are in use.")
            return False
        gap = device.zone_rules.gap_m if device.zone_rules is not None else 0.0
        clear = clear_of(outline, [z.outline for z in drawn], gap) if device.zones else tuple(outline)
        if clear is None:
            self.bench.say("Zones must not overlap.")
            return False
        try:
            new, zone = add_zone(project, sensor.id, clear, name)
        except ValueError as e:
            self.bench.say(error_sentence(e))
            return False
        self.bench.document.apply(new, f"Draw zone {zone.name.lower()}")
        self.bench.focus.set(placing=None, selected=zone.id)
        if len(clear) != len(outline) or any(math.dist(a, b) > 0.01 for a, b in zip(clear, outline)):
            self.bench.say(f"{zone.name} was trimmed to avoid overlapping other zones.")
        return True

    def add_round(self, x: float, y: float) -> bool:
        """A new zone round whatever stands at a point."""
        from vastwatch.advice.detection.zone_proposal import zone_around

        project, level = self.bench.project, self.bench.level
        room = room_at(project, level, x, y)
        near = [s for s in spots_on(project, level) if math.dist(s.at, (x, y)) < NEAR_M]
        spot = min(near, key=lambda s: math.dist(s.at, (x, y)), default=None)
        piece = next(
            (f for f in project.furnishings if f.level == level and polygons.contains_point(f.outline, x, y)), None
        )
        at = (x, y) if piece is not None or spot is None else spot.at
        name = piece.name if piece is not None else spot.name if spot is not None else ""
        return self.add(zone_around(project, level, at, room), name[:1].upper() + name[1:])


class ShapeZone(Gesture):
    """Drags a zone, or one corner of it: of a rectangle the sides beside it follow. It snaps to furniture and walls,
    and stops at its neighbours; Alt releases both."""

    def __init__(
        self, bench: EditContext, pixel: QPointF, zone: Zone, corner: int | None, mark: str | None = None
    ) -> None:
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
    from vastwatch.commission.entry_sheet import typed_numbers

    shown = state.zones
    if shown is None:
        return []
    known = shown.known
    j = next((j for j, z in enumerate(known.zones) if z.id == ident), None)
    if j is None:
        return []
    unit, numbers = typed_numbers(known, j)
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
        rows.append(("entirely out of range or view" if (off | far).all() else "partly out of range or view", ""))
    held = held_of(known, j)
    if held is not None:
        rows.append((f"{100 * held:.0f} % counted", ""))
    strays = [(known.counted[i, j], s.name) for i, s in enumerate(known.spots) if not known.intended[i, j]]
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

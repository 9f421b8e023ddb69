"""Drawing tools of the Plan stage: rooms as rectangles and polygons, a cut, hazards, the tape, the underlay's scale.

A tool is armed by `focus.placing`, as `draw:NAME`. It takes points from the pointer, snapped to corners, to lines
through them, to walls and to the grid, and hands over to an edit when it has enough of them.
"""

from __future__ import annotations

import itertools
import math
from typing import Any

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from vastwatch.design.edits.building import SAME, add_room
from vastwatch.design.edits.drawing_aids import HAZARD_KINDS, HAZARD_M, add_hazard
from vastwatch.design.edits.split_join import split_room
from vastwatch.design.places import room_at
from vastwatch.design.project import Project, put
from vastwatch.desk.plan.edit_context import EditContext
from vastwatch.desk.plan.painting import in_pixels
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.plan.zoning import ZoneHands
from vastwatch.desk.shell.theme import alpha, font, mix
from vastwatch.desk.shell.units import show_length
from vastwatch.geometry import polygons
from vastwatch.site.record import Point
from vastwatch.words import error_sentence

# Pixels within which a point snaps to a corner, of a wall, or of a line through a corner.
CORNER_PX, EDGE_PX, LINE_PX = 11.0, 9.0, 7.0
# A press that moves less than this is a click, pixels.
CLICK_PX = 5.0
TOOLS = {
    "room": "Drag from corner to corner, or click two corners. Alt ignores the grid.",
    "polygon": "Click the corners; click the first again or press Return to finish. Backspace removes the last.",
    "split": "Click two points of a line across the room you want to split.",
    "zone": "Drag a zone from corner to corner. Alt ignores the grid.",
    "zone-outline": "Click the corners of a zone; click the first again or press Return to finish.",
    "zone-here": "Click a seat, a bed or a counter to draw a zone around it.",
    "walk": "Click along the path somebody walks; Return ends it. Backspace removes the last point.",
    "tape": "Drag, or click two points. Esc ends measuring.",
    "scale": "Click two points of the picture a known distance apart.",
    "shift": "Drag the picture into place.",
}


# What is drawn corner by corner, and closed.
CLOSED = ("polygon", "zone-outline")


class Tools:
    """The armed tool's points so far."""

    def __init__(self, bench: EditContext, zones: ZoneHands) -> None:
        self.bench, self.zones = bench, zones
        self.points: list[Point] = []
        self.at: Point | None = None
        self.caught: str = ""
        self._pressed: QPointF | None = None
        # Where the picture lay when it was taken hold of, and the drag's key in the undo list.
        self._held: Point | None = None
        self._key = ""
        self._serial = itertools.count(1)
        # What the Build panel says of the next room.
        self.room_name, self.room_use = "", "sitting"

    @property
    def name(self) -> str:
        """The armed tool, or an empty string."""
        token = self.bench.focus.placing or ""
        return token.removeprefix("draw:") if token.startswith("draw:") else ""

    @property
    def project(self) -> Project:
        """The document's project."""
        return self.bench.document.project

    def put_away(self) -> None:
        """Forget the points."""
        self.points, self.at, self.caught, self._pressed = [], None, "", None

    # -- snapping ----------------------------------------------------------------------------------------------

    def snapped(self, x: float, y: float, free: bool) -> Point:
        """The point meant by a pointer: a corner near it, else lines through corners, a wall, or the grid."""
        self.caught = ""
        if free:
            return round(x, 3), round(y, 3)
        scale, level = self.bench.scale_px, self.bench.level
        corners = [p for r in self.project.rooms if r.level == level for p in r.outline] + self.points
        if corners:
            d, k = min((math.dist(p, (x, y)), k) for k, p in enumerate(corners))
            if d * scale < CORNER_PX:
                self.caught = "corner"
                return corners[k]
        out = []
        for axis, v in enumerate((x, y)):
            near = min((abs(p[axis] - v), p[axis]) for p in corners)[1] if corners else math.inf
            if abs(near - v) * scale < LINE_PX:
                self.caught = "aligned"
                out.append(near)
            else:
                step = self.bench.focus.grid_m
                out.append(round(round(v / step) * step, 4) if step > 0 else round(v, 3))
        walls = [w for w in self.project.walls if w.level == level]
        if walls and not self.caught:
            distance, foot = polygons.nearest_on_segments((x, y), [w.a for w in walls], [w.b for w in walls])
            j = int(np.argmin(distance))
            if distance[j] * scale < EDGE_PX:
                self.caught = "wall"
                return round(float(foot[j, 0]), 3), round(float(foot[j, 1]), 3)
        return out[0], out[1]

    # -- pointer and keys --------------------------------------------------------------------------------------

    def press(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """A button goes down."""
        self._pressed = pixel
        self._follow(pixel, modifiers)
        if self.name == "shift":
            level = next((x for x in self.project.levels if x.id == self.bench.level), None)
            picture = None if level is None else level.underlay
            if picture is None or picture.locked or self.at is None:
                self.bench.say("The picture is locked." if picture else "There is no picture on this level.")
                return
            self.points, self._held, self._key = [self.at], picture.at, f"shift-{next(self._serial)}"
        elif self.at is not None:
            self._take(self.at)

    def move(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """The pointer moves."""
        self._follow(pixel, modifiers)
        if self.name == "shift":
            self._shift()
            return
        self.bench.repaint()
        if self.points and self.at is not None:
            a, b = self.points[-1], self.at
            feet = self.bench.focus.feet
            rows = [(show_length(math.dist(a, b), feet), self.caught)]
            across, along = abs(b[0] - a[0]), abs(b[1] - a[1])
            if across > SAME and along > SAME:
                rows.append((f"{show_length(across, feet)} × {show_length(along, feet)}", ""))
            if self.name == "tape":
                rows.append((f"bearing {math.degrees(math.atan2(b[1] - a[1], b[0] - a[0])) % 360:.1f}°", ""))
            self.bench.card.show_at(pixel, rows)

    def release(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """A button goes up: after a drag that is the second point."""
        pressed, self._pressed = self._pressed, None
        clicked = pressed is not None and (pixel - pressed).manhattanLength() < CLICK_PX
        if clicked and self.name in HAZARD_KINDS and self.points:
            # A click is enough for a small one.
            at, self.points = self.points[0], []
            self._hazard(self.name, _frame(at, at))
            return
        if self.name == "shift":
            self.points = []
            return
        if pressed is None or (pixel - pressed).manhattanLength() < CLICK_PX or not self.points:
            return
        self._follow(pixel, modifiers)
        if self.name not in (*CLOSED, "walk") and self.at is not None and len(self.points) == 1:
            self._take(self.at)

    def _follow(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        x, y = self.bench.plan_at(pixel)
        free = bool(modifiers & Qt.KeyboardModifier.AltModifier) or self.name in ("scale", "shift", "walk")
        self.at = self.snapped(x, y, free)
        square = modifiers & Qt.KeyboardModifier.ShiftModifier
        if square and self.points and self.name in (*CLOSED, "split", "tape", "walk"):
            a = self.points[-1]
            dx, dy = self.at[0] - a[0], self.at[1] - a[1]
            self.at = (self.at[0], a[1]) if abs(dx) > abs(dy) else (a[0], self.at[1])

    def key(self, key: int) -> bool:
        """A key while a tool is armed; whether it was used."""
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.name in CLOSED and len(self.points) > 2:
            self._close()
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.name == "walk" and len(self.points) > 1:
            self._walked()
            return True
        if key == Qt.Key.Key_Backspace and self.points:
            self.points.pop()
            self.bench.repaint()
            return True
        return False

    def by_key(self, x: float, y: float) -> None:
        """Return with a tool in the hand: what it does without a pointer, at the middle of the focused room."""
        if self.name in HAZARD_KINDS:
            self._hazard(self.name, _frame((x, y), (x, y)))
        elif self.name == "split":
            room = room_at(self.project, self.bench.level, x, y)
            if room is not None:
                x0, y0, x1, y1 = polygons.bounds(room.outline)
                across = x1 - x0 >= y1 - y0
                self._split(*(((x, y0 - 1), (x, y1 + 1)) if across else ((x0 - 1, y), (x1 + 1, y))))
        elif self.name == "walk":
            self.bench.walk_in_and_out()
        elif self.name.startswith("zone"):
            spot = next((s for s in self.project.spots if s.id == self.bench.focus.selected), None)
            self.zones.add_round(*((x, y) if spot is None else spot.at))
        elif self.name in ("room", "polygon"):
            self.bench.say("Without a mouse, type the room on the left: 4.2 x 3.6, or its corners.")

    def drop(self, token: str, x: float, y: float) -> bool:
        """A hazard carried here from the device list: a small one, as a click makes it. False for what has to be
        drawn."""
        kind = token.removeprefix("draw:")
        if kind not in HAZARD_KINDS:
            return False
        self._hazard(kind, _frame((x, y), (x, y)))
        return True

    # -- enough points -----------------------------------------------------------------------------------------

    def _take(self, p: Point) -> None:
        name = self.name
        if name == "zone-here":
            self.zones.add_round(*p)
            return
        if name in CLOSED:
            if len(self.points) > 2 and math.dist(p, self.points[0]) * self.bench.scale_px < CORNER_PX:
                self._close()
                return
            if not self.points or math.dist(p, self.points[-1]) > SAME:
                self.points.append(p)
            return
        if name == "walk":
            # The same place again is its end.
            if self.points and math.dist(p, self.points[-1]) * self.bench.scale_px < CORNER_PX:
                if len(self.points) > 1:
                    self._walked()
                return
            self.points.append(p)
            return
        if self.points and math.dist(p, self.points[0]) < SAME and name not in HAZARD_KINDS:
            return
        self.points.append(p)
        if len(self.points) < 2:
            return
        a, b = self.points[:2]
        if name == "tape":
            self.bench.say(f"Distance: {show_length(math.dist(a, b), self.bench.focus.feet)}.")
            self.points = self.points[-2:]
            self.bench.measured = (a, b)
            self.points = []
            self.bench.repaint()
            return
        self.points = []
        if name == "room":
            self._add(_frame(a, b))
        elif name == "zone":
            self.zones.add(_frame(a, b))
        elif name == "split":
            self._split(a, b)
        elif name == "scale":
            self.bench.focus.set(placing=None)
            self.bench.scale_asked(a, b)
        elif name in HAZARD_KINDS:
            self._hazard(name, _frame(a, b))

    def _walked(self) -> None:
        points, self.points = tuple(self.points), []
        self.bench.card.hide()
        self.bench.focus.set(placing=None)
        self.bench.walked(points)

    def _close(self) -> None:
        outline, self.points = tuple(self.points), []
        if self.name == "zone-outline":
            self.zones.add(outline)
        else:
            self._add(outline)

    def _add(self, outline: Any) -> None:
        name = self.room_name.strip() or _next_name(self.project)
        try:
            new, room = add_room(self.project, self.bench.level, name, self.room_use, outline)  # type: ignore[arg-type]
        except ValueError as e:
            self._refuse(e)
            return
        self.bench.document.apply(new, f"Draw {name}")
        self.bench.focus.set(room=room.id, selected=room.id)
        self.bench.drawn()

    def _shift(self) -> None:
        """The picture under the level follows the hand, from where it lay when it was taken hold of."""
        if not self.points or self.at is None or self._held is None:
            return
        level = next((x for x in self.project.levels if x.id == self.bench.level), None)
        if level is None or level.underlay is None:
            return
        x = self._held[0] + self.at[0] - self.points[0][0]
        y = self._held[1] + self.at[1] - self.points[0][1]
        underlay = replace(level.underlay, at=(round(x, 3), round(y, 3)))
        new = put(self.project, replace(level, underlay=underlay))
        self.bench.document.apply(new, "Move the picture", self._key)

    def _split(self, a: Point, b: Point) -> None:
        level = self.bench.level
        middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
        room = room_at(self.project, level, *middle)
        if room is None:
            self.bench.say("The line must cross a room.")
            return
        try:
            new, part = split_room(self.project, room.id, a, b)
        except ValueError as e:
            self._refuse(e)
            return
        self.bench.document.apply(new, f"Split {room.name.lower()}")
        self.bench.focus.set(placing=None, room=part.id, selected=part.id)

    def _hazard(self, kind: str, outline: Any) -> None:
        if polygons.area(outline) < 0.01:
            (x, y), h = outline[0], HAZARD_M / 2
            outline = _frame((x - h, y - h), (x + h, y + h))
        try:
            new, hazard = add_hazard(self.project, self.bench.level, kind, outline)  # type: ignore[arg-type]
        except ValueError as e:
            self._refuse(e)
            return
        self.bench.document.apply(new, f"Add a {kind}")
        room = room_at(new, hazard.level, *polygons.centroid(hazard.outline))
        self.bench.focus.set(placing=None, selected=hazard.id, room=room.id if room else self.bench.focus.room)

    def _refuse(self, e: ValueError) -> None:
        self.bench.say(error_sentence(e))
        self.bench.repaint()

    # -- painting ----------------------------------------------------------------------------------------------

    def draw(self, p: QPainter, state: PlanState) -> None:
        """The draft, the caught point, and the tape that was laid last."""
        ink = mix(state.theme.ink, state.theme.paper, state.night)
        with in_pixels(p) as at:
            if self.bench.measured is not None and self.name in ("tape", ""):
                a, b = (at(*q) for q in self.bench.measured)
                self._tape(p, a, b, ink, math.dist(*self.bench.measured))
            if not self.name or self.at is None:
                return
            p.setPen(QPen(ink, 1.4))
            c = at(*self.at)
            p.drawLine(c + QPointF(-6, 0), c + QPointF(6, 0))
            p.drawLine(c + QPointF(0, -6), c + QPointF(0, 6))
            if self.caught == "corner":
                p.drawEllipse(c, 7, 7)
            if not self.points:
                return
            p.setBrush(alpha(ink, 0.08))
            if self.name == "walk":
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawPolyline(QPolygonF([at(*q) for q in [*self.points, self.at]]))
            elif self.name in CLOSED:
                path = [at(*q) for q in [*self.points, self.at]]
                p.drawPolygon(QPolygonF(path))
                for q in path[:-1]:
                    p.drawEllipse(q, 3, 3)
            elif self.name in ("room", "zone") or self.name in HAZARD_KINDS:
                p.drawPolygon(QPolygonF([at(*q) for q in _frame(self.points[0], self.at)]))
            else:
                self._tape(p, at(*self.points[0]), c, ink, math.dist(self.points[0], self.at))

    def _tape(self, p: QPainter, a: QPointF, b: QPointF, ink: Any, metres: float) -> None:
        p.setPen(QPen(ink, 1.3))
        p.drawLine(a, b)
        length = math.hypot(b.x() - a.x(), b.y() - a.y()) or 1.0
        nx, ny = -(b.y() - a.y()) / length * 5, (b.x() - a.x()) / length * 5
        for q in (a, b):
            p.drawLine(q + QPointF(nx, ny), q - QPointF(nx, ny))
        words = show_length(metres, self.bench.focus.feet)
        p.setFont(font(12, 600))
        width = p.fontMetrics().horizontalAdvance(words) + 10
        box = QRectF((a.x() + b.x() - width) / 2, (a.y() + b.y()) / 2 - 9, width, 18)
        p.fillRect(box, self.bench.state.ground)
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _frame(a: Point, b: Point) -> tuple[Point, ...]:
    x0, x1 = sorted((a[0], b[0]))
    y0, y1 = sorted((a[1], b[1]))
    return ((x0, y0), (x1, y0), (x1, y1), (x0, y1))


def _next_name(project: Project) -> str:
    names, n = {r.name for r in project.rooms}, len(project.rooms) + 1
    while f"Room {n}" in names:
        n += 1
    return f"Room {n}"

"""The content of a drawing in metres, straightened and near the origin, and which inserted blocks are symbols in it."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from vastwatch.files.drawing.content import UNITS, Drawing
from vastwatch.files.drawing.kinds import layer_kind, piece_kind
from vastwatch.files.drawing.walls import turn_of
from vastwatch.site.record import Point

Array = NDArray[np.float64]

# Inserted blocks no larger than this are symbols of one thing, metres.
SYMBOL_M = 4.0
# Turned by less than this a drawing is straight; by more it was meant so, degrees.
STRAIGHT_DEG, MEANT_DEG = 0.02, 44.9


class PlacedDrawing:
    """The content of a drawing on the chosen layers, in metres, turned and moved."""

    def __init__(self, drawing: Drawing, layers: Iterable[str], unit: str, straighten: bool) -> None:
        self.drawing = drawing
        chosen = set(layers)
        self.strokes = [s for s in drawing.strokes if s.layer in chosen]
        self.arcs = [a for a in drawing.arcs if a.layer in chosen]
        self.shapes = [o for o in drawing.outlines if o.layer in chosen]
        self.words = [w for w in drawing.words if w.layer in chosen]
        self.scale = UNITS[unit]
        self.turn, self.shift = 0.0, np.zeros(2)
        lines = self.lines_of(self.strokes)
        every = np.vstack([lines.reshape(-1, 2), *(np.asarray(o.corners, float) * self.scale for o in self.shapes)])
        if len(every) and straighten:
            sides = np.vstack([lines, *(sides_of(np.asarray(o.corners, float) * self.scale) for o in self.shapes)])
            turn = turn_of(sides)
            self.turn = turn if STRAIGHT_DEG <= abs(turn) <= MEANT_DEG else 0.0
        if len(every):
            self.shift = self._turned(every).min(axis=0)

    def _turned(self, points: Array) -> Array:
        if self.turn == 0.0:
            return points
        c, s = math.cos(math.radians(-self.turn)), math.sin(math.radians(-self.turn))
        return points @ np.array([[c, s], [-s, c]])

    def at(self, points: Array) -> Array:
        """Points of the drawing (n, 2), in metres near the origin."""
        return self._turned(np.asarray(points, float).reshape(-1, 2) * self.scale) - self.shift

    def point(self, p: Point) -> Point:
        """One point of the drawing, in metres near the origin."""
        x, y = self.at(np.array([p]))[0]
        return float(x), float(y)

    def lines_of(self, strokes: Iterable) -> Array:
        """Strokes as (n, 4)."""
        rows = np.array([(*s.a, *s.b) for s in strokes], float).reshape(-1, 4)
        return np.hstack([self.at(rows[:, :2]), self.at(rows[:, 2:])])


def sides_of(corners: Array) -> Array:
    """The sides of an outline (n, 2), each as a row of its two ends, (n, 4)."""
    return np.hstack([corners, np.roll(corners, -1, axis=0)])


class Symbols:
    """Which inserted blocks are symbols of one thing, and what of: by their size, their names, and what is in them."""

    def __init__(self, placed: PlacedDrawing) -> None:
        self.placed, self.drawing = placed, placed.drawing
        points: dict[int, list[Array]] = {}
        self.swinging: set[int] = set()
        for stroke, line in zip(placed.strokes, placed.lines_of(placed.strokes)):
            points.setdefault(stroke.piece, []).append(line.reshape(2, 2))
        for shape in placed.shapes:
            points.setdefault(shape.piece, []).append(placed.at(np.asarray(shape.corners)))
        for arc in placed.arcs:
            points.setdefault(arc.piece, []).append(placed.at(np.array([arc.a, arc.b, arc.centre])))
        # What lies in a piece lies in the piece that holds it.
        for k in range(len(self.drawing.pieces) - 1, -1, -1):
            if k in points and self.drawing.pieces[k].parent >= 0:
                points.setdefault(self.drawing.pieces[k].parent, []).extend(points[k])
        self.frames: dict[int, Array] = {}
        for k, parts in points.items():
            if k >= 0:
                frame = _frame(np.vstack(parts), self.drawing.pieces[k].turn - placed.turn)
                if max(math.dist(frame[0], frame[1]), math.dist(frame[1], frame[2])) <= SYMBOL_M:
                    self.frames[k] = frame

    def symbol(self, piece: int) -> int:
        """The outermost piece that is a symbol and holds this one; -1 where none does."""
        found = -1
        while piece >= 0:
            if piece in self.frames:
                found = piece
            piece = self.drawing.pieces[piece].parent
        return found

    def kind(self, piece: int) -> str | None:
        """What a symbol is: a door, a window, a kind of furniture, or None."""
        held = self.drawing.pieces[piece]
        named = piece_kind(held.name)
        on = layer_kind(held.layer)
        if on in ("doors", "windows"):
            return "door" if on == "doors" else "window"
        return named


def _frame(points: Array, turn: float) -> Array:
    """The corners (4, 2) of the frame round some points that is turned by so many degrees, counter-clockwise."""
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    axes = np.array([[c, s], [-s, c]])
    local = points @ axes.T
    (x0, y0), (x1, y1) = local.min(axis=0), local.max(axis=0)
    return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]) @ axes

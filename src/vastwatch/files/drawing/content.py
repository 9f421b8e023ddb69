"""What a drawing holds, in its own units: strokes, arcs, outlines, words and pieces (inserted blocks), each with its
layer. Nothing is understood yet."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from vastwatch.site.record import Outline, Point

# Metres per drawing unit, by the names people choose from.
UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001, "ft": 0.3048, "in": 0.0254}
# A quarter circle of such a radius is the swing of a door, metres.
LEAF_M = (0.5, 1.35)
# A plan is so wide, metres.
BUILDING_M = (2.0, 1500.0)


class Stroke(NamedTuple):
    """A straight line; `curve` where it is a piece of a flattened curve, `axis` where its line type is that of axes.
    `piece` is the number of the inserted block it lies in, -1 for none."""

    layer: str
    a: Point
    b: Point
    piece: int = -1
    curve: bool = False
    axis: bool = False


class Arc(NamedTuple):
    """Part of a circle, from `a` counter-clockwise to `b`."""

    layer: str
    centre: Point
    radius: float
    a: Point
    b: Point
    sweep: float
    piece: int = -1


class Polygon(NamedTuple):
    """A closed polygon, drawn as one."""

    layer: str
    corners: Outline
    piece: int = -1


class DrawingText(NamedTuple):
    """A text on one or several lines, where it begins or is centred, and how high its letters are."""

    layer: str
    text: str
    at: Point
    height: float = 0.0
    piece: int = -1


class BlockInsert(NamedTuple):
    """An inserted block: its name, the layer and place it is inserted at, how it is turned (degrees), and the number of
    the piece it lies in itself, -1 for none."""

    layer: str
    name: str
    at: Point
    turn: float
    parent: int = -1


@dataclass
class Drawing:
    """`unit` is what the drawing says of itself, or None; `skipped` counts what could not be used, by kind."""

    unit: str | None
    strokes: list[Stroke] = field(default_factory=list)
    arcs: list[Arc] = field(default_factory=list)
    outlines: list[Polygon] = field(default_factory=list)
    words: list[DrawingText] = field(default_factory=list)
    pieces: list[BlockInsert] = field(default_factory=list)
    skipped: Counter[str] = field(default_factory=Counter)

    @property
    def layers(self) -> dict[str, tuple[int, int, int]]:
        """Lines (arcs among them), outlines and words on each layer."""
        lines = Counter([s.layer for s in self.strokes] + [a.layer for a in self.arcs])
        counts = [lines, Counter(o.layer for o in self.outlines), Counter(w.layer for w in self.words)]
        return {name: (counts[0][name], counts[1][name], counts[2][name]) for name in sorted(set().union(*counts))}

    @property
    def size(self) -> float:
        """How wide or deep it is, in its own units; 0 where it is empty."""
        points = [p for s in self.strokes for p in (s.a, s.b)] + [p for o in self.outlines for p in o.corners]
        return float(np.ptp(np.asarray(points, float), axis=0).max()) if points else 0.0

    def guessed_unit(self) -> str:
        """The unit it says, where it is then as large as a building; else the one that makes its doors doors, or makes
        the whole the size of a building."""
        size = self.size
        if size == 0.0:
            return self.unit or "m"
        if self.unit is not None and BUILDING_M[0] <= size * UNITS[self.unit] <= BUILDING_M[1]:
            return self.unit
        leaves = [a.radius for a in self.arcs if 60.0 <= a.sweep <= 120.0]
        if leaves:
            radius = float(np.median(leaves))
            of_door = next(
                (u for u in ("m", "cm", "mm", "in", "ft") if LEAF_M[0] <= radius * UNITS[u] <= LEAF_M[1]), None
            )
            if of_door is not None:
                return of_door
        return next((u for u in ("m", "cm", "mm") if 3.0 <= size * UNITS[u] <= 100.0), self.unit or "m")

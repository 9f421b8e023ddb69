"""Gestures that move parts of the building: corners, walls, whole rooms, openings, furniture, hazards, wall fixtures.

Each works from the project as it was at the beginning, so that a drag leaves no trail.
"""

from __future__ import annotations

import math
from abc import abstractmethod
from typing import Any

from PyQt6.QtCore import QPointF, Qt

from vastwatch.design.edits.building import SAME, move_corner, move_wall
from vastwatch.design.edits.fittings import move_furnishing, move_opening
from vastwatch.design.edits.selections import move_many
from vastwatch.design.edits.whole_rooms import move_room
from vastwatch.design.naming import opening_words
from vastwatch.design.project import Project, find
from vastwatch.desk.plan.edit_context import EditContext
from vastwatch.desk.plan.gestures import STILL_PX, Gesture
from vastwatch.desk.plan.snapping import along, at_wall
from vastwatch.site.building import Furnishing, Hazard, Opening, Room, Socket, Switch, Wall
from vastwatch.site.record import Point
from vastwatch.words import error_sentence

# Pixels within which a dragged corner lines up with others.
ALIGN_PX = 7.0
# Dragged furniture steps by this unless Alt is held, metres; walls and corners by the grid.
FURNITURE_GRID_M, OPENING_GRID_M = 0.01, 0.05


def stepped(d: float, step: float) -> float:
    """A length on the grid; a grid of nothing is a millimetre."""
    step = step or 0.001
    return round(d / step) * step


def across(wall: Wall, by: Point) -> float:
    """How far a step leads away from a wall's line, to its left, metres."""
    length = math.dist(wall.a, wall.b)
    return (by[1] * (wall.b[0] - wall.a[0]) - by[0] * (wall.b[1] - wall.a[1])) / length


class Moving(Gesture):
    """Asks its kind for the project with the thing moved; what cannot be is said, and the last that could be stays."""

    def __init__(self, bench: EditContext, pixel: QPointF, thing: Any = None) -> None:
        super().__init__(bench)
        self.base, self.thing, self.start = bench.project, thing, bench.plan_at(pixel)
        self.moved = self.told = False

    def move(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Follow the pointer; Alt releases grid and lines."""
        bench = self.bench
        bench.hurry()
        at = bench.plan_at(pixel)
        by = at[0] - self.start[0], at[1] - self.start[1]
        if not self.moved and math.hypot(*by) * bench.scale_px < STILL_PX:
            return
        self.moved = True
        try:
            new, words = self.moved_by(at, by, bool(modifiers & Qt.KeyboardModifier.AltModifier))
        except ValueError as e:
            self.told = True
            bench.say(error_sentence(e))
            self.refused(by)
            return
        bench.show_foreseen(None)
        if self.told:
            # It can be here: what was said of another place holds no longer.
            self.told = False
            bench.say("")
        bench.document.apply(new, words, self.key)
        self.tell(pixel)

    @abstractmethod
    def moved_by(self, at: Point, by: Point, free: bool) -> tuple[Project, str]:
        """The project with the thing where the pointer is, and the words of the edit. Raises ValueError."""

    def refused(self, by: Point) -> None:
        """It cannot be there."""

    def tell(self, pixel: QPointF) -> None:
        """Show figures beside the pointer."""


class MoveCorner(Moving):
    """A corner, with all walls that end there; on the grid, or in line with another corner where one is near."""

    thing: Point

    def moved_by(self, at: Point, by: Point, free: bool) -> tuple[Project, str]:
        """See Moving."""
        to = at if free else (self._aligned(0, at[0]), self._aligned(1, at[1]))
        self.to = round(to[0], 3), round(to[1], 3)
        return move_corner(self.base, self.bench.level, self.thing, self.to), "Move a corner"

    def _aligned(self, axis: int, v: float) -> float:
        rooms = [r for r in self.base.rooms if r.level == self.bench.level]
        others = [p[axis] for r in rooms for p in r.outline if math.dist(p, self.thing) > SAME]
        nearest = min(others, key=lambda other: abs(other - v), default=math.inf)
        near = abs(nearest - v) < ALIGN_PX / self.bench.scale_px
        return nearest if near else stepped(v, self.bench.focus.grid_m)

    def tell(self, pixel: QPointF) -> None:
        """Where it is."""
        self.bench.card.show_at(pixel, [(f"{self.to[0]:.2f}, {self.to[1]:.2f} m", "")])


class MoveWall(Moving):
    """A wall, across its own direction."""

    thing: Wall

    def moved_by(self, at: Point, by: Point, free: bool) -> tuple[Project, str]:
        """See Moving."""
        d = across(self.thing, by)
        d = d if free else stepped(d, self.bench.focus.grid_m)
        return move_wall(self.base, self.thing.id, round(d, 3)), "Move a wall"


class MoveRoom(Moving):
    """A whole room; on the grid, or in line with a corner of another room where one is near."""

    thing: Room

    def moved_by(self, at: Point, by: Point, free: bool) -> tuple[Project, str]:
        """See Moving."""
        room = self.thing
        dx, dy = by if free else (self._aligned(0, by[0]), self._aligned(1, by[1]))
        done = move_room(self.base, room.id, round(dx, 3), round(dy, 3))
        if done.gone:
            self.bench.say(f"{room.name} moved, but {', '.join(done.gone)} removed.")
        return done.project, f"Move {room.name.lower()}"

    def _aligned(self, axis: int, d: float) -> float:
        room, rooms = self.thing, self.base.rooms
        others = [q[axis] for r in rooms if r.level == self.bench.level and r.id != room.id for q in r.outline]
        gap = min((q - p[axis] - d for p in room.outline for q in others), key=abs, default=math.inf)
        near = abs(gap) < ALIGN_PX / self.bench.scale_px
        return d + gap if near else stepped(d, self.bench.focus.grid_m)

    def refused(self, by: Point) -> None:
        """Where it cannot be is shown all the same."""
        self.bench.show_foreseen([tuple((x + by[0], y + by[1]) for x, y in self.thing.outline)])


class MovePiece(Moving):
    """A piece of furniture."""

    thing: Furnishing

    def moved_by(self, at: Point, by: Point, free: bool) -> tuple[Project, str]:
        """See Moving."""
        dx, dy = by if free else (stepped(by[0], FURNITURE_GRID_M), stepped(by[1], FURNITURE_GRID_M))
        return move_furnishing(self.base, self.thing.id, dx, dy), f"Move {self.thing.name.lower()}"


class MoveOpening(Moving):
    """A door or window along its wall, between the others."""

    thing: Opening

    def moved_by(self, at: Point, by: Point, free: bool) -> tuple[Project, str]:
        """See Moving."""
        base, opening = self.base, self.thing
        wall = find(base.walls, opening.wall)
        offset = along(wall, *at) - opening.width / 2
        offset = offset if free else stepped(offset, OPENING_GRID_M)
        offset = round(min(max(offset, 0.0), math.dist(wall.a, wall.b) - opening.width), 3)
        others = [o for o in base.openings if o.wall == wall.id and o.id != opening.id]
        if any(o.offset < offset + opening.width and offset < o.offset + o.width for o in others):
            raise ValueError("another opening is in the way")
        return move_opening(base, opening.id, offset), f"Move the {opening_words(base, opening)}"


class MoveHazard(Moving):
    """What sets sensors off, unless it follows the sun."""

    thing: Hazard

    def moved_by(self, at: Point, by: Point, free: bool) -> tuple[Project, str]:
        """See Moving."""
        hazard = self.thing
        if hazard.window is not None:
            raise ValueError(f"{hazard.name} follows the sun through its window; clear the window to move it")
        step = self.bench.focus.grid_m or FURNITURE_GRID_M
        dx, dy = by if free else (stepped(by[0], step), stepped(by[1], step))
        return move_many(self.base, [hazard.id], dx, dy), f"Move {hazard.name.lower()}"


class MoveFixture(Moving):
    """A socket or a switch, from wall to wall."""

    thing: Socket | Switch

    def moved_by(self, at: Point, by: Point, free: bool) -> tuple[Project, str]:
        """See Moving."""
        thing = self.thing
        if not free:
            to = at_wall(self.base, self.bench.level, thing.at[0] + by[0], thing.at[1] + by[1])
            by = to[0] - thing.at[0], to[1] - thing.at[1]
        return move_many(self.base, [thing.id], *by), f"Move {thing.name.lower()}"


class MoveMarked(Moving):
    """All that is marked, as one."""

    def moved_by(self, at: Point, by: Point, free: bool) -> tuple[Project, str]:
        """See Moving."""
        marked = sorted(self.bench.focus.marked)
        step = self.bench.focus.grid_m or FURNITURE_GRID_M
        dx, dy = by if free else (stepped(by[0], step), stepped(by[1], step))
        return move_many(self.base, marked, dx, dy), f"Move {len(marked)} objects"


# What lies under the pointer, and what is then done with it.
MOVES: dict[str, type[Moving]] = {
    "room": MoveRoom, "wall": MoveWall, "opening": MoveOpening, "furnishing": MovePiece, "hazard": MoveHazard,
    "fixture": MoveFixture,
}  # fmt: skip

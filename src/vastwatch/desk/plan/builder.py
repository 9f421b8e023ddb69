"""Building by hand on the plan: what lies under the pointer and is taken hold of, and what the
keys do to it. The gestures are `moving.py`, the edits themselves `design/edits/`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, cast

from PyQt6.QtCore import QPointF, QRectF

from vastwatch.design.edits.building import alongside, move_wall
from vastwatch.design.edits.fittings import move_furnishing
from vastwatch.design.edits.removing import remove
from vastwatch.design.edits.selections import (
    MOVABLE,
    Side,
    align_many,
    duplicate_many,
    mirror_many,
    move_many,
    turn_many,
)
from vastwatch.design.edits.whole_rooms import copy_room, move_room
from vastwatch.design.naming import opening_words
from vastwatch.design.places import middle_of, room_at
from vastwatch.design.project import IN_ROOMS, Project, find, find_any
from vastwatch.desk.plan.edit_context import EditContext
from vastwatch.desk.plan.gestures import Gesture, TurnThing
from vastwatch.desk.plan.handles import GRIP_PX, Handle, handle_of
from vastwatch.desk.plan.moving import MOVES, MoveCorner, MoveMarked, across
from vastwatch.desk.plan.places import name_frame
from vastwatch.desk.plan.snapping import along, wall_at
from vastwatch.geometry import polygons
from vastwatch.site.building import Furnishing, Room, Socket, Switch, Wall
from vastwatch.words import error_sentence

# Pixels within which a corner and a wall are taken hold of, and to which a dragged corner lines up with others.
CORNER_PX, WALL_PX, ALIGN_PX = 9.0, 7.0, 7.0
# Dragged furniture steps by this unless Alt is held, metres; walls and corners by the grid.
FURNITURE_GRID_M, OPENING_GRID_M = 0.01, 0.05
FIXTURE_PX = 9.0
TURN_DEG = 15.0


# What goes with a stroke of the delete key; sensors are deleted by their own tool, walls with their rooms.
DELETABLE = ("furnishings", "rooms", "openings", *IN_ROOMS, "hazards", "sockets", "switches")


class Builder:
    """See the module's text."""

    def __init__(self, bench: EditContext) -> None:
        self.bench = bench

    @property
    def project(self) -> Project:
        """The document's project."""
        return self.bench.document.project

    @property
    def level(self) -> str:
        """The shown level."""
        return self.bench.level

    def _frame(self, room: Room) -> QRectF:
        return name_frame(room, self.bench.state, self.bench.sheet)

    # -- what is under the pointer -----------------------------------------------------------------------------

    def under(self, pixel: QPointF) -> tuple[str, Any] | None:
        """A corner (its point), a furnishing, an opening or a wall (their records) under a pixel."""
        x, y = self.bench.plan_at(pixel)
        scale = self.bench.scale_px
        both: list[Socket | Switch] = [*self.project.sockets, *self.project.switches]
        fixtures = [f for f in both if f.level == self.level]
        close = [f for f in fixtures if math.dist(f.at, (x, y)) * scale < FIXTURE_PX]
        if close:
            return "fixture", min(close, key=lambda f: math.dist(f.at, (x, y)))
        if self.bench.focus.here.shapes == "fixtures":
            return None
        corners = {p for r in self.project.rooms if r.level == self.level for p in r.outline}
        near = [p for p in corners if math.dist(p, (x, y)) * scale < CORNER_PX]
        if near:
            return "corner", min(near, key=lambda p: math.dist(p, (x, y)))
        named = next((r for r in self.bench.rooms if self._frame(r).contains(pixel)), None)
        for f in reversed(self.project.furnishings):
            if f.level == self.level and polygons.contains_point(f.outline, x, y):
                # Where a name had no place but on furniture, the piece under the pointer is meant, unless all of the
                # name lies on it.
                if named is not None and all(
                    polygons.contains_point(f.outline, *self.bench.plan_at(corner))
                    for corner in (self._frame(named).topLeft(), self._frame(named).bottomRight())
                ):
                    break
                return "furnishing", f
        if named is not None:
            return "room", named
        for h in reversed(self.bench.state.hazards):
            if polygons.contains_point(h.outline, x, y):
                return "hazard", find(self.project.hazards, h.id)
        wall = wall_at(self.project, self.level, x, y, WALL_PX / scale)
        if wall is None:
            return None
        s = along(wall, x, y)
        for o in self.project.openings:
            if o.wall == wall.id and o.offset <= s <= o.offset + o.width:
                return "opening", o
        return "wall", wall

    # -- dragging ----------------------------------------------------------------------------------------------

    def take_hold(self, pixel: QPointF) -> Gesture | None:
        """Begin a gesture with what lies under a pixel, and select it."""
        found = self.under(pixel)
        if found is None:
            return None
        what, thing = found
        if what == "corner":
            return MoveCorner(self.bench, pixel, thing)
        if thing.id in self.bench.focus.marked:
            return MoveMarked(self.bench, pixel)
        self.bench.focus.set(selected=thing.id, room=self._room_of(what, thing) or self.bench.focus.room)
        return MOVES[what](self.bench, pixel, thing)

    def within(self, x0: float, y0: float, x1: float, y1: float) -> list[str]:
        """Ids of what lies wholly within a frame and can be moved as one: furniture, sensors, lamps, hazards, fixtures,
        and spots that stand alone."""
        project, out = self.project, []
        for collection in MOVABLE:
            for r in getattr(project, collection):
                level = r.level if hasattr(r, "level") else find(project.rooms, r.room).level
                points = r.outline if hasattr(r, "outline") else [r.at]
                if level == self.level and all(x0 <= p[0] <= x1 and y0 <= p[1] <= y1 for p in points):
                    out.append(r.id)
        return out

    def things_of_room(self) -> list[str]:
        """Ids of what is in and around the focused room, in the order the keys step through it."""
        project = self.project
        room = next((r for r in project.rooms if r.id == self.bench.focus.room), None)
        if room is None:
            return []
        edges = list(zip(room.outline, room.outline[1:] + room.outline[:1]))
        walls = [w.id for w in project.walls if w.level == room.level and any(alongside(w, e) for e in edges)]
        out = []
        for collection in MOVABLE:
            for r in getattr(project, collection):
                level = r.level if hasattr(r, "level") else find(project.rooms, r.room).level
                if level == room.level and polygons.contains_point(room.outline, *middle_of(r)):
                    out.append(r.id)
        return out + [o.id for o in project.openings if o.wall in walls] + walls

    def _room_of(self, what: str, thing: Any) -> str | None:
        if what == "room":
            return str(thing.id)
        if what not in ("furnishing", "hazard", "fixture"):
            return None
        room = room_at(self.project, self.level, *middle_of(thing))
        return room.id if room else None

    def take_handle(self, pixel: QPointF) -> Gesture | None:
        """Begin to turn the selected spot or piece, where its handle lies under a pixel."""
        handle = self.on_handle(pixel)
        return None if handle is None else TurnThing(self.bench, handle)

    def on_handle(self, pixel: QPointF) -> Handle | None:
        """The handle under a pixel: of the selected spot or piece."""
        handle = handle_of(self.bench.state)
        if handle is None:
            return None
        tip = handle.tip(self.bench.pixel_of(*handle.centre), self.bench.scale_px)
        return handle if math.hypot(tip.x() - pixel.x(), tip.y() - pixel.y()) <= GRIP_PX else None

    # -- keys --------------------------------------------------------------------------------------------------

    def nudge(self, record: Any, dx: float, dy: float) -> bool:
        """Move a selected wall or furnishing a little."""
        try:
            if isinstance(record, Room):
                new, words = move_room(self.project, record.id, dx, dy).project, f"Nudge {record.name.lower()}"
            elif not isinstance(record, Wall | Furnishing):
                new, words = move_many(self.project, [record.id], dx, dy), f"Nudge {record.name.lower()}"
            elif isinstance(record, Wall):
                new, words = move_wall(self.project, record.id, across(record, (dx, dy))), "Nudge a wall"
            else:
                new = move_furnishing(self.project, record.id, dx, dy)
                words = f"Nudge {record.name.lower()}"
        except ValueError as e:
            self.bench.say(error_sentence(e))
            return True
        self.bench.document.apply(new, words, f"nudge-{record.id}")
        return True

    def nudge_marked(self, dx: float, dy: float) -> bool:
        """Move all that is marked a little."""
        marked = sorted(self.bench.focus.marked)
        self._apply_many(lambda p: move_many(p, marked, dx, dy), f"Nudge {len(marked)} objects", f"nudge-{marked}")
        return True

    def _apply_many(self, edit: Callable[[Project], Project], words: str, key: str | None = None) -> bool:
        try:
            new = edit(self.project)
        except ValueError as e:
            self.bench.say(error_sentence(e))
            return False
        self.bench.document.apply(new, words, key)
        return True

    def chosen(self) -> list[str]:
        """What an edit of many works on: all that is marked, or what is selected."""
        return sorted(self.bench.focus.marked) or [x for x in (self.bench.focus.selected,) if x is not None]

    def mirror(self, left_right: bool) -> None:
        """Mirror the selection."""
        words = "Flip horizontally" if left_right else "Flip vertically"
        self._apply_many(lambda p: mirror_many(p, self.chosen(), left_right), words)

    def align(self, side: Side) -> None:
        """Bring the selection into line."""
        self._apply_many(lambda p: align_many(p, self.chosen(), side), f"Align {side}")

    def act(self, what: str) -> None:
        """An edit of the selection by its name: copy, flip, flop, or the side to align at."""
        if what == "copy":
            self.duplicate()
        elif what in ("flip", "flop"):
            self.mirror(what == "flip")
        else:
            self.align(cast(Side, what))

    def duplicate(self) -> None:
        """Copy the selection beside itself, and select the copies; a room with all that is in it."""
        room = next((r for r in self.project.rooms if [r.id] == self.chosen()), None)
        if room is not None:
            new, copy = copy_room(self.project, room.id)
            self.bench.document.apply(new, f"Duplicate {room.name.lower()}")
            self.bench.focus.set(room=copy.id, selected=copy.id)
            self.bench.sheet.show_whole(copy.outline)
            self.bench.say(f"{copy.name} is a copy of {room.name.lower()}, without its sensors.")
            return
        try:
            new, made = duplicate_many(self.project, self.chosen())
        except ValueError as e:
            self.bench.say(error_sentence(e))
            return
        self.bench.document.apply(new, f"Duplicate {len(made)} objects" if len(made) > 1 else "Duplicate")
        self.bench.focus.set(selected=made[0], marked=frozenset(made) if len(made) > 1 else frozenset())

    def mark_walls_of_room(self) -> None:
        """Mark all walls around the focused room, to set their material at once."""
        room = next((r for r in self.project.rooms if r.id == self.bench.focus.room), None)
        if room is None:
            return
        edges = list(zip(room.outline, room.outline[1:] + room.outline[:1]))
        walls = [w.id for w in self.project.walls if w.level == room.level and any(alongside(w, e) for e in edges)]
        if walls:
            self.bench.focus.set(selected=walls[0], marked=frozenset(walls))
            self.bench.say(f"{len(walls)} walls selected: set their material on the right.")

    def turn(self, degrees: float) -> None:
        """Turn the selected furnishing, or all that is marked, by 15 degrees, to the side of the sign."""
        if self.bench.focus.marked:
            marked = sorted(self.bench.focus.marked)
            by = math.copysign(TURN_DEG, degrees)
            words = f"Turn {len(marked)} objects"
            self._apply_many(lambda p: turn_many(p, marked, by), words, f"turn-{marked}")
            return
        found = find_any(self.project, self.bench.focus.selected or "")
        by = math.copysign(TURN_DEG, degrees)
        if found is not None and found[0] in ("spots", "hazards"):
            ident, words = found[1].id, f"Turn {found[1].name.lower()}"
            self._apply_many(lambda p: turn_many(p, [ident], by), words, f"turn-{ident}")
            return
        if found is None or found[0] != "furnishings":
            return
        new = move_furnishing(self.project, found[1].id, 0.0, 0.0, by)
        self.bench.document.apply(new, f"Turn {found[1].name.lower()}", f"turn-{found[1].id}")

    def delete(self) -> None:
        """Delete the selected furnishing, opening or room, and say what went with it."""
        if self.bench.focus.marked:
            n = len(self.bench.focus.marked)
            done = remove(self.project, sorted(self.bench.focus.marked))
            self.bench.document.apply(done.project, f"Delete {n} objects")
            self.bench.focus.set(selected=self.bench.focus.room, marked=frozenset())
            self.bench.say(f"Deleted {n} objects{done.in_words()}. Ctrl+Z undoes it.")
            return
        found = find_any(self.project, self.bench.focus.selected or "")
        if found is None or self.bench.focus.here.shapes == "nothing":
            return
        collection, record = found
        if self.bench.focus.here.shapes == "fixtures" and collection not in ("sockets", "switches"):
            return
        if collection == "walls":
            self.bench.say("Walls belong to rooms: delete the room, or put an archway into the wall.")
            return
        if collection not in DELETABLE:
            return
        done = remove(self.project, [record.id])
        name = f"the {opening_words(self.project, record)}" if collection == "openings" else record.name.lower()
        self.bench.document.apply(done.project, f"Delete {name}")
        self.bench.say(f"Deleted {name}{done.in_words()}. Ctrl+Z undoes it.")

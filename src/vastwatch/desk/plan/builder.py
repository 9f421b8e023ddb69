"""Building by hand on the plan: corners, walls and furniture that are dragged, openings and furniture that are placed.

It works for the plan view, which passes it the mouse in the Plan stage; the edits themselves are `design/building.py`.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt

from vastwatch.design.edits.building import SAME, alongside, move_corner, move_wall
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
from vastwatch.design.places import middle_of, room_at
from vastwatch.design.project import IN_ROOMS, Project, find, find_any
from vastwatch.desk.plan.handles import GRIP_PX, STEP_DEG, Handle, handle_of, turned_to
from vastwatch.desk.plan.places import name_frame
from vastwatch.desk.plan.snapping import along, at_wall, wall_at
from vastwatch.desk.shell.units import show_angle
from vastwatch.geometry import polygons
from vastwatch.site.building import Furnishing, Room, Socket, Switch, Wall
from vastwatch.site.record import Point
from vastwatch.words import sentence

if TYPE_CHECKING:
    from vastwatch.desk.plan.view import PlanView

# Pixels within which a corner and a wall are taken hold of, and to which a dragged corner lines up with others.
CORNER_PX, WALL_PX, ALIGN_PX = 9.0, 7.0, 7.0
# Dragged furniture steps by this unless Alt is held, metres; walls and corners by the grid.
FURNITURE_GRID_M, OPENING_GRID_M = 0.01, 0.05
FIXTURE_PX = 9.0
TURN_DEG = 15.0


def _apart(a: float, b: float) -> float:
    return abs(a - b)


# What goes with a stroke of the delete key; sensors go by their own hand, walls with their rooms.
DELETABLE = ("furnishings", "rooms", "openings", *IN_ROOMS, "hazards", "sockets", "switches")


class Builder:
    """See the module's text."""

    def __init__(self, view: PlanView) -> None:
        self.view = view
        self._serial = itertools.count(1)

    @property
    def project(self) -> Project:
        """The document's project."""
        return self.view.document.project

    @property
    def level(self) -> str:
        """The shown level."""
        return self.view.focus.level

    # -- what is under the pointer -----------------------------------------------------------------------------

    def under(self, pixel: QPointF) -> tuple[str, Any] | None:
        """A corner (its point), a furnishing, an opening or a wall (their records) under a pixel."""
        x, y = self.view.plan_at(pixel)
        scale = self.view.scale_px
        both: list[Socket | Switch] = [*self.project.sockets, *self.project.switches]
        fixtures = [f for f in both if f.level == self.level]
        close = [f for f in fixtures if math.dist(f.at, (x, y)) * scale < FIXTURE_PX]
        if close:
            return "fixture", min(close, key=lambda f: math.dist(f.at, (x, y)))
        if self.view.focus.stage == "Brief":
            return None
        corners = {p for r in self.project.rooms if r.level == self.level for p in r.outline}
        near = [p for p in corners if math.dist(p, (x, y)) * scale < CORNER_PX]
        if near:
            return "corner", min(near, key=lambda p: math.dist(p, (x, y)))
        for room in self.view.look.rooms:
            if name_frame(room, self.view).contains(pixel):
                return "room", room
        for f in reversed(self.project.furnishings):
            if f.level == self.level and polygons.contains_point(f.outline, x, y):
                return "furnishing", f
        for h in reversed(self.view.look.hazards):
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

    def take_hold(self, pixel: QPointF) -> dict[str, Any] | None:
        """Begin a drag of what lies under a pixel, and select it."""
        found = self.under(pixel)
        if found is None:
            return None
        what, thing = found
        if what != "corner" and thing.id in self.view.focus.marked:
            return self.hold_marked(pixel)
        if what != "corner":
            room = self._room_of(what, thing)
            self.view.focus.set(selected=thing.id, room=room or self.view.focus.room)
        return {
            "kind": "build", "what": what, "thing": thing, "start": self.view.plan_at(pixel), "from": self.project,
            "key": f"build-{next(self._serial)}", "moved": False,
        }  # fmt: skip

    def hold_marked(self, pixel: QPointF) -> dict[str, Any]:
        """Begin a drag of all that is marked."""
        return {
            "kind": "build", "what": "many", "thing": None, "start": self.view.plan_at(pixel), "from": self.project,
            "key": f"build-{next(self._serial)}", "moved": False,
        }  # fmt: skip

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
        room = next((r for r in project.rooms if r.id == self.view.focus.room), None)
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

    def dragged(self, drag: dict[str, Any], pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Follow the pointer: always from the project as it was at the beginning, so that a drag leaves no trail."""
        x, y = self.view.plan_at(pixel)
        dx, dy = x - drag["start"][0], y - drag["start"][1]
        if not drag["moved"] and math.hypot(dx, dy) * self.view.scale_px < 4:
            return
        drag["moved"] = True
        free = bool(modifiers & Qt.KeyboardModifier.AltModifier)
        base: Project = drag["from"]
        what, thing = drag["what"], drag["thing"]
        try:
            if what == "corner":
                to = (x, y) if free else self._aligned(base, thing, x, y)
                new = move_corner(base, self.level, thing, (round(to[0], 3), round(to[1], 3)))
                words = "Move a corner"
            elif what == "furnishing":
                new = self._furnishing_to(base, thing, dx, dy, free)
                words = f"Move {thing.name.lower()}"
            elif what == "room":
                new, words = self._room_to(base, thing, dx, dy, free)
            elif what in ("many", "hazard", "fixture"):
                new, words = self._many_to(base, what, thing, dx, dy, free)
            elif what == "wall":
                nx, ny = self._normal(thing)
                by = dx * nx + dy * ny
                step = self.view.focus.grid_m or 0.001
                by = by if free else round(by / step) * step
                new = move_wall(base, thing.id, round(by, 3))
                words = "Move a wall"
            else:
                new = self._opening_to(base, thing, x, y, free)
                words = f"Move a {thing.kind}"
        except ValueError as e:
            self.view.say.emit(sentence(e))
            if what == "room":
                # Where it cannot be is shown all the same.
                self.view.show_foreseen([tuple((x + dx, y + dy) for x, y in thing.outline)])
            return
        self.view.show_foreseen(None)
        self.view.document.apply(new, words, drag["key"])
        if what == "corner":
            self.view.card.show_at(pixel, [(f"{to[0]:.2f}, {to[1]:.2f} m", "")])

    def _room_to(self, base: Project, room: Room, dx: float, dy: float, free: bool) -> tuple[Project, str]:
        """Along with the hand, on the grid, or in line with a corner of another room where one is near."""
        if not free:
            reach = ALIGN_PX / self.view.scale_px
            others = [p for r in base.rooms if r.level == self.level and r.id != room.id for p in r.outline]
            step = self.view.focus.grid_m or 0.001
            by = []
            for axis, d in enumerate((dx, dy)):
                gaps = [q[axis] - p[axis] - d for p in room.outline for q in others]
                nearest = min(gaps, key=abs, default=math.inf)
                by.append(d + nearest if abs(nearest) < reach else round(d / step) * step)
            dx, dy = by
        done = move_room(base, room.id, round(dx, 3), round(dy, 3))
        if done.gone:
            self.view.say.emit(f"{room.name} moved, without {', '.join(done.gone)}.")
        return done.project, f"Move {room.name.lower()}"

    def _many_to(self, base: Project, what: str, thing: Any, dx: float, dy: float, free: bool) -> tuple[Project, str]:
        if not free and what != "fixture":
            step = self.view.focus.grid_m or FURNITURE_GRID_M
            dx, dy = round(dx / step) * step, round(dy / step) * step
        if what == "many":
            marked = sorted(self.view.focus.marked)
            return move_many(base, marked, dx, dy), f"Move {len(marked)} things"
        if what == "hazard" and thing.window is not None:
            raise ValueError(f"{thing.name} follows the sun through its window; take the window off to move it")
        if what == "fixture" and not free:
            at = at_wall(self.project, self.level, thing.at[0] + dx, thing.at[1] + dy)
            dx, dy = at[0] - thing.at[0], at[1] - thing.at[1]
        return move_many(base, [thing.id], dx, dy), f"Move {thing.name.lower()}"

    @staticmethod
    def _normal(wall: Wall) -> Point:
        length = math.dist(wall.a, wall.b)
        return -(wall.b[1] - wall.a[1]) / length, (wall.b[0] - wall.a[0]) / length

    def _aligned(self, base: Project, corner: Point, x: float, y: float) -> Point:
        """On the grid, or in line with another corner where one is near."""
        reach = ALIGN_PX / self.view.scale_px
        others = [p for r in base.rooms if r.level == self.level for p in r.outline if math.dist(p, corner) > SAME]
        out = []
        for k, v in enumerate((x, y)):
            near = [p[k] for p in others if abs(p[k] - v) < reach]
            nearest = sorted(near, key=partial(_apart, v))
            step = self.view.focus.grid_m or 0.001
            out.append(nearest[0] if nearest else round(v / step) * step)
        return out[0], out[1]

    def _furnishing_to(self, base: Project, piece: Furnishing, dx: float, dy: float, free: bool) -> Project:
        step = 0.0 if free else FURNITURE_GRID_M
        if step:
            dx, dy = round(dx / step) * step, round(dy / step) * step
        return move_furnishing(base, piece.id, dx, dy)

    def _opening_to(self, base: Project, opening: Any, x: float, y: float, free: bool) -> Project:
        wall = find(base.walls, opening.wall)
        offset = along(wall, x, y) - opening.width / 2
        offset = offset if free else round(offset / OPENING_GRID_M) * OPENING_GRID_M
        length = math.dist(wall.a, wall.b)
        offset = round(min(max(offset, 0.0), length - opening.width), 3)
        others = [o for o in base.openings if o.wall == wall.id and o.id != opening.id]
        if any(o.offset < offset + opening.width and offset < o.offset + o.width for o in others):
            raise ValueError("there is another opening in the way")
        return replace(
            base, openings=tuple(replace(o, offset=offset) if o.id == opening.id else o for o in base.openings)
        )

    def on_handle(self, pixel: QPointF) -> Handle | None:
        """The handle under a pixel: of the selected spot or piece."""
        handle = handle_of(self.view.look)
        if handle is None:
            return None
        tip = handle.tip(self.view.pixel_of(*handle.centre), self.view.scale_px)
        return handle if math.hypot(tip.x() - pixel.x(), tip.y() - pixel.y()) <= GRIP_PX else None

    def hold_handle(self, handle: Handle) -> dict[str, Any]:
        """Begin to turn what a handle is of."""
        return {"kind": "face", "handle": handle, "from": self.project, "key": f"face-{next(self._serial)}"}

    def faced(self, drag: dict[str, Any], pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """Look where the pointer is; Alt lets go of the 5 degree steps."""
        handle: Handle = drag["handle"]
        x, y = self.view.plan_at(pixel)
        bearing = math.degrees(math.atan2(y - handle.centre[1], x - handle.centre[0]))
        step = 1.0 if modifiers & Qt.KeyboardModifier.AltModifier else STEP_DEG
        bearing = (round(bearing / step) * step) % 360
        new = turned_to(drag["from"], handle, bearing)
        name = handle.record.name.lower()
        self.view.document.apply(new, f"Turn {name} to {show_angle(bearing)}", drag["key"])
        self.view.card.show_at(pixel, [(f"looks to {show_angle(bearing)}", "")])

    # -- keys --------------------------------------------------------------------------------------------------

    def nudge(self, record: Any, dx: float, dy: float) -> bool:
        """Move a selected wall or furnishing a little."""
        try:
            if isinstance(record, Room):
                new, words = move_room(self.project, record.id, dx, dy).project, f"Nudge {record.name.lower()}"
            elif not isinstance(record, Wall | Furnishing):
                new, words = move_many(self.project, [record.id], dx, dy), f"Nudge {record.name.lower()}"
            elif isinstance(record, Wall):
                nx, ny = self._normal(record)
                new, words = move_wall(self.project, record.id, dx * nx + dy * ny), "Nudge a wall"
            else:
                new = move_furnishing(self.project, record.id, dx, dy)
                words = f"Nudge {record.name.lower()}"
        except ValueError as e:
            self.view.say.emit(sentence(e))
            return True
        self.view.document.apply(new, words, f"nudge-{record.id}")
        return True

    def nudge_marked(self, dx: float, dy: float) -> bool:
        """Move all that is marked a little."""
        marked = sorted(self.view.focus.marked)
        self._apply_many(lambda p: move_many(p, marked, dx, dy), f"Nudge {len(marked)} things", f"nudge-{marked}")
        return True

    def _apply_many(self, edit: Callable[[Project], Project], words: str, key: str | None = None) -> bool:
        try:
            new = edit(self.project)
        except ValueError as e:
            self.view.say.emit(sentence(e))
            return False
        self.view.document.apply(new, words, key)
        return True

    def chosen(self) -> list[str]:
        """What an edit of many works on: all that is marked, or what is selected."""
        return sorted(self.view.focus.marked) or [x for x in (self.view.focus.selected,) if x is not None]

    def mirror(self, left_right: bool) -> None:
        """Mirror the selection."""
        words = "Mirror left for right" if left_right else "Mirror top for bottom"
        self._apply_many(lambda p: mirror_many(p, self.chosen(), left_right), words)

    def align(self, side: Side) -> None:
        """Bring the selection into line."""
        self._apply_many(lambda p: align_many(p, self.chosen(), side), f"Align at the {side}")

    def duplicate(self) -> None:
        """Copy the selection beside itself, and select the copies; a room with all that is in it."""
        room = next((r for r in self.project.rooms if [r.id] == self.chosen()), None)
        if room is not None:
            new, copy = copy_room(self.project, room.id)
            self.view.document.apply(new, f"Copy {room.name.lower()}")
            self.view.focus.set(room=copy.id, selected=copy.id)
            self.view.show_whole(copy.outline)
            self.view.say.emit(f"{copy.name} is a copy of {room.name.lower()}, without its sensors.")
            return
        try:
            new, made = duplicate_many(self.project, self.chosen())
        except ValueError as e:
            self.view.say.emit(sentence(e))
            return
        self.view.document.apply(new, f"Copy {len(made)} things" if len(made) > 1 else "Copy it")
        self.view.focus.set(selected=made[0], marked=frozenset(made) if len(made) > 1 else frozenset())

    def mark_walls_of_room(self) -> None:
        """Mark all walls around the focused room, to set their material at once."""
        room = next((r for r in self.project.rooms if r.id == self.view.focus.room), None)
        if room is None:
            return
        edges = list(zip(room.outline, room.outline[1:] + room.outline[:1]))
        walls = [w.id for w in self.project.walls if w.level == room.level and any(alongside(w, e) for e in edges)]
        if walls:
            self.view.focus.set(selected=walls[0], marked=frozenset(walls))
            self.view.say.emit(f"{len(walls)} walls selected: set what they are of at the right.")

    def turn(self, degrees: float) -> None:
        """Turn the selected furnishing, or all that is marked, by 15 degrees, to the side of the sign."""
        if self.view.focus.marked:
            marked = sorted(self.view.focus.marked)
            by = math.copysign(TURN_DEG, degrees)
            words = f"Turn {len(marked)} things"
            self._apply_many(lambda p: turn_many(p, marked, by), words, f"turn-{marked}")
            return
        found = find_any(self.project, self.view.focus.selected or "")
        by = math.copysign(TURN_DEG, degrees)
        if found is not None and found[0] in ("spots", "hazards"):
            ident, words = found[1].id, f"Turn {found[1].name.lower()}"
            self._apply_many(lambda p: turn_many(p, [ident], by), words, f"turn-{ident}")
            return
        if found is None or found[0] != "furnishings":
            return
        new = move_furnishing(self.project, found[1].id, 0.0, 0.0, by)
        self.view.document.apply(new, f"Turn {found[1].name.lower()}", f"turn-{found[1].id}")

    def delete(self) -> None:
        """Delete the selected furnishing, opening or room, and say what went with it."""
        if self.view.focus.marked:
            n = len(self.view.focus.marked)
            done = remove(self.project, sorted(self.view.focus.marked))
            self.view.document.apply(done.project, f"Delete {n} things")
            self.view.focus.set(selected=self.view.focus.room, marked=frozenset())
            extra = f", with {', '.join(done.gone)}" if done.gone else ""
            self.view.say.emit(f"Deleted {n} things{extra}. Ctrl+Z brings them back.")
            return
        found = find_any(self.project, self.view.focus.selected or "")
        if found is None or self.view.focus.stage not in ("Plan", "Brief"):
            return
        collection, record = found
        if self.view.focus.stage == "Brief" and collection not in ("sockets", "switches"):
            return
        if collection == "walls":
            self.view.say.emit("A wall goes with its rooms: delete the room, or put an archway into the wall.")
            return
        if collection not in DELETABLE:
            return
        done = remove(self.project, [record.id])
        name = record.kind if collection == "openings" else record.name.lower()
        self.view.document.apply(done.project, f"Delete {name}")
        extra = f", with {', '.join(done.gone)}" if done.gone else ""
        self.view.say.emit(f"Deleted {name}{extra}. Ctrl+Z brings it back.")

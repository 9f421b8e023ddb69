"""Building by hand on the plan: corners, walls and furniture that are dragged, openings and furniture that are placed.

It works for the plan view, which passes it the mouse in the Plan stage; the edits themselves are `design/building.py`.
"""

from __future__ import annotations

import itertools
import math
from functools import partial
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt

from vastwatch.design.building import (
    SAME,
    Removal,
    add_furnishing,
    add_opening,
    move_corner,
    move_furnishing,
    move_wall,
    remove_furnishing,
    remove_opening,
    remove_room,
)  # fmt: skip
from vastwatch.design.edits import room_at
from vastwatch.design.project import Project, find, find_any
from vastwatch.geometry import polygons
from vastwatch.site.building import Furnishing, Wall
from vastwatch.site.furniture import FurnitureType, furniture
from vastwatch.site.record import Point

if TYPE_CHECKING:
    from vastwatch.desk.plan.view import PlanView

# Pixels within which a corner and a wall are taken hold of, and to which a dragged corner lines up with others.
CORNER_PX, WALL_PX, ALIGN_PX = 9.0, 7.0, 7.0
# Dragged walls and corners step by this unless Alt is held; furniture by less, metres.
GRID_M, FURNITURE_GRID_M = 0.05, 0.01
# Furniture dropped this near a wall stands against it, metres.
AGAINST_M = 0.45
TURN_DEG = 15.0


def _apart(a: float, b: float) -> float:
    return abs(a - b)


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
        corners = {p for r in self.project.rooms if r.level == self.level for p in r.outline}
        near = [p for p in corners if math.dist(p, (x, y)) * scale < CORNER_PX]
        if near:
            return "corner", min(near, key=lambda p: math.dist(p, (x, y)))
        for f in reversed(self.project.furnishings):
            if f.level == self.level and polygons.contains_point(f.outline, x, y):
                return "furnishing", f
        wall = self._wall_at(x, y, WALL_PX / scale)
        if wall is None:
            return None
        s = self._along(wall, x, y)
        for o in self.project.openings:
            if o.wall == wall.id and o.offset <= s <= o.offset + o.width:
                return "opening", o
        return "wall", wall

    def _wall_at(self, x: float, y: float, reach: float) -> Wall | None:
        walls = [w for w in self.project.walls if w.level == self.level]
        if not walls:
            return None
        distance, _ = polygons.nearest_on_segments((x, y), [w.a for w in walls], [w.b for w in walls])
        over = distance - np.array([w.thickness / 2 for w in walls])
        k = int(np.argmin(over))
        return walls[k] if over[k] < reach else None

    @staticmethod
    def _along(wall: Wall, x: float, y: float) -> float:
        length = math.dist(wall.a, wall.b)
        ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
        return (x - wall.a[0]) * ux + (y - wall.a[1]) * uy

    # -- dragging ----------------------------------------------------------------------------------------------

    def take_hold(self, pixel: QPointF) -> dict[str, Any] | None:
        """Begin a drag of what lies under a pixel, and select it."""
        found = self.under(pixel)
        if found is None:
            return None
        what, thing = found
        if what != "corner":
            room = self._room_of(what, thing)
            self.view.focus.set(selected=thing.id, room=room or self.view.focus.room)
        return {
            "kind": "build", "what": what, "thing": thing, "start": self.view.plan_at(pixel), "from": self.project,
            "key": f"build-{next(self._serial)}", "moved": False,
        }  # fmt: skip

    def _room_of(self, what: str, thing: Any) -> str | None:
        if what != "furnishing":
            return None
        room = room_at(self.project, self.level, *polygons.centroid(thing.outline))
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
            elif what == "wall":
                nx, ny = self._normal(thing)
                by = dx * nx + dy * ny
                by = by if free else round(by / GRID_M) * GRID_M
                new = move_wall(base, thing.id, round(by, 3))
                words = "Move a wall"
            else:
                new = self._opening_to(base, thing, x, y, free)
                words = f"Move a {thing.kind}"
        except ValueError as e:
            self.view.say.emit(str(e)[:1].upper() + str(e)[1:] + ".")
            return
        self.view.document.apply(new, words, drag["key"])
        if what == "corner":
            self.view._card.show_at(pixel, [(f"{to[0]:.2f}, {to[1]:.2f} m", "")])

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
            out.append(nearest[0] if nearest else round(v / GRID_M) * GRID_M)
        return out[0], out[1]

    def _furnishing_to(self, base: Project, piece: Furnishing, dx: float, dy: float, free: bool) -> Project:
        step = 0.0 if free else FURNITURE_GRID_M
        if step:
            dx, dy = round(dx / step) * step, round(dy / step) * step
        return move_furnishing(base, piece.id, dx, dy)

    def _opening_to(self, base: Project, opening: Any, x: float, y: float, free: bool) -> Project:
        wall = find(base.walls, opening.wall)
        offset = self._along(wall, x, y) - opening.width / 2
        offset = offset if free else round(offset / GRID_M) * GRID_M
        length = math.dist(wall.a, wall.b)
        offset = round(min(max(offset, 0.0), length - opening.width), 3)
        others = [o for o in base.openings if o.wall == wall.id and o.id != opening.id]
        if any(o.offset < offset + opening.width and offset < o.offset + o.width for o in others):
            raise ValueError("there is another opening in the way")
        return replace(
            base, openings=tuple(replace(o, offset=offset) if o.id == opening.id else o for o in base.openings)
        )

    # -- placing -----------------------------------------------------------------------------------------------

    def place(self, token: str, x: float, y: float) -> bool:
        """Place `opening:door` on the wall under a point, or `furniture:Sofa` at it."""
        group, _, name = token.partition(":")
        try:
            if group == "opening":
                wall = self._wall_at(x, y, 0.35)
                if wall is None:
                    raise ValueError("click on a wall")
                new, made = add_opening(self.project, wall.id, name, self._along(wall, x, y))  # type: ignore[arg-type]
                words = f"Put a {name} into a wall"
            else:
                kind = next(k for k in furniture() if k.name == name)
                at, turn = self._stand(kind, x, y)
                new, piece = add_furnishing(self.project, self.level, kind, at, turn)
                made, words = piece, f"Place {name.lower()}"  # type: ignore[assignment]
        except ValueError as e:
            self.view.say.emit(str(e)[:1].upper() + str(e)[1:] + ".")
            return False
        self.view.document.apply(new, words)
        room = room_at(new, self.level, x, y)
        self.view.focus.set(placing=None, selected=made.id, room=room.id if room else self.view.focus.room)
        return True

    def _stand(self, kind: FurnitureType, x: float, y: float) -> tuple[Point, float]:
        """Where a new piece stands and which way its front looks: with its back to a wall that is near."""
        room = room_at(self.project, self.level, x, y)
        if room is None:
            return (x, y), 270.0
        outline = polygons.counter_clockwise(room.outline)
        following = np.roll(outline, -1, axis=0)
        distance, foot = polygons.nearest_on_segments((x, y), outline, following)
        k = int(np.argmin(distance))
        if distance[k] > AGAINST_M + kind.depth / 2:
            return (round(x, 2), round(y, 2)), 270.0
        d = following[k] - outline[k]
        normal = np.array([-d[1], d[0]]) / np.hypot(*d)
        wall = self._wall_at(float(foot[k, 0]), float(foot[k, 1]), 0.01)
        off = (wall.thickness / 2 if wall else 0.05) + 0.02 + kind.depth / 2
        at = foot[k] + off * normal
        return (round(float(at[0]), 3), round(float(at[1]), 3)), math.degrees(math.atan2(normal[1], normal[0]))

    # -- keys --------------------------------------------------------------------------------------------------

    def nudge(self, record: Any, dx: float, dy: float) -> bool:
        """Move a selected wall or furnishing a little."""
        try:
            if isinstance(record, Wall):
                nx, ny = self._normal(record)
                new, words = move_wall(self.project, record.id, dx * nx + dy * ny), "Nudge a wall"
            else:
                new = move_furnishing(self.project, record.id, dx, dy)
                words = f"Nudge {record.name.lower()}"
        except ValueError as e:
            self.view.say.emit(str(e)[:1].upper() + str(e)[1:] + ".")
            return True
        self.view.document.apply(new, words, f"nudge-{record.id}")
        return True

    def turn(self, degrees: float) -> None:
        """Turn the selected furnishing by 15 degrees, to the side of the sign."""
        found = find_any(self.project, self.view.focus.selected or "")
        if found is None or found[0] != "furnishings":
            return
        by = math.copysign(TURN_DEG, degrees)
        new = move_furnishing(self.project, found[1].id, 0.0, 0.0, by)
        self.view.document.apply(new, f"Turn {found[1].name.lower()}", f"turn-{found[1].id}")

    def delete(self) -> None:
        """Delete the selected furnishing, opening or room, and say what went with it."""
        found = find_any(self.project, self.view.focus.selected or "")
        if found is None or self.view.focus.stage != "Plan":
            return
        collection, record = found
        if collection == "furnishings":
            done = remove_furnishing(self.project, record.id)
        elif collection == "rooms":
            done = remove_room(self.project, record.id)
        elif collection == "openings":
            done = Removal(remove_opening(self.project, record.id), ())
        elif collection == "walls":
            self.view.say.emit("A wall goes with its rooms: delete the room, or put an archway into the wall.")
            return
        else:
            return
        name = record.kind if collection == "openings" else record.name.lower()
        self.view.document.apply(done.project, f"Delete {name}")
        extra = f", with {', '.join(done.gone)}" if done.gone else ""
        self.view.say.emit(f"Deleted {name}{extra}. Ctrl+Z brings it back.")

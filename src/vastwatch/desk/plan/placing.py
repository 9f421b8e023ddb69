"""What is placed on the plan from the panels: openings, furniture, spots, lamps, sockets and switches; and where each
would go, shown before.

The edits themselves are `design/edits/fittings.py` and `design/edits/wiring.py`.
"""

from __future__ import annotations

import math
from typing import Any

from msgspec.structs import replace

from vastwatch.control.outputs.handler import handlers
from vastwatch.design.edits.building import rectangle
from vastwatch.design.edits.fittings import add_furnishing, add_lamp, add_opening, add_output, footprint, turn_outline
from vastwatch.design.edits.ladders import add_button
from vastwatch.design.edits.wiring import add_socket, add_switch
from vastwatch.design.naming import opening_words, place_name
from vastwatch.design.places import room_at
from vastwatch.design.project import Project, find, fresh_id
from vastwatch.desk.plan.edit_context import EditContext
from vastwatch.desk.plan.snapping import along, at_wall, stand, wall_at
from vastwatch.site.building import Spot
from vastwatch.site.furniture import furniture
from vastwatch.site.record import Outline
from vastwatch.words import error_sentence

# What somebody does at a spot of a posture until it is said otherwise.
ACTIVITY_OF = {"standing": "hands-on", "seated": "desk", "lying": "sleeping"}
# An opening snaps to a wall so far away; what has no size is foreseen as a square of this side.
WALL_REACH_M, SPECK_M = 0.35, 0.2


class Placing:
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

    def place(self, token: str, x: float, y: float) -> bool:
        """Place `opening:door` on the wall under a point, or `furniture:Sofa` at it."""
        group, _, name = token.partition(":")
        try:
            if group == "opening":
                wall = wall_at(self.project, self.level, x, y, WALL_REACH_M)
                if wall is None:
                    raise ValueError("click on a wall")
                new, made = add_opening(self.project, wall.id, name, along(wall, x, y))  # type: ignore[arg-type]
                words = f"Add the {opening_words(new, made)}"
            elif group == "wiring":
                at = at_wall(self.project, self.level, x, y)
                if name == "socket":
                    new, made = add_socket(self.project, self.level, at)  # type: ignore[assignment]
                    words = "Add a socket in {}"
                else:
                    new, made = add_switch(self.project, self.level, at, name)  # type: ignore[assignment]
                    words = "Add a switch in {}"
            elif group == "spot":
                new, made = self._new_spot(name, x, y)
                words = "Add a position in {}"
            elif group == "lamp":
                new, made = add_lamp(self.project, self.level, (round(x, 2), round(y, 2)))  # type: ignore[assignment]
                words = "Add a lamp in {}"
            elif group == "button":
                room = room_at(self.project, self.level, x, y)
                if room is None:
                    raise ValueError("a button must be inside a room")
                new, made = add_button(self.project, room.id, (round(x, 2), round(y, 2)))  # type: ignore[assignment]
                words = "Add a wall button in {}"
            elif group == "output":
                place = (round(x, 2), round(y, 2))
                new, made = add_output(self.project, self.level, place, name, handlers()[name].new)  # type: ignore[assignment]
                words = f"Place a {name} in {{}}"
            else:
                kind = next(k for k in furniture() if k.name == name)
                at, turn = stand(self.project, self.level, kind, x, y)
                new, piece = add_furnishing(self.project, self.level, kind, at, turn)
                made, words = piece, f"Place {name.lower()} in {{}}"  # type: ignore[assignment]
        except ValueError as e:
            self.bench.say(error_sentence(e))
            return False
        room = room_at(new, self.level, x, y)
        where = room.name.lower() if room is not None else find(new.levels, self.level).name.lower()
        self.bench.document.apply(new, words.format(where))
        # Sockets come by the dozen, doors and windows too: what was taken in the hand stays there until Esc.
        in_hand = self.bench.focus.placing == token
        again = token if in_hand and group in ("wiring", "opening") else None
        self.bench.focus.set(placing=again, selected=made.id, room=room.id if room else self.bench.focus.room)
        return True

    def foresee(self, token: str, x: float, y: float) -> list[Outline]:
        """What placing would put there, as outlines on the plan: a piece's footprint, an opening's stretch of wall, a
        small square for what has no size; nothing where it cannot be."""
        group, _, name = token.partition(":")
        if group == "opening":
            wall = wall_at(self.project, self.level, x, y, WALL_REACH_M)
            if wall is None:
                return []
            try:
                _, made = add_opening(self.project, wall.id, name, along(wall, x, y))  # type: ignore[arg-type]
            except ValueError:
                return []
            length = math.dist(wall.a, wall.b)
            ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
            half = wall.thickness / 2 + 0.03
            ends = [(wall.a[0] + s * ux, wall.a[1] + s * uy) for s in (made.offset, made.offset + made.width)]
            (ax, ay), (bx, by) = ends
            nx, ny = -uy * half, ux * half
            return [((ax - nx, ay - ny), (bx - nx, by - ny), (bx + nx, by + ny), (ax + nx, ay + ny))]
        if room_at(self.project, self.level, x, y) is None:
            return []
        if group == "furniture":
            kind = next(k for k in furniture() if k.name == name)
            at, turn = stand(self.project, self.level, kind, x, y)
            front = turn_outline(
                ((-0.08, kind.depth / 2), (0.08, kind.depth / 2), (0.0, kind.depth / 2 + 0.12)), at, turn - 90
            )
            return [footprint(kind, at, turn), front]
        at = at_wall(self.project, self.level, x, y) if group == "wiring" else (x, y)
        return [rectangle(at[0] - SPECK_M / 2, at[1] - SPECK_M / 2, SPECK_M, SPECK_M)]

    def _new_spot(self, posture: str, x: float, y: float) -> tuple[Project, Any]:
        room = room_at(self.project, self.level, x, y)
        if room is None:
            raise ValueError("a position must be inside a room")
        name = place_name(self.project, "position", room, (x, y))
        spot = Spot(
            id=fresh_id(self.project, "spot"), room=room.id, name=name, at=(round(x, 2), round(y, 2)),
            posture=posture, activity=ACTIVITY_OF[posture],  # type: ignore[arg-type]
        )  # fmt: skip
        return replace(self.project, spots=(*self.project.spots, spot)), spot

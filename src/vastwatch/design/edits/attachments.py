"""What goes along when something moves: places with the furniture they are at, and with a wall what is fixed to it or
stands against it."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from msgspec.structs import replace

from vastwatch.design.places import middle_of, room_at
from vastwatch.design.project import Project, find, put
from vastwatch.design.records import Sensor
from vastwatch.design.relations import outputs
from vastwatch.geometry import polygons
from vastwatch.site.building import Furnishing, Opening, Room, Spot, Wall
from vastwatch.site.record import Outline, Point

# Within arm's reach of a piece, and facing it so squarely, somebody belongs to it: metres, degrees.
ARMS_REACH_M, FACES_DEG = 0.6, 45.0
# This near the face of a wall a thing is fixed to it or stands against it, metres.
AGAINST_M = 0.2
# No piece against a wall has a corner farther from it, metres.
LARGEST_M = 6.0
# A wall that moved less than this along or across its line did not move, metres.
STILL_M = 1e-6


def attached_spots(project: Project, piece: Furnishing) -> list[Spot]:
    """The spots that go where a piece goes: those on it, and those of anybody who faces it from within arm's reach and
    is not on some other piece."""
    out = []
    p = np.asarray(piece.outline, float)
    near = polygons.bounds(piece.outline, ARMS_REACH_M)
    others = [f for f in project.furnishings if f.level == piece.level and f is not piece]
    for spot in project.spots:
        if not polygons.in_box(near, spot.at) or spot.activity == "away":
            continue
        if find(project.rooms, spot.room).level != piece.level:
            continue
        if polygons.contains_point(piece.outline, *spot.at):
            out.append(spot)
            continue
        distance, foot = polygons.nearest_on_segments(spot.at, p, np.roll(p, -1, axis=0))
        k = int(np.argmin(distance))
        if distance[k] > ARMS_REACH_M:
            continue
        bearing = math.degrees(math.atan2(foot[k, 1] - spot.at[1], foot[k, 0] - spot.at[0]))
        faces = abs((bearing - spot.facing + 180) % 360 - 180) < FACES_DEG
        if faces and not any(polygons.contains_point(f.outline, *spot.at) for f in others):
            out.append(spot)
    return out


def attached_sensors(project: Project, ident: str) -> list[Sensor]:
    """The sensors that are fixed to a piece of furniture, a door or a window: they go where it goes."""
    return [s for s in project.sensors if s.host == ident]


class _Moved:
    """One wall before and after: how far it was moved and turned, seen from the end that stayed if one did."""

    def __init__(self, old: Wall, new: Wall) -> None:
        self.old, self.new = old, new
        # Along the old wall from here, and along the new one from there.
        a_stays = math.dist(old.a, new.a) < STILL_M
        b_stays = math.dist(old.b, new.b) < STILL_M
        (self.p, self.q), (self.r, self.s) = (old.a, old.b), (new.a, new.b)
        if b_stays and not a_stays:
            (self.p, self.q), (self.r, self.s) = (old.b, old.a), (new.b, new.a)
        self.length = math.dist(self.p, self.q)
        self.ux, self.uy = (self.q[0] - self.p[0]) / self.length, (self.q[1] - self.p[1]) / self.length
        grown = math.dist(self.r, self.s)
        self.vx, self.vy = (self.s[0] - self.r[0]) / grown, (self.s[1] - self.r[1]) / grown
        across, ahead = self.ux * self.vy - self.uy * self.vx, self.ux * self.vx + self.uy * self.vy
        self.turn = math.degrees(math.atan2(across, ahead))
        off = (self.r[0] - self.p[0]) * -self.uy + (self.r[1] - self.p[1]) * self.ux
        self.near = polygons.bounds((old.a, old.b), old.thickness / 2 + AGAINST_M)
        # A wall that only grew or shrank on its own line takes nothing along.
        self.went = abs(off) > STILL_M or abs(self.turn) > 1e-6

    def beside(self, x: float, y: float) -> tuple[float, float]:
        """How far along the old wall a point is, and how far to its left."""
        dx, dy = x - self.p[0], y - self.p[1]
        return dx * self.ux + dy * self.uy, dy * self.ux - dx * self.uy

    def holds(self, x: float, y: float) -> bool:
        """Whether a point is at a face of the old wall."""
        along, off = self.beside(x, y)
        return -AGAINST_M < along < self.length + AGAINST_M and abs(off) < self.old.thickness / 2 + AGAINST_M

    def to(self, p: Point) -> Point:
        """Where a point goes with the wall."""
        along, off = self.beside(*p)
        x = self.r[0] + along * self.vx - off * self.vy
        y = self.r[1] + along * self.vy + off * self.vx
        return round(x, 4), round(y, 4)

    def backs(self, outline: Outline) -> bool:
        """Whether a piece has a whole side against the old wall: two neighbouring corners at its face."""
        if not any(polygons.in_box(self.near, p) for p in outline):
            return False
        at = [self.holds(*p) for p in outline]
        return any(a and b for a, b in zip(at, at[1:] + at[:1]))


def move_attached(old: Project, new: Project, level: str) -> Project:
    """The building with moved walls, together with what they carry: sensors, switches and sockets at their faces,
    furniture with its back to them and anybody who is at it. Openings stay where they are in the room, spots come into
    the room that is now around them, lamps stay in theirs.

    Raises ValueError where something would be left outside every room.
    """
    moved = [_Moved(w, v) for w, v in zip(old.walls, new.walls) if w is not v and _long(w) and _long(v)]
    went = [m for m in moved if m.went]
    new = replace(new, openings=_openings(new.openings, {m.old.id: m for m in moved}))
    for collection in ("sensors", "switches", "sockets"):
        records = tuple(_taken(r, went) if r.level == level else r for r in getattr(new, collection))
        if any(a is not b for a, b in zip(records, getattr(new, collection))):
            new = replace(new, **{collection: records})
    new = _furniture(old, new, level, went)
    changed = {now.id: now for before, now in zip(old.rooms, new.rooms) if now is not before}
    if changed:
        new = _spots_rehomed(old, _outputs_kept(new, changed), changed)
        around = polygons.bounds([p for r in old.rooms if r.id in changed for p in r.outline])
        for collection in ("sensors", "furnishings", "switches", "sockets"):
            _none_outside(old, new, level, collection, around)
    return new


def _long(wall: Wall) -> bool:
    return math.dist(wall.a, wall.b) > STILL_M


def _openings(openings: tuple[Opening, ...], moved: dict[str, _Moved]) -> tuple[Opening, ...]:
    """An opening keeps its distance from the end of its wall that stayed; its offset is told from end a."""
    out = []
    for o in openings:
        m = moved.get(o.wall)
        if m is not None and m.p == m.old.b:
            grown = math.dist(m.new.a, m.new.b) - m.length
            if abs(grown) > STILL_M:
                o = replace(o, offset=round(o.offset + grown, 4))
                if o.offset < 0:
                    raise ValueError(f"the {o.kind} in that wall would no longer fit")
        out.append(o)
    return tuple(out) if any(a is not b for a, b in zip(out, openings)) else openings


def _taken(record: Any, went: list[_Moved]) -> Any:
    """A sensor, switch or socket where its wall took it; a sensor turns as its wall did."""
    for m in went:
        if m.holds(record.at[0], record.at[1]):
            x, y = m.to((record.at[0], record.at[1]))
            changes: dict[str, Any] = {"at": (x, y, *record.at[2:])}
            if m.turn and hasattr(record, "yaw"):
                changes["yaw"] = round((record.yaw + m.turn) % 360, 2)
            return replace(record, **changes)
    return record


def _furniture(old: Project, new: Project, level: str, went: list[_Moved]) -> Project:
    if not went:
        return new
    around = polygons.bounds([p for m in went for p in (m.old.a, m.old.b)], LARGEST_M)
    for piece in old.furnishings:
        if piece.level != level or not polygons.in_box(around, piece.outline[0]):
            continue
        m = next((m for m in went if m.backs(piece.outline)), None)
        if m is None:
            continue
        climb = None if piece.climb is None else (piece.climb + m.turn) % 360
        new = put(new, replace(piece, outline=tuple(m.to(p) for p in piece.outline), climb=climb))
        for spot in attached_spots(old, piece):
            now = find(new.spots, spot.id)
            new = put(new, replace(now, at=m.to(spot.at), facing=round((spot.facing + m.turn) % 360, 2)))
        for sensor in attached_sensors(old, piece.id):
            x, y, z = sensor.at
            new = put(new, replace(sensor, at=(*m.to((x, y)), z), yaw=round((sensor.yaw + m.turn) % 360, 2)))
    return new


def _outputs_kept(new: Project, changed: dict[str, Room]) -> Project:
    """A lamp is its room's, as any output: where the room no longer reaches it, it is mounted in the middle."""
    for output in outputs(new):
        room = changed.get(output.room)
        if room is not None and not polygons.contains_point(room.outline, *output.at):
            x, y = polygons.centroid(room.outline)
            new = put(new, replace(output, at=(round(x, 2), round(y, 2))))
    return new


def _spots_rehomed(old: Project, new: Project, changed: dict[str, Room]) -> Project:
    """Spots that moved, or whose room changed, belong to the room they are in now."""
    for before, spot in zip(old.spots, new.spots):
        if spot is before and spot.room not in changed:
            continue
        room = find(new.rooms, spot.room)
        if polygons.contains_point(room.outline, *spot.at):
            continue
        home = room_at(new, room.level, *spot.at)
        if home is None:
            raise ValueError(f"{spot.name} would be outside")
        if home.id != spot.room:
            new = put(new, replace(spot, room=home.id))
    return new


def _none_outside(
    old: Project, new: Project, level: str, collection: str, around: tuple[float, float, float, float]
) -> None:
    """Raises ValueError for what was in a room and is in none now; looks only into the frame around what changed."""
    for before, now in zip(getattr(old, collection), getattr(new, collection)):
        if now.level != level or not polygons.in_box(around, _corner(before)):
            continue
        if room_at(new, level, *middle_of(now)) is not None:
            continue
        if room_at(old, level, *middle_of(before)) is not None:
            raise ValueError(f"{now.name} would be outside")


def _corner(record: Any) -> Point:
    return record.outline[0] if hasattr(record, "outline") else record.at

"""Bringing what was understood of a drawing into a project, all at once or not at all."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import count

import numpy as np
from msgspec.structs import replace

from vastwatch.design.edits.building import add_rooms
from vastwatch.design.edits.fittings import OPENING_SIZES, add_furnishing
from vastwatch.design.edits.removing import count_words
from vastwatch.design.places import room_at
from vastwatch.design.project import Project, fresh_ids, on_level, unique_name
from vastwatch.files.check import ProjectError, faults_of
from vastwatch.files.drawing.content import Drawing
from vastwatch.files.drawing.interpretation import FoundPiece, FoundWall, Interpretation, interpret
from vastwatch.geometry import polygons
from vastwatch.site.building import Opening, OpeningKind, RoomUse, Wall
from vastwatch.site.furniture import FurnitureType, furniture
from vastwatch.site.record import Outline, Point
from vastwatch.site.use_guess import guess_use

# A wall is no shorter, metres; beyond this a drawing is not one building in that unit, metres.
SHORTEST_WALL_M, LARGEST_M = 0.05, 2000.0
# Walls from this thickness on are taken for masonry until somebody says otherwise, metres.
MASONRY_M = 0.17
# A drawing that lies no farther out comes to lie where it was drawn beside what stands there already, metres.
AS_DRAWN_M = 500.0
# What one sits on; and a place nearer than this to another is the same, metres.
SEATS, SAME_SEAT_M = ("chair", "armchair"), 0.7
# Openings keep so far from the ends of their wall; what is left of a wall beside others is no wall below this, metres.
END_M, NO_LENGTH_M = 0.001, 0.02


@dataclass(frozen=True)
class ImportResult:
    """The project with the drawing in it, what was made of it and what was not, in words, the ids of its rooms,
    and by how much what was found was moved to lie there."""

    project: Project
    words: str
    rooms: tuple[str, ...] = ()
    shift: Point = (0.0, 0.0)


def import_drawing(
    project: Project,
    level: str,
    drawing: Drawing,
    layers: set[str],
    unit: str,
    straighten: bool = True,
    with_furniture: bool = True,
) -> ImportResult:
    """Make walls, openings, rooms and furniture of the chosen layers on a level: the drawing's lower left corner at the
    origin of a bare level, and where it was drawn on another. Raises ProjectError where nothing could be used, or where
    what comes of it could not be saved."""
    bare = not on_level(project.rooms, level) and not on_level(project.walls, level)
    found = interpret(drawing, layers, unit, straighten and bare)
    return import_interpreted(project, level, drawing, found, with_furniture)


def import_interpreted(
    project: Project, level: str, drawing: Drawing, found: Interpretation, with_furniture: bool = True
) -> ImportResult:
    """As `import_drawing`, of what was understood already."""
    drawn = [np.asarray(w[:2]) for w in found.walls] + [np.asarray(r.outline) for r in found.rooms]
    if not drawn and not any(len(lines) for lines in found.roles.values()):
        raise ProjectError("no lines on the chosen layers")
    if drawn and float(np.ptp(np.vstack(drawn), axis=0).max()) > LARGEST_M:
        raise ProjectError(f"in that unit the drawing would be more than {LARGEST_M:g} m wide: choose another unit")
    bare = not on_level(project.rooms, level) and not on_level(project.walls, level)
    near = max(abs(found.origin[0]), abs(found.origin[1])) <= AS_DRAWN_M
    ox, oy = found.origin
    if drawn and (bare or not near):
        # The corner of what is built, whatever else is drawn around it.
        ox, oy = (-np.vstack(drawn).min(axis=0)).tolist()

    def placed(p: Point) -> Point:
        return round(p[0] + ox, 4), round(p[1] + oy, 4)

    new, walls, openings = _walls(project, level, found.walls, placed)
    wanted: list[tuple[str, RoomUse, Outline]] = []
    taken = {r.name for r in project.rooms}
    nameless = count(1)
    for room in found.rooms:
        name = (
            unique_name(room.name, taken) if room.name else next(x for n in nameless if (x := f"Room {n}") not in taken)
        )
        taken.add(name)
        wanted.append((name, guess_use(name) or "sitting", tuple(placed(p) for p in room.outline)))
    before = len(new.walls)
    # Walls are as thick as they were drawn.
    new, done = add_rooms(new, level, wanted, as_they_are=True)
    rooms = tuple(room.id for room in done if not isinstance(room, str))
    refused = found.unused_outlines + len(done) - len(rooms)
    if walls == 0 and not rooms:
        raise ProjectError(
            "nothing on the chosen layers could be used: only curves, and lines shorter than 5 cm in that unit"
        )
    new = replace(new, walls=tuple(w for w in new.walls if math.dist(w.a, w.b) >= NO_LENGTH_M or w in project.walls))
    pieces = 0
    if with_furniture:
        # What one sits at before what one sits on: a chair at a desk brings no second place.
        for piece in sorted(found.pieces, key=lambda p: p.kind in SEATS):
            new, stands = _furnished(new, level, piece, placed)
            pieces += stands
    for fault in faults_of(new):
        raise ProjectError(f"this drawing does not make a valid building: {fault}")
    told = [count_words(walls + len(new.walls) - before, "wall"), count_words(len(rooms), "room")]
    told += [count_words(n, kind) for kind, n in openings.items()]
    if pieces:
        told.append(f"{pieces} pieces of furniture" if pieces > 1 else "1 piece of furniture")
    if refused:
        told.append(f"{refused} outlines skipped (too small, crossing themselves, or overlapping)")
    if drawing.skipped:
        told.append(f"{sum(drawing.skipped.values())} entities of other kinds skipped")
    return ImportResult(new, ", ".join(words for words in told if words), rooms, (ox, oy))


def _walls(project: Project, level: str, found: list[FoundWall], placed) -> tuple[Project, int, dict[OpeningKind, int]]:  # type: ignore[no-untyped-def]
    """The walls that do not stand yet, with their openings; how many of each."""
    walls, openings = list(project.walls), list(project.openings)
    known = {_key(w.a, w.b) for w in walls if w.level == level}
    numbers = fresh_ids(project, f"{level}-wall")
    ids = {kind: fresh_ids(project, kind) for kind in OPENING_SIZES}
    made, opened = 0, dict.fromkeys(OPENING_SIZES, 0)
    for wall in found:
        a, b = placed(wall.a), placed(wall.b)
        if math.dist(a, b) < SHORTEST_WALL_M or _key(a, b) in known:
            continue
        known.add(_key(a, b))
        made_as = project.construction
        material = made_as.inner_material if wall.thickness < MASONRY_M else made_as.outer_material
        standing = Wall(
            id=next(numbers), level=level, a=a, b=b, thickness=round(wall.thickness, 3), material=material,
        )  # fmt: skip
        walls.append(standing)
        made += 1
        length = math.dist(a, b)
        for f in wall.openings:
            begin, end = max(f.begin, END_M), min(f.end, length - END_M)
            if end - begin < 0.2:
                continue
            _, sill, head = OPENING_SIZES[f.kind]
            openings.append(
                Opening(
                    id=next(ids[f.kind]), wall=standing.id, kind=f.kind, offset=round(begin, 3),
                    width=round(end - begin - 0.001, 3), sill=sill, head=head, hinge=f.hinge, swings=f.swings,
                    leaf={"door": "timber", "window": "glass", "archway": "none"}[f.kind],  # type: ignore[arg-type]
                )
            )  # fmt: skip
            opened[f.kind] += 1
    return replace(project, walls=tuple(walls), openings=tuple(openings)), made, opened


def _furnished(project: Project, level: str, piece: FoundPiece, placed) -> tuple[Project, bool]:  # type: ignore[no-untyped-def]
    """A piece of furniture as large as it was drawn, its front to the middle of the room; whether there is room for
    it."""
    kind = next((k for k in furniture() if k.kind == piece.kind), None)
    corners = [placed(p) for p in piece.outline]
    at = float(np.mean([p[0] for p in corners])), float(np.mean([p[1] for p in corners]))
    home = room_at(project, level, *at)
    if kind is None or home is None:
        return project, False
    width, depth = math.dist(corners[0], corners[1]), math.dist(corners[1], corners[2])
    turn = math.degrees(math.atan2(corners[1][1] - corners[0][1], corners[1][0] - corners[0][0]))
    middle = polygons.centroid(home.outline)
    sides = [(turn + 90.0, width, depth), (turn - 90.0, width, depth)]
    if _other_way(kind, width, depth):
        sides = [(turn, depth, width), (turn + 180.0, depth, width)]
    front, w, d = min(sides, key=lambda s: math.dist(middle, _ahead(at, s[0], s[2])))
    seated = any(math.dist(at, s.at) <= SAME_SEAT_M for s in project.spots if s.room == home.id)
    try:
        sized = replace(kind, width=round(w, 3), depth=round(d, 3))
        if seated and kind.kind in SEATS:
            sized = replace(sized, sits=None)
        return add_furnishing(project, level, sized, (round(at[0], 3), round(at[1], 3)), front % 360.0)[0], True
    except ValueError:
        return project, False


def _other_way(kind: FurnitureType, width: float, depth: float) -> bool:
    """Whether a piece is drawn with its long side where this kind has its short one."""
    return (kind.width > 1.15 * kind.depth and depth > 1.15 * width) or (
        kind.depth > 1.15 * kind.width and width > 1.15 * depth
    )


def _ahead(at: Point, direction: float, depth: float) -> Point:
    a = math.radians(direction)
    return at[0] + math.cos(a) * depth, at[1] + math.sin(a) * depth


def _key(a: Point, b: Point) -> tuple[Point, Point]:
    """The same for a wall either way round, to the millimetre."""
    p, q = (round(a[0], 3), round(a[1], 3)), (round(b[0], 3), round(b[1], 3))
    return (p, q) if p <= q else (q, p)

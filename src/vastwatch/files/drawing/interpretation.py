"""What is understood of a drawing: its walls with their openings, the rooms these enclose, their names, and furniture.

Everything is brought into metres, straightened where it is turned by a few degrees and that is wanted, and near to the
origin. What each stroke was understood as is kept, to be shown before anything comes into the project.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from vastwatch.files.drawing.content import Drawing
from vastwatch.files.drawing.kinds import LayerKind, holds_texts, layer_kind, name_in
from vastwatch.files.drawing.openings import (
    FoundOpening,
    Swing,
    Symbol,
    find_openings,
    join_wall_ends,
    remove_nested_walls,
)
from vastwatch.files.drawing.placed import PlacedDrawing, Symbols, sides_of
from vastwatch.files.drawing.walls import WallLine, find_walls, lengths
from vastwatch.geometry import polygons
from vastwatch.site.record import Outline, Point
from vastwatch.site.use_guess import guess_use

Array = NDArray[np.float64]
Role = Literal["wall", "door", "window", "room", "furniture", "left out", "not recognised"]

# A room is not smaller, square metres; and its corners are so exact, metres.
SMALLEST_ROOM_M2, GRID_M = 0.7, 0.001
# More rooms than this are a pattern, and not a building.
MOST_ROOMS = 2000
# Furniture is so large, metres.
PIECE_M = (0.2, 4.0)
# Lines so near to a radius of a door's swing, to either side, draw its leaf, metres.
LEAF_THICK_M = 0.04
# More lines than this are not looked at as faces of walls: a pattern, and not a plan.
MOST_WALL_LINES = 60_000
# Arcs of such radii (metres) and sweeps (degrees) may be swings of doors.
SWING_M, SWING_DEG = (0.4, 1.5), (50.0, 130.0)
# Layers named after walls hold them where this share of what may be walls lies on them.
NAMED_SHARE = 0.15
# More pieces of wall than this that are no pairs of lines are no plan: each line stays what it is.
MOST_TRACKS = 6000


class FoundWall(NamedTuple):
    """A wall on its centre line, with its openings as stretches from `a` on."""

    a: Point
    b: Point
    thickness: float
    openings: tuple[FoundOpening, ...]


# The name of a room has no more words than these; on a layer of texts so many names are some.
MOST_WORDS, FEW_NAMES = 4, 2


class _Stretch(NamedTuple):
    """A stretch of a wall from `begin` to `end` along a-b."""

    a: Point
    b: Point
    thickness: float
    begin: float
    end: float


class FoundRoom(NamedTuple):
    """A room's outline on the centre lines of its walls, and its name where one stands in it."""

    outline: Outline
    name: str | None


class FoundPiece(NamedTuple):
    """A piece of furniture: its kind, and its frame."""

    kind: str
    outline: Outline


@dataclass
class Interpretation:
    """All in metres, with the lower left corner at `origin` of the drawing as it was turned. `roles` has for each role
    the lines (n, 4) that were understood as that; `turn` is by how many degrees the drawing was turned back."""

    walls: list[FoundWall] = field(default_factory=list)
    rooms: list[FoundRoom] = field(default_factory=list)
    pieces: list[FoundPiece] = field(default_factory=list)
    roles: dict[Role, Array] = field(default_factory=dict)
    paired: bool = False
    turn: float = 0.0
    origin: Point = (0.0, 0.0)
    unused_outlines: int = 0

    def openings(self, kind: str) -> int:
        """How many openings there are of a kind."""
        return sum(f.kind == kind for w in self.walls for f in w.openings)


def interpret(drawing: Drawing, layers: Iterable[str], unit: str, straighten: bool = True) -> Interpretation:
    """What the chosen layers hold, in a unit of `UNITS`. Never fails: what is not understood is told as that."""
    placed = PlacedDrawing(drawing, layers, unit, straighten)
    symbols = Symbols(placed)
    out = Interpretation(turn=placed.turn, origin=(float(placed.shift[0]), float(placed.shift[1])))
    lines = placed.lines_of(placed.strokes)
    kinds: list[LayerKind] = [layer_kind(s.layer) for s in placed.strokes]
    inside = np.array([symbols.symbol(s.piece) for s in placed.strokes], int)
    straight = np.array([not s.curve and not s.axis for s in placed.strokes], bool)
    sides = [(sides_of(placed.at(np.asarray(o.corners))), o) for o in placed.shapes]
    named = any(k == "walls" for k in kinds) or any(layer_kind(o.layer) == "walls" for o in placed.shapes)
    allowed = ("walls",) if named and _mostly_walls(lines, kinds, sides) else ("walls", "any")

    swings, used_arcs = _swings(placed, symbols)
    straight &= ~_leaves(lines, swings)
    may_be_wall = (
        np.array([k in allowed for k in kinds], bool) & straight & ((inside < 0) | (np.array(kinds) == "walls"))
    )
    closed = [
        rows
        for rows, o in sides
        if layer_kind(o.layer) in allowed and (symbols.symbol(o.piece) < 0 or layer_kind(o.layer) == "walls")
    ]
    faces = np.vstack([lines[may_be_wall], *closed]).reshape(-1, 4)[:MOST_WALL_LINES]
    found = find_walls(faces)
    if not found.paired and closed:
        # Closed outlines are rooms then, and their sides no walls of their own.
        found = find_walls(lines[may_be_wall][:MOST_WALL_LINES])
    out.paired, tracks = found.paired, found.tracks

    glass = np.array([k in ("windows", "walls", "any", "doors") for k in kinds], bool) & ~np.array(
        [s.axis for s in placed.strokes], bool
    )
    marks = _marks(symbols, {placed.arcs[k].piece for k in used_arcs})
    panes = lines[(np.array(kinds) == "windows") & straight & (inside < 0)]
    crowd = len(tracks) > MOST_TRACKS
    openings: list[list[FoundOpening]] = [[] for _ in tracks]
    if not crowd:
        openings = find_openings(tracks, swings, marks, panes, lines[glass & straight], faces)
        remove_nested_walls(tracks, openings)
        join_wall_ends(tracks)
    out.walls = _walls(tracks, openings)
    shown = [o for rows, o in sides if not out.paired and layer_kind(o.layer) in ("rooms", "any", "walls", "names")]
    out.rooms = _rooms(placed, [] if crowd else out.walls, shown, out)
    out.pieces = _furniture(symbols)
    out.roles = _roles(placed, symbols, lines, kinds, inside, out, used_arcs, sides)
    return out


def usual_layers(drawing: Drawing) -> set[str]:
    """The layers one begins with: all but those that, by their names, hold what no plan is built of; but those with the
    names of rooms among their texts, whatever they are called."""
    layers = set(drawing.layers)
    kept = {name for name in layers if layer_kind(name) != "left out"}
    kept |= _naming_layers(drawing, kept)
    # Storeys that lie on one another, each on layers of its own: one of them to begin with.
    storeys = sorted(name.removesuffix("-walls") for name in kept if name.endswith("-walls"))
    if len(storeys) > 1:
        kept = {name for name in kept if name.startswith(f"{storeys[0]}-")}
    return kept or layers


def _naming_layers(drawing: Drawing, kept: set[str]) -> set[str]:
    """Layers beside those kept that name rooms: a text that speaks of a use lies among what is drawn, or, on a layer
    that is called after texts, several short ones do."""
    drawn = [p for s in drawing.strokes if s.layer in kept for p in (s.a, s.b)]
    drawn += [p for o in drawing.outlines if o.layer in kept for p in o.corners]
    if not drawn:
        return set()
    (x0, y0), (x1, y1) = np.min(drawn, axis=0), np.max(drawn, axis=0)
    found: dict[str, list[str]] = {}
    for words in drawing.words:
        name = name_in(words.text) if words.layer not in kept else None
        if name is not None and x0 <= words.at[0] <= x1 and y0 <= words.at[1] <= y1:
            found.setdefault(words.layer, []).append(name)
    return {
        layer
        for layer, names in found.items()
        if any(guess_use(name) is not None and _short(name) for name in names)
        or (holds_texts(layer) and sum(map(_short, names)) >= FEW_NAMES)
    }


def _short(name: str) -> bool:
    """Whether a text is as short as the name of a room."""
    return len(name.split()) <= MOST_WORDS


def _mostly_walls(lines: Array, kinds: list[LayerKind], sides: list) -> bool:
    """Whether layers that are named after walls hold enough of what may be walls."""
    wall = np.array([k == "walls" for k in kinds], bool)
    other = np.array([k == "any" for k in kinds], bool)
    mine = float(lengths(lines[wall]).sum()) + sum(
        float(lengths(rows).sum()) for rows, o in sides if layer_kind(o.layer) == "walls"
    )
    rest = float(lengths(lines[other]).sum())
    return mine >= NAMED_SHARE * (mine + rest)


def _swings(placed: PlacedDrawing, symbols: Symbols) -> tuple[list[Swing], list[int]]:
    """The arcs that may be swings of doors, and their numbers."""
    out, numbers = [], []
    for k, arc in enumerate(placed.arcs):
        radius = arc.radius * placed.scale
        if (
            SWING_M[0] <= radius <= SWING_M[1]
            and SWING_DEG[0] <= arc.sweep <= SWING_DEG[1]
            and layer_kind(arc.layer) not in ("furniture", "left out")
        ):
            out.append(Swing(placed.point(arc.centre), placed.point(arc.a), placed.point(arc.b)))
            numbers.append(k)
    return out, numbers


def _leaves(lines: Array, swings: list[Swing]) -> NDArray[np.bool_]:
    """Which lines draw the leaf of a door that stands open: they lie along a radius of its swing."""
    return _within(lines, [_Stretch(s.hinge, tip, LEAF_THICK_M, 0.0, s.radius) for s in swings for tip in (s.a, s.b)])


def _marks(symbols: Symbols, swinging: set[int]) -> list[Symbol]:
    """Symbols of doors and windows that have no swing in them."""
    swung = {symbols.symbol(k) for k in swinging}
    out: list[Symbol] = []
    for k, frame in symbols.frames.items():
        if symbols.symbol(k) == k and k not in swung:
            kind = symbols.kind(k)
            if kind == "door":
                out.append(Symbol("door", frame))
            elif kind == "window":
                out.append(Symbol("window", frame))
    return out


def _walls(tracks: list[WallLine], openings: list[list[FoundOpening]]) -> list[FoundWall]:
    out = []
    for track, found in zip(tracks, openings):
        for span in track.spans:
            inside = []
            for f in found:
                begin, end = max(f.begin, span.begin), min(f.end, span.end)
                if end - begin >= 0.3:
                    inside.append(f._replace(begin=begin - span.begin, end=end - span.begin))
            out.append(FoundWall(track.point(span.begin), track.point(span.end), track.thickness, tuple(inside)))
    return out


def _rooms(placed: PlacedDrawing, walls: list[FoundWall], shapes: list, out: Interpretation) -> list[FoundRoom]:
    """Rooms drawn as closed outlines, and what the walls enclose beside them."""
    labels = _labels(placed)
    rooms: list[FoundRoom] = []
    taken = []
    for shape in shapes:
        corners = simplified(placed.at(np.asarray(shape.corners)))
        good = len(corners) >= 3 and polygons.self_crossing(corners) is None
        if not good or polygons.area(corners) < SMALLEST_ROOM_M2:
            out.unused_outlines += 1
            continue
        rooms.append(FoundRoom(corners, _name_for(corners, labels)))
        taken.append(shapely.Polygon(corners))
    if walls:
        lines = shapely.linestrings([[w.a, w.b] for w in walls if math.dist(w.a, w.b) > GRID_M])
        noded = shapely.union_all(lines, grid_size=GRID_M)
        faces = list(shapely.polygonize(shapely.get_parts(noded).tolist()).geoms)
        covered = shapely.union_all(taken) if taken else None
        for face in faces[:MOST_ROOMS]:
            if face.area < SMALLEST_ROOM_M2 or (
                covered is not None and face.intersection(covered).area > 0.1 * face.area
            ):
                continue
            # What is no wider than a wall is the inside of one.
            if face.area / max(face.length, 1e-9) < 0.2:
                continue
            for part in _without_holes(face):
                corners = simplified(np.asarray(part.exterior.coords)[:-1])
                if len(corners) >= 3 and polygons.self_crossing(corners) is None:
                    rooms.append(FoundRoom(corners, _name_for(corners, labels)))
    return sorted(rooms, key=lambda r: (-round(max(p[1] for p in r.outline), 2), min(p[0] for p in r.outline)))


def _without_holes(face: shapely.Polygon) -> list[shapely.Polygon]:
    """A polygon as parts without holes: one with a hole is cut through it."""
    if not face.interiors:
        return [face]
    x0, y0, x1, y1 = face.bounds
    x = round(shapely.Polygon(face.interiors[0]).centroid.x, 3)
    out = []
    for box in (shapely.box(x0 - 1, y0 - 1, x, y1 + 1), shapely.box(x, y0 - 1, x1 + 1, y1 + 1)):
        for part in shapely.get_parts(face.intersection(box)):
            if part.geom_type == "Polygon" and part.area >= SMALLEST_ROOM_M2:
                out += _without_holes(part)
    return out


class _Label(NamedTuple):
    name: str
    at: Point
    rank: tuple[bool, bool, float]


def _labels(placed: PlacedDrawing) -> list[_Label]:
    """Texts that may be names of rooms; short ones, those that speak of a use, and larger ones are better."""
    out = []
    for words in placed.words:
        name = name_in(words.text)
        if name is not None and layer_kind(words.layer) not in ("doors", "windows", "furniture"):
            rank = (_short(name), guess_use(name) is not None, words.height)
            out.append(_Label(name, placed.point(words.at), rank))
    return out


def _name_for(corners: Outline, labels: list[_Label]) -> str | None:
    if not labels:
        return None
    inside = polygons.contains(corners, np.array([x.at for x in labels]))
    mine = [x for x, within in zip(labels, inside) if within]
    return max(mine, key=lambda x: x.rank).name if mine else None


def _furniture(symbols: Symbols) -> list[FoundPiece]:
    out = []
    for k, frame in symbols.frames.items():
        if symbols.symbol(k) != k:
            continue
        kind = symbols.kind(k)
        sides = math.dist(frame[0], frame[1]), math.dist(frame[1], frame[2])
        if kind not in (None, "door", "window") and min(sides) >= PIECE_M[0] and max(sides) <= PIECE_M[1]:
            out.append(FoundPiece(str(kind), tuple((float(x), float(y)) for x, y in frame)))
    return out


def _roles(placed, symbols, lines, kinds, inside, out, used_arcs, sides) -> dict[Role, Array]:  # type: ignore[no-untyped-def]
    """Every line by what it was understood as."""
    whole = [_Stretch(w.a, w.b, w.thickness, 0.0, math.dist(w.a, w.b)) for w in out.walls]
    glazed = [
        _Stretch(w.a, w.b, w.thickness, f.begin, f.end) for w in out.walls for f in w.openings if f.kind == "window"
    ]
    on_wall, on_window = _within(lines, whole), _within(lines, glazed)
    rows: dict[Role, list[Array]] = {
        r: [] for r in ("wall", "door", "window", "room", "furniture", "left out", "not recognised")
    }
    furniture = {k for k in symbols.frames if symbols.kind(k) not in (None, "door", "window")}
    for k, (line, kind) in enumerate(zip(lines, kinds)):
        what = None if inside[k] < 0 else symbols.kind(int(inside[k]))
        if inside[k] in furniture or (kind == "furniture" and not on_wall[k]):
            role: Role = "furniture" if inside[k] in furniture else "left out"
        elif what in ("door", "window"):
            role = "door" if what == "door" else "window"
        elif kind == "doors" or kind == "windows":
            role = "door" if kind == "doors" else "window"
        elif kind in ("left out", "names", "stairs") or placed.strokes[k].axis:
            role = "left out"
        elif on_window[k]:
            role = "window"
        elif on_wall[k]:
            role = "wall"
        else:
            role = "not recognised"
        rows[role].append(line)
    for shape_rows, o in sides:
        kind = layer_kind(o.layer)
        if kind in ("left out", "furniture") or symbols.symbol(o.piece) in furniture:
            rows["furniture" if symbols.symbol(o.piece) in furniture else "left out"] += list(shape_rows)
        elif out.paired:
            for line, near in zip(shape_rows, _within(shape_rows, whole)):
                rows["wall" if near else "not recognised"].append(line)
        else:
            rows["room"] += list(shape_rows)
    used = set(used_arcs)
    for k, arc in enumerate(placed.arcs):
        points = arc_points(placed.point(arc.centre), placed.point(arc.a), placed.point(arc.b), arc.sweep)
        piece = symbols.symbol(arc.piece)
        role = "furniture" if piece in furniture else "door" if k in used else "not recognised"
        rows[role] += list(np.hstack([points[:-1], points[1:]]))
    return {role: np.asarray(found, float).reshape(-1, 4) for role, found in rows.items()}


def _within(lines: Array, stretches: list[_Stretch]) -> NDArray[np.bool_]:
    """Which lines lie in a stretch of a wall."""
    out = np.zeros(len(lines), bool)
    s = np.array([(*a, *b, thickness, begin, end) for a, b, thickness, begin, end in stretches], float).reshape(-1, 7)
    s = s[np.hypot(s[:, 2] - s[:, 0], s[:, 3] - s[:, 1]) > 0]
    if len(s) == 0 or len(lines) == 0:
        return out
    a, thickness = s[:, :2], s[:, 4]
    u = (s[:, 2:4] - a) / np.hypot(*(s[:, 2:4] - a).T)[:, None]
    half = thickness / 2 + 0.04
    first, last = s[:, 5] - thickness - 0.05, s[:, 6] + thickness + 0.05
    p, q, n = a + u * first[:, None], a + u * last[:, None], np.column_stack([-u[:, 1], u[:, 0]]) * half[:, None]
    corners = np.stack([p - n, q - n, q + n, p + n], axis=1)
    ends = lines.reshape(-1, 2, 2)
    # Frames first; then whether both ends lie in the stretch, which is convex.
    tree = shapely.STRtree(shapely.box(*ends.min(axis=1).T, *ends.max(axis=1).T))
    which, line = tree.query(shapely.box(*corners.min(axis=1).T, *corners.max(axis=1).T))
    away = ends[line] - a[which][:, None]
    along = (away * u[which][:, None]).sum(axis=2)
    aside = away[..., 1] * u[which, 0][:, None] - away[..., 0] * u[which, 1][:, None]
    between = (along >= first[which][:, None]) & (along <= last[which][:, None])
    within = (between & (np.abs(aside) <= half[which][:, None])).all(axis=1)
    out[line[within]] = True
    return out


def arc_points(centre: Point, a: Point, b: Point, sweep: float) -> Array:
    """Points of an arc from a to b round a centre, about one in every seven degrees, (n, 2)."""
    n = max(int(sweep / 7.5), 2)
    start = math.atan2(a[1] - centre[1], a[0] - centre[0])
    radius = math.dist(centre, a)
    angles = start + np.radians(np.linspace(0.0, sweep, n + 1))
    return np.column_stack([centre[0] + radius * np.cos(angles), centre[1] + radius * np.sin(angles)])


def simplified(corners: Array) -> Outline:
    """An outline without repeated corners and without corners on a straight side, to the tenth of a millimetre."""
    points = [(round(float(x), 4), round(float(y), 4)) for x, y in corners]
    distinct = [p for k, p in enumerate(points) if math.dist(p, points[k - 1]) > 0.011]
    out = []
    for k, p in enumerate(distinct):
        a, b = distinct[k - 1], distinct[(k + 1) % len(distinct)]
        base = max(math.dist(a, b), 1e-9)
        # Farther from the straight line than a hair.
        if abs((p[0] - a[0]) * (b[1] - a[1]) - (p[1] - a[1]) * (b[0] - a[0])) / base > 0.002:
            out.append(p)
    return tuple(out)

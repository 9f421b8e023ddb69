"""Writing a project as a DXF in metres: everything that is in it, each kind on a layer of its own, level by level.

Walls are drawn by their faces, broken at openings; doors with their leaf and swing, windows with three lines. So the
drawing says to anybody who reads it, this program among them, what it is.
"""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from numpy.typing import ArrayLike

from vastwatch.design.project import Project, find, on_level
from vastwatch.design.records import Output
from vastwatch.files.writing import write_atomically
from vastwatch.geometry import polygons
from vastwatch.site.building import Opening, Socket, Switch, Wall
from vastwatch.site.record import Point
from vastwatch.words import one_line

# Contours to draw: of a sensor's id, by how soon somebody is noticed in seconds, lines of points (n, 2).
Contours = Mapping[str, Mapping[float, Sequence[ArrayLike]]]
# Sizes of marks and letters, metres.
MARK_M, LETTERS_M, SMALL_M = 0.08, 0.2, 0.12
# Colours by number, as every reader of such files knows them.
COLOURS = {
    "walls": 7, "axes": 8, "doors": 30, "windows": 5, "rooms": 9, "names": 7, "furniture": 8, "spots": 9, "lamps": 40,
    "outputs": 40, "circuits": 42, "switches": 7, "sockets": 7, "hazards": 1, "sensors": 4, "views": 4, "contours": 140,
    "zones": 3,
}  # fmt: skip


def write_drawing(project: Project, path: Path, levels: tuple[str, ...] = (), contours: Contours | None = None) -> None:
    """Write some levels, or all. Raises ProjectError when the disk refuses."""
    import ezdxf

    document = ezdxf.new(setup=True)
    document.header["$INSUNITS"] = 6
    for level in project.levels:
        if not levels or level.id in levels:
            _Level(project, level.id, document, contours or {}).draw()
    text = io.StringIO()
    document.write(text)
    write_atomically(path, document.encode(text.getvalue()))


class _Level:
    """Draws one level."""

    def __init__(self, project: Project, level: str, document: Any, contours: Contours) -> None:
        self.project, self.level, self.document, self.contours = project, level, document, contours
        self.space = document.modelspace()

    def on(self, kind: str) -> dict[str, Any]:
        """The attributes of what lies on the layer of a kind, which is made when it is first drawn on."""
        name = f"{self.level}-{kind}"
        if name not in self.document.layers:
            self.document.layers.add(name, color=COLOURS[kind], linetype="CENTER" if kind == "axes" else "Continuous")
        return {"layer": name}

    def draw(self) -> None:
        walls = on_level(self.project.walls, self.level)
        openings = [o for o in self.project.openings if find(self.project.walls, o.wall).level == self.level]
        self._walls(walls, openings)
        for opening in openings:
            self._opening(find(self.project.walls, opening.wall), opening)
        for room in on_level(self.project.rooms, self.level):
            self.space.add_lwpolyline(room.outline, close=True, dxfattribs=self.on("rooms"))
            self._words(room.name, polygons.centroid(room.outline), "names", LETTERS_M)
        for f in on_level(self.project.furnishings, self.level):
            self.space.add_lwpolyline(f.outline, close=True, dxfattribs=self.on("furniture"))
        for h in on_level(self.project.hazards, self.level):
            self.space.add_lwpolyline(h.outline, close=True, dxfattribs=self.on("hazards"))
            self._words(h.name, polygons.centroid(h.outline), "hazards", SMALL_M)
        self._things()
        here = {s.id for s in on_level(self.project.sensors, self.level)}
        for z in self.project.zones:
            if z.sensor in here:
                self.space.add_lwpolyline(z.outline, close=True, dxfattribs=self.on("zones"))
                self._words(z.name, polygons.centroid(z.outline), "zones", SMALL_M)
        for s in on_level(self.project.sensors, self.level):
            self._sensor(s)

    def _words(self, text: str, at: Point, kind: str, height: float) -> None:
        words = one_line(text, 200)
        if words:
            self.space.add_text(words, height=height, dxfattribs={**self.on(kind), "insert": at})

    def _walls(self, walls: Sequence[Wall], openings: Sequence[Opening]) -> None:
        """The faces of walls, broken at openings, and their centre lines on a layer of axes."""
        solid, holes = [], []
        for w in walls:
            self.space.add_line(w.a, w.b, dxfattribs=self.on("axes"))
            line = shapely.LineString([w.a, w.b])
            solid.append(line.buffer(w.thickness / 2, cap_style="square"))
        for o in openings:
            w = find(self.project.walls, o.wall)
            at = _along(w)
            ends = [at(o.offset, 0.0), at(o.offset + o.width, 0.0)]
            holes.append(shapely.LineString(ends).buffer(w.thickness / 2 + 0.01, cap_style="flat"))
        if not solid:
            return
        built = shapely.union_all(solid, grid_size=0.0001)
        if holes:
            built = built.difference(shapely.union_all(holes), grid_size=0.0001)
        for part in shapely.get_parts(built):
            if part.geom_type == "Polygon" and part.area > 1e-6:
                for ring in (part.exterior, *part.interiors):
                    self.space.add_lwpolyline(list(ring.coords)[:-1], close=True, dxfattribs=self.on("walls"))

    def _opening(self, wall: Wall, o: Opening) -> None:
        at, half = _along(wall), wall.thickness / 2
        begin, end = o.offset, o.offset + o.width
        if o.kind == "window":
            for side in (-half, 0.0, half):
                self.space.add_line(at(begin, side), at(end, side), dxfattribs=self.on("windows"))
        elif o.kind == "door":
            hinge, tip = (begin, end) if o.hinge == "a" else (end, begin)
            side = 1.0 if o.swings == "left" else -1.0
            corner, closed = at(hinge, side * half), at(tip, side * half)
            leaf = at(hinge, side * (half + o.width))
            self.space.add_line(corner, leaf, dxfattribs=self.on("doors"))
            a, b = (_direction(corner, p) for p in (closed, leaf))
            if (b - a) % 360.0 > 180.0:
                a, b = b, a
            self.space.add_arc(corner, o.width, a, b, dxfattribs=self.on("doors"))

    def _things(self) -> None:
        """Spots, lamps, outputs, switches and sockets, and what is wired to what."""
        here = {r.id for r in on_level(self.project.rooms, self.level)}
        for spot in self.project.spots:
            if spot.room in here:
                self.space.add_circle(spot.at, 0.1, dxfattribs=self.on("spots"))
                a = math.radians(spot.facing)
                ahead = spot.at[0] + 0.2 * math.cos(a), spot.at[1] + 0.2 * math.sin(a)
                self.space.add_line(spot.at, ahead, dxfattribs=self.on("spots"))
                self._words(spot.name, (spot.at[0] + 0.12, spot.at[1]), "spots", SMALL_M)
        fixtures: list[tuple[str, Output]] = [("lamps", x) for x in self.project.lamps]
        fixtures += [("outputs", x) for x in self.project.outputs]
        for kind, fixture in fixtures:
            if fixture.room in here:
                x, y = fixture.at
                self.space.add_circle(fixture.at, 0.12, dxfattribs=self.on(kind))
                for d in (0.085, -0.085):
                    self.space.add_line((x - 0.085, y - d), (x + 0.085, y + d), dxfattribs=self.on(kind))
                self._words(fixture.name, (x + 0.16, y), kind, SMALL_M)
        plates: list[tuple[str, Switch | Socket]] = [("switches", x) for x in self.project.switches]
        plates += [("sockets", x) for x in self.project.sockets]
        for kind, plate in plates:
            if plate.level == self.level:
                (x, y), m = plate.at, MARK_M
                square = [(x - m, y - m), (x + m, y - m), (x + m, y + m), (x - m, y + m)]
                self.space.add_lwpolyline(square, close=True, dxfattribs=self.on(kind))
                self._words(plate.name, (x + 0.12, y), kind, SMALL_M)
        lamps = {lamp.id: lamp for lamp in self.project.lamps if lamp.room in here}
        for circuit in self.project.circuits:
            ends = [lamps[i].at for i in circuit.lamps if i in lamps]
            for switch in on_level(self.project.switches, self.level):
                if switch.circuit == circuit.id:
                    for end in ends:
                        self.space.add_line(switch.at, end, dxfattribs=self.on("circuits"))

    def _sensor(self, s: Any) -> None:
        x, y = s.at[:2]
        self.space.add_circle((x, y), MARK_M, dxfattribs=self.on("sensors"))
        self._words(f"{s.name}, {s.at[2]:.2f} m", (x + 0.12, y + 0.06), "sensors", SMALL_M)
        device = find(self.project.devices, s.device)
        view = getattr(getattr(device, "pir", device), "fov_h", None)
        if view and view < 360.0:
            for turn in (-view / 2, 0.0, view / 2):
                a = math.radians(s.yaw + turn)
                reach = 0.6 if turn else 0.35
                tip = x + reach * math.cos(a), y + reach * math.sin(a)
                self.space.add_line((x, y), tip, dxfattribs=self.on("views"))
        for seconds, lines in self.contours.get(s.id, {}).items():
            for line in lines:
                points = np.asarray(line, float)
                if len(points) > 1:
                    weight = 25 if seconds <= 1 else 13
                    attributes = {**self.on("contours"), "lineweight": weight}
                    self.space.add_lwpolyline(points.tolist(), dxfattribs=attributes)


def _along(wall: Wall) -> Callable[[float, float], Point]:
    """The point so far along a wall and so far to its left."""
    length = math.dist(wall.a, wall.b) or 1.0
    ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
    return lambda s, o: (wall.a[0] + ux * s - uy * o, wall.a[1] + uy * s + ux * o)


def _direction(a: Point, b: Point) -> float:
    return math.degrees(math.atan2(b[1] - a[1], b[0] - a[0]))

"""One small office drawn as twenty-five different hands would draw it, to be read again.

The office is 14 m by 9 m, with walls of 30 cm outside and 12 cm inside; its truth is below. A *habit* says how walls,
doors, windows, names and the rest are put on paper. Nothing here knows how drawings are read.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Any, NamedTuple

import ezdxf
import shapely
from ezdxf.math import Matrix44
from shapely import affinity

OUTER, INNER = 0.3, 0.12
WIDTH, DEPTH = 14.0, 9.0


class Gap(NamedTuple):
    """An opening: the wall's ends, its thickness, and the stretch along it."""

    kind: str
    a: tuple[float, float]
    b: tuple[float, float]
    thickness: float
    begin: float
    end: float


# Centre lines.
OUTSIDE = [((0, 0), (14, 0)), ((14, 0), (14, 9)), ((14, 9), (0, 9)), ((0, 9), (0, 0))]
INSIDE = [
    ((0, 4), (14, 4)), ((0, 5.6), (14, 5.6)), ((5, 5.6), (5, 9)), ((9, 5.6), (9, 9)),
    ((4, 0), (4, 4)), ((6, 0), (6, 4)), ((9, 0), (9, 4)),
]  # fmt: skip
ROOMS = {
    "Office": (0, 5.6, 5, 9), "Meeting": (5, 5.6, 9, 9), "Library": (9, 5.6, 14, 9), "Corridor": (0, 4, 14, 5.6),
    "Kitchen": (0, 0, 4, 4), "WC": (4, 0, 6, 4), "Store": (6, 0, 9, 4), "Reception": (9, 0, 14, 4),
}  # fmt: skip
AREAS = {name: (x1 - x0) * (y1 - y0) for name, (x0, y0, x1, y1) in ROOMS.items()}
# Hinge at the begin (True) or end of the stretch; the leaf opens to the left (True) or right of a-b.
DOORS = [
    (Gap("door", (0, 5.6), (14, 5.6), INNER, 2.0, 2.9), True, True),
    (Gap("door", (0, 5.6), (14, 5.6), INNER, 6.5, 7.4), False, True),
    (Gap("door", (0, 5.6), (14, 5.6), INNER, 9.3, 10.2), True, True),
    (Gap("door", (0, 4), (14, 4), INNER, 3.0, 3.8), False, False),
    (Gap("door", (0, 4), (14, 4), INNER, 4.6, 5.4), True, False),
    (Gap("door", (0, 4), (14, 4), INNER, 7.0, 7.9), True, False),
    (Gap("door", (14, 0), (14, 9), OUTER, 1.5, 2.5), True, True),
]
ARCHWAY = Gap("archway", (0, 4), (14, 4), INNER, 11.0, 12.6)
WINDOWS = [
    Gap("window", (14, 9), (0, 9), OUTER, 2.0, 3.5), Gap("window", (14, 9), (0, 9), OUTER, 6.0, 7.6),
    Gap("window", (14, 9), (0, 9), OUTER, 10.0, 12.0), Gap("window", (0, 0), (14, 0), OUTER, 1.2, 2.6),
    Gap("window", (0, 0), (14, 0), OUTER, 10.5, 13.0),
]  # fmt: skip


@dataclass(frozen=True)
class Habit:
    """How this hand draws. Sizes in metres are multiplied by the scale of `unit`."""

    name: str
    walls: str = "faces"  # faces, outlines, rectangles, single, mline, cavity
    jambs: bool = True
    doors: str = "arcs"  # arcs, blocks, mirrored, bulges, ellipses, through, slide
    windows: str = "three"  # three, through, blocks, double
    names: str = "text"  # text, mtext, attributes, stacked
    layers: dict[str, str] | None = None
    unit: int | None = 4
    said: int | None = None  # what the header says, where that is something else
    turn: float = 0.0
    origin: tuple[float, float] = (0.0, 0.0)
    clutter: bool = False
    furniture: bool = False
    nested: bool = False
    version: str = "R2010"
    binary: bool = False
    poche: bool = False


USUAL = {"wall": "A-WALL", "door": "A-DOOR", "window": "A-GLAZ", "name": "A-ROOM-NAME", "furniture": "A-FURN"}
ALL_ON_0 = dict.fromkeys(USUAL, "0")
PLAIN = {"wall": "1", "door": "2", "window": "3", "name": "4", "furniture": "5"}
OTHERS = {"wall": "WAND", "door": "TÜREN", "window": "FENSTER", "name": "RAUMNAME", "furniture": "MOBILIAR"}

HABITS = [
    Habit("faces trimmed, arcs, three-line windows"),
    Habit("no jambs", jambs=False),
    Habit("walls as closed outlines", walls="outlines"),
    Habit("walls as overlapping rectangles", walls="rectangles", jambs=False, windows="through", doors="through"),
    Habit("door blocks", doors="blocks"),
    Habit("mirrored door blocks", doors="mirrored"),
    Habit("doors as polylines with bulges", doors="bulges"),
    Habit("doors as elliptic arcs", doors="ellipses"),
    Habit("windows within unbroken faces", windows="through"),
    Habit("window blocks", windows="blocks"),
    Habit("two-line windows", windows="double"),
    Habit("all on one layer", layers=ALL_ON_0),
    Habit("numbered layers", layers=PLAIN),
    Habit("layers in another language", layers=OTHERS),
    Habit("metres", unit=6),
    Habit("centimetres", unit=5),
    Habit("inches", unit=1),
    Habit("no unit", unit=4, said=0),
    Habit("a wrong unit", unit=4, said=6),
    Habit("turned by 3.7 degrees", turn=3.7),
    Habit("turned by 30 degrees, all on one layer", turn=-30.0, layers=ALL_ON_0),
    Habit("far from the origin", origin=(3_512_000.0, 5_804_000.0), unit=6),
    Habit("grid, dimensions, hatches", clutter=True, poche=True),
    Habit("furniture blocks", furniture=True, doors="blocks"),
    Habit("formatted names", names="mtext"),
    Habit("names as attributes", names="attributes"),
    Habit("stacked texts", names="stacked"),
    Habit("all within a block", nested=True, doors="blocks"),
    Habit("an old version", version="R12", walls="outlines"),
    Habit("binary", binary=True),
    Habit("single lines", walls="single", jambs=False, windows="blocks"),
    Habit("multiple lines", walls="mline", jambs=False),
    Habit("cavity walls", walls="cavity"),
    Habit("everything at once", clutter=True, furniture=True, doors="mirrored", names="mtext", turn=2.2,
          origin=(81_000.0, 43_000.0), poche=True, walls="outlines"),
]  # fmt: skip

PER_METRE = {1: 1 / 0.0254, 4: 1000.0, 5: 100.0, 6: 1.0}


def frame_of(gap: Gap) -> tuple[Any, Any]:
    """Unit vectors along a gap's wall and to its left."""
    length = math.dist(gap.a, gap.b)
    u = ((gap.b[0] - gap.a[0]) / length, (gap.b[1] - gap.a[1]) / length)
    return u, (-u[1], u[0])


def at(gap: Gap, s: float, o: float) -> tuple[float, float]:
    u, n = frame_of(gap)
    return gap.a[0] + u[0] * s + n[0] * o, gap.a[1] + u[1] * s + n[1] * o


def box(a, b, thickness, overhang=0.0):
    length = math.dist(a, b)
    u = ((b[0] - a[0]) / length, (b[1] - a[1]) / length)
    line = shapely.LineString(
        [(a[0] - u[0] * overhang, a[1] - u[1] * overhang), (b[0] + u[0] * overhang, b[1] + u[1] * overhang)]
    )
    return line.buffer(thickness / 2, cap_style="flat")


class Hand:
    """Draws the office by one habit."""

    def __init__(self, habit: Habit) -> None:
        self.habit = habit
        self.document = ezdxf.new(habit.version, setup=True)
        self.k = PER_METRE[habit.unit or 6]
        said = habit.unit if habit.said is None else habit.said
        self.document.header["$INSUNITS"] = said
        self.layers = habit.layers or USUAL
        for name in set(self.layers.values()) - {"0"}:
            self.document.layers.add(name)
        space = self.document.modelspace()
        if habit.nested:
            self.space = self.document.blocks.new("PLAN")
            space.add_blockref("PLAN", (0, 0))
        else:
            self.space = space

    def layer(self, kind: str) -> dict[str, str]:
        return {"layer": self.layers[kind]}

    def line(self, p, q, kind, **extra):
        self.space.add_line(self.s(p), self.s(q), dxfattribs={**self.layer(kind), **extra})

    def s(self, p):
        return p[0] * self.k, p[1] * self.k

    def draw(self, path: Path) -> Path:
        h = self.habit
        self.walls()
        for gap, at_begin, left in DOORS:
            self.door(gap, at_begin, left)
        for gap in WINDOWS:
            self.window(gap)
        self.names()
        if h.furniture:
            self.furniture()
        if h.clutter:
            self.clutter()
        turn = Matrix44.z_rotate(math.radians(h.turn)) @ Matrix44.translate(
            h.origin[0] * self.k, h.origin[1] * self.k, 0
        )
        if h.turn or h.origin != (0.0, 0.0):
            for entity in list(self.document.modelspace()):
                entity.transform(turn)
        self.document.saveas(path, fmt="bin" if h.binary else "asc")
        return path

    # -- walls ---------------------------------------------------------------------------------------------------

    def walls(self) -> None:
        h = self.habit
        if h.walls == "single":
            self.single()
            return
        solid = shapely.union_all(
            [box(a, b, OUTER, OUTER / 2) for a, b in OUTSIDE] + [box(a, b, INNER) for a, b in INSIDE]
        )
        holes = [ARCHWAY]
        if h.doors != "through":
            holes += [d[0] for d in DOORS]
        if h.windows != "through":
            holes += WINDOWS
        cut = shapely.union_all([box(at(g, g.begin, 0), at(g, g.end, 0), g.thickness + 0.2) for g in holes])
        if h.walls == "rectangles":
            for a, b in OUTSIDE:
                self.outline(box(a, b, OUTER, OUTER / 2))
            for a, b in INSIDE:
                # From face to face, each wall a rectangle of its own; the archway splits one.
                parts = box(a, b, INNER).difference(cut)
                for part in shapely.get_parts(parts):
                    self.outline(part)
            return
        if h.walls == "mline":
            self.mlines(cut)
            return
        broken = solid.difference(cut)
        if h.walls == "outlines":
            for part in shapely.get_parts(broken):
                self.outline(part)
        else:
            for part in shapely.get_parts(broken):
                for ring in (part.exterior, *part.interiors):
                    corners = list(ring.coords)
                    for p, q in pairwise(corners):
                        if h.jambs or not self.is_jamb(p, q):
                            self.line(p, q, "wall")
        if h.walls == "cavity":
            for a, b in OUTSIDE:
                for o in (-0.04, 0.05):
                    inner = shapely.LineString([a, b]).parallel_offset(abs(o), "left" if o > 0 else "right")
                    for part in shapely.get_parts(inner.difference(cut)):
                        self.line(*part.coords, "wall")
        if h.poche:
            for part in shapely.get_parts(broken):
                hatch = self.space.add_hatch(dxfattribs={"layer": "A-WALL-PATT"})
                hatch.paths.add_polyline_path([self.s(p) for p in part.exterior.coords])

    def is_jamb(self, p, q) -> bool:
        for g in (*(d[0] for d in DOORS), *WINDOWS, ARCHWAY):
            for s in (g.begin, g.end):
                jamb = shapely.LineString([at(g, s, -g.thickness), at(g, s, g.thickness)])
                if jamb.buffer(1e-6).contains(shapely.LineString([p, q])):
                    return True
        return False

    def outline(self, polygon) -> None:
        for ring in (polygon.exterior, *polygon.interiors):
            corners = [self.s(p) for p in list(ring.coords)[:-1]]
            if self.habit.version == "R12":
                self.space.add_polyline2d(corners, close=True, dxfattribs=self.layer("wall"))
            else:
                self.space.add_lwpolyline(corners, close=True, dxfattribs=self.layer("wall"))

    def single(self) -> None:
        gaps = [d[0] for d in DOORS] + [ARCHWAY] + WINDOWS
        cut = shapely.union_all([box(at(g, g.begin, 0), at(g, g.end, 0), 0.05) for g in gaps])
        for a, b in OUTSIDE + INSIDE:
            for part in shapely.get_parts(shapely.LineString([a, b]).difference(cut)):
                self.line(part.coords[0], part.coords[-1], "wall")

    def mlines(self, cut) -> None:
        style = self.document.mline_styles.new("W")
        style.elements.append(0.5)
        style.elements.append(-0.5)
        for walls, thickness in ((OUTSIDE, OUTER), (INSIDE, INNER)):
            for a, b in walls:
                grown = shapely.LineString([a, b])
                for part in shapely.get_parts(grown.difference(cut)):
                    self.space.add_mline(
                        [self.s(part.coords[0]), self.s(part.coords[-1])], close=False,
                        dxfattribs={**self.layer("wall"), "style_name": "W", "scale_factor": thickness * self.k,
                                    "justification": 1},
                    )  # fmt: skip

    # -- doors and windows -----------------------------------------------------------------------------------------

    def door(self, gap: Gap, at_begin: bool, left: bool) -> None:
        how = self.habit.doors
        width = gap.end - gap.begin
        u, _ = frame_of(gap)
        side = 1.0 if left else -1.0
        # The leaf is hinged on the face of the wall it opens to.
        hinge_s, tip_s = (gap.begin, gap.end) if at_begin else (gap.end, gap.begin)
        off = side * gap.thickness / 2
        hinge, tip = at(gap, hinge_s, off), at(gap, tip_s, off)
        leaf = at(gap, hinge_s, off + side * width)
        angle = math.degrees(math.atan2(tip[1] - hinge[1], tip[0] - hinge[0]))
        other = math.degrees(math.atan2(leaf[1] - hinge[1], leaf[0] - hinge[0]))
        ccw = (other - angle) % 360 < 180
        if how in ("blocks", "mirrored"):
            self.door_block(width)
            flip = 1.0 if ccw else -1.0
            self.space.add_blockref(
                "DOOR-SINGLE", self.s(hinge),
                dxfattribs={**self.layer("door"), "rotation": angle, "xscale": self.k * width,
                            "yscale": self.k * width * flip, "zscale": self.k * width},
            )  # fmt: skip
            return
        if how == "bulges":
            start, end = (tip, leaf) if ccw else (leaf, tip)
            bulge = math.tan(math.radians(90) / 4)
            self.space.add_lwpolyline(
                [(*self.s(start), 0, 0, bulge), (*self.s(end), 0, 0, 0)], dxfattribs=self.layer("door")
            )
            self.line(hinge, leaf, "door")
            return
        if how == "ellipses":
            begin = angle if ccw else other
            self.space.add_ellipse(
                self.s(hinge), (self.k * width, 0), 1.0, math.radians(begin), math.radians(begin + 90),
                dxfattribs=self.layer("door"),
            )  # fmt: skip
            self.line(hinge, leaf, "door")
            return
        self.space.add_arc(
            self.s(hinge),
            self.k * width,
            angle if ccw else other,
            other if ccw else angle,
            dxfattribs=self.layer("door"),
        )
        # The leaf, four centimetres thick.
        d = 0.04
        thick = [hinge, leaf, (leaf[0] + u[0] * d, leaf[1] + u[1] * d), (hinge[0] + u[0] * d, hinge[1] + u[1] * d)]
        for p, q in zip(thick, thick[1:] + thick[:1]):
            self.line(p, q, "door")

    def door_block(self, width: float) -> None:
        if "DOOR-SINGLE" in self.document.blocks:
            return
        block = self.document.blocks.new("DOOR-SINGLE")
        block.add_arc((0, 0), 1.0, 0, 90)
        block.add_line((0, 0), (0, 1))
        block.add_line((0.04, 0), (0.04, 1))

    def window(self, gap: Gap) -> None:
        how = self.habit.windows
        t = gap.thickness / 2
        if how == "blocks":
            if "WINDOW-A" not in self.document.blocks:
                block = self.document.blocks.new("WINDOW-A")
                for y in (-0.5, 0.0, 0.5):
                    block.add_line((0, y), (1, y))
                block.add_line((0, -0.5), (0, 0.5))
                block.add_line((1, -0.5), (1, 0.5))
            u, _ = frame_of(gap)
            self.space.add_blockref(
                "WINDOW-A", self.s(at(gap, gap.begin, 0)),
                dxfattribs={**self.layer("window"), "rotation": math.degrees(math.atan2(u[1], u[0])),
                            "xscale": self.k * (gap.end - gap.begin), "yscale": self.k * gap.thickness * 0.9},
            )  # fmt: skip
            return
        offsets = {"three": (-t, 0.0, t), "through": (-0.03, 0.03), "double": (-0.04, 0.04)}[how]
        for o in offsets:
            self.line(at(gap, gap.begin, o), at(gap, gap.end, o), "window")
        if how == "through":
            for s in (gap.begin, gap.end):
                self.line(at(gap, s, -t), at(gap, s, t), "window")

    # -- names, furniture, clutter -----------------------------------------------------------------------------------

    def names(self) -> None:
        how = self.habit.names
        if how == "attributes":
            block = self.document.blocks.new("ROOMTAG")
            block.add_attdef("NAME", (0, 0), height=0.2)
            block.add_attdef("NO", (0, -0.3), height=0.15)
        for n, (name, (x0, y0, x1, y1)) in enumerate(ROOMS.items(), 1):
            middle = ((x0 + x1) / 2 - 0.6, (y0 + y1) / 2)
            p = self.s(middle)
            area = f"{AREAS[name]:.1f} m²"
            if how == "mtext":
                text = f"{{\\fArial|b1;\\H{0.25 * self.k};{name.upper()}}}\\P{{\\C3;R{n:03d}}}\\P{area}"
                self.space.add_mtext(text, dxfattribs={**self.layer("name"), "insert": p, "char_height": 0.2 * self.k})
            elif how == "attributes":
                ref = self.space.add_blockref("ROOMTAG", p, dxfattribs={**self.layer("name"), "xscale": self.k,
                                                                          "yscale": self.k})  # fmt: skip
                ref.add_auto_attribs({"NAME": name, "NO": f"{n:02d}"})
            elif how == "stacked":
                lower = self.s((middle[0], middle[1] - 0.35))
                lowest = self.s((middle[0], middle[1] - 0.7))
                self.space.add_text(
                    f"%%u{name}%%u", height=0.2 * self.k, dxfattribs={**self.layer("name"), "insert": p}
                )
                self.space.add_text(
                    f"R{n:02d}", height=0.15 * self.k, dxfattribs={**self.layer("name"), "insert": lower}
                )
                self.space.add_text(area, height=0.15 * self.k, dxfattribs={**self.layer("name"), "insert": lowest})
            else:
                self.space.add_text(name, height=0.2 * self.k, dxfattribs={**self.layer("name"), "insert": p})

    def furniture(self) -> None:
        for name, w, d in (("DESK-160", 1.6, 0.8), ("CHAIR", 0.5, 0.5), ("TABLE-ROUND", 1.2, 1.2)):
            block = self.document.blocks.new(name)
            block.add_lwpolyline([(0, 0), (w, 0), (w, d), (0, d)], close=True)
            if name == "TABLE-ROUND":
                block.add_circle((0.6, 0.6), 0.6)
        for name, x, y, turn in (
            ("DESK-160", 0.4, 8.0, 0), ("CHAIR", 1.0, 7.3, 0), ("DESK-160", 13.0, 6.0, 90), ("TABLE-ROUND", 6.4, 6.8, 0),
            ("CHAIR", 6.0, 7.2, 30),
        ):  # fmt: skip
            scale = {"xscale": self.k, "yscale": self.k, "rotation": turn}
            self.space.add_blockref(name, self.s((x, y)), dxfattribs={**self.layer("furniture"), **scale})

    def clutter(self) -> None:
        self.document.layers.add("A-GRID", linetype="CENTER")
        for x in (0, 5, 9, 14):
            self.space.add_line(self.s((x, -2)), self.s((x, 11)), dxfattribs={"layer": "A-GRID"})
            self.space.add_circle(self.s((x, 11.4)), 0.4 * self.k, dxfattribs={"layer": "A-GRID"})
        for y in (0, 4, 9):
            self.space.add_line(self.s((-2, y)), self.s((16, y)), dxfattribs={"layer": "A-GRID"})
        if self.habit.version != "R12":
            self.space.add_linear_dim(
                base=self.s((0, -1)), p1=self.s((0, 0)), p2=self.s((14, 0)), dxfattribs={"layer": "A-DIMS"}
            ).render()
        self.space.add_lwpolyline(
            [self.s(p) for p in ((-4, -4), (18, -4), (18, 13), (-4, 13))], close=True, dxfattribs={"layer": "A-BORDER"}
        )
        self.space.add_text("GROUND FLOOR PLAN 1:100", height=0.5 * self.k, dxfattribs={
            "layer": "A-TITLE", "insert": self.s((10, -3))})  # fmt: skip
        stair = [(6.4 + 0.28 * i, 0.4) for i in range(8)]
        for x, y in stair:
            self.space.add_line(self.s((x, y)), self.s((x, y + 1.1)), dxfattribs={"layer": "A-STRS"})


def draw(habit: Habit, path: Path) -> Path:
    """The office as this hand draws it."""
    return Hand(habit).draw(path)


__all__ = ["AREAS", "DOORS", "HABITS", "WINDOWS", "Habit", "affinity", "draw"]

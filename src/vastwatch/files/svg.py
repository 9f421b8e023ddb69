"""A level as an SVG drawing in millimetres on paper at 1:50: groups by kind, so that any drawing program can go on
with it."""

from __future__ import annotations

import math
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

from vastwatch.design.project import Project, find, on_level
from vastwatch.devices import RadarType
from vastwatch.files.check import ProjectError
from vastwatch.files.writing import write_atomically
from vastwatch.geometry import polygons

SCALE = 50
# Millimetres of paper per metre of building, and around the building.
MM, EDGE = 1000.0 / SCALE, 10.0
WALL, SOFT, LINE = "#23272E", "#6A665E", "#C9BFAF"


def svg_of(project: Project, level_id: str) -> str:
    """The drawing of a level. Raises ProjectError for a level with nothing on it."""
    level = find(project.levels, level_id)
    rooms, walls = on_level(project.rooms, level_id), on_level(project.walls, level_id)
    points = [p for r in rooms for p in r.outline] + [p for w in walls for p in (w.a, w.b)]
    if not points:
        raise ProjectError(f"{level.name} is empty: there is nothing to export")
    x0, y0 = min(p[0] for p in points), min(p[1] for p in points)
    x1, y1 = max(p[0] for p in points), max(p[1] for p in points)
    width, height = (x1 - x0) * MM + 2 * EDGE, (y1 - y0) * MM + 2 * EDGE + 8

    def at(p: tuple[float, float]) -> str:
        return f"{(p[0] - x0) * MM + EDGE:.2f},{(y1 - p[1]) * MM + EDGE:.2f}"

    def shape(outline, style: str, title: str = "") -> str:  # type: ignore[no-untyped-def]
        inner = f"<title>{escape(title)}</title>" if title else ""
        return f'<polygon points="{" ".join(at(p) for p in outline)}" style="{style}">{inner}</polygon>'

    def words(text: str, p: tuple[float, float], size: float, colour: str, middle: bool = False) -> str:
        x, y = at(p).split(",")
        anchor = ' text-anchor="middle"' if middle else ""
        return f'<text x="{x}" y="{y}" font-size="{size}" fill="{colour}"{anchor}>{escape(text)}</text>'

    def group(name: str, parts: list[str]) -> list[str]:
        return [f"<g id={quoteattr(name)}>", *parts, "</g>"] if parts else []

    out = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.2f}mm" height="{height:.2f}mm" '
        f'viewBox="0 0 {width:.2f} {height:.2f}" font-family="sans-serif">',
        f"<title>{escape(project.name)}, {escape(level.name)}</title>",
    ]
    out += group("rooms", [shape(r.outline, "fill:#FFFEFB;stroke:none", r.name) for r in rooms])
    pieces = on_level(project.furnishings, level_id)
    style = f"fill:#F3EEE6;stroke:{LINE};stroke-width:0.25"
    out += group("furniture", [shape(f.outline, style, f.name) for f in pieces])
    dashed = f"fill:none;stroke:{SOFT};stroke-width:0.25;stroke-dasharray:1,1"
    out += group("hazards", [shape(h.outline, dashed, h.name) for h in on_level(project.hazards, level_id)])
    lines, gaps = [], []
    for w in walls:
        (ax, ay), (bx, by) = at(w.a).split(","), at(w.b).split(",")
        wide = w.thickness * MM
        lines.append(
            f'<line x1="{ax}" y1="{ay}" x2="{bx}" y2="{by}" '
            f'style="stroke:{WALL};stroke-width:{wide:.2f};stroke-linecap:square"/>'
        )
        length = math.dist(w.a, w.b)
        for o in project.openings:
            if o.wall != w.id:
                continue
            ends = [
                (w.a[0] + s / length * (w.b[0] - w.a[0]), w.a[1] + s / length * (w.b[1] - w.a[1]))
                for s in (o.offset, o.offset + o.width)
            ]
            (cx, cy), (dx, dy) = at(ends[0]).split(","), at(ends[1]).split(",")
            for colour, thick in (("#FFFEFB", wide + 0.1), (SOFT, 0.3 if o.kind != "window" else 0.6)):
                gaps.append(
                    f'<line x1="{cx}" y1="{cy}" x2="{dx}" y2="{dy}" style="stroke:{colour};stroke-width:{thick:.2f}"/>'
                )
    out += group("walls", lines) + group("openings", gaps)
    out += group("names", [words(r.name, polygons.centroid(r.outline), 3.2, SOFT, True) for r in rooms])
    here = {s.id for s in on_level(project.sensors, level_id)}
    zoned = f"fill:none;stroke:{RadarType.ink};stroke-width:0.3"
    marks = [shape(z.outline, zoned, z.name) for z in project.zones if z.sensor in here]
    marks += [words(z.name, polygons.centroid(z.outline), 2.2, RadarType.ink, True)
              for z in project.zones if z.sensor in here]  # fmt: skip
    out += group("zones", marks)
    marks = []
    for lamp in project.lamps:
        if find(project.rooms, lamp.room).level == level_id:
            x, y = at(lamp.at).split(",")
            marks.append(f'<circle cx="{x}" cy="{y}" r="1.6" style="fill:none;stroke:#E79A00;stroke-width:0.4"/>')
    out += group("lamps", marks)
    marks = []
    for output in project.outputs:
        if find(project.rooms, output.room).level == level_id:
            x, y = at(output.at).split(",")
            marks.append(f'<rect x="{float(x) - 1.5:.2f}" y="{float(y) - 1.5:.2f}" width="3" height="3" '
                         f'style="fill:none;stroke:{SOFT};stroke-width:0.4"/>')  # fmt: skip
    out += group("outputs", marks)
    marks = []
    for s in on_level(project.sensors, level_id):
        hue = find(project.devices, s.device).ink
        x, y = at(s.at[:2]).split(",")
        a = math.radians(s.yaw)
        tip = f"{float(x) + 4 * math.cos(a):.2f}", f"{float(y) - 4 * math.sin(a):.2f}"
        marks.append(f'<circle cx="{x}" cy="{y}" r="1.8" style="fill:#fff;stroke:{hue};stroke-width:0.5"/>')
        marks.append(f'<line x1="{x}" y1="{y}" x2="{tip[0]}" y2="{tip[1]}" style="stroke:{hue};stroke-width:0.4"/>')
        marks.append(f'<text x="{float(x) + 2.6:.2f}" y="{float(y) - 2:.2f}" font-size="2.4" fill="{hue}">'
                     f"{escape(s.name)}</text>")  # fmt: skip
    out += group("sensors", marks)
    foot = height - 4
    out.append(
        f'<path d="M{EDGE:.2f},{foot:.2f}h{MM:.2f}M{EDGE:.2f},{foot - 1:.2f}v2m{MM:.2f},-2v2" '
        f'style="stroke:{WALL};stroke-width:0.3"/>'
        f'<text x="{EDGE + MM + 2:.2f}" y="{foot + 1:.2f}" font-size="3" fill="{SOFT}">1 m at 1:{SCALE}</text>'
    )
    return "\n".join([*out, "</svg>"]) + "\n"


def write_svg(project: Project, level_id: str, path: Path) -> None:
    """Write a level as SVG. Raises ProjectError when it is empty, or the disk refuses."""
    write_atomically(path, svg_of(project, level_id).encode())

"""Writing a project as a DXF: everything that is in it, each kind on a layer of its own."""

from __future__ import annotations

import io
import math
from pathlib import Path

from vastwatch.design.project import Project, find, on_level
from vastwatch.files.writing import write_atomically
from vastwatch.geometry import polygons


def write_drawing(project: Project, path: Path, levels: tuple[str, ...] = ()) -> None:
    """Write some levels (or all) as a DXF in metres, each on layers of its own. Raises ProjectError when the disk
    refuses."""
    import ezdxf

    document = ezdxf.new(setup=True)
    document.header["$INSUNITS"] = 6
    space = document.modelspace()
    for level in project.levels:
        if levels and level.id not in levels:
            continue

        def layer(kind: str, name: str = level.id) -> str:
            full = f"{name}-{kind}"
            if full not in document.layers:
                document.layers.add(full)
            return full

        for wall in on_level(project.walls, level.id):
            space.add_line(wall.a, wall.b, dxfattribs={"layer": layer("walls")})
        for room in on_level(project.rooms, level.id):
            space.add_lwpolyline(room.outline, close=True, dxfattribs={"layer": layer("rooms")})
            x, y = polygons.centroid(room.outline)
            space.add_text(room.name, height=0.2, dxfattribs={"layer": layer("names"), "insert": (x, y)})
        for f in on_level(project.furnishings, level.id):
            space.add_lwpolyline(f.outline, close=True, dxfattribs={"layer": layer("furniture")})
        for s in on_level(project.sensors, level.id):
            space.add_circle(s.at[:2], 0.08, dxfattribs={"layer": layer("sensors")})
            space.add_text(s.name, height=0.12, dxfattribs={"layer": layer("sensors"), "insert": s.at[:2]})
    for o in project.openings:
        w = find(project.walls, o.wall)
        if levels and w.level not in levels:
            continue
        length = math.dist(w.a, w.b)
        a, b = (
            (w.a[0] + k * (w.b[0] - w.a[0]), w.a[1] + k * (w.b[1] - w.a[1]))
            for k in (o.offset / length, (o.offset + o.width) / length)
        )
        name = f"{w.level}-{o.kind}s"
        if name not in document.layers:
            document.layers.add(name)
        space.add_line(a, b, dxfattribs={"layer": name})
    text = io.StringIO()
    document.write(text)
    write_atomically(path, document.encode(text.getvalue()))

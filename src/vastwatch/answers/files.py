"""Answers about files: a drawing made a project, two projects compared."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from vastwatch.answers.telling import RequestError, number
from vastwatch.design.project import Project
from vastwatch.files import ProjectError, load_project


def import_drawing(args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"walls", "rooms": [{"name", "area_m2"}], "openings": {"door", "window", "archway"}, "passed_over": {kind: n}}`,
    and the unit, the turn in degrees and the layers it was made of."""
    from vastwatch.files.drawing.bringing import bring_understood
    from vastwatch.files.drawing.reading import read_drawing
    from vastwatch.files.drawing.understanding import understand, usual_layers
    from vastwatch.files.project_file import save_project
    from vastwatch.geometry import polygons
    from vastwatch.site.building import Level

    out = Path(args.out)
    if out.exists() and not args.over:
        raise RequestError(f"{out}: there is a file already; name another, or say --over")
    drawing = read_drawing(Path(args.drawing))
    layers = usual_layers(drawing)
    if args.layers:
        layers = {name.strip() for names in args.layers for name in names.split(",") if name.strip()}
        unknown = sorted(layers - set(drawing.layers))
        if unknown:
            raise RequestError(
                f"{args.drawing}: there is no layer {', '.join(unknown)}; there are {', '.join(drawing.layers)}"
            )
    unit = args.unit or drawing.guessed_unit()
    bare = Project(name=Path(args.drawing).stem, levels=(Level(id="ground", name="Ground floor", elevation=0.0),))
    found = understand(drawing, layers, unit, not args.as_drawn)
    try:
        brought = bring_understood(bare, "ground", drawing, found)
    except ProjectError as e:
        raise RequestError(f"{args.drawing}: {e}") from None
    save_project(brought.project, out)
    new = brought.project
    document = {
        "walls": len(new.walls),
        "rooms": [{"name": r.name, "area_m2": number(polygons.area(r.outline), 3)} for r in new.rooms],
        "openings": {kind: sum(o.kind == kind for o in new.openings) for kind in ("door", "window", "archway")},
        "furniture": len(new.furnishings),
        "passed_over": dict(drawing.passed_over),
        "unit": unit,
        "turned_deg": number(found.turn, 3),
        "layers": sorted(layers),
    }
    return document, [f"{out}: {brought.words}"]


def compare(args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"differences": [{"way", "kind", "name", "fields", "text"}]}`: what has to be done to the first to have the
    other."""
    from vastwatch.design.differences import differences

    found = differences(load_project(args.old), load_project(args.new))
    document = {
        "differences": [
            {"way": d.way, "kind": d.kind, "name": d.name, "fields": list(d.fields), "text": d.words} for d in found
        ]
    }
    return document, [d.words for d in found] or ["They say the same."]

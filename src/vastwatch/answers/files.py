"""Answers about files: a drawing made a project, two projects compared."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from vastwatch.answers.json_values import RequestError, number
from vastwatch.design.project import Project
from vastwatch.files import ProjectError, load_project


def import_drawing(args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"walls", "rooms": [{"name", "area_m2"}], "openings": {"door", "window", "archway"}, "passed_over": {kind: n}}`,
    and the unit, the turn in degrees and the layers it was made of."""
    from vastwatch.files.drawing.importing import import_interpreted
    from vastwatch.files.drawing.interpretation import interpret, usual_layers
    from vastwatch.files.drawing.reading import read_drawing
    from vastwatch.files.project_file import save_project
    from vastwatch.geometry import polygons
    from vastwatch.site.building import Level

    out = Path(args.out)
    if out.exists() and not args.over:
        raise RequestError(f"{out}: file exists; choose another, or use --over")
    drawing = read_drawing(Path(args.drawing))
    layers = usual_layers(drawing)
    if args.layers:
        layers = {name.strip() for names in args.layers for name in names.split(",") if name.strip()}
        unknown = sorted(layers - set(drawing.layers))
        if unknown:
            raise RequestError(
                f"{args.drawing}: unknown layer {', '.join(unknown)}; available: {', '.join(drawing.layers)}"
            )
    unit = args.unit or drawing.guessed_unit()
    bare = Project(name=Path(args.drawing).stem, levels=(Level(id="ground", name="Ground floor", elevation=0.0),))
    found = interpret(drawing, layers, unit, not args.as_drawn)
    try:
        brought = import_interpreted(bare, "ground", drawing, found)
    except ProjectError as e:
        raise RequestError(f"{args.drawing}: {e}") from None
    save_project(brought.project, out)
    new = brought.project
    document = {
        "walls": len(new.walls),
        "rooms": [{"name": r.name, "area_m2": number(polygons.area(r.outline), 3)} for r in new.rooms],
        "openings": {kind: sum(o.kind == kind for o in new.openings) for kind in ("door", "window", "archway")},
        "furniture": len(new.furnishings),
        "passed_over": dict(drawing.skipped),
        "unit": unit,
        "turned_deg": number(found.turn, 3),
        "layers": sorted(layers),
    }
    return document, [f"{out}: {brought.words}"]


def compare(args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"differences": [{"way", "kind", "name", "fields", "text"}]}`: what has to be done to the first to have the
    other; and with `--weeks` what the same weeks give in both, room by room and in `all`. A project is compared from
    its variant, which was kept before, to the current design."""
    from vastwatch.design.differences import differences
    from vastwatch.design.variants import variant_of, with_design_of

    old = load_project(args.old)
    new = old if args.new is None else load_project(args.new)
    which = f"From {Path(args.old).name} to {Path(args.new or args.old).name}"
    if args.variant is not None:
        try:
            variant = variant_of(new, args.variant)
            if args.new is None:
                # A copy was kept before what came of the design since: the comparison runs from it to the design.
                old, which = with_design_of(new, variant), f"From the copy “{variant.name}” to the current design"
            else:
                new, which = with_design_of(new, variant), f"From {Path(args.old).name} to “{variant.name}”"
        except ValueError as e:
            raise RequestError(f"--variant: {e}") from None
    elif args.new is None:
        raise RequestError("name a second project file, or use --variant for one of the first")
    found = differences(old, new)
    document = {
        "differences": [
            {"way": d.way, "kind": d.kind, "name": d.name, "fields": list(d.fields), "text": d.words} for d in found
        ]
    }
    words = [f"{which}:", *([d.words for d in found] or ["No differences."])]
    if args.weeks:
        told, more = _weeks_of_both(old, new)
        return {**document, **told}, [*words, *more]
    return document, words


def _weeks_of_both(old: Project, new: Project) -> tuple[dict[str, Any], list[str]]:
    from vastwatch.advice.judging.comparison import PairedDifference, compare, hardware_price
    from vastwatch.design.project import find

    def told(d: PairedDifference | None) -> dict[str, Any] | None:
        if d is None:
            return None
        return {
            "old": number(d.first), "new": number(d.second), "difference": number(d.difference),
            "within": [number(d.low), number(d.high)], "sure": d.significant,
        }  # fmt: skip

    rooms: dict[str, Any] = {}
    words = []
    for r in compare(old, new):
        rooms[r.room or "all"] = {
            "drops_per_week": told(r.drops_per_week), "dark_min_per_day": told(r.dark_min),
            "idle_h_per_day": told(r.idle_h),
        }  # fmt: skip
        if r.dark_min is not None and r.idle_h is not None:
            name = find(old.rooms, r.room).name if r.room else "All rooms"
            words.append(
                f"{name}: {r.dark_min.first:.2f} and {r.dark_min.second:.2f} min in the dark, "
                f"{r.idle_h.first:.2f} and {r.idle_h.second:.2f} h lit while empty a day."
            )
    prices = {"old": number(hardware_price(old), 2), "new": number(hardware_price(new), 2)}
    return {"rooms": rooms, "price": prices}, words

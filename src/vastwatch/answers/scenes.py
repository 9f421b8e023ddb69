"""Answers about ladders, scenes, light at points, and the recipes that come of them."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

import numpy as np

from vastwatch.answers.json_values import RequestError, number
from vastwatch.design.project import Project, find

if TYPE_CHECKING:
    from vastwatch.control.lighting import LadderRun


def scenes(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"rooms": {ROOM: {"rows": [{"id", "name", "when", "scene", "share"}], "else_share", "hand_share", "states":
    [{"holds", "wins", "share", "seen"}], "groups": {GROUP: {"name", "lamps", "rows", "else_share", "hand_share",
    "states"}}, "stuck": [WORDS], "under_min_per_day": {SPOT: MIN}}}, "stuck": [WORDS]}`, of a week simulated in it;
    rows and states of a room are those of its own ladder, of a group those of the ladder of its lamps."""
    from vastwatch.advice.scenes.ladder_states import has_ladder, stuck
    from vastwatch.rehearsal import rehearse

    rooms = [r.id for r in project.rooms if has_ladder(project, r.id)]
    if args.room is not None:
        if all(r.id != args.room for r in project.rooms):
            raise RequestError(f"--room: unknown room '{args.room}'")
        rooms = [r for r in rooms if r == args.room]
    r = rehearse(project, args.days, args.seed)
    out: dict[str, Any] = {}
    lines = []
    for room in rooms:
        run = r.house.ladders[room]
        held = stuck(project, room, r)
        own = run.of(None)
        nothing = {"rows": [], "else_share": 1.0, "hand_share": 0.0, "states": []}
        out[room] = {
            **(nothing if own is None else _ladder(project, own)),
            "groups": {
                did.ladder.group.id: {
                    "name": did.group_name, "lamps": [x.id for x in did.ladder.lamps], **_ladder(project, did)
                }
                for did in run.ladders
                if did.ladder.group is not None
            },
            "stuck": held,
            "under_min_per_day": {k: number(v) for k, v in r.light_scores[room].under_min.items()},
        }  # fmt: skip
        for did in run.ladders:
            place = find(project.rooms, room).name
            lines.append(f"{place}, {did.group_name}:" if did.group_name else f"{place}:")
            lines += _lines(project, did)
        lines += [f"  stuck: {words}" for words in held]
    every = [words for x in out.values() for words in x["stuck"]]
    return {"rooms": out, "stuck": every}, lines or ["No room has a ladder."]


def _ladder(project: Project, did: LadderRun) -> dict[str, Any]:
    """What one ladder did."""
    from vastwatch.advice.scenes.ladder_states import states
    from vastwatch.design.sentence import condition_words

    n, share = len(did.rows), did.share()
    rows = [
        {
            "id": row.id, "name": row.name, "when": condition_words(project, row.when), "scene": row.scene,
            "share": number(float(share[k]), 5),
        }
        for k, row in enumerate(did.rows)
    ]  # fmt: skip
    every = [
        {"holds": list(s.holds), "wins": s.wins, "share": number(s.share, 6), "seen": s.occurred} for s in states(did)
    ]
    by_hand = number(float(share[n + 1 :].sum()), 5)
    return {"rows": rows, "else_share": number(float(share[n]), 5), "hand_share": by_hand, "states": every}


def _lines(project: Project, did: LadderRun) -> list[str]:
    from vastwatch.design.sentence import condition_words

    share = did.share()
    rows = [
        f"  {100 * share[k]:5.1f} %  {row.name or condition_words(project, row.when)} -> "
        f"{find(project.scenes, row.scene).name}"
        for k, row in enumerate(did.rows)
    ]
    return [*rows, f"  {100 * share[len(rows)]:5.1f} %  otherwise all off"]


def lux(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"scene", "room", "spots": {SPOT: {"lux", "wanted"}}, "grid": {"x_m", "y_m", "lux": [[LUX or null]]}}`, of lamps
    alone; daylight is left out."""
    from vastwatch.control.light.illuminance import lit_grid, spot_lux, spot_target_lux
    from vastwatch.design.ladders import achievable_level, as_wired

    scene = next((s for s in project.scenes if s.id == args.scene), None)
    if scene is None:
        raise RequestError(f"--scene: unknown scene '{args.scene}'")
    levels = {x.lamp: achievable_level(as_wired(project, find(project.lamps, x.lamp)), x.level) for x in scene.levels}
    spots = {
        spot: {
            "lux": number(sum(levels.get(lamp, 0.0) * full for lamp, full in row.items()), 1),
            "wanted": number(spot_target_lux(project, find(project.spots, spot)), 1),
        }
        for spot, row in spot_lux(project, scene.room).items()
    }
    grid = lit_grid(project, scene.room)
    lit = np.where(grid.inside, grid.lux(levels), np.nan)
    document = {
        "scene": scene.id,
        "room": scene.room,
        "spots": spots,
        "grid": {
            "x_m": [number(float(x)) for x in grid.x],
            "y_m": [number(float(y)) for y in grid.y],
            "lux": [[None if np.isnan(v) else number(float(v), 1) for v in row] for row in lit],
        },
    }
    lines = [f"{find(project.spots, s).name}: {v['lux']:.0f} of {v['wanted']:.0f} lx" for s, v in spots.items()]
    return document, lines or ["No positions in this room."]


def recipes(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"rooms": {ROOM: {"inputs", "buttons", "helpers", "lamps", "recipes", "notes"}}, "outputs": {OUTPUT: the same},
    "names", "devices": [{"device", "type", "room", "setting", "value"}]}`, the names by one convention; as lines they
    are words, or with `--csv` a table, or with `--devices` what is set on the devices themselves."""
    from vastwatch.control.export.device_sheet import device_sheet, sheet_rows
    from vastwatch.control.export.recipe_words import as_plain, book_rows, button_words, in_words
    from vastwatch.control.export.recipes import output_recipes, recipes_of
    from vastwatch.files.csv_cells import csv_text

    rooms = [r.id for r in project.rooms]
    if args.room is not None:
        if args.room not in rooms:
            raise RequestError(f"--room: unknown room '{args.room}'")
        rooms = [args.room]
    books = {room: book for room in rooms if (book := recipes_of(project, room, args.names)) is not None}
    others = {
        o.id: book
        for o in project.outputs
        if o.room in rooms and (book := output_recipes(project, o, args.names)) is not None
    }
    devices = device_sheet(project)
    document = {
        "names": args.names or project.brief.naming,
        "rooms": {room: as_plain(book) for room, book in books.items()},
        "outputs": {ident: as_plain(book) for ident, book in others.items()},
        "devices": [s._asdict() for s in devices],
    }
    if args.csv:
        return document, csv_text(book_rows({**books, **others})).splitlines()
    lines: list[str] = []
    if args.devices:
        rows = sheet_rows(devices)
        return document, ["  ".join(r) for r in rows]
    for room, book in books.items():
        lines += [f"{find(project.rooms, room).name}", *button_words(project, room), *in_words(book), ""]
    for ident, book in others.items():
        lines += [find(project.outputs, ident).name, *in_words(book), ""]
    return document, lines or ["No room has a ladder."]

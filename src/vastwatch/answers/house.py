"""Answers about the house as it is wired and scheduled: the year's table, circuits, and light ahead of who comes."""

from __future__ import annotations

import argparse
from datetime import date
from typing import Any

from vastwatch.answers.json_values import RequestError, number
from vastwatch.design.project import Project, find
from vastwatch.words import figure


def year(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"year", "windows": [{"words", "used_by", "hours"}], "days": [{"on", "kind", "name", "sunrise", "sunset",
    "open": [["22:00", "06:00"] or null]}]}`: when what follows the clock begins and ends, day by day."""
    from vastwatch.control.export.year_schedule import hour_words, year_of, year_rows
    from vastwatch.files.csv_cells import csv_text

    which = date.fromisoformat(project.brief.rehearse_from).year if args.year is None else args.year
    try:
        table = year_of(project, which)
    except ValueError as e:
        raise RequestError(f"--year: {e}") from None

    def words(hours: float | None) -> str | None:
        return None if hours is None else hour_words(hours)

    document = {
        "year": which,
        "windows": [
            {"words": s.words, "used_by": list(s.used_by), "hours": number(table.hours_open(k), 2)}
            for k, s in enumerate(table.scheduled)
        ],
        "days": [
            {
                "on": d.on.isoformat(), "kind": d.kind, "name": d.name, "sunrise": words(d.sunrise_h),
                "sunset": words(d.sunset_h),
                "open": [None if o is None else [hour_words(o[0]), hour_words(o[1])] for o in d.open_h],
            }
            for d in table.days
        ],
    }  # fmt: skip
    rows = year_rows(table)
    if args.csv:
        return document, csv_text(rows).splitlines()
    widths = [max(len(r[k]) for r in rows) for k in range(len(rows[0]))]
    return document, ["  ".join(cell.ljust(w) for cell, w in zip(r, widths)).rstrip() for r in rows]


def circuits(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"circuits": {ID: {"name", "inputs", "states": [{"inputs", "lamps", "module_alive", "fed_alive"}],
    "blind_min_per_day", "says_otherwise"}}}`: who switches what, and how long what is mounted behind a switch is dead.
    """
    from vastwatch.control.export.truth_table import parallel_words, wiring_table
    from vastwatch.people import simulate_days
    from vastwatch.rehearsal.impairments import supplies

    truth = simulate_days(project, args.days, args.seed)
    off = {s.ident: (s.on.end - s.on.total()) / 60.0 / args.days for s in supplies(project, truth)}
    out: dict[str, Any] = {}
    lines = []
    for circuit in project.circuits:
        table = wiring_table(project, circuit)
        behind = bool(circuit.feeds) or (circuit.module is not None and not circuit.live)
        blind = off.get(circuit.id, 0.0) if behind else 0.0
        out[circuit.id] = {
            "name": circuit.name,
            "inputs": [{"kind": i.kind, "name": i.name, "off": i.off, "on": i.on} for i in table.inputs],
            "states": [
                {"inputs": list(s.inputs), "lamps": s.lamps, "module_alive": s.module, "fed_alive": s.fed}
                for s in table.states
            ],
            "blind_min_per_day": number(blind, 2),
            "says_otherwise": parallel_words(project, circuit),
        }
        lines.append(f"{circuit.name}: no power behind its switch {figure(blind)} min a day" if blind else circuit.name)
        for state in table.states:
            each = [f"{i.name} {i.on if on else i.off}" for i, on in zip(table.inputs, state.inputs)]
            dead = "" if state.module in (None, True) else ", module without power"
            dead += "" if state.fed in (None, True) else ", devices it powers without power"
            lines.append(f"  {'; '.join(each) or 'always'}: {'lamps have power' if state.lamps else 'off'}{dead}")
        if out[circuit.id]["says_otherwise"]:
            lines.append(f"  {out[circuit.id]['says_otherwise']}.")
    return {"circuits": out}, lines or ["No circuits drawn."]


def ahead(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"rooms": {ROOM: [{"from", "by", "pays", "before", "after"}]}}`: rows that light a room ahead of who comes, held
    against weeks they were not chosen by; figures a day."""
    from vastwatch.advice.scenes import look_ahead

    rooms = [r.id for r in project.rooms]
    if args.room is not None:
        if args.room not in rooms:
            raise RequestError(f"--room: unknown room '{args.room}'")
        rooms = [args.room]
    out: dict[str, Any] = {}
    lines = []
    for room in rooms:
        found = look_ahead.look_ahead_rows(project, room)
        if not found and args.room is None:
            continue
        out[room] = [
            {
                "from": a.from_room, "by": a.words, "pays": a.pays,
                "before": {k: number(v) for k, v in a.before._asdict().items()},
                "after": {k: number(v) for k, v in a.after._asdict().items()},
            }
            for a in found
        ]  # fmt: skip
        lines += [f"{'pays' if a.pays else 'no'}: {look_ahead.in_words(a, project)}" for a in found]
        if not found:
            lines.append(
                f"{find(project.rooms, room).name}: nobody is noticed on the way there, or it has no automatic light."
            )
    return {"rooms": out}, lines or ["No room has automatic light."]

"""The answer about one device type: what its box says, what the model gives in the box's tests, how long cells last."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from vastwatch.answers.json_values import RequestError, messages_json, number
from vastwatch.files import load_project

if TYPE_CHECKING:
    from vastwatch.design.project import Project
    from vastwatch.devices import DeviceType


def device(args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"id", "name", "box": {LABEL: WORDS}, "declared": {"directions_deg", "across_m", "towards_m", "seated_m",
    "rest_m", "areas_m2", "on_axis_m", "box_m"}, "battery_years": {USE: Y}, "placed": {SENSOR: {...}}}`; `declared` is
    None for what watches no area, `placed` is there with a project."""
    from vastwatch.devices import catalogue
    from vastwatch.devices.battery import USES, battery_years
    from vastwatch.devices.device_facts import facts
    from vastwatch.sensing.declared import DIRECTIONS, claimed_ranges, declared

    project = load_project(args.project) if args.project else None
    types = list(catalogue() if project is None else (*project.devices, *catalogue()))
    found = next((d for d in types if d.id == args.id), None)
    if found is None:
        raise RequestError(f"{args.id}: unknown type; the built-in ones are {', '.join(d.id for d in catalogue())}")
    document: dict[str, Any] = {
        "id": found.id,
        "name": found.name,
        "box": {f.label: f.words for f in facts(found)},
        "declared": None,
        "battery_years": {},
    }
    lines = [f"{found.name}: {found.summary_line()}"]
    areas = declared(found)
    if areas is not None:
        names = ("across", "towards", "seated", "rest")
        document["declared"] = {
            "directions_deg": list(DIRECTIONS),
            **{f"{name}_m": [number(v, 2) for v in fan] for name, fan in zip(names, areas)},
            "areas_m2": {n: number(a, 1) for n, a in zip(names, areas.areas_m2())},
            "on_axis_m": {n: number(a, 2) for n, a in zip(names, areas.on_axis())},
            "box_m": {n: number(a, 2) for n, a in zip(names, claimed_ranges(found))},
        }
        lines += [
            f"  {name:8s} data sheet {box:4.1f} m, model {axis:4.1f} m on axis, {area:5.1f} m2"
            for name, box, axis, area in zip(names, claimed_ranges(found), areas.on_axis(), areas.areas_m2())
            if box > 0
        ]
    if found.battery is not None:
        years = {use: battery_years(found, n) or 0.0 for use, n in USES.items()}
        document["battery_years"] = {use: number(y, 2) for use, y in years.items()}
        lines.append("  batteries last " + ", ".join(f"{y:.1f} years ({use})" for use, y in years.items()))
    if project is not None:
        document["placed"] = _placed(project, found)
        lines += [f"  {s}: {m['reports_per_day']:g} messages a day" for s, m in document["placed"].items()]
    return document, lines


def _placed(project: Project, type_: DeviceType) -> dict[str, Any]:
    from vastwatch.advice.detection.entry_paths import reference_week
    from vastwatch.advice.detection.messages import messages
    from vastwatch.rehearsal.run import make_recording

    if all(s.device != type_.id for s in project.sensors):
        return {}
    sent = messages(project, make_recording(project, reference_week(project)))
    return {s.id: messages_json(sent[s.id]) for s in project.sensors if s.device == type_.id}

"""The answers about zones: the numbers a tracking radar takes, who is counted where, and what a walk says of it."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vastwatch.answers.json_values import RequestError, number
from vastwatch.design.project import Project, find
from vastwatch.design.relations import spots_on
from vastwatch.files import ProjectError
from vastwatch.files.reading import read_text

if TYPE_CHECKING:
    from vastwatch.design.records import Sensor
    from vastwatch.sensing.zoned_sensor import ZonedSensor

# A list of distances of more bytes is none.
LARGEST_LIST = 1_000_000


def zones(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"sensors": {ID: {"zones": {ZONE: {"name", "role", "numbers", "unit", "outline_m", "spots": {SPOT: p},
    "own_spots", "false_min_per_day", "counted"}}, "noticed": [SPOT ..], "findings": [..], "helps": [..]}}}`; with
    `--for-room` of the zones that would be proposed in place of those drawn, with `"proposed": {"wrong", "before",
    "left_out", "heuristic"}`."""
    from vastwatch.advice.adviser.zone_remedies import zone_remedies
    from vastwatch.advice.checks.zones import zone_findings
    from vastwatch.advice.detection.zone_proposal import propose_zones
    from vastwatch.design.edits.zones import replace_zones
    from vastwatch.rehearsal.run import rehearse
    from vastwatch.rehearsal.zone_scores import score_zones
    from vastwatch.sensing.mounted import zoned_sensor
    from vastwatch.sensing.zoned_sensor import zones_of

    if args.sensor is not None and all(s.id != args.sensor for s in project.sensors):
        raise RequestError(f"unknown sensor '{args.sensor}'")
    told: dict[str, Any] = {}
    lines: list[str] = []
    for sensor in project.sensors:
        if args.sensor not in (None, sensor.id):
            continue
        proposed = propose_zones(project, sensor) if args.for_room else None
        here = project if proposed is None else replace_zones(project, sensor, proposed.zones)
        known = zoned_sensor(here, sensor)
        drawn = zones_of(here, sensor.id)
        if known is None and not drawn and args.sensor is None:
            continue
        scores = score_zones(rehearse(here), sensor.id) if known is not None and known.zones else None
        found = zone_findings(here, sensor)
        helps = zone_remedies(here, sensor, args.for_room)
        told[sensor.id] = {
            "noticed": [] if known is None else [s.id for s in known.spots],
            "zones": {} if known is None else _zones_told(here, known, scores) if known.zones else {},
            "findings": [{"rule": f.rule, "severity": f.severity, "text": f.text} for f in found],
            "helps": [
                {
                    "text": h.text,
                    "of": h.of or None,
                    "amiss_before": number(h.before),
                    "amiss_after": number(h.after),
                    "counted_before": number(h.counted_before),
                    "counted_after": number(h.counted_after),
                }
                for h in helps
            ],
        }
        if scores is not None:
            told[sensor.id] |= {"lost_s_per_day": number(scores.lost_s), "merged_s_per_day": number(scores.merged_s)}
        if proposed is not None:
            told[sensor.id]["proposed"] = {
                "wrong": number(proposed.wrong), "before": number(proposed.before),
                "left_out": list(proposed.left_out), "heuristic": True,
            }  # fmt: skip
        lines += _lines(sensor, told[sensor.id])
    if args.sensor is not None and not told[args.sensor]["zones"] and not told[args.sensor]["findings"]:
        lines.append(f"{args.sensor}: no zones are drawn for it")
    return {"sensors": told}, lines or ["no sensor with zones"]


def _everywhere(project: Project, known: ZonedSensor) -> tuple[list[str], Any]:
    """Every spot of the level, noticed there or not, and the chance that a report of it falls into each zone."""
    import numpy as np

    from vastwatch.sensing.tracker import CHEST_M, scatter_of
    from vastwatch.sensing.zones import spread_of

    here = spots_on(project, known.sensor.level)
    at = np.array([s.at for s in here], float).reshape(-1, 2)
    chest = np.array([CHEST_M[s.posture] for s in here], float)
    spread = spread_of(known.pose, scatter_of(known.device), at, chest)
    return [s.id for s in here], np.column_stack([shape.probability(spread) for shape in known.shapes])


def _zones_told(project: Project, known: ZonedSensor, scores: Any) -> dict[str, Any]:
    from vastwatch.commission.entry_sheet import typed_numbers

    spots, chances = _everywhere(project, known)
    out = {}
    for j, zone in enumerate(known.zones):
        score = None if scores is None else scores.zones.get(zone.id)
        unit, flat = typed_numbers(known, j)
        numbers: dict[str, Any] = dict(flat)
        if "x1" in numbers:
            values = list(flat.values())
            numbers = {"corners": [list(pair) for pair in zip(values[::2], values[1::2])]}
        out[zone.id] = {
            "name": zone.name, "role": zone.role, "numbers": numbers, "unit": unit,
            "outline_m": [[number(x, 3), number(y, 3)] for x, y in known.outline(j)],
            "spots": {s: number(p) for s, p in zip(spots, chances[:, j])},
            "own_spots": [s.id for s, own in zip(known.spots, known.intended[:, j]) if own],
            "false_min_per_day": None if score is None else number(score.false_min, 2),
            "counted": None if score is None else number(score.counted),
        }  # fmt: skip
    return out


def _lines(sensor: Sensor, told: dict[str, Any]) -> list[str]:
    out = [sensor.name]
    for zone in told["zones"].values():
        pairs = zone["numbers"].get("corners")
        said = [f"({x} {y})" for x, y in pairs] if pairs else [f"{k} {v}" for k, v in zone["numbers"].items()]
        numbers = ", ".join(said)
        own = [f"{s} {100 * zone['spots'][s]:.0f} %" for s in zone["own_spots"]]
        out.append(f"  {zone['name']} ({zone['role']}): {numbers} {zone['unit']}; counts {', '.join(own) or 'nobody'}")
    out += [f"  {f['severity']}: {f['text']}" for f in told["findings"]]
    out += [
        f"  {h['text']} (the worst: {100 * h['counted_before']:.0f} -> {100 * h['counted_after']:.0f} % counted)"
        for h in told["helps"]
    ]
    return out


def _by_tape(sensor: Sensor, path: str) -> tuple[Any, list[str]]:
    """Of a radar that tells distance alone: `{"bias_m", "scale", "sd": {"bias_m", "scale"}, "residual_m"}` of pairs."""
    from vastwatch.commission.calibrate import CalibrationError, fit_scale
    from vastwatch.commission.walk_log import WalkError, parse_pairs

    try:
        found = fit_scale(*parse_pairs(read_text(Path(path), "a list of distances", LARGEST_LIST), path))
    except (ProjectError, WalkError, CalibrationError) as e:
        raise RequestError(str(e)) from None
    document = {
        "bias_m": number(found.bias_m), "scale": number(found.scale),
        "sd": {"bias_m": number(found.bias_sd_m), "scale": number(found.scale_sd)},
        "residual_m": number(found.residual_m),
    }  # fmt: skip
    return document, [
        f"{sensor.name} reads {found.bias_m:.2f} +- {found.bias_sd_m:.2f} m too long, scale {found.scale:.3f}"
    ]


def calibrate(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"pose": {"x", "y", "yaw_deg", "bias_m"}, "sd": {..}, "residual_m", "n", "mirrored", "swapped", "unit",
    "untold", "drawn": {..}}` from a walk."""
    from vastwatch.commission.calibrate import CalibrationError, calibrate
    from vastwatch.commission.reference_places import reference_readings
    from vastwatch.commission.walk_log import WalkError, read_walk
    from vastwatch.sensing.mounted import zoned_sensor
    from vastwatch.sensing.tracker import pose_of, scatter_of

    if all(s.id != args.sensor for s in project.sensors):
        raise RequestError(f"unknown sensor '{args.sensor}'")
    sensor = find(project.sensors, args.sensor)
    known = zoned_sensor(project, sensor)
    if known is not None and known.device.reports == "distance":
        return _by_tape(sensor, args.walk)
    if known is None or known.device.reports != "xy":
        raise RequestError(
            f"{sensor.name} does not report positions: only a tracking radar can be calibrated by a walk"
        )
    drawn = pose_of(sensor, known.device)
    try:
        log = read_walk(args.walk)
        places, unknown = reference_readings(project, sensor, log)
        found = calibrate(places, drawn, scatter_of(known.device), args.unit or "")
    except (WalkError, CalibrationError) as e:
        raise RequestError(str(e)) from None
    names = ("x", "y", "yaw_deg", "bias_m")
    values = (found.pose.x, found.pose.y, found.pose.yaw, found.pose.bias)
    document = {
        "pose": {n: number(v) for n, v in zip(names, values)},
        "sd": {n: number(v) for n, v in zip(names, found.sd)},
        "residual_m": number(found.residual_m), "n": found.n, "mirrored": found.mirrored, "swapped": found.swapped,
        "unit": found.unit, "untold": list(found.undetermined), "unknown_marks": unknown,
        "drawn": {n: number(v) for n, v in zip(names, (drawn.x, drawn.y, drawn.yaw, drawn.bias))},
    }  # fmt: skip
    lines = [
        f"{sensor.name}: {found.n} readings in {found.unit}"
        + (", x and y swapped" if found.swapped else "") + (", mirrored" if found.mirrored else ""),
        *(f"  {n}: {v:.2f} +- {sd:.2f} (drawn {d:.2f})" for n, v, sd, d in
          zip(names, values, found.sd, (drawn.x, drawn.y, drawn.yaw, drawn.bias))),
        *(f"  {words}" for words in found.undetermined),
        *(f"  the mark '{m}' is not a position of the project and was skipped" for m in unknown),
    ]  # fmt: skip
    return document, lines

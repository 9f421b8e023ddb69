"""How well a zone says who is in it, over simulated days: counted while they are, silent while they are elsewhere."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vastwatch.design.expressions import zone_part
from vastwatch.design.project import Project, find
from vastwatch.design.relations import spots_on
from vastwatch.geometry import polygons
from vastwatch.people.truth import Truth
from vastwatch.rehearsal.reports import targets_on
from vastwatch.rehearsal.run import Rehearsal
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.zoned_sensor import ZonedSensor
from vastwatch.signals import Signal

# Beside its own delay a zone may say so much longer that somebody is there, seconds.
LATE_S = 2.0


class ZoneScore(NamedTuple):
    """Of one zone. `there_h`: hours a day somebody stays there; `counted`: the share of that in which it says so, None
    where nobody stays; `false_min`: minutes a day in which it says so and nobody is in it, nor has just been;
    `after_s`: how long it says so after they have gone, on average, None where they never do."""

    there_h: float
    counted: float | None
    false_min: float
    after_s: float | None


class SensorScore(NamedTuple):
    """Of a tracking radar: its zones by id, and seconds a day in which somebody was lost beyond the count, or taken for
    one with somebody else."""

    zones: dict[str, ZoneScore]
    lost_s: float
    merged_s: float


def score_zones(rehearsal: Rehearsal, sensor_id: str) -> SensorScore | None:
    """The scores of a sensor's zones; None for one that has none."""
    project = rehearsal.project
    known = zoned_sensor(project, find(project.sensors, sensor_id))
    if known is None:
        return None
    lost, merged, ticks = 0, 0, []
    people = {p.id for p in project.people if p.kind != "pet"}
    for day in range(rehearsal.days):
        targets = targets_on(project, sensor_id, rehearsal.truth, day)
        if targets is not None:
            lost, merged = lost + len(targets.lost), merged + len(targets.merged)
            # Anybody who really is there: no image, no pet, and nothing that only moves.
            real = np.isin(targets.person, [k for k, n in enumerate(targets.names) if n in people]) & ~targets.image
            ticks.append((targets.tick[real], targets.at[real]))
    out = {}
    for j, zone in enumerate(known.zones):
        said = rehearsal.recording.reports.get((sensor_id, zone_part(zone.id)))
        if said is None:
            continue
        staying = stays_in(project, rehearsal.truth, known, j)
        inside = [t[polygons.contains(zone.outline, at)] for t, at in ticks if len(t)]
        seconds = np.unique(np.concatenate(inside)).astype(float) if inside else np.empty(0)
        moving = Signal.from_intervals(np.column_stack([seconds - 1.0, seconds]), 0.0, said.end)
        rules = known.device.zone_rules
        usual = rules.off_delay_s if rules is not None else 0.0
        delay = max(usual if zone.off_delay_s is None else zone.off_delay_s, 1.0)
        there = staying | moving
        false = (said - there.hold(delay + LATE_S)).total() / 60.0 / rehearsal.days
        whole = staying.total()
        gone = staying.falls
        after = [_off_after(said, t) for t in gone.tolist() if t < said.end]
        out[zone.id] = ZoneScore(
            whole / 3600.0 / rehearsal.days, (staying & said).total() / whole if whole > 0 else None, false,
            float(np.mean(after)) if after else None,
        )  # fmt: skip
    return SensorScore(out, lost / rehearsal.days, merged / rehearsal.days)


def stays_in(project: Project, truth: Truth, known: ZonedSensor, zone: int) -> Signal:
    """While somebody (no pet) stays at a spot that belongs to a zone, as it is drawn."""
    outline = known.zones[zone].outline
    mine = {s.id for s in spots_on(project, known.sensor.level)
            if s.activity != "away" and polygons.contains_point(outline, *s.at)}  # fmt: skip
    at = np.array([s.id in mine for s in truth.spots], bool)
    rows = []
    for track in truth.tracks:
        if track.person.kind != "pet":
            rows.append(truth.stays(track, at[track.spot]))
    return Signal.from_intervals(np.concatenate([np.empty((0, 2)), *rows]), 0.0, truth.end)


def _off_after(said: Signal, t: float) -> float:
    """How long a signal stays on after an instant."""
    if not said.at(t):
        return 0.0
    falls = said.falls
    k = int(np.searchsorted(falls, t))
    return float(falls[k] - t) if k < len(falls) else float(said.end - t)

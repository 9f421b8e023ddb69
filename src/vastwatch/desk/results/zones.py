"""How the zones of the tracking radar in hand fare in the simulated week, and what would help them."""

from __future__ import annotations

from vastwatch.advice.adviser.zone_remedies import ZoneRemedy, zone_remedies
from vastwatch.design.project import Project
from vastwatch.design.records import Sensor
from vastwatch.desk.results.active_tracker import sensor_in_hand
from vastwatch.desk.results.registry import Kind, Results
from vastwatch.desk.shell.focus import Focus
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.zone_scores import SensorScore, score_zones


def _of_scores(results: Results, _: object) -> tuple[Rehearsal, str] | None:
    r, sensor = results.rehearsal, sensor_in_hand(results.document.project, results.focus)
    known = r is not None and sensor is not None and any(s.id == sensor.id for s in r.project.sensors)
    return (r, sensor.id) if r is not None and sensor is not None and known else None


def _of_help(results: Results, _: object) -> tuple[Project, Sensor] | None:
    sensor = sensor_in_hand(results.document.project, results.focus)
    return None if sensor is None else (results.document.project, sensor)


def _on_zones(focus: Focus) -> bool:
    return "zones" in focus.here.results


_IN_HAND = ("selected", "room", "stage", "level")
ZONE_SCORES: Kind[SensorScore | None] = Kind(
    "zones", _of_scores, lambda task, r, sensor: score_zones(r, sensor), _on_zones, (*_IN_HAND, "simulated")
)  # fmt: skip
ZONE_HELP: Kind[list[ZoneRemedy]] = Kind(
    "zone improvements", _of_help, lambda task, project, sensor: zone_remedies(project, sensor, moving=True), _on_zones,
    _IN_HAND, forgetful=True, judging=True,
)  # fmt: skip

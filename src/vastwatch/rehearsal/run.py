"""`rehearse`: the people live some days in the design, the sensors report, presence is concluded, lamps burn.

Each step is cached by what it reads, so that a changed hold time costs no more than the algebra that follows it.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import cached_property

from vastwatch.control.by_hand import absence_control
from vastwatch.control.daylight import dark
from vastwatch.control.fusion import evaluate
from vastwatch.design.edits import presence_of
from vastwatch.design.presence import hold_of
from vastwatch.design.presence import reports as reports_of
from vastwatch.design.project import Project
from vastwatch.people.movements import Movements, live
from vastwatch.rehearsal.incidents import Incident, find_incidents
from vastwatch.rehearsal.reports import SensorRun, run_sensor
from vastwatch.rehearsal.scores import Scores, score
from vastwatch.signals import Signal


@dataclass(frozen=True, eq=False)
class RoomRun:
    """One room over the rehearsal: people in it, those awake, darkness, and, where it has presence control, what was
    concluded and what the lamps did."""

    room: str
    occupied: Signal
    awake: Signal
    dark: Signal
    presence: Signal | None
    lamp: Signal | None
    scores: Scores | None


@dataclass(frozen=True, eq=False)
class Rehearsal:
    """The outcome. Instants are seconds on the wall clock from local midnight of `begin`."""

    project: Project
    days: int
    seed: int
    movements: Movements
    sensors: dict[str, SensorRun]
    rooms: dict[str, RoomRun]

    @property
    def begin(self) -> date:
        """The first day."""
        return self.movements.begin

    def clock(self, t: float) -> datetime:
        """Local time of an instant."""
        return datetime(self.begin.year, self.begin.month, self.begin.day) + timedelta(seconds=t)

    @cached_property
    def scores(self) -> dict[str, Scores]:
        """Scores of every room under presence control."""
        return {ident: run.scores for ident, run in self.rooms.items() if run.scores is not None}

    @cached_property
    def incidents(self) -> list[Incident]:
        """Everything that went wrong, by time."""
        found = [
            incident
            for run in self.rooms.values()
            if run.lamp is not None
            for incident in find_incidents(run.room, run.lamp, run.awake, run.dark)
        ]
        return sorted(found, key=lambda i: (i.at, i.room))

    @cached_property
    def signals(self) -> dict[str, Signal]:
        """Signals by record id: sensors, presences, and lamps."""
        out = {ident: run.report for ident, run in self.sensors.items()}
        for p in self.project.presences:
            presence = self.rooms[p.room].presence
            if presence is not None:
                out[p.id] = presence
        for lamp in self.project.lamps:
            signal = self.rooms[lamp.room].lamp
            out[lamp.id] = signal if signal is not None else Signal.constant(False, 0.0, self.movements.end)
        return out


def rehearse(project: Project, days: int = 7, seed: int = 1) -> Rehearsal:
    """Rehearse a design for some days. The same project, days and seed give the same result to the bit.

    Raises ValueError for less than one day or more than a year.
    """
    if not 1 <= days <= 366:
        raise ValueError(f"a rehearsal takes 1 to 366 days, not {days}")
    movements = live(project, days, seed)
    sensors = {s.id: run_sensor(project, s.id, movements, seed) for s in project.sensors}
    reports: dict[tuple[str, str | None], Signal] = {}
    for ident, run in sensors.items():
        reports[ident, None] = run.report
    for p in project.presences:
        for report in reports_of(p.expr):
            if report.state is not None:
                run = sensors[report.sensor]
                reports[report.sensor, report.state] = run.moving if report.state == "moving" else run.still
    rooms = {}
    for room in project.rooms:
        awake = movements.occupied(room.id)
        darkness = dark(project, room, movements.begin, days)
        presence = presence_of(project, room.id)
        lamps = [lamp for lamp in project.lamps if lamp.room == room.id]
        concluded = lit = scores = None
        if presence is not None:
            concluded = evaluate(presence.expr, reports)
            if lamps:
                lit = concluded & darkness
                if room.control == "absence":
                    lit = absence_control(concluded, awake, darkness, hold_of(presence.expr) or 0.0)
                scores = score(lit, awake, darkness, sum(lamp.watts for lamp in lamps))
        occupied = movements.occupied(room.id, awake_only=False)
        rooms[room.id] = RoomRun(room.id, occupied, awake, darkness, concluded, lit, scores)
    return Rehearsal(project, days, seed, movements, sensors, rooms)

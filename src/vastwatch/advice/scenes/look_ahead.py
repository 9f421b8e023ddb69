"""Look-ahead light: a ladder row that lights a room while somebody next door is about to enter, proposed only if
held-out weeks show a gain.

Candidates are the rooms from which people come, and of each what tells first that somebody is on their way: a zone at
the door between the two, else whatever moves there. Each is tried on weeks; it pays if on weeks that it was not chosen
by it spares arrivals into the dark, and is on little while empty.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from vastwatch.advice.judging.settings import SHIPPED
from vastwatch.design.edits.ladders import add_row, add_scene
from vastwatch.design.edits.sensors import readable_sensors
from vastwatch.design.expressions import AllOf, Dark, Expr, Hold, Report
from vastwatch.design.ladder_templates import STARTING, apply_template
from vastwatch.design.ladders import ladder_rows, ladders_in
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.relations import lamps_in, presence_of
from vastwatch.people.truth import Truth, simulate_days
from vastwatch.rehearsal import rehearse
from vastwatch.site.building import Room

DAYS = 7
# Weeks to choose by, and others to prove it on.
CHOSEN, PROVEN = SHIPPED.chosen_on[:1], SHIPPED.held_out[:2]
# Anybody who is in a room this long after they were in another came from there, seconds.
CAME_S = 4.0
# A way that is gone less often than this is none, a day; more ways than this are not tried.
SELDOM, MOST = 1.0, 3
# It pays where it spares at least so many arrivals into the dark a day, each at no more minutes lit while empty.
SPARES, COSTS_MIN = 1.0, 5.0
# How long the light stays for somebody who is noticed and does not come, seconds, and how far it is on then.
STAYS_S, LEVEL = 10.0, 0.5
# A zone this near to where people cross tells of them first, metres.
AT_DOOR_M = 1.5


class ArrivalMetrics(NamedTuple):
    """What a room's light came to in some weeks, a day: arrivals into the dark, seconds from the door until it was lit,
    hours on while empty, and kWh."""

    arrivals: float
    wait_s: float
    idle_h: float
    kwh: float


class LookAheadRow(NamedTuple):
    """A row that lights `room` ahead of who comes from `from_room`, the design with it, and what weeks that it was not
    chosen by came to without and with it; `pays`: whether it is worth its while."""

    room: str
    from_room: str
    words: str
    project: Project
    before: ArrivalMetrics
    after: ArrivalMetrics
    pays: bool


def arrivals_by_room(truth: Truth, room: str) -> dict[str, float]:
    """By room, how often a day somebody awake came from there into a room, the most trodden first."""
    counts: dict[str, int] = {}
    others = [r for r in truth.rooms if r != room]
    for track in truth.tracks:
        if track.person.kind == "pet":
            continue
        here = truth.person_in(track.person.id, room, True)
        left = {r: truth.person_in(track.person.id, r, True).falls for r in others}
        for t in here.rises.tolist():
            last = {r: f[k - 1] for r, f in left.items() if (k := int(np.searchsorted(f, t + 1e-6))) > 0}
            nearest = max(last, key=lambda r: last[r], default=None)
            if nearest is not None and t - last[nearest] <= CAME_S:
                counts[nearest] = counts.get(nearest, 0) + 1
    days = truth.calendar.days
    return {r: n / days for r, n in sorted(counts.items(), key=lambda x: (-x[1], x[0]))}


def crossing(truth: Truth, a: str, b: str) -> tuple[float, float] | None:
    """Where people step from one room into another, the middle of all their ways; None where nobody does."""
    points, _, rooms, _ = truth.samples
    index = {r: k for k, r in enumerate(truth.rooms)}
    base = truth.route_base
    steps = np.flatnonzero((rooms[:-1] == index[a]) & (rooms[1:] == index[b]))
    # The last sample of a route and the first of the next are no step.
    steps = steps[~np.isin(steps + 1, base)]
    if len(steps) == 0:
        return None
    x, y = points[steps + 1].mean(axis=0)
    return float(x), float(y)


def _tells(project: Project, truth: Truth, a: Room, b: Room) -> Iterator[tuple[str, Expr]]:
    """What tells in one room that somebody is about to go into another, the surest first, with its name."""
    door = crossing(truth, a.id, b.id)
    there = [s for s in readable_sensors(project, a.id) if (r := room_of(project, s)) is not None and r.id == a.id]
    for zone in project.zones:
        if door is None or zone.role == "exclude" or all(s.id != zone.sensor for s in there):
            continue
        x, y = np.asarray(zone.outline, float).mean(axis=0)
        if math.dist((x, y), door) <= AT_DOOR_M:
            yield zone.name, Report(sensor=zone.sensor, zone=zone.id)
    for sensor in there:
        device = find(project.devices, sensor.device)
        if device.tells_state:
            yield sensor.name, Report(sensor=sensor.id, state="moving")
        elif device.presence and device.watches == "area":
            yield sensor.name, Report(sensor=sensor.id)


def look_ahead_rows(
    project: Project, room: str, should_continue: Callable[[], bool] = lambda: True
) -> list[LookAheadRow]:
    """The rows that could light a room ahead of who comes, each tried on weeks; those first that spare the most. Empty
    where nothing lights it, or nobody is noticed on the way there. Raises ValueError for a room that is not there."""
    record = next((r for r in project.rooms if r.id == room), None)
    if record is None:
        raise ValueError(f"unknown room '{room}'")
    if presence_of(project, room) is None or not lamps_in(project, room):
        return []
    truth = simulate_days(project, DAYS, CHOSEN[0])
    tried: list[LookAheadRow] = []
    before = _came(project, room, CHOSEN)
    for source, per_day in list(arrivals_by_room(truth, room).items())[:MOST]:
        if per_day < SELDOM:
            continue
        best: tuple[float, str, Project] | None = None
        for name, tells in _tells(project, truth, find(project.rooms, source), record):
            if not should_continue():
                break
            then = _with_row(project, record, find(project.rooms, source), tells)
            after = _came(then, room, CHOSEN)
            # Arrivals spared, less those that would make up for what it is on.
            gain = (before.arrivals - after.arrivals) - 60.0 * (after.idle_h - before.idle_h) / COSTS_MIN
            if best is None or gain > best[0]:
                best = gain, name, then
        if best is not None and should_continue():
            was, came = _came(project, room, PROVEN), _came(best[2], room, PROVEN)
            spared = was.arrivals - came.arrivals
            pays = spared >= SPARES and 60.0 * (came.idle_h - was.idle_h) <= COSTS_MIN * spared
            tried.append(LookAheadRow(room, source, best[1], best[2], was, came, pays))
    return sorted(tried, key=lambda x: (not x.pays, x.after.arrivals - x.before.arrivals))


def _with_row(project: Project, room: Room, source: Room, tells: Expr) -> Project:
    if not ladder_rows(project, room.id):
        plain = next(s for s in STARTING if s.name == "Occupied and dark")
        project = apply_template(project, room.id, plain)
    # No other lamp than those that the ladder has: one that follows a zone goes on doing so.
    own = next((x for x in ladders_in(project, room.id) if x.group is None), None)
    levels = {} if own is None else {x.id: LEVEL for x in own.lamps}
    project, scene = add_scene(project, room.id, "Light ahead", levels)
    when = AllOf(of=(Hold(of=tells, seconds=STAYS_S), Dark(room=room.id)))
    project, _ = add_row(project, room.id, f"Somebody coming from {source.name.lower()}", when, scene.id)
    return project


def _came(project: Project, room: str, seeds: tuple[int, ...]) -> ArrivalMetrics:
    scores = []
    for seed in seeds:
        r = rehearse(project, DAYS, seed)
        s = r.scores[room]
        energy = sum(r.house.kwh(x) for x in lamps_in(project, room)) / DAYS
        scores.append((s.arrivals / DAYS, s.first_median_s or 0.0, s.wasted_h, energy))
    return ArrivalMetrics(*np.mean(scores, axis=0).tolist())


def in_words(a: LookAheadRow, project: Project) -> str:
    """What such a row does, in a sentence."""
    spared = a.before.arrivals - a.after.arrivals
    name, source = (find(project.rooms, r).name.lower() for r in (a.room, a.from_room))
    more = 60.0 * (a.after.idle_h - a.before.idle_h)
    does = (
        f"avoids {spared:.1f} of {a.before.arrivals:.1f} arrivals in the dark a day for {more:.0f} min more lit "
        "while empty"
    )
    return f"With {a.words}, light ahead in {name} for people coming from {source}: {does}."

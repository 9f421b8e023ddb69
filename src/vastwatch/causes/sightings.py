"""Who was there at an incident, how the sensors saw them, and whom sensors noticed."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vastwatch.design.ladders import ladder_sensors
from vastwatch.design.project import find
from vastwatch.design.relations import levels_in_order, presence_of
from vastwatch.people import Position, Track
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.reaction_inputs import keepers_of, starters_of
from vastwatch.rehearsal.scoring.incidents import Incident
from vastwatch.sensing.bodies import PET, STANDING, PersonAt, body_of
from vastwatch.sensing.explain import sight_line
from vastwatch.sensing.model import SightLine, min_blind_s
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Hazard


class Sighting(NamedTuple):
    """Somebody at an instant, where, and the sight lines to them, the quickest to notice first."""

    track: Track
    where: Position
    sights: tuple[SightLine, ...]


class Triggered(NamedTuple):
    """What a sensor noticed at an instant: somebody, or a hazard, or nothing that is known."""

    sensor: str
    at: float
    track: Track | None
    hazard: Hazard | None


def starters(r: Rehearsal, room: str) -> tuple[str, ...]:
    """The sensors that may start a room's light: where nothing is concluded of it, all that its rows follow."""
    presence = presence_of(r.project, room)
    return ladder_sensors(r.project, room) if presence is None else starters_of(presence)


def keepers(r: Rehearsal, room: str) -> tuple[str, ...]:
    """The sensors that keep a room's light: where nothing is concluded of it, all that its rows follow."""
    presence = presence_of(r.project, room)
    return ladder_sensors(r.project, room) if presence is None else keepers_of(presence)


def people_in_dark(r: Rehearsal, incident: Incident) -> list[Sighting]:
    """Everybody who asked for light and was left in the dark by an incident, those first who were there longest after
    it began.

    Of somebody who came in, where they were as they looked for light: half the way to it, or a moment later.
    """
    late = incident.kind == "late"
    asked = starters(r, incident.room) if late else keepers(r, incident.room)
    t = incident.at
    found: list[tuple[float, int, Sighting]] = []
    for track in r.truth.tracks:
        if track.person.kind == "pet":
            continue
        here = r.truth.person_in(track.person.id, incident.room, awake_only=True)
        if here.at(t):
            stays = float(here.cumulative(t + max(incident.duration_s, 1.0)) - here.cumulative(t))
            when = t + min(incident.duration_s, 1.0) / 2.0 if late else t
            where = r.truth.where(track, when)
            if where.spot is not None and not where.spot.asks_for_light:
                continue
            found.append((-stays, len(found), Sighting(track, where, sights(r, asked, track, where))))
    return [witness for *_, witness in sorted(found, key=lambda f: f[:2])]


def sleepers_in(r: Rehearsal, room: str, t: float) -> list[Track]:
    """Who sleeps in a room at an instant."""
    return [
        track
        for track in r.truth.tracks
        if track.person.kind != "pet"
        and r.truth.person_in(track.person.id, room).at(t)
        and not r.truth.person_in(track.person.id, room, awake_only=True).at(t)
    ]


def sights(r: Rehearsal, sensors: tuple[str, ...], track: Track, where: Position) -> tuple[SightLine, ...]:
    """Sight lines from those sensors to a person, the quickest to notice first."""
    order = levels_in_order(r.project)
    out = []
    for ident in sensors:
        sensor = find(r.project.sensors, ident)
        if where.level < 0 or order[where.level].id != sensor.level:
            continue
        pet = track.person.kind == "pet"
        if where.spot is not None:
            body = PET if pet else body_of(where.spot.posture, where.spot.activity)
            out.append(sight_line(r.project, sensor, PersonAt(where.at, body, where.spot.activity, where.spot.facing)))
        else:
            walking = PersonAt(where.at, PET if pet else STANDING, "passing", where.facing, True)
            out.append(sight_line(r.project, sensor, walking))
    return tuple(sorted(out, key=lambda s: s.notice_s))


def trigger_of(r: Rehearsal, sensor: str, rise: float) -> Triggered:
    """What made a sensor begin the report that began at `rise`: the first it noticed since its report before."""
    falls = r.recording.report(sensor).falls
    i = int(np.searchsorted(falls, rise, side="right")) - 1
    mounted = mount(r.project, find(r.project.sensors, sensor))
    # The report before fell late as well.
    since = float(falls[i]) - mounted.device.latency.max_s + min_blind_s(mounted) if i >= 0 else 0.0
    found = None
    for day in _days(r, rise):
        n = r.notices(sensor, day)
        a, b = n.start.searchsorted(since), n.start.searchsorted(rise + 1e-9, side="right")
        if a < b:
            found = str(n.source[a]), float(n.start[a])
            break
    return _named(r, sensor, rise, found)


def last_trigger_of(r: Rehearsal, sensor: str, fall: float) -> Triggered:
    """What a sensor noticed last before its report fell at `fall`: the fall is told late as well."""
    fall -= mount(r.project, find(r.project.sensors, sensor)).device.latency.max_s
    found = None
    for day in reversed(_days(r, fall)):
        n = r.notices(sensor, day)
        before = np.flatnonzero(n.start <= fall + 1e-9)
        if len(before):
            k = before[np.argmax(np.minimum(n.end[before], fall))]
            found = str(n.source[k]), min(float(n.end[k]), fall)
            break
    return _named(r, sensor, fall, found)


def noticed_between(r: Rehearsal, sensor: str, begin: float, end: float) -> list[str]:
    """Whom and what a sensor noticed within [begin, end)."""
    out: dict[str, None] = {}
    for day in range(r.calendar.day_of(_within(r, begin)), r.calendar.day_of(_within(r, end)) + 1):
        n = r.notices(sensor, day)
        some = n.source[(n.start < end) & (n.end >= begin)]
        out |= dict.fromkeys(str(s) for s in some)
    return list(out)


def _within(r: Rehearsal, t: float) -> float:
    return min(max(t, 0.0), float(np.nextafter(r.truth.end, 0.0)))


def _days(r: Rehearsal, t: float) -> list[int]:
    """The day before and the day of an instant, as far as there are such."""
    today = r.calendar.day_of(_within(r, t))
    return [day for day in (today - 1, today) if day >= 0]


def _named(r: Rehearsal, sensor: str, t: float, found: tuple[str, float] | None) -> Triggered:
    if found is None:
        return Triggered(sensor, t, None, None)
    source, at = found
    track = next((k for k in r.truth.tracks if k.person.id == source), None)
    return Triggered(sensor, at, track, next((h for h in r.project.hazards if h.id == source), None))

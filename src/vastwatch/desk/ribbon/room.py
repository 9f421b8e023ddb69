"""The lanes of a room: who is there, what its sensors and their zones say, what is concluded, what the house does."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Mapping

import numpy as np
from PyQt6.QtGui import QColor

from vastwatch.control.house import HouseRun
from vastwatch.control.outputs.handler import handler_of
from vastwatch.design.expressions import zone_part
from vastwatch.design.places import sensors_in
from vastwatch.design.project import find
from vastwatch.design.relations import outputs_in, presence_of, sensors_of
from vastwatch.desk.ribbon.lane import THICK, Lane
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.theme import Theme, alpha, mix
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.scoring.incidents import Incident
from vastwatch.sensing.zoned_sensor import zones_of
from vastwatch.signals import Signal

# An incident so near to the shown stretch still has its tooth there, seconds.
BESIDE_S = 60.0


def room_lanes(
    house: HouseRun, r: Rehearsal | None, room: str, t: Theme, shown: tuple[float, float], shut: Mapping[str, bool],
    first: bool, ladder: bool = False, away: bool = False,
) -> list[Lane]:  # fmt: skip
    """Its heading, and its lanes over a stretch of time: all of them for the first room and for those that were opened
    by hand, of the others sensors and light alone; of one that was shut none, and its light beside the heading.
    `ladder`: with those of its ladder too; `away`: it is on another level, and shut until it is opened."""
    project = house.project
    fold = f"room {room}"
    lit = house.served(room)
    heading = Lane(find(project.rooms, room).name, None, room=room, fold=fold, shut=shut.get(fold, away))
    if heading.shut:
        heading.brief = lit
        return [heading]
    out, full = [heading], shut.get(fold, not first) is False
    if full and r is not None:
        out += _people(r, room, t, shown)
    if full and ladder:
        out += ladder_lanes(house, room, t)
    presence = presence_of(project, room)
    ids = [] if presence is None else list(sensors_of(presence))
    if full:
        # Sensors that are mounted here and take no part in presence: a contact, a mat in the bed.
        ids += [s.id for s in sensors_in(project, room)]
    for ident in dict.fromkeys(s for s in ids if (s, None) in house.recording.reports):
        sensor = find(project.sensors, ident)
        colour = family_hue(t, find(project.devices, sensor.device).family)
        known = house.recording.observed.get(ident)
        unknown = None if known is None else ~known
        out.append(Lane(sensor.name, house.recording.report(ident), colour, THICK, room, ident, unknown=unknown))
        if full:
            out += _zones(house, room, ident, colour)
    concluded = house.presence(room)
    if full and presence is not None and concluded is not None:
        out.append(Lane("presence", concluded, mix(t.ink, t.soft, 0.35), THICK, room, presence.id))
    if lit is not None:
        mine = [] if r is None else r.incidents_by_room.get(room, [])
        begin = bisect_left(mine, shown[0] - BESIDE_S, key=_when)
        mine = mine[begin : bisect_right(mine, shown[1] + BESIDE_S, begin, key=_when)]
        out.append(Lane("light", lit, t.lamp, THICK, room, None, mine))
    if full:
        for output in outputs_in(project, room):
            if output.id in house.outputs and not handler_of(output).lights:
                out.append(Lane(output.name, house.signals[output.id], t.soft, THICK, room, output.id))
    return out


def _when(incident: tuple[int, Incident]) -> float:
    return incident[1].at


def ladder_lanes(house: HouseRun, room: str, t: Theme) -> list[Lane]:
    """A lane for hands above a room's ladders, for each row, faint while it only holds, and for each lamp, by its
    level."""
    run = house.ladders.get(room)
    if run is None:
        return []
    out = []
    if run.overrides:
        rows = [(h.begin, h.end) for h in run.overrides]
        out.append(Lane("manual", Signal.from_intervals(rows, 0.0, house.end), t.dropped, 6, room))
    for did in run.ladders:
        for k, row in enumerate(did.rows):
            name = row.name or f"row {k + 1}"
            words = f"{did.group_name}: {name}" if did.group_name else name
            out.append(Lane(words, did.wins(k), t.ink, 6, room, behind=did.row_signals[k]))
        for lamp, levels in did.levels.items():
            name = find(house.project.lamps, lamp).name
            out.append(Lane(name, None, t.lamp, room=room, record=lamp, heights=levels))
    return out


def _zones(house: HouseRun, room: str, sensor: str, colour: QColor) -> list[Lane]:
    """What a tracking radar says of each of its zones, under it."""
    out = []
    for zone in zones_of(house.project, sensor):
        said = house.recording.reports.get((sensor, zone_part(zone.id)))
        if said is not None and zone.role != "ignore":
            out.append(Lane(f"  {zone.name}", said, alpha(colour, 0.7), 6, room, zone.id))
    return out


def _people(r: Rehearsal, room: str, t: Theme, shown: tuple[float, float]) -> list[Lane]:
    """Who is in the room; somebody who does not come in all the while takes no place."""
    out = []
    for track in r.truth.tracks:
        signal = r.truth.person_in(track.person.id, room)
        begin, end = signal.cumulative(np.clip(shown, 0.0, r.truth.end))
        if end > begin:
            pet = track.person.kind == "pet"
            colour = alpha(t.person, 0.5) if pet else t.person
            out.append(Lane(track.person.name, signal, colour, 5 if pet else THICK - 2, room))
    return out

"""The plan at the playhead: the hour, which lamps are on, who stands where, and whom the open incident happened to."""

from __future__ import annotations

from vastwatch.causes.chain import incident_view
from vastwatch.control.house import HouseRun
from vastwatch.control.light.daylight import sun_elevation
from vastwatch.design.relations import levels_in_order
from vastwatch.desk.plan.state import PlanState, same
from vastwatch.desk.results.active_tracker import trackers
from vastwatch.desk.shell.focus import Focus
from vastwatch.people.truth import Position
from vastwatch.rehearsal.run import Rehearsal

# The sun this far below the horizon, or above it, and the ground is at its darkest or brightest, degrees.
DARKEST, BRIGHTEST = -8.0, 10.0
# Dusk falls slowly at first: by eye.
DUSK = 1.3


def show_moment(state: PlanState, focus: Focus, house: HouseRun | None, rehearsal: Rehearsal | None) -> None:
    """Set what of a state belongs to the moment; by day where no days are followed, and without anybody where nobody
    knows who was there."""
    of = (
        house, rehearsal, focus.time, focus.level, focus.incident, focus.here.follows_time, state.project.place,
    )  # fmt: skip
    if len(of) != len(state.moment_of) or not all(same(a, b) for a, b in zip(of, state.moment_of)):
        state.moment_of = of
        _make(state, focus, house, rehearsal)
        state.moment_lit = state.lit
    # A scene that is looked at changes what is on in the picture, not in the moment.
    state.lit = dict(state.moment_lit)


def _make(state: PlanState, focus: Focus, house: HouseRun | None, rehearsal: Rehearsal | None) -> None:
    state.lit, state.people, state.scene, state.reporting, state.night = {}, [], None, frozenset(), 0.0
    state.targets = ()
    if house is None or not focus.here.follows_time:
        return
    t = focus.time
    elevation = sun_elevation(state.project.place, house.recording.calendar, t)
    state.night = min(max((BRIGHTEST - elevation) / (BRIGHTEST - DARKEST), 0.0), 1.0) ** DUSK
    for ident, levels in house.outputs.items():
        if (level := float(levels.at(t))) > 0:
            state.lit[ident] = level
    state.reporting = frozenset(i for i in house.recording.sensors if house.report(i).at(t))
    if rehearsal is None:
        return
    order = levels_in_order(rehearsal.project)
    for track in rehearsal.truth.tracks:
        where = rehearsal.truth.where(track, t)
        if where.level < 0 or order[where.level].id != focus.level:
            continue
        pet = track.person.kind == "pet"
        dark = not pet and _in_the_dark(rehearsal, track.person.id, where, t)
        state.people.append((track.person.id, "cat" if pet else track.person.name[:1], where.at, dark))
    state.targets = _targets(rehearsal, focus)
    if 0 <= focus.incident < len(rehearsal.incidents):
        shown = incident_view(rehearsal, rehearsal.incidents[focus.incident])
        at = shown.where
        if at is not None and at.level >= 0 and order[at.level].id == focus.level:
            state.scene = shown


def _targets(rehearsal: Rehearsal, focus: Focus) -> tuple[tuple[str, tuple[float, float]], ...]:
    """Where the tracking radars of the level take somebody to be at the playhead: by what they read."""
    out = []
    for sensor in trackers(rehearsal.project, focus.level):
        for point in rehearsal.targets_at(sensor.id, focus.time):
            out.append((sensor.id, point))
    return tuple(out)


def _in_the_dark(rehearsal: Rehearsal, person: str, where: Position, t: float) -> bool:
    """Whether somebody asks for light, in a room that needs it and has none."""
    if where.spot is not None and not where.spot.asks_for_light:
        return False
    for room in rehearsal.scores:
        lit = rehearsal.house.served(room)
        unlit = lit is not None and rehearsal.needs_light(room).at(t) and not lit.at(t)
        if unlit and rehearsal.truth.person_in(person, room).at(t):
            return True
    return False

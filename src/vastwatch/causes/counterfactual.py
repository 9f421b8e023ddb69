"""What could have been otherwise: one thing changed about a design or about who was there, and the same draws simulated
again with it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from msgspec.structs import replace

from vastwatch.control.evaluation import NO_ACTIONS
from vastwatch.control.house import run_house
from vastwatch.design.asked import asked_by
from vastwatch.design.edits.expressions import paths, replaced
from vastwatch.design.expressions import AnyOf, Expr, Report, StartKeep
from vastwatch.design.presence import Roles, from_roles, roles_of, with_hold
from vastwatch.design.project import Project, find, find_any, fresh_id, put
from vastwatch.design.records import Conclusion, Settings
from vastwatch.devices import DeviceType, MatType
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.impairments import lost_share
from vastwatch.rehearsal.reaction_inputs import manual_actions
from vastwatch.rehearsal.reports import run_without
from vastwatch.rehearsal.run import make_recording, recording_of
from vastwatch.sensing.model import CATALOGUE_C
from vastwatch.signals import Signal

# What is tried, in the order in which it is told where one saves as much as the other: what can be moved before what
# can only be waited for.
Factor = Literal[
    "hazard", "obstacle", "aim", "zone", "supply", "cells", "radio", "doubt", "bounce", "settings", "warmth", "starter",
    "latency", "person", "hold", "latch", "own hold", "keeper",
]  # fmt: skip
ORDER: tuple[Factor, ...] = get_args(Factor)
# A device that reports at once, seconds.
AT_ONCE_S = 0.05


@dataclass(frozen=True, eq=False)
class Counterfactual:
    """One thing otherwise: a `make_recording` whose removal or mending is tried as `factor`. `project`: the design with
    it changed; `without`: whose notices are left out, `during` some time. `value`: what it is changed to, if a figure.
    """

    factor: Factor
    record: str
    project: Project
    without: str | None = None
    during: Signal | None = None
    value: float = 0.0


def counterfactual_light(r: Rehearsal, room: str, counterfactual: Counterfactual) -> Signal:
    """What a room's light would have been on the same draws."""
    project = asked_by(counterfactual.project, room)
    recording = make_recording(project, r.truth)
    if counterfactual.without is not None and counterfactual.during is not None:
        source, during = counterfactual.without, counterfactual.during
        runs = {s.id: run_without(project, s.id, r.truth, source, during) for s in project.sensors}
        recording = recording_of(runs, project, r.truth)
    # Where nobody reacted in the rehearsal, nobody does here.
    hands = manual_actions(project, r.truth, recording) if r.house.actions else NO_ACTIONS
    light = run_house(project, recording, hands).served(room)
    return Signal.constant(False, 0.0, r.truth.end) if light is None else light


# -- what can be otherwise -----------------------------------------------------------------------------------------


def without_obstacle(project: Project, ident: str) -> Counterfactual | None:
    """A furnishing removed, a wall taken down, a leaf opened; None for what something is fixed to."""
    found = find_any(project, ident)
    if found is None or any(s.host == ident for s in project.sensors):
        return None
    collection, it = found
    if collection == "openings":
        changed = put(project, replace(it, rest="open", leaf="none"))
    elif collection == "walls":
        changed = replace(
            project, walls=tuple(w for w in project.walls if w is not it),
            openings=tuple(o for o in project.openings if o.wall != ident),
        )  # fmt: skip
    elif collection == "furnishings":
        changed = replace(project, furnishings=tuple(f for f in project.furnishings if f is not it))
    else:
        return None
    return Counterfactual("obstacle", ident, changed)


def turned(project: Project, sensor: str, yaw: float) -> Counterfactual:
    """A sensor turned to where somebody was."""
    it = find(project.sensors, sensor)
    return Counterfactual("aim", sensor, put(project, replace(it, yaw=yaw % 360.0)), value=yaw % 360.0)


# What is set of how far a sensor reaches.
REACH_SETTINGS = (
    "sensitivity_below_max", "still_below_max", "infrared_below_max", "min_gate_m", "max_gate_m",
)  # fmt: skip


def with_default_range(project: Project, sensor: str) -> Counterfactual | None:
    """A sensor with its reach with default settings in the box; None where it is."""
    it = find(project.sensors, sensor)
    comes = Settings()
    free = replace(it.settings, **{field: getattr(comes, field) for field in REACH_SETTINGS})
    if all(getattr(free, field) == getattr(it.settings, field) for field in REACH_SETTINGS):
        return None
    return Counterfactual("settings", sensor, put(project, replace(it, settings=free)))


def at_usual_warmth(project: Project, room: str) -> Counterfactual | None:
    """A room no warmer than a catalogue's figures hold for; None for one that is not."""
    it = find(project.rooms, room)
    if it.ambient_c <= CATALOGUE_C:
        return None
    return Counterfactual("warmth", room, put(project, replace(it, ambient_c=CATALOGUE_C)))


def with_hold_time(project: Project, presence: Conclusion, seconds: float) -> Counterfactual | None:
    """A presence that holds for so long; None for one without a single hold."""
    expr = with_hold(presence.expr, seconds)
    return None if expr is None else _with(project, presence, expr, "hold", presence.id, seconds)


def without_hazard(project: Project, hazard: str) -> Counterfactual:
    """A source of false reports gone."""
    return Counterfactual(
        "hazard", hazard, replace(project, hazards=tuple(h for h in project.hazards if h.id != hazard))
    )


def with_whole_sensor(project: Project, presence: Conclusion, zone: str) -> Counterfactual:
    """A conclusion that asks the whole of a sensor where it asks one of its zones."""
    expr = presence.expr
    for path, part in paths(expr):
        if isinstance(part, Report) and part.zone == zone:
            expr = replaced(expr, path, replace(part, zone=None))
    return _with(project, presence, expr, "zone", zone)


def with_supply(project: Project) -> Counterfactual:
    """Nobody who switches a circuit off at the wall."""
    switches = tuple(s if s.off_per_week is None else replace(s, off_per_week=0.0) for s in project.switches)
    return Counterfactual("supply", "", replace(_untroubled(project, supply_off_per_week=0.0), switches=switches))


def with_fresh_cells(project: Project, sensor: str) -> Counterfactual:
    """A sensor whose cells are changed in time: one that needs none."""
    device = find(project.devices, find(project.sensors, sensor).device)
    return Counterfactual("cells", sensor, _of_its_own(project, sensor, replace(device, battery=None)))


def well_received(project: Project, sensor: str) -> Counterfactual | None:
    """A sensor of whose messages all arrive at once; None for one of which they do."""
    it = find(project.sensors, sensor)
    if lost_share(project, it) <= 0:
        return None
    return Counterfactual("radio", sensor, put(project, replace(it, settings=replace(it.settings, messages_lost=0.0))))


def with_firm_contact(project: Project, sensor: str) -> Counterfactual | None:
    """A mat that closes under half of what its type needs; None for what is no mat."""
    device = find(project.devices, find(project.sensors, sensor).device)
    if not isinstance(device, MatType):
        return None
    lighter = replace(device, closing_kpa=device.closing_kpa / 2)
    return Counterfactual("doubt", sensor, _of_its_own(project, sensor, lighter), value=lighter.closing_kpa)


def without_bounce(project: Project, sensor: str) -> Counterfactual | None:
    """A contact that does not bounce; None for what is none, or where none does."""
    device = find(project.devices, find(project.sensors, sensor).device)
    if not device.at_doors or project.brief.troubles.contacts_bounce <= 0:
        return None
    return Counterfactual("bounce", sensor, _untroubled(project, contacts_bounce=0.0))


def _untroubled(project: Project, **change: float) -> Project:
    troubles = replace(project.brief.troubles, **change)
    return replace(project, brief=replace(project.brief, troubles=troubles))


def _of_its_own(project: Project, sensor: str, device: DeviceType) -> Project:
    """A project in which one sensor is of a type that no other has."""
    own = replace(device, id=fresh_id(project, device.id))
    project = replace(project, devices=(*project.devices, own))
    return put(project, replace(find(project.sensors, sensor), device=own.id))


def without_person(project: Project, person: str, during: Signal) -> Counterfactual:
    """Somebody who is elsewhere for some time."""
    return Counterfactual("person", person, project, without=person, during=during)


def starting(project: Project, presence: Conclusion, sensor: str) -> Counterfactual | None:
    """A sensor that may start the light, too."""
    expr, roles = presence.expr, roles_of(presence.expr)
    if roles is not None:
        keeps = roles.keeps if sensor in roles.keeps else (*roles.keeps, sensor)
        changed = from_roles(Roles((*roles.starts, sensor), keeps, roles.hold_s))
        return _with(project, presence, changed, "starter", sensor)
    if isinstance(expr, StartKeep):
        return _with(project, presence, StartKeep(start=_either(expr.start, sensor), keep=expr.keep), "starter", sensor)
    return None


def keeping(project: Project, presence: Conclusion, sensor: str) -> Counterfactual | None:
    """A sensor of the room that keeps the light, too; None where the presence is not of the usual shape."""
    roles = roles_of(presence.expr)
    if roles is None:
        return None
    expr = from_roles(Roles(roles.starts, (*roles.keeps, sensor), roles.hold_s))
    return _with(project, presence, expr, "starter", sensor)


def _either(expr: Expr, sensor: str) -> Expr:
    more = Report(sensor=sensor)
    return AnyOf(of=(*expr.of, more)) if isinstance(expr, AnyOf) else AnyOf(of=(expr, more))


def _with(
    project: Project, presence: Conclusion, expr: Expr, lever: Factor, ident: str, value: float = 0.0
) -> Counterfactual:
    return Counterfactual(lever, ident, put(project, replace(presence, expr=expr)), value=value)


def with_fast_report(project: Project, sensor: str) -> Counterfactual:
    """A sensor that reports at once where it is mounted, whatever was measured of it or stands on its box."""
    it = find(project.sensors, sensor)
    found = replace(it.settings, measured_latency_s=AT_ONCE_S)
    return Counterfactual("latency", sensor, put(project, replace(it, settings=found)))

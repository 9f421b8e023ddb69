"""M10: the chain of an incident: what happened, from the lamp back, and what it was because of.

Each cause is something that was tried otherwise on the same draws (`investigation`), and with which this incident goes
or shrinks; each names the record that one would change, with the value that made the difference.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from vastwatch.causes.cause_words import (
    AFTER_S,
    CauseContext,
    IncidentView,
    activity_words,
    first_name,
    name_of,
    rise_before,
    words_of,
)  # fmt: skip
from vastwatch.causes.investigation import AFTER_HOLD_S, CURES, FactorTest, Investigation, investigation
from vastwatch.causes.sightings import (
    Sighting,
    Triggered,
    keepers,
    last_trigger_of,
    people_in_dark,
    sights,
    sleepers_in,
    trigger_of,
)
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.expressions import AllOf, AtLeast, Belief, DoorLatch, every_part
from vastwatch.design.ladders import rows_of
from vastwatch.design.presence import hold_of, reports
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.people import Position
from vastwatch.rehearsal.impairments import powered_in
from vastwatch.rehearsal.run import Rehearsal
from vastwatch.rehearsal.scoring.incidents import Incident
from vastwatch.sensing.families.pir import crossing_deg
from vastwatch.sensing.model import SightLine, each_part
from vastwatch.sensing.mounted import mount
from vastwatch.words import clock_words, duration_words, notice_interval_words

# What is said of incidents of each kind, one and many.
CALLED = {
    "dropped": ("false-off", "false-offs"), "late": ("late turn-on", "late turn-ons"),
    "idle": ("lit-while-empty period", "lit-while-empty periods"),
    "false start": ("false start", "false-ons"),
}  # fmt: skip


@dataclass(frozen=True)
class Link:
    """One card of the chain: `what` happened to which `record`, the deciding `value`, and a sentence of detail.

    `factor`: of a cause, what was tried otherwise; `cured` of how `total` incidents like it go with it."""

    what: str
    record: str
    value: str
    text: str
    lever: str = ""
    cures: int = 0
    total: int = 0


@dataclass(frozen=True)
class CausalChain:
    """What happened, and the causes, those first that matter most; and for the plan the person, their place, and the
    sight lines that mattered, best first."""

    story: tuple[Link, ...]
    causes: tuple[Link, ...]
    person: str | None
    where: Position | None
    sights: tuple[SightLine, ...]

    @property
    def links(self) -> tuple[Link, ...]:
        """What happened, and then why."""
        return self.story + self.causes


NO_SCENE = IncidentView(None, None, ())


def incident_view(r: Rehearsal, incident: Incident) -> IncidentView:
    """Whom an incident happened to; of a light that came on while empty, who was noticed."""
    if incident.dark:
        there = people_in_dark(r, incident)
        return NO_SCENE if not there else IncidentView(there[0].track.person.id, there[0].where, there[0].sights)
    if incident.kind == "idle":
        return NO_SCENE
    noticed = _starter(r, incident)
    if noticed is None or noticed.track is None:
        return NO_SCENE
    where = r.truth.where(noticed.track, noticed.at)
    return IncidentView(noticed.track.person.id, where, sights(r, (noticed.sensor,), noticed.track, where))


def explain(r: Rehearsal, incident: Incident) -> CausalChain:
    """The chain of an incident of this rehearsal. The first of a kind in a room takes its inquiry, some tenths of a
    second."""
    return chain_of(r, incident, investigation(r, incident.room, incident.kind))


def chain_of(r: Rehearsal, incident: Incident, found: Investigation | None) -> CausalChain:
    """The chain of an incident by an inquiry that is at hand; without one, what happened alone."""
    story = {"dropped": _dropped, "late": _late, "idle": _idle, "false start": _false_start}[incident.kind]
    shown = incident_view(r, incident)
    causes = () if found is None else _causes(r, incident, found, shown)
    return CausalChain(tuple(story(r, incident)), causes, shown.person, shown.where, shown.sights)


# -- what happened -------------------------------------------------------------------------------------------------


def _dropped(r: Rehearsal, incident: Incident) -> list[Link]:
    t = incident.at
    links = [
        _lamp(r, incident, f"went off {_clock(r, t)}", f"dark for {duration_words(incident.duration_s)}"),
        _presence_link(r, incident.room, f"ended {_clock(r, t)}", "its hold time of {hold} ran out"),
    ]
    last, when = _last_report(r, _deciding(r, incident), t)
    if last is not None:
        of_a_wave = "of a wave, " if _of_a_wave(r, incident.room, last, when) else ""
        links.append(
            Link(
                name_of(r, last), last, f"last report {_clock(r, when)}",
                f"{of_a_wave}no report for {duration_words(t - when)}",
            )
        )  # fmt: skip
    return links


def _late(r: Rehearsal, incident: Incident) -> list[Link]:
    t, wait = incident.at, incident.duration_s
    lamp = r.house.served(incident.room)
    came_in = f"somebody came in at {_clock(r, t)}"
    supplied = powered_in(r.project, incident.room, r.truth)
    if supplied is not None and not supplied.at(t):
        lit = lamp is not None and bool(lamp.at(t + wait + AFTER_S))
        back = supplied.rises[supplied.rises > t]
        on = f"on again {_clock(r, float(back[0]))}" if len(back) else "off since then"
        return [
            _lamp(r, incident, f"{duration_words(wait)} late" if lit else "never came on", came_in),
            Link("Power supply", incident.room, on, "it was turned off at the wall as they came"),
        ]
    if lamp is not None and lamp.at(t + wait + AFTER_S):
        why = "nothing had turned it on before"
        if _went_to_switch(r, incident.room, t + wait):
            why = "somebody went to the switch: no sensor had noticed them, nor their waves"
        return [
            _lamp(r, incident, f"{duration_words(wait)} late", came_in),
            _presence_link(r, incident.room, f"started {_clock(r, t + wait)}", why),
        ]
    return [
        _lamp(r, incident, "never came on", f"{came_in} and left after {duration_words(wait)}"),
        _presence_link(r, incident.room, "stayed off", "no sensor turned it on while they were there"),
    ]


def _idle(r: Rehearsal, incident: Incident) -> list[Link]:
    t, end = incident.at, incident.at + incident.duration_s
    last, when = _last_report(r, keepers(r, incident.room), end)
    how = "kept for {hold} after the last report"
    presence = presence_of(r.project, incident.room)
    if presence is not None and last is not None and end - when > (hold_of(presence.expr) or 0.0) + AFTER_HOLD_S:
        latches = any(isinstance(part, DoorLatch) for part in every_part(presence.expr))
        how = "latched, until a door that it watches opened" if latches else "kept on by more than the last report"
    links = [
        _lamp(r, incident, f"on for {duration_words(incident.duration_s)}", f"with nobody there from {_clock(r, t)}"),
        _presence_link(r, incident.room, f"ended {_clock(r, end)}", how),
    ]
    if last is not None:
        links.append(
            Link(
                name_of(r, last), last, f"last report {_clock(r, when)}", _set_off_by(r, last_trigger_of(r, last, when))
            )
        )
    return links


def _false_start(r: Rehearsal, incident: Incident) -> list[Link]:
    lasted = duration_words(incident.duration_s)
    sleeping = sleepers_in(r, incident.room, incident.at)
    nobody = f"nobody was there for the whole {lasted}"
    if sleeping:
        nobody = f"with {first_name(sleeping[0])} asleep; nobody was awake there for the whole {lasted}"
    links = [
        _lamp(r, incident, f"came on {_clock(r, incident.at)}", nobody),
        _presence_link(r, incident.room, f"started {_clock(r, incident.at)}", "kept for {hold} after that"),
    ]
    noticed = _starter(r, incident)
    if noticed is not None:
        rise = rise_before(r, noticed.sensor, incident.at)
        links.append(
            Link(name_of(r, noticed.sensor), noticed.sensor, f"reported {_clock(r, rise)}", _set_off_by(r, noticed))
        )
    return links


# -- why -----------------------------------------------------------------------------------------------------------


def _causes(r: Rehearsal, incident: Incident, found: Investigation, shown: IncidentView) -> tuple[Link, ...]:
    k = found.index_of(incident)
    tried = found.causes(k)
    links = [_cause(r, incident, found, k, t, shown) for t in tried]
    if not incident.dark:
        return tuple(links)
    there = found.present[k]
    if not any(t.share[k] >= CURES for t in tried) and there:
        links.insert(0, _unnoticed(r, incident, there[0], len(found.episodes.incidents)))
    if there:
        links.append(_person(r, there))
    return tuple(links)


def _cause(
    r: Rehearsal, incident: Incident, found: Investigation, k: int, test: FactorTest, shown: IncidentView
) -> Link:
    it, many = test.counterfactual, len(found.episodes.incidents)
    what, value, text = words_of(CauseContext(r, incident, found, k, test, shown))
    one, more = CALLED[incident.kind]
    if test.share[k] >= CURES and test.cured <= 0:
        text += f", this {one} would be avoided and others occur"
    elif test.cured > 0:
        text += f", {test.cured} of {many} {more} would be avoided" if many > 1 else f", this {one} would be avoided"
    else:
        text += f", this {one} would be {100 * test.share[k]:.0f} % less"
    return Link(what, it.record, value, text, it.factor, test.cured, many)


def _unnoticed(r: Rehearsal, incident: Incident, who: Sighting, many: int) -> Link:
    """Where nothing that could be changed would have done: no sensor there notices such a person soon enough."""
    s = who.sights[0] if who.sights else None
    asked = keepers(r, incident.room)
    record = s.sensor if s is not None else asked[0] if asked else incident.room
    along = s is not None and _walks_along(r, s.sensor, who.where)
    doing = "walking along its sight line" if along else "walking"
    if who.where.spot is not None:
        doing = f"{who.where.spot.activity}, {who.where.spot.posture}"
    wait = _wait_words(who)
    away = f"{s.slant_m:.1f} m away, range {s.range_m:.1f} m" if s is not None and s.range_m > 0 else "out of sight"
    name = name_of(r, record) if s is not None or asked else "No sensor"
    another = (
        "another sensor that turns the light on"
        if incident.kind == "late"
        else "another sensor that notices them at rest"
    )
    if along:
        another = "one that looks across their path"
    return Link(
        name, record, f"{doing}: noticed {wait}", f"{away}; {another} would have prevented it", "keeper", 0, many
    )


def _walks_along(r: Rehearsal, sensor: str, where: Position) -> bool:
    """Whether somebody walks more along an infrared sensor's sight line than across it: within 45 degrees of it, where
    its range along the line counts more than that across (docs/models.md, M2)."""
    it = find(r.project.sensors, sensor)
    parts = each_part(mount(r.project, it))
    if where.spot is not None or not any(part.device.infrared for part in parts):
        return False
    bearing = math.degrees(math.atan2(where.at[1] - it.at[1], where.at[0] - it.at[0]))
    return crossing_deg(where.facing, bearing) < 45.0


def _person(r: Rehearsal, there: tuple[Sighting, ...]) -> Link:
    """Whom it happened to."""
    who = there[0]
    more = "" if len(there) == 1 else f" and {len(there) - 1} more"
    wait = _wait_words(who)
    if who.where.spot is None:
        return Link(f"{first_name(who.track)}{more} walking", who.track.person.id, "", f"noticed {wait}", "who")
    spot = who.where.spot
    return Link(
        f"{first_name(who.track)}{more} at the {spot.name}", spot.id, f"{spot.activity}, {spot.posture}",
        f"noticed {wait} on average", "who",
    )  # fmt: skip


def _wait_words(who: Sighting) -> str:
    """How often somebody is noticed by all sensors that are asked: their rates add (M5)."""
    rate = sum(1.0 / s.notice_s for s in who.sights if s.notice_s > 0)
    return notice_interval_words(1.0 / rate if rate > 0 else float("inf"))


# -- parts ---------------------------------------------------------------------------------------------------------


def _clock(r: Rehearsal, t: float) -> str:
    """What clocks show at an instant."""
    return clock_words(r.calendar.clock_s(t))


def _lamp(r: Rehearsal, incident: Incident, value: str, text: str) -> Link:
    # The light that is missed most, whichever the records name first.
    light = max(lights_in(r.project, incident.room), key=lambda x: (getattr(x, "lumens", 0), x.watts, x.id))
    return Link("light", light.id, value, text)


def _presence_link(r: Rehearsal, room: str, value: str, text: str) -> Link:
    presence = presence_of(r.project, room)
    if presence is None:
        return Link("ladder", room, value, "the room has no conclusion: its light follows its rows only")
    hold = hold_of(presence.expr)
    if hold is None:
        # No single hold of its own.
        believed = isinstance(presence.expr, Belief)
        ended = "the probability fell too low" if believed else "its condition no longer applied"
        return Link("presence", presence.id, value, ended if "ran out" in text else text.replace("for {hold} ", ""))
    return Link("presence", presence.id, value, text.format(hold=duration_words(hold)))


def _deciding(r: Rehearsal, incident: Incident) -> tuple[str, ...]:
    """The sensors whose silence let the light go: of those that all must report, those that no longer did."""
    presence, asked = presence_of(r.project, incident.room), keepers(r, incident.room)
    if presence is None or not any(isinstance(e, AllOf | AtLeast) for e in every_part(presence.expr)):
        return asked
    hold = hold_of(presence.expr) or 0.0
    since = incident.at - hold
    silent = tuple(s for s in asked if not r.house.report(s).at(since + AFTER_S))
    return silent or asked


def _last_report(r: Rehearsal, sensors: tuple[str, ...], t: float) -> tuple[str | None, float]:
    """The sensor that was last to fall silent before t, and when."""
    best, at = None, -1.0
    for ident in sensors:
        falls = r.house.report(ident).falls
        i = int(np.searchsorted(falls, t + 1e-9, side="right")) - 1
        if i >= 0 and falls[i] > at:
            best, at = ident, float(falls[i])
    return best, at


def _starter(r: Rehearsal, incident: Incident) -> Triggered | None:
    """What set off a light: the sensor that reported last before it came on, and what that noticed."""
    presence = presence_of(r.project, incident.room)
    exprs = [row.when for row in rows_of(r.project, incident.room)] if presence is None else [presence.expr]
    read = dict.fromkeys(report.sensor for expr in exprs for report in reports(expr))
    rise, sensor = max(((rise_before(r, s, incident.at), s) for s in read), default=(-1.0, ""))
    return None if rise < 0 else trigger_of(r, sensor, rise)


def _of_a_wave(r: Rehearsal, room: str, sensor: str, fell: float) -> bool:
    """Whether a report that fell then was of a wave of somebody in the room."""
    hand = r.house.actions.get(room)
    return hand is not None and sensor in hand.waved and bool(hand.waved[sensor].at(fell - AFTER_S))


def _went_to_switch(r: Rehearsal, room: str, t: float) -> bool:
    """Whether somebody was at the switch of a room at an instant, because the light had gone off or not come on."""
    hand = r.house.actions.get(room)
    return hand is not None and len(hand.switch_trips) > 0 and bool(np.abs(hand.switch_trips - t).min() <= AFTER_S)


def _set_off_by(r: Rehearsal, noticed: Triggered) -> str:
    """Whom or what a sensor noticed, where that was."""
    if noticed.hazard is not None:
        return f"triggered by the {noticed.hazard.name.lower()}"
    if noticed.track is None:
        return "nobody was noticed"
    where = r.truth.where(noticed.track, noticed.at)
    return f"{first_name(noticed.track)} {activity_words(r, noticed.track, where)}"

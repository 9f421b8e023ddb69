"""M10: the chain of causes of an incident, from the lamp back to the sight line or the step that set it off.

Each link names the record that one would change, with the value that made the difference.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.presence import hold_of, reports
from vastwatch.design.project import find, find_any
from vastwatch.design.records import Expr
from vastwatch.design.relations import levels_in_order, presence_of
from vastwatch.people import Track, Where
from vastwatch.rehearsal.incidents import Incident
from vastwatch.rehearsal.run import Rehearsal
from vastwatch.sensing.explain import sight
from vastwatch.sensing.figures import BODIES, PET, STANDING, Somebody
from vastwatch.sensing.hazards import false_rate, per_hour_words
from vastwatch.sensing.model import Sight, mount
from vastwatch.site.building import Hazard
from vastwatch.words import clock_words, duration_words, never_words

# An instant after a switching at which its outcome is surely read, seconds.
AFTER_S = 1e-6


@dataclass(frozen=True)
class Link:
    """One card of the chain: `what` happened to which `record`, the deciding `value`, and a sentence of detail."""

    what: str
    record: str
    value: str
    text: str


@dataclass(frozen=True)
class Chain:
    """The links, and for the plan the person, their place, and the sight lines that mattered, best first."""

    links: tuple[Link, ...]
    person: str | None
    where: Where | None
    sights: tuple[Sight, ...]


def explain(rehearsal: Rehearsal, incident: Incident) -> Chain:
    """The chain of an incident of this rehearsal."""
    if incident.kind == "dropped":
        return _false_off(rehearsal, incident)
    if incident.kind == "late":
        return _late(rehearsal, incident)
    if incident.kind == "idle":
        return _idle(rehearsal, incident)
    return _false_on(rehearsal, incident)


def _false_off(r: Rehearsal, incident: Incident) -> Chain:
    presence = presence_of(r.project, incident.room)
    assert presence is not None
    t = incident.at
    keepers = _sensors(presence.expr)
    links = [
        _lamp(
            r,
            incident,
            f"went off {_clock(r, t)}",
            f"dark for {duration_words(incident.duration_s)}",
        ),
        _presence_link(r, incident.room, f"fell {_clock(r, t)}", "its hold time of {hold} ran out"),
    ]
    last, when = _last_report(r, keepers, t)
    if last is not None:
        quiet = t - when
        links.append(
            Link(
                _name(r, last),
                last,
                f"last report {_clock(r, when)}",
                ("of a wave, " if _of_a_wave(r, incident.room, last, when) else "")
                + f"silent for {duration_words(quiet)}",
            )
        )
    return _with_person(r, incident, links, _keepers_of(r, keepers), t)


def _late(r: Rehearsal, incident: Incident) -> Chain:
    presence = presence_of(r.project, incident.room)
    assert presence is not None
    t, wait = incident.at, incident.duration_s
    starters = _sensors(presence.expr)
    lamp = r.house.served(incident.room)
    came_in = f"somebody came in at {_clock(r, t)}"
    if lamp is not None and lamp.at(t + wait + AFTER_S):
        light = _lamp(r, incident, f"{duration_words(wait)} late", came_in)
        why = "nothing had started it before"
        if _went_to_switch(r, incident.room, t + wait):
            why = "somebody went to the switch: no sensor had noticed them, nor their waves"
        rise = _presence_link(r, incident.room, f"rose {_clock(r, t + wait)}", why)
    else:
        light = _lamp(r, incident, "never came on", f"{came_in} and left after {duration_words(wait)}")
        rise = _presence_link(r, incident.room, "did not rise", "nothing started it while they were there")
    links = [light, rise]
    for ident in starters[:1]:
        device = find(r.project.devices, find(r.project.sensors, ident).device)
        links.append(
            Link(
                _name(r, ident), ident, f"latency {device.latency.typical_s:g} s",
                f"{device.latency.min_s:g} to {device.latency.max_s:g} s from notice to report",
            )
        )  # fmt: skip
    return _with_person(r, incident, links, starters, t + min(wait, 1.0) / 2)


def _idle(r: Rehearsal, incident: Incident) -> Chain:
    presence = presence_of(r.project, incident.room)
    assert presence is not None
    t, end = incident.at, incident.at + incident.duration_s
    keepers = _sensors(presence.expr)
    links = [
        _lamp(
            r,
            incident,
            f"burned {duration_words(incident.duration_s)}",
            f"for nobody from {_clock(r, t)}",
        ),
        _presence_link(r, incident.room, f"fell {_clock(r, end)}", "held for {hold} after the last report"),
    ]
    last, when = _last_report(r, keepers, end)
    if last is not None:
        links.append(
            Link(
                _name(r, last),
                last,
                f"last report {_clock(r, when)}",
                _who_set_off(r, last, when),
            )
        )
        links += _hazard_link(r, last, when)
    return Chain(tuple(links), None, None, ())


def _false_on(r: Rehearsal, incident: Incident) -> Chain:
    presence = presence_of(r.project, incident.room)
    assert presence is not None
    t = incident.at
    links = [
        _lamp(
            r, incident, f"came on {_clock(r, t)}",
            f"nobody was there for all its {duration_words(incident.duration_s)}",
        )
    ]  # fmt: skip
    links.append(_presence_link(r, incident.room, f"rose {_clock(r, t)}", "held for {hold} after that"))
    best, at = None, -1.0
    for report in reports(presence.expr):
        rises = r.house.report(report.sensor).rises
        i = int(np.searchsorted(rises, t, side="right")) - 1
        if i >= 0 and rises[i] > at:
            best, at = report.sensor, float(rises[i])
    if best is None:
        return Chain(tuple(links), None, None, ())
    links.append(Link(_name(r, best), best, f"reported {_clock(r, at)}", _who_set_off(r, best, at)))
    links += _hazard_link(r, best, at)
    track = _noticed(r, best, at)
    if track is None:
        return Chain(tuple(links), None, None, ())
    where = r.truth.where(track, at - 0.4)
    seen = _sights(r, [best], track, where)
    links += [_sight_link(r, s) for s in seen[:1]]
    return Chain(tuple(links), track.person.id, where, seen)


# -- parts ---------------------------------------------------------------------------------------------------------


def _clock(r: Rehearsal, t: float) -> str:
    """What clocks show at an instant."""
    return clock_words(r.calendar.clock_s(t))


def _sensors(expr: Expr) -> list[str]:
    """The sensors an expression reads, each once, those that start first."""
    return list(dict.fromkeys(report.sensor for report in reports(expr)))


def _lamp(r: Rehearsal, incident: Incident, value: str, text: str) -> Link:
    light, *_ = lights_in(r.project, incident.room)
    return Link("light", light.id, value, text)


def _presence_link(r: Rehearsal, room: str, value: str, text: str) -> Link:
    presence = presence_of(r.project, room)
    assert presence is not None
    hold = hold_of(presence.expr)
    words = "its own time" if hold is None else duration_words(hold)
    return Link("presence", presence.id, value, text.format(hold=words))


def _name(r: Rehearsal, sensor: str) -> str:
    return find(r.project.sensors, sensor).name


def _last_report(r: Rehearsal, sensors: list[str], t: float) -> tuple[str | None, float]:
    """The sensor that was last to fall silent before t, and when."""
    best, at = None, -1.0
    for ident in sensors:
        falls = r.house.report(ident).falls
        i = int(np.searchsorted(falls, t + 1e-9, side="right")) - 1
        if i >= 0 and falls[i] > at:
            best, at = ident, float(falls[i])
    return best, at


def _of_a_wave(r: Rehearsal, room: str, sensor: str, fell: float) -> bool:
    """Whether a report that fell then was of a wave of somebody in the room."""
    hand = r.house.hands.get(room)
    return hand is not None and sensor in hand.waved and bool(hand.waved[sensor].at(fell - AFTER_S))


def _went_to_switch(r: Rehearsal, room: str, t: float) -> bool:
    """Whether somebody was at the switch of a room at an instant, because the light had gone off or not come on."""
    hand = r.house.hands.get(room)
    return hand is not None and len(hand.trips) > 0 and bool(np.abs(hand.trips - t).min() <= AFTER_S)


def _keepers_of(r: Rehearsal, sensors: list[str]) -> list[str]:
    return [s for s in sensors if s in r.recording.sensors]


def _noticed(r: Rehearsal, sensor: str, t: float) -> Track | None:
    """Whose notice led to what a sensor reports at t."""
    source = r.noticed(sensor, t)
    return next((track for track in r.truth.tracks if track.person.id == source), None)


def _hazard_noticed(r: Rehearsal, sensor: str, t: float) -> Hazard | None:
    """The hazard whose false notice led to what a sensor reports at t, if it was one."""
    source = r.noticed(sensor, t)
    return next((h for h in r.project.hazards if h.id == source), None)


def _hazard_link(r: Rehearsal, sensor: str, t: float) -> list[Link]:
    """The hazard that triggered a sensor falsely, and how often it does, if it was one."""
    hazard = _hazard_noticed(r, sensor, t)
    if hazard is None:
        return []
    rate = false_rate(mount(r.project, find(r.project.sensors, sensor)), hazard)
    return [Link(hazard.name, hazard.id, hazard.kind, f"triggers {_name(r, sensor)} falsely, {per_hour_words(rate)}")]


def _who_set_off(r: Rehearsal, sensor: str, t: float) -> str:
    hazard = _hazard_noticed(r, sensor, t)
    if hazard is not None:
        return f"set off by the {hazard.name.lower()}"
    track = _noticed(r, sensor, t)
    if track is None:
        return "nobody was noticed"
    where = r.truth.where(track, t)
    if where.spot is not None:
        room = find(r.project.rooms, where.spot.room)
        return f"{track.person.name} at the {where.spot.name}, {room.name.lower()}"
    return f"{track.person.name} walking past"


def _with_person(r: Rehearsal, incident: Incident, links: list[Link], sensors: list[str], t: float) -> Chain:
    """Add whom it happened to, and the sight lines of the sensors to them."""
    track = next(
        (k for k in r.truth.tracks if k.person.kind != "pet" and r.truth.person_in(k.person.id, incident.room).at(t)),
        None,
    )
    if track is None:
        return Chain(tuple(links), None, None, ())
    where = r.truth.where(track, t)
    seen = _sights(r, sensors, track, where)
    rate = sum(1.0 / s.notice_s for s in seen if s.notice_s > 0)
    wait = 1.0 / rate if rate > 0 else float("inf")
    if where.spot is not None:
        links.append(
            Link(
                f"{track.person.name.split(',')[0]} at the {where.spot.name}", where.spot.id,
                f"{where.spot.activity}, {where.spot.posture}", f"noticed {never_words(wait)} on average",
            )
        )  # fmt: skip
    else:
        links.append(
            Link(
                f"{track.person.name.split(',')[0]} walking",
                track.person.id,
                "",
                f"noticed {never_words(wait)}",
            )
        )
    links += [_sight_link(r, s) for s in seen[:1]]
    return Chain(tuple(links), track.person.id, where, seen)


def _sights(r: Rehearsal, sensors: list[str], track: Track, where: Where) -> tuple[Sight, ...]:
    """Sight lines from those sensors to a person, the quickest to notice first."""
    order = levels_in_order(r.project)
    out = []
    for ident in sensors:
        sensor = find(r.project.sensors, ident)
        if where.level < 0 or order[where.level].id != sensor.level:
            continue
        pet = track.person.kind == "pet"
        if where.spot is not None:
            body = PET if pet else BODIES[where.spot.posture]
            out.append(sight(r.project, sensor, Somebody(where.at, body, where.spot.activity, where.spot.facing)))
        else:
            out.append(sight(r.project, sensor, Somebody(where.at, PET if pet else STANDING, "passing", None, True)))
    return tuple(sorted(out, key=lambda s: s.notice_s))


def _sight_link(r: Rehearsal, s: Sight) -> Link:
    """The geometry of one sight line, and the record that spoils it if one does."""
    value = f"{s.slant_m:.1f} m; range {s.range_m:.1f} m" if s.range_m > 0 else f"{s.slant_m:.1f} m; out of sight"
    blocker = s.hidden_by[0][0] if s.hidden_by else None
    if blocker is not None and (s.share < 1 or s.loss_db > 0):
        found = find_any(r.project, blocker)
        name = getattr(found[1], "name", "a wall") if found else "a wall"
        if found and found[0] in ("walls", "openings"):
            name = "a wall" if found[0] == "walls" else f"the {found[1].kind}"
        if s.loss_db > 0:
            text = f"{name} takes {s.loss_db:.1f} dB each way"
        else:
            text = f"{name} hides {100 * (1 - s.share):.0f} % of the body"
        return Link("sight line", blocker, value, text)
    if s.off_axis_deg > 1:
        text = f"{s.off_axis_deg:.0f}° off axis: range × {s.off_axis_factor:.2f}"
    else:
        text = f"rated {s.rated_m:.1f} m on axis"
    return Link("sight line", s.sensor, value, text)

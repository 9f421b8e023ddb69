"""What is said of each cause: what it is, the figure that made the difference, and what was tried instead."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from vastwatch.causes.counterfactual import Factor
from vastwatch.causes.investigation import FactorTest, Investigation
from vastwatch.causes.sightings import keepers, trigger_of
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.expressions import DoorLatch, every_part
from vastwatch.design.presence import hold_of, reports
from vastwatch.design.project import find, find_any
from vastwatch.design.relations import presence_of
from vastwatch.people import Position, Track
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.impairments import Supply, lost_share, supplies
from vastwatch.rehearsal.scoring.incidents import Incident
from vastwatch.sensing.families.pir import contrast_factor
from vastwatch.sensing.hazards import false_rate, per_hour_words
from vastwatch.sensing.model import SightLine
from vastwatch.sensing.mounted import mount, zoned_sensor
from vastwatch.words import capital, clock_words, duration_words

# An instant after a switching at which its outcome is surely read, seconds.
AFTER_S = 1e-6


@dataclass(frozen=True)
class IncidentView:
    """What the plan shows of an incident: whom it happened to, where, and the sight lines to them, best first."""

    person: str | None
    where: Position | None
    sights: tuple[SightLine, ...]


class CauseContext(NamedTuple):
    """One cause of one incident: the k-th of those inquired into."""

    r: Rehearsal
    incident: Incident
    found: Investigation
    k: int
    tried: FactorTest
    shown: IncidentView


class CauseText(NamedTuple):
    """Of a cause: what it is, the deciding figure, and a sentence that ends with what was tried instead."""

    what: str
    value: str
    text: str


def words_of(case: CauseContext) -> CauseText:
    """What is said of a cause."""
    return _WORDS[case.tried.counterfactual.factor](case)


def _sight_to(shown: IncidentView, sensor: str | None = None, owner: str | None = None) -> SightLine | None:
    """The best sight line to whom it happened to: of a sensor, or that something stands in."""
    for s in shown.sights:
        if (sensor is None or s.sensor == sensor) and (owner is None or any(o == owner for o, _ in s.hidden_by)):
            return s
    return None


def _obstacle(c: CauseContext) -> CauseText:
    owner = c.tried.counterfactual.record
    collection, it = find_any(c.r.project, owner) or ("", None)
    name = {"walls": "A wall", "openings": f"The {getattr(it, 'kind', 'door')}"}.get(
        collection, getattr(it, "name", "")
    )
    s = _sight_to(c.shown, owner=owner)
    if s is None:
        return CauseText(capital(name), "in the way", "without it")
    weight = dict(s.hidden_by)[owner]
    value = f"attenuates {weight:.1f} dB" if s.loss_db > 0 else f"hides {100 * weight:.0f} % of the body"
    return CauseText(
        capital(name),
        value,
        f"between {name_of(c.r, s.sensor)} and {place_words(c.shown.where)}, {s.slant_m:.1f} m; without it",
    )


def _aim(c: CauseContext) -> CauseText:
    ident = c.tried.counterfactual.record
    sensor, s = find(c.r.project.sensors, ident), _sight_to(c.shown, ident)
    by = round((c.tried.counterfactual.value - sensor.yaw + 180.0) % 360.0 - 180.0)
    way = f"if turned {abs(by)}° to the {'left' if by > 0 else 'right'}"
    if s is None:
        return CauseText(sensor.name, "aims past", way)
    value = f"{s.off_axis_deg:.0f}° off axis" + ("" if s.in_view else ", out of its view")
    return CauseText(sensor.name, value, f"range × {s.off_axis_factor:.2f} there; {way}")


def _settings(c: CauseContext) -> CauseText:
    sensor = find(c.r.project.sensors, c.tried.counterfactual.record)
    s = sensor.settings
    below, still = max(s.sensitivity_below_max, s.infrared_below_max), s.still_below_max or 0
    said = [f"sensitivity {below} steps down"] * (below > 0) + [f"stillness sensitivity {still} steps down"] * (
        still > 0
    )
    gates = (("nothing beyond {:g} m", s.max_gate_m), ("nothing within {:g} m", s.min_gate_m))
    said += [words.format(value) for words, value in gates if value is not None]
    return CauseText(sensor.name, ", ".join(said), "with default settings")


def _warmth(c: CauseContext) -> CauseText:
    room = find(c.r.project.rooms, c.tried.counterfactual.record)
    share = contrast_factor(room.ambient_c)
    return CauseText(
        "Temperature", f"{room.ambient_c:.0f} °C", f"infrared keeps {100 * share:.0f} % of its range; at 21 °C"
    )


def _hold(c: CauseContext) -> CauseText:
    presence = presence_of(c.r.project, c.incident.room)
    assert presence is not None
    value = duration_words(hold_of(presence.expr) or 0.0)
    if not c.incident.dark:
        burned = float(c.tried.share[c.k] * c.found.harm[c.k])
        return CauseText("Hold time", value, f"stayed on {duration_words(burned)} after the last report; without that")
    silence = float(c.found.episodes.end[c.k] - c.found.episodes.keep_ended_at[c.k])
    return CauseText(
        "Hold time",
        value,
        f"no report for {duration_words(silence)}; with a hold time of {duration_words(c.tried.counterfactual.value)}",
    )


def _latch(c: CauseContext) -> CauseText:
    burned = float(c.tried.share[c.k] * c.found.harm[c.k])
    presence = presence_of(c.r.project, c.incident.room)
    assert presence is not None
    doors = [
        name_of(c.r, report.sensor)
        for part in every_part(presence.expr) if isinstance(part, DoorLatch) for report in reports(part.door)
    ]  # fmt: skip
    watched = f"{' and '.join(dict.fromkeys(doors))} did not open" if doors else "no door that it watches opened"
    return CauseText("Door latch", "latched", f"{watched} for {duration_words(burned)}; watched at every door")


def _own_hold(c: CauseContext) -> CauseText:
    burned = float(c.tried.share[c.k] * c.found.harm[c.k])
    return CauseText(
        name_of(c.r, c.tried.counterfactual.record),
        "device hold time",
        f"reports for {duration_words(burned)} after the last notice; without that",
    )


def _hazard(c: CauseContext) -> CauseText:
    hazard = find(c.r.project.hazards, c.tried.counterfactual.record)
    sensors = [find(c.r.project.sensors, s) for s in keepers(c.r, c.incident.room)]
    rate, fooled = max((false_rate(mount(c.r.project, s), hazard), s.id) for s in sensors)
    return CauseText(
        hazard.name, hazard.kind, f"falsely triggers {name_of(c.r, fooled)}, {per_hour_words(rate)}; without it"
    )


def _starting(c: CauseContext) -> CauseText:
    may = "cannot turn the light on" if c.incident.kind == "late" else "is not used"
    return CauseText(name_of(c.r, c.tried.counterfactual.record), may, "it noticed them; if used as well")


def _latency(c: CauseContext) -> CauseText:
    sensor = find(c.r.project.sensors, c.tried.counterfactual.record)
    lag = mount(c.r.project, sensor).device.latency
    found = ", as found in place" if sensor.settings.measured_latency_s is not None else ""
    text = f"{lag.min_s:g} to {lag.max_s:g} s from notice to report{found}; without delay"
    return CauseText(name_of(c.r, c.tried.counterfactual.record), f"latency {lag.typical_s:g} s", text)


def _zone(c: CauseContext) -> CauseText:
    zone = find(c.r.project.zones, c.tried.counterfactual.record)
    sensor, where = find(c.r.project.sensors, zone.sensor), c.shown.where
    known = zoned_sensor(c.r.project, sensor)
    value = "does not count them"
    if known is not None and where is not None and where.spot is not None:
        spots, zones = [s.id for s in known.spots], [z.id for z in known.zones]
        if where.spot.id in spots and zone.id in zones:
            share = float(known.counted[spots.index(where.spot.id), zones.index(zone.id)])
            value = f"counts {100 * share:.0f} % of their reports at the {where.spot.name}"
    return CauseText(
        f"Zone {zone.name.lower()}", value, f"{sensor.name} noticed them outside it; with the whole sensor used"
    )


def _supply(c: CauseContext) -> CauseText:
    found = supplies(c.r.project, c.r.truth)
    mine = [s for s in found if any(light.id in s.lamps for light in lights_in(c.r.project, c.incident.room))]
    off, supply = _off_before(mine, c.incident.at + c.incident.duration_s)
    if supply is None:
        return CauseText("Power supply", "turned off at the wall", "with power on")
    when = f"turned off at {clock_words(c.r.calendar.clock_s(off))}"
    fed = [find(c.r.project.sensors, s).name for s in supply.feeds]
    dead = f"; {' and '.join(fed)} {'start' if len(fed) > 1 else 'starts'} up again after it" if fed else ""
    return CauseText(
        f"{supply.name}, power supply", when, f"somebody leaving turned it off at the wall{dead}; with power on"
    )


def _off_before(found: list[Supply], t: float) -> tuple[float, Supply | None]:
    """Which circuit was switched off last before an instant, and when."""
    best: tuple[float, Supply | None] = (-1.0, None)
    for supply in found:
        falls = supply.on.falls
        k = int(np.searchsorted(falls, t, side="right")) - 1
        if k >= 0 and falls[k] > best[0]:
            best = float(falls[k]), supply
    return best


def _cells(c: CauseContext) -> CauseText:
    ident = c.tried.counterfactual.record
    dead = ~c.r.recording.observed_of(ident)
    k = int(np.searchsorted(dead.intervals[:, 0], c.incident.at + c.incident.duration_s, side="right")) - 1
    since = "" if k < 0 else f" since {clock_words(c.r.calendar.clock_s(float(dead.intervals[k, 0])))}"
    return CauseText(name_of(c.r, ident), "batteries flat", f"no reports{since}; with new batteries")


def _radio(c: CauseContext) -> CauseText:
    ident = c.tried.counterfactual.record
    share = lost_share(c.r.project, find(c.r.project.sensors, ident))
    return CauseText(
        name_of(c.r, ident), f"{100 * share:.3g} % of messages lost",
        "its reports were late or lost by radio; with every message received",
    )  # fmt: skip


def _doubt(c: CauseContext) -> CauseText:
    ident, s = c.tried.counterfactual.record, _sight_to(c.shown, c.tried.counterfactual.record)
    said = f"opens and closes as they shift; if it closed at {c.tried.counterfactual.value:.2g} kPa"
    return CauseText(name_of(c.r, ident), "too little pressure" if s is None else "with a reliable margin", said)


def _bounce(c: CauseContext) -> CauseText:
    share = c.r.project.brief.troubles.contacts_bounce
    return CauseText(
        name_of(c.r, c.tried.counterfactual.record), "bounces",
        f"in {100 * share:.0f} % of closings it briefly opens again; without that",
    )  # fmt: skip


def _somebody_else(c: CauseContext) -> CauseText:
    track = next(t for t in c.r.truth.tracks if t.person.id == c.tried.counterfactual.record)
    at = c.incident.at
    asked = keepers(c.r, c.incident.room)
    for sensor in asked:
        # Where they were as the sensor noticed them, and not where they went from there.
        rise = rise_before(c.r, sensor, c.incident.at + c.incident.duration_s)
        noticed = trigger_of(c.r, sensor, rise)
        if noticed.track is track:
            at = noticed.at
            break
    where = c.r.truth.where(track, at)
    return CauseText(
        first_name(track), activity_words(c.r, track, where), "noticed, though the light is not for them; without that"
    )


_WORDS: dict[Factor, Callable[[CauseContext], CauseText]] = {
    "obstacle": _obstacle, "aim": _aim, "settings": _settings, "warmth": _warmth, "hold": _hold, "latch": _latch,
    "zone": _zone, "supply": _supply, "cells": _cells, "radio": _radio, "doubt": _doubt, "bounce": _bounce,
    "own hold": _own_hold, "hazard": _hazard, "starter": _starting, "latency": _latency, "person": _somebody_else,
}  # fmt: skip


def name_of(r: Rehearsal, sensor: str) -> str:
    """What a sensor is called."""
    return find(r.project.sensors, sensor).name


def first_name(track: Track) -> str:
    """A person's name without what follows it."""
    return track.person.name.split(",")[0]


def place_words(where: Position | None) -> str:
    """Where somebody is, in words."""
    if where is None:
        return "somebody there"
    return "somebody walking there" if where.spot is None else f"the {where.spot.name}"


def activity_words(r: Rehearsal, track: Track, where: Position) -> str:
    """What somebody does there, in words."""
    if where.spot is None:
        return "walking past"
    asleep = "asleep " if where.spot.activity == "sleeping" and track.person.kind != "pet" else ""
    return f"{asleep}at the {where.spot.name}, {find(r.project.rooms, where.spot.room).name.lower()}"


def rise_before(r: Rehearsal, sensor: str, t: float) -> float:
    """When a sensor's last report before t began, -1 where there is none."""
    rises = r.house.report(sensor).rises
    i = int(np.searchsorted(rises, t + AFTER_S, side="right")) - 1
    return float(rises[i]) if i >= 0 else -1.0

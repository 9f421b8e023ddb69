"""`HouseRun`: what the house concluded from a recording, and what it did. It knows nothing of who was there.

Conclusions come from the reports (`fusion`), darkness from the sun (`daylight`), and from both what each output does
(`outputs`). A hand on a switch comes from outside, as presses. Each result is kept by the very records and signals it
reads, so that a changed hold time costs the algebra of one room.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.belief import Chain, chains_in
from vastwatch.control.by_hand import on_by_hand
from vastwatch.control.clock import clock_time
from vastwatch.control.daylight import darker_than, darkness
from vastwatch.control.filtering import filter_of
from vastwatch.control.fusion import Leaf, beliefs, evaluate, leaves
from vastwatch.control.outputs.handler import Situation, handler_of, kwh, lights_in
from vastwatch.control.recording import Recording
from vastwatch.design.conclusions import order, sensors_behind
from vastwatch.design.edits.expressions import Path, paths
from vastwatch.design.expressions import Belief, ClockTime, Dark, Expr, Named, Report, StartKeep, zone_part
from vastwatch.design.presence import press_hold
from vastwatch.design.project import Project, find
from vastwatch.design.records import Fixture, Lamp, Presence
from vastwatch.design.relations import outputs, outputs_in, presence_of
from vastwatch.memo import kept
from vastwatch.signals import Levels, Signal, all_of, any_of
from vastwatch.site.building import Room


class Hand(NamedTuple):
    """What people in a room do about its light: while its switch is pressed; what sensors report of their waves; and
    the instants of the waves, and of the ways to the switch that a light gone off on somebody made needful."""

    pressed: Signal
    waved: Mapping[str, Signal] = MappingProxyType({})
    waves: NDArray[np.float64] = np.empty(0)
    trips: NDArray[np.float64] = np.empty(0)


# By room.
Hands = Mapping[str, Hand]
NOBODY: Hands = MappingProxyType({})


@dataclass(frozen=True, eq=False)
class Conclusions:
    """By record id, what is concluded over a recording; and by room, while it is too dark there without its lamps."""

    presences: dict[str, Signal]
    dark: dict[str, Signal]


def conclude(project: Project, recording: Recording, hands: Hands = NOBODY) -> Conclusions:
    """What the house makes of the reports. A sensor that the recording does not know says nothing, and so do
    conclusions that name each other in a circle."""
    out: dict[str, Signal] = {}
    for p in order(project).sound:
        out[p.id] = conclusion(project, p, recording, hands.get(p.room or ""), out)
    never = _never(recording.end)
    return Conclusions({p.id: out.get(p.id, never) for p in project.presences}, darkness(project, recording.calendar))


def conclusion(
    project: Project, presence: Presence, recording: Recording, hand: Hand | None, named: Mapping[str, Signal]
) -> Signal:
    """What one conclusion comes to, given what people in its room do about the light, and all that it names."""
    said = concluded(project, presence.expr, recording, None if hand is None else hand.waved, named)
    if hand is None or not presence.lights or len(hand.pressed) == 0:
        return said
    if find(project.rooms, presence.room or "").control == "absence":
        return said
    # Where lights come on by themselves, a press says that somebody is there.
    kept_by = presence.expr.keep if isinstance(presence.expr, StartKeep) else presence.expr
    keeping = concluded(project, kept_by, recording, hand.waved, named)
    return _by_press(said, keeping, hand.pressed, press_hold(presence.expr))


def concluded(
    project: Project, expr: Expr, recording: Recording, waved: Mapping[str, Signal] | None = None,
    named: Mapping[str, Signal] = MappingProxyType({}),
) -> Signal:  # fmt: skip
    """The signal of an expression over a recording, what sensors report of waves besides, and the conclusions that it
    names; one of which nothing is known is off."""
    every = leaves(expr)
    if len(every) == 1 and every[0] is expr:
        return _said(project, every[0], recording, waved or {}, named)
    said = tuple(_said(project, leaf, recording, waved or {}, named) for leaf in every)
    return _concluded(expr, said, chains_in(project, beliefs(expr)))


def _said(
    project: Project, leaf: Leaf, recording: Recording, waved: Mapping[str, Signal], named: Mapping[str, Signal]
) -> Signal:
    """What a leaf of an expression says."""
    if isinstance(leaf, Report):
        said = recording.reports.get((leaf.sensor, leaf.part))
        if said is not None and leaf.hears_waves and leaf.sensor in waved:
            said = _either(said, waved[leaf.sensor])
    elif isinstance(leaf, Named):
        said = named.get(leaf.presence)
    elif isinstance(leaf, ClockTime):
        return clock_time(leaf, project.place, recording.calendar)
    elif isinstance(leaf, Dark):
        return darker_than(project, find(project.rooms, leaf.room), leaf.below_lux, leaf.until_lux, recording.calendar)
    else:
        said = recording.facts.get((leaf.what, leaf.room))
    return _never(recording.end) if said is None else said


@kept
def _either(a: Signal, b: Signal) -> Signal:
    return a | b


@kept
def _by_press(presence: Signal, keeping: Signal, pressed: Signal, hold_s: float) -> Signal:
    return presence | on_by_hand(keeping, pressed, hold_s)


@kept
def _concluded(expr: Expr, said: tuple[Signal, ...], chains: tuple[Chain, ...]) -> Signal:
    return evaluated(expr, said, chains)


def evaluated(expr: Expr, said: Sequence[Signal], chains: Sequence[Chain] = (), alive: Signal | None = None) -> Signal:
    """What an expression comes to, given what its leaves say, from left to right, and how its beliefs weigh that;
    `alive` as for `evaluate`."""
    heard = iter(said)
    return evaluate(expr, lambda leaf: next(heard), chains, alive)


class PartSaid(NamedTuple):
    """What one part of a conclusion said: its path, its signal, and how probable it held somebody where it is a
    belief."""

    path: Path
    signal: Signal
    belief: Levels | None = None


def parts_said(house: HouseRun, presence: Presence) -> list[PartSaid]:
    """What every part of a conclusion said in a run, outer ones first, left to right; waves included."""
    hand = house.hands.get(presence.room or "")
    waved = None if hand is None else hand.waved
    named = house.conclusions.presences
    out = []
    for path, part in paths(presence.expr):
        belief = None
        if isinstance(part, Belief):
            of = [concluded(house.project, each, house.recording, waved, named) for each in part.of]
            belief = _believed(chains_in(house.project, [part])[0], tuple(of), part.on_above, part.off_below)
        out.append(PartSaid(path, concluded(house.project, part, house.recording, waved, named), belief))
    return out


@kept
def _believed(chain: Chain, said: tuple[Signal, ...], on_above: float, off_below: float) -> Levels:
    return filter_of(chain, on_above, off_below).told(said)


@dataclass(frozen=True, eq=False)
class HouseRun:
    """The outcome. Instants are seconds from the recording's first midnight; `outputs` by record id. `recording` is
    what sensors said of people's days; what they said of the waves of those left in the dark is in `hands`."""

    project: Project
    recording: Recording
    conclusions: Conclusions
    outputs: dict[str, Levels]
    hands: Hands = field(default_factory=dict)

    @property
    def end(self) -> float:
        """The end of the span; it starts at 0."""
        return self.recording.end

    def presence(self, room: str) -> Signal | None:
        """While somebody is concluded to be in a room; None where nothing is concluded of it."""
        presence = presence_of(self.project, room)
        return None if presence is None else self.conclusions.presences[presence.id]

    def dark(self, room: str) -> Signal:
        """While daylight does not give a room what it asks for."""
        return self.conclusions.dark[room]

    def served(self, room: str) -> Signal | None:
        """While a room has the light it is to have; None where nothing lights it by itself."""
        levels = [self.outputs[o.id] for o in lights_in(self.project, room) if o.id in self.outputs]
        return _served(tuple(levels)) if levels else None

    def watts(self, room: str) -> float:
        """What the lights of a room draw when full on, together."""
        return math.fsum(light.watts for light in lights_in(self.project, room))

    def kwh(self, output: Fixture, start: float | None = None, end: float | None = None) -> float:
        """Energy an output drew; 0 where the house does not switch it."""
        levels = self.outputs.get(output.id)
        return 0.0 if levels is None else kwh(output, levels, start, end)

    def known(self, room: str) -> Signal:
        """While every sensor was listened to that the room's presence depends on."""
        presence = presence_of(self.project, room)
        read = () if presence is None else sensors_behind(self.project, presence)
        known = [self.recording.known[s] for s in read if s in self.recording.known]
        return all_of(known) if known else Signal.constant(True, 0.0, self.end)

    def report(self, sensor: str) -> Signal:
        """What a sensor says as a whole, waves in whichever room included."""
        said = self.recording.report(sensor)
        for hand in self.hands.values():
            if sensor in hand.waved:
                said = _either(said, hand.waved[sensor])
        return said

    @cached_property
    def signals(self) -> dict[str, Signal]:
        """Signals by record id: sensors, presences, and outputs while they are on at all."""
        out = {s: self.report(s) for s in self.recording.sensors}
        out |= self.conclusions.presences
        off = Signal.constant(False, 0.0, self.end)
        for o in outputs(self.project):
            out[o.id] = _served((self.outputs[o.id],)) if o.id in self.outputs else off
        return out


@kept
def _served(levels: tuple[Levels, ...]) -> Signal:
    return any_of([each.above(0.0) for each in levels])


def run(project: Project, recording: Recording, hands: Hands = NOBODY) -> HouseRun:
    """What the house does, given what sensors said of people's days, and who waved and pressed what.

    Without `hands` nobody reacts, and lights that a hand switches on stay off.
    """
    conclusions = conclude(project, recording, hands)
    out: dict[str, Levels] = {}
    for room in project.rooms:
        presence = presence_of(project, room.id)
        if presence is None:
            continue
        situation = Situation(
            conclusions.presences[presence.id], conclusions.dark[room.id],
            _pressed(room, hands, recording.end), press_hold(presence.expr),
        )  # fmt: skip
        for output in outputs_in(project, room.id):
            followed = _followed(project, recording, output, situation)
            supply = recording.facts.get(("supply", output.id))
            out[output.id] = _output(output, followed if supply is None else followed._replace(powered=supply))
    return HouseRun(project, recording, conclusions, out, hands)


def _followed(project: Project, recording: Recording, output: Fixture, situation: Situation) -> Situation:
    """What an output goes by: a lamp that follows a zone, by whether somebody is in that."""
    if not isinstance(output, Lamp) or output.zone is None:
        return situation
    zone = find(project.zones, output.zone)
    said = recording.reports.get((zone.sensor, zone_part(zone.id)), _never(recording.end))
    return situation._replace(presence=said)


def _pressed(room: Room, hands: Hands, end: float) -> Signal | None:
    if room.control != "absence":
        return None
    hand = hands.get(room.id)
    return _never(end) if hand is None else hand.pressed


@kept
def _never(end: float) -> Signal:
    return Signal.constant(False, 0.0, end)


@kept
def _output(output: Fixture, situation: Situation) -> Levels:
    return handler_of(output).run(output, situation)

"""`HouseRun`: what the house concluded from a recording, and what it did. It knows nothing of who was there.

Conclusions come from the reports (`fusion`), darkness from the sun (`daylight`), and from both what each output does
(`outputs`). A hand on a switch comes from outside, as presses. Each result is kept by the very records and signals it
reads, so that a changed hold time costs the algebra of one room.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

from vastwatch.control.belief.belief_filter import filter_of
from vastwatch.control.belief.rates import MarkovChain, markov_chains
from vastwatch.control.evaluation import NO_ACTIONS, ActionsByRoom, evaluate_conclusion, evaluate_expr
from vastwatch.control.light.darkness import house_dark
from vastwatch.control.light.daylight import darkness
from vastwatch.control.lighting import RoomRun, light_rule, manual_on_light, run_ladders, zone_followed
from vastwatch.control.outputs.handler import OutputContext, handler_of, kwh, kwh_above_standby, lights_in
from vastwatch.control.recording import Recording
from vastwatch.design.conclusions import all_sensors_of, evaluation_order
from vastwatch.design.edits.expressions import Path, paths
from vastwatch.design.expressions import Belief
from vastwatch.design.presence import press_hold
from vastwatch.design.project import Project
from vastwatch.design.records import Conclusion, GuardedOutput, Output
from vastwatch.design.relations import outputs, outputs_in, presence_of
from vastwatch.design.unaffected import Unaffected
from vastwatch.memo import memoised
from vastwatch.signals import Signal, TimeSeries, all_of, any_of, first_active
from vastwatch.signals.memoised_ops import both, either, never, union
from vastwatch.site.building import Room


@dataclass(frozen=True, eq=False)
class Conclusions:
    """By record id, what is concluded over a recording; and by room, while it is too dark there without its lamps."""

    presences: dict[str, Signal]
    dark: dict[str, Signal]


def conclude(
    project: Project, recording: Recording, hands: ActionsByRoom = NO_ACTIONS, same: Same | None = None
) -> Conclusions:
    """What the house makes of the reports. A sensor that the recording does not know says nothing, and so do
    conclusions that name each other in a circle."""
    out: dict[str, Signal] = {}
    for p in evaluation_order(project).sound:
        if same is not None and p.id in same.of.presences:
            out[p.id] = same.run.conclusions.presences[p.id]
        else:
            out[p.id] = evaluate_conclusion(project, p, recording, hands.get(p.room or ""), out)
    silent = never(recording.end)
    return Conclusions({p.id: out.get(p.id, silent) for p in project.presences}, darkness(project, recording.calendar))


class PartSignal(NamedTuple):
    """What one part of a conclusion said: its path, its signal, and how probable it held somebody where it is a
    occupancy probability."""

    path: Path
    signal: Signal
    belief: TimeSeries | None = None


def part_signals(house: HouseRun, presence: Conclusion) -> list[PartSignal]:
    """What every part of a conclusion said in a run, outer ones first, left to right; waves included."""
    hand = house.actions.get(presence.room or "")
    waved = None if hand is None else hand.waved
    named = house.conclusions.presences
    out = []
    for path, part in paths(presence.expr):
        belief = None
        if isinstance(part, Belief):
            of = [evaluate_expr(house.project, each, house.recording, waved, named) for each in part.of]
            belief = _believed(markov_chains(house.project, [part])[0], tuple(of), part.on_above, part.off_below)
        out.append(PartSignal(path, evaluate_expr(house.project, part, house.recording, waved, named), belief))
    return out


@memoised
def _believed(chain: MarkovChain, said: tuple[Signal, ...], on_above: float, off_below: float) -> TimeSeries:
    return filter_of(chain, on_above, off_below).probability(said)


@dataclass(frozen=True, eq=False)
class HouseRun:
    """The outcome. Instants are seconds from the recording's first midnight; `outputs` by record id. `recording` is
    what sensors said of people's days; what they said of the waves of those left in the dark is in `actions`."""

    project: Project
    recording: Recording
    conclusions: Conclusions
    outputs: dict[str, TimeSeries]
    actions: ActionsByRoom = field(default_factory=dict)
    # By room that has any, what its ladders did; and by lamp, while it is lit: a light that fades out is out from the
    # beginning of that.
    ladders: Mapping[str, RoomRun] = field(default_factory=dict)
    lit: Mapping[str, Signal] = field(default_factory=dict)

    @property
    def end(self) -> float:
        """The end of the span; it starts at 0."""
        return self.recording.end

    def presence(self, room: str) -> Signal | None:
        """While somebody is concluded to be in a room; None where nothing is concluded of it."""
        presence = presence_of(self.project, room)
        return None if presence is None else self.conclusions.presences[presence.id]

    def dark(self, room: str) -> Signal:
        """While a room is to be lit for somebody who is noticed there: as its ladders say, and else while the house
        takes it to be dark."""
        if room not in self._dark:
            ladder = room in self.ladders
            of = light_rule(self.project, room, self.recording).demand if ladder else None
            self._dark[room] = house_dark(self.project, room, self.recording) if of is None else of
        return self._dark[room]

    @cached_property
    def _dark(self) -> dict[str, Signal]:
        return {}

    def served(self, room: str) -> Signal | None:
        """While a room has the light it is to have; None where nothing lights it by itself."""
        lit = [self.lit[o.id] for o in lights_in(self.project, room) if o.id in self.lit]
        return union(tuple(lit)) if lit else None

    def watts(self, room: str) -> float:
        """What the lights of a room draw when full on, together."""
        return math.fsum(light.watts for light in lights_in(self.project, room))

    def kwh(self, output: Output, start: float | None = None, end: float | None = None) -> float:
        """Energy an output drew; 0 where the house does not switch it."""
        levels = self.outputs.get(output.id)
        return 0.0 if levels is None else kwh(output, levels, start, end)

    def kwh_while(self, room: str, when: Signal) -> float:
        """Energy that the lights of a room drew above their standby, while something holds."""
        lamps = [x for x in lights_in(self.project, room) if x.id in self.outputs]
        return math.fsum(_kwh_while(x, self.outputs[x.id], self.lit[x.id], when) for x in lamps)

    def observed(self, room: str) -> Signal:
        """While there was data of every sensor that the room's presence depends on, of those there is any of; never
        where there is none of any."""
        presence = presence_of(self.project, room)
        read = () if presence is None else all_sensors_of(self.project, presence)
        known = [self.recording.observed[s] for s in read if s in self.recording.observed]
        heard = [k for k in known if k.total() > 0]
        if known and not heard:
            return Signal.constant(False, 0.0, self.end)
        return all_of(heard) if heard else Signal.constant(True, 0.0, self.end)

    def report(self, sensor: str) -> Signal:
        """What a sensor says as a whole, waves in whichever room included."""
        said = self.recording.report(sensor)
        for waved in self._waved.get(sensor, ()):
            said = either(said, waved)
        return said

    @cached_property
    def _waved(self) -> dict[str, list[Signal]]:
        """By sensor, what it says of waves, room by room."""
        out: dict[str, list[Signal]] = {}
        for hand in self.actions.values():
            for sensor, said in hand.waved.items():
                out.setdefault(sensor, []).append(said)
        return out

    @cached_property
    def signals(self) -> dict[str, Signal]:
        """Signals by record id: sensors, presences, and outputs while they are on at all."""
        out = {s: self.report(s) for s in self.recording.sensors}
        out |= self.conclusions.presences
        off = Signal.constant(False, 0.0, self.end)
        for o in outputs(self.project):
            out[o.id] = self.lit.get(o.id, off)
        return out


@memoised
def _kwh_while(output: Output, levels: TimeSeries, lit: Signal, when: Signal) -> float:
    return kwh_above_standby(output, levels, lit & when)


@memoised
def _on(levels: TimeSeries) -> Signal:
    return levels.above(0.0)


class Same(NamedTuple):
    """A run of another design over the same reports, and what of it is the same in both."""

    run: HouseRun
    of: Unaffected


def run_house(
    project: Project, recording: Recording, hands: ActionsByRoom = NO_ACTIONS, same: Same | None = None
) -> HouseRun:
    """What the house does, given what sensors said of people's days, and who waved and pressed what; what is the `same`
    in another run is taken from there.

    Without `actions` nobody reacts, and lights that a hand switches on stay off.
    """
    conclusions = conclude(project, recording, hands, same)
    out: dict[str, TimeSeries] = {}
    lit: dict[str, Signal] = {}
    ladders: dict[str, RoomRun] = {}
    for room in project.rooms:
        if same is not None and room.id in same.of.rooms:
            mine = [o.id for o in outputs_in(project, room.id) if o.id in same.run.outputs]
            out |= {ident: same.run.outputs[ident] for ident in mine}
            lit |= {ident: same.run.lit[ident] for ident in mine}
            if room.id in same.run.ladders:
                ladders[room.id] = same.run.ladders[room.id]
            continue
        presence = presence_of(project, room.id)
        pressed = _pressed(room, hands, recording.end)
        own = never(recording.end) if presence is None else conclusions.presences[presence.id]
        if presence is not None and pressed is not None:
            own = manual_on_light(own, pressed, press_hold(presence.expr))
        hand = hands.get(room.id)
        did = run_ladders(project, room.id, recording, own, () if hand is None else hand.overrides)
        if did is not None:
            ladders[room.id] = did
            for lamp, levels in did.levels.items():
                supply = recording.facts.get(("supply", lamp))
                out[lamp] = levels if supply is None else _supplied(levels, supply)
                lit[lamp] = did.wanted[lamp] if supply is None else both(did.wanted[lamp], supply)
        situation = OutputContext(
            own if presence is None else conclusions.presences[presence.id],
            house_dark(project, room.id, recording), pressed,
            0.0 if presence is None else press_hold(presence.expr), calendar=recording.calendar,
        )  # fmt: skip
        for output in outputs_in(project, room.id):
            ruled = isinstance(output, GuardedOutput) and bool(output.rows)
            if output.id in out or (presence is None and not ruled):
                continue
            followed = _followed(project, recording, output, situation)
            if isinstance(output, GuardedOutput):
                followed = followed._replace(rows=_rows(output, project, recording, conclusions))
            supply = recording.facts.get(("supply", output.id))
            out[output.id] = _output(output, followed if supply is None else followed._replace(powered=supply))
            if isinstance(output, GuardedOutput) and output.locks:
                locks = (evaluate_expr(project, x, recording, dependencies=conclusions.presences) for x in output.locks)
                out[output.id] = _unlocked(out[output.id], tuple(locks))
            lit[output.id] = _on(out[output.id])
    done = HouseRun(project, recording, conclusions, out, hands, ladders, lit)
    if same is not None:
        done._dark.update({room: dark for room, dark in same.run._dark.items() if room in same.of.rooms})
    return done


@memoised
def _unlocked(levels: TimeSeries, locks: tuple[Signal, ...]) -> TimeSeries:
    """Levels cut to nothing while a lock holds: it stands above rows and guards."""
    return first_active([(any_of(locks), TimeSeries.constant(0.0, levels.start, levels.end))], levels)


def _rows(
    output: GuardedOutput, project: Project, recording: Recording, conclusions: Conclusions
) -> tuple[Signal, ...]:
    """While each row of an output's own ladder holds."""
    return tuple(evaluate_expr(project, row.when, recording, dependencies=conclusions.presences) for row in output.rows)


@memoised
def _supplied(levels: TimeSeries, supply: Signal) -> TimeSeries:
    """Levels cut to nothing while there is no supply."""
    return first_active([(supply, levels)], TimeSeries.constant(0.0, levels.start, levels.end))


def _followed(project: Project, recording: Recording, output: Output, situation: OutputContext) -> OutputContext:
    """What an output follows: a lamp that follows a zone, by whether somebody is in that."""
    said = zone_followed(project, output, recording)
    return situation if said is None else situation._replace(presence=said)


def _pressed(room: Room, hands: ActionsByRoom, end: float) -> Signal | None:
    if room.control != "absence":
        return None
    hand = hands.get(room.id)
    return never(end) if hand is None else hand.pressed


@memoised
def _output(output: Output, situation: OutputContext) -> TimeSeries:
    return handler_of(output).run(output, situation)

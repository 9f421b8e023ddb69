"""`HouseRun`: what the house concluded from a recording, and what it did. It knows nothing of who was there.

Conclusions come from the reports (`fusion`), darkness from the sun (`daylight`), and from both what each output does
(`outputs`). A hand on a switch comes from outside, as presses. Each result is kept by the very records and signals it
reads, so that a changed hold time costs the algebra of one room.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from vastwatch.control.daylight import darkness
from vastwatch.control.fusion import evaluate
from vastwatch.control.outputs.handler import Situation, handler_of, kwh, lights_in
from vastwatch.control.recording import Recording
from vastwatch.design.presence import hold_of, reports
from vastwatch.design.project import Project
from vastwatch.design.records import Expr, Fixture
from vastwatch.design.relations import outputs, outputs_in, presence_of, sensors_of
from vastwatch.memo import kept
from vastwatch.signals import Levels, Signal, all_of, any_of
from vastwatch.site.building import Room

# By room: while somebody presses its switch.
Hands = Mapping[str, Signal]


@dataclass(frozen=True, eq=False)
class Conclusions:
    """By record id, what is concluded over a recording; and by room, while it is too dark there without its lamps."""

    presences: dict[str, Signal]
    dark: dict[str, Signal]


def conclude(project: Project, recording: Recording) -> Conclusions:
    """What the house makes of the reports. A sensor that the recording does not know says nothing."""
    return Conclusions(
        {p.id: concluded(p.expr, recording) for p in project.presences},
        darkness(project, recording.calendar),
    )


def concluded(expr: Expr, recording: Recording) -> Signal:
    """The signal of an expression over a recording."""
    read = tuple(dict.fromkeys((r.sensor, r.state) for r in reports(expr)))
    return _concluded(expr, read, tuple(recording.reports.get(key) for key in read), recording.end)


@kept
def _concluded(
    expr: Expr, read: tuple[tuple[str, str | None], ...], said: tuple[Signal | None, ...], end: float
) -> Signal:
    silent = Signal.constant(False, 0.0, end)
    by_key = {key: silent if signal is None else signal for key, signal in zip(read, said)}
    return evaluate(expr, lambda sensor, state: by_key[sensor, state])


@dataclass(frozen=True, eq=False)
class HouseRun:
    """The outcome. Instants are seconds from the recording's first midnight; `outputs` by record id."""

    project: Project
    recording: Recording
    conclusions: Conclusions
    outputs: dict[str, Levels]

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
        read = () if presence is None else sensors_of(presence)
        known = [self.recording.known[s] for s in read if s in self.recording.known]
        return all_of(known) if known else Signal.constant(True, 0.0, self.end)

    @cached_property
    def signals(self) -> dict[str, Signal]:
        """Signals by record id: sensors, presences, and outputs while they are on at all."""
        out = {s: self.recording.report(s) for s in self.recording.sensors}
        out |= self.conclusions.presences
        off = Signal.constant(False, 0.0, self.end)
        for o in outputs(self.project):
            out[o.id] = _served((self.outputs[o.id],)) if o.id in self.outputs else off
        return out


@kept
def _served(levels: tuple[Levels, ...]) -> Signal:
    return any_of([each.above(0.0) for each in levels])


def run(project: Project, recording: Recording, hands: Hands | None = None) -> HouseRun:
    """What the house does, given what sensors said and who pressed what.

    `hands` matter in rooms where a hand switches on; without any, the lights there stay off.
    """
    conclusions = conclude(project, recording)
    out: dict[str, Levels] = {}
    for room in project.rooms:
        presence = presence_of(project, room.id)
        if presence is None:
            continue
        situation = Situation(
            conclusions.presences[presence.id], conclusions.dark[room.id],
            _pressed(room, hands or {}, recording.end), hold_of(presence.expr) or 0.0,
        )  # fmt: skip
        for output in outputs_in(project, room.id):
            out[output.id] = _output(output, situation)
    return HouseRun(project, recording, conclusions, out)


def _pressed(room: Room, hands: Hands, end: float) -> Signal | None:
    if room.control != "absence":
        return None
    return hands.get(room.id) or _never(end)


@kept
def _never(end: float) -> Signal:
    return Signal.constant(False, 0.0, end)


@kept
def _output(output: Fixture, situation: Situation) -> Levels:
    return handler_of(output).run(output, situation)

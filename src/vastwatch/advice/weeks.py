"""Lived weeks of one room: some days of its people under one seed, and what any hold would have come to in them.

Only the people and the sensors that the room's presence reads are run, so that many seeds are to be had.
"""

from __future__ import annotations

from dataclasses import dataclass

from msgspec.structs import replace

from vastwatch.advice.curves import ByHand, Curve, Waving
from vastwatch.control.daylight import darkness
from vastwatch.control.house import concluded
from vastwatch.control.outputs.handler import lights_in
from vastwatch.control.reactions import Stretches, Waved
from vastwatch.control.recording import Recording
from vastwatch.design.project import Project, find
from vastwatch.design.records import Presence
from vastwatch.design.relations import presence_of
from vastwatch.memo import kept
from vastwatch.people.truth import Truth, simulate_days
from vastwatch.rehearsal.reactors import occupied, sensors_read, start_and_keep, waving_at
from vastwatch.rehearsal.run import record
from vastwatch.signals import Calendar, Signal


@dataclass(frozen=True, eq=False)
class Lived:
    """Some days of one room: who needed light, and the curve of what each hold would have come to."""

    calendar: Calendar
    awake: Signal
    dark: Signal
    curve: Curve

    @property
    def days(self) -> int:
        """How many."""
        return self.calendar.days


def tunable(project: Project, room: str) -> Presence:
    """The presence of a room whose hold can be tuned. Raises ValueError with a sentence where there is none."""
    name = find(project.rooms, room).name
    presence = presence_of(project, room)
    if presence is None:
        raise ValueError(f"{name} has no presence to tune: place a sensor in it first")
    if not lights_in(project, room):
        raise ValueError(f"{name} has no lamp that presence could light")
    if start_and_keep(presence.expr) is None:
        raise ValueError(f"the presence of {name} has no single hold time to tune")
    return presence


def lived(project: Project, room: str, days: int, seed: int) -> Lived:
    """Days of a room under a seed, its own sensors heard alone. Raises ValueError as `tunable`."""
    presence = tunable(project, room)
    read = set(sensors_read(presence))
    alone = replace(project, sensors=tuple(s for s in project.sensors if s.id in read))
    truth = simulate_days(project, days, seed)
    return lived_in(project, room, truth, record(alone, truth))


def lived_in(project: Project, room: str, truth: Truth, recording: Recording) -> Lived:
    """The days of a truth as they were in a room. Raises ValueError as `tunable`."""
    presence = tunable(project, room)
    parts = start_and_keep(presence.expr)
    assert parts is not None
    start, keep = (concluded(p, recording) for p in parts)
    if (start - keep).total() > 0:
        name = find(project.rooms, room).name
        raise ValueError(f"{name}: what starts the light must also keep it before its hold time can be tuned")
    awake, dark = occupied(truth, room, True), darkness(project, recording.calendar)[room]
    if find(project.rooms, room).control == "absence":
        return _by_hand(start, keep, awake, dark, truth.calendar)
    asked = waving_at(project, presence, truth, recording, dark)
    who, sensors = (None, ()) if asked is None else asked[2:]
    return _waving(start, keep, awake, dark, who, sensors, truth.calendar)


@kept
def _by_hand(start: Signal, keep: Signal, awake: Signal, dark: Signal, calendar: Calendar) -> Lived:
    return Lived(calendar, awake, dark, ByHand(start, keep, awake, dark))


@kept
def _waving(
    start: Signal, keep: Signal, awake: Signal, dark: Signal, who: Stretches | None, sensors: tuple[Waved, ...],
    calendar: Calendar,
) -> Lived:  # fmt: skip
    return Lived(calendar, awake, dark, Waving(start, keep, awake, dark, who or Stretches.none(0), sensors))

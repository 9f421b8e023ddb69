"""Simulated weeks of one room: some days of its people under one seed, and what any hold would have come to in them.

Everybody is simulated, and of the sensors only those run that the room's presence reads, so that many seeds are to be
had.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from dataclasses import replace as replace_fields
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.simulation.hold_curves import (
    AnyConclusionCurve,
    ButtonCurve,
    Curve,
    FixedCurve,
    ManualOnCurve,
    WavingCurve,
)
from vastwatch.control.evaluation import evaluate_expr, evaluate_with
from vastwatch.control.light.darkness import house_dark
from vastwatch.control.light.daylight import darkness
from vastwatch.control.lighting import LightRule, delays_words, run_ladders
from vastwatch.control.manual.manual_switching import expected_manual_cost
from vastwatch.control.manual.reactions import OccupancyIntervals, WaveSensor
from vastwatch.control.outputs.handler import lights_in
from vastwatch.control.recording import Recording
from vastwatch.design.asked import asked_by
from vastwatch.design.expressions import Expr
from vastwatch.design.ladders import delayed_rows, ladder_lamps
from vastwatch.design.needs import needs_of
from vastwatch.design.presence import hold_of, press_hold, with_hold
from vastwatch.design.project import Project, find
from vastwatch.design.records import Conclusion
from vastwatch.design.relations import buttons_in, presence_of
from vastwatch.memo import memoised
from vastwatch.people.truth import There, Truth, simulate_days
from vastwatch.rehearsal.impairments import powered
from vastwatch.rehearsal.light_preferences import disturbing_light, long_enough, overrides_in
from vastwatch.rehearsal.reaction_inputs import (
    LeafInputs,
    conditions,
    dependency_signals,
    effective_light_rule,
    is_single_hold,
    occupancy_intervals,
    occupied,
    start_and_keep,
    wave_sensors,
)
from vastwatch.rehearsal.run import make_recording
from vastwatch.rehearsal.scoring.scores import comers
from vastwatch.signals import Calendar, Signal, any_of
from vastwatch.signals.memoised_ops import difference
from vastwatch.site.building import Spot

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Visits:
    """When each who came into a room awake came, and left or fell asleep, (n,) each."""

    came: Array
    left: Array


@dataclass(frozen=True, eq=False)
class RoomReplicate:
    """Some days of one room: who was there and asked for light, and who slept there alone (while what is on there, if
    anything does, is more than sleepers bear), when each came in awake, what starts the light, and the curve of what
    each hold would have come to."""

    calendar: Calendar
    there: There
    asleep: Signal
    dark: Signal
    visits: Visits
    start: Signal
    curve: Curve

    @property
    def days(self) -> int:
        """How many."""
        return self.calendar.days


@memoised
def lighting_conclusion(project: Project, room: str) -> Conclusion:
    """The conclusion that a room's lamps follow. Raises ValueError with a sentence where there is none."""
    name = find(project.rooms, room).name
    presence = presence_of(project, room)
    if presence is None:
        raise ValueError(f"{name} has no presence to tune: place a sensor there first")
    if not lights_in(project, room):
        raise ValueError(f"{name} has no lamp that presence could switch on")
    if delayed := delayed_rows(project, room):
        raise ValueError(delays_words(project, room, delayed))
    return presence


def tunable_conclusion(project: Project, room: str) -> Conclusion:
    """The same where it has one hold time to tune. Raises ValueError with a sentence where it has not."""
    presence = lighting_conclusion(project, room)
    if hold_of(presence.expr) is None:
        raise ValueError(f"the presence of {find(project.rooms, room).name} has no single hold time to tune")
    return presence


def nobody_there(project: Project, room: str) -> str:
    """Why nothing can be said of a room's hold where nobody is ever awake in it."""
    return (
        f"nobody was awake in {find(project.rooms, room).name.lower()} in these weeks, so there is nothing to tune for"
    )


def simulate_room_batch(project: Project, room: str, days: int, seeds: Sequence[int]) -> list[RoomReplicate]:
    """`simulate_room` under each of some seeds: for several, sensors are heard in one go."""
    if len(seeds) > 1:
        # Loaded where many replicates are simulated: the compiler takes a moment.
        from vastwatch.rehearsal import report_batch

        report_batch.fill_report_cache(_alone(project, room), [simulate_days(project, days, s) for s in seeds])
    return [simulate_room(project, room, days, seed) for seed in seeds]


@memoised
def simulate_room(project: Project, room: str, days: int, seed: int) -> RoomReplicate:
    """Days of a room under a seed, its own sensors heard alone. Raises ValueError as `lighting_conclusion`."""
    truth = simulate_days(project, days, seed)
    asked = _alone(project, room)
    return room_replicate(asked, room, truth, make_recording(asked, truth))


def _alone(project: Project, room: str) -> Project:
    lighting_conclusion(project, room)
    return asked_by(project, room)


def room_replicate(project: Project, room: str, truth: Truth, recording: Recording) -> RoomReplicate:
    """The days of a truth as they were in a room. Raises ValueError as `lighting_conclusion`."""
    found = _without_buttons(project, room, truth, recording)
    if not buttons_in(project, room) or not ladder_lamps(project, room):
        return found
    present, absent = disturbing_light(project, room, truth, recording)
    if not long_enough(present | absent):
        return found
    supplied = powered(project, truth)

    def lit(own: Signal) -> Signal:
        below = run_ladders(project, room, recording, own)
        assert below is not None
        did = run_ladders(project, room, recording, own, overrides_in(project, room, truth, recording, below, own))
        assert did is not None
        dark = house_dark(project, room, recording)
        lights = [x.id for x in lights_in(project, room)]
        each = [did.wanted.get(x, own & dark) for x in lights]
        return any_of([w & supplied[x] if x in supplied else w for x, w in zip(lights, each)])

    def pressed(own: Signal) -> bool:
        return long_enough((own & present) | (absent - own))

    due = effective_light_rule(project, room, truth, recording).demand
    return replace_fields(found, curve=ButtonCurve(found.curve, lit, found.there, due, pressed))


def _without_buttons(project: Project, room: str, truth: Truth, recording: Recording) -> RoomReplicate:
    presence = lighting_conclusion(project, room)
    how = effective_light_rule(project, room, truth, recording)
    dark = how.follows
    if how.unconditional is not None and how.follows.total() == 0:
        return _at_no_hold(project, room, how, truth, recording)
    unlit_s = unsupplied_dark_s(truth.there(room), how)
    named = dependency_signals(project, presence, truth, recording)
    by_hand = find(project.rooms, room).control == "absence"
    who, sensors = (
        occupancy_intervals(project, presence, truth, dark, recording.observed),
        wave_sensors(project, presence, truth.household.seed),
    )
    parts = start_and_keep(presence.expr)
    if parts is not None and (by_hand or is_single_hold(presence.expr)):
        start, keep = (evaluate_expr(project, p, recording, dependencies=named) for p in parts)
        # What starts and does not keep would make a curve of its own.
        if is_single_hold(presence.expr) or (start - keep).total() == 0:
            if by_hand:
                return _by_hand(start, keep, how, truth, room, unlit_s)
            return _waving(start, keep, how, who, sensors, truth, room, unlit_s)
    given = conditions(project, presence, recording, named)
    if by_hand:
        return _by_hand_at_any(presence.expr, given, how, truth, room, unlit_s)
    return _waving_at_any(presence.expr, given, how, who, sensors, truth, room, unlit_s)


@memoised
def unsupplied_dark_s(people: There, how: LightRule) -> float:
    """How long somebody stood in the dark of a room whose lights had no supply, seconds: whatever the hold."""
    if how.follows is how.demand:
        return 0.0
    without = (people.asking & how.demand) - how.follows
    return (without if how.unconditional is None else without - how.unconditional).total()


class ManualCost(NamedTuple):
    """What a room without sensors comes to, switched by hand: minutes needed and not lit, hours lit while empty, and
    arrivals into the dark, a day."""

    dark_min: float
    idle_h: float
    arrivals: float


@memoised
def manual_cost(project: Project, room: str, days: int, seed: int) -> ManualCost:
    """A room's days under a seed, per day, as if nothing were mounted there."""
    truth = simulate_days(project, days, seed)
    people, dark = truth.there(room), darkness(project, truth.calendar)[room]
    unlit, idle = expected_manual_cost(*people, dark)
    return ManualCost(unlit / 60.0 / days, idle / 3600.0 / days, dark_arrivals(people, dark) / days)


@memoised
def dark_arrivals(people: There, dark: Signal) -> int:
    """How often somebody came into the dark, were the light never on."""
    came, _ = comers(people, dark)
    return len(came)


# Where nobody needs light the light may go off on somebody once in so many hours of it.
HOURS_BETWEEN_DROPS = 20.0
# Days that tell how long light is needed in a week.
USUAL_DAYS = 7


def hours_between_false_offs(project: Project, spot: Spot) -> float:
    """How many hours of light somebody needs at a spot in a week, for each false-off that its room's needs allow."""
    truth = simulate_days(project, USUAL_DAYS, 1)
    needed = _needed_h(truth, spot.id, darkness(project, truth.calendar)[spot.room])
    allowed = needs_of(project, find(project.rooms, spot.room)).drops_per_week
    return needed / max(allowed, 1e-6) if needed > 0 else HOURS_BETWEEN_DROPS


@memoised
def _needed_h(truth: Truth, spot: str, dark: Signal) -> float:
    rows = [np.empty((0, 2))]
    places = [k for k, s in enumerate(truth.spots) if s.id == spot]
    for track in truth.tracks:
        at = np.isin(track.spot, places)
        if track.person.kind != "pet" and at.any():
            rows.append(truth.stays(track, at))
    return (Signal.from_intervals(np.concatenate(rows), 0.0, truth.end) & dark).total() / 3600.0


@memoised
def _at_no_hold(project: Project, room: str, how: LightRule, truth: Truth, recording: Recording) -> RoomReplicate:
    """A room whose light asks nothing of what is concluded there."""
    presence = lighting_conclusion(project, room)
    named = dependency_signals(project, presence, truth, recording)

    def own(hold_s: float) -> Signal:
        return evaluate_expr(project, with_hold(presence.expr, hold_s) or presence.expr, recording, dependencies=named)

    assert how.unconditional is not None
    curve = FixedCurve(how.unconditional, truth.there(room), how.demand, own)
    # Anybody who comes in is noticed once the light says so.
    return _lived(truth, room, how, how.unconditional, curve)


@memoised
def _by_hand(start: Signal, keep: Signal, how: LightRule, truth: Truth, room: str, unlit_s: float) -> RoomReplicate:
    curve = ManualOnCurve((start, keep), truth.there(room), how.follows, unlit_s, how.unconditional)
    return _lived(truth, room, how, start, curve)


@memoised
def _by_hand_at_any(
    expr: Expr, given: LeafInputs, how: LightRule, truth: Truth, room: str, unlit_s: float
) -> RoomReplicate:
    def presence(hold_s: float) -> Signal:
        return evaluate_with(with_hold(expr, hold_s) or expr, given.said, given.chains)

    start = evaluate_with(expr, given.said, given.chains)

    def press_s(hold_s: float) -> float:
        return press_hold(with_hold(expr, hold_s) or expr)

    curve = ManualOnCurve(presence, truth.there(room), how.follows, unlit_s, how.unconditional, press_s=press_s)
    return _lived(truth, room, how, start, curve)


@memoised
def _waving_at_any(
    expr: Expr, given: LeafInputs, how: LightRule, who: OccupancyIntervals, sensors: tuple[WaveSensor, ...],
    truth: Truth, room: str, unlit_s: float,
) -> RoomReplicate:  # fmt: skip
    curve = AnyConclusionCurve(expr, given, truth.there(room), how.follows, who, sensors, unlit_s, how.unconditional)
    return _lived(truth, room, how, evaluate_with(expr, given.said, given.chains), curve)


@memoised
def _waving(
    start: Signal, keep: Signal, how: LightRule, who: OccupancyIntervals, sensors: tuple[WaveSensor, ...], truth: Truth,
    room: str, unlit_s: float,
) -> RoomReplicate:  # fmt: skip
    curve = WavingCurve(start, keep, truth.there(room), how.follows, who, sensors, unlit_s, how.unconditional)
    return _lived(truth, room, how, start, curve)


def _lived(truth: Truth, room: str, how: LightRule, start: Signal, curve: Curve) -> RoomReplicate:
    people, everybody = truth.there(room), occupied(truth, room, False)
    asleep = difference(everybody, people.awake)
    # What is faint enough for sleepers does not wake them.
    woken = asleep if how.too_bright is None else asleep & how.too_bright
    dark = how.follows if how.follows.total() > 0 or how.unconditional is None else how.demand
    return RoomReplicate(truth.calendar, people, woken, dark, visits_of(truth, room), start, curve)


@memoised
def visits_of(truth: Truth, room: str) -> Visits:
    """Each stay of somebody awake in a room, pets not counted; who is there from the beginning has not come."""
    rows = [np.empty((0, 2))]
    for track in truth.tracks:
        if track.person.kind != "pet":
            rows.append(truth.person_in(track.person.id, room, awake_only=True).intervals)
    came, left = np.concatenate(rows).T
    return Visits(came[came > 0.0], left[came > 0.0])

"""`rehearse`: the people live some days in the design, its sensors record them, and the house does what it does.

A rehearsal is a truth, the recording that sensors make of it, the house run that follows from the recording alone, and
the scores that only truth can give. Each step is cached by what it reads.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from functools import cached_property
from operator import attrgetter

import numpy as np

from vastwatch.control.house import HouseRun, Same, run_house
from vastwatch.control.outputs.handler import handler_of
from vastwatch.control.recording import Recording
from vastwatch.control.self_illumination import with_self_illumination
from vastwatch.design.conclusions import all_facts_read, evaluation_order
from vastwatch.design.expressions import zone_part
from vastwatch.design.project import Project, find
from vastwatch.design.records import Output
from vastwatch.design.relations import outputs
from vastwatch.design.unaffected import NOTHING, unaffected
from vastwatch.memo import memoised
from vastwatch.people.truth import There, Truth, simulate_days
from vastwatch.rehearsal.impairments import powered
from vastwatch.rehearsal.light_preferences import asleep_in
from vastwatch.rehearsal.noticing.notices import Notices
from vastwatch.rehearsal.reaction_inputs import Simulated, occupied, simulate_reactions
from vastwatch.rehearsal.reports import SensorRun, notices_on, run_sensors, targets_on
from vastwatch.rehearsal.room_sensors.media_and_calls import calls_in, fact_signal, player_in
from vastwatch.rehearsal.scoring.incidents import Incident, find_incidents
from vastwatch.rehearsal.scoring.light_scores import LightScores, light_scores
from vastwatch.rehearsal.scoring.scores import OutputScores, Scores, score, score_output
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.tracker import to_plan
from vastwatch.signals import Calendar, Signal
from vastwatch.signals.memoised_ops import both, either, inverse, never

LONGEST_DAYS = 366
# Days of notices a rehearsal keeps for who asks what set a sensor off.
MOST_NOTICES = 400


@dataclass(frozen=True, eq=False)
class Rehearsal:
    """The outcome. Instants are seconds from the first local midnight."""

    project: Project
    days: int
    seed: int
    truth: Truth
    recording: Recording
    house: HouseRun
    simulated: Simulated
    # What is known already, of a rehearsal of another design: scores by room, and incidents of the rooms they are of.
    _scored: Mapping[str, Scores] = field(default_factory=dict)
    _told: tuple[frozenset[str], tuple[Incident, ...]] = (frozenset(), ())

    @property
    def calendar(self) -> Calendar:
        """Its days."""
        return self.truth.calendar

    @property
    def begin(self) -> date:
        """The first day."""
        return self.calendar.begin

    def clock(self, t: float) -> datetime:
        """Local time of an instant."""
        return self.calendar.clock(t)

    def occupied(self, room: str) -> Signal:
        """While somebody is in a room, awake or not."""
        return occupied(self.truth, room, False)

    def awake(self, room: str) -> Signal:
        """While somebody awake is in a room."""
        return occupied(self.truth, room, True)

    def there(self, room: str) -> There:
        """While somebody is awake in a room, and while one of them asks for light."""
        return self.truth.there(room)

    def needs_light(self, room: str) -> Signal:
        """While somebody who asks for light is in a room that daylight leaves in the dark."""
        return both(self.there(room).asking, self.house.dark(room))

    @cached_property
    def scores(self) -> dict[str, Scores]:
        """Scores of every room whose light the house switches."""
        out = {}
        for room in self.project.rooms:
            if room.id in self._scored:
                out[room.id] = self._scored[room.id]
                continue
            lit = self.house.served(room.id)
            if lit is not None:
                hand = self.house.actions.get(room.id)
                reacted = (0, 0) if hand is None else (len(hand.waves), len(hand.switch_trips))
                people = self.there(room.id)
                scores = score(lit, people, self.house.dark(room.id), self.house.watts(room.id), self.days, reacted)
                if room.id in self.house.ladders:
                    # What is on dimmed is on less.
                    scores = replace(
                        scores, wasted_kwh=self.house.kwh_while(room.id, inverse(people.awake)) / self.days
                    )
                out[room.id] = scores
        return out

    @cached_property
    def light_scores(self) -> dict[str, LightScores]:
        """Scores of the light of every room that the house lights, beyond on and off."""
        return {
            room.id: light_scores(self.project, room.id, self.truth, self.house, self.days)
            for room in self.project.rooms
            if self.house.served(room.id) is not None
        }

    @cached_property
    def output_scores(self) -> dict[str, OutputScores]:
        """Scores of everything the house switches, by record id."""
        return {
            o.id: score_output(
                self.signals[o.id], self.occupied(o.room), self.house.kwh(o), self.days, self._bothered(o)
            )
            for o in outputs(self.project)
            if o.id in self.house.outputs
        }

    def _bothered(self, output: Output) -> Signal:
        """While an output would bother somebody, did it run."""
        bothers = handler_of(output).disturbs
        if bothers == "nobody":
            return never(self.truth.end)
        anybody = self.occupied(output.room)
        if bothers == "anybody":
            return anybody
        quiet = either(asleep_in(self.truth, output.room), player_in(self.truth, output.room).film)
        return either(quiet, calls_in(self.truth, output.room))

    @cached_property
    def incidents(self) -> list[Incident]:
        """Everything that went wrong, by time."""
        told, known = self._told
        found = list(known)
        for room in self.project.rooms:
            if room.id in told:
                continue
            lit = self.house.served(room.id)
            if lit is not None:
                found += find_incidents(room.id, lit, self.there(room.id), self.house.dark(room.id))
        return sorted(found, key=attrgetter("at", "room", "kind"))

    @cached_property
    def incidents_by_room(self) -> dict[str, list[tuple[int, Incident]]]:
        """For each room its incidents, each with its place among all."""
        out: dict[str, list[tuple[int, Incident]]] = {}
        for k, incident in enumerate(self.incidents):
            out.setdefault(incident.room, []).append((k, incident))
        return out

    @property
    def signals(self) -> dict[str, Signal]:
        """Signals by record id: sensors, presences, and outputs while they are on at all."""
        return self.house.signals

    @cached_property
    def _noticed(self) -> dict[tuple[str, int], Notices]:
        return {}

    def notices(self, sensor: str, day: int) -> Notices:
        """All that a sensor noticed on a day."""
        if (sensor, day) not in self._noticed:
            # Chains are asked for day by day: those of a long run are not all held at once.
            while len(self._noticed) >= MOST_NOTICES:
                del self._noticed[next(iter(self._noticed))]
            self._noticed[sensor, day] = notices_on(self.project, sensor, self.truth, day)
        return self._noticed[sensor, day]

    def targets_at(self, sensor: str, t: float) -> list[tuple[float, float]]:
        """Where a tracking radar takes people to be at an instant, on the plan: its reading from the second before, as
        anybody who takes it for a place on the floor would draw it."""
        if not 0.0 <= t < self.truth.end:
            return []
        day = int(np.searchsorted([self.calendar.midnight(d + 1) for d in range(self.days)], t, side="right"))
        told = targets_on(self.project, sensor, self.truth, min(day, self.days - 1))
        if told is None:
            return []
        a, b = np.searchsorted(told.tick, [math.floor(t), math.floor(t) + 1])
        placed = find(self.project.sensors, sensor)
        known = zoned_sensor(self.project, placed)
        if known is None or a == b:
            return []
        return [(float(x), float(y)) for x, y in to_plan(known.pose, told.read[a:b])]


def replay(rehearsal: Rehearsal, project: Project) -> Rehearsal:
    """The same days and the same recording, concluded and done as another design would: for one that differs in
    nothing that sensors or people read, such as a hold time."""
    truth, recording = rehearsal.truth, rehearsal.recording
    if not all(fact in recording.facts for fact in all_facts_read(project)):
        # A conclusion has come to ask what nobody had told.
        recording = make_recording(project, truth)
    recording = with_self_illumination(project, recording)
    of = unaffected(rehearsal.project, project) if recording is rehearsal.recording else NOTHING
    known = Simulated(
        {room: hand for room, hand in rehearsal.simulated.hands.items() if room in of.rooms},
        {ident: said for ident, said in rehearsal.simulated.named.items() if ident in of.presences},
    )
    simulated = simulate_reactions(project, evaluation_order(project).sound, truth, recording, known)
    house = run_house(project, recording, simulated.hands, Same(rehearsal.house, of))
    computed = vars(rehearsal)
    scores = {room: s for room, s in computed.get("scores", {}).items() if room in of.rooms}
    incidents = tuple(i for i in computed.get("incidents", ()) if i.room in of.rooms)
    told = of.rooms if "incidents" in computed else frozenset()
    return Rehearsal(
        project, rehearsal.days, rehearsal.seed, truth, recording, house, simulated, scores, (told, incidents)
    )


def rehearse(project: Project, days: int = 7, seed: int = 1) -> Rehearsal:
    """Rehearse a design for some days. The same project, days and seed give the same result to the bit, and the first
    days of a longer rehearsal are those of a shorter one.

    Raises ValueError for less than one day or more than a year.
    """
    if not 1 <= days <= LONGEST_DAYS:
        raise ValueError(f"a rehearsal can have 1 to {LONGEST_DAYS} days, not {days}")
    truth = simulate_days(project, days, seed)
    recording = make_recording(project, truth)
    simulated = simulate_reactions(project, evaluation_order(project).sound, truth, recording)
    return Rehearsal(project, days, seed, truth, recording, run_house(project, recording, simulated.hands), simulated)


def make_recording(project: Project, truth: Truth) -> Recording:
    """What the design's sensors say of a truth; the same object again while none of them says anything else."""
    return recording_of(run_sensors(project, truth), project, truth)


def recording_of(runs: Mapping[str, SensorRun], project: Project, truth: Truth) -> Recording:
    """What some sensors said, by their ids, and the facts that the design's conclusions ask for; the same object again
    for the same runs."""
    supply = powered(project, truth)
    plain = _recording(
        tuple(runs), tuple(runs.values()), truth, all_facts_read(project), tuple(supply), tuple(supply.values())
    )
    return with_self_illumination(project, plain)


@memoised
def _recording(
    sensors: tuple[str, ...], runs: tuple[SensorRun, ...], truth: Truth, asked: tuple[tuple[str, str], ...],
    lamps: tuple[str, ...], supply: tuple[Signal, ...],
) -> Recording:  # fmt: skip
    known = {ident: each.operating for ident, each in zip(sensors, runs) if each.operating is not None}
    return Recording(
        truth.calendar, _Said(dict(zip(sensors, runs))), known, _Told(truth, asked, dict(zip(lamps, supply)))
    )


class _Told(Mapping[tuple[str, str], Signal]):
    """What the house is told besides, made where it is asked for."""

    def __init__(self, truth: Truth, asked: tuple[tuple[str, str], ...], supply: Mapping[str, Signal]) -> None:
        self._truth = truth
        self._known: dict[tuple[str, str], Signal | None] = dict.fromkeys(asked)
        self._known |= {("supply", lamp): on for lamp, on in supply.items()}

    def __getitem__(self, fact: tuple[str, str]) -> Signal:
        if (said := self._known[fact]) is None:
            said = self._known[fact] = fact_signal(self._truth, *fact)
        return said

    def __contains__(self, fact: object) -> bool:
        return fact in self._known

    def __iter__(self) -> Iterator[tuple[str, str]]:
        return iter(self._known)

    def __len__(self) -> int:
        return len(self._known)


class _Said(Mapping[tuple[str, str | None], Signal]):
    """Reports by sensor and part, made where they are asked for."""

    def __init__(self, runs: Mapping[str, SensorRun]) -> None:
        self._runs = runs
        self._zones: dict[tuple[str, str | None], Signal] = {
            (sensor, zone_part(zone)): said for sensor, each in runs.items() for zone, said in each.zones.items()
        }

    def __getitem__(self, key: tuple[str, str | None]) -> Signal:
        sensor, part = key
        if part is None:
            return self._runs[sensor].report
        if part in ("moving", "still"):
            return self._runs[sensor].moving if part == "moving" else self._runs[sensor].still
        return self._zones[key]

    def __iter__(self) -> Iterator[tuple[str, str | None]]:
        for sensor, each in self._runs.items():
            yield from ((sensor, part) for part in (None, "moving", "still", *map(zone_part, each.zones)))

    def __len__(self) -> int:
        return 3 * len(self._runs) + len(self._zones)

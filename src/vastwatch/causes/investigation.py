"""The inquiry into a room: everything that could have been otherwise about its incidents, each tried on the same
draws, and how much of each incident goes with it.

What is tried comes from the incidents themselves: what stood in a sight line, which way a sensor looked, what was
noticed while nobody was there. What is tried and changes nothing is no cause.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from vastwatch.causes.counterfactual import (
    ORDER,
    Counterfactual,
    at_usual_warmth,
    counterfactual_light,
    keeping,
    starting,
    turned,
    well_received,
    with_default_range,
    with_fast_report,
    with_firm_contact,
    with_fresh_cells,
    with_hold_time,
    with_supply,
    with_whole_sensor,
    without_bounce,
    without_hazard,
    without_obstacle,
    without_person,
)
from vastwatch.causes.episodes import DROP_S, Episodes, episodes
from vastwatch.causes.sightings import Sighting, keepers, last_trigger_of, noticed_between, people_in_dark, starters
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.expressions import DoorLatch, every_part
from vastwatch.design.needs import needs_of
from vastwatch.design.places import room_of
from vastwatch.design.presence import hold_of, reports
from vastwatch.design.project import Project, find
from vastwatch.design.relations import presence_of
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.scoring.incidents import Incident, Kind, find_incidents
from vastwatch.sensing.model import SightLine, latency_s
from vastwatch.sensing.mounted import mount
from vastwatch.signals import Signal

Array = NDArray[np.float64]

# Of an incident at least this share must go for a thing to be told as its cause, and this for it to have cured it.
SHRINKS, CURES = 0.2, 0.5
# What saves less than this of all such incidents only happened to meet this one.
MATTERS = 0.15
# What saves within this of the most that anything saves is as good; then the order of ORDER counts.
ALIKE = 0.1
# A hold is charged with this many seconds of harm for each second that the light is on while empty by it.
IDLE_COSTS = 0.1
# Of what stands in the way, and of ways to turn, no more are tried than so many, those first that meet most incidents.
MOST_OBSTACLES, MOST_AIMS, MOST_SOURCES = 8, 4, 8
# Somebody this far off the way a sensor looks could be looked at, and sensors are turned in such steps, degrees.
OFF_DEG, AIM_STEP_DEG = 15.0, 10.0
# Holds that are tried, seconds, as far as the brief allows them.
HOLDS_S = (30.0, 60.0, 90.0, 120.0, 180.0, 240.0, 300.0, 420.0, 600.0, 780.0, 900.0, 1200.0, 1800.0, 2700.0, 3600.0)
# A hold ends within so long after its time: what is late, and what is said again, seconds.
AFTER_HOLD_S = 5.0
# A device that starts more slowly than this could be quicker, seconds.
SLOW_S = 0.8


@dataclass(frozen=True, eq=False)
class FactorTest:
    """One thing otherwise: of each incident the share that goes with it, (n,), and of all their harm together, what it
    costs besides taken off. What it comes to when the days are rehearsed with it: by how many seconds the room's score
    of dark (or of light while empty) is less, and how many incidents of the kind there are fewer; None where what is
    otherwise is no setting that could be rehearsed."""

    counterfactual: Counterfactual
    share: Array
    saved_s: float
    saves_s: float | None = None
    fewer: int | None = None

    @property
    def cured(self) -> int:
        """How many incidents there are fewer with it; of what could not be rehearsed, how many go with it."""
        return int((self.share >= CURES).sum()) if self.fewer is None else self.fewer


@dataclass(frozen=True, eq=False)
class Investigation:
    """The incidents of one kind in a room, who was there, and all that was tried of them."""

    episodes: Episodes
    harm: Array
    present: tuple[tuple[Sighting, ...], ...]
    tests: tuple[FactorTest, ...]

    def index_of(self, incident: Incident) -> int:
        """The place of an incident among them. Raises KeyError for one that is not."""
        return self._places[incident]

    @cached_property
    def _places(self) -> dict[Incident, int]:
        return {incident: k for k, incident in enumerate(self.episodes.incidents)}

    def causes(self, k: int) -> list[FactorTest]:
        """What removes or shrinks the k-th incident: first what cures it, and there what saves most of all such."""
        cure = self._ranked([t for t in self.tests if t.share[k] >= CURES and t.saved_s >= MATTERS])
        # What makes as much harm elsewhere as it removes here is no cause.
        rest = self._ranked([t for t in self.tests if t.share[k] >= SHRINKS and t.saved_s > 0 and t not in cure])
        return cure + rest

    def _ranked(self, tried: list[FactorTest]) -> list[FactorTest]:
        if not self.episodes.dark:
            # What the light was on for goes before how long it stayed on after that.
            return sorted(tried, key=lambda t: (t.counterfactual.factor in ("hold", "own hold", "latch"), -t.saved_s))
        return _by_what_they_save(tried)


def _by_what_they_save(tried: list[FactorTest]) -> list[FactorTest]:
    left, out = list(tried), []
    while left:
        most = max(t.saved_s for t in left)
        alike = [t for t in left if t.saved_s >= most - ALIKE]
        first = min(alike, key=lambda t: (ORDER.index(t.counterfactual.factor), -t.saved_s))
        out.append(first)
        left.remove(first)
    return out


# Inquiries that have been made, for as long as somebody holds the rehearsal.
_MADE: WeakKeyDictionary[Rehearsal, dict[tuple[str, Kind], Investigation | None]] = WeakKeyDictionary()


def investigation(rehearsal: Rehearsal, room: str, kind: Kind) -> Investigation | None:
    """Inquire into the incidents of one kind in a room; None where there are none. Made once for a rehearsal."""
    made = _MADE.setdefault(rehearsal, {})
    if (room, kind) not in made:
        made[room, kind] = investigate(rehearsal, room, kind)
    return made[room, kind]


def investigate(
    rehearsal: Rehearsal, room: str, kind: Kind, should_continue: Callable[[], bool] = lambda: True
) -> Investigation | None:
    """As `investigation`, anew; when `should_continue` says no, with what has been tried so far."""
    mine = [i for _, i in rehearsal.incidents_by_room.get(room, []) if i.kind == kind]
    if not mine or presence_of(rehearsal.project, room) is None:
        return None
    of = episodes(rehearsal, room, kind, mine)
    light = rehearsal.house.served(room)
    assert light is not None
    harm, total = of.harm(light), of.harm_in_all(light)
    present = tuple(tuple(people_in_dark(rehearsal, i)) for i in mine) if of.dark else ((),) * len(mine)
    tried = []
    for instead in _candidates(rehearsal, room, of, present):
        if not should_continue():
            break
        other = counterfactual_light(rehearsal, room, instead)
        share = np.where(_concerned(rehearsal.project, instead, present), _share(of.harm(other), harm), 0.0)
        by_scores = _by_scores(rehearsal, room, of, light, other)
        tried.append(FactorTest(instead, share, _in_all(of, *by_scores) / max(total, 1e-9), *by_scores))
    tried += _holds(rehearsal, room, of, harm, total) if of.dark else _tails(rehearsal, room, of, harm)
    return Investigation(of, harm, present, tuple(t for t in tried if t.share.max() >= SHRINKS))


def _in_all(of: Episodes, saves_s: float, fewer: int) -> float:
    """Seconds of harm that go over all the days, new harm counted: with the price of false-offs."""
    return saves_s + (DROP_S * fewer if of.kind == "dropped" else 0.0)


def _by_scores(rehearsal: Rehearsal, room: str, of: Episodes, light: Signal, other: Signal) -> tuple[float, int]:
    """By how many seconds a room's score is less with another light, and how many incidents of the kind fewer."""
    need, there = rehearsal.needs_light(room), rehearsal.there(room)
    wrong = (need - light, need - other) if of.dark else (light - there.awake, other - there.awake)
    after = find_incidents(room, other, there, rehearsal.house.dark(room))
    return wrong[0].total() - wrong[1].total(), len(of.incidents) - sum(i.kind == of.kind for i in after)


def _concerned(
    project: Project, instead: Counterfactual, present: tuple[tuple[Sighting, ...], ...]
) -> NDArray[np.bool_]:
    """Which incidents a thing was tried for: what stood in a sight line to somebody, where a sensor looked past them.
    What helps another incident by a turn of its draws is no cause of it."""
    if instead.factor == "obstacle":
        return np.array([any(_hidden_by(s, instead.record) for w in ws for s in w.sights) for ws in present], bool)
    if instead.factor == "aim":
        way = instead.record, instead.value
        return np.array([way in {_past(project, s) for w in ws for s in w.sights} for ws in present], bool)
    return np.ones(len(present), bool)


def _hidden_by(s: SightLine, owner: str) -> bool:
    return any(ident == owner for ident, _ in s.hidden_by)


def _past(project: Project, s: SightLine) -> tuple[str, float] | None:
    """A sensor that looks past somebody, and the way it would have to look."""
    sensor = find(project.sensors, s.sensor)
    bearing = math.degrees(math.atan2(s.at[1] - sensor.at[1], s.at[0] - sensor.at[0]))
    past = abs((bearing - sensor.yaw + 180.0) % 360.0 - 180.0)
    if s.off_axis_deg <= OFF_DEG or past <= OFF_DEG:
        return None
    return s.sensor, round(bearing / AIM_STEP_DEG) * AIM_STEP_DEG % 360.0


def _share(left: Array, harm: Array) -> Array:
    return np.clip(1.0 - left / np.maximum(harm, 1e-9), 0.0, 1.0)


# -- what to try ---------------------------------------------------------------------------------------------------


def _candidates(
    rehearsal: Rehearsal, room: str, of: Episodes, present: tuple[tuple[Sighting, ...], ...]
) -> Iterator[Counterfactual]:
    project = rehearsal.project
    yield from _troubles(rehearsal, room)
    if not of.dark:
        yield from _sources(rehearsal, room, of)
        return
    presence = presence_of(project, room)
    assert presence is not None
    for zone in dict.fromkeys(r.zone for r in reports(presence.expr) if r.zone is not None):
        yield with_whole_sensor(project, presence, zone)
    yield from _in_the_way(project, present)
    yield from _turned(project, present)
    asked = starters(rehearsal, room) if of.kind == "late" else keepers(rehearsal, room)
    for sensor in asked:
        if (instead := with_default_range(project, sensor)) is not None:
            yield instead
    homes = {home.id for s in asked if (home := room_of(project, find(project.sensors, s))) is not None}
    seen = [s for witnesses in present for w in witnesses for s in w.sights]
    if any(s.contrast < 1.0 for s in seen):
        for warm in sorted(homes):
            if (instead := at_usual_warmth(project, warm)) is not None:
                yield instead
    yield from _others(rehearsal, room, of, asked)
    if of.kind == "late":
        for sensor in asked:
            if latency_s(mount(project, find(project.sensors, sensor)).device) > SLOW_S:
                yield with_fast_report(project, sensor)


def _troubles(rehearsal: Rehearsal, room: str) -> Iterator[Counterfactual]:
    """What goes wrong with the devices that the room's light asks, and with its supply."""
    project, recording = rehearsal.project, rehearsal.recording
    if any(("supply", light.id) in recording.facts for light in lights_in(project, room)):
        yield with_supply(project)
    for sensor in dict.fromkeys((*starters(rehearsal, room), *keepers(rehearsal, room))):
        dead = recording.observed.get(sensor)
        if dead is not None and find(project.devices, find(project.sensors, sensor).device).battery is not None:
            yield with_fresh_cells(project, sensor)
        for made in (well_received, with_firm_contact, without_bounce):
            if (instead := made(project, sensor)) is not None:
                yield instead


def _in_the_way(project: Project, present: tuple[tuple[Sighting, ...], ...]) -> Iterator[Counterfactual]:
    count = Counter(
        owner
        for witnesses in present
        for owner in {owner for w in witnesses for s in w.sights for owner, _ in s.hidden_by}
    )
    for owner, _ in count.most_common(MOST_OBSTACLES):
        if (instead := without_obstacle(project, owner)) is not None:
            yield instead


def _turned(project: Project, present: tuple[tuple[Sighting, ...], ...]) -> Iterator[Counterfactual]:
    """Each sensor that looks past somebody, turned to them."""
    count: Counter[tuple[str, float]] = Counter()
    for witnesses in present:
        ways = {_past(project, s) for w in witnesses for s in w.sights}
        count.update(way for way in ways if way is not None)
    for (ident, yaw), _ in count.most_common(MOST_AIMS):
        yield turned(project, ident, yaw)


def _others(rehearsal: Rehearsal, room: str, of: Episodes, asked: tuple[str, ...]) -> Iterator[Counterfactual]:
    """Sensors that are mounted in the room and are not asked."""
    project, presence = rehearsal.project, presence_of(rehearsal.project, room)
    assert presence is not None
    for sensor in project.sensors:
        home = room_of(project, sensor)
        if sensor.id in asked or home is None or home.id != room:
            continue
        made = (starting if of.kind == "late" else keeping)(project, presence, sensor.id)
        if made is not None:
            yield made


def _sources(rehearsal: Rehearsal, room: str, of: Episodes) -> Iterator[Counterfactual]:
    """Whatever was noticed while the light was on while empty."""
    asked = (
        keepers(rehearsal, room)
        if of.kind == "idle"
        else tuple(dict.fromkeys((*starters(rehearsal, room), *keepers(rehearsal, room))))
    )
    count: Counter[str] = Counter()
    begins = of.begin if of.kind == "idle" else of.begin - NOTICED_BEFORE_S
    for begin, end in zip(begins.tolist(), of.end.tolist()):
        count.update({s for sensor in asked for s in noticed_between(rehearsal, sensor, begin, end)})
    during = Signal.from_intervals(np.column_stack([begins, of.end]), 0.0, rehearsal.truth.end)
    hazards = {h.id for h in rehearsal.project.hazards}
    for source, _ in count.most_common(MOST_SOURCES):
        yield (
            without_hazard(rehearsal.project, source)
            if source in hazards
            else without_person(rehearsal.project, source, during)
        )


# What set off a light was noticed at most so long before it came on, seconds.
NOTICED_BEFORE_S = 15.0


# -- holds ---------------------------------------------------------------------------------------------------------


def _holds(rehearsal: Rehearsal, room: str, of: Episodes, harm: Array, total: float) -> list[FactorTest]:
    """The hold that would have saved most, less what it lights while empty."""
    presence = presence_of(rehearsal.project, room)
    assert presence is not None
    now = hold_of(presence.expr)
    if of.kind != "dropped" or now is None:
        return []
    longest = needs_of(rehearsal.project, find(rehearsal.project.rooms, room)).hold_max_s
    light, awake = rehearsal.house.served(room), rehearsal.awake(room)
    assert light is not None
    burned = (light - awake).total()
    best: tuple[float, Counterfactual, Signal] | None = None
    for seconds in (h for h in HOLDS_S if now < h <= longest):
        instead = with_hold_time(rehearsal.project, presence, seconds)
        assert instead is not None
        other = counterfactual_light(rehearsal, room, instead)
        more = IDLE_COSTS * ((other - awake).total() - burned)
        by_scores = _by_scores(rehearsal, room, of, light, other)
        saves = (_in_all(of, *by_scores) - more) / max(total, 1e-9)
        if best is None or saves > best[0]:
            best = saves, instead, other
    if best is None:
        return []
    saves, instead, other = best
    return [FactorTest(instead, _share(of.harm(other), harm), saves, *_by_scores(rehearsal, room, of, light, other))]


def _tails(rehearsal: Rehearsal, room: str, of: Episodes, harm: Array) -> list[FactorTest]:
    """What stayed on after the last report by the hold, and after what was noticed last by the device's own."""
    presence, out = presence_of(rehearsal.project, room), []
    assert presence is not None
    light = rehearsal.house.served(room)
    assert light is not None
    from_ = np.clip(of.keep_ended_at, of.begin, of.end)
    whole = Signal.from_intervals(np.column_stack([from_, of.end]), light.start, light.end) & light
    total = max(float(harm.sum()), 1e-9)
    after = whole.cumulative(of.end) - whole.cumulative(from_)
    hold = hold_of(presence.expr)
    by_hold = after if hold is None else np.minimum(after, hold + AFTER_HOLD_S)
    if hold is not None:
        out.append(
            FactorTest(
                Counterfactual("hold", presence.id, rehearsal.project),
                by_hold / np.maximum(harm, 1e-9),
                by_hold.sum() / total,
            )
        )
    if any(isinstance(part, DoorLatch) for part in every_part(presence.expr)):
        # Longer than its hold only a latch keeps it, until a door that it watches opens.
        latched = after - np.minimum(after, (hold or 0.0) + AFTER_HOLD_S)
        if latched.any():
            share = latched / np.maximum(harm, 1e-9)
            out.append(
                FactorTest(Counterfactual("latch", presence.id, rehearsal.project), share, latched.sum() / total)
            )
    for sensor in keepers(rehearsal, room):
        own = np.zeros(len(harm))
        for k, silent in enumerate(of.keep_ended_at.tolist()):
            falls = rehearsal.house.report(sensor).falls
            i = int(np.searchsorted(falls, silent + 1e-6, side="right")) - 1
            if i >= 0 and abs(falls[i] - silent) <= 1e-6:
                own[k] = max(silent - max(last_trigger_of(rehearsal, sensor, silent).at, of.begin[k]), 0.0)
        if own.any():
            share = own / np.maximum(harm, 1e-9)
            out.append(FactorTest(Counterfactual("own hold", sensor, rehearsal.project), share, own.sum() / total))
    return out

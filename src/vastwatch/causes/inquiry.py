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

from vastwatch.causes.episodes import DROP_S, Episodes, episodes
from vastwatch.causes.instead import (
    ORDER,
    Instead,
    as_it_comes,
    at_usual_warmth,
    held,
    keeping,
    light_instead,
    of_the_whole_sensor,
    quick,
    starting,
    surely_closing,
    turned,
    well_received,
    with_fresh_cells,
    with_supply,
    without_bounce,
    without_hazard,
    without_obstacle,
    without_person,
)
from vastwatch.causes.witnesses import Witness, in_the_dark, keepers, kept_on, noticed_between, starters
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
# A hold is charged with this many seconds of harm for each second that the light burns for nobody by it.
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
class Tried:
    """One thing otherwise: of each incident the share that goes with it, (n,), and of all their harm together, what it
    costs besides taken off. What it comes to when the days are rehearsed with it: by how many seconds the room's score
    of dark (or of burning for nobody) is less, and how many incidents of the kind there are fewer; None where what is
    otherwise is no setting that could be rehearsed."""

    instead: Instead
    share: Array
    saves: float
    saves_s: float | None = None
    fewer: int | None = None

    @property
    def cures(self) -> int:
        """How many incidents there are fewer with it; of what could not be rehearsed, how many go with it."""
        return int((self.share >= CURES).sum()) if self.fewer is None else self.fewer


@dataclass(frozen=True, eq=False)
class Inquiry:
    """The incidents of one kind in a room, who was there, and all that was tried of them."""

    of: Episodes
    harm: Array
    present: tuple[tuple[Witness, ...], ...]
    tried: tuple[Tried, ...]

    def place(self, incident: Incident) -> int:
        """The place of an incident among them. Raises KeyError for one that is not."""
        return self._places[incident]

    @cached_property
    def _places(self) -> dict[Incident, int]:
        return {incident: k for k, incident in enumerate(self.of.incidents)}

    def causes(self, k: int) -> list[Tried]:
        """What removes or shrinks the k-th incident: first what cures it, and there what saves most of all such."""
        cure = self._ranked([t for t in self.tried if t.share[k] >= CURES and t.saves >= MATTERS])
        # What makes as much harm elsewhere as it takes away here is no cause.
        rest = self._ranked([t for t in self.tried if t.share[k] >= SHRINKS and t.saves > 0 and t not in cure])
        return cure + rest

    def _ranked(self, tried: list[Tried]) -> list[Tried]:
        if not self.of.dark:
            # What the light burned for goes before how long it burned on after that.
            return sorted(tried, key=lambda t: (t.instead.lever in ("hold", "own hold", "latch"), -t.saves))
        return _by_what_they_save(tried)


def _by_what_they_save(tried: list[Tried]) -> list[Tried]:
    left, out = list(tried), []
    while left:
        most = max(t.saves for t in left)
        alike = [t for t in left if t.saves >= most - ALIKE]
        first = min(alike, key=lambda t: (ORDER.index(t.instead.lever), -t.saves))
        out.append(first)
        left.remove(first)
    return out


# Inquiries that have been made, for as long as somebody holds the rehearsal.
_MADE: WeakKeyDictionary[Rehearsal, dict[tuple[str, Kind], Inquiry | None]] = WeakKeyDictionary()


def inquiry(r: Rehearsal, room: str, kind: Kind) -> Inquiry | None:
    """Inquire into the incidents of one kind in a room; None where there are none. Made once for a rehearsal."""
    made = _MADE.setdefault(r, {})
    if (room, kind) not in made:
        made[room, kind] = inquire(r, room, kind)
    return made[room, kind]


def inquire(r: Rehearsal, room: str, kind: Kind, should_continue: Callable[[], bool] = lambda: True) -> Inquiry | None:
    """As `inquiry`, anew; when `should_continue` says no, with what has been tried so far."""
    mine = [i for _, i in r.incidents_by_room.get(room, []) if i.kind == kind]
    if not mine or presence_of(r.project, room) is None:
        return None
    of = episodes(r, room, kind, mine)
    light = r.house.served(room)
    assert light is not None
    harm, total = of.harm(light), of.harm_in_all(light)
    present = tuple(tuple(in_the_dark(r, i)) for i in mine) if of.dark else ((),) * len(mine)
    tried = []
    for instead in _candidates(r, room, of, present):
        if not should_continue():
            break
        other = light_instead(r, room, instead)
        share = np.where(_concerned(r.project, instead, present), _share(of.harm(other), harm), 0.0)
        by_scores = _by_scores(r, room, of, light, other)
        tried.append(Tried(instead, share, _in_all(of, *by_scores) / max(total, 1e-9), *by_scores))
    tried += _holds(r, room, of, harm, total) if of.dark else _tails(r, room, of, harm)
    return Inquiry(of, harm, present, tuple(t for t in tried if t.share.max() >= SHRINKS))


def _in_all(of: Episodes, saves_s: float, fewer: int) -> float:
    """Seconds of harm that go over all the days, new harm counted: with the price of drops."""
    return saves_s + (DROP_S * fewer if of.kind == "dropped" else 0.0)


def _by_scores(r: Rehearsal, room: str, of: Episodes, light: Signal, other: Signal) -> tuple[float, int]:
    """By how many seconds a room's score is less with another light, and how many incidents of the kind fewer."""
    need, there = r.needs_light(room), r.there(room)
    wrong = (need - light, need - other) if of.dark else (light - there.awake, other - there.awake)
    after = find_incidents(room, other, there, r.house.dark(room))
    return wrong[0].total() - wrong[1].total(), len(of.incidents) - sum(i.kind == of.kind for i in after)


def _concerned(project: Project, instead: Instead, present: tuple[tuple[Witness, ...], ...]) -> NDArray[np.bool_]:
    """Which incidents a thing was tried for: what stood in a sight line to somebody, where a sensor looked past them.
    What helps another incident by a turn of its draws is no cause of it."""
    if instead.lever == "obstacle":
        return np.array([any(_hidden_by(s, instead.record) for w in ws for s in w.sights) for ws in present], bool)
    if instead.lever == "aim":
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


def _candidates(r: Rehearsal, room: str, of: Episodes, present: tuple[tuple[Witness, ...], ...]) -> Iterator[Instead]:
    project = r.project
    yield from _troubles(r, room)
    if not of.dark:
        yield from _sources(r, room, of)
        return
    presence = presence_of(project, room)
    assert presence is not None
    for zone in dict.fromkeys(r.zone for r in reports(presence.expr) if r.zone is not None):
        yield of_the_whole_sensor(project, presence, zone)
    yield from _in_the_way(project, present)
    yield from _turned(project, present)
    asked = starters(r, room) if of.kind == "late" else keepers(r, room)
    for sensor in asked:
        if (instead := as_it_comes(project, sensor)) is not None:
            yield instead
    homes = {home.id for s in asked if (home := room_of(project, find(project.sensors, s))) is not None}
    seen = [s for witnesses in present for w in witnesses for s in w.sights]
    if any(s.contrast < 1.0 for s in seen):
        for warm in sorted(homes):
            if (instead := at_usual_warmth(project, warm)) is not None:
                yield instead
    yield from _others(r, room, of, asked)
    if of.kind == "late":
        for sensor in asked:
            if latency_s(mount(project, find(project.sensors, sensor)).device) > SLOW_S:
                yield quick(project, sensor)


def _troubles(r: Rehearsal, room: str) -> Iterator[Instead]:
    """What goes wrong with the devices that the room's light asks, and with its supply."""
    project, recording = r.project, r.recording
    if any(("supply", light.id) in recording.facts for light in lights_in(project, room)):
        yield with_supply(project)
    for sensor in dict.fromkeys((*starters(r, room), *keepers(r, room))):
        dead = recording.observed.get(sensor)
        if dead is not None and find(project.devices, find(project.sensors, sensor).device).battery is not None:
            yield with_fresh_cells(project, sensor)
        for made in (well_received, surely_closing, without_bounce):
            if (instead := made(project, sensor)) is not None:
                yield instead


def _in_the_way(project: Project, present: tuple[tuple[Witness, ...], ...]) -> Iterator[Instead]:
    count = Counter(
        owner
        for witnesses in present
        for owner in {owner for w in witnesses for s in w.sights for owner, _ in s.hidden_by}
    )
    for owner, _ in count.most_common(MOST_OBSTACLES):
        if (instead := without_obstacle(project, owner)) is not None:
            yield instead


def _turned(project: Project, present: tuple[tuple[Witness, ...], ...]) -> Iterator[Instead]:
    """Each sensor that looks past somebody, turned to them."""
    count: Counter[tuple[str, float]] = Counter()
    for witnesses in present:
        ways = {_past(project, s) for w in witnesses for s in w.sights}
        count.update(way for way in ways if way is not None)
    for (ident, yaw), _ in count.most_common(MOST_AIMS):
        yield turned(project, ident, yaw)


def _others(r: Rehearsal, room: str, of: Episodes, asked: tuple[str, ...]) -> Iterator[Instead]:
    """Sensors that hang in the room and are not asked."""
    project, presence = r.project, presence_of(r.project, room)
    assert presence is not None
    for sensor in project.sensors:
        home = room_of(project, sensor)
        if sensor.id in asked or home is None or home.id != room:
            continue
        made = (starting if of.kind == "late" else keeping)(project, presence, sensor.id)
        if made is not None:
            yield made


def _sources(r: Rehearsal, room: str, of: Episodes) -> Iterator[Instead]:
    """Whatever was noticed while the light was on for nobody."""
    asked = keepers(r, room) if of.kind == "idle" else tuple(dict.fromkeys((*starters(r, room), *keepers(r, room))))
    count: Counter[str] = Counter()
    begins = of.begin if of.kind == "idle" else of.begin - NOTICED_BEFORE_S
    for begin, end in zip(begins.tolist(), of.end.tolist()):
        count.update({s for sensor in asked for s in noticed_between(r, sensor, begin, end)})
    during = Signal.from_intervals(np.column_stack([begins, of.end]), 0.0, r.truth.end)
    hazards = {h.id for h in r.project.hazards}
    for source, _ in count.most_common(MOST_SOURCES):
        yield without_hazard(r.project, source) if source in hazards else without_person(r.project, source, during)


# What set off a light was noticed at most so long before it came on, seconds.
NOTICED_BEFORE_S = 15.0


# -- holds ---------------------------------------------------------------------------------------------------------


def _holds(r: Rehearsal, room: str, of: Episodes, harm: Array, total: float) -> list[Tried]:
    """The hold that would have saved most, what it burns for nobody taken off."""
    presence = presence_of(r.project, room)
    assert presence is not None
    now = hold_of(presence.expr)
    if of.kind != "dropped" or now is None:
        return []
    longest = needs_of(r.project, find(r.project.rooms, room)).hold_max_s
    light, awake = r.house.served(room), r.awake(room)
    assert light is not None
    burned = (light - awake).total()
    best: tuple[float, Instead, Signal] | None = None
    for seconds in (h for h in HOLDS_S if now < h <= longest):
        instead = held(r.project, presence, seconds)
        assert instead is not None
        other = light_instead(r, room, instead)
        more = IDLE_COSTS * ((other - awake).total() - burned)
        by_scores = _by_scores(r, room, of, light, other)
        saves = (_in_all(of, *by_scores) - more) / max(total, 1e-9)
        if best is None or saves > best[0]:
            best = saves, instead, other
    if best is None:
        return []
    saves, instead, other = best
    return [Tried(instead, _share(of.harm(other), harm), saves, *_by_scores(r, room, of, light, other))]


def _tails(r: Rehearsal, room: str, of: Episodes, harm: Array) -> list[Tried]:
    """What burned on after the last report by the hold, and after what was noticed last by the device's own."""
    presence, out = presence_of(r.project, room), []
    assert presence is not None
    light = r.house.served(room)
    assert light is not None
    from_ = np.clip(of.silent_from, of.begin, of.end)
    whole = Signal.from_intervals(np.column_stack([from_, of.end]), light.start, light.end) & light
    total = max(float(harm.sum()), 1e-9)
    after = whole.cumulative(of.end) - whole.cumulative(from_)
    hold = hold_of(presence.expr)
    by_hold = after if hold is None else np.minimum(after, hold + AFTER_HOLD_S)
    if hold is not None:
        out.append(
            Tried(Instead("hold", presence.id, r.project), by_hold / np.maximum(harm, 1e-9), by_hold.sum() / total)
        )
    if any(isinstance(part, DoorLatch) for part in every_part(presence.expr)):
        # Longer than its hold only a latch keeps it, until a door that it watches opens.
        latched = after - np.minimum(after, (hold or 0.0) + AFTER_HOLD_S)
        if latched.any():
            share = latched / np.maximum(harm, 1e-9)
            out.append(Tried(Instead("latch", presence.id, r.project), share, latched.sum() / total))
    for sensor in keepers(r, room):
        own = np.zeros(len(harm))
        for k, silent in enumerate(of.silent_from.tolist()):
            falls = r.house.report(sensor).falls
            i = int(np.searchsorted(falls, silent + 1e-6, side="right")) - 1
            if i >= 0 and abs(falls[i] - silent) <= 1e-6:
                own[k] = max(silent - max(kept_on(r, sensor, silent).at, of.begin[k]), 0.0)
        if own.any():
            share = own / np.maximum(harm, 1e-9)
            out.append(Tried(Instead("own hold", sensor, r.project), share, own.sum() / total))
    return out

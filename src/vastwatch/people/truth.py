"""`Truth`: where everybody was and who moved, over some days. It exists only where days are simulated or walked.

What sensors make of it is another thing altogether (`control.recording`): nothing here knows of a sensor.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.free_days import days_away, free_days
from vastwatch.design.project import Project
from vastwatch.design.relations import levels_in_order
from vastwatch.memo import exclude_from_size, memoised
from vastwatch.people.routes import STEP, Route, RouteTable
from vastwatch.people.tracks import PersonDays, Track, TrackLog
from vastwatch.signals import Calendar, Signal
from vastwatch.site.building import Spot
from vastwatch.site.people import Person

Array = NDArray[np.float64]
Ints = NDArray[np.int64]

# A log knows midnights this far ahead, days: the longest rehearsal and the day after it.
FARTHEST = 368
# What was done is kept for up to so many days together, and for more of them in up to so many rooms: there one sensor
# is judged after the other.
KEPT_DAYS, KEPT_ROOMS = 7, 6


class Position(NamedTuple):
    """A position on the plan; `level` indexes the levels by elevation, -1 out of the house; `spot` while staying."""

    at: tuple[float, float]
    level: int
    spot: Spot | None
    facing: float


class There(NamedTuple):
    """People of a room, no pet among them: while somebody is `awake`, and while one of those is `asking` for light."""

    awake: Signal
    asking: Signal


class RoomChanges(NamedTuple):
    """Where the room changes along all routes, one after the other: samples from where the first room is left, and the
    room from there on; route k has rows first[k] to first[k + 1]."""

    sample: Ints
    room: Ints
    first: Ints


@exclude_from_size
@dataclass(frozen=True, eq=False)
class Truth:
    """Everybody over the days of a calendar.

    `routes` are the distinct routes walked; `rooms` the room ids that room indices mean.
    """

    calendar: Calendar
    spots: tuple[Spot, ...]
    routes: tuple[Route, ...]
    tracks: tuple[Track, ...]
    rooms: tuple[str, ...]
    spot_room: Ints
    spot_level: Ints
    household: Household

    def household_day(self, day: int) -> HouseholdDays:
        """What everybody did on one day."""
        return self.household.simulate(day, day + 1)

    @property
    def begin(self) -> date:
        """The first day."""
        return self.calendar.begin

    @property
    def end(self) -> float:
        """The last midnight, seconds from the first."""
        return self.calendar.end

    @cached_property
    def route_base(self) -> Ints:
        """First row of each route in the concatenated samples."""
        return np.concatenate([[0], np.cumsum([len(r.points) for r in self.routes])]).astype(int)

    @cached_property
    def samples(self) -> tuple[Array, NDArray[np.int32], NDArray[np.int32], Array]:
        """Points, level index, room index and heading of all routes, one after the other."""
        if not self.routes:
            none = np.zeros(0, np.int32)
            return np.zeros((0, 2)), none, none, np.zeros(0)
        return (
            np.concatenate([r.points for r in self.routes]),
            np.concatenate([r.level for r in self.routes]),
            np.concatenate([r.room for r in self.routes]),
            np.concatenate([r.heading for r in self.routes]),
        )

    @cached_property
    def _changes(self) -> RoomChanges:
        first = np.concatenate([[0], np.cumsum([len(r.changes[0]) for r in self.routes])]).astype(int)
        if not self.routes:
            return RoomChanges(np.empty(0, int), np.empty(0, int), first)
        at, rooms = map(np.concatenate, zip(*(r.changes for r in self.routes)))
        return RoomChanges(at - np.repeat([r.exit_sample for r in self.routes], np.diff(first)), rooms, first)

    def _places(self, track: Track) -> tuple[Array, Ints, NDArray[np.bool_]]:
        """Instants at which the person's room changes, the room from then on (-1 away), and whether they sleep there;
        one instant more ends the last."""
        if id(track) not in self._places_known:
            self._places_known[id(track)] = self._places_of(track)
        return self._places_known[id(track)]

    @cached_property
    def _places_known(self) -> dict[int, tuple[Array, Ints, NDArray[np.bool_]]]:
        return {}

    def _places_of(self, track: Track) -> tuple[Array, Ints, NDArray[np.bool_]]:
        activity = np.array([s.activity for s in self.spots])
        at_spot = np.where(activity == "away", -1, self.spot_room)
        c = self._changes
        count = (c.first[1:] - c.first[:-1])[track.route]
        walk = np.repeat(np.arange(len(count)), count)
        row = np.arange(len(walk)) - np.repeat(np.cumsum(count) - count, count) + c.first[track.route][walk]
        t = np.concatenate([track.arrive, track.exit_at[walk] + c.sample[row] * STEP / track.speed[walk]])
        r = np.concatenate([at_spot[track.spot], c.room[row]])
        asleep = np.concatenate([(activity == "sleeping")[track.spot], np.zeros(len(row), bool)])
        order = np.argsort(t, kind="stable")
        return np.append(np.clip(t[order], 0.0, self.end), self.end), r[order], asleep[order]

    def occupied(self, room: str, awake_only: bool = True) -> Signal:
        """Whether somebody (no pet) is in a room, and awake."""
        key = "", room, awake_only
        if key not in self._persons:
            rows = [self._stretches(track, room, awake_only) for track in self.tracks if track.person.kind != "pet"]
            self._persons[key] = Signal.from_intervals(np.concatenate([np.empty((0, 2)), *rows]), 0.0, self.end)
        return self._persons[key]

    def there(self, room: str) -> There:
        """While somebody is awake in a room, and while one of them asks for light: walks, or stays where it is asked
        for (`Spot.asks_for_light`)."""
        if room not in self._there:
            awake = self.occupied(room, True)
            self._there[room] = There(awake, self._asking(room, awake))
        return self._there[room]

    @cached_property
    def _there(self) -> dict[str, There]:
        return {}

    def _asking(self, room: str, awake: Signal) -> Signal:
        without = [k for k, s in enumerate(self.spots) if s.room == room and not s.asks_for_light]
        rows, content = [np.empty((0, 2))], False
        for track in self.tracks:
            if track.person.kind != "pet":
                here, at = self._stretches(track, room, True), np.isin(track.spot, without)
                stays = Signal.from_intervals(self.stays(track, at), 0.0, self.end)
                asks = Signal.from_intervals(here, 0.0, self.end) - stays
                rows.append(asks.intervals)
                content |= bool(at.any())
        # The very same signal where nobody is content, so that what follows from it is found again.
        return Signal.from_intervals(np.concatenate(rows), 0.0, self.end) if content else awake

    def person_in(self, person: str, room: str, awake_only: bool = False) -> Signal:
        """Whether one person, awake or not, is in a room."""
        key = person, room, awake_only
        if key not in self._persons:
            self._persons[key] = self._person_in(*key)
        return self._persons[key]

    def stays(self, track: Track, at: NDArray[np.bool_]) -> Array:
        """The [from, to) rows, (n, 2), of those of a person's stays that `at` says, cut at the end of the run: a
        walk that is under way then leads to a stay that begins after it, of which nothing is left."""
        return np.minimum(np.column_stack([track.arrive[at], track.leave[at]]), self.end)

    def stays_at(self, room: str, of: Callable[[Spot], bool], least_s: float = 0.0) -> Signal:
        """While anybody but a pet stays at places of a room that are `of` some kind, for so long at the least."""
        places = [k for k, s in enumerate(self.spots) if s.room == room and of(s)]
        rows = [np.empty((0, 2))]
        for track in self.tracks:
            at = np.isin(track.spot, places) & (track.leave - track.arrive >= least_s)
            if track.person.kind != "pet":
                rows.append(self.stays(track, at))
        return Signal.from_intervals(np.concatenate(rows), 0.0, self.end)

    @cached_property
    def _persons(self) -> dict[tuple[str, str, bool], Signal]:
        """By person, room and whether awake; of nobody's name for all together."""
        return {}

    def _person_in(self, person: str, room: str, awake_only: bool) -> Signal:
        track = next(t for t in self.tracks if t.person.id == person)
        return Signal.from_intervals(self._stretches(track, room, awake_only), 0.0, self.end)

    def _stretches(self, track: Track, room: str, awake_only: bool) -> Array:
        """The [from, to) rows, (n, 2), during which a person is in a room (and awake); none for a room that was not
        there."""
        if room not in self.rooms:
            return np.empty((0, 2))
        times, rooms, asleep = self._places(track)
        here = rooms == self.rooms.index(room)
        if awake_only:
            here &= ~asleep
        k = np.flatnonzero(here)
        rows = np.column_stack([times[k], times[k + 1]])
        return rows[rows[:, 1] > rows[:, 0]]

    def where(self, track: Track, t: float) -> Position:
        """Where a person is at an instant."""
        k = max(int(np.searchsorted(track.arrive, t, side="right")) - 1, 0)
        spot = self.spots[track.spot[k]]
        if t < track.leave[k] or k >= len(track.route):
            level = -1 if spot.activity == "away" else int(self.spot_level[track.spot[k]])
            return Position(spot.at, level, spot, spot.facing)
        r = self.routes[track.route[k]]
        i = r.exit_sample + math.floor((t - track.exit_at[k]) * track.speed[k] / STEP)
        i = min(max(i, 0), len(r.points) - 1)
        x, y = r.points[i]
        return Position((float(x), float(y)), int(r.level[i]), None, float(r.heading[i]))


@dataclass(frozen=True, eq=False)
class HouseholdDays:
    """What everybody did on some days, [begin, end): `walk_person`, `stay_person` and `motion_person` say whose each
    row is, by place among the people. The other columns are those of `tracks.PersonDays`; small movements may be told
    room by room."""

    begin: float
    end: float
    people: tuple[Person, ...]
    walk_person: Ints
    stay_person: Ints
    motion_person: Ints
    joined: PersonDays

    @cached_property
    def _minor_by_spot(self) -> tuple[Ints, Ints]:
        """The rows of the small movements, spot after spot, and where each spot's begin."""
        spot = self.joined.minor_spot
        order = np.argsort(spot, kind="stable")
        return order, np.searchsorted(spot[order], np.arange(int(spot.max(initial=-1)) + 2))

    def minor_at(self, spots: Ints) -> Ints:
        """The rows of the small movements at some spots, in order."""
        order, cuts = self._minor_by_spot
        rows = [order[cuts[k] : cuts[k + 1]] for k in spots.tolist() if k + 1 < len(cuts)]
        return np.sort(np.concatenate(rows)) if rows else order[:0]


def simulate_days(project: Project, days: int, seed: int) -> Truth:
    """Let everybody live `days` days from the brief's date. The days of a shorter run are shared with it."""
    book = _book(project.levels, project.walls, project.openings, project.rooms, project.furnishings, project.spots)
    brief = project.brief
    household = Household(
        book, project.people, brief.rehearse_from, project.place.timezone, seed, free_days(brief), days_away(brief)
    )
    return _truth(household, days)


@dataclass(frozen=True)
class Household:
    """The people of a building, from a date on: who lives which days. Equal where its parts are the same."""

    book: RouteTable
    people: tuple[Person, ...]
    begin: str
    zone: str
    seed: int
    free: tuple[str, ...] = ()
    away: tuple[str, ...] = ()

    def logs(self) -> list[TrackLog]:
        """Everybody's log of days."""
        return [_log(p, self.book, self.begin, self.zone, self.seed, self.free, self.away) for p in self.people]

    def simulate(self, first: int, last: int, spots: NDArray[np.bool_] | None = None) -> HouseholdDays:
        """Everybody's days from one to another (not with it). Of long times the small movements may be asked for at
        some `spots` of the book alone. Kept for a few days, or a few rooms; else made anew."""
        if last - first <= KEPT_DAYS:
            return _lives(self, first, last)
        rooms = set() if spots is None else {self.book.spots[k].room for k in np.flatnonzero(spots).tolist()}
        if spots is not None and len(rooms) <= KEPT_ROOMS:
            return _lives_in(self, first, last, sorted(rooms))
        return _lives_afresh(self, first, last, spots)


@memoised
def _book(levels, walls, openings, rooms, furnishings, spots) -> RouteTable:  # type: ignore[no-untyped-def]
    return RouteTable(
        Project(
            name="", levels=levels, walls=walls, openings=openings, rooms=rooms, furnishings=furnishings, spots=spots
        )
    )


@memoised
def _log(
    person: Person, book: RouteTable, begin: str, zone: str, seed: int, free: tuple[str, ...], away: tuple[str, ...]
) -> TrackLog:
    calendar = Calendar(date.fromisoformat(begin), zone, FARTHEST, free=free, away=away)
    return TrackLog(person, book, calendar, seed)


_NONE, _NOWHERE = np.empty(0), np.zeros(0, int)
_NOTHING = PersonDays(
    _NONE, _NONE, _NONE, _NOWHERE, _NONE, _NONE, _NONE, _NOWHERE, _NOWHERE, _NOWHERE, _NONE, _NOWHERE,
    np.zeros(0, bool),
)  # fmt: skip


def _lives_afresh(household: Household, first: int, last: int, spots: NDArray[np.bool_] | None = None) -> HouseholdDays:
    days = [log.days(first, last, spots) for log in household.logs()]

    def whose(column: int) -> Ints:
        return np.repeat(np.arange(len(days)), [len(d[column]) for d in days])

    joined = PersonDays(*(np.concatenate(c) for c in zip(*days))) if days else _NOTHING
    calendar = Calendar(date.fromisoformat(household.begin), household.zone, 1)
    return HouseholdDays(
        calendar.midnight(first), calendar.midnight(last), household.people, whose(0), whose(5), whose(10), joined
    )


_lives = memoised(_lives_afresh)


def _lives_in(household: Household, first: int, last: int, rooms: list[str]) -> HouseholdDays:
    """With the small movements in some rooms alone, one room after the other."""
    lives = _lives_unmoved(household, first, last)
    found = [_moved_in(household, first, last, room) for room in rooms]
    if not found:
        return lives
    who, t, spot, large = (np.concatenate(column) for column in zip(*found))
    return replace(
        lives, motion_person=who, joined=lives.joined._replace(minor_t=t, minor_spot=spot, minor_large=large)
    )


@memoised
def _lives_unmoved(household: Household, first: int, last: int) -> HouseholdDays:
    """Without any small movement."""
    return _lives_afresh(household, first, last, np.zeros(len(household.book.spots), bool))


@memoised
def _moved_in(household: Household, first: int, last: int, room: str) -> tuple[Ints, Array, Ints, NDArray[np.bool_]]:
    """The small movements in a room: whose, when, at which spot, and whether large."""
    lives = _lives_afresh(household, first, last, np.array([s.room == room for s in household.book.spots]))
    return lives.motion_person, lives.joined.minor_t, lives.joined.minor_spot, lives.joined.minor_large


@memoised
def _truth(household: Household, days: int) -> Truth:
    book = household.book
    tracks = tuple(log.track(days) for log in household.logs())
    order = {lv.id: i for i, lv in enumerate(levels_in_order(book.project))}
    room_level = {r.id: order[r.level] for r in book.project.rooms}
    room_place = {r.id: i for i, r in enumerate(book.project.rooms)}
    calendar = Calendar(
        date.fromisoformat(household.begin), household.zone, days, household.seed, household.free, household.away
    )
    return Truth(
        calendar, book.spots, tuple(book.routes), tracks,
        tuple(r.id for r in book.project.rooms),
        np.array([room_place[s.room] for s in book.spots], int),
        np.array([room_level[s.room] for s in book.spots], int),
        household,
    )  # fmt: skip

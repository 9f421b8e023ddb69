"""One person's time as it was simulated: stays at spots, routes between them, and the small movements while staying.

A track is only ever appended to, by whole days: a longer run shares the days of a shorter one. A walk is
fixed by the instant at which it leaves its first room, so that what stands in a room changes when people set out or
arrive there, and nothing anywhere else.
"""

from __future__ import annotations

from dataclasses import dataclass
from threading import Lock
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.people.minor_motion import MotionKeys, Stays, minor_motion_events
from vastwatch.people.plans import IN_FORCE_DAYS, Plans
from vastwatch.people.reachability import unreachable_spots
from vastwatch.people.routes import STEP, RouteTable
from vastwatch.rng import at_ms, key_of, normal
from vastwatch.signals import Calendar
from vastwatch.site.people import Person

Array = NDArray[np.float64]
Ints = NDArray[np.int64]

# Spread of walking speed from walk to walk, relative; and the speeds nobody leaves, m/s.
SPEED_SPREAD = 0.08
SLOWEST, FASTEST = 0.3, 2.5
# Between arriving and leaving again somebody stays at least this long, seconds.
SHORTEST_STAY = 4.0


@dataclass(frozen=True, eq=False)
class Track:
    """Stay k is at `spot[k]` from `arrive[k]` to `leave[k]`; then walk k along route `route[k]` at `speed[k]` until
    arrive[k + 1], out of its first room at `out[k]`. `tag[k]` names stay k, the same in every run that has it."""

    person: Person
    arrive: Array
    leave: Array
    spot: Ints
    stay_id: Ints
    exit_at: Array
    route: Ints
    speed: Array


class Walks(NamedTuple):
    """Walks, whole, each a row: from and until when, when out of its first room, along which route, and how fast."""

    leave: Array
    arrive: Array
    out: Array
    route: Ints
    speed: Array


class PersonDays(NamedTuple):
    """Some of one person's days: walks that touch them, whole; stays, cut at midnights, each with its day; small
    movements and where."""

    walk_leave: Array
    walk_arrive: Array
    walk_out: Array
    walk_route: Ints
    walk_speed: Array
    stay_from: Array
    stay_to: Array
    stay_day: Ints
    stay_spot: Ints
    stay_tag: Ints
    minor_t: Array
    minor_spot: Ints
    minor_large: NDArray[np.bool_]


class _Known(NamedTuple):
    """The track from the dawn before the first day to as far as it is known; the last stay has no end yet."""

    arrive: Array
    leave: Array
    spot: Ints
    tag: Ints
    out: Array
    route: Ints
    speed: Array


class TrackLog:
    """A person's track, growing by whole days."""

    def __init__(self, person: Person, book: RouteTable, calendar: Calendar, seed: int) -> None:
        self.person, self.book, self.calendar = person, book, calendar
        outside = next((s.id for s in book.project.spots if s.activity == "away"), None)
        self._plans = Plans(person, calendar, seed, outside)
        self._pace_key = key_of(seed, person.id, "pace")
        self.luck = MotionKeys(*(key_of(seed, person.id, name) for name in ("minor", "large", "settle")))
        self._growing = Lock()
        self._lost = {s.id for s in unreachable_spots(book.project, person)}
        # Nobody runs short visits from where they are not.
        self._away = {s.id for s in book.project.spots if s.activity == "away"} | self._lost
        # It begins a day early, so that short visits late in the evening before are on their way.
        dawn = calendar.midnight(-1)
        self._known = -1
        self._busy = dawn
        (begin,) = self._plans.lines(self._known - IN_FORCE_DAYS, self._known + 2).spots_at([dawn])
        if begin in self._lost:
            # Gone from a place that they can come back to.
            home = next(line.spot for line in person.stays if line.spot not in self._lost)
            spot = book.away_index(book.place[home])
        else:
            spot = book.place[begin]
        nothing, nowhere = np.empty(0), np.zeros(0, int)
        self._so_far = _Known(
            np.array([dawn]), np.array([np.inf]), np.array([spot]), at_ms([dawn]), nothing, nowhere, nothing
        )

    def _until(self, day: int) -> _Known:
        """The track as far as it is known, at least to the end of a day and whatever has set out by then."""
        with self._growing:
            # Anybody who leaves a room just after the last midnight has set out before it.
            if self._known <= day + 1:
                self._live(self._known, day + 2)
                self._known = day + 2
            return self._so_far

    def track(self, days: int) -> Track:
        """The first `days` days."""
        k = self._until(days - 1)
        end = self.calendar.midnight(days)
        n = int(np.searchsorted(k.leave, end))
        arrive, leave = k.arrive[: n + 1].copy(), k.leave[: n + 1].copy()
        leave[-1] = max(end, arrive[-1])
        # What ended before the first midnight is forgotten.
        past = int(np.searchsorted(leave, 0.0, side="right"))
        # Midnight may find them walking: they stand where they are headed, for the few steps left.
        arrive[past] = 0.0
        return Track(
            self.person, arrive[past:], leave[past:], k.spot[past : n + 1], k.tag[past : n + 1], k.out[past:n],
            k.route[past:n], k.speed[past:n],
        )  # fmt: skip

    def days(self, first: int, last: int, spots: NDArray[np.bool_] | None = None) -> PersonDays:
        """What the person did from one day to another (not with it), cut at every midnight; small movements only at
        the `spots` that are asked for, by default all."""
        stays = self.stays(first, last)
        some = np.arange(len(stays.spot)) if spots is None else np.flatnonzero(spots[stays.spot])
        t, of, large = minor_motion_events(self.book.spots, stays.at(some), self.luck)
        order = np.argsort(t, kind="stable")
        t, of, large = t[order], some[of[order]], large[order]
        return PersonDays(
            *self.walks(first, last),
            stays.since, stays.until, stays.day, stays.spot, stays.tag, t, stays.spot[of], large,
        )  # fmt: skip

    def walks(self, first: int, last: int) -> Walks:
        """The person's walks that touch the days from one to another (not with it)."""
        k = self._until(last - 1)
        begin, end = self.calendar.midnight(first), self.calendar.midnight(last)
        walks = np.arange(max(int(np.searchsorted(k.leave, begin)) - 1, 0), int(np.searchsorted(k.leave, end)))
        walks = walks[(walks < len(k.route)) & (k.arrive[np.minimum(walks + 1, len(k.arrive) - 1)] > max(begin, 0.0))]
        # As in the track: anybody who is on their way at the first midnight stands where they are headed.
        if first == 0:
            walks = walks[k.leave[walks] >= 0.0]
        return Walks(k.leave[walks], k.arrive[walks + 1], k.out[walks], k.route[walks], k.speed[walks])

    def stays(self, first: int, last: int) -> Stays:
        """Where the person stayed from one day to another (not with it), cut at every midnight."""
        k = self._until(last - 1)
        dawns = np.array([self.calendar.midnight(d) for d in range(first, last + 1)])
        over = k.leave.searchsorted(dawns[:-1], side="right")
        count = np.maximum(k.arrive.searchsorted(dawns[1:]) - over, 0)
        nth = np.repeat(np.arange(last - first), count)
        stay = np.arange(len(nth)) - np.repeat(np.cumsum(count) - count, count) + over[nth]
        return Stays(k.arrive[stay], k.leave[stay], dawns[nth], dawns[nth + 1], nth + first, k.spot[stay], k.tag[stay])

    def _live(self, first: int, last: int) -> None:
        """Carry out the plans of the days from one to another, not with it."""
        outings = self._outings(first, last)
        walks: list[tuple[int, int, int]] = []
        here = int(self._so_far.spot[-1])
        place = self.book.place
        for n, (_, goal_id) in enumerate(outings):
            goal = place[goal_id]
            if goal_id in self._lost:
                # They are nowhere, or out as before, until a line that they can follow.
                goal = here if self.book.spots[here].activity == "away" else self.book.away_index(here)
            if goal == here:
                continue
            index = self.book.between(here, goal)
            if index < 0:
                continue
            walks.append((n, index, goal))
            here = goal
        if walks:
            self._walk(np.array([planned for planned, _ in outings]), *np.array(walks, int).T)

    def _walk(self, planned: Array, which: Ints, route: Ints, goal: Ints) -> None:
        """Set out on some of what was planned, each along its route to where it leads."""
        planned = planned[which]
        tags = at_ms(planned)
        paces = self.person.speed * (1.0 + SPEED_SPREAD * normal(self._pace_key, tags))
        paces = np.clip(paces, SLOWEST, FASTEST)
        out = np.array([self.book.routes[k].exit_sample for k in route.tolist()])
        samples = np.array([len(self.book.routes[k].points) for k in route.tolist()])
        # The plan says when they leave the room; they set out so much earlier, and are there so much later.
        leads, rests = out * STEP / paces, (samples - 1 - out) * STEP / paces
        known = self._so_far
        since = float(known.arrive[-1])
        leaves, arrives = [], []
        for set_out, lead, rest in zip(planned.tolist(), leads.tolist(), rests.tolist()):
            left = max(set_out, since + SHORTEST_STAY + lead)
            since = left + rest
            leaves.append(left)
            arrives.append(since)
        left_at = np.array(leaves)
        more = _Known(np.array(arrives), np.append(left_at - leads, np.inf), goal, tags, left_at, route, paces)
        so_far = known._replace(leave=known.leave[:-1])
        self._so_far = _Known(*(np.concatenate(both) for both in zip(so_far, more)))

    def _outings(self, first: int, last: int) -> list[tuple[float, str]]:
        """(instant, spot): where the person sets out for on some days, and when.

        A line of the sheet that falls into a short visit waits until the short visit is over; short visits that fall
        into another are left undone, as are those of somebody away.
        """
        begin, end = self.calendar.midnight(first), self.calendar.midnight(last)
        lines = self._plans.lines(first - IN_FORCE_DAYS, last + 1)
        errands = [e for e in self._plans.errands(first - 1, last) if begin <= e[0] < end and e[2] not in self._lost]
        meant = lines.spots_at([at for at, _, _ in errands])
        after = lines.spots_at([at + lasts for at, lasts, _ in errands])
        out: list[tuple[float, str]] = []
        if begin <= self._busy < end:
            out += [(self._busy, spot) for spot in lines.spots_at([self._busy])]
        since, until = [begin], [self._busy]
        for (at, lasts, spot), there, then in zip(errands, meant, after):
            if at < self._busy or there in self._away:
                continue
            self._busy = at + lasts
            since.append(at)
            until.append(self._busy)
            out.append((at, spot))
            if self._busy < end:
                out.append((self._busy, then))
        # Short visits follow one another: a line can only fall into the last that began before it.
        errand = np.searchsorted(since, lines.at, side="right") - 1
        free = (errand >= 0) & (lines.at >= np.array(until)[errand]) & (lines.at < end)
        out += [(float(lines.at[k]), lines.spot[k]) for k in np.flatnonzero(free).tolist()]
        return sorted(out)

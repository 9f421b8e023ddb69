"""What a log says of how people use the rooms: when they come and go, how long they stay, how still they are; and what
it cannot tell.

A log knows reports, not people. What parts one visit from the next is read from the silences themselves: those of
somebody who sits still and those of an empty room are two exponential laws mixed, fitted by expectation and
maximisation (Dempster, Laird and Rubin 1977); a silence is taken for an absence from where that is the likelier. Where
people only pass, no silence is of somebody who stays.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from vastwatch.control.house import HouseRun
from vastwatch.design.conclusions import all_sensors_of
from vastwatch.design.needs import needs_of
from vastwatch.design.project import Project, find, fresh_id, unique_name
from vastwatch.design.relations import presence_of
from vastwatch.signals import DAY, Signal, any_of, at_least
from vastwatch.site.building import Room, Spot
from vastwatch.site.people import Days, Person, Stay
from vastwatch.words import duration_words

Array = NDArray[np.float64]

# With fewer silences than this nothing is fitted.
FEWEST = 12
KINDS: tuple[Days, Days] = ("workday", "free")
# Who only passes is gone after so long without a report, seconds; so is anybody, at the least.
PASSED_S, SOONEST_S = 60.0, 30.0
# Rounds of the fit; it stops once the likelihood grows by less than this part.
ROUNDS, ENOUGH = 400, 1e-9
# A silence is in doubt where neither meaning is likelier than this.
SURE = 0.9
# Somebody who is made of a log comes no oftener than this, and is early or late by this part of the time between.
MOST_A_DAY, JITTER = 24, 0.2
MOST_EXPONENT = 600.0
NAME = "Occupant of {}, from the log"


class GapMixture(NamedTuple):
    """How silences part: mean silence of somebody there, and of an empty room, seconds; the share of the first kind;
    from how long on a silence is an absence; the share of silences in doubt."""

    still_s: float
    away_s: float
    there: float
    at_s: float
    doubt: float


class RoomHabits(NamedTuple):
    """Of one room of a log. `visits`: a day, on workdays and free ones (nan where there was none); `stay_s`: median and
    one in ten is longer; `by_hour`: share of the visits that begin in each hour; `parting` None where people only
    pass, or no silence is of somebody who is there. `stays`: people stay there at all."""

    room: str
    days: tuple[float, float]
    visits: tuple[float, float]
    stay_s: tuple[float, float]
    mean_stay_s: float
    by_hour: tuple[float, ...]
    parting: GapMixture | None
    stays: bool

    def in_words(self, name: str) -> str:
        """`Shop: 5.3 visits on a workday, 4.1 on a free day; half stay over 12 min, one in ten over 1 h 5 min.`"""
        said = [
            f"{v:.1f} visits on a {kind} day" for v, kind in zip(self.visits, ("working", "free")) if not math.isnan(v)
        ]
        half, tenth = (duration_words(round(s)) for s in self.stay_s)
        still = (
            ""
            if self.parting is None
            else f"; {duration_words(round(self.parting.still_s))} without a report on average"
        )
        return f"{name}: {', '.join(said)}; half stay over {half}, one in ten over {tenth}{still}."


class LogHabits(NamedTuple):
    """Of all rooms that could be read, and in sentences what could not be told."""

    rooms: tuple[RoomHabits, ...]
    people: int
    undetermined: tuple[str, ...]


def fit_gap_mixture(silences: Array) -> GapMixture | None:
    """How silences (seconds, above 0) part into those of somebody who is there and those of an empty room; None where
    there are too few, or all are of one kind."""
    g = silences[silences > 0]
    if len(g) < FEWEST:
        return None
    near, far, share = float(np.quantile(g, 0.3)), float(np.quantile(g, 0.95)), 0.8
    before = -math.inf
    for _ in range(ROUNDS):
        a, b = share / near * np.exp(-g / near), (1.0 - share) / far * np.exp(-g / far)
        whole = np.maximum(a + b, 1e-300)
        mine = a / whole
        share = float(np.clip(mine.mean(), 1e-6, 1 - 1e-6))
        near = max(float((mine * g).sum() / max(mine.sum(), 1e-12)), 0.1)
        far = max(float(((1 - mine) * g).sum() / max((1 - mine).sum(), 1e-12)), 0.2)
        likely = float(np.log(whole).sum())
        if likely - before < ENOUGH * abs(likely):
            break
        before = likely
    if far < 3.0 * near or share * len(g) < 3 or (1.0 - share) * len(g) < 3:
        return None
    at = math.log(share * far / ((1.0 - share) * near)) / (1.0 / near - 1.0 / far)
    mine = 1.0 / (1.0 + (1 - share) / share * near / far * np.exp(np.minimum(g / near - g / far, MOST_EXPONENT)))
    doubt = float(((mine < SURE) & (mine > 1 - SURE)).mean())
    return GapMixture(near, far, share, max(at, SOONEST_S), doubt)


def habits_of_log(house: HouseRun) -> LogHabits:
    """How people use the rooms of a house, as a recording of it says."""
    rooms, untold, there = [], [], []
    for room in house.project.rooms:
        presence = presence_of(house.project, room.id)
        if presence is None:
            continue
        heard = [s for s in all_sensors_of(house.project, presence) if (s, None) in house.recording.reports]
        known = house.observed(room.id)
        report = any_of([house.recording.report(s) for s in heard]) if heard else None
        if report is None or len(report.rises) == 0 or known.total() < DAY:
            untold.append(f"{room.name}: no reports from its sensors in this log.")
            continue
        found, sessions = _of_room(house, room, report & known, known)
        if found is None:
            untold.append(f"{room.name}: too few reports to tell one visit from the next.")
            continue
        rooms.append(found)
        there.append(sessions)
        untold += _doubts(room, found)
    people = _at_once(there)
    untold += ["Identity: a log has no names, and a pet that is noticed counts as a person."]
    untold += _unseen(house.project)
    return LogHabits(tuple(rooms), people, tuple(untold))


def _of_room(house: HouseRun, room: Room, report: Signal, known: Signal) -> tuple[RoomHabits | None, Signal]:
    stays = bool(needs_of(house.project, room).stays)
    rows = report.intervals
    silences = rows[1:, 0] - rows[:-1, 1]
    heard = known.cumulative(rows[1:, 0]) - known.cumulative(rows[:-1, 1]) >= silences - 1e-6
    parting = fit_gap_mixture(silences[heard]) if stays else None
    if stays and int((silences > 0).sum()) < FEWEST:
        return None, report
    at = PASSED_S if parting is None else parting.at_s
    # A visit ends with its last report: what was held on is taken off again.
    visits = report.hold(at).intervals
    visits = visits[visits[:, 1] < report.end]
    ends = visits[:, 1] - at
    # Those only of which beginning and end were heard.
    whole = (visits[:, 0] > 0) & (known.cumulative(visits[:, 1]) - known.cumulative(visits[:, 0] - 1.0) >= at)
    begin, end = visits[whole, 0], ends[whole]
    calendar = house.recording.calendar
    day = np.array([calendar.day_of(t) for t in begin.tolist()], int)
    hour = np.array([calendar.clock_s(t) // 3600 for t in begin.tolist()], int)
    free = np.array([calendar.date(d).weekday() >= 5 for d in range(calendar.days)], bool)
    # Hour by hour: visits over how long that hour was listened to. Nights in which nobody listens make no day busier.
    edges = calendar.instants(np.arange(calendar.days), [h * 3600.0 for h in range(25)])
    listened = np.diff(known.cumulative(np.clip(edges, 0.0, known.end)), axis=1) / 3600.0
    counts = np.zeros((calendar.days, 24))
    np.add.at(counts, (day, hour), 1.0)
    days = float(listened[~free].sum() / 24.0), float(listened[free].sum() / 24.0)
    rates = tuple(
        _a_day(counts[kind], listened[kind]) if d >= 0.5 else math.nan for kind, d in zip((~free, free), days)
    )
    hourly = counts.sum(axis=0) / np.maximum(listened.sum(axis=0), 1e-9)
    by_hour = hourly / max(float(hourly.sum()), 1e-9)
    lasted = np.maximum(end - begin, 0.0)
    if len(lasted) == 0:
        return None, report
    quantiles = float(np.quantile(lasted, 0.5)), float(np.quantile(lasted, 0.9))
    sessions = Signal.from_intervals(np.column_stack([begin, end]), report.start, report.end)
    return (
        RoomHabits(
            room.id, days, (rates[0], rates[1]), quantiles, float(lasted.mean()), tuple(by_hour.tolist()), parting,
            stays,
        ),
        sessions,
    )  # fmt: skip


def _a_day(counts: Array, listened: Array) -> float:
    """Visits a day, of (days, 24) visits and hours listened to."""
    heard = listened.sum(axis=0)
    return float((counts.sum(axis=0) / np.maximum(heard, 1e-9))[heard > 0].sum())


def _doubts(room: Room, found: RoomHabits) -> list[str]:
    if found.parting is None:
        alike = f"{room.name}: its gaps between reports are all alike, and are taken for absences."
        return [alike] if found.stays else []
    at = duration_words(round(found.parting.at_s))
    out = [f"{room.name}: an absence of less than {at} and sitting still for longer than that cannot be told apart."]
    if found.parting.doubt > 0.02:
        out.append(f"{room.name}: {100 * found.parting.doubt:.0f} % of its gaps between reports could be either.")
    return out


def _unseen(project: Project) -> list[str]:
    blind = [r.name for r in project.rooms if presence_of(project, r.id) is None]
    return [f"No sensor in: {', '.join(blind)}."] if blind else []


def _at_once(there: Sequence[Signal]) -> int:
    """In how many rooms somebody was at once, for a minute at least: so many people there are."""
    most = 0
    for k in range(1, len(there) + 1):
        together = at_least(k, there).intervals
        if len(together) == 0 or float((together[:, 1] - together[:, 0]).max()) < PASSED_S:
            break
        most = k
    return most


def people_of(project: Project, found: LogHabits) -> tuple[Project, tuple[Person, ...]]:
    """The project with somebody for each room in which people stay, whose days come to the log's visits: as many (whole
    ones), at those hours, for as long, on working and on days off; between them away. Raises ValueError where the
    building has no way out, or no such room a place to be."""
    away = next((s for s in project.spots if s.activity == "away"), None)
    if away is None:
        raise ValueError("there is no way out of this building: add a position outside its front door first")
    made: list[Person] = []
    for habits in found.rooms:
        spot = _spot_in(project, habits.room)
        if spot is None or not habits.stays:
            # Anybody who goes from place to place passes the others on their way.
            continue
        stays = [Stay(at="00:00", spot=away.id, jitter_min=0.0)]
        for kind, rate in zip(KINDS, habits.visits):
            stays += [] if math.isnan(rate) else _visits(habits, kind, min(round(rate), MOST_A_DAY), spot, away)
        if len(stays) == 1:
            continue
        name = unique_name(NAME.format(find(project.rooms, habits.room).name.lower()), (p.name for p in project.people))
        person = Person(id=fresh_id(project, "somebody"), name=name, stays=tuple(stays))
        project = replace(project, people=(*project.people, person))
        made.append(person)
    if not made:
        raise ValueError("no room of this log has a position for people who stay: furnish one first")
    return project, tuple(made)


def _visits(habits: RoomHabits, kind: Days, count: int, spot: Spot, away: Spot) -> list[Stay]:
    """So many visits, apart as the hours of the log's are: each comes and goes, and may be early or late by a part of
    what lies between it and the next."""
    if count == 0:
        return []
    share = np.concatenate([[0.0], np.cumsum(habits.by_hour)])
    at = np.interp((np.arange(count) + 0.5) / count, share, np.arange(25.0)) * 60.0
    lasts = max(habits.mean_stay_s / 60.0, 1.0)
    out = []
    for k, begin in enumerate(at.tolist()):
        room = (at[k + 1] if k + 1 < count else max(begin + lasts + 60.0, 24 * 60.0 - 1)) - begin
        stays = min(lasts, 0.8 * room)
        # Who would leave before they came does not leave at all.
        jitter = round(max(min((room - stays) * JITTER, stays * JITTER), 0.2), 1)
        end = min(begin + stays, 24 * 60.0 - 1)
        out += [
            Stay(days=kind, at=_clock(begin), spot=spot.id, jitter_min=jitter),
            Stay(days=kind, at=_clock(max(end, begin + 1.0)), spot=away.id, jitter_min=jitter / 2),
        ]
    return out


def _clock(minutes: float) -> str:
    whole = min(round(minutes), 24 * 60 - 1)
    return f"{whole // 60:02d}:{whole % 60:02d}"


def _spot_in(project: Project, room: str) -> Spot | None:
    """Where somebody is taken to be in a room: where most lines of schedules say so, else on a seat, else anywhere."""
    lines = Counter(spot for p in project.people if p.kind != "pet" for spot in _spots_of(p))
    of_pets = {spot for p in project.people if p.kind == "pet" for spot in _spots_of(p)}
    mine = [s for s in project.spots if s.room == room and s.activity not in ("away", "sleeping")]
    return max(mine, key=lambda s: (lines[s.id], s.id not in of_pets, s.posture == "seated"), default=None)


def _spots_of(person: Person) -> list[str]:
    return [line.spot for line in person.stays] + [line.spot for line in person.errands]


def in_words(found: LogHabits, project: Project) -> list[str]:
    """All of it in sentences."""
    words = [h.in_words(find(project.rooms, h.room).name) for h in found.rooms]
    if found.people > 1:
        words.append(
            f"Somebody was noticed in {found.people} rooms at once: there are at least {found.people} people, "
            "unless a sensor sees into the next room."
        )
    return words

"""What each sensor reports while people live: its notices, day by day, and what its device makes of them.

A device reports after its latency (`sensing.reporting`). Of a day's notices only those are carried on that can matter
for that, a few per stretch of activity; the whole of them is made again for anybody who asks what set a sensor off.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, partial
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design import placed
from vastwatch.design.conclusions import expressions
from vastwatch.design.placed import DaySetting, at_hour, day_settings
from vastwatch.design.presence import reports
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.design.relations import level_number
from vastwatch.memo import MEMO, exclude_from_size, is_memoised, memoised
from vastwatch.people.truth import HouseholdDays, Truth
from vastwatch.rehearsal.impairments import Impairment, impairment_of
from vastwatch.rehearsal.noticing.interval_merging import merge_notices
from vastwatch.rehearsal.noticing.notices import Notices, by_day, notices_of, spots_noticed
from vastwatch.rehearsal.noticing.nuisance import Weekly, sources_on_day, week_index, weekly_false_sources
from vastwatch.rehearsal.room_sensors.room_sensors import room_sensor_report
from vastwatch.rehearsal.tracking.targets import Targets, TrackingRadar, targets_of
from vastwatch.rehearsal.tracking.zone_reports import ZoneTask, tracking_radar_of, zone_rows, zone_signals, zone_task
from vastwatch.rng import at_ms, key_of, triangular
from vastwatch.sensing.model import MountedSensor, each_part
from vastwatch.sensing.mounted import mount
from vastwatch.sensing.reporting import hold_and_blind_s, hold_merge, report_intervals
from vastwatch.signals import DAY, Calendar, Signal, any_of

Array = NDArray[np.float64]

# "Moving" of a radar lasts this long after the last movement, at most its device hold time, seconds.
MOVING_HOLD_S = 3.0
# Days that are heard together.
TOGETHER = 28
# Of so many days a sensor's are kept one by one: a design that is rehearsed for a week is asked what set it off, and is
# rehearsed again when something else has changed. In longer runs notices would weigh most of all.
ASKED_DAYS = 7


@exclude_from_size
@dataclass(frozen=True, eq=False)
class SensorRun:
    """What a sensor reported over all days, as a whole, narrowed to those who move or are still, and of its zones.
    `moved`: while somebody moves, were it reported, or what tells that; `operating`: while it works at all, None for
    always."""

    report: Signal
    moved: Signal | Callable[[], Signal]
    zones: Mapping[str, Signal] = field(default_factory=dict)
    operating: Signal | None = None

    @cached_property
    def moving(self) -> Signal:
        """While it reports somebody who moves. Few ask for that."""
        return (self.moved if isinstance(self.moved, Signal) else self.moved()) & self.report

    @cached_property
    def still(self) -> Signal:
        """While it reports somebody who does not."""
        return self.report - self.moving


class DayNotices(NamedTuple):
    """The notices of some days that can change a report: sorted [start, end) and `moving` [on, off) rows."""

    start: Array
    end: Array
    moving: Array


class SensorTask(NamedTuple):
    """A sensor in its place, its level's place by elevation, and by part and week what triggers it falsely."""

    mounted: MountedSensor
    level: int
    false: tuple[Weekly, ...]
    zoning: ZoneTask | None = None


def run_sensors(project: Project, truth: Truth) -> dict[str, SensorRun]:
    """Run all sensors against a truth. Cached by sensor, and for a few days by day, by what each reads."""
    wanted = {s.id: [sensor_task(project, v.sensor, truth) for v in day_settings(s)] for s in project.sensors}
    every = [w for each in wanted.values() for w in each]
    left = [w for w in every if not is_run_cached(w, truth) or not (w.zoning is None or is_memoised(_zones, w, truth))]
    made: dict[SensorTask, SensorRun] = {}
    if left:
        spots = np.zeros(len(truth.spots), bool)
        for w in left:
            for part in each_part(w.mounted):
                spots |= spots_noticed(part, w.level, truth.household)
        # Whole rooms of them: what another sensor notices there is then at hand.
        spots = np.isin(truth.spot_room, truth.spot_room[spots])
        if truth.calendar.days <= ASKED_DAYS:
            _hear_days(left, truth, spots)
        else:
            made = _run_long(left, truth, spots)
    out = {}
    for sensor in project.sensors:
        runs = tuple(made[w] if w in made else _whole(w, truth) for w in wanted[sensor.id])
        run = runs[0] if len(runs) == 1 else _by_hours(runs, sensor, truth.calendar)
        told = room_sensor_report(project, sensor, truth)
        run = run if told is None else _of_room(told)
        out[sensor.id] = with_impairments(project, sensor, truth, run)
    return out


@memoised
def _of_room(told: Signal) -> SensorRun:
    return SensorRun(told, Signal.constant(False, told.start, told.end))


def with_impairments(project: Project, sensor: Sensor, truth: Truth, run: SensorRun) -> SensorRun:
    """Return the run as the house receives it: unchanged, or with the sensor's impairments (lost or late messages,
    bounce, no supply) applied."""
    trouble = impairment_of(project, sensor, truth, run.report)
    return run if trouble is None else _as_heard(run, trouble)


@memoised
def _as_heard(run: SensorRun, trouble: Impairment) -> SensorRun:
    report = trouble.apply(run.report, "")
    zones = {z: trouble.apply(said, z) for z, said in run.zones.items()}
    return SensorRun(report, lambda: run.moving, zones, trouble.works)


@memoised
def _by_hours(runs: tuple[SensorRun, ...], sensor: Sensor, calendar: Calendar) -> SensorRun:
    """What a sensor reports that is set otherwise in parts of the day: of each as it is set there, in its hours."""
    hours = [_hours(calendar, v) for v in day_settings(sensor)]
    report = any_of(run.report & there for run, there in zip(runs, hours))
    zones = {z: any_of(run.zones[z] & there for run, there in zip(runs, hours)) for z in runs[0].zones}
    return SensorRun(report, lambda: any_of(run.moving & there for run, there in zip(runs, hours)), zones)


def _hours(calendar: Calendar, v: DaySetting) -> Signal:
    """The hours of a part of the day."""
    end = v.end_s if v.end_s > v.begin_s else v.end_s + DAY
    rows = [(calendar.instant(d, v.begin_s), calendar.instant(d, end)) for d in range(-1, calendar.days)]
    return Signal.from_intervals(rows, 0.0, calendar.end)


def _hear_days(wanted: list[SensorTask], truth: Truth, spots: NDArray[np.bool_]) -> None:
    """See to it that all days of some sensors are kept; their lives are looked at by all of them together."""
    lives: dict[tuple[int, int], HouseholdDays] = {}
    for w in wanted:
        for part, weekly in zip(each_part(w.mounted), w.false):
            _hear(part, w.level, truth, weekly, lives, spots)


def _run_long(wanted: list[SensorTask], truth: Truth, spots: NDArray[np.bool_]) -> dict[SensorTask, SensorRun]:
    """Run some sensors through many days, some weeks at a time, each of which is forgotten once all have heard it."""
    heard: list[list[list[DayNotices]]] = [[[] for _ in each_part(w.mounted)] for w in wanted]
    told: list[list[list[Array]]] = [[] for _ in wanted]
    for first in range(0, truth.calendar.days, TOGETHER):
        last = min(first + TOGETHER, truth.calendar.days)
        lives = truth.household.simulate(first, last, spots)
        for w, parts, rows in zip(wanted, heard, told):
            for k, (part, weekly, so_far) in enumerate(zip(each_part(w.mounted), w.false, parts)):
                noticed = _noticed(part, w.level, truth, weekly, first, last, lives)
                so_far.append(_heard(part, noticed))
                if w.zoning is not None and w.zoning.part == k:
                    rows += zone_rows(w.zoning, truth, lives, noticed, range(first, last))
    # Kept as `_run` keeps them: day by day they would be heard anew.
    out = {}
    for w, parts, rows in zip(wanted, heard, told):
        out[w] = cache_run(w, truth, _joined(w.mounted, parts, truth))
        if w.zoning is not None:
            zones = MEMO.get((_zones, (w, truth)), partial(zone_signals, w.zoning, rows, truth))
            out[w] = replace(out[w], zones=zones)
    return out


@memoised
def _whole(w: SensorTask, truth: Truth) -> SensorRun:
    """What a sensor reports, its zones with it."""
    run = _run(*w[:3], truth)
    return run if w.zoning is None else replace(run, zones=_zones(w, truth))


@memoised
def _zones(w: SensorTask, truth: Truth) -> dict[str, Signal]:
    """What a sensor says of each of its zones, by their ids."""
    assert w.zoning is not None
    watched, level = w.zoning.watched, w.level
    part, weekly = tuple(each_part(w.mounted))[w.zoning.part], w.false[w.zoning.part]
    days = range(truth.calendar.days)
    noticed = [_notices_of_day(part, w.level, truth, weekly, d) for d in days]
    together = Notices(*(np.concatenate(columns) for columns in zip(*noticed)))
    lives = truth.household.simulate(0, len(days))

    def keep(day: int, targets: Targets) -> None:
        # Anybody who plays the week asks for them next.
        MEMO.put((_targets_of_day, (watched, part, level, truth, weekly, day)), targets)

    return zone_signals(w.zoning, zone_rows(w.zoning, truth, lives, together, days, keep), truth)


@memoised
def _targets_of_day(
    watched: TrackingRadar, part: MountedSensor, level: int, truth: Truth, weekly: Weekly, day: int
) -> Targets:
    noticed = _notices_of_day(part, level, truth, weekly, day)
    return targets_of(watched, truth.household, truth.household_day(day), noticed)


def targets_on(project: Project, sensor_id: str, truth: Truth, day: int) -> Targets | None:
    """The targets that a tracking radar told on a day, as it is set for most of it; None for any other sensor."""
    w = sensor_task(project, at_hour(find(project.sensors, sensor_id)), truth)
    watched = tracking_radar_of(project, w.mounted, w.level)
    if watched is None:
        return None
    k, seen = watched
    return _targets_of_day(seen, tuple(each_part(w.mounted))[k], w.level, truth, w.false[k], day)


def sensor_task(project: Project, sensor: Sensor, truth: Truth) -> SensorTask:
    """What is to be run of a sensor, as it is set, through a truth."""
    return sensor_tasks(project, sensor, (truth,))[0]


def sensor_tasks(project: Project, sensor: Sensor, truths: Sequence[Truth]) -> list[SensorTask]:
    """The same through truths of the same days that differ in their seed alone."""
    # In long runs a zone is told only where something reads it: it is the most of a tracking radar's work.
    few = truths[0].calendar.days <= ASKED_DAYS
    mounted, level, zoning = _as_set(project, sensor, few or sensor.id in _read_by_zone(project))
    calendars = [truth.calendar for truth in truths]
    each = (weekly_false_sources(project, part, calendars) for part in each_part(mounted))
    return [SensorTask(mounted, level, false, zoning) for false in zip(*each)]


@memoised
def _as_set(project: Project, sensor: Sensor, zones: bool) -> tuple[MountedSensor, int, ZoneTask | None]:
    mounted = mount(project, sensor)
    level = _level(project, mounted)
    return mounted, level, zone_task(project, mounted, level) if zones else None


@memoised
def _read_by_zone(project: Project) -> set[str]:
    """The sensors of whose zones any expression of the project or a lamp reads one, or a conclusion is about one."""
    zones = {r.zone for expr in expressions(project) for r in reports(expr)} | {x.zone for x in project.lamps}
    zones |= {p.zone for p in project.presences}
    return {z.sensor for z in project.zones if z.id in zones}


@memoised
def read_by_state(project: Project) -> frozenset[str]:
    """The sensors of which some conclusion asks while they see somebody move, or nobody move."""
    return frozenset(r.sensor for expr in expressions(project) for r in reports(expr) if r.state is not None)


def notices_on(project: Project, sensor_id: str, truth: Truth, day: int) -> Notices:
    """All that a sensor noticed on a day, whichever of its parts did."""
    sensor = find(project.sensors, sensor_id)
    found = []
    for v in day_settings(sensor):
        mounted, level, false, _ = sensor_task(project, v.sensor, truth)
        hours = _hours(truth.calendar, v)
        for part, weekly in zip(each_part(mounted), false):
            n = _notices_of_day(part, level, truth, weekly, day)
            found.append(n if v.sensor is sensor else _in(n, hours))
    if len(found) == 1:
        return found[0]
    order = np.argsort(np.concatenate([n.start for n in found]), kind="stable")
    return Notices(*(np.concatenate(columns)[order] for columns in zip(*found)))


def _in(n: Notices, hours: Signal) -> Notices:
    """Those of some notices that begin in some hours."""
    there = hours.at(n.start)
    return Notices(n.start[there], n.end[there], n.source[there], n.moving[there])


@memoised
def run_without(project: Project, sensor_id: str, truth: Truth, source: str, during: Signal) -> SensorRun:
    """What a sensor would have reported, had it not noticed one person (or hazard) for some time: all other draws
    stay."""
    sensor = find(project.sensors, sensor_id)
    runs = []
    for v in day_settings(sensor):
        mounted, level, false, zoning = sensor_task(project, v.sensor, truth)
        heard, zones = [], {}
        for k, (part, weekly) in enumerate(zip(each_part(mounted), false)):
            of_days = [_notices_of_day(part, level, truth, weekly, day) for day in range(truth.calendar.days)]
            left = [_left_out(n, source, during) for n in of_days]
            heard.append([_heard(part, n) for n in left])
            if zoning is not None and zoning.part == k:
                days = range(truth.calendar.days)
                rows = [
                    r for d in days for r in zone_rows(zoning, truth, truth.household_day(d), left[d], range(d, d + 1))
                ]
                zones = zone_signals(zoning, rows, truth)
        runs.append(replace(_joined(mounted, heard, truth), zones=zones))
    run = runs[0] if len(runs) == 1 else _by_hours(tuple(runs), sensor, truth.calendar)
    return with_impairments(project, sensor, truth, run)


def _left_out(n: Notices, source: str, during: Signal) -> Notices:
    """Notices without those of a source for some time; what began before that ends as it begins."""
    mine = n.source == source
    gone = mine & during.at(n.start)
    cut = mine & ~gone & during.at(n.end)
    left = np.where(cut, n.end - during.cumulative(n.end) + during.cumulative(n.start), n.end)
    return Notices(*(column[~gone] for column in n._replace(end=np.maximum(left, n.start))))


def _level(project: Project, mounted: MountedSensor) -> int:
    return level_number(project, mounted.sensor.level)


def mounted_hold_s(mounted: MountedSensor) -> float:
    """The hold the device itself keeps: as set, or with default settings."""
    return placed.own_hold_s(mounted.device, mounted.sensor.settings)


# -- days ----------------------------------------------------------------------------------------------------------


def _key(what: str, mounted: MountedSensor, level: int, truth: Truth, day: int, weekly: Weekly) -> tuple[object, ...]:
    """By what a day of a sensor is kept: all it reads, and not how many days were asked for."""
    return what, mounted, level, truth.household, day, weekly[week_index(day)]


def _hear(
    mounted: MountedSensor, level: int, truth: Truth, weekly: Weekly, lives: dict[tuple[int, int], HouseholdDays],
    spots: NDArray[np.bool_],
) -> None:  # fmt: skip
    """See to it that a part's days are kept; `lives` holds those looked at so far, with the small movements at the
    `spots` that any of the sensors notices."""
    days = range(truth.calendar.days)
    lacking = [d for d in days if not MEMO.holds(_key("heard", mounted, level, truth, d, weekly))]
    if not lacking:
        return
    first, last = lacking[0], lacking[-1] + 1
    if (first, last) not in lives:
        lives[first, last] = truth.household.simulate(first, last, spots)
    noticed = _noticed(mounted, level, truth, weekly, first, last, lives[first, last])
    midnights = [truth.calendar.midnight(d) for d in range(first, last + 1)]
    for day, n in zip(range(first, last), by_day(noticed, midnights)):
        MEMO.put(_key("heard", mounted, level, truth, day, weekly), _heard(mounted, n))
        MEMO.put(_key("notices", mounted, level, truth, day, weekly), n)


def _noticed(
    mounted: MountedSensor, level: int, truth: Truth, weekly: Weekly, first: int, last: int, lives: HouseholdDays
) -> Notices:
    false = tuple(f for d in range(first, last) for f in sources_on_day(weekly, truth.calendar, d))
    return notices_of(mounted, level, truth.household, lives, false, mounted_hold_s(mounted))


def _notices_of_day(mounted: MountedSensor, level: int, truth: Truth, weekly: Weekly, day: int) -> Notices:
    def work() -> Notices:
        return _noticed(mounted, level, truth, weekly, day, day + 1, truth.household_day(day))

    return MEMO.get(_key("notices", mounted, level, truth, day, weekly), work)


def _heard(mounted: MountedSensor, n: Notices) -> DayNotices:
    hold = mounted_hold_s(mounted)
    _, blind = hold_and_blind_s(mounted, hold) or (hold, 0.0)
    start, end = merge_notices(n.start, n.end, hold, blind)
    moving = hold_merge(n.start[n.moving], n.end[n.moving], min(MOVING_HOLD_S, hold))
    return DayNotices(start, end, moving)


def _heard_on(mounted: MountedSensor, level: int, truth: Truth, weekly: Weekly, day: int) -> DayNotices:
    def work() -> DayNotices:
        return _heard(mounted, _notices_of_day(mounted, level, truth, weekly, day))

    return MEMO.get(_key("heard", mounted, level, truth, day, weekly), work)


def is_run_cached(w: SensorTask, truth: Truth) -> bool:
    """Whether it is at hand what a sensor reports of a truth, its zones aside."""
    return is_memoised(_run, *w[:3], truth)


def cache_run(w: SensorTask, truth: Truth, run: SensorRun) -> SensorRun:
    """Cache the reports of a sensor, zones excluded, under the key `_run` reads. Returns the cached run if there is one
    already."""
    return MEMO.get((_run, (*w[:3], truth)), lambda: run)


def recompute_moving(w: SensorTask, truth: Truth) -> Signal:
    """Recompute while the sensor notices somebody moving, without reading or filling the cache."""
    moved = _joined(w.mounted, _heard_by_day(w.mounted, w.level, w.false, truth), truth).moved
    assert isinstance(moved, Signal)
    return moved


@memoised
def _run(mounted: MountedSensor, level: int, false: tuple[Weekly, ...], truth: Truth) -> SensorRun:
    return _joined(mounted, _heard_by_day(mounted, level, false, truth), truth)


def _heard_by_day(
    mounted: MountedSensor, level: int, false: tuple[Weekly, ...], truth: Truth
) -> list[list[DayNotices]]:
    """What each part of a sensor heard, day by day."""
    days = range(truth.calendar.days)
    return [
        [_heard_on(part, level, truth, weekly, day) for day in days] for part, weekly in zip(each_part(mounted), false)
    ]


def _joined(mounted: MountedSensor, heard: list[list[DayNotices]], truth: Truth) -> SensorRun:
    """What a sensor reports of what its parts heard, day by day."""
    reports, moving = [], []
    for part, days in zip(each_part(mounted), heard):
        start, end = (np.concatenate([h[k] for h in days]) for k in (0, 1))
        reports.append(_reported(part, start, end, truth))
        moving.append(Signal.from_intervals(np.concatenate([h.moving for h in days]), 0.0, truth.end))
    return SensorRun(any_of(reports), any_of(moving))


def _reported(mounted: MountedSensor, start: Array, end: Array, truth: Truth) -> Signal:
    """A device's report, each row of it late as a whole by a latency of its own: what is shorter than that is told as
    well."""
    rows = report_intervals(mounted, start, end, mounted_hold_s(mounted))
    late = reported_at(mounted, rows[:, 0], latency_key(mounted, truth.household.seed)) - rows[:, 0]
    return Signal.from_intervals(rows + late[:, None], 0.0, truth.end)


def latency_key(mounted: MountedSensor, seed: int) -> int:
    """The key of how late each report of a sensor is."""
    return key_of(seed, mounted.sensor.id, mounted.device.family, "latency")


def reported_at(mounted: MountedSensor, on: Array, key: Any) -> Array:
    """When reports arrive that begin at some instants, each late by a latency of its own; `key` one or one for each."""
    lag = mounted.device.latency
    mode = min(max(lag.typical_s, lag.min_s), lag.max_s)
    return on + triangular(key, at_ms(on), lag.min_s, mode, lag.max_s)

"""What goes wrong between a sensor and the house: contacts bounce, supplies are switched off at the wall, cells run
flat, and what is sent by radio is late or lost.

All of it lies in what the controller hears, not in what a sensor notices, and each part is drawn by names of its own
and by the instant it happens at, so that a design without one trouble hears everything else as before.
"""

from __future__ import annotations

from collections.abc import Mapping
from itertools import product
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.light.daylight import darkness
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.edits.wiring import switches_of
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.devices import DeviceType
from vastwatch.devices.battery import USUAL_C, battery_years
from vastwatch.memo import memoised
from vastwatch.people.truth import Truth
from vastwatch.rng import at_ms, key_of, poisson_times, uniform
from vastwatch.signals import DAY, Signal, any_of
from vastwatch.signals.memoised_ops import union
from vastwatch.site.building import Circuit

Array = NDArray[np.float64]

WEEK_S, YEAR_S = 7 * DAY, 365.25 * DAY
# A device sends a message so often until one is confirmed: so long after the first, seconds.
TRIES_AFTER_S = (0.0, 0.5, 1.5)
# What it says is said again after so long without a change, seconds; no more of those are looked at than so many.
SAYS_AGAIN_S, MOST_AGAIN = 3600.0, 48
# The leaf springs back so long after the contact closed, and stays so long: least and most, seconds.
BOUNCE_AFTER_S, BOUNCE_S = (0.05, 0.3), (0.05, 0.5)
# Anybody who comes into a dark room in which no light comes on goes for the switch by the door, seconds.
BACK_AFTER_S = 4.0
RADIO = ("mesh", "network")


class Supply(NamedTuple):
    """A circuit with a wall switch: its id, its lamps, the sensors it feeds, and while it is on."""

    ident: str
    name: str
    lamps: tuple[str, ...]
    feeds: tuple[str, ...]
    on: Signal


def lost_share(project: Project, sensor: Sensor) -> float:
    """Of what a placed sensor sends, the share that never arrives; 0 for what is wired."""
    device = find(project.devices, sensor.device)
    if device.radio not in RADIO:
        return 0.0
    own = sensor.settings.messages_lost
    return project.brief.troubles.messages_lost if own is None else own


# -- the supply ----------------------------------------------------------------------------------------------------


def supplies(project: Project, truth: Truth) -> tuple[Supply, ...]:
    """The circuits of a house that somebody switches off at the wall: those of which a switch is drawn that is ever
    taken for the light's own."""
    dark: dict[str, Signal] | None = None
    out = []
    for c in project.circuits:
        rates = off_rates(project, c)
        if not c.lamps or not rates:
            continue
        dark = darkness(project, truth.calendar) if dark is None else dark
        rooms = tuple(dict.fromkeys(find(project.lamps, lamp).room for lamp in c.lamps))
        on = _supplied(rates, rooms, tuple(dark[r] for r in rooms), truth)
        # What has its supply from before the switch stays on; what the circuit feeds does not.
        live = c.live and c.module is not None
        out.append(Supply(c.id, c.name, () if live else c.lamps, c.feeds, on))
    return tuple(out)


def off_rates(project: Project, circuit: Circuit) -> tuple[tuple[str, float], ...]:
    """The wall switches of a circuit that are ever switched off, and how often a week each: its own figure, or that of
    the brief."""
    usual = project.brief.troubles.supply_off_per_week
    switches = ((s.id, usual if s.off_per_week is None else s.off_per_week) for s in switches_of(project, circuit.id))
    return tuple((ident, rate) for ident, rate in switches if rate > 0)


@memoised
def _supplied(
    rates: tuple[tuple[str, float], ...], rooms: tuple[str, ...], dark: tuple[Signal, ...], truth: Truth
) -> Signal:  # fmt: skip
    """While a circuit is on: anybody who leaves last now and then switches it off at one of its switches, and anybody
    who then stands in the dark there for BACK_AFTER_S switches it on again."""
    awake = [truth.occupied(room, True) for room in rooms]
    leaves = any_of(awake).falls
    back = any_of([(here & d).on_delay(BACK_AFTER_S) for here, d in zip(awake, dark)]).rises
    calendar, off = truth.calendar, []
    for day, (ident, per_week) in product(range(calendar.days), rates):
        key = key_of(truth.household.seed, "supply", ident, day)
        for t in poisson_times(key, per_week / WEEK_S, calendar.midnight(day), calendar.midnight(day + 1)).tolist():
            k = int(np.searchsorted(leaves, t))
            if k < len(leaves):
                n = int(np.searchsorted(back, leaves[k]))
                off.append((float(leaves[k]), float(back[n]) if n < len(back) else truth.end))
    return ~Signal.from_intervals(off, 0.0, truth.end)


def fed_by(found: tuple[Supply, ...], sensor: str) -> Supply | None:
    """The circuit a sensor has its supply from."""
    return next((s for s in found if sensor in s.feeds), None)


def starts_after_s(device: DeviceType) -> float:
    """From its supply until a device reports, seconds: infrared elements settle, radars calibrate."""
    return device.settles_s


# -- a device that is alive ----------------------------------------------------------------------------------------


def flat_cells(project: Project, sensor: Sensor, truth: Truth, report: Signal) -> Signal | None:
    """While a device's cells are flat; None for one whose never are. How far they are used as the rehearsal begins is
    drawn; they last as long as the reports of its first day say."""
    device = find(project.devices, sensor.device)
    wait = project.brief.troubles.cells_flat_days * DAY
    if wait <= 0 or device.battery is None:
        return None
    first = truth.calendar.midnight(1)
    a_day = float(np.searchsorted(report.switches, first))
    room = room_of(project, sensor)
    warm = USUAL_C if room is None else room.ambient_c
    years = battery_years(device, a_day, sensor.settings.report_interval_s, warm)
    if years is None:
        return None
    return _flat(years * YEAR_S, wait, key_of(truth.household.seed, "cells", sensor.id), truth.end)


@memoised
def _flat(life_s: float, wait_s: float, key: int, end: float) -> Signal:
    whole = life_s + wait_s
    begins = np.arange(life_s - float(uniform(key, 0)) * whole, end, whole)
    return Signal.from_intervals(np.column_stack([begins, begins + wait_s]), 0.0, end)


def alive(project: Project, sensor: Sensor, truth: Truth, report: Signal) -> Signal | None:
    """While a device works at all, given what it would report; None where that is always."""
    supply = fed_by(supplies(project, truth), sensor.id)
    flat = flat_cells(project, sensor, truth, report)
    if supply is None and (flat is None or flat.total() == 0):
        return None
    return _working(None if supply is None else supply.on, starts_after_s(find(project.devices, sensor.device)), flat)


@memoised
def _working(on: Signal | None, after_s: float, flat: Signal | None) -> Signal:
    if on is None:
        assert flat is not None
        return ~flat
    rows = on.intervals.copy()
    # At the beginning everything has long been running.
    later = rows[:, 0] > on.start
    rows[later, 0] = np.minimum(rows[later, 0] + after_s, rows[later, 1])
    works = Signal.from_intervals(rows, on.start, on.end)
    return works if flat is None else works - flat


# -- what is sent --------------------------------------------------------------------------------------------------


def with_bounce(report: Signal, key: int, share: float) -> Signal:
    """A contact that, at a share of its closings, opens again for a moment."""
    falls = report.falls
    index = at_ms(falls)
    there = uniform(key, 3 * index) < share
    (least, most), (short, long) = BOUNCE_AFTER_S, BOUNCE_S
    begin = falls + least + (most - least) * uniform(key, 3 * index + 1)
    end = begin + short + (long - short) * uniform(key, 3 * index + 2)
    rows = np.column_stack([begin, end])[there]
    return report | Signal.from_intervals(rows, report.start, report.end)


def with_message_loss(report: Signal, key: int, lost: float) -> Signal:
    """What the house has of a report that is sent as messages, of which a share never arrives.

    A device sends at every change, and tries again (TRIES_AFTER_S) until it is confirmed. A try fails with the chance
    that makes all of them fail at the share lost, so that most of what is not lost at once is late. What it says is
    said again after SAYS_AGAIN_S without a change. An older message that comes after a newer one counts for nothing.
    """
    sent = report.switches
    if lost <= 0 or len(sent) == 0:
        return report
    fails = lost ** (1.0 / len(TRIES_AFTER_S))
    on = report.at(sent)
    arrive = _arrival(sent, key, fails)
    until = np.append(sent[1:], report.end)
    for k in np.flatnonzero(np.isinf(arrive)).tolist():
        again = sent[k] + SAYS_AGAIN_S * np.arange(1, MOST_AGAIN + 1)
        again = again[again < until[k]]
        came = _arrival(again, key, fails)
        if np.isfinite(came).any():
            arrive[k] = came[np.isfinite(came)][0]
    # The first newer one that came puts an end to it.
    newer = np.append(np.minimum.accumulate(arrive[::-1])[::-1][1:], np.inf)
    counts = np.isfinite(arrive) & (arrive < newer)
    t, on = arrive[counts], on[counts]
    # All may be lost, and the last come after the end.
    ends = np.append(t, np.inf)[1:]
    rows = np.column_stack([t, ends])[on]
    before = bool(report.at(report.start))
    if before:
        first = t[0] if len(t) else report.end
        rows = np.concatenate([[[report.start, first]], rows])
    return Signal.from_intervals(rows, report.start, report.end)


def _arrival(sent: Array, key: int, fails: float) -> Array:
    """When messages arrive, inf for those that do not."""
    arrive = np.full(len(sent), np.inf)
    for k in reversed(range(len(TRIES_AFTER_S))):
        through = uniform(key, len(TRIES_AFTER_S) * at_ms(sent) + k) >= fails
        arrive = np.where(through, sent + TRIES_AFTER_S[k], arrive)
    return arrive


class Impairment(NamedTuple):
    """What befalls one sensor: while it works (None for always), the share of its messages that is lost, and the share
    of closings at which it bounces; and the names its draws follow."""

    works: Signal | None
    loss_share: float
    bounces: float
    seed: int
    sensor: str

    def apply(self, said: Signal, part: str) -> Signal:
        """What the controller hears of what it would say; `part`: of which of its reports."""
        if self.bounces > 0:
            said = with_bounce(said, key_of(self.seed, "bounce", self.sensor), self.bounces)
        if self.works is not None:
            said = said & self.works
        return with_message_loss(said, key_of(self.seed, "radio", self.sensor, part), self.loss_share)


def impairment_of(project: Project, sensor: Sensor, truth: Truth, report: Signal) -> Impairment | None:
    """What befalls a sensor that would report so; None where nothing does."""
    lost, bounces = lost_share(project, sensor), 0.0
    if find(project.devices, sensor.device).at_doors:
        bounces = project.brief.troubles.contacts_bounce
    works = alive(project, sensor, truth, report)
    if lost <= 0 and bounces <= 0 and works is None:
        return None
    return Impairment(works, lost, bounces, truth.household.seed, sensor.id)


def powered(project: Project, truth: Truth) -> Mapping[str, Signal]:
    """By lamp, while its circuit is on; those only that are ever off."""
    return {lamp: s.on for s in supplies(project, truth) if s.on.total() < truth.end for lamp in s.lamps}


def powered_in(project: Project, room: str, truth: Truth) -> Signal | None:
    """While any light of a room has its supply; None where that is always."""
    on = powered(project, truth)
    lights = [light.id for light in lights_in(project, room)]
    if not lights or any(light not in on for light in lights):
        return None
    return union(tuple(on[light] for light in lights))

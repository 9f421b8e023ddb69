"""Who would wave in a room that is left dark, when, and which sensors would notice it: what `control.reactions` asks.

Somebody reacts while awake at a spot. Sleepers do not want light, and whoever watches a film does without; a pet never
asks. Where several are in one room, the first on the list of people waves for all.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.by_hand import PRESS_S, presses
from vastwatch.control.daylight import darkness
from vastwatch.control.house import Hand, concluded
from vastwatch.control.outputs.handler import lights_in
from vastwatch.control.reactions import Stretches, Waved, react
from vastwatch.control.recording import Recording
from vastwatch.design.placed import at_hour
from vastwatch.design.presence import hold_of, reports
from vastwatch.design.project import Project, find
from vastwatch.design.records import AnyOf, Expr, Hold, Presence, Report, StartKeep
from vastwatch.design.relations import level_number, presence_of
from vastwatch.draws import key_of
from vastwatch.memo import kept
from vastwatch.people.truth import Truth
from vastwatch.rehearsal.notices import chances_of_large_movements
from vastwatch.rehearsal.reports import own_hold_s
from vastwatch.sensing.model import MountedSensor, latency_s
from vastwatch.sensing.mounted import mount
from vastwatch.signals import Signal

Array = NDArray[np.float64]

# Whoever does this does not ask for light when it goes off.
CONTENT = ("sleeping", "away", "film")


def waved(project: Project, presence: Presence, seed: int) -> tuple[Waved, ...] | None:
    """The sensors a presence reads, as waves set them off; None where waving is not modelled, as for `waving_at`."""
    parts = start_and_keep(presence.expr)
    if parts is None:
        return None
    starters, keepers = (_any_of(p) for p in parts)
    if starters is None or keepers is None or not starters <= keepers:
        return None
    out = []
    for ident in sensors_read(presence):
        mounted = mount(project, at_hour(find(project.sensors, ident)))
        out.append(
            Waved(
                ident in starters, latency_s(mounted.device), own_hold_s(mounted) if ident in keepers else 0.0,
                key_of(seed, "wave", presence.room, ident),
            )
        )  # fmt: skip
    return tuple(out)


def sensors_read(presence: Presence) -> tuple[str, ...]:
    """The sensors a presence reads, in order."""
    return _read(presence.expr)


def starters_of(presence: Presence) -> tuple[str, ...]:
    """The sensors that may start a presence; all it reads where it has no start of its own."""
    parts = start_and_keep(presence.expr)
    return sensors_read(presence) if parts is None else _read(parts[0])


def keepers_of(presence: Presence) -> tuple[str, ...]:
    """The sensors that keep a presence; all it reads where it has no such part."""
    parts = start_and_keep(presence.expr)
    return sensors_read(presence) if parts is None else _read(parts[1])


def _read(expr: Expr) -> tuple[str, ...]:
    return tuple(dict.fromkeys(r.sensor for r in reports(expr)))


def stretches(project: Project, presence: Presence, truth: Truth, dark: Signal) -> Stretches:
    """When somebody in a presence's room would wave, were it dark, and how readily the presence's sensors notice it."""
    mounted = tuple(mount(project, at_hour(find(project.sensors, s))) for s in sensors_read(presence))
    levels = tuple(level_number(project, m.sensor.level) for m in mounted)
    return _stretches(presence.room, mounted, levels, truth, dark)


@kept
def _stretches(
    room: str, mounted: tuple[MountedSensor, ...], levels: tuple[int, ...], truth: Truth, dark: Signal
) -> Stretches:
    spots = [k for k, s in enumerate(truth.spots) if s.room == room and s.activity not in CONTENT]
    rows, where, weight, after = [np.empty((0, 2))], [np.zeros(0, int)], [np.zeros(0, int)], [np.empty(0)]
    free = dark
    kgs: list[float] = []
    for track in truth.tracks:
        if track.person.kind == "pet":
            continue
        stays = []
        for k in spots:
            at = track.spot == k
            if not at.any():
                continue
            here = Signal.from_intervals(
                np.column_stack([track.arrive[at], np.minimum(track.leave[at], truth.end)]), 0.0, truth.end
            )
            found = (here & free).intervals
            stays.append(here)
            if track.person.body_kg not in kgs:
                kgs.append(track.person.body_kg)
            rows.append(found)
            where.append(np.full(len(found), k))
            weight.append(np.full(len(found), kgs.index(track.person.body_kg)))
            after.append(np.full(len(found), track.person.wave_after_s))
        for here in stays:
            free = free - here
    every, spot, heavy, after_s = (np.concatenate(column) for column in (rows, where, weight, after))
    if len(every) == 0:
        return Stretches.none(len(mounted))
    order = np.argsort(every[:, 0], kind="stable")
    every, spot, heavy, after_s = every[order], spot[order], heavy[order], after_s[order]
    chance = np.array(
        [
            [chances_of_large_movements(m, truth.household.book, level, kg) for kg in kgs]
            for m, level in zip(mounted, levels)
        ]
    ).reshape(len(mounted), len(kgs), len(truth.spots))
    return Stretches(every[:, 0], every[:, 1], after_s, chance[:, heavy, spot])


# -- what comes of it ----------------------------------------------------------------------------------------------


def hands_of(project: Project, truth: Truth, recording: Recording) -> dict[str, Hand]:
    """What the people of a truth do about the lights of their rooms, given what sensors say of their days.

    What a wave makes a sensor report is heard by the presence of the waver's own room.
    """
    dark = darkness(project, recording.calendar)
    out: dict[str, Hand] = {}
    for room in project.rooms:
        presence = presence_of(project, room.id)
        if presence is None or not lights_in(project, room.id):
            continue
        if room.control == "absence":
            out[room.id] = _by_hand(
                concluded(presence.expr, recording), occupied(truth, room.id, True), dark[room.id],
                hold_of(presence.expr) or 0.0,
            )  # fmt: skip
            continue
        asked = waving_at(project, presence, truth, recording, dark[room.id])
        if asked is not None:
            out[room.id] = _waving(*asked, hold_of(presence.expr) or 0.0, sensors_read(presence), truth.end)
    return out


def waving_at(
    project: Project, presence: Presence, truth: Truth, recording: Recording, dark: Signal
) -> tuple[Signal, Signal, Stretches, tuple[Waved, ...]] | None:
    """What starts and what keeps a presence, who would wave, and at which sensors.

    None where waving is not modelled: where the presence is not one hold of any of some reports, started by any of
    some of them.
    """
    parts, sensors = start_and_keep(presence.expr), waved(project, presence, truth.household.seed)
    if parts is None or sensors is None:
        return None
    start, keep = (concluded(p, recording) for p in parts)
    return start, keep, stretches(project, presence, truth, dark), sensors


def _any_of(expr: Expr) -> frozenset[str] | None:
    """The sensors any of which sets an expression off when it notices a movement; None for one of another shape."""
    parts = expr.of if isinstance(expr, AnyOf) else (expr,)
    if not all(isinstance(p, Report) for p in parts):
        return None
    return frozenset(p.sensor for p in parts if isinstance(p, Report) and p.part in (None, "moving"))


def start_and_keep(expr: Expr) -> tuple[Expr, Expr] | None:
    """What starts and what keeps, before the hold, for an expression with one hold time; None for another shape."""
    if isinstance(expr, Hold):
        return expr.of, expr.of
    if isinstance(expr, StartKeep) and isinstance(expr.keep, Hold):
        return expr.start, expr.keep.of
    return None


@kept
def occupied(truth: Truth, room: str, awake_only: bool) -> Signal:
    """While somebody is in a room, and awake where only that counts."""
    return truth.occupied(room, awake_only)


@kept
def _by_hand(presence: Signal, awake: Signal, dark: Signal, hold_s: float) -> Hand:
    pressed = presses(presence, awake, dark, hold_s)
    return Hand(pressed.signal, trips=pressed.again)


@kept
def _waving(
    start: Signal, keep: Signal, who: Stretches, sensors: tuple[Waved, ...], hold_s: float, ids: tuple[str, ...],
    end: float,
) -> Hand:  # fmt: skip
    did = react(start, keep, hold_s, who, sensors)
    waves = {s: Signal.from_intervals(rows, 0.0, end) for s, rows in zip(ids, did.reports) if len(rows)}
    pressed = np.column_stack([did.presses, did.presses + PRESS_S])
    return Hand(Signal.from_intervals(pressed, 0.0, end), waves, did.waves, did.presses)

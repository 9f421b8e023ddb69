"""Who would wave in a room that is left dark, when, and which sensors would notice it: what `control.reactions` asks.

Somebody reacts while at a spot where light is asked for: sleepers do not want it, anybody who watches a film does
without, and a pet never asks. Where several are in one room, the first on the list of people waves for all.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.belief.fusion import Leaf, beliefs, leaves
from vastwatch.control.belief.rates import MarkovChain, markov_chains
from vastwatch.control.evaluation import ManualActions, evaluate_conclusion, evaluate_expr, evaluate_with
from vastwatch.control.lighting import LightRule, light_rule, manual_on_light, run_ladders
from vastwatch.control.manual.general_reactions import react_to_conclusion
from vastwatch.control.manual.manual_switching import PRESS_S, manual_on, switch_presses
from vastwatch.control.manual.reactions import OccupancyIntervals, Reaction, WaveSensor, react
from vastwatch.control.outputs.handler import lights_in
from vastwatch.control.recording import Recording
from vastwatch.design.conclusions import evaluation_order, with_dependencies
from vastwatch.design.expressions import AnyOf, Expr, Hold, Report, StartKeep
from vastwatch.design.ladders import ladder_conclusions, ladder_sensors
from vastwatch.design.placed import at_hour
from vastwatch.design.presence import hold_of, press_hold, reports
from vastwatch.design.project import ASIDE, Project, find
from vastwatch.design.records import Conclusion
from vastwatch.design.relations import buttons_in, level_number, presence_of
from vastwatch.memo import MEMO, memoised
from vastwatch.people.routes import RouteTable
from vastwatch.people.truth import There, Truth
from vastwatch.rehearsal.impairments import lost_share, powered
from vastwatch.rehearsal.light_preferences import overrides_in
from vastwatch.rehearsal.noticing.notices import large_motion_probability
from vastwatch.rehearsal.reports import mounted_hold_s
from vastwatch.rng import key_of
from vastwatch.sensing.model import MountedSensor, latency_s
from vastwatch.sensing.mounted import mount
from vastwatch.signals import Signal

Array = NDArray[np.float64]


def wave_sensors(project: Project, presence: Conclusion, seed: int) -> tuple[WaveSensor, ...]:
    """The sensors a conclusion itself reads, as waves set them off: the whole of a report is late."""
    out = []
    for ident, eye in zip(sensors_read(presence), _eyes(project, presence)):
        late = latency_s(eye.mounted.device)
        until = late + eye.report_s if eye.report_s > 0 else 0.0
        out.append(WaveSensor(eye.starts, late, until, key_of(seed, "wave", presence.room, ident)))
    return tuple(out)


class _Eye(NamedTuple):
    """A sensor that a conclusion reads: in its place and on its level, as it is set for most of the day; whether it
    starts what is concluded, how long it reports for that, and the share of what it says that is heard."""

    mounted: MountedSensor
    level: int
    starts: bool
    report_s: float
    heard: float


@memoised
def _eyes(project: Project, presence: Conclusion) -> tuple[_Eye, ...]:
    starters, keepers = (_of_any(p) for p in start_and_keep(presence.expr) or (presence.expr, presence.expr))
    out = []
    for ident in sensors_read(presence):
        sensor = find(project.sensors, ident)
        mounted = mount(project, at_hour(sensor))
        report_s = mounted_hold_s(mounted) if ident in keepers else 0.0
        level, heard = level_number(project, mounted.sensor.level), 1.0 - lost_share(project, sensor)
        out.append(_Eye(mounted, level, ident in starters, report_s, heard))
    return tuple(out)


def sensors_read(presence: Conclusion) -> tuple[str, ...]:
    """The sensors a presence reads, in order."""
    return _read(presence.expr)


def starters_of(presence: Conclusion) -> tuple[str, ...]:
    """The sensors that may start a presence; all it reads where it has no start of its own."""
    parts = start_and_keep(presence.expr)
    return sensors_read(presence) if parts is None else _read(parts[0])


def keepers_of(presence: Conclusion) -> tuple[str, ...]:
    """The sensors that keep a presence; all it reads where it has no such part."""
    parts = start_and_keep(presence.expr)
    return sensors_read(presence) if parts is None else _read(parts[1])


def _read(expr: Expr) -> tuple[str, ...]:
    return tuple(dict.fromkeys(r.sensor for r in reports(expr)))


def effective_light_rule(project: Project, room: str, truth: Truth, recording: Recording) -> LightRule:
    """How the light of a room depends on its conclusion: where it would not come on, or is on anyway, nobody waves, and
    no hold matters."""

    def work() -> LightRule:
        return light_rule(project, room, recording, powered(project, truth))

    # The same for every design that differs in its sensors alone.
    reads = _without_sensors(project, room)
    return work() if reads is None else MEMO.get((effective_light_rule, room, truth, reads), work)


# What of a project the light of a room cannot depend on where it asks no sensor.
_SENSORS_ALONE = ("name", "client", "notes", "sensors", "zones", "presences", "devices", "logbook", *ASIDE)


@memoised
def _without_sensors(project: Project, room: str) -> tuple[object, ...] | None:
    """All that the light of a room may depend on besides truth; None where it asks some sensor."""
    lighting = presence_of(project, room)
    own = None if lighting is None else lighting.id
    if set(ladder_conclusions(project, room)) - {own} or ladder_sensors(project, room, own):
        return None
    if any(getattr(light, "zone", None) is not None for light in lights_in(project, room)):
        return None
    modules = tuple(d for d in project.devices if d.is_module)
    rest = (getattr(project, name) for name in project.__struct_fields__ if name not in _SENSORS_ALONE)
    return (own, modules, *rest)


def occupancy_intervals(
    project: Project, presence: Conclusion, truth: Truth, dark: Signal, known: Mapping[str, Signal]
) -> OccupancyIntervals:
    """When somebody in a presence's room would wave, were it dark, and how readily the presence's sensors notice it
    and are heard; `observed`: while each of them works, of those that do not always."""
    eyes = _eyes(project, presence)
    mounted, levels = tuple(eye.mounted for eye in eyes), tuple(eye.level for eye in eyes)
    out = _stretches(presence.room or "", mounted, levels, truth, dark)
    works, heard = tuple(known.get(s) for s in sensors_read(presence)), tuple(eye.heard for eye in eyes)
    if all(w is None for w in works) and all(share == 1.0 for share in heard):
        return out
    return _as_heard(out, works, heard)


@memoised
def _as_heard(
    who: OccupancyIntervals, works: tuple[Signal | None, ...], heard: tuple[float, ...]
) -> OccupancyIntervals:
    """Stretches cut where a sensor begins or ceases to work, and the chances that what it notices is heard."""
    cuts = np.unique(np.concatenate([w.switches for w in works if w is not None] or [np.empty(0)]))
    first, last = np.searchsorted(cuts, who.begin, side="right"), np.searchsorted(cuts, who.end, side="left")
    count = last - first + 1
    of = np.repeat(np.arange(len(count)), count)
    k = np.arange(len(of)) - np.repeat(np.cumsum(count) - count, count)
    inner = np.append(cuts, np.inf)
    begin = np.where(k == 0, who.begin[of], inner[np.minimum(first[of] + k - 1, len(cuts))])
    end = np.where(k == count[of] - 1, who.end[of], inner[np.minimum(first[of] + k, len(cuts))])
    chance = who.chance[:, of] * np.array(heard)[:, None]
    for row, w in zip(chance, works):
        if w is not None:
            row[~w.at(begin)] = 0.0
    return replace(who, begin=begin, end=end, after_s=who.after_s[of], chance=chance)


class _Left(NamedTuple):
    """Who would wave in a room, were it dark, and when: rows [begin, end), in order; at which spot, how long each
    waits, and how heavy each is, by place in `kgs`."""

    rows: Array
    spot: NDArray[np.int64]
    after_s: Array
    heavy: NDArray[np.int64]
    kgs: tuple[float, ...]


@memoised
def _left(room: str, truth: Truth, dark: Signal) -> _Left:
    spots = [k for k, s in enumerate(truth.spots) if s.room == room and s.asks_for_light]
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
            here = Signal.from_intervals(truth.stays(track, at), 0.0, truth.end)
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
    order = np.argsort(every[:, 0], kind="stable")
    return _Left(every[order], spot[order], after_s[order], heavy[order], tuple(kgs))


@memoised
def _stretches(
    room: str, mounted: tuple[MountedSensor, ...], levels: tuple[int, ...], truth: Truth, dark: Signal
) -> OccupancyIntervals:
    left = _left(room, truth, dark)
    if len(left.rows) == 0:
        return OccupancyIntervals.none(len(mounted))
    chance = _chances(mounted, levels, truth.household.book, left.kgs)
    return OccupancyIntervals(left.rows[:, 0], left.rows[:, 1], left.after_s, chance[:, left.heavy, left.spot])


@memoised
def _chances(
    mounted: tuple[MountedSensor, ...], levels: tuple[int, ...], book: RouteTable, kgs: tuple[float, ...]
) -> Array:
    """How readily each of some sensors notices somebody who waves, by how heavy they are and at which spot, (sensors,
    kgs, spots)."""
    return np.array(
        [[large_motion_probability(m, book, level, kg) for kg in kgs] for m, level in zip(mounted, levels)]
    ).reshape(len(mounted), len(kgs), len(book.spots))


# -- what comes of it ----------------------------------------------------------------------------------------------


class Simulated(NamedTuple):
    """By room, what people do about its light, and by id, what is concluded meanwhile."""

    hands: Mapping[str, ManualActions]
    named: Mapping[str, Signal]


NO_REPLAY = Simulated(MappingProxyType({}), MappingProxyType({}))


def manual_actions(project: Project, truth: Truth, recording: Recording) -> Mapping[str, ManualActions]:
    """What the people of a truth do about the lights of their rooms, given what sensors say of their days.

    What a wave makes a sensor report is heard by the conclusion that lights the waver's own room, and by what names it.
    """
    return simulate_reactions(project, evaluation_order(project).sound, truth, recording).hands


def dependency_signals(project: Project, presence: Conclusion, truth: Truth, recording: Recording) -> dict[str, Signal]:
    """What all comes to that a conclusion follows from, people's reactions there included."""
    before = with_dependencies(project, presence)[:-1]
    return dict(simulate_reactions(project, before, truth, recording).named) if before else {}


def simulate_reactions(
    project: Project, presences: Sequence[Conclusion], truth: Truth, recording: Recording, known: Simulated = NO_REPLAY
) -> Simulated:
    """What people do and what is concluded meanwhile, of conclusions in their order; what is `observed` of another
    design over the same reports, and the same in both, is taken from there."""
    hands: dict[str, ManualActions] = {}
    named: dict[str, Signal] = {}
    for p in presences:
        if (same := known.named.get(p.id)) is not None:
            named[p.id] = same
            if p.lights and p.room is not None and p.room in known.hands:
                hands[p.room] = known.hands[p.room]
            continue
        hand = None
        if p.room is not None and p.lights and lights_in(project, p.room):
            hand = hands[p.room] = _hand(project, p, p.room, truth, recording, named)
        named[p.id] = evaluate_conclusion(project, p, recording, hand, named)
        if hand is not None and p.room is not None and buttons_in(project, p.room):
            hands[p.room] = _with_buttons(project, p, p.room, truth, recording, hand, named[p.id])
    return Simulated(hands, named)


def _with_buttons(
    project: Project, p: Conclusion, room: str, truth: Truth, recording: Recording, hand: ManualActions, said: Signal
) -> ManualActions:
    """What people do about a light with its buttons too."""
    own = said
    if find(project.rooms, room).control == "absence":
        own = manual_on_light(said, hand.pressed, press_hold(p.expr))
    did = run_ladders(project, room, recording, own)
    if did is None:
        return hand
    return hand._replace(overrides=overrides_in(project, room, truth, recording, did, own))


def _hand(
    project: Project, p: Conclusion, room: str, truth: Truth, recording: Recording, named: dict[str, Signal]
) -> ManualActions:
    """What people do about the light that a conclusion gives their room."""
    dark = effective_light_rule(project, room, truth, recording).follows
    if find(project.rooms, room).control == "absence":
        said = evaluate_expr(project, p.expr, recording, dependencies=named)
        return _by_hand(said, truth.there(room), dark, press_hold(p.expr))
    who, sensors = (
        occupancy_intervals(project, p, truth, dark, recording.observed),
        wave_sensors(project, p, truth.household.seed),
    )
    if is_single_hold(p.expr):
        start, keep = (
            evaluate_expr(project, part, recording, dependencies=named) for part in start_and_keep(p.expr) or ()
        )
        return _waving(start, keep, who, sensors, hold_of(p.expr) or 0.0, sensors_read(p), truth.end)
    given = conditions(project, p, recording, named)
    return _waving_at_any(p.expr, given, who, sensors, truth.end)


def is_single_hold(expr: Expr) -> bool:
    """Whether a conclusion is one hold of any of some reports, started by any of some of them: what a wave brings
    follows from that, and nothing needs to be asked."""
    parts = start_and_keep(expr)
    if parts is None or not all(_is_any_of_reports(p) for p in parts):
        return False
    starters, keepers = (_of_any(p) for p in parts)
    return starters <= keepers


def _is_any_of_reports(expr: Expr) -> bool:
    return all(isinstance(p, Report) for p in (expr.of if isinstance(expr, AnyOf) else (expr,)))


def _of_any(expr: Expr) -> frozenset[str]:
    """The sensors in an expression that a movement sets off."""
    return frozenset(r.sensor for r in reports(expr) if r.responds_to_motion)


def start_and_keep(expr: Expr) -> tuple[Expr, Expr] | None:
    """What starts and what keeps, before the hold, for an expression with one hold time; None for another shape."""
    if isinstance(expr, Hold):
        return expr.of, expr.of
    if isinstance(expr, StartKeep) and isinstance(expr.keep, Hold):
        return expr.start, expr.keep.of
    return None


@memoised
def occupied(truth: Truth, room: str, awake_only: bool) -> Signal:
    """While somebody is in a room, and awake where only that counts."""
    return truth.occupied(room, awake_only)


@memoised
def _by_hand(presence: Signal, people: There, dark: Signal, hold_s: float) -> ManualActions:
    pressed = switch_presses(presence, people.asking, dark, hold_s)
    return ManualActions(pressed.signal, switch_trips=pressed.again)


class LeafInputs(NamedTuple):
    """What the leaves of an expression say, from left to right, how its occupancy probabilities weigh it, and the
    sensors that notice waves, in order; of several replicates end to end, while any is `alive`."""

    said: tuple[Signal, ...]
    chains: tuple[MarkovChain, ...]
    sensors: tuple[str, ...]
    alive: Signal | None = None


class WavedConclusion:
    """Evaluates an expression with additional reports of waves and presses of the switch; called by
    `react_to_conclusion`."""

    def __init__(self, expr: Expr, given: LeafInputs) -> None:
        self._expr, self._given = expr, given
        self._leaves = leaves(expr)
        self._keep = expr.keep if isinstance(expr, StartKeep) else expr
        # What keeps reads the last of the leaves.
        self._kept_by = len(self._leaves) - len(leaves(self._keep))
        self._hold_s = press_hold(expr)

    def __call__(self, reports: tuple[Array, ...], pressed: Array) -> Signal:
        """While it is on, given [on, off) rows by sensor, and rows of presses."""
        given, end = self._given, self._given.said[0].end
        waved = {s: Signal.from_intervals(r, 0.0, end) for s, r in zip(given.sensors, reports) if len(r)}
        said = [add_waves(leaf, s, waved) for leaf, s in zip(self._leaves, given.said)]
        presence = evaluate_with(self._expr, said, given.chains, given.alive)
        if len(pressed) == 0:
            return presence
        press = Signal.from_intervals(pressed, 0.0, end)
        chains = given.chains[len(given.chains) - len(beliefs(self._keep)) :]
        keeping = evaluate_with(self._keep, said[self._kept_by :], chains, given.alive)
        return presence | manual_on(keeping, press, self._hold_s)


def conditions(project: Project, presence: Conclusion, recording: Recording, named: Mapping[str, Signal]) -> LeafInputs:
    """What a conclusion follows over a recording, given what all comes to that it names."""
    said = tuple(evaluate_expr(project, leaf, recording, dependencies=named) for leaf in leaves(presence.expr))
    return LeafInputs(said, markov_chains(project, beliefs(presence.expr)), sensors_read(presence))


def add_waves(leaf: Leaf, said: Signal, waved: Mapping[str, Signal]) -> Signal:
    """What a leaf says when sensors report waves besides, as `control.house` hears it."""
    if isinstance(leaf, Report) and leaf.responds_to_motion and leaf.sensor in waved:
        return said | waved[leaf.sensor]
    return said


@memoised
def _waving_at_any(
    expr: Expr, given: LeafInputs, who: OccupancyIntervals, sensors: tuple[WaveSensor, ...], end: float
) -> ManualActions:
    return _hand_of(react_to_conclusion(WavedConclusion(expr, given), who, sensors), given.sensors, end)


@memoised
def _waving(
    start: Signal, keep: Signal, who: OccupancyIntervals, sensors: tuple[WaveSensor, ...], hold_s: float,
    ids: tuple[str, ...], end: float,
) -> ManualActions:  # fmt: skip
    return _hand_of(react(start, keep, hold_s, who, sensors), ids, end)


def _hand_of(did: Reaction, ids: tuple[str, ...], end: float) -> ManualActions:
    waves = {s: Signal.from_intervals(rows, 0.0, end) for s, rows in zip(ids, did.reports) if len(rows)}
    pressed = np.column_stack([did.presses, did.presses + PRESS_S])
    return ManualActions(Signal.from_intervals(pressed, 0.0, end), waves, did.waves, did.presses)

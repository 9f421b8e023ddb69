"""Evaluates expressions and conclusions over a recording, with people's waves and presses."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.belief.fusion import Leaf, beliefs, evaluate, leaves
from vastwatch.control.belief.rates import MarkovChain, markov_chains
from vastwatch.control.light.clock import clock_time
from vastwatch.control.light.darkness import dark_leaf
from vastwatch.control.manual.manual_switching import manual_on
from vastwatch.control.manual.override import Override
from vastwatch.control.recording import Recording
from vastwatch.design.expressions import ClockTime, ConclusionRef, Dark, Expr, Nothing, Report, StartKeep
from vastwatch.design.presence import press_hold
from vastwatch.design.project import Project, find
from vastwatch.design.records import Conclusion
from vastwatch.memo import memoised
from vastwatch.signals import Signal
from vastwatch.signals.memoised_ops import either, never


class ManualActions(NamedTuple):
    """Manual actions in a room: the switch signal, wave reports by sensor, instants of waves and of trips to the
    switch, and overrides by buttons."""

    pressed: Signal
    waved: Mapping[str, Signal] = MappingProxyType({})
    waves: NDArray[np.float64] = np.empty(0)
    switch_trips: NDArray[np.float64] = np.empty(0)
    overrides: tuple[Override, ...] = ()


# By room.
ActionsByRoom = Mapping[str, ManualActions]
NO_ACTIONS: ActionsByRoom = MappingProxyType({})


def evaluate_conclusion(
    project: Project,
    presence: Conclusion,
    recording: Recording,
    hand: ManualActions | None,
    dependencies: Mapping[str, Signal],
) -> Signal:
    """What one conclusion comes to, given what people in its room do about the light, and all that it names."""
    said = evaluate_expr(project, presence.expr, recording, None if hand is None else hand.waved, dependencies)
    if hand is None or not presence.lights or len(hand.pressed) == 0:
        return said
    if find(project.rooms, presence.room or "").control == "absence":
        return said
    # Where lights come on by themselves, a press says that somebody is there.
    kept_by = presence.expr.keep if isinstance(presence.expr, StartKeep) else presence.expr
    keeping = evaluate_expr(project, kept_by, recording, hand.waved, dependencies)
    return _by_press(said, keeping, hand.pressed, press_hold(presence.expr))


def evaluate_expr(
    project: Project, expr: Expr, recording: Recording, waved: Mapping[str, Signal] | None = None,
    dependencies: Mapping[str, Signal] = MappingProxyType({}),
) -> Signal:  # fmt: skip
    """The signal of an expression over a recording, what sensors report of waves besides, and the conclusions that it
    names; one of which nothing is known is off."""
    every = leaves(expr)
    if len(every) == 1 and every[0] is expr:
        return _said(project, every[0], recording, waved or {}, dependencies)
    said = tuple(_said(project, leaf, recording, waved or {}, dependencies) for leaf in every)
    return _concluded(expr, said, markov_chains(project, beliefs(expr)))


def _said(
    project: Project, leaf: Leaf, recording: Recording, waved: Mapping[str, Signal], dependencies: Mapping[str, Signal]
) -> Signal:
    """What a leaf of an expression says."""
    if isinstance(leaf, Report):
        said = recording.reports.get((leaf.sensor, leaf.part))
        if said is not None and leaf.responds_to_motion and leaf.sensor in waved:
            said = either(said, waved[leaf.sensor])
    elif isinstance(leaf, ConclusionRef):
        said = dependencies.get(leaf.presence)
    elif isinstance(leaf, ClockTime):
        return clock_time(leaf, project.place, recording.calendar)
    elif isinstance(leaf, Dark):
        return dark_leaf(project, leaf, recording)
    elif isinstance(leaf, Nothing):
        return never(recording.end)
    else:
        said = recording.facts.get((leaf.what, leaf.room))
    return never(recording.end) if said is None else said


@memoised
def _by_press(presence: Signal, keeping: Signal, pressed: Signal, hold_s: float) -> Signal:
    return presence | manual_on(keeping, pressed, hold_s)


@memoised
def _concluded(expr: Expr, said: tuple[Signal, ...], chains: tuple[MarkovChain, ...]) -> Signal:
    return evaluate_with(expr, said, chains)


def evaluate_with(
    expr: Expr, said: Sequence[Signal], chains: Sequence[MarkovChain] = (), alive: Signal | None = None
) -> Signal:
    """What an expression comes to, given what its leaves say, from left to right, and how its occupancy probabilities
    weigh that; `alive` as for `evaluate`."""
    heard = iter(said)
    return evaluate(expr, lambda leaf: next(heard), chains, alive)

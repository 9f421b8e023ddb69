"""M7, M14: what an expression comes to, over what its leaves say."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from vastwatch.control.belief.belief_filter import filter_of
from vastwatch.control.belief.rates import MarkovChain
from vastwatch.design.expressions import (
    AllOf,
    AnyOf,
    AtLeast,
    Belief,
    ClockTime,
    ConclusionRef,
    Dark,
    DoorLatch,
    Expr,
    Fact,
    Hold,
    MinimumOn,
    Not,
    Nothing,
    OnDelay,
    Report,
    StartKeep,
    every_part,
    parts_of,
)
from vastwatch.signals import Signal, all_of, any_of, at_least

# What is heard, and not joined of parts.
Leaf = Report | ConclusionRef | ClockTime | Dark | Fact | Nothing
LEAVES = (Report, ConclusionRef, ClockTime, Dark, Fact, Nothing)
# What a leaf says.
LeafSignal = Callable[[Leaf], Signal]


def leaves(expr: Expr) -> list[Leaf]:
    """The leaves of an expression, left to right."""
    if isinstance(expr, LEAVES):
        return [expr]
    return [leaf for part in parts_of(expr) for leaf in leaves(part)]


def beliefs(expr: Expr) -> list[Belief]:
    """The occupancy probabilities in an expression, left to right."""
    return [part for part in every_part(expr) if isinstance(part, Belief)]


def evaluate(
    expr: Expr, leaf_signals: LeafSignal, chains: Sequence[MarkovChain] = (), alive: Signal | None = None
) -> Signal:
    """Evaluate an expression; `leaf_signals` maps a leaf to its signal, `chains` hold the Markov chain of each
    occupancy probability, left to right. In a concatenated batch, `alive` is on during replicates."""
    return _evaluate(expr, leaf_signals, iter(chains), alive)


def _evaluate(expr: Expr, leaf_signals: LeafSignal, chains: Iterator[MarkovChain], alive: Signal | None) -> Signal:
    if isinstance(expr, LEAVES):
        return leaf_signals(expr)
    parts = [_evaluate(part, leaf_signals, chains, alive) for part in parts_of(expr)]
    if isinstance(expr, Belief):
        return filter_of(next(chains), expr.on_above, expr.off_below).presence(parts, alive)
    if alive is not None and isinstance(expr, Not):
        return alive - parts[0]
    if alive is not None and isinstance(expr, DoorLatch):
        # Between two replicates all doors stand open: nobody is latched in.
        parts[1] = parts[1] | ~alive
    return apply_operator(expr, parts)


def apply_operator(expr: Expr, parts: list[Signal]) -> Signal:
    """What an operator makes of the signals of its parts, in their order. Raises TypeError for a leaf and for a
    occupancy probability."""
    if isinstance(expr, AnyOf):
        return any_of(parts)
    if isinstance(expr, AllOf):
        return all_of(parts)
    if isinstance(expr, AtLeast):
        return at_least(expr.k, parts)
    if isinstance(expr, Not):
        return ~parts[0]
    if isinstance(expr, Hold):
        return parts[0].hold(expr.seconds)
    if isinstance(expr, OnDelay):
        return parts[0].on_delay(expr.seconds)
    if isinstance(expr, MinimumOn):
        return parts[0].minimum_on(expr.seconds)
    if isinstance(expr, StartKeep):
        return parts[0].start_keep(parts[1])
    if isinstance(expr, DoorLatch):
        return parts[0].door_latch(parts[1], expr.hold_s, expr.settle_s)
    raise TypeError(f"{type(expr).__name__} joins nothing")

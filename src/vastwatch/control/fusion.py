"""M7: evaluating a presence expression over what the sensors report."""

from __future__ import annotations

from collections.abc import Callable

from vastwatch.design.records import AllOf, AnyOf, AtLeast, Expr, Hold, Not, OnDelay, Report
from vastwatch.signals import Signal, all_of, any_of, at_least

# What a sensor says, by its id and the part of it asked for: a state, a zone (None: as a whole).
Said = Callable[[str, str | None], Signal]


def evaluate(expr: Expr, said: Said) -> Signal:
    """The signal of an expression, over what sensors say."""

    def parts(of: tuple[Expr, ...]) -> list[Signal]:
        return [evaluate(p, said) for p in of]

    if isinstance(expr, Report):
        return said(expr.sensor, expr.part)
    if isinstance(expr, AnyOf):
        return any_of(parts(expr.of))
    if isinstance(expr, AllOf):
        return all_of(parts(expr.of))
    if isinstance(expr, AtLeast):
        return at_least(expr.k, parts(expr.of))
    if isinstance(expr, Not):
        return ~evaluate(expr.of, said)
    if isinstance(expr, Hold):
        return evaluate(expr.of, said).hold(expr.seconds)
    if isinstance(expr, OnDelay):
        return evaluate(expr.of, said).on_delay(expr.seconds)
    return evaluate(expr.start, said).start_keep(evaluate(expr.keep, said))

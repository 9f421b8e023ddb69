"""M7: evaluating a presence expression over what the sensors report."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from vastwatch.design.records import AllOf, AnyOf, AtLeast, Expr, Hold, Not, OnDelay, Report
from vastwatch.signals import Signal, all_of, any_of, at_least

# A sensor's report under (sensor id, state), state None for the report as a whole.
Reports = Mapping[tuple[str, str | None], Signal]


def evaluate(expr: Expr, reports: Reports) -> Signal:
    """The signal of an expression. Raises KeyError for a report that is not there."""

    def parts(of: tuple[Expr, ...], join: Callable[[list[Signal]], Signal]) -> Signal:
        return join([evaluate(p, reports) for p in of])

    if isinstance(expr, Report):
        return reports[expr.sensor, expr.state]
    if isinstance(expr, AnyOf):
        return parts(expr.of, any_of)
    if isinstance(expr, AllOf):
        return parts(expr.of, all_of)
    if isinstance(expr, AtLeast):
        return parts(expr.of, lambda signals: at_least(expr.k, signals))
    if isinstance(expr, Not):
        return ~evaluate(expr.of, reports)
    if isinstance(expr, Hold):
        return evaluate(expr.of, reports).hold(expr.seconds)
    if isinstance(expr, OnDelay):
        return evaluate(expr.of, reports).on_delay(expr.seconds)
    return evaluate(expr.start, reports).start_keep(evaluate(expr.keep, reports))

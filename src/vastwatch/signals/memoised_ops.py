"""The algebra of signals, remembered: the same signals give the very same signal again, so that what follows from it is
found again as well.
"""

from __future__ import annotations

from vastwatch.memo import memoised
from vastwatch.signals.signal import Signal, any_of


@memoised
def never(end: float) -> Signal:
    """A signal over [0, end) that is never on."""
    return Signal.constant(False, 0.0, end)


@memoised
def always(end: float) -> Signal:
    """A signal over [0, end) that is ever on."""
    return Signal.constant(True, 0.0, end)


@memoised
def both(a: Signal, b: Signal) -> Signal:
    """While both are on."""
    return a & b


@memoised
def either(a: Signal, b: Signal) -> Signal:
    """While one of them is on."""
    return a | b


@memoised
def difference(a: Signal, b: Signal) -> Signal:
    """While the first is on and the second is not."""
    return a - b


@memoised
def inverse(a: Signal) -> Signal:
    """While it is off."""
    return ~a


@memoised
def union(signals: tuple[Signal, ...]) -> Signal:
    """While any of them is on. Raises ValueError for none."""
    return any_of(signals)

"""What the judge of a room simulates: days under each seed, the seeds a setting is chosen on, and others that prove it.

One value holds for the whole process. Tests simulate less: they say so by `judging_by`.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import NamedTuple

from vastwatch.memo import MEMO


class JudgeSettings(NamedTuple):
    """`days` under each seed; `chosen_on`: the seeds that a setting is chosen on; `held_out`: others that show what it
    is worth; `frontier_seeds`: so many of the first a frontier is searched under, some half a minute's work."""

    days: int = 28
    chosen_on: tuple[int, ...] = tuple(range(1, 21))
    held_out: tuple[int, ...] = tuple(range(1001, 1021))
    frontier_seeds: int = 6


SHIPPED = JudgeSettings()
_in_force = SHIPPED


def settings() -> JudgeSettings:
    """The settings in force."""
    return _in_force


@contextmanager
def judging_by(wanted: JudgeSettings) -> Iterator[None]:
    """Have other settings in force, in all threads. What is in the memo was computed by the former: it is cleared."""
    global _in_force
    former, _in_force = _in_force, wanted
    MEMO.clear()
    try:
        yield
    finally:
        _in_force = former
        MEMO.clear()

"""Anybody who wants to know that a loop has to be compiled says so here. Imports nothing, so that asking costs
nothing."""

from __future__ import annotations

from collections.abc import Callable

# Called once when a process first compiles a loop.
_told: list[Callable[[], None]] = []


def when_compiling(tell: Callable[[], None]) -> None:
    """Have `tell` called once, as soon as this process has to compile a loop; anybody who asked before is forgotten."""
    _told[:] = [tell]


def tell_compiling() -> None:
    """A loop is being compiled: say so to anybody who asked."""
    while _told:
        _told.pop()()

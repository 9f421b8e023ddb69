"""How a loop is compiled: by numba, when it is first called, and kept as `cache` says."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numba
from numba.core import event

from vastwatch.loops.announcing import tell_compiling
from vastwatch.loops.cache import folder


def compiled(function: Callable[..., Any]) -> Any:
    """A loop, compiled when it is first called and kept; by every process anew where nothing can be kept. Other threads
    go on while it runs."""
    kept = folder()
    if kept is not None:
        numba.config.CACHE_DIR = str(kept)  # type: ignore[attr-defined]
    # No loop divides by nothing: no code is made for that.
    return numba.njit(cache=kept is not None, nogil=True, error_model="numpy")(function)


def part(function: Callable[..., Any]) -> Any:
    """A small part of loops, put into each where it is called: compiled by itself, once for each literal that it is
    given, it would take longer than all that it does."""
    return numba.njit(inline="always", nogil=True, error_model="numpy")(function)


class _Compiling(event.Listener):
    def on_start(self, event: Any) -> None:
        tell_compiling()

    def on_end(self, event: Any) -> None: ...


event.register("numba:compile", _Compiling())

"""A median of several runs, and a line of the report."""

from __future__ import annotations

import statistics
import time


def median_s(work, times: int) -> float:
    work()
    out = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        out.append(time.perf_counter() - start)
    return statistics.median(out)


def plain_loop_s() -> float:
    """Seconds that ten million steps of a plain loop take now: what this machine is worth at the moment, for figures
    that are compared with those of another hour or machine."""
    begin, x = time.perf_counter(), 0
    for i in range(10_000_000):
        x += i
    return time.perf_counter() - begin


def say(words: str) -> None:
    print(f"\n    {words}", flush=True)


# -- start ---------------------------------------------------------------------------------------------------------

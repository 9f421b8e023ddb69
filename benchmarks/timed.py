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


# Bars in seconds are meant for a machine on which that loop takes so long.
MEANT_S = 0.4


def hold_to(bar_s: float, seconds: float, words: str) -> None:
    """Say how long something took, with its bar as it is meant and as it is for the machine of this moment; and hold it
    to that."""
    loop = plain_loop_s()
    here = bar_s * max(loop / MEANT_S, 1.0)
    say(
        f"{words}: {_time(seconds)} (bar {_time(bar_s)} at a plain loop of {MEANT_S} s; here {loop:.2f} s: {_time(here)})"
    )
    assert seconds <= here


def _time(seconds: float) -> str:
    return (
        f"{seconds:.2f} s"
        if seconds >= 0.5
        else f"{1e3 * seconds:.1f} ms"
        if seconds >= 0.01
        else f"{1e3 * seconds:.2f} ms"
    )


def say(words: str) -> None:
    print(f"\n    {words}", flush=True)


# -- start ---------------------------------------------------------------------------------------------------------

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


def say(words: str) -> None:
    print(f"\n    {words}", flush=True)


# -- start ---------------------------------------------------------------------------------------------------------

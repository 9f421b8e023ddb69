"""Goes through every compiled loop once, so that what is made of it is kept and nobody waits for it at work."""

from __future__ import annotations

import numpy as np

from vastwatch.advice.judge import judge
from vastwatch.files import load_demo
from vastwatch.rehearsal import notice_loops, rehearse, zone_reports


def main() -> None:
    """A day of the sample's trackers as if it were very many, and two weeks of one room."""
    demo = load_demo()
    zone_reports.MANY_REPORTS = 0
    rehearse(demo, 1, 1)
    judge(demo, "toilet", 7, (1, 2))
    # Only conclusions that ask who moves want this one.
    none = np.empty(0)
    notice_loops.held(none, none, np.zeros(0, bool), np.zeros(2, np.int64), 1.0)


if __name__ == "__main__":
    main()

"""`python -m vastwatch.answers.prepare`: compiles every loop once, so that nobody waits for it at work.

Set-up runs it, and the desktop in a process beside it after an upgrade. Where all is compiled already it does nothing.
"""

from __future__ import annotations

import numpy as np

from vastwatch.loops.cache import is_prepared, set_prepared


def prepare() -> None:
    """Call every loop that arrays of the sample reach, and the others by themselves; then note that all are kept."""
    if is_prepared():
        return
    # Loaded only where something is left to do.
    from vastwatch.advice.judging.judge import judge
    from vastwatch.files import load_demo
    from vastwatch.loops import notices
    from vastwatch.rehearsal import rehearse
    from vastwatch.rehearsal.tracking import zone_reports

    demo = load_demo()
    # Of the sample's trackers a day is told as if their reports were very many.
    zone_reports.MANY_REPORTS = 0
    rehearse(demo, 1, 1)
    judge(demo, "toilet", 7, (1, 2))
    # Asked for only by conclusions that ask who moves.
    none = np.empty(0)
    notices.hold_merge(none, none, np.zeros(0, bool), np.zeros(2, np.int64), 1.0)
    set_prepared()


if __name__ == "__main__":
    prepare()

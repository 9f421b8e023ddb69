"""How cost grows with the building: the sample once, four and twelve times side by side in one project."""

from __future__ import annotations

import math
import time

import pytest

from copies import copies
from timed import plain_loop_s, say
from vastwatch.advice.checks.findings import findings
from vastwatch.advice.judging.timing import tune
from vastwatch.files import load_demo, load_project, save_project
from vastwatch.memo import MEMO
from vastwatch.rehearsal import rehearse
from vastwatch.sensing.coverage import coverage

MANY = (1, 4, 12)
# Twelve copies may take so many times as long as one.
BAR = 14.0


@pytest.mark.parametrize("what", ["rehearse", "check", "tune", "coverage", "open", "save"])
def test_twelve_copies_take_no_more_than_fourteen_times_as_long(what, tmp_path):
    file = tmp_path / "many.vastwatch.json"

    def work(project):
        if what == "rehearse":
            rehearse(project, 7, 1)
        elif what == "check":
            findings(project)
        elif what == "tune":
            tune(project, "throwing")
        elif what == "coverage":
            for sensor in project.sensors:
                coverage(project, sensor.id, "across")
        elif what == "open":
            load_project(file)
        else:
            save_project(project, file)

    rehearse(load_demo(), 1, 1)
    took = []
    for many in MANY:
        project = copies(load_demo(), many)
        save_project(project, file)
        MEMO.clear()
        begin = time.perf_counter()
        work(project)
        took.append(time.perf_counter() - begin)
    exponent = math.log(took[-1] / took[0]) / math.log(MANY[-1] / MANY[0])
    said = ", ".join(f"{s:.2f} s" for s in took)
    say(
        f"{what}: {said} for {MANY} copies; × {took[-1] / took[0]:.1f} (bar {BAR:g}), exponent {exponent:.2f}; "
        f"a plain loop {plain_loop_s():.2f} s"
    )
    assert took[-1] < BAR * took[0]

"""Whole processes: a start, a drawing that comes in, a year, four weeks at the command line."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


from timed import hold_to, median_s, say

START = """
import sys, time
begin = time.perf_counter()
from vastwatch.allocator import raise_trim_thresholds
raise_trim_thresholds()
from vastwatch.desk.shell.app import Desk, make_application
from vastwatch.desk.shell.document import Document
from vastwatch.files import load_demo
app = make_application()
desk = Desk(Document(load_demo()))
desk.window.show()
while not desk.window.isVisible():
    app.processEvents()
app.processEvents()
desk.window.grab()
painted = time.perf_counter() - begin
while desk.window.results.rehearsal is None or desk.window.results.busy():
    app.processEvents()
desk.window.grab()
# Of this process alone: what the system counts for a child begins with what its parent had.
most = next(line for line in open("/proc/self/status") if line.startswith("VmHWM"))
print(painted, time.perf_counter() - begin, int(most.split()[1]) / 1024)
desk.window.results.stop()
"""


def test_start_to_a_painted_window_and_its_memory():
    runs = []
    for _ in range(4):
        out = subprocess.run([sys.executable, "-c", START], capture_output=True, text=True, check=True).stdout
        runs.append([float(v) for v in out.split()])
    painted, ready, memory = (statistics.median(column) for column in list(zip(*runs))[:3])
    say(f"start with the sample: week rehearsed after {ready:.2f} s; {memory:.0f} MB (bar 250 MB)")
    hold_to(1.5, painted, "painted")
    assert memory < 250


# -- coverage ------------------------------------------------------------------------------------------------------


def test_a_drawing_of_20_000_entities_comes_in(tmp_path):
    import random

    import ezdxf

    from vastwatch.design.project import Project
    from vastwatch.files.drawing.importing import import_drawing
    from vastwatch.files.drawing.reading import read_drawing
    from vastwatch.site.building import Level

    document = ezdxf.new()
    document.header["$INSUNITS"] = 6
    space, rng = document.modelspace(), random.Random(1)
    for i in range(10):
        for j in range(6):
            x, y = 4.0 * i, 3.5 * j
            corners = [(x, y), (x + 4, y), (x + 4, y + 3.5), (x, y + 3.5)]
            space.add_lwpolyline(corners, close=True, dxfattribs={"layer": "rooms"})
            space.add_text(f"R{i}-{j}", dxfattribs={"insert": (x + 1, y + 1), "layer": "names"})
    while len(space) < 20_000:
        x, y = 40 * rng.random(), 21 * rng.random()
        space.add_line((x, y), (x + 2 * rng.random(), y + 2 * rng.random()), dxfattribs={"layer": "walls"})
    path = tmp_path / "large.dxf"
    document.saveas(path)
    bare = Project(name="x", levels=(Level(id="ground", name="Ground", elevation=0.0),))

    def brought():
        drawing = read_drawing(path)
        return import_drawing(bare, "ground", drawing, set(drawing.layers), "m")

    assert len(brought().project.rooms) == 60
    seconds = median_s(brought, 3)
    hold_to(5.0, seconds, "a drawing of 20,000 entities, read and made into walls and rooms")


# -- the adviser ---------------------------------------------------------------------------------------------------


ACTS = """
import os, random, sys
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from msgspec.structs import replace
from PyQt6.QtTest import QTest
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.presence import hold_of
from vastwatch.design.project import put
from vastwatch.desk.shell.app import KEPT, Desk, make_application
from vastwatch.desk.shell.document import Document
from vastwatch.desk.stages import STAGES
from vastwatch.files import load_demo
from vastwatch.memo import MEMO
from vastwatch.allocator import raise_trim_thresholds
raise_trim_thresholds()
MEMO.set_budget(KEPT)
app = make_application()
window = Desk(Document(load_demo())).window
window.resize(1280, 800)
window.show()
draw, document = random.Random(5), window.document
def memory(of):
    return int(next(x for x in open("/proc/self/status") if x.startswith(of)).split()[1]) / 1024
for n in range(1000):
    p, act = document.project, draw.randrange(6)
    sensor, room = draw.choice(p.sensors), draw.choice(p.rooms)
    if act == 0:
        held = draw.choice([x for x in p.presences if hold_of(x.expr) is not None])
        document.apply(set_hold(p, held.id, float(draw.randrange(20, 1200))), "hold")
    elif act == 1:
        document.apply(put(p, replace(sensor, yaw=(sensor.yaw + 15) % 360)), "turn")
    elif act == 2:
        window.focus.set(stage=draw.choice(STAGES).name, level=room.level, room=room.id, selected=room.id)
    elif act == 3 and document.undo_stack.canUndo():
        document.undo_stack.undo()
    elif act == 4:
        document.apply(put(p, replace(room, ambient_c=float(draw.randrange(5, 30)))), "air")
    else:
        document.apply(put(p, replace(sensor, at=(sensor.at[0] + 0.01, *sensor.at[1:]))), "move")
    QTest.qWait(20)
    if n % 10 == 9:
        for _ in range(2000):
            if not window.results.busy():
                break
            QTest.qWait(10)
QTest.qWait(25_000)
print(memory("VmRSS"), memory("VmHWM"), flush=True)
os._exit(0)
"""


def test_the_memory_of_a_window_after_a_thousand_acts():
    out = subprocess.run([sys.executable, "-c", ACTS], capture_output=True, text=True, check=True).stdout.split()
    after, most = map(float, out)
    say(f"a window after 1,000 acts: {after:.0f} MB (bar 500 MB), at most {most:.0f} MB")
    assert after < 500


def test_a_year_of_the_sample_and_its_incidents():
    """In a process of its own, so that the memory is its alone."""
    probe = (
        "import re, time; from vastwatch.files import load_demo; from vastwatch.rehearsal import rehearse\n"
        "demo = load_demo(); t = time.perf_counter(); r = rehearse(demo, 364, 1); n = len(r.incidents); s = r.scores\n"
        "peak = re.search(r'VmHWM:\\s+(\\d+)', open('/proc/self/status').read())\n"
        "print(time.perf_counter() - t, n, int(peak[1]) / 1024)"
    )
    out = subprocess.run([sys.executable, "-c", probe], capture_output=True, text=True, check=True).stdout.split()
    seconds, incidents, memory = float(out[0]), int(out[1]), float(out[2])
    hold_to(25.0, seconds, f"52 weeks of the sample with {incidents} incidents, {memory:.0f} MB (bar 300 MB)")
    assert memory < 300


def test_four_weeks_at_the_command_line():
    begin = time.perf_counter()
    subprocess.run(
        [sys.executable, "-m", "vastwatch", "rehearse", "--demo", "--days", "28"], capture_output=True, check=True
    )
    seconds = time.perf_counter() - begin
    hold_to(2.0, seconds, "28 days of the sample at the command line, the whole process")


def test_advice_for_the_whole_sample_at_the_command_line():
    """By all processors, and by one of them."""

    def seconds(processors: set[int]) -> float:
        begin = time.perf_counter()
        subprocess.run(
            [sys.executable, "-m", "vastwatch", "advise", "--demo"], capture_output=True, check=True,
            preexec_fn=lambda: os.sched_setaffinity(0, processors),
        )  # fmt: skip
        return time.perf_counter() - begin

    every = os.sched_getaffinity(0)
    alone, together = seconds({min(every)}), seconds(every)
    hold_to(
        8.0, together, f"advice with pairs for all rooms of the sample, the whole process, {len(every)} processors; on "
        f"one {alone:.1f} s; on all"
    )  # fmt: skip

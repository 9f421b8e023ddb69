"""The window: what a frame takes, on the sample and on large plans."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest
from msgspec.structs import replace

from copies import copies
from timed import hold_to, say
from vastwatch.design.presence import hold_of
from vastwatch.design.project import find
from vastwatch.desk.results.adviser import OPTIONS


@pytest.mark.parametrize("beside", [0, 1])
def test_a_frame_while_dragging_by_mouse(app, demo, beside):
    """Alone, and with another process at full load beside it."""
    busy = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(beside)]
    try:
        _drag(app, demo, f"{beside} busy beside")
    finally:
        for process in busy:
            process.kill()
            process.wait()


def _drag(app, demo, how):
    from PyQt6.QtTest import QTest

    from vastwatch.desk.shell.app import Desk
    from vastwatch.desk.shell.document import Document

    desk = Desk(Document(demo))
    window = desk.window
    window.resize(1280, 800)
    window.show()
    for ident, level, aim in (("pir-throwing", "ground", (-2.2, -1.6)), ("radar-sitting", "upper", (2.2, 0.6))):
        window.focus.set(stage="Sensors", level=level, selected=ident, room=None)
        QTest.qWait(100)
        while window.results.busy():
            QTest.qWait(20)
        view, sensor = window.plan.viewport(), find(window.document.project.sensors, ident)
        start = window.plan.pixel_of(*sensor.at[:2])
        frames = dragged(app, view, start, aim, view.repaint)
        hold_to(
            0.016, statistics.median(frames), f"a frame, {how}, dragging {ident} (its room on 5 cm, the rest of the level on "
            f"10 cm, contours, repaint), best {min(frames) * 1e3:.1f} ms; median"
        )  # fmt: skip
    window.document.undo_stack.setClean()
    window.close()


def test_a_frame_while_a_zone_is_dragged_by_mouse(app, demo):
    """Numbers, the shape the device will use, chances at the spots and the matrix on the panel, with each frame."""
    from PyQt6.QtTest import QTest

    from vastwatch.desk.shell.app import Desk
    from vastwatch.desk.shell.document import Document

    desk = Desk(Document(demo))
    window = desk.window
    window.resize(1280, 800)
    window.show()
    for ident in ("zone-window-seat", "zone-counter"):
        zone = find(demo.zones, ident)
        sensor = find(demo.sensors, zone.sensor)
        window.focus.set(stage="Zones", level=sensor.level, selected=zone.id, room=None)
        QTest.qWait(200)
        while window.results.busy():
            QTest.qWait(20)
        xs, ys = zip(*zone.outline)
        view = window.plan.viewport()
        # By its lower left part, where no seat is.
        at = 0.9 * min(xs) + 0.1 * max(xs), 0.9 * min(ys) + 0.1 * max(ys)
        start = window.plan.pixel_of(*at)
        # The plan and the panel are painted as events are seen to.
        frames = dragged(app, view, start, (0.6, -0.4), app.processEvents)
        moved = find(window.document.project.zones, ident).outline
        assert moved != zone.outline
        hold_to(0.016, statistics.median(frames), f"a frame, dragging {ident}, best {min(frames) * 1e3:.1f} ms; median")
    window.document.undo_stack.setClean()
    window.close()


def dragged(app, view, start, aim, made):
    """What each of 60 steps of a drag from a pixel on takes, seconds, with what is `made` of it."""
    from PyQt6.QtCore import QEvent, QPointF, Qt
    from PyQt6.QtGui import QMouseEvent
    from PyQt6.QtTest import QTest

    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=start.toPoint())
    frames = []
    for k in range(60):
        p = start + QPointF(*aim) * k
        move = QMouseEvent(
            QEvent.Type.MouseMove, p, view.mapToGlobal(p), Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        begin = time.perf_counter()
        app.sendEvent(view, move)
        made()
        frames.append(time.perf_counter() - begin)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=p.toPoint())
    return frames


def large_plan():
    """60 rooms, 400 walls, 300 pieces of furniture on one level."""
    from vastwatch.design.edits.building import add_rooms, rectangle
    from vastwatch.design.edits.fittings import add_furnishing
    from vastwatch.design.project import Project
    from vastwatch.site.building import Level, Wall
    from vastwatch.site.furniture import furniture

    project = Project(name="Large", levels=(Level(id="ground", name="Ground", elevation=0.0),))
    wanted = [
        (f"Room {i}-{j}", "desk", rectangle(4.2 * i, 3.8 * j, 4.2, 3.8)) for i in range(10) for j in range(6)
    ]  # fmt: skip
    project, _ = add_rooms(project, "ground", wanted)
    kinds = [k for k in furniture() if k.width < 1.3 and k.depth < 1.0 and k.kind != "stair"]
    for n in range(300):
        room = project.rooms[n // 5]
        x, y = room.outline[0]
        at = (round(x + 0.8 + (n % 5) * 0.65, 2), round(y + 0.8 + (n % 3) * 1.1, 2))
        project, _ = add_furnishing(project, "ground", kinds[n % len(kinds)], at, 90.0 * (n % 4))
    short = []
    for n in range(400 - len(project.walls)):
        x, y = project.rooms[n % 60].outline[0]
        x, y = x + 0.4 * (n // 60 + 1), y
        short.append(Wall(id=f"stub-{n}", level="ground", a=(x, y), b=(x, y + 0.6)))
    return replace(project, walls=(*project.walls, *short))


def test_the_window_while_the_adviser_works(app, demo):
    """How long each turn of its loop takes, a painted plan included, from the key to the whole answer."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtTest import QTest

    from vastwatch.desk.shell.app import Desk
    from vastwatch.desk.shell.document import Document

    window = Desk(Document(demo)).window
    window.resize(1280, 800)
    window.show()
    for room in ("sitting", "passage", "kitchen"):
        window.focus.set(stage="Sensors", level=find(demo.rooms, room).level, selected=None, room=room)
        QTest.qWait(100)
        while window.results.busy():
            QTest.qWait(20)
        QTest.keyClick(window, Qt.Key.Key_W)
        begin, turns = time.perf_counter(), []
        while window.results[OPTIONS].busy or len(turns) < 20:
            turn = time.perf_counter()
            app.processEvents()
            window.plan.viewport().repaint()
            turns.append(time.perf_counter() - turn)
            # As if waiting for the next event.
            time.sleep(0.004)
        took, late = time.perf_counter() - begin, sum(turn > 0.033 for turn in turns)
        assert window.results[OPTIONS].value is not None
        turns.sort()
        say(
            f"the adviser in the window, {room}: {took:.1f} s; turns with a painted plan: median "
            f"{statistics.median(turns) * 1e3:.1f} ms, 95 % within {turns[int(0.95 * len(turns))] * 1e3:.0f} ms, longest "
            f"{turns[-1] * 1e3:.0f} ms; {late} of {len(turns)} beyond 33 ms"
        )
        hold_to(0.033, turns[int(0.95 * len(turns))], "95 % of the turns within")
    window.document.undo_stack.setClean()
    window.close()


def test_a_large_plan_pans_zooms_and_drags(app):
    from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
    from PyQt6.QtGui import QMouseEvent, QWheelEvent
    from PyQt6.QtTest import QTest

    from vastwatch.desk.shell.app import Desk
    from vastwatch.desk.shell.document import Document

    project = large_plan()
    assert (len(project.rooms), len(project.walls), len(project.furnishings)) == (60, 400, 300)
    desk = Desk(Document(project))
    window = desk.window
    window.resize(1280, 800)
    window.show()
    window.focus.set(stage="Plan")
    QTest.qWait(300)
    while window.results.busy():
        QTest.qWait(20)
    plan, view = window.plan, window.plan.viewport()

    def moved(start: QPointF, aim: tuple[float, float], button=Qt.MouseButton.LeftButton) -> list[float]:
        QTest.mousePress(view, button, pos=start.toPoint())
        frames = []
        for k in range(40):
            p = start + QPointF(*aim) * k
            move = QMouseEvent(QEvent.Type.MouseMove, p, view.mapToGlobal(p), Qt.MouseButton.NoButton, button,
                               Qt.KeyboardModifier.NoModifier)  # fmt: skip
            begin = time.perf_counter()
            app.sendEvent(view, move)
            view.repaint()
            frames.append(time.perf_counter() - begin)
        QTest.mouseRelease(view, button, pos=p.toPoint())
        return frames

    def wheeled() -> list[float]:
        frames = []
        for k in range(40):
            at = QPointF(300, 200)
            wheel = QWheelEvent(at, QPointF(view.mapToGlobal(at)), QPoint(), QPoint(0, 60 if k % 20 < 10 else -60),
                                Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
                                Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
            begin = time.perf_counter()
            app.sendEvent(view, wheel)
            view.repaint()
            frames.append(time.perf_counter() - begin)
        return frames

    piece = project.furnishings[152]
    middle = [sum(p[k] for p in piece.outline) / 4 for k in (0, 1)]
    wall = next(w for w in project.walls if w.a[0] == w.b[0] == 16.8)
    on_wall = plan.pixel_of(wall.a[0], (wall.a[1] + wall.b[1]) / 2)
    frames = {
        "pans": moved(QPointF(320, 240), (2, 1), Qt.MouseButton.MiddleButton),
        "zooms": wheeled(),
        "drags furniture": moved(plan.pixel_of(*middle), (0.5, 0.3)),
        "drags a wall": moved(on_wall, (0.3, 0.0)),
    }
    for what, times in frames.items():
        hold_to(0.0167, statistics.median(times), f"a frame while a plan of 60 rooms, 400 walls, 300 pieces {what}")
    window.document.undo_stack.setClean()
    window.close()


# -- drawings ------------------------------------------------------------------------------------------------------


def station(sensors: int):
    """The large plan with so many sensors, three to a room at most, lamps, and six people who work there."""
    from vastwatch.design.edits.sensors import add_sensor
    from vastwatch.devices import catalogue
    from vastwatch.site.building import Spot
    from vastwatch.site.people import Errand, Person, Stay

    project = large_plan()
    pir = next(d for d in catalogue() if d.id == "pir-corner-12")
    each = 1 if sensors <= 60 else -(-sensors // 60)
    corners = ((0.3, 0.3, 45.0), (3.9, 0.3, 135.0), (3.9, 3.5, 225.0))
    hung = 0
    for room in project.rooms:
        x, y = room.outline[0]
        for dx, dy, yaw in corners[:each]:
            if hung < sensors:
                project, _ = add_sensor(project, pir, "ground", (x + dx, y + dy, 2.2), yaw, 0.0)
                hung += 1
    spots = []
    for k, room in enumerate(project.rooms[:24]):
        x, y = room.outline[0]
        spots.append(Spot(id=f"seat-{k}", room=room.id, name=f"seat {k}", at=(x + 2.1, y + 3.3), posture="seated",
                          activity="desk"))  # fmt: skip
    people = [
        Person(
            id=f"p-{n}", name=f"P{n}",
            stays=(Stay(at="08:00", spot=f"seat-{4 * n}"), Stay(at="18:00", spot=f"seat-{4 * n + 1}")),
            errands=(Errand(between=("08:30", "17:30"), spot=f"seat-{4 * n + 2}", per_day=8, minutes=6),),
        )
        for n in range(6)
    ]  # fmt: skip
    return replace(project, spots=(*project.spots, *spots), people=tuple(people))


@pytest.mark.parametrize(("which", "bar"), [("20 sensors", 25), ("170 sensors", 60), ("12 copies of the sample", 60)])
def test_a_frame_of_a_new_hold_time_with_everything_that_follows(app, demo, which, bar):
    from PyQt6.QtTest import QTest

    from vastwatch.design.edits.sensors import set_hold
    from vastwatch.desk.shell.app import Desk
    from vastwatch.desk.shell.document import Document

    many = int(which.split()[0])
    project = station(many) if "sensors" in which else copies(demo, many)
    assert len(project.sensors) == (many if "sensors" in which else many * len(demo.sensors))
    desk = Desk(Document(project))
    window = desk.window
    window.resize(1280, 800)
    window.show()
    presence = next(p for p in project.presences if p.room is not None and hold_of(p.expr) is not None)
    room = find(project.rooms, presence.room)
    # On Timing the judge would live 80 weeks of all copies first, for minutes.
    stage = "Timing" if "sensors" in which else "Sensors"
    window.focus.set(stage=stage, room=room.id, level=room.level, selected=room.id)
    QTest.qWait(200)
    while window.results.busy():
        QTest.qWait(20)
    frames = []
    for k in range(30):
        new = set_hold(window.document.project, presence.id, 60.0 + 5 * k)
        begin = time.perf_counter()
        window.document.apply(new, "Hold", "hold")
        # All that is shown is painted anew within the frame: plan, ribbon, verdict, curve, strip.
        app.sendPostedEvents()
        app.processEvents()
        frames.append(time.perf_counter() - begin)
    assert window.results.rehearsal.project is window.document.project
    hold_to(
        bar / 1e3, statistics.median(frames),
        f"a new hold at {which}, rehearsed and painted, best {min(frames) * 1e3:.1f} ms; median",
    )  # fmt: skip
    window.document.undo_stack.setClean()
    window.close()

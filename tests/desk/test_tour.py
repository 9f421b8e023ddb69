"""The guided tour: taken by hand and done for one, left and resumed, and what it shows at each step."""

from __future__ import annotations

import pytest
from hands import LEFT, key, project, settle, spot_px
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtWidgets import QPushButton

from vastwatch.desk.shell.document import Document, empty_project
from vastwatch.desk.tour.steps import ROOM, STEPS
from vastwatch.desk.tour.tour import KEPT_AS, TourBar


@pytest.fixture
def tour(qtbot, window):
    QSettings().remove(KEPT_AS)
    window._handed_over = False
    window.tour.begin()
    settle(qtbot, window)
    yield window.tour
    window.tour.leave()
    QSettings().remove(KEPT_AS)


def _bar(window):
    return window.findChild(TourBar)


def test_it_is_hidden_until_it_begins(window):
    assert window.tour.step is None and not _bar(window).isVisible()


@pytest.mark.own_window
def test_a_visitor_takes_all_six_steps(qtbot, a_week, window, tour, tmp_path):
    w, bar = window, _bar(window)
    assert bar.isVisible() and w.focus.stage == "Sensors" and w.focus.room == ROOM
    assert "device list" in bar._words.text() and tour.figure is None
    # A sensor, by keys.
    w.focus.set(placing="pir-corner-12")
    key(qtbot, w.plan, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: tour.figure is not None)
    assert "within 1 s" in bar._words.text() and not bar.do.isVisible()
    qtbot.mouseClick(bar.next, LEFT)
    # The table, by mouse.
    settle(qtbot, w)
    spot = next(s for s in project(w).spots if s.id == "table-spot")
    qtbot.mouseClick(w.plan.viewport(), LEFT, pos=spot_px(w, *spot.at))
    qtbot.waitUntil(lambda: tour.figure is not None, timeout=60_000)
    assert "In half of 100 trials" in tour.figure
    qtbot.mouseClick(bar.next, LEFT)
    settle(qtbot, w)
    key(qtbot, w.plan, Qt.Key.Key_Period)
    qtbot.waitUntil(lambda: tour.figure is not None)
    drops = w.results.rehearsal.scores[ROOM].false_offs
    assert f"{drops:.1f} times a day" in tour.figure and drops > 10
    qtbot.mouseClick(bar.next, LEFT)
    # What helps is tried and applied by the tour's own button.
    qtbot.mouseClick(bar.do, LEFT)
    qtbot.waitUntil(lambda: tour.figure is not None, timeout=120_000)
    settle(qtbot, w)
    assert w.results.rehearsal.scores[ROOM].false_offs < 1 and "0.0 false-offs a day" in tour.figure
    qtbot.mouseClick(bar.next, LEFT)
    qtbot.mouseClick(bar.do, LEFT)
    qtbot.waitUntil(lambda: tour.figure is not None, timeout=120_000)
    assert "lit while empty" in tour.figure
    qtbot.mouseClick(bar.next, LEFT)
    assert tour.at == len(STEPS) - 1 and bar.next.text() == "Finish"
    w.filing.send_out_to(tmp_path / "report.pdf")
    assert tour.figure.startswith("2 sensors in the kitchen: ")
    qtbot.mouseClick(bar.next, LEFT)
    assert tour.step is None and not bar.isVisible() and QSettings().value(KEPT_AS) in (0, "0")


def test_it_is_left_and_goes_on_where_it_was(qtbot, window, tour):
    tour.go_on()
    tour.go_on()
    assert tour.at == 2 and window.focus.stage == "Rehearsal" and window.focus.only == "dropped"
    qtbot.mouseClick(next(b for b in _bar(window).findChildren(QPushButton) if b.text() == "×"), LEFT)
    assert tour.step is None and window.focus.only == "all"
    # What the steps before it change is done for who goes on with this one.
    assert len(tour.scene.sensors()) == 0
    tour.begin()
    assert tour.at == 2 and [s.device for s in tour.scene.sensors()] == ["pir-corner-12"]
    tour.go_back()
    assert tour.at == 1
    window.document.undo_stack.undo()
    assert tour.scene.sensors() == []


def test_a_figure_that_was_reached_stays(qtbot, window, tour):
    tour.do_it()
    qtbot.waitUntil(lambda: tour.figure is not None)
    figure = tour.figure
    window.focus.set(stage="Plan", selected="bath", room="bath")
    assert tour.figure == figure


@pytest.mark.own_window
def test_it_opens_the_sample_and_leaves_with_it(qtbot, window, tour):
    tour.leave()
    window.document.undo_stack.setClean()
    window.document.replace(empty_project(), None)
    window.take_over()
    window._begin("tour")
    assert tour.step is STEPS[0] and any(r.id == ROOM for r in project(window).rooms)
    window.document.undo_stack.setClean()
    window.document.replace(empty_project(), None)
    window.take_over()
    assert tour.step is None and isinstance(window.document, Document)

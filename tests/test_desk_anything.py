"""Anything a hand can do in any order: a fixed row of random drags, clicks and keys leaves the window alive and the
project sound."""

from __future__ import annotations

import random
import sys

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QCheckBox, QFileDialog, QMessageBox, QPushButton

from test_desk import LEFT, desk, project, send_move, settle, window  # noqa: F401
from vastwatch.desk.focus import STAGES
from vastwatch.files import load_demo
from vastwatch.files.check import problems

KEYS = [
    Qt.Key.Key_Left, Qt.Key.Key_Up, Qt.Key.Key_R, Qt.Key.Key_Delete, Qt.Key.Key_V, Qt.Key.Key_N, Qt.Key.Key_M,
    Qt.Key.Key_Comma, Qt.Key.Key_Period, Qt.Key.Key_BracketRight, Qt.Key.Key_D, Qt.Key.Key_T, Qt.Key.Key_W,
    Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_F, Qt.Key.Key_Plus, Qt.Key.Key_Escape, Qt.Key.Key_Space,
    Qt.Key.Key_Return, Qt.Key.Key_Tab,
]  # fmt: skip
PLACED = [None, "pir-corner-12", "radar-60-ceiling", "opening:door", "opening:window", "furniture:Sofa"]


@pytest.mark.parametrize("seed", [1, 2])
def test_any_row_of_acts_leaves_a_sound_project_and_a_living_window(desk, seed, monkeypatch):  # noqa: F811
    caught = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, trace: caught.append(error))
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", staticmethod(lambda *a: ("", "")))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", staticmethod(lambda *a: ("", "")))
    rnd, w = random.Random(seed), desk.window

    def somewhere(widget) -> QPoint:
        return QPoint(rnd.randrange(widget.width()), rnd.randrange(widget.height()))

    def keys():
        QTest.keyClick(QApplication.focusWidget() or w.plan, rnd.choice(KEYS))

    def stage():
        w.focus.set(stage=rnd.choice(STAGES))
        w.plan.setFocus()

    def history():
        (w.document.undo_stack.undo if rnd.random() < 0.6 else w.document.undo_stack.redo)()

    def drags():
        view = w.plan.viewport()
        start, end = somewhere(view), somewhere(view)
        QTest.mousePress(view, LEFT, pos=start)
        for k in range(1, 4):
            send_move(w, start + (end - start) * k / 3)
        QTest.mouseRelease(view, LEFT, pos=end)

    def places():
        w.focus.set(placing=rnd.choice(PLACED))
        QTest.mouseClick(w.plan.viewport(), LEFT, pos=somewhere(w.plan.viewport()))

    def ribbon():
        QTest.mouseClick(w.ribbon, LEFT, pos=somewhere(w.ribbon))

    def button():
        shown = [b for b in w.findChildren(QPushButton) + w.findChildren(QCheckBox) if b.isVisible() and b.isEnabled()]
        if shown:
            rnd.choice(shown).click()

    def another():
        w.document.replace(load_demo(), None)
        w.take_over()

    acts = [keys] * 7 + [stage, history, places, ribbon] * 2 + [drags] * 4 + [button] * 3
    for n in range(160):
        another() if n % 71 == 70 else rnd.choice(acts)()
        if n % 9 == 0:
            QTest.qWait(2)
        assert not caught, caught
        assert next(problems(project(w)), None) is None
    assert w.isVisible()


def test_what_was_computed_of_another_project_is_dropped(qtbot, window):  # noqa: F811
    settle(qtbot, window)
    window.focus.set(stage="Rehearsal")
    assert window.results.rehearsal is not None
    window.document.undo_stack.setClean()
    window.filing.new()
    assert window.results.rehearsal is None
    assert window.results.findings == []
    window.grab()
    settle(qtbot, window)
    assert window.results.rehearsal.project is project(window)

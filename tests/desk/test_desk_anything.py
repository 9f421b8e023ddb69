"""Anything a hand can do in any order: a fixed row of random drags, clicks and keys leaves the window alive and the
project sound."""

from __future__ import annotations

import random
import sys

import msgspec
import pytest
from hands import LEFT, project, send_move, settle
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QMessageBox,
    QPushButton,
)  # fmt: skip

from vastwatch.desk.plan.places import name_frame
from vastwatch.desk.results.findings import FINDINGS
from vastwatch.desk.shell.widgets import FigureField
from vastwatch.desk.stages import STAGE_NAMES
from vastwatch.desk.stages.brief.table import RowsTable
from vastwatch.files import load_demo
from vastwatch.files.check import faults_of

KEYS = [
    Qt.Key.Key_Left, Qt.Key.Key_Up, Qt.Key.Key_R, Qt.Key.Key_Delete, Qt.Key.Key_V, Qt.Key.Key_N, Qt.Key.Key_M,
    Qt.Key.Key_Comma, Qt.Key.Key_Period, Qt.Key.Key_BracketRight, Qt.Key.Key_D, Qt.Key.Key_T, Qt.Key.Key_W,
    Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_F, Qt.Key.Key_Plus, Qt.Key.Key_Escape, Qt.Key.Key_Space,
    Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_X, Qt.Key.Key_G, Qt.Key.Key_B, Qt.Key.Key_L, Qt.Key.Key_C,
    Qt.Key.Key_Backspace,
]  # fmt: skip
PLACED = [
    None, "pir-corner-12", "radar-60-ceiling", "dual-24-corner", "mat-seat", "contact-door", "plug-meter",
    "opening:door", "opening:window", "furniture:Sofa", "furniture:Double bed", "spot:seated", "wiring:socket",
    "wiring:circuit-shop", "draw:room", "draw:polygon", "draw:split", "draw:tape", "draw:fan", "draw:sun patch",
    "lamp:", "furniture:Stair run", "furniture:Desk with screen", "draw:shift", "opening:archway", "draw:zone",
    "draw:zone-outline", "draw:zone-here", "radar-24-tracker",
]  # fmt: skip
SHIFT, NONE = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.NoModifier


@pytest.mark.parametrize("seed", [1, 2])
def test_any_row_of_acts_leaves_a_sound_project_and_a_living_window(desk, seed, monkeypatch):
    caught = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, trace: caught.append(error))
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", staticmethod(lambda *a: ("", "")))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", staticmethod(lambda *a: ("", "")))
    monkeypatch.setattr(QInputDialog, "getText", staticmethod(lambda *a: ("3", True)))
    rnd, w = random.Random(seed), desk.window

    def somewhere(widget) -> QPoint:
        return QPoint(rnd.randrange(widget.width()), rnd.randrange(widget.height()))

    def keys():
        QTest.keyClick(QApplication.focusWidget() or w.plan, rnd.choice(KEYS))

    def stage():
        w.focus.set(stage=rnd.choice(STAGE_NAMES))
        w.plan.setFocus()

    def history():
        (w.document.undo_stack.undo if rnd.random() < 0.6 else w.document.undo_stack.redo)()

    def drags():
        view = w.plan.viewport()
        start, end = somewhere(view), somewhere(view)
        held = rnd.choice((NONE, NONE, SHIFT))
        QTest.mousePress(view, LEFT, held, start)
        for k in range(1, 4):
            send_move(w, start + (end - start) * k / 3, held)
        QTest.mouseRelease(view, LEFT, held, end)

    def places():
        w.focus.set(placing=rnd.choice(PLACED))
        for _ in range(rnd.choice((1, 1, 2, 4))):
            QTest.mouseClick(w.plan.viewport(), LEFT, pos=somewhere(w.plan.viewport()))

    def rooms():
        """A room by its name, by keys, or copied; or the building's levels."""
        w.focus.set(stage="Plan")
        here = [r for r in project(w).rooms if r.level == w.focus.level]
        if not here or rnd.random() < 0.15:
            rnd.choice(
                (w.panel("Plan").level._add, w.panel("Plan").level._copy, w.panel("Plan").level.fill_from_below)
            )()
            return
        room = rnd.choice(here)
        w.focus.set(room=room.id, selected=room.id)
        if rnd.random() < 0.5:
            grip = name_frame(room, w.plan.state, w.plan).center().toPoint()
            to = grip + QPoint(rnd.randrange(-300, 300), rnd.randrange(-200, 200))
            QTest.mousePress(w.plan.viewport(), LEFT, NONE, grip)
            for k in range(1, 4):
                send_move(w, grip + (to - grip) * k / 3, NONE)
            QTest.mouseRelease(w.plan.viewport(), LEFT, NONE, to)
        else:
            w.plan.setFocus()
            for key in (Qt.Key.Key_Up, Qt.Key.Key_Right, Qt.Key.Key_J)[: rnd.choice((1, 2, 3))]:
                QTest.keyClick(w.plan, key, Qt.KeyboardModifier.ControlModifier)

    def figure():
        """Something typed into a figure at the right."""
        things = w.plan.builder.things_of_room()
        if things:
            w.focus.set(stage="Plan", selected=rnd.choice(things))
        fields = [f for f in w.verdict.inspector.findChildren(FigureField) if f.isVisible() and f.isEnabled()]
        if fields:
            field = rnd.choice(fields)
            field.setFocus()
            field.selectAll()
            QTest.keyClicks(field, rnd.choice(("0", "1.5", "3", "-2", "12 m", "90", "", "x", "4 ft 2", "1e9")))
            QTest.keyClick(field, Qt.Key.Key_Return)

    def ribbon():
        QTest.mouseClick(w.ribbon, LEFT, pos=somewhere(w.ribbon))

    def button():
        shown = [b for b in w.findChildren(QPushButton) + w.findChildren(QCheckBox) if b.isVisible() and b.isEnabled()]
        if shown:
            rnd.choice(shown).click()
        if (popup := QApplication.activePopupWidget()) is not None:
            choices = [a for a in getattr(popup, "actions", list)() if a.isEnabled() and a.text()]
            popup.close()
            if choices and rnd.random() < 0.5:
                rnd.choice(choices).trigger()
        for dialog in w.findChildren(QDialog):
            if dialog.isVisible():
                dialog.reject()

    def cell():
        tables = [t for t in w.findChildren(RowsTable) if t.isVisible() and t.model().rowCount()]
        if tables:
            model = rnd.choice(tables).model()
            index = model.index(rnd.randrange(model.rowCount()), rnd.randrange(model.columnCount()))
            column, record = model.columns[index.column()], model.rows[index.row()]
            choices = [v for v, _ in column.options(record)] if column.options else ["7", "2 s", "x", "", "12:30", "-1"]
            model.setData(index, rnd.choice(choices))

    def another():
        w.document.replace(load_demo(), None)
        w.take_over()

    acts = [keys] * 7 + [stage, history, ribbon] * 2 + [places] * 4 + [drags] * 4 + [button] * 4 + [cell] * 2
    acts += [rooms] * 2 + [figure] * 3
    for n in range(90):
        another() if n % 71 == 70 else rnd.choice(acts)()
        if n % 9 == 0:
            QTest.qWait(2)
        assert not caught, caught
        assert next(faults_of(project(w)), None) is None
        # Everything in it can be written: no number of another kind has slipped in.
        msgspec.to_builtins(project(w))
    assert w.isVisible()


def test_what_was_computed_of_another_project_is_dropped(qtbot, window):
    settle(qtbot, window)
    window.focus.set(stage="Rehearsal")
    assert window.results.rehearsal is not None
    window.document.undo_stack.setClean()
    window.filing.new()
    assert window.results.rehearsal is None
    assert window.results[FINDINGS].value is None
    window.grab()
    settle(qtbot, window)
    assert window.results.rehearsal.project is project(window)

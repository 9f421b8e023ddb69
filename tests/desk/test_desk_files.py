"""The real window: files, crashes, dialogs, themes, and what an empty project says."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from hands import drag, key, pixel, project, settle, spot_px
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QFileDialog, QMessageBox, QPushButton, QUndoView

from vastwatch.design.project import VERSION, find
from vastwatch.desk.shell.app import Desk, _first_project, empty_project, make_application
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.shortcuts_sheet import KeySheet
from vastwatch.desk.shell.widgets import FigureField
from vastwatch.desk.stages import STAGE_NAMES
from vastwatch.files import ProjectError, load_project, save_project
from vastwatch.files.journal import Journal
from vastwatch.files.project_file import encode


def test_save_close_and_reopen_is_the_same(qtbot, window, tmp_path):
    drag(qtbot, window, pixel(window, "pir-shop"), spot_px(window, 2.5, 2.0))
    assert window.document.modified
    assert "modified" in window.windowTitle()
    path = tmp_path / "shop.vastwatch.json"
    window.filing.save_to(path)
    assert not window.document.modified
    saved = encode(project(window))
    assert encode(load_project(path)) == saved
    window.document.undo_stack.undo()
    assert window.document.modified
    window.document.undo_stack.redo()
    assert not window.document.modified
    assert window.filing.open_path(path)
    assert encode(project(window)) == saved


def test_a_project_that_nobody_named_is_called_as_its_file_and_is_a_recent_one(qtbot, window, tmp_path, monkeypatch):
    window.filing.new()
    path = tmp_path / "corner house"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))
    assert window.filing.save_as()
    made = tmp_path / "corner house.vastwatch.json"
    assert made.exists() and project(window).name == "corner house" == load_project(made).name
    assert window.windowTitle().startswith(made.name) and window.filing.recent()[0] == made
    # A name that it has stays.
    path = tmp_path / "other"
    assert window.filing.save_as() and project(window).name == "corner house"
    assert window.windowTitle().startswith("other.vastwatch.json") and window.filing.recent()[0].name == (
        "other.vastwatch.json"
    )


def test_a_file_that_is_not_there_yet_begins_a_project_with_its_name(tmp_path):
    path = tmp_path / "barn.vastwatch.json"
    begun, stamp = _first_project(path, False)
    assert (begun.name, stamp) == ("barn", None) and not path.exists()
    document = Document(begun, path, None, stamp)
    document.save()
    assert load_project(path).name == "barn"
    assert _first_project(path, False)[1] is not None
    for wrong in (tmp_path / "barn", tmp_path / "no" / "barn.vastwatch.json"):
        with pytest.raises(ProjectError, match="no such file"):
            _first_project(wrong, False)


def test_a_bad_file_is_told_in_the_window_and_the_project_stays(qtbot, window, tmp_path, monkeypatch):
    told = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: told.append(box.text()) or 0)
    before = project(window)
    bad = tmp_path / "bad.vastwatch.json"
    bad.write_text(f'{{"format": "vastwatch-project", "version": {VERSION + 1}}}')
    assert not window.filing.open_path(bad)
    assert "newer version" in told[-1]
    assert not window.filing.save_to(Path("/proc/x.vastwatch.json"))
    assert "cannot be saved" in told[-1]
    assert project(window) is before


def test_leaving_with_changes_asks(qtbot, window, monkeypatch):
    window.plan.nudge(0, 0)
    window.focus.set(selected="pir-shop")
    window.plan.nudge(0.1, 0)
    asked = []

    def stay(box):
        asked.append(box.text())
        box.setProperty("clicked", 1)
        return 0

    monkeypatch.setattr(QMessageBox, "exec", stay)
    window.close()
    assert window.isVisible()
    assert "not saved" in asked[0]


@pytest.mark.own_window
def test_the_journal_follows_edits_and_goes_when_saved(qtbot, window, tmp_path):
    journal = tmp_path / "journal"
    window.focus.set(selected="pir-shop")
    window.plan.nudge(-0.1, 0)
    qtbot.waitUntil(lambda: bool(list(journal.glob("*.json"))), timeout=5000)
    window.document.save(tmp_path / "a.vastwatch.json")
    assert not list(journal.glob("*.json"))


KILLED = """
import os, sys
from PyQt6.QtCore import QTimer
from vastwatch.desk.shell.app import Desk, make_application
from vastwatch.desk.shell.document import Document
from vastwatch.files import ProjectError, load_project
from vastwatch.files.journal import Journal
app = make_application()
desk = Desk(Document(load_project(sys.argv[1]), __import__("pathlib").Path(sys.argv[1]), Journal()))
desk.window.show()
desk.window.focus.set(selected="pir", room="big")
QTimer.singleShot(100, lambda: desk.window.plan.nudge(-0.5, 0))
def written():
    if list(Journal().folder.glob("*.json")):
        print("ready", flush=True)
timer = QTimer()
timer.timeout.connect(written)
timer.start(50)
app.exec()
"""


def test_after_a_kill_the_next_start_offers_the_unsaved_work(qtbot, room, tmp_path, monkeypatch):
    path = tmp_path / "room.vastwatch.json"
    save_project(room, path)
    state = tmp_path / "state"
    env = {**os.environ, "XDG_STATE_HOME": str(state), "QT_QPA_PLATFORM": "offscreen"}
    child = subprocess.Popen([sys.executable, "-c", KILLED, str(path)], env=env, stdout=subprocess.PIPE, text=True)
    assert child.stdout.readline().strip() == "ready"
    child.send_signal(signal.SIGKILL)
    child.wait()
    monkeypatch.setenv("XDG_STATE_HOME", str(state))
    journal = Journal()
    desk = Desk(Document(room, path, journal))
    qtbot.addWidget(desk.window, before_close_func=lambda w: setattr(w.document, "_recovered", False))
    offered = []

    def take(box):
        offered.append(box.text())
        monkeypatch.setattr(box, "clickedButton", lambda: box.buttons()[0])
        return 0

    monkeypatch.setattr(QMessageBox, "exec", take)
    desk.offer_leftover(journal)
    assert "Two rooms has unsaved work" in offered[0]
    assert find(desk.document.project.sensors, "pir").at[0] == pytest.approx(4.3)
    assert desk.document.modified
    assert desk.document.path == path
    assert load_project(path).sensors[0].at[0] == pytest.approx(4.8)
    desk.document.save()
    assert load_project(path).sensors[0].at[0] == pytest.approx(4.3)
    assert Journal().leftovers() == []
    desk.window.results.stop()


def test_a_failure_in_a_slot_is_logged_and_said_and_the_window_lives(qtbot, desk, tmp_path, monkeypatch):
    from vastwatch.desk.shell.app import catch_failures

    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    log = tmp_path / "state" / "failures.log"
    catch_failures(desk, log)
    try:
        raise RuntimeError("an internal error")
    except RuntimeError as e:
        sys.excepthook(type(e), e, e.__traceback__)
    assert "an internal error" in log.read_text()
    assert "Your work is kept" in desk.window.status.said.text()
    assert desk.window.isVisible()


def test_the_key_sheet_and_the_list_of_edits_open_by_key(qtbot, window):
    window.focus.set(selected="pir-shop")
    window.plan.nudge(-0.1, 0)
    qtbot.keyClicks(window.plan, "?")
    sheet = window.findChild(KeySheet)
    assert sheet.isVisible()
    qtbot.keyClick(sheet, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: window.findChild(KeySheet) is None)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    qtbot.keyClick(window.plan, Qt.Key.Key_H, Qt.KeyboardModifier.ControlModifier)
    view = window.findChild(QUndoView)
    assert view.isVisible()
    assert view.model().data(view.model().index(1, 0)) == "Nudge PIR shop"


def test_letters_typed_into_a_field_stay_there(qtbot, window):
    level, day = window.focus.level, window.focus.day
    window.panel("Sensors").finder.setFocus()
    qtbot.keyClicks(window.panel("Sensors").finder, "vd t,n")
    assert window.panel("Sensors").finder.text() == "vd t,n"
    assert (window.focus.figure, window.focus.level, window.focus.day) == ("across", level, day)


def test_the_dark_desk_keeps_the_document_and_the_place(qtbot, desk):
    first = desk.window
    first.focus.set(stage="Sensors", room="shop", selected="pir-shop")
    first.plan.nudge(-0.1, 0)
    desk.switch_theme()
    second = desk.window
    assert second is not first
    assert second.theme.name == "dark"
    assert (second.focus.room, second.focus.selected) == ("shop", "pir-shop")
    settle(qtbot, second)
    second.plan.setFocus()
    key(qtbot, second.plan, Qt.Key.Key_Left)
    assert desk.document.undo_stack.count() == 1
    desk.switch_theme()
    settle(qtbot, desk.window)


def test_an_empty_project_opens_and_says_what_to_do(qtbot):
    make_application()
    desk = Desk(Document(empty_project()))
    qtbot.addWidget(desk.window)
    desk.window.show()
    settle(qtbot, desk.window)
    for stage in ("Plan", "Sensors", "Timing", "Rehearsal"):
        desk.window.focus.set(stage=stage)
        desk.window.grab()
    assert desk.window.strip.tabs["Plan"].state == "unlit"
    assert "Draw a room to see its verdict" in desk.window.verdict._nothing.text()


def test_stage_lamps_tell_how_far_it_is(qtbot, window):
    states = {stage: tab.state for stage, tab in window.strip.tabs.items()}
    assert states == {
        "Brief": "lit",
        "Plan": "lit",
        "Sensors": "half",
        "Zones": "lit",
        "Timing": "half",
        "Scenes": "half",
        "Rehearsal": "half",
    }
    assert list(states) == ["Brief", "Plan", "Sensors", "Zones", "Timing", "Scenes", "Rehearsal"]


def test_everything_that_takes_focus_has_a_name(window):
    for stage in STAGE_NAMES:
        window.focus.set(stage=stage)
        for w in window.findChildren(QPushButton) + window.findChildren(QCheckBox) + window.findChildren(FigureField):
            if w.isVisible():
                assert w.accessibleName() or w.text(), w


def test_small_windows_hold_everything(qtbot, window):
    window.resize(1024, 700)
    window.plan.fit()
    for stage in STAGE_NAMES:
        window.focus.set(stage=stage)
        QApplication.processEvents()
        assert window.width() == 1024
        assert window.plan.width() > 330


def test_the_window_never_waits_long_for_a_moved_sensor(qtbot, window):
    """Moving a sensor starts no rehearsal until the hand rests; then one follows by itself."""
    old = window.results.rehearsal
    drag(qtbot, window, pixel(window, "pir-shop"), spot_px(window, 2.5, 2.0), steps=8)
    assert window.results.rehearsal is old
    settle(qtbot, window)
    assert window.results.rehearsal.project is project(window)
    assert json.loads(encode(project(window)))["sensors"]


def test_lamps_and_spots_can_be_moved_too(qtbot, window):
    drag(qtbot, window, spot_px(window, 9.3, 5.4), spot_px(window, 8.3, 5.0))
    assert find(project(window).lamps, "lamp-glazing").at == pytest.approx((8.3, 5.0), abs=0.05)
    drag(qtbot, window, spot_px(window, 1.35, 5.2), spot_px(window, 1.35, 4.6))
    assert find(project(window).spots, "trimming").at == pytest.approx((1.35, 4.6), abs=0.05)
    settle(qtbot, window)
    assert replace(project(window), name="x").walls is project(window).walls
    assert time.monotonic() > 0

"""A log of the real house at full depth: its curve, its words, the diary over it, and how people use the rooms."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

import pytest
from hands import LEFT, key, plain, project, settle, type_into
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QPushButton

import vastwatch
from vastwatch.advice.logs.replay import log_curve
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.desk.results.logs import LOG_CURVE
from vastwatch.desk.shell.widgets import LinkCard
from vastwatch.desk.stages.rehearsal.log_dialog import LogDialog

LOG = Path(str(resources.files("vastwatch.data").joinpath("saltmarsh-log.csv")))


@pytest.fixture
def log(qtbot, window):
    """The log that ships, looked at in the throwing room."""
    window.focus.set(stage="Rehearsal", level="ground", room="throwing", selected="throwing")
    settle(qtbot, window)
    panel = window.panel("Rehearsal")
    panel.open_log(LOG)
    qtbot.mouseClick(panel.dialog.use, LEFT)
    qtbot.waitUntil(lambda: window.results.recording is not None, timeout=10_000)
    qtbot.waitUntil(lambda: not window.results.busy(), timeout=20_000)
    yield panel.log
    panel.log.left.emit()
    settle(qtbot, window)


def test_the_curve_of_a_log_is_pressed_dragged_and_stepped(qtbot, window, log):
    found = window.results[LOG_CURVE].value
    presence = presence_of(project(window), "throwing")
    again = log_curve(window.results.house, presence)
    assert (found.lit_h_per_day == again.lit_h_per_day).all()
    assert (found.lit_h_per_day[1:] >= found.lit_h_per_day[:-1] - 1e-9).all()
    curve = log.curve
    qtbot.mouseClick(curve, LEFT, pos=QPoint(round(curve.x_of(60.0)), 60))
    assert log.hold_s == pytest.approx(60.0, abs=6) and curve.marked == log.hold_s
    # What is said of it is what the curve says.
    k = int(abs(found.hold_s - log.tried.hold_s).argmin())
    now = int(abs(found.hold_s - log.tried.now_s).argmin())
    week = 7 * (found.lit_h_per_day[now] - found.lit_h_per_day[k])
    assert log.tried.saved_h_per_week == pytest.approx(week, rel=0.02)
    before = log.hold_s
    key(qtbot, curve, Qt.Key.Key_Right)
    assert log.hold_s > before
    key(qtbot, curve, Qt.Key.Key_Left)
    assert log.hold_s == before
    curve.grab()


def test_the_diary_is_laid_over_the_log(qtbot, window, log):
    cards = log.diary.findChildren(LinkCard)
    assert len(cards) == 2
    cards[1].chosen.emit()
    # The note of the sitting room, by time the second.
    assert window.focus.room == "sitting" and window.focus.level == "upper"
    assert window.results.house.recording.calendar.clock(window.focus.time).strftime("%d %H:%M") == "13 21:10"
    window.ribbon.grab()
    type_into(qtbot, log.diary.field, "on Tuesday it went dark")
    assert "ot a note such as" in plain(window.status.said.text()) and len(project(window).diary) == 2
    type_into(qtbot, log.diary.field, "2026-01-12 17:04 throwing room: dark at the wheel")
    assert [n.at for n in project(window).diary][-1] == "2026-01-12T17:04"
    cards = log.diary.findChildren(LinkCard)
    assert len(cards) == 3
    words = [x.accessibleName() for x in cards]
    assert words == [
        "throwing room dark again, hands full of clay",
        "throwing room: dark at the wheel",
        "sitting room, the light went off on me while I was reading",
    ]
    away = [b for b in log.diary.findChildren(QPushButton) if "dark at the wheel" in b.accessibleName()]
    qtbot.mouseClick(away[0], LEFT)
    assert len(project(window).diary) == 2
    window.document.undo_stack.undo()
    assert len(project(window).diary) == 3
    window.document.undo_stack.undo()


def test_how_people_use_the_rooms_is_told_and_lived(qtbot, window, log):
    assert log.habits.text().startswith("Throwing room: ") and "visits on a working day" in log.habits.text()
    assert "cannot be told apart" in log.untold.text() and "a log has no names" in log.untold.text()
    people = len(project(window).people)
    qtbot.mouseClick(log.live, LEFT)
    new = project(window).people[people:]
    assert "Occupant of throwing room, from the log" in [p.name for p in new]
    lines = next(p for p in new if "throwing" in p.name).stays
    assert {find(project(window).spots, s.spot).room for s in lines} >= {"throwing"}
    window.document.undo_stack.undo()
    assert len(project(window).people) == people


def test_strips_show_the_days_of_a_log_and_when_nobody_listened(qtbot, window, log):
    window.focus.set(span="week")
    assert window.strips.days == [-1, 0, 1, 2, 3]
    assert window.strips.day_words(1).endswith("h lit")
    window.strips.grab()
    window.focus.set(span="day")


def test_what_a_word_means_is_told_in_the_dialog(qtbot, window, tmp_path):
    path = tmp_path / "odd.csv"
    rows = [f"2026-01-12T10:{k:02d}:00Z,pir-shop,{'wakker' if k % 2 else 'stil'}" for k in range(30)]
    path.write_text("time,device,value\n" + "\n".join(rows) + "\n")
    window.focus.set(stage="Rehearsal")
    panel = window.panel("Rehearsal")
    panel.open_log(path)
    dialog = panel.dialog
    assert [dialog.words.item(k, 0).text() for k in range(dialog.words.rowCount())] == ["stil", "wakker"]
    assert dialog.words.cellWidget(0, 1).currentText() == "not recognised" and not dialog.use.isEnabled()
    for row, means in ((0, 1), (1, 0)):
        dialog.words.cellWidget(row, 1).activated.emit(means)
    assert dialog.use.isEnabled() and dialog.lines.item(1, 3).text() == "on" and dialog.lines.item(0, 3).text() == "off"
    qtbot.mouseClick(dialog.use, LEFT)
    qtbot.waitUntil(lambda: window.results.recording is not None, timeout=10_000)
    # With the last line the log ends: what it says of the time after is nothing.
    assert len(window.results.recording.report("pir-shop").rises) == 14
    panel.log.left.emit()
    settle(qtbot, window)


def test_a_log_of_another_shape_opens_as_a_table_and_is_told_device_by_device(qtbot, window, tmp_path):
    path = tmp_path / "own.csv"
    rows = ("02/01/2026;08:00:00;Waiting PIR;Motion detected;-76", "02/01/2026;08:10:00;Waiting PIR;Clear;-69")
    path.write_text("Date;Time;Device name;Status;RSSI\n" + "\n".join(rows))
    panel = window.panel("Rehearsal")
    panel.open_log(path)
    dialog = panel.dialog
    assert [dialog.columns[f].currentText() for f in ("time", "date", "device", "value")] == [
        "Time", "Date", "Device name", "Status",
    ]  # fmt: skip
    assert not dialog.use.isEnabled() and "which device of the log" in dialog.told.text()
    choice = dialog.devices.cellWidget(0, 1)
    choice.setCurrentText("PIR shop")
    choice.activated.emit(choice.currentIndex())
    assert dialog.use.isEnabled() and dialog.lines.item(0, 1).text() == "2026-01-02 08:00:00"
    # Either order can be meant here: it is asked.
    assert dialog.order.isVisible()
    dialog.order.setCurrentIndex(dialog.order.findData("month"))
    dialog.order.activated.emit(dialog.order.currentIndex())
    assert dialog.lines.item(0, 1).text() == "2026-02-01 08:00:00"
    used = []
    dialog.used.connect(used.append)
    qtbot.mouseClick(dialog.use, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(used), timeout=20_000)
    assert used[0].recording.report("pir-shop").total() == pytest.approx(600.0)


def test_where_no_time_is_found_the_column_is_chosen(qtbot, window, tmp_path):
    path = tmp_path / "odd.csv"
    path.write_text("a,b,c\nlate,PIR shop,on\nlater,PIR shop,off\n")
    panel = window.panel("Rehearsal")
    panel.open_log(path)
    dialog = panel.dialog
    assert dialog.isVisible() and "Choose the column of the time." in dialog.told.text()
    assert not dialog.use.isEnabled() and dialog.columns["time"].currentData() == ""
    choice = dialog.columns["time"]
    choice.setCurrentIndex(choice.findData("a"))
    choice.activated.emit(choice.currentIndex())
    assert "'late' is not a time" in dialog.lines.item(0, 4).text() and not dialog.use.isEnabled()
    dialog.reject()


def test_the_dialog_shows_the_lanes_that_the_rows_would_give(qtbot, window, tmp_path):
    path = tmp_path / "own.csv"
    path.write_text(
        "when,thing,state\n2026-01-12 08:00,PIR shop,on\n2026-01-12 08:10,PIR shop,off\n"
        "2026-01-12 08:05,PIR toilet,on\n2026-01-12 08:20,PIR toilet,unavailable\n2026-01-12 08:40,PIR shop,on\n"
    )
    dialog = LogDialog(window, project(window), path)
    lanes = {lane.name: lane.says for lane in dialog.lanes.lanes}
    assert [on for _, on in lanes["PIR shop"]] == [True, False, True]
    assert [on for _, on in lanes["PIR toilet"]] == [True, None]
    (a, _), (b, _), (c, _) = lanes["PIR shop"]
    assert (b - a, c - a) == (600.0, 2400.0) and dialog.lanes.height() > 30
    # Another meaning of a word is another lane at once.
    dialog._word_chosen("off", 0)
    assert [on for _, on in dict(dialog.lanes.lanes)["PIR shop"]] == [True, True, True]
    dialog.reject()


def test_two_hundred_rows_are_shown(window):
    dialog = LogDialog(window, project(window), Path(vastwatch.__file__).parent / "data" / "saltmarsh-log.csv")
    assert dialog.lines.rowCount() == 200
    dialog.reject()

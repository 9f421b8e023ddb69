"""The dialog of a log in the real window: how it is read, put right, kept for the next, and used."""

from __future__ import annotations

import pytest
from hands import LEFT, project, settle, type_into
from PyQt6.QtWidgets import QLabel

from vastwatch.commission.log_writing import write_log
from vastwatch.design.presence import hold_of
from vastwatch.design.project import find
from vastwatch.people.truth import simulate_days
from vastwatch.rehearsal.run import make_recording

# -- logs ----------------------------------------------------------------------------------------------------------


@pytest.fixture
def log(demo, tmp_path):
    path = tmp_path / "house.csv"
    write_log(make_recording(demo, simulate_days(demo, 2, 9)), path)
    return path


def test_a_log_takes_the_place_of_the_rehearsal(qtbot, window, log):
    window.focus.set(stage="Rehearsal", level="ground", room="shop", selected="shop")
    settle(qtbot, window)
    panel = window.panel("Rehearsal")
    panel.open_log(log)
    dialog = panel.dialog
    assert dialog.lines.rowCount() == 200 and dialog.lines.item(0, 3).text() == "off"
    assert dialog.devices.rowCount() == len(project(window).sensors)
    qtbot.mouseClick(dialog.use, LEFT)
    qtbot.waitUntil(lambda: window.results.recording is not None, timeout=10_000)
    told = panel.log
    assert panel.pages.currentIndex() == 1 and "of data; lit" in told.told.text() and len(told._tiles) == 2
    assert "may have been people" in told.answer.text()
    assert [lane.words for lane in window.ribbon._lanes][:2] == ["Shop", "PIR shop"]
    assert "a log of 2 days" in window.status._when and "who was there" in " ".join(
        x.text() for x in window.verdict.findChildren(QLabel)
    )
    type_into(qtbot, told.hold, "30 s")
    first = told.tried.saved_h_per_week
    type_into(qtbot, told.hold, "2 min")
    assert 0 < told.tried.saved_h_per_week < first
    qtbot.mouseClick(told.take, LEFT)
    assert hold_of(find(project(window).presences, "presence-shop").expr) == 120
    # Now it holds that long on the same log: nothing is left to save.
    assert told.tried.saved_h_per_week == pytest.approx(0.0) and not told.take.isVisibleTo(panel)
    window.document.undo_stack.undo()
    told.left.emit()
    settle(qtbot, window)
    assert panel.pages.currentIndex() == 0 and window.results.recording is None


def test_how_a_log_is_set_is_kept_and_the_next_is_read_so(qtbot, window, tmp_path):
    def odd(name, day):
        path = tmp_path / name
        path.write_text(
            f"when;who;what\n2026-02-{day}T10:00:00Z;box seven;da\n2026-02-{day}T10:01:00Z;box seven;fort\n"
        )
        return path

    window.focus.set(stage="Rehearsal")
    panel, before = window.panel("Rehearsal"), project(window)
    panel.open_log(odd("first.csv", "03"))
    dialog = panel.dialog
    assert "This is how the columns were read" in dialog.how.text()
    for field, name in (("device", "who"), ("value", "what")):
        choice = dialog.columns[field]
        choice.setCurrentText(name)
        choice.activated.emit(choice.currentIndex())
    choice = dialog.devices.cellWidget(0, 1)
    choice.setCurrentText("PIR shop")
    choice.activated.emit(choice.currentIndex())
    for row, means in ((0, "on"), (1, "off")):
        choice = dialog.words.cellWidget(row, 1)
        choice.setCurrentText(means)
        choice.activated.emit(choice.currentIndex())
    dialog.quiet.setCurrentIndex(3)
    dialog.quiet.activated.emit(3)
    qtbot.mouseClick(dialog.use, LEFT)
    qtbot.waitUntil(lambda: window.results.recording is not None, timeout=10_000)
    (layout,) = project(window).log_layouts
    assert (layout.name, layout.quiet_h, layout.device) == ("first.csv", 8.0, "who")
    assert window.document.undo_stack.undoText() == "Keep how the log first.csv is read"
    panel.log.left.emit()
    panel.open_log(odd("second.csv", "17"))
    dialog = panel.dialog
    assert "Read as you set it for first.csv" in dialog.how.text() and dialog.quiet.currentData() == 8.0
    assert dialog.use.isEnabled() and [dialog.lines.item(k, 3).text() for k in (0, 1)] == ["on", "off"]
    qtbot.mouseClick(dialog.use, LEFT)
    qtbot.waitUntil(lambda: window.results.recording is not None, timeout=10_000)
    # The same as it was kept: nothing to undo but the first.
    assert project(window).log_layouts == (layout,)
    window.document.undo_stack.undo()
    assert project(window).log_layouts == before.log_layouts == ()


def test_a_log_is_put_right_in_its_dialog_and_a_useless_one_says_so(qtbot, window, tmp_path):
    path = tmp_path / "odd.csv"
    path.write_text("time,device,value\n2026-01-12T10:00:00Z,box seven,on\n2026-01-12T10:01:00Z,box seven,off\n")
    window.focus.set(stage="Rehearsal")
    panel = window.panel("Rehearsal")
    panel.open_log(path)
    dialog = panel.dialog
    assert not dialog.use.isEnabled() and "not a device of this project" in dialog.lines.item(0, 4).text()
    choice = dialog.devices.cellWidget(0, 1)
    choice.setCurrentText("PIR shop")
    choice.activated.emit(choice.currentIndex())
    assert dialog.use.isEnabled() and dialog.lines.item(0, 2).text() == "PIR shop"
    dialog.columns["device"].setCurrentIndex(0)
    dialog.columns["device"].activated.emit(0)
    assert dialog.reading.wide and not dialog.use.isEnabled()
    dialog.reject()
    path.write_text("nothing\n")
    panel.open_log(path)
    assert "No column" in panel.dialog.told.text() or "no column contains mostly times" in panel.dialog.told.text()
    panel.dialog.reject()

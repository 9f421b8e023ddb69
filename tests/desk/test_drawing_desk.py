"""A drawing at the window: what it will become is shown before it does, and what is left stays to draw over."""

from __future__ import annotations

import ezdxf
import pytest
from hands import project
from PyQt6 import sip
from PyQt6.QtWidgets import QMessageBox

import drawn_plans
from drawn_plans import HABITS
from vastwatch.design.project import find
from vastwatch.desk.plan.underlay import picture_of
from vastwatch.desk.shell import background
from vastwatch.desk.shell.background import in_background
from vastwatch.desk.stages.plan.drawing import DrawingDialog

OFFICE = next(h for h in HABITS if h.name == "everything at once")


@pytest.fixture
def dialog(qtbot, window, tmp_path):
    """The dialog on a bare level, its drawing looked at."""
    window.filing.new()
    window.filing.bring_in(drawn_plans.draw(OFFICE, tmp_path / "office.dxf"))
    qtbot.waitUntil(lambda: window.findChild(DrawingDialog) is not None, timeout=20_000)
    found = window.findChild(DrawingDialog)
    qtbot.waitUntil(lambda: found.found is not None, timeout=20_000)
    return found


def test_what_it_becomes_is_said_and_painted(dialog):
    assert "8 rooms, 7 doors, 5 windows, 1 archway" in dialog.told.text()
    assert "2.2°" in dialog.straighten.text()
    image = dialog.preview.grab().toImage()
    hues = {image.pixelColor(x, y).name() for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)}
    assert len(hues) > 20
    assert not dialog.boxes["A-GRID"].isChecked() and dialog.boxes["A-WALL"].isChecked()


def test_layers_are_ticked_off_and_it_is_looked_at_anew(qtbot, dialog):
    dialog.boxes["A-DOOR"].setChecked(False)
    assert not dialog.bring.isEnabled()
    qtbot.waitUntil(lambda: dialog.found is not None, timeout=20_000)
    assert "door" not in dialog.told.text()
    for box in dialog.boxes.values():
        box.setChecked(False)
    qtbot.waitUntil(lambda: dialog.found is not None, timeout=20_000)
    assert "Result: nothing" in dialog.told.text()
    dialog.preview.grab()


def test_what_was_not_understood_stays_under_the_level(qtbot, window, dialog):
    dialog.accept()
    level = find(project(window).levels, window.focus.level)
    assert level.underlay is not None and level.underlay.locked
    image = picture_of(level.underlay)
    # The treads of the stair lie in the store: about 6.4 to 8.4 m from the left, 0.4 to 1.5 m from below.
    x = round((6.4 - level.underlay.at[0]) / level.underlay.metres_per_px)
    y = image.height() - round((1.0 - level.underlay.at[1]) / level.underlay.metres_per_px)
    assert min(image.pixelColor(x + dx, y).lightness() for dx in range(-6, 7)) < 160
    assert len(project(window).furnishings) == 5
    assert window.document.undo_stack.count() == 1


def test_nothing_of_it_stays_where_that_is_not_wanted(qtbot, window, dialog):
    dialog.rest.setChecked(False)
    dialog.furniture.setChecked(False)
    dialog.accept()
    assert find(project(window).levels, window.focus.level).underlay is None and project(window).furnishings == ()


def test_a_layer_called_anything_is_shown_as_it_is(qtbot, window, tmp_path):
    document = ezdxf.new()
    document.modelspace().add_line((0, 0), (5, 0), dxfattribs={"layer": "A&B"})
    document.saveas(tmp_path / "a.dxf")
    window.filing.bring_in(tmp_path / "a.dxf")
    qtbot.waitUntil(lambda: window.findChild(DrawingDialog) is not None, timeout=20_000)
    found = window.findChild(DrawingDialog)
    assert [b.text() for b in found.boxes.values()] == ["A&&B"]
    found.reject()


def test_work_that_fails_ends_its_dialog_and_says_so(qtbot, window, monkeypatch):
    got = []

    def fails(_):
        raise RuntimeError("deep inside")

    progress = in_background(window, "Reading …", fails, got.append)
    qtbot.waitUntil(lambda: bool(got))
    assert "internal error" in str(got[0])
    qtbot.waitUntil(lambda: sip.isdeleted(progress) or not progress.isVisible())


def test_work_that_takes_too_long_is_given_up_and_that_is_said(qtbot, window, monkeypatch):
    import threading

    monkeypatch.setattr(background, "LONGEST_MS", 100)
    let_go, got = threading.Event(), []
    in_background(window, "Reading …", lambda _: let_go.wait(5), got.append)
    qtbot.waitUntil(lambda: bool(got))
    assert "was stopped" in str(got[0])
    let_go.set()
    qtbot.wait(50)
    assert len(got) == 1


def test_a_pipe_is_no_picture_and_no_drawing(qtbot, plan, tmp_path, monkeypatch):
    import os

    told = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: told.append(box.text()) or 0)
    os.mkfifo(tmp_path / "a.dxf")
    os.mkfifo(tmp_path / "a.png")
    plan.filing.bring_in(tmp_path / "a.dxf")
    qtbot.waitUntil(lambda: bool(told))
    assert "a pipe or a device" in told[0]
    plan.filing.bring_in(tmp_path / "a.png")
    qtbot.waitUntil(lambda: "a pipe or a device" in plan.status.said.text())

"""What hands do at the window never makes work that cannot be saved, and the window says what came with an edit."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import textwrap

import numpy as np
import pytest
from hands import LEFT, project, send_move, settle, spot_px
from msgspec.structs import replace
from PyQt6.QtCore import Qt

from everything import everything
from vastwatch.design.project import find, put
from vastwatch.desk.results.findings import FINDINGS
from vastwatch.files.check import faults_of
from vastwatch.files.journal import Journal
from vastwatch.files.project_file import load_project
from vastwatch.files.validation import in_names


@pytest.fixture
def upper(qtbot, window):
    """The upper level on the Plan stage, with what the window says."""
    said = []
    window.document.news.connect(said.append)
    window.focus.set(stage="Plan", level="upper")
    settle(qtbot, window)
    yield window, said
    window.document.news.disconnect(said.append)


def lamp(window):
    return find(project(window).lamps, "lamp-landing")


def scenes_naming(window, ident):
    return [s.id for s in project(window).scenes if any(x.lamp == ident for x in s.levels)]


def test_a_lamp_dragged_into_another_room_leaves_its_scenes_and_can_be_saved(qtbot, upper, tmp_path):
    window, said = upper
    begin, view = spot_px(window, *lamp(window).at), window.plan.viewport()
    before = scenes_naming(window, "lamp-landing")
    assert len(before) == 2
    qtbot.mousePress(view, LEFT, pos=begin)
    end = spot_px(window, 9.9, 4.4)
    for k in range(1, 7):
        send_move(window, begin + (end - begin) * k / 6)
    assert lamp(window).room == "bedroom" and scenes_naming(window, "lamp-landing") == []
    # Carried back in the same drag, it is where it was in them.
    for k in range(5, -1, -1):
        send_move(window, begin + (end - begin) * k / 6)
    assert lamp(window).room == "landing" and scenes_naming(window, "lamp-landing") == before
    for k in range(1, 7):
        send_move(window, begin + (end - begin) * k / 6)
    qtbot.mouseRelease(view, LEFT, pos=end)
    assert said[-1] == f"{lamp(window).name} left 2 scenes."
    assert window.status.said.text() == said[-1]
    window.document.save(tmp_path / "a.vastwatch.json")
    assert encode_ids(load_project(tmp_path / "a.vastwatch.json")) == encode_ids(project(window))
    window.document.undo_stack.undo()
    assert scenes_naming(window, "lamp-landing") == before


def encode_ids(p):
    return [(x.id, x.room) for x in p.lamps]


def test_nudged_over_a_wall_it_leaves_them_too(qtbot, upper):
    window, said = upper
    landing = find(project(window).rooms, "landing")
    right = max(x for x, _ in landing.outline)
    at = lamp(window).at
    window.document.apply(put(project(window), replace(lamp(window), at=(right - 0.02, at[1]))), "To the wall")
    window.focus.set(selected="lamp-landing")
    window.plan.setFocus()
    for _ in range(4):
        qtbot.keyClick(window.plan, Qt.Key.Key_Right)
    assert lamp(window).room != "landing" and any("left 2 scenes" in words for words in said)
    assert not list(faults_of(project(window)))


def test_an_unsound_result_is_refused_said_and_logged_and_never_kept(window, caplog):
    said, before = [], project(window)
    window.document.failure.connect(said.append)
    wrong = put(before, replace(before.lamps[0], watts=float("nan")))
    assert window.document.apply(wrong, "Break it") is False
    assert project(window) is before and not window.document.undo_stack.canUndo()
    assert f"the lamp “{before.lamps[0].name}” (watts): expected a finite number" in said[0]
    assert "Break it" in caplog.text and "lamps[0].watts" in caplog.text
    window.document.failure.disconnect(said.append)


def test_every_drawn_breach_is_refused_by_name(window):
    """Records of a project with everything in it, each spoilt in one field: none gets in, and no sentence counts."""
    rng = np.random.default_rng(3)
    whole = everything(5)
    window.document.replace(whole, None)
    for collection in (
        "sensors",
        "lamps",
        "scenes",
        "rules",
        "outputs",
        "rooms",
        "walls",
        "people",
        "zones",
        "buttons",
    ):
        records = getattr(whole, collection)
        record = records[int(rng.integers(len(records)))]
        wrong = replace(whole, **{collection: tuple(replace(r, id="-") if r is record else r for r in records)})
        fault = next(faults_of(wrong, whole))
        assert "[" not in in_names(wrong, fault).split(":")[0]
        assert window.document.apply(wrong, "Spoil") is False and project(window) is whole


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP, signal.SIGINT])
def test_a_program_that_is_told_to_end_keeps_the_last_edit(number, tmp_path):
    script = textwrap.dedent(
        f"""
        import os, signal
        from PyQt6.QtCore import QTimer
        from vastwatch.desk.shell.app import make_application
        from vastwatch.desk.shell.document import Document, empty_project
        from vastwatch.desk.shell.ending import Ending
        from vastwatch.files.journal import Journal
        from msgspec.structs import replace
        from pathlib import Path

        app = make_application()
        document = Document(empty_project(), None, Journal(Path({str(tmp_path)!r})))
        Ending(document.write_journal, app)

        def edit():
            document.apply(replace(document.project, name="The last edit"), "Rename to")
            print("edited", flush=True)

        QTimer.singleShot(0, edit)
        raise SystemExit(app.exec())
        """
    )
    # Started by a shell in the background, a program ignores Ctrl+C: not so here.
    run = "import signal, sys\nsignal.signal(signal.SIGINT, signal.default_int_handler)\n" + script
    process = subprocess.Popen(
        [sys.executable, "-c", run], stdout=subprocess.PIPE, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    )
    assert process.stdout.readline() == b"edited\n"
    process.send_signal(number)
    assert process.wait(timeout=20) == 128 + number
    (kept,) = Journal(tmp_path).leftovers()
    assert kept.project.name == "The last edit"


def test_a_landing_whose_sensor_is_deleted_by_key_says_what_is_missing_and_undo_brings_it_back(qtbot, upper):
    window, _ = upper
    whole = project(window)
    window.focus.set(stage="Timing", level="upper", room="landing", selected="pir-landing")
    window.plan.setFocus()
    qtbot.keyClick(window.plan, Qt.Key.Key_Delete)
    assert project(window).rules is whole.rules and not list(faults_of(project(window)))
    settle(qtbot, window)
    assert window.panel("Timing").builder.view.isVisibleTo(window)
    lanes = {lane.words: lane for lane in window.ribbon._lanes}
    assert lanes["result"].signal.total() == 0 and min(lane.indent for lane in window.ribbon._lanes) >= 0
    texts = [f.text for f in window.results[FINDINGS].value if f.room == "landing"]
    assert any("No sensor feeds" in text and "2 rows" in text for text in texts)
    qtbot.keyClick(window.plan, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert project(window) is whole

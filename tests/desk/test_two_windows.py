"""Two programs on one file: what is told, and that nobody's work is lost whatever is chosen."""

from __future__ import annotations

import pytest
from hands import project
from msgspec.structs import replace
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QLabel, QMessageBox

from vastwatch.design.edits.removing import removed
from vastwatch.desk.shell.save_conflict import ClashSheet
from vastwatch.desk.stages.sensors.own_types import OwnTypes
from vastwatch.devices import catalogue
from vastwatch.files import ProjectError, load_project, save_project
from vastwatch.files.journal import Journal
from vastwatch.files.project_file import encode


def choose(way):
    """When the question comes up: what it says, and press a button of it (None leaves it)."""
    told = []

    def press():
        sheet = next(w for w in QApplication.topLevelWidgets() if isinstance(w, ClashSheet) and w.isVisible())
        told.extend(x.text() for x in sheet.findChildren(QLabel))
        if way is None:
            sheet.reject()
        else:
            sheet.buttons[way].click()

    QTimer.singleShot(50, press)
    return told


@pytest.fixture
def both(window, tmp_path):
    """A file saved by this window, changed here, and changed by another program meanwhile: the path, mine, theirs."""
    path = tmp_path / "kiln.vastwatch.json"
    assert window.filing.save_to(path)
    base = project(window)
    theirs = removed(base, base.sensors[0].id)
    save_project(theirs, path)
    window.document.apply(replace(base, name="Mine"), "Rename to Mine")
    return path, project(window), theirs


def test_saving_over_another_programs_save_asks_and_says_what_differs(window, both):
    path, _, theirs = both
    told = choose(None)
    assert not window.filing.save()
    assert any(words.startswith("Sensor ") and words.endswith(" is gone") for words in told)
    assert any("→ Mine" in words for words in told)
    assert encode(load_project(path)) == encode(theirs) and window.document.modified


def test_both_can_be_kept(window, both):
    path, mine, theirs = both
    choose("both")
    assert window.filing.save()
    assert encode(load_project(path)) == encode(theirs)
    beside = path.with_name("kiln copy.vastwatch.json")
    assert encode(load_project(beside)) == encode(mine)
    assert window.document.path == beside and not window.document.modified
    # From here on the window has a file of its own, and asks no more.
    window.document.apply(replace(project(window), name="Again"), "Rename to")
    assert window.filing.save()


def test_theirs_can_be_taken_and_mine_comes_back_with_undo(window, both):
    path, mine, theirs = both
    choose("theirs")
    assert window.filing.save()
    assert encode(project(window)) == encode(theirs) and not window.document.modified
    window.document.undo_stack.undo()
    assert project(window) is mine and window.document.modified
    assert window.filing.save()
    assert encode(load_project(path)) == encode(mine)


def test_writing_over_keeps_what_was_there_for_good(window, both):
    path, mine, theirs = both
    choose("over")
    assert window.filing.save()
    assert encode(load_project(path)) == encode(mine)
    for name in ("One more", "And one"):
        window.document.apply(replace(project(window), name=name), "Rename to")
        assert window.filing.save()
    assert encode(load_project(path.with_name("kiln theirs.vastwatch.json"))) == encode(theirs)


def test_a_file_that_is_no_project_any_more_can_be_written_over_or_left(window, both):
    path, mine, _ = both
    path.write_text("{")
    told = choose("over")
    assert window.filing.save()
    assert any("ends" in words for words in told)
    assert encode(load_project(path)) == encode(mine)
    assert path.with_name("kiln theirs.vastwatch.json").read_text() == "{"


def test_a_file_only_touched_or_gone_is_simply_saved(window, tmp_path):
    path = tmp_path / "kiln.vastwatch.json"
    assert window.filing.save_to(path)
    path.write_bytes(path.read_bytes())
    assert window.filing.save()
    path.unlink()
    assert window.filing.save() and path.exists()


def test_own_types_of_two_windows_are_all_kept(qtbot, tmp_path):
    path = tmp_path / "own-devices.json"
    one, other = OwnTypes(path), OwnTypes(path)
    first = replace(catalogue()[0], id="own-first", name="First")
    second = replace(catalogue()[0], id="own-second", name="Second")
    assert one.put([first]) and other.put([second])
    assert {d.id for d in OwnTypes(path).types} == {"own-first", "own-second"}
    # Both change the same one: neither is lost.
    one = OwnTypes(path)
    assert other.put([replace(first, name="Theirs")])
    assert one.put([replace(first, name="Mine")])
    assert {d.name for d in OwnTypes(path).types} == {"Second", "Theirs", "Mine (changed in two windows)"}
    assert other.remove("own-second")
    assert "own-second" not in {d.id for d in OwnTypes(path).types}


@pytest.mark.own_window
def test_work_is_kept_aside_while_edits_never_pause(qtbot, window, tmp_path, monkeypatch):
    """An edit every 200 ms starts no timer anew for ever."""
    journal = tmp_path / "journal"
    clock = QTimer()
    edits = []

    def edit():
        edits.append(1)
        window.document.apply(replace(project(window), name=f"Name {len(edits)}"), "Rename to")

    clock.timeout.connect(edit)
    clock.start(200)
    qtbot.waitUntil(lambda: bool(list(journal.glob("*.json"))), timeout=4500)
    assert len(edits) >= 5
    clock.stop()


def test_a_leftover_is_only_forgotten_once_it_is_kept_anew(qtbot, desk, tmp_path, monkeypatch):
    folder = tmp_path / "journal"
    mine = Journal(folder)
    mine.write(replace(desk.document.project, name="Left"), None)
    left = folder / "left.json"
    left.write_bytes(mine.file.read_bytes().replace(b'"life": "', b'"life": "gone-'))
    mine.clear()
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    monkeypatch.setattr(
        QMessageBox, "clickedButton", lambda box: next(b for b in box.buttons() if b.text() == "Recover")
    )

    def full(*_):
        raise ProjectError("the disk is full")

    with monkeypatch.context() as without_room:
        without_room.setattr(Journal, "write", full)
        desk.offer_leftover(mine)
    assert desk.document.project.name == "Left" and left.exists()
    desk.document.save(tmp_path / "safe.vastwatch.json")

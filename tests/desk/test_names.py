"""Names are words, whatever stands in them: nowhere are they read as tags, and nothing is fetched for their sake."""

from __future__ import annotations

import pytest
from hands import settle
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QMessageBox, QWidget

from vastwatch.design.project import COLLECTIONS
from vastwatch.desk.shell.widgets import label, plain
from vastwatch.desk.stages import STAGE_NAMES

TAGGED = "<img src='file:///no/such/picture.png'><b>N</b> &lt; M"


def tagged(project):
    """A project in which everything that has a name has a tagged one."""
    changes = {
        c: tuple(replace(r, name=f"{TAGGED} {r.name}"[:80]) if hasattr(r, "name") else r for r in getattr(project, c))
        for c in COLLECTIONS
    }
    return replace(project, name=TAGGED, **changes)


@pytest.mark.parametrize("stage", STAGE_NAMES)
def test_no_name_is_read_as_tags_on_any_stage(qtbot, window, stage):
    window.document.replace(tagged(window.document.project), None)
    window.take_over()
    window.focus.set(stage=stage)
    settle(qtbot, window)
    everything = [window, *window.findChildren(QWidget)]
    shown = [w for w in everything if isinstance(w, QLabel) and "<img" in w.text()]
    assert shown or stage == "Timing"
    for w in shown:
        assert w.textFormat() == Qt.TextFormat.PlainText, w.text()
    for w in everything:
        assert "<img" not in w.toolTip(), w.toolTip()


def test_a_complaint_shows_the_name_of_a_file_as_it_is(window, monkeypatch):
    formats = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: formats.append((box.textFormat(), box.text())))
    window.filing.complain("Wrong", TAGGED)
    assert formats == [(Qt.TextFormat.PlainText, TAGGED)]


def test_words_for_tooltips_are_left_alone_unless_they_could_be_tags():
    assert plain("5 min at the most") == "5 min at the most"
    assert plain("<b>") == "<qt>&lt;b&gt;</qt>" and plain("&lt;") == "<qt>&amp;lt;</qt>"
    assert label("<b>").textFormat() == Qt.TextFormat.PlainText

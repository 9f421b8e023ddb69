"""Every stage shows every kind of thing there is: drawn projects, walked through at the real window."""

from __future__ import annotations

import os
import sys

import pytest
from hands import project
from PyQt6.QtWidgets import QMessageBox

from everything import everything
from vastwatch.desk.stages import STAGE_NAMES
from vastwatch.files.check import faults_of
from vastwatch.files.project_file import save_project
from vastwatch.site.record import Record

THOROUGH = bool(os.environ.get("THOROUGH"))


def one_of_each_kind(it) -> list[str]:
    """Ids of records of a project, one of each kind."""
    found: dict[type, str] = {}
    for name in it.__struct_fields__:
        for record in value if isinstance(value := getattr(it, name), tuple) else ():
            if isinstance(record, Record) and hasattr(record, "id"):
                found.setdefault(type(record), record.id)
    return list(found.values())


@pytest.mark.own_window
@pytest.mark.parametrize("seed", range(60) if THOROUGH else (1, 5))
def test_every_stage_shows_every_kind_of_thing(desk, qtbot, seed, monkeypatch, tmp_path):
    caught: list[BaseException] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, trace: caught.append(error))
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    w, drawn, file = desk.window, everything(seed), tmp_path / "drawn.vastwatch.json"
    save_project(drawn, file)
    assert w.filing.open_path(file)
    shown = one_of_each_kind(project(w))
    assert len(shown) > 20
    for stage in STAGE_NAMES:
        for room in project(w).rooms:
            w.focus.set(stage=stage, level=room.level, room=room.id, selected=room.id)
            qtbot.wait(1)
        for ident in shown:
            w.focus.set(selected=ident)
            qtbot.wait(1)
            assert not w.grab().isNull()
        qtbot.waitUntil(lambda: not w.results.busy(), timeout=120_000)
        failed = {d.name: d.words for d in w.results._each(lambda kind: True) if d.state == "failed"}
        assert not failed and not caught, (stage, failed, caught)
    # Looking changes nothing.
    assert not w.document.modified and next(faults_of(project(w)), None) is None

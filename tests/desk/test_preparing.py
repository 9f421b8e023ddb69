"""Compiled code after an upgrade: made in a process beside the window, which says so."""

from __future__ import annotations

import pytest

from vastwatch.desk.shell import preparing
from vastwatch.desk.shell.preparing import Preparing


@pytest.fixture
def said(monkeypatch):
    monkeypatch.setattr(preparing, "is_prepared", lambda: False)
    return []


@pytest.mark.parametrize(("code", "words"), [("", "ready"), ("raise SystemExit(1)", "could not be prepared")])
def test_the_status_line_says_when_it_begins_and_how_it_ends(qtbot, monkeypatch, said, code, words):
    monkeypatch.setattr(preparing, "ARGUMENTS", ("-c", code))
    beside = Preparing(said.append)
    beside.begin()
    assert len(said) == 1 and "once after an update" in said[0]
    qtbot.waitUntil(lambda: not beside.busy)
    assert len(said) == 2 and words in said[1]


def test_where_all_is_prepared_nothing_is_said(monkeypatch, said):
    monkeypatch.setattr(preparing, "is_prepared", lambda: True)
    beside = Preparing(said.append)
    beside.begin()
    assert not said and not beside.busy

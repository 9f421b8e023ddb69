"""The status line, failures in the background, and panels at every size, in the real window."""

from __future__ import annotations

import logging

import pytest
from hands import plain, project, settle
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton

from vastwatch.desk.results import adviser, findings
from vastwatch.desk.results.derived import NOT_COMPUTED
from vastwatch.desk.results.findings import FINDINGS
from vastwatch.desk.shell.app import catch_failures
from vastwatch.desk.shell.widgets import Paged, unbroken
from vastwatch.desk.stages import STAGE_NAMES

# -- the status line, and failures ---------------------------------------------------------------------------------


def test_long_news_has_the_line_to_itself_and_is_not_hushed_by_a_click(qtbot, window):
    w = window
    w.say("a short word")
    assert w.status.when.isVisible()
    w.say("a long sentence, " * 12)
    assert not w.status.when.isVisible()
    w.focus.set(room="shop", selected="shop")
    assert "long sentence" in w.status.said.text()
    w.status.hush()
    assert w.status.when.isVisible() and "long" not in w.status.said.text()


def test_a_failure_in_the_background_is_said_and_kept_in_the_log(qtbot, desk, monkeypatch, tmp_path, caplog):
    w = desk.window
    log = tmp_path / "state" / "failures.log"
    monkeypatch.setattr(logging.getLogger(), "handlers", [])
    hook = __import__("sys").excepthook
    try:
        catch_failures(desk, log)
        monkeypatch.setattr(findings, "findings", lambda *_: {}["no such thing"])
        w.focus.set(room="kiln", selected="kiln")
        w.results[FINDINGS].forget()
        w.results.refresh()
        qtbot.waitUntil(lambda: w.results[FINDINGS].state == "failed")

        def words():
            return [plain(x.text()) for x in w.verdict.findChildren(QLabel) if x.isVisible()]

        qtbot.waitUntil(lambda: any("checks failed" in x for x in words()))
        assert not any("No problems found" in x for x in words())
        assert "findings" in w.status.said.text()
        assert "no such thing" in log.read_text(encoding="utf-8")
    finally:
        __import__("sys").excepthook = hook
    monkeypatch.undo()
    w.results[FINDINGS].forget()
    w.results.refresh()
    qtbot.waitUntil(lambda: w.results[FINDINGS].state == "fresh")


def test_figures_keep_their_units_on_the_line():
    assert unbroken("noticed within 5 s of 3.3 m² at 50 % and 20 of 30") == (
        "noticed within 5\u00a0s of 3.3\u00a0m² at 50\u00a0% and 20 of 30"
    )
    assert unbroken("7 sensors, 3 men") == "7 sensors, 3 men"


@pytest.mark.parametrize("stage", ["Brief", "Plan", "Sensors"])
def test_whatever_is_selected_its_form_stays_within_the_panel(qtbot, window, stage):
    """No form asks for more width than the verdict has; what is too long is shortened in it."""
    from vastwatch.desk.shell.window import RIGHT_WIDTH

    w = window
    w.focus.set(stage=stage)
    inspector = w.verdict.inspector
    seen = 0
    for collection in ("rooms", "openings", "walls", "furnishings", "spots", "lamps", "hazards", "sockets", "switches",
                       "sensors"):  # fmt: skip
        for record in getattr(project(w), collection):
            room = getattr(record, "room", None)
            w.focus.set(selected=record.id, room=room or w.focus.room)
            wants = inspector.minimumSizeHint().width()
            assert wants <= RIGHT_WIDTH - 28, (record.id, wants)
            seen += 1
    assert seen > 150


@pytest.mark.parametrize("size", [(1024, 700), (1280, 800), (1920, 1080)])
def test_at_every_size_no_panel_is_cut(qtbot, window, size):
    """Left, middle and right share the window, and nothing in the panels asks for more than it has."""
    w = window
    w.resize(*size)
    for stage in STAGE_NAMES:
        w.focus.set(stage=stage, level="ground", room="throwing", selected="throwing")
        settle(qtbot, w)
        panel = w.left.currentWidget()
        pages = panel.pages.count() if isinstance(panel, Paged) else 1
        for page in range(pages):
            if isinstance(panel, Paged):
                panel.show_page(page)
            QApplication.processEvents()
            assert w.width() == size[0]
            right = w.verdict.mapTo(w, QPoint(w.verdict.width(), 0)).x()
            assert right == size[0], (stage, page)
            assert w.left.mapTo(w, QPoint(w.left.width(), 0)).x() <= w.plan.mapTo(w, QPoint(0, 0)).x()
            assert w.plan.width() >= 240, (stage, page)
            for button in w.findChildren(QPushButton):
                if button.isVisible() and button.text() and button.width() > 30:
                    words = button.fontMetrics().horizontalAdvance(button.text().split(chr(10))[0])
                    assert words <= button.width() + 2, (stage, page, button.text(), button.width())


@pytest.mark.parametrize(("kind", "ask"), [
    (adviser.OPTIONS, lambda w: w.verdict.ask_options()),
    (findings.REMEDIES, lambda w: w.verdict.try_remedies()),
    (adviser.PURCHASES, lambda w: w.commands._what_to_buy()),
])  # fmt: skip
def test_what_could_not_be_computed_is_not_told_as_an_answer(qtbot, window, monkeypatch, kind, ask):
    def failing(*_, **__):
        raise KeyError("no such thing")

    for module, name in ((adviser, "advise"), (findings, "remedies"), (adviser, "purchases")):
        monkeypatch.setattr(module, name, failing)
    w = window
    w.focus.set(stage="Sensors", level="ground", room="throwing", selected="throwing")
    ask(w)
    qtbot.waitUntil(lambda: w.results[kind].state == "failed")

    def words():
        return [plain(x.text()) for x in w.findChildren(QLabel) if x.isVisible()]

    qtbot.waitUntil(lambda: any(x == NOT_COMPUTED for x in words()))
    assert not any("would help" in x and "Nothing" in x for x in words())


@pytest.mark.parametrize("width", [1024, 1280])
def test_a_stage_is_laid_out_at_once(qtbot, window, width):
    """Nothing moves under the pointer after the first picture: what is laid out on the change of stage stays there."""
    w = window
    w.resize(width, 760)
    settle(qtbot, w)
    for stage in (*STAGE_NAMES, *reversed(STAGE_NAMES)):
        w.focus.set(stage=stage)
        at_once = [(x.geometry().x(), x.width()) for x in (w.left, w.plan, w.verdict, w.ribbon)]
        for _ in range(4):
            QApplication.processEvents()
        assert [(x.geometry().x(), x.width()) for x in (w.left, w.plan, w.verdict, w.ribbon)] == at_once, stage

"""The guide at the window: opened from findings, figures, fields and keys, and searched."""

from __future__ import annotations

import pytest
from hands import key, settle
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from vastwatch.desk.shell.guide_window import EXPLAINED_BY, ExplainButton, ExplainedLabel, GuideWindow
from vastwatch.guide import topic_of, topics


@pytest.fixture
def guide(window):
    """What shows the guide's topic now; the guide is closed afterwards."""

    def shown():
        opened = window.findChild(GuideWindow)
        return None if opened is None or not opened.isVisible() else opened.topic

    yield shown
    opened = window.findChild(GuideWindow)
    if opened is not None:
        opened.close()


def test_a_finding_leads_to_what_explains_it(qtbot, window, guide):
    window.focus.set(level="ground", room="throwing", selected="throwing")
    settle(qtbot, window)
    buttons = window.verdict.findChildren(ExplainButton)
    assert buttons
    qtbot.mouseClick(buttons[0], Qt.MouseButton.LeftButton)
    assert guide() is topic_of("spot-unseen")


def test_a_figure_leads_to_what_explains_it(qtbot, window, guide):
    labels = [x for x in window.verdict._numbers.findChildren(ExplainedLabel) if x.isVisible()]
    assert [x.topic for x in labels][:2] == ["went-dark-on-somebody", "left-in-the-dark"]
    qtbot.mouseClick(labels[1], Qt.MouseButton.LeftButton)
    assert guide().title == "Left in the dark"


def test_f1_explains_the_field_that_has_the_keys(qtbot, window, guide):
    window.focus.set(stage="Sensors", selected="pir-shop")
    settle(qtbot, window)
    fields = [x for x in window.verdict.inspector.findChildren(QLineEdit) if x.isVisible() and x.property(EXPLAINED_BY)]
    assert {f.property(EXPLAINED_BY) for f in fields} >= {"place-a-sensor", "settings-of-a-placed-sensor"}
    field = next(f for f in fields if f.property(EXPLAINED_BY) == "settings-of-a-placed-sensor")
    field.setFocus()
    key(qtbot, field, Qt.Key.Key_F1)
    assert guide().title == "Settings of a placed sensor"
    # Elsewhere it explains the stage, in the same window.
    window.activateWindow()
    window.plan.setFocus()
    key(qtbot, window.plan, Qt.Key.Key_F1)
    assert guide().chapter == "Sensors" and len(window.findChildren(GuideWindow)) == 1


def test_words_are_searched_for_and_the_arrows_go_on(qtbot, window, guide):
    window.show_guide("ladders")
    opened = window.findChild(GuideWindow)
    assert "first row that applies wins" in opened.page.toPlainText()
    QTest.keyClicks(opened.typed, "battery")
    assert "batter" in guide().text.lower()
    first = guide()
    key(qtbot, opened.typed, Qt.Key.Key_Down)
    assert guide() is not first
    # What is shown stays on the page when the words are taken back.
    here = guide()
    opened.typed.clear()
    assert guide() is here and opened.list.count() > len(topics())
    QTest.keyClicks(opened.typed, "xylophone")
    assert guide() is None and "Nothing" in opened.page.toPlainText()


def test_the_page_is_scrolled_to_the_topic(qtbot, window, guide):
    window.show_guide("delays-in-place-of-a-hold-time")
    opened = window.findChild(GuideWindow)
    qtbot.waitUntil(lambda: opened.page.verticalScrollBar().value() > 0)
    top = opened.page.cursorForPosition(opened.page.viewport().rect().topLeft()).block()
    assert opened.topic.title in (top.text(), top.next().text()) or opened.page.verticalScrollBar().value() == (
        opened.page.verticalScrollBar().maximum()
    )

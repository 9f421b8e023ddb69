"""Settings of a placed sensor, a type from its box, and the box tested, in the real window."""

from __future__ import annotations

import pytest
from hands import settle
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit, QPushButton

from vastwatch.advice.detection.messages import messages_of
from vastwatch.design.project import find
from vastwatch.desk.shell.widgets import FigureField
from vastwatch.desk.stages.sensors.box_sheet import BoxSheet, Fans
from vastwatch.desk.stages.sensors.own_types import OwnTypes
from vastwatch.devices import catalogue
from vastwatch.sensing.declared import claimed_ranges, declared

LEFT = Qt.MouseButton.LeftButton


def field(qtbot, window, words):
    """The inspector's field of a name, once it is shown."""

    def found():
        return [f for f in window.verdict.inspector.findChildren(FigureField) if f.accessibleName() == words]

    qtbot.waitUntil(lambda: bool(found()) and found()[0].isVisible())
    return found()[0]


def typed(qtbot, window, words, text):
    it = field(qtbot, window, words)
    qtbot.mouseClick(it, LEFT)
    it.selectAll()
    QTest.keyClicks(it, text)
    QTest.keyClick(it, Qt.Key.Key_Return)


def settings(window, ident):
    return find(window.document.project.sensors, ident).settings


def test_every_setting_of_a_radar_is_typed_and_undone(qtbot, window):
    window.focus.set(stage="Sensors", level="upper", room="sitting", selected="radar-sitting")
    settle(qtbot, window)
    before = settings(window, "radar-sitting")
    typed(qtbot, window, "Stillness sensitivity", "6")
    assert settings(window, "radar-sitting").still_below_max == 4
    typed(qtbot, window, "Nearest gate", "0.8")
    typed(qtbot, window, "Measured range", "4.5")
    typed(qtbot, window, "Measured latency", "2.5")
    typed(qtbot, window, "Report interval", "2 min")
    now = settings(window, "radar-sitting")
    assert (now.min_gate_m, now.measured_range_m) == (0.8, 4.5)
    assert (now.measured_latency_s, now.report_interval_s) == (2.5, 120.0)
    for _ in range(5):
        window.document.undo_stack.undo()
    assert settings(window, "radar-sitting") == before


def test_what_cannot_be_set_is_said_at_the_field_and_nothing_changes(qtbot, window):
    window.focus.set(stage="Sensors", level="ground", room="throwing", selected="pir-throwing")
    settle(qtbot, window)
    said = []
    window.verdict.inspector.say.connect(said.append)
    project = window.document.project
    typed(qtbot, window, "Device hold", "7")
    assert window.document.project is project and any("in steps of 5 s" in words for words in said)
    typed(qtbot, window, "Device hold", "10")
    assert settings(window, "pir-throwing").hold_s == 10.0
    typed(qtbot, window, "Sensitivity", "2")
    assert settings(window, "pir-throwing").infrared_below_max == 1


def test_the_box_is_tested_on_a_sheet(qtbot, window):
    window.focus.set(stage="Sensors")
    settle(qtbot, window)
    shelf = window.panel("Sensors")
    type_ = next(d for d in catalogue() if d.id == "radar-60-ceiling")
    sheet = shelf.test_the_box(type_)
    qtbot.waitUntil(sheet.isVisible)
    assert sheet.findChildren(Fans)
    areas = declared(type_)
    for words, said, model in zip(sheet.cells, claimed_ranges(type_), areas.on_axis(), strict=True):
        assert sheet.cells[words][:2] == (f"{said:.1f} m", f"{model:.1f} m")
    close = next(b for b in sheet.findChildren(QPushButton) if b.text() == "Close")
    qtbot.mouseClick(close, LEFT)
    qtbot.waitUntil(lambda: not window.findChildren(BoxSheet))


def test_a_new_type_asks_what_its_box_says_and_tells_what_it_took_from_its_class(qtbot, window, tmp_path):
    window.focus.set(stage="Sensors")
    settle(qtbot, window)
    shelf = window.panel("Sensors")
    shelf.own = OwnTypes(tmp_path / "own.json")
    said = []
    shelf.say.connect(said.append)
    form = shelf.new_type("pir")
    qtbot.waitUntil(form.isVisible)
    keep = next(b for b in form.findChildren(QPushButton) if b.text() == "Save")
    qtbot.mouseClick(keep, LEFT)
    assert "a name is needed" in form.fault.text() and form.isVisible()
    names = list(form.fields)
    assert names.index("tangential_m") < names.index("beam_pitch")
    QTest.keyClicks(form.fields["name"], "Found in a drawer")
    QTest.keyClicks(form.fields["tangential_m"], "8")
    QTest.keyClicks(form.fields["radial_m"], "9")
    qtbot.mouseClick(keep, LEFT)
    assert "Walking towards" in form.fault.text() and form.isVisible()
    form.fields["radial_m"].clear()
    qtbot.mouseClick(keep, LEFT)
    qtbot.waitUntil(lambda: bool(said))
    (made,) = shelf.own.types
    assert (made.name, made.tangential_m, made.radial_m) == ("Found in a drawer", 8.0, 4.0)
    assert "walking towards" in said[-1] and "walking across" not in said[-1]
    assert said[-1].count("device hold time") == 1


def test_new_type_is_the_first_of_own_types(qtbot, window, monkeypatch):
    from PyQt6.QtWidgets import QMenu

    shown = []
    monkeypatch.setattr(QMenu, "popup", lambda self, *_: shown.append([a.text() for a in self.actions()]))
    window.focus.set(stage="Sensors")
    settle(qtbot, window)
    qtbot.mouseClick(window.panel("Sensors")._more, LEFT)
    assert shown and shown[0][0] == "New custom type"


@pytest.mark.parametrize(("text", "limit"), [("20 min", 1200.0), ("none", None)])
def test_the_limit_of_a_local_code_is_typed(qtbot, window, text, limit):
    window.focus.set(stage="Brief")
    window.panel("Brief").show_page(4)
    settle(qtbot, window)
    means = next(f for f in window.findChildren(FigureField) if f.accessibleName() == "Longest hold time by local code")
    qtbot.waitUntil(means.isVisible)
    means.selectAll()
    QTest.keyClicks(means, text)
    QTest.keyClick(means, Qt.Key.Key_Return)
    assert window.document.project.brief.code_hold_max_s == limit


def test_what_a_selected_sensor_sends_in_a_week_is_told(qtbot, window):
    window.focus.set(stage="Sensors", level="ground", room="throwing", selected="pir-throwing")
    settle(qtbot, window)
    told = window.verdict._sends
    qtbot.waitUntil(told.isVisible)
    project, recording = window.document.project, window.results.rehearsal.recording
    sent = messages_of(project, find(project.sensors, "pir-throwing"), recording)
    assert f"{sent.per_day:.0f} messages a day" in told.text() and "batteries last" in told.text()
    window.focus.set(selected="throwing")
    qtbot.waitUntil(lambda: not told.isVisible())


def test_settings_by_the_hour_are_typed_in_words(qtbot, window):
    window.focus.set(stage="Sensors", level="ground", room="throwing", selected="pir-throwing")
    settle(qtbot, window)
    said = []
    window.verdict.inspector.say.connect(said.append)

    def write(text):
        (line,) = [
            f for f in window.verdict.inspector.findChildren(QLineEdit) if f.accessibleName() == "By time of day"
        ]
        qtbot.waitUntil(line.isVisible)
        line.selectAll()
        QTest.keyClicks(line, text)
        QTest.keyClick(line, Qt.Key.Key_Return)
        return line

    line = write("07:00 hold 20 s; 22:00 hold 2 min, infrared 2")
    parts = settings(window, "pir-throwing").by_hour
    assert [(p.begin, p.hold_s, p.infrared_below_max) for p in parts] == [("07:00", 20.0, None), ("22:00", 120.0, 1)]
    assert line.text() == "07:00 hold 20 s; 22:00 hold 2 min, infrared 2"
    for wrong, words in (
        ("25:00 hold 20 s; 22:00 hold 5 s", "is not a time and a setting"),
        ("07:00 hold 7 s; 22:00 hold 20 s", "in steps of 5 s"),
        ("07:00 stillness 3; 22:00 hold 5 s", "cannot be set by time of day"),
        ("07:00 infrared 9; 22:00 hold 5 s", "must be 1 to 3"),
        ("07:00 hold 20 s", "at least two times"),
    ):
        write(wrong)
        assert words in said[-1] and settings(window, "pir-throwing").by_hour is parts
    write(" ")
    assert settings(window, "pir-throwing").by_hour == ()

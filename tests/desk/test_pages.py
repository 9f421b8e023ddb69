"""Something to show a client: pages to scale, pictures of any size, and the cautions that belong to them."""

from __future__ import annotations

import re
from html import escape

import pytest
from hands import project, settle
from msgspec.structs import replace
from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QImage
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrinter
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QLabel

from vastwatch.advice.checks.cautions import CAUTIONS, cautions, of_sensor
from vastwatch.advice.checks.findings import findings
from vastwatch.control.export.device_sheet import values_words
from vastwatch.design.project import find
from vastwatch.desk.pages.plan_sheet import PX_PER_M, extent, fitting_scale, picture, state_for
from vastwatch.desk.pages.report import pages, report_html
from vastwatch.desk.shell import file_actions
from vastwatch.files import load_demo


def pdf(data: bytes, tmp_path) -> QPdfDocument:
    path = tmp_path / "pages.pdf"
    path.write_bytes(data)
    document = QPdfDocument(None)
    document.load(str(path))
    return document


def text_of(document: QPdfDocument) -> str:
    return " ".join(document.getAllText(k).text() for k in range(document.pageCount()))


@pytest.mark.parametrize(("paper", "sides"), [("A4", (842, 595)), ("A3", (1191, 842))])
def test_each_level_is_a_page_to_scale_on_the_paper_that_was_asked_for(demo, tmp_path, qapp, paper, sides):
    document = pdf(pages(demo, paper), tmp_path)
    first = document.pagePointSize(0)
    assert (first.width(), first.height()) == pytest.approx(sides, abs=1.5)
    words = text_of(document)
    scale = 50
    assert f"1 : {scale} on {paper}" in words
    for room in demo.rooms:
        assert room.name in words
    # As large on the paper as the scale says: the outer faces of the ground floor's outer walls.
    image = document.render(0, QSize(round(first.width() * 4), round(first.height() * 4)))
    y = image.height() // 2
    dark = [
        x
        for x in range(image.width())
        if image.pixelColor(x, y).alpha() > 200 and image.pixelColor(x, y).lightness() < 60
    ]
    metres = (max(dark) - min(dark) + 1) / (4 * 72 / 0.0254) * scale
    outer = extent(demo, "ground").width() - 0.8 + max(w.thickness for w in demo.walls)
    assert metres == pytest.approx(outer, abs=0.03)


def test_the_largest_usual_scale_that_fits_is_taken():
    room = QRectF(0, 0, 0.25 * PX_PER_M, 0.15 * PX_PER_M)
    assert fitting_scale(QRectF(0, 0, 12, 7), room) == 50
    assert fitting_scale(QRectF(0, 0, 12.6, 7), room) == 75
    assert fitting_scale(QRectF(0, 0, 2000, 7), room) == 1000


def test_what_was_asked_set_found_and_bought_is_in_the_words(demo):
    from vastwatch.advice.checks.findings import findings
    from vastwatch.rehearsal import rehearse

    named = replace(demo, client="The owners", notes="Mind the step.")
    html = report_html(named, rehearse(named, 7, 1), findings(named))
    for words in (
        "For The owners",
        "Mind the step.",
        "Throwing room",
        "PIR throwing room",
        "Left wheel, seated",
        "Total",
    ):
        assert words in html
    week = rehearse(named, 7, 1).scores["throwing"]
    assert f"<td>{7 * week.false_offs:.1f}</td>" in html
    for caution in cautions(named):
        assert html.count(escape(caution.text)) == 1
    assert "have not been run yet" in report_html(named, None, None)


def test_names_stand_in_the_pages_as_they_are(demo, tmp_path, qapp):
    odd = replace(demo, name="<b>A</b> & B", rooms=tuple(replace(r, name=f"<i>{r.name}</i>") for r in demo.rooms))
    assert "<b>A</b> & B" in text_of(pdf(pages(odd, "A4"), tmp_path))
    assert "&lt;i&gt;" in report_html(odd, None, None)


def test_a_picture_is_as_wide_as_asked_and_a_bare_level_is_none(demo, qapp):
    small, large = picture(state_for(demo, "ground"), 800), picture(state_for(demo, "ground"), 5000)
    assert (small.width(), large.width()) == (800, 5000)
    assert large.height() / large.width() == pytest.approx(small.height() / small.width(), abs=0.01)
    bare = replace(demo, rooms=(), walls=(), openings=(), sensors=(), presences=(), spots=(), people=(), lamps=(),
                   circuits=(), switches=(), outputs=(), hazards=(), furnishings=())  # fmt: skip
    assert picture(state_for(bare, "ground"), 800) is None


def test_everything_is_sent_out_from_the_window(qtbot, window, tmp_path, monkeypatch):
    w = window
    settle(qtbot, w)
    rehearsal = w.results.rehearsal
    w.focus.set(incident=next(k for k, i in enumerate(rehearsal.incidents) if i.room == "throwing" and i.dark))
    chosen = []
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: chosen[-1])
    monkeypatch.setattr(QInputDialog, "getInt", lambda *a: (1500, True))
    chosen.append((str(tmp_path / "client"), "Client report, A3 (*.pdf)"))
    w.filing.send_out()
    document = QPdfDocument(None)
    document.load(str(tmp_path / "client.pdf"))
    assert document.pagePointSize(0).width() == pytest.approx(1191, abs=1.5)
    # Two levels, and the level of the open incident once more.
    assert (
        sum(document.pagePointSize(k).width() > document.pagePointSize(k).height() for k in range(document.pageCount()))
        == 3
    )
    assert re.search(r"\d\d:\d\d", document.getAllText(2).text())
    chosen.append((str(tmp_path / "level.png"), "Image (*.png)"))
    w.filing.send_out()
    assert QImage(str(tmp_path / "level.png")).width() == 1500


# -- cautions ------------------------------------------------------------------------------------------------------------


def test_each_caution_is_said_once_and_about_what_it_concerns():
    demo = load_demo()
    said = cautions(demo)
    assert len({c.key for c in said}) == len(said) and {"consent", "radar", "mains"} <= {c.key for c in said}
    sensors = {s.id for s in demo.sensors}
    radar = next(c for c in said if c.key == "radar")
    assert set(radar.records) <= sensors and radar.text == CAUTIONS["radar"]
    assert cautions(replace(demo, sensors=(), circuits=(), hazards=())) == []


def test_a_selected_sensor_says_its_cautions(qtbot, window):
    w = window
    sensor = next(s for s in project(w).sensors if "radar" in of_sensor(project(w), s))
    w.focus.set(level=sensor.level, room="sitting", selected=sensor.id)
    settle(qtbot, w)
    words = " ".join(x.text() for x in w.verdict.inspector.findChildren(QLabel))
    for key in of_sensor(project(w), sensor):
        assert CAUTIONS[key][:40] in words.replace("\u00a0", " ")


def test_rooms_without_a_sensor_stand_in_one_line(demo):
    text = report_html(demo, None, findings(demo))
    line = "Switched by hand only, without a sensor: Glazing, Kiln, Store, Kitchen, Bathroom, Bedroom, Box room."
    assert text.count(line) == 1 and "manual switching only" not in text


def test_every_value_that_can_be_set_is_stated(demo):
    radar = find(demo.sensors, "radar-sitting")
    device = find(demo.devices, radar.device)
    words = values_words(device, radar.settings)
    assert "device hold 10 s; sensitivity 10 of 10; stillness 10 of 10; gates 0.2 to 6.5 m" in words
    changed = replace(radar.settings, hold_s=30.0, sensitivity_below_max=2, max_gate_m=4.0, measured_range_m=5.0)
    words = values_words(device, changed)
    assert "device hold 30 s; sensitivity 8 of 10; stillness 8 of 10; gates 0.2 to 4 m" in words
    assert words.endswith("measured range 5 m")
    assert (
        values_words(
            find(demo.devices, find(demo.sensors, "player-sitting").device),
            find(demo.sensors, "player-sitting").settings,
        )
        == ""
    )


def test_the_report_is_printed(qtbot, window, tmp_path, monkeypatch):
    """As a printer would get it; here one that prints into a file."""
    printed = tmp_path / "printed.pdf"

    class Dialog:
        def __init__(self, printer, parent):
            printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
            printer.setOutputFileName(str(printed))

        def setWindowTitle(self, words):
            assert words == "Print"

        def exec(self):
            return 1

    monkeypatch.setattr(file_actions, "QPrintDialog", Dialog)
    told = []
    window.filing.say.connect(told.append)
    window.filing.print_pages()
    assert told == ["Printed the client report on A4."]
    document = QPdfDocument(None)
    document.load(str(printed))
    assert document.pageCount() >= 4
    text = "".join(document.getAllText(k).text() for k in range(document.pageCount()))
    assert "Cautions" in text

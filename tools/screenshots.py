"""Takes the pictures of docs/screenshots from the sample project, through the real window: `make screenshots`."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_STATE_HOME"] = os.environ["XDG_DATA_HOME"] = os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp()

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QPainter, QPixmap
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from vastwatch.allocator import raise_trim_thresholds
from vastwatch.commission.event_log import read_log
from vastwatch.commission.format_guess import guess_format
from vastwatch.design.edits.conclusions import set_expr
from vastwatch.design.expressions import Belief, Report
from vastwatch.desk.results.designs import DESIGNS
from vastwatch.desk.results.timing import FRONTIER
from vastwatch.desk.shell.app import Desk, make_application
from vastwatch.desk.shell.document import Document, empty_project
from vastwatch.desk.shell.window import Window
from vastwatch.desk.stages.zones.walk_dialog import WalkDialog
from vastwatch.files import load_demo

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
SIZE = (1280, 800)


class Studio:
    """A desk with the sample on it, and a camera."""

    def __init__(self) -> None:
        self.app = make_application()
        self.desk = Desk(Document(load_demo()))
        self.show()

    @property
    def window(self):  # type: ignore[no-untyped-def]
        return self.desk.window

    def show(self) -> None:
        self.window.resize(*SIZE)
        self.window.show()
        self.settle()

    def settle(self) -> None:
        QTest.qWait(150)
        while self.window.results.rehearsal is None or self.window.results.busy():
            QTest.qWait(20)
        QTest.qWait(80)

    def take(self, name: str) -> None:
        self.settle()
        FOLDER.mkdir(parents=True, exist_ok=True)
        self.window.grab().save(str(FOLDER / f"{name}.png"))
        print(f"docs/screenshots/{name}.png")

    def incident(self, room: str, kind: str, after_hour: float) -> None:
        r = self.window.results.rehearsal
        index = next(
            i for i, x in enumerate(r.incidents)
            if x.room == room and x.kind == kind and (x.at % 86_400) > after_hour * 3600 and x.at > 86_400
        )  # fmt: skip
        self.window.playhead.open_incident(index)


def beginning() -> None:
    """A bare building, which the other pictures are not of."""
    desk = Desk(Document(empty_project()))
    desk.window.resize(*SIZE)
    desk.window.show()
    QTest.qWait(600)
    desk.window.grab().save(str(FOLDER / "beginning.png"))
    print("docs/screenshots/beginning.png")
    desk.window.results.stop()
    desk.window.hide()


def keep(widget: QWidget, name: str) -> None:
    """The picture of one widget."""
    widget.grab().save(str(FOLDER / f"{name}.png"))
    print(f"docs/screenshots/{name}.png")


def zones_walk(window: Window) -> None:
    """The shipped walk, laid over the plan."""
    project = window.document.project
    sensor = next(s for s in project.sensors if s.id == "tracker-sitting")
    dialog = WalkDialog(window.document, sensor, window.theme, window)
    dialog.read(str(FOLDER.parents[1] / "src" / "vastwatch" / "data" / "saltmarsh-walk.csv"))
    dialog.open()
    while dialog.found is None:
        QTest.qWait(50)
    QTest.qWait(200)
    keep(dialog, "zones-walk")
    dialog.reject()


def every_way(window: Window) -> None:
    """The frontier of the sitting room."""
    window.focus.set(level="upper", room="sitting", selected="sitting")
    panel = window.panel("Timing")
    panel.show_frontier()
    while window.results[FRONTIER].busy:
        QTest.qWait(50)
    QTest.qWait(200)
    keep(panel.sheet, "frontier")
    panel.sheet.reject()
    window.focus.set(level="ground", room="throwing", selected="throwing")


def belief(studio: Studio) -> None:
    """How probable it is that somebody sits there, in place of the sitting room's rule; taken back again."""
    window = studio.window
    project = window.document.project
    reports = tuple(Report(sensor=s) for s in ("pir-sitting", "radar-sitting"))
    window.focus.set(level="upper", room="sitting", selected="sitting", time=86_400 + 20.2 * 3600, day=1)
    window.document.apply(set_expr(project, "presence-sitting", Belief(of=reports)), "Believe")
    studio.take("belief")
    window.document.undo_stack.undo()
    window.focus.set(level="ground", room="throwing", selected="throwing")


def scenes(studio: Studio) -> None:
    """The sitting room's ladder by night and by day, and what goes out of it."""
    window = studio.window
    window.focus.set(stage="Scenes", level="upper", room="sitting", selected=None, time=86_400 + 20.5 * 3600, day=1)
    studio.take("scenes-night")
    window.focus.set(row="row-evening", scene="scene-evening")
    window.focus.set(time=4 * 86_400 + 15.8 * 3600, day=4, row=None, scene=None)
    studio.take("scenes-day")
    panel = window.panel("Scenes")
    panel.show_states()
    panel.out.show_recipes()
    panel.out.show_year()
    QTest.qWait(200)
    sheets = [panel.sheet, panel.out.book, panel.out.sheet]
    side_by_side([s.grab() for s in sheets], "scenes-sheets")
    for sheet in sheets:
        sheet.reject()


def side_by_side(pictures: list[QPixmap], name: str) -> None:
    """The first two above each other at the left, the third at the right."""
    gap = 16
    left, right = pictures[:2], pictures[2]
    wide = max(p.width() for p in left)
    high = max(sum(p.height() for p in left) + gap, right.height())
    canvas = QPixmap(wide + right.width() + 3 * gap, high + 2 * gap)
    canvas.fill(QColor("#E9E6DE"))
    p = QPainter(canvas)
    y = gap
    for each in left:
        p.drawPixmap(gap, y, each)
        y += each.height() + gap
    p.drawPixmap(wide + 2 * gap, gap, right)
    p.end()
    canvas.save(str(FOLDER / f"{name}.png"))
    print(f"docs/screenshots/{name}.png")


def designs(window: Window) -> None:
    """The design beside its variant."""
    panel = window.panel("Rehearsal")
    panel.show_designs()
    while window.results[DESIGNS].busy:
        QTest.qWait(50)
    QTest.qWait(200)
    keep(panel.sheet, "designs")
    panel.sheet.accept()


def log_of_the_house(window: Window) -> None:
    """The shipped log, as its panel tells it."""
    project = window.document.project
    path = FOLDER.parents[1] / "src" / "vastwatch" / "data" / "saltmarsh-log.csv"
    window.panel("Rehearsal").show_log(read_log(path, project, guess_format(path, project)))


def main() -> None:
    raise_trim_thresholds()
    studio = Studio()
    beginning()
    window = studio.window
    focus = window.focus
    focus.set(stage="Brief", level="upper", room="sitting", selected="sitting")
    brief = window.panel("Brief")
    studio.take("brief-rooms")
    brief.show_page(2)
    studio.take("brief-people")
    focus.set(stage="Plan", level="ground", room="shop", selected="shop")
    window.panel("Plan").show_page(1)
    focus.set(room="throwing", selected="drying-rack", marked=frozenset(("drying-rack", "wedging-bench")))
    studio.take("plan-build")
    focus.set(marked=frozenset())
    window.panel("Plan").show_page(0)
    focus.set(stage="Sensors", room="throwing", selected="pir-throwing", figure="seated", day=0)
    window.plan._hover(window.plan.pixel_of(0.75, 6.0))
    studio.take("sensors-pir")
    focus.set(level="upper", room="sitting", selected="radar-sitting", figure="across")
    window.plan._hover(QPointF(-50, -50))
    studio.take("sensors-radar")
    focus.set(room="box", selected="box", figure="seated")
    window.verdict.ask_options()
    studio.take("adviser")
    focus.set(stage="Zones", level="ground", room="shop", selected="counter")
    studio.take("zones")
    zones_walk(window)
    focus.set(level="ground", figure="across", stage="Timing", room="throwing", selected="throwing")
    studio.take("timing")
    every_way(window)
    belief(studio)
    scenes(studio)
    studio.incident("throwing", "dropped", 19.0)
    window.verdict.try_remedies()
    studio.take("rehearsal-night-incident")
    focus.set(incident=-1, level="upper", room="sitting", selected="sitting", time=86_400 + 20.2 * 3600, day=1)
    focus.set(span="month")
    studio.take("rehearsal-month")
    focus.set(span="week")
    focus.set(span="day")
    designs(window)
    focus.set(level="ground", room="shop", selected="shop")
    log_of_the_house(window)
    QTest.qWait(400)
    window.grab().save(str(FOLDER / "log.png"))
    print("docs/screenshots/log.png")
    studio.window.results.stop()


if __name__ == "__main__":
    main()

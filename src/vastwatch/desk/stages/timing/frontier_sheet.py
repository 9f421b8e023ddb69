"""The frontier of a room in a window of its own: every way on one chart, what each is, and what it would take to set
it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QDialog, QFileDialog, QProgressBar, QPushButton, QStackedWidget, QWidget

from vastwatch.advice.judging.frontier import Frontier, Point
from vastwatch.advice.judging.robustness import signed_change
from vastwatch.desk.pages.frontier_chart import Placed, paint, save
from vastwatch.desk.results.registry import Results
from vastwatch.desk.results.timing import FRONTIER, MATTERS
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import column_in, label, pressed, row, scrolling
from vastwatch.files import ProjectError
from vastwatch.words import capital, error_sentence

KINDS = ("Page (*.pdf)", "Image (*.png)", "Table (*.csv)")


class FrontierChart(QWidget):
    """`picked` carries the point under the pointer or the keys, or None."""

    picked = pyqtSignal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.found: Frontier | None = None
        self.marked: Point | None = None
        self._placed: Placed | None = None
        self.setAccessibleName("Left in the dark against lit while empty")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(QSize(520, 360))

    def show_frontier(self, found: Frontier) -> None:
        """Show a frontier; today's point is marked."""
        self.found = found
        self.pick(found.named("today")[0])

    def pick(self, point: Point | None) -> None:
        """Mark a point."""
        self.marked = point
        self.picked.emit(point)
        self.update()

    def at(self, point: Point) -> QPointF:
        """Where a point stands."""
        assert self._placed is not None
        return self._placed.at(point)

    def paintEvent(self, event: object) -> None:
        if self.found is not None:
            p = QPainter(self)
            self._placed = paint(p, self.theme, QRectF(self.rect()), self.found, self.marked)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._placed is not None:
            point = self._placed.nearest(event.position())
            if point is not None:
                self.pick(point)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._placed is not None:
            point = self._placed.nearest(event.position())
            shape = Qt.CursorShape.ArrowCursor if point is None else Qt.CursorShape.PointingHandCursor
            self.setCursor(shape)
            self.setToolTip("" if point is None else point.name)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._placed is None or self.marked is None:
            return
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        order = sorted(self._placed.points, key=lambda p: (p.figures.idle_h, p.figures.dark_min))
        k = next((i for i, p in enumerate(order) if p is self.marked), 0)
        self.pick(order[min(max(k + step, 0), len(order) - 1)])


class FrontierSheet(QDialog):
    """Fills itself from `results[FRONTIER]`, which it asks for. `taken` carries the point to set."""

    taken = pyqtSignal(object)

    def __init__(self, parent: QWidget, results: Results, theme: Theme, room: str) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("frontier")
        self.setWindowTitle(self.tr("Trade-off chart"))
        self.resize(980, 640)
        self.results, self.room = results, room
        box = column_in(self, 8, (20, 16, 20, 16))
        self._basis = label("", "soft")
        box.addWidget(row(label(room, "title"), self._basis, stretch=0))
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(6)
        self._bar.setRange(0, 1000)
        box.addWidget(self._bar)
        self.chart = FrontierChart(theme)
        self.chart.picked.connect(self._say)
        self.lines = label("", "", True, rich=True)
        self.lines.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self.lines.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        area, inner = scrolling(8, (4, 4, 12, 4))
        inner.addWidget(self.lines)
        inner.addStretch(1)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.chart)
        self.pages.addWidget(area)
        box.addWidget(self.pages, 1)
        self.told = label("", "", True, rich=True)
        self.told.setMinimumHeight(40)
        box.addWidget(self.told)
        self.set_it = pressed(self.tr("Apply"), self._take, self.tr("Ctrl+Z undoes it."))
        self.out = pressed(self.tr("Save…"), self._save, self.tr("As a page, an image or a table"))
        leave = pressed(self.tr("Close"), self.accept)
        self.why = QPushButton(self.tr("Effect of each setting"))
        self.why.setCheckable(True)
        self.why.setToolTip(self.tr("What one step of each setting changes, and how robust the present settings are"))
        self.why.clicked.connect(self._show_matters)
        for button in (self.why, self.set_it, self.out, leave):
            button.setAutoDefault(False)
        self._wrong = label("", "bad", True)
        box.addWidget(row(self._wrong, self.why, self.set_it, self.out, leave, stretch=0))
        results[FRONTIER].changed.connect(self._fill)
        results[FRONTIER].progressed.connect(self._progress)
        results[MATTERS].changed.connect(self._fill_matters)
        results[FRONTIER].ask()
        self._fill()

    def _show_matters(self, on: bool) -> None:
        self.pages.setCurrentIndex(int(on))
        if on:
            self.results[MATTERS].ask()
            self._fill_matters()

    def _fill_matters(self) -> None:
        derived = self.results[MATTERS]
        if derived.value is None:
            self.lines.setText(self.tr("Simulating weeks…") if derived.busy else capital(derived.words))
            return
        steps, others = derived.value
        rows = [self._row((self.tr("one step of"), self.tr("now"), self.tr("then"), self.tr("dark, min a day"),
                           self.tr("lit while empty, h a day")), "th")]  # fmt: skip
        for e in steps:
            for k, step in enumerate(x for x in (e.less, e.more) if x is not None):
                named = (e.name, e.now) if k == 0 else ("", "")
                rows.append(self._row((*named, step[0], signed_change(step[1]), signed_change(step[2]))))
        more = [self._row((self.tr("stress scenario"), self.tr("false-offs a week"), "", self.tr("dark, min a day"),
                           self.tr("lit while empty, h a day")), "th")]  # fmt: skip
        for o in others:
            f = o.figures
            figures = (f"{f.drops_per_week:.1f}", "", f"{f.dark_min:.2f}", f"{f.idle_h:.2f}")
            more.append(self._row((capital(o.name), *figures)))
        self.lines.setText(
            f"<table cellpadding='3'>{''.join(rows)}</table><br><table cellpadding='3'>{''.join(more)}</table>"
        )

    def _row(self, cells: tuple[str, ...], kind: str = "td") -> str:
        sides = ("left", "right", "right", "right", "right")
        return (
            "<tr>"
            + "".join(f"<{kind} align='{s}'>{_safe(c)}&nbsp;&nbsp;</{kind}>" for c, s in zip(cells, sides))
            + "</tr>"
        )

    def done(self, result: int) -> None:
        """Nobody waits for it any more."""
        for derived in (self.results[FRONTIER], self.results[MATTERS]):
            if derived.busy:
                derived.forget()
        super().done(result)

    def _progress(self) -> None:
        self._bar.setValue(round(1000 * self.results[FRONTIER].progress))

    def _fill(self) -> None:
        derived = self.results[FRONTIER]
        found = derived.value
        self._bar.setVisible(derived.busy)
        self.pages.setVisible(found is not None)
        for widget in (self.why, self.set_it, self.out):
            widget.setEnabled(found is not None)
        if found is None:
            self._basis.setText(self.tr("simulating weeks…") if derived.busy else capital(derived.words))
            return
        words = self.tr("the same {} weeks for each of {} settings").format(found.weeks, found.searched)
        self._basis.setText(words)
        if self.chart.found is not found:
            self.chart.show_frontier(found)

    def _say(self, point: Point | None) -> None:
        found = self.chart.found
        if point is None or found is None:
            self.told.setText("")
            return
        f = point.figures
        meets = self.tr("meets the brief") if found.meets(point) else self.tr("does not meet the brief")
        settings = "; ".join(f"{name} {value}" for name, value in point.settings.items())
        self.told.setText(
            self.tr(
                "<b>{}</b>: {:.1f} false-offs a week, {:.2f} min dark and {:.2f} h lit while empty a day (nine "
                "of ten seeds {:.2f} to {:.2f} min, {:.2f} to {:.2f} h); {}{}.<br><small>{}</small>"
            ).format(
                _safe(point.name), f.drops_per_week, f.dark_min, f.idle_h, *f.dark_within, *f.idle_within, meets,
                self._in_others(point, found.weeks), _safe(settings),
            )
        )  # fmt: skip
        self.set_it.setEnabled(point.kind != "today")

    def _in_others(self, point: Point, weeks: int) -> str:
        o = point.held_out
        if o is None:
            return ""
        words = self.tr("; in {} other weeks {:.1f} false-offs, {:.2f} min, {:.2f} h")
        return words.format(weeks, o.drops_per_week, o.dark_min, o.idle_h)

    def _take(self) -> None:
        if self.chart.marked is not None:
            self.taken.emit(self.chart.marked)
            self.accept()

    def _save(self) -> None:
        name, kind = QFileDialog.getSaveFileName(self, self.tr("Save the chart"), "frontier", ";;".join(KINDS))
        if name:
            path = Path(name)
            if path.suffix.lower() not in (".pdf", ".png", ".csv"):
                path = path.with_name(path.name + kind[kind.index("*") + 1 : -1])
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Save the chart, or say why not."""
        found = self.chart.found
        if found is None:
            return
        try:
            save(found, path, self.tr("{}: left in the dark against lit while empty").format(self.room))
        except (ProjectError, ValueError) as e:
            self._wrong.setText(error_sentence(e))
        else:
            self._wrong.setText("")


def _safe(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")

"""The year's table as a picture, a column a day: night, the hours that follow the clock, days off and vacations; each
day told under the pointer, and all of it to be saved."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QDialog, QFileDialog, QVBoxLayout, QWidget

from vastwatch.control.export.year_schedule import Year, YearDay, hour_words, year_of, year_rows
from vastwatch.design.project import Project
from vastwatch.desk.shell.theme import Theme, alpha, font, mix
from vastwatch.desk.shell.widgets import Choice, Count, label, pressed, row
from vastwatch.files import ProjectError
from vastwatch.files.csv_cells import csv_text
from vastwatch.files.writing import write_atomically

SIZE = (900, 540)
LEFT, TOP, BOTTOM, RIGHT = 44.0, 8.0, 40.0, 8.0
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


class YearPicture(QWidget):
    """`pointed` carries the day under the pointer or the keys."""

    pointed = pyqtSignal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.year: Year | None = None
        self.window_ = 0
        self.day = 0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(self.tr("Days of the year; left and right arrows move by a day"))

    def sizeHint(self) -> QSize:
        return QSize(820, 380)

    def show_year(self, year: Year, window: int) -> None:
        """Show one window of a year."""
        self.year, self.window_ = year, window
        self.day = min(self.day, len(year.days) - 1)
        self.pointed.emit(year.days[self.day])
        self.update()

    def _frame(self) -> QRectF:
        return QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)

    def paintEvent(self, event: object) -> None:
        if self.year is None:
            return
        p, t, frame, days = QPainter(self), self.theme, self._frame(), self.year.days
        wide, hour = frame.width() / len(days), frame.height() / 24.0
        night, day = mix(t.panel, t.ink, 0.16), t.card
        lit = alpha(t.lamp, 0.78)
        for k, d in enumerate(days):
            x = frame.left() + k * wide
            column = QRectF(x, frame.top(), wide + 0.6, frame.height())
            p.fillRect(column, night)
            if d.sunrise_h is not None and d.sunset_h is not None:
                top, end = frame.top() + d.sunrise_h * hour, frame.top() + d.sunset_h * hour
                p.fillRect(QRectF(x, top, wide + 0.6, end - top), day)
            for begin, end in self._open(k):
                p.fillRect(QRectF(x, frame.top() + begin * hour, wide + 0.6, (end - begin) * hour), lit)
            if d.kind != "workday":
                mark = {"weekend": alpha(t.soft, 0.35), "free": t.contact, "away": t.ink}[d.kind]
                p.fillRect(QRectF(x, frame.bottom() + 3, wide + 0.6, 5 if d.kind == "weekend" else 8), mark)
        p.setFont(font(12))
        p.setPen(t.soft)
        for h in range(0, 25, 6):
            y = frame.top() + h * hour
            p.drawText(QRectF(0, y - 9, LEFT - 8, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                       f"{h:02d}:00")  # fmt: skip
            p.setPen(QPen(alpha(t.soft, 0.35), 1))
            p.drawLine(QPointF(frame.left(), y), QPointF(frame.right(), y))
            p.setPen(t.soft)
        for k, d in enumerate(days):
            if d.on.day == 1:
                x = frame.left() + k * wide
                p.drawText(QRectF(x + 3, frame.bottom() + 14, 60, 20), Qt.AlignmentFlag.AlignLeft,
                           self.tr(MONTHS[d.on.month - 1]))  # fmt: skip
        here = frame.left() + (self.day + 0.5) * wide
        p.setPen(QPen(t.ink if not self.hasFocus() else t.focus, 1.5))
        p.drawLine(QPointF(here, frame.top()), QPointF(here, frame.bottom() + 12))

    def _open(self, k: int) -> list[tuple[float, float]]:
        """The hours of a day in which the window is open, also those that began the day before."""
        assert self.year is not None
        out = []
        if self.window_ < len(self.year.scheduled):
            mine = self.year.days[k].open_h[self.window_]
            last = self.year.days[k - 1].open_h[self.window_] if k else None
            if mine is not None:
                out.append((max(mine[0], 0.0), min(mine[1], 24.0)))
            if last is not None and last[1] > 24.0:
                out.append((0.0, last[1] - 24.0))
        return out

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.year is not None:
            frame = self._frame()
            k = int((event.position().x() - frame.left()) / frame.width() * len(self.year.days))
            self._point(k)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageUp: -30, Qt.Key.Key_PageDown: 30}
        if event is not None and (by := step.get(Qt.Key(event.key()))) is not None:
            self._point(self.day + by)
        else:
            super().keyPressEvent(event)

    def _point(self, k: int) -> None:
        assert self.year is not None
        k = min(max(k, 0), len(self.year.days) - 1)
        if k != self.day:
            self.day = k
            self.pointed.emit(self.year.days[k])
            self.update()


class YearSheet(QDialog):
    """`say` tells what was saved, or why not."""

    say = pyqtSignal(str)

    def __init__(self, parent: QWidget, project: Project, theme: Theme) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.project, self.theme = project, theme
        self.setWindowTitle(self.tr("Clock times through the year"))
        self.resize(*SIZE)
        box = QVBoxLayout(self)
        box.setSpacing(8)
        self.which = Choice()
        self.which.setAccessibleName(self.tr("What runs by clock time"))
        self.which.activated.connect(self._show)
        self.count = Count()
        self.count.setRange(1900, 2199)
        self.count.setAccessibleName(self.tr("Year"))
        self.count.setValue(int(project.brief.rehearse_from[:4]))
        self.count.valueChanged.connect(self._change)
        box.addWidget(label(self.windowTitle(), "title"))
        box.addWidget(row(self.which, self.count, stretch=0))
        self.uses = label("", "soft", True)
        box.addWidget(self.uses)
        self.picture = YearPicture(theme)
        self.picture.pointed.connect(self._tell)
        box.addWidget(self.picture, 1)
        self.told = label("", "", True)
        box.addWidget(self.told)
        self.key = label("", "soft", True, True)
        box.addWidget(self.key)
        self.save = pressed(self.tr("Save table…"), self._ask)
        leave = pressed(self.tr("Close"), self.reject)
        box.addWidget(row(QWidget(), self.save, leave, stretch=0))
        self._change()

    def _change(self, *_: object) -> None:
        self.year = year_of(self.project, self.count.value())
        chosen = max(self.which.currentIndex(), 0)
        self.which.clear()
        for s in self.year.scheduled:
            self.which.addItem(s.words)
        self.which.setCurrentIndex(min(chosen, self.which.count() - 1))
        self.which.setEnabled(bool(self.year.scheduled))
        self._show()

    def _show(self, *_: object) -> None:
        k = max(self.which.currentIndex(), 0)
        if self.year.scheduled:
            s = self.year.scheduled[k]
            self.uses.setText(
                self.tr("{}. Active {:,.0f} h in the year.").format("; ".join(s.used_by), self.year.hours_open(k))
            )
        else:
            self.uses.setText(self.tr("Nothing runs by clock time."))
        self.picture.show_year(self.year, k)
        names = (("lamp", "active"), ("contact", "day off"), ("ink", "vacation"), ("soft", "weekend"))
        marks = [f'<span style="color:{_hex(getattr(self.theme, c))}">■</span> {self.tr(w)}' for c, w in names]
        self.key.setText("&nbsp;&nbsp;&nbsp;".join(marks))

    def _tell(self, day: YearDay) -> None:
        k = max(self.which.currentIndex(), 0)
        kind = {"away": "vacation", "free": "day off"}.get(day.kind, day.kind)
        said = [day.on.strftime("%a %d %b"), day.name or self.tr(kind)]
        if day.sunrise_h is not None and day.sunset_h is not None:
            sun = (hour_words(day.sunrise_h), hour_words(day.sunset_h))
            said.append(self.tr("sun {} to {}").format(*sun))
        opened = day.open_h[k] if k < len(day.open_h) else None
        if opened is not None:
            said.append(self.tr("active {} to {}").format(hour_words(opened[0]), hour_words(opened[1])))
        self.told.setText("   ".join(said))

    def _ask(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, self.tr("Save the year's table"), f"year-{self.count.value()}.csv", self.tr("CSV (*.csv)")
        )
        if name:
            self.save_as(Path(name))

    def save_as(self, path: Path) -> None:
        """Write the table, a row a day, as CSV."""
        try:
            write_atomically(path, csv_text(year_rows(self.year)).encode())
        except ProjectError as e:
            self.say.emit(str(e))
            return
        self.say.emit(self.tr("Saved {}.").format(path.name))


def _hex(colour: QColor) -> str:
    return colour.name()

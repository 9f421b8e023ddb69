"""The numbers to type, zone by zone, as the device takes them."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vastwatch.commission.entry_sheet import typed_numbers
from vastwatch.desk.shell.theme import Theme, alpha, font
from vastwatch.sensing.zoned_sensor import ZonedSensor

ROW, HEAD = 25, 18
# The names' share of the width; the two figures share the rest.
NAMES = 0.36


class NumberRow(NamedTuple):
    """A zone: its id, name, figures in one or two columns, its role, and whether it counts its own badly."""

    zone: str
    name: str
    columns: tuple[str, ...]
    role: str
    bad: bool


def number_rows(known: ZonedSensor, bad: list[bool]) -> list[NumberRow]:
    """The rows of a sensor's zones."""
    out = []
    for j, zone in enumerate(known.zones):
        _, numbers = typed_numbers(known, j)
        values = [f"{v:g}".replace("-", "−") for v in numbers.values()]
        if set(numbers) == {"x_min", "x_max", "y_min", "y_max"}:
            columns: tuple[str, ...] = (f"{values[0]} … {values[1]}", f"{values[2]} … {values[3]}")
        elif "from" in numbers:
            columns = (f"bands {values[0]} to {values[1]}",)
        else:
            pairs = [f"{x} {y}" for x, y in zip(values[::2], values[1::2])]
            half = (len(pairs) + 1) // 2
            columns = (", ".join(pairs[:half]), ", ".join(pairs[half:]))
        out.append(NumberRow(zone.id, zone.name, columns, zone.role, bad[j]))
    return out


class Numbers(QWidget):
    """`chosen` says which zone is clicked or stepped to."""

    chosen = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.rows: list[NumberRow] = []
        self.heads: tuple[str, ...] = ()
        self.selected: str | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Values to enter")

    def show_rows(self, rows: list[NumberRow], heads: tuple[str, ...], selected: str | None) -> None:
        """Show other figures."""
        if (rows, heads, selected) == (self.rows, self.heads, self.selected):
            return
        self.rows, self.heads, self.selected = rows, heads, selected
        self.updateGeometry()
        self.update()

    @property
    def _tall(self) -> bool:
        """Whether the figures need a line of their own: corners of polygons."""
        return any(r.columns and "," in r.columns[0] for r in self.rows)

    @property
    def _row(self) -> int:
        return 56 if self._tall else ROW

    @property
    def _top(self) -> int:
        return 0 if self._tall else HEAD

    def sizeHint(self) -> QSize:
        return QSize(200, self._top + self._row * len(self.rows) + 4)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p, t = QPainter(self), self.theme
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, width = NAMES * self.width(), (1 - NAMES) * self.width() / 2
        p.setFont(font(11, 400))
        p.setPen(t.soft)
        if not self._tall:
            for k, head in enumerate(self.heads):
                box = QRectF(left + k * width, 0, width - 8, HEAD)
                p.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, head)
        for i, r in enumerate(self.rows):
            y = self._top + i * self._row
            if r.zone == self.selected:
                p.setPen(QPen(t.hairline, 1))
                p.setBrush(t.card)
                p.drawRoundedRect(QRectF(0.5, y + 0.5, self.width() - 1, self._row - 1), 6, 6)
            p.setFont(font(12, 600 if r.zone == self.selected else 500))
            p.setPen(t.dropped if r.bad else t.ink if r.role == "detect" else t.soft)
            room = self.width() - 14 if self._tall else left - 12
            words = p.fontMetrics().elidedText(r.name, Qt.TextElideMode.ElideRight, int(room))
            p.drawText(QRectF(7, y, room, ROW), Qt.AlignmentFlag.AlignVCenter, words)
            p.setFont(font(11 if self._tall else 12, 500))
            p.setPen(t.ink)
            for k, column in enumerate(r.columns):
                if self._tall:
                    p.drawText(
                        QRectF(14, y + 21 + 15 * k, self.width() - 18, 15), Qt.AlignmentFlag.AlignVCenter, column
                    )
                else:
                    box = QRectF(left + k * width, y, width - 8, ROW)
                    p.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, column)
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(alpha(t.soft, 0.8), 1))
            p.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)

    def _row_at(self, at: QPointF) -> NumberRow | None:
        k = int((at.y() - self._top) // self._row)
        return self.rows[k] if 0 <= k < len(self.rows) else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        found = None if event is None else self._row_at(event.position())
        if found is not None:
            self.chosen.emit(found.zone)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        ids = [r.zone for r in self.rows]
        if step is None or not ids:
            super().keyPressEvent(event)
            return
        at = ids.index(self.selected) + step if self.selected in ids else 0
        self.chosen.emit(ids[min(max(at, 0), len(ids) - 1)])

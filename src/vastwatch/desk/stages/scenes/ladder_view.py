"""A ladder as a list of rows: what each asks for, how much of the week it wins, and which one wins now.

A row is dragged to its place, or moved by Alt and an arrow; the arrows go from row to row, Return asks what to change,
Delete takes one out. What wins at the playhead is lit up; what stands above it and holds not is faint.
"""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vastwatch.desk.shell.theme import Theme, alpha, font

HIGH, GAP, GRIP = 42, 5, 20
# The mouse has to go so far before it drags, pixels.
DRAG_PX = 5.0


class ShownRow(NamedTuple):
    """A row as it is shown: its record's id (None for what holds where none does, and for hands), its name, what it
    asks for, its share of the time (None while nothing was simulated), whether it wins now, and whether it holds
    now."""

    row: str | None
    name: str
    asks: str
    share: float | None
    wins: bool = False
    holds: bool = False


class LadderView(QWidget):
    """`chosen` a row by its id; `moved` a row to a place; `asked` what to change of one; `removed` one."""

    chosen = pyqtSignal(str)
    moved = pyqtSignal(str, int)
    asked = pyqtSignal(str)
    removed = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.rows: list[ShownRow] = []
        self.current: str | None = None
        self._pressed: tuple[str, QPointF] | None = None
        self._at: float | None = None
        self.setAccessibleName("Ladder, from the top: the first row that applies wins")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_rows(self, rows: list[ShownRow], current: str | None) -> None:
        """Show some rows, one of them in hand."""
        if rows == self.rows and current == self.current:
            return
        self.rows, self.current = rows, current
        self.setFixedHeight(max(len(rows) * (HIGH + GAP) - GAP, 0))
        self.setAccessibleDescription("; ".join(f"{r.name}: {r.asks}" + (", wins now" if r.wins else "") for r in rows))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(300, max(len(self.rows) * (HIGH + GAP) - GAP, 0))

    def rect_of(self, k: int) -> QRectF:
        """Where a row stands, by its number."""
        return QRectF(1, k * (HIGH + GAP) + 1, self.width() - 2, HIGH - 2)

    @property
    def _own(self) -> list[int]:
        """The numbers of the rows that are records."""
        return [k for k, r in enumerate(self.rows) if r.row is not None]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k, shown in enumerate(self.rows):
            self._paint(p, shown, self.rect_of(k))
        if self._at is not None and self._pressed is not None:
            y = self._slot(self._at) * (HIGH + GAP) - GAP / 2
            p.setPen(QPen(self.theme.ink, 2.5))
            p.drawLine(QPointF(4, max(y, 1.5)), QPointF(self.width() - 4, max(y, 1.5)))

    def _paint(self, p: QPainter, r: ShownRow, box: QRectF) -> None:
        t = self.theme
        current = r.row is not None and r.row == self.current
        p.setBrush(alpha(t.lamp, 0.16) if r.wins else t.card)
        if current:
            p.setPen(QPen(t.ink, 2.0 if self.hasFocus() else 1.4))
        else:
            p.setPen(QPen(t.lamp if r.wins else t.hairline, 1.6 if r.wins else 1.0))
        p.drawRoundedRect(box, 8, 8)
        if r.row is not None:
            p.setPen(QPen(t.soft, 1.4))
            for dx in (0, 5):
                for dy in (-4, 0, 4):
                    p.drawPoint(QPointF(box.left() + 8 + dx, box.center().y() + dy))
        left, right = box.left() + GRIP, box.right() - 10
        figure = "" if r.share is None else share_words(r.share)
        p.setFont(font(12, 600))
        wide = QFontMetricsF(p.font()).horizontalAdvance("100 %") + 4
        p.setPen(t.ink if r.wins else t.soft)
        p.drawText(QRectF(right - wide, box.top() + 3, wide, 18), Qt.AlignmentFlag.AlignRight, figure)
        if r.wins:
            p.setPen(t.ink)
            p.setFont(font(11, 600))
            p.drawText(QRectF(right - wide, box.top() + 21, wide, 16), Qt.AlignmentFlag.AlignRight, self.tr("now"))
        p.setFont(font(13, 600 if current or r.wins else 500))
        p.setPen(t.ink)
        name = p.fontMetrics().elidedText(r.name, Qt.TextElideMode.ElideRight, int(right - wide - left - 6))
        p.drawText(QRectF(left, box.top() + 3, right - left, 18), Qt.AlignmentFlag.AlignVCenter, name)
        p.setFont(font(11))
        p.setPen(t.soft)
        asks = p.fontMetrics().elidedText(
            r.asks, Qt.TextElideMode.ElideRight, int(right - left - (40 if r.wins else 0))
        )
        p.drawText(QRectF(left, box.top() + 21, right - left, 16), Qt.AlignmentFlag.AlignVCenter, asks)

    # -- mouse and keys ----------------------------------------------------------------------------------------

    def _row_at(self, y: float) -> int | None:
        k = int(y // (HIGH + GAP))
        return k if 0 <= k < len(self.rows) else None

    def _slot(self, y: float) -> int:
        """Between which rows a height lies: the number of the one below."""
        own = self._own
        first, last = (own[0], own[-1] + 1) if own else (0, 0)
        return min(max(round(y / (HIGH + GAP)), first), last)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        k = self._row_at(event.position().y())
        row = None if k is None else self.rows[k].row
        if row is not None:
            self._pressed = row, event.position()
            self.chosen.emit(row)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        k = self._row_at(event.position().y())
        grip = k is not None and self.rows[k].row is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if grip else Qt.CursorShape.ArrowCursor)
        if self._pressed is not None and abs(event.position().y() - self._pressed[1].y()) > DRAG_PX:
            self._at = event.position().y()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        pressed, at, self._pressed, self._at = self._pressed, self._at, None, None
        self.update()
        if pressed is None or at is None:
            return
        own = self._own
        was = next((k for k in own if self.rows[k].row == pressed[0]), None)
        if was is not None:
            slot = self._slot(at)
            self.moved.emit(pressed[0], slot - own[0] - (1 if slot > was else 0))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        k = None if event is None else self._row_at(event.position().y())
        if k is not None and self.rows[k].row is not None:
            self.asked.emit(self.rows[k].row)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        own = [self.rows[k].row for k in self._own]
        at = own.index(self.current) if self.current in own else -1
        key, way = event.key(), {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(event.key())  # type: ignore[call-overload]
        if way is not None and own:
            if event.modifiers() & Qt.KeyboardModifier.AltModifier and at >= 0:
                self.moved.emit(str(own[at]), at + way)
            else:
                self.chosen.emit(str(own[min(max(at + way, 0), len(own) - 1)] if at >= 0 else own[0]))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2) and at >= 0:
            self.asked.emit(str(own[at]))
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and at >= 0:
            self.removed.emit(str(own[at]))
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()


def share_words(share: float) -> str:
    """A share of time: tenths of a percent where it is little."""
    percent = 100.0 * share
    return (
        "0 %"
        if percent == 0
        else "< 0.1 %"
        if percent < 0.05
        else f"{percent:.1f} %"
        if percent < 10
        else f"{percent:.0f} %"
    )

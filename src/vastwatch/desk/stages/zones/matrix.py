"""Who is counted where, as a table: a row for each spot and way in, a column for each zone, per cent of the reports."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vastwatch.advice.checks.zones import ASTRAY, WELL
from vastwatch.advice.detection.zone_matrix import MatrixRow
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.theme import Theme, alpha, font

# Height of a row and of the heads, width of the names and least of a column, pixels.
ROW, HEAD, NAMES, LEAST = 22, 20, 104, 30


class Matrix(QWidget):
    """`chosen` says of which spot the reports are to be seen."""

    chosen = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.rows: list[MatrixRow] = []
        self.zones: list[str] = []
        self.selected: str | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Reports counted per zone")
        self.setMouseTracking(True)

    def show_rows(self, rows: list[MatrixRow], zones: list[str], selected: str | None) -> None:
        """Show other figures."""
        if (rows, zones, selected) == (self.rows, self.zones, self.selected):
            return
        self.rows, self.zones, self.selected = rows, zones, selected
        self.setToolTip("")
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(NAMES + LEAST * max(len(self.zones), 1), HEAD + ROW * len(self.rows) + 4)

    def _column(self) -> float:
        return min((self.width() - NAMES) / max(len(self.zones), 1), 62.0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p, t, w = QPainter(self), self.theme, self._column()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        hue = family_hue(t, "radar")
        p.setFont(font(11, 400))
        p.setPen(t.soft)
        for j, name in enumerate(self.zones):
            box = QRectF(NAMES + j * w, 0, w - 2, HEAD)
            words = p.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(w - 3))
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
        for i, r in enumerate(self.rows):
            y = HEAD + i * ROW
            chosen = r.spot is not None and r.spot == self.selected
            p.setFont(font(12, 600 if chosen else 400))
            p.setPen(t.ink if r.spot is not None else t.soft)
            words = p.fontMetrics().elidedText(r.words, Qt.TextElideMode.ElideRight, NAMES - 6)
            p.drawText(QRectF(0, y, NAMES - 4, ROW), Qt.AlignmentFlag.AlignVCenter, words)
            p.setFont(font(11, 600))
            for j, (chance, own) in enumerate(zip(r.chance, r.own)):
                box = QRectF(NAMES + j * w + 1, y + 1.5, w - 3, ROW - 3)
                # Its own zone in the radar's hue where it is well counted; what is amiss in red, by how much.
                # Anybody who comes in may walk through any.
                amiss = WELL - chance if own else chance - ASTRAY if r.spot is not None else 0.0
                back = alpha(t.dropped, min(0.15 + 0.6 * amiss, 0.6)) if amiss > 0 else (
                    alpha(hue, 0.45) if own else alpha(t.faint, 0.7)
                )  # fmt: skip
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(back)
                p.drawRoundedRect(box, 4, 4)
                p.setPen(t.ink if own or amiss > 0 else t.soft)
                shown = f"{100 * chance:.0f}" if own or chance >= 0.005 else "·"
                p.drawText(box, Qt.AlignmentFlag.AlignCenter, shown)
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(t.soft, 1))
            p.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)

    def row_at(self, at: QPointF) -> MatrixRow | None:
        """The row under a pixel."""
        k = int((at.y() - HEAD) // ROW)
        return self.rows[k] if 0 <= k < len(self.rows) else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        found = None if event is None else self.row_at(event.position())
        if found is not None and found.spot is not None:
            self.chosen.emit(found.spot)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        found = None if event is None else self.row_at(event.position())
        over = found is not None and found.spot is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
        told = [] if found is None else [f"{z} {100 * c:.1f} %" for z, c in zip(self.zones, found.chance)]
        self.setToolTip("" if found is None else f"{found.words}: {', '.join(told)} of the reports")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        spots = [r.spot for r in self.rows if r.spot is not None]
        if step is None or not spots:
            super().keyPressEvent(event)
            return
        at = spots.index(self.selected) + step if self.selected in spots else 0
        self.chosen.emit(spots[min(max(at, 0), len(spots) - 1)])

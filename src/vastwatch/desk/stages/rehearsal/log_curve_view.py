"""The timing curve of a log: at each hold, how long the light would be on, and how often it would come on again soon
after it went off. Who was there a log does not know."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QWidget

from vastwatch.advice.judging.judge import LONGEST_S
from vastwatch.advice.logs.replay import LogCurve
from vastwatch.desk.shell.theme import Theme, font
from vastwatch.words import duration_words

SHORTEST_S = 5.0
TICKS = (5.0, 15.0, 60.0, 240.0, 900.0, 3600.0)
LEFT, RIGHT, FOOT, GAP, HEAD = 30, 8, 18, 22, 16


class LogCurveView(QWidget):
    """`picked` carries the hold that was pressed or dragged to, or stepped to by Left and Right, seconds."""

    picked = pyqtSignal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.curve: LogCurve | None = None
        self.marked, self.now = 60.0, 60.0
        self.setAccessibleName("Effect of other hold times on this log")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFixedHeight(210)

    def sizeHint(self) -> QSize:
        return QSize(190, 210)

    def show_curve(self, curve: LogCurve | None, now: float) -> None:
        """Show a curve, and the hold that is set."""
        self.curve, self.now = curve, now
        self.update()

    def mark(self, seconds: float) -> None:
        """Mark a hold."""
        self.marked = seconds
        self.update()

    def x_of(self, seconds: float) -> float:
        """Pixel of a hold."""
        low, high = math.log(SHORTEST_S), math.log(LONGEST_S)
        k = (math.log(min(max(seconds, SHORTEST_S), LONGEST_S)) - low) / (high - low)
        return LEFT + k * (self.width() - LEFT - RIGHT)

    def hold_at(self, x: float) -> float:
        """The hold of a pixel, to the nearest that was reckoned."""
        assert self.curve is not None
        k = min(max((x - LEFT) / max(self.width() - LEFT - RIGHT, 1), 0.0), 1.0)
        seconds = math.exp(math.log(SHORTEST_S) + k * (math.log(LONGEST_S) - math.log(SHORTEST_S)))
        return float(self.curve.hold_s[int(np.abs(np.log(self.curve.hold_s) - math.log(seconds)).argmin())])

    def _panes(self) -> tuple[QRectF, QRectF]:
        high = (self.height() - FOOT - GAP - HEAD) / 2
        wide = self.width() - LEFT - RIGHT
        return QRectF(LEFT, HEAD, wide, high), QRectF(LEFT, HEAD + high + GAP, wide, high)

    def paintEvent(self, event: object) -> None:
        p, t = QPainter(self), self.theme
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), t.card)
        if self.curve is None:
            return
        upper, lower = self._panes()
        self._pane(p, upper, self.curve.returns_per_week, t.ink, "re-lit, times a week", True)
        self._pane(p, lower, self.curve.lit_h_per_day, t.lamp, "lit, h a day", False)
        p.setFont(font(10))
        p.setPen(t.soft)
        for tick in TICKS:
            x = min(max(self.x_of(tick), LEFT + 8), self.width() - 18)
            p.drawText(QRectF(x - 24, self.height() - FOOT + 2, 48, 14), Qt.AlignmentFlag.AlignCenter,
                       duration_words(tick))  # fmt: skip
        p.setPen(QPen(t.soft, 1, Qt.PenStyle.DotLine))
        p.drawLine(QPointF(self.x_of(self.now), HEAD), QPointF(self.x_of(self.now), lower.bottom()))
        p.setPen(QPen(t.ink, 2))
        p.drawLine(QPointF(self.x_of(self.marked), HEAD), QPointF(self.x_of(self.marked), lower.bottom()))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(t.ink if self.hasFocus() else t.hairline, 1))
        p.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)

    def _pane(self, p: QPainter, frame: QRectF, values: np.ndarray, colour: QColor, words: str, ratios: bool) -> None:
        assert self.curve is not None
        t = self.theme
        shown = np.log10(1.0 + values) if ratios else values
        top = max(float(shown.max()), 1e-6) * 1.05
        ticks = _decades(float(values.max())) if ratios else _ticks(top)
        p.setFont(font(10))
        for tick in ticks:
            y = frame.bottom() - frame.height() * (math.log10(1 + tick) if ratios else tick) / top
            if y < frame.top() - 1:
                break
            p.setPen(QPen(t.hairline, 1))
            p.drawLine(QPointF(frame.left(), y), QPointF(frame.right(), y))
            p.setPen(t.soft)
            p.drawText(QRectF(0, y - 7, LEFT - 4, 14), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                       f"{tick:g}")  # fmt: skip
        p.setPen(t.soft)
        p.setFont(font(10, 500))
        p.drawText(QRectF(frame.left(), frame.top() - 15, frame.width(), 14), Qt.AlignmentFlag.AlignLeft, words)
        path = QPainterPath()
        some = self.curve.hold_s >= SHORTEST_S
        for k, (h, v) in enumerate(zip(self.curve.hold_s[some].tolist(), shown[some].tolist())):
            at = QPointF(self.x_of(h), frame.bottom() - frame.height() * v / top)
            (path.lineTo if k else path.moveTo)(at)
        p.setPen(QPen(colour, 2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(path)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.curve is not None:
            self.setFocus()
            self.picked.emit(self.hold_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.curve is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self.picked.emit(self.hold_at(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key())) if event is not None else None
        if step is None or self.curve is None:
            super().keyPressEvent(event)
            return
        holds = self.curve.hold_s
        k = int(np.abs(holds - self.marked).argmin()) + step
        self.picked.emit(float(holds[min(max(k, 0), len(holds) - 1)]))


def _decades(most: float) -> list[float]:
    """Ticks by ratios of ten, and no more of them than have room."""
    decades = [10.0**k for k in range(7) if 10.0**k <= most]
    return [0.0, *decades[-3:]]


def _ticks(top: float) -> list[float]:
    step = next((s for s in (0.5, 1.0, 2.0, 5.0, 10.0) if top / s <= 5), 10.0)
    return [step * k for k in range(int(top / step) + 1)]

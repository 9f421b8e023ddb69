"""The key to the contours, at the foot of the plan."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vastwatch.desk.plan.contours import BANDS
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import Theme, alpha, font, mix

WORDS = {1.0: "1 s", 5.0: "5 s", 30.0: "30 s", 300.0: "5 min"}


class Legend(QWidget):
    """`noticed within` 1 s, 5 s, 30 s, 5 min; later or never. The blue and the teal of a step side by side."""

    def __init__(self, focus: Focus, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Noticed within 1 s, 5 s, 30 s, 5 min, or later and never")

    def sizeHint(self) -> QSize:
        return QSize(430, 20)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self.theme
        p.setFont(font(11, 500))
        p.setPen(t.soft)
        p.drawText(QRectF(4, 0, 80, 20), Qt.AlignmentFlag.AlignVCenter, self.tr("noticed within"))
        x = 84.0
        shades = []
        blue, teal = t.paper, t.paper
        for limit, strength in BANDS:
            blue, teal = mix(blue, t.pir, strength), mix(teal, t.radar, strength)
            shades.append((limit, blue, teal))
        for limit, blue, teal in reversed(shades):
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(blue)
            p.drawRect(QRectF(x, 5, 10, 10))
            p.setBrush(teal)
            p.drawRect(QRectF(x + 10, 5, 10, 10))
            p.setPen(t.soft)
            p.drawText(QRectF(x + 25, 0, 40, 20), Qt.AlignmentFlag.AlignVCenter, WORDS[limit])
            x += 66
        p.setPen(QPen(alpha(t.dropped, 0.7), 1))
        p.setBrush(QBrush(alpha(t.dropped, 0.8), Qt.BrushStyle.BDiagPattern))
        p.drawRect(QRectF(x, 5, 20, 10))
        p.setPen(t.soft)
        p.drawText(QRectF(x + 25, 0, 60, 20), Qt.AlignmentFlag.AlignVCenter, self.tr("never"))

"""The key to the contours, at the foot of the plan."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vastwatch.design.project import Project, find
from vastwatch.desk.plan.contours import BANDS
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import Theme, alpha, font, mix
from vastwatch.devices import AREA_FAMILIES, TOUCH_FAMILIES

SWATCH_PX = 20.0
# A key takes so much before its words, and at most so much lies between two, pixels.
KEY_PX, WIDEST_GAP_PX = 25.0, 20.0
WORDS = {1.0: "1 s", 5.0: "5 s", 30.0: "30 s", 300.0: "5 min"}


class Legend(QWidget):
    """`noticed within` 1 s, 5 s, 30 s, 5 min; later or never. The hues of the level's sensors side by side."""

    def __init__(self, document: Document, focus: Focus, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.theme = document, focus, theme
        self._painted: list[str] = []
        document.changed.connect(self._changed)
        focus.shift.connect(self._shifted)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Noticed within 1 s, 5 s, 30 s, 5 min, or later and never; dotted: detected next door")

    def _changed(self, old: Project, new: Project) -> None:
        # Not for a sensor that only moves: that is once a frame.
        if old.sensors is not new.sensors and self.families() != self._painted:
            self.update()

    def _shifted(self, what: str) -> None:
        if what == "level":
            self.update()

    def families(self) -> list[str]:
        """The families of the shown level that have contours, one for each hue; before there is any, the two usual."""
        project, level = self.document.project, self.focus.level
        there = [find(project.devices, s.device).family for s in project.sensors if s.level == level]
        families = sorted({f for f in there if f not in TOUCH_FAMILIES}) or list(AREA_FAMILIES[:2])
        return list({family_hue(self.theme, f).name(): f for f in reversed(families)}.values())[::-1]

    def sizeHint(self) -> QSize:
        return QSize(540, 20)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(11, 500))
        p.setPen(self.theme.soft)
        words = (*(WORDS[limit] for limit, _ in reversed(BANDS)), self.tr("never"), self.tr("detected next door"))
        wide = [KEY_PX + p.fontMetrics().horizontalAdvance(w) for w in words]
        first = self.tr("noticed within")
        x = 4.0 + p.fontMetrics().horizontalAdvance(first)
        # What there is of the width lies between the keys.
        gap = min((self.width() - x - sum(wide)) / len(words), WIDEST_GAP_PX)
        p.drawText(QRectF(4, 0, x, 20), Qt.AlignmentFlag.AlignVCenter, first)
        paints: list[Callable[[QPainter, float], None]] = [partial(self._shade, colours=c) for c in self._shades()]
        paints += [self._never, self._next_door]
        for paint, text, width in zip(paints, words, wide, strict=True):
            x += gap
            p.save()
            paint(p, x)
            p.restore()
            p.drawText(QRectF(x + KEY_PX, 0, width, 20), Qt.AlignmentFlag.AlignVCenter, text)
            x += width

    def _shades(self) -> list[list[QColor]]:
        """The colours of each band, the soonest first: one for each hue."""
        self._painted = self.families()
        hues = [family_hue(self.theme, family) for family in self._painted]
        mixed, shades = [self.theme.paper for _ in hues], []
        for _, strength in BANDS:
            mixed = [mix(ground, hue, strength) for ground, hue in zip(mixed, hues)]
            shades.append(mixed)
        return shades[::-1]

    def _shade(self, p: QPainter, x: float, colours: list[QColor]) -> None:
        p.setPen(Qt.PenStyle.NoPen)
        width = SWATCH_PX / len(colours)
        for k, colour in enumerate(colours):
            p.setBrush(colour)
            p.drawRect(QRectF(x + k * width, 5, width, 10))

    def _never(self, p: QPainter, x: float) -> None:
        p.setPen(QPen(alpha(self.theme.dropped, 0.7), 1))
        p.setBrush(QBrush(alpha(self.theme.dropped, 0.8), Qt.BrushStyle.BDiagPattern))
        p.drawRect(QRectF(x, 5, SWATCH_PX, 10))

    def _next_door(self, p: QPainter, x: float) -> None:
        # As the plan dots what the selected sensor sees of rooms that it does not serve.
        ink = mix(self.theme.paper, self.theme.dropped, 0.75)
        p.setPen(QPen(ink, 2.0, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        p.drawPoints(QPolygonF([QPointF(x + 2 + 5 * k, 8 + 4 * (k % 2)) for k in range(4)]))

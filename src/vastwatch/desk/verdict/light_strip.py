"""A strip of light: how often it was lit, from the begin of a stay or of a way to its end."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vastwatch.desk.shell.theme import Theme, font, mix

STRIP_PX, WORDS_PX = 12, 14


class LightStrip(QWidget):
    """Amber where it was lit every time, red where never; no colour where no light follows anybody."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.lit_share: NDArray[np.float64] = np.empty(0)
        self._begins = self._ends = ""
        self.setToolTip(self.tr("Amber: always lit. Red: share of trials in the dark."))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(200, STRIP_PX + WORDS_PX)

    def show_light(self, lit_share: NDArray[np.float64], begins: str, ends: str, said: str) -> None:
        """Paint shares of how often it was lit, evenly apart, nan where no light follows anybody; with words at its
        begin and its end, and what it is called."""
        self.lit_share, self._begins, self._ends = lit_share, begins, ends
        self.setAccessibleName(said)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        n, wide = len(self.lit_share), float(self.width())
        p = QPainter(self)
        for k, share in enumerate(self.lit_share.tolist()):
            # A few in the dark are to be seen: the eye takes the root of a share for the share.
            colour = (
                self.theme.hairline
                if math.isnan(share)
                else mix(self.theme.lamp, self.theme.dropped, (1 - share) ** 0.5)
            )
            p.fillRect(QRectF(wide * k / n, 0, wide / n + 0.6, STRIP_PX), colour)
        p.setPen(self.theme.soft)
        p.setFont(font(11))
        foot = QRectF(0, STRIP_PX, wide, WORDS_PX)
        p.drawText(foot, Qt.AlignmentFlag.AlignLeft, self._begins)
        p.drawText(foot, Qt.AlignmentFlag.AlignRight, self._ends)

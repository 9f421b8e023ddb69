"""The chain of causes of one incident: linked cards, from what went wrong to why."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from vastwatch.desk.shell.parts import LinkCard, label, row
from vastwatch.desk.shell.theme import Theme
from vastwatch.rehearsal.causes import Chain


class ChainView(QWidget):
    """The chain of causes: linked cards, each naming a record that can be gone to."""

    def __init__(self, chain: Chain, theme: Theme, go) -> None:  # type: ignore[no-untyped-def]
        super().__init__()
        self.theme = theme
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 0, 0, 0)
        box.setSpacing(5)
        self._cards = []
        for link in chain.links:
            card = LinkCard(f"{link.what}: {link.value}, {link.text}")
            inner = QVBoxLayout(card)
            inner.setContentsMargins(9, 5, 9, 6)
            inner.setSpacing(0)
            # A long name takes two lines: the panel keeps its width.
            what = label(link.what, "head", True)
            inner.addWidget(row(what, label(link.value, "soft"), stretch=0))
            inner.addWidget(label(link.text, "soft", True))
            card.chosen.connect(partial(go, link.record))
            box.addWidget(card)
            self._cards.append(card)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        ys = [c.geometry().center().y() for c in self._cards]
        if not ys:
            return
        red = self.theme.dropped
        p.setPen(QPen(red, 1.3))
        p.drawLine(QPointF(5, ys[0]), QPointF(5, ys[-1]))
        for k, y in enumerate(ys):
            p.setBrush(red if k in (0, len(ys) - 1) else self.theme.panel)
            p.drawEllipse(QPointF(5, y), 3.6, 3.6)

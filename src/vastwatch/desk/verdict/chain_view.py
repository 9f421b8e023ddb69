"""Why the light did the wrong thing: the chain of one incident, and a room's incidents grouped by their cause."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from vastwatch.causes.chain import CausalChain
from vastwatch.causes.groups import Group
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import LinkCard, column, column_in, label, row
from vastwatch.words import duration_words

# More groups than this are small matters.
SHOWN_GROUPS = 4


class ChainView(QWidget):
    """What happened, in lines, and then its causes: linked cards, each naming a record that can be gone to."""

    def __init__(self, chain: CausalChain, theme: Theme, go: Callable[[str], object], searching: bool) -> None:
        super().__init__()
        self.theme = theme
        box = column_in(self, 5, (16, 0, 0, 0))
        for link in chain.story:
            words = f"{link.what[:1].upper()}{link.what[1:]} {link.value}; {link.text}."
            box.addWidget(label(words, "soft", True))
        self._cards = []
        if chain.causes:
            box.addWidget(guide_label(self.tr("Cause"), "causes", "head"))
        elif searching:
            box.addWidget(label(self.tr("Looking for the cause…"), "soft", True))
        for link in chain.causes:
            card = LinkCard(f"{link.what}: {link.value}, {link.text}")
            inner = column_in(card, 0, (9, 5, 9, 6))
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
            p.setBrush(red if k == 0 else self.theme.panel)
            p.drawEllipse(QPointF(5, y), 3.6, 3.6)


def groups_view(groups: list[Group], theme: Theme, step: Callable[[Group], object]) -> QWidget:
    """A card for each group, with what its cure would save; a press steps to its first incident."""
    whole, box = column(4)
    for group in groups[:SHOWN_GROUPS]:
        card = LinkCard(group.heading)
        bar = theme.dropped if group.kind in ("dropped", "late") else theme.lamp
        card.setStyleSheet(f"QFrame[role='card'] {{ border-left: 3px solid {bar.name()}; }}")
        inner = column_in(card, 0, (10, 5, 9, 6))
        inner.addWidget(label(group.heading, "", True))
        what = "dark" if group.kind in ("dropped", "late") else "light in the empty room"
        if group.saves_s is not None:
            inner.addWidget(label(f"Fixing it saves {duration_words(group.saves_s)} of {what} a day.", "soft", True))
        card.chosen.connect(partial(step, group))
        box.addWidget(card)
    return whole

"""The lanes that the first rows of a log would give: a look at whether it was understood, before it is imported."""

from __future__ import annotations

from datetime import datetime
from itertools import pairwise
from typing import NamedTuple
from zoneinfo import ZoneInfo

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from vastwatch.commission.event_log import ParsedLine
from vastwatch.desk.shell.theme import Theme, alpha, font

# A lane is so high; its name takes so much at the left; and so many lanes are shown, pixels.
LANE, NAME, MOST = 16, 170, 6


class Lane(NamedTuple):
    """A device: when it said on, off (False) or that there is no data (None), in the order of the log."""

    name: str
    says: tuple[tuple[float, bool | None], ...]


def lanes_of(lines: list[ParsedLine]) -> list[Lane]:
    """What each device says in some lines of a log, those that say most first."""
    said: dict[str, list[tuple[float, bool | None]]] = {}
    for line in lines:
        if line.at is not None:
            said.setdefault(line.device, []).append((line.at, {"on": True, "off": False}.get(line.says)))
    lanes = [Lane(name, tuple(sorted(says, key=lambda s: s[0]))) for name, says in said.items()]
    return sorted(lanes, key=lambda lane: -len(lane.says))


class LanesPreview(QWidget):
    """Shows lanes over the time they reach over."""

    def __init__(self, theme: Theme, zone: str) -> None:
        super().__init__()
        self.theme, self.zone = theme, ZoneInfo(zone)
        self.lanes: list[Lane] = []
        self.setAccessibleName(self.tr("Lanes of the first rows"))
        self.setFixedHeight(0)

    def show_lines(self, lines: list[ParsedLine]) -> None:
        """Show what some lines of a log say."""
        self.lanes = lanes_of(lines)[:MOST]
        self.setFixedHeight((len(self.lanes) + 1) * LANE + 4 if self.lanes else 0)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self.lanes:
            return
        p, t = QPainter(self), self.theme
        p.setFont(font(11))
        begin = min(at for lane in self.lanes for at, _ in lane.says)
        end = max(at for lane in self.lanes for at, _ in lane.says)
        span, wide = max(end - begin, 1.0), self.width() - NAME - 8
        for k, lane in enumerate(self.lanes):
            y = k * LANE + 2.0
            p.setPen(t.ink)
            words = p.fontMetrics().elidedText(lane.name, Qt.TextElideMode.ElideRight, NAME - 10)
            p.drawText(QRectF(0, y, NAME - 8, LANE), Qt.AlignmentFlag.AlignVCenter, words)
            p.fillRect(QRectF(NAME, y + 3, wide, LANE - 6), alpha(t.soft, 0.10))
            for (at, on), (until, _) in pairwise((*lane.says, (end, None))):
                if on is False:
                    continue
                colour = t.person if on else alpha(t.dropped, 0.35)
                x, x1 = (NAME + (s - begin) / span * wide for s in (at, until))
                p.fillRect(QRectF(x, y + 3, max(x1 - x, 1.5), LANE - 6), colour)
        p.setPen(QPen(t.soft))
        y = len(self.lanes) * LANE + 2.0
        for at, side in ((begin, Qt.AlignmentFlag.AlignLeft), (end, Qt.AlignmentFlag.AlignRight)):
            words = f"{datetime.fromtimestamp(at, self.zone):%a %Y-%m-%d %H:%M}"
            p.drawText(QRectF(NAME, y, wide, LANE), side | Qt.AlignmentFlag.AlignVCenter, words)

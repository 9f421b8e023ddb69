"""A week at a glance: one strip a day from noon to noon, each block the room somebody is meant to be in."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from vastwatch.design.edits.day_sheets import DAY_S, Block, week_of
from vastwatch.design.project import Project, find
from vastwatch.desk.shell.theme import Theme, font, mix
from vastwatch.site.people import Person

DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
LEFT, TOP, ROW, GAP = 34, 16, 20, 3


class WeekStrip(QWidget):
    """`chosen` carries the id of the spot of the block that was clicked."""

    chosen = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.project: Project | None = None
        self.person: Person | None = None
        self._rows: list[list[Block]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(TOP + 7 * (ROW + GAP) + 2)
        self.setMouseTracking(True)
        self.setAccessibleName("Week at a glance")

    def sizeHint(self) -> QSize:
        return QSize(380, self.height())

    def show_person(self, project: Project, person: Person | None) -> None:
        """Show somebody's week."""
        self.project, self.person = project, person
        self._rows = [] if person is None else _from_noon(week_of(person))
        self.update()

    def blocks(self) -> list[tuple[QRectF, int, Block]]:
        """Rectangles of all blocks with their day."""
        width = self.width() - LEFT - 2
        out = []
        for day, blocks in enumerate(self._rows):
            y = TOP + day * (ROW + GAP)
            for b in blocks:
                x0, x1 = LEFT + width * b.begin / DAY_S, LEFT + width * b.end / DAY_S
                out.append((QRectF(x0, y, max(x1 - x0 - 1, 1.5), ROW), day, b))
        return out

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self.theme
        width = self.width() - LEFT - 2
        p.setFont(font(11))
        p.setPen(t.soft)
        for hour in range(0, 25, 6):
            x = LEFT + width * hour / 24
            words = f"{(hour + 12) % 24:02d}"
            side = Qt.AlignmentFlag.AlignHCenter
            p.drawText(QRectF(min(max(x - 14, 0), self.width() - 22), 0, 28, 14), side, words)
        for day, name in enumerate(DAYS):
            y = TOP + day * (ROW + GAP)
            p.setPen(t.soft)
            p.drawText(QRectF(0, y, LEFT - 6, ROW), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
        if self.project is None:
            return
        for rect, _, block in self.blocks():
            spot = find(self.project.spots, block.spot)
            gone = spot.activity == "away"
            asleep = spot.activity == "sleeping"
            p.setPen(QPen(t.hairline, 1))
            p.setBrush(t.panel if gone else mix(t.person, t.card, 0.25) if asleep else mix(t.person, t.card, 0.72))
            p.drawRoundedRect(rect, 3, 3)
            if rect.width() > 26:
                p.setPen(t.soft if gone else t.card if asleep else t.ink)
                words = "out" if gone else find(self.project.rooms, spot.room).name
                inner = rect.adjusted(4, 0, -2, 0)
                text = p.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(inner.width()))
                if len(text) > 2:
                    p.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)

    def _at(self, event: QMouseEvent) -> tuple[QRectF, int, Block] | None:
        return next((b for b in self.blocks() if b[0].contains(event.position())), None)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        found = None if event is None or self.project is None else self._at(event)
        if event is None or found is None or self.project is None:
            QToolTip.hideText()
            return
        _, day, b = found
        spot = find(self.project.spots, b.spot)
        room = find(self.project.rooms, spot.room).name
        words = f"{DAYS[day]} {_clock(b.begin)} – {_clock(b.end)}: {spot.name}, {room.lower()}"
        QToolTip.showText(event.globalPosition().toPoint(), words, self)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (found := self._at(event)) is not None:
            self.chosen.emit(found[2].spot)


def _clock(from_noon: float) -> str:
    minutes = round(from_noon / 60 + 720) % 1440
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def _from_noon(days: list[list[Block]]) -> list[list[Block]]:
    """Each day from its noon to the next, so that a night is in one piece; neighbours in one place are joined."""
    out: list[list[Block]] = []
    for day in range(7):
        late = [b for b in days[day] if b.end > DAY_S / 2]
        early = [b for b in days[(day + 1) % 7] if b.begin < DAY_S / 2]
        blocks: list[Block] = []
        for b in late:
            blocks.append(Block(max(b.begin - DAY_S / 2, 0.0), b.end - DAY_S / 2, b.spot))
        for b in early:
            blocks.append(Block(b.begin + DAY_S / 2, min(b.end + DAY_S / 2, DAY_S), b.spot))
        joined: list[Block] = []
        for b in blocks:
            if joined and joined[-1].spot == b.spot and abs(joined[-1].end - b.begin) < 1:
                joined[-1] = Block(joined[-1].begin, b.end, b.spot)
            else:
                joined.append(b)
        out.append(joined)
    return out

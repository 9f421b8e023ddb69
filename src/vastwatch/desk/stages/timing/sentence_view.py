"""A conclusion as a sentence of chips: what says something, and its figures, to be picked, dragged and typed over.

Words that join are plain. A part is a chip ringed in the hue of what tells it; a figure stands on a ground of its own.
The arrows go from chip to chip, Return asks what could stand there, Delete takes it out, Alt and an arrow moves it.
"""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QFontMetricsF,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from vastwatch.design.edits.expressions import part_at
from vastwatch.design.expressions import Expr, Report
from vastwatch.design.project import Project, find
from vastwatch.design.sentence import Piece, sentence
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.theme import Theme, alpha, font
from vastwatch.desk.shell.widgets import plain

HIGH, LINE, PAD, GAP = 24, 30, 9, 6
# The mouse has to go so far before it drags, pixels.
DRAG_PX = 6.0


class Chip(NamedTuple):
    """A piece where it stands; its text may be cut short to fit."""

    piece: Piece
    rect: QRectF
    text: str


# Where the names that a sentence tells come from.
NAMED = ("sensors", "zones", "presences", "rooms", "levels", "devices")


class SentenceView(QWidget):
    """`asked`: what else could stand at a chip; `figured`: a figure is to be typed; `removed`; `moved` from one path to
    another; `pointed`: the chip that the keys are at has changed."""

    asked = pyqtSignal(object)
    figured = pyqtSignal(object)
    removed = pyqtSignal(tuple)
    moved = pyqtSignal(tuple, tuple)
    pointed = pyqtSignal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.project: Project | None = None
        self.expr: Expr | None = None
        self.chips: list[Chip] = []
        self.at = 0
        self._pressed: tuple[int, QPointF] | None = None
        self._dragged: QPointF | None = None
        self._over = -1
        self.setAccessibleName("Condition of this conclusion")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    # -- what is shown -----------------------------------------------------------------------------------------

    def show_expr(self, project: Project, expr: Expr | None) -> None:
        """Show what an expression says; None shows nothing."""
        was, self.project, same = self.project, project, expr is self.expr
        self.expr = expr
        if not (same and was is not None and all(getattr(was, x) is getattr(project, x) for x in NAMED)):
            self._lay_out()

    def _lay_out(self) -> None:
        width = max(self.width(), 160)
        self.chips = self._placed(width)
        self.at = min(self.at, max(len(self._picked()) - 1, 0))
        self.setFixedHeight(self._high(self.chips))
        self.updateGeometry()
        self.update()

    def _placed(self, width: float) -> list[Chip]:
        if self.project is None or self.expr is None:
            return []
        out: list[Chip] = []
        x, y = 0.0, 0.0
        words, bold = QFontMetricsF(font(13)), QFontMetricsF(font(13, 600))
        for piece in sentence(self.project, self.expr):
            metrics = words if piece.kind == "words" else bold
            pad = 0 if piece.kind == "words" else PAD
            text = metrics.elidedText(piece.text, Qt.TextElideMode.ElideRight, width - 2 * pad - 2)
            wide = metrics.horizontalAdvance(text) + 2 * pad
            if x > 0 and (piece.line or x + wide > width):
                x, y = 0.0, y + LINE
            out.append(Chip(piece, QRectF(x, y + (LINE - HIGH) / 2, wide, HIGH), text))
            x += wide + GAP
        return out

    def _high(self, chips: list[Chip]) -> int:
        return int(chips[-1].rect.bottom() + (LINE - HIGH) / 2) if chips else LINE

    def heightForWidth(self, width: int) -> int:
        return self._high(self._placed(width))

    def sizeHint(self) -> QSize:
        return QSize(300, self._high(self.chips))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if event is not None and event.oldSize().width() != event.size().width():
            self._lay_out()

    def _picked(self) -> list[Chip]:
        """The chips that can be picked, in order."""
        return [c for c in self.chips if c.piece.kind != "words"]

    @property
    def here(self) -> Piece | None:
        """The piece that the keys are at."""
        chips = self._picked()
        return chips[self.at].piece if self.at < len(chips) else None

    def rect_of(self, piece: Piece) -> QRect:
        """Where a piece stands."""
        return next(c.rect.toAlignedRect() for c in self.chips if c.piece == piece)

    # -- painting ----------------------------------------------------------------------------------------------

    def paintEvent(self, event: object) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        here = self.here
        for chip in self.chips:
            self._paint(p, chip, self.hasFocus() and chip.piece is here)
        if self._dragged is not None and self._over >= 0:
            rect = self._picked()[self._over].rect
            p.setPen(QPen(self.theme.ink, 2.5))
            p.drawLine(QPointF(rect.left() - 3, rect.top()), QPointF(rect.left() - 3, rect.bottom()))

    def _paint(self, p: QPainter, chip: Chip, here: bool) -> None:
        t, piece, rect = self.theme, chip.piece, chip.rect
        if piece.kind == "words":
            p.setFont(font(13))
            p.setPen(t.soft)
            p.drawText(rect, Qt.AlignmentFlag.AlignVCenter, chip.text)
            return
        ring = self.hue(piece)
        shape = rect.adjusted(0.8, 0.8, -0.8, -0.8)
        if piece.kind == "figure":
            p.setBrush(t.faint)
            p.setPen(QPen(t.ink, 1.8) if here else Qt.PenStyle.NoPen)
            p.drawRoundedRect(shape, 4, 4)
        else:
            p.setBrush(alpha(ring, 0.14) if here else t.card)
            p.setPen(QPen(ring, 2.4 if here else 1.4))
            p.drawRoundedRect(shape, 11, 11)
        p.setFont(font(13, 600))
        p.setPen(t.ink)
        p.drawText(rect, Qt.AlignmentFlag.AlignCenter, chip.text)

    def hue(self, piece: Piece) -> QColor:
        """The hue of what tells a part: of its sensor's family, or ink."""
        if self.project is None or self.expr is None:
            return self.theme.ink
        part = part_at(self.expr, piece.path)
        if not isinstance(part, Report):
            return self.theme.ink
        sensor = find(self.project.sensors, part.sensor)
        return family_hue(self.theme, find(self.project.devices, sensor.device).family)

    # -- mouse and keys ----------------------------------------------------------------------------------------

    def _chip_at(self, pos: QPointF) -> int:
        return next((k for k, c in enumerate(self._picked()) if c.rect.contains(pos)), -1)

    def point_at(self, k: int) -> None:
        """Take the keys to a chip, by its number."""
        chips = self._picked()
        if chips:
            self.at = min(max(k, 0), len(chips) - 1)
            self.pointed.emit(self.here)
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        k = self._chip_at(event.position())
        self._pressed = None if k < 0 else (k, event.position())
        if k >= 0:
            self.point_at(k)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        k = self._chip_at(event.position())
        self.setCursor(Qt.CursorShape.PointingHandCursor if k >= 0 else Qt.CursorShape.ArrowCursor)
        if self._pressed is None:
            return
        way = event.position() - self._pressed[1]
        chip = self._picked()[self._pressed[0]].piece
        if self._dragged is None and (way.manhattanLength() < DRAG_PX or chip.kind != "part"):
            return
        self._dragged = event.position()
        self._over = k if k >= 0 and self._picked()[k].piece.kind == "part" else -1
        self.setCursor(Qt.CursorShape.ClosedHandCursor)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        pressed, dragged, over = self._pressed, self._dragged, self._over
        self._pressed, self._dragged, self._over = None, None, -1
        self.update()
        if event is None or pressed is None:
            return
        chips = self._picked()
        if dragged is not None:
            if over >= 0 and over != pressed[0]:
                self.moved.emit(chips[pressed[0]].piece.path, chips[over].piece.path)
            return
        if self._chip_at(event.position()) == pressed[0]:
            self._choose()

    def _choose(self) -> None:
        piece = self.here
        if piece is not None:
            typed = piece.kind == "figure" and piece.field not in ("list", "k")
            (self.figured if typed else self.asked).emit(piece)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key, piece = event.key(), self.here
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key))
        if step is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._move_by(step)
        elif step is not None:
            self.point_at(self.at + step)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._line_by(1 if key == Qt.Key.Key_Down else -1)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._choose()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and piece is not None:
            self.removed.emit(piece.path)
        else:
            super().keyPressEvent(event)

    def _line_by(self, step: int) -> None:
        chips = self._picked()
        if not chips:
            return
        now = chips[self.at].rect
        others = [c for c in chips if (c.rect.top() - now.top()) * step > 1]
        if others:
            row = min(others, key=lambda c: abs(c.rect.top() - now.top())).rect.top()
            best = min(
                (c for c in others if c.rect.top() == row), key=lambda c: abs(c.rect.center().x() - now.center().x())
            )
            self.point_at(next(k for k, c in enumerate(chips) if c is best))

    def _move_by(self, step: int) -> None:
        """Move the part that the keys are at past its neighbour in the same list."""
        piece = self.here
        if piece is None or piece.kind != "part" or not piece.path:
            return
        target = (*piece.path[:-1], piece.path[-1] + step)
        if any(c.piece.path == target for c in self._picked()):
            self.moved.emit(piece.path, target)
            self.point_at(next((k for k, c in enumerate(self._picked()) if c.piece.path == target), self.at))

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.pointed.emit(self.here)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.pointed.emit(None)
        self.update()

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            k = self._chip_at(QPointF(event.pos()))
            if k >= 0:
                piece = self._picked()[k].piece
                why = self.tr("Edit this value.") if piece.kind == "figure" else self.tr("Alternatives")
                QToolTip.showText(event.globalPos(), plain(f"{piece.text}: {why}"), self)
                return True
        return super().event(event)

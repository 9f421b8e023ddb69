"""What a type's box says beside what its model gives in the box's own tests: the fans drawn, the figures, the cells."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QGridLayout, QPushButton, QSizePolicy, QWidget

from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.theme import Theme, font, mix
from vastwatch.desk.shell.widgets import column_in, label, row
from vastwatch.devices import DeviceType
from vastwatch.devices.battery import USES, battery_years
from vastwatch.sensing.declared import (
    ACROSS_M,
    ARM_MOVES,
    DIRECTIONS,
    REST_S,
    Declared,
    claimed_ranges,
    declared,
)  # fmt: skip

# What each test is called, and how its edge is drawn: full, dashed, dotted, and filled for what is held at rest.
TESTS = ("Walking across", "Walking towards", "Seated, moving an arm", "Seated, at rest")
STROKES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.SolidLine)
# Rooms that cells are told for, in the words of the sheet.
ROOMS = {"quiet": "a quiet room", "usual": "a typical room", "busy": "a busy room"}
# A model this much off its box is told in colour, as a share of it.
AGREES = (0.75, 1.2)
# Rings are so far apart, metres; half that where the sensor does not see far.
RINGS_M, NOT_FAR_M = 2.0, 4.0


class Fans(QWidget):
    """The declared areas from above, the sensor at the bottom looking up, with rings for scale."""

    def __init__(self, device: DeviceType, areas: Declared, theme: Theme) -> None:
        super().__init__()
        self.theme, self.areas, self.hue = theme, areas, family_hue(theme, device.family)
        self.box = claimed_ranges(device)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(self.tr("Declared areas, from above"))

    def sizeHint(self) -> QSize:
        return QSize(420, 380)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        far = max(float(max(a.max() for a in self.areas)), *self.box, 1.0) * 1.08
        half = max(float(max((a * abs(_sin(k))) for fan in self.areas for k, a in enumerate(fan))), 0.35 * far) * 1.05
        scale = min((self.height() - 34) / far, (self.width() - 20) / (2 * half))
        foot = QPointF(self.width() / 2, self.height() - 22)
        self._rings(p, foot, scale, far)
        for k in (3, 0, 1, 2):
            fan = self.areas[k]
            if not fan.any():
                continue
            path = QPainterPath(foot)
            for n, r in enumerate(fan.tolist()):
                path.lineTo(foot + QPointF(_sin(n) * r * scale, -_cos(n) * r * scale))
            path.closeSubpath()
            if k == 3:
                p.fillPath(path, mix(self.theme.card, self.hue, 0.28))
            p.setPen(QPen(self.hue if k < 3 else mix(self.theme.card, self.hue, 0.6), 1.6, STROKES[k]))
            p.drawPath(path)
        p.setBrush(self.hue)
        p.setPen(Qt.PenStyle.NoPen)
        p.drawEllipse(foot, 4.0, 4.0)
        # What the box says on the axis.
        p.setPen(QPen(self.theme.ink, 2.0))
        for r in sorted({b for b in self.box if b > 0}):
            at = foot + QPointF(0.0, -r * scale)
            p.drawLine(at + QPointF(-9, 0), at + QPointF(9, 0))
        p.end()

    def _rings(self, p: QPainter, foot: QPointF, scale: float, far: float) -> None:
        p.setFont(font(10))
        step = RINGS_M if far > NOT_FAR_M else RINGS_M / 2
        r = step
        while r < far:
            box = QRectF(foot.x() - r * scale, foot.y() - r * scale, 2 * r * scale, 2 * r * scale)
            p.setPen(QPen(self.theme.hairline, 1.0))
            p.drawArc(box, 0, 180 * 16)
            p.setPen(QPen(self.theme.soft))
            said = f"{r:g} m"
            p.drawText(QPointF(foot.x() + r * scale - p.fontMetrics().horizontalAdvance(said) / 2, foot.y() + 15), said)
            r += step


def _sin(n: int) -> float:
    return math.sin(math.radians(DIRECTIONS[n]))


def _cos(n: int) -> float:
    return math.cos(math.radians(DIRECTIONS[n]))


class BoxSheet(QDialog):
    """The page of one type on which a designer checks the model against a data sheet."""

    def __init__(self, parent: QWidget, device: DeviceType, theme: Theme) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("box-sheet")
        self.setWindowTitle(self.tr("Data sheet compared with the model"))
        self.theme = theme
        areas = declared(device)
        self.resize(880 if areas is not None else 460, 520 if areas is not None else 260)
        box = column_in(self, 10, (20, 16, 20, 16))
        box.addWidget(row(label(device.name, "title"), label(device.summary_line(), "soft"), stretch=1))
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(7)
        self.cells: dict[str, tuple[str, str, str]] = {}
        at = 0
        if areas is not None:
            for k, words in enumerate(("", self.tr("data sheet"), self.tr("model"), self.tr("area"))):
                grid.addWidget(
                    label(words, "soft"), 0, k, Qt.AlignmentFlag.AlignRight if k else Qt.AlignmentFlag.AlignLeft
                )
            for said, model, area, words in zip(claimed_ranges(device), areas.on_axis(), areas.areas_m2(), TESTS):
                at += 1
                self._test(grid, at, words, said, model, area)
        years = (
            [(ROOMS[use], battery_years(device, n)) for use, n in USES.items()] if device.battery is not None else []
        )
        if years:
            at += 1
            grid.addWidget(label(self.tr("Battery life"), "head"), at, 0, 1, 4)
        for use, y in years:
            at += 1
            grid.addWidget(label(self.tr("in {}").format(use), "soft"), at, 0)
            grid.addWidget(label(self.tr("{:.1f} years").format(y)), at, 2, Qt.AlignmentFlag.AlignRight)
        at += 1
        grid.setRowStretch(at, 1)
        note = label(self._how(device, areas), "soft", True)
        if areas is None:
            box.addWidget(holder, 1)
        else:
            holder.setFixedWidth(350)
            box.addWidget(row(Fans(device, areas, theme), holder, stretch=0, spacing=18), 1)
        box.addWidget(note)
        leave = QPushButton(self.tr("Close"))
        leave.setDefault(True)
        leave.clicked.connect(self.accept)
        box.addWidget(row(QWidget(), leave, stretch=0))

    def _test(self, grid: QGridLayout, at: int, words: str, said: float, model: float, area: float) -> None:
        right = Qt.AlignmentFlag.AlignRight
        figures = (
            f"{said:.1f} m" if said else "–",
            f"{model:.1f} m" if said else "–",
            f"{area:.0f} m²" if said else "–",
        )
        self.cells[words] = figures
        grid.addWidget(row(_Stroke(TESTS.index(words), self.theme.ink), label(words), stretch=1, spacing=8), at, 0)
        grid.addWidget(label(figures[0]), at, 1, right)
        off = said > 0 and not AGREES[0] <= model / said <= AGREES[1]
        grid.addWidget(label(figures[1], "bad" if off else "plain"), at, 2, right)
        grid.addWidget(label(figures[2]), at, 3, right)

    def _how(self, device: DeviceType, areas: Declared | None) -> str:
        if areas is None:
            return self.tr("It senses what it is attached to, not an area: no range is declared for it.")
        said = self.tr(
            "Mounted {:g} m high over an empty floor at 21 °C, noticed in half of the trials: walking {:g} m "
            "across, walking towards it, {} arm movements; at rest within {:g} s on average. Bars: data sheet. "
            "Red: more than a quarter below it, or a fifth above."
        )
        said = said.format(device.mount_height, ACROSS_M, ARM_MOVES, REST_S)
        if "ceiling" in device.mounts:
            said += " " + self.tr("For ceiling types, metres are measured on the floor.")
        return said


class _Stroke(QWidget):
    """How the edge of a test's area is drawn."""

    def __init__(self, test: int, ink: QColor) -> None:
        super().__init__()
        self.test, self.ink = test, ink
        self.setFixedSize(26, 12)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        if self.test == 3:
            shade = QColor(self.ink)
            shade.setAlphaF(0.25)
            p.fillRect(QRectF(1, 1, 24, 10), shade)
        else:
            p.setPen(QPen(self.ink, 1.6, STROKES[self.test]))
            p.drawLine(1, 6, 25, 6)
        p.end()

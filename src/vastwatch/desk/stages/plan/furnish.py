"""The Furnish page of the Plan stage: spots where people stop, what falsely triggers sensors, and the furniture
shelf."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QPushButton, QWidget

from vastwatch.control.outputs.handler import handlers
from vastwatch.design.edits.drawing_aids import HAZARD_KINDS
from vastwatch.desk.plan.fixtures import draw_hazard_mark
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.tool_buttons import ArmingButton, mark_armed
from vastwatch.desk.shell.widgets import clear, column_under, label, line, page_of, row
from vastwatch.site.furniture import furniture

POSTURES = ("standing", "seated", "lying")
HAZARD_WHY = {
    "sun patch": "Moving sun on a floor can trigger a PIR; its path can be computed from a window.",
    "heat source": "Heaters, kilns, ovens: warm air can trigger a PIR.",
    "vent": "Moving air can trigger a PIR, and some radars.",
    "fan": "Radar takes a turning fan for somebody moving.",
    "curtain": "A curtain moves in the draught.",
    "pet area": "Where pets lie and play.",
    "mirror or metal": "Reflects radar, so people seem to be where nobody is.",
    "insect lamp": "Heat, light and insects in front of the lens.",
}


class FurnishPanel(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, focus: Focus, theme: Theme) -> None:
        super().__init__()
        self.focus, self.theme = focus, theme
        inner = page_of(self)
        inner.addWidget(guide_label(self.tr("Occupant positions"), "Spot", "head"))
        self.spots = {p: ArmingButton(self, p, f"spot:{p}") for p in POSTURES}
        for posture, button in self.spots.items():
            button.setToolTip(self.tr("A position for somebody {}; set the activity on the right.").format(posture))
        inner.addWidget(row(*self.spots.values(), spacing=4))
        self.lamp = ArmingButton(self, self.tr("lamp"), "lamp:")
        self.lamp.setToolTip(self.tr("Adds a lamp; set its circuit on the right."))
        self.outputs = {called: ArmingButton(self, self.tr(called), f"output:{called}") for called in handlers()}
        for called, button in self.outputs.items():
            button.setToolTip(self.tr(handlers()[called].why))
        self.button = ArmingButton(self, self.tr("button"), "button:")
        self.button.setToolTip(self.tr("A wall button; set what a press does, and until when, on the right."))
        inner.addWidget(guide_label(self.tr("Switched equipment"), "GuardedOutput", "head"))
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        for k, button in enumerate((self.lamp, self.button, *self.outputs.values())):
            button.setStyleSheet("text-align: left;")
            grid.addWidget(button, k // 2, k % 2)
        inner.addWidget(holder)
        inner.addWidget(line())
        inner.addWidget(guide_label(self.tr("Sources of false triggers"), "Hazard", "head"))
        self.hazards: dict[str, QPushButton] = {}
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        for k, kind in enumerate(HAZARD_KINDS):
            button = ArmingButton(self, f" {kind}", f"draw:{kind}")
            button.setIcon(self._icon(kind))
            button.setIconSize(QSize(16, 16))
            button.setStyleSheet("text-align: left;")
            button.setToolTip(HAZARD_WHY[kind])
            grid.addWidget(button, k // 2, k % 2)
            self.hazards[kind] = button
        inner.addWidget(holder)
        inner.addWidget(line())
        inner.addWidget(guide_label(self.tr("Furniture"), "Furnishing", "head"))
        self.finder = QLineEdit()
        self.finder.setPlaceholderText(self.tr("Search: bed, shelf…"))
        self.finder.setAccessibleName(self.tr("Search furniture"))
        self.finder.setClearButtonEnabled(True)
        self.finder.textChanged.connect(self._fill)
        inner.addWidget(self.finder)
        self._list = column_under(inner, 4)
        inner.addStretch(1)
        focus.shift.connect(self._shifted)
        self._fill("")

    def _icon(self, kind: str) -> QIcon:
        pixmap = QPixmap(32, 32)
        pixmap.setDevicePixelRatio(2)
        pixmap.fill(Qt.GlobalColor.transparent)
        p = QPainter(pixmap)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(self.theme.ink, 1.2))
        draw_hazard_mark(p, kind, QPointF(8, 8), 6.5)
        p.end()
        return QIcon(pixmap)

    def _fill(self, words: str) -> None:
        clear(self._list)
        wanted = words.lower().split()
        for kind in furniture():
            if all(w in f"{kind.name} {kind.kind} {kind.material}".lower() for w in wanted):
                button = ArmingButton(self, "", f"furniture:{kind.name}")
                button.setAccessibleName(kind.name)
                grid = QGridLayout(button)
                grid.setContentsMargins(9, 2, 9, 2)
                size = label(f"{100 * kind.width:.0f} × {100 * kind.depth:.0f} cm", "soft")
                name = label(kind.name)
                for w in (name, size):
                    w.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
                grid.addWidget(name, 0, 0)
                grid.addWidget(size, 0, 1, Qt.AlignmentFlag.AlignRight)
                button.setFixedHeight(27)
                why = self.tr("{}, {:.2f} m high, {}. Drag it onto the plan, or click it and then the plan.")
                button.setToolTip(why.format(kind.name, kind.z1, kind.material))
                self._list.addWidget(button)
        self._shifted("placing")

    def _shifted(self, what: str) -> None:
        if what == "placing":
            mark_armed(self, self.focus)

"""Things taken from a panel to the plan: buttons that put a tool into the hand, or that are dragged onto the plan.

What is in the hand is `focus.placing`: a device's id, or a token such as `furniture:Sofa`, `opening:door`,
`spot:seated`, `wiring:socket` or `draw:room`. The plan view knows what each does.
"""

from __future__ import annotations

from PyQt6.QtCore import QMimeData, QPoint, Qt
from PyQt6.QtGui import QDrag, QMouseEvent, QPixmap
from PyQt6.QtWidgets import QApplication, QPushButton, QWidget

from vastwatch.desk.plan.tools import TOOLS
from vastwatch.desk.plan.view import CARRIED
from vastwatch.desk.shell.focus import Focus


def carry(source: QWidget, focus: Focus, token: str, picture: QPixmap) -> None:
    """Drag a thing from a panel; returns when it was let go. Meanwhile it is what is in the hand."""
    focus.set(placing=token)
    drag = QDrag(source)
    mime = QMimeData()
    mime.setData(CARRIED, token.encode())
    drag.setMimeData(mime)
    drag.setPixmap(picture)
    size = picture.deviceIndependentSize()
    drag.setHotSpot(QPoint(int(size.width() / 2), int(size.height() / 2)))
    drag.exec(Qt.DropAction.CopyAction)
    focus.set(placing=None)


class ArmingButton(QPushButton):
    """A click puts its token into the hand; what needs no more than a place may be dragged there as well."""

    def __init__(self, panel: QWidget, words: str, token: str) -> None:
        """`panel` has `focus` and `say`."""
        super().__init__(words)
        self.panel, self.token = panel, token
        self._press: QPoint | None = None
        self.setCheckable(True)
        self.setProperty("token", token)
        self.setProperty("role", "pick")
        self.clicked.connect(self._clicked)

    def _clicked(self) -> None:
        arm(self.panel, self.token)

    @property
    def carried(self) -> bool:
        """Whether it can be dragged: drawing tools want more than one point."""
        return self.token.removeprefix("draw:") not in TOOLS

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._press = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        super().mouseMoveEvent(event)
        if event is None or self._press is None or not self.carried:
            return
        if (event.position().toPoint() - self._press).manhattanLength() < QApplication.startDragDistance():
            return
        self._press = None
        self.setDown(False)
        focus: Focus = self.panel.focus  # type: ignore[attr-defined]
        carry(self, focus, self.token, self._picture())
        mark_armed(self.panel, focus)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._press = None
        super().mouseReleaseEvent(event)

    def _picture(self) -> QPixmap:
        if not self.icon().isNull():
            return self.icon().pixmap(24, 24)
        # The plan shows what it will be; under the pointer a dot is enough.
        dot = QPixmap(4, 4)
        dot.fill(self.palette().text().color())
        return dot


def arm(panel: QWidget, token: str) -> None:
    """Take a tool, or put it back."""
    focus: Focus = panel.focus  # type: ignore[attr-defined]
    focus.set(placing=None if focus.placing == token else token)
    if focus.placing:
        group, _, name = token.partition(":")
        what = {
            "opening": panel.tr("Click on a wall."),
            "draw": TOOLS.get(name, panel.tr("Drag over the area, or click for a small one.")),
            "spot": panel.tr("Click where somebody stands, sits or lies."),
            "wiring": panel.tr("Click where it is mounted. Snaps to walls."),
        }.get(group, panel.tr("Click where it stands. It turns its back to a nearby wall."))
        panel.say.emit(what + " " + panel.tr("Esc cancels."))  # type: ignore[attr-defined]
    mark_armed(panel, focus)


def mark_armed(panel: QWidget, focus: Focus) -> None:
    """Show on its button what is in the hand."""
    for button in panel.findChildren(QPushButton):
        if button.isCheckable() and button.property("token"):
            button.setChecked(button.property("token") == focus.placing)

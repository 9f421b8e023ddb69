"""Finding a room, a sensor, or anything else that has a name: typed, chosen with the arrows, gone to with Return."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QWidget

from vastwatch.design.project import Project, find
from vastwatch.design.references import singular
from vastwatch.desk.shell.cycling import level_of
from vastwatch.desk.shell.widgets import column_in

# Where to look, the likeliest first; and how much is shown.
LOOKED_IN = (
    "rooms", "sensors", "zones", "lamps", "outputs", "buttons", "spots", "furnishings", "switches", "sockets",
    "hazards",
)  # fmt: skip
MOST = 12


class Found(NamedTuple):
    """A record by its id, and the words it is shown with."""

    ident: str
    words: str


def matches(project: Project, text: str) -> list[Found]:
    """What has all the typed words in its name, or in that of its room: names that begin with them first, rooms before
    what is in them."""
    words = text.lower().split()
    if not words:
        return []
    out: list[tuple[bool, int, str, Found]] = []
    for rank, collection in enumerate(LOOKED_IN):
        for record in getattr(project, collection):
            room = getattr(record, "room", None)
            level = find(project.levels, level_of(project, record.id) or "")
            where = find(project.rooms, room).name if room else level.name
            name = record.name.lower()
            if all(w in f"{name} {where.lower()}" for w in words) and any(w in name for w in words):
                shown = f"{record.name}, {singular(collection)}, {where.lower()}"
                out.append((not name.startswith(words[0]), rank, name, Found(record.id, shown)))
    return [found for *_, found in sorted(out)][:MOST]


class Finder(QDialog):
    """`gone_to` carries the id of what was chosen."""

    gone_to = pyqtSignal(str)

    def __init__(self, parent: QWidget, project: Project) -> None:
        super().__init__(parent)
        self.project = project
        self.setObjectName("finder")
        self.setWindowTitle(self.tr("Find"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(420, 330)
        box = column_in(self, margins=(16, 14, 16, 14))
        self.typed = QLineEdit()
        self.typed.setPlaceholderText(self.tr("a room, a sensor, a lamp…"))
        self.typed.setAccessibleName(self.tr("What to find"))
        self.list = QListWidget()
        self.list.setAccessibleName(self.tr("Search results"))
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        box.addWidget(self.typed)
        box.addWidget(self.list)
        self.typed.textChanged.connect(self._look)
        self.typed.returnPressed.connect(self._go)
        self.list.itemClicked.connect(self._go)

    def _look(self, text: str) -> None:
        self.list.clear()
        for found in matches(self.project, text):
            item = QListWidgetItem(found.words)
            item.setData(Qt.ItemDataRole.UserRole, found.ident)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
            return
        super().keyPressEvent(event)

    def _go(self, *_: object) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.gone_to.emit(item.data(Qt.ItemDataRole.UserRole))
            self.accept()

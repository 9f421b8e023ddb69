"""What lies over an empty level: how to begin, as things to press."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QPushButton, QWidget

from vastwatch.desk.shell.parts import column_in, is_choice, label
from vastwatch.desk.shell.theme import Theme

WIDTH = 330


class Beginning(QFrame):
    """Offers ways to begin; `wanted` says which: type, draw, copy, drawing or sample."""

    wanted = pyqtSignal(str)

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        super().__init__(parent)
        self.setObjectName("beginning")
        self.setStyleSheet(
            f"#beginning {{ background: {theme.card.name()}; border: 1px solid {theme.hairline.name()};"
            " border-radius: 8px; }"
        )
        box = column_in(self, 8, (22, 18, 22, 20))
        self._title = label("", "title")
        self._why = label("", "soft", True)
        box.addWidget(self._title)
        box.addWidget(self._why)
        box.addSpacing(6)
        offers = (
            (
                "type",
                self.tr("Type a room's name and size"),
                self.tr("Type 4.2 x 3.6 and press Return: the walls are added for you."),
            ),
            ("draw", self.tr("Draw a room with the mouse"), self.tr("Drag from corner to corner.")),
            ("copy", self.tr("Copy the level below"), self.tr("Walls, rooms and furniture, without sensors.")),
            ("drawing", self.tr("Import drawing…"), self.tr("DXF, a list of rooms, or a picture to trace.")),
            ("sample", self.tr("Open the sample building"), self.tr("A pottery with a flat above, complete.")),
        )
        self.offers: dict[str, QPushButton] = {}
        for name, words, why in offers:
            button = QPushButton(words)
            button.setToolTip(why)
            button.setMinimumHeight(32)
            button.clicked.connect(lambda _, x=name: self.wanted.emit(x))
            self.offers[name] = button
            box.addWidget(button)
        self.setFixedWidth(WIDTH)
        self.hide()

    def show_for(self, first: bool, below: bool) -> None:
        """Show for the whole building (`first`) or for another level; `below`: there is a level to copy."""
        self._title.setText(self.tr("Start with a room") if first else self.tr("Empty level"))
        self._why.setText(
            self.tr(
                "A room, a chair and a sensor are enough for a first result: where somebody is noticed, and how soon."
            )
            if first
            else self.tr("Add its rooms here; the level below shows through.")
        )
        self.offers["copy"].setVisible(below)
        self.offers["sample"].setVisible(first)
        self.place()
        self.show()

    def place(self) -> None:
        """Into the middle of what it lies over."""
        over = self.parentWidget()
        assert over is not None
        self.adjustSize()
        self.move((over.width() - self.width()) // 2, max((over.height() - self.height()) // 2, 8))

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        """Up and Down step through the offers, Return takes the one that has the keys."""
        shown = [b for b in self.offers.values() if b.isVisible()]
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(event.key(), 0)
        here = next((k for k, b in enumerate(shown) if b.hasFocus()), None)
        if step and here is not None:
            shown[(here + step) % len(shown)].setFocus()
        elif here is not None and is_choice(event):
            shown[here].click()
        else:
            super().keyPressEvent(event)

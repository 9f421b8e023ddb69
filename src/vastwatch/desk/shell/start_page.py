"""What lies over an empty level: how to begin, as things to press."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QPushButton, QWidget

from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import column_in, is_choice, label, row

WIDTH = 420


class Beginning(QFrame):
    """Offers ways to begin; `wanted` says which: type, picture, drawing, draw, copy, sample or tour."""

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
        box.addSpacing(4)
        tr = self.tr
        ways = (
            ("type", tr("Type a room"), tr("Its name and size, 4.2 x 3.6: walls and a lamp are added for you.")),
            ("picture", tr("Draw over a picture…"), tr("A scan, a photo or a page of a PDF, to trace to scale.")),
            ("drawing", tr("Import drawing…"), tr("DXF, or a list of rooms: walls, doors and names are recognised.")),
            ("draw", tr("Draw a room with the mouse"), tr("Drag from corner to corner.")),
            ("copy", tr("Copy the level below"), tr("Walls, rooms and furniture, without sensors.")),
        )
        self.offers: dict[str, QPushButton] = {}
        for name, words, why in ways:
            box.addWidget(self._offer(name, "", why, words))
        others = (
            ("sample", tr("Open the sample building"), tr("A pottery with a flat above, complete.")),
            ("tour", tr("Guided tour"), tr("Six steps on the sample building, in five minutes.")),
        )
        self._others = row(*(self._offer(name, words, why) for name, words, why in others), QWidget(), stretch=2)
        box.addSpacing(2)
        box.addWidget(self._others)
        self.setFixedWidth(WIDTH)
        self.hide()

    def _offer(self, name: str, words: str, why: str, title: str = "") -> QPushButton:
        """A button, or with a `title` a wide one that also says what comes of it."""
        button = QPushButton(words)
        button.setToolTip(why)
        button.setAccessibleName(title or words)
        button.clicked.connect(lambda: self.wanted.emit(name))
        self.offers[name] = button
        if title:
            button.setProperty("role", "way")
            lines = column_in(button, 0, (14, 5, 14, 6))
            for line in (label(title, "head"), label(why, "soft")):
                line.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
                lines.addWidget(line)
        return button

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
        self._others.setVisible(first)
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

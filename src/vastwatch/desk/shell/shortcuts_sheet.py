"""The keyboard sheet: every key of the desk on one page."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QLabel, QWidget

from vastwatch.desk.shell.theme import Theme, font
from vastwatch.desk.shell.widgets import column_in, label

Section = tuple[str, tuple[tuple[str, str], ...]]

# The columns of the sheet.
KEYS: tuple[tuple[Section, ...], ...] = (
    (
        ("Project", (
            ("Ctrl+N", "new"), ("Ctrl+O", "open"), ("Ctrl+S", "save"),
            ("Ctrl+Shift+S", "save as"), ("Ctrl+Z", "undo"),
            ("Ctrl+Shift+Z   Ctrl+Y", "redo"), ("Ctrl+H", "history"),
            ("Ctrl+F", "find a room, a sensor…"), ("Ctrl+I   Ctrl+E", "import, export a drawing"),
            ("Ctrl+P", "print the client report"), ("Ctrl+U", "metres or feet"), ("Ctrl+Q", "quit"),
        )),
        ("Time", (
            ("Space", "play or pause"), ("[   ]", "back, forward a minute"), ("{   }", "back, forward ten minutes"),
            (",   .", "previous, next incident"), ("<   >", "slower, faster"),
            ("S", "a day, a week, a month"), ("D   Shift+D", "next, previous day"), ("T", "try improvements"),
            ("W", "suggest a sensor"), ("B", "what to buy next"),
        )),
    ),
    (
        ("Stages", (
            ("Ctrl+1 to Ctrl+7", "from Brief to Rehearsal"), ("Tab", "next control"),
            ("Ctrl+D", "light or dark theme"), ("F1", "guide"), ("?", "keyboard shortcuts"),
            ("Shift+F1", "about, memory in use"),
        )),
        ("Plan", (
            ("+   −", "zoom"), ("F", "zoom to fit the building"), ("PgUp   PgDn", "level above, below"),
            ("N   Shift+N", "next, previous room"), ("M   Shift+M", "next, previous sensor here"),
            ("O   Shift+O", "previous, next object in the room"), ("E", "add it to the selection"),
            ("V", "next contour type"), ("G", "show or hide the level below"),
            ("Esc", "deselect; while dragging: cancel"),
        )),
    ),
    (
        ("Sensor, furniture, wall", (
            ("Arrows", "nudge 5 cm, with Shift 25 cm"), ("Ctrl + arrows", "move the whole room"),
            ("R   L", "turn right, left 5°, with Shift 15°"),
            ("Del", "delete"), ("Return", "place the chosen device in this room"),
            ("Alt + drag", "without snapping to walls or grid"), ("Shift + click", "select several, or drag a frame"),
            ("X   Shift+X", "flip horizontally; vertically"), ("Ctrl+J", "duplicate"),
            ("F2", "rename"), ("Ctrl+Space", "in the device list: compare"),
        )),
    ),
)  # fmt: skip


class KeySheet(QDialog):
    """Shown by `?`; any key or click closes it."""

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Keyboard shortcuts"))
        self.setObjectName("keysheet")
        outer = column_in(self, 14, (26, 20, 26, 22))
        outer.addWidget(label(self.tr("Keyboard shortcuts"), "title"))
        columns = QHBoxLayout()
        columns.setSpacing(28)
        outer.addLayout(columns)
        for sections in KEYS:
            grid = QGridLayout()
            grid.setHorizontalSpacing(14)
            grid.setVerticalSpacing(5)
            grid.setColumnMinimumWidth(0, 104)
            for heading, keys in sections:
                if grid.rowCount() > 1:
                    grid.setRowMinimumHeight(grid.rowCount(), 10)
                grid.addWidget(label(heading, "soft"), grid.rowCount(), 0, 1, 2)
                for key, words in keys:
                    cap = QLabel(key)
                    cap.setFont(font(12, 600))
                    cap.setStyleSheet(
                        f"background: {theme.card.name()}; border: 1px solid {theme.hairline.name()}; "
                        "border-radius: 4px; padding: 1px 7px;"
                    )
                    n = grid.rowCount()
                    grid.addWidget(cap, n, 0, Qt.AlignmentFlag.AlignLeft)
                    grid.addWidget(label(words), n, 1)
            grid.setColumnStretch(1, 1)
            grid.setRowStretch(grid.rowCount(), 1)
            columns.addLayout(grid)
        outer.addWidget(
            label(
                self.tr(
                    "With the mouse: drag to move, drag the handle to turn, wheel to zoom, drag the background to pan."
                ),
                "soft",
            )
        )

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.accept()

    def mousePressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.accept()

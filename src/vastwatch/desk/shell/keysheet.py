"""The keyboard sheet: every key of the desk on one page."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QLabel, QWidget

from vastwatch.desk.shell.parts import column_in, label
from vastwatch.desk.shell.theme import Theme, font

Section = tuple[str, tuple[tuple[str, str], ...]]

# The two columns of the sheet.
KEYS: tuple[tuple[Section, ...], ...] = (
    (
        ("Project", (
            ("Ctrl+N", "new"), ("Ctrl+O", "open"), ("Ctrl+S", "save"),
            ("Ctrl+Shift+S", "save elsewhere"), ("Ctrl+Z", "undo"),
            ("Ctrl+Shift+Z", "redo"), ("Ctrl+H", "list of edits"),
            ("Ctrl+F", "find a room, a sensor …"), ("Ctrl+I   Ctrl+E", "bring in, send out a drawing"),
            ("Ctrl+U", "metres or feet"), ("Ctrl+Q", "leave"),
        )),
        ("Time", (
            ("Space", "run or stop"), ("[   ]", "a minute back, on"), ("{   }", "ten minutes back, on"),
            (",   .", "previous, next incident"), ("<   >", "time runs slower, faster"),
            ("S", "a day, a week, a month"), ("D   Shift+D", "next, previous day"), ("T", "try remedies"),
            ("W", "which sensor would do"), ("B", "what to buy next"),
        )),
    ),
    (
        ("Stages", (
            ("Ctrl+1 … 6", "from Brief to Rehearsal"), ("Tab", "next control"),
            ("Ctrl+D", "light or dark desk"), ("?   F1", "this sheet"), ("Shift+F1", "about, memory used"),
        )),
        ("Plan", (
            ("+   −", "zoom"), ("F", "fit the building"), ("PgUp   PgDn", "level above, below"),
            ("N   Shift+N", "next, previous room"), ("M   Shift+M", "next, previous sensor here"),
            ("O   Shift+O", "next, previous thing in the room"), ("E", "take it into the selection"),
            ("V", "next figure"), ("G", "show the level below, or not"), ("Esc", "let go; amid a drag: take it back"),
        )),
        ("Sensor, furniture, wall", (
            ("Arrows", "nudge 5 cm, with Shift 25 cm"), ("Ctrl + arrows", "move the whole room"),
            ("R   L", "turn right, left 5°, with Shift 15°"),
            ("Del", "delete"), ("Return", "hang the chosen device in this room"),
            ("Alt + drag", "without taking hold of walls or the grid"), ("Shift + click", "select many, or by a frame"),
            ("X   Shift+X", "mirror left, right; top, bottom"), ("Ctrl+J", "copy"), ("C", "on the shelf: compare"),
        )),
    ),
)  # fmt: skip


class KeySheet(QDialog):
    """Shown by `?`; any key or click closes it."""

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Keys"))
        self.setObjectName("keysheet")
        outer = column_in(self, 14, (26, 20, 26, 22))
        outer.addWidget(label(self.tr("Everything by keyboard"), "title"))
        columns = QHBoxLayout()
        columns.setSpacing(40)
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
                self.tr("The mouse does the same: drag, turn by the handle, wheel to zoom, drag the plan to pan."),
                "soft",
            )
        )

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.accept()

    def mousePressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.accept()

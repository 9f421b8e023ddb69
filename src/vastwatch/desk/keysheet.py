"""The keyboard sheet: every key of the desk on one page."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QGridLayout, QLabel, QVBoxLayout, QWidget

from vastwatch.desk.parts import label
from vastwatch.desk.theme import Theme, font

KEYS: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = (
    ("Project", (
        ("Ctrl+O", "open"), ("Ctrl+S", "save"), ("Ctrl+Shift+S", "save elsewhere"), ("Ctrl+Z", "undo"),
        ("Ctrl+Shift+Z", "redo"), ("Ctrl+H", "list of edits"), ("Ctrl+Q", "leave"),
    )),
    ("Stages", (
        ("Ctrl+1 … 4", "Plan, Sensors, Timing, Rehearsal"), ("Tab", "next control"), ("Ctrl+D", "light or dark desk"),
        ("? or F1", "this sheet"),
    )),
    ("Plan", (
        ("+  −", "zoom"), ("F", "fit the building"), ("PgUp  PgDn", "level above, below"), ("N  Shift+N", "next, previous room"),
        ("M  Shift+M", "next, previous sensor here"), ("V", "next figure"), ("Esc", "let go"),
    )),
    ("Sensor", (
        ("Arrows", "nudge 5 cm, with Shift 25 cm"), ("R  L", "turn right, left 5°, with Shift 15°"), ("Del", "delete"),
        ("Return", "hang the chosen device in this room"), ("Alt + drag", "without taking hold of walls"),
    )),
    ("Time", (
        ("Space", "run or stop"), ("[  ]", "a minute back, on"), ("{  }", "ten minutes back, on"), (",  .", "previous, next incident"),
        ("D  Shift+D", "next, previous day"), ("T", "try remedies"),
    )),
)  # fmt: skip


class KeySheet(QDialog):
    """Shown by `?`; any key or click closes it."""

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Keys"))
        self.setObjectName("keysheet")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(26, 20, 26, 22)
        outer.setSpacing(14)
        outer.addWidget(label(self.tr("Everything by keyboard"), "title"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(36)
        grid.setVerticalSpacing(16)
        outer.addLayout(grid)
        for k, (heading, keys) in enumerate(KEYS):
            inner = QGridLayout()
            inner.setHorizontalSpacing(14)
            inner.setVerticalSpacing(5)
            head = label(heading, "soft")
            inner.addWidget(head, 0, 0, 1, 2)
            for n, (key, words) in enumerate(keys, 1):
                cap = QLabel(key)
                cap.setFont(font(12, 600))
                cap.setStyleSheet(
                    f"background: {theme.card.name()}; border: 1px solid {theme.hairline.name()}; "
                    "border-radius: 4px; padding: 1px 7px;"
                )
                inner.addWidget(cap, n, 0, Qt.AlignmentFlag.AlignLeft)
                inner.addWidget(label(words), n, 1)
            inner.setColumnStretch(1, 1)
            inner.setRowStretch(len(keys) + 1, 1)
            grid.addLayout(inner, k // 2, k % 2)
        outer.addWidget(label(self.tr("The mouse does the same: drag, turn by the handle, wheel to zoom, drag the plan to pan."), "soft"))

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.accept()

    def mousePressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.accept()

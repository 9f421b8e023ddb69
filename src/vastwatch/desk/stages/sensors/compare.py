"""Up to four device types side by side, with what is the same in grey and the better figure in bold."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QGridLayout, QLabel, QPushButton, QWidget

from vastwatch.desk.shell.family_style import family_hue, family_icon
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import column_in, label, row, scrolling
from vastwatch.devices import DeviceType
from vastwatch.devices.device_facts import comparison

MOST = 4


class CompareSheet(QDialog):
    """`chosen` carries the id of a type to place."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget, devices: list[DeviceType], theme: Theme) -> None:
        super().__init__(parent)
        self.setObjectName("compare")
        self.setWindowTitle(self.tr("Comparison"))
        self.resize(240 + 190 * len(devices), 640)
        box = column_in(self, 8, (20, 16, 20, 16))
        area, inner = scrolling(0, (0, 0, 10, 0))
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(0)
        for k, device in enumerate(devices, 1):
            grid.setColumnStretch(k, 1)
            mark = QLabel()
            mark.setPixmap(family_icon(device.family, 26, family_hue(theme, device.family), theme.card))
            name = label(device.name, "title", True)
            head = row(mark, name, stretch=1)
            grid.addWidget(head, 0, k)
            summary = label(device.summary, "soft", True)
            summary.setAlignment(Qt.AlignmentFlag.AlignTop)
            grid.addWidget(summary, 1, k)
        self.rows: dict[str, list[QLabel]] = {}
        only = label(self.tr("bold: the better figure · grey: the same for all"), "soft", True)
        only.setAlignment(Qt.AlignmentFlag.AlignTop)
        grid.addWidget(only, 0, 0, 2, 1)
        for at, (fact_name, cells, differ, best) in enumerate(comparison(devices), 2):
            edge = f"border-top: 1px solid {theme.hairline.name()}; padding: 4px 6px;"
            head_cell = QLabel(fact_name)
            head_cell.setStyleSheet(f"{edge} color: {theme.soft.name()};")
            head_cell.setAlignment(Qt.AlignmentFlag.AlignTop)
            grid.addWidget(head_cell, at, 0)
            made = []
            for k, fact in enumerate(cells):
                cell = QLabel(fact.words if fact else "–")
                cell.setWordWrap(True)
                cell.setAlignment(Qt.AlignmentFlag.AlignTop)
                weight = "font-weight: 700;" if k in best else ""
                colour = theme.ink if fact and differ else theme.soft
                cell.setStyleSheet(f"{edge}{weight} color: {colour.name()};")
                grid.addWidget(cell, at, k + 1)
                made.append(cell)
            self.rows[fact_name] = made
        inner.addWidget(holder)
        inner.addStretch(1)
        box.addWidget(area, 1)
        buttons = []
        for device in devices:
            if device.is_module:
                continue
            button = QPushButton(self.tr("Place {}").format(device.name))
            button.setAutoDefault(False)
            button.clicked.connect(lambda _, d=device.id: self._choose(d))
            buttons.append(button)
        leave = QPushButton(self.tr("Close"))
        leave.setDefault(True)
        leave.clicked.connect(self.accept)
        box.addWidget(row(*buttons, QWidget(), leave, stretch=len(buttons)))

    def _choose(self, device: str) -> None:
        self.chosen.emit(device)
        self.accept()

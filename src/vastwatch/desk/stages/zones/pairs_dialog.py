"""Pairs of tape and reading for a radar that tells distance alone: how much too long it reads."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtWidgets import QDialog, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from vastwatch.commission.calibrate import CalibrationError, from_pairs
from vastwatch.commission.walk_log import WalkError, parse_pairs
from vastwatch.design.project import put
from vastwatch.design.records import Sensor
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.parts import label, row
from vastwatch.words import sentence


class PairsDialog(QDialog):
    """Each line a tape's length along the sight line and what the device reads, metres."""

    def __init__(self, document: Document, sensor: Sensor, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document, self.sensor = document, sensor
        self.told = ""
        self.bias: float | None = None
        self.scale: float | None = None
        self.setWindowTitle(self.tr("Tape and reading: {}").format(sensor.name))
        self.resize(420, 360)
        box = QVBoxLayout(self)
        box.addWidget(label(self.windowTitle(), "title"))
        box.addWidget(label(
            self.tr("Stand still, measure from the device to the chest, read what it says; one pair a line, in metres: "
                    "2.00 2.35. Three pairs or more, near and far, tell its scale too."), "soft", True,
        ))  # fmt: skip
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(self.tr("Pairs"))
        self.text.textChanged.connect(self._typed)
        box.addWidget(self.text, 1)
        self.words = label("", "", True)
        box.addWidget(self.words)
        self.take = QPushButton(self.tr("Correct the numbers"))
        self.take.clicked.connect(self._take)
        leave = QPushButton(self.tr("Close"))
        leave.clicked.connect(self.reject)
        box.addWidget(row(self.take, QWidget(), leave, stretch=1))
        self._typed()

    def _typed(self) -> None:
        self.bias = None
        try:
            tape, read = parse_pairs(self.text.toPlainText())
            found = from_pairs(tape, read)
            self.bias = found.bias_m
            # A scale is kept where it surely is one: else it would only repeat the scatter of the pairs.
            self.scale = found.scale if abs(found.scale - 1.0) > 2.0 * found.scale_sd else None
            words = self.tr("It reads {:.2f} m too long (± {:.2f})").format(found.bias_m, found.bias_sd_m)
            if found.scale != 1.0:
                words += self.tr(", times {:.3f} (± {:.3f})").format(found.scale, found.scale_sd)
            self.words.setText(words + ".")
        except (WalkError, CalibrationError) as e:
            self.words.setText(sentence(e) if self.text.toPlainText().strip() else "")
        self.take.setEnabled(self.bias is not None)

    def _take(self) -> None:
        if self.bias is None:
            return
        scale = None if self.scale is None else round(min(max(self.scale, 0.5), 2.0), 4)
        settings = replace(self.sensor.settings, measured_bias_m=round(self.bias, 3), measured_scale=scale)
        new = put(self.document.project, replace(self.sensor, settings=settings))
        self.document.apply(new, f"Correct {self.sensor.name.lower()} by tape")
        self.told = self.tr("{} reads {:.2f} m too long: its bands are drawn so.").format(self.sensor.name, self.bias)
        self.accept()

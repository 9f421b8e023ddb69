"""Two readings of a sensor of light beside a meter where light is wanted: what the one reads of what the other does."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtWidgets import QDialog, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from vastwatch.control.light.darkness import thresholds
from vastwatch.design.project import find, put
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.parts import label, row
from vastwatch.site.building import DarkSource, MeterReading
from vastwatch.site.meter_scale import scale_of
from vastwatch.words import sentence


class MeterDialog(QDialog):
    """A line for each reading: the sensor, and the meter, lux."""

    def __init__(self, document: Document, room: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document, self.room = document, room
        self.told = ""
        self.found: tuple[MeterReading, ...] | None = None
        record = find(document.project.rooms, room)
        self.setWindowTitle(self.tr("Meter and sensor in {}").format(record.name.lower()))
        self.resize(440, 320)
        box = QVBoxLayout(self)
        box.addWidget(label(
            self.tr("Lamps off. Hold a meter where light is wanted, and read both: the sensor, then the meter, in lux. "
                    "Two lines, one by day and one at dusk: 40 110."), "soft", True,
        ))  # fmt: skip
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(self.tr("Readings"))
        source = record.darkness or DarkSource()
        self.text.setPlainText("\n".join(f"{r.sensor_lux:g} {r.meter_lux:g}" for r in source.readings))
        self.text.textChanged.connect(self._typed)
        box.addWidget(self.text, 1)
        self.words = label("", "", True)
        box.addWidget(self.words)
        self.take = QPushButton(self.tr("Calibrate"))
        self.take.clicked.connect(self._take)
        leave = QPushButton(self.tr("Close"))
        leave.clicked.connect(self.reject)
        box.addWidget(row(self.take, QWidget(), leave, stretch=1))
        self._typed()

    def _typed(self) -> None:
        self.found = None
        try:
            readings = parse_readings(self.text.toPlainText())
            scale = scale_of(DarkSource(source="sensor", readings=readings))
            self.found = readings
            if readings:
                self.words.setText(
                    self.tr("It reads {:.2f} times the meter{}.").format(
                        scale.gain, "" if abs(scale.offset) < 0.05 else self.tr(", and {:+.1f} lx").format(scale.offset)
                    )
                )
            else:
                self.words.setText(self.tr("Without readings it is taken to read what the meter does."))
        except ValueError as e:
            self.words.setText(sentence(e))
        self.take.setEnabled(self.found is not None)

    def _take(self) -> None:
        if self.found is None:
            return
        project = self.document.project
        record = find(project.rooms, self.room)
        # The two figures are of the sensor: they begin anew with what the room asks for, as it reads that.
        source = replace(record.darkness or DarkSource(), readings=self.found, below_lux=None, until_lux=None)
        new = put(project, replace(record, darkness=source))
        self.document.apply(new, f"Calibrate the sensor of light of {record.name.lower()}")
        below, _ = thresholds(new, find(new.rooms, self.room), source)
        self.told = self.tr("{} is dark below {:.0f} lx of its sensor.").format(record.name, below)
        self.accept()


def parse_readings(text: str) -> tuple[MeterReading, ...]:
    """Up to two lines of two figures, sensor and meter. Raises ValueError with the reason."""
    out = []
    for n, typed in enumerate((x for x in text.splitlines() if x.strip()), 1):
        try:
            sensor, meter = (float(w.replace(",", ".")) for w in typed.replace(";", " ").split())
        except ValueError:
            raise ValueError(f"line {n} is not two figures: the sensor, then the meter") from None
        if not (0 <= sensor < 1e6 and 0 <= meter < 1e6):
            raise ValueError(f"line {n} has a figure that no light gives")
        out.append(MeterReading(sensor_lux=sensor, meter_lux=meter))
    if len(out) > 2:
        raise ValueError("two readings do")
    return tuple(out)

"""How the house tells that a room is dark, and between which figures, proposed and calibrated: two rows of the Scenes
panel."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QPushButton, QWidget

from vastwatch.advice.scenes.light_feedback import feedback, propose_thresholds
from vastwatch.control.light.darkness import thresholds
from vastwatch.design.edits.sensors import readable_sensors
from vastwatch.design.project import Project, find, put
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.widgets import Choice, FigureField, column_in, label, narrow, row, row_in
from vastwatch.desk.stages.scenes.meter_dialog import meter_dialog
from vastwatch.site.building import DarkSource

# How the ways to tell the dark are called.
SOURCES = {
    "daylight": "computed daylight", "sensor": "a light sensor", "flag": "a sensor's fixed flag",
    "sun": "the sun's height", "shut door": "a shut door",
}  # fmt: skip


class DarkRow(QWidget):
    """`say` carries what cannot be."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, results: Results) -> None:
        super().__init__()
        self.document, self.focus, self.results = document, focus, results
        outer = column_in(self, 4)
        first = QWidget()
        box = row_in(first, 5)
        outer.addWidget(first)
        self.source = narrow(Choice())
        self.source.setAccessibleName(self.tr("How this room is judged to be dark"))
        for key, words in SOURCES.items():
            self.source.addItem(self.tr(words), key)
        self.source.activated.connect(self._set_source)
        self.below = self._lux(self.tr("Dark below, lux"), "below_lux")
        self.until = self._lux(self.tr("Bright above, lux"), "until_lux")
        box.addWidget(label(self.tr("Darkness from"), "soft"))
        box.addWidget(self.source, 1)
        self.propose = QPushButton(self.tr("Suggest"))
        self.propose.setToolTip(
            self.tr(
                "Suggests values from the target lux, far enough apart that the room's lamps and passing clouds do "
                "not make it cycle"
            )
        )
        self.propose.clicked.connect(self._propose)
        self.meter = QPushButton(self.tr("Calibrate…"))
        self.meter.setToolTip(self.tr("Two readings of the sensor next to a lux meter at the task"))
        self.meter.clicked.connect(self._calibrate)
        self.blinks = label("", "soft", True)
        outer.addWidget(self.blinks)
        self._more = row(
            self.below, label("–", "soft"), self.until, label("lx", "soft"), QWidget(), self.propose, self.meter,
            stretch=4, spacing=5,
        )  # fmt: skip
        outer.addWidget(self._more)

    def _lux(self, name: str, field: str) -> FigureField:
        why = self.tr("On below the first, off above the second, so that it does not cycle at dusk.")
        out = FigureField(name, _typed_lux, lambda v: f"{v:.0f}", 10, 0, 5000, why)
        out.setFixedWidth(44)
        out.entered.connect(lambda v: self._set_lux(field, v))
        return out

    def show_room(self, record) -> None:  # type: ignore[no-untyped-def]
        """Show how a room's dark is told; None shows nothing."""
        self.setEnabled(record is not None)
        if record is None:
            return
        source = record.darkness or DarkSource()
        self.source.setCurrentIndex(self.source.findData(source.source))
        below, until = thresholds(self.document.project, record, source)
        self.below.set_value(below)
        self.until.set_value(until)
        for field in (self.below, self.until):
            field.setEnabled(source.source in ("daylight", "sensor"))
        self._more.setVisible(source.source in ("daylight", "sensor"))
        self.meter.setVisible(source.source == "sensor")
        found = feedback(self.document.project, record.id)
        self.blinks.setVisible(found is not None)
        if found is not None:
            told = (
                self.tr(
                    "The lamps add {:.0f} lx to its reading: the light would cycle on and off. Set “bright above” "
                    "to {:.0f} lx."
                )
                if found.oscillates
                else self.tr("The lamps add {:.0f} lx to its reading; the light will not cycle.")
            )
            self.blinks.setText(told.format(found.self_lux, found.cure))

    def _source(self) -> DarkSource:
        record = find(self.document.project.rooms, self.focus.room or "")
        return record.darkness or DarkSource()

    def _set_source(self, index: int) -> None:
        kind = self.source.itemData(index)
        project, room = self.document.project, self.focus.room
        if room is None:
            return
        sensor = self._source().sensor
        wanted = {"sensor": "continuous", "flag": "flag"}.get(kind)
        if wanted is not None or kind == "shut door":
            sensor = _source_sensor(project, room, kind)
            if sensor is None:
                self.say.emit(
                    self.tr("No door contact in this room.") if kind == "shut door"
                    else self.tr("No light sensor of that kind in this room.")
                )  # fmt: skip
                self.show_room(find(project.rooms, room))
                return
        record = find(project.rooms, room)
        new = replace(record, darkness=replace(self._source(), source=kind, sensor=sensor))
        self.document.apply(put(project, new), f"Darkness of {record.name} measured by {SOURCES[kind]}")

    def _propose(self) -> None:
        """Take the figures that the week is best served with."""
        project, room, r = self.document.project, self.focus.room, self.results.rehearsal
        if room is None:
            return
        found = None if r is None else propose_thresholds(project, room, r)
        if found is None:
            self.say.emit(self.tr("The week has not been simulated yet."))
            return
        record = find(project.rooms, room)
        source = replace(self._source(), below_lux=found.below, until_lux=found.until)
        self.document.apply(
            put(project, replace(record, darkness=source)), f"Use the suggested dark levels in {record.name}"
        )
        self.say.emit(
            self.tr(
                "Dark below {:.0f} lx, bright above {:.0f} lx: gets dark {:.1f} times a day instead of {:.1f}."
            ).format(found.below, found.until, found.begins_then, found.begins_now)
        )

    def _calibrate(self) -> None:
        room = self.focus.room
        if room is not None:
            dialog = self.dialog = meter_dialog(self.document, room, self)
            dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            dialog.finished.connect(lambda _: self.say.emit(dialog.told) if dialog.told else None)
            dialog.open()

    def _set_lux(self, field: str, value: float) -> None:
        record = find(self.document.project.rooms, self.focus.room or "")
        source = replace(self._source(), **{field: value})
        if source.until_lux is not None and source.below_lux is not None and source.until_lux < source.below_lux:
            source = replace(source, until_lux=source.below_lux)
        self.document.apply(
            put(self.document.project, replace(record, darkness=source)), f"{record.name} is dark below {value:.0f} lx",
            f"dark-{record.id}",
        )  # fmt: skip


def _typed_lux(text: str) -> float:
    try:
        return float(text.lower().replace("lx", "").replace("lux", "").strip())
    except ValueError:
        raise ValueError(f"'{text.strip()}' is not a value in lux") from None


def _source_sensor(project: Project, room: str, kind: str) -> str | None:
    """A sensor that can tell a room's dark in some way."""
    # What is there for light alone before what tells it besides.
    near = sorted(readable_sensors(project, room), key=lambda s: find(project.devices, s.device).on_off)
    for sensor in near:
        device = find(project.devices, sensor.device)
        if kind == "shut door" and device.at_doors:
            return sensor.id
        meter = device.light
        if meter is not None and meter.kind == {"sensor": "continuous", "flag": "flag"}.get(kind):
            return sensor.id
    return None

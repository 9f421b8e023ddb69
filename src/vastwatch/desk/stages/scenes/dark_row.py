"""How the house tells that a room is dark, and between which figures: one row of the Scenes panel."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from vastwatch.design.edits.sensors import could_tell
from vastwatch.design.needs import needs_of
from vastwatch.design.project import Project, find, put
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.parts import Choice, FigureField, label, narrow
from vastwatch.site.building import DarkSource

# How the ways to tell the dark are called.
SOURCES = {
    "daylight": "computed daylight", "sensor": "a light sensor", "flag": "a sensor's fixed flag",
    "sun": "the sun's height", "shut door": "a shut door",
}  # fmt: skip


class DarkRow(QWidget):
    """`say` carries what cannot be."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        self.source = narrow(Choice())
        self.source.setAccessibleName(self.tr("How the house tells that this room is dark"))
        for key, words in SOURCES.items():
            self.source.addItem(self.tr(words), key)
        self.source.activated.connect(self._set_source)
        self.below = self._lux(self.tr("Dark below, lux"), "below_lux")
        self.until = self._lux(self.tr("Until, lux"), "until_lux")
        box.addWidget(label(self.tr("Dark by"), "soft"))
        box.addWidget(self.source, 1)
        for widget in (self.below, label("–", "soft"), self.until, label("lx", "soft")):
            box.addWidget(widget)

    def _lux(self, name: str, field: str) -> FigureField:
        why = self.tr("On below the one, off from the other: so that dusk does not make it blink.")
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
        asks = needs_of(self.document.project, record).lux
        below = asks if source.below_lux is None else source.below_lux
        self.below.set_value(below)
        self.until.set_value(max(below, source.until_lux or 0.0))
        for field in (self.below, self.until):
            field.setEnabled(source.source in ("daylight", "sensor"))

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
                    self.tr("No contact watches a door of this room.") if kind == "shut door"
                    else self.tr("No sensor of light of that kind hangs in this room.")
                )  # fmt: skip
                self.show_room(find(project.rooms, room))
                return
        record = find(project.rooms, room)
        new = replace(record, darkness=replace(self._source(), source=kind, sensor=sensor))
        self.document.apply(put(project, new), f"{record.name} is dark by {SOURCES[kind]}")

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
        raise ValueError(f"'{text.strip()}' is no figure in lux") from None


def _source_sensor(project: Project, room: str, kind: str) -> str | None:
    """A sensor that can tell a room's dark in some way."""
    for sensor in could_tell(project, room):
        device = find(project.devices, sensor.device)
        if kind == "shut door" and device.family == "contact":
            return sensor.id
        meter = device.light
        if meter is not None and meter.kind == {"sensor": "continuous", "flag": "flag"}.get(kind):
            return sensor.id
    return None

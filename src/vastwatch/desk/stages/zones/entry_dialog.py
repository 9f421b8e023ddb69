"""The entry sheet: what to type into a device, what to try afterwards and tick; as text, CSV or PDF."""

from __future__ import annotations

from html import escape
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF
from PyQt6.QtGui import QPageLayout, QPageSize, QPdfWriter, QTextDocument
from PyQt6.QtWidgets import QApplication, QCheckBox, QDialog, QFileDialog, QPushButton, QVBoxLayout, QWidget

from vastwatch.commission.entry_sheet import EntrySheet, as_csv, as_text, entry_sheet
from vastwatch.design.project import find, put
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.widgets import label, line, row, scrolling
from vastwatch.files import ProjectError
from vastwatch.files.writing import write_atomically
from vastwatch.words import error_sentence

KINDS = {"Text (*.txt)": ".txt", "Table (*.csv)": ".csv", "Page to print (*.pdf)": ".pdf"}


class EntryDialog(QDialog):
    """Ticks are kept with the zone, in the project."""

    def __init__(self, document: Document, sensor: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document, self.sensor = document, sensor
        found = entry_sheet(document.project, find(document.project.sensors, sensor))
        assert found is not None
        self.sheet: EntrySheet = found
        self.setWindowTitle(self.sheet.title)
        self.resize(560, 620)
        outer = QVBoxLayout(self)
        outer.addWidget(label(self.sheet.title, "title"))
        outer.addWidget(label(self.sheet.convention, "soft", True))
        area, box = scrolling(4, (0, 0, 6, 0))
        outer.addWidget(area, 1)
        last = ""
        for r in self.sheet.rows:
            if r.zone != last:
                box.addSpacing(6)
                box.addWidget(label(r.zone, "head"))
                last = r.zone
            name, figure = label(r.field, "soft"), label(f"{r.value} {r.unit}".strip())
            name.setFixedWidth(150)
            box.addWidget(row(name, figure, stretch=1))
        box.addSpacing(6)
        box.addWidget(line())
        box.addWidget(label(self.tr("Then test and tick off"), "head"))
        self.ticks: dict[str, QCheckBox] = {}
        for check in self.sheet.checks:
            tick = QCheckBox()
            tick.setChecked(check.key in self._ticked(check.key))
            tick.setAccessibleName(check.text)
            tick.toggled.connect(lambda on, key=check.key: self._tick(key, on))
            self.ticks[check.key] = tick
            box.addWidget(row(tick, label(check.text, "", True), stretch=1))
        box.addStretch(1)
        self.told = label("", "soft", True)
        outer.addWidget(self.told)
        copy, save, leave = (QPushButton(self.tr(w)) for w in ("Copy", "Save…", "Close"))
        copy.clicked.connect(self._copy)
        save.clicked.connect(self._save)
        leave.clicked.connect(self.accept)
        leave.setDefault(True)
        outer.addWidget(row(copy, save, QWidget(), leave, stretch=2))

    def _ticked(self, key: str) -> tuple[str, ...]:
        return find(self.document.project.zones, key.partition(":")[0]).ticked

    def _tick(self, key: str, on: bool) -> None:
        zone = find(self.document.project.zones, key.partition(":")[0])
        ticked = (*(k for k in zone.ticked if k != key), *((key,) if on else ()))
        words = "Tick" if on else "Remove a tick"
        self.document.apply(put(self.document.project, replace(zone, ticked=ticked)), f"{words} of {zone.name.lower()}")

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(as_text(self.sheet))
            self.told.setText(self.tr("Copied."))

    def _save(self) -> None:
        name, kind = QFileDialog.getSaveFileName(self, self.tr("Save the entry sheet"), "zones", ";;".join(KINDS))
        if name:
            path = Path(name)
            self.save(path if path.suffix else path.with_suffix(KINDS.get(kind, ".txt")))

    def save(self, path: Path) -> None:
        """Write the sheet, by what its name ends in; what cannot be is told."""
        try:
            kind = path.suffix.lower()
            if kind == ".pdf":
                data = _as_pdf(self.sheet)
            else:
                data = (as_csv(self.sheet) if kind == ".csv" else as_text(self.sheet)).encode()
            write_atomically(path, data)
        except ProjectError as e:
            self.told.setText(error_sentence(e))
        else:
            self.told.setText(self.tr("Saved {}.").format(path.name))


def _as_pdf(sheet: EntrySheet) -> bytes:
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(18, 18, 18, 18), QPageLayout.Unit.Millimeter)
    writer.setTitle(sheet.title)
    rows, last = [], ""
    for r in sheet.rows:
        name = r.zone if r.zone != last else ""
        last = r.zone
        cells = "".join(f"<td>{escape(c)}</td>" for c in (name, r.field, f"{r.value} {r.unit}".strip()))
        rows.append(f"<tr>{cells}</tr>")
    checks = "".join(f"<p>&#9744; {escape(c.text)}</p>" for c in sheet.checks)
    document = QTextDocument()
    document.setHtml(
        f"<h2>{escape(sheet.title)}</h2><p>{escape(sheet.convention)}</p><table cellpadding='4' "
        f"width='100%'>{''.join(rows)}</table><h3>Then test and tick off</h3>{checks}"
    )
    document.setPageSize(writer.pageLayout().paintRectPixels(writer.resolution()).size().toSizeF())
    document.documentLayout().setPaintDevice(writer)  # type: ignore[union-attr]
    document.print(writer)
    return bytes(buffer.data().data())

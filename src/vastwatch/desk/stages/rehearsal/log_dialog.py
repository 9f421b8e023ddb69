"""A log of the real house: how it is understood, to be put right before it is used."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from vastwatch.commission.event_log import EventLog, preview_lines, read_log, with_device
from vastwatch.commission.format_guess import columns_of, match, opened, with_columns, with_meaning, words_of
from vastwatch.commission.kept_formats import format_for
from vastwatch.commission.log_rows import LogError, LogFormat, parse_state
from vastwatch.design.expressions import zone_part
from vastwatch.design.log_layouts import LogLayout
from vastwatch.design.project import Project
from vastwatch.desk.shell.background import GoOn, in_background
from vastwatch.desk.shell.theme import LIGHT, Theme
from vastwatch.desk.shell.widgets import Choice, column_in, label, pressed, row
from vastwatch.desk.stages.rehearsal.lanes_preview import LanesPreview
from vastwatch.files import ProjectError
from vastwatch.words import error_sentence

# In the order in which they are offered: on, off, not listening.
MEANINGS: tuple[bool | None, ...] = (True, False, None)
# After so many hours without a word a device may be taken for one that was off the air.
QUIET_H = (1.0, 3.0, 8.0, 24.0, 72.0)
HEADS = ("line", "time", "device", "value", "")


class LogDialog(QDialog):
    """`used` carries the EventLog that was read, and how it was. Raises LogError where nothing at all is to be found in
    the file."""

    used = pyqtSignal(object, object)

    def __init__(self, parent: QWidget, project: Project, path: Path, theme: Theme = LIGHT) -> None:
        super().__init__(parent)
        self.project, self.path = project, path
        self.reading, kept, missing = _as_kept_or_guessed(path, project)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("log")
        self.setWindowTitle(self.tr("House log"))
        self.resize(860, 600)
        box = column_in(self, 8, (20, 16, 20, 16))
        box.addWidget(label(path.name, "title"))
        how = self.tr("This is how the columns were read. Correct them where needed, then import.")
        if kept is not None:
            how = self.tr("Read as you set it for {}: the columns are the same. Correct it where needed, then import.")
            how = how.format(kept.name)
        self.how = label(how, "soft", True)
        box.addWidget(self.how)
        names = columns_of(path)
        self.columns: dict[str, Choice] = {}
        cells: list[QWidget] = []
        each = self.tr("separate columns")
        for field, words, none in (
            ("time", self.tr("Time"), self.tr("choose")), ("date", self.tr("Date"), self.tr("with the time")),
            ("device", self.tr("Device"), each), ("value", self.tr("Value"), each),
        ):  # fmt: skip
            choice = self.columns[field] = Choice()
            choice.setAccessibleName(words)
            choice.addItem(none, "")
            for name in names:
                choice.addItem(name, name)
            choice.setCurrentIndex(max(choice.findData(getattr(self.reading, field)), 0))
            choice.activated.connect(self._columns_chosen)
            cells += [label(words, "soft"), choice]
        self.order = Choice()
        self.order.setAccessibleName(self.tr("Order of dates"))
        for words, key in ((self.tr("day first"), "day"), (self.tr("month first"), "month")):
            self.order.addItem(words, key)
        self.order.setCurrentIndex(self.order.findData(self.reading.order))
        self.order.activated.connect(self._order_chosen)
        self._dates = label(self.tr("Dates"), "soft")
        cells += [self._dates, self.order]
        self.quiet = Choice()
        self.quiet.setAccessibleName(self.tr("Device without reports"))
        self.quiet.setToolTip(
            self.tr("A device that reports only changes may be quiet for days. Set a limit if yours reports regularly.")
        )
        self.quiet.addItem(self.tr("is quiet"), None)
        for hours in sorted({*QUIET_H, *([self.reading.quiet_h] if self.reading.quiet_h else [])}):
            self.quiet.addItem(self.tr("for over {:g} h: no data").format(hours), hours)
        self.quiet.setCurrentIndex(self.quiet.findData(self.reading.quiet_h))
        self.quiet.activated.connect(self._quiet_chosen)
        box.addWidget(row(*cells, QWidget(), stretch=len(cells)))
        beside = (label(self.tr("Device without reports"), "soft"), self.quiet, QWidget())
        box.addWidget(row(*beside, stretch=len(beside) - 1))
        self.devices = QTableWidget(0, 2)
        self.devices.setAccessibleName(self.tr("Devices of the log"))
        self.devices.setHorizontalHeaderLabels([self.tr("in the log"), self.tr("on the plan")])
        self.lines = QTableWidget(0, len(HEADS))
        self.lines.setAccessibleName(self.tr("Rows as read"))
        self.lines.setHorizontalHeaderLabels([self.tr(h) for h in HEADS])
        self.words = QTableWidget(0, 2)
        self.words.setAccessibleName(self.tr("Values in the log"))
        self.words.setHorizontalHeaderLabels([self.tr("value"), self.tr("meaning")])
        for table in (self.devices, self.lines, self.words):
            table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
            table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
            header = table.verticalHeader()
            assert header is not None
            header.hide()
            across = table.horizontalHeader()
            assert across is not None
            across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            across.setStretchLastSection(True)
        both = QHBoxLayout()
        both.setSpacing(8)
        both.addWidget(self.devices, 3)
        both.addWidget(self.words, 2)
        box.addLayout(both, 2)
        box.addWidget(self.lines, 3)
        self.lanes = LanesPreview(theme, project.place.timezone)
        box.addWidget(self.lanes)
        self.told = label("", "bad", True)
        self.use = QPushButton(self.tr("Import"))
        self.use.setDefault(True)
        self.use.clicked.connect(self._use)
        leave = pressed(self.tr("Cancel"), self.reject)
        box.addWidget(row(self.told, self.use, leave, stretch=0))
        self._fill()
        if missing:
            self.told.setText(self.tr("{} Choose the column of the time.").format(error_sentence(LogError(missing))))

    def _fill(self) -> None:
        """The devices with what they are taken for, and the first lines."""
        mine = [("", None), *self._tellers()]
        self.devices.setRowCount(0)
        for name, told in self.reading.devices.items():
            at = self.devices.rowCount()
            self.devices.insertRow(at)
            self.devices.setItem(at, 0, QTableWidgetItem(name))
            choice = Choice()
            choice.setAccessibleName(self.tr("{} is").format(name))
            choice.addItems([self.tr("ignored"), *(words for words, _ in mine[1:])])
            choice.setCurrentIndex(next((k for k, (_, t) in enumerate(mine) if t == told), 0))
            choice.activated.connect(lambda k, n=name: self._device_chosen(n, mine[k][1]))
            self.devices.setCellWidget(at, 1, choice)
        self._fill_words()
        self._fill_lines()

    def _fill_words(self) -> None:
        """The words that stand as values, with what each means."""
        self.words.setRowCount(0)
        try:
            words = words_of(self.path, self.reading)
        except LogError:
            words = []
        for word in words:
            at = self.words.rowCount()
            self.words.insertRow(at)
            self.words.setItem(at, 0, QTableWidgetItem(word or self.tr("(nothing)")))
            choice = Choice()
            choice.setAccessibleName(self.tr("“{}” means").format(word))
            try:
                now = MEANINGS.index(parse_state(word, self.reading.means))
            except ValueError:
                choice.addItem(self.tr("not recognised"))
                now = len(MEANINGS)
            choice.insertItems(0, [self.tr("on"), self.tr("off"), self.tr("no data")])
            choice.setCurrentIndex(now)
            choice.activated.connect(lambda k, w=word: self._word_chosen(w, k))
            self.words.setCellWidget(at, 1, choice)

    def _word_chosen(self, word: str, k: int) -> None:
        if k < len(MEANINGS):
            self.reading = with_meaning(self.reading, word, MEANINGS[k])
            self._fill_lines()

    def _tellers(self) -> list[tuple[str, tuple[str, str | None]]]:
        out: list[tuple[str, tuple[str, str | None]]] = []
        for sensor in self.project.sensors:
            out.append((sensor.name, (sensor.id, None)))
            out += [
                (f"{sensor.name}, {z.name}", (sensor.id, zone_part(z.id)))
                for z in self.project.zones
                if z.sensor == sensor.id
            ]
        return out

    def _fill_lines(self) -> None:
        self.lines.setRowCount(0)
        try:
            found = preview_lines(self.path, self.reading, self.project)
        except LogError as e:
            self.told.setText(str(e))
            self.use.setEnabled(False)
            return
        for line in found:
            at = self.lines.rowCount()
            self.lines.insertRow(at)
            for k, words in enumerate((str(line.line), line.when, line.device, line.says, line.fault)):
                self.lines.setItem(at, k, QTableWidgetItem(words))
        self.lanes.show_lines(found)
        good = sum(not line.fault for line in found)
        self.use.setEnabled(good > 0)
        words = self.tr("Nothing recognised yet.") if good == 0 else ""
        if (
            good == 0
            and all(x.when and x.says for x in found)
            and any(t is None for t in self.reading.devices.values())
        ):
            words = self.tr("Choose which device of the log is which on the plan.")
        self.told.setText(words)
        # Asked only where it makes a difference.
        other = replace(self.reading, order="month" if self.reading.order == "day" else "day")
        matters = [x.when for x in preview_lines(self.path, other, self.project)] != [x.when for x in found]
        self.order.setVisible(matters)
        self._dates.setVisible(matters)

    def _columns_chosen(self, *_: int) -> None:
        time, device, value, day = (self.columns[f].currentData() for f in ("time", "device", "value", "date"))
        self.reading = with_columns(self.path, self.project, self.reading, time, device, value, day)
        self.order.setCurrentIndex(self.order.findData(self.reading.order))
        self._fill()

    def _order_chosen(self, *_: int) -> None:
        self.reading = replace(self.reading, order=self.order.currentData())
        self._fill_lines()

    def _quiet_chosen(self, *_: int) -> None:
        self.reading = replace(self.reading, quiet_h=self.quiet.currentData())

    def _device_chosen(self, name: str, told: tuple[str, str | None] | None) -> None:
        self.reading = with_device(self.reading, name, told)
        self._fill_lines()

    def _use(self) -> None:
        self.use.setEnabled(False)

        def work(go_on: GoOn) -> EventLog:
            share = [0.0]

            def progress(x: float) -> None:
                share[0] = x

            try:
                return read_log(
                    self.path, self.project, self.reading, lambda: go_on(share[0]), progress,
                    lambda name: match(name, self.project),
                )  # fmt: skip
            except LogError as e:
                raise ProjectError(str(e)) from None

        in_background(self, self.tr("Reading the log…"), work, self._read)

    def _read(self, outcome: EventLog | ProjectError) -> None:
        self.use.setEnabled(True)
        if isinstance(outcome, ProjectError):
            self.told.setText(str(outcome))
            return
        self.used.emit(outcome, self.reading)
        self.accept()


def _as_kept_or_guessed(path: Path, project: Project) -> tuple[LogFormat, LogLayout | None, str]:
    """How a log is read: as the project keeps it, with that layout, or as it is most likely meant, and what is missing
    then. Raises LogError."""
    try:
        reading, kept = format_for(path, project)
    except LogError:
        reading, missing = opened(path, project)
        return reading, None, missing
    return reading, kept, ""

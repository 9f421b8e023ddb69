"""The left-hand panel of the Rehearsal stage: the simulated days, or those of a log of the real house."""

from __future__ import annotations

import contextlib
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QPushButton, QStackedWidget, QWidget

from vastwatch.commission.event_log import EventLog
from vastwatch.commission.kept_formats import with_format
from vastwatch.commission.log_rows import LogError, LogFormat
from vastwatch.desk.shell.context import Context
from vastwatch.desk.shell.theme import MARGIN
from vastwatch.desk.shell.widgets import column_in, scrolling
from vastwatch.desk.stages.rehearsal.days import DaysPanel
from vastwatch.desk.stages.rehearsal.designs_sheet import DesignsSheet
from vastwatch.desk.stages.rehearsal.log_dialog import LogDialog
from vastwatch.desk.stages.rehearsal.log_panel import LogPanel


class RehearsalPanel(QWidget):
    """The days of the rehearsal; once a log was read, what that says in their place."""

    def __init__(self, around: Context) -> None:
        super().__init__()
        self.around = around
        box = column_in(self, 0)
        self.pages = QStackedWidget()
        self.days = DaysPanel(around)
        self.log = LogPanel(around)
        self.log.left.connect(self.leave_log)
        area, inner = scrolling(6, (MARGIN, MARGIN, 4, 8))
        inner.addWidget(self.log)
        self.pages.addWidget(self.days)
        self.pages.addWidget(area)
        box.addWidget(self.pages, 1)
        self.open = QPushButton(self.tr("House log…"))
        self.open.setToolTip(self.tr("Shows reports of the real sensors in place of the rehearsal: CSV or JSON Lines"))
        self.open.clicked.connect(self._ask)
        self.designs = QPushButton(self.tr("Compare designs…"))
        self.designs.setToolTip(self.tr("Keep copies of the design, and compare them with the same people and days"))
        self.designs.clicked.connect(self.show_designs)
        foot = QWidget()
        under = column_in(foot, 6, (MARGIN, 4, MARGIN, 10))
        under.addWidget(self.designs)
        under.addWidget(self.open)
        box.addWidget(foot)
        around.document.replaced.connect(self.leave_log)

    def show_designs(self) -> None:
        """Compare the design with its variants."""
        a = self.around
        self.sheet = DesignsSheet(self.window() or self, a.document, a.focus, a.results, a.theme)
        self.sheet.open()

    def _ask(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, self.tr("House log"), "", self.tr("Logs (*.csv *.jsonl *.json *.txt *.log);;All files (*)")
        )
        if name:
            self.open_log(Path(name))

    def open_log(self, path: Path) -> None:
        """Show how a log is understood; where nothing in it is, say so."""
        try:
            self.dialog = LogDialog(self.window() or self, self.around.document.project, path, self.around.theme)
        except LogError as e:
            self.around.say(str(e))
            return
        self.dialog.used.connect(partial(self._used, path))
        self.dialog.open()

    def _used(self, path: Path, log: EventLog, reading: LogFormat) -> None:
        """Keep how the log is read, for the next one of these columns, and look at it."""
        document = self.around.document
        project = document.project
        # The log has been read even where the file is no longer there.
        with contextlib.suppress(LogError):
            project = with_format(document.project, path, reading)
        if project is not document.project:
            document.apply(project, self.tr("Keep how the log {} is read").format(path.name))
        self.show_log(log)

    def show_log(self, log: EventLog) -> None:
        """Look at a log in place of the rehearsal."""
        self.around.results.show_recording(log.recording)
        self.log.show_log(log)
        self.pages.setCurrentIndex(1)
        calendar = log.recording.calendar
        time = min(calendar.noon(0) + 9 * 3600.0, calendar.end - 1.0)
        self.around.focus.set(day=calendar.noon_day(time), time=time, incident=-1)
        self.around.say(log.notes[0] if log.notes else self.tr("{:,} rows read.").format(log.used))

    def leave_log(self, *_: object) -> None:
        """Back to the rehearsal."""
        if self.around.results.recording is not None:
            self.pages.setCurrentIndex(0)
            self.around.results.show_recording(None)


make = RehearsalPanel

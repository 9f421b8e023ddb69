"""Days that are free besides weekends, and vacations: counted, imported from a calendar file, typed, taken out."""

from __future__ import annotations

from datetime import date
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QLineEdit, QPushButton, QWidget

from vastwatch.design.free_days import with_holidays
from vastwatch.design.project import Brief, Vacation
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.widgets import clear, column_in, column_under, label, pressed, row
from vastwatch.files import ProjectError
from vastwatch.files.check import LONGEST_AWAY, YEARS
from vastwatch.files.holidays import read_holidays

# Holidays are taken of so many years: the one that is rehearsed, and those after it.
YEARS_AHEAD = 2
# So many days are named at the most.
NAMED = 4


class FreeDays(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        box = column_in(self, 6)
        self.bring = QPushButton(self.tr("From calendar…"))
        self.bring.setToolTip(self.tr("All-day entries of an iCalendar file, including yearly ones"))
        self.bring.clicked.connect(self._ask)
        self.none = pressed(self.tr("Clear"), self._clear, self.tr("Only Saturdays and Sundays are days off"))
        box.addWidget(
            row(label(self.tr("Days off besides weekends"), "head"), QWidget(), self.bring, self.none, stretch=1)
        )
        self.named = label("", "soft", True)
        box.addWidget(self.named)
        self.typed = QLineEdit()
        self.typed.setAccessibleName(self.tr("First and last day of an absence"))
        self.typed.setPlaceholderText(self.tr("2026-08-03 to 2026-08-16"))
        self.typed.returnPressed.connect(self._add)
        self.add = pressed(self.tr("Add"), self._add)
        box.addWidget(label(self.tr("Vacations, with nobody there"), "head"))
        self._list = column_under(box, 2)
        box.addWidget(row(self.typed, self.add, stretch=0, spacing=5))
        self._shown: object = None

    def refresh(self) -> None:
        """Show the days as they are."""
        brief = self.document.project.brief
        shown = (brief.holidays, brief.vacations)
        if shown == self._shown:
            return
        self._shown = shown
        days = brief.holidays
        self.none.setEnabled(bool(days))
        names = ", ".join(f"{h.on} {h.name}".strip() for h in days[:NAMED])
        more = self.tr(" and {} more").format(len(days) - NAMED) if len(days) > NAMED else ""
        self.named.setText(self.tr("None.") if not days else f"{names}{more}.")
        clear(self._list)
        for k, v in enumerate(brief.vacations):
            gone = QPushButton("×")
            gone.setFixedSize(24, 26)
            gone.setProperty("role", "pick")
            gone.setAccessibleName(self.tr("Delete vacation from {}").format(v.begin))
            gone.clicked.connect(partial(self._remove, k))
            self._list.addWidget(row(label(self.tr("{} to {}").format(v.begin, v.end)), QWidget(), gone, stretch=1))

    def _apply(self, words: str, brief: Brief) -> None:
        self.document.apply(replace(self.document.project, brief=brief), words)

    def _ask(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, self.tr("Holidays from a calendar"), "", self.tr("iCalendar (*.ics *.ical *.ifb *.icalendar)")
        )
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Take the holidays of a calendar file, of the year that is rehearsed and those after it."""
        project = self.document.project
        first = date.fromisoformat(project.brief.rehearse_from).year
        try:
            found = read_holidays(path, first, min(first + YEARS_AHEAD, YEARS[1] - 1))
        except ProjectError as e:
            self.say.emit(str(e))
            return
        self.document.apply(with_holidays(project, found.days), f"Import {len(found.days)} days off")
        self.say.emit(" ".join([self.tr("{} days off.").format(len(found.days)), *found.notes]))

    def _clear(self) -> None:
        self._apply("Remove all days off besides weekends", replace(self.document.project.brief, holidays=()))

    def _add(self) -> None:
        text = self.typed.text().strip()
        if not text:
            return
        try:
            vacation = parse_vacation(text)
        except ValueError as e:
            self.say.emit(f"{e}.")
            return
        brief = self.document.project.brief
        every = sorted([*brief.vacations, vacation], key=lambda v: (v.begin, v.end))
        self._apply(f"Add vacation from {vacation.begin}", replace(brief, vacations=tuple(every)))
        self.typed.clear()

    def _remove(self, k: int, *_: object) -> None:
        brief = self.document.project.brief
        left = tuple(v for n, v in enumerate(brief.vacations) if n != k)
        self._apply(f"Delete vacation from {brief.vacations[k].begin}", replace(brief, vacations=left))


def parse_vacation(text: str) -> Vacation:
    """`2026-08-03 to 2026-08-16`, or one day. Raises ValueError with the reason."""
    words = text.replace("–", " ").replace(" to ", " ").split()
    try:
        days = [date.fromisoformat(w) for w in words]
    except ValueError:
        days = []
    if not 1 <= len(days) <= 2 or not all(YEARS[0] <= d.year <= YEARS[1] for d in days):
        raise ValueError(f"'{text}' is not a start and end date, such as 2026-08-03 to 2026-08-16")
    begin, end = days[0], days[-1]
    if end < begin:
        raise ValueError(f"{end} is before {begin}")
    if (end - begin).days > LONGEST_AWAY:
        raise ValueError(f"a vacation can last {LONGEST_AWAY} days at most")
    return Vacation(begin=begin.isoformat(), end=end.isoformat())

"""The People page: who lives and works here, the schedule of one of them, and their week at a glance."""

from __future__ import annotations

import re
from typing import Any, get_args

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QPushButton, QVBoxLayout, QWidget

from vastwatch.design.edits import day_sheets
from vastwatch.design.edits.removing import removed
from vastwatch.design.edits.typical_days import TEMPLATES, add_person
from vastwatch.design.project import find, put
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.editing import At, Edited
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import MARGIN, Theme
from vastwatch.desk.shell.widgets import Choice, LazyPanel, column_in, label, line, pressed, row, scrolling
from vastwatch.desk.stages.brief.rooms import number
from vastwatch.desk.stages.brief.table import Column, RowsModel, RowsTable
from vastwatch.desk.stages.brief.week import WeekStrip
from vastwatch.people.reachability import unreachable_spots
from vastwatch.site.people import Days, Errand, Person, Stay
from vastwatch.words import error_sentence

DAY_WORDS = {
    "every": "every day", "workday": "workdays", "free": "days off",
    **{d: f"{d.capitalize()}s" for d in get_args(Days) if d not in ("every", "workday", "free")},
}  # fmt: skip
KINDS = {"adult": "adult", "child": "child", "visitor": "visitor", "pet": "pet"}


def clock(text: str) -> str:
    """HH:MM of 7, 7:30, 07.30, 730 or 7:30 pm. Raises ValueError."""
    m = re.fullmatch(r"\s*(\d{1,2})(?:[:. h]?(\d{2}))?\s*(am|pm)?\s*", text.lower())
    if m is None:
        raise ValueError(f"'{text}' is not a time of day such as 7:30")
    hours, minutes = int(m[1]), int(m[2] or 0)
    if m[3] and 1 <= hours <= 12:
        hours = hours % 12 + (12 if m[3] == "pm" else 0)
    if hours > 23 or minutes > 59:
        raise ValueError(f"'{text}' is not a time of day such as 7:30")
    return f"{hours:02d}:{minutes:02d}"


class _Row:
    """A line of a sheet with its place in it."""

    def __init__(self, index: int, line: Any) -> None:
        self.index, self.line = index, line


class PeoplePage(LazyPanel):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.theme = document, focus, theme
        self.shown: str | None = None
        outer = column_in(self, margins=(MARGIN, 2, 4, 8))
        area, box = scrolling(7, (0, 0, 10, 0))
        outer.addWidget(area)
        self.who = Choice()
        self.who.setAccessibleName(self.tr("Occupant"))
        self.who.activated.connect(lambda i: self.show_person(self.who.itemData(i)))
        self.away = pressed(self.tr("Remove"), self._remove)
        box.addWidget(row(self.who, self.away, stretch=0))
        self.typical = Choice()
        self.typical.setAccessibleName(self.tr("Occupant template"))
        for key, template in TEMPLATES.items():
            words = template.name if template.many == 1 else f"{template.name} of {template.many}"
            self.typical.addItem(words, key)
        self.add = QPushButton(self.tr("Add"))
        self.add.setToolTip(self.tr("With a typical schedule using the positions available; edit it below."))
        self.add.clicked.connect(self._add)
        box.addWidget(row(self.typical, self.add, stretch=0))
        box.addWidget(line())
        self._sheet = QWidget()
        sheet = column_in(self._sheet, 7)
        box.addWidget(self._sheet)
        box.addStretch(1)
        self._build_sheet(sheet)
        self._nobody = label(
            self.tr("No occupants yet. Add one from a template: nothing can be rehearsed without people."), "soft", True
        )
        box.insertWidget(3, self._nobody)
        document.changed.connect(self.wake)
        self.refresh()

    def _build_sheet(self, box: QVBoxLayout) -> None:
        at = At(lambda _: self.person, put, lambda person: person.name)
        self.edited = Edited(self.document, self.focus, Person, at)
        self.edited.say.connect(self.say)
        self.name = self.edited.line("name", self.tr("Name"))
        self.kind = self.edited.field("kind")
        box.addWidget(row(self.name, self.kind, stretch=0))
        self.lost = label("", "bad", True)
        box.addWidget(self.lost)
        self.weight, self.speed, self.waves = map(self.edited.field, ("body_kg", "speed", "wave_after_s"))
        self.sleeps = self.edited.choice(
            self.tr("Bed"), self._beds, lambda p: day_sheets.sleeps_at(self.document.project, p),
            lambda p, bed: day_sheets.set_sleeps_at(self.document.project, p.id, bed), "",
        )  # fmt: skip
        for choice in (self.who, self.typical, self.sleeps):
            choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            choice.setMinimumContentsLength(9)
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        for k, widget in enumerate((self.weight, self.speed, self.waves, self.sleeps)):
            grid.addWidget(label(widget.accessibleName(), "soft"), 0, k)
            grid.addWidget(widget, 1, k)
            grid.setColumnStretch(k, 3 if widget is self.sleeps else 1)
        box.addWidget(holder)
        self.week = WeekStrip(self.theme)
        self.week.chosen.connect(self._go_to)
        box.addWidget(guide_label(self.tr("The week, noon to noon"), "Person", "head"))
        box.addWidget(self.week)
        days = lambda _: list(DAY_WORDS.items())  # noqa: E731
        spots = lambda _: self._spots()  # noqa: E731
        self.stays = RowsModel(
            (
                Column(self.tr("Days"), lambda r: r.line.days, self._stay("days", str), days, "", 92),
                Column(self.tr("From"), lambda r: r.line.at, self._stay("at", clock), None, "", 50),
                Column(self.tr("At"), lambda r: r.line.spot, self._stay("spot", str), spots),
                Column(self.tr("± min"), lambda r: f"{r.line.jitter_min:g}",
                       self._stay("jitter_min", lambda t: number(t, "minutes")), None,
                       self.tr("Spread: two times out of three it falls within so many minutes."), 46, True),
            )
        )  # fmt: skip
        self.errands = RowsModel(
            (
                Column(self.tr("Days"), lambda r: r.line.days, self._errand("days", str), days, "", 92),
                Column(self.tr("From"), lambda r: r.line.between[0], self._between(0), None, "", 50),
                Column(self.tr("To"), lambda r: r.line.between[1], self._between(1), None, "", 50),
                Column(self.tr("At"), lambda r: r.line.spot, self._errand("spot", str), spots),
                Column(self.tr("a day"), lambda r: f"{r.line.per_day:g}",
                       self._errand("per_day", lambda t: number(t, "a number of visits")), None,
                       self.tr("Average number of short visits."), 42, True),
                Column(self.tr("min"), lambda r: f"{r.line.minutes:g}",
                       self._errand("minutes", lambda t: max(number(t, "minutes"), 0.1)), None,
                       self.tr("Average length of a visit."), 38, True),
            )
        )  # fmt: skip
        self.tables: dict[str, RowsTable] = {}
        for key, heading, model, why in (
            ("stays", self.tr("Schedule"), self.stays, self.tr("There from that time until the next line.")),
            (
                "errands",
                self.tr("Short visits"),
                self.errands,
                self.tr("Short visits at random times within a period."),
            ),
        ):
            model.refused.connect(self.say)
            table = RowsTable(model, heading)
            table.setToolTip(why)
            plus, minus = QPushButton(self.tr("Add line")), QPushButton(self.tr("Delete line"))
            plus.clicked.connect(lambda _, k=key: self._add_line(k))
            minus.clicked.connect(lambda _, k=key: self._remove_line(k))
            box.addWidget(row(label(heading, "head"), QWidget(), plus, minus, stretch=1))
            box.addWidget(table)
            self.tables[key] = table

    # -- showing -------------------------------------------------------------------------------------------------

    @property
    def person(self) -> Person | None:
        """Whose sheet is shown."""
        return next((p for p in self.document.project.people if p.id == self.shown), None)

    def show_person(self, ident: str) -> None:
        """Show somebody's sheet."""
        self.shown = ident
        self.refresh()

    def refresh(self, *_: object) -> None:
        """Show the project as it is."""
        project = self.document.project
        if self.person is None:
            self.shown = project.people[0].id if project.people else None
        people = [(p.id, p.name) for p in project.people]
        if [(self.who.itemData(k), self.who.itemText(k)) for k in range(self.who.count())] != people:
            self.who.clear()
            for ident, name in people:
                self.who.addItem(name, ident)
        self.who.setCurrentIndex(self.who.findData(self.shown))
        person = self.person
        self._sheet.setVisible(person is not None)
        self._nobody.setVisible(person is None)
        self.away.setEnabled(person is not None)
        self.week.show_person(project, person)
        if person is None:
            return
        self.edited.fill()
        lost = [f"“{s.name}” in {find(project.rooms, s.room).name.lower()}" for s in unreachable_spots(project, person)]
        self.lost.setText(
            self.tr("No way leads to {}. Time meant to be spent there is left out of all figures.").format(
                ", ".join(lost)
            )
            if lost
            else ""
        )
        self.lost.setVisible(bool(lost))
        self.waves.setEnabled(person.kind != "pet")
        self.sleeps.setEnabled(self.sleeps.count() > 0 and self.sleeps.currentIndex() >= 0)
        stays = sorted((_Row(k, s) for k, s in enumerate(person.stays)), key=_by_time)
        self.stays.set_rows(stays)
        self.errands.set_rows([_Row(k, e) for k, e in enumerate(person.errands)])
        for table in self.tables.values():
            table.fit_height(30)

    def _beds(self) -> list[tuple[str, str]]:
        return [(s.id, s.name) for s in self.document.project.spots if s.activity == "sleeping"]

    def _spots(self) -> list[tuple[str, str]]:
        project = self.document.project
        rooms = {r.id: r.name for r in project.rooms}
        found = [(s.id, f"{s.name}, {rooms[s.room].lower()}") for s in project.spots]
        return sorted(found, key=lambda x: x[1])

    def _go_to(self, spot: str) -> None:
        project = self.document.project
        room = find(project.rooms, find(project.spots, spot).room)
        self.focus.set(level=room.level, room=room.id, selected=spot)

    # -- writing -------------------------------------------------------------------------------------------------

    def _apply(self, new: Any, words: str) -> None:
        self.document.apply(new, words)

    def _stay(self, field: str, parse: Any) -> Any:
        def write(r: _Row, text: str) -> None:
            person = self.person
            if person is not None:
                new = day_sheets.set_stay(self.document.project, person.id, r.index, **{field: parse(text)})
                self._apply(new, f"Edit the schedule of {person.name}")

        return write

    def _errand(self, field: str, parse: Any) -> Any:
        def write(r: _Row, text: str) -> None:
            person = self.person
            value = parse(text)
            if field == "per_day" and value > 200:
                raise ValueError("200 visits a day at most")
            if person is not None:
                new = day_sheets.set_errand(self.document.project, person.id, r.index, **{field: value})
                self._apply(new, f"Edit the short visits of {person.name}")

        return write

    def _between(self, end: int) -> Any:
        def write(r: _Row, text: str) -> None:
            both = list(r.line.between)
            both[end] = clock(text)
            self._errand("between", tuple)(r, tuple(both))

        return write

    def _add(self) -> None:
        try:
            new, person = add_person(self.document.project, self.typical.currentData())
        except ValueError as e:
            self.say.emit(error_sentence(e))
            return
        self.shown = person.id
        self._apply(new, f"Add {person.group.lower() if person.group else person.name.lower()}")

    def _remove(self) -> None:
        person = self.person
        if person is None:
            return
        project = self.document.project
        for one in day_sheets.group_members(project, person):
            project = removed(project, one.id)
        who = person.group or person.name
        self._apply(project, f"Remove {who.lower()}")
        self.say.emit(self.tr("{} removed. Ctrl+Z undoes it.").format(who))

    def _add_line(self, key: str) -> None:
        person, spots = self.person, self.document.project.spots
        if person is None or not spots:
            return
        project = self.document.project
        if key == "stays":
            last = person.stays[-1]
            new = day_sheets.add_stay(project, person.id, Stay(days=last.days, at="12:00", spot=last.spot))
        else:
            spot = person.errands[-1].spot if person.errands else person.stays[0].spot
            errand = Errand(between=("09:00", "17:00"), spot=spot, per_day=2, minutes=5)
            new = day_sheets.add_errand(project, person.id, errand)
        self._apply(new, f"Add a line to the schedule of {person.name}")
        model = self.stays if key == "stays" else self.errands
        newest = max(range(len(model.rows)), key=lambda k: model.rows[k].index)
        self.tables[key].selectRow(newest)
        self.tables[key].setFocus()

    def _remove_line(self, key: str) -> None:
        person, table = self.person, self.tables[key]
        model = self.stays if key == "stays" else self.errands
        at = table.currentIndex().row()
        if person is None or not 0 <= at < len(model.rows):
            self.say.emit(self.tr("Select the line to delete first."))
            return
        remove = day_sheets.remove_stay if key == "stays" else day_sheets.remove_errand
        try:
            new = remove(self.document.project, person.id, model.rows[at].index)
        except ValueError as e:
            self.say.emit(error_sentence(e))
            return
        self._apply(new, f"Delete a line from the schedule of {person.name}")


def _by_time(r: _Row) -> tuple[str, int]:
    """As a timetable reads: by the clock, whatever the day."""
    return r.line.at, list(DAY_WORDS).index(r.line.days)

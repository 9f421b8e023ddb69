"""The Project page: what the project is called and for whom, where the building stands, from which day it is rehearsed,
and what its walls are made of where nobody says otherwise."""

from __future__ import annotations

from datetime import date
from typing import Any
from zoneinfo import ZoneInfo

from msgspec.structs import replace
from PyQt6.QtCore import QDate, QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import QCompleter, QGridLayout, QPlainTextEdit, QWidget

from vastwatch.design.project import Brief, Construction, Place, Project
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.editing import Edited, at_part
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import MARGIN, Theme
from vastwatch.desk.shell.widgets import Choice, Day, LazyPanel, column_in, label, line, row, scrolling
from vastwatch.desk.stages.brief.free_days import FreeDays
from vastwatch.desk.stages.brief.world import WorldMap
from vastwatch.files.check import YEARS
from vastwatch.site.time_zones import guessed_zone, zone_names

# Words stand in one column, whatever grid they are in, pixels.
WORDS_PX = 92
LENGTHS = ("metres", "feet and inches")


class Notes(QPlainTextEdit):
    """Text of several lines that is taken when the field is left."""

    left = pyqtSignal()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.left.emit()


class ProjectPage(LazyPanel):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        outer = column_in(self, margins=(MARGIN, 2, 4, 8))
        area, box = scrolling(7, (0, 0, 10, 0))
        outer.addWidget(area)
        whole, place, brief, walls = self._edited = [
            Edited(document, focus, kind, at_part(*path))
            for kind, *path in ((Project,), (Place, "place"), (Brief, "brief"), (Construction, "construction"))
        ]
        for edited in self._edited:
            edited.say.connect(self.say)
        self.name = whole.line("name", self.tr("Name of the project"))
        self.client = whole.line("client", self.tr("Client"), 120, True, self.tr("client name"))
        self.notes = Notes()
        self.notes.setTabChangesFocus(True)
        self.notes.setFixedHeight(62)
        self.notes.setAccessibleName(self.tr("Notes"))
        self.notes.setPlaceholderText(self.tr("things to remember"))
        self.notes.left.connect(lambda: whole.set_field("notes", self.notes.toPlainText()[:4000]))
        box.addWidget(
            _grid(((self.tr("Name"), self.name), (self.tr("Client"), self.client), (self.tr("Notes"), self.notes)))
        )
        box.addWidget(line())
        box.addWidget(guide_label(self.tr("Location"), "Place", "head"))
        self.world = WorldMap(theme)
        self.world.picked.connect(self._pick)
        box.addWidget(self.world)
        self.north = place.field("latitude", write=lambda p, v: self._placed(v, p.longitude))
        self.east = place.field("longitude", write=lambda p, v: self._placed(p.latitude, v))
        north, east = label(self.tr("° north"), "soft"), label(self.tr("° east"), "soft")
        box.addWidget(row(self.north, north, self.east, east, spacing=5))
        self.zone = Choice()
        self.zone.setEditable(True)
        self.zone.setInsertPolicy(Choice.InsertPolicy.NoInsert)
        self.zone.addItems(zone_names())
        self.zone.setAccessibleName(self.tr("Time zone"))
        completer = self.zone.completer()
        assert completer is not None
        completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.zone.activated.connect(lambda _: self._zone())
        typed = self.zone.lineEdit()
        assert typed is not None
        typed.editingFinished.connect(self._zone)
        self.begin = Day()
        self.begin.setDateRange(QDate(YEARS[0], 1, 1), QDate(YEARS[1], 12, 31))
        self.begin.setAccessibleName(self.tr("Start date"))
        self.begin.setToolTip(self.tr("First day of the rehearsal: days are short in winter and long in summer."))
        self.begin.editingFinished.connect(self._date)
        self.lengths = Choice()
        self.lengths.addItems(LENGTHS)
        self.lengths.setAccessibleName(self.tr("Length units"))
        self.lengths.activated.connect(self._lengths)
        self.currency = brief.line("currency", self.tr("Currency"), 8, True)
        fields = (
            (self.tr("Time zone"), self.zone), (self.tr("Start date"), self.begin),
            (self.tr("Length units"), self.lengths), (self.tr("Currency"), self.currency),
        )  # fmt: skip
        box.addWidget(_grid(fields))
        box.addWidget(line())
        self.free = FreeDays(document)
        self.free.say.connect(self.say)
        box.addWidget(self.free)
        box.addWidget(line())
        box.addWidget(guide_label(self.tr("Default walls"), "Construction", "head"))
        self.walls: dict[str, tuple[QWidget, QWidget]] = {}
        rows = []
        for side, words in (("outer", self.tr("External")), ("inner", self.tr("Internal"))):
            thick = walls.field(f"{side}_m", words=words)
            made = walls.field(f"{side}_material", words=self.tr("{}: material").format(words))
            self.walls[side] = thick, made
            rows.append((words, row(thick, made, stretch=1, spacing=5)))
        box.addWidget(_grid(rows))
        box.addStretch(1)
        document.changed.connect(self.wake)
        focus.shift.connect(self._shifted)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what == "feet":
            self.refresh()

    def refresh(self, *_: object) -> None:
        """Show the project as it is; what is being typed stays."""
        project = self.document.project
        for edited in self._edited:
            edited.fill()
        if not self.notes.hasFocus() and self.notes.toPlainText() != project.notes:
            self.notes.setPlainText(project.notes)
        place = project.place
        self.world.show_place(place.latitude, place.longitude)
        typed = self.zone.lineEdit()
        if typed is not None and not typed.hasFocus():
            self.zone.setCurrentText(place.timezone)
        if not self.begin.hasFocus():
            self.begin.setDate(QDate.fromString(project.brief.rehearse_from, "yyyy-MM-dd"))
        self.lengths.setCurrentIndex(int(self.focus.feet))
        self.free.refresh()

    # -- writing -----------------------------------------------------------------------------------------------

    def _placed(self, latitude: float, longitude: float) -> Place:
        """Another place, and its zone, as long as the zone was the one that the last place would have had."""
        place = self.document.project.place
        guessed = place.timezone in ("UTC", guessed_zone(place.latitude, place.longitude))
        zone = guessed_zone(latitude, longitude) if guessed else place.timezone
        if zone != place.timezone:
            self.say.emit(self.tr("Time zone {} is the nearest; change it if that is wrong.").format(zone))
        return replace(place, latitude=latitude, longitude=longitude, timezone=zone)

    def _pick(self, latitude: float, longitude: float) -> None:
        project = self.document.project
        if (project.place.latitude, project.place.longitude) != (latitude, longitude):
            new = replace(project, place=self._placed(latitude, longitude))
            self.document.apply(new, "Move the project on the map", "place")

    def _zone(self) -> None:
        project, name = self.document.project, self.zone.currentText().strip()
        if name == project.place.timezone:
            return
        try:
            ZoneInfo(name)
        except (KeyError, ValueError, OSError):
            self.say.emit(self.tr("Unknown time zone {}.").format(name))
            self.zone.setCurrentText(project.place.timezone)
            return
        self.document.apply(replace(project, place=replace(project.place, timezone=name)), f"Time zone {name}")

    def _lengths(self, index: int) -> None:
        # Of anybody who sits here, and not of the project: as with its key.
        self.focus.set(feet=index == 1)
        QSettings().setValue("feet", self.focus.feet)

    def _date(self) -> None:
        project = self.document.project
        begin = date.fromisoformat(self.begin.date().toString("yyyy-MM-dd")).isoformat()
        if begin != project.brief.rehearse_from:
            new = replace(project, brief=replace(project.brief, rehearse_from=begin))
            self.document.apply(new, f"Set the start date to {begin}")


def _grid(rows: Any) -> QWidget:
    """Fields below each other, their words at the left."""
    holder = QWidget()
    grid = QGridLayout(holder)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setHorizontalSpacing(10)
    grid.setVerticalSpacing(6)
    grid.setColumnStretch(1, 1)
    for k, (words, field) in enumerate(rows):
        said = label(words, "soft")
        said.setMinimumWidth(WORDS_PX)
        grid.addWidget(
            said, k, 0, Qt.AlignmentFlag.AlignTop if isinstance(field, Notes) else Qt.AlignmentFlag.AlignVCenter
        )
        grid.addWidget(field, k, 1)
    return holder

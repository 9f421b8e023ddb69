"""The Project page: what the project is called and for whom, where the building stands, from which day it is rehearsed,
and what its walls are made of where nobody says otherwise."""

from __future__ import annotations

from datetime import date
from typing import Any, get_args
from zoneinfo import ZoneInfo

from msgspec.structs import replace
from PyQt6.QtCore import QDate, QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import QCompleter, QGridLayout, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.parts import Choice, Day, FigureField, Sleeper, label, line, row, scrolling
from vastwatch.desk.shell.theme import MARGIN, Theme
from vastwatch.desk.shell.units import parse_length, show_length
from vastwatch.desk.stages.brief.free_days import FreeDays
from vastwatch.desk.stages.brief.world import WorldMap
from vastwatch.files.check import YEARS
from vastwatch.site.building import WallMaterial
from vastwatch.site.zones import guessed_zone, zone_names

MATERIALS: tuple[WallMaterial, ...] = get_args(WallMaterial)
# Words stand in one column, whatever grid they are in, pixels.
WORDS_PX = 92
LENGTHS = ("metres", "feet and inches")


class Notes(QPlainTextEdit):
    """Text of several lines that is taken when the field is left."""

    left = pyqtSignal()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.left.emit()


def degrees(text: str) -> float:
    """Degrees as they are written: `54.2`, `54,2`, `54° 12'`, `54.2 N`, `12 W`. Raises ValueError."""
    words = text.strip().upper().replace(",", ".")
    sign = -1.0 if words.endswith(("S", "W")) or words.startswith("-") else 1.0
    parts = words.strip("NSEW -+").replace("°", " ").replace("'", " ").replace('"', " ").split()
    try:
        figures = [float(p) for p in parts]
    except ValueError:
        figures = []
    if not 1 <= len(figures) <= 3 or any(f < 0 for f in figures) or any(f >= 60 for f in figures[1:]):
        raise ValueError(f"'{text}' is not an angle in degrees")
    return sign * sum(f / 60.0**k for k, f in enumerate(figures))


class ProjectPage(Sleeper):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        outer = QVBoxLayout(self)
        outer.setContentsMargins(MARGIN, 2, 4, 8)
        area, box = scrolling(7, (0, 0, 10, 0))
        outer.addWidget(area)
        self.name, self.client = QLineEdit(), QLineEdit()
        self.notes = Notes()
        self.notes.setTabChangesFocus(True)
        self.notes.setFixedHeight(62)
        self.name.setAccessibleName(self.tr("Name of the project"))
        self.client.setAccessibleName(self.tr("Client"))
        self.notes.setAccessibleName(self.tr("Notes"))
        self.client.setPlaceholderText(self.tr("for whom"))
        self.notes.setPlaceholderText(self.tr("what ought to be remembered"))
        self.name.editingFinished.connect(self._rename)
        self.client.editingFinished.connect(lambda: self._set("Client", client=_clean(self.client.text(), 120)))
        self.notes.left.connect(lambda: self._set("Notes", notes=self.notes.toPlainText()[:4000]))
        box.addWidget(
            _grid(((self.tr("Name"), self.name), (self.tr("Client"), self.client), (self.tr("Notes"), self.notes)))
        )
        box.addWidget(line())
        box.addWidget(label(self.tr("Where it stands"), "head"))
        self.world = WorldMap(theme)
        self.world.picked.connect(self._pick)
        box.addWidget(self.world)
        why = self.tr("Degrees, south and west negative, or with N, S, E, W. It tells when it is dark.")
        self.north = FigureField(self.tr("Degrees north"), degrees, lambda v: f"{v:.4g}", 0.5, -90, 90, why)
        self.east = FigureField(self.tr("Degrees east"), degrees, lambda v: f"{v:.5g}", 0.5, -180, 180, why)
        self.north.entered.connect(lambda v: self._place(v, self.document.project.place.longitude))
        self.east.entered.connect(lambda v: self._place(self.document.project.place.latitude, v))
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
        self.begin.setAccessibleName(self.tr("Rehearsed from"))
        self.begin.setToolTip(self.tr("The first day that is rehearsed: days are short in winter and long in summer."))
        self.begin.editingFinished.connect(self._date)
        self.lengths = Choice()
        self.lengths.addItems(LENGTHS)
        self.lengths.setAccessibleName(self.tr("Lengths in"))
        self.lengths.activated.connect(self._lengths)
        self.currency = QLineEdit()
        self.currency.setMaxLength(8)
        self.currency.setAccessibleName(self.tr("Currency"))
        self.currency.editingFinished.connect(self._currency)
        fields = (
            (self.tr("Time zone"), self.zone), (self.tr("Rehearsed from"), self.begin),
            (self.tr("Lengths in"), self.lengths), (self.tr("Currency"), self.currency),
        )  # fmt: skip
        box.addWidget(_grid(fields))
        box.addWidget(line())
        self.free = FreeDays(document)
        self.free.say.connect(self.say)
        box.addWidget(self.free)
        box.addWidget(line())
        box.addWidget(label(self.tr("Walls, where nobody says otherwise"), "head"))
        self.walls: dict[str, tuple[FigureField, Choice]] = {}
        rows = []
        for side, words in (("outer", self.tr("To the outside")), ("inner", self.tr("Between rooms"))):
            thick = FigureField(words, self._length, show_length, 0.01, 0.01, 2.0, self.tr("Thickness of new walls."))
            thick.entered.connect(lambda v, s=side: self._walls(s, f"{s}_m", v))
            made = Choice()
            made.addItems(MATERIALS)
            made.setAccessibleName(self.tr("{}: made of").format(words))
            made.activated.connect(lambda k, s=side: self._walls(s, f"{s}_material", MATERIALS[k]))
            self.walls[side] = thick, made
            rows.append((words, row(thick, made, stretch=1, spacing=5)))
        box.addWidget(_grid(rows))
        box.addStretch(1)
        for field in (self.north, self.east, *(thick for thick, _ in self.walls.values())):
            field.wrong.connect(self.say)
        document.changed.connect(self.wake)
        focus.shift.connect(self._shifted)
        self.refresh()

    def _length(self, text: str) -> float:
        return parse_length(text, "ft" if self.focus.feet else "m")

    def _shifted(self, what: str) -> None:
        if what == "feet":
            self.refresh()

    def refresh(self, *_: object) -> None:
        """Show the project as it is; what is being typed stays."""
        project = self.document.project
        for field, text in (
            (self.name, project.name),
            (self.client, project.client),
            (self.currency, project.brief.currency),
        ):
            if not field.hasFocus():
                field.setText(text)
        if not self.notes.hasFocus() and self.notes.toPlainText() != project.notes:
            self.notes.setPlainText(project.notes)
        place = project.place
        self.world.show_place(place.latitude, place.longitude)
        self.north.set_value(place.latitude)
        self.east.set_value(place.longitude)
        typed = self.zone.lineEdit()
        if typed is not None and not typed.hasFocus():
            self.zone.setCurrentText(place.timezone)
        if not self.begin.hasFocus():
            self.begin.setDate(QDate.fromString(project.brief.rehearse_from, "yyyy-MM-dd"))
        self.lengths.setCurrentIndex(int(self.focus.feet))
        self.free.refresh()
        for side, (thick, made) in self.walls.items():
            thick.set_value(getattr(project.construction, f"{side}_m"))
            made.setCurrentText(getattr(project.construction, f"{side}_material"))

    # -- writing -----------------------------------------------------------------------------------------------

    def _set(self, what: str, **fields: Any) -> None:
        project = self.document.project
        if any(getattr(project, name) != value for name, value in fields.items()):
            self.document.apply(replace(project, **fields), f"{what} of the project")

    def _rename(self) -> None:
        name = _clean(self.name.text(), 120)
        if name:
            self._set("Name", name=name)
        else:
            self.name.setText(self.document.project.name)

    def _place(self, latitude: float, longitude: float) -> None:
        """Another place, and its zone, as long as the zone was the one that the last place would have had."""
        project = self.document.project
        place = project.place
        if (place.latitude, place.longitude) == (latitude, longitude):
            return
        guessed = place.timezone in ("UTC", guessed_zone(place.latitude, place.longitude))
        zone = guessed_zone(latitude, longitude) if guessed else place.timezone
        new = replace(place, latitude=latitude, longitude=longitude, timezone=zone)
        self.document.apply(replace(project, place=new), "Move the project on the map", "place")
        if zone != place.timezone:
            self.say.emit(self.tr("Time zone {}, the nearest one; change it where that is not so.").format(zone))

    def _pick(self, latitude: float, longitude: float) -> None:
        self._place(latitude, longitude)

    def _zone(self) -> None:
        project, name = self.document.project, self.zone.currentText().strip()
        if name == project.place.timezone:
            return
        try:
            ZoneInfo(name)
        except (KeyError, ValueError, OSError):
            self.say.emit(self.tr("There is no time zone {}.").format(name))
            self.zone.setCurrentText(project.place.timezone)
            return
        self.document.apply(replace(project, place=replace(project.place, timezone=name)), f"Time zone {name}")

    def _lengths(self, index: int) -> None:
        # Of whoever sits here, and not of the project: as with its key.
        self.focus.set(feet=index == 1)
        QSettings().setValue("feet", self.focus.feet)

    def _date(self) -> None:
        project = self.document.project
        begin = date.fromisoformat(self.begin.date().toString("yyyy-MM-dd")).isoformat()
        if begin != project.brief.rehearse_from:
            new = replace(project, brief=replace(project.brief, rehearse_from=begin))
            self.document.apply(new, f"Rehearse from {begin}")

    def _currency(self) -> None:
        project, text = self.document.project, _clean(self.currency.text(), 8)
        if text != project.brief.currency:
            self.document.apply(replace(project, brief=replace(project.brief, currency=text)), "Set the currency")

    def _walls(self, side: str, field: str, value: object) -> None:
        project = self.document.project
        if getattr(project.construction, field) != value:
            new = replace(project, construction=replace(project.construction, **{field: value}))
            self.document.apply(new, f"New {side} walls otherwise")


def _clean(text: str, most: int) -> str:
    return " ".join(text.split())[:most]


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

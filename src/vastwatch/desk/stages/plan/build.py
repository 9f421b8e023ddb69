"""The Build page of the Plan stage: rooms typed or drawn, openings, and what to do with a selection."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QMenu, QPushButton, QVBoxLayout, QWidget

from vastwatch.design.edits.building import add_room, place_beside, rectangle
from vastwatch.design.edits.day_sheets import group_members
from vastwatch.design.edits.fittings import OPENING_SIZES
from vastwatch.design.edits.removing import Removal, removed
from vastwatch.design.edits.split_join import join_rooms
from vastwatch.design.edits.typical_days import TEMPLATES, add_person
from vastwatch.design.project import find
from vastwatch.desk.plan.tools import TOOLS
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.tool_buttons import ArmingButton, mark_armed
from vastwatch.desk.shell.units import parse_length, parse_size, show_length
from vastwatch.desk.shell.widgets import (
    Choice,
    FigureField,
    clear,
    column_under,
    label,
    line,
    narrow,
    page_of,
    plain,
    row,
)
from vastwatch.site.building import RoomUse
from vastwatch.site.record import Outline
from vastwatch.site.use_guess import USES, guess_use
from vastwatch.words import error_sentence


class BuildPanel(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)
    # What to do with the selection; all walls of the focused room are to be selected.
    act = pyqtSignal(str)
    walls_wanted = pyqtSignal()
    # A room was typed.
    added = pyqtSignal(object)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        inner = page_of(self)
        inner.addWidget(guide_label(self.tr("Room"), "Wall", "head"))
        self.name = QLineEdit()
        self.name.setPlaceholderText(self.tr("name"))
        self.name.setAccessibleName(self.tr("Name of the new room"))
        self.measure = QLineEdit()
        self.measure.setPlaceholderText(self.tr("4.2 x 3.6"))
        self.measure.setAccessibleName(self.tr("Size of the new room"))
        self.measure.setToolTip(self.tr("Width x depth: 4.2 x 3.6, or 14 ft x 12 ft; or corners: 0,0 4,0 4,3 2,5."))
        self.use = Choice()
        self.use.setAccessibleName(self.tr("Use of the new room"))
        self.use.addItems(list(USES))
        self.use.setCurrentText("sitting")
        # The name tells the use, until somebody has chosen another.
        self._use_chosen = False
        self.name.textEdited.connect(self._guess_use)
        self.use.activated.connect(self._choose_use)
        self.add = QPushButton(self.tr("Add room"))
        self.add.setToolTip(self.tr("Placed next to the existing rooms; drag its walls and corners afterwards."))
        for w in (self.name, row(self.measure, self.use, stretch=0, spacing=5), self.add):
            inner.addWidget(w)
        self.add.clicked.connect(self.add_room)
        self.name.returnPressed.connect(self.measure.setFocus)
        self.measure.returnPressed.connect(self.add_room)
        inner.addWidget(line())
        self._build_drawing(inner)
        inner.addWidget(line())
        inner.addWidget(guide_label(self.tr("Doors and windows"), "Opening", "head"))
        self.openings: dict[str, QPushButton] = {}
        for kind in OPENING_SIZES:
            button = ArmingButton(self, kind.capitalize(), f"opening:{kind}")
            button.setToolTip(self.tr("Drag it onto a wall, or click it and then the wall."))
            self.openings[kind] = button
        inner.addWidget(row(*self.openings.values(), spacing=4))
        walls = QPushButton(self.tr("All walls of this room"))
        walls.setProperty("role", "pick")
        walls.setToolTip(self.tr("Selects them, to set material and thickness together on the right."))
        walls.clicked.connect(self.walls_wanted)
        inner.addWidget(walls)
        inner.addWidget(line())
        self._build_selection(inner)
        inner.addWidget(line())
        inner.addWidget(label(self.tr("Occupants"), "head"))
        self._people = column_under(inner, 3)
        self.typical = Choice()
        self.typical.setAccessibleName(self.tr("Occupant template"))
        narrow(self.typical)
        narrow(self.use)
        self.typical.addItems([t.name for t in TEMPLATES.values()])
        self.add_person = QPushButton(self.tr("Add"))
        self.add_person.setToolTip(self.tr("With a typical schedule using the positions available."))
        self.add_person.clicked.connect(self._add_person)
        inner.addWidget(row(self.typical, self.add_person, stretch=0, spacing=5))
        inner.addStretch(1)
        focus.shift.connect(self._shifted)
        self._shown: object = None
        document.changed.connect(self._show_people)
        self._show_people()
        self._show_selection()

    def _build_drawing(self, inner: QVBoxLayout) -> None:
        inner.addWidget(guide_label(self.tr("Draw"), "Wall", "head"))
        named = {"room": self.tr("Rectangle"), "polygon": self.tr("Polygon"), "split": self.tr("Split"),
                 "tape": self.tr("Measure")}  # fmt: skip
        self.drawing: dict[str, QPushButton] = {}
        for token, words in named.items():
            button = ArmingButton(self, words, f"draw:{token}")
            button.setToolTip(TOOLS[token])
            self.drawing[token] = button
        inner.addWidget(row(self.drawing["room"], self.drawing["polygon"], spacing=4))
        self.join = QPushButton(self.tr("Join…"))
        self.join.setProperty("role", "pick")
        self.join.setToolTip(self.tr("Joins the selected room with a neighbour and removes the wall between."))
        self.join.clicked.connect(self._join_menu)
        inner.addWidget(row(self.drawing["split"], self.join, self.drawing["tape"], spacing=4))
        why = self.tr("Grid spacing for drawing; 0 for none. Alt ignores it.")
        self.grid = FigureField(self.tr("Grid"), self._length, _grid_words, 0.05, 0.0, 2.0, why)
        self.grid.set_value(self.focus.grid_m)
        self.grid.entered.connect(lambda v: self.focus.set(grid_m=v))
        self.grid.wrong.connect(self.say)
        inner.addWidget(row(label(self.tr("Grid"), "soft"), self.grid, stretch=1))

    def _build_selection(self, inner: QVBoxLayout) -> None:
        inner.addWidget(guide_label(self.tr("Selection"), "selection", "head"))
        self._selected = label("", "soft", True)
        inner.addWidget(self._selected)
        acts = (
            ("copy", self.tr("Duplicate"), self.tr("Places a copy next to it. (Ctrl+J)")),
            ("flip", self.tr("Flip"), self.tr("Flip horizontally. (X)")),
            ("flop", self.tr("Flip vert."), self.tr("Flip vertically. (Shift+X)")),
            ("left", self.tr("Left"), self.tr("Align left edges.")),
            ("centre", self.tr("Centre"), self.tr("Align centres, one above the other.")),
            ("right", self.tr("Right"), self.tr("Align right edges.")),
            ("top", self.tr("Top"), self.tr("Align top edges.")),
            ("middle", self.tr("Middle"), self.tr("Align centres, side by side.")),
            ("bottom", self.tr("Bottom"), self.tr("Align bottom edges.")),
        )
        self.acts: dict[str, QPushButton] = {}
        for token, words, why in acts:
            button = QPushButton(words)
            button.setProperty("role", "pick")
            button.setToolTip(why)
            button.clicked.connect(partial(self.act.emit, token))
            self.acts[token] = button
        buttons = list(self.acts.values())
        for k in (0, 3, 6):
            inner.addWidget(row(*buttons[k : k + 3], spacing=4))

    def _show_people(self, *_: object) -> None:
        people = self.document.project.people
        if people is self._shown:
            return
        self._shown = people
        clear(self._people)
        shown = [p for p in people if not p.group or p is next(q for q in people if q.group == p.group)]
        for person in shown:
            many = sum(p.group == person.group for p in people) if person.group else 1
            name = f"{person.group} × {many}" if person.group else person.name
            away = QPushButton("×")
            away.setFixedSize(24, 26)
            away.setProperty("role", "pick")
            away.setAccessibleName(self.tr("Remove {}").format(person.name))
            away.setToolTip(plain(self.tr("Remove {}").format(person.name)))
            away.clicked.connect(partial(self._remove_person, person.id, person.group or person.name))
            lines = self.tr("{} lines").format(len(person.stays) + len(person.errands))
            self._people.addWidget(row(label(name), label(lines, "soft"), away, stretch=0, spacing=6))
        if not people:
            self._people.addWidget(label(self.tr("Nobody yet."), "soft"))

    def _add_person(self) -> None:
        template = list(TEMPLATES)[self.typical.currentIndex()]
        try:
            new, person = add_person(self.document.project, template)
        except ValueError as e:
            self.say.emit(error_sentence(e))
            return
        self.document.apply(new, f"Add {person.name.lower()}")

    def _remove_person(self, ident: str, name: str) -> None:
        project = self.document.project
        for person in group_members(project, find(project.people, ident)):
            project = removed(project, person.id)
        self.document.apply(project, f"Remove {name.lower()}")

    def _guess_use(self, words: str) -> None:
        # A name that says nothing of a use has none of the room before either.
        if not self._use_chosen:
            self.use.setCurrentText(guess_use(words) or "sitting")

    def _choose_use(self) -> None:
        self._use_chosen = True

    def _length(self, text: str) -> float:
        return parse_length(text, "ft" if self.focus.feet else "m") if text.strip() not in ("0", "none") else 0.0

    def _shifted(self, what: str) -> None:
        if what == "placing":
            mark_armed(self, self.focus)
        elif what in ("selected", "marked"):
            self._show_selection()

    def _show_selection(self) -> None:
        n = len(self.focus.marked)
        one = 1 if self.focus.selected is not None and self.focus.selected != self.focus.room else 0
        if n:
            words = self.tr("{} objects selected: edits apply to all.").format(n)
        elif one:
            words = self.tr("One object selected. Shift-click adds more.")
        elif self.focus.selected is not None:
            words = self.tr("The room, with everything in it.")
        else:
            words = self.tr("Nothing selected. Click an object; Shift-click for more.")
        self._selected.setText(words)
        for token, button in self.acts.items():
            many = token not in ("copy", "flip", "flop")
            room = token == "copy" and self.focus.selected is not None
            button.setEnabled(n > 1 if many else n + one > 0 or room)

    def _join_menu(self) -> None:
        project = self.document.project
        room = next((r for r in project.rooms if r.id == self.focus.room), None)
        if room is None:
            self.say.emit(self.tr("Select a room first."))
            return
        menu = QMenu(self)
        for other in project.rooms:
            if other is not room and other.level == room.level:
                try:
                    done = join_rooms(project, room.id, other.id)
                except ValueError:
                    continue
                menu.addAction(other.name, partial(self.take_joined, room.name, other.name, room.id, done))
        if not menu.actions():
            self.say.emit(self.tr("No other room shares a wall with {}.").format(room.name.lower()))
            return
        menu.popup(self.join.mapToGlobal(self.join.rect().bottomLeft()))

    def take_joined(self, name: str, other: str, ident: str, done: Removal) -> None:
        """Make one room of two, and say what went."""
        self.document.apply(done.project, f"Join {name.lower()} and {other.lower()}")
        self.focus.set(room=ident, selected=ident)
        gone = self.tr(", with {}").format(", ".join(done.gone)) if done.gone else ""
        self.say.emit(self.tr("{} is now part of {}{}.").format(other, name.lower(), gone))

    def add_room(self) -> None:
        """Add the room typed; a field that is wrong says so and keeps what was typed."""
        name = self.name.text().strip()
        if not name:
            self.say.emit(self.tr("A room needs a name."))
            self.name.setFocus()
            return
        try:
            outline, size = self._outline(self.measure.text())
            use: RoomUse = USES[self.use.currentIndex()]
            new, room = add_room(self.document.project, self.focus.level, name, use, outline)
        except ValueError as e:
            self.say.emit(error_sentence(e))
            self.measure.setFocus()
            return
        self.document.apply(new, f"Add {name}, {size}")
        self.focus.set(room=room.id, selected=room.id)
        self.added.emit(room)
        self._use_chosen = False
        self.name.clear()
        self.measure.clear()
        self.name.setFocus()

    def _outline(self, text: str) -> tuple[Outline, str]:
        """A rectangle beside what stands there for `4.2 x 3.6`; a polygon for its corners, `0,0 4,0 4,3 2,5`."""
        unit = "ft" if self.focus.feet else "m"
        corners = [c.split(",") for c in text.replace(";", " ").split()]
        if len(corners) > 2 and all(len(c) == 2 for c in corners):
            points = tuple((parse_length(x, unit), parse_length(y, unit)) for x, y in corners)
            return points, self.tr("{} corners").format(len(points))
        width, depth = parse_size(text, unit)
        x, y = place_beside(self.document.project, self.focus.level, width)
        return rectangle(x, y, width, depth), f"{width:g} x {depth:g} m"


def _grid_words(metres: float) -> str:
    return show_length(metres) if metres else "none"

"""The Build panel of the Plan stage: rooms typed by name and size, openings, and the furniture shelf."""

from __future__ import annotations

from functools import partial
from typing import get_args

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from vastwatch.design.building import OPENING_SIZES, add_room, place_beside, rectangle
from vastwatch.design.typical_days import TEMPLATES, add_person, remove_person
from vastwatch.desk.document import Document
from vastwatch.desk.focus import Focus
from vastwatch.desk.parts import clear, label, line, row, scrolling
from vastwatch.desk.theme import MARGIN
from vastwatch.desk.units import parse_size
from vastwatch.site.building import RoomUse
from vastwatch.site.furniture import furniture

USES: tuple[RoomUse, ...] = get_args(RoomUse)


class BuildPanel(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        box = QVBoxLayout(self)
        box.setContentsMargins(MARGIN, 0, 4, 8)
        area, inner = scrolling(7, (0, 0, 10, 0))
        box.addWidget(area)
        inner.addWidget(label(self.tr("Room"), "head"))
        self.name = QLineEdit()
        self.name.setPlaceholderText(self.tr("name"))
        self.name.setAccessibleName(self.tr("Name of the new room"))
        self.measure = QLineEdit()
        self.measure.setPlaceholderText(self.tr("4.2 x 3.6"))
        self.measure.setAccessibleName(self.tr("Size of the new room"))
        self.measure.setToolTip(self.tr("Width by depth: 4.2 x 3.6, or 14 ft x 12 ft."))
        self.use = QComboBox()
        self.use.setAccessibleName(self.tr("Use of the new room"))
        self.use.addItems(list(USES))
        self.use.setCurrentText("sitting")
        self.add = QPushButton(self.tr("Add room"))
        self.add.setToolTip(self.tr("Wall to wall with what stands there; drag its walls and corners afterwards."))
        for w in (self.name, row(self.measure, self.use, stretch=0, spacing=5), self.add):
            inner.addWidget(w)
        self.add.clicked.connect(self.add_room)
        self.name.returnPressed.connect(self.measure.setFocus)
        self.measure.returnPressed.connect(self.add_room)
        inner.addWidget(line())
        inner.addWidget(label(self.tr("In a wall"), "head"))
        self.openings: dict[str, QPushButton] = {}
        for kind in OPENING_SIZES:
            button = self._arming(kind.capitalize(), f"opening:{kind}")
            button.setToolTip(self.tr("Choose it, then click on a wall."))
            self.openings[kind] = button
        inner.addWidget(row(*self.openings.values(), spacing=4))
        inner.addWidget(line())
        inner.addWidget(label(self.tr("Who lives here"), "head"))
        holder = QWidget()
        self._people = QVBoxLayout(holder)
        self._people.setContentsMargins(0, 0, 0, 0)
        self._people.setSpacing(3)
        inner.addWidget(holder)
        self.typical = QComboBox()
        self.typical.setAccessibleName(self.tr("Typical person"))
        for choice in (self.typical, self.use):
            # As narrow as the panel wants; the list that opens is as wide as its words.
            choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            choice.setMinimumContentsLength(6)
        self.typical.addItems([t.name for t in TEMPLATES.values()])
        self.add_person = QPushButton(self.tr("Add"))
        self.add_person.setToolTip(self.tr("With a typical day over the places there are."))
        self.add_person.clicked.connect(self._add_person)
        inner.addWidget(row(self.typical, self.add_person, stretch=0, spacing=5))
        inner.addWidget(line())
        inner.addWidget(label(self.tr("Furniture"), "head"))
        self.finder = QLineEdit()
        self.finder.setPlaceholderText(self.tr("find: bed, shelf …"))
        self.finder.setAccessibleName(self.tr("Find furniture"))
        self.finder.setClearButtonEnabled(True)
        self.finder.textChanged.connect(self._fill)
        inner.addWidget(self.finder)
        holder = QWidget()
        self._list = QVBoxLayout(holder)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(4)
        inner.addWidget(holder)
        inner.addStretch(1)
        self._fill("")
        focus.shift.connect(self._shifted)
        self._shown: object = None
        document.changed.connect(self._show_people)
        self._show_people()

    def _show_people(self, *_: object) -> None:
        people = self.document.project.people
        if people is self._shown:
            return
        self._shown = people
        clear(self._people)
        for person in people:
            away = QPushButton("×")
            away.setFixedSize(24, 26)
            away.setProperty("role", "pick")
            away.setAccessibleName(self.tr("Take {} away").format(person.name))
            away.setToolTip(self.tr("Take {} away").format(person.name))
            away.clicked.connect(partial(self._remove_person, person.id, person.name))
            lines = self.tr("{} lines").format(len(person.stays) + len(person.errands))
            self._people.addWidget(row(label(person.name), label(lines, "soft"), away, stretch=0, spacing=6))
        if not people:
            self._people.addWidget(label(self.tr("Nobody yet."), "soft"))

    def _add_person(self) -> None:
        template = list(TEMPLATES)[self.typical.currentIndex()]
        try:
            new, person = add_person(self.document.project, template)
        except ValueError as e:
            self.say.emit(str(e)[:1].upper() + str(e)[1:] + ".")
            return
        self.document.apply(new, f"Add {person.name.lower()}")

    def _remove_person(self, ident: str, name: str) -> None:
        self.document.apply(remove_person(self.document.project, ident), f"Take {name.lower()} away")

    def _arming(self, words: str, token: str) -> QPushButton:
        button = QPushButton(words)
        button.setCheckable(True)
        button.setProperty("token", token)
        button.setProperty("role", "pick")
        button.clicked.connect(lambda: self._arm(token))
        return button

    def _fill(self, words: str) -> None:
        clear(self._list)
        wanted = words.lower().split()
        for kind in furniture():
            if all(w in f"{kind.name} {kind.kind} {kind.material}".lower() for w in wanted):
                button = self._arming("", f"furniture:{kind.name}")
                button.setAccessibleName(kind.name)
                grid = QGridLayout(button)
                grid.setContentsMargins(9, 2, 9, 2)
                size = label(f"{100 * kind.width:.0f} × {100 * kind.depth:.0f} cm", "soft")
                name = label(kind.name)
                for w in (name, size):
                    w.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
                grid.addWidget(name, 0, 0)
                grid.addWidget(size, 0, 1, Qt.AlignmentFlag.AlignRight)
                button.setFixedHeight(27)
                button.setToolTip(
                    self.tr("{}, {:.2f} m high, {}. Choose it, then click where it stands.").format(
                        kind.name, kind.z1, kind.material
                    )
                )
                self._list.addWidget(button)
        self._shifted("placing")

    def _arm(self, token: str) -> None:
        self.focus.set(placing=None if self.focus.placing == token else token)
        if self.focus.placing:
            what = self.tr("Click on a wall.") if token.startswith("opening") else self.tr("Click where it stands.")
            self.say.emit(what + " " + self.tr("Esc puts it back."))
        self._shifted("placing")

    def _shifted(self, what: str) -> None:
        if what == "placing":
            for button in self.findChildren(QPushButton):
                if button.isCheckable():
                    button.setChecked(button.property("token") == self.focus.placing)

    def add_room(self) -> None:
        """Add the room typed; a field that is wrong says so and keeps what was typed."""
        name = self.name.text().strip()
        if not name:
            self.say.emit(self.tr("A room needs a name."))
            self.name.setFocus()
            return
        try:
            width, depth = parse_size(self.measure.text(), "ft" if self.focus.feet else "m")
            x, y = place_beside(self.document.project, self.focus.level, width)
            use: RoomUse = USES[self.use.currentIndex()]
            new, room = add_room(self.document.project, self.focus.level, name, use, rectangle(x, y, width, depth))
        except ValueError as e:
            self.say.emit(str(e)[:1].upper() + str(e)[1:] + ".")
            self.measure.setFocus()
            return
        self.document.apply(new, f"Add {name}, {width:g} x {depth:g} m")
        self.focus.set(room=room.id, selected=room.id)
        self.name.clear()
        self.measure.clear()
        self.name.setFocus()

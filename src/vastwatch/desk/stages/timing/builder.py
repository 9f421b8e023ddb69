"""The builder of conclusions: which one, what it is about, and what it says, as a sentence that is put together."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QLineEdit, QMenu, QPushButton, QWidget

from vastwatch.control.lighting import made_by
from vastwatch.design.day_time import day_time_words, parse_window
from vastwatch.design.edits.conclusions import add_conclusion, set_expr, set_lighting_conclusion
from vastwatch.design.edits.expressions import (
    Path,
    joined,
    moved,
    part_at,
    replaced,
    unwrapped,
    with_list_kind,
    without_part,
    wrapped,
)
from vastwatch.design.edits.removing import removed
from vastwatch.design.expressions import AtLeast, ClockTime, ConclusionRef, Dark, DoorLatch, Expr, Not, parts_of
from vastwatch.design.patterns import PATTERNS, Pattern
from vastwatch.design.project import Project, find
from vastwatch.design.records import Conclusion
from vastwatch.design.relations import lighting_of, presence_of, presences_in
from vastwatch.design.sentence import Piece, about_words
from vastwatch.design.vocabulary import WRAP_WORDS, PartChoice, doors_of, is_removable, part_choices, wraps
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.units import parse_time
from vastwatch.desk.shell.widgets import Choice, column_in, label, narrow, plain, row
from vastwatch.desk.stages.timing.sentence_view import SentenceView

# A hold or delay is no longer than this, seconds.
LONGEST_S = 7200.0
# A menu with more lines than these has a menu of its own for each heading: it has to fit a low screen.
MOST_IN_A_MENU = 22


class SentenceBuilder(QWidget):
    """`say` carries what cannot be done."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        box = column_in(self, 6)
        self.choice = narrow(Choice())
        self.choice.setAccessibleName(self.tr("Conclusion"))
        self.choice.activated.connect(self._chosen)
        self.more = QPushButton("+")
        self.more.setAccessibleName(self.tr("New conclusions and patterns"))
        self.more.setToolTip(self.tr("Add a pattern or a conclusion, choose the one the lamps follow, rename"))
        self.more.setFixedWidth(34)
        self.more.clicked.connect(self._more)
        box.addWidget(row(self.choice, self.more, stretch=0))
        self._about = label("", "soft", True)
        box.addWidget(self._about)
        self.view = SentenceView(theme)
        self.view.asked.connect(self._ask)
        self.view.figured.connect(self._type)
        self.view.removed.connect(self._take_out)
        self.view.moved.connect(self._move)
        box.addWidget(self.view)
        self._fails = label("", "soft", True)
        box.addWidget(self._fails)
        self.field: QLineEdit | None = None
        self._listed: list[str] = []
        document.changed.connect(self.refresh)
        focus.shift.connect(self._shifted)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what in ("room", "conclusion"):
            self.refresh()

    # -- what is shown -----------------------------------------------------------------------------------------

    @property
    def shown(self) -> Conclusion | None:
        """The conclusion that is shown: the one chosen, or the one that lights the room."""
        return shown_conclusion(self.document.project, self.focus)

    def refresh(self, *_: object) -> None:
        """Show the conclusion, and which others there are."""
        project, shown = self.document.project, self.shown
        every = self._all()
        self._listed = [p.id for p in every]
        self.choice.blockSignals(True)
        self.choice.clear()
        for p in every:
            self.choice.addItem(p.name)
        if shown is not None and shown.id in self._listed:
            self.choice.setCurrentIndex(self._listed.index(shown.id))
        self.choice.blockSignals(False)
        self.choice.setVisible(bool(every))
        self.view.setVisible(shown is not None)
        self.view.show_expr(project, None if shown is None else shown.expr)
        self._fails.setVisible(False)
        if shown is None:
            self._about.setText(self.tr("No conclusion here yet. Place a sensor in this room to create one."))
            return
        where = about_words(project, shown.room, shown.level, shown.zone)
        if shown.room is not None and shown.lights:
            made = {
                "presence": self.tr("About {}; its lamps follow this."),
                "zones": self.tr("About {}; its lamps follow zones, and not this."),
                "rows": self.tr("About {}; its lamps follow rows that do not use this."),
            }
            self._about.setText(made[made_by(project, shown.room)].format(where))
        else:
            self._about.setText(self.tr("About {}; no lamp follows this directly.").format(where))

    def _all(self) -> list[Conclusion]:
        """Those of the room, the one that lights it first; of its level; of the house."""
        project, room = self.document.project, self.focus.room
        mine = sorted(presences_in(project, room), key=lambda p: not p.lights) if room else []
        level = find(project.rooms, room).level if room else self.focus.level
        mine += [p for p in project.presences if p.room is None and p.level == level]
        return mine + [p for p in project.presences if p.room is None and p.level is None]

    def _chosen(self, index: int) -> None:
        self.focus.set(conclusion=self._listed[index])

    # -- changing it -------------------------------------------------------------------------------------------

    def _apply(self, expr: Expr | None, words: str) -> None:
        shown = self.shown
        if shown is None:
            return
        if expr is None:
            self.say.emit(self.tr("A conclusion needs at least one condition: replace this one instead."))
            return
        if expr is shown.expr:
            return
        try:
            new = set_expr(self.document.project, shown.id, expr)
        except ValueError as e:
            self.say.emit(str(e))
            return
        self.document.apply(new, words)

    def _take_out(self, path: Path) -> None:
        shown, here = self.shown, self.view.here
        if shown is not None and here is not None and here.kind == "figure" and here.field != "list":
            # Of a hold or a delay its figure is what is dragged: what it is around stays.
            self._apply(unwrapped(shown.expr, path), f"Change “{shown.name}”")
        elif shown is not None:
            self._apply(without_part(shown.expr, path), f"Remove a condition from “{shown.name}”")

    def _move(self, source: Path, target: Path) -> None:
        shown = self.shown
        if shown is not None:
            self._apply(moved(shown.expr, source, target), f"Move a condition of “{shown.name}”")

    def _ask(self, piece: Piece) -> None:
        menu = self.menu_of(piece)
        if menu is not None:
            menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            menu.popup(self.view.mapToGlobal(self.view.rect_of(piece).bottomLeft() + QPoint(0, 2)))

    def menu_of(self, piece: Piece) -> QMenu | None:
        """What could be done with a piece."""
        shown, project = self.shown, self.document.project
        if shown is None:
            return None
        menu = QMenu(self)
        menu.setAccessibleName(piece.text)
        path, expr = piece.path, shown.expr
        part = part_at(expr, path)

        def add(to: QMenu, words: str, make: Callable[[], Expr | None], done: str) -> object:
            return to.addAction(words, lambda: self._apply(make(), done))

        changed = f"Change “{shown.name}”"
        if piece.field == "list" or (piece.field == "k" and isinstance(part, AtLeast)):
            add(menu, self.tr("any of them"), lambda: with_list_kind(expr, path, "any"), changed)
            add(menu, self.tr("all of them"), lambda: with_list_kind(expr, path, "all"), changed)
            for k in range(2, len(parts_of(part)) + 1):
                many = AtLeast(k=k, of=parts_of(part))
                add(menu, self.tr("at least {}").format(k), lambda m=many: replaced(expr, path, m), changed)  # type: ignore[misc]
            self._join_menus(menu, shown, path, add, changed)
            return menu
        found = part_choices(project, shown, path)
        instead = menu.addMenu(self.tr("Replace with"))
        self._fill(instead, found, add, lambda new: replaced(expr, path, new), changed)
        self._join_menus(menu, shown, path, add, changed)
        ways = wraps(project, shown, path)
        if ways:
            around = menu.addMenu(self.tr("Wrap in"))
            assert around is not None
            for kind in ways:
                if kind == "door_latch":
                    for door in doors_of(project, shown):
                        words = self.tr("Latched by {}").format(find(project.sensors, door.sensor).name)
                        add(around, words, lambda d=door: _latched(expr, path, d), changed)  # type: ignore[misc]
                else:
                    add(around, self.tr(WRAP_WORDS[kind]), lambda k=kind: wrapped(expr, path, k), changed)  # type: ignore[misc]
        if isinstance(part, ClockTime | Dark):
            menu.addAction(self.tr("Edit value…"), lambda: self._type(piece))
        if isinstance(part, ConclusionRef):
            menu.addAction(self.tr("Go to that conclusion"), lambda: self.focus.set(conclusion=part.presence))
        if path and isinstance(part_at(expr, path[:-1]), Not):
            add(menu, self.tr("Remove the not"), lambda: unwrapped(expr, path[:-1]), changed)
        if is_removable(shown, path):
            menu.addSeparator()
            add(menu, self.tr("Remove"), lambda: without_part(expr, path), f"Remove a condition from “{shown.name}”")
        return menu

    def _join_menus(self, menu: QMenu, shown: Conclusion, path: Path, add: Callable[..., object], changed: str) -> None:
        found = part_choices(self.document.project, shown, path)
        for words, by in ((self.tr("Or"), "any"), (self.tr("And"), "all")):
            sub = menu.addMenu(words)
            self._fill(sub, found, add, lambda new, b=by: joined(shown.expr, path, new, b), changed)  # type: ignore[misc]

    def _fill(
        self, menu: QMenu | None, found: list[PartChoice], add: Callable[..., object], make: Callable[[Expr], Expr],
        done: str,
    ) -> None:  # fmt: skip
        """The offers, under their headings, or where they are many with a menu for each; those of other rooms in menus
        of these."""
        assert menu is not None
        headings = {o.heading for o in found}
        many = len(headings) + sum(not o.heading.startswith("Elsewhere") for o in found) > MOST_IN_A_MENU
        subs: dict[str, QMenu] = {}
        heading = ""
        for offer in found:
            to = menu
            if offer.heading.startswith("Elsewhere"):
                where = offer.heading.removeprefix("Elsewhere: ")
                if where not in subs:
                    sub = menu.addMenu(where or self.tr("Elsewhere"))
                    assert sub is not None
                    subs[where] = sub
                to = subs[where]
            elif many:
                if offer.heading not in subs:
                    sub = menu.addMenu(self.tr(offer.heading))
                    assert sub is not None
                    subs[offer.heading] = sub
                to = subs[offer.heading]
            elif offer.heading != heading:
                heading = offer.heading
                menu.addSection(self.tr(heading))
            add(to, offer.words, lambda o=offer: make(o.expr), done)

    # -- figures -----------------------------------------------------------------------------------------------

    def _type(self, piece: Piece) -> None:
        """Type over a figure where it stands."""
        shown = self.shown
        if shown is None:
            return
        part = part_at(shown.expr, piece.path)
        self._close_field()
        field = self.field = QLineEdit(self.view)
        rect = self.view.rect_of(piece)
        field.setText(_typed(part, piece))
        wide = max(rect.width() + 30, 190 if isinstance(part, ClockTime) else 84)
        left = min(rect.left() - 4, max(self.view.width() - wide, 0))
        field.setGeometry(max(left, 0), rect.top() - 1, min(wide, self.view.width()), rect.height() + 2)
        field.setAccessibleName(self.tr("New value"))
        field.setToolTip(plain(_hint(part, piece)))
        field.selectAll()
        field.show()
        field.setFocus()
        field.returnPressed.connect(lambda: self._typed(piece, field.text()))
        field.editingFinished.connect(self._close_field)

    def _close_field(self) -> None:
        field, self.field = self.field, None
        if field is not None:
            field.hide()
            field.deleteLater()
            self.view.setFocus()

    def _typed(self, piece: Piece, text: str) -> None:
        shown = self.shown
        if shown is None:
            return
        try:
            new = changed_part(part_at(shown.expr, piece.path), piece.field, text)
        except ValueError as e:
            self.say.emit(str(e))
            return
        self._apply(replaced(shown.expr, piece.path, new), f"Change “{shown.name}” to {text.strip()}")

    # -- others ------------------------------------------------------------------------------------------------

    def _more(self) -> None:
        menu = self.more_menu()
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def more_menu(self) -> QMenu:
        """New conclusions, ready-made patterns, and what becomes of the one shown."""
        project, shown = self.document.project, self.shown
        menu = QMenu(self)
        room = self.focus.room
        if room is not None:
            patterns = menu.addMenu(self.tr("Add a pattern for this room"))
            assert patterns is not None
            for pattern in PATTERNS:
                made = pattern.make(project, find(project.rooms, room))
                action = QAction(self.tr(pattern.name), patterns)
                action.setEnabled(made is not None)
                why = pattern.what if made is not None else self.tr("Requires {}.").format(pattern.wants)
                action.setToolTip(plain(f"{why} {self.tr('Weakness')}: {pattern.fails}"))
                action.triggered.connect(lambda _, p=pattern: self._take_pattern(p))
                patterns.addAction(action)
            patterns.setToolTipsVisible(True)
        new = menu.addMenu(self.tr("Add a conclusion"))
        assert new is not None
        for words, where in self._places():
            new.addAction(words, lambda w=where: self._begin(w))
        if shown is None:
            return menu
        if shown.room is not None and not shown.lights:
            menu.addAction(self.tr("Make the lamps follow it"), self._let_light)
        menu.addAction(self.tr("Rename…"), self._rename)
        menu.addAction(self.tr("Delete"), self._take_away)
        return menu

    def _places(self) -> list[tuple[str, dict[str, str | None]]]:
        """What a new conclusion could be about."""
        project, room = self.document.project, self.focus.room
        out: list[tuple[str, dict[str, str | None]]] = []
        if room is not None:
            out.append((self.tr("about {}").format(find(project.rooms, room).name), {"room": room}))
        for level in project.levels:
            out.append((self.tr("about {}").format(level.name), {"level": level.id}))
        out.append((self.tr("about the building"), {}))
        return out

    def _begin(self, where: dict[str, str | None]) -> None:
        """A new conclusion: what is first offered there, held a while, to be changed from there."""
        project = self.document.project
        like = Conclusion(id="new", name="", expr=Dark(room=""), **where)  # type: ignore[arg-type]
        found = part_choices(project, like)
        if not found:
            self.say.emit(self.tr("Nothing to build a conclusion from yet: place a sensor first."))
            return
        named = about_words(project, where.get("room"), where.get("level"), None)
        name = self.tr("Somebody in {}").format(named[:1].lower() + named[1:])
        new, made = add_conclusion(project, name, found[0].expr, where.get("room"), where.get("level"))
        self.document.apply(new, f"Add conclusion “{made.name}”")
        self.focus.set(conclusion=made.id)

    def _take_pattern(self, pattern: Pattern) -> None:
        project, room = self.document.project, self.focus.room
        if room is None:
            return
        made = pattern.make(project, find(project.rooms, room))
        if made is None:
            return
        lit = presence_of(project, room)
        if lit is None:
            new, lit = add_conclusion(project, f"Somebody in {find(project.rooms, room).name.lower()}", made, room)
        else:
            new = set_expr(project, lit.id, made)
        self.document.apply(new, f"{pattern.name} in {find(project.rooms, room).name.lower()}")
        self.focus.set(conclusion=lit.id)
        self._fails.setText(self.tr("{} Weakness: {}").format(pattern.what, pattern.fails))
        self._fails.setVisible(True)

    def _let_light(self) -> None:
        shown = self.shown
        if shown is not None:
            self.document.apply(
                set_lighting_conclusion(self.document.project, shown.id), f"Make the lamps follow “{shown.name}”"
            )

    def _rename(self) -> None:
        shown = self.shown
        if shown is None:
            return
        self._close_field()
        field = self.field = QLineEdit(self)
        field.setText(shown.name)
        field.setGeometry(self.choice.geometry().translated(self.choice.parentWidget().pos()))  # type: ignore[union-attr]
        field.setAccessibleName(self.tr("New name"))
        field.selectAll()
        field.show()
        field.setFocus()
        field.returnPressed.connect(lambda: self._call(shown.id, field.text()))
        field.editingFinished.connect(self._close_field)

    def _call(self, ident: str, text: str) -> None:
        name = " ".join(text.split())
        if not name:
            self.say.emit(self.tr("A conclusion needs a name."))
            return
        project = self.document.project
        records = tuple(replace(p, name=name) if p.id == ident else p for p in project.presences)
        self.document.apply(replace(project, presences=records), f"Rename a conclusion to “{name}”")

    def _take_away(self) -> None:
        shown = self.shown
        if shown is not None:
            self.focus.set(conclusion=None)
            self.document.apply(removed(self.document.project, shown.id), f"Delete “{shown.name}”")


def shown_conclusion(project: Project, focus: Focus) -> Conclusion | None:
    """The conclusion that one is at: the one chosen, else the one that lights the room."""
    chosen = next((p for p in project.presences if p.id == focus.conclusion), None)
    if chosen is not None and (chosen.room is None or chosen.room == focus.room):
        return chosen
    return lighting_of(project, focus.room) if focus.room else None


def _latched(expr: Expr, path: Path, door: Expr) -> Expr:
    new = wrapped(expr, path, "door_latch")
    latch = part_at(new, path)
    assert isinstance(latch, DoorLatch)
    return replaced(new, path, replace(latch, door=door))


def _typed(part: Expr, piece: Piece) -> str:
    """A figure as it is typed."""
    if isinstance(part, ClockTime):
        return f"{part.begin} to {part.end}"
    if isinstance(part, Dark):
        return "" if part.below_lux is None else f"{part.below_lux:g}"
    return piece.text


def _hint(part: Expr, piece: Piece) -> str:
    if isinstance(part, ClockTime):
        now = f"{day_time_words(part.begin)} to {day_time_words(part.end)}"
        return f"Start and end: 22:30 to sunrise+00:30. Now {now}."
    if isinstance(part, Dark):
        return "Lux below which it is dark; two values for on and off: 20 40."
    if piece.field in ("on_above", "off_below"):
        return "A probability in percent."
    return "Duration: 40 s, 2 min."


def changed_part(part: Expr, field: str, text: str) -> Expr:
    """A part with a figure typed over. Raises ValueError with a sentence."""
    if isinstance(part, ClockTime):
        begin, end = parse_window(text)
        return replace(part, begin=begin, end=end)
    if isinstance(part, Dark):
        return _dark(part, text)
    if field in ("on_above", "off_below"):
        share = _number(text.replace("%", ""), "a probability in percent, such as 60") / 100.0
        if not 0.0 < share < 1.0:
            raise ValueError("a probability must be above 0 and below 100 %")
        return replace(part, **{field: share})
    seconds = parse_time(text)
    if not 0.0 <= seconds <= LONGEST_S:
        raise ValueError("must be between 0 s and 2 h")
    return replace(part, **{field: seconds})


def _dark(part: Dark, text: str) -> Dark:
    figures = [_number(x, "a value in lux, such as 20, or two: 20 40") for x in text.replace("lux", " ").split()]
    if not figures:
        return replace(part, below_lux=None, until_lux=None)
    if len(figures) > 2 or min(figures) < 0:
        raise ValueError("one value in lux, or two: dark below the first, no longer dark above the second")
    if len(figures) == 2 and figures[1] < figures[0]:
        raise ValueError("the second value must not be lower than the first")
    return replace(part, below_lux=figures[0], until_lux=figures[1] if len(figures) == 2 else None)


def _number(text: str, wanted: str) -> float:
    try:
        return float(text.strip().replace(",", "."))
    except ValueError:
        raise ValueError(f"'{text.strip()}' is not {wanted}") from None

"""The Rooms page: each room's use and control and what that asks for; under it the focused room's needs in words."""

from __future__ import annotations

from functools import partial
from typing import Any, get_args

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QInputDialog, QPushButton, QWidget

from vastwatch.design.edits.uses import give_to_use, make_use, use_choices, use_key, with_use
from vastwatch.design.needs import OPEN, Need, needs_in_words, needs_of, use_words
from vastwatch.design.project import put
from vastwatch.design.relations import levels_in_order
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import MARGIN, Theme
from vastwatch.desk.shell.units import parse_time
from vastwatch.desk.shell.widgets import FigureField, LazyPanel, clear, column_in, label, row, scrolling
from vastwatch.desk.stages.brief.table import Column, RowsModel, RowsTable
from vastwatch.site.building import Control, Room
from vastwatch.words import duration_words, error_sentence

CONTROL_WORDS = {"presence": "automatic", "absence": "manual on"}


def number(text: str, what: str) -> float:
    """A plain number with either decimal sign. Raises ValueError."""
    try:
        value = float(text.replace(",", ".").split()[0])
    except (ValueError, IndexError):
        raise ValueError(f"'{text}' is not {what}") from None
    if not 0 <= value < 1e6:
        raise ValueError(f"{text} is not {what}")
    return value


class RoomsPage(LazyPanel):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.theme = document, focus, theme
        box = column_in(self, 8, (MARGIN, 2, 8, 8))
        p = self._limits
        self.model = RowsModel(
            (
                Column(self.tr("Room"), lambda r: r.name, self._rename),
                Column(self.tr("Use"), use_key, self._set_use, lambda _: use_choices(self.document.project),
                       self.tr("What people do here. Sets the needs of the room."), 72),
                Column(self.tr("Control"), lambda r: r.control, self._set_control,
                       lambda _: list(CONTROL_WORDS.items()),
                       self.tr("Automatic: on and off with presence. Manual on: switched on by hand, goes off "
                               "automatically."), 96),
                Column(self.tr("Within"), lambda r: f"{p(r).notice_s:g} s", partial(self._need, "notice_s"), None,
                       self.tr("Time within which somebody walking in must be noticed."), 50, True,
                       lambda r: r.needs.notice_s is not None),
                Column(self.tr("False-offs"), lambda r: f"{p(r).drops_per_week:g}",
                       partial(self._need, "drops_per_week"), None,
                       self.tr("Limit: how often a week the light may go off on somebody."), 64, True,
                       lambda r: r.needs.drops_per_week is not None),
            ),
            theme,
        )  # fmt: skip
        self.model.refused.connect(self.say)
        self.table = RowsTable(self.model, self.tr("Rooms and their uses"))
        box.addWidget(self.table, 3)
        self._title = label("", "head")
        box.addWidget(self._title)
        area, self._needs = scrolling(6, (0, 0, 8, 0))
        box.addWidget(area, 2)
        self._shown: object = None
        self._selecting = False
        document.changed.connect(self.wake)
        focus.shift.connect(self._shifted)
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(self._row_chosen)
        self.refresh()

    def _limits(self, room: Room) -> Any:
        return needs_of(self.document.project, room)

    def refresh(self, *_: object) -> None:
        """Show the project's rooms, level by level, and the focused one's needs."""
        project = self.document.project
        order = {x.id: k for k, x in enumerate(levels_in_order(project))}
        rooms = sorted(project.rooms, key=lambda r: order[r.level])
        selection = self.table.selectionModel()
        if selection is not None:
            self._selecting = True
            self.model.set_rows(rooms)
            at = next((k for k, r in enumerate(rooms) if r.id == self.focus.room), -1)
            if at >= 0 and self.table.currentIndex().row() != at:
                self.table.selectRow(at)
            self._selecting = False
        self._explain()

    def _shifted(self, what: str) -> None:
        if what == "room":
            self.refresh()

    def _row_chosen(self, index: Any, _: Any) -> None:
        if self._selecting or not index.isValid() or index.row() >= len(self.model.rows):
            return
        room = self.model.rows[index.row()]
        self.focus.set(level=room.level, room=room.id, selected=room.id)

    # -- writing -----------------------------------------------------------------------------------------------

    def _put(self, room: Room, words: str) -> None:
        self.document.apply(put(self.document.project, room), words)

    def _rename(self, room: Room, text: str) -> None:
        if not text:
            raise ValueError("a room needs a name")
        self._put(replace(room, name=text[:60]), f"Rename to {text}")

    def _set_use(self, room: Room, use: str) -> None:
        new = with_use(self.document.project, room, use)
        self._put(new, f"Set the use of {room.name} to {use_words(self.document.project, new)}")

    def _own_use(self, room: Room) -> None:
        """A use of the project's own of this room's needs, or these needs for all rooms of its own use."""
        project = self.document.project
        if room.own_use is not None:
            words = use_words(project, room)
            self.document.apply(give_to_use(project, room.id), f"Apply the needs of {room.name.lower()} to all {words}")
            return
        asked = self.tr("Name of a use with the same needs as {}").format(room.name.lower())
        name, ok = QInputDialog.getText(self, self.tr("New custom use"), asked)
        if ok:
            try:
                new, use = make_use(project, room.id, name)
            except ValueError as e:
                self.say.emit(error_sentence(e))
                return
            self.document.apply(new, f"Add the custom use {use.name}")

    def _set_control(self, room: Room, control: str) -> None:
        if control not in get_args(Control):
            raise ValueError(f"'{control}' is not a type of control")
        self._put(replace(room, control=control), f"Control in {room.name}: {CONTROL_WORDS[control]}")

    def _need(self, field: str, room: Room, text: str) -> None:
        value = parse_time(text) if field in ("notice_s", "hold_max_s") else number(text, "a number")
        if value <= 0 and field in ("notice_s", "hold_max_s"):
            raise ValueError("must be longer than zero")
        self._set_need(room, field, value)

    def _set_need(self, room: Room, field: str, value: float | bool | None) -> None:
        words = "the default for its use" if value is None else f"{value:g}"
        new = replace(room, needs=replace(room.needs, **{field: value}))
        self._put(new, f"Change a need of {room.name}: {words}")

    # -- the needs in words --------------------------------------------------------------------------------------

    def _explain(self) -> None:
        project = self.document.project
        room = next((r for r in project.rooms if r.id == self.focus.room), None)
        shown = (room, project.spots, project.people, project.brief, project.uses)
        if shown == self._shown:
            return
        self._shown = shown
        clear(self._needs)
        if room is None:
            self._title.setText(self.tr("Draw rooms in the Plan stage first, or import a drawing."))
            return
        self._title.setText(self.tr("Needs of {}").format(room.name))
        for need in needs_in_words(project, room):
            self._needs.addWidget(self._line(room, need))
        if room.own_use is None or any(getattr(room.needs, f) is not None for f in room.needs.__struct_fields__):
            words = self.tr("New custom use…") if room.own_use is None else self.tr("Apply to all with this use")
            own = QPushButton(words)
            own.setObjectName("own-use")
            own.setToolTip(self.tr("Gives these needs to every room with the same custom use."))
            own.clicked.connect(lambda: self._own_use(room))
            self._needs.addWidget(row(own, QWidget(), stretch=1))
        self._needs.addStretch(1)

    def _line(self, room: Room, need: Need) -> QWidget:
        holder = QWidget()
        box = column_in(holder, 1)
        words = label(need.words[:1].upper() + need.words[1:], "", True)
        if need.field == "stays":
            box_ = QCheckBox(self.tr("people stay"))
            box_.setChecked(bool(need.value))
            box_.setToolTip(self.tr("Whether the light must stay on for people who stay."))
            box_.toggled.connect(lambda on: self._set_need(room, "stays", on))
            field: QWidget = box_
        else:
            field = self._field(room, need)
        field.setFixedWidth(96)
        box.addWidget(row(words, field, stretch=0))
        why = label(self.tr("because {}").format(need.why), "soft", True)
        if need.own:
            usual = QPushButton(self.tr("default"))
            usual.setProperty("role", "pick")
            usual.setToolTip(self.tr("Changed here; click to restore the default for the use."))
            usual.clicked.connect(lambda: self._set_need(room, need.field, None))
            box.addWidget(row(why, usual, stretch=0))
        else:
            box.addWidget(why)
        return holder

    def _field(self, room: Room, need: Need) -> FigureField:
        seconds = need.field in ("notice_s", "hold_max_s")
        share = need.field == "asleep_share"
        scale = 100.0 if share else 1.0
        hours = need.field == "idle_h"
        visits = self.tr("by visits")
        show = (
            duration_words if seconds else (lambda v: f"{v:g} %") if share
            else (lambda v: visits if v == OPEN else f"{v:g} h") if hours else (lambda v: f"{v:g}")
        )  # fmt: skip
        parse = parse_time if seconds else lambda text: number(text.replace("%", "").replace("h", ""), "a number")
        step = {"notice_s": 0.5, "hold_max_s": 60.0, "lux": 25.0, "asleep_share": 5.0}.get(need.field, 0.25)
        low = 0.1 if seconds else 0.0
        high = 100.0 if share else 24.0 if hours else 1e5
        why = self.tr("Type a value, or step with Up and Down.")
        field = FigureField(need.words, parse, show, step, low, high, why)
        field.set_value(OPEN if need.value == OPEN else need.value * scale)
        field.wrong.connect(self.say)
        field.entered.connect(lambda v: self._set_need(room, need.field, v / scale))
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        return field

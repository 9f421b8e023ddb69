"""The ladder in hand: of which room, or which lamps of it; its rows with the one that wins at the playhead, and why not
those above that."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from vastwatch.advice.scenes.ladder_states import why_not
from vastwatch.control.lighting import LadderRun, RoomRun
from vastwatch.control.manual.override import ends_words
from vastwatch.design.edits.ladders import move_row, remove_row
from vastwatch.design.ladders import groups_in, ladder_rows, lamps_for
from vastwatch.design.project import Project, find
from vastwatch.design.records import LadderRow, LampGroup
from vastwatch.design.relations import buttons_in, lamps_in
from vastwatch.design.sentence import condition_words
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import Choice, column_in, label, pressed, row
from vastwatch.desk.stages.scenes.group_dialog import GroupDialog
from vastwatch.desk.stages.scenes.ladder_view import LadderView, ShownRow


class LadderPane(QWidget):
    """`asked` what to change of a row, by its id."""

    asked = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, results: Results, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.results = document, focus, results
        self._filling = False
        box = column_in(self, 7)
        self._title = label("", "head", True)
        box.addWidget(self._title)
        self.of = Choice()
        self.of.setAccessibleName(self.tr("Ladder of"))
        self.of.setToolTip(self.tr("Lamp groups of a room have their own ladder"))
        self.of.currentIndexChanged.connect(self._chose_group)
        self.lamps = pressed(self.tr("Lamps…"), self.change_group, self.tr("Choose which lamps follow this ladder"))
        self._groups = row(self.of, self.lamps, stretch=0, spacing=6)
        box.addWidget(self._groups)
        self.view = LadderView(theme)
        self.view.chosen.connect(self._choose)
        self.view.moved.connect(self._move)
        self.view.removed.connect(self.remove)
        self.view.asked.connect(self.asked)
        box.addWidget(self.view)
        self._why = label("", "soft", True)
        box.addWidget(self._why)

    # -- what is in hand ---------------------------------------------------------------------------------------

    @property
    def group(self) -> LampGroup | None:
        """The group of lamps whose ladder is in hand; None for the room's own."""
        there = groups_in(self.document.project, self.focus.room or "")
        return next((g for g in there if g.id == self.focus.lamps), None)

    @property
    def ident(self) -> str | None:
        """The id of that group; None for the room's own ladder."""
        return None if self.group is None else self.group.id

    @property
    def rows(self) -> tuple[LadderRow, ...]:
        """The rows of the ladder in hand, from the top."""
        return ladder_rows(self.document.project, self.focus.room or "", self.ident)

    @property
    def rule(self) -> LadderRow | None:
        """The row in hand."""
        return next((r for r in self.rows if r.id == self.focus.row), None)

    @property
    def run(self) -> RoomRun | None:
        """What all ladders of the room did in the days that are shown."""
        house = self.results.house
        return None if house is None else house.ladders.get(self.focus.room or "")

    @property
    def did(self) -> LadderRun | None:
        """What the ladder in hand did in those days, if it is still the same ladder."""
        run = self.run
        did, mine = None if run is None else run.of(self.ident), self.rows
        return did if did is not None and len(did.rows) == len(mine) and all(
            a is b for a, b in zip(did.rows, mine)
        ) else None  # fmt: skip

    # -- what is shown -----------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the ladder in hand, or say why there is none."""
        project, room = self.document.project, self.focus.room
        record = next((r for r in project.rooms if r.id == room), None)
        mine = self.rows
        self._title.setText(
            self.tr("No room selected")
            if record is None
            else self.tr("{}: the first row that applies wins").format(record.name)
            if mine
            else self.tr("{} has no ladder").format(record.name if self.group is None else self.group.name)
        )
        self._show_groups(project, room or "")
        self.view.setVisible(bool(mine))
        self.view.show_rows(self._shown(project, room or ""), self.focus.row)
        self._tell_why(record is not None and bool(lamps_in(project, room or "")))

    def _show_groups(self, project: Project, room: str) -> None:
        groups = groups_in(project, room)
        self._groups.setVisible(bool(groups))
        entries = [(self.tr("The room’s other lamps"), None), *((g.name, g.id) for g in groups)]
        self._filling = True
        if entries != [(self.of.itemText(k), self.of.itemData(k)) for k in range(self.of.count())]:
            self.of.clear()
            for name, ident in entries:
                self.of.addItem(name, ident)
        self.of.setCurrentIndex(next(k for k, (_, ident) in enumerate(entries) if ident == self.ident))
        self._filling = False
        self.lamps.setEnabled(self.group is not None)

    def _shown(self, project: Project, room: str) -> list[ShownRow]:
        mine, did, t = self.rows, self.did, self.focus.time
        if not mine:
            return []
        won = None if did is None else did.winners.at(t)
        share = None if did is None else did.share()
        n, out = len(mine), []
        pressed = buttons_in(project, room)
        if pressed:
            hands = () if did is None or self.run is None else self.run.overrides
            by_hand = None if did is None else sum(
                min(h.end, did.winners.edges[-1]) - h.begin for h in hands
            ) / float(did.winners.edges[-1])  # fmt: skip
            now = any(h.begin <= t < h.end for h in hands)
            words = self.tr("override, {}").format(ends_words(pressed[0]))
            out.append(ShownRow(None, self.tr("Manual override"), words, by_hand, now, now))
        by_hand_now = bool(out and out[0].wins)
        for k, rule in enumerate(mine):
            holds = did is not None and bool(did.row_signals[k].at(t))
            out.append(
                ShownRow(
                    rule.id, rule.name or _capital(condition_words(project, rule.when)),
                    self._asks(project, rule.scene),
                    None if share is None else float(share[k]), won == k and not by_hand_now, holds,
                )
            )  # fmt: skip
        none_ = won is not None and won == n and not by_hand_now
        out.append(
            ShownRow(None, self.tr("Else"), self.tr("all off"), None if share is None else float(share[n]), none_)
        )
        return out

    def _asks(self, project: Project, scene: str) -> str:
        record = find(project.scenes, scene)
        names = {lamp.id: lamp.name for lamp in lamps_for(project, record.room, self.ident)}
        room = find(project.rooms, record.room).name
        mine = [x for x in record.levels if x.lamp in names]
        lit = [f"{_short(names[x.lamp], room)} {100 * x.level:.0f} %" for x in mine if x.level > 0]
        fade = max((x.fade_s for x in mine), default=0.0)
        words = ", ".join(lit) or self.tr("all off")
        return f"{words}, in {fade:g} s" if fade > 0 and lit else words

    def _tell_why(self, has_lamps: bool) -> None:
        did = self.did
        if not self.rows:
            room_has = bool(ladder_rows(self.document.project, self.focus.room or ""))
            if not has_lamps:
                words = self.tr("It has no lamps.")
            elif self.group is not None and room_has:
                words = self.tr("Its lamps follow the room’s ladder until it has a row.")
            else:
                words = self.tr("Its lamps are fully on while the room is occupied and dark. Add a ladder for more.")
            self._why.setText(words)
            return
        if did is None:
            self._why.setText(self.tr("Simulating the week…") if self.results.week.busy else "")
            return
        above = why_not(did, self.focus.time)
        if not above:
            self._why.setText(self.tr("The first row that applies wins; rows below it are ignored."))
            return
        names = [did.rows[k].name or f"{k + 1}" for k, _ in above]
        said = "”, “".join(names[:3]) + ("”, …" if len(names) > 3 else "”")
        self._why.setText(self.tr("Rows above that do not apply now: “{}").format(said) if len(names) > 1
                          else self.tr("The row above does not apply now: “{}").format(said))  # fmt: skip

    # -- what is done ------------------------------------------------------------------------------------------

    def _choose(self, ident: str) -> None:
        rule = find(self.document.project.rules, ident)
        self.focus.set(row=ident, lamps=rule.group, scene=rule.scene)

    def _chose_group(self, index: int) -> None:
        if not self._filling and index >= 0:
            self.focus.set(lamps=self.of.itemData(index), row=None, scene=None)

    def _move(self, ident: str, at: int) -> None:
        rule = find(self.document.project.rules, ident)
        name = rule.name or self.tr("a row")
        self.document.apply(move_row(self.document.project, ident, at), f"Move “{name}” in its ladder", f"move-{ident}")

    def remove(self, ident: str) -> None:
        """Take a row out."""
        name = find(self.document.project.rules, ident).name
        self.focus.set(row=None, scene=None)
        self.document.apply(remove_row(self.document.project, ident), f"Delete the row “{name}”")

    def new_group(self) -> None:
        """Ask which lamps of the room are to follow a ladder of their own."""
        self._ask_group(None)

    def change_group(self) -> None:
        """Ask for another name or other lamps of the group in hand, or give its lamps back to the room."""
        self._ask_group(self.group)

    def _ask_group(self, group: LampGroup | None) -> None:
        if self.focus.room is not None:
            self.dialog = GroupDialog(self.document, self.focus, group, self.window() or self)
            self.dialog.open()


def _capital(words: str) -> str:
    return words[:1].upper() + words[1:]


def _short(lamp: str, room: str) -> str:
    """A lamp's name without that of its room: `ceiling` of `Sitting room light` stays `light`."""
    words = lamp.removeprefix(room).strip() or lamp
    return words[:1].lower() + words[1:]

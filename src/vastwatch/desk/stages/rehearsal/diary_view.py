"""The diary beside a log: what somebody noted, each note with the light that it is about and what led to that."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QPushButton, QWidget

from vastwatch.advice.logs.replay import dated, explain_note, notes_of
from vastwatch.control.house import HouseRun
from vastwatch.design.project import DiaryNote
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.widgets import LinkCard, clear, column_in, column_under, label, pressed, row
from vastwatch.words import clock_words, error_sentence


class DiaryView(QWidget):
    """`gone_to` carries the instant of a note and the room it is about, "" for none; `say` one-line messages."""

    gone_to = pyqtSignal(float, str)
    say = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        box = column_in(self, 5)
        box.addWidget(guide_label(self.tr("Diary"), "log", "head"))
        self.field = QLineEdit()
        self.field.setAccessibleName(self.tr("Note"))
        self.field.setPlaceholderText(self.tr("2026-01-13 21:10 light went off on me"))
        self.field.setToolTip(self.tr("Date, time and what happened. Return adds the note."))
        self.field.returnPressed.connect(self._add)
        self.add = pressed(self.tr("Add note"), self._add)
        box.addWidget(self.field)
        box.addWidget(row(QWidget(), self.add, stretch=0))
        self._list = column_under(box, 5)

    def show_house(self, house: HouseRun) -> None:
        """Show the notes over the days of a recording, in their order."""
        clear(self._list)
        calendar = house.recording.calendar
        inside = notes_of(house)
        for ident, note in inside:
            found = explain_note(house, note)
            card = LinkCard(note.text)
            inner = column_in(card, 1, (9, 5, 6, 6))
            away = QPushButton("×")
            away.setFixedSize(24, 26)
            away.setProperty("role", "pick")
            away.setAccessibleName(self.tr("Delete the note: {}").format(note.text))
            away.clicked.connect(partial(self._remove, ident))
            date = calendar.date(calendar.day_of(note.at))
            when = f"{date:%a} {date.day} {date:%b}, {clock_words(calendar.clock_s(note.at))[:5]}"
            inner.addWidget(row(label(when, "soft"), away, stretch=0))
            inner.addWidget(label(note.text, "", True))
            inner.addWidget(label(" ".join(found.chain), "soft", True))
            card.chosen.connect(partial(self.gone_to.emit, note.at, found.room or ""))
            self._list.addWidget(card)
        others = len(house.project.diary) - len(inside)
        if others:
            self._list.addWidget(label(self.tr("{} about other days.").format(others), "soft"))

    def _add(self) -> None:
        text = self.field.text().strip()
        if not text:
            return
        try:
            at, words = dated(text)
        except ValueError as e:
            self.say.emit(error_sentence(e))
            return
        project = self.document.project
        used = {n.id for n in project.diary}
        ident = next(f"note-{k}" for k in range(1, len(used) + 2) if f"note-{k}" not in used)
        note = DiaryNote(id=ident, at=at, text=words)
        self.document.apply(replace(project, diary=(*project.diary, note)), f"Add a note: {words}")
        self.field.clear()

    def _remove(self, ident: str, *_: object) -> None:
        project = self.document.project
        left = tuple(n for n in project.diary if n.id != ident)
        self.document.apply(replace(project, diary=left), "Delete a note")

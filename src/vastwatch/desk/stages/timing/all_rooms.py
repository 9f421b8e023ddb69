"""At the foot of the Timing panel: all rooms at once, and test mode."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from vastwatch.design.edits.conclusions import set_holds
from vastwatch.design.edits.test_mode import TEST_HOLD_S, begin_test, end_test
from vastwatch.design.presence import hold_of
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.desk.results.adviser import OPTIONS
from vastwatch.desk.results.judged import HOUSE_JUDGED
from vastwatch.desk.results.registry import Results
from vastwatch.desk.results.timing import SETTLED
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.widgets import column_in, label, pressed
from vastwatch.words import counted, duration_words


class AllRooms(QWidget):
    """`say` carries what cannot be done. `now` tells the time, for the hour at which holds were shortened."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, results: Results, now: Callable[[], datetime] = datetime.now) -> None:
        super().__init__()
        self.document, self.results, self._now = document, results, now
        box = column_in(self, 6)
        box.addWidget(guide_label(self.tr("All rooms"), "test-mode", "head"))
        self.told = label("", "soft", True)
        box.addWidget(self.told)
        self.accept = pressed("", self._accept, self.tr("Counts as one undo step."))
        box.addWidget(self.accept)
        self.test = pressed("", self._test)
        box.addWidget(self.test)
        document.changed.connect(self.refresh)
        results[HOUSE_JUDGED].changed.connect(self.refresh)
        for derived in (results[SETTLED], results[OPTIONS]):
            derived.changed.connect(self.refresh)
        self.refresh()

    def better(self) -> dict[str, float]:
        """By conclusion, the hold that the judge recommends where that is another, of all rooms judged so far."""
        project = self.document.project
        out = {}
        for room in project.rooms:
            judged, presence = self.results.judged.get(room.id), presence_of(project, room.id)
            now = None if presence is None else hold_of(presence.expr)
            if judged is None or presence is None or now is None or judged.best_s is None:
                continue
            if abs(judged.best_s - now) > 0.5:
                out[presence.id] = judged.best_s
        return out

    def refresh(self, *_: object) -> None:
        """What could be set in all rooms, and whether holds are shortened."""
        project = self.document.project
        mode = project.brief.test_mode
        judged = [r for r in project.rooms if self.results.judged.get(r.id) is not None]
        better = {} if mode is not None else self.better()
        names = ", ".join(
            f"{find(project.presences, p).name.lower()} {duration_words(s)}" for p, s in list(better.items())[:4]
        )
        more = "" if len(better) <= 4 else self.tr(" and {} more").format(len(better) - 4)
        if mode is not None:
            self.told.setText(self.tr("Hold times are shortened since {}.").format(mode.since.replace("T", " ")))
        elif better:
            self.told.setText(self.tr("Recommended hold times: {}{}.").format(names, more))
        elif judged:
            words = self.tr("{} checked; no other hold time would meet the brief better.")
            self.told.setText(words.format(counted(len(judged), "room")))
        else:
            self.told.setText(self.tr("No room has been checked yet: that happens while the design rests."))
        self.accept.setVisible(bool(better))
        self.accept.setText(self.tr("Apply all recommended hold times"))
        self.test.setText(
            self.tr("Restore the normal hold times")
            if mode is not None
            else self.tr("Test mode: shorten all hold times to {}").format(duration_words(TEST_HOLD_S))
        )
        self.test.setToolTip(
            self.tr("For a walk test of the building: every hold time is shortened until you restore it.")
        )

    def _accept(self) -> None:
        better = self.better()
        if better:
            self.document.apply(
                set_holds(self.document.project, better), f"Apply recommended hold times in {len(better)} rooms"
            )

    def _test(self) -> None:
        project = self.document.project
        try:
            if project.brief.test_mode is not None:
                self.document.apply(end_test(project), "Restore the normal hold times")
            else:
                self.document.apply(begin_test(project, self._now()), "Shorten all hold times for a walk test")
        except ValueError as e:
            self.say.emit(str(e))

"""`Tour`: which step the visitor is at, what came of it, how one goes on; and the bar above the plan that says so."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QSettings, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFrame, QPushButton, QWidget

from vastwatch.desk.results.detection import TRIAL
from vastwatch.desk.results.findings import REMEDIES
from vastwatch.desk.results.timing import CURVE, SETTLED
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import column_in, label, pressed, row, row_in, set_role
from vastwatch.desk.tour.steps import ROOM, SPOT, STEPS, Scene, Step

# Where it is kept how far the visitor came.
KEPT_AS = "tour/step"


class Tour(QObject):
    """Begins where it was left. `moved` is emitted when there is something else to show: another step, its figure, or
    nothing any more."""

    moved = pyqtSignal()

    def __init__(self, scene: Scene, open_sample: Callable[[], object]) -> None:
        super().__init__(scene.plan)
        self.scene, self._open_sample = scene, open_sample
        self.at: int | None = None
        self.figure: str | None = None
        self._doing = False
        results = scene.results
        changes = (results.week, *(results[kind] for kind in (TRIAL, REMEDIES, CURVE, SETTLED)))
        for derived in changes:
            derived.changed.connect(self.look_again)
        scene.document.changed.connect(self.look_again)
        scene.focus.shift.connect(self.look_again)

    @property
    def step(self) -> Step | None:
        """The step the visitor is at; None while there is no tour."""
        return None if self.at is None else STEPS[self.at]

    def _on_sample(self) -> bool:
        project = self.scene.project
        return any(r.id == ROOM for r in project.rooms) and any(s.id == SPOT for s in project.spots)

    def begin(self) -> None:
        """Start on the sample, where the visitor left: what earlier steps change is done for them."""
        if self.at is not None:
            return
        if not self._on_sample():
            self._open_sample()
            if not self._on_sample():
                return
        kept = QSettings().value(KEPT_AS, 0)
        at = int(kept) if str(kept).isdigit() and int(kept) < len(STEPS) else 0
        for step in STEPS[:at]:
            if step.edited is not None:
                step.edited(self.scene)
        self._go(at)

    def leave(self) -> None:
        """End it for now; `begin` goes on from here."""
        self.at, self._doing = None, False
        self.scene.focus.set(only="all")
        self.moved.emit()

    def go_on(self) -> None:
        """To the next step; after the last the tour is over, and begins anew another time."""
        if self.at is None:
            return
        if self.at + 1 < len(STEPS):
            self._go(self.at + 1)
        else:
            QSettings().setValue(KEPT_AS, 0)
            self.leave()

    def go_back(self) -> None:
        """To the step before."""
        if self.at:
            self._go(self.at - 1)

    def do_it(self) -> None:
        """Do for the visitor what the step asks for, now or as soon as what it needs is computed."""
        step = self.step
        if step is not None and self.figure is None:
            self._doing = not step.do(self.scene)
            self.look_again()

    def _go(self, at: int) -> None:
        self.at, self.figure, self._doing = at, None, False
        QSettings().setValue(KEPT_AS, at)
        self.scene.look(STEPS[at].stage)
        self.moved.emit()
        self.look_again()

    def look_again(self, *_: object) -> None:
        """See whether the step is done by now. Once it is, its figure stays, whatever the visitor looks at next."""
        step = self.step
        if step is None:
            return
        if not self._on_sample():
            self.leave()
            return
        figure = step.figure(self.scene)
        if figure is not None and figure != self.figure:
            self.figure, self._doing = figure, False
            self.moved.emit()
        elif self._doing:
            # Not from within a change: what is done may change the same.
            QTimer.singleShot(0, self._do_now)

    def _do_now(self) -> None:
        step = self.step
        if self._doing and step is not None:
            self._doing = not step.do(self.scene)


class TourBar(QFrame):
    """Above the plan: what to do, then what came of it."""

    def __init__(self, tour: Tour, theme: Theme) -> None:
        super().__init__()
        self.tour, self.theme = tour, theme
        self.setObjectName("tour")
        self.setStyleSheet(
            f"#tour {{ background: {theme.card.name()}; border: 0; border-bottom: 1px solid {theme.hairline.name()}; }}"
        )
        line = row_in(self, 12, (12, 7, 8, 7))
        words = QWidget()
        box = column_in(words, 2)
        self._count, self._title = label("", "soft"), label("", "head")
        self._words = label("", "", True)
        box.addWidget(row(self._count, self._title, QWidget(), stretch=2, spacing=6))
        box.addWidget(self._words)
        line.addWidget(words, 1)
        self.do, self.back, self.next = QPushButton(), QPushButton(), QPushButton()
        self.do.setText(self.tr("Do it for me"))
        self.back.setText(self.tr("Back"))
        self.do.clicked.connect(tour.do_it)
        self.back.clicked.connect(tour.go_back)
        self.next.clicked.connect(tour.go_on)
        self.end = pressed("×", tour.leave, self.tr("Leave the tour. Help > Guided tour goes on from here."))
        self.end.setAccessibleName(self.tr("Leave the tour"))
        self.end.setFixedWidth(30)
        for button in (self.back, self.do, self.next, self.end):
            line.addWidget(button, 0, Qt.AlignmentFlag.AlignVCenter)
        tour.moved.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the step, or nothing where there is no tour."""
        step, tour = self.tour.step, self.tour
        self.setVisible(step is not None)
        if step is None or tour.at is None:
            return
        done = tour.figure is not None
        self._count.setText(self.tr("Tour, {} of {}:").format(tour.at + 1, len(STEPS)))
        self._title.setText(self.tr(step.title))
        self._words.setText(tour.figure if tour.figure is not None else self.tr(step.task))
        set_role(self._words, "good" if done else "")
        self.back.setEnabled(tour.at > 0)
        self.do.setVisible(not done)
        self.next.setText(self.tr("Finish") if tour.at + 1 == len(STEPS) else self.tr("Next"))
        set_role(self.next, "best" if done else "")

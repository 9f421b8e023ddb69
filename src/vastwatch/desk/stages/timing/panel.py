"""The timing panel: how presence is put together, and the curve of dark against light while empty for every hold time.

The mark is dragged along the curve; the ribbon, the incidents and the verdict follow at once.
"""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QPushButton, QWidget

from vastwatch.advice.judging.frontier import Point
from vastwatch.control.lighting import made_by
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.desk.results.registry import Results
from vastwatch.desk.results.timing import CURVE, SETTLED, best_curve
from vastwatch.desk.shell.context import Context
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import MARGIN, Theme
from vastwatch.desk.shell.widgets import column_in, label, line, pressed, row, scrolling
from vastwatch.desk.stages.timing.all_rooms import AllRooms
from vastwatch.desk.stages.timing.builder import SentenceBuilder
from vastwatch.desk.stages.timing.chart import CurveChart
from vastwatch.desk.stages.timing.frontier_sheet import FrontierSheet
from vastwatch.desk.stages.timing.roles import RolesEditor
from vastwatch.words import duration_words, figure

# No reason of the sample has more lines than this at the narrowest panel.
REASON_LINES = 11


class TimingPanel(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, results: Results, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.results, self.theme = document, focus, results, theme
        outer = column_in(self)
        area, box = scrolling(8, (MARGIN, MARGIN, MARGIN, MARGIN))
        outer.addWidget(area)
        self._title = label("", "head")
        box.addWidget(self._title)
        self.builder = SentenceBuilder(document, focus, theme)
        self.builder.say.connect(self.say)
        box.addWidget(self.builder)
        box.addWidget(line())
        self._basis = label("", "soft")
        box.addWidget(row(guide_label(self.tr("Timing curve"), "timing-curve", "head"), self._basis, stretch=0))
        self._legend = label("", "", True, rich=True)
        self._legend.setText(
            f"<span style='color:{theme.dropped.name()}'>╍</span> {self.tr('false-offs a week (limit dotted)')}<br>"
            f"<span style='color:{theme.dropped.name()}'>▬</span> {self.tr('dark')} &nbsp;"
            f"<span style='color:{theme.lamp.name()}'>▬</span> {self.tr('lit while empty, minutes a day')}"
        )
        box.addWidget(self._legend)
        self.plot = CurveChart(theme)
        self.plot.dragged.connect(self._drag)
        box.addWidget(self.plot)
        self._here = label("", "", True, rich=True)
        box.addWidget(self._here)
        self._use = pressed("", self._take_recommended)
        self.every = QPushButton(self.tr("Trade-off chart…"))
        self.every.setToolTip(
            self.tr(
                "Left in the dark against lit while empty: present settings, common strategies, occupancy "
                "probability, and the best"
            )
        )
        self.every.clicked.connect(self.show_frontier)
        box.addWidget(self._use)
        box.addWidget(self.every)
        self._reason = label("", "soft", True)
        self._reason.setAlignment(Qt.AlignmentFlag.AlignTop)
        box.addWidget(self._reason)
        self._caution = label(
            self.tr(
                "Stairs, escape routes and machines: the light must fail to ON, whatever the hold time. Check "
                "your local code."
            ),
            "soft",
            True,
        )
        box.addWidget(self._caution)
        box.addWidget(line())
        self.roles = RolesEditor(document, focus)
        self.roles.say.connect(self.say)
        box.addWidget(self.roles)
        box.addWidget(line())
        self.all = AllRooms(document, results)
        self.all.say.connect(self.say)
        box.addWidget(self.all)
        box.addStretch(1)
        results[CURVE].changed.connect(self.refresh)
        results[SETTLED].changed.connect(self.refresh)
        results[SETTLED].progressed.connect(self._say_basis)
        focus.shift.connect(self._shifted)
        document.changed.connect(self._follow)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what in ("room", "stage"):
            self.refresh()

    def _hold(self) -> float | None:
        from vastwatch.design.presence import hold_of

        presence = presence_of(self.document.project, self.focus.room or "")
        return None if presence is None else hold_of(presence.expr)

    def _say_basis(self) -> None:
        """On how many days the recommendation stands."""
        curve, judging = best_curve(self.results), self.results[SETTLED]
        if curve is None:
            return
        if curve.judged is not None:
            self._basis.setText(self.tr("from {} weeks").format(curve.judged.weeks))
        elif judging.busy:
            words = self.tr("{} days; other weeks {:.0f} %").format(curve.days, 100 * judging.progress)
            self._basis.setText(words)
        else:
            self._basis.setText(self.tr("{} days").format(curve.days))

    def refresh(self) -> None:
        """Show the room's curve, or say why there is none."""
        room = self.focus.room
        curve = best_curve(self.results)
        name = find(self.document.project.rooms, room).name if room else self.tr("No room selected")
        self._title.setText(self.tr("Presence in {}").format(name.lower()) if room else name)
        has = curve is not None and curve.room == room
        lit = room is not None and presence_of(self.document.project, room) is not None
        # A curve that is on its way has its place already: what lies below it stays where it is.
        busy = self.results[CURVE].busy
        by_hold = lit and made_by(self.document.project, room or "") == "presence"
        waits = busy and by_hold and not has
        for w in (self.plot, self._legend, self._here, self._use):
            w.setVisible(has or waits)
        self._use.setEnabled(not waits)
        # The first estimate is a line or two, the reason from all weeks many more.
        lines = REASON_LINES if by_hold else 0
        self._reason.ensurePolished()
        self._reason.setMinimumHeight(lines * self._reason.fontMetrics().lineSpacing())
        self.every.setVisible(lit and bool(lights_in(self.document.project, room or "")))
        use = find(self.document.project.rooms, room).use if room else ""
        self._caution.setVisible(use in ("stair", "passage", "corridor", "workshop", "plant"))
        if not has or curve is None:
            self._basis.setText("")
            if waits:
                self.plot.show_nothing()
                self._here.setText("&nbsp;<br>&nbsp;")
                self._use.setText(self.tr("Set hold time"))
            self._reason.setText(
                self.tr("Rehearsing four weeks…") if busy
                else _sentence(self.results[CURVE].words) or self.tr("Select a room with presence to see its curve.")
            )  # fmt: skip
            return
        self._say_basis()
        for w in (self.plot, self._legend):
            w.setVisible(by_hold)
        if by_hold:
            self.plot.show_curve(curve)
            self._use.setText(self.tr("Set hold time to {}").format(duration_words(curve.recommended_s)))
        else:
            self._use.setText(self.tr("Set these delays"))
            self._use.setVisible(curve.delays is not None and bool(curve.delays.changes))
        self._reason.setText(curve.reason)
        self._follow()

    def _follow(self, *_: object) -> None:
        hold, curve = self._hold(), best_curve(self.results)
        if hold is None or curve is None or curve.room != self.focus.room:
            return
        self.plot.set_mark(hold)
        drops, dark, idle = curve.figures(hold)
        by_hold = made_by(self.document.project, curve.room) == "presence"
        self._here.setText(
            self.tr("<b>{}</b>: {} false-offs a week, {} min dark and {} h lit while empty a day").format(
                duration_words(hold) if by_hold else self.tr("Now"), figure(drops), figure(dark), figure(idle)
            )
        )
        self._use.setEnabled(curve.delays is not None or abs(hold - curve.recommended_s) > 0.5)

    def _drag(self, seconds: float) -> None:
        presence = presence_of(self.document.project, self.focus.room or "")
        if presence is None or self._hold() == seconds:
            return
        new = set_hold(self.document.project, presence.id, seconds)
        self.document.apply(
            new, f"Set the hold time of {presence.name.lower()} to {duration_words(seconds)}", f"hold-{presence.id}"
        )

    def show_frontier(self) -> None:
        """Open the chart of every way to set the room."""
        room = self.focus.room
        if room is None:
            return
        name = find(self.document.project.rooms, room).name
        self.sheet = FrontierSheet(self.window() or self, self.results, self.theme, name)
        self.sheet.taken.connect(self._take_point)
        self.sheet.open()

    def _take_point(self, point: Point) -> None:
        self.document.apply(point.project, f"Set {point.name}")

    def _take_recommended(self) -> None:
        curve = best_curve(self.results)
        if curve is not None and curve.delays is not None:
            name = find(self.document.project.rooms, curve.room).name
            new = curve.delays.set_in(self.document.project)
            self.document.apply(new, self.tr("Set the delays of {}").format(name))
        elif curve is not None:
            self._drag(curve.recommended_s)


def _sentence(words: str) -> str:
    return words[:1].upper() + words[1:] + "." if words else ""


def make(around: Context) -> TimingPanel:
    """The roles of the focused room and its timing curve."""
    panel = TimingPanel(around.document, around.focus, around.results, around.theme)
    panel.say.connect(around.say)
    return panel

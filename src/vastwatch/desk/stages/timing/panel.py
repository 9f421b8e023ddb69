"""The timing panel: how presence is put together, and the curve of dark against burning for every hold time.

The mark is dragged along the curve; the ribbon, the incidents and the verdict follow at once.
"""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPen
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vastwatch.advice import TimingCurve
from vastwatch.advice.timing import LONGEST_S
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.parts import label, line, row, scrolling
from vastwatch.desk.shell.results import Results
from vastwatch.desk.shell.surroundings import Surroundings
from vastwatch.desk.shell.theme import MARGIN, Theme, alpha, font
from vastwatch.desk.stages.timing.roles import RolesEditor
from vastwatch.words import duration_words

SHORTEST_S = 5.0
# The middle of the logarithmic axis, seconds.
MIDDLE_S = 134.0
TICKS = (5, 15, 60, 240, 900, 3600)


class HoldAxis(pg.AxisItem):
    """Hold times as people say them, on a logarithmic axis."""

    def tickValues(self, lo: float, hi: float, size: float) -> list[tuple[float, list[float]]]:
        return [(1.0, [float(np.log10(t)) for t in TICKS])]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [duration_words(10**v) for v in values]


class CurvePlot(pg.PlotWidget):
    """Dark and burning minutes a day against the hold time. `dragged` carries a hold time in seconds."""

    dragged = pyqtSignal(float)

    def __init__(self, theme: Theme) -> None:
        pg.setConfigOptions(antialias=True)
        super().__init__(axisItems={"bottom": HoldAxis("bottom")}, background=theme.card)
        self.theme = theme
        self.setAccessibleName("Timing curve")
        self.setMenuEnabled(False)
        self.hideButtons()
        view = self.getViewBox()
        view.setMouseEnabled(x=False, y=False)
        view.setDefaultPadding(0.02)
        for side in ("bottom", "left"):
            axis = self.getAxis(side)
            axis.setPen(pg.mkPen(theme.hairline))
            axis.setTextPen(pg.mkPen(theme.soft))
            axis.setTickFont(font(11))
            axis.setStyle(tickLength=4)
        self.getAxis("left").setWidth(34)
        self._band = pg.LinearRegionItem(movable=False, brush=alpha(theme.ink, 0.06), pen=pg.mkPen(None))
        self._idle = pg.PlotCurveItem(pen=QPen(theme.lamp, 0))
        self._idle.setPen(pg.mkPen(theme.lamp, width=2.4))
        self._dark = pg.PlotCurveItem(pen=pg.mkPen(theme.dropped, width=2.4))
        self._knee = pg.InfiniteLine(angle=90, pen=pg.mkPen(theme.soft, width=1, style=Qt.PenStyle.DotLine))
        self._best = pg.InfiniteLine(angle=90, pen=pg.mkPen(theme.ink, width=1.2, style=Qt.PenStyle.DashLine))
        self._mark = pg.InfiniteLine(
            angle=90, movable=True, pen=pg.mkPen(theme.ink, width=2.4), hoverPen=pg.mkPen(theme.ink, width=4),
            bounds=(np.log10(SHORTEST_S), np.log10(LONGEST_S)),
        )  # fmt: skip
        self._words = {}
        for item, words, at in ((self._knee, "knee", 0.80), (self._best, "recommended", 0.93)):
            tag = pg.InfLineLabel(
                item, words, position=at, color=theme.soft, fill=theme.card, anchors=[(-0.03, 0.5), (-0.03, 0.5)]
            )
            tag.setFont(font(11, 500))
            # Words lie over the mark, not under it.
            item.setZValue(5)
            self._words[words] = tag
        for item in (self._band, self._idle, self._dark, self._knee, self._best, self._mark):
            self.addItem(item)
        self._mark.sigPositionChanged.connect(self._moved)
        self._setting = False
        self.curve: TimingCurve | None = None

    def show_curve(self, curve: TimingCurve) -> None:
        """Draw a curve; the mark is left to `set_mark`."""
        self.curve = curve
        # Dense in the logarithm, exact at every point of it.
        hold = np.geomspace(SHORTEST_S, LONGEST_S, 500)
        x = np.log10(hold)
        dark = curve.exact.dark_s(hold) / 60 / curve.days
        idle = curve.exact.idle_s(hold) / 60 / curve.days
        self._dark.setData(x, dark)
        self._idle.setData(x, idle)
        self._knee.setPos(np.log10(curve.knee_s))
        self._best.setPos(np.log10(curve.recommended_s))
        lo, hi = curve.interval_s
        self._band.setRegion((np.log10(max(lo, SHORTEST_S)), np.log10(max(hi, SHORTEST_S))))
        top = max(float(dark.max()), float(np.quantile(idle, 0.9)), 1.0)
        self.setXRange(float(x[0]), float(x[-1]), padding=0.0)
        self.setYRange(0, top * 1.04, padding=0)
        for words, seconds in (("knee", curve.knee_s), ("recommended", curve.recommended_s)):
            # The words stand on that side of their line where there is room.
            side = 1.04 if seconds > MIDDLE_S else -0.04
            self._words[words].anchors = [(side, 0.5), (side, 0.5)]
            self._words[words].updatePosition()
        self._words["knee"].setVisible(bool(abs(np.log10(curve.knee_s / curve.recommended_s)) > 0.02))

    def set_mark(self, seconds: float) -> None:
        """Put the mark, without telling."""
        self._setting = True
        self._mark.setPos(np.log10(min(max(seconds, SHORTEST_S), LONGEST_S)))
        self._setting = False

    def _moved(self) -> None:
        if not self._setting:
            self.dragged.emit(settable(10 ** float(self._mark.value())))


def settable(seconds: float) -> float:
    """The nearest hold time people would set: whole steps of 5 s, 15 s, 30 s or a minute."""
    step = 5.0 if seconds < 60 else 15.0 if seconds < 300 else 30.0 if seconds < 600 else 60.0
    return max(round(seconds / step) * step, SHORTEST_S)


class TimingPanel(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, results: Results, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.results, self.theme = document, focus, results, theme
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        area, box = scrolling(8, (MARGIN, MARGIN, MARGIN, MARGIN))
        outer.addWidget(area)
        self._title = label("", "head")
        box.addWidget(self._title)
        self.roles = RolesEditor(document, focus)
        self.roles.say.connect(self.say)
        box.addWidget(self.roles)
        box.addWidget(line())
        self._basis = label("", "soft")
        box.addWidget(row(label(self.tr("Timing curve"), "head"), self._basis, stretch=0))
        self._legend = label("", "", True, rich=True)
        self._legend.setText(
            f"<span style='color:{theme.dropped.name()}'>▬</span> {self.tr('left in the dark')} &nbsp; "
            f"<span style='color:{theme.lamp.name()}'>▬</span> {self.tr('burning for nobody')}, "
            f"<span style='color:{theme.soft.name()}'>{self.tr('minutes a day')}</span>"
        )
        box.addWidget(self._legend)
        self.plot = CurvePlot(theme)
        self.plot.setFixedHeight(220)
        self.plot.dragged.connect(self._drag)
        box.addWidget(self.plot)
        self._here = label("", "", True, rich=True)
        box.addWidget(self._here)
        self._use = QPushButton()
        self._use.clicked.connect(self._take_recommended)
        box.addWidget(self._use)
        self._reason = label("", "soft", True)
        box.addWidget(self._reason)
        self._caution = label(
            self.tr(
                "Stairs, escape routes and machines: the light must fail to ON, whatever the hold time. "
                "The local code decides."
            ),
            "soft",
            True,
        )
        box.addWidget(self._caution)
        box.addStretch(1)
        results.curve.changed.connect(self.refresh)
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

    def refresh(self) -> None:
        """Show the room's curve, or say why there is none."""
        room = self.focus.room
        curve = self.results.curve.value
        name = find(self.document.project.rooms, room).name if room else self.tr("No room selected")
        self._title.setText(self.tr("Presence in {}").format(name.lower()) if room else name)
        has = curve is not None and curve.room == room
        for w in (self.plot, self._legend, self._here, self._use):
            w.setVisible(has)
        use = find(self.document.project.rooms, room).use if room else ""
        self._caution.setVisible(use in ("stair", "passage", "corridor", "workshop", "plant"))
        if not has or curve is None:
            busy = self.results.curve.busy
            self._basis.setText("")
            self._reason.setText(
                self.tr("Rehearsing four weeks …") if busy
                else _sentence(self.results.curve.words) or self.tr("Select a room with presence to see its curve.")
            )  # fmt: skip
            return
        self._basis.setText(self.tr("{} days").format(curve.days))
        self.plot.show_curve(curve)
        self._reason.setText(curve.reason)
        self._use.setText(self.tr("Hold for {}").format(duration_words(curve.recommended_s)))
        self._follow()

    def _follow(self, *_: object) -> None:
        hold, curve = self._hold(), self.results.curve.value
        if hold is None or curve is None or curve.room != self.focus.room:
            return
        self.plot.set_mark(hold)
        drops, dark, idle = curve.at(hold)
        self._here.setText(
            self.tr("<b>{}</b>: {:.1f} drops a week, {:.1f} min dark and {:.1f} h burning a day").format(
                duration_words(hold), drops * 7, dark, idle
            )
        )
        self._use.setEnabled(abs(hold - curve.recommended_s) > 0.5)

    def _drag(self, seconds: float) -> None:
        presence = presence_of(self.document.project, self.focus.room or "")
        if presence is None or self._hold() == seconds:
            return
        new = set_hold(self.document.project, presence.id, seconds)
        self.document.apply(new, f"Hold {presence.name.lower()} for {duration_words(seconds)}", f"hold-{presence.id}")

    def _take_recommended(self) -> None:
        if self.results.curve.value is not None:
            self._drag(self.results.curve.value.recommended_s)


def _sentence(words: str) -> str:
    return words[:1].upper() + words[1:] + "." if words else ""


def make(around: Surroundings) -> TimingPanel:
    """The roles of the focused room and its timing curve."""
    panel = TimingPanel(around.document, around.focus, around.results, around.theme)
    panel.say.connect(around.say)
    return panel

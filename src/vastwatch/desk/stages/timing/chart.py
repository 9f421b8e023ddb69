"""The chart of a timing curve: false-offs a week above, minutes dark and lit while empty a day below, against the hold
time.

The mark is dragged along; what it stands for is said beside it by the panel.
"""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import ArrayLike, NDArray
from PyQt6.QtCore import Qt, pyqtSignal

from vastwatch.advice.judging.judge import LONGEST_S
from vastwatch.advice.judging.timing import TimingCurve
from vastwatch.desk.shell.theme import Theme, alpha, font
from vastwatch.words import duration_words

SHORTEST_S = 5.0
# The middle of the logarithmic axis, seconds.
MIDDLE_S = 134.0
TICKS = (5, 15, 60, 240, 900, 3600)
# False-offs a week that are written at the axis, and what makes its scale even below a quarter of one.
DROP_TICKS = (0, 1, 10, 100, 1000, 10_000)
DROPS_EVEN = 4.0
# Heights of the two panes, and how wide the figures at their left are, pixels.
DROPS_PX, MINUTES_PX, FIGURES_PX = 104, 176, 34


class HoldAxis(pg.AxisItem):
    """Hold times as people say them, on a logarithmic axis."""

    def tickValues(self, lo: float, hi: float, size: float) -> list[tuple[float, list[float]]]:
        return [(1.0, [float(np.log10(t)) for t in TICKS])]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [duration_words(10**v) for v in values]


class DropsAxis(pg.AxisItem):
    """False-offs a week on a scale that is even near none and logarithmic above, as `drops_scaled` puts them."""

    def tickValues(self, lo: float, hi: float, size: float) -> list[tuple[float, list[float]]]:
        return [(1.0, [float(drops_scaled(d)) for d in DROP_TICKS])]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [f"{(10**v - 1) / DROPS_EVEN:.0f}" for v in values]


def drops_scaled(per_week: ArrayLike) -> NDArray[np.float64]:
    """log10(1 + 4 d): what decides lies between none and ten a week, while short holds give thousands."""
    return np.log10(1.0 + DROPS_EVEN * np.asarray(per_week, float))


class _Pane:
    """One plot of the chart, with the lines that go through both."""

    def __init__(self, plot: pg.PlotItem, theme: Theme, figures: bool) -> None:
        self.plot = plot
        plot.setMenuEnabled(False)
        plot.hideButtons()
        view = plot.getViewBox()
        view.setMouseEnabled(x=False, y=False)
        view.setDefaultPadding(0.02)
        for side in ("bottom", "left"):
            axis = plot.getAxis(side)
            axis.setPen(pg.mkPen(theme.hairline))
            axis.setTextPen(pg.mkPen(theme.soft))
            axis.setTickFont(font(11))
            axis.setStyle(tickLength=4, showValues=figures or side == "left")
        plot.getAxis("left").setWidth(FIGURES_PX)
        self.band = pg.LinearRegionItem(movable=False, brush=alpha(theme.ink, 0.06), pen=pg.mkPen(None))
        self.knee = pg.InfiniteLine(angle=90, pen=pg.mkPen(theme.soft, width=1, style=Qt.PenStyle.DotLine))
        self.best = pg.InfiniteLine(angle=90, pen=pg.mkPen(theme.ink, width=1.2, style=Qt.PenStyle.DashLine))
        self.mark = pg.InfiniteLine(
            angle=90, movable=True, pen=pg.mkPen(theme.ink, width=2.4), hoverPen=pg.mkPen(theme.ink, width=4),
            bounds=(np.log10(SHORTEST_S), np.log10(LONGEST_S)),
        )  # fmt: skip

    def finish(self, *curves: pg.PlotCurveItem) -> None:
        """Put everything in: the curves over the band, the lines over the curves."""
        for item in (self.band, *curves, self.knee, self.best, self.mark):
            self.plot.addItem(item)


class CurveChart(pg.GraphicsLayoutWidget):
    """False-offs a week, and minutes dark and lit while empty a day, against the hold time. `dragged` carries
    seconds."""

    dragged = pyqtSignal(float)

    def __init__(self, theme: Theme) -> None:
        pg.setConfigOptions(antialias=True)
        super().__init__()
        self.setBackground(theme.card)
        self.theme = theme
        self.setAccessibleName("Timing curve")
        self.setFixedHeight(DROPS_PX + MINUTES_PX)
        layout = self.ci
        layout.setContentsMargins(0, 4, 4, 2)
        layout.setSpacing(2)
        upper = self.addPlot(0, 0, axisItems={"bottom": HoldAxis("bottom"), "left": DropsAxis("left")})
        lower = self.addPlot(1, 0, axisItems={"bottom": HoldAxis("bottom")})
        layout.layout.setRowFixedHeight(0, DROPS_PX - 6)
        self._upper, self._lower = _Pane(upper, theme, False), _Pane(lower, theme, True)
        self._drops = pg.PlotCurveItem(pen=pg.mkPen(theme.dropped, width=2.4, style=Qt.PenStyle.DashLine))
        self._limit = pg.InfiniteLine(angle=0, pen=pg.mkPen(theme.dropped, width=1, style=Qt.PenStyle.DotLine))
        self._idle = pg.PlotCurveItem(pen=pg.mkPen(theme.lamp, width=2.4))
        self._dark = pg.PlotCurveItem(pen=pg.mkPen(theme.dropped, width=2.4))
        self._words = {}
        # Each flag names its device hold time, so that it cannot be taken for its neighbour's.
        for key, line, at in (("knee", self._upper.knee, 0.2), ("recommended", self._upper.best, 0.88)):
            tag = pg.InfLineLabel(
                line, "", position=at, color=theme.ink, fill=theme.card, anchors=[(-0.03, 0.5), (-0.03, 0.5)]
            )
            tag.setFont(font(11, 500))
            # Words lie over the mark, not under it.
            line.setZValue(5)
            self._words[key] = tag
        self._upper.finish(self._drops, self._limit)
        self._lower.finish(self._idle, self._dark)
        for pane in (self._upper, self._lower):
            pane.mark.sigPositionChanged.connect(self._moved)
        self._setting = False
        self.curve: TimingCurve | None = None

    def show_nothing(self) -> None:
        """Keep the axes alone, while a curve is computed."""
        for pane in (self._upper, self._lower):
            for item in pane.plot.items:
                item.setVisible(False)

    def show_curve(self, curve: TimingCurve) -> None:
        """Draw a curve; the mark is left to `set_mark`."""
        self.curve = curve
        for pane in (self._upper, self._lower):
            for item in pane.plot.items:
                item.setVisible(True)
        # Exact at every hold that can be set.
        x = np.log10(curve.hold_s)
        drops = drops_scaled(curve.drops_per_day * 7)
        dark, idle = curve.dark_min_per_day, curve.idle_h_per_day * 60
        self._drops.setData(x, drops)
        self._dark.setData(x, dark)
        self._idle.setData(x, idle)
        limit = float(drops_scaled(curve.limit_per_week))
        self._limit.setPos(limit)
        lo, hi = (np.log10(max(v, SHORTEST_S)) for v in curve.interval_s)
        for pane, top in (
            (self._upper, max(float(drops.max()), 2 * limit, float(drops_scaled(DROP_TICKS[1])))),
            (self._lower, max(float(dark.max()), float(np.quantile(idle, 0.9)), 1.0)),
        ):
            pane.knee.setPos(np.log10(curve.knee_s))
            pane.best.setPos(np.log10(curve.recommended_s))
            pane.band.setRegion((lo, hi))
            pane.plot.setXRange(float(x[0]), float(x[-1]), padding=0.0)
            pane.plot.setYRange(0, top * 1.04, padding=0)
        for key, seconds in (("knee", curve.knee_s), ("recommended", curve.recommended_s)):
            # The words stand on that side of their line where there is room.
            side = 1.04 if seconds > MIDDLE_S else -0.04
            self._words[key].format = f"{key} {duration_words(seconds)}"
            self._words[key].anchors = [(side, 0.5), (side, 0.5)]
            self._words[key].valueChanged()
            self._words[key].updatePosition()
        apart = bool(abs(np.log10(curve.knee_s / curve.recommended_s)) > 0.02)
        for item in (self._words["knee"], self._upper.knee, self._lower.knee):
            item.setVisible(apart)

    def set_mark(self, seconds: float) -> None:
        """Put the mark, without telling."""
        self._setting = True
        for pane in (self._upper, self._lower):
            pane.mark.setPos(np.log10(min(max(seconds, SHORTEST_S), LONGEST_S)))
        self._setting = False

    @property
    def mark(self) -> pg.InfiniteLine:
        """The line that is dragged, in the lower pane."""
        return self._lower.mark

    def _moved(self, line: pg.InfiniteLine) -> None:
        if not self._setting:
            self.dragged.emit(settable(10 ** float(line.value())))


def settable(seconds: float) -> float:
    """The nearest hold time people would set: whole steps of 5 s, 15 s, 30 s or a minute."""
    step = 5.0 if seconds < 60 else 15.0 if seconds < 300 else 30.0 if seconds < 600 else 60.0
    return max(round(seconds / step) * step, SHORTEST_S)

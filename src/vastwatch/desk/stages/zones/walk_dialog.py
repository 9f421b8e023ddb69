"""From a walk: a log of what the device read at known places, laid over the plan, and what it says of the sensor."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt, QThreadPool, QTimer, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QDialog, QFileDialog, QGridLayout, QPushButton, QVBoxLayout, QWidget

from vastwatch.commission.calibrate import UNITS_M, Calibration, CalibrationError, calibrate, zone_from_walk
from vastwatch.commission.reference_places import place_of, reference_readings
from vastwatch.commission.simulated_device import SimulatedDevice, simulate_walk
from vastwatch.commission.walk_log import WalkError, WalkLog, parse_walk, read_walk
from vastwatch.design.edits.zones import add_zone
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, put
from vastwatch.design.records import Sensor
from vastwatch.desk.results.derived import Derived, Task
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.theme import Theme, alpha
from vastwatch.desk.shell.widgets import Choice, column_in, label, narrow, pressed, row
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.tracker import Pose, pose_of, positions_of, scatter_of
from vastwatch.words import error_sentence

# Of a long log so many readings are drawn.
MOST_DOTS = 1500
# The simulated device tells so often, milliseconds of ours a second of its own; a place is clicked within so many
# pixels.
LIVE_MS, CLICK_PX = 100, 24

Array = NDArray[np.float64]


# A log, what it says of the sensor if anything, and what is to be told of it.
_Read = tuple[WalkLog, Calibration | None, list[str]]


def _read(task: Task, source: Path | str, project: Project, sensor: Sensor) -> _Read:
    """Read a log from a file or its text, and calibrate by it. Raises ValueError with a sentence."""
    try:
        log = read_walk(source) if isinstance(source, Path) else parse_walk(source)
    except WalkError as e:
        raise ValueError(str(e)) from None
    known = zoned_sensor(project, sensor)
    assert known is not None
    words: list[str] = []
    found = None
    try:
        places, unknown = reference_readings(project, sensor, log)
        found = calibrate(places, pose_of(sensor, known.device), scatter_of(known.device))
        if unknown:
            words.append(f"Not on the plan: {', '.join(unknown)}.")
        words += [f"{w[0].upper()}{w[1:]}." for w in found.undetermined]
        if found.swapped:
            words.append("X and Y are swapped in this log; they were read the other way round.")
        if found.mirrored:
            words.append("X runs the other way from the data sheet; it was read mirrored.")
    except CalibrationError as e:
        words.append(error_sentence(e))
    if log.skipped:
        words.append(f"{log.skipped} rows without a position were skipped.")
    return log, found, words


class WalkDialog(QDialog):
    """`told` is what to say when it is closed."""

    def __init__(self, document: Document, sensor: Sensor, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document, self.sensor, self.theme = document, sensor, theme
        self.told = ""
        self.log: WalkLog | None = None
        self.found: Calibration | None = None
        self.read_m: Array | None = None
        self._source: tuple[Path | str, Project, Sensor] | None = None
        self._pool = QThreadPool(self)
        self._work: Derived[_Read] = Derived("walk", self._pool, lambda _: self._source, _read, forgetful=True)
        self._work.changed.connect(self._understood)
        known = zoned_sensor(document.project, sensor)
        assert known is not None
        self.device, self.drawn = known.device, pose_of(sensor, known.device)
        self.setWindowTitle(self.tr("From a walk: {}").format(sensor.name))
        self.resize(860, 560)
        outer = QVBoxLayout(self)
        outer.addWidget(label(self.windowTitle(), "title"))
        outer.addWidget(label(
            self.tr("Sit or stand at known positions while the device logs X and Y. Mark each position in the "
                    "log by its name or id, or as x,y on the plan. Three positions, not in one line, are enough."),
            "soft", True,
        ))  # fmt: skip
        read, simulate = QPushButton(self.tr("Open a log…")), QPushButton(self.tr("Walk past a simulated device"))
        read.clicked.connect(self._read)
        simulate.clicked.connect(self._simulate)
        self.live = QPushButton(self.tr("Record live"))
        self.live.setCheckable(True)
        self.live.setToolTip(
            self.tr("The simulated device reports every second: sit down, click where you are, move on.")
        )
        self.live.toggled.connect(self._go_live)
        outer.addWidget(row(read, simulate, self.live, QWidget(), stretch=3))
        self.over = _Over(document.project, sensor, theme, self.drawn)
        self.over.here.connect(self._now_at)
        self._device: SimulatedDevice | None = None
        self._second = QTimer(self)
        self._second.setInterval(LIVE_MS)
        self._second.timeout.connect(self._tick)
        holder = QWidget()
        holder.setFixedWidth(330)
        side = column_in(holder)
        outer.addWidget(row(self.over, holder, stretch=0, spacing=14), 1)
        self.grid = QGridLayout()
        table = QWidget()
        table.setLayout(self.grid)
        side.addWidget(table)
        side.addWidget(label(
            self.tr("Rings: marked positions. Grey: readings as drawn. Colour: readings as corrected."),
            "soft", True,
        ))  # fmt: skip
        self.words = label("", "", True)
        side.addWidget(self.words)
        side.addStretch(1)
        self.plan = QPushButton(self.tr("Correct the plan"))
        self.plan.setToolTip(self.tr("Moves and turns the sensor on the plan to where the walk shows it is mounted."))
        self.plan.clicked.connect(lambda: self._take(True))
        self.numbers = QPushButton(self.tr("Correct the values only"))
        self.numbers.setToolTip(self.tr("Leaves the plan; the values to enter are computed for the measured position."))
        self.numbers.clicked.connect(lambda: self._take(False))
        self.which = narrow(Choice())
        self.which.setAccessibleName(self.tr("Mark"))
        self.zone = pressed(self.tr("Create zone from this mark"), self._zone)
        leave = pressed(self.tr("Close"), self.reject)
        for w in (self.plan, self.numbers, row(self.which, self.zone, stretch=0)):
            side.addWidget(w)
        outer.addWidget(row(QWidget(), leave, stretch=0))
        self._show()

    # -- the log ---------------------------------------------------------------------------------------------------

    def _read(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, self.tr("Open a log"), "", "Logs (*.csv *.jsonl *.json *.txt)")
        if name:
            self.read(name)

    def read(self, path: str) -> None:
        """Take a log from a file; what is wrong with it is told."""
        self._understand(Path(path))

    def _simulate(self) -> None:
        try:
            self._understand(simulate_walk(self.document.project, self.sensor, 1))
        except ValueError as e:
            self.words.setText(error_sentence(e))

    def _go_live(self, on: bool) -> None:
        """Begin to take readings as they come, or make of them what they say."""
        if on:
            try:
                self._device = SimulatedDevice(self.document.project, self.sensor)
            except ValueError as e:
                self.words.setText(error_sentence(e))
                return
            known, home = zoned_sensor(self.document.project, self.sensor), room_of(self.document.project, self.sensor)
            seen = () if known is None else known.spots
            self.over.places = {s.id: s.at for s in seen if home is None or s.room == home.id}
            self.log, self.found = None, None
            self._show()
            self.live.setText(self.tr("Stop and evaluate"))
            self.words.setText(self.tr("Click the ring where you are now; wait a while; go to the next."))
            self._second.start()
            return
        self._second.stop()
        self.live.setText(self.tr("Record live"))
        self.over.places, self.over.now = {}, None
        if self._device is not None and self._device.read:
            self._understand(self._device.text())
        self._device = None

    def _now_at(self, ident: str) -> None:
        spot = next((s for s in self.document.project.spots if s.id == ident), None)
        if self._device is None or spot is None:
            return
        self._device.go(spot.at, spot.posture, spot.id)
        self.over.now = spot.at
        self.words.setText(self.tr("Now at the {}: {} readings so far.").format(spot.name, len(self._device.read)))

    def _tick(self) -> None:
        if self._device is None:
            return
        self._device.tick()
        read = np.array([(x, y) for _, x, y in self._device.read], float).reshape(-1, 2)
        self.read_m = read
        self.over.show_walk(read, None, [self.over.places[m] for _, m in self._device.marks])

    def _understand(self, source: Path | str) -> None:
        """Read a log and what it says of the sensor, beside the window: long ones take seconds."""
        self._source = (source, self.document.project, self.sensor)
        self.words.setText(self.tr("Reading…"))
        self._work.ask()

    def _understood(self) -> None:
        work = self._work
        if work.state == "refused" or work.state == "failed":
            self.log, self.found = None, None
            self.words.setText(error_sentence(ValueError(work.words)))
        elif work.value is not None and work.state == "fresh":
            self.log, self.found, words = work.value
            self.words.setText("\n".join(words))
        else:
            return
        self._show()

    def done(self, result: int) -> None:
        self._second.stop()
        self._work.give_up()
        self._pool.waitForDone()
        super().done(result)

    def _show(self) -> None:
        while (item := self.grid.takeAt(0)) is not None:
            if (w := item.widget()) is not None:
                w.deleteLater()
        found = self.found
        self.plan.setEnabled(found is not None)
        self.numbers.setEnabled(found is not None)
        self.which.clear()
        self.which.addItems([] if self.log is None else self.log.marks())
        self.zone.setEnabled(self.log is not None and self.which.count() > 0)
        read = None
        if self.log is not None:
            unit = UNITS_M[found.unit] if found is not None else 0.01
            read = self.log.xy * unit
            if found is not None:
                read = (read[:, ::-1] if found.swapped else read) * ((-1.0, 1.0) if found.mirrored else (1.0, 1.0))
        self.read_m = read
        marks = [] if self.log is None else self.log.marks()
        at = [p[0] for m in marks if (p := place_of(self.document.project, self.sensor.level, m)) is not None]
        self.over.show_walk(read, None if found is None else found.pose, at)
        if found is None:
            return
        heads = ("", self.tr("as drawn"), self.tr("measured"), "±")
        rows = (
            ("X", self.drawn.x, found.pose.x, found.sd[0], "m"), ("Y", self.drawn.y, found.pose.y, found.sd[1], "m"),
            (self.tr("Aim"), self.drawn.yaw, found.pose.yaw, found.sd[2], "°"),
            (self.tr("Distance offset"), self.drawn.bias, found.pose.bias, found.sd[3], "m"),
        )  # fmt: skip
        right = Qt.AlignmentFlag.AlignRight
        for k, head in enumerate(heads):
            self.grid.addWidget(label(head, "soft"), 0, k, right if k else Qt.AlignmentFlag.AlignLeft)
        for n, (name, drawn, value, sd, unit_words) in enumerate(rows, 1):
            digits = 1 if unit_words == "°" else 2
            self.grid.addWidget(label(name), n, 0)
            self.grid.addWidget(label(f"{drawn:.{digits}f} {unit_words}"), n, 1, right)
            off = abs(value - drawn) > 2.0 * sd
            self.grid.addWidget(label(f"{value:.{digits}f} {unit_words}", "head" if off else ""), n, 2, right)
            self.grid.addWidget(label(f"{sd:.{digits}f}", "soft"), n, 3, right)
        basis = self.tr("{} readings in {}, {:.2f} m off on average after correction.")
        self.grid.addWidget(label(basis.format(found.n, found.unit, found.residual_m), "soft", True), 5, 0, 1, 4)

    # -- what is made of it ----------------------------------------------------------------------------------------

    def _take(self, on_plan: bool) -> None:
        found = self.found
        if found is None:
            return
        pose, settings = found.pose, self.sensor.settings
        bias = round(pose.bias, 3)
        if on_plan:
            at = (round(pose.x, 2), round(pose.y, 2), self.sensor.at[2])
            settings = replace(settings, measured_at=None, measured_yaw=None, measured_bias_m=bias)
            new = replace(self.sensor, at=at, yaw=round(pose.yaw, 1), settings=settings)
        else:
            settings = replace(
                settings, measured_at=(round(pose.x, 3), round(pose.y, 3)), measured_yaw=round(pose.yaw, 2),
                measured_bias_m=bias,
            )  # fmt: skip
            new = replace(self.sensor, settings=settings)
        self.document.apply(put(self.document.project, new), f"Correct {self.sensor.name.lower()} from a walk")
        where = self.tr("on the plan") if on_plan else self.tr("in the values only")
        self.told = self.tr("{} is corrected {}: its aim is {:.1f}° off what was drawn.").format(
            self.sensor.name, where, abs((pose.yaw - self.drawn.yaw + 180.0) % 360.0 - 180.0)
        )
        self.accept()

    def _zone(self) -> None:
        if self.log is None or self.read_m is None:
            return
        mark = self.which.currentText()
        place = place_of(self.document.project, self.sensor.level, mark)
        pose = self.found.pose if self.found is not None else self.drawn
        try:
            mine = self.read_m[self.log.mark == mark]
            outline = zone_from_walk(pose, mine, 1.2 if place is None else place[1])
            new, zone = add_zone(self.document.project, self.sensor.id, outline, mark[:1].upper() + mark[1:])
        except (CalibrationError, ValueError) as e:
            self.words.setText(error_sentence(e))
            return
        self.document.apply(new, f"Zone {zone.name.lower()} from a walk")
        self.told = self.tr("{} is drawn where the walk recorded somebody sitting.").format(zone.name)
        self.accept()


class _Over(QWidget):
    """The room with the log laid over it: as it would lie by the plan, and as it lies once corrected. `here` carries
    the id of a place that was clicked while readings are taken."""

    here = pyqtSignal(str)

    def __init__(self, project: Project, sensor: Sensor, theme: Theme, drawn: Pose) -> None:
        super().__init__()
        self.project, self.sensor, self.theme, self.drawn = project, sensor, theme, drawn
        self.read: Array | None = None
        self.found: Pose | None = None
        self.at: list[tuple[float, float]] = []
        # Where one can say that one is now, while readings are taken; and where that was said last.
        self.places: dict[str, tuple[float, float]] = {}
        self.now: tuple[float, float] | None = None
        self.setMinimumSize(360, 300)
        self.setMouseTracking(True)

    def show_walk(self, read: Array | None, found: Pose | None, at: list[tuple[float, float]]) -> None:
        """Show readings in metres, the corrected pose, and the known places."""
        self.read, self.found, self.at = read, found, at
        self.update()

    def _placed(self) -> Callable[[float, float], QPointF]:
        """Where points of the plan are shown."""
        rooms = [r for r in self.project.rooms if r.level == self.sensor.level]
        home = room_of(self.project, self.sensor)
        corners = np.array(home.outline if home is not None else [q for r in rooms for q in r.outline], float)
        low, high = corners.min(axis=0) - 0.6, corners.max(axis=0) + 0.6
        k = min(self.width() / (high[0] - low[0]), self.height() / (high[1] - low[1]))
        left = (self.width() - k * (high[0] - low[0])) / 2
        return lambda x, y: QPointF(left + (x - low[0]) * k, self.height() - (y - low[1]) * k)

    def pixel_of(self, place: str) -> QPointF:
        """Where a place is shown that can be clicked."""
        return self._placed()(*self.places[place])

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self.places:
            return
        near = {i: (self.pixel_of(i) - event.position()).manhattanLength() for i in self.places}
        ident = min(near, key=lambda i: near[i])
        if near[ident] <= CLICK_PX:
            self.here.emit(ident)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p, t = QPainter(self), self.theme
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), t.paper)
        level = self.sensor.level
        rooms = [r for r in self.project.rooms if r.level == level]
        at = self._placed()
        p.setPen(QPen(t.wall, 2.5))
        for r in rooms:
            p.drawPolygon(QPolygonF([at(*q) for q in r.outline]))
        p.setPen(QPen(t.hairline, 1))
        for f in self.project.furnishings:
            if f.level == level:
                p.drawPolygon(QPolygonF([at(*q) for q in f.outline]))
        hue = family_hue(t, "radar")
        p.setPen(Qt.PenStyle.NoPen)
        if self.read is not None:
            some = self.read[:: max(1, len(self.read) // MOST_DOTS)]
            for pose, colour in ((self.drawn, alpha(t.soft, 0.5)), (self.found, alpha(hue, 0.75))):
                if pose is not None:
                    p.setBrush(colour)
                    for x, y in positions_of(pose, some, 0.9):
                        p.drawEllipse(at(float(x), float(y)), 1.8, 1.8)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(t.soft, 1.4, Qt.PenStyle.DashLine))
        for x, y in self.places.values():
            p.drawEllipse(at(x, y), 9, 9)
        if self.now is not None:
            p.setBrush(alpha(t.person, 0.8))
            p.drawEllipse(at(*self.now), 5, 5)
            p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(t.ink, 1.6))
        for x, y in self.at:
            p.drawEllipse(at(x, y), 7, 7)
        for pose, colour in ((self.drawn, t.soft), (self.found, hue)):
            if pose is not None:
                p.setPen(QPen(colour, 1.8))
                c = at(pose.x, pose.y)
                way = QPointF(np.cos(np.radians(pose.yaw)), -np.sin(np.radians(pose.yaw)))
                p.drawLine(c, c + way * 46)
                p.setBrush(t.card)
                p.drawEllipse(c, 6, 6)
                p.setBrush(Qt.BrushStyle.NoBrush)

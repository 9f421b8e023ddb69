"""The panel of the Zones stage: the radar in hand, the tools, the numbers to type, and who is counted where."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QApplication, QPushButton, QVBoxLayout, QWidget

from vastwatch.advice.adviser.zone_remedies import ZoneRemedy
from vastwatch.advice.checks.cautions import CAUTIONS, of_sensor
from vastwatch.advice.checks.zones import WELL
from vastwatch.advice.detection.zone_matrix import matrix
from vastwatch.advice.detection.zone_proposal import propose_zones
from vastwatch.commission.entry_sheet import as_text, convention_words, entry_sheet
from vastwatch.design.edits.zones import replace_zones
from vastwatch.design.records import Sensor
from vastwatch.desk.plan.tools import TOOLS
from vastwatch.desk.plan.zones_drawn import held_of
from vastwatch.desk.results.active_tracker import sensor_in_hand, trackers
from vastwatch.desk.results.zones import ZONE_HELP, ZONE_SCORES
from vastwatch.desk.shell.context import Context
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.readings_dialog import ReadingsDialog
from vastwatch.desk.shell.theme import MARGIN
from vastwatch.desk.shell.tool_buttons import ArmingButton, mark_armed
from vastwatch.desk.shell.widgets import Choice, column_in, label, line, narrow, pressed, row, scrolling
from vastwatch.desk.stages.zones.entry_dialog import EntryDialog
from vastwatch.desk.stages.zones.matrix import Matrix
from vastwatch.desk.stages.zones.numbers import Numbers, number_rows
from vastwatch.desk.stages.zones.pairs_dialog import pairs_dialog
from vastwatch.desk.stages.zones.walk_dialog import WalkDialog
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.zoned_sensor import ZonedSensor
from vastwatch.words import rough_duration_words


class ZonesPanel(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, around: Context) -> None:
        super().__init__()
        self.document, self.focus, self.results = around.document, around.focus, around.results
        self.theme = around.theme
        outer = column_in(self)
        area, box = scrolling(8, (MARGIN, MARGIN, MARGIN, MARGIN))
        outer.addWidget(area)
        self.which = narrow(Choice())
        self.which.setAccessibleName(self.tr("Tracking radar"))
        self.which.activated.connect(lambda k: self.focus.set(selected=self.which.itemData(k)))
        self._title, self._what = label("", "head"), label("", "soft", True)
        box.addWidget(self._title)
        box.addWidget(self.which)
        box.addWidget(self._what)
        named = {
            "zone": self.tr("Rectangle"),
            "zone-outline": self.tr("Outline"),
            "zone-here": self.tr("Around a seat"),
        }
        self.tools = {token: ArmingButton(self, words, f"draw:{token}") for token, words in named.items()}
        for token, button in self.tools.items():
            button.setToolTip(TOOLS[token])
        self._tools = row(*self.tools.values(), spacing=4)
        box.addWidget(self._tools)
        self.propose = QPushButton(self.tr("Suggest zones for this room"))
        self.propose.setToolTip(
            self.tr(
                "A zone for every seat, entry areas at the doors, ignore areas over false triggers; replaces the "
                "zones drawn."
            )
        )
        self.propose.clicked.connect(self._propose)
        self.walk = pressed(self.tr("From a walk…"), self._walk)
        self.sheet = pressed(self.tr("Entry sheet…"), self._sheet)
        box.addWidget(self.propose)
        box.addWidget(row(self.walk, self.sheet, spacing=6))
        box.addWidget(line())
        self._unit = label("", "soft", True)
        self._numbers_head = guide_label(self.tr("Values to enter"), "values-to-enter", "head")
        self.numbers = Numbers(self.theme)
        self.numbers.chosen.connect(lambda z: self.focus.set(selected=z))
        for part in (self._numbers_head, self._unit, self.numbers):
            box.addWidget(part)
        self._key = label(self.tr("Dashed: as drawn. Solid: what the device will use."), "soft", True)
        box.addWidget(self._key)
        self._matrix_head = label(self.tr("Reports counted per zone, %"), "head", True)
        self.matrix = Matrix(self.theme)
        self.matrix.chosen.connect(lambda s: self.focus.set(selected=s))
        self._false_head = label(self.tr("One simulated day"), "head", True)
        self._false = label("", "", True)
        self._false.setToolTip(
            self.tr("False: reported occupied with nobody there. There: share of each stay reported as "
                    "occupied; lower than in the table where the radar hardly notices somebody still.")
        )  # fmt: skip
        for below in (self._matrix_head, self.matrix, self._false_head, self._false):
            box.addWidget(below)
        self._help_head = guide_label(self.tr("Improvements"), "values-to-enter", "head")
        box.addWidget(self._help_head)
        self._helps = QVBoxLayout()
        self._helps.setSpacing(4)
        box.addLayout(self._helps)
        self._caution = label("", "soft", True)
        box.addWidget(self._caution)
        box.addStretch(1)
        copy = QShortcut(QKeySequence.StandardKey.Copy, self, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
        copy.activated.connect(self.copy)
        self._shown: object = None
        self.document.changed.connect(self.refresh)
        self.results[ZONE_SCORES].changed.connect(self._scores)
        self.results[ZONE_HELP].changed.connect(self._help)
        self.focus.shift.connect(self._shifted)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what in ("selected", "room", "level", "stage"):
            self.refresh()
        elif what == "placing":
            mark_armed(self, self.focus)

    @property
    def sensor(self) -> Sensor | None:
        """The tracking radar in hand."""
        return sensor_in_hand(self.document.project, self.focus)

    def refresh(self, *_: object) -> None:
        """Show the tracking radar in hand and its zones."""
        if not self.focus.here.zones:
            return
        project, sensor = self.document.project, self.sensor
        known = None if sensor is None else zoned_sensor(project, sensor)
        every = trackers(project, self.focus.level)
        shown = tuple((s.id, s.name) for s in every)
        if shown != self._shown:
            self._shown = shown
            self.which.clear()
            for ident, name in shown:
                self.which.addItem(name, ident)
        self.which.setVisible(len(every) > 1)
        for w in (self._tools, self.propose, self.walk, self.sheet, self._numbers_head, self._unit, self.numbers,
                  self._key, self._matrix_head, self.matrix, self._false_head, self._false):  # fmt: skip
            w.setVisible(known is not None)
        if sensor is None or known is None:
            self._title.setText(self.tr("No tracking radar on this level"))
            self._what.setText(
                self.tr("Zones need a radar that reports positions or distance bands: place one in Sensors.")
            )
            self._caution.setText("")
            return
        self.which.setCurrentIndex(self.which.findData(sensor.id))
        self._fill(sensor, known)

    def _fill(self, sensor: Sensor, known: ZonedSensor) -> None:
        project, device = self.document.project, known.device
        self._title.setText(sensor.name)
        most = device.zones or device.bands
        what = self.tr("zones") if device.zones else self.tr("bands")
        self._what.setText(self.tr("{} targets, {} of {} {}").format(device.targets, len(known.zones), most, what))
        self._unit.setText(convention_words(device))
        bad = [(h := held_of(known, j)) is not None and h < WELL for j in range(len(known.zones))]
        rules = device.zone_rules
        heads = () if rules is None else (f"X, {rules.unit}", f"Y, {rules.unit}")
        self.numbers.show_rows(number_rows(known, bad), heads, self.focus.selected)
        has = bool(known.zones)
        for w in (
            self._numbers_head,
            self.numbers,
            self._key,
            self._matrix_head,
            self.matrix,
            self._false_head,
            self._false,
        ):
            w.setVisible(has)
        self.sheet.setEnabled(has)
        self.walk.setText(self.tr("From a walk…") if device.reports == "xy" else self.tr("Tape measurements…"))
        self.tools["zone-outline"].setEnabled(rules is None or rules.shape == "polygon")
        self.matrix.show_rows(matrix(project, known), [z.name for z in known.zones], self.focus.selected)
        self._caution.setText("\n".join(CAUTIONS[key] for key in of_sensor(project, sensor)))
        self._scores()
        self._help()

    def _help(self) -> None:
        """What was tried with the sensor and makes its zones better, each to be taken."""
        while (item := self._helps.takeAt(0)) is not None:
            if (w := item.widget()) is not None:
                w.deleteLater()
        found = self.results[ZONE_HELP].value or []
        self._help_head.setVisible(bool(found))
        for h in found:
            button = QPushButton(h.text.rstrip("."))
            button.setProperty("role", "try")
            worst = self.tr("The worst share counted, of the people who stay in a zone.")
            false = self.tr("Share of reports from the {} that a zone counts.")
            button.setToolTip(false.format(h.of.lower()) if h.of else worst)
            button.clicked.connect(lambda _, h=h: self._take(h))
            figure = label(f"{100 * h.counted_before:.0f} → {100 * h.counted_after:.0f} %", "head")
            self._helps.addWidget(row(button, figure, stretch=0))

    def _take(self, h: ZoneRemedy) -> None:
        self.document.apply(h.applied(self.document.project), h.text.rstrip("."))

    def _scores(self) -> None:
        score, sensor = self.results[ZONE_SCORES].value, self.sensor
        of = self.results[ZONE_SCORES].of
        if score is None or sensor is None or of is None or of[1] != sensor.id:
            self._false.setText(self.tr("Simulating the week…"))
            return
        names = {z.id: z.name for z in self.document.project.zones}
        told = []
        for z, s in score.zones.items():
            if z in names:
                share = "" if s.counted is None else self.tr(", occupied {:.0f} %").format(100 * s.counted)
                told.append(self.tr("{}: {:.1f} min false{}").format(names[z], s.false_min, share))
        more = []
        if score.lost_s >= 1:
            more.append(
                self.tr("{} a day somebody is beyond the number of targets it follows").format(
                    rough_duration_words(score.lost_s)
                )
            )
        if score.merged_s >= 1:
            more.append(self.tr("{} a day it reports two people as one").format(rough_duration_words(score.merged_s)))
        self._false.setText("\n".join([*told, *more]))

    # -- what is pressed -------------------------------------------------------------------------------------------

    def _propose(self) -> None:
        sensor = self.sensor
        found = None if sensor is None else propose_zones(self.document.project, sensor)
        if sensor is None or found is None:
            return
        if not found.zones:
            self.say.emit(self.tr("{} notices nobody who stays in this room.").format(sensor.name))
            return
        new = replace_zones(self.document.project, sensor, found.zones)
        self.document.apply(new, f"Suggest zones for {sensor.name.lower()}")
        self.focus.set(selected=found.zones[0].id)
        made = zoned_sensor(new, sensor)
        held = [] if made is None else [h for j in range(len(made.zones)) if (h := held_of(made, j)) is not None]
        words = self.tr("{} zones; at the worst-served seat {:.0f} % of reports are counted.").format(
            len(found.zones), 100 * min(held, default=0.0)
        )
        words += " " + self.tr("Found by stepwise search; there may be better ones.")
        if found.left_out:
            words += " " + self.tr("Left out: {}.").format(", ".join(found.left_out))
        self.say.emit(words)

    def _walk(self) -> None:
        sensor = self.sensor
        known = None if sensor is None else zoned_sensor(self.document.project, sensor)
        if sensor is not None and known is not None:
            dialog: WalkDialog | ReadingsDialog
            if known.device.reports == "xy":
                dialog = WalkDialog(self.document, sensor, self.theme, self)
            else:
                dialog = pairs_dialog(self.document, sensor, self)
            dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            dialog.finished.connect(lambda _: self.say.emit(dialog.told) if dialog.told else None)
            dialog.open()

    def _sheet(self) -> None:
        if (sensor := self.sensor) is not None:
            dialog = EntryDialog(self.document, sensor.id, self)
            dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            dialog.open()

    def copy(self) -> None:
        """The numbers as text, to the clipboard."""
        sensor = self.sensor
        sheet = None if sensor is None else entry_sheet(self.document.project, sensor)
        clipboard = QApplication.clipboard()
        if sheet is not None and clipboard is not None:
            clipboard.setText(as_text(sheet))
            self.say.emit(self.tr("Values copied to the clipboard."))


def make(around: Context) -> ZonesPanel:
    """The panel."""
    panel = ZonesPanel(around)
    panel.say.connect(around.say)
    return panel

"""Designs side by side: variants of the project, kept by name, simulated with the same people on the same days as the
present design; plan, price, rooms with how sure each difference is, and a day of a room. One is adopted in one undo
step."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QImage, QKeyEvent, QPixmap, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHeaderView,
    QInputDialog,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from vastwatch.advice.judging.comparison import RoomComparison, hardware_price
from vastwatch.design import variants
from vastwatch.design.project import Project, Variant, find
from vastwatch.desk.pages.plan_sheet import picture, state_for
from vastwatch.desk.results.designs import DESIGNS
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import Choice, column_in, label, pressed, row, row_in
from vastwatch.desk.stages.rehearsal.day_pair import DayPair
from vastwatch.words import capital, error_sentence

HEADS = ("Room", "False-offs a week", "Dark, min a day", "Lit while empty, h a day", "Clear difference")
NOW = "Current design"


class PlanPicture(QWidget):
    """A level in one design, with its name and what it costs."""

    def __init__(self) -> None:
        super().__init__()
        box = column_in(self, 2)
        self.name, self.costs = label("", "head"), label("", "soft")
        self.image: QImage | None = None
        self._shown = QLabel()
        self._shown.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._shown.setMinimumSize(QSize(200, 120))
        box.addWidget(row(self.name, self.costs, stretch=0))
        box.addWidget(self._shown, 1)

    def show_design(self, name: str, project: Project, level: str) -> None:
        """Show a design's level."""
        self.name.setText(name)
        hangs = self.tr("{} sensors, {:g} {}").format(
            len(project.sensors), round(hardware_price(project), 2), project.brief.currency
        )
        self.costs.setText(hangs.strip())
        self.image = picture(state_for(project, level), 900)
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        if self.image is None:
            self._shown.clear()
            return
        smooth, kept = Qt.TransformationMode.SmoothTransformation, Qt.AspectRatioMode.KeepAspectRatio
        self._shown.setPixmap(QPixmap.fromImage(self.image).scaled(self._shown.size(), kept, smooth))


class DesignsSheet(QDialog):
    """Fills itself from `results[DESIGNS]`, which it asks for."""

    def __init__(self, parent: QWidget, document: Document, focus: Focus, results: Results, theme: Theme) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("designs")
        self.setWindowTitle(self.tr("Compare designs"))
        self.resize(1010, 660)
        self.document, self.focus, self.results = document, focus, results
        box = column_in(self, 8, (20, 14, 20, 14))
        self.keep_as = QLineEdit()
        self.keep_as.setPlaceholderText(self.tr("name for a copy of the current design"))
        self.keep_as.setAccessibleName(self.tr("Name of the variant"))
        self.keep_as.returnPressed.connect(self._keep)
        self.keep = QPushButton(self.tr("Save a copy"))
        self.keep.setToolTip(self.tr("Saves a copy of the current design in the project, for comparison."))
        self.keep.clicked.connect(self._keep)
        self.which = Choice()
        self.which.setAccessibleName(self.tr("Compare with"))
        self.which.setMinimumContentsLength(18)
        self.which.activated.connect(self._chosen)
        self.adopt = QPushButton(self.tr("Use this design"))
        self.adopt.setToolTip(
            self.tr("Makes it the current design and keeps the present one as a variant. Ctrl+Z undoes it.")
        )
        self.adopt.clicked.connect(self._adopt)
        self.rename = pressed(self.tr("Rename…"), self._ask_name)
        self.drop = pressed(self.tr("Delete"), self._drop)
        box.addWidget(row(self.keep_as, self.keep, stretch=0))
        box.addWidget(row(label(self.tr("Compare with"), "soft"), self.which, self.adopt, self.rename, self.drop,
                          stretch=1))  # fmt: skip
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(6)
        self._bar.setRange(0, 1000)
        box.addWidget(self._bar)
        self.plans = (PlanPicture(), PlanPicture())
        holder = QWidget()
        both = row_in(holder, 16)
        for plan in self.plans:
            both.addWidget(plan, 1)
        box.addWidget(holder, 3)
        self.table = QTableWidget(0, len(HEADS))
        self.table.setHorizontalHeaderLabels([self.tr(words) for words in HEADS])
        self.table.setAccessibleName(self.tr("Rooms in both designs"))
        self.table.verticalHeader().hide()  # type: ignore[union-attr]
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        header = self.table.horizontalHeader()
        assert header is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.currentCellChanged.connect(lambda *_: self._show_day(True))
        box.addWidget(self.table, 2)
        self.day = DayPair(theme)
        self.day.turned.connect(self._told_day)
        self._of_day = label("", "soft")
        before, after = QPushButton("‹"), QPushButton("›")
        for button, step, words in ((before, -1, self.tr("Previous day")), (after, 1, self.tr("Next day"))):
            button.setFixedWidth(32)
            button.setToolTip(words)
            button.setAccessibleName(words)
            button.clicked.connect(partial(self._turn, step))
        leave = pressed(self.tr("Close"), self.accept)
        box.addWidget(self.day)
        self._basis = label("", "soft")
        box.addWidget(row(before, after, self._of_day, self._basis, leave, stretch=3))
        for each in (self.keep, self.adopt, self.rename, self.drop, before, after, leave):
            each.setAutoDefault(False)
        results[DESIGNS].changed.connect(self._fill)
        results[DESIGNS].progressed.connect(self._progress)
        document.changed.connect(self._list)
        self._list()

    # -- which -----------------------------------------------------------------------------------------------------

    @property
    def variant(self) -> Variant | None:
        """The one that is compared with."""
        ident = self.which.currentData()
        return next((v for v in self.document.project.variants if v.id == ident), None)

    def _list(self, *_: object) -> None:
        """The variants there are; one that was shown stays so."""
        project, now = self.document.project, self.which.currentData()
        self.which.clear()
        for v in project.variants:
            self.which.addItem(v.name, v.id)
        self.which.setCurrentIndex(max(self.which.findData(now), 0) if project.variants else -1)
        for button in (self.adopt, self.rename, self.drop, self.which):
            button.setEnabled(bool(project.variants))
        self._chosen()

    def _chosen(self, *_: object) -> None:
        variant = self.variant
        self.results[DESIGNS].want(None if variant is None else variant.id)
        project, level = self.document.project, self.focus.level
        # The older at the left: a copy was kept before what came of the design since.
        if variant is not None:
            older = self.tr("Before: {}").format(variant.name)
            self.plans[0].show_design(older, variants.with_design_of(project, variant), level)
        self.plans[0].setVisible(variant is not None)
        self.plans[1].show_design(self.tr(NOW), project, level)
        self._fill()

    def _keep(self) -> None:
        try:
            new = variants.save_variant(self.document.project, self.keep_as.text())
        except ValueError as e:
            self._basis.setText(error_sentence(e))
            self.keep_as.setFocus()
            return
        self.keep_as.clear()
        name = new.variants[-1].name
        self.document.apply(new, f"Save a copy as {name}")
        self.which.setCurrentIndex(self.which.findData(new.variants[-1].id))
        self._chosen()

    def _adopt(self) -> None:
        variant = self.variant
        if variant is not None:
            self.document.apply(
                variants.adopt_variant(self.document.project, variant.id), f"Use the design {variant.name}"
            )

    def _ask_name(self) -> None:
        variant = self.variant
        if variant is None:
            return
        words = self.tr("New name")
        name, fine = QInputDialog.getText(self, self.tr("Rename"), words, QLineEdit.EchoMode.Normal, variant.name)
        if fine and name.strip() and name.strip() != variant.name:
            self.document.apply(
                variants.rename_variant(self.document.project, variant.id, name), f"Rename to {name.strip()}"
            )

    def _drop(self) -> None:
        variant = self.variant
        if variant is not None:
            self.document.apply(
                variants.remove_variant(self.document.project, variant.id), f"Delete the variant {variant.name}"
            )

    def done(self, result: int) -> None:
        """Nobody waits for it any more."""
        self.results[DESIGNS].want(None)
        super().done(result)

    def _progress(self) -> None:
        self._bar.setValue(round(1000 * self.results[DESIGNS].progress))

    # -- what it comes to ------------------------------------------------------------------------------------------

    def _fill(self) -> None:
        derived, variant = self.results[DESIGNS], self.variant
        found = derived.value if derived.state in ("fresh", "busy") else None
        self._bar.setVisible(derived.busy)
        self.table.setVisible(variant is not None)
        self.day.setVisible(variant is not None and found is not None)
        if variant is None:
            self._basis.setText(self.tr("Save a copy of the design, change the design, then compare the two here."))
            self.table.setRowCount(0)
            return
        if found is None:
            self._basis.setText(
                self.tr("Simulating the same weeks in both designs…") if derived.busy else capital(derived.words)
            )
            self.table.setRowCount(0)
            return
        self._basis.setText(self.tr("{} weeks with the same people in each").format(found.weeks))
        room = self._room()
        self.table.setRowCount(len(found.rooms))
        for k, r in enumerate(found.rooms):
            for column, words in enumerate(self._words(r)):
                item = QTableWidgetItem(words)
                if 0 < column < 4:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(k, column, item)
        rooms = [r.room for r in found.rooms]
        if rooms:
            self.table.selectRow(rooms.index(room) if room in rooms else 0)
        self._show_day(not derived.busy)

    def _words(self, r: RoomComparison) -> tuple[str, ...]:
        name = find(self.document.project.rooms, r.room).name if r.room else self.tr("All rooms")
        if r.drops_per_week is None or r.dark_min is None or r.idle_h is None:
            return name, "", "", "", self.tr("automatic in only one of them")
        each = ((r.drops_per_week, 1, self.tr("false-offs")), (r.dark_min, 2, self.tr("dark")),
                (r.idle_h, 2, self.tr("lit while empty")))  # fmt: skip
        figures = [f"{d.first:.{digits}f} → {d.second:.{digits}f}" for d, digits, _ in each]
        if all(d.first == d.second for d, _, _ in each):
            return name, *figures, self.tr("the same in both")
        less, more = self.tr("less {}"), self.tr("more {}")
        sure = [
            (less if d.high < 0 else more).format(word)
            for d, n, word in each
            if d.significant and round(d.difference, n)
        ]
        return name, *figures, capital(", ".join(sure)) if sure else self.tr("no clear difference")

    def _room(self) -> str | None:
        found, k = self.results[DESIGNS].value, self.table.currentRow()
        if found is not None and 0 <= k < min(len(found.rooms), self.table.rowCount()):
            return found.rooms[k].room or self.day.room or self.focus.room
        return self.focus.room

    def _show_day(self, anew: bool) -> None:
        found, room, variant = self.results[DESIGNS].value, self._room(), self.variant
        if found is None or room is None or variant is None:
            return
        self.day.show_pair(found.pair, (variant.name, self.tr(NOW)), room)
        if anew:
            self.day.turn_to(self.day.worst_day())

    def _turn(self, step: int) -> None:
        self.day.turn_to(self.day.day + step)

    def _told_day(self, day: int) -> None:
        pair = self.day.pair
        if pair is not None:
            room = find(pair[1].project.rooms, self.day.room).name
            self._of_day.setText(f"{room}, {pair[0].calendar.date(day):%A %d %B}")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        # Return in the name keeps a copy, and closes nothing.
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            return
        super().keyPressEvent(event)

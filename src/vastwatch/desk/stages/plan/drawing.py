"""Bringing a drawing in: read in the background, then one dialog for layers and unit, then one undo step."""

from __future__ import annotations

import contextlib
import logging
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, QRunnable, Qt, QThreadPool, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QProgressDialog,
    QWidget,
)  # fmt: skip

from vastwatch.design.edits.removing import count_words
from vastwatch.desk.shell.background import in_background
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import Choice, column, label, plain, row, row_in, scrolling
from vastwatch.desk.stages.plan.drawing_preview import KEY, KeyMark, Preview, strokes
from vastwatch.files import ProjectError
from vastwatch.files.drawing.content import UNITS, Drawing
from vastwatch.files.drawing.interpretation import Interpretation, interpret, usual_layers
from vastwatch.files.drawing.reading import Cancelled, read_drawing


def read_in_background(parent: QWidget, path: Path, then: Callable[[Drawing | ProjectError], None]) -> QProgressDialog:
    """Read a drawing in the pool; `then` gets it, or what is wrong, unless the reading was cancelled."""
    words = parent.tr("Reading {}…").format(path.name)
    return in_background(parent, words, lambda go_on: read_drawing(path, go_on), then, (Cancelled,))


class _Looking(QObject):
    """Carries what was understood from the pool to the dialog."""

    found = pyqtSignal(int, object)


class _Look(QRunnable):
    def __init__(self, number: int, looking: _Looking, work: Callable[[], Interpretation]) -> None:
        super().__init__()
        self.number, self.looking, self.work = number, looking, work

    def run(self) -> None:
        try:
            found: Interpretation | None = self.work()
        except Exception:
            logging.getLogger(__name__).exception("a drawing could not be understood")
            found = None
        with contextlib.suppress(RuntimeError):
            self.looking.found.emit(self.number, found)


class DrawingDialog(QDialog):
    """Which layers of a drawing, in which unit, and what it will become: nothing changes before it is accepted.

    `found` is what is understood of the present choice, None while that is being worked out.
    """

    def __init__(self, parent: QWidget, drawing: Drawing, theme: Theme, may_straighten: bool = True) -> None:
        super().__init__(parent)
        self.drawing = drawing
        self.found: Interpretation | None = None
        self._number = 0
        self._looking = _Looking(self)
        self._looking.found.connect(self._show)
        self.setObjectName("drawing")
        self.setWindowTitle(self.tr("Import drawing"))
        self.resize(1020, 620)
        box = row_in(self, 18, (20, 16, 20, 16))
        left, side = column(9)
        left.setFixedWidth(330)
        box.addWidget(left)
        right, shown = column(8)
        box.addWidget(right, 1)
        side.addWidget(label(self.tr("Layers"), "head"))
        side.addWidget(self._layers(drawing), 1)
        self.unit = Choice()
        self.unit.addItems(list(UNITS))
        self.unit.setCurrentText(drawing.guessed_unit())
        self.unit.setAccessibleName(self.tr("Drawing units"))
        self.unit.currentTextChanged.connect(self.look)
        says = (
            self.tr("as stated in the drawing")
            if drawing.unit == drawing.guessed_unit()
            else self.tr("guessed from its size")
        )
        side.addWidget(row(label(self.tr("One unit is one")), self.unit, label(says, "soft"), QWidget(), stretch=3))
        self.straighten = QCheckBox(self.tr("straighten it"))
        self.straighten.setChecked(may_straighten)
        self.straighten.setEnabled(may_straighten)
        self.straighten.toggled.connect(self.look)
        self.furniture = QCheckBox(self.tr("include furniture"))
        self.furniture.setChecked(True)
        self.rest = QCheckBox(self.tr("keep unrecognised parts as a picture to trace"))
        self.rest.setChecked(True)
        for check in (self.straighten, self.furniture, self.rest):
            side.addWidget(check)
        self.preview = Preview(theme)
        shown.addWidget(self.preview, 1)
        shown.addWidget(self._key(theme))
        self.told = label("", "", True)
        shown.addWidget(self.told)
        if drawing.skipped:
            kinds = ", ".join(f"{n:,} {kind}" for kind, n in drawing.skipped.most_common(4))
            shown.addWidget(label(self.tr("Not usable, skipped: {}.").format(kinds), "soft", True))
        buttons = QDialogButtonBox()
        bring = buttons.addButton(self.tr("Import"), QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton(self.tr("Cancel"), QDialogButtonBox.ButtonRole.RejectRole)
        assert bring is not None
        bring.setDefault(True)
        self.bring = bring
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        shown.addWidget(buttons)
        self.look()

    def _layers(self, drawing: Drawing) -> QWidget:
        """The layers, each with a tick, what probably lies on it, and how much."""
        area, inner = scrolling(4)
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setColumnStretch(0, 1)
        for at, words in enumerate((self.tr("lines"), self.tr("outlines"), self.tr("texts")), 1):
            grid.addWidget(label(words, "soft"), 0, at, Qt.AlignmentFlag.AlignRight)
        usual = usual_layers(drawing)
        self.boxes: dict[str, QCheckBox] = {}
        for k, (name, counts) in enumerate(drawing.layers.items(), 1):
            # A name is shown as it is: an ampersand would become a key.
            check = QCheckBox(name.replace("&", "&&"))
            check.setToolTip(plain(name))
            check.setChecked(name in usual)
            check.toggled.connect(self.look)
            grid.addWidget(check, k, 0)
            for at, n in enumerate(counts, 1):
                grid.addWidget(label(f"{n:,}" if n else "–", "soft"), k, at, Qt.AlignmentFlag.AlignRight)
            self.boxes[name] = check
        inner.addWidget(holder)
        inner.addStretch(1)
        return area

    def _key(self, theme: Theme) -> QWidget:
        marks: list[QWidget] = []
        looks = strokes(theme)
        for role in KEY:
            marks += [row(KeyMark(looks[role]), label(role, "soft"), spacing=3)]
        return row(*marks, QWidget(), stretch=len(marks), spacing=12)

    @property
    def layers(self) -> set[str]:
        """The chosen layers."""
        return {name for name, check in self.boxes.items() if check.isChecked()}

    def look(self, *_: object) -> None:
        """Work out anew what the choice becomes, in the pool; a newer choice makes an older answer void."""
        self._number += 1
        self.found = None
        self.bring.setEnabled(False)
        self.told.setText(self.tr("Analysing the drawing…"))
        layers, unit, straighten = self.layers, self.unit.currentText(), self.straighten.isChecked()
        work = partial(interpret, self.drawing, layers, unit, straighten)
        pool = QThreadPool.globalInstance()
        assert pool is not None
        pool.start(_Look(self._number, self._looking, work))

    def _show(self, number: int, found: Interpretation | None) -> None:
        if number != self._number:
            return
        self.found = found
        self.preview.show_found(found if found is not None else Interpretation())
        if found is None:
            self.told.setText(self.tr("These layers could not be analysed; try others."))
            return
        if self.straighten.isEnabled() and self.straighten.isChecked():
            turned = f" ({abs(found.turn):.1f}°)" if found.turn else self.tr(" (it is straight)")
            self.straighten.setText(self.tr("straighten it") + turned)
        self.bring.setEnabled(True)
        self.told.setText(self.tr("Result: {}.").format(found_words(found)))


def found_words(found: Interpretation) -> str:
    """What was understood, in one line."""
    parts = [count_words(len(found.walls), "wall"), count_words(len(found.rooms), "room")]
    parts += [count_words(found.openings(kind), kind) for kind in ("door", "window", "archway")]
    parts.append(f"{len(found.pieces)} pieces of furniture" if found.pieces else "")
    return ", ".join(words for words in parts if words) or "nothing"

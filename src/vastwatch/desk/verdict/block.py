"""Fields of a form that stand together, two to a row: beside their words, or below them where that is too narrow."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtWidgets import QComboBox, QGridLayout, QLabel, QLineEdit, QWidget

from vastwatch.desk.shell.widgets import FigureField

# What a form may take of the width of the verdict, which scrolls; and what lies between two columns, pixels.
WIDTH, GAP = 262, 8
# What a field needs beside its words: its frame, and a list's arrow; what a name needs at least, pixels.
FRAME, ARROW, LEAST_NAME = 20, 34, 64


class Cell(NamedTuple):
    """A field and its words; a `wide` one has its row to itself."""

    words: QLabel
    field: QWidget
    wide: bool


class Block(QWidget):
    """Cells in rows. `lay_out` puts them where what they show has room."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(GAP)
        self._rows: list[list[Cell]] = [[]]
        self._laid: object = None

    def put(self, words: QLabel, field: QWidget, wide: bool = False) -> None:
        """Another cell after the last."""
        if wide or len(self._rows[-1]) == 2:
            self.new_row()
        self._rows[-1].append(Cell(words, field, wide))
        if wide:
            self.new_row()

    def new_row(self) -> None:
        """What comes next begins a row."""
        if self._rows[-1]:
            self._rows.append([])

    def fits_beside(self) -> bool:
        """Whether all fields have room beside their words."""
        pairs = [row for row in self._rows if row and not row[0].wide]
        taken = 0
        for column in (0, 1):
            cells = [row[column] for row in pairs if len(row) > column]
            if cells:
                taken += max(c.words.sizeHint().width() for c in cells) + max(needed(c.field) for c in cells) + 2 * GAP
        wide = [row[0] for row in self._rows if row and row[0].wide]
        return taken - GAP <= WIDTH and all(c.words.sizeHint().width() + needed(c.field) + GAP <= WIDTH for c in wide)

    def lay_out(self, beside: bool) -> None:
        """Lay the cells anew where that is another way than before."""
        rows = self._rows if beside else [part for row in self._rows for part in _broken(row)]
        laid = beside, [[(id(c.field), needed(c.field)) for c in row] for row in rows]
        if laid == self._laid:
            return
        self._laid, grid = laid, self._grid
        # Where fields stand below their words, what belongs together is nearer.
        grid.setVerticalSpacing(5 if beside else 2)
        for column in range(4):
            grid.setColumnStretch(column, 1 if not beside or column % 2 else 0)
        for k, row in enumerate(row for row in rows if row):
            for j, cell in enumerate(row):
                cell.field.setMinimumWidth(min(needed(cell.field), WIDTH))
                span = 4 if cell.wide or (not beside and _alone(cell)) else 2
                if beside:
                    grid.addWidget(cell.words, k, 2 * j)
                    grid.addWidget(cell.field, k, 2 * j + 1, 1, span - 1)
                else:
                    grid.addWidget(cell.words, 2 * k, 2 * j, 1, span)
                    grid.addWidget(cell.field, 2 * k + 1, 2 * j, 1, span)


def _broken(row: list[Cell]) -> list[list[Cell]]:
    """A row as it is, or as two where a field of it needs more than half the width."""
    return [[c] for c in row] if any(_alone(c) for c in row) else [row]


def _alone(cell: Cell) -> bool:
    return cell.wide or needed(cell.field) > (WIDTH - GAP) // 2


def needed(field: QWidget) -> int:
    """How wide a field has to be to show what is in it, pixels."""
    metrics = field.fontMetrics()
    if isinstance(field, FigureField):
        return metrics.horizontalAdvance(field.text()) + FRAME
    if isinstance(field, QComboBox):
        words = [field.itemText(k) for k in range(field.count())]
        return max((metrics.horizontalAdvance(w) for w in words), default=0) + FRAME + ARROW
    if isinstance(field, QLineEdit):
        return LEAST_NAME
    return field.sizeHint().width()

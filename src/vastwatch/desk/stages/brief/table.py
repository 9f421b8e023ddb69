"""A table over a list of rows, with a typed column each: shown, edited, and refused in a sentence."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)  # fmt: skip

from vastwatch.desk.shell.theme import Theme, font

ROOT = QModelIndex()
# No column is made narrower than this; one that takes what is left over gets at least so much, pixels.
LEAST_WIDTH, LEAST_FREE = 42, 100
ROW_HEIGHT = 27


@dataclass(frozen=True)
class Column:
    """`read` gives a row's text; `write` takes the new text and raises ValueError with a sentence. `options` lists
    (value, words) to choose from instead of typing; `own` tells whether the cell is set rather than usual."""

    head: str
    read: Callable[[Any], str]
    write: Callable[[Any, str], None] | None = None
    options: Callable[[Any], list[tuple[str, str]]] | None = None
    why: str = ""
    width: int = 0
    right: bool = False
    own: Callable[[Any], bool] | None = None


class RowsModel(QAbstractTableModel):
    """Rows are records of the project, replaced as a whole by `set_rows`."""

    refused = pyqtSignal(str)

    def __init__(self, columns: tuple[Column, ...], theme: Theme | None = None) -> None:
        super().__init__()
        self.columns, self.theme = columns, theme
        self.rows: list[Any] = []

    def set_rows(self, rows: list[Any]) -> None:
        """Show other rows; only a changed number of them resets the view."""
        if len(rows) == len(self.rows):
            self.rows = rows
            if rows:
                self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(self.columns) - 1))
            return
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = ROOT) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex = ROOT) -> int:
        return 0 if parent.isValid() else len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> Any:
        if orientation != Qt.Orientation.Horizontal or section >= len(self.columns):
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return self.columns[section].head
        return self.columns[section].why if role == Qt.ItemDataRole.ToolTipRole else None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid() or index.row() >= len(self.rows):
            return None
        column, record = self.columns[index.column()], self.rows[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            text = column.read(record)
            if role == Qt.ItemDataRole.DisplayRole and column.options is not None:
                return next((words for value, words in column.options(record) if value == text), text)
            return text
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if column.right else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.ToolTipRole:
            return column.why or None
        if role == Qt.ItemDataRole.FontRole and column.own is not None:
            return font(13, 600 if column.own(record) else 400)
        if role == Qt.ItemDataRole.ForegroundRole and column.own is not None and self.theme is not None:
            return self.theme.ink if column.own(record) else self.theme.soft
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        out = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if index.isValid() and self.columns[index.column()].write is not None:
            out |= Qt.ItemFlag.ItemIsEditable
        return out

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        column = self.columns[index.column()]
        if column.write is None or index.row() >= len(self.rows):
            return False
        record, text = self.rows[index.row()], str(value).strip()
        if text == column.read(record):
            return False
        try:
            column.write(record, text)
        except ValueError as e:
            words = str(e)
            self.refused.emit(words[:1].upper() + words[1:] + ".")
            return False
        return True


class _Chooser(QStyledItemDelegate):
    """A list to choose from where a column has options, a field elsewhere."""

    def createEditor(self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> QWidget | None:
        model = index.model()
        assert isinstance(model, RowsModel)
        column = model.columns[index.column()]
        if column.options is None:
            return super().createEditor(parent, option, index)
        box = QComboBox(parent)
        for value, words in column.options(model.rows[index.row()]):
            box.addItem(words, value)
        box.activated.connect(lambda _: self._chosen(box))
        return box

    def _chosen(self, box: QComboBox) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box)

    def setEditorData(self, editor: QWidget | None, index: QModelIndex) -> None:
        if isinstance(editor, QComboBox):
            editor.setCurrentIndex(editor.findData(index.data(Qt.ItemDataRole.EditRole)))
            editor.showPopup()
            return
        super().setEditorData(editor, index)

    def setModelData(self, editor: QWidget | None, model: Any, index: QModelIndex) -> None:
        if isinstance(editor, QComboBox):
            model.setData(index, editor.currentData())
            return
        super().setModelData(editor, model, index)


class RowsTable(QTableView):
    """The view: one click selects a row, a second one or Return edits."""

    def __init__(self, model: RowsModel, name: str, parent: QObject | None = None) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setModel(model)
        self._rows = model
        self.setItemDelegate(_Chooser(self))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        triggers = QAbstractItemView.EditTrigger
        self.setEditTriggers(
            triggers.DoubleClicked | triggers.SelectedClicked | triggers.EditKeyPressed | triggers.AnyKeyPressed
        )
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        vertical, head = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None and head is not None
        vertical.hide()
        vertical.setDefaultSectionSize(ROW_HEIGHT)
        head.setHighlightSections(False)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for k, column in enumerate(model.columns):
            if column.width:
                head.setSectionResizeMode(k, QHeaderView.ResizeMode.Fixed)
                self.setColumnWidth(k, column.width)
            else:
                head.setSectionResizeMode(k, QHeaderView.ResizeMode.Stretch)

    def resizeEvent(self, event: Any) -> None:
        self._share_width()
        super().resizeEvent(event)

    def _share_width(self) -> None:
        """Where the place is narrow, the widest columns give to those that take what is left over."""
        widths = {k: c.width for k, c in enumerate(self._rows.columns) if c.width}
        free = (len(self._rows.columns) - len(widths)) * LEAST_FREE
        over = sum(widths.values()) + free - self.viewport().width()  # type: ignore[union-attr]
        while over > 0:
            widest = max(widths, key=widths.__getitem__, default=None)
            if widest is None or widths[widest] <= LEAST_WIDTH:
                break
            step = min(over, 8, widths[widest] - LEAST_WIDTH)
            widths[widest] -= step
            over -= step
        for k, width in widths.items():
            self.setColumnWidth(k, width)

    def keyPressEvent(self, event: Any) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            # The Return that ends an edit comes by here as well.
            if self.state() != QAbstractItemView.State.EditingState:
                self.edit(self.currentIndex())
            return
        super().keyPressEvent(event)

    def fit_height(self, most: int = 12) -> None:
        """As high as its rows, up to so many."""
        shown = min(max(len(self._rows.rows), 1), most)
        head = self.horizontalHeader()
        assert head is not None
        self.setFixedHeight(shown * ROW_HEIGHT + max(head.sizeHint().height(), 24) + 4)

"""A ladder as recipes, to be read, copied and saved, under names of one convention."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, get_args

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QDialog, QFileDialog, QPlainTextEdit, QVBoxLayout, QWidget

from vastwatch.control.export.device_sheet import device_sheet, sheet_rows
from vastwatch.control.export.recipe_parts import RecipeBook
from vastwatch.control.export.recipe_words import as_plain, book_rows, button_words, in_words
from vastwatch.control.export.recipes import output_recipes, recipes_of
from vastwatch.design.project import Convention, find
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.widgets import Choice, label, pressed, row
from vastwatch.files import ProjectError
from vastwatch.files.csv_cells import csv_text
from vastwatch.files.writing import write_atomically

SIZE = (760, 560)


class RecipesSheet(QDialog):
    """The recipes of one room. `say` tells what was saved, or why not."""

    say = pyqtSignal(str)

    def __init__(self, parent: QWidget, document: Document, room: str) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        project = document.project
        self.document, self.project, self.room = document, project, room
        self.setWindowTitle(self.tr("Recipes of {}").format(find(project.rooms, room).name.lower()))
        self.resize(*SIZE)
        box = QVBoxLayout(self)
        box.setSpacing(8)
        self.names = Choice()
        self.names.setAccessibleName(self.tr("Naming"))
        for convention in get_args(Convention):
            self.names.addItem(convention, convention)
        self.names.setCurrentIndex(self.names.findData(project.brief.naming))
        self.names.setToolTip(self.tr("Used for all recipes of the project"))
        self.names.activated.connect(self._name)
        self.told = label("", "soft", True)
        box.addWidget(self.told)
        self.what = Choice()
        self.what.setAccessibleName(self.tr("Show"))
        self.what.addItem(self.tr("Recipes of this room"), "recipes")
        self.what.addItem(self.tr("Device settings"), "devices")
        self.what.activated.connect(self._show)
        box.addWidget(row(self.what, label(self.tr("Names"), "soft"), self.names, QWidget(), stretch=3))
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setAccessibleName(self.windowTitle())
        box.addWidget(self.text, 1)
        self.copy = pressed(self.tr("Copy"), self._copy)
        self.save = pressed(self.tr("Save…"), self._ask, self.tr("As text, JSON or CSV, by file extension"))
        self.close_ = pressed(self.tr("Close"), self.reject)
        box.addWidget(row(QWidget(), self.copy, self.save, self.close_, stretch=0))
        self.book: RecipeBook | None = None
        self.others: list[RecipeBook] = []
        self._show()

    def _name(self, *_: object) -> None:
        """Keep to another convention from now on."""
        project, naming = self.document.project, self.names.currentData()
        if naming != project.brief.naming:
            new = replace(project, brief=replace(project.brief, naming=naming))
            self.document.apply(new, f"Use {naming} for names")
            self.project = new
        self._show()

    def _show(self, *_: object) -> None:
        names = self.names.currentData()
        self.book = recipes_of(self.project, self.room, names)
        mine = (o for o in self.project.outputs if o.room == self.room)
        self.others = [b for o in mine if (b := output_recipes(self.project, o, names)) is not None]
        every = self.every
        if not every and self.what.currentData() != "devices":
            self.told.setText(self.tr("This room has no ladder."))
            self.text.setPlainText("")
            return
        self.told.setText(
            self.tr(
                "{} recipes, {} inputs, {} stored states; run in this order they do the same as the ladder."
            ).format(
                sum(len(b.recipes) for b in every),
                sum(len(b.inputs) + len(b.buttons) for b in every),
                sum(len(b.helpers) for b in every),
            )
        )
        if self.what.currentData() == "devices":
            sheet = device_sheet(self.project)
            self.told.setText(self.tr("Settings of the devices themselves, in all rooms: entered once on each device."))
            self.text.setPlainText("\n".join(f"{s.device} ({s.type})\n    {s.setting}: {s.value}" for s in sheet))
            return
        lines = [] if self.book is None else [*button_words(self.project, self.room), *in_words(self.book)]
        for book in self.others:
            lines += ["", find(self.project.outputs, book.room).name, *in_words(book)]
        self.text.setPlainText("\n".join(lines).strip())

    @property
    def every(self) -> list[RecipeBook]:
        """The recipes of the room's ladder, and of what is no lamp there."""
        return [b for b in (self.book, *self.others) if b is not None]

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(self.text.toPlainText())
        self.say.emit(self.tr("Recipes copied to the clipboard."))

    def _ask(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self,
            self.tr("Save recipes"),
            f"{self.room}-recipes.txt",
            self.tr("Text (*.txt);;JSON (*.json);;CSV (*.csv)"),
        )
        if name:
            self.save_as(Path(name))

    def save_as(self, path: Path) -> None:
        """Write the recipes: by the ending as JSON, as CSV, or else as text."""
        devices = self.what.currentData() == "devices"
        sheet = device_sheet(self.project)
        if path.suffix.lower() == ".json":
            told = {} if self.book is None else as_plain(self.book)
            told["outputs"] = {b.room: as_plain(b) for b in self.others}
            plain: Any = [s._asdict() for s in sheet] if devices else told
            text = json.dumps(plain, ensure_ascii=False, indent=1) + "\n"
        elif path.suffix.lower() == ".csv":
            rows = sheet_rows(sheet) if devices else book_rows({book.room: book for book in self.every})
            text = csv_text(rows)
        else:
            text = self.text.toPlainText() + "\n"
        try:
            write_atomically(path, text.encode())
        except ProjectError as e:
            self.say.emit(str(e))
            return
        self.say.emit(self.tr("Saved {}.").format(path.name))

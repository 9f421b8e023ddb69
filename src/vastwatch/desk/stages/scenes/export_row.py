"""What goes out of the Scenes stage: the ladder as recipes, and the year's table."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QWidget

from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import row_in
from vastwatch.desk.stages.scenes.recipes_sheet import RecipesSheet
from vastwatch.desk.stages.scenes.year_sheet import YearSheet


class OutRow(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.theme = document, focus, theme
        box = row_in(self, 6)
        self.recipes = QPushButton(self.tr("Export recipes…"))
        self.recipes.setToolTip(self.tr("The ladder as triggers, conditions and actions for a controller"))
        self.recipes.clicked.connect(self.show_recipes)
        self.year = QPushButton(self.tr("Year…"))
        self.year.setToolTip(self.tr("What runs by clock time on each day of the year, with sun times and days off"))
        self.year.clicked.connect(self.show_year)
        box.addWidget(self.recipes)
        box.addWidget(self.year)

    def show_year(self) -> None:
        """Open the year's table."""
        sheet = self.sheet = YearSheet(self.window() or self, self.document.project, self.theme)
        sheet.say.connect(self.say)
        sheet.open()

    def show_recipes(self) -> None:
        """Open the ladder as recipes."""
        if self.focus.room is not None:
            sheet = self.book = RecipesSheet(self.window() or self, self.document, self.focus.room)
            sheet.say.connect(self.say)
            sheet.open()

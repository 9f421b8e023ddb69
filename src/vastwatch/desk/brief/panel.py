"""The left-hand panel of the Brief stage: four pages under one row of tabs."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from vastwatch.desk.brief.means import MeansPage
from vastwatch.desk.brief.people import PeoplePage
from vastwatch.desk.brief.rooms import RoomsPage
from vastwatch.desk.brief.wiring import WiringPage
from vastwatch.desk.document import Document
from vastwatch.desk.focus import Focus
from vastwatch.desk.own_types import OwnTypes
from vastwatch.desk.parts import row
from vastwatch.desk.results import Results
from vastwatch.desk.theme import MARGIN, Theme


class BriefPanel(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, results: Results, own: OwnTypes, theme: Theme) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 8, 0, 0)
        box.setSpacing(6)
        self.pages = QStackedWidget()
        self.rooms = RoomsPage(document, focus, theme)
        self.people = PeoplePage(document, focus, theme)
        self.wiring = WiringPage(document, focus, own)
        self.means = MeansPage(document, focus, results, own)
        named: tuple[tuple[str, RoomsPage | PeoplePage | WiringPage | MeansPage], ...] = (
            (self.tr("Rooms"), self.rooms), (self.tr("People"), self.people), (self.tr("Wiring"), self.wiring),
            (self.tr("Means"), self.means),
        )  # fmt: skip
        group = QButtonGroup(self)
        self.tabs: list[QPushButton] = []
        for k, (words, page) in enumerate(named):
            self.pages.addWidget(page)
            page.say.connect(self.say)
            tab = QPushButton(words)
            tab.setCheckable(True)
            tab.setProperty("role", "pick")
            tab.clicked.connect(lambda _, at=k: self.show_page(at))
            group.addButton(tab)
            self.tabs.append(tab)
        head = row(*self.tabs, spacing=4)
        head.setContentsMargins(MARGIN, 0, MARGIN, 0)
        box.addWidget(head)
        box.addWidget(self.pages, 1)
        self.show_page(0)

    def show_page(self, page: int) -> None:
        """0 rooms, 1 people, 2 wiring, 3 means."""
        self.pages.setCurrentIndex(page)
        self.tabs[page].setChecked(True)

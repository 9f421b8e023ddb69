"""The left-hand panel of the Brief stage: four pages under one row of tabs."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal

from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.parts import Paged
from vastwatch.desk.shell.results import Results
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.stages.brief.means import MeansPage
from vastwatch.desk.stages.brief.people import PeoplePage
from vastwatch.desk.stages.brief.rooms import RoomsPage
from vastwatch.desk.stages.brief.wiring import WiringPage
from vastwatch.desk.stages.sensors.own_types import OwnTypes

ROOMS, PEOPLE, WIRING, MEANS = range(4)


class BriefPanel(Paged):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, results: Results, own: OwnTypes, theme: Theme) -> None:
        self.rooms = RoomsPage(document, focus, theme)
        self.people = PeoplePage(document, focus, theme)
        self.wiring = WiringPage(document, focus, own)
        self.means = MeansPage(document, focus, results, own)
        words = ("Rooms", "People", "Wiring", "Means")
        super().__init__(list(zip(words, (self.rooms, self.people, self.wiring, self.means))))
        for page in (self.rooms, self.people, self.wiring, self.means):
            page.say.connect(self.say)

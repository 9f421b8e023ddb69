"""The left-hand panel of the Brief stage: five pages under one row of tabs."""

from __future__ import annotations

from vastwatch.desk.shell.context import Context
from vastwatch.desk.shell.widgets import Paged
from vastwatch.desk.stages.brief.means import MeansPage
from vastwatch.desk.stages.brief.people import PeoplePage
from vastwatch.desk.stages.brief.project import ProjectPage
from vastwatch.desk.stages.brief.rooms import RoomsPage
from vastwatch.desk.stages.brief.wiring import WiringPage

PROJECT, ROOMS, PEOPLE, WIRING, MEANS = range(5)


class BriefPanel(Paged):
    """What is wanted, by whom, and with what."""

    def __init__(self, around: Context) -> None:
        document, focus = around.document, around.focus
        self.project = ProjectPage(document, focus, around.theme)
        self.rooms = RoomsPage(document, focus, around.theme)
        self.people = PeoplePage(document, focus, around.theme)
        self.wiring = WiringPage(document, focus, around.own)
        self.means = MeansPage(document, focus, around.results, around.own)
        words = ("Project", "Rooms", "People", "Wiring", "Budget")
        super().__init__(list(zip(words, (self.project, self.rooms, self.people, self.wiring, self.means))))
        for page in (self.project, self.rooms, self.people, self.wiring, self.means):
            page.say.connect(around.say)
        if document.project.rooms:
            self.show_page(ROOMS)

    def ask_what_to_buy(self) -> None:
        """Which single addition would help most for its money."""
        self.show_page(MEANS)
        self.means.ask_next()

    def offer_people(self) -> None:
        """Who lives here: the page of people, its schedules."""
        self.show_page(PEOPLE)


make = BriefPanel

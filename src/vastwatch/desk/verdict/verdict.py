"""The verdict: is this good? Plain numbers for the room, what is wrong and why, and remedies that can be tried."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from vastwatch.advice.adviser.adviser import Candidate
from vastwatch.advice.adviser.baselines import Baseline
from vastwatch.advice.adviser.remedies import Remedy
from vastwatch.advice.detection.messages import in_words, messages_of
from vastwatch.advice.judging.judge import dark_limit_min, idle_limit_h
from vastwatch.advice.simulation.room_simulation import visits_of
from vastwatch.causes.chain import chain_of
from vastwatch.causes.groups import Group
from vastwatch.control.outputs.handler import handler_of
from vastwatch.design.needs import needs_of
from vastwatch.design.project import find, find_any
from vastwatch.design.relations import outputs_in, presence_of
from vastwatch.desk.results.derived import NOT_COMPUTED
from vastwatch.desk.results.detection import tried_doors
from vastwatch.desk.results.findings import CAUSES, FINDINGS, REMEDIES, causes_of
from vastwatch.desk.results.registry import DAYS, Results
from vastwatch.desk.ribbon.lanes import incident_title
from vastwatch.desk.shell.cycling import level_of
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import MARGIN, Theme, font
from vastwatch.desk.shell.widgets import clear, column, column_in, label, line, plain, pressed, row, scrolling
from vastwatch.desk.verdict.adviser_view import OffersView
from vastwatch.desk.verdict.baselines_sheet import SchoolsSheet
from vastwatch.desk.verdict.chain_view import ChainView, groups_view
from vastwatch.desk.verdict.finding_card import card_to_come, finding_card, no_findings
from vastwatch.desk.verdict.inspector import Inspector
from vastwatch.desk.verdict.score import Score
from vastwatch.desk.verdict.trial_view import TrialView
from vastwatch.desk.verdict.walk_view import WalkView
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.scoring.incidents import LATE_S
from vastwatch.site.building import Room
from vastwatch.words import counted, figure

# More findings than this are folded away until asked for; fewer while another record than the room is inspected.
SHOWN_FINDINGS, SHOWN_BESIDE = 3, 1


class Verdict(QWidget):
    """The right-hand panel. `say` carries one-line messages."""

    say = pyqtSignal(str)
    # What the verdict misses is to be given: "people" or "furnish".
    offered = pyqtSignal(str)
    # A card has led to a record: its id.
    gone_to = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, results: Results, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.results, self.theme = document, focus, results, theme
        self.setObjectName("verdict")
        outer = column_in(self)
        area, box = scrolling(7, (MARGIN, MARGIN, MARGIN, MARGIN))
        outer.addWidget(area)
        self._title = label("", "title")
        self._basis = label("", "soft")
        box.addWidget(row(self._title, self._basis, stretch=0))
        tr = self.tr
        rows = (
            (
                "drops",
                tr("Went dark on somebody"),
                "×",
                tr("How often a day the light went off on somebody, and how often they waved at it."),
            ),
            (
                "dark",
                tr("Left in the dark"),
                "min",
                tr("Minutes a day somebody needed light and had none; how often three waves did not help."),
            ),
            (
                "idle",
                tr("Lit while empty"),
                "h",
                tr("Hours a day lit with nobody awake there, and the energy used."),
            ),
            (
                "first",
                tr("First light, 95 %"),
                "s",
                tr("From entering in the dark until the light is on: 19 of 20 arrivals."),
            ),
            (
                "under",
                tr("Below target lux"),
                "min",
                tr("Minutes a day somebody awake had less light at their position than required; where worst."),
            ),
            (
                "presses",
                tr("Manual presses"),
                "×",
                tr("Presses a day: in the dark, or when the light disturbed a sleeper or a film."),
            ),
        )
        self._scores = {key: Score(words, unit, theme, why, f"figure.{key}") for key, words, unit, why in rows}
        self._numbers, numbers = column(2)
        # What of them counts where scenes are made, and elsewhere.
        self._of_light: list[QWidget] = []
        self._of_timing: list[QWidget] = []
        for key, score in self._scores.items():
            under = line()
            numbers.addWidget(score)
            numbers.addWidget(under)
            if key in ("under", "presses"):
                self._of_light += [score, under]
            elif key in ("drops", "first"):
                self._of_timing += [score, under]
        box.addWidget(self._numbers)
        self._nothing = label("", "soft", True)
        box.addWidget(self._nothing)
        self._offer = pressed("", self._take_offer)
        box.addWidget(self._offer)
        self._switched = label("", "soft", True)
        box.addWidget(self._switched)
        # The form stands above what varies in length, so that a field stays where it is while findings come and go.
        self.inspector = Inspector(document, focus)
        self.inspector.say.connect(self.say)
        box.addWidget(self.inspector)
        self._sends = label("", "soft", True)
        box.addWidget(self._sends)
        self.trial = TrialView(results, theme)
        box.addWidget(self.trial)
        self.walk = WalkView(results, theme)
        box.addWidget(self.walk)
        self._inspector_line = line()
        box.addWidget(self._inspector_line)
        self._story, self._story_box = column(7)
        box.addWidget(self._story)
        self.offers = OffersView(results, theme)
        self.offers.taken.connect(self._take_offer_of)
        self.offers.ways.connect(self.show_schools)
        box.addWidget(self.offers)
        box.addStretch(1)
        self._all_findings = False
        self._told: object = None
        self._told_of: tuple[object, ...] = ()
        for derived in (results.week, results[FINDINGS], results[CAUSES], results[REMEDIES]):
            derived.changed.connect(self.refresh)
        focus.shift.connect(self._shifted)
        document.changed.connect(self.refresh)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what in ("room", "incident", "stage", "selected"):
            if what == "room":
                self._all_findings = False
            self.refresh()

    def _messages(self) -> str:
        """What the selected sensor sent in this week, once it has been simulated."""
        project, r = self.document.project, self.results.rehearsal
        sensor = next((s for s in project.sensors if s.id == self.focus.selected), None)
        if r is None or sensor is None or not self.focus.here.chooses or sensor.id not in r.recording.sensors:
            return ""
        return self.tr("In this week: {}.").format(in_words(messages_of(project, sensor, r.recording)))

    def refresh(self, *_: object) -> None:
        """Numbers and story for the focused room."""
        project, room_id, r = self.document.project, self.focus.room, self.results.rehearsal
        room = next((x for x in project.rooms if x.id == room_id), None)
        self._title.setText(room.name if room else self.tr("No room selected") if project.rooms else self.tr("Verdict"))
        self._basis.setText(self.tr("per day, {} days").format(r.days if r else DAYS))
        scores = r.scores.get(room_id) if r and room_id else None
        missing = None if scores is None or room is None or r is None else self._nobody_to_judge_by(r, room)
        if missing is not None:
            scores = None
        waiting = room is not None and self._waits(room.id)
        self._offer.setVisible(missing is not None)
        # Figures that are on their way have their place already: what lies below them stays where it is.
        self._numbers.setVisible(scores is not None or waiting)
        self._basis.setVisible(scores is not None or waiting)
        if waiting:
            self._basis.setText(self.tr("Rehearsing the week…"))
            for score in self._scores.values():
                score.set(None)
            for widget in (*self._of_light, *self._of_timing):
                widget.setVisible((widget in self._of_light) == self.focus.here.lights)
        if scores is not None:
            assert room is not None and r is not None
            needs = needs_of(project, room)
            judged = self.results.judged.get(room_id or "")
            unmet = set() if judged is None else {m.need for m in judged.needs_at(judged.current_s) if not m.passed}
            waves = self.tr("{:.1f} waves").format(scores.waves) if scores.waves >= 0.05 else ""
            # The judge decides what is wrong, once it has been asked; until then this one week does.
            often = (
                scores.false_offs > needs.drops_per_week / 7.0 + 1e-9 if judged is None else "drops_per_week" in unmet
            )
            self._scores["drops"].set(scores.false_offs, often, waves)
            trips = (
                self.tr("{:.1f} trips to the switch").format(scores.switch_trips) if scores.switch_trips >= 0.05 else ""
            )
            dark = scores.dark_min > dark_limit_min(needs, scores.arrivals / r.days)
            dark = dark if judged is None else "dark_min_per_day" in unmet
            self._scores["dark"].set(scores.dark_min, dark, trips)
            burns = scores.wasted_h > idle_limit_h(needs, len(visits_of(r.truth, room.id).came) / r.days)
            burns = burns if judged is None else "idle_h_per_day" in unmet
            self._scores["idle"].set(scores.wasted_h, burns, f"{scores.wasted_kwh:.2f} kWh")
            median = "" if scores.first_median_s is None else self.tr("median {:.1f} s").format(scores.first_median_s)
            late = (scores.first_p95_s or 0) > needs.notice_s + LATE_S
            late = late if judged is None else "first_light_s" in unmet
            self._scores["first"].set(scores.first_p95_s, late, median)
            self._show_light(r, room)
        self._sends.setText(self._messages())
        self._sends.setVisible(bool(self._sends.text()))
        self._switched.setText(self._outputs(room_id) if room_id else "")
        self._switched.setVisible(bool(self._switched.text()))
        self._nothing.setVisible(scores is None and not waiting)
        if scores is None and not waiting:
            if missing is not None:
                words = missing
            elif room is None:
                words = (
                    self.tr("Click a room on the plan to see its verdict.")
                    if project.rooms
                    else self.tr("Draw a room to see its verdict and what would improve it.")
                )
            elif self.results.recording is not None:
                words = self.tr("A log shows which sensor reported, not who was there. Read it on the left.")
            elif all(lamp.room != room.id for lamp in project.lamps):
                words = self.tr("This room has no lamp, so there is nothing to switch.")
            else:
                words = self.tr(
                    "No sensor controls this room's light; it is switched by hand. Place one to see its verdict."
                )
            self._nothing.setText(words)
        self._tell()

    def _waits(self, room: str) -> bool:
        """Whether a room will have figures once its week is rehearsed."""
        project, results = self.document.project, self.results
        return (
            results.rehearsal is None and results.recording is None and results.week.busy and bool(project.people)
            and any(lamp.room == room for lamp in project.lamps) and presence_of(project, room) is not None
        )  # fmt: skip

    def _show_light(self, r: Rehearsal, room: Room) -> None:
        """Where scenes are made, how the light was beyond on and off."""
        lights = self.focus.here.lights
        for widget in self._of_light:
            widget.setVisible(lights)
        for widget in self._of_timing:
            widget.setVisible(not lights)
        if not lights:
            return
        scores = r.light_scores[room.id]
        worst = max(scores.under_min, key=lambda s: scores.under_min[s], default=None)
        spot = next((s.name for s in r.project.spots if s.id == worst and scores.under_min[s.id] >= 0.05), "")
        self._scores["under"].set(scores.under, False, spot)
        flickers = self.tr("{:.1f} flickers").format(scores.flickers) if scores.flickers >= 0.05 else ""
        self._scores["presses"].set(scores.presses, False, flickers)

    def _nobody_to_judge_by(self, r: Rehearsal, room: Room) -> str | None:
        """What is missing where nobody was in a room all week; its button offers it. None where somebody was."""
        project = r.project
        if r.truth.occupied(room.id, False).total() > 0:
            return None
        spots = [s for s in project.spots if s.room == room.id and s.activity != "away"]
        if not project.people:
            self._offer.setText(self.tr("Add occupants…"))
            return self.tr("This project has no occupants, so no room can be judged.")
        self._offer.setText(self.tr("Schedules…") if spots else self.tr("Furnish…"))
        if not spots:
            return self.tr("Nobody was here in {} days: the room has no seat, bed or counter.").format(r.days)
        return self.tr("Nobody was here in {} days: no schedule uses a reachable position in this room.").format(r.days)

    def _take_offer(self) -> None:
        """Go to where what is missing can be given."""
        project, room = self.document.project, self.focus.room
        furnish = bool(project.people) and all(s.room != room or s.activity == "away" for s in project.spots)
        self.focus.set(stage="Plan" if furnish else "Brief")
        self.offered.emit("furnish" if furnish else "people")

    def _outputs(self, room: str) -> str:
        """How what the house switches beside the light did, a line each."""
        r = self.results.rehearsal
        if r is None:
            return ""
        return "\n".join(
            self.tr("{}: runs {:.1f} h a day, {:.1f} h while empty, {:.2f} kWh").format(
                o.name, s.run_h, s.idle_h, s.kwh
            )
            for o in outputs_in(r.project, room)
            if not handler_of(o).lights and (s := r.output_scores.get(o.id)) is not None
        )

    # -- the story ---------------------------------------------------------------------------------------------

    def _tell(self) -> None:
        r, index = self.results.rehearsal, self.focus.incident
        open_ = r is not None and 0 <= index < len(r.incidents) and r.incidents[index].room == self.focus.room
        told = (
            index if open_ else -1, self.focus.room, self.focus.stage, self._all_findings,
            self.results[REMEDIES].state, self.focus.selected == self.focus.room,
            self.results[FINDINGS].state, self.results[CAUSES].state,
        )  # fmt: skip
        # Kept themselves, not their addresses: those are given out again.
        told_of = (
            r if open_ else None, self.results[FINDINGS].value, self.results[CAUSES].value,
            self.results[REMEDIES].value,
        )  # fmt: skip
        if told == self._told and all(a is b for a, b in zip(told_of, self._told_of)):
            return
        self._told, self._told_of = told, told_of
        clear(self._story_box)
        if open_:
            self._incident(index)
        else:
            self._groups()
            self._findings()
        self._remedies(open_)
        # Shown in the same step in which the old ones went: a paint in between would be of an empty panel.
        for k in range(self._story_box.count()):
            item = self._story_box.itemAt(k)
            if item is not None and (widget := item.widget()) is not None:
                widget.show()
        self.walk.setVisible(self.focus.here.chooses and tried_doors(self.results) is not None)
        self.offers.setVisible(self.focus.here.chooses and not open_ and self.focus.room is not None)

    def _incident(self, index: int) -> None:
        r = self.results.rehearsal
        assert r is not None
        incident = r.incidents[index]
        mine = [i for i, x in enumerate(r.incidents) if x.room == incident.room]
        title = label(incident_title(r, incident), "bad" if incident.dark else "head", True)
        self._story_box.addWidget(
            row(title, label(self.tr("{} of {}").format(mine.index(index) + 1, len(mine)), "soft"), stretch=0)
        )
        known = causes_of(self.results, r, incident.room)
        chain = chain_of(r, incident, None if known is None else known.inquiries.get(incident.kind))
        self._story_box.addWidget(ChainView(chain, self.theme, self._go, self.results[CAUSES].busy))

    def _groups(self) -> None:
        """What the week's incidents of the room are because of."""
        r, room = self.results.rehearsal, self.focus.room
        known = None if r is None or room is None else causes_of(self.results, r, room)
        beside = self.focus.selected not in (room, None)
        if known is None or not known.groups or beside or not self.focus.here.follows_time:
            return
        self._story_box.addWidget(guide_label(self.tr("What went wrong, and why"), "causes", "head"))
        self._story_box.addWidget(groups_view(known.groups, self.theme, self._step_to))

    def _step_to(self, group: Group) -> None:
        r = self.results.rehearsal
        if r is not None and group.incidents[0] in r.incidents:
            index = r.incidents.index(group.incidents[0])
            # From there one steps through those of this cause.
            at = r.incidents[index].at
            self.focus.set(
                group=frozenset(group.incidents), only="all", incident=index, time=at, day=r.calendar.noon_day(at)
            )

    def _go(self, record: str) -> None:
        if find_any(self.document.project, record) is None:
            return
        level = level_of(self.document.project, record)
        if level is not None:
            self.focus.set(level=level)
        self.focus.set(selected=record)
        self.gone_to.emit(record)

    def _findings(self) -> None:
        room = self.focus.room
        mine = [f for f in self.results[FINDINGS].value or () if f.room == room or room in f.records]
        # What belongs to no room is everybody's.
        mine += [f for f in self.results[FINDINGS].value or () if f.room is None and f not in mine]
        if not mine:
            if room is not None and self.results[FINDINGS].busy and self.results[FINDINGS].value is None:
                words = label(self.tr("checking the design…"), "soft")
                self._story_box.addWidget(row(guide_label(self.tr("Findings"), "findings", "head"), words, stretch=0))
                for _ in range(SHOWN_FINDINGS):
                    self._story_box.addWidget(card_to_come())
            elif room is not None and not self.results[FINDINGS].busy:
                self._story_box.addWidget(label(no_findings(self.results, room), "soft", True))
            return
        open_ = sum(f.severity in ("wrong", "risk") for f in mine)
        notes = sum(f.severity not in ("wrong", "risk", "caution") for f in mine)
        head = counted(open_, "problem") if open_ else self.tr("No problems")
        if notes:
            head += f", {counted(notes, 'note')}"
        self._story_box.addWidget(
            row(guide_label(self.tr("Findings"), "findings", "head"), label(head, "soft"), stretch=0)
        )
        # Cautions are never folded away.
        limit = SHOWN_FINDINGS if self.focus.selected in (room, None) else SHOWN_BESIDE
        first = [f for f in mine if f.severity != "caution"][:limit]
        shown = mine if self._all_findings else [f for f in mine if f in first or f.severity == "caution"]
        for finding in shown:
            self._story_box.addWidget(finding_card(finding, self.theme, self._go))
        if len(mine) > len(shown):
            more = pressed(self.tr("{} more").format(len(mine) - len(shown)), self._show_all)
            self._story_box.addWidget(more)

    def _show_all(self) -> None:
        self._all_findings = True
        self._tell()

    def _remedies(self, open_: bool) -> None:
        r, room = self.results.rehearsal, self.focus.room
        if r is None or room is None or room not in r.scores or r.truth.occupied(room, False).total() == 0:
            # Nothing can be tried on a week in which nobody is there.
            return
        tried = self.results[REMEDIES]
        if tried.state == "failed":
            self._story_box.addWidget(label(NOT_COMPUTED, "soft", True))
            return
        if tried.value is not None:
            if not tried.value:
                self._story_box.addWidget(
                    label(self.tr("None of the improvements tried made a difference here."), "soft", True)
                )
                return
            self._story_box.addWidget(guide_label(self.tr("Tried on the same week"), "causes", "head"))
            for k, remedy in enumerate(tried.value):
                self._story_box.addWidget(self._remedy(remedy, k == 0))
            return
        trying = tried.busy
        button = QPushButton(self.tr("Trying… stop") if trying else self.tr("Try improvements on the same week"))
        button.setToolTip(self.tr("Rehearses the same week with each change; nothing is applied yet. (T)"))
        button.clicked.connect(tried.forget if trying else self.try_remedies)
        self._story_box.addWidget(button)

    def show_schools(self) -> None:
        """Four ways to serve the focused room, side by side."""
        project = self.document.project
        room = next((r for r in project.rooms if r.id == self.focus.room), None)
        if room is None:
            return
        sheet = SchoolsSheet(self.window() or self, self.results, self.theme, room.name, project.brief.currency)
        sheet.taken.connect(partial(self._take_school, room))
        sheet.open()

    def _take_school(self, room: Room, school: Baseline) -> None:
        assert school.project is not None
        self.document.apply(school.project, f"Use {school.name} in {room.name.lower()}")

    def _take_offer_of(self, offer: Candidate) -> None:
        room = find(self.document.project.rooms, offer.judged.room)
        self.document.apply(offer.project, f"Place {offer.name} in {room.name.lower()}")
        # What was said of it when it was offered holds now that it is mounted.
        self.results.know(offer.judged_as_hung)
        self.focus.set(selected=offer.sensors[-1].id)

    def ask_options(self) -> None:
        """Ask what would do in the focused room."""
        self.offers.ask()

    def try_remedies(self) -> None:
        """Ask for remedies of the focused room."""
        if self.results[REMEDIES].value is None and not self.results[REMEDIES].busy:
            self.results[REMEDIES].ask()

    def _remedy(self, remedy: Remedy, best: bool) -> QPushButton:
        before, after = remedy.before, remedy.after
        change = f"{figure(before.false_offs)} → {figure(after.false_offs)} false-offs"
        idle = after.wasted_h - before.wasted_h
        if abs(idle) >= 0.05:
            change += f", lit while empty {'+' if idle > 0 else '−'}{abs(idle):.1f} h"
        weeks = ""
        if remedy.others is not None:
            was, now = remedy.others
            weeks = self.tr("{} other weeks: {:.1f} → {:.1f} false-offs a week").format(
                now.weeks, was.drops_per_week, now.drops_per_week)  # fmt: skip
        button = QPushButton()
        button.setProperty("role", "best" if best else "try")
        box = column_in(button, 0, (12, 4, 12, 4))
        inner = QHBoxLayout()
        inner.setSpacing(8)
        box.addLayout(inner)
        words, figures = label(remedy.text, "", True), label(change, "soft", True)
        words.setFont(font(12, 500))
        figures.setFont(font(12, 600 if best else 400))
        figures.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if after.false_offs < before.false_offs:
            figures.setStyleSheet(f"color: {self.theme.good.name()};")
        inner.addWidget(words, 3)
        inner.addWidget(figures, 2)
        below = label(weeks, "soft")
        below.setVisible(bool(weeks))
        box.addWidget(below)
        for w in (words, figures, below):
            w.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        button.setFixedHeight(62 if weeks else 44)
        told = f"{change}; {weeks}" if weeks else change
        button.setAccessibleName(f"{remedy.text}: {told}")
        button.setToolTip(plain(self.tr("Apply: {}. Ctrl+Z undoes it.").format(told)))
        button.clicked.connect(lambda: self.document.apply(remedy.project, remedy.text))
        return button

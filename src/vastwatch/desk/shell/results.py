"""What the desk shows of the design, each a `Derived`: the rehearsed week, the findings, the timing curve, what helps,
which types would do, and what to buy.

What is only a new hold time follows at once: the algebra takes a few milliseconds. All else waits until the hand
rests, runs in one background thread, and only for what is looked at.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType

from PyQt6.QtCore import QObject, QThreadPool, QTimer, pyqtSignal

from vastwatch.advice.adviser.offers import Offers
from vastwatch.advice.adviser.remedies import Remedy
from vastwatch.advice.adviser.schools import School
from vastwatch.advice.adviser.zone_help import Help, what_helps
from vastwatch.advice.checks.finding import Finding
from vastwatch.advice.detection.spill import Spill, spills
from vastwatch.advice.detection.trial import Trial, stay
from vastwatch.advice.detection.walk_test import Sway, Walk, entrances, in_and_out, sways, walk
from vastwatch.advice.judging.all_rooms import affordable, judge_all
from vastwatch.advice.judging.frontier import Frontier
from vastwatch.advice.judging.judge import Judgement
from vastwatch.advice.judging.timing import TimingCurve
from vastwatch.advice.logs.habits import LogHabits, habits_of_log
from vastwatch.advice.logs.replay import LogCurve, log_curve
from vastwatch.control.house import HouseRun, run
from vastwatch.control.recording import Recording
from vastwatch.design.differences import differ_only_in
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, Variant, find
from vastwatch.design.records import Presence, Sensor
from vastwatch.design.relations import presence_of
from vastwatch.desk.shell.derived import Derived, Task
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.in_hand import sensor_in_hand
from vastwatch.desk.shell.work import (
    DAYS,
    MONTH,
    SEED,
    Causes,
    Designs,
    Matters,
    ToBuy,
    causes_of,
    curve_of,
    designs_of,
    findings_of,
    frontier_of,
    matters_of,
    offers_of,
    remedies_of,
    schools_of,
    settled_of,
    to_buy_of,
)
from vastwatch.devices import DeviceType, catalogue
from vastwatch.rehearsal import Rehearsal, rehearse, replay
from vastwatch.rehearsal.zone_scores import SensorScore, score_zones
from vastwatch.signals import DAY
from vastwatch.site.record import Point

NOTHING_JUDGED: Mapping[str, Judgement] = MappingProxyType({})
# Wait this long after a change before asking for new findings, so that a drag is not interrupted, milliseconds.
SETTLE_MS = 160
# When it has rested for so long, milliseconds, and nothing else asks the judge, every room is judged.
REST_MS = 1500


class Results(QObject):
    """The results of one window."""

    # The program failed at something: a sentence for the status line.
    failure = pyqtSignal(str)
    # One line for the status line.
    said = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        # What there is to choose from; the window adds the user's own types.
        self.types: Callable[[Project], list[DeviceType]] = lambda p: [*p.devices, *catalogue()]
        # Under which seed the shown week is lived.
        self.seed = SEED
        # How many days are lived: a week, or more where a month is looked at.
        self.days = DAYS
        # What sensors said in truth, where that is looked at in place of a rehearsal.
        self.recording: Recording | None = None
        self._house: tuple[Project, Recording, HouseRun] | None = None
        # With a budget, a starter set is asked for in place of the next best purchase.
        self._budget: float | None = None
        # What the judge has said of rooms of the present design.
        self._judged: Mapping[str, Judgement] = NOTHING_JUDGED
        # Two cores: one for the window, one for the work.
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self.week: Derived[Rehearsal] = Derived(
            "rehearsal", self._pool, self._of_week, lambda task, project, seed, days: rehearse(project, days, seed)
        )
        self.findings: Derived[list[Finding]] = Derived(
            "findings", self._pool, lambda: (document.project, self._judged), findings_of
        )
        self.curve: Derived[TimingCurve] = Derived(
            "curve", self._pool, self._of_room, curve_of, needed=lambda: "curve" in focus.here.results
        )
        # Some seconds of work: on a thread of its own, so that nothing waits for it.
        self._judges = QThreadPool(self)
        self._judges.setMaxThreadCount(1)
        self.settled: Derived[TimingCurve] = Derived(
            "recommendation", self._judges, self._of_room, settled_of, needed=lambda: "curve" in focus.here.results
        )
        self.trial: Derived[Trial] = Derived(
            "trial", self._pool, self._of_spot, lambda task, project, spot: stay(project, spot)
        )
        self.sways: Derived[list[Sway]] = Derived(
            "doors", self._pool, self._of_doors, lambda task, project, room: sways(project, room),
            needed=lambda: focus.here.chooses,
        )  # fmt: skip
        self.spill: Derived[list[Spill]] = Derived(
            "what is seen next door", self._pool, self._of_spill, lambda task, project, sensor: spills(project, sensor),
            needed=lambda: focus.here.chooses, forgetful=True,
        )  # fmt: skip
        self._way: tuple[str, tuple[Point, ...]] | None = None
        self.walk: Derived[Walk] = Derived(
            "way", self._pool, self._of_way, lambda task, project, level, points: walk(project, level, points)
        )
        self.causes: Derived[Causes] = Derived(
            "causes", self._pool, self._of_causes, causes_of, needed=lambda: focus.here.follows_time
        )
        self.remedies: Derived[list[Remedy]] = Derived(
            "remedies", self._pool, self._of_remedies, remedies_of, needed=_never, forgetful=True
        )
        self.options: Derived[Offers] = Derived(
            "options", self._judges, self._of_options, offers_of, needed=_never, forgetful=True
        )
        self.zone_scores: Derived[SensorScore | None] = Derived(
            "zones", self._pool, self._of_zone_scores, lambda task, r, sensor: score_zones(r, sensor),
            needed=lambda: "zones" in focus.here.results,
        )  # fmt: skip
        self.zone_help: Derived[list[Help]] = Derived(
            "what helps a zone", self._judges, self._of_zone_help,
            lambda task, project, sensor: what_helps(project, sensor, moving=True),
            needed=lambda: "zones" in focus.here.results, forgetful=True,
        )  # fmt: skip
        self.schools: Derived[list[School]] = Derived(
            "four ways", self._pool, self._of_options, schools_of, needed=_never, forgetful=True
        )
        self.frontier: Derived[Frontier] = Derived(
            "every way", self._judges, self._of_room, frontier_of, needed=_never, forgetful=True
        )
        self._variant: str | None = None
        self.designs: Derived[Designs] = Derived(
            "designs", self._judges, self._of_designs, designs_of,
            needed=lambda: self._variant is not None, forgetful=True,
        )  # fmt: skip
        self.log_curve: Derived[LogCurve] = Derived(
            "log's curve", self._pool, self._of_log_curve, lambda task, house, presence: log_curve(house, presence),
            forgetful=True,
        )  # fmt: skip
        self.log_habits: Derived[LogHabits] = Derived(
            "log's habits", self._pool, self._of_log, lambda task, house: habits_of_log(house), forgetful=True
        )
        self.matters: Derived[Matters] = Derived(
            "what matters", self._judges, self._of_room, matters_of, needed=_never, forgetful=True
        )
        self.purchases: Derived[ToBuy] = Derived(
            "purchases", self._pool, self._of_purchases, to_buy_of, needed=_never, forgetful=True
        )
        # Not among all the others: nobody waits for it, and whatever else wants the judge goes first.
        self.house_judged: Derived[dict[str, Judgement]] = Derived(
            "judgements", self._judges, lambda: (document.project,),
            self._judge_all, needed=lambda: affordable(document.project),
        )  # fmt: skip
        self.house_judged.failed.connect(self.failure)
        self.house_judged.changed.connect(self._hear_the_judge)
        self.all = (
            self.week,
            self.findings,
            self.curve,
            self.settled,
            self.trial,
            self.sways,
            self.spill,
            self.walk,
            self.causes,
            self.remedies,
            self.options,
            self.schools,
            self.frontier,
            self.matters,
            self.log_curve,
            self.log_habits,
            self.designs,
            self.zone_scores,
            self.zone_help,
            self.purchases,
        )
        for derived in self.all:
            derived.failed.connect(self.failure)
        self.week.changed.connect(self._lived_anew)
        for derived in (self.settled, self.options):
            derived.changed.connect(self._hear_the_judge)
            derived.changed.connect(self._give_way)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._judge_the_house)
        self._rest.start()
        self._stopped = False
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE_MS)
        self._settle.timeout.connect(self.refresh)
        document.replaced.connect(self._forget)
        document.changed.connect(self._project_changed)
        focus.shift.connect(self._shifted)

    # -- what each is of ---------------------------------------------------------------------------------------

    def _of_week(self) -> tuple[Project, int, int] | None:
        return None if self.recording is not None else (self.document.project, self.seed, self.days)

    def live_under(self, seed: int) -> None:
        """Rehearse the week under another seed: the same people on other days of their lives."""
        if seed != self.seed:
            self.seed = seed
            self.week.check()

    def _of_room(self) -> tuple[Project, str] | None:
        return None if self.focus.room is None else (self.document.project, self.focus.room)

    def live_for(self, days: int) -> None:
        """Rehearse so many days: a week, or the month that begins with it."""
        if days == self.days:
            return
        self.days = days
        if self.recording is None and self.focus.day >= days:
            day = self.focus.day % 7
            self.focus.set(day=day, time=self.focus.time - (self.focus.day - day) * DAY, incident=-1)
        self.week.check()

    def _of_log(self) -> tuple[HouseRun] | None:
        house = None if self.recording is None else self.house
        return None if house is None else (house,)

    def _of_log_curve(self) -> tuple[HouseRun, Presence] | None:
        house = None if self.recording is None else self.house
        presence = None if house is None else presence_of(house.project, self.focus.room or "")
        tunable = presence is not None and hold_of(presence.expr) is not None
        return (house, presence) if house is not None and presence is not None and tunable else None

    def _of_designs(self) -> tuple[Project, Variant, int] | None:
        project = self.document.project
        variant = next((v for v in project.variants if v.id == self._variant), None)
        return None if variant is None else (project, variant, self.seed)

    def compare_with(self, ident: str | None) -> None:
        """Compare the design with a variant of it from now on, whenever either changes; None: with none any more."""
        self._variant = ident
        self.designs.check()

    def _of_spot(self) -> tuple[Project, str] | None:
        project = self.document.project
        spot = next((s for s in project.spots if s.id == self.focus.selected), None)
        if spot is None or spot.activity == "away" or presence_of(project, spot.room) is None:
            return None
        return project, spot.id

    @property
    def tried_spot(self) -> str | None:
        """The selected spot, where a stay there can be tried."""
        of = self._of_spot()
        return None if of is None else of[1]

    def _of_doors(self) -> tuple[Project, str] | None:
        room, project = self.focus.room, self.document.project
        return None if room is None or presence_of(project, room) is None else (project, room)

    def _of_spill(self) -> tuple[Project, str] | None:
        project, ident = self.document.project, self.focus.selected
        return (project, ident) if ident is not None and any(s.id == ident for s in project.sensors) else None

    def _of_way(self) -> tuple[Project, str, tuple[Point, ...]] | None:
        return None if self._way is None else (self.document.project, *self._way)

    @property
    def tried_doors(self) -> bool:
        """Whether the room in hand has a presence whose doors can be tried."""
        return self._of_doors() is not None

    def walk_way(self, points: tuple[Point, ...]) -> None:
        """Walk a way on the shown level, and again whenever the design changes."""
        self._way = self.focus.level, points
        self.walk.check()

    def walk_in_and_out(self) -> None:
        """Walk into the room in hand by its first door, and out again."""
        project, room = self.document.project, self.focus.room
        doors = [] if room is None else entrances(project, find(project.rooms, room))
        if room is not None and doors:
            self.focus.set(placing=None)
            self.walk_way(in_and_out(project, room, doors[0][0].id))

    def _of_causes(self) -> tuple[Rehearsal, str] | None:
        r, room = self.rehearsal, self.focus.room
        return None if r is None or room is None or self.week.state != "fresh" else (r, room)

    def _of_remedies(self) -> tuple[Rehearsal, str] | None:
        r, room = self.rehearsal, self.focus.room
        return None if r is None or room is None or room not in r.scores else (r, room)

    def _of_options(self) -> tuple[Project, str, list[DeviceType]] | None:
        room = self.focus.room
        return None if room is None else (self.document.project, room, self.types(self.document.project))

    def _of_zone_scores(self) -> tuple[Rehearsal, str] | None:
        r, sensor = self.rehearsal, sensor_in_hand(self.document.project, self.focus)
        known = r is not None and sensor is not None and any(s.id == sensor.id for s in r.project.sensors)
        return (r, sensor.id) if r is not None and sensor is not None and known else None

    def _of_zone_help(self) -> tuple[Project, Sensor] | None:
        sensor = sensor_in_hand(self.document.project, self.focus)
        return None if sensor is None else (self.document.project, sensor)

    def _of_purchases(self) -> tuple[Project, list[DeviceType], float | None]:
        return self.document.project, self.types(self.document.project), self._budget

    # -- asking ------------------------------------------------------------------------------------------------

    @property
    def rehearsal(self) -> Rehearsal | None:
        """The rehearsed week, of the design as it was when it last rested."""
        return self.week.value

    @property
    def house(self) -> HouseRun | None:
        """What the house does in the shown days: of the rehearsal, or of a recording that is looked at."""
        project = self.document.project
        if self.recording is None:
            return None if self.rehearsal is None else self.rehearsal.house
        if self._house is None or self._house[0] is not project or self._house[1] is not self.recording:
            self._house = project, self.recording, run(project, self.recording)
        return self._house[2]

    def show_recording(self, recording: Recording | None) -> None:
        """Look at what sensors really said, in place of the rehearsed week; None goes back to it."""
        self.recording = recording
        self.week.forget()
        self.refresh()

    def refresh(self) -> None:
        """Ask for whatever is not of the present design and is looked at."""
        if not self._stopped:
            for derived in self.all:
                derived.check()

    def busy(self) -> bool:
        """Whether anything is under way, or about to be."""
        return any(derived.busy for derived in self.all) or self._settle.isActive()

    def ask_to_buy(self, starter_budget: float | None = None) -> None:
        """Which single additions would help most for their money; or, with a budget, which set to begin with."""
        self._budget = starter_budget
        self.purchases.ask()

    def _forget(self) -> None:
        self.recording = None
        self._way = None
        self._judged = NOTHING_JUDGED
        for derived in (*self.all, self.house_judged):
            derived.forget()
        self._rest.start()

    def _project_changed(self, old: Project, new: Project) -> None:
        self._judged = NOTHING_JUDGED
        for derived in (self.remedies, self.options, self.schools, self.purchases):
            derived.spoil()
        if self.recording is not None:
            self.week.changed.emit()
        elif self.week.value is None or self.week.value.project is not old or differ_only_in(old, new, ("scenes",)):
            # A slider is followed by what is on the plan at once, and by the week once it rests.
            pass
        elif differ_only_in(old, new, _CONCLUDED):
            self.week.put(replay(self.week.value, new), (new, self.seed, self.days))
        # While the hand moves, the frame has the processor to itself.
        self.house_judged.spoil()
        self._settle.start()
        self._rest.start()

    def _lived_anew(self) -> None:
        # Not while the hand moves: then the week of a moment ago is followed by another.
        if not self._stopped and not self._settle.isActive():
            self.causes.check()
            self.zone_scores.check()

    def _hear_the_judge(self) -> None:
        """What the judge says of a room counts for the findings as well, while the design is the same."""
        said: list[tuple[object, Judgement | None]] = []
        if self.settled.value is not None and self.settled.of is not None and self.settled.state == "fresh":
            said.append((self.settled.of[0], self.settled.value.judged))
        if self.options.value is not None and self.options.of is not None and self.options.state == "fresh":
            said.append((self.options.of[0], self.options.value.now))
        if self.house_judged.value is not None and self.house_judged.of is not None:
            said += [(self.house_judged.of[0], j) for j in self.house_judged.value.values()]
        new = {j.room: j for of, j in said if j is not None and of is self.document.project}
        if any(self._judged.get(room) is not j for room, j in new.items()):
            self._judged = MappingProxyType({**self._judged, **new})
            if not self._stopped and not self._settle.isActive():
                self.findings.check()

    def _judge_all(self, task: Task, project: Project) -> dict[str, Judgement]:
        # What is said of the room in hand is shown at once, what is said of the others all together.
        return judge_all(
            project, self.focus.room, task.should_continue, lambda known: task.show(known) if len(known) == 1 else None
        )

    def _judge_the_house(self) -> None:
        if not self._stopped and self.rehearsal is not None and not self.busy():
            self.house_judged.check()
        elif not self._stopped:
            self._rest.start()

    def _give_way(self) -> None:
        """Whoever asks the judge now waits for no other room; those are judged afterwards."""
        if (self.settled.busy or self.options.busy) and self.house_judged.busy:
            self.house_judged.spoil()
            self._rest.start()

    def know(self, judgement: Judgement) -> None:
        """What the judge has said of a room of the design as it is now."""
        self._judged = MappingProxyType({**self._judged, judgement.room: judgement})

    def judged(self, room: str | None) -> Judgement | None:
        """What the judge has said of a room of the present design; None where it has not been asked."""
        return None if room is None else self._judged.get(room)

    def causes_of(self, rehearsal: Rehearsal, room: str) -> Causes | None:
        """The causes of a rehearsed room, as far as they are known."""
        found = self.causes.value
        return found if found is not None and found.rehearsal is rehearsal and found.room == room else None

    def _shifted(self, what: str) -> None:
        if what == "span" and self.focus.span != "day":
            # A day of a month that is looked at more closely is still one of a month.
            self.live_for(MONTH if self.focus.span == "month" else DAYS)
        if what == "room":
            self.curve.forget()
            self.settled.forget()
            self.remedies.spoil()
            self.options.spoil()
            self.schools.spoil()
        if what == "selected":
            self.trial.check()
            self.spill.check()
        if what in ("selected", "room", "stage", "level"):
            self.zone_scores.check()
            self.zone_help.check()
        if what in ("room", "stage"):
            self.sways.check()
            self.spill.check()
            self.causes.check()
            self.curve.check()
            self.settled.check()

    @property
    def best_curve(self) -> TimingCurve | None:
        """The first look at the room's curve; once the judge has settled it, and while nothing that it reads has
        changed, that."""
        first, settled = self.curve.value, self.settled.value
        if settled is None or first is None or settled.room != first.room or settled.exact is not first.exact:
            return first
        return settled

    @property
    def stopped(self) -> bool:
        """Whether nothing is computed any more: the window closes."""
        return self._stopped

    def stop(self) -> None:
        """Let go of everything under way and wait for the pool: the window closes."""
        self._settle.stop()
        self._rest.stop()
        self._stopped = True
        for derived in (*self.all, self.house_judged):
            derived.give_up()
        for pool in (self._pool, self._judges):
            pool.clear()
            pool.waitForDone()


def _never() -> bool:
    """Of what is computed only when it is asked for."""
    return False


# What no sensor and nobody who lives there reads: conclusions, and what the house does by them.
_CONCLUDED = ("presences", "scenes", "lamp_groups", "rules", "buttons")

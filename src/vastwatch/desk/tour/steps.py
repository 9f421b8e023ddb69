"""What the tour asks for, step by step, how it knows that it was done, and the figure that it then shows.

All of it is one story in the sample's kitchen: a motion sensor lights it, somebody at the table sits in the dark, and
a second sensor and another hold time mend that.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from vastwatch.advice.adviser.remedies import with_radar
from vastwatch.advice.checks.findings import walkable_cells
from vastwatch.advice.hardware.bill_of_materials import bill_of_materials, bill_words
from vastwatch.advice.judging.timing import TimingCurve
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.places import room_of
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.design.relations import presence_of
from vastwatch.desk.plan.view import PlanView
from vastwatch.desk.results.detection import TRIAL
from vastwatch.desk.results.findings import REMEDIES
from vastwatch.desk.results.registry import Results
from vastwatch.desk.results.timing import best_curve
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.playhead import Playhead
from vastwatch.rehearsal.scoring.scores import Scores
from vastwatch.sensing.coverage import coverage
from vastwatch.words import counted, duration_words, figure

ROOM, SPOT, DEVICE = "kitchen", "table-spot", "pir-corner-12"
# How soon walkers are to be noticed, seconds. With fewer false-offs a day than this the kitchen is mended.
SOON_S, FEW_A_DAY = 1.0, 2.0
# Hold times are the same within this, seconds.
SAME_S = 0.5


class Scene(NamedTuple):
    """The parts of the window the tour plays in. `hand_over` opens the dialog for exports; `handed_over` says whether
    pages have been exported or printed since the tour began."""

    document: Document
    focus: Focus
    results: Results
    plan: PlanView
    playhead: Playhead
    hand_over: Callable[[], object]
    handed_over: Callable[[], bool]

    @property
    def project(self) -> Project:
        """The design as it is now."""
        return self.document.project

    def sensors(self) -> list[Sensor]:
        """The sensors in the kitchen; the sample has none there."""
        return [s for s in self.project.sensors if (r := room_of(self.project, s)) is not None and r.id == ROOM]

    def scores(self) -> Scores | None:
        """How the kitchen did in this week; None while that is simulated."""
        r = self.results.rehearsal
        return None if r is None or r.project is not self.project else r.scores.get(ROOM)

    def look(self, stage: str) -> None:
        """Show the kitchen in a stage."""
        level = find(self.project.rooms, ROOM).level
        # Only people left in the dark are stepped through: the tour is about them.
        only = "dropped" if stage == "Rehearsal" else "all"
        self.focus.set(stage=stage, level=level, room=ROOM, selected=ROOM, incident=-1, only=only)


@dataclass(frozen=True)
class Step:
    """`stage` is where it happens. `figure` is what came of the action, None until it is done. `do` does it for the
    visitor, False while something has to be computed first. `edited`: the design as it is after the step, for who
    goes on with a later one."""

    title: str
    task: str
    stage: str
    figure: Callable[[Scene], str | None]
    do: Callable[[Scene], bool]
    edited: Callable[[Scene], None] | None = None


# -- a sensor ----------------------------------------------------------------------------------------------------------


def _noticed(scene: Scene) -> str | None:
    sensor = next((s for s in scene.sensors() if presence_of(scene.project, ROOM) is not None), None)
    if sensor is None:
        return None
    project, room = scene.project, find(scene.project.rooms, ROOM)
    notice = coverage(project, sensor.id, "across").at(walkable_cells(project.rooms, project.furnishings, room))
    share = float((notice <= SOON_S).mean())
    return (
        f"Somebody walking across is noticed within {SOON_S:g} s in {100 * share:.0f} % of the kitchen, the darkest "
        "blue on the plan."
    )


def _place(scene: Scene) -> bool:
    return scene.plan.hanging.place_in(DEVICE, find(scene.project.rooms, ROOM))


def _with_sensor(scene: Scene) -> None:
    if not scene.sensors():
        _place(scene)


# -- the table goes dark -----------------------------------------------------------------------------------------------


def _stayed(scene: Scene) -> str | None:
    trial = scene.results[TRIAL].value
    if scene.focus.selected != SPOT or trial is None or trial.spot != SPOT:
        return None
    half = trial.dark_within(0.5)
    if not np.isfinite(half):
        return f"The light stayed on in {100 * trial.share_never_dark:.0f} % of {trial.draws} trials."
    return (
        f"In half of {trial.draws} trials the light goes off within {duration_words(half)}: a motion sensor hardly "
        "notices somebody who sits still."
    )


def _sit_down(scene: Scene) -> bool:
    scene.focus.set(selected=SPOT)
    return True


# -- why ---------------------------------------------------------------------------------------------------------------


def _why(scene: Scene) -> str | None:
    r, scores, index = scene.results.rehearsal, scene.scores(), scene.focus.incident
    if r is None or scores is None or not 0 <= index < len(r.incidents) or r.incidents[index].room != ROOM:
        return None
    return (
        f"The light goes off on somebody here {figure(scores.false_offs)} times a day. The card on the right says "
        "since when nothing noticed them, and what avoids this one."
    )


def _first_incident(scene: Scene) -> bool:
    if scene.scores() is None:
        return False
    scene.playhead.step_incident(1)
    return True


# -- the cure ----------------------------------------------------------------------------------------------------------


def _cured(scene: Scene) -> str | None:
    scores = scene.scores()
    if scores is None or not scene.sensors() or scores.false_offs >= FEW_A_DAY:
        return None
    return (
        f"The same week again: {figure(scores.false_offs)} false-offs a day, and {figure(scores.dark_min)} min in the "
        "dark."
    )


def _cure(scene: Scene) -> bool:
    tried = scene.results[REMEDIES]
    if tried.value is None:
        if not tried.busy and scene.scores() is not None:
            tried.ask()
        return False
    if tried.value:
        scene.document.apply(tried.value[0].project, tried.value[0].text)
    return True


def _with_radar(scene: Scene) -> None:
    made = with_radar(scene.project, ROOM) if len(scene.sensors()) < 2 else None
    if made is not None:
        scene.document.apply(made[1], made[0])


# -- the hold time -----------------------------------------------------------------------------------------------------


def _recommended(scene: Scene) -> tuple[TimingCurve, float] | None:
    curve, presence = best_curve(scene.results), presence_of(scene.project, ROOM)
    hold_s = None if presence is None else hold_of(presence.expr)
    return None if curve is None or curve.room != ROOM or hold_s is None else (curve, hold_s)


def _held(scene: Scene) -> str | None:
    there = _recommended(scene)
    if there is None or abs(there[1] - there[0].recommended_s) > SAME_S:
        return None
    curve, hold_s = there
    drops, dark, idle = curve.figures(hold_s)
    return (
        f"With {duration_words(hold_s)}: {figure(drops)} false-offs a week, {figure(dark)} min dark and {figure(idle)} "
        "h lit while empty a day. The reason is under the curve."
    )


def _set_hold(scene: Scene) -> bool:
    there = _recommended(scene)
    if there is None:
        return False
    curve, hold_s = there
    if abs(hold_s - curve.recommended_s) > SAME_S:
        new = set_hold(scene.project, curve.presence, curve.recommended_s)
        scene.document.apply(new, f"Set the hold time to {duration_words(curve.recommended_s)}")
    return True


# -- handing over ------------------------------------------------------------------------------------------------------


def _handed_over(scene: Scene) -> str | None:
    if not scene.handed_over():
        return None
    added = scene.sensors()
    bill = bill_of_materials(scene.project, ROOM, added)
    cost = bill_words(bill, scene.project.brief.currency)
    return f"{counted(len(added), 'sensor')} in the kitchen: {cost}. Settings, parts and cautions are on the pages."


def _hand_over(scene: Scene) -> bool:
    scene.hand_over()
    return True


STEPS = (
    Step(
        "Place a sensor",
        "The kitchen has none. Click “Corner 12 m, 110°” in the device list and press Return: it goes into the corner "
        "that looks across the room.",
        "Sensors", _noticed, _place, _with_sensor,
    ),
    Step(
        "Sit down at the table",
        "Click the small circle at the kitchen table: a stay of two hours there is tried a hundred times.",
        "Sensors", _stayed, _sit_down,
    ),
    Step(
        "Find out why",
        "This is a week of the people who live here. Press . (full stop) to go to the first moment somebody was left "
        "in the dark.",
        "Rehearsal", _why, _first_incident,
    ),
    Step(
        "Try what helps",
        "Press T: the same week is simulated with each change that could help. Then click the first one.",
        "Rehearsal", _cured, _cure, _with_radar,
    ),
    Step(
        "Set the hold time",
        "The curve shows what each hold time gives: red in the dark, amber lit while empty. Press “Set hold time” "
        "below it.",
        "Timing", _held, _set_hold,
    ),
    Step(
        "Hand it over",
        "Press Ctrl+E and choose “Client report”: plan, results, settings, parts list and cautions on paper.",
        "Sensors", _handed_over, _hand_over,
    ),
)  # fmt: skip

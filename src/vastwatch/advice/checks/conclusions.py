"""Checks of conclusions: circles, counts that can never be reached, door latches and thresholds that contradict
themselves; and what no sensor feeds any more."""

from __future__ import annotations

from collections.abc import Iterator

from vastwatch.advice.checks.finding import Finding, RemedyText
from vastwatch.control.light.daylight import target_lux
from vastwatch.design.conclusions import evaluation_order, references_in
from vastwatch.design.expressions import AtLeast, Belief, Dark, DoorLatch, Nothing, Report, every_part
from vastwatch.design.placed import own_hold_s
from vastwatch.design.project import Project, find
from vastwatch.design.records import Conclusion
from vastwatch.sensing.model import latency_s
from vastwatch.words import duration_words


def circles(project: Project) -> Iterator[Finding]:
    """Conclusions that name each other in a circle: nothing can be concluded of any of them."""
    for circle in evaluation_order(project).circles:
        names = [f"“{p.name}”" for p in (*circle, circle[0])]
        if len(circle) == 1:
            text = f"{names[0]} refers to itself, so it never evaluates."
        else:
            text = f"Circular conclusions, which never evaluate: {' names '.join(names)}."
        yield Finding(
            "circle", "wrong", tuple(p.id for p in circle), text,
            (RemedyText("Make one of them use sensors instead of the next one."),), circle[0].room,
        )  # fmt: skip


FED_AGAIN = "Add a sensor in this room: it feeds the conclusion again, for everything that uses it."
NEW_CONDITION = "Set a new condition, or remove it."
REMOVED = "what its condition used was removed"


def untold(project: Project) -> Iterator[Finding]:
    """Conclusions, and rows of ladders and outputs, that no sensor feeds any more: they never hold."""
    for p in project.presences:
        if not isinstance(p.expr, Nothing):
            continue
        named = [row for row in project.rules if p.id in references_in(row.when)]
        text = f"No sensor feeds “{p.name}” any more, so it is never on."
        if named:
            text += f" {len(named)} rows of ladders depend on it." if named[1:] else " A row of a ladder depends on it."
        yield Finding(
            "untold", "wrong", (p.id,), text,
            (RemedyText(FED_AGAIN if p.lights else NEW_CONDITION),), p.room,
        )  # fmt: skip
    for row in project.rules:
        if isinstance(row.when, Nothing):
            yield Finding(
                "untold", "wrong", (row.id,),
                f"The row “{row.name}” in {find(project.rooms, row.room).name.lower()} never applies: {REMOVED}.",
                (RemedyText(NEW_CONDITION),), row.room,
            )  # fmt: skip
    for output in project.outputs:
        if any(isinstance(row.when, Nothing) for row in getattr(output, "rows", ())):
            yield Finding(
                "untold", "wrong", (output.id,),
                f"A row of {output.name} never applies: {REMOVED}.", (RemedyText(NEW_CONDITION),), output.room,
            )  # fmt: skip
        if any(isinstance(lock, Nothing) for lock in getattr(output, "locks", ())):
            yield Finding(
                "untold", "wrong", (output.id,),
                f"A lock of {output.name} never applies, so it may run when it must not: {REMOVED}.",
                (RemedyText(NEW_CONDITION),), output.room,
            )  # fmt: skip


def contradictions(project: Project) -> Iterator[Finding]:
    """Parts that can never hold, or that never stop to."""
    for p in project.presences:
        for words in _contradictions(project, p):
            yield Finding("conclusion", "risk", (p.id,), f"“{p.name}”: {words}", (), p.room)


def _contradictions(project: Project, p: Conclusion) -> Iterator[str]:
    for part in every_part(p.expr):
        if isinstance(part, AtLeast) and part.k > len(part.of):
            yield f"at least {part.k} of {len(part.of)} is impossible."
        elif isinstance(part, Belief) and part.off_below >= part.on_above:
            yield (
                f"occupied above {100 * part.on_above:.0f} % until below {100 * part.off_below:.0f} %: the "
                "second figure must be lower."
            )
        elif isinstance(part, Dark) and part.until_lux is not None:
            below = target_lux(project, find(project.rooms, part.room)) if part.below_lux is None else part.below_lux
            if part.until_lux < below:
                yield f"dark below {below:g} lux until {part.until_lux:g} lux: the second figure must not be lower."
        elif isinstance(part, DoorLatch):
            yield from _latch(project, part)


def _latch(project: Project, latch: DoorLatch) -> Iterator[str]:
    """A sensor that reports on after the door has shut latches a room that everybody has left."""
    slow = {}
    for report in (r for r in every_part(latch.motion) if isinstance(r, Report)):
        sensor = find(project.sensors, report.sensor)
        device = find(project.devices, sensor.device)
        lasts = own_hold_s(device, sensor.settings) + latency_s(device)
        if lasts > latch.settle_s:
            slow[sensor.name] = lasts
    if slow:
        yield (
            f"the door latch looks for motion {duration_words(latch.settle_s)} after the door has shut, but "
            f"{' and '.join(slow)} keeps reporting for up to {duration_words(max(slow.values()))}: a room just "
            "left stays occupied until the door opens again. Increase the settling time."
        )


def shortened(project: Project) -> Iterator[Finding]:
    """Holds that were shortened to walk by, and not restored."""
    mode = project.brief.test_mode
    if mode is None:
        return
    when = mode.since.replace("T", " ")
    yield Finding(
        "test-mode", "wrong", tuple(s.presence for s in mode.service),
        f"Test mode since {when}: {len(mode.service)} hold times are shortened to "
        f"{duration_words(mode.hold_s)}. The light goes out on anybody who sits still.",
        (RemedyText("Restore the normal hold times: Timing, at the bottom."),),
    )  # fmt: skip


CHECKS = (circles, untold, contradictions, shortened)

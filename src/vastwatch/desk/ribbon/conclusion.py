"""The lanes of the conclusion that is being put together: what each part of it said, so that one sees where it goes
wrong."""

from __future__ import annotations

from collections.abc import Mapping

from vastwatch.control.house import HouseRun, part_signals
from vastwatch.design.edits.expressions import part_at
from vastwatch.design.expressions import Belief, Report
from vastwatch.design.project import find
from vastwatch.design.sentence import lane_words
from vastwatch.desk.ribbon.lane import THICK, Lane
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import Theme, alpha, mix
from vastwatch.desk.stages.timing.builder import shown_conclusion
from vastwatch.rehearsal.run import Rehearsal

# How far in the lane of a part of a part stands, and the farthest any does, pixels.
INDENT, MOST_INDENT = 7, 28


def conclusion_lanes(
    house: HouseRun, rehearsal: Rehearsal | None, focus: Focus, t: Theme, shut: Mapping[str, bool]
) -> list[Lane]:
    """A lane for who was there, where that is known; one for each part; one for what was concluded. Parts that are
    `shut`, by their folds, are told without what they are made of."""
    project = house.project
    shown = shown_conclusion(project, focus)
    if shown is None or shown.id not in house.conclusions.presences:
        return []
    room = shown.room
    whole = f"conclusion {shown.id}"
    out = [Lane(shown.name, None, room=room, fold=whole, shut=shut.get(whole, False))]
    if out[0].shut:
        out[0].brief = house.conclusions.presences[shown.id]
        return out
    if rehearsal is not None and room is not None:
        out.append(Lane("somebody awake there", rehearsal.awake(room), t.person, THICK - 2, room))
    said = part_signals(house, shown)
    for path, signal, _ in said:
        part = part_at(shown.expr, path)
        if path == () and len(said) > 1:
            continue
        above = [f"{whole} {path[:n]}" for n in range(1, len(path))]
        if any(shut.get(fold, False) for fold in above):
            continue
        fold = f"{whole} {path}" if any(x.path[:-1] == path for x in said if x.path) and path else None
        colour, unknown = t.ink, None
        if isinstance(part, Report):
            known = house.recording.observed.get(part.sensor)
            unknown = None if known is None else ~known
            sensor = find(project.sensors, part.sensor)
            colour = family_hue(t, find(project.devices, sensor.device).family)
        words = lane_words(project, shown.expr, path)
        indent = min(INDENT * max(len(path) - 1, 0), MOST_INDENT)
        out.append(Lane(words, signal, alpha(colour, 0.75), 6, room, indent=indent, unknown=unknown,
                        fold=fold, shut=fold is not None and shut.get(fold, False)))  # fmt: skip
    for path, _, belief in said:
        part = part_at(shown.expr, path)
        if belief is not None and isinstance(part, Belief):
            out.append(Lane("belief", None, t.ink, levels=belief, marks=(part.on_above, part.off_below), room=room))
    concluded = house.conclusions.presences[shown.id]
    out.append(Lane("result", concluded, mix(t.ink, t.soft, 0.35), THICK, room, shown.id))
    return out

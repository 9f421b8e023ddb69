"""What the card beside the pointer says: how a sensor notices somebody at a point, and why; what a room stands for."""

from __future__ import annotations

import math

import numpy as np

from vastwatch.design.project import Project, find, find_any
from vastwatch.design.records import Sensor
from vastwatch.desk.plan.distance import Group
from vastwatch.sensing import Subject
from vastwatch.sensing.bodies import ABED, FIGURE_ACTIVITY, PET, SEATED, STANDING, PersonAt
from vastwatch.sensing.coverage import notice_times
from vastwatch.sensing.explain import sight_line
from vastwatch.sensing.mounted import mount
from vastwatch.words import duration_words, notice_interval_words

# So many devices of a room are named.
MOST_NAMES = 8


def explain_rows(project: Project, sensor: Sensor, figure: Subject, x: float, y: float) -> list[tuple[str, str]]:
    """Two-column rows that say how the figure at a point is noticed by a sensor."""
    body = {"seated": SEATED, "lying": ABED, "pet": PET}.get(figure, STANDING)
    activity = FIGURE_ACTIVITY.get(figure, "passing")
    walking = figure in ("across", "towards", "pet")
    s = sight_line(project, sensor, PersonAt((x, y), body, activity, None, walking))
    wait = s.notice_s
    if figure in ("towards", "pet"):
        wait = float(notice_times(mount(project, sensor), np.array([[x, y]]), figure)[0])
    words = (
        f"noticed in {duration_words(wait)}"
        if walking and math.isfinite(wait)
        else f"noticed {notice_interval_words(wait)}"
    )
    name = {"across": "walking across", "towards": "walking towards", "seated": "seated still", "lying": "lying",
            "pet": "a pet"}[figure]  # fmt: skip
    rows = [(name, words), (f"{s.plan_m:.1f} m, {s.slant_m:.1f} m in line of sight", f"range {s.range_m:.1f} m here")]
    if s.off_axis_deg > 0.5:
        rows.append((f"{s.off_axis_deg:.0f}° off axis", f"range × {s.off_axis_factor:.2f}"))
    if s.hidden_by:
        found = find_any(project, s.hidden_by[0][0])
        who = getattr(found[1], "name", None) if found else None
        who = who or {"walls": "a wall", "openings": "a closed door or window"}.get(found[0] if found else "", "")
        what = f"hides {100 * s.hidden_by[0][1]:.0f} %" if s.share < 1 else f"attenuates {s.loss_db:.1f} dB"
        if s.share < 1 or s.loss_db > 0:
            rows.append((who, what))
    elif not s.in_view:
        rows.append(("outside its field of view", ""))
    return rows


def group_rows(project: Project, group: Group) -> list[tuple[str, str]]:
    """The devices that a room stands for, by name, and how to see them."""
    names = sorted(found[1].name for ident in group.members if (found := find_any(project, ident)) is not None)
    shown = [(name, "") for name in names[:MOST_NAMES]]
    if len(names) > MOST_NAMES:
        shown.append((f"and {len(names) - MOST_NAMES} more", ""))
    return [(find(project.rooms, group.room).name, f"{len(names)} devices"), *shown, ("click to zoom in", "")]

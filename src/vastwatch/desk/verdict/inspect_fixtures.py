"""Forms of the inspector for hazards, sockets and switches, and for many things at once."""

from __future__ import annotations

from datetime import date
from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QLineEdit

from vastwatch.advice.checks.cautions import CAUTIONS
from vastwatch.design.edits.drawing_aids import times_of, times_words
from vastwatch.design.edits.selections import set_many
from vastwatch.design.edits.wiring import load_w, switches_of
from vastwatch.design.places import opening_middle, room_at
from vastwatch.design.project import Project, find, find_any
from vastwatch.desk.shell.editing import At, Edited
from vastwatch.desk.shell.units import show_length
from vastwatch.desk.shell.widgets import label
from vastwatch.desk.verdict.form import Form
from vastwatch.sensing.hazards import false_rate, on_date, per_hour_words
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Wall
from vastwatch.site.shown import field_of
from vastwatch.words import error_sentence


def hazard_form(form: Form, hazard: Any) -> None:
    form.name_field(form.tr("False triggers"))
    form.fields("kind", "strength")
    times = QLineEdit()
    times.setAccessibleName(form.tr("Active"))
    times.setToolTip(form.tr("When it is present: 8-10, 13:30-15; empty for always."))
    times.editingFinished.connect(lambda: _set_times(form, times))
    windows = [o for o in form.document.project.openings if o.kind == "window"
               and find(form.document.project.walls, o.wall).level == hazard.level]  # fmt: skip
    from_sun = hazard.kind == "sun patch" and bool(windows)
    if from_sun:
        form.choice(
            form.tr("Window"), [(None, form.tr("as drawn")), *((o.id, _window_words(form, o)) for o in windows)],
            lambda r: r.window, lambda r, window: replace(r, window=window),
            form.tr("Position and hours then follow the sun through this window on the rehearsed date."), wide=True,
        )  # fmt: skip
    form.put(form.tr("Active"), times, wide=True)

    def fill(r: Any) -> None:
        day = date.fromisoformat(form.document.project.brief.rehearse_from)
        now = on_date(form.document.project, r, day)
        times.setEnabled(r.window is None)
        if not times.hasFocus():
            times.setText(form.tr("no sun there on that date") if now is None else times_words(now.times))

    form.fills.append(fill)
    form.text(partial(_falsely_triggered, form))
    if hazard.kind == "heat source":
        form.text(lambda _: CAUTIONS["heat"])


def _set_times(form: Form, field: QLineEdit) -> None:
    found = find_any(form.document.project, form.shown_id)
    if found is None or found[0] != "hazards" or found[1].window is not None:
        return
    try:
        times = times_of(field.text())
    except ValueError as e:
        form.say.emit(error_sentence(e))
        return
    if times != found[1].times:
        form.set_field("times", times)


def _window_words(form: Form, opening: Any) -> str:
    (x, y), _ = opening_middle(form.document.project, opening)
    project = form.document.project
    level = find(project.walls, opening.wall).level
    near = [(x + dx, y + dy) for dx in (-0.4, 0.4, 0.0) for dy in (-0.4, 0.4)]
    room = next((r for p in near if (r := room_at(project, level, *p)) is not None), None)
    return form.tr("window {:.1f} m wide, {}").format(opening.width, room.name.lower() if room else opening.wall)


def _falsely_triggered(form: Form, hazard: Any) -> str:
    """How often it falsely triggers which sensor."""
    project = form.document.project
    now = on_date(project, hazard, date.fromisoformat(project.brief.rehearse_from))
    if now is None:
        return form.tr("Triggers nothing on that date.")
    told = []
    for sensor in project.sensors:
        rate = false_rate(mount(project, sensor), now)
        if rate > 0:
            told.append(f"{sensor.name} {per_hour_words(rate)}")
    return (
        form.tr("Falsely triggers {}.").format("; ".join(told))
        if told
        else form.tr("Triggers none of the sensors placed now.")
    )


def socket_form(form: Form, socket: Any) -> None:
    form.name_field(form.tr("Socket"))
    reach = form.document.project.brief.cable_m
    form.text(lambda _: form.tr("Powers devices within {} of it in this room.").format(show_length(reach)))


def switch_form(form: Form, switch: Any) -> None:
    form.name_field(form.tr("Wall switch"))
    circuit = next((c for c in form.document.project.circuits if c.id == switch.circuit), None)
    if circuit is None:
        return
    pair = len(switches_of(form.document.project, circuit.id))
    words = form.tr("{}, {}, {} W; {}").format(
        circuit.name, form.tr("neutral in the switch box") if circuit.neutral else form.tr("no neutral"),
        f"{load_w(form.document.project, circuit):g}",
        form.tr("two-way pair") if pair == 2 else form.tr("{} switch").format(pair),
    )  # fmt: skip
    form.text(lambda _: words)
    usual = form.document.project.brief.troubles.supply_off_per_week
    form.field("off_per_week", lambda s: usual if s.off_per_week is None else s.off_per_week)
    form.text(lambda _: CAUTIONS["mains"])


def many_form(form: Form) -> None:
    """Of several: how many, and for walls what they are of, all at once."""
    n = len(form.focus.marked)
    form.box.addWidget(label(form.tr("{} selected").format(n), "head"))
    walls = [w for w in form.document.project.walls if w.id in form.focus.marked]
    if not walls:
        form.box.addWidget(
            label(form.tr("Drag or nudge them, turn with R and L, flip with X, delete with Del."), "soft", True)
        )
        return
    edited = Edited(form.document, form.focus, Wall, _walls(form.focus.marked))
    edited.say.connect(form.say)
    for name, words in (("material", form.tr("Material of all")), ("thickness", form.tr("Thickness of all"))):
        shown = field_of(Wall, name).shown.words
        form.put(shown, edited.field(name, read=partial(_same, form, name), words=words))
    edited.fill()
    form.fills.append(lambda _: edited.fill())


def _same(form: Form, name: str, wall: Wall) -> Any:
    """What all walls of the selection have; None where they differ in what is one of a few."""
    values = {getattr(w, name) for w in form.document.project.walls if w.id in form.focus.marked}
    return getattr(wall, name) if len(values) == 1 or name == "thickness" else None


def _walls(marked: frozenset[str]) -> At:
    """All walls of a selection as one: the first of them, and what becomes of it becomes of all."""

    def get(project: Project) -> Wall | None:
        return next((w for w in project.walls if w.id in marked), None)

    def put(project: Project, new: Wall) -> Project:
        old = find(project.walls, new.id)
        changed = {name: getattr(new, name) for name in ("material", "thickness")
                   if getattr(new, name) != getattr(old, name)}  # fmt: skip
        return set_many(project, sorted(marked), **changed)

    return At(get, put, lambda _: f"{len(marked)} walls", "walls")

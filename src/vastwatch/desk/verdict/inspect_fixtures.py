"""Forms of the inspector for hazards, sockets and switches, and for many things at once."""

from __future__ import annotations

from datetime import date
from functools import partial
from typing import Any, get_args

from msgspec.structs import replace
from PyQt6.QtWidgets import QLineEdit

from vastwatch.advice.checks.cautions import CAUTIONS
from vastwatch.advice.hardware.fixing import opening_middle
from vastwatch.design.edits.drawing_aids import HAZARD_KINDS, times_of, times_words
from vastwatch.design.edits.selections import set_many
from vastwatch.design.edits.wiring import load_w, switches_of
from vastwatch.design.places import room_at
from vastwatch.design.project import find, find_any
from vastwatch.desk.shell.parts import Choice, FigureField, label, narrow
from vastwatch.desk.shell.units import show_length
from vastwatch.desk.verdict.form import Form
from vastwatch.sensing.hazards import false_rate, per_hour_words, resolved
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import WallMaterial
from vastwatch.words import sentence


def hazard_form(form: Form, hazard: Any) -> None:
    form.name_field(form.tr("Fools sensors"))
    grid = form.grid()
    form.choice(grid, 0, form.tr("Kind"), "kind", HAZARD_KINDS, form.tr("What it is; how often it fools follows."))
    form.figure(grid, 1, "Strength", lambda r: 100 * r.strength, lambda r, v: replace(r, strength=v / 100), "plain",
                 10, 0, 100, form.tr("0 harmless, 100 as bad as they come."))  # fmt: skip
    times = QLineEdit()
    times.setAccessibleName(form.tr("Times"))
    times.setToolTip(form.tr("When it is there: 8-10, 13:30-15; empty for always."))
    times.editingFinished.connect(lambda: _set_times(form, times))
    windows = [o for o in form.document.project.openings if o.kind == "window"
               and find(form.document.project.walls, o.wall).level == hazard.level]  # fmt: skip
    from_sun = hazard.kind == "sun patch" and bool(windows)
    if from_sun:
        box = narrow(Choice())
        box.setAccessibleName(form.tr("Computed from"))
        box.setToolTip(form.tr("Place and hours then follow the sun through this window on the rehearsed date."))
        box.addItem(form.tr("as drawn"), None)
        for o in windows:
            box.addItem(_window_words(form, o), o.id)
        box.activated.connect(lambda k: form.set_field("window", box.itemData(k)))
        grid.addWidget(label(form.tr("From"), "soft"), 1, 0)
        grid.addWidget(box, 1, 1, 1, 3)
        form.fills.append(lambda r: box.setCurrentIndex(max(box.findData(r.window), 0)))
    grid.addWidget(label(form.tr("Times"), "soft"), 2, 0)
    grid.addWidget(times, 2, 1, 1, 3)

    def fill(r: Any) -> None:
        day = date.fromisoformat(form.document.project.brief.rehearse_from)
        now = resolved(form.document.project, r, day)
        times.setEnabled(r.window is None)
        if not times.hasFocus():
            times.setText(form.tr("no sun there that day") if now is None else times_words(now.times))

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
        form.say.emit(sentence(e))
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
    """How often it fools which sensor."""
    project = form.document.project
    now = resolved(project, hazard, date.fromisoformat(project.brief.rehearse_from))
    if now is None:
        return form.tr("Fools nothing that day.")
    told = []
    for sensor in project.sensors:
        rate = false_rate(mount(project, sensor), now)
        if rate > 0:
            told.append(f"{sensor.name} {per_hour_words(rate)}")
    return form.tr("Fools {}.").format("; ".join(told)) if told else form.tr("Fools no sensor that hangs there now.")


def socket_form(form: Form, socket: Any) -> None:
    form.name_field(form.tr("Socket"))
    reach = form.document.project.brief.cable_m
    form.text(lambda _: form.tr("Feeds what hangs within {} of it in this room.").format(show_length(reach)))


def switch_form(form: Form, switch: Any) -> None:
    form.name_field(form.tr("Wall switch"))
    circuit = next((c for c in form.document.project.circuits if c.id == switch.circuit), None)
    if circuit is None:
        return
    pair = len(switches_of(form.document.project, circuit.id))
    words = form.tr("{}, {}, {} W; {}").format(
        circuit.name, form.tr("neutral in the box") if circuit.neutral else form.tr("no neutral"),
        f"{load_w(form.document.project, circuit):g}",
        form.tr("two-way pair") if pair == 2 else form.tr("{} switch").format(pair),
    )  # fmt: skip
    form.text(lambda _: words)
    form.text(lambda _: CAUTIONS["mains"])


def many_form(form: Form) -> None:
    """Of several: how many, and for walls what they are of, all at once."""
    n = len(form.focus.marked)
    form.box.addWidget(label(form.tr("{} selected").format(n), "head"))
    walls = [w for w in form.document.project.walls if w.id in form.focus.marked]
    if not walls:
        form.box.addWidget(label(form.tr("Drag or nudge them, R and L turn, X mirrors, Del deletes."), "soft", True))
        return
    grid = form.grid()
    box = narrow(Choice())
    box.addItems(list(get_args(WallMaterial)))
    box.setAccessibleName(form.tr("Material of all"))
    same = len({w.material for w in walls}) == 1
    box.setCurrentIndex(get_args(WallMaterial).index(walls[0].material) if same else -1)
    box.activated.connect(lambda k: _set_walls(form, "material", get_args(WallMaterial)[k]))
    thick = FigureField(form.tr("Thickness of all"), form.length, partial(show_length, feet=form.focus.feet), 0.01,
                        0.02, 1.5, form.tr("Of all selected walls."))  # fmt: skip
    thick.set_value(walls[0].thickness)
    thick.wrong.connect(form.say)
    thick.entered.connect(lambda v: _set_walls(form, "thickness", v))
    for at, (words, widget) in enumerate(((form.tr("Material"), box), (form.tr("Thick"), thick))):
        grid.addWidget(label(words, "soft"), 0, 2 * at)
        grid.addWidget(widget, 0, 2 * at + 1)


def _set_walls(form: Form, field: str, value: object) -> None:
    marked = sorted(form.focus.marked)
    new = set_many(form.document.project, marked, **{field: value})
    form.document.apply(new, f"Set {field} of {len(marked)} walls to {value}", f"walls-{field}")

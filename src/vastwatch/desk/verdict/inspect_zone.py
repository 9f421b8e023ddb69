"""The form of the inspector for a zone: what it is for, how it is set, who is counted in it, and what would help."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QPushButton

from vastwatch.design.edits.zones import follow
from vastwatch.design.places import room_at
from vastwatch.design.project import find
from vastwatch.design.references import without
from vastwatch.desk.shell.parts import Choice, label, narrow
from vastwatch.desk.verdict.form import Form
from vastwatch.devices.types import ZoneRules
from vastwatch.geometry import polygons
from vastwatch.sensing.mounted import zoned
from vastwatch.sensing.zoned import tracking
from vastwatch.words import duration_words

ROLES = {
    "detect": "somebody stays", "entry": "somebody comes in", "ignore": "nothing counts",
}  # fmt: skip


def zone_form(form: Form, zone: Any) -> None:
    """Name, role, delay and sensitivity; who is counted; and the lamp that follows it."""
    project = form.document.project
    sensor = find(project.sensors, zone.sensor)
    device = tracking(find(project.devices, sensor.device))
    form.name_field(form.tr("Zone of {}").format(sensor.name))
    grid = form.grid()
    if device is not None and device.zones:
        rules = device.zone_rules or ZoneRules()
        form.choice(grid, 0, form.tr("Where"), "role", tuple(ROLES), form.tr("What it is for."), tuple(ROLES.values()),
                    wide=True)  # fmt: skip
        why = form.tr("How long it says so after the last report in it; up to {}.").format(
            duration_words(rules.off_delay_max_s)
        )
        form.figure(
            grid, 2, "Left after", lambda r: rules.off_delay_s if r.off_delay_s is None else r.off_delay_s,
            lambda r, v: replace(r, off_delay_s=v), "time", 5.0, 0.0, rules.off_delay_max_s, why,
        )  # fmt: skip
        if rules.sensitivity:
            most = device.steps

            def level(r: Any) -> float:
                below = r.sensitivity_below_max
                return most - (sensor.settings.sensitivity_below_max if below is None else below)

            form.figure(
                grid, 3, "Sensitivity", level, lambda r, v: replace(r, sensitivity_below_max=int(most - round(v))),
                "steps", 1, 1, most, form.tr("In this zone: 1 to {}, each step 3 dB.").format(most),
            )  # fmt: skip
    form.text(lambda r: _counted(form, r), "")
    _lamp(form, zone)
    delete = QPushButton(form.tr("Delete zone"))
    ident = form.shown_id

    def gone() -> None:
        words = form.tr("Delete zone {}").format(zone.name.lower())
        form.document.apply(without(form.document.project, [ident]), words)
        form.focus.set(selected=zone.sensor)

    delete.clicked.connect(gone)
    form.box.addWidget(delete)


def _counted(form: Form, zone: Any) -> str:
    project = form.document.project
    known = zoned(project, find(project.sensors, zone.sensor))
    j = None if known is None else next((j for j, z in enumerate(known.zones) if z.id == zone.id), None)
    if known is None or j is None:
        return form.tr("The device is not told of it.")
    told = []
    for i, spot in enumerate(known.spots):
        p = known.counted[i, j]
        if known.own[i, j]:
            told.append(form.tr("{}: counted with {:.0f} % of the reports").format(spot.name, 100 * p))
        elif p >= 0.01:
            told.append(form.tr("{}: {:.0f} % of the reports stray in").format(spot.name, 100 * p))
    return "\n".join(told) or form.tr("Nobody has a spot in it, and nobody strays in.")


def _lamp(form: Form, zone: Any) -> None:
    """Which lamp of its room burns while somebody is in it."""
    project = form.document.project
    if zone.role == "ignore":
        return
    level = find(project.sensors, zone.sensor).level
    room = room_at(project, level, *polygons.centroid(zone.outline))
    lamps = [x for x in project.lamps if room is not None and x.room == room.id]
    if not lamps:
        return
    box = narrow(Choice())
    box.setAccessibleName(form.tr("Lamp that follows"))
    box.setToolTip(form.tr("It burns while somebody is in this zone, in place of the room's presence."))
    box.addItem(form.tr("no lamp of its own"), None)
    for x in lamps:
        box.addItem(x.name, x.id)
    ident = form.shown_id

    def chosen(k: int) -> None:
        new = form.document.project
        for x in new.lamps:
            if x.zone == ident and x.id != box.itemData(k):
                new = follow(new, x.id, None)
        if box.itemData(k) is not None:
            new = follow(new, box.itemData(k), ident)
        if new is not form.document.project:
            form.document.apply(new, f"Let {box.itemText(k).lower()} follow {zone.name.lower()}")

    box.activated.connect(chosen)
    form.box.addWidget(label(form.tr("Lamp that follows it"), "soft"))
    form.box.addWidget(box)

    def fill(r: Any) -> None:
        mine = next((x.id for x in form.document.project.lamps if x.zone == r.id), None)
        box.setCurrentIndex(max(box.findData(mine), 0))

    form.fills.append(fill)

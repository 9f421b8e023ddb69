"""The form of the inspector for a zone: what it is for, how it is set, who is counted in it, and what would help."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QPushButton

from vastwatch.design.edits.zones import follow
from vastwatch.design.places import room_at
from vastwatch.design.project import Project, find
from vastwatch.design.references import without
from vastwatch.desk.verdict.form import Form
from vastwatch.devices.types import ZoneRules
from vastwatch.geometry import polygons
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.zoned_sensor import tracking_part
from vastwatch.site.shown import Shown
from vastwatch.words import duration_words


def zone_form(form: Form, zone: Any) -> None:
    """Name, role, delay and sensitivity; who is counted; and the lamp that follows it."""
    project = form.document.project
    sensor = find(project.sensors, zone.sensor)
    device = tracking_part(find(project.devices, sensor.device))
    form.name_field(form.tr("Zone of {}").format(sensor.name))
    if device is not None and device.zones:
        rules = device.zone_rules or ZoneRules()
        form.field("role", wide=True)
        why = form.tr("How long it stays occupied after the last report in it; up to {}.").format(
            duration_words(rules.off_delay_max_s)
        )
        form.field(
            "off_delay_s", read=lambda r: rules.off_delay_s if r.off_delay_s is None else r.off_delay_s,
            high=rules.off_delay_max_s, why=why,
        )  # fmt: skip
        if rules.sensitivity:
            most = device.steps

            def level(r: Any) -> float:
                below = r.sensitivity_below_max
                return most - (sensor.settings.sensitivity_below_max if below is None else below)

            form.figure(
                Shown("Sensitivity", "steps", form.tr("In this zone: 1 to {}, each step 3 dB.").format(most)), 1, most,
                level, lambda r, v: replace(r, sensitivity_below_max=int(most - round(v))),
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
    known = zoned_sensor(project, find(project.sensors, zone.sensor))
    j = None if known is None else next((j for j, z in enumerate(known.zones) if z.id == zone.id), None)
    if known is None or j is None:
        return form.tr("Not sent to the device.")
    told = []
    for i, spot in enumerate(known.spots):
        p = known.counted[i, j]
        if known.intended[i, j]:
            told.append(form.tr("{}: {:.0f} % of reports counted").format(spot.name, 100 * p))
        elif p >= 0.01:
            told.append(form.tr("{}: {:.0f} % of reports stray in").format(spot.name, 100 * p))
    return "\n".join(told) or form.tr("No position in it, and none strays in.")


def _lamp(form: Form, zone: Any) -> None:
    """Which lamp of its room is on while somebody is in it."""
    project = form.document.project
    if zone.role == "ignore":
        return
    level = find(project.sensors, zone.sensor).level
    room = room_at(project, level, *polygons.centroid(zone.outline))
    lamps = [x for x in project.lamps if room is not None and x.room == room.id]
    if not lamps:
        return

    def following(z: Any) -> str | None:
        return next((x.id for x in form.document.project.lamps if x.zone == z.id), None)

    def followed(z: Any, lamp: str | None) -> Project:
        new = form.document.project
        for x in new.lamps:
            if x.zone == z.id:
                new = follow(new, x.id, None)
        return new if lamp is None else follow(new, lamp, z.id)

    form.choice(
        form.tr("Zone lamp"), [(None, form.tr("none")), *((x.id, x.name) for x in lamps)],
        following, followed, form.tr("On while this zone is occupied, instead of following the room's presence."),
        wide=True,
    )  # fmt: skip

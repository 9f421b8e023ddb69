"""The sensitivity of each band of a bands radar, as it is typed: `9 9 7 5`, from the nearest on."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtWidgets import QLineEdit

from vastwatch.design.placed import settings_faults
from vastwatch.design.project import find, put
from vastwatch.desk.shell.widgets import label
from vastwatch.desk.verdict.form import Form
from vastwatch.devices import DeviceType
from vastwatch.devices.families import steps_of
from vastwatch.words import error_sentence


def by_band_field(form: Form, device: DeviceType, name: str) -> None:
    """A line in which the sensitivities of the bands are typed; `name` is the setting."""
    steps = steps_of(device, "sensitivity_below_max")
    called = {"bands_below_max": form.tr("Moving, per band"), "bands_still_below_max": form.tr("Still, per band")}[name]
    field = QLineEdit()
    field.setAccessibleName(called)
    field.setPlaceholderText(form.tr("all as set above"))
    why = form.tr("From the nearest band, 1 to {}: 9 9 7 5. Lower is less sensitive than the device default.")
    field.setToolTip(why.format(steps))
    ident = form.shown_id

    def words(below: tuple[int, ...]) -> str:
        return " ".join(str(max(steps - b, 1)) for b in below)

    def take() -> None:
        sensor = find(form.document.project.sensors, ident)
        now = getattr(sensor.settings, name)
        if field.text().split() == words(now).split():
            return
        try:
            new = replace(sensor.settings, **{name: parsed(field.text(), steps)})
            wrong = [why for what, why in settings_faults(device, new) if what == name]
            if wrong:
                raise ValueError(wrong[0])
        except ValueError as e:
            form.say.emit(error_sentence(e))
            field.setText(words(now))
            return
        form.document.apply(put(form.document.project, replace(sensor, settings=new)), f"Set {sensor.name} per band")

    field.editingFinished.connect(take)
    form.box.addWidget(label(called, "soft"))
    form.box.addWidget(field)
    form.fills.append(lambda r: field.setText(words(getattr(r.settings, name))))


def parsed(text: str, steps: int) -> tuple[int, ...]:
    """Steps below the highest, of sensitivities that are typed. Raises ValueError with a sentence."""
    out = []
    for word in text.replace(",", " ").split():
        if not word.isdigit() or not 1 <= int(word) <= steps:
            raise ValueError(f"the sensitivity of a band is 1 to {steps}, not '{word}'")
        out.append(steps - int(word))
    return tuple(out)

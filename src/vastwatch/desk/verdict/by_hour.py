"""Settings by the hour, as they are typed: `22:00 hold 30 s, sensitivity 6; 07:00 hold 2 min`."""

from __future__ import annotations

import re

from msgspec.structs import replace
from PyQt6.QtWidgets import QLineEdit

from vastwatch.design.placed import SENSITIVITIES, settings_faults
from vastwatch.design.project import find, put
from vastwatch.design.records import DayPart
from vastwatch.desk.shell.units import parse_time
from vastwatch.desk.shell.widgets import label
from vastwatch.desk.verdict.form import Form
from vastwatch.devices import DeviceType
from vastwatch.devices.families import steps_of
from vastwatch.words import duration_words, error_sentence

# The sensitivities that may be set by the hour, by what they are called.
_FIELDS = {called: field for field, called in SENSITIVITIES.items()}
_PART = re.compile(r"^([0-9]{1,2}):([0-9]{2})\s+(.+)$")


def by_hour_field(form: Form, device: DeviceType) -> None:
    """A line in which the parts of the day are typed."""
    field = QLineEdit()
    field.setAccessibleName(form.tr("By time of day"))
    field.setPlaceholderText(form.tr("all day as set above"))
    names = ", ".join(_settable(device))
    why = form.tr("Settings that change by time of day: 22:00 hold 30 s; 07:00 hold 2 min.")
    field.setToolTip(why + (" " + form.tr("Can also be set: {}.").format(names) if names else ""))
    ident = form.shown_id

    def take() -> None:
        sensor = find(form.document.project.sensors, ident)
        if field.text().strip() == words_of(sensor.settings.by_hour, device):
            return
        try:
            parts = parsed(field.text(), device)
            new = replace(sensor.settings, by_hour=parts)
            wrong = [words for name, words in settings_faults(device, new) if name == "by_hour"]
            if wrong:
                raise ValueError(wrong[0])
        except ValueError as e:
            form.say.emit(error_sentence(e))
            field.setText(words_of(sensor.settings.by_hour, device))
            return
        form.document.apply(
            put(form.document.project, replace(sensor, settings=new)), f"Set {sensor.name} by time of day"
        )

    field.editingFinished.connect(take)
    form.box.addWidget(label(form.tr("By time of day"), "soft"))
    form.box.addWidget(field)
    form.fills.append(lambda r: field.setText(words_of(r.settings.by_hour, device)))


def words_of(parts: tuple[DayPart, ...], device: DeviceType) -> str:
    """Parts of the day as they are typed."""
    return "; ".join(f"{p.begin} {', '.join(_said(p, device)) or 'as above'}" for p in parts)


def _said(part: DayPart, device: DeviceType) -> list[str]:
    out = [] if part.hold_s is None else [f"hold {duration_words(part.hold_s)}"]
    for name, field in _FIELDS.items():
        if (below := getattr(part, field)) is not None:
            out.append(f"{name} {max(steps_of(device, field) - below, 1)}")
    return out


def parsed(text: str, device: DeviceType) -> tuple[DayPart, ...]:
    """The parts that are typed; raises ValueError with a sentence."""
    out = []
    for piece in (p.strip() for p in text.split(";")):
        if not piece:
            continue
        found = _PART.match(piece)
        if found is None or int(found[1]) > 23 or int(found[2]) > 59:
            raise ValueError(f"'{piece}' is not a time and a setting such as 22:00 hold 30 s")
        said: dict[str, float | int] = {}
        for what in (w.strip() for w in found[3].split(",")):
            if what != "as set above":
                field, value = _setting(what, device)
                said[field] = value
        out.append(DayPart(begin=f"{int(found[1]):02d}:{found[2]}", **said))  # type: ignore[arg-type]
    return tuple(out)


def _setting(what: str, device: DeviceType) -> tuple[str, float | int]:
    name, _, value = what.partition(" ")
    if name == "hold":
        return "hold_s", parse_time(value)
    if name not in _settable(device):
        raise ValueError(f"'{what}' cannot be set by time of day; these can: {', '.join(['hold', *_settable(device)])}")
    steps = steps_of(device, _FIELDS[name])
    if not value.strip().isdigit() or not 1 <= int(value) <= steps:
        raise ValueError(f"{name} must be 1 to {steps}, not '{value}'")
    return _FIELDS[name], steps - int(value)


def _settable(device: DeviceType) -> list[str]:
    return [name for name, field in _FIELDS.items() if steps_of(device, field) > 1]

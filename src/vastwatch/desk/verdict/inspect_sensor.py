"""Forms of the inspector for sensors: where one hangs and looks, its settings, and for a mat under whom it closes."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, NamedTuple

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QGridLayout

from vastwatch.advice.checks.cautions import CAUTIONS, of_sensor
from vastwatch.advice.checks.wiring import MAT_REACH_M
from vastwatch.advice.hardware.fixing import weight_at
from vastwatch.design.edits.sensors import could_be, with_type
from vastwatch.design.placed import as_placed, holds_words, own_hold_s, settings_faults
from vastwatch.design.places import room_at
from vastwatch.design.project import find, find_any
from vastwatch.design.records import Settings
from vastwatch.desk.shell.parts import Choice, label, narrow, row
from vastwatch.desk.verdict.by_band import by_band_field
from vastwatch.desk.verdict.by_hour import by_hour_field
from vastwatch.desk.verdict.form import Form
from vastwatch.devices import DeviceType, MatType, RadarType, catalogue
from vastwatch.devices.battery import usual_interval_s
from vastwatch.devices.families import HEADINGS, parts_of, steps_of
from vastwatch.devices.figures import turnable
from vastwatch.sensing.families.mat import FOLDED, SURE_MARGIN, margin
from vastwatch.sensing.model import settings_of


def sensor_form(form: Form, sensor: Any) -> None:
    """Where it hangs and looks, and what is set at it."""
    device = find(form.document.project.devices, sensor.device)
    form.name_field(f"{HEADINGS[device.family]} · {device.name}")
    _type_choice(form, sensor)
    grid = form.grid()
    level = find(form.document.project.levels, sensor.level)

    def move(axis: int) -> Callable[[Any, float], Any]:
        def write(record: Any, value: float) -> Any:
            at = list(record.at)
            at[axis] = round(value, 3)
            return replace(record, at=tuple(at))

        return write

    def hung(record: Any, x: float, y: float) -> Any:
        if room_at(form.document.project, record.level, x, y) is None:
            raise ValueError(form.tr("a sensor hangs inside a room, and that place is outside"))
        return replace(record, at=(round(x, 3), round(y, 3), record.at[2]))

    form.place_pair(grid, 0, lambda r: r.at[:2], hung)
    why = form.tr("Type 2.2, 40 cm or 8 ft 2; Up and Down step it.")
    form.figure(grid, 2, "Height", lambda r: r.at[2], move(2), "length", 0.05, 0.0, level.height, why)
    at = 3
    if isinstance(device, MatType):
        _mat(form, device)
        form.figure(grid, 3, "Turned", lambda r: r.yaw, lambda r, v: replace(r, yaw=v % 360), "angle", 5, -720, 720,
                     form.tr("Which way its width lies."))  # fmt: skip
        at = 4
    elif turnable(device):
        at = 5
        form.figure(grid, 3, "Looks to", lambda r: r.yaw, lambda r, v: replace(r, yaw=v % 360), "angle", 5,
                     -720, 720, form.tr("0° along the plan's x axis, counter-clockwise."))  # fmt: skip
        form.figure(grid, 4, "Pitch", lambda r: r.pitch, lambda r, v: replace(r, pitch=v), "angle", 1, -90, 45,
                     form.tr("Negative looks down."))  # fmt: skip
    for setting in settings_of(device):
        if setting.startswith("bands_"):
            by_band_field(form, device, setting)
        else:
            at += _setting(form, grid, at, setting, device)
    if "hold_s" in settings_of(device):
        by_hour_field(form, device)
    if of_sensor(form.document.project, sensor):
        form.text(lambda s: "\n".join(CAUTIONS[key] for key in of_sensor(form.document.project, s)))


def _type_choice(form: Form, sensor: Any) -> None:
    """What hangs there, to be another type: the design around it stays."""
    project = form.document.project
    types = {d.id: d for d in (*project.devices, *catalogue())}
    could = could_be(project, sensor, list(types.values()))
    box = narrow(Choice())
    box.setAccessibleName(form.tr("Type"))
    box.setToolTip(form.tr("Another type in its place: place, name and what reads it stay."))
    for device in could:
        box.addItem(device.name, device.id)
    box.setCurrentIndex(box.findData(sensor.device))

    def chosen(k: int) -> None:
        device = could[k]
        now = find(form.document.project.sensors, sensor.id)
        if device.id != now.device:
            new = with_type(form.document.project, sensor.id, device)
            form.document.apply(new, f"{now.name} is a {device.name}")

    box.activated.connect(chosen)
    form.box.addWidget(row(label(form.tr("Type"), "soft"), box, stretch=1))


class _Field(NamedTuple):
    """A setting as a field: its words, what it reads as and how it is written, kind, step, bounds, and why."""

    words: str
    read: Callable[[Settings], float]
    kept: Callable[[float], float | int]
    kind: str
    step: float
    low: float
    high: float
    why: str


def _setting(form: Form, grid: QGridLayout, at: int, setting: str, device: DeviceType) -> int:
    """A field for one setting of a placed sensor; how many places it took."""
    field = _field_of(form, setting, device)
    if field is None:
        return 0

    def write(record: Any, value: float) -> Any:
        settings = replace(record.settings, **{setting: field.kept(value)})
        wrong = [words for name, words in settings_faults(device, settings) if name == setting]
        if wrong:
            raise ValueError(wrong[0])
        return replace(record, settings=settings)

    form.figure(
        grid, at, field.words, lambda r: field.read(r.settings), write, field.kind, field.step, field.low, field.high,
        field.why,
    )  # fmt: skip
    return 1


def _field_of(form: Form, setting: str, device: DeviceType) -> _Field | None:
    tr = form.tr
    parts = parts_of(device)
    radar = next((p for p in parts if isinstance(p, RadarType)), None)
    if setting == "hold_s":
        most = 3600.0 if device.hold_max_s is None else device.hold_max_s
        why = tr("How long the device itself goes on reporting after the last notice: {}.").format(holds_words(device))
        return _Field(
            "Own hold", lambda s: own_hold_s(device, s), float, "time", device.hold_step_s or 1.0, 0.0,
            max(most, device.hold_s, 1.0), why,
        )  # fmt: skip
    if setting.endswith("_below_max"):
        steps = steps_of(device, setting)
        if steps < 2:
            return None
        called = {
            "sensitivity_below_max": "Sensitivity" if len(parts) == 1 else "Radar sensitivity",
            "still_below_max": "To stillness",
            "infrared_below_max": "Sensitivity" if len(parts) == 1 else "PIR sensitivity",
        }

        def level(s: Settings) -> float:
            below = getattr(s, setting)
            return steps - min(s.sensitivity_below_max if below is None else below, steps - 1)

        why = tr("1 to {}; each step is 3 dB, a sixth of the range.").format(steps)
        return _Field(called[setting], level, lambda v: int(steps - round(v)), "steps", 1, 1, steps, why)
    if setting == "min_gate_m" and radar is not None:
        why = tr("Nothing that it reads as nearer than this is reported.")
        return _Field("Nearest", lambda s: radar.min_gate_m if s.min_gate_m is None else s.min_gate_m, float, "length",
                      0.25, 0.0, radar.max_gate_m, why)  # fmt: skip
    if setting == "max_gate_m" and radar is not None:
        why = tr("Nothing that it reads as farther than this, along the slant, is reported.")
        return _Field("Farthest", lambda s: s.max_gate_m or radar.max_gate_m, float, "length", 0.25, 0.5,
                      radar.max_gate_m, why)  # fmt: skip
    if setting == "report_interval_s":
        usual = usual_interval_s(device)
        why = tr("Between its reports of light or humidity; each costs its cells a little.")
        return _Field("Reports every", lambda s: s.report_interval_s or usual, float, "time", 10, 1, 86_400, why)
    if setting == "messages_lost":
        why = tr("Of what it sends by radio, the share that never arrives, %. Until it is set: as the Brief says.")
        house = form.document.project.brief.troubles.messages_lost
        return _Field("Messages lost", lambda s: 100 * (house if s.messages_lost is None else s.messages_lost),
                      lambda v: v / 100, "plain", 0.5, 0.0, 50.0, why)  # fmt: skip
    if setting == "measured_range_m":
        why = tr("How far away somebody walking was noticed where it hangs, on axis; counts in place of the box's.")
        return _Field("Range found", lambda s: s.measured_range_m or as_placed(device, s).reach_m(), float, "length",
                      0.25, 0.1, 100.0, why)  # fmt: skip
    if setting == "measured_latency_s":
        why = tr("How long it took to report where it hangs; counts in place of the box's.")
        return _Field("Latency found", lambda s: as_placed(device, s).latency.typical_s, float, "time", 0.1, 0.0, 600.0,
                      why)  # fmt: skip
    return None


def _mat(form: Form, device: MatType) -> None:
    """Fold, and how surely it closes under each who uses the spots it reaches."""
    if device.foldable:
        box = QCheckBox(form.tr("folded"))
        box.setToolTip(form.tr("Folded it lies on a ridge and feels {:.1f} times the pressure.").format(FOLDED))
        box.toggled.connect(
            lambda on: form.set_field("settings", replace(_settings(form), folded=on))
            if _settings(form).folded != on else None
        )  # fmt: skip
        form.box.addWidget(box)
        form.fills.append(lambda r: box.setChecked(r.settings.folded))
    form.text(lambda r: _margins(form, r, device))


def _settings(form: Form) -> Any:
    found = find_any(form.document.project, form.shown_id)
    assert found is not None
    return found[1].settings


def _margins(form: Form, sensor: Any, device: MatType) -> str:
    project = form.document.project
    host = next((f for f in project.furnishings if f.id == sensor.host), None)
    told = []
    for spot in project.spots:
        if find(project.rooms, spot.room).level != sensor.level or math.dist(spot.at, sensor.at[:2]) > MAT_REACH_M:
            continue
        kg = weight_at(project, spot)
        m = margin(sensor, device, host, spot.at, spot.facing, spot.posture, kg)
        sure = form.tr("sure") if m >= SURE_MARGIN else form.tr("doubtful") if m >= 1 else form.tr("stays open")
        told.append(form.tr("{}, {:g} kg: {:.1f} × what closes it, {}").format(spot.name, kg, m, sure))
    return "\n".join(told) or form.tr("Nobody sits or lies over it.")

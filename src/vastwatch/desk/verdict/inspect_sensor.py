"""Forms of the inspector for sensors: where one hangs and looks, its settings, and for a mat under whom it closes."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QGridLayout

from vastwatch.advice.cautions import CAUTIONS, of_sensor
from vastwatch.advice.fixing import weight_at
from vastwatch.advice.wiring_checks import MAT_REACH_M
from vastwatch.design.places import room_at
from vastwatch.design.project import find, find_any
from vastwatch.desk.verdict.form import Form
from vastwatch.devices import MatType
from vastwatch.devices.families import HEADINGS
from vastwatch.devices.figures import turnable
from vastwatch.sensing.families.mat import FOLDED, SURE_MARGIN, margin
from vastwatch.sensing.model import settings_of


def sensor_form(form: Form, sensor: Any) -> None:
    """Where it hangs and looks, and what is set at it."""
    device = find(form.document.project.devices, sensor.device)
    form.name_field(f"{HEADINGS[device.family]} · {device.name}")
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
        at += _setting(form, grid, at, setting, device)
    if of_sensor(form.document.project, sensor):
        form.text(lambda s: "\n".join(CAUTIONS[key] for key in of_sensor(form.document.project, s)))


def _setting(form: Form, grid: QGridLayout, at: int, setting: str, device: Any) -> int:
    """A field for one setting of a placed sensor; how many rows it took."""

    def put_in(value: object) -> Callable[[Any], Any]:
        return lambda r: replace(r, settings=replace(r.settings, **{setting: value}))

    if setting == "hold_s":
        form.figure(
            grid, at, "Own hold", lambda r: device.hold_s if r.settings.hold_s is None else r.settings.hold_s,
            lambda r, v: put_in(v)(r), "time", 1, 0, 3600,
            form.tr("How long the device itself goes on reporting after the last notice."),
        )  # fmt: skip
    elif setting == "sensitivity_below_max":
        steps = device.steps
        form.figure(
            grid, at, "Sensitivity", lambda r: steps - min(r.settings.sensitivity_below_max, steps - 1),
            lambda r, v: put_in(int(steps - round(v)))(r), "steps", 1, 1, steps,
            form.tr("1 to {}; each step is 3 dB.").format(steps),
        )  # fmt: skip
    elif setting == "max_gate_m":
        form.figure(
            grid, at, "Farthest", lambda r: r.settings.max_gate_m or device.max_gate_m,
            lambda r, v: put_in(v)(r), "length", 0.25, 0.5, device.max_gate_m,
            form.tr("Nothing beyond this distance, along the slant, is reported."),
        )  # fmt: skip
    else:
        return 0
    return 1


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

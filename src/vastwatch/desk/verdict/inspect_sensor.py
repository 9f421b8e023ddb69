"""Forms of the inspector for sensors: where one is mounted and looks, its settings, and for a mat under whom it
closes."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, NamedTuple

from msgspec.structs import replace

from vastwatch.advice.checks.cautions import CAUTIONS, of_sensor
from vastwatch.advice.checks.wiring import MAT_REACH_M
from vastwatch.advice.hardware.host_placement import lightest_kg
from vastwatch.design.edits.sensors import compatible_types, with_type
from vastwatch.design.placed import as_placed, holds_words, own_hold_s, settings_faults
from vastwatch.design.places import room_at
from vastwatch.design.project import find
from vastwatch.design.records import Settings
from vastwatch.desk.verdict.by_band import by_band_field
from vastwatch.desk.verdict.by_hour import by_hour_field
from vastwatch.desk.verdict.form import Form
from vastwatch.devices import DeviceType, MatType, RadarType, catalogue
from vastwatch.devices.battery import usual_interval_s
from vastwatch.devices.device_facts import turnable
from vastwatch.devices.families import HEADINGS, parts_of, steps_of
from vastwatch.sensing.families.mat import FOLDED, SURE_MARGIN, margin
from vastwatch.sensing.model import settings_of
from vastwatch.site.shown import Shown, field_of

# What a step of sensitivity does.
SIXTH = "1 to {}; each step is 3 dB, about a sixth of the range."


def sensor_form(form: Form, sensor: Any) -> None:
    """Where it is mounted and looks, and what is set at it."""
    device = find(form.document.project.devices, sensor.device)
    form.name_field(f"{HEADINGS[device.family]} · {device.name}")
    _type_choice(form, sensor)
    level = find(form.document.project.levels, sensor.level)

    def hung(record: Any, x: float, y: float) -> Any:
        if room_at(form.document.project, record.level, x, y) is None:
            raise ValueError(form.tr("a sensor must be inside a room, and this position is outside"))
        return replace(record, at=(round(x, 3), round(y, 3), record.at[2]))

    form.place_pair(lambda r: r.at[:2], hung)
    form.figure(
        Shown("Height", "m", "Type 2.2, 40 cm or 8 ft 2, or step with Up and Down.", 0.05), 0.0, level.height,
        lambda r: r.at[2], lambda r, v: replace(r, at=(*r.at[:2], round(v, 3))),
    )  # fmt: skip
    if isinstance(device, MatType):
        form.field("yaw", words="Angle", why="Direction of its width.")
        _mat(form, device)
    elif turnable(device):
        form.fields("yaw", "pitch")
    for setting in settings_of(device):
        if setting.startswith("bands_"):
            by_band_field(form, device, setting)
        else:
            _setting(form, setting, device)
    if "hold_s" in settings_of(device):
        by_hour_field(form, device)
    if of_sensor(form.document.project, sensor):
        form.text(lambda s: "\n".join(CAUTIONS[key] for key in of_sensor(form.document.project, s)))


def _type_choice(form: Form, sensor: Any) -> None:
    """What is mounted there, to be another type: the design around it stays."""
    project = form.document.project
    types = {d.id: d for d in (*project.devices, *catalogue())}
    could = {d.id: d for d in compatible_types(project, sensor, list(types.values()))}
    form.choice(
        form.tr("Type"), [(d.id, d.name) for d in could.values()], lambda r: r.device,
        lambda r, ident: with_type(form.document.project, r.id, could[ident]),
        form.tr("Replaces it with another type; position, name and links stay."), wide=True,
    )  # fmt: skip


def _setting(form: Form, setting: str, device: DeviceType) -> None:
    """A field for one setting of a placed sensor, where it has any."""
    limits = _limits(form, setting, device)
    if limits is None:
        return

    def write(record: Any, value: float) -> Any:
        settings = replace(record.settings, **{setting: limits.kept(value)})
        wrong = [words for name, words in settings_faults(device, settings) if name == setting]
        if wrong:
            raise ValueError(wrong[0])
        return replace(record, settings=settings)

    shown = field_of(Settings, setting).otherwise(**limits.otherwise)
    form.figure(shown.shown, shown.low, shown.high, lambda r: limits.read(r.settings), write, Settings)


class _Limits(NamedTuple):
    """What a setting is read as on a device and how it is kept; and what of its field depends on the device."""

    read: Callable[[Settings], float]
    otherwise: dict[str, Any]
    kept: Callable[[float], float | int] = float


def _limits(form: Form, setting: str, device: DeviceType) -> _Limits | None:
    parts = parts_of(device)
    radar = next((p for p in parts if isinstance(p, RadarType)), None)
    if setting == "hold_s":
        why = form.tr("How long the device keeps reporting after the last notice: {}.")
        most = 3600.0 if device.hold_max_s is None else device.hold_max_s
        return _Limits(lambda s: own_hold_s(device, s), {
            "step": device.hold_step_s or 1.0, "high": max(most, device.hold_s, 1.0),
            "why": why.format(holds_words(device)),
        })  # fmt: skip
    if setting.endswith("_below_max"):
        steps = steps_of(device, setting)
        if steps < 2:
            return None

        def level(s: Settings) -> float:
            below = getattr(s, setting)
            return steps - min(s.sensitivity_below_max if below is None else below, steps - 1)

        changed: dict[str, Any] = {"low": 1, "high": steps, "why": form.tr(SIXTH).format(steps)}
        if len(parts) == 1 and setting != "still_below_max":
            changed["words"] = form.tr("Sensitivity")
        return _Limits(level, changed, lambda v: int(steps - round(v)))
    if setting in ("min_gate_m", "max_gate_m"):
        if radar is None:
            return None
        usual = getattr(radar, setting)
        return _Limits(lambda s: usual if (m := getattr(s, setting)) is None else m, {"high": radar.max_gate_m})
    if setting == "report_interval_s":
        every = usual_interval_s(device)
        return _Limits(lambda s: s.report_interval_s or every, {})
    if setting == "messages_lost":
        house = form.document.project.brief.troubles.messages_lost
        return _Limits(lambda s: house if s.messages_lost is None else s.messages_lost, {})
    if setting == "measured_range_m":
        return _Limits(lambda s: s.measured_range_m or as_placed(device, s).reach_m(), {})
    if setting == "measured_latency_s":
        return _Limits(lambda s: as_placed(device, s).latency.typical_s, {})
    return None


def _mat(form: Form, device: MatType) -> None:
    """Fold, and how surely it closes under each who uses the spots it reaches."""
    if device.foldable:
        why = form.tr("Folded, it lies on a ridge and gets {:.1f} times the pressure.").format(FOLDED)
        form.choice(
            form.tr("Lies"), [(False, form.tr("flat")), (True, form.tr("folded"))], lambda r: r.settings.folded,
            lambda r, on: replace(r, settings=replace(r.settings, folded=on)), why,
        )  # fmt: skip
    form.text(lambda r: _margins(form, r, device))


def _margins(form: Form, sensor: Any, device: MatType) -> str:
    project = form.document.project
    host = next((f for f in project.furnishings if f.id == sensor.host), None)
    told = []
    for spot in project.spots:
        if find(project.rooms, spot.room).level != sensor.level or math.dist(spot.at, sensor.at[:2]) > MAT_REACH_M:
            continue
        kg = lightest_kg(project, spot)
        m = margin(sensor, device, host, spot.at, spot.facing, spot.posture, kg)
        sure = form.tr("reliable") if m >= SURE_MARGIN else form.tr("marginal") if m >= 1 else form.tr("stays open")
        told.append(form.tr("{}, {:g} kg: {:.1f} × the closing pressure, {}").format(spot.name, kg, m, sure))
    return "\n".join(told) or form.tr("Nobody sits or lies on it.")

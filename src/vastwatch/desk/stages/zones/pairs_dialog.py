"""Pairs of tape and reading for a radar that tells distance alone: how much too long it reads."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtWidgets import QWidget

from vastwatch.commission.calibrate import CalibrationError, fit_scale
from vastwatch.commission.walk_log import WalkError, parse_pairs
from vastwatch.design.project import put
from vastwatch.design.records import Sensor
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.readings_dialog import ReadingsDialog


def pairs_dialog(document: Document, sensor: Sensor, parent: QWidget) -> ReadingsDialog:
    """Each line a tape's length along the sight line and what the device reads, metres."""
    tr = parent.tr

    def understood(text: str) -> tuple[str, Callable[[], str] | None]:
        if not text.strip():
            return "", None
        try:
            found = fit_scale(*parse_pairs(text))
        except (WalkError, CalibrationError) as e:
            raise ValueError(str(e)) from None
        words = tr("It reads {:.2f} m too long (± {:.2f})").format(found.bias_m, found.bias_sd_m)
        if found.scale != 1.0:
            words += tr(", times {:.3f} (± {:.3f})").format(found.scale, found.scale_sd)
        # A scale is kept where it surely is one: else it would only repeat the scatter of the pairs.
        sure = abs(found.scale - 1.0) > 2.0 * found.scale_sd
        return words + ".", lambda: take(found.bias_m, round(min(max(found.scale, 0.5), 2.0), 4) if sure else None)

    def take(bias: float, scale: float | None) -> str:
        settings = replace(sensor.settings, measured_bias_m=round(bias, 3), measured_scale=scale)
        new = put(document.project, replace(sensor, settings=settings))
        document.apply(new, f"Correct {sensor.name.lower()} by tape measurements")
        return tr("{} reads {:.2f} m too long; its bands are corrected.").format(sensor.name, bias)

    return ReadingsDialog(
        tr("Tape measurements: {}").format(sensor.name),
        tr("Stand still, measure from the device to your chest, and read its distance; one pair a line, in "
           "metres: 2.00 2.35. Three pairs or more, near and far, also give its scale."),
        tr("Correct the values"), understood, parent=parent,
    )  # fmt: skip

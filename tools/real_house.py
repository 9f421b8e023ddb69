"""What is found in the real Saltmarsh Pottery: a walk past a sensor that is mounted off its drawing, a log of some
days."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from msgspec.structs import replace

from vastwatch.commission.log_writing import write_log
from vastwatch.commission.simulated_device import simulate_walk
from vastwatch.control.recording import Recording
from vastwatch.design.project import Project
from vastwatch.people.truth import simulate_days
from vastwatch.rehearsal.run import make_recording
from vastwatch.sensing.tracker import Pose
from vastwatch.signals import Signal


def write_what_is_found_there(project: Project, folder: Path) -> None:
    """Write both beside the sample."""
    # Past the sitting room's tracker, which is mounted 6 degrees off what is drawn.
    sensor = next(s for s in project.sensors if s.id == "tracker-sitting")
    true = Pose(sensor.at[0] + 0.06, sensor.at[1] - 0.09, sensor.at[2], sensor.yaw - 6.0, 0.36)
    (folder / "saltmarsh-walk.csv").write_text(simulate_walk(project, sensor, 12, true), encoding="utf-8")
    write_log(real_days(project), folder / "saltmarsh-log.csv")


def real_days(project: Project) -> Recording:
    """Some days as the real sensors told them: set otherwise than drawn, one of them offline for an hour and a half."""
    real: dict[str, dict[str, Any]] = {
        "pir-shop": {"infrared_below_max": 1, "hold_s": 30.0}, "radar-sitting": {"still_below_max": 3},
        "pir-throwing": {"hold_s": 60.0},
    }  # fmt: skip
    sensors = tuple(
        replace(s, settings=replace(s.settings, **real[s.id])) if s.id in real else s for s in project.sensors
    )
    told = make_recording(replace(project, sensors=sensors), simulate_days(project, 4, 77))
    lost = ~Signal.from_intervals([(2 * 86_400.0 + 41_000.0, 2 * 86_400.0 + 46_400.0)], 0.0, told.end)
    return Recording(told.calendar, told.reports, {"pir-shop": lost})

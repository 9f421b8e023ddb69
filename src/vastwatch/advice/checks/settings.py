"""Checks of what is set on each sensor, of how often it reports, and of how long its cells last."""

from __future__ import annotations

from collections.abc import Iterator

from vastwatch.advice.checks.finding import MANY_SENSORS, Finding
from vastwatch.advice.detection.entry_paths import reference_week
from vastwatch.advice.detection.messages import messages
from vastwatch.design.placed import settings_faults
from vastwatch.design.project import Project, find
from vastwatch.rehearsal.run import make_recording


def invalid_settings(project: Project) -> Iterator[Finding]:
    """Settings beyond what the type can be set to, or that contradict themselves."""
    for sensor in project.sensors:
        device = find(project.devices, sensor.device)
        for _, words in settings_faults(device, sensor.settings):
            yield Finding("settings", "risk", (sensor.id,), f"{sensor.name} ({device.name}): {words}.")


# So many messages an hour of one device are too many, by radio: a mesh of small devices carries about one a second in
# all, a house network more. Cells that last less than this are changed too often, years. Our figures.
TOO_MANY_AN_HOUR = {"mesh": 400.0, "network": 7200.0}
LEAST_YEARS = 0.75


def messages_and_cells(project: Project) -> Iterator[Finding]:
    """Devices that report so often that others are not heard, or that their cells are soon empty."""
    if not project.sensors or not project.people or len(project.sensors) > MANY_SENSORS:
        return
    for ident, sent in messages(project, make_recording(project, reference_week(project))).items():
        sensor = find(project.sensors, ident)
        device = find(project.devices, sensor.device)
        most = TOO_MANY_AN_HOUR.get(device.radio)
        if most is not None and sent.most_in_an_hour > most:
            by = "the mesh" if device.radio == "mesh" else "the network"
            text = f"{sensor.name} sends up to {sent.most_in_an_hour:.0f} messages an hour over {by}"
            yield Finding(
                "too-many-messages",
                "risk",
                (ident,),
                f"{text}: other messages may be lost. A longer device hold time or report interval sends fewer.",
            )
        if sent.battery_years is not None and sent.battery_years < LEAST_YEARS:
            months = 12.0 * sent.battery_years
            text = (
                f"The batteries of {sensor.name} last about {months:.0f} months at {sent.per_day:.0f} messages a day."
            )
            yield Finding("cells", "note", (ident,), text)


CHECKS = (invalid_settings, messages_and_cells)

"""A placed sensor with everything around it that its sensing reads, gathered from the project."""

from __future__ import annotations

from msgspec.structs import replace

from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find, find_any
from vastwatch.design.records import Sensor, Zone
from vastwatch.devices import AREA_FAMILIES
from vastwatch.sensing.model import MountedSensor, ZoneArea, assemble_sensor
from vastwatch.sensing.obstacles import obstacles
from vastwatch.sensing.zoned_sensor import ZonedSensor, programmed_zones, zoned_sensor_of


def mount(project: Project, sensor: Sensor) -> MountedSensor:
    """Gather what a sensor's sensing reads from the project, its zones counted in as far as they change what it
    notices: nothing in those it is to ignore, and by their own sensitivity in those that have one."""
    plain = mount_plain(project, sensor)
    otherwise = [
        z for z in programmed_zones(project, sensor) if z.role == "ignore" or z.sensitivity_below_max is not None
    ]
    if not otherwise:
        return plain
    known = zoned_sensor_of(project, sensor, plain)
    if known is None:
        return plain
    shape = dict(zip((z.id for z in known.zones), known.shapes))
    # What is to be ignored counts before all else.
    ordered = sorted(otherwise, key=lambda z: z.role == "ignore")
    areas = [(ZoneArea(known.pose, shape[z.id]), None if z.role == "ignore" else _set_in(project, sensor, z))
             for z in ordered]  # fmt: skip
    return _by_place(plain, areas)


def zoned_sensor(project: Project, sensor: Sensor) -> ZonedSensor | None:
    """A sensor with its zones: what it is told, and who is counted where; None where its type has none."""
    return zoned_sensor_of(project, sensor, mount_plain(project, sensor))


def _set_in(project: Project, sensor: Sensor, zone: Zone) -> MountedSensor:
    below = zone.sensitivity_below_max
    settings = replace(sensor.settings, sensitivity_below_max=below or 0, still_below_max=below)
    return mount_plain(project, replace(sensor, settings=settings))


def _by_place(mounted: MountedSensor, areas: list[tuple[ZoneArea, MountedSensor | None]]) -> MountedSensor:
    """A sensor, and each of its parts, set otherwise in some areas."""
    parts = tuple(
        part._replace(by_zone=tuple((area, None if o is None else o.parts[k]) for area, o in areas))
        for k, part in enumerate(mounted.parts)
    )
    return mounted._replace(parts=parts, by_zone=() if parts else tuple(areas))


def mount_plain(project: Project, sensor: Sensor) -> MountedSensor:
    """The same without regard to its zones."""
    device = find(project.devices, sensor.device)
    host = None
    if device.family not in AREA_FAMILIES and sensor.host is not None:
        found = find_any(project, sensor.host)
        host = None if found is None else found[1]
    return assemble_sensor(
        sensor, device, room_of(project, sensor), host, lambda band: obstacles(project, sensor.level, band)
    )

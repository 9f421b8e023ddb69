"""What must hold in any project beyond the types of its fields, each breach told in one sentence.

The reader has already checked types and ranges; here are the facts that concern several records, or the meaning of
the numbers: unique ids, references, finite coordinates, walls with a length, rooms that do not cross themselves,
openings that fit their wall, sensors inside the building.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import date, datetime
from typing import Any
from zoneinfo import ZoneInfo

import msgspec
from msgspec.structs import replace

from vastwatch.design.expressions import Expr
from vastwatch.design.photometry import photometry_faults
from vastwatch.design.places import room_at
from vastwatch.design.presence import reports
from vastwatch.design.project import COLLECTIONS, Project, Variant, on_level
from vastwatch.design.references import dangling
from vastwatch.design.variants import DECIDED, designed_as
from vastwatch.devices.faults import faults
from vastwatch.files.pictures import kept_picture_fault
from vastwatch.geometry import polygons
from vastwatch.site.meter_scale import scale_of
from vastwatch.words import one_line

# A building is not larger than this, metres: farther out, a coordinate is a slip of the pen.
FARTHEST = 2000.0
# The rooms of one level lie within a rectangle of this at the most, square metres: what maps and ways can still be
# computed for.
LARGEST_LEVEL_M2 = 100_000.0
# What numbers there may be of these, as what they are: metres, degrees Celsius, degrees.
SANE = {
    "elevation": (-500.0, 1000.0), "height": (1.0, 100.0), "ambient_c": (-60.0, 90.0), "yaw": (-3600.0, 3600.0),
    "pitch": (-3600.0, 3600.0), "facing": (-3600.0, 3600.0), "z0": (0.0, 100.0), "z1": (0.0, 100.0),
    "sill": (0.0, 100.0), "head": (0.0, 100.0), "thickness": (0.0, 10.0), "climb": (-3600.0, 3600.0),
}  # fmt: skip
# Conditions are not nested deeper: nobody could read them, and what follows them must not run out of stack.
DEEPEST = 24
# Years that the calendar and the sun's place are good for.
YEARS = (1900, 2200)


# Nobody's vacation is longer, days.
LONGEST_AWAY = 400


class ProjectError(Exception):
    """The project, or the file that holds it, is wrong: the message is one sentence, on one line, of what and where."""

    def __init__(self, words: str) -> None:
        super().__init__(one_line(words))


def check_project(project: Project) -> None:
    """Raise ProjectError for the first breach found."""
    for fault in faults_of(project):
        raise ProjectError(fault)


def faults_of(project: Project) -> Iterator[str]:
    """Every breach, as `path: what is wrong`."""
    too_deep = [*_all_nesting(project, "")]
    for k, v in enumerate(project.variants):
        too_deep += _all_nesting(v, f"variants[{k}].")
    yield from too_deep
    if too_deep:
        # What walks an expression cannot follow it there.
        return
    yield from _numbers(project, "")
    yield from _ids(project)
    yield from _others(project)
    yield from _references(project)
    yield from _devices(project)
    yield from _pictures(project)
    yield from _sizes(project)
    yield from _shapes(project)
    yield from _time_and_place(project)


def _all_nesting(holder: Project | Variant, path: str) -> Iterator[str]:
    """Conditions that are nested too deeply, in conclusions, ladders and rows of outputs."""
    for i, presence in enumerate(holder.presences):
        yield from _nesting(presence.expr, presence.id, f"{path}presences[{i}].expr")
    for i, rule in enumerate(holder.rules):
        yield from _nesting(rule.when, rule.id, f"{path}rules[{i}].when")
    for i, output in enumerate(holder.outputs):
        for k, row in enumerate(output.rows):
            yield from _nesting(row.when, output.id, f"{path}outputs[{i}].rows[{k}].when")
        for k, lock in enumerate(output.locks):
            yield from _nesting(lock, output.id, f"{path}outputs[{i}].locks[{k}]")


def _nesting(whole: Expr, ident: str, path: str) -> Iterator[str]:
    waiting: list[tuple[Any, int]] = [(whole, 1)]
    while waiting:
        expr, depth = waiting.pop()
        if depth > DEEPEST:
            yield f"{path}: '{ident}' is nested deeper than {DEEPEST} conditions"
            break
        for name in expr.__struct_fields__:
            part = getattr(expr, name)
            parts = part if isinstance(part, tuple) else (part,)
            waiting += [(x, depth + 1) for x in parts if isinstance(x, msgspec.Struct)]


def _numbers(value: Any, path: str) -> Iterator[str]:
    if isinstance(value, float):
        if not math.isfinite(value):
            yield f"{path}: expected a finite number, got {value}"
        return
    if isinstance(value, tuple):
        for i, part in enumerate(value):
            yield from _numbers(part, f"{path}[{i}]")
    elif isinstance(value, msgspec.Struct):
        for name in value.__struct_fields__:
            yield from _numbers(getattr(value, name), f"{path}.{name}" if path else name)


def _ids(project: Project) -> Iterator[str]:
    seen: dict[str, str] = {}
    for collection in COLLECTIONS:
        for i, record in enumerate(getattr(project, collection)):
            path = f"{collection}[{i}].id"
            if record.id in seen:
                yield f"{path}: the id '{record.id}' is already used by {seen[record.id]}"
            seen[record.id] = path


def _others(project: Project) -> Iterator[str]:
    """The variants, each as if it were the design; and the diary."""
    names: set[str] = set()
    for i, variant in enumerate(project.variants):
        if variant.id in names:
            yield f"variants[{i}].id: the id '{variant.id}' is already used by another variant"
        names.add(variant.id)
        alone = [record.id for what in DECIDED for record in getattr(variant, what)]
        twice = next((x for k, x in enumerate(alone) if x in alone[:k]), None)
        if twice is not None:
            yield f"variants[{i}]: the id '{twice}' is used twice in it"
            continue
        for fault in faults_of(designed_as(replace(project, diary=()), variant)):
            yield f"variants[{i}] ('{variant.name}'): {fault}"
    noted: set[str] = set()
    for i, note in enumerate(project.diary):
        if note.id in noted:
            yield f"diary[{i}].id: the id '{note.id}' is already used by another note"
        noted.add(note.id)
        try:
            datetime.fromisoformat(note.at)
        except ValueError:
            yield f"diary[{i}].at: '{note.at}' is no time"


def _references(project: Project) -> Iterator[str]:
    for path, words in dangling(project):
        yield f"{path}: {words}"
    of_sensor = {z.id: z.sensor for z in project.zones}
    for i, presence in enumerate(project.presences):
        for report in reports(presence.expr):
            if report.zone is not None and of_sensor.get(report.zone, report.sensor) != report.sensor:
                yield f"presences[{i}].expr: the zone '{report.zone}' is not one of '{report.sensor}'"
    on_circuit: dict[str, int] = {}
    fed: dict[str, int] = {}
    for i, circuit in enumerate(project.circuits):
        for lamp in circuit.lamps:
            if lamp in on_circuit:
                yield f"circuits[{i}].lamps: '{lamp}' is already on circuits[{on_circuit[lamp]}]"
            on_circuit[lamp] = i
        for sensor in circuit.feeds:
            if sensor in fed:
                yield f"circuits[{i}].feeds: '{sensor}' has its supply from circuits[{fed[sensor]}] already"
            fed[sensor] = i
    yield from _conclusions(project)
    yield from _ladders(project)


def _ladders(project: Project) -> Iterator[str]:
    """That scenes, rows and buttons are of one room, and what photometries say of every direction."""
    rooms = {lamp.id: lamp.room for lamp in project.lamps}
    of_scene = {s.id: s.room for s in project.scenes}
    for i, scene in enumerate(project.scenes):
        named: set[str] = set()
        for k, x in enumerate(scene.levels):
            if rooms.get(x.lamp, scene.room) != scene.room:
                yield f"scenes[{i}].levels[{k}]: the lamp '{x.lamp}' is not in the room of '{scene.name}'"
            if x.lamp in named:
                yield f"scenes[{i}].levels[{k}]: '{scene.name}' names the lamp '{x.lamp}' twice"
            named.add(x.lamp)
    yield from _groups(project, rooms)
    for i, rule in enumerate(project.rules):
        if of_scene.get(rule.scene, rule.room) != rule.room:
            yield f"rules[{i}].scene: the scene '{rule.scene}' is of another room"
    for i, button in enumerate(project.buttons):
        if button.scene is not None and of_scene.get(button.scene, button.room) != button.room:
            yield f"buttons[{i}].scene: the scene '{button.scene}' is of another room"
    for i, p in enumerate(project.photometries):
        for words in photometry_faults(p):
            yield f"photometries[{i}]: {words}"
    for i, room in enumerate(project.rooms):
        d = room.darkness
        if d is not None and d.until_lux is not None and d.below_lux is not None and d.until_lux < d.below_lux:
            yield f"rooms[{i}].darkness: dark until {d.until_lux:g} lux is less than dark below {d.below_lux:g} lux"
        if d is not None and d.readings:
            try:
                scale_of(d)
            except ValueError as e:
                yield f"rooms[{i}].darkness.readings: {e}"


def _groups(project: Project, rooms: dict[str, str]) -> Iterator[str]:
    """That groups have lamps of their own room, each lamp in one of them; and that rows are of the room of theirs."""
    taken: dict[str, str] = {}
    for i, group in enumerate(project.lamp_groups):
        for k, lamp in enumerate(group.lamps):
            path = f"lamp_groups[{i}].lamps[{k}]"
            if rooms.get(lamp, group.room) != group.room:
                yield f"{path}: the lamp '{lamp}' is not in the room of '{group.name}'"
            if lamp in taken:
                yield f"{path}: the lamp '{lamp}' is in '{taken[lamp]}' already, and goes by one ladder"
            taken[lamp] = group.name
    of_group = {g.id: g.room for g in project.lamp_groups}
    for i, rule in enumerate(project.rules):
        if rule.group is not None and of_group.get(rule.group, rule.room) != rule.room:
            yield f"rules[{i}].group: the lamp group '{rule.group}' is of another room"


def _conclusions(project: Project) -> Iterator[str]:
    """What a conclusion is about, and that no two light the same room."""
    rooms: dict[str, int] = {}
    for i, presence in enumerate(project.presences):
        if presence.room is not None and presence.level is not None:
            yield f"presences[{i}].level: '{presence.id}' is about a room already, and its level follows from that"
        if presence.zone is not None and presence.room is None:
            yield f"presences[{i}].zone: '{presence.id}' is about a zone, and does not say of which room"
        if presence.room is None or not presence.lights:
            continue
        if presence.room in rooms:
            yield (
                f"presences[{i}].lights: the lamps of '{presence.room}' already follow "
                f"presences[{rooms[presence.room]}]"
            )
        rooms[presence.room] = i


def _pictures(project: Project) -> Iterator[str]:
    for i, level in enumerate(project.levels):
        fault = None if level.underlay is None else kept_picture_fault(level.underlay.data)
        if fault is not None:
            yield f"levels[{i}].underlay.data: {fault}"


def _devices(project: Project) -> Iterator[str]:
    for i, device in enumerate(project.devices):
        for field, words in faults(device):
            yield f"devices[{i}].{field}: {words}"
    types = {d.id: d for d in project.devices}
    for i, sensor in enumerate(project.sensors):
        if sensor.device in types and types[sensor.device].is_module:
            yield f"sensors[{i}].device: '{sensor.device}' switches a circuit and senses nothing"
    for i, circuit in enumerate(project.circuits):
        if circuit.module in types and types[circuit.module].load_w <= 0:
            yield f"circuits[{i}].module: '{circuit.module}' switches nothing"


def _sizes(project: Project) -> Iterator[str]:
    """Numbers that are finite and of their type, and yet none that anything of the kind has."""
    for collection in ("levels", "walls", "openings", "rooms", "furnishings", "spots", "sensors"):
        for i, record in enumerate(getattr(project, collection)):
            for name in record.__struct_fields__:
                value = getattr(record, name)
                if name in SANE and value is not None and not SANE[name][0] <= value <= SANE[name][1]:
                    low, high = SANE[name]
                    yield f"{collection}[{i}].{name}: {value:g} is not from {low:g} to {high:g}"
    for i, sensor in enumerate(project.sensors):
        if not -0.01 <= sensor.at[2] <= 100.0:
            yield f"sensors[{i}].at: '{sensor.name}' is {sensor.at[2]:g} m above its floor, not from 0 to 100"
    for i, level in enumerate(project.levels):
        points = [p for room in on_level(project.rooms, level.id) for p in room.outline]
        if points:
            (x0, x1), (y0, y1) = ((min(c), max(c)) for c in zip(*points))
            if (x1 - x0) * (y1 - y0) > LARGEST_LEVEL_M2:
                yield (
                    f"levels[{i}]: its rooms spread over {x1 - x0:,.0f} × {y1 - y0:,.0f} m, and no more than "
                    f"{LARGEST_LEVEL_M2:,.0f} m² can be computed; design it in parts"
                )


def _shapes(project: Project) -> Iterator[str]:
    for name, rows in (
        ("walls", [(*w.a, *w.b) for w in project.walls]),
        ("rooms", [c for r in project.rooms for p in r.outline for c in p]),
        ("furnishings", [c for f in project.furnishings for p in f.outline for c in p]),
        ("sensors", [s.at for s in project.sensors]),
        ("spots", [s.at for s in project.spots]),
        ("lamps", [lamp.at for lamp in project.lamps]),
        ("outputs", [output.at for output in project.outputs]),
        ("buttons", [button.at for button in project.buttons]),
        ("hazards", [c for h in project.hazards for p in h.outline for c in p]),
        ("zones", [c for z in project.zones for p in z.outline for c in p]),
        ("sensors", [s.settings.measured_at or (0.0, 0.0) for s in project.sensors]),
        ("sockets", [s.at for s in project.sockets]),
        ("switches", [s.at for s in project.switches]),
    ):
        for i, row in enumerate(rows):
            for c in row if isinstance(row, tuple) else (row,):
                if abs(c) > FARTHEST:
                    where = f"{name}[{i}]" if name not in ("rooms", "furnishings", "hazards", "zones") else name
                    yield f"{where}: the coordinate {c:g} m lies more than {FARTHEST:g} m out"
    for i, wall in enumerate(project.walls):
        if math.dist(wall.a, wall.b) < 0.01:
            yield f"walls[{i}]: wall '{wall.id}' has no length"
    walls = {w.id: w for w in project.walls}
    for i, opening in enumerate(project.openings):
        wall_length = math.dist(walls[opening.wall].a, walls[opening.wall].b)
        if opening.offset + opening.width > wall_length + 1e-6:
            yield (
                f"openings[{i}]: '{opening.id}' ends at {opening.offset + opening.width:g} m, "
                f"but its wall is {wall_length:g} m long"
            )
        if opening.head <= opening.sill:
            yield f"openings[{i}].head: the head of '{opening.id}' is not above its sill"
    for collection in ("rooms", "furnishings", "hazards", "zones"):
        for i, record in enumerate(getattr(project, collection)):
            crossing = polygons.self_crossing(record.outline)
            if crossing is not None:
                a, b = crossing
                yield f"{collection}[{i}].outline: '{record.id}' crosses itself at its sides {a + 1} and {b + 1}"
            elif polygons.area(record.outline) < 1e-4:
                yield f"{collection}[{i}].outline: '{record.id}' encloses no area"
    for i, f in enumerate(project.furnishings):
        if f.z1 <= f.z0:
            yield f"furnishings[{i}].z1: the top of '{f.id}' is not above its bottom"
        if f.kind == "stair" and f.climb is None:
            yield f"furnishings[{i}].climb: the stair '{f.id}' needs the direction it climbs"
    for i, sensor in enumerate(project.sensors):
        if room_at(project, sensor.level, sensor.at[0], sensor.at[1]) is None:
            x, y, _ = sensor.at
            yield f"sensors[{i}].at: '{sensor.name}' at ({x:g}, {y:g}) is outside every room of its level"


def _time_and_place(project: Project) -> Iterator[str]:
    for i, holiday in enumerate(project.brief.holidays):
        if not _is_date(holiday.on):
            yield f"brief.holidays[{i}].on: '{holiday.on}' is not a date"
    for i, vacation in enumerate(project.brief.vacations):
        if not _is_date(vacation.begin) or not _is_date(vacation.end):
            yield f"brief.vacations[{i}]: '{vacation.begin}' to '{vacation.end}' are not two dates"
        elif vacation.end < vacation.begin:
            yield f"brief.vacations[{i}]: it ends on {vacation.end}, before it begins"
        elif (date.fromisoformat(vacation.end) - date.fromisoformat(vacation.begin)).days > LONGEST_AWAY:
            yield f"brief.vacations[{i}]: nobody is away for more than {LONGEST_AWAY} days"
    begin = project.brief.rehearse_from
    try:
        if not YEARS[0] <= date.fromisoformat(begin).year <= YEARS[1]:
            yield f"brief.rehearse_from: '{begin}' is not between the years {YEARS[0]} and {YEARS[1]}"
    except ValueError:
        yield f"brief.rehearse_from: '{begin}' is not a date"
    try:
        ZoneInfo(project.place.timezone)
    except (KeyError, ValueError, OSError):
        yield f"place.timezone: '{project.place.timezone}' is not a time zone"


def _is_date(text: str) -> bool:
    try:
        date.fromisoformat(text)
    except ValueError:
        return False
    return True

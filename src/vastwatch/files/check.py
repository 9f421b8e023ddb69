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
from vastwatch.design.project import ASIDE, COLLECTIONS, Project, Variant, find, find_any, indexed, on_level
from vastwatch.design.references import astray, dangling, ids_of, singular
from vastwatch.design.variants import DECIDED, with_design_of
from vastwatch.devices.faults import faults
from vastwatch.files.pictures import embedded_picture_fault
from vastwatch.files.validation import longest, misfit
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


# What the building holds, as variants see it.
_SHARED = tuple(name for name in Project.__struct_fields__ if name not in (*DECIDED, *ASIDE))


def faults_of(project: Project, since: Project | None = None) -> Iterator[str]:
    """Every breach, as `path: what is wrong`. `since`: a project without any; then only what differs is looked at."""
    new = _New(project, since)
    too_deep = [*_all_nesting(project, "")] if new.any("presences", "rules", "outputs") else []
    if new.any("variants"):
        for k, v in enumerate(project.variants):
            too_deep += _all_nesting(v, f"variants[{k}].")
    yield from too_deep
    if too_deep:
        # What walks an expression cannot follow it there.
        return
    for name in new.fields:
        yield from _all_numbers(new, name)
    if new.any(*COLLECTIONS):
        yield from _ids(project)
        yield from _others(project, since)
        yield from _references(project)
    elif new.any(*ASIDE):
        yield from _others(project, since)
    elif new.any("brief"):
        yield from _references(project)
    if new.any("devices", "sensors", "circuits"):
        yield from _devices(project)
    if new.any("levels"):
        yield from _pictures(project)
    yield from _sizes(new)
    yield from _shapes(new)
    if new.any("brief", "place"):
        yield from _time_and_place(project)


class _New:
    """What is not as it was in a project in which all is well; everything where there is none."""

    def __init__(self, project: Project, since: Project | None) -> None:
        self.project, self.since = project, since
        self.fields = tuple(
            name for name in project.__struct_fields__
            if since is None or getattr(project, name) is not getattr(since, name)
        )  # fmt: skip

    def any(self, *names: str) -> bool:
        """Whether one of these fields is new."""
        return any(name in self.fields for name in names)

    def records(self, name: str) -> Iterator[tuple[int, Any]]:
        """Those records of a list that were not there before, each with its number."""
        if name not in self.fields:
            return
        before = frozenset() if self.since is None else indexed(getattr(self.since, name), _identities)
        for i, record in enumerate(getattr(self.project, name)):
            if id(record) not in before:
                yield i, record


def _identities(records: tuple[Any, ...]) -> frozenset[int]:
    return frozenset(map(id, records))


def _all_numbers(new: _New, name: str) -> Iterator[str]:
    value = getattr(new.project, name)
    if isinstance(value, tuple):
        most = longest(Project, name)
        if most is not None and len(value) > most:
            yield f"{name}: {len(value)} are too many; {most} at most"
        for i, record in new.records(name):
            yield from _numbers(record, f"{name}[{i}]")
            words = misfit(record, f"{name}[{i}]")
            if words is not None:
                yield words
    else:
        yield from _numbers(value, name)


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
    lists = [ids_of(getattr(project, c)) for c in COLLECTIONS]
    together = frozenset[str]().union(*lists)
    if len(together) == sum(map(len, lists)) == sum(len(getattr(project, c)) for c in COLLECTIONS):
        return
    seen: dict[str, str] = {}
    for collection in COLLECTIONS:
        for i, record in enumerate(getattr(project, collection)):
            path = f"{collection}[{i}].id"
            if record.id in seen:
                yield f"{path}: the id '{record.id}' is already used by {seen[record.id]}"
            seen[record.id] = path


def _others(project: Project, since: Project | None) -> Iterator[str]:
    """The variants, each as if it were the design; the diary, and how logs are read."""
    names: set[str] = set()
    before = set() if since is None else {id(v) for v in since.variants}
    same_site = since is not None and all(getattr(project, n) is getattr(since, n) for n in _SHARED)
    for i, variant in enumerate(project.variants):
        if variant.id in names:
            yield f"variants[{i}].id: the id '{variant.id}' is already used by another variant"
        names.add(variant.id)
        alone = [record.id for what in DECIDED for record in getattr(variant, what)]
        twice = next((x for k, x in enumerate(alone) if x in alone[:k]), None)
        if twice is not None:
            yield f"variants[{i}]: the id '{twice}' is used twice in it"
            continue
        known = id(variant) in before
        if known and same_site:
            continue
        # What it shares with the design is looked at there.
        for fault in faults_of(with_design_of(project, variant), replace(project, variants=())):
            yield f"variants[{i}] ('{variant.name}'): {fault}"
    if since is not None and all(getattr(project, n) is getattr(since, n) for n in ("diary", "log_layouts")):
        return
    noted: set[str] = set()
    for i, note in enumerate(project.diary):
        if note.id in noted:
            yield f"diary[{i}].id: the id '{note.id}' is already used by another note"
        noted.add(note.id)
        try:
            datetime.fromisoformat(note.at)
        except ValueError:
            yield f"diary[{i}].at: '{note.at}' is not a time"
    yield from _log_layouts(project)


def _log_layouts(project: Project) -> Iterator[str]:
    """How logs are read: each by an id of its own, and by columns that it has."""
    seen: set[str] = set()
    for i, layout in enumerate(project.log_layouts):
        if layout.id in seen:
            yield f"log_layouts[{i}].id: the id '{layout.id}' is already used by another log"
        seen.add(layout.id)
        needed = {"time": layout.time, "date": layout.date}
        if not layout.wide:
            needed |= {"device": layout.device, "value": layout.value}
        for name, column in needed.items():
            if column not in layout.columns and (column or name != "date"):
                yield f"log_layouts[{i}].{name}: the log '{layout.name}' has no column '{column}'"


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
    """That what names only its own room's does so, and what photometries say of every direction."""
    for found in astray(project):
        there = find_any(project, found.other.id)
        what = singular(there[0]) if there else "record"
        yield f"{found.path}: the {what} '{found.other.name}' is of another room than '{found.holder.name}'"
    for i, scene in enumerate(project.scenes):
        lamps = [x.lamp for x in scene.levels]
        for k, lamp in enumerate(lamps):
            if lamp in lamps[:k]:
                yield f"scenes[{i}].levels[{k}]: '{scene.name}' names the lamp '{lamp}' twice"
    taken: dict[str, str] = {}
    for i, group in enumerate(project.lamp_groups):
        for k, lamp in enumerate(group.lamps):
            if lamp in taken:
                yield (
                    f"lamp_groups[{i}].lamps[{k}]: the lamp '{lamp}' is already in '{taken[lamp]}' and can follow "
                    "only one ladder"
                )
            taken[lamp] = group.name
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


def _conclusions(project: Project) -> Iterator[str]:
    """What a conclusion is about, and that no two light the same room."""
    rooms: dict[str, int] = {}
    for i, presence in enumerate(project.presences):
        if presence.room is not None and presence.level is not None:
            yield f"presences[{i}].level: '{presence.id}' is about a room already, and its level follows from that"
        if presence.zone is not None and presence.room is None:
            yield f"presences[{i}].zone: '{presence.id}' is about a zone but names no room"
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
        fault = None if level.underlay is None else embedded_picture_fault(level.underlay.data)
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


def _sizes(new: _New) -> Iterator[str]:
    """Numbers that are finite and of their type, and yet none that anything of the kind has."""
    project = new.project
    for collection in ("levels", "walls", "openings", "rooms", "furnishings", "spots", "sensors"):
        for i, record in new.records(collection):
            for name in record.__struct_fields__:
                value = getattr(record, name)
                if name in SANE and value is not None and not SANE[name][0] <= value <= SANE[name][1]:
                    low, high = SANE[name]
                    yield f"{collection}[{i}].{name}: {value:g} is not from {low:g} to {high:g}"
    for i, sensor in new.records("sensors"):
        if not -0.01 <= sensor.at[2] <= 100.0:
            yield f"sensors[{i}].at: '{sensor.name}' is {sensor.at[2]:g} m above its floor, not from 0 to 100"
    for i, level in enumerate(project.levels if new.any("levels", "rooms") else ()):
        points = [p for room in on_level(project.rooms, level.id) for p in room.outline]
        if points:
            (x0, x1), (y0, y1) = ((min(c), max(c)) for c in zip(*points))
            if (x1 - x0) * (y1 - y0) > LARGEST_LEVEL_M2:
                yield (
                    f"levels[{i}]: its rooms cover {x1 - x0:,.0f} × {y1 - y0:,.0f} m; {LARGEST_LEVEL_M2:,.0f} "
                    "m² is the maximum; split the design into parts"
                )


# What has outlines, and what a place.
_OUTLINED = ("rooms", "furnishings", "hazards", "zones")
_PLACED = ("sensors", "spots", "lamps", "outputs", "buttons", "sockets", "switches")


def _shapes(new: _New) -> Iterator[str]:
    project = new.project
    for name in ("walls", *_OUTLINED, *_PLACED):
        for i, record in new.records(name):
            for c in _coordinates(record):
                if abs(c) > FARTHEST:
                    yield f"{name}[{i}]: the coordinate {c:g} m is more than {FARTHEST:g} m away"
    for i, wall in new.records("walls"):
        if math.dist(wall.a, wall.b) < 0.01:
            yield f"walls[{i}]: wall '{wall.id}' has no length"
    if new.any("walls", "openings"):
        yield from _openings(project)
    for collection in _OUTLINED:
        for i, record in new.records(collection):
            crossing = polygons.self_crossing(record.outline)
            if crossing is not None:
                a, b = crossing
                yield f"{collection}[{i}].outline: '{record.id}' crosses itself at its sides {a + 1} and {b + 1}"
            elif polygons.area(record.outline) < 1e-4:
                yield f"{collection}[{i}].outline: '{record.id}' encloses no area"
    for i, f in new.records("furnishings"):
        if f.z1 <= f.z0:
            yield f"furnishings[{i}].z1: the top of '{f.id}' is not above its bottom"
        if f.kind == "stair" and f.climb is None:
            yield f"furnishings[{i}].climb: the stair '{f.id}' needs the direction it climbs"
    for i, sensor in enumerate(project.sensors) if new.any("rooms") else new.records("sensors"):
        if room_at(project, sensor.level, sensor.at[0], sensor.at[1]) is None:
            x, y, _ = sensor.at
            yield f"sensors[{i}].at: '{sensor.name}' at ({x:g}, {y:g}) is outside every room of its level"


def _coordinates(record: Any) -> Iterator[float]:
    if hasattr(record, "outline"):
        for p in record.outline:
            yield from p
    elif hasattr(record, "at"):
        yield from record.at
    else:
        yield from (*record.a, *record.b)
    yield from getattr(getattr(record, "settings", None), "measured_at", None) or ()


def _openings(project: Project) -> Iterator[str]:
    ids = ids_of(project.walls)
    for i, opening in enumerate(project.openings):
        if opening.head <= opening.sill:
            yield f"openings[{i}].head: the head of '{opening.id}' is not above its sill"
        if opening.wall not in ids:
            continue
        wall = find(project.walls, opening.wall)
        wall_length = math.dist(wall.a, wall.b)
        if opening.offset + opening.width > wall_length + 1e-6:
            yield (
                f"openings[{i}]: '{opening.id}' ends at {opening.offset + opening.width:g} m, "
                f"but its wall is {wall_length:g} m long"
            )


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
            yield f"brief.vacations[{i}]: a vacation can last {LONGEST_AWAY} days at most"
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

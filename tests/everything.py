"""Projects with everything in them, drawn from what the records declare of their own fields.

A building is laid out by hand; then every record is drawn field by field from its declaration: bounds, choices, texts,
lists, and whom it may name. A new field or kind is drawn as soon as it is declared. What belongs together (no lamp is
in two groups, a zone is its sensor's, no two conclusions light one room) is said in `Drawer` alone.
"""

from __future__ import annotations

import types
import typing
from collections.abc import Iterator
from functools import cache
from typing import Annotated, Any, Literal, get_args, get_origin

import msgspec
import numpy as np
from msgspec.structs import replace

from samples import rect
from vastwatch.design.edits.building import add_room
from vastwatch.design.edits.fittings import add_furnishing, add_opening
from vastwatch.design.edits.levels import add_level
from vastwatch.design.expressions import DAY_TIME_PATTERN, AtLeast, Belief, ClockTime, ConclusionRef, Dark, Fact, Report
from vastwatch.design.log_layouts import LogDevice, LogLayout
from vastwatch.design.project import Brief, Project, Variant, find, on_level, put
from vastwatch.design.records import Conclusion, LadderRow, Sensor, Zone
from vastwatch.design.variants import DECIDED
from vastwatch.devices import catalogue
from vastwatch.devices.types import BaseType
from vastwatch.site.building import Circuit, Level, RoomUse, Spot
from vastwatch.site.furniture import furniture
from vastwatch.site.people import Person, Stay
from vastwatch.site.record import CLOCK_PATTERN, DATE_PATTERN, Ref
from vastwatch.site.shown import Shown

# A field keeps its default as often; an expression goes no deeper.
KEEPS, DEEPEST = 0.45, 3
# What no drawn project holds, and why: a picture is a picture, device types come from the catalogue with all that is in
# them, and the log book is not used by this version.
LEFT_OUT = ("Underlay", "LogEntry")


def everything(seed: int, rooms: int = 3) -> Project:
    """A small building of two levels with people and all that a project can hold. The same for the same seed."""
    rng = np.random.default_rng(seed)
    project = _building(rng, rooms)
    drawer = Drawer(rng, project)
    for collection in ("uses", "hazards", "sockets", "devices", "sensors", "zones", "presences", "photometries", "lamps",
                       "circuits", "switches", "outputs", "scenes", "lamp_groups", "rules", "buttons"):  # fmt: skip
        drawer.fill(collection)
    drawer.rooms()
    made = drawer.project
    variants = []
    for k in range(int(rng.integers(1, 3))):
        other = Drawer(rng, replace(made, **dict.fromkeys(DECIDED, ())), f"v{k}-")
        for what in ("devices", "sensors", "zones", "presences", "lamps", "circuits", "outputs", "scenes", "lamp_groups",
                     "rules", "buttons"):  # fmt: skip
            other.fill(what)
        fields = {what: getattr(other.project, what) for what in DECIDED}
        variants.append(Variant(id=f"variant-{k}", name=f"Other {k}", **fields))
    made = replace(made, variants=tuple(variants))
    drawer.project = made
    brief = drawer.record(Brief, rehearse_from=f"2026-{rng.integers(1, 13):02d}-{rng.integers(1, 28):02d}")
    begin, end = sorted(f"2026-{rng.integers(1, 13):02d}-{rng.integers(1, 28):02d}" for _ in range(2))
    brief = replace(brief, vacations=tuple(replace(v, begin=begin, end=end) for v in brief.vacations))
    diary = tuple(
        drawer.record(t, id=f"note-{k}", at="2026-02-03T07:30") for k, t in enumerate(_kinds("diary") * 2)
    )  # fmt: skip
    layouts = tuple(_layout(drawer, made, k) for k in range(2))
    return replace(made, brief=brief, diary=diary, log_layouts=layouts, notes="Two\nlines")


def _layout(drawer: Drawer, project: Project, k: int) -> LogLayout:
    """How a log is read: devices of this design, of a variant, and of none."""
    sensors = [None, *(s.id for s in (*project.sensors, *project.variants[0].sensors))]
    devices = tuple(LogDevice(name=f"box {n}", sensor=sensors[n % len(sensors)]) for n in range(6))
    return drawer.record(
        LogLayout, id=f"log-{k}", name=f"house {k}.csv", columns=("when", "box", "said", f"more {k}"), time="when", date="",
        device="box", value="said", devices=devices, aside=(f"more {k}",), delimiter=";", quiet_h=8.0 if k else None,
    )  # fmt: skip


def _building(rng: np.random.Generator, rooms: int) -> Project:
    project = Project(name="Everything", levels=(Level(id="g", name="Ground", elevation=0.0, height=2.6),))
    project, upper = add_level(project)
    uses = get_args(RoomUse)
    for level in ("g", upper.id):
        x, depth = 0.0, round(rng.uniform(3, 5), 1)
        for _ in range(rooms):
            width = round(rng.uniform(2.4, 5), 1)
            use = str(rng.choice(uses))
            project, room = add_room(
                project, level, f"Room {len(project.rooms) + 1}", use, rect(x, 0, x + width, depth)
            )
            x = round(x + width, 1)
            kinds = rng.choice(len(furniture()), 3, replace=False)
            for kind in (furniture()[int(k)] for k in kinds):
                at = (x - width * rng.uniform(0.3, 0.7), depth * rng.uniform(0.3, 0.7))
                if kind.kind != "stair":
                    project, _ = add_furnishing(project, level, kind, at, float(rng.integers(0, 8)) * 45)
            spot = Spot(id=f"spot-{room.id}", room=room.id, name="middle", at=(x - width / 2, depth / 2), facing=90,
                        activity=str(rng.choice(["hands-on", "desk", "reading", "film", "sleeping", "washing"])))  # fmt: skip
            project = replace(project, spots=(*project.spots, spot))
        for wall in on_level(project.walls, level):
            inner = wall.a[0] == wall.b[0] and 0 < wall.a[0] < x
            kind = "door" if inner else str(rng.choice(["window", "archway", "none"]))
            if kind != "none" and (inner or kind == "window"):
                project, _ = add_opening(project, wall.id, kind, 1.2)
    stair = next(k for k in furniture() if k.kind == "stair")
    project, _ = add_furnishing(project, "g", stair, (1.2, 1.6), 90.0)
    first = on_level(project.rooms, "g")[0]
    away = Spot(id="out", room=first.id, name="way out", at=(0.3, 0.3), activity="away")
    return replace(project, spots=(*project.spots, away), people=tuple(_people(rng, project)))


def _people(rng: np.random.Generator, project: Project) -> Iterator[Person]:
    drawer = Drawer(rng, project)
    for k, kind in enumerate(("adult", "adult", "child", "pet")):
        spots = [s.id for s in project.spots]
        hours = sorted(rng.choice(24, 5, replace=False))
        stays = tuple(Stay(at=f"{h:02d}:{rng.integers(0, 60):02d}", spot=str(rng.choice(spots))) for h in hours)
        home = (*stays, Stay(at="23:50", spot="out"))
        made = drawer.record(Person, id=f"person-{k}", kind=kind, stays=home, group="")
        yield replace(made, errands=tuple(replace(e, between=("09:00", "19:00"), per_day=2.0) for e in made.errands))


class Drawer:
    """Draws records for a project, and puts them into it."""

    def __init__(self, rng: np.random.Generator, project: Project, prefix: str = "") -> None:
        self.rng, self.project, self.prefix = rng, project, prefix
        # Which room or sensor what is drawn belongs to, and which conclusions may be named.
        self.room, self.nameable = None, ()
        # Whom no second record of a list may name as well; None where anybody may.
        self.taken: set[str] | None = None

    # -- lists -----------------------------------------------------------------------------------------------------

    def fill(self, collection: str) -> None:
        """Draw a list of the project."""
        self.taken = set() if collection in ("lamp_groups", "circuits") else None
        if collection == "devices":
            everyone = [t for t in catalogue() if not t.is_module]
            chosen = [everyone[int(k)] for k in self.rng.choice(len(everyone), 6, replace=False)]
            areas = [t for t in everyone if getattr(t, "zones", 0)]
            modules = [t for t in catalogue() if t.is_module and t.load_w > 0]
            chosen += [areas[int(self.rng.integers(len(areas)))], modules[int(self.rng.integers(len(modules)))]]
            self.project = replace(self.project, devices=tuple({t.id: t for t in chosen}.values()))
            return
        for kind in _kinds(collection):
            for _ in range(int(self.rng.integers(1, 3)) if len(_kinds(collection)) > 1 else self.many(collection)):
                made = self.one(collection, kind)
                if made is not None:
                    self.project = replace(self.project, **{collection: (*getattr(self.project, collection), made)})

    def many(self, collection: str) -> int:
        rooms = len(self.project.rooms)
        return {"sensors": 2 * rooms, "lamps": 2 * rooms, "scenes": 2 * rooms, "rules": 2 * rooms, "presences": rooms + 3,
                "photometries": 1, "uses": 2}.get(collection, rooms)  # fmt: skip

    def one(self, collection: str, kind: Any) -> Any:
        """A record for a list, or None where there is none to be had."""
        rng, project = self.rng, self.project
        ident = f"{self.prefix}{collection.replace('_', '-')}-{len(getattr(project, collection)) + 1}"
        room = project.rooms[int(rng.integers(len(project.rooms)))]
        self.room = room.id
        x, y = self.point(room)
        fixed: dict[str, Any] = {"id": ident, "at": (x, y), "level": room.level, "room": room.id}
        fixed["outline"] = rect(round(x - 0.3, 2), round(y - 0.3, 2), round(x + 0.3, 2), round(y + 0.3, 2))
        if kind is Sensor:
            senses = [t.id for t in project.devices if not t.is_module]
            fixed |= {"at": (x, y, round(rng.uniform(0.5, 2.4), 2)), "device": str(rng.choice(senses))}
        elif kind is Zone:
            able = [s for s in project.sensors if getattr(find(project.devices, s.device), "zones", 0)]
            if not able:
                return None
            sensor = able[int(rng.integers(len(able)))]
            fixed |= {"sensor": sensor.id, "outline": rect(*(round(c, 2) for c in (
                sensor.at[0] - 0.5, sensor.at[1] - 0.5, sensor.at[0] + 0.5, sensor.at[1] + 0.5)))}  # fmt: skip
        elif kind is Conclusion:
            return self.presence(ident)
        elif collection == "photometries":
            fixed |= {"c_deg": (0.0,), "gamma_deg": (0.0, 45.0, 90.0), "candela": ((300.0, 200.0, 0.0),)}
        elif kind is LadderRow and not any(s.room == room.id for s in project.scenes):
            return None
        self.nameable = tuple(p.id for p in project.presences)
        made = self.record(kind, **{k: v for k, v in fixed.items() if k in kind.__struct_fields__})
        if made is ...:
            return None
        if kind is Circuit:
            made = replace(made, module=next((t.id for t in project.devices if t.is_module), None))
        return made

    def presence(self, ident: str) -> Conclusion:
        """A conclusion of each room in turn, which lights it, and further ones about rooms, levels and the house."""
        project = self.project
        self.nameable = tuple(p.id for p in project.presences)
        k = len(project.presences)
        if k < len(project.rooms):
            self.room = project.rooms[k].id
            return self.record(Conclusion, id=ident, room=self.room, level=None, lights=True)
        about = int(self.rng.integers(3))
        level = project.rooms[-1].level if about == 1 else None
        return self.record(
            Conclusion, id=ident, room=self.room if about == 0 else None, level=level, lights=False,
            **({} if about == 0 else {"zone": None}),
        )  # fmt: skip

    def rooms(self) -> None:
        """What rooms hold beside their outlines, now that it can be named."""
        for room in self.project.rooms:
            self.room = room.id
            fixed = {n: getattr(room, n) for n in ("id", "level", "name", "outline", "use", "ambient_c")}
            if self.project.uses and self.rng.random() < 0.3:
                own = self.project.uses[0]
                fixed |= {"own_use": own.id, "use": own.like}
            made = self.record(type(room), **fixed)
            if made.darkness is not None:
                dark = replace(made.darkness, below_lux=50.0, until_lux=80.0)
                readings = tuple(replace(r, sensor_lux=10.0 * (k + 1), meter_lux=30.0 * (k + 1))
                                 for k, r in enumerate(dark.readings))  # fmt: skip
                made = replace(made, darkness=replace(dark, readings=readings))
            self.project = put(self.project, made)

    def point(self, room: Any) -> tuple[float, float]:
        (x0, y0), (x1, y1) = room.outline[0], room.outline[2]
        # Edits cut rooms to strips that have no inside so far from their walls.
        x, y = ((min(a + 0.4, (a + b) / 2), max(b - 0.4, (a + b) / 2)) for a, b in ((x0, x1), (y0, y1)))
        return round(self.rng.uniform(*x), 2), round(self.rng.uniform(*y), 2)

    # -- records ---------------------------------------------------------------------------------------------------

    def record(self, kind: Any, depth: int = 0, /, **fixed: Any) -> Any:
        """A record of a kind, field by field; `...` where it has to name somebody and nobody is there."""
        values: dict[str, Any] = dict(fixed)
        defaults = _fields(kind)
        for name, hint in _hints(kind).items():
            if name in values:
                continue
            if name == "name":
                values[name] = f"{kind.__name__} {self.rng.integers(1, 1000)}"
                continue
            if not defaults[name].required and self.rng.random() < KEEPS:
                continue
            values[name] = self.value(hint, depth)
        if kind is AtLeast:
            values["k"] = min(int(values["k"]), len(values["of"]))
        if kind is Report:
            values |= {"zone": self.zone_of(values["sensor"])} if values.get("zone") else {}
        if "levels" in values:
            values["levels"] = tuple({x.lamp: x for x in values["levels"]}.values())
        if any(values.get(name) is ... for name, field in defaults.items() if field.required):
            return ...
        return kind(**{k: v for k, v in values.items() if v is not ...})

    def zone_of(self, sensor: str) -> str | None:
        zones = [z.id for z in self.project.zones if z.sensor == sensor]
        return str(self.rng.choice(zones)) if zones else None

    def value(self, hint: Any, depth: int, notes: tuple[Any, ...] = ()) -> Any:
        """What a hint allows; `...` where there is nothing to be named."""
        rng = self.rng
        origin = get_origin(hint)
        if origin is Annotated:
            base, *more = get_args(hint)
            ref = next((n for n in more if isinstance(n, Ref)), None)
            return self.named(ref) if ref is not None else self.value(base, depth, (*more, *notes))
        if origin in (types.UnionType, typing.Union):
            options = [t for t in get_args(hint) if t is not types.NoneType]
            if all(isinstance(t, type) and issubclass(t, msgspec.Struct) for t in options) and len(options) > 1:
                return self.expression(options, depth)
            found = self.value(options[0], depth, notes)
            return None if found is ... or rng.random() < 0.3 else found
        if origin is Literal:
            return get_args(hint)[int(rng.integers(len(get_args(hint))))]
        if origin is tuple:
            return self.several(hint, depth, notes)
        if isinstance(hint, type) and issubclass(hint, msgspec.Struct):
            return self.record(hint, depth)
        if hint is bool:
            return bool(rng.random() < 0.5)
        if hint is str:
            return self.text(notes)
        low, high = _bounds(notes)
        return int(rng.integers(int(low), int(high) + 1)) if hint is int else round(float(rng.uniform(low, high)), 2)

    def several(self, hint: Any, depth: int, notes: tuple[Any, ...]) -> tuple[Any, ...]:
        args = get_args(hint)
        if args[-1] is not ...:
            return tuple(self.value(part, depth) for part in args)
        least = next((n.min_length or 0 for n in notes if isinstance(n, msgspec.Meta)), 0)
        most = min(next((n.max_length for n in notes if isinstance(n, msgspec.Meta) and n.max_length), 3), 3)
        found = [self.value(args[0], depth) for _ in range(int(self.rng.integers(max(least, 1), max(most, 1) + 1)))]
        return tuple(x for x in found if x is not ...)

    def expression(self, kinds: list[Any], depth: int) -> Any:
        """An expression of one of the kinds there are; what names nobody who is there becomes the clock."""
        leaves = [k for k in kinds if not any("Expr" in str(h) or n == "of" for n, h in _hints(k).items())]
        choice = leaves if depth >= DEEPEST else kinds
        for _ in range(8):
            kind = choice[int(self.rng.integers(len(choice)))]
            if kind is ConclusionRef and not self.nameable:
                continue
            if kind is Belief:
                return Belief(of=tuple(self.record(Report, zone=None) for _ in range(2)), on_above=0.6, off_below=0.1)
            return self.record(kind, depth + 1)
        return self.record(next(k for k in kinds if k.__name__ == "ClockTime"), depth + 1)

    def named(self, ref: Ref) -> Any:
        """The id of somebody who may be named here."""
        records = [r for c in ref.collections for r in getattr(self.project, c)]
        if ref.same_room:
            records = [r for r in records if r.room == self.room]
        if ref.collections == ("presences",):
            records = [r for r in records if r.id in self.nameable]
        records = [r for r in records if r.id not in (self.taken or ())]
        if not records:
            return ...
        chosen = records[int(self.rng.integers(len(records)))].id
        if self.taken is not None:
            self.taken.add(chosen)
        return chosen

    def text(self, notes: tuple[Any, ...]) -> str:
        pattern = next((n.pattern for n in notes if isinstance(n, msgspec.Meta) and n.pattern), None)
        rng = self.rng
        if pattern == CLOCK_PATTERN:
            return f"{rng.integers(0, 24):02d}:{rng.integers(0, 60):02d}"
        if pattern == DATE_PATTERN:
            return f"2026-{rng.integers(1, 13):02d}-{rng.integers(1, 28):02d}"
        if pattern == DAY_TIME_PATTERN:
            return str(rng.choice(["07:00", "22:30", "sunrise", "sunset-00:30"]))
        if pattern is not None:
            return "2026-02-03T07:30"
        return f"text {rng.integers(1, 100)}"


# Expressions that are made of no others.
_LEAVES = (Report, ConclusionRef, ClockTime, Dark, Fact)


@cache
def _hints(kind: Any) -> dict[str, Any]:
    hints = typing.get_type_hints(kind, include_extras=True)
    return {name: hints[name] for name in kind.__struct_fields__}


@cache
def _fields(kind: Any) -> dict[str, Any]:
    return {f.name: f for f in msgspec.structs.fields(kind)}


@cache
def _kinds(collection: str) -> tuple[Any, ...]:
    """The kinds of records in a list of the project."""
    return tuple(_structs(_hints(Project)[collection]))


def _structs(hint: Any) -> Iterator[Any]:
    if isinstance(hint, type) and issubclass(hint, msgspec.Struct):
        yield hint
    else:
        for part in get_args(hint):
            yield from _structs(part)


def _bounds(notes: tuple[Any, ...]) -> tuple[float, float]:
    low, high = 0.0, None
    for n in notes:
        if isinstance(n, msgspec.Meta):
            low = next((float(b) for b in (n.ge, n.gt) if b is not None), low)
            high = next((float(b) for b in (n.le, n.lt) if b is not None), high)
            if n.gt is not None or n.lt is not None:
                low, high = low + 0.01, None if high is None else high - 0.01
    shown = next((n for n in notes if isinstance(n, Shown)), None)
    if shown is not None and shown.low is not None:
        low = max(low, shown.low)
    most = low + 30.0
    return low, most if high is None else min(high, most)


# -- what there is -----------------------------------------------------------------------------------------------------


def kinds_there_are() -> set[str]:
    """The names of every kind of record that a project can hold, but for what is left out and device types."""
    found: set[Any] = set()
    _reach(Project, found)
    return {k.__name__ for k in found if not issubclass(k, BaseType)} - set(LEFT_OUT) - _of_types()


def kinds_in(value: Any) -> set[str]:
    """The names of the kinds of records that a project holds."""
    if isinstance(value, BaseType):
        return set()
    if isinstance(value, msgspec.Struct):
        return {type(value).__name__}.union(*(kinds_in(getattr(value, n)) for n in value.__struct_fields__))
    if isinstance(value, tuple):
        return set().union(*map(kinds_in, value))
    return set()


def _of_types() -> set[str]:
    found: set[Any] = set()
    for kind in _kinds("devices"):
        _reach(kind, found)
    return {k.__name__ for k in found}


def _reach(kind: Any, found: set[Any]) -> None:
    if kind in found:
        return
    found.add(kind)
    for hint in _hints(kind).values():
        for part in _structs(hint):
            _reach(part, found)

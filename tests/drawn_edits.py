"""Edits drawn for any project: every function of `design.edits` that makes a project of a project, its arguments drawn
by their names and types. A new edit is walked as soon as it is written; one whose argument nobody can draw is told by
`test_crossing`."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
from collections.abc import Callable
from datetime import datetime
from functools import cache
from typing import Any, NamedTuple, get_args

import numpy as np

import vastwatch.design.edits as edits
from everything import Drawer
from vastwatch.design.edits.selections import MOVABLE
from vastwatch.design.edits.typical_days import TEMPLATES
from vastwatch.design.presence import Roles
from vastwatch.design.project import COLLECTIONS, Project, find
from vastwatch.design.records import Fan, Zone
from vastwatch.devices import catalogue
from vastwatch.site.building import HazardKind, RoomUse
from vastwatch.site.furniture import furniture
from vastwatch.site.people import Errand, Stay

# Edits that only tidy up after others, and whose arguments are other projects or files.
INNER = ("move_attached", "without_unused_types", "with_photometry", "set_underlay_scale", "set_underlay")


class Edit(NamedTuple):
    """An edit with its arguments, so that a failure can be told and done again."""

    name: str
    make: Callable[..., Any]
    given: dict[str, Any]

    def on(self, project: Project) -> Project:
        """The project it makes. Raises ValueError where it is refused."""
        found = self.make(project, **self.given)
        if isinstance(found, Project):
            return found
        return found[0] if isinstance(found[0], Project) else found.project


@cache
def edits_there_are() -> dict[str, Any]:
    """Every edit by its name: functions that take a project first and give one back."""
    out = {}
    for module in pkgutil.iter_modules(edits.__path__):
        there = importlib.import_module(f"{edits.__name__}.{module.name}")
        for name, made in vars(there).items():
            if name.startswith("_") or not inspect.isfunction(made) or made.__module__ != there.__name__:
                continue
            signature = inspect.signature(made)
            first = next(iter(signature.parameters.values()), None)
            gives = str(signature.return_annotation)
            if first is None or first.annotation != "Project" or name in INNER:
                continue
            if any(word in gives for word in ("Project", "Removal", "Relocated")):
                out[f"{module.name}.{name}"] = made
    return out


class Hand:
    """Draws edits for a project."""

    def __init__(self, rng: np.random.Generator, project: Project) -> None:
        self.rng, self.project = rng, project
        self.drawer = Drawer(rng, project)
        self.drawer.nameable = tuple(p.id for p in project.presences)
        self.drawer.room = self.some("rooms")

    def draw(self, name: str) -> Edit | None:
        """An edit of that name, or None where the project has nothing for it."""
        made = edits_there_are()[name]
        given: dict[str, Any] = {}
        room = self.drawer.room
        scenes = [s.id for s in self.project.scenes if s.room == room]
        if name == "ladders.add_row":
            if not scenes:
                return None
            given = {"room": room, "scene": str(self.rng.choice(scenes)), "group": None}
        elif name in ("ladders.group_lamps", "ladders.add_group", "ladders.with_ladder"):
            given = {"group": None} if name == "ladders.with_ladder" else {}
        elif name in ("ladders.set_row", "outputs.set_output_row", "day_sheets.set_stay", "day_sheets.set_errand",
                      "selections.set_many"):  # fmt: skip
            given = {
                "ladders.set_row": {"when": self.expression()}, "outputs.set_output_row": {"when": self.expression()},
                "day_sheets.set_stay": {"spot": self.some("spots")},
                "day_sheets.set_errand": {"spot": self.some("spots")}, "selections.set_many": {"name": "Renamed"},
            }[name]  # fmt: skip
        for parameter in list(inspect.signature(made).parameters.values())[1:]:
            if parameter.name in given or parameter.kind is parameter.VAR_KEYWORD:
                continue
            if parameter.kind is parameter.VAR_POSITIONAL:
                one = self.some(*COLLECTIONS)
                return Edit(name, lambda p, made=made, one=one: made(p, one), {})
            value = self.argument(name.split(".")[0], name.split(".")[1], parameter.name, parameter.annotation)
            if value is ...:
                return None
            given[parameter.name] = value
        return Edit(name, made, given)

    # -- arguments -------------------------------------------------------------------------------------------------

    def some(self, *collections: str) -> Any:
        """The id of a record of one of some lists; `...` where there is none."""
        ids = [r.id for c in collections for r in getattr(self.project, c)]
        return ids[int(self.rng.integers(len(ids)))] if ids else ...

    def expression(self) -> Any:
        from vastwatch.design import expressions

        return self.drawer.expression(list(get_args(expressions.Expr)), 0)

    def point(self) -> tuple[float, float]:
        room = find(self.project.rooms, self.some("rooms"))
        return self.drawer.point(room)

    def argument(self, module: str, function: str, name: str, annotation: str) -> Any:
        """What can be given for an argument. Raises KeyError for one that nobody can draw."""
        rng = self.rng
        number = round(float(rng.uniform(-2, 2)), 2)
        lists = {
            "building.move_wall": ("walls",), "building.resize_room": ("rooms",), "fittings.move_opening": ("openings",),
            "fittings.move_furnishing": ("furnishings",), "levels": ("levels",), "outputs": ("outputs",),
            "removing": COLLECTIONS, "split_join": ("rooms",), "whole_rooms": ("rooms",),
        }  # fmt: skip
        of = lists.get(f"{module}.{function}") or lists.get(module)
        if name == "ident" and of is not None:
            return self.some(*of)
        if name == "idents":
            among = COLLECTIONS if module == "removing" or function == "set_many" else MOVABLE
            return tuple({self.some(*among) for _ in range(int(rng.integers(1, 4)))} - {...})
        named = {
            "circuit": "circuits", "circuit_id": "circuits", "group": "lamp_groups", "lamp": "lamps", "level": "levels",
            "level_id": "levels", "person_id": "people", "presence": "presences", "room": "rooms", "room_id": "rooms",
            "row": "rules", "scene": "scenes", "sensor": "sensors", "sensor_id": "sensors", "wall": "walls",
            "zone": "zones", "spot": "spots", "one": "rooms", "other": "rooms", "new": "levels",
        }  # fmt: skip
        if annotation == "str" and name in named:
            return self.some(named[name])
        if annotation == "str | None":
            return None if name in ("level", "host", "window", "group") else self.some(named[name])
        made: dict[str, Callable[[], Any]] = {
            "Point": self.point, "Corner": self.point, "float": lambda: number, "float | None": lambda: abs(number) + 2,
            "bool": lambda: bool(rng.random() < 0.5), "int": lambda: int(rng.integers(0, 3)), "int | None": lambda: None,
            "str": lambda: {"called": "fan", "template": str(rng.choice(list(TEMPLATES)))}.get(
                name, f"Name {rng.integers(100)}"),
            "Callable[[Wall], bool]": lambda: lambda _: True, "Expr": self.expression, "Side": lambda: str(rng.choice(["left", "top", "middle"])),
            "RoomUse": lambda: str(rng.choice(get_args(RoomUse))), "Role": lambda: "entry",
            "HazardKind": lambda: str(rng.choice(get_args(HazardKind))),
            "OpeningKind": lambda: str(rng.choice(["door", "window", "archway"])),
            "FurnitureType": lambda: furniture()[int(rng.integers(len(furniture())))],
            "DeviceType": lambda: catalogue()[int(rng.integers(len(catalogue())))],
            "DeviceType | None": lambda: next(t for t in catalogue() if t.is_module and t.load_w > 0),
            "tuple[float, float, float]": lambda: (*self.point(), 2.0), "datetime": lambda: datetime(2026, 2, 3, 7, 30),
            "Stay": lambda: Stay(at="12:00", spot=self.some("spots")),
            "Errand": lambda: Errand(between=("09:00", "10:00"), spot=self.some("spots"), per_day=1, minutes=5),
            "dict[str, float]": self.levels_or_holds(name), "set[str]": lambda: {self.some("lamps")},
            "tuple[str, ...]": self.lamps, "tuple[Expr, ...]": lambda: (self.expression(),), "Roles": self.roles,
            "Outline": self.outline, "Sequence[Corner]": self.outline, "Sequence[Zone]": list[Zone],
            "Sensor": lambda: find(self.project.sensors, self.some("sensors")),
            "list[tuple[str, Expr, str, dict[str, float], float]]": lambda: [
                ("Row", self.expression(), "New", dict.fromkeys(self.lamps(), 0.5), 2.0)],
            "Callable[[str, str, str, Point], Output]": lambda: lambda ident, room, called, at: Fan(
                id=ident, room=room, name=called, at=at, watts=10),
            "Sequence[tuple[str, RoomUse, Outline]]": lambda: [("New", "store", self.outline())],
        }  # fmt: skip
        return made[annotation]()

    def lamps(self) -> tuple[str, ...]:
        """Some lamps of the room in hand."""
        return tuple(x.id for x in self.project.lamps if x.room == self.drawer.room)[: int(self.rng.integers(1, 3))]

    def levels_or_holds(self, name: str) -> Callable[[], dict[str, float]]:
        if name == "holds":
            return lambda: {self.some("presences"): 90.0}
        return lambda: dict.fromkeys(self.lamps(), 0.5)

    def roles(self) -> Roles:
        """Starters and keepers."""
        return Roles((self.some("sensors"),), (self.some("sensors"),), 60.0)

    def outline(self) -> tuple[tuple[float, float], ...]:
        """A square somewhere."""
        x, y = self.point()
        return ((x, y), (x + 0.6, y), (x + 0.6, y + 0.6), (x, y + 0.6))

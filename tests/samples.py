"""Projects to test with: one small room whose geometry can be checked by hand."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from vastwatch.design.presence import Roles, from_roles
from vastwatch.design.project import Project, put
from vastwatch.design.records import Conclusion, Lamp, Sensor, Zone
from vastwatch.devices import catalogue
from vastwatch.sensing.coverage import level_grid, room_cells
from vastwatch.site.building import Furnishing, Level, Needs, Opening, Room, Spot, Wall
from vastwatch.site.furniture import furniture
from vastwatch.site.people import Errand, Person, Stay


def rect(x0: float, y0: float, x1: float, y1: float) -> tuple[tuple[float, float], ...]:
    return ((x0, y0), (x1, y0), (x1, y1), (x0, y1))


def device(ident: str):
    return next(d for d in catalogue() if d.id == ident)


def make_room(**changes) -> Project:
    """Two rooms side by side, 5 x 4 m and 3 x 4 m, with a door between; a PIR in the corner of the first."""
    project = Project(
        name="Two rooms",
        levels=(Level(id="g", name="Ground", elevation=0.0, height=2.5),),
        walls=(
            Wall(id="south", level="g", a=(0, 0), b=(8, 0)),
            Wall(id="east", level="g", a=(8, 0), b=(8, 4)),
            Wall(id="north", level="g", a=(8, 4), b=(0, 4)),
            Wall(id="west", level="g", a=(0, 4), b=(0, 0)),
            Wall(id="middle", level="g", a=(5, 0), b=(5, 4)),
        ),
        openings=(
            Opening(id="door", wall="middle", kind="door", offset=0.4, width=0.9, rest="closed"),
            Opening(id="window", wall="north", kind="window", offset=4.5, width=1.5, sill=0.9, head=2.1, leaf="glass"),
        ),
        rooms=(
            Room(id="big", level="g", name="Big room", outline=rect(0, 0, 5, 4), use="workshop"),
            Room(id="small", level="g", name="Small room", outline=rect(5, 0, 8, 4), use="store"),
        ),
        spots=(
            Spot(id="chair", room="big", name="chair", at=(1.5, 1.5), facing=0, posture="seated", activity="desk"),
            Spot(id="exit", room="small", name="way out", at=(7.5, 3.5), activity="away"),
        ),
        people=(
            Person(
                id="a",
                name="A",
                stays=(Stay(at="09:00", spot="chair"), Stay(at="17:00", spot="exit")),
                errands=(Errand(between=("10:00", "16:00"), spot="exit", per_day=3, minutes=10),),
            ),
        ),
        devices=(device("pir-corner-12"),),
        sensors=(Sensor(id="pir", device="pir-corner-12", level="g", name="PIR", at=(4.8, 3.8, 2.2), yaw=225),),
        presences=(
            Conclusion(id="here", room="big", name="Somebody", expr=from_roles(Roles(("pir",), ("pir",), 60.0))),
        ),
        lamps=(Lamp(id="lamp", room="big", name="Lamp", at=(2.5, 2.0), watts=20, lumens=1900),),
    )
    return replace(project, **changes)


def random_room(rng: np.random.Generator) -> Project:
    """The room of the tests with its sensor, its seat, what is done there, its day and its limits made at random."""
    room = make_room()
    x, y = rng.uniform(0.3, 4.7), rng.choice([0.2, 3.8])
    aim = np.degrees(np.arctan2(2.0 - y, 2.5 - x)) + rng.uniform(-25, 25)
    room = put(room, replace(room.sensors[0], at=(round(x, 2), float(y), 2.2), yaw=round(float(aim) % 360, 1)))
    spot = replace(
        room.spots[0], at=(round(rng.uniform(0.8, 4.2), 2), round(rng.uniform(0.8, 3.2), 2)),
        facing=float(rng.integers(0, 360)), activity=str(rng.choice(["desk", "hands-on", "reading", "washing"])),
    )  # fmt: skip
    begin = int(rng.integers(6, 20))
    person = replace(
        room.people[0],
        stays=(Stay(at=f"{begin:02d}:00", spot="chair"), Stay(at=f"{begin + 3:02d}:00", spot="exit")),
        errands=(
            Errand(
                between=(f"{begin:02d}:30", f"{begin + 2:02d}:30"), spot="exit", per_day=float(rng.uniform(0.5, 4)),
                minutes=8,
            ),
        ),
    )  # fmt: skip
    needs = Needs(
        drops_per_week=float(rng.choice([0.25, 0.5, 1.0, 2.0, 5.0])), hold_max_s=float(rng.choice([600, 1200]))
    )
    return put(put(put(room, spot), person), replace(room.rooms[0], needs=needs, ambient_c=float(rng.uniform(17, 27))))


def shelf_at(x0: float, y0: float, x1: float, y1: float, z1: float = 2.0, material: str = "timber") -> Furnishing:
    return Furnishing(
        id="shelf", level="g", name="Shelf", kind="shelf", outline=rect(x0, y0, x1, y1), z1=z1, material=material
    )


def kind(name: str):
    """The piece of furniture of that name."""
    return next(k for k in furniture() if k.name == name)


def bare() -> Project:
    """A level with nothing on it."""
    return Project(name="Bare", levels=(Level(id="g", name="Ground", elevation=0.0),))


# -- zones -----------------------------------------------------------------------------------------------------------


def tracked(kind="radar-24-tracker", at=(0.1, 2.0, 1.2), yaw=0.0, zones=()):
    """The big room with a tracker on its west wall; its chair at (1.5, 1.5) and a stool at (3.4, 2.9)."""
    project = make_room()
    stool = Spot(id="stool", room="big", name="stool", at=(3.4, 2.9), facing=180, posture="seated", activity="desk")
    sensor = Sensor(id="t", device=kind, level="g", name="Tracker", at=at, yaw=yaw, pitch=-10)
    return replace(
        project, spots=(*project.spots, stool), devices=(*project.devices, device(kind)),
        sensors=(*project.sensors, sensor), zones=tuple(zones),
    )  # fmt: skip


CHAIR = Zone(id="zc", sensor="t", name="Chair", outline=rect(1.0, 1.0, 2.0, 2.0))
STOOL = Zone(id="zs", sensor="t", name="Stool", outline=rect(2.9, 2.4, 3.9, 3.4))


def built_cells(rooms, level):
    """Flat indices and centres, (m,) and (m, 2), of the cells that lie in any room of a level."""
    grid = level_grid(rooms, level)
    cells = np.unique(np.concatenate([room_cells(rooms, r) for r in rooms if r.level == level]))
    return cells, grid.points[cells]

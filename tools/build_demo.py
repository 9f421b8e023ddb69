"""Writes the sample project, Saltmarsh Pottery, from the short description below.

    python tools/build_demo.py [PATH]

The building is a rectangle of 12.0 x 7.5 m on two floors. Everything in it is made up.
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from demo_lights import BUTTONS, GROUPS, LAMPS, OUTPUTS, RULES, SCENES
from vastwatch.design.edits.removing import removed
from vastwatch.design.expressions import AllOf, AnyOf, ClockTime, ConclusionRef, Fact, Hold, Not, OnDelay, Report
from vastwatch.design.presence import Roles, from_roles
from vastwatch.design.project import Brief, DiaryNote, Holiday, Owned, Place, Project, Vacation, Weights
from vastwatch.design.records import (
    Conclusion,
    Sensor,
    Settings,
    Zone,
)
from vastwatch.design.variants import save_variant
from vastwatch.devices import catalogue
from vastwatch.files import save_project
from vastwatch.files.drawing.writing import write_drawing
from vastwatch.site.building import (
    Circuit,
    Furnishing,
    Hazard,
    Level,
    Opening,
    Room,
    Socket,
    Spot,
    Switch,
    Wall,
)  # fmt: skip
from vastwatch.site.people import Errand, Person, Stay

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "src" / "vastwatch" / "data" / "saltmarsh.vastwatch.json"

BRICK = {"thickness": 0.3, "material": "brick"}


def box(x0: float, y0: float, x1: float, y1: float) -> tuple[tuple[float, float], ...]:
    return ((x0, y0), (x1, y0), (x1, y1), (x0, y1))


LEVELS = (
    Level(id="ground", name="Ground floor", elevation=0.0, height=2.6),
    Level(id="upper", name="Upper floor", elevation=2.9, height=2.4),
)

WALLS = (
    Wall(id="g-south", level="ground", a=(0, 0), b=(12, 0), **BRICK),
    Wall(id="g-east", level="ground", a=(12, 0), b=(12, 7.5), **BRICK),
    Wall(id="g-north", level="ground", a=(12, 7.5), b=(0, 7.5), **BRICK),
    Wall(id="g-west", level="ground", a=(0, 7.5), b=(0, 0), **BRICK),
    Wall(id="g-passage-west", level="ground", a=(5, 0), b=(5, 7.5)),
    Wall(id="g-passage-east", level="ground", a=(6.7, 0), b=(6.7, 7.5)),
    Wall(id="g-throwing-shop", level="ground", a=(0, 3.7), b=(5, 3.7)),
    Wall(id="g-toilet-south", level="ground", a=(5, 6.0), b=(6.7, 6.0)),
    Wall(id="g-glazing-south", level="ground", a=(6.7, 3.4), b=(12, 3.4), thickness=0.15, material="brick"),
    Wall(id="g-kiln-store", level="ground", a=(9.6, 0), b=(9.6, 3.4), thickness=0.15, material="brick"),
    Wall(id="u-south", level="upper", a=(0, 0), b=(12, 0), **BRICK),
    Wall(id="u-east", level="upper", a=(12, 0), b=(12, 7.5), **BRICK),
    Wall(id="u-north", level="upper", a=(12, 7.5), b=(0, 7.5), **BRICK),
    Wall(id="u-west", level="upper", a=(0, 7.5), b=(0, 0), **BRICK),
    Wall(id="u-landing-west", level="upper", a=(5, 0), b=(5, 7.5)),
    Wall(id="u-landing-east", level="upper", a=(6.7, 0), b=(6.7, 7.5)),
    Wall(id="u-kitchen-north", level="upper", a=(0, 3.0), b=(5, 3.0)),
    Wall(id="u-bath-south", level="upper", a=(5, 5.9), b=(6.7, 5.9)),
    Wall(id="u-bedroom-south", level="upper", a=(6.7, 3.2), b=(12, 3.2)),
)


def door(ident: str, wall: str, offset: float, rest: str = "closed", width: float = 0.85, **more: Any) -> Opening:
    return Opening(id=ident, wall=wall, kind="door", offset=offset, width=width, rest=rest, **more)


def window(ident: str, wall: str, offset: float, width: float, sill: float = 0.9, head: float = 2.1) -> Opening:
    return Opening(id=ident, wall=wall, kind="window", offset=offset, width=width, sill=sill, head=head, leaf="glass")


OPENINGS = (
    door("shop-front", "g-west", 5.4, width=0.95, leaf="glass"),
    window("shop-window", "g-south", 1.2, 2.8, sill=0.5),
    door("shop-passage", "g-passage-west", 0.3),
    door("throwing-passage", "g-passage-west", 4.4, rest="open"),
    window("throwing-north", "g-north", 8.4, 1.4, sill=1.2),
    window("throwing-west", "g-west", 1.2, 1.2, sill=1.1),
    door("toilet-door", "g-toilet-south", 0.45, width=0.8),
    door("glazing-passage", "g-passage-east", 4.5),
    window("glazing-north", "g-north", 1.4, 2.6),
    window("glazing-east", "g-east", 4.6, 1.8),
    door("kiln-passage", "g-passage-east", 2.3, leaf="timber"),
    door("store-glazing", "g-glazing-south", 3.7),
    door("back-door", "g-south", 5.4, width=0.9),
    door("kitchen-landing", "u-landing-west", 0.3, rest="open"),
    window("kitchen-south", "u-south", 1.6, 1.6, sill=1.0),
    door("sitting-landing", "u-landing-west", 4.5, rest="open"),
    window("sitting-north", "u-north", 8.2, 2.2, sill=0.5),
    window("sitting-west", "u-west", 0.35, 1.2),
    door("bath-door", "u-bath-south", 0.45, width=0.8),
    door("bedroom-landing", "u-landing-east", 4.4),
    window("bedroom-east", "u-east", 4.6, 1.6),
    door("box-landing", "u-landing-east", 1.6),
    window("box-south", "u-south", 8.6, 1.2),
)

ROOMS = (
    Room(
        id="throwing",
        level="ground",
        name="Throwing room",
        outline=box(0, 3.7, 5, 7.5),
        use="workshop",
        ambient_c=20,
    ),
    Room(id="shop", level="ground", name="Shop", outline=box(0, 0, 5, 3.7), use="shop", ambient_c=20),
    Room(id="passage", level="ground", name="Passage", outline=box(5, 0, 6.7, 6.0), use="passage", ambient_c=18),
    Room(id="toilet", level="ground", name="Toilet", outline=box(5, 6.0, 6.7, 7.5), use="toilet", ambient_c=19),
    Room(
        id="glazing",
        level="ground",
        name="Glazing",
        outline=box(6.7, 3.4, 12, 7.5),
        use="workshop",
        ambient_c=20,
    ),
    Room(id="kiln", level="ground", name="Kiln", outline=box(6.7, 0, 9.6, 3.4), use="plant", ambient_c=28),
    Room(id="store", level="ground", name="Store", outline=box(9.6, 0, 12, 3.4), use="store", ambient_c=17),
    Room(id="sitting", level="upper", name="Sitting room", outline=box(0, 3.0, 5, 7.5), use="sitting"),
    Room(id="kitchen", level="upper", name="Kitchen", outline=box(0, 0, 5, 3.0), use="kitchen"),
    Room(id="landing", level="upper", name="Landing", outline=box(5, 0, 6.7, 5.9), use="stair", ambient_c=19),
    Room(id="bath", level="upper", name="Bathroom", outline=box(5, 5.9, 6.7, 7.5), use="bathroom", ambient_c=22),
    Room(
        id="bedroom",
        level="upper",
        name="Bedroom",
        outline=box(6.7, 3.2, 12, 7.5),
        use="bedroom",
        ambient_c=18,
        control="absence",
    ),
    Room(id="box", level="upper", name="Box room", outline=box(6.7, 0, 12, 3.2), use="desk", ambient_c=20),
)


def thing(ident: str, level: str, kind: str, x0: float, y0: float, x1: float, y1: float, z1: float, name: str = "", z0: float = 0.0, material: str = "timber", climb: float | None = None) -> Furnishing:  # fmt: skip
    return Furnishing(
        id=ident, level=level, name=name or kind.capitalize(), kind=kind, outline=box(x0, y0, x1, y1), z0=z0, z1=z1,
        material=material, climb=climb,
    )  # fmt: skip


FURNISHINGS = (
    thing("wheel-left", "ground", "machine", 0.35, 6.6, 1.15, 7.3, 0.75, "Left wheel", material="metal"),
    thing("wheel-right", "ground", "machine", 3.3, 6.6, 4.1, 7.3, 0.75, "Right wheel", material="metal"),
    thing("drying-rack", "ground", "rack", 1.75, 5.75, 2.3, 7.3, 0.98, "Drying rack", material="timber"),
    thing("wedging-bench", "ground", "bench", 2.0, 4.6, 3.2, 5.2, 0.9, "Wedging bench"),
    thing("clay-shelf", "ground", "shelf", 0.2, 3.95, 0.75, 5.5, 1.9, "Clay shelf"),
    thing("shop-counter", "ground", "counter", 1.9, 2.4, 4.2, 3.0, 1.05, "Counter"),
    thing("shop-shelf", "ground", "shelf", 0.2, 2.7, 0.6, 3.5, 2.0, "Display shelf"),
    thing("shop-table", "ground", "table", 1.6, 0.7, 3.2, 1.4, 0.8, "Display table"),
    thing("stair", "ground", "stair", 5.1, 1.35, 5.95, 4.25, 2.9, "Stair", climb=270),
    thing("toilet-bowl", "ground", "toilet", 5.65, 6.95, 6.05, 7.35, 0.42, "Toilet", material="glass"),
    thing("glaze-bench", "ground", "bench", 7.3, 6.3, 10.4, 7.0, 0.9, "Glaze bench"),
    thing("glaze-shelf", "ground", "shelf", 11.2, 3.7, 11.8, 5.6, 1.9, "Glaze shelf"),
    thing("kiln-body", "ground", "kiln", 7.6, 0.4, 8.9, 1.6, 1.5, "Kiln", material="metal"),
    thing("isolator", "ground", "panel", 9.42, 1.5, 9.52, 1.8, 1.7, "Mains isolator", z0=1.3, material="metal"),
    thing("door-mat", "ground", "mat", 0.16, 1.7, 0.61, 2.4, 0.02, "Door mat", material="fabric"),
    thing("store-shelf", "ground", "shelf", 9.9, 0.2, 11.8, 0.65, 1.9, "Store shelf"),
    thing("sofa", "upper", "sofa", 0.4, 3.4, 2.4, 4.3, 0.8, "Sofa", material="upholstery"),
    thing("window-seat", "upper", "bench", 1.7, 6.85, 3.7, 7.3, 0.45, "Window seat", material="upholstery"),
    thing("bookcase", "upper", "shelf", 4.55, 3.15, 4.9, 4.35, 2.0, "Bookcase"),
    thing("screen-shelf", "upper", "shelf", 0.6, 6.9, 1.5, 7.3, 1.2, "Screen shelf"),
    thing("kitchen-counter", "upper", "counter", 0.2, 0.2, 4.2, 0.8, 0.9, "Counter"),
    thing("kitchen-table", "upper", "table", 1.6, 1.6, 2.9, 2.4, 0.75, "Table"),
    thing("bath-tub", "upper", "bath", 5.1, 6.7, 6.6, 7.35, 0.55, "Bath", material="metal"),
    thing("bed", "upper", "bed", 9.0, 5.3, 10.6, 7.3, 0.45, "Double bed", material="upholstery"),
    thing("wardrobe", "upper", "wardrobe", 7.0, 6.8, 8.4, 7.3, 2.0, "Wardrobe"),
    thing("desk", "upper", "desk", 9.4, 0.3, 10.9, 1.0, 0.74, "Desk"),
    thing("desk-screen", "upper", "screen", 8.9, 1.5, 11.2, 1.56, 1.6, "Folding screen", material="fabric"),
)


def spot(ident: str, room: str, name: str, x: float, y: float, facing: float, posture: str, activity: str) -> Spot:
    return Spot(
        id=ident,
        room=room,
        name=name,
        at=(x, y),
        facing=facing,
        posture=posture,
        activity=activity,  # type: ignore[arg-type]
    )


SPOTS = (
    spot("left-wheel", "throwing", "left wheel", 0.75, 6.25, 90, "seated", "hands-on"),
    spot("right-wheel", "throwing", "right wheel", 3.7, 6.25, 90, "seated", "desk"),
    spot("wedging", "throwing", "wedging bench", 2.6, 4.3, 90, "standing", "hands-on"),
    spot("trimming", "throwing", "trimming stool", 1.35, 5.2, 0, "seated", "desk"),
    spot("wedging-east", "throwing", "wedging bench, east side", 3.4, 4.9, 180, "standing", "hands-on"),
    spot("counter", "shop", "shop counter", 3.0, 3.3, 270, "standing", "desk"),
    spot("front-door", "shop", "front door", 0.45, 1.6, 180, "standing", "away"),
    spot("shelves", "shop", "display table", 2.4, 1.75, 270, "standing", "passing"),
    spot("toilet-seat", "toilet", "toilet", 5.85, 6.8, 270, "seated", "reading"),
    spot("glaze-bench-spot", "glazing", "glaze bench", 8.6, 5.95, 90, "standing", "hands-on"),
    spot("glaze-stool", "glazing", "glazing stool", 9.8, 5.95, 90, "seated", "hands-on"),
    spot("kiln-front", "kiln", "kiln front", 8.2, 2.1, 270, "standing", "passing"),
    spot("store-front", "store", "store shelf", 10.8, 1.0, 270, "standing", "passing"),
    spot("sofa-spot", "sitting", "sofa", 1.2, 3.95, 90, "seated", "film"),
    replace(spot("window-spot", "sitting", "window seat", 2.6, 6.95, 270, "seated", "reading"), calls_per_hour=0.5),
    spot("cooker", "kitchen", "cooker", 2.2, 1.1, 270, "standing", "hands-on"),
    spot("table-spot", "kitchen", "kitchen table", 1.35, 2.0, 0, "seated", "desk"),
    spot("wash", "bath", "wash basin", 6.3, 6.3, 0, "standing", "washing"),
    spot("bed-left", "bedroom", "left side of the bed", 9.4, 6.4, 90, "lying", "sleeping"),
    spot("bed-right", "bedroom", "right side of the bed", 10.2, 6.4, 90, "lying", "sleeping"),
    spot("desk-spot", "box", "desk", 10.1, 1.25, 270, "seated", "desk"),
    spot("cat-stair", "passage", "foot of the stair", 5.5, 4.6, 90, "standing", "film"),
    spot("cat-landing", "landing", "landing rug", 6.3, 4.6, 180, "standing", "film"),
    spot("cat-throwing", "throwing", "clay shelf", 1.1, 4.4, 0, "standing", "film"),
    spot("cat-sofa", "sitting", "sofa arm", 2.7, 4.0, 90, "standing", "sleeping"),
)


def stay(at: str, where: str, jitter: float = 6, days: str = "every") -> Stay:
    return Stay(at=at, spot=where, jitter_min=jitter, days=days)  # type: ignore[arg-type]


def errand(a: str, b: str, where: str, per_day: float, minutes: float, days: str = "every") -> Errand:
    return Errand(between=(a, b), spot=where, per_day=per_day, minutes=minutes, days=days)  # type: ignore[arg-type]


PEOPLE = (
    Person(
        id="potter", name="P, potter", speed=1.1, body_kg=72,
        stays=(
            stay("06:50", "cooker"), stay("07:15", "table-spot"),
            stay("08:10", "left-wheel", 10, "workday"), stay("12:30", "table-spot", 8), stay("13:20", "right-wheel", 8, "workday"),
            stay("15:30", "trimming", 10, "workday"), stay("17:45", "cooker", 8), stay("18:20", "table-spot"),
            stay("19:10", "left-wheel", 10, "workday"), stay("21:40", "sofa-spot", 10), stay("23:00", "bed-left", 10),
            stay("09:00", "window-spot", 15, "free"), stay("10:30", "front-door", 15, "free"), stay("14:00", "sofa-spot", 20, "free"),
            stay("19:10", "window-spot", 15, "free"),
        ),
        errands=(
            errand("08:00", "22:00", "toilet-seat", 4, 4), errand("08:30", "17:30", "kiln-front", 4, 2, "workday"),
            errand("08:30", "17:30", "store-front", 3, 2, "workday"), errand("08:30", "21:00", "wedging", 5, 9, "workday"),
            errand("09:00", "17:30", "counter", 3, 5, "workday"), errand("00:30", "06:00", "wash", 0.6, 3),
            errand("06:45", "08:00", "wash", 1, 9), errand("22:30", "23:30", "wash", 1, 7),
        ),
    ),
    Person(
        id="resident", name="R, resident", speed=1.15, body_kg=64,
        stays=(
            stay("07:20", "cooker"), stay("07:40", "table-spot"), stay("09:00", "counter", 8, "workday"),
            stay("12:40", "table-spot", 8), stay("13:30", "glaze-bench-spot", 10, "workday"), stay("16:30", "desk-spot", 12, "workday"),
            stay("18:20", "table-spot"), stay("19:15", "window-spot", 12), stay("21:30", "sofa-spot", 10), stay("23:15", "bed-right", 12),
            stay("09:30", "sofa-spot", 20, "free"), stay("10:30", "front-door", 15, "free"), stay("14:00", "window-spot", 20, "free"),
        ),
        errands=(
            errand("08:00", "18:00", "toilet-seat", 3, 4), errand("09:00", "17:00", "shelves", 6, 3, "workday"),
            errand("10:00", "21:00", "cooker", 3, 4), errand("00:30", "06:00", "wash", 0.8, 3), errand("07:00", "08:30", "wash", 1, 12),
            errand("22:00", "23:30", "wash", 1, 8),
        ),
    ),
    Person(
        id="cat", name="Cat", kind="pet", speed=0.6, body_kg=4,
        stays=(stay("06:00", "cat-landing", 30), stay("10:00", "cat-sofa", 40), stay("16:00", "cat-throwing", 40), stay("22:00", "cat-sofa", 40)),
        errands=(
            errand("05:00", "23:59", "cat-stair", 6, 12), errand("05:00", "23:59", "cat-landing", 5, 15), errand("20:00", "04:00", "cat-stair", 4, 10),
            errand("08:00", "21:00", "cat-throwing", 4, 25),
        ),
    ),
)  # fmt: skip

# The evening class of six: four in the throwing room, two at the glaze bench, Wednesdays from seven to nine.
CLASS_SPOTS = ("left-wheel", "right-wheel", "trimming", "wedging-east", "glaze-bench-spot", "glaze-stool")
PEOPLE += tuple(
    Person(
        id=f"class-{k}",
        name=f"Evening class, {k}",
        kind="visitor",
        speed=1.1,
        body_kg=60 + 4 * k,
        group="Evening class",
        stays=(
            stay("06:00", "front-door", 0),
            stay("18:58", where, 4, "wednesday"),
            stay("21:04", "front-door", 3, "wednesday"),
        ),
        errands=(errand("19:20", "20:50", "toilet-seat", 0.3, 4, "wednesday"),),
    )
    for k, where in enumerate(CLASS_SPOTS, 1)
)

HAZARDS = (
    Hazard(id="drying-fan", level="ground", name="Drying fan", kind="fan", outline=box(2.4, 6.9, 2.8, 7.2), strength=0.6,
           times=(("09:30", "12:00"), ("14:00", "16:30"))),
    Hazard(id="kiln-heat", level="ground", name="Hot kiln", kind="heat source", outline=box(7.5, 0.3, 9.0, 1.7), strength=0.9,
           times=(("18:00", "06:00"),)),
    Hazard(id="shop-sun", level="ground", name="Sun through the shop window", kind="sun patch", outline=box(1.3, 0.4, 3.9, 1.6),
           strength=0.4, window="shop-window"),
    Hazard(id="glazing-vent", level="ground", name="Extractor", kind="vent", outline=box(11.5, 6.7, 11.8, 7.2), strength=0.5,
           times=(("13:30", "17:00"),)),
    Hazard(id="cat-rug", level="upper", name="Cat's rug", kind="pet area", outline=box(6.05, 4.35, 6.5, 4.85), strength=0.2),
    Hazard(id="kitchen-curtain", level="upper", name="Kitchen curtain", kind="curtain", outline=box(1.6, 0.2, 3.2, 0.35), strength=0.3),
)  # fmt: skip


def socket(ident: str, level: str, name: str, x: float, y: float) -> Socket:
    return Socket(id=f"socket-{ident}", level=level, name=f"Socket {name}", at=(x, y))


SOCKETS = (
    socket("wheels", "ground", "between the wheels", 2.5, 7.33), socket("clay", "ground", "clay shelf", 0.17, 5.8),
    socket("counter", "ground", "counter", 4.93, 2.0), socket("shop", "ground", "shop window", 0.6, 0.17),
    socket("passage", "ground", "passage", 5.07, 4.8), socket("glaze", "ground", "glaze bench", 8.0, 7.33),
    socket("glaze-east", "ground", "glaze shelf", 11.83, 5.9), socket("store", "ground", "store", 11.83, 2.9),
    socket("sofa", "upper", "sofa", 0.17, 4.9), socket("window", "upper", "window seat", 4.2, 7.33),
    socket("kitchen", "upper", "kitchen counter", 4.5, 0.17), socket("table", "upper", "kitchen table", 0.17, 2.4),
    socket("bed-left", "upper", "left of the bed", 8.7, 7.33), socket("bed-right", "upper", "right of the bed", 10.9, 7.33),
    socket("desk", "upper", "desk", 11.0, 0.17), socket("landing", "upper", "landing", 6.63, 2.6),
)  # fmt: skip


def circuit(room: str, name: str, neutral: bool, module: str | None = None) -> Circuit:
    return Circuit(
        id=f"circuit-{room}", name=f"{name} circuit", lamps=(f"lamp-{room}",), neutral=neutral, module=module
    )


CIRCUITS = (
    circuit("throwing", "Throwing room", True, "module-switch-neutral"), circuit("shop", "Shop", True, "module-switch-neutral"),
    circuit("passage", "Stair foot", True, "module-dimmer-neutral"), circuit("toilet", "Toilet", False, "module-switch-plain"),
    circuit("glazing", "Glazing", True), circuit("kiln", "Kiln", True), circuit("store", "Store", False),
    circuit("sitting", "Sitting room", False, "module-dimmer-plain"), circuit("kitchen", "Kitchen", True),
    circuit("landing", "Landing", True, "module-dimmer-neutral"), circuit("bath", "Bathroom", False),
    circuit("bedroom", "Bedroom", False), circuit("box", "Box room", True),
    circuit("window-seat", "Window seat", True, "module-plug"), circuit("floor", "Floor lamp", True, "module-dimmer-plain"),
)  # fmt: skip


def switch(ident: str, level: str, name: str, x: float, y: float, of: str) -> Switch:
    return Switch(id=f"switch-{ident}", level=level, name=f"Switch {name}", at=(x, y), circuit=f"circuit-{of}")


SWITCHES = (
    switch("throwing", "ground", "throwing room", 4.93, 4.15, "throwing"), switch("shop", "ground", "shop", 4.93, 1.4, "shop"),
    switch("passage", "ground", "by the back door", 5.25, 0.17, "passage"), switch("passage-2", "ground", "by the toilet", 5.2, 5.93, "passage"),
    switch("toilet", "ground", "toilet", 6.45, 6.07, "toilet"), switch("glazing", "ground", "glazing", 6.77, 5.55, "glazing"),
    switch("kiln", "ground", "kiln", 6.77, 3.25, "kiln"), switch("store", "ground", "store", 11.45, 3.3, "store"),
    switch("landing", "upper", "top of the stair", 6.63, 0.9, "landing"), switch("landing-2", "ground", "foot of the stair", 6.63, 4.3, "landing"),
    switch("kitchen", "upper", "kitchen", 4.93, 1.35, "kitchen"), switch("sitting", "upper", "sitting room", 4.93, 5.55, "sitting"),
    switch("bath", "upper", "bathroom", 6.45, 5.97, "bath"), switch("bedroom", "upper", "bedroom", 6.77, 5.45, "bedroom"),
    switch("box", "upper", "box room", 6.77, 2.65, "box"),
)  # fmt: skip

SENSORS = (
    Sensor(id="pir-throwing", device="pir-corner-12", level="ground", name="PIR throwing room", at=(4.9, 7.3, 2.2), yaw=222),
    Sensor(id="pir-shop", device="pir-corner-12", level="ground", name="PIR shop", at=(4.85, 3.5, 2.2), yaw=225),
    Sensor(id="pir-stair-foot", device="pir-passage-15", level="ground", name="PIR stair foot", at=(5.9, 0.2, 2.2), yaw=90),
    Sensor(id="pir-toilet", device="pir-ceiling-6", level="ground", name="PIR toilet", at=(5.85, 6.45, 2.6), pitch=-90),
    Sensor(id="pir-sitting", device="pir-corner-12", level="upper", name="PIR sitting room", at=(4.9, 7.3, 2.2), yaw=225),
    Sensor(id="radar-sitting", device="radar-24-state", level="upper", name="Radar sitting room", at=(0.2, 5.4, 1.5), yaw=-12, pitch=-12,
           settings=Settings(sensitivity_below_max=0)),
    Sensor(id="tracker-sitting", device="radar-60-tracker", level="upper", name="Tracker sitting room", at=(0.2, 4.9, 1.6), yaw=12, pitch=-5),
    Sensor(id="tracker-shop", device="radar-24-tracker", level="ground", name="Tracker shop", at=(4.85, 2.1, 1.4), yaw=170, pitch=-10),
    Sensor(id="pir-landing", device="pir-ceiling-6", level="upper", name="PIR landing", at=(6.1, 3.9, 2.4), pitch=-90),
    Sensor(id="player-sitting", device="player-screen", level="upper", name="Player sitting room", at=(0.7, 7.3, 0.8), yaw=270),
)  # fmt: skip


def zone(ident: str, sensor: str, name: str, role: str, outline: tuple) -> Zone:
    return Zone(id=ident, sensor=sensor, name=name, role=role, outline=outline)


# As somebody draws them who has sat there: round the furniture, and before the doors.
ZONES = (
    zone("zone-sofa", "tracker-sitting", "Sofa", "detect", box(0.4, 3.4, 2.4, 4.4)),
    zone("zone-window-seat", "tracker-sitting", "Window seat", "detect", box(1.8, 6.4, 3.4, 7.4)),
    zone("zone-sitting-door", "tracker-sitting", "Door", "entry", box(4.1, 4.5, 5.0, 5.4)),
    zone("zone-counter", "tracker-shop", "Counter", "detect", box(2.3, 3.05, 4.1, 3.65)),
    zone("zone-shelves", "tracker-shop", "Shelves", "detect", box(1.6, 1.5, 3.2, 2.3)),
    zone("zone-shop-door", "tracker-shop", "Front door", "entry", box(0.1, 1.3, 1.0, 2.5)),
)


def presence(room: str, name: str, starts: tuple[str, ...], keeps: tuple[str, ...], hold: float) -> Conclusion:
    return Conclusion(id=f"presence-{room}", room=room, name=name, expr=from_roles(Roles(starts, keeps, hold)))


PRESENCES = (
    presence("throwing", "Somebody in the throwing room", ("pir-throwing",), (), 300),
    presence("shop", "Somebody in the shop", ("pir-shop",), (), 300),
    presence("passage", "Somebody in the passage", ("pir-stair-foot",), (), 60),
    presence("toilet", "Somebody in the toilet", ("pir-toilet",), (), 180),
    presence("sitting", "Somebody in the sitting room", ("pir-sitting",), ("radar-sitting",), 60),
    presence("landing", "Somebody on the landing", ("pir-landing",), (), 45),
    Conclusion(
        id="reading",
        room="sitting",
        zone="zone-window-seat",
        name="Reading at the window seat",
        lights=False,
        expr=AllOf(
            of=(
                Hold(of=Report(sensor="tracker-sitting", zone="zone-window-seat"), seconds=120),
                Not(of=Fact(what="film", room="sitting")),
            )
        ),
    ),
    Conclusion(
        id="upstairs",
        level="upper",
        name="Somebody upstairs",
        expr=AnyOf(of=(ConclusionRef(presence="presence-sitting"), ConclusionRef(presence="presence-landing"))),
    ),
    Conclusion(
        id="downstairs",
        level="ground",
        name="Somebody downstairs",
        expr=AnyOf(
            of=tuple(ConclusionRef(presence=f"presence-{room}") for room in ("throwing", "shop", "passage", "toilet"))
        ),
    ),
    Conclusion(
        id="quiet",
        name="House quiet at night",
        expr=AllOf(
            of=(
                ClockTime(begin="22:30", end="sunrise"),
                OnDelay(
                    of=Not(of=AnyOf(of=(ConclusionRef(presence="upstairs"), ConclusionRef(presence="downstairs")))),
                    seconds=900,
                ),
            )
        ),
    ),
)

HOLIDAYS = (
    Holiday(on="2026-01-01", name="First of the year"), Holiday(on="2026-04-06", name="Spring market"),
    Holiday(on="2026-05-01", name="May day"), Holiday(on="2026-12-25", name="Midwinter"), Holiday(on="2026-12-26", name="Day after"),
)  # fmt: skip

# What somebody who lives there wrote down in the days of the log.
DIARY = (
    DiaryNote(id="note-1", at="2026-01-13T21:10", text="sitting room, the light went off on me while I was reading"),
    DiaryNote(id="note-2", at="2026-01-12T16:12", text="throwing room dark again, hands full of clay"),
)


def build() -> Project:
    """The sample project as a value."""
    used = {s.device for s in SENSORS} | {c.module for c in CIRCUITS} | {"pir-wall-8"}
    project = Project(
        name="Saltmarsh Pottery",
        place=Place(latitude=54.0, longitude=0.1, timezone="UTC"),
        brief=Brief(
            drops_per_week=1.0, rehearse_from="2026-01-12", currency="€", budget=650, cable_m=3.0,
            controller="a small local controller in the store", owned=(Owned(device="pir-wall-8", count=1), Owned(device="player-screen", count=1)),
            weights=Weights(cost=1, comfort=2, no_cables=1, fewest=1), holidays=HOLIDAYS,
            vacations=(Vacation(begin="2026-08-03", end="2026-08-16"),),
        ),
        levels=LEVELS, walls=WALLS, openings=OPENINGS, rooms=ROOMS, furnishings=FURNISHINGS, spots=SPOTS,
        people=PEOPLE, devices=tuple(d for d in catalogue() if d.id in used), sensors=SENSORS, zones=ZONES,
        presences=PRESENCES, lamps=LAMPS, hazards=HAZARDS, sockets=SOCKETS, circuits=CIRCUITS, switches=SWITCHES,
        diary=DIARY, scenes=SCENES, lamp_groups=GROUPS, rules=RULES, buttons=BUTTONS, outputs=OUTPUTS,
    )  # fmt: skip
    cheaper = removed(project, "radar-sitting", "tracker-sitting", "tracker-shop")
    return replace(project, variants=save_variant(cheaper, "Motion sensors alone").variants)


if __name__ == "__main__":
    # Beside this file, which is a script and no package.
    from real_house import write_what_is_found_there

    target = Path(sys.argv[1]) if len(sys.argv) > 1 else TARGET
    save_project(build(), target)
    target.with_name(target.name + "~").unlink(missing_ok=True)
    write_what_is_found_there(build(), target.parent)
    # Its ground floor as a drawing, for the import to read.
    write_drawing(build(), target.with_name("saltmarsh.dxf"), ("ground",))

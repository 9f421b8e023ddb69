"""Rooms made at random, each with one thing planted in it that spoils its light: the answer that chains must find."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from samples import device, make_room, rect
from vastwatch.causes.chain import explain
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.expressions import AllOf, Hold, Report
from vastwatch.design.presence import Roles, from_roles
from vastwatch.design.project import Project, put
from vastwatch.geometry import polygons
from vastwatch.rehearsal import Rehearsal, rehearse
from vastwatch.rehearsal.scoring.incidents import Incident, Kind
from vastwatch.sensing.bodies import SEATED, PersonAt, body_of
from vastwatch.sensing.explain import sight_line
from vastwatch.site.building import Furnishing, Hazard, Spot
from vastwatch.site.people import Person, Stay

DAYS = 3
PLANTS = ("obstacle", "aim", "warmth", "hold", "hazard", "starter", "pet", "both")


class Planted(NamedTuple):
    """What was planted, the record it is, and the kind of incident it makes."""

    project: Project
    plant: str
    lever: str
    record: str
    makes: tuple[Kind, ...]


def sound_room(rng: np.random.Generator) -> Project:
    """A room in which little goes wrong: a PIR that looks at the seat from 2 to 3.5 m, at 20 degrees, with a hold that
    bridges what somebody does there."""
    room = make_room()
    chair = replace(
        room.spots[0], at=(round(rng.uniform(1.2, 3.6), 2), round(rng.uniform(1.2, 2.8), 2)),
        facing=float(rng.integers(0, 360)), activity=str(rng.choice(["desk", "hands-on", "washing"])),
    )  # fmt: skip
    while True:
        x, y = rng.uniform(0.2, 4.8), float(rng.choice([0.2, 3.8]))
        if 1.6 <= math.dist((x, y), chair.at) <= 3.2:
            break
    yaw = math.degrees(math.atan2(chair.at[1] - y, chair.at[0] - x)) + rng.uniform(-12, 12)
    pir = replace(room.sensors[0], at=(round(x, 2), y, 2.2), yaw=round(yaw % 360, 1))
    hold = float(rng.choice([300, 420, 600]))
    room = put(put(put(room, chair), pir), replace(room.rooms[0], ambient_c=float(rng.uniform(18, 21))))
    return put(room, replace(room.presences[0], expr=from_roles(Roles(("pir",), ("pir",), hold))))


def planted(plant: str, rng: np.random.Generator) -> Planted:
    """A sound room with one thing planted."""
    room = sound_room(rng)
    pir, chair, presence = room.sensors[0], room.spots[0], room.presences[0]
    if plant == "obstacle":
        return Planted(_screened(room, rng), plant, "obstacle", "screen", ("dropped",))
    if plant == "both":
        # A second sensor must report as well: it is that one which sees nothing.
        radar = device("radar-24-state")
        x, y = 2.5, 0.2 if pir.at[1] > 2 else 3.8
        yaw = math.degrees(math.atan2(chair.at[1] - y, chair.at[0] - x))
        # Its upright field is narrow: it looks down at who sits there.
        pitch = -math.degrees(math.atan2(1.5 - SEATED.middle, math.dist((x, y), chair.at)))
        both, second = add_sensor(room, radar, "g", (x, y, 1.5), yaw, pitch)
        expr = AllOf(of=(Report(sensor=pir.id), Report(sensor=second.id)))
        both = put(both, replace(presence, expr=Hold(of=expr, seconds=300.0)))
        return Planted(_screened(both, rng), plant, "obstacle", "screen", ("dropped",))
    if plant == "aim":
        away = pir.yaw + float(rng.choice([-1, 1])) * rng.uniform(75, 170)
        return Planted(put(room, replace(pir, yaw=round(away % 360, 1))), plant, "aim", "pir", ("dropped", "late"))
    if plant == "warmth":
        warm = replace(room.rooms[0], ambient_c=float(rng.uniform(32.4, 33.7)))
        return Planted(put(room, warm), plant, "warmth", "big", ("dropped", "late"))
    if plant == "hold":
        expr = from_roles(Roles(("pir",), ("pir",), float(rng.integers(8, 40))))
        return Planted(put(room, replace(presence, expr=expr)), plant, "hold", "here", ("dropped",))
    if plant == "hazard":
        kind = str(rng.choice(["sun patch", "vent", "heat source"]))
        x, y = chair.at
        made = Hazard(
            id="planted", level="g", name="Planted", kind=kind, outline=rect(x, y, x + 0.8, y + 0.8), strength=1.0
        )  # type: ignore[arg-type]
        return Planted(replace(room, hazards=(made,)), plant, "hazard", "planted", ("false start",))
    if plant == "starter":
        # A radar sees anybody who comes in, and may only keep; a mat on the seat, which is sure of them later, starts.
        bare = replace(room, sensors=(), presences=())
        more, radar = add_sensor(bare, device("radar-24-state"), "g", (0.2, 2.0, 1.5), 0.0, 0.0)
        more, mat = add_sensor(more, device("mat-seat"), "g", (*chair.at, 0.45), 0.0, 0.0)
        expr = from_roles(Roles((mat.id,), (mat.id, radar.id), 300.0))
        asks = (replace(presence, expr=expr),)
        return Planted(replace(more, presences=asks), plant, "starter", radar.id, ("late",))
    cat = Person(id="cat", name="Cat", kind="pet", body_kg=4, speed=0.6, stays=(Stay(at="00:00", spot="rug"), Stay(at="04:00", spot="exit"), Stay(at="05:00", spot="rug"), Stay(at="20:00", spot="chair")))  # fmt: skip
    rug = Spot(id="rug", room="big", name="rug", at=(min(chair.at[0] + 0.7, 4.5), chair.at[1]), activity="hands-on")
    return Planted(
        replace(room, spots=(*room.spots, rug), people=(*room.people, cat)), plant, "person", "cat", ("false start",)
    )


def _screened(room: Project, rng: np.random.Generator) -> Project:
    """A screen across the sight line from the last sensor to the seat, that hides most of anybody who sits there."""
    sensor, chair = room.sensors[-1], room.spots[0]
    (ax, ay), (bx, by) = sensor.at[:2], chair.at
    length = math.dist((ax, ay), (bx, by))
    ux, uy = (bx - ax) / length, (by - ay) / length
    middle = rng.uniform(0.62, 0.72) * length
    if length - middle < 0.55:
        middle = length - 0.55
    cx, cy, half = ax + ux * middle, ay + uy * middle, rng.uniform(0.5, 0.75)
    corners = [
        (cx + s * half * -uy + t * 0.04 * ux, cy + s * half * ux + t * 0.04 * uy)
        for s, t in ((-1, -1), (1, -1), (1, 1), (-1, 1))
    ]
    if polygons.area(np.array(corners)) < 0:
        corners.reverse()
    made = Furnishing(
        id="screen", level="g", name="Screen", kind="shelf", outline=tuple(corners), z1=float(rng.uniform(1.9, 2.2)),
        material="metal",
    )  # fmt: skip
    out = replace(room, furnishings=(made,))
    seen = sight_line(
        out, sensor, PersonAt(chair.at, body_of(chair.posture, chair.activity), chair.activity, chair.facing)
    )
    assert seen.hidden_by, "the screen misses the sight line"
    return out


class Found(NamedTuple):
    """How often the planted thing was named first, of how many of the incidents it makes; by what else."""

    first: int
    of: int
    others: tuple[str, ...]


def asked(it: Planted, seed: int) -> Found:
    """Rehearse it and ask for the causes of every incident that would go were the plant not there."""
    r = rehearse(it.project, DAYS, seed)
    named = [explain(r, i).causes[:1] for i in made_by(it, r)]
    good = [n and n[0].lever == it.lever and n[0].record == it.record for n in named]
    others = tuple(f"{n[0].lever} {n[0].record}" if n else "none" for n, g in zip(named, good) if not g)
    return Found(sum(bool(g) for g in good), len(good), others)


def made_by(it: Planted, r: Rehearsal) -> list[Incident]:
    """The incidents of the kinds that a plant makes."""
    return [i for i in r.incidents if i.room == "big" and i.kind in it.makes]

"""What the program says of the sample building: its figures and words, topic by topic, as plain data.

Kept in `tests/golden/sample/`, and written anew with `make sample-figures`: anybody who changes a figure does so on
purpose, and sees in the difference which others change with it. The sample is looked at as it is shipped, and fitted
out with a sensor of every family.
"""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from datetime import date
from functools import cache
from itertools import product
from pathlib import Path
from typing import Any, get_args

import msgspec
import numpy as np
from msgspec.structs import replace

from sample_commands import of_commands
from vastwatch.advice.adviser.mounting import places
from vastwatch.advice.adviser.purchase import current_service, purchases, spent, starter_set, without_sensors
from vastwatch.advice.adviser.remedies import remedies
from vastwatch.advice.adviser.room_state import RoomState
from vastwatch.advice.adviser.shortlist import shortlist
from vastwatch.advice.checks.findings import findings
from vastwatch.advice.hardware.host_placement import host_placement
from vastwatch.advice.judging.settings import JudgeSettings, judging_by
from vastwatch.advice.judging.timing import curve_of
from vastwatch.causes.chain import explain
from vastwatch.control.light.daylight import daylight_factor
from vastwatch.control.outputs.handler import handler_of, handlers
from vastwatch.design.edits import (
    building,
    day_sheets,
    drawing_aids,
    fittings,
    levels,
    removing,
    selections,
    sensors,
    split_join,
    typical_days,
    whole_rooms,
    wiring,
)
from vastwatch.design.edits.removing import removed
from vastwatch.design.needs import USUAL, needs_of
from vastwatch.design.places import middle_of
from vastwatch.design.presence import Roles
from vastwatch.design.project import Project, find, find_any
from vastwatch.devices import catalogue
from vastwatch.devices.device_facts import comparison
from vastwatch.files import load_demo
from vastwatch.geometry import polygons
from vastwatch.rehearsal import rehearse
from vastwatch.sensing import SUBJECTS
from vastwatch.sensing.bodies import PersonAt
from vastwatch.sensing.coverage import coverage, room_cells, spot_body
from vastwatch.sensing.explain import sight_line
from vastwatch.sensing.hazards import false_rate, on_date
from vastwatch.sensing.model import watches_area
from vastwatch.sensing.mounted import mount
from vastwatch.site.furniture import furniture
from vastwatch.site.record import Record

GOLDEN = Path(__file__).parent / "golden" / "sample"
WAITS_S = (1.0, 5.0, 30.0, 300.0)


def device(ident: str) -> Any:
    return next(d for d in catalogue() if d.id == ident)


@cache
def sample() -> Project:
    return load_demo()


def _where(project: Project, ident: str) -> tuple[str, float, float]:
    found = find_any(project, ident)
    assert found is not None
    collection, record = found
    if collection == "openings":
        (x, y), _ = fittings.opening_middle(project, record)
        return find(project.walls, record.wall).level, x, y
    level = record.level if hasattr(record, "level") else find(project.rooms, record.room).level
    return level, *middle_of(record)


@cache
def fitted_out() -> Project:
    """The sample with a sensor of every family and an output of every kind besides."""
    project = sample()
    for ident, at in (
        ("mat-bed-strip", "bed-left"), ("mat-seat", "trimming"), ("mat-door", "shop-front"),
        ("contact-door", "back-door"), ("vibration-tag", "sofa"), ("plug-meter", "desk-screen"),
    ):  # fmt: skip
        d, (level, x, y) = device(ident), _where(project, at)
        fixed = host_placement(project, d, level, x, y)
        project, _ = sensors.add_sensor(project, d, level, fixed.at, fixed.yaw, 0.0, fixed.host)
    for ident, room, yaw in (
        ("ultrasonic-ceiling-6", "glazing", 0.0), ("dual-60-ceiling", "kitchen", 0.0), ("radar-60-ceiling", "box", 0.0),
        ("light-lux", "shop", 0.0), ("humidity-tag", "bath", 0.0), ("pir-ceiling-6", "bath", 0.0),
    ):  # fmt: skip
        where = find(project.rooms, room)
        x, y = polygons.centroid(where.outline)
        project, _ = sensors.add_sensor(project, device(ident), where.level, (x, y, 2.4), yaw, -90.0)
    for called, handler in handlers().items():
        x, y = polygons.centroid(find(project.rooms, "toilet").outline)
        project, _ = fittings.add_output(project, "ground", (x, y), called, handler.new)
    return project


def turned(project: Project, degrees: float) -> Project:
    """The same building, turned on its site and moved: what is square to the axes there is square to nothing here."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))

    def to(p: tuple[float, float]) -> tuple[float, float]:
        return round(3.0 + c * p[0] - s * p[1], 4), round(5.0 + s * p[0] + c * p[1], 4)

    def changed(r: Any) -> Any:
        new: dict[str, Any] = {}
        for name in ("a", "b"):
            if isinstance(getattr(r, name, None), tuple):
                new[name] = to(getattr(r, name))
        if hasattr(r, "at"):
            new["at"] = (*to(r.at[:2]), *r.at[2:])
        if hasattr(r, "outline"):
            new["outline"] = tuple(to(p) for p in r.outline)
        for name in ("facing", "yaw", "climb"):
            if isinstance(getattr(r, name, None), float):
                new[name] = (getattr(r, name) + degrees) % 360
        return replace(r, **new)

    built = (
        "walls", "rooms", "furnishings", "spots", "sensors", "lamps", "sockets", "switches", "hazards", "zones",
        "outputs", "buttons",
    )  # fmt: skip
    return replace(project, **{name: tuple(changed(r) for r in getattr(project, name)) for name in built})


def of_coverage() -> Any:
    """How much of its own room each sensor notices for each figure within some waits, and the mean of what it does."""
    out = {}
    project = fitted_out()
    for s in project.sensors:
        home = next(
            (r for r in project.rooms if polygons.contains_point(r.outline, *s.at[:2]) and r.level == s.level), None
        )
        if home is None or not watches_area(find(project.devices, s.device)):
            continue
        own = room_cells(project.rooms, home)
        for figure in SUBJECTS:
            found = coverage(project, s.id, figure)
            dragged = coverage(project, s.id, figure, 2).notice_s
            cells, everywhere = found.at(own), found.notice_s[np.isfinite(found.notice_s)]
            known = cells[np.isfinite(cells)]
            out[f"{s.id} {figure}"] = [
                *(found.share_within(w, own) for w in WAITS_S), float(known.mean()) if len(known) else None,
                len(everywhere), int(np.isfinite(dragged).sum()), float(dragged[np.isfinite(dragged)].sum()),
            ]  # fmt: skip
    return out


def of_types() -> Any:
    """Every type of the catalogue at each place it could take in a room: how it sees the spots there, and how often it
    is falsely triggered."""
    project = sample()
    out: dict[str, Any] = {}
    for room in ("sitting", "throwing", "bedroom"):
        now = RoomState(project, find(project.rooms, room))
        spots = [s for s in project.spots if s.room == room]
        hazards = [h for h in project.hazards if h.level == now.room.level]
        for d in catalogue():
            if d.family in ("module", "light", "humidity", "player"):
                continue
            all_places = places(now, d)
            for k, s in enumerate(all_places[:2]):
                with_it, made = sensors.add_sensor(project, d, s.level, s.at, s.yaw, s.pitch, s.host)
                mounted = mount(with_it, made)
                seen = []
                for spot in spots:
                    for walking_by in (False, True):
                        who = PersonAt(spot.at, spot_body(spot), spot.activity, spot.facing, walking_by)
                        g = sight_line(with_it, made, who)
                        seen.append([g.off_axis_deg, g.share, g.loss_db, g.contrast, g.range_m, g.in_view, g.notice_s,
                                     [list(h) for h in g.hidden_by]])  # fmt: skip
                out[f"{room} {d.id} {k} of {len(all_places)}"] = {
                    "at": [*s.at, s.yaw, s.pitch, s.host], "seen": seen,
                    "fooled": [3600 * false_rate(mounted, h) for h in hazards],
                }  # fmt: skip
    return out


def of_week() -> Any:
    """Scores of each room and output, and what each sensor reported."""
    r = rehearse(fitted_out(), 7, 1)
    return {
        "rooms": {room: msgspec.to_builtins(vars(s)) for room, s in r.scores.items()},
        "outputs": {ident: vars(s) for ident, s in r.output_scores.items()},
        "energy": {ident: levels_.integral(0.0, r.calendar.end) for ident, levels_ in r.house.outputs.items()},
        "reports": {
            s: [len(r.recording.report(s).rises), r.recording.report(s).total(), r.recording.report(s).switches[:6].tolist()]
            for s in r.recording.sensors
        },
        "people": {
            t.person.id: [len(t.arrive), float((t.leave - t.arrive).sum()), t.exit_at[:5].tolist(), t.speed[:5].tolist()]
            for t in r.truth.tracks
        },
        "needs light": {room: r.needs_light(room).total() for room in r.scores},
        "daylight": {room.id: [daylight_factor(r.project, room), needs_of(r.project, room).lux] for room in r.project.rooms},
    }  # fmt: skip


def of_incidents() -> Any:
    """Six incidents of each kind and room in two days, with their chains."""
    r = rehearse(fitted_out(), 2, 1)
    out: list[Any] = []
    for i in r.incidents:
        if sum(x[:2] == [i.kind, i.room] for x in out) >= 6:
            continue
        chain = explain(r, i)
        out.append([i.kind, i.room, i.at, i.duration_s, *(f"{x.what}: {x.value}; {x.text}" for x in chain.links)])
    return out


def of_findings() -> Any:
    """Every finding of the sample as shipped, fitted out, and with half of its walls and doors away."""
    spoilt = removing.removed(
        fitted_out(), "throwing-passage", "glazing-passage", "circuit-kiln", "u-south", "socket-clay"
    )
    out = {}
    for name, project in (
        ("as shipped", sample()),
        ("fitted out", fitted_out()),
        ("spoilt", spoilt),
        ("turned", turned(sample(), 25.0)),
    ):
        out[name] = [
            [f.rule, f.severity, list(f.records), f.text, f.room, *(a.text for a in f.remedies)]
            for f in findings(project)
        ]
    return out


def of_curves() -> Any:
    """False-offs, darkness and time lit while empty at some holds, and what is recommended."""
    r = rehearse(fitted_out(), 14, 1)
    out = {}
    for p in r.project.presences:
        if p.room is None or not p.lights:
            continue
        c = curve_of(r, p.room)
        out[p.room] = [[list(c.at(h)) for h in (0.0, 7.0, 60.0, 300.0, 1201.0)], c.recommended_s, c.knee_s, c.current_s,
                       list(c.interval_s or ()), c.reason]  # fmt: skip
    return out


def of_options() -> Any:
    """Which sensors would do in some rooms, in order, with their places and their prices."""
    return {
        room: [[o.device.id, [*o.sensor.at, o.sensor.yaw, o.sensor.pitch], o.walker_share, o.walker_s, o.waits, o.hold_s,
                list(o.shortfalls), o.reason, o.price, o.rank_cost] for o in shortlist(sample(), room)]
        for room in ("box", "passage", "bedroom", "kiln")
    }  # fmt: skip


def of_purchases() -> Any:
    """What would help most: remedies of a room, purchases in two, and a set to begin with."""
    project, some = sample(), [device(i) for i in ("pir-ceiling-6", "radar-24-state", "mat-bed-strip", "pir-corner-12")]
    r = rehearse(project, 7, 1)
    bought = purchases(project, some, budget=400.0, rooms={"kitchen", "throwing"})
    dim = removed(project, *(x.id for x in project.lamps if x.room not in ("kitchen", "store", "kiln", "shop")))
    started = starter_set(without_sensors(dim), 90.0, [device("pir-ceiling-6"), device("radar-58-simple")])
    return {
        "remedies": [[x.text, x.gain] for x in remedies(r, "throwing")],
        "purchases": [[p.room, p.offer.devices[0].id, p.gain, p.gain_per_cost, p.words] for p in bought],
        "set": [[p.room, p.offer.devices[0].id, p.gain, p.gain_per_cost, p.words] for p in started],
        "now": {room: [vars(now.cost), now.misfit] for room in ("throwing", "kitchen") for now in [current_service(project, room)]},
        "spent": spent(project),
    }  # fmt: skip


def of_hazards() -> Any:
    """Hazards on two days, and how often each falsely triggers each sensor."""
    out: dict[str, Any] = {}
    for project, day in product((fitted_out(), turned(fitted_out(), 25.0)), (date(2026, 1, 12), date(2026, 6, 21))):
        for h in project.hazards:
            now = on_date(project, h, day)
            out[f"{h.id} {day}{'' if project is fitted_out() else ', turned'}"] = None if now is None else [
                [list(p) for p in now.outline], [list(t) for t in now.times],
                {s.id: 3600 * false_rate(mount(project, s), now) for s in project.sensors},
            ]  # fmt: skip
    return out


def of_tables() -> Any:
    """What each use of a room needs, what each output is when it is new, the shelf of furniture, figures in words."""
    out: dict[str, Any] = {f"needs of {use}": list(usual) for use, usual in USUAL.items()}
    out |= {
        called: [
            h.lights,
            h.why,
            h.caution,
            msgspec.to_builtins(h.new("x", "r", "X", (1.0, 2.0))),
        ]
        for called, h in handlers().items()
    }
    lamp = handler_of(sample().lamps[0])
    out["lamp"] = [msgspec.to_builtins(lamp.new("x", "r", "X", (1.0, 2.0)))]
    out |= {
        d.id: [[label, fact.words if fact else None] for label, (fact,), *_ in comparison([d])] for d in catalogue()
    }
    return out


def _difference(old: Project, new: Project) -> Any:
    """What an edit has removed, added and changed, field by field."""
    out: dict[str, Any] = {}
    for name in Project.__struct_fields__:
        before, after = getattr(old, name), getattr(new, name)
        if before is after or not (isinstance(before, tuple) and all(isinstance(r, Record) for r in (*before, *after))):
            continue
        was, now = {r.id: r for r in before}, {r.id: r for r in after}
        gone = [i for i in was if i not in now]
        fresh = [msgspec.to_builtins(r) for i, r in now.items() if i not in was and name != "devices"]
        changed = {
            i: {f: msgspec.to_builtins(getattr(r, f)) for f in r.__struct_fields__ if getattr(r, f) != getattr(was[i], f)}
            for i, r in now.items() if i in was and r is not was[i]
        }  # fmt: skip
        if gone or fresh or changed or [*was] != [*now]:
            out[name] = [gone, fresh, changed]
    return out


EDITS: dict[str, Callable[[Project], Any]] = {
    "add a room": lambda p: building.add_room(p, "ground", "Porch", "passage", ((12.5, 0.0), (14.5, 0.0), (14.5, 2.0), (12.5, 2.0)))[0],
    "drag a wall": lambda p: building.move_wall(p, "g-throwing-shop", 0.4),
    "drag a corner": lambda p: building.move_corner(p, "ground", *_corner(p)),
    "make a room wider": lambda p: building.resize_room(p, "box", 3.9),
    "make a room deeper": lambda p: building.resize_room(p, "sitting", depth=4.2),
    "split a room": lambda p: split_join.split_room(p, "glazing", (9.0, 2.0), (9.0, 9.0))[0],
    "join two rooms": lambda p: split_join.join_rooms(p, "kiln", "store").project,
    "move a room": lambda p: whole_rooms.move_room(p, "store", 0.5, 0.0).project,
    "copy a room": lambda p: whole_rooms.copy_room(p, "bedroom")[0],
    "turn the bed": lambda p: fittings.move_furnishing(p, "bed", 0.1, 0.05, 30.0),
    "push the desk": lambda p: fittings.move_furnishing(p, "desk", -0.2, 0.0),
    "a door": lambda p: fittings.add_opening(p, "u-bedroom-south", "door", 1.6)[0],
    "an archway": lambda p: fittings.add_opening(p, "g-throwing-shop", "archway", 2.5)[0],
    "a window": lambda p: fittings.add_opening(p, "g-south", "window", 9.2)[0],
    "a lamp": lambda p: fittings.add_lamp(p, "ground", (2.0, 6.0))[0],
    "each piece of furniture": lambda p: _furnished(p),
    "mirror some": lambda p: selections.mirror_many(p, ["sofa", "window-seat", "lamp-sitting"], True),
    "turn some": lambda p: selections.turn_many(p, ["sofa", "bookcase"], 30.0),
    "line some up": lambda p: _lined_up(p),
    "copy some": lambda p: selections.duplicate_many(p, ["desk", "desk-screen", "lamp-box"])[0],
    "move some": lambda p: selections.move_many(p, ["wheel-left", "pir-throwing"], 0.1, -0.1),
    "copy a level": lambda p: levels.copy_level(p, "upper")[0],
    "copy the level with the way out": lambda p: levels.copy_level(p, "ground")[0],
    "a room beside the others": lambda p: building.add_room(p, "upper", "Loft", "store", building.rectangle(*building.place_beside(p, "upper", 2.0), 2.0, 3.0))[0],
    "drag an outer wall": lambda p: building.move_wall(p, "g-west", 0.3),
    "drag a sloping corner": lambda p: building.move_corner(p, "upper", find(p.rooms, "sitting").outline[2], (4.9, 7.2)),
    "no way out": lambda p: typical_days.add_person(removing.removed(p, "front-door"), next(iter(typical_days.TEMPLATES)))[0],
    "an errand less": lambda p: day_sheets.remove_errand(p, "potter", 0),
    "a stay less": lambda p: day_sheets.remove_stay(p, "resident", 1),
    "remove a room": lambda p: removing.remove(p, ["kitchen"]).project,
    "remove a wall's room and a bed": lambda p: removing.remove(p, ["bed", "shop"]).project,
    "remove a level": lambda p: removing.remove(p, ["upper"]).project,
    "somebody typical of each kind": lambda p: _peopled(p),
    "sleep elsewhere": lambda p: day_sheets.set_sleeps_at(p, "resident", "bed-left"),
    "a stay of a class": lambda p: day_sheets.set_stay(p, "class-1", 0, at="18:45"),
    "a circuit": lambda p: wiring.add_circuit(p, ("lamp-kiln", "lamp-store"))[0],
    "a socket": lambda p: wiring.add_socket(p, "ground", (3.0, 0.4))[0],
    "a switch": lambda p: wiring.add_switch(p, "ground", (3.0, 0.4), "circuit-shop")[0],
    "another module": lambda p: wiring.set_module(p, "circuit-shop", device("module-dimmer-plain")),
    "roles": lambda p: sensors.set_roles(p, p.presences[0].id, Roles(("pir-throwing",), ("pir-throwing", "pir-shop"), 45.0)),
    "a hazard": lambda p: drawing_aids.add_hazard(p, "ground", "vent", ((1.0, 5.0), (2.0, 5.0), (2.0, 6.0), (1.0, 6.0)))[0],
}  # fmt: skip


def _corner(p: Project) -> tuple[tuple[float, float], tuple[float, float]]:
    at = find(p.rooms, "kiln").outline[0]
    return at, (at[0] + 0.2, at[1])


def _lined_up(p: Project) -> Project:
    """On every side in turn, from wherever the last left them."""
    for side in get_args(selections.Side):
        p = selections.align_many(p, ["sofa", "bookcase", "lamp-sitting"], side)
    return p


def _furnished(p: Project) -> Project:
    x, y = polygons.centroid(find(p.rooms, "glazing").outline)
    for k, kind in enumerate(furniture()):
        p, _ = fittings.add_furnishing(p, "ground", kind, (x, y), 15.0 * k)
    return p


def _peopled(p: Project) -> Project:
    for template in typical_days.TEMPLATES:
        p, _ = typical_days.add_person(p, template)
    return p


def of_edits() -> Any:
    """What every kind of edit does to the sample."""
    project = sample()
    out: dict[str, Any] = {}
    for how, building_ in (("", project), (", turned", turned(project, 25.0))):
        for name, edit in EDITS.items():
            try:
                out[name + how] = _difference(building_, edit(building_))
            except ValueError as e:
                out[name + how] = str(e)
    out["troubles"] = [
        wiring.module_problems(project, c, d) for c in project.circuits for d in catalogue() if d.family == "module"
    ]
    return out


TOPICS: dict[str, Callable[[], Any]] = {
    "commands": lambda: of_commands(sample(), fitted_out()),
    "coverage": of_coverage, "types": of_types, "week": of_week, "incidents": of_incidents, "findings": of_findings,
    "curves": of_curves, "options": of_options, "purchases": of_purchases, "hazards": of_hazards, "edits": of_edits, "tables": of_tables,
}  # fmt: skip


def rounded(value: Any) -> Any:
    """The same with five significant figures, as JSON has it: what differs less is rounding."""
    if isinstance(value, bool) or value is None or isinstance(value, str | int):
        return value
    if isinstance(value, float | np.floating):
        return float(f"{value:.5g}") if math.isfinite(value) else str(value)
    if isinstance(value, dict):
        return {str(k): rounded(v) for k, v in value.items()}
    if isinstance(value, np.ndarray | tuple | list | set | frozenset):
        return [rounded(v) for v in value]
    if isinstance(value, np.integer):
        return int(value)
    return rounded(msgspec.to_builtins(value))


def written(topic: str) -> str:
    """The text of a topic's file: a line for each entry."""
    value = rounded(TOPICS[topic]())
    if isinstance(value, dict):
        lines = [f"{json.dumps(k)}: {json.dumps(v, ensure_ascii=False)}" for k, v in value.items()]
        return "{\n" + ",\n".join(lines) + "\n}\n"
    return "[\n" + ",\n".join(json.dumps(v, ensure_ascii=False) for v in value) + "\n]\n"


if __name__ == "__main__":
    # As the tests that read it: the judge lives few weeks.
    GOLDEN.mkdir(parents=True, exist_ok=True)
    with judging_by(JudgeSettings(chosen_on=(1, 2, 3), held_out=(1001, 1002))):
        for name in TOPICS:
            (GOLDEN / f"{name}.json").write_text(written(name), encoding="utf-8")
            print(GOLDEN / f"{name}.json")

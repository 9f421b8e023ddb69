"""Answers about the design as it is drawn: findings, coverage, walks and stays."""

from __future__ import annotations

import argparse
import math
from typing import TYPE_CHECKING, Any

from vastwatch.answers.json_values import RequestError, number
from vastwatch.answers.room_workers import map_rooms
from vastwatch.design.project import Project, on_level

if TYPE_CHECKING:
    from vastwatch.advice.judging.judge import Judgement
    from vastwatch.design.records import Sensor


def check(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"findings": [{"rule", "severity", "records", "text", "remedies": [{"text"}]}],
    "cautions": [{"about", "records", "text"}], "judged": [ROOM]}`. Every room that can be is judged on its weeks;
    of a large building only with `--weeks`, for it takes some seconds a room."""
    from vastwatch.advice.checks.cautions import cautions
    from vastwatch.advice.checks.findings import findings
    from vastwatch.advice.judging.all_rooms import judged_by_default, lit_rooms, longest_first
    from vastwatch.advice.judging.judge import judge

    def of(room: str) -> Judgement | None:
        try:
            return judge(project, room)
        except ValueError:
            # Nothing lights it by itself.
            return None

    rooms = longest_first(project) if args.weeks or judged_by_default(project) else []
    judged = {room: j for room, j in zip(rooms, map_rooms(rooms, of)) if j is not None}
    found, said = findings(project, judged.get), cautions(project)
    document = {
        "findings": [
            {
                "rule": f.rule,
                "severity": f.severity,
                "records": list(f.records),
                "room": f.room,
                "text": f.text,
                "remedies": [{"text": r.text} for r in f.remedies],
            }
            for f in found
        ],
        "cautions": [{"about": c.key, "records": list(c.records), "text": c.text} for c in said],
        "judged": [room for room in lit_rooms(project) if room in judged],
    }
    lines = [f"{f.severity:8s} {f.text}" for f in found] or ["No problems found."]
    return document, lines + [f"caution  {c.text}" for c in said]


def _settings_used(project: Project, sensor: Sensor) -> dict[str, Any]:
    """What is set on a sensor and counts, and the hold of its own that comes of it."""
    import msgspec

    from vastwatch.design.placed import own_hold_s
    from vastwatch.design.project import find
    from vastwatch.sensing.model import settings_of

    device = find(project.devices, sensor.device)
    counted = msgspec.to_builtins(sensor.settings)
    told = {name: counted[name] for name in settings_of(device)}
    return {**told, "own_hold_s": number(own_hold_s(device, sensor.settings), 1)}


def coverage(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """Per sensor the settings that count, the rooms of its level with covered shares by figure, and the spots with
    mean notice times."""
    from vastwatch.design.project import find
    from vastwatch.sensing import SUBJECTS
    from vastwatch.sensing import coverage as cover
    from vastwatch.sensing.coverage import spot_notice_s

    sensors = project.sensors
    if args.sensor is not None:
        sensors = tuple(s for s in sensors if s.id == args.sensor)
        if not sensors:
            raise RequestError(f"--sensor: unknown sensor '{args.sensor}'")
    out: dict[str, Any] = {}
    lines = []
    for sensor in sensors:
        rooms: dict[str, Any] = {}
        for room in on_level(project.rooms, sensor.level):
            rooms[room.id] = {}
            for figure in SUBJECTS:
                seen = cover(project, sensor.id, figure)
                times = seen.in_room(room)
                rooms[room.id][figure] = {
                    **{f"share_{s}s": number(float((times <= s).mean()) if len(times) else 0.0) for s in (1, 5, 30)},
                    "area_m2": number(len(times) * seen.grid.cell**2, 3),
                }
            across = rooms[room.id]["across"]["share_5s"]
            if across:
                lines.append(f"{sensor.name}: {100 * across:.0f} % of {room.name} within 5 s, walking across")
        spots = {
            s.id: {"notice_s": number(spot_notice_s(project, sensor.id, s), 2)}
            for s in project.spots
            if find(project.rooms, s.room).level == sensor.level
        }
        out[sensor.id] = {"settings": _settings_used(project, sensor), "rooms": rooms, "spots": spots}
    return {"sensors": out}, lines or ["No sensor covers anything."]


def walk(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """Of a room, `{"doors": [{"opening", "beyond", "half_s", "nearly_s", "limit_s", "good", "sensor"}], "ways":
    [WALK]}`, each door walked in and out; or of points on a level, `{"ways": [WALK]}`.

    WALK: `{"points", "metres", "seconds", "noticed": [{"sensor", "metres", "seconds", "share"}], "dark_s", "dark_m",
    "lit_share": [SHARE]}`, a share for each tenth of a second, null where no light follows presence.
    """
    from vastwatch.advice.detection.walk_test import Walk, in_and_out, sidestep_tests
    from vastwatch.advice.detection.walk_test import walk as walked
    from vastwatch.files.check import FARTHEST

    def told(w: Walk) -> dict[str, Any]:
        return {
            "points": [list(p) for p in w.points],
            "metres": number(w.metres, 2),
            "seconds": number(w.seconds, 2),
            "noticed": [
                {"sensor": n.sensor, "metres": number(n.metres, 2), "seconds": number(n.seconds, 2), "share": n.share}
                for n in w.noticings
            ],
            "dark_s": number(w.dark_s, 2),
            "dark_m": number(w.dark_m, 2),
            "lit_share": [None if math.isnan(share) else share for share in w.lit_share.tolist()],
        }

    def line(w: Walk) -> str:
        first = f"first noticed after {w.noticings[0].seconds:.1f} s" if w.noticings else "never noticed"
        return f"{w.metres:.1f} m: {first}; {w.dark_s:.1f} s and {w.dark_m:.1f} m in the dark."

    try:
        if args.room is None:
            level = args.level or project.levels[0].id
            if all(x.id != level for x in project.levels):
                known = ", ".join(x.id for x in project.levels)
                raise RequestError(f"--level: there is no level '{level}' in this project: it has {known}")
            if any(abs(c) > FARTHEST for p in args.points or () for c in p):
                raise RequestError(f"--points: coordinates go up to {FARTHEST:g} m")
            way = walked(project, level, args.points or (), args.speed)
            return {"ways": [told(way)]}, [line(way)]
        if all(r.id != args.room for r in project.rooms):
            raise RequestError(f"--room: unknown room '{args.room}'")
        doors = sidestep_tests(project, args.room)
        level = next(r.level for r in project.rooms if r.id == args.room)
        ways = [walked(project, level, in_and_out(project, args.room, d.opening), args.speed) for d in doors]
    except ValueError as e:
        raise RequestError(str(e)) from None
    document = {
        "doors": [
            {
                "opening": d.opening, "beyond": d.beyond, "half_s": number(d.median_s, 2),
                "nearly_s": number(d.p90_s, 2),
                "limit_s": number(d.limit_s, 2), "good": d.good, "sensor": d.sensor,
            }
            for d in doors
        ],
        "ways": [told(w) for w in ways],
    }  # fmt: skip
    lines = []
    for d, w in zip(doors, ways):
        how = f"noticed within {d.p90_s:.1f} s" if math.isfinite(d.p90_s) else "not noticed"
        wanted = "" if d.good else f", limit {d.limit_s:g} s"
        lines.append(f"From {d.beyond.lower()}: side-steps {how}{wanted}; in and out {line(w)}")
    return document, lines or ["No door into this room."]


def trial(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"spot", "minutes", "trials", "hold_s", "asks_for_light", "first_dark_s": {"median", "one_in_ten"},
    "never_dark", "drops", "dark_s", "waves", "to_switch"}`, the last four per stay, and 0 where no light is asked for;
    null where it does not go dark that often."""
    from vastwatch.advice.detection.stay_trial import in_words, run_stay_trial

    if all(s.id != args.spot for s in project.spots):
        raise RequestError(f"--spot: unknown position '{args.spot}'")
    try:
        t = run_stay_trial(project, args.spot, args.minutes * 60.0)
    except ValueError as e:
        raise RequestError(str(e)) from None
    document = {
        "spot": t.spot, "minutes": args.minutes, "trials": t.draws, "hold_s": t.hold_s, "asks_for_light": t.asked,
        "first_dark_s": {"median": number(t.dark_within(0.5), 1), "one_in_ten": number(t.dark_within(0.1), 1)},
        "never_dark": number(t.share_never_dark), "drops": number(t.drops), "dark_s": number(t.dark_s, 1),
        "waves": number(t.waves), "to_switch": number(t.trips),
    }  # fmt: skip
    return document, [in_words(t)]

"""What each command of the command line answers: one JSON document, and the same in lines for people.

A function a command; what it needs is loaded when it is asked, so that a short answer is not kept waiting.
"""

from __future__ import annotations

import argparse
import contextlib
import math
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vastwatch.design.project import Project, on_level
from vastwatch.files import ProjectError, load_project
from vastwatch.words import duration_words

if TYPE_CHECKING:
    from vastwatch.advice.judge import Judgement
    from vastwatch.advice.met import Met


# A check lives the weeks of so many rooms without being asked to.
JUDGED_UNASKED = 10


class RequestError(Exception):
    """The request cannot be met; the message is one sentence."""


def _number(value: float | None, digits: int = 4) -> float | None:
    return None if value is None or not math.isfinite(value) else round(float(value), digits)


def check(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"findings": [{"rule", "severity", "records", "text", "remedies": [{"text"}]}],
    "cautions": [{"about", "records", "text"}], "judged": [ROOM]}`. Every room that can be is judged on its weeks;
    of a large building only with `--weeks`, for it takes some seconds a room."""
    from vastwatch.advice import findings
    from vastwatch.advice.cautions import cautions
    from vastwatch.advice.judge import judge

    judged: dict[str, Judgement] = {}
    if args.weeks or len(project.presences) <= JUDGED_UNASKED:
        for room in dict.fromkeys(p.room for p in project.presences):
            with contextlib.suppress(ValueError):
                judged[room] = judge(project, room)
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
        "judged": list(judged),
    }
    lines = [f"{f.severity:8s} {f.text}" for f in found] or ["Nothing found."]
    return document, lines + [f"caution  {c.text}" for c in said]


def coverage(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """Per sensor the rooms of its level with covered shares by figure, and the spots with mean notice times."""
    from vastwatch.design.project import find
    from vastwatch.sensing import FIGURES
    from vastwatch.sensing import coverage as cover
    from vastwatch.sensing.coverage import room_mask, spot_notice_s

    sensors = project.sensors
    if args.sensor is not None:
        sensors = tuple(s for s in sensors if s.id == args.sensor)
        if not sensors:
            raise RequestError(f"--sensor: there is no sensor '{args.sensor}' in this project")
    out: dict[str, Any] = {}
    lines = []
    for sensor in sensors:
        rooms: dict[str, Any] = {}
        for room in on_level(project.rooms, sensor.level):
            mask = room_mask(project.rooms, room)
            rooms[room.id] = {}
            for figure in FIGURES:
                seen = cover(project, sensor.id, figure)
                rooms[room.id][figure] = {
                    **{f"share_{s}s": _number(seen.share_within(s, mask)) for s in (1, 5, 30)},
                    "area_m2": _number(float(mask.sum()) * seen.grid.cell**2, 3),
                }
            across = rooms[room.id]["across"]["share_5s"]
            if across:
                lines.append(f"{sensor.name}: {100 * across:.0f} % of {room.name} within 5 s, walking across")
        spots = {
            s.id: {"notice_s": _number(spot_notice_s(project, sensor.id, s), 2)}
            for s in project.spots
            if find(project.rooms, s.room).level == sensor.level
        }
        out[sensor.id] = {"rooms": rooms, "spots": spots}
    return {"sensors": out}, lines or ["No sensor covers anything."]


def rehearse(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """Scores per room, and the incidents with their chains of causes."""
    from vastwatch.causes.chain import Link, explain
    from vastwatch.causes.groups import groups
    from vastwatch.causes.inquiry import inquiry
    from vastwatch.rehearsal import rehearse as run

    def told(links: tuple[Link, ...]) -> list[dict[str, str]]:
        return [{"what": k.what, "record": k.record, "value": k.value, "text": k.text} for k in links]

    result = run(project, args.days, args.seed)
    rooms = {
        ident: {
            "drops_per_day": _number(s.drops),
            "dark_min_per_day": _number(s.dark_min),
            "idle_burn_h_per_day": _number(s.idle_h),
            "idle_burn_kwh_per_day": _number(s.idle_kwh, 5),
            "first_light_s": {"median": _number(s.first_median_s, 2), "p95": _number(s.first_p95_s, 2)},
            "waves_per_day": _number(s.waves),
            "to_switch_per_day": _number(s.trips),
        }
        for ident, s in result.scores.items()
    }
    # Chains take longer than the rest: they are made for those who read them.
    incidents, causes = [], []
    for i in result.incidents if args.json else ():
        chain = explain(result, i)
        incidents.append(
            {
                "kind": i.kind,
                "room": i.room,
                "at": result.clock(i.at).isoformat(timespec="seconds"),
                "duration_s": _number(i.duration_s, 1),
                "story": told(chain.story),
                "chain": told(chain.causes),
            }
        )
    for room, mine in result.incidents_by_room.items() if args.json else ():
        kinds = dict.fromkeys(i.kind for _, i in mine)
        asked = [found for kind in kinds if (found := inquiry(result, room, kind)) is not None]
        causes += [
            {
                "room": room, "kind": g.kind, "record": g.record, "words": g.words, "incidents": len(g.incidents),
                "of": g.of, "saves_min_per_day": _number(g.saves_s / 60.0),
            }
            for g in groups(result, asked)
        ]  # fmt: skip
    lines = [
        f"{ident}: {s.drops:.1f} drops, {s.dark_min:.1f} min in the dark, {s.idle_h:.1f} h burning for nobody a day"
        + (f"; {s.waves:.1f} waves, {s.trips:.1f} ways to the switch" if s.waves + s.trips > 0 else "")
        for ident, s in result.scores.items()
    ]
    outputs = {
        ident: {
            "run_h_per_day": _number(s.run_h),
            "idle_h_per_day": _number(s.idle_h),
            "kwh_per_day": _number(s.kwh, 5),
            "starts_per_day": _number(s.starts),
        }
        for ident, s in result.output_scores.items()
    }
    others = {o.id for o in project.outputs}
    lines += [
        f"{ident}: runs {s.run_h:.1f} h a day, {s.idle_h:.1f} h for nobody, {s.kwh:.2f} kWh"
        for ident, s in result.output_scores.items()
        if ident in others
    ]
    document = {
        "days": args.days, "seed": args.seed, "rooms": rooms, "outputs": outputs, "incidents": incidents,
        "causes": causes,
    }  # fmt: skip
    return document, lines or ["No room is under presence control."]


def tune(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """The timing curve, the recommended setting and why."""
    from vastwatch.advice import tuned

    if all(r.id != args.room for r in project.rooms):
        raise RequestError(f"--room: there is no room '{args.room}' in this project")
    try:
        c = tuned(project, args.room, args.days, args.seed)
    except ValueError as e:
        raise RequestError(str(e)) from None
    judged, held = c.judged, c.held
    assert judged is not None and held is not None
    document = {
        "room": c.room,
        "presence": c.presence,
        "days": c.days,
        "curve": {
            "hold_s": [_number(v) for v in c.hold_s],
            "drops_per_day": [_number(v) for v in c.drops_per_day],
            "dark_min_per_day": [_number(v) for v in c.dark_min_per_day],
            "idle_burn_h_per_day": [_number(v) for v in c.idle_h_per_day],
        },
        "current_s": c.current_s,
        "knee_s": c.knee_s,
        "recommended_s": c.recommended_s,
        "interval_s": list(c.interval_s),
        "legal_holds_s": list(judged.legal_s),
        "needs": _needs(judged.needs_at(c.recommended_s)),
        "interval": [_number(v) for v in judged.drops_within(c.recommended_s)],
        "held_out": {
            "seeds": list(held.seeds),
            "drops_per_week": _number(held.drops_per_week),
            "dark_min_per_day": _number(held.dark_min_per_day),
        },
        "meets_brief": c.meets_brief,
        "reason": c.reason,
    }
    return document, [c.reason]


def trial(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"spot", "minutes", "trials", "hold_s", "first_dark_s": {"median", "one_in_ten"}, "never_dark", "drops",
    "dark_s", "waves", "to_switch"}`, the last four per stay; null where it does not go dark that often."""
    from vastwatch.advice.trial import in_words, stay

    if all(s.id != args.spot for s in project.spots):
        raise RequestError(f"--spot: there is no spot '{args.spot}' in this project")
    try:
        t = stay(project, args.spot, args.minutes * 60.0)
    except ValueError as e:
        raise RequestError(str(e)) from None
    document = {
        "spot": t.spot, "minutes": args.minutes, "trials": t.draws, "hold_s": t.hold_s,
        "first_dark_s": {"median": _number(t.dark_within(0.5), 1), "one_in_ten": _number(t.dark_within(0.1), 1)},
        "never_dark": _number(t.kept), "drops": _number(t.drops), "dark_s": _number(t.dark_s, 1),
        "waves": _number(t.waves), "to_switch": _number(t.trips),
    }  # fmt: skip
    return document, [in_words(t)]


def advise(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"rooms": {ROOM: {"words", "met_already", "options": [OFFER], "failing": [OFFER], "types": [TYPE]}}}`; of one
    room, its parts at the top as well.

    OFFER: `{"devices", "places": [{"device", "at", "yaw"}], "price", "bill": [{"what", "price", "why"}], "hold_s",
    "needs", "reason", "instead"}`; TYPE, what the maps say: `{"device", "looks_well", "price", "reason", "fails"}`."""
    from vastwatch.advice.offers import Offer, offers

    def told(offer: Offer) -> dict[str, Any]:
        return {
            "devices": [d.id for d in offer.devices],
            "places": [
                {"device": s.device, "at": [_number(c) for c in s.at], "yaw": _number(s.yaw)} for s in offer.sensors
            ],
            "price": _number(offer.price),
            "bill": [{"what": i.what, "price": _number(i.price), "why": i.why} for i in offer.bill.items],
            "open": list(offer.bill.open),
            "hold_s": _number(offer.judged.recommended_s, 1),
            "needs": _needs(offer.judged.needs_at(offer.judged.recommended_s)),
            "reason": offer.reason,
            "instead": offer.instead,
        }

    rooms = [r for r in project.rooms if args.room in (None, r.id)]
    if not rooms:
        raise RequestError(f"--room: there is no room '{args.room}' in this project")
    out: dict[str, Any] = {}
    lines = []
    for room in rooms:
        try:
            found = offers(project, room.id)
        except ValueError as e:
            out[room.id] = {"words": str(e), "met_already": False, "options": [], "failing": [], "types": []}
            lines.append(f"{e}.")
            continue
        out[room.id] = {
            "words": found.words,
            "met_already": found.met_already,
            "options": [told(o) for o in found.offers],
            "failing": [told(o) for o in found.failing],
            "types": [
                {
                    "device": o.device.id, "looks_well": not o.misses, "price": _number(o.price), "reason": o.reason,
                    "fails": list(o.misses),
                }
                for o in found.others
            ],
        }  # fmt: skip
        lines.append(found.words + "".join(f"\n  {o.name}, {o.price:g}. {o.reason}" for o in found.offers))
    document: dict[str, Any] = {"rooms": out}
    if args.room is not None:
        document |= out[args.room]
    return document, lines or ["There is no room."]


def _needs(needs: Iterable[Met]) -> dict[str, Any]:
    return {
        m.need: {
            "met": m.met, "value": _number(m.value, 4), "limit": _number(m.limit, 4), "low": _number(m.low, 4),
            "high": _number(m.high, 4),
        }
        for m in needs
    }  # fmt: skip


def ways(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"room", "weeks", "ways": [{"name", "devices", "price", "hold_s", "drops_per_week", "dark_min_per_day",
    "idle_burn_h_per_day", "waves_per_day", "meets"}]}`; a way that cannot be had has `"why_not"` and no figures."""
    from vastwatch.advice.schools import schools

    if all(r.id != args.room for r in project.rooms):
        raise RequestError(f"--room: there is no room '{args.room}' in this project")
    try:
        found = schools(project, args.room)
    except ValueError as e:
        raise RequestError(str(e)) from None
    rows: list[dict[str, Any]] = []
    lines, weeks = [], 0
    for way in found:
        row: dict[str, Any] = {"name": way.name, "devices": [d.id for d in way.devices], "price": _number(way.price)}
        if way.judged is None:
            rows.append({**row, "why_not": way.why_not})
            lines.append(f"{way.name}: {way.why_not}")
            continue
        j, hold = way.judged, way.judged.recommended_s
        weeks = j.weeks
        drops, dark, idle = j.figures(hold)
        waves = j.waves_at(hold)
        rows.append(
            {
                **row, "hold_s": hold, "drops_per_week": _number(drops), "dark_min_per_day": _number(dark),
                "idle_burn_h_per_day": _number(idle), "waves_per_day": _number(waves), "meets": way.meets,
            }
        )  # fmt: skip
        lines.append(
            f"{way.name} ({' + '.join(d.name for d in way.devices)}), {way.price:g}, {duration_words(hold)}: "
            f"{drops:.1f} drops a week, {dark:.1f} min in the dark and {idle:.1f} h for nobody a day, {waves:.1f} waves"
            f"{'' if way.meets else '; misses the needs'}"
        )
    return {"room": args.room, "weeks": weeks, "ways": rows}, lines


def buy(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"purchases": [{"room", "device", "price", "before": {...}, "after": {...}, "gain", "words"}], "total"}`."""
    from vastwatch.advice import purchases, starter_set
    from vastwatch.advice.purchase import bare, money_left

    if args.starter:
        budget = project.brief.budget if args.budget is None else args.budget
        if budget is None:
            raise RequestError("--starter: the brief has no budget; say --budget")
        found = starter_set(bare(project), budget)
    else:
        found = purchases(project, budget=money_left(project) if args.budget is None else args.budget)

    def cost(c: Any) -> dict[str, Any]:
        return {
            "dark_min_per_day": _number(c.dark_min), "idle_burn_h_per_day": _number(c.idle_h),
            "drops_per_day": _number(c.drops),
        }  # fmt: skip

    document = {
        "purchases": [
            {
                "room": p.room, "device": p.option.device.id, "price": _number(p.option.price),
                "before": cost(p.before), "after": cost(p.after), "gain": _number(p.gain), "words": p.words,
            }
            for p in found
        ],
        "total": _number(sum(p.option.price for p in found)) if args.starter else None,
    }  # fmt: skip
    return document, [p.words for p in found] or ["Nothing would help for that money."]


def import_drawing(args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"walls", "rooms": [{"name", "area_m2"}], "openings": {"door", "window", "archway"}, "passed_over": {kind: n}}`,
    and the unit, the turn in degrees and the layers it was made of."""
    from vastwatch.files.drawing.bringing import bring_understood
    from vastwatch.files.drawing.reading import read_drawing
    from vastwatch.files.drawing.understanding import understand, usual_layers
    from vastwatch.files.project_file import save_project
    from vastwatch.geometry import polygons
    from vastwatch.site.building import Level

    out = Path(args.out)
    if out.exists() and not args.over:
        raise RequestError(f"{out}: there is a file already; name another, or say --over")
    drawing = read_drawing(Path(args.drawing))
    layers = usual_layers(drawing)
    if args.layers:
        layers = {name.strip() for names in args.layers for name in names.split(",") if name.strip()}
        unknown = sorted(layers - set(drawing.layers))
        if unknown:
            raise RequestError(
                f"{args.drawing}: there is no layer {', '.join(unknown)}; there are {', '.join(drawing.layers)}"
            )
    unit = args.unit or drawing.guessed_unit()
    bare = Project(name=Path(args.drawing).stem, levels=(Level(id="ground", name="Ground floor", elevation=0.0),))
    found = understand(drawing, layers, unit, not args.as_drawn)
    try:
        brought = bring_understood(bare, "ground", drawing, found)
    except ProjectError as e:
        raise RequestError(f"{args.drawing}: {e}") from None
    save_project(brought.project, out)
    new = brought.project
    document = {
        "walls": len(new.walls),
        "rooms": [{"name": r.name, "area_m2": _number(polygons.area(r.outline), 3)} for r in new.rooms],
        "openings": {kind: sum(o.kind == kind for o in new.openings) for kind in ("door", "window", "archway")},
        "furniture": len(new.furnishings),
        "passed_over": dict(drawing.passed_over),
        "unit": unit,
        "turned_deg": _number(found.turn, 3),
        "layers": sorted(layers),
    }
    return document, [f"{out}: {brought.words}"]


def compare(args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"differences": [{"way", "kind", "name", "fields", "text"}]}`: what has to be done to the first to have the
    other."""
    from vastwatch.design.differences import differences

    found = differences(load_project(args.old), load_project(args.new))
    document = {
        "differences": [
            {"way": d.way, "kind": d.kind, "name": d.name, "fields": list(d.fields), "text": d.words} for d in found
        ]
    }
    return document, [d.words for d in found] or ["They say the same."]


WITHOUT_PROJECT: dict[str, Callable[[argparse.Namespace], tuple[Any, list[str]]]] = {
    "import": import_drawing,
    "compare": compare,
}
COMMANDS: dict[str, Callable[[Project, argparse.Namespace], tuple[Any, list[str]]]] = {
    "check": check,
    "coverage": coverage,
    "rehearse": rehearse,
    "tune": tune,
    "trial": trial,
    "ways": ways,
    "advise": advise,
    "buy": buy,
}

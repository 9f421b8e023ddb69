"""Answers from simulated weeks: a rehearsal, and the hold time of a room."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from vastwatch.advice.judging.settings import settings
from vastwatch.answers.json_values import RequestError, messages_json, needs_json, number
from vastwatch.design.project import Project
from vastwatch.words import figure

if TYPE_CHECKING:
    from vastwatch.advice.judging.delays import Delays
    from vastwatch.advice.judging.frontier import Metrics, Point
    from vastwatch.rehearsal import Rehearsal


def rehearse(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """Scores per room, and the incidents with their chains of causes."""
    from vastwatch.advice.detection.messages import messages
    from vastwatch.rehearsal import rehearse as run

    result = run(project, args.days, args.seed)
    rooms = {
        ident: {
            "drops_per_day": number(s.false_offs),
            "dark_min_per_day": number(s.dark_min),
            "idle_burn_h_per_day": number(s.wasted_h),
            "idle_burn_kwh_per_day": number(s.wasted_kwh, 5),
            "first_light_s": {"median": number(s.first_median_s, 2), "p95": number(s.first_p95_s, 2)},
            "waves_per_day": number(s.waves),
            "to_switch_per_day": number(s.switch_trips),
            "under_lux_min_per_day": number(result.light_scores[ident].under),
            "presses_per_day": number(result.light_scores[ident].presses),
            "over_sleepers_min_per_day": number(result.light_scores[ident].over_sleepers_min),
            "flickers_per_day": number(result.light_scores[ident].flickers),
        }
        for ident, s in result.scores.items()
    }
    # Chains take longer than the rest: they are made for those who read them.
    incidents, causes = _why(result) if args.json else ([], [])
    lines = [
        f"{ident}: {figure(s.false_offs)} false-offs, {figure(s.dark_min)} min in the dark, "
        f"{figure(s.wasted_h)} h lit while empty a day"
        + (
            f"; {figure(s.waves)} waves, {figure(s.switch_trips)} trips to the switch"
            if s.waves + s.switch_trips > 0
            else ""
        )
        for ident, s in result.scores.items()
    ]
    devices = {ident: messages_json(m) for ident, m in messages(project, result.recording).items()}
    outputs = {
        ident: {
            "run_h_per_day": number(s.run_h),
            "idle_h_per_day": number(s.idle_h),
            "kwh_per_day": number(s.kwh, 5),
            "starts_per_day": number(s.starts),
            "bothered_min_per_day": number(s.bothered_min),
        }
        for ident, s in result.output_scores.items()
    }
    others = {o.id for o in project.outputs}
    lines += [
        f"{ident}: runs {s.run_h:.1f} h a day, {s.idle_h:.1f} h while empty, {s.kwh:.2f} kWh"
        for ident, s in result.output_scores.items()
        if ident in others
    ]
    document = {
        "days": args.days, "seed": args.seed, "rooms": rooms, "outputs": outputs, "devices": devices,
        "incidents": incidents, "causes": causes,
    }  # fmt: skip
    return document, lines or ["No room is controlled by presence."]


def _why(result: Rehearsal) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    """The incidents of a rehearsal with their chains, and what they are to be blamed on together."""
    from vastwatch.causes.chain import Link, explain
    from vastwatch.causes.groups import groups
    from vastwatch.causes.investigation import investigation

    def told(links: tuple[Link, ...]) -> list[dict[str, str]]:
        return [{"what": k.what, "record": k.record, "value": k.value, "text": k.text} for k in links]

    incidents, causes = [], []
    for i in result.incidents:
        chain = explain(result, i)
        incidents.append(
            {
                "kind": i.kind,
                "room": i.room,
                "at": result.clock(i.at).isoformat(timespec="seconds"),
                "duration_s": number(i.duration_s, 1),
                "story": told(chain.story),
                "chain": told(chain.causes),
            }
        )
    for room, mine in result.incidents_by_room.items():
        kinds = dict.fromkeys(i.kind for _, i in mine)
        asked = [found for kind in kinds if (found := investigation(result, room, kind)) is not None]
        causes += [
            {
                "room": room, "kind": g.kind, "record": g.record, "words": g.words, "incidents": len(g.incidents),
                "of": g.of, "saves_min_per_day": None if g.saves_s is None else number(g.saves_s / 60.0),
            }
            for g in groups(result, asked)
        ]  # fmt: skip
    return incidents, causes


def tune(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """The timing curve, the recommended setting and why."""
    from vastwatch.advice.judging.frontier import frontier
    from vastwatch.advice.judging.robustness import effects, stress_scenarios
    from vastwatch.advice.judging.timing import tune

    if all(r.id != args.room for r in project.rooms):
        raise RequestError(f"--room: unknown room '{args.room}'")
    try:
        c = tune(project, args.room, args.days, args.seed)
    except ValueError as e:
        raise RequestError(str(e)) from None
    judged, held = c.judged, c.held_out
    assert judged is not None and held is not None
    document = {
        "room": c.room,
        "presence": c.presence,
        "days": c.days,
        "curve": {
            "hold_s": [number(v) for v in c.hold_s],
            "drops_per_day": [number(v) for v in c.drops_per_day],
            "dark_min_per_day": [number(v) for v in c.dark_min_per_day],
            "idle_burn_h_per_day": [number(v) for v in c.idle_h_per_day],
        },
        "current_s": c.current_s,
        "knee_s": c.knee_s,
        "recommended_s": c.recommended_s,
        "interval_s": list(c.interval_s),
        "legal_holds_s": list(judged.legal_s),
        "needs": needs_json(judged.needs_at(c.recommended_s)),
        "interval": [number(v) for v in judged.false_off_interval(c.recommended_s)],
        "held_out": {
            "seeds": list(held.seeds),
            "drops_per_week": number(held.drops_per_week),
            "dark_min_per_day": number(held.dark_min_per_day),
        },
        "meets_brief": c.meets_brief,
        "reason": c.reason,
        "delays": None if c.delays is None else _delays(c.delays),
    }
    found = frontier(project, args.room, args.all_parameters, settings().chosen_on[: settings().frontier_seeds])
    today, chosen = found.named("today")[0], found.recommended
    document |= {
        "frontier": [_point(p) for p in found.pareto_points],
        "today": _point(today),
        "schools": [_point(p) for p in found.points if p.kind in ("school", "belief")],
        "chosen": None if chosen is None else _point(chosen),
        "searched": found.searched,
        "frontier_weeks": found.weeks,
    }
    words = [c.reason]
    if args.all_parameters:
        steps, others = effects(project, args.room), stress_scenarios(project, args.room)
        document["matters"] = [
            {"name": e.name, "now": e.now, "less": _step(e.less), "more": _step(e.more), "matters": e.matters}
            for e in steps
        ]
        document["robust"] = [{"name": o.name, **_figures(o.figures)} for o in others]
        words += [e.in_words() for e in steps]
        words += [
            f"{o.name}: {figure(o.figures.drops_per_week)} false-offs a week, {o.figures.dark_min:.2f} min in the "
            f"dark, {o.figures.idle_h:.2f} h lit while empty a day."
            for o in others
        ]
    return document, words


def _delays(d: Delays) -> dict[str, Any]:
    drops, dark, idle = d.judged.metrics_at(d.judged.current_s)
    return {
        "set": [{"name": x.name, "seconds": x.seconds, "before_s": x.before_s} for x in d.changes],
        "drops_per_week": number(drops), "dark_min_per_day": number(dark), "idle_h_per_day": number(idle),
        "needs": needs_json(d.judged.needs_at(d.judged.current_s)), "meets_brief": d.judged.meets_now,
        "held_out": {
            "drops_per_week": number(d.held.drops_per_week), "dark_min_per_day": number(d.held.dark_min_per_day),
        },
    }  # fmt: skip


def _step(step: tuple[str, float, float] | None) -> dict[str, Any] | None:
    if step is None:
        return None
    return {"value": step[0], "dark_min_per_day": number(step[1]), "idle_h_per_day": number(step[2])}


def _point(p: Point) -> dict[str, Any]:
    """`{"name", "settings", "drops_per_week", "dark_min_per_day", "idle_h_per_day", "held_out"}`, within what the seeds
    lie, and the same of weeks that it was not chosen by."""
    other = None if p.held_out is None else _figures(p.held_out)
    return {"name": p.name, "settings": p.settings, **_figures(p.figures), "held_out": other}


def _figures(f: Metrics) -> dict[str, Any]:
    return {
        "drops_per_week": number(f.drops_per_week), "dark_min_per_day": number(f.dark_min),
        "idle_h_per_day": number(f.idle_h), "dark_within": [number(v) for v in f.dark_within],
        "idle_within": [number(v) for v in f.idle_within],
        "at_most_in_others": {"drops_per_week": number(f.drops_high), "dark_min_per_day": number(f.dark_high)},
    }  # fmt: skip

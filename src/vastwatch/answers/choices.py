"""Answers about what to choose: the adviser, the four ways, what to buy."""

from __future__ import annotations

import argparse
from typing import Any

from vastwatch.answers.json_values import RequestError, needs_json, number
from vastwatch.answers.room_workers import map_rooms
from vastwatch.design.project import Project
from vastwatch.words import duration_words, figure


def advise(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"rooms": {ROOM: {"words", "met_already", "options": [OFFER], "failing": [OFFER], "types": [TYPE]}}}`; of one
    room, its parts at the top as well.

    OFFER: `{"devices", "places": [{"device", "at", "yaw"}], "price", "bill": [{"what", "price", "why"}], "hold_s",
    "needs", "reason", "instead"}`; TYPE, what the maps say: `{"device", "looks_well", "price", "reason", "fails"}`."""
    from vastwatch.advice.adviser.adviser import Candidate, advise
    from vastwatch.advice.hardware.bill_of_materials import bill_words

    def told(offer: Candidate) -> dict[str, Any]:
        return {
            "devices": [d.id for d in offer.devices],
            "places": [
                {"device": s.device, "at": [number(c) for c in s.at], "yaw": number(s.yaw)} for s in offer.sensors
            ],
            "price": number(offer.price),
            "bill": [{"what": i.what, "price": number(i.price), "why": i.why} for i in offer.bill.items],
            "open": list(offer.bill.unpriced),
            "hold_s": number(offer.judged.recommended_s, 1),
            "needs": needs_json(offer.judged.needs_at(offer.judged.recommended_s)),
            "reason": offer.reason,
            "instead": offer.replaces,
        }

    rooms = [r for r in project.rooms if args.room in (None, r.id)]
    if not rooms:
        raise RequestError(f"--room: unknown room '{args.room}'")

    def of(room: str) -> tuple[dict[str, Any], str]:
        try:
            found = advise(project, room)
        except ValueError as e:
            return {"words": str(e), "met_already": False, "options": [], "failing": [], "types": []}, f"{e}."
        answer = {
            "words": found.words,
            "met_already": found.met_already,
            "options": [told(o) for o in found.candidates],
            "failing": [told(o) for o in found.rejected],
            "types": [
                {
                    "device": o.device.id, "looks_well": not o.shortfalls, "price": number(o.price), "reason": o.reason,
                    "fails": list(o.shortfalls),
                }
                for o in found.unjudged
            ],
        }  # fmt: skip
        return answer, found.words + "".join(
            f"\n  {o.name}, {bill_words(o.bill, project.brief.currency)}, {o.where}. {o.reason}"
            for o in found.candidates
        )

    answers = map_rooms([room.id for room in rooms], of)
    out = {room.id: answer for room, (answer, _) in zip(rooms, answers)}
    lines = [line for _, line in answers]
    document: dict[str, Any] = {"rooms": out}
    if args.room is not None:
        document |= out[args.room]
    return document, lines or ["There are no rooms."]


def ways(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"room", "weeks", "ways": [{"name", "devices", "price", "hold_s", "drops_per_week", "dark_min_per_day",
    "idle_burn_h_per_day", "waves_per_day", "meets", "unmet", "bill"}]}`; a way that cannot be had has `"why_not"`
    and no figures."""
    from vastwatch.advice.adviser.baselines import baselines
    from vastwatch.advice.hardware.bill_of_materials import bill_words
    from vastwatch.advice.judging.requirements import in_words

    if all(r.id != args.room for r in project.rooms):
        raise RequestError(f"--room: unknown room '{args.room}'")
    try:
        found = baselines(project, args.room)
    except ValueError as e:
        raise RequestError(str(e)) from None
    rows: list[dict[str, Any]] = []
    lines, weeks = [], 0
    for way in found:
        row: dict[str, Any] = {"name": way.name, "devices": [d.id for d in way.devices], "price": number(way.price)}
        if way.judged is None:
            rows.append({**row, "why_not": way.why_not})
            lines.append(f"{way.name}: {way.why_not}")
            continue
        j, hold = way.judged, way.judged.recommended_s
        weeks = j.weeks
        drops, dark, idle = j.metrics_at(hold)
        waves = j.waves_at(hold)
        rows.append(
            {
                **row, "hold_s": hold, "drops_per_week": number(drops), "dark_min_per_day": number(dark),
                "idle_burn_h_per_day": number(idle), "waves_per_day": number(waves), "meets": way.meets,
                "unmet": [in_words(m) for m in way.unmet],
                "bill": [{"what": i.what, "price": number(i.price), "why": i.why} for i in way.bill.items],
            }
        )  # fmt: skip
        missed = "; fails on: " + "; ".join(in_words(m) for m in way.unmet) if way.unmet else ""
        lines.append(
            f"{way.name} ({' + '.join(d.name for d in way.devices)}), {bill_words(way.bill, project.brief.currency)}, "
            f"hold time {duration_words(hold)}: {figure(drops)} false-offs a week, {figure(dark)} min in the dark and "
            f"{figure(idle)} h lit while empty a day, {figure(waves)} waves{missed}"
        )
    return {"room": args.room, "weeks": weeks, "ways": rows}, lines


def buy(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """`{"purchases": [{"room", "device", "price", "before": {...}, "after": {...}, "gain", "words"}], "total"}`."""
    from vastwatch.advice.adviser.purchase import budget_left, purchases, starter_set, without_sensors

    if args.starter:
        budget = project.brief.budget if args.budget is None else args.budget
        if budget is None:
            raise RequestError("--starter: the brief has no budget; use --budget")
        found = starter_set(without_sensors(project), budget)
    else:
        found = purchases(project, budget=budget_left(project) if args.budget is None else args.budget)

    def cost(c: Any) -> dict[str, Any]:
        return {
            "dark_min_per_day": number(c.dark_min), "idle_burn_h_per_day": number(c.idle_h),
            "drops_per_day": number(c.drops),
        }  # fmt: skip

    document = {
        "purchases": [
            {
                "room": p.room, "device": p.offer.devices[0].id, "devices": [d.id for d in p.offer.devices],
                "instead": p.offer.replaces, "price": number(p.price),
                "before": cost(p.before), "after": cost(p.after), "gain": number(p.gain), "words": p.words,
            }
            for p in found
        ],
        "total": number(sum(p.price for p in found)) if args.starter else None,
    }  # fmt: skip
    return document, [p.words for p in found] or ["No device within this budget would help."]

"""Remedies that can be tried: each is a changed project, and trying one is rehearsing the same days with it.

Candidates come from the room's own figures: the hold time its timing curve recommends, the aim at which its PIR
sees the spots best, and the radar, from the catalogue and at the room's corners and wall middles, that would keep
presence on for the least money.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from vastwatch.advice.checks.findings import spot_wait_s
from vastwatch.advice.judging.judge import HeldOut, dark_limit_min, held_out, judge
from vastwatch.advice.judging.requirements import LEAST_LIMIT
from vastwatch.advice.judging.settings import settings
from vastwatch.advice.simulation.hold_curves import KNOWN_S
from vastwatch.causes.episodes import DROP_S
from vastwatch.causes.investigation import IDLE_COSTS, MATTERS, investigation
from vastwatch.design.edits.sensors import add_sensor, set_hold
from vastwatch.design.needs import RoomNeeds, light_spots, needs_of
from vastwatch.design.presence import hold_of, reports
from vastwatch.design.project import Project, find, find_any, put
from vastwatch.design.relations import presence_of
from vastwatch.devices import PirType, RadarType, catalogue
from vastwatch.geometry import polygons
from vastwatch.rehearsal import Rehearsal, Scores, rehearse
from vastwatch.sensing.coverage import spot_notice_s
from vastwatch.site.building import Room
from vastwatch.words import duration_words

# A wait longer than this counts no worse, seconds: never is never.
CAPPED_WAIT_S = 7200.0
# Candidate mounting points keep this far from the walls' centre lines, metres.
INSET_M = 0.2
# What an hour of light while empty is reckoned worth in minutes of dark, when remedies are put in order.
DARK_MIN_PER_IDLE_H = 60.0 * IDLE_COSTS
# A remedy is simulated in weeks under so many more seeds, none of which anything was chosen on.
OTHER_SEEDS = 6
# Aims tried to either side of the present one, degrees.
AIMS = tuple(range(-60, 61, 5))


@dataclass(frozen=True, eq=False)
class Remedy:
    """A change in words, the project with it, the room's scores on the same days before and after, and what weeks under
    OTHER_SEEDS gave, by which it was not found, before and after; None where the room's hold cannot be judged."""

    text: str
    project: Project
    before: Scores
    after: Scores
    others: tuple[HeldOut, HeldOut] | None = None

    @property
    def gain(self) -> float:
        """Minutes of dark spared a day, false-offs with them and light while empty reckoned against them: for ordering
        only. Dark counts as much as false-offs: where nobody is noticed at all nothing can go off."""
        burned = self.after.wasted_h - self.before.wasted_h
        drops = (self.before.false_offs - self.after.false_offs) * DROP_S / 60.0
        return (self.before.dark_min - self.after.dark_min) + drops - DARK_MIN_PER_IDLE_H * burned


def remedies(rehearsal: Rehearsal, room: str, should_continue: Callable[[], bool] = lambda: True) -> list[Remedy]:
    """Remedies for a room that better its scores, those first that come nearest to its needs in weeks
    that they were not found by. Rehearses once for each.

    `should_continue` is asked before each; when it says no, what has been found so far is returned.
    """
    before = rehearsal.scores.get(room)
    if before is None:
        return []
    out = []
    elsewhere = _on_others(rehearsal.project, room, should_continue)
    for text, project in _candidates(rehearsal, room, should_continue):
        if not should_continue():
            break
        after = rehearse(project, rehearsal.days, rehearsal.seed).scores.get(room)
        if after is not None and after != before:
            then = None if elsewhere is None else _on_others(project, room, should_continue)
            out.append(
                Remedy(text, project, before, after, None if elsewhere is None or then is None else (elsewhere, then))
            )
    needs = needs_of(rehearsal.project, find(rehearsal.project.rooms, room))
    limit = dark_limit_min(needs, before.arrivals / rehearsal.days)

    def missed(r: Remedy, k: int) -> float:
        if r.others is not None:
            return _missed(r.others[k].drops_per_week, r.others[k].dark_min_per_day, needs, limit)
        scores = (r.before, r.after)[k]
        return _missed(7.0 * scores.false_offs, scores.dark_min, needs, limit)

    better = [r for r in out if missed(r, 1) < missed(r, 0) or (r.gain > 0 and missed(r, 1) <= missed(r, 0))]
    return sorted(better, key=lambda r: (missed(r, 1), -r.gain))


def _on_others(project: Project, room: str, should_continue: Callable[[], bool]) -> HeldOut | None:
    """What a room's hold gives in weeks that nothing was chosen on; None where it has none to be judged."""
    presence = presence_of(project, room)
    hold = None if presence is None else hold_of(presence.expr)
    if hold is None or not 0.0 <= hold < KNOWN_S:
        return None
    try:
        return held_out(project, room, hold, settings().days, settings().held_out[:OTHER_SEEDS], should_continue)
    except ValueError:
        return None


def _missed(drops_per_week: float, dark_min: float, needs: RoomNeeds, dark_limit: float) -> float:
    """By how many times false-offs a week and dark minutes a day miss what a room's needs allow; 0 where they keep to
    it."""
    drops = drops_per_week / max(needs.drops_per_week, LEAST_LIMIT)
    return max(drops - 1.0, 0.0) + max(dark_min / dark_limit - 1.0, 0.0)


def _candidates(rehearsal: Rehearsal, room: str, should_continue: Callable[[], bool]) -> Iterator[tuple[str, Project]]:
    project = rehearsal.project
    presence = presence_of(project, room)
    if presence is not None and hold_of(presence.expr) is not None:
        try:
            # The judge of the timing panel, so that both say the same.
            judged = judge(project, room, should_continue=should_continue)
        except ValueError:
            judged = None
        if judged is not None and abs(judged.recommended_s - judged.current_s) > 0.5:
            text = (
                f"Change the hold time from {duration_words(judged.current_s)} to "
                f"{duration_words(judged.recommended_s)}"
            )
            yield text, set_hold(project, presence.id, judged.recommended_s)
    for find_option in (_turned, with_radar):
        if (option := find_option(project, room)) is not None:
            yield option
    yield from _causes_gone(rehearsal, room)


def _causes_gone(rehearsal: Rehearsal, room: str) -> Iterator[tuple[str, Project]]:
    """What the inquiry into the room's incidents found to prevent most of them, where it is something to be done."""
    project = rehearsal.project
    seen: set[tuple[str, str]] = set()
    for kind in dict.fromkeys(i.kind for _, i in rehearsal.incidents_by_room.get(room, [])):
        found = investigation(rehearsal, room, kind)
        tried = [] if found is None else [t for t in found.tests if t.saved_s >= MATTERS]
        for t in sorted(tried, key=lambda t: -t.saved_s):
            it = t.counterfactual
            name = getattr((find_any(project, it.record) or ("", None))[1], "name", "")
            words = {
                "obstacle": f"Move {name}, or see around it",
                "settings": f"Reset {name} to its defaults",
                "starter": f"Use {name} to turn the light on" if kind == "late" else f"Use {name} to keep the light on",
            }.get(it.factor)
            if words is not None and name and (it.factor, it.record) not in seen:
                seen.add((it.factor, it.record))
                yield words, it.project


def _badness(project: Project, sensors: list[str], room: str) -> float:
    return sum(min(spot_wait_s(project, sensors, s), CAPPED_WAIT_S) for s in light_spots(project, room))


def _turned(project: Project, room: str) -> tuple[str, Project] | None:
    """The wall PIR of the room turned to where it sees the spots best, if that is better than now by a tenth."""
    presence = presence_of(project, room)
    if presence is None or not light_spots(project, room):
        return None
    sensors = list(dict.fromkeys(r.sensor for r in reports(presence.expr)))
    for ident in sensors:
        sensor = find(project.sensors, ident)
        device = find(project.devices, sensor.device)
        if not isinstance(device, PirType) or device.lens != "wall":
            continue
        now = _badness(project, sensors, room)
        best, best_aim = now, 0
        for aim in AIMS:
            turned = put(project, replace(sensor, yaw=(sensor.yaw + aim) % 360))
            bad = _badness(turned, sensors, room)
            if bad < best:
                best, best_aim = bad, aim
        if best < 0.9 * now:
            way = "left" if best_aim > 0 else "right"
            text = f"Turn {sensor.name} {abs(best_aim)}° to the {way}"
            return text, put(project, replace(sensor, yaw=(sensor.yaw + best_aim) % 360))
    return None


def with_radar(project: Project, room: str) -> tuple[str, Project] | None:
    """The cheapest catalogue radar, at its best point, that sees every spot of the room within 10 s; else the one
    that leaves the least waiting."""
    spots = light_spots(project, room)
    presence = presence_of(project, room)
    if not spots or presence is None:
        return None
    here = find(project.rooms, room)
    families = {find(project.devices, find(project.sensors, r.sensor).device).family for r in reports(presence.expr)}
    if "radar" in families:
        return None
    best: tuple[tuple[float, float], str, Project] | None = None
    for device in catalogue():
        if not isinstance(device, RadarType) or "wall" not in device.mounts:
            continue
        for x, y, yaw in mount_points(here):
            changed, sensor = add_sensor(project, device, here.level, (x, y, device.mount_height), yaw, -5.0)
            waits = [min(spot_notice_s(changed, sensor.id, s), CAPPED_WAIT_S) for s in spots]
            missed = sum(max(w - 10.0, 0.0) for w in waits)
            key = (round(missed), device.price + 0.01 * sum(waits))
            if best is None or key < best[0]:
                best = (key, f"Add {device.name} to keep presence on", changed)
    return None if best is None else best[1:]


def mount_points(room: Room) -> list[tuple[float, float, float]]:
    """Corners and wall middles of a room, a little inside, each looking at its middle: (x, y, yaw)."""
    outline = polygons.counter_clockwise(room.outline)
    cx, cy = polygons.centroid(outline)
    corners = [tuple(p) for p in outline]
    middles = [tuple((p + q) / 2) for p, q in zip(outline, np.roll(outline, -1, axis=0))]
    out: list[tuple[float, float, float]] = []
    for x, y in corners + middles:
        d = math.hypot(cx - x, cy - y)
        inset = INSET_M * (math.sqrt(2) if (x, y) in corners else 1.0)
        if d <= inset:
            continue
        at = np.array([x + (cx - x) * inset / d, y + (cy - y) * inset / d])
        if polygons.contains(outline, at)[0]:
            out.append(
                (
                    round(float(at[0]), 2),
                    round(float(at[1]), 2),
                    round(math.degrees(math.atan2(cy - y, cx - x)) % 360),
                )
            )
    return out

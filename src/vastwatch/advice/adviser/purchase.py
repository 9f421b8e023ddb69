"""What to buy next: of all single additions to the building, the one that removes most dark time and light while empty
for its price; and, one after another, a set within a budget.

Each candidate is one of the adviser's best for its room, mounted where the adviser would, and judged as the adviser
judges it: on the same weeks, at the hold that the judge recommends. What is mounted there now is taken at its own
recommended hold, since a better hold costs nothing; a room where nothing is mounted, as a hand switches it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from dataclasses import replace as changed

import numpy as np

from vastwatch.advice.adviser.adviser import advise
from vastwatch.advice.adviser.candidate import Candidate, judge_candidate, rejudge
from vastwatch.advice.adviser.shortlist import CABLE_PRICE, DEVICE_PRICE, Option, shortlist
from vastwatch.advice.hardware.bill_of_materials import BillOfMaterials, bill_of_materials, bill_words, with_modules
from vastwatch.advice.judging import judge as judging
from vastwatch.advice.judging.judge import Judgement, dark_limit_min
from vastwatch.advice.judging.requirements import LATE_S, RequirementCheck, in_words, violation
from vastwatch.advice.judging.settings import settings
from vastwatch.advice.simulation.room_simulation import manual_cost
from vastwatch.causes.episodes import DROP_S
from vastwatch.causes.investigation import IDLE_COSTS
from vastwatch.control.manual.manual_switching import REACH_S
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.edits.removing import removed
from vastwatch.design.edits.sensors import try_set_hold
from vastwatch.design.edits.telling import without_what_tells
from vastwatch.design.needs import needs_of
from vastwatch.design.project import Project, find
from vastwatch.design.relations import presence_of
from vastwatch.devices import DeviceType
from vastwatch.words import duration_words, figure

# So many of a room's options are looked at, the best by the maps first, in so many of the judge's seeds; and one of
# them, the best for its money, in all.
TRIED_PER_ROOM, GLANCE = 2, 3
# A purchase that saves less than this, in weighted minutes a day, is none.
LEAST_GAIN = 0.05
# Nothing is reckoned cheaper than this, so that a gift does not win by dividing by nothing.
LEAST_PRICE = 1.0
MOST_STEPS = 60


@dataclass(frozen=True)
class Cost:
    """What a room's light costs its people, per day: minutes needed and not lit, hours lit while empty, false-offs."""

    dark_min: float
    idle_h: float
    drops: float


@dataclass(frozen=True)
class ServiceLevel:
    """How a room is served at the best hold: what it costs, and by how many times its needs are missed; and what it
    costs as it is set today."""

    cost: Cost
    misfit: float
    today: Cost


@dataclass(frozen=True, eq=False)
class Purchase:
    """One addition: what is mounted, the offer that the judge made of it, and the room's cost per day as it is set
    today and after.

    `gain`: weighted minutes a day that it saves more than a better hold alone; `gain_per_cost`: that per unit of its
    price, shadow prices included.
    """

    room: str
    options: tuple[Option, ...]
    offer: Candidate
    before: Cost
    after: Cost
    gain: float
    gain_per_cost: float
    words: str

    @property
    def project(self) -> Project:
        """The project with it, held as the judge recommends."""
        return self.offer.project

    @property
    def bill(self) -> BillOfMaterials:
        """All that it takes."""
        return self.offer.bill

    @property
    def price(self) -> float:
        """What it costs in all."""
        return self.bill.total


def current_service(
    project: Project, room: str, should_continue: Callable[[], bool] = lambda: True, seeds: int | None = None
) -> ServiceLevel | None:
    """How a room is served by what is mounted there, at its recommended hold, or by hand, in so many of the judge's
    seeds, by default all. None where nothing can be judged by."""
    chosen = settings().chosen_on[:seeds]
    if presence_of(project, room) is not None:
        try:
            return service_level(judging.judge(project, room, settings().days, chosen, should_continue))
        except ValueError:
            return None
    days = [manual_cost(project, room, settings().days, seed) for seed in chosen]
    dark, idle, arrivals = np.mean(days, axis=0).tolist()
    needs = needs_of(project, find(project.rooms, room))
    limit, light = dark_limit_min(needs, arrivals), needs.notice_s + LATE_S
    asked = (
        RequirementCheck("dark_min_per_day", dark, limit, dark, dark),
        RequirementCheck("first_light_s", REACH_S, light, REACH_S, REACH_S),
    )
    by_hand = Cost(dark, idle, 0.0)
    return ServiceLevel(by_hand, violation(asked), by_hand) if arrivals > 0 else None


def service_level(judgement: Judgement) -> ServiceLevel:
    """How a room is served at the hold that the judge recommends, and at the one that is set."""
    now = judgement.current_s if judgement.current_s in judgement.holds else judgement.recommended_s
    return ServiceLevel(_cost(judgement, judgement.recommended_s), judgement.violation, _cost(judgement, now))


def _cost(judgement: Judgement, hold_s: float) -> Cost:
    drops, dark, idle = judgement.metrics_at(hold_s)
    return Cost(dark, idle, drops / 7.0)


def _weighed(project: Project, cost: Cost) -> float:
    """Weighted minutes a day, the less the better: false-offs and light while empty as causes and remedies reckon
    them."""
    w = project.brief.weights
    comfort = max(w.comfort, 0.1) * (cost.dark_min + cost.drops * DROP_S / 60.0)
    return comfort + max(w.cost, 0.1) * cost.idle_h * 60.0 * IDLE_COSTS


def _shadow_price(project: Project, options: tuple[Option, ...], price: float) -> float:
    """Its price with what cables and so many devices more weigh."""
    w = project.brief.weights
    cables = w.no_cables * CABLE_PRICE * sum(o.device.power in ("mains", "usb") for o in options)
    return max(price + cables + w.fewest * DEVICE_PRICE * len(options), LEAST_PRICE)


def purchases(
    project: Project,
    types: Sequence[DeviceType] | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    budget: float | None = None,
    report_progress: Callable[[float], None] = lambda _: None,
    rooms: set[str] | None = None,
) -> list[Purchase]:
    """The best addition to each room that is worth its money, the best first; those over the budget are left out.

    `budget` defaults to the brief's less what the placed devices cost. `should_continue` is asked between rooms and
    within them, `report_progress` hears the share done, `rooms` limits where to look.
    """
    if budget is None:
        budget = budget_left(project)
    places = [r.id for r in project.rooms if lights_in(project, r.id) and (rooms is None or r.id in rooms)]
    found: list[Purchase] = []
    for k, room in enumerate(places):
        if not should_continue():
            break
        report_progress(k / len(places))
        best = _for_room(project, room, types, budget, should_continue)
        if best is not None:
            found.append(best)
    report_progress(1.0)
    return sorted(found, key=lambda p: -p.gain_per_cost)


def _for_room(
    project: Project, room: str, types: Sequence[DeviceType] | None, budget: float | None,
    should_continue: Callable[[], bool],
) -> Purchase | None:  # fmt: skip
    now = current_service(project, room, should_continue, GLANCE)
    if now is None or _weighed(project, now.cost) < LEAST_GAIN:
        return None
    tried: list[Purchase] = []
    for option in shortlist(project, room, types):
        if option.blockers or len(tried) == TRIED_PER_ROOM or (option.shortfalls and tried):
            # What the maps doubt is simulated as well where there is nothing else: they only say what to try first.
            break
        if budget is not None and bill_of_materials(option.project, room, [option.placed[1]]).total > budget + 1e-9:
            continue
        offer = judge_candidate(project, room, (option,), GLANCE, should_continue)
        if offer is not None:
            tried.append(_purchase(project, room, (option,), offer, now))
    promising = [p for p in tried if _worth_it(p.offer.may_meet, p, now)]
    if promising:
        now = current_service(project, room, should_continue)
    second = None
    for glance in sorted(promising, key=lambda p: -p.gain_per_cost):
        if now is None or not should_continue():
            break
        offer = rejudge(glance.offer, room, len(settings().chosen_on), should_continue)
        whole = _purchase(project, room, glance.options, offer, now)
        if offer.fully_judged and _worth_it(offer.meets, whole, now):
            if offer.meets:
                return whole
            second = second or whole
    if second is None or now is None or not should_continue():
        return second
    # Of what only helps none is named where something would do: as the adviser says.
    for offer in advise(project, room, types, should_continue).candidates:
        if offer.fully_judged and (budget is None or offer.price <= budget + 1e-9):
            does = _purchase(project, room, offer.options, offer, now)
            if does.gain >= LEAST_GAIN:
                return does
    return second


def _worth_it(does: bool, purchase: Purchase, now: ServiceLevel) -> bool:
    """Whether it saves anything, and meets the room's needs or at least misses them by less than now."""
    return purchase.gain >= LEAST_GAIN and (does or purchase.offer.judged.violation < now.misfit)


def _purchase(
    project: Project, room: str, options: tuple[Option, ...], offer: Candidate, now: ServiceLevel
) -> Purchase:
    after = service_level(offer.judged)
    gain = _weighed(project, now.cost) - _weighed(project, after.cost)
    per = gain / _shadow_price(project, options, offer.price)
    words = _words(project, room, offer, now, after.cost)
    return Purchase(room, options, offer, now.today, after.cost, gain, per, words)


def _words(project: Project, room: str, offer: Candidate, served_now: ServiceLevel, now: Cost) -> str:
    price, was = bill_words(offer.bill, project.brief.currency), served_now.today
    parts = []
    if was.drops - now.drops > 0.05:
        parts.append(f"{figure(was.drops)} → {figure(now.drops)} false-offs")
    if abs(was.dark_min - now.dark_min) > 0.02:
        dark = (duration_words(round(60 * m)) for m in (was.dark_min, now.dark_min))
        parts.append(f"{' → '.join(dark)} in the dark")
    if abs(was.idle_h - now.idle_h) > 0.02:
        idle = (duration_words(round(3600 * h / 60) * 60) for h in (was.idle_h, now.idle_h))
        parts.append(f"{' → '.join(idle)} lit while empty")
    if not parts:
        parts.append("slightly better in everything")
    place = find(project.rooms, room).name.lower()
    how = ", instead of the sensors already there" if offer.replaces else ""
    said = f"{offer.name} in {place}{how}, {price}: {', '.join(parts)} a day"
    if _weighed(project, was) - _weighed(project, served_now.cost) > LEAST_GAIN:
        best = served_now.cost
        unlit, burning = duration_words(round(60 * best.dark_min)), duration_words(round(60 * best.idle_h) * 60)
        said += (
            f"; a better hold time alone would give {figure(best.drops)} false-offs, {unlit} in the dark and {burning} "
            "lit while empty"
        )
    if offer.unmet:
        said += "; still fails on: " + "; ".join(in_words(m) for m in offer.unmet)
    return said + "."


def retuning_gain(project: Project, should_continue: Callable[[], bool] = lambda: True) -> tuple[float, float]:
    """What better hold times alone would save where needs are missed, at no cost: minutes in the dark and hours lit
    while empty, per day."""
    dark = idle = 0.0
    for room in project.rooms:
        if presence_of(project, room.id) is None or not should_continue():
            continue
        try:
            judged = judging.judge(project, room.id, should_continue=should_continue)
        except ValueError:
            continue
        if judged.current_s in judged.holds and not judged.meets_now:
            now, best = _cost(judged, judged.current_s), _cost(judged, judged.recommended_s)
            dark += now.dark_min - best.dark_min
            idle += now.idle_h - best.idle_h
    return dark, idle


def budget_left(project: Project) -> float | None:
    """The brief's budget less the price of what is placed and not owned; None without a budget."""
    if project.brief.budget is None:
        return None
    return project.brief.budget - spent(project)


def spent(project: Project) -> float:
    """The price of all placed sensors and chosen modules beyond those owned."""
    owned = {o.device: o.count for o in project.brief.owned}
    total = 0.0
    for ident in [s.device for s in project.sensors] + [c.module for c in project.circuits if c.module is not None]:
        if owned.get(ident, 0) > 0:
            owned[ident] -= 1
        else:
            total += find(project.devices, ident).price
    return total


def without_sensors(project: Project) -> Project:
    """The same building without any sensor."""
    for room in project.rooms:
        project = without_what_tells(project, room.id)
    return removed(project, *(sensor.id for sensor in project.sensors))


def starter_set(
    project: Project,
    budget: float,
    types: Sequence[DeviceType] | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
) -> list[Purchase]:
    """Purchases one after another, each the best for its money on top of those before, until the budget is spent.

    Greedy by gain per price; but where one purchase alone would gain more than that whole set, the set begins with it.
    For gains that only shrink as the set grows, that is at worst within a factor (1 - 1/e) / 2 of the best set
    (Khuller, Moss and Naor 1999), and mostly far nearer. After each step only its room is judged anew: an addition in
    one room changes no other.
    """
    open_ = purchases(project, types, should_continue, budget, lambda s: report_progress(0.7 * s))
    out = _greedy(project, budget, list(open_), types, should_continue, lambda s: report_progress(0.7 + 0.2 * s))
    single = max((p for p in open_ if p.price <= budget + 1e-9), key=lambda p: p.gain, default=None)
    if single is not None and single.gain > sum(p.gain for p in out) and should_continue():
        left = budget - single.price
        rest = [p for p in open_ if p.room != single.room]
        rest += purchases(single.project, types, should_continue, left, rooms={single.room})
        out = [
            single,
            *_greedy(single.project, left, rest, types, should_continue, lambda s: report_progress(0.9 + 0.1 * s)),
        ]
    report_progress(1.0)
    return out


def _greedy(
    project: Project,
    budget: float,
    open_: list[Purchase],
    types: Sequence[DeviceType] | None,
    should_continue: Callable[[], bool],
    report_progress: Callable[[float], None],
) -> list[Purchase]:
    out: list[Purchase] = []
    left = budget
    while open_ and len(out) < MOST_STEPS and should_continue():
        best = max(open_, key=lambda p: p.gain_per_cost)
        open_.remove(best)
        if best.price > left + 1e-9:
            # What is left may do for something else there.
            open_ += purchases(project, types, should_continue, left, rooms={best.room})
            continue
        if best.options[0].base is not project:
            # Judged on an earlier design, that differs elsewhere: mount it on this one.
            best = _hung_on(best, project)
            if best.price > left + 1e-9:
                continue
        project = best.project
        left -= best.price
        out.append(best)
        report_progress(1 - left / budget if budget > 0 else 1.0)
        if not best.offer.meets:
            open_ += purchases(project, types, should_continue, left, rooms={best.room})
    return out


def _hung_on(purchase: Purchase, base: Project) -> Purchase:
    """The same purchase on a project that differs elsewhere."""
    new = without_what_tells(base, purchase.room) if purchase.offer.replaces else base
    sensors = []
    for option in purchase.options:
        new, sensor = option.on(new)
        sensors.append(sensor)
    bill, new = bill_of_materials(new, purchase.room, sensors), with_modules(new, purchase.room)
    presence = presence_of(new, purchase.room)
    assert presence is not None
    new = try_set_hold(new, presence.id, purchase.offer.judged.recommended_s)
    return changed(
        purchase,
        options=tuple(changed(o, base=base) for o in purchase.options),
        offer=changed(purchase.offer, project=new, bill=bill, sensors=tuple(sensors)),
    )

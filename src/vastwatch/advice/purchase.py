"""What to buy next: of all single additions to the building, the one that removes most dark time and idle burn for
its price; and, one after another, a set within a budget.

Each candidate is one of the adviser's best for its room, hung where the adviser would, rehearsed on the same week as
the design it is added to, and compared at the best hold time for each. Nothing here is a table of opinions.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from dataclasses import replace as changed

import numpy as np
from msgspec.structs import replace

from vastwatch.advice.bill import Bill, bill_of, switched
from vastwatch.advice.choose import CABLE_PRICE, DEVICE_PRICE, Option, choose
from vastwatch.advice.judge import legal_holds
from vastwatch.advice.met import beside
from vastwatch.advice.timing import cached_curve
from vastwatch.advice.weeks import lived
from vastwatch.control.by_hand import by_hand
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.edits.removing import removed
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.needs import needs_of
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.design.relations import presence_of
from vastwatch.devices import DeviceType
from vastwatch.rehearsal import Rehearsal, rehearse
from vastwatch.site.building import Room
from vastwatch.words import duration_words

# The week that candidates are rehearsed on.
WEEK, SEED = 7, 1
# The seeds of other weeks, which say what a candidate is worth.
OTHERS = (1001, 1002, 1003, 1004)
# So many minutes of light for nobody weigh as much as one minute in the dark, at equal weights of cost and comfort;
# and a drop weighs as much as so many minutes in the dark: the complaint is larger than its seconds.
IDLE_PER_DARK, DARK_PER_DROP = 20.0, 1.0
# Of a room's options so many are rehearsed, the best first.
TRIED_PER_ROOM = 2
# A purchase that saves less than this, in weighted minutes a day, is none.
LEAST_GAIN = 0.05
# Nothing is reckoned cheaper than this, so that a gift does not win by dividing by nothing.
LEAST_PRICE = 1.0
MOST_STEPS = 60


@dataclass(frozen=True)
class Cost:
    """What a room's light costs its people, per day: minutes needed and not lit, hours lit for nobody, drops."""

    dark_min: float
    idle_h: float
    drops: float


@dataclass(frozen=True, eq=False)
class Purchase:
    """One addition: the option, its whole bill, the project with it, and the room's cost per day before and after.

    `gain`: weighted minutes a day that it saves; `per_money`: that per unit of its price, shadow prices included.
    """

    room: str
    option: Option
    bill: Bill
    project: Project
    before: Cost
    after: Cost
    gain: float
    per_money: float
    words: str

    @property
    def price(self) -> float:
        """What it costs in all."""
        return self.bill.total


def room_cost(rehearsal: Rehearsal, room: Room) -> Cost:
    """A room's cost as rehearsed; without sensors, as a hand would switch it."""
    scores = rehearsal.scores.get(room.id)
    if scores is not None:
        return Cost(scores.dark_min, scores.idle_h, scores.drops)
    unlit, idle = by_hand(rehearsal.awake(room.id), rehearsal.house.dark(room.id))
    return Cost(unlit / 60.0 / rehearsal.days, idle / 3600.0 / rehearsal.days, 0.0)


def _weighed(project: Project, cost: Cost) -> float:
    """Weighted minutes a day, the less the better."""
    w = project.brief.weights
    comfort = max(w.comfort, 0.1) * (cost.dark_min + DARK_PER_DROP * cost.drops)
    return comfort + max(w.cost, 0.1) * cost.idle_h * 60.0 / IDLE_PER_DARK


def _shadow_price(project: Project, option: Option, price: float) -> float:
    """Its price with what a cable and one device more weigh."""
    w = project.brief.weights
    cable = w.no_cables * CABLE_PRICE if option.device.power in ("mains", "usb") else 0.0
    return max(price + cable + w.fewest * DEVICE_PRICE, LEAST_PRICE)


def purchases(
    project: Project,
    types: Sequence[DeviceType] | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    budget: float | None = None,
    report_progress: Callable[[float], None] = lambda _: None,
    rooms: set[str] | None = None,
) -> list[Purchase]:
    """All single additions worth their money, the best first; those over the budget are left out.

    `budget` defaults to the brief's less what the placed devices cost. `should_continue` is asked between rooms,
    `report_progress` hears the share done, `rooms` limits where to look.
    """
    if budget is None:
        budget = money_left(project)
    before = rehearse(project, WEEK, SEED)
    places = [r for r in project.rooms if lights_in(project, r.id) and (rooms is None or r.id in rooms)]
    found: list[Purchase] = []
    for k, room in enumerate(places):
        if not should_continue():
            break
        report_progress(k / len(places))
        found += _for_room(project, before, room, types, budget)
    report_progress(1.0)
    return sorted(found, key=lambda p: -p.per_money)


def _for_room(
    project: Project, before: Rehearsal, room: Room, types: Sequence[DeviceType] | None, budget: float | None
) -> Iterator[Purchase]:
    seen, held = best_held(before, room)
    if _weighed(project, seen) < LEAST_GAIN:
        return
    was: Cost | None = None
    tried = 0
    for option in choose(project, room.id, types):
        if option.barred or tried == TRIED_PER_ROOM or (option.misses and tried):
            # What the maps doubt is lived as well where there is nothing else: they only say what to try first.
            break
        bill = bill_of(option.project, room.id, [option.placed[1]])
        if budget is not None and bill.total > budget + 1e-9:
            continue
        tried += 1
        foreseen, hold = best_held(rehearse(option.project, WEEK, SEED), room)
        if _weighed(project, seen) - _weighed(project, foreseen) < LEAST_GAIN:
            continue
        # What it promises is what other weeks gave than those it was chosen on.
        was = was or cost_on_others(project, room, held)
        now = cost_on_others(option.project, room, hold)
        if hold is not None and _surely_missed(option.project, room, hold):
            continue
        new = switched(option.project, room.id)
        presence = presence_of(new, room.id)
        if hold is not None and presence is not None:
            new = set_hold(new, presence.id, hold)
        gain = _weighed(project, was) - _weighed(project, now)
        if gain >= LEAST_GAIN:
            per = gain / _shadow_price(project, option, bill.total)
            words = _words(project, room, option, bill, was, now)
            yield Purchase(room.id, option, bill, new, was, now, gain, per, words)


def best_held(rehearsal: Rehearsal, room: Room) -> tuple[Cost, float | None]:
    """The room's cost with the hold time that costs least, and that hold; as it is where it has none to set.

    A better hold costs nothing, so a purchase is compared with the best the present sensors can do. The curve is
    exact (M8); only legal holds count.
    """
    try:
        curve = cached_curve(rehearsal, room.id)
    except ValueError:
        return room_cost(rehearsal, room), None
    allowed = np.isin(curve.hold_s, legal_holds(rehearsal.project, room.id))
    costs = [
        Cost(float(d), float(i), float(n))
        for d, i, n in zip(curve.dark_min_per_day[allowed], curve.idle_h_per_day[allowed], curve.drops_per_day[allowed])
    ]
    weighed = [_weighed(rehearsal.project, c) for c in costs]
    k = min(range(len(costs)), key=weighed.__getitem__)
    return costs[k], float(curve.hold_s[allowed][k])


def cost_on_others(project: Project, room: Room, hold_s: float | None) -> Cost:
    """A room's cost with a hold in weeks that were not used to choose it; as `room_cost` where it has none to set."""
    costs = []
    for seed in OTHERS:
        if hold_s is None:
            costs.append(room_cost(rehearse(project, WEEK, seed), room))
            continue
        out = lived(project, room.id, WEEK, seed).curve.outcome(hold_s)
        costs.append(Cost(out.dark_s / 60.0 / WEEK, out.idle_s / 3600.0 / WEEK, len(out.drop_at) / WEEK))
    n = len(costs)
    return Cost(sum(c.dark_min for c in costs) / n, sum(c.idle_h for c in costs) / n, sum(c.drops for c in costs) / n)


def _surely_missed(project: Project, room: Room, hold_s: float) -> bool:
    """Whether the judge's other needs (first light, false starts, light over sleepers) are surely missed with it."""
    lives = [lived(project, room.id, WEEK, seed) for seed in OTHERS]
    besides = beside(lives, hold_s, needs_of(project, room), room.control == "absence")
    return any(m.low > m.limit for m in besides)


def _words(project: Project, room: Room, option: Option, bill: Bill, was: Cost, now: Cost) -> str:
    price = "owned already" if bill.total == 0 else f"{bill.total:g} {project.brief.currency}".strip()
    if bill.beside:
        price += f" with {' and '.join(i.what for i in bill.items if i.why)}"
    parts = []
    if was.drops - now.drops > 0.05:
        parts.append(f"{was.drops:.1f} → {now.drops:.1f} drops")
    if abs(was.dark_min - now.dark_min) > 0.02:
        dark = (duration_words(round(60 * m)) for m in (was.dark_min, now.dark_min))
        parts.append(f"{' → '.join(dark)} in the dark")
    if abs(was.idle_h - now.idle_h) > 0.02:
        idle = (duration_words(round(3600 * h / 60) * 60) for h in (was.idle_h, now.idle_h))
        parts.append(f"{' → '.join(idle)} burning for nobody")
    if not parts:
        parts.append("a little better in everything")
    return f"{option.device.name} in {room.name.lower()}, {price}: {', '.join(parts)} a day."


def free_gain(project: Project) -> tuple[float, float]:
    """What better hold times alone would save, at no cost: minutes in the dark and hours burned for nobody, per day."""
    rehearsal = rehearse(project, WEEK, SEED)
    dark = idle = 0.0
    for room in project.rooms:
        now = room_cost(rehearsal, room)
        best, _ = best_held(rehearsal, room)
        if _weighed(project, best) < _weighed(project, now):
            dark += now.dark_min - best.dark_min
            idle += now.idle_h - best.idle_h
    return dark, idle


def money_left(project: Project) -> float | None:
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


def bare(project: Project) -> Project:
    """The same building without any sensor."""
    for sensor in project.sensors:
        project = removed(project, sensor.id)
    return replace(project, presences=())


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
    out = _greedy(project, budget, open_, types, should_continue, lambda s: report_progress(0.7 + 0.2 * s))
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
        affordable = [p for p in open_ if p.price <= left + 1e-9]
        if not affordable:
            break
        best = max(affordable, key=lambda p: p.per_money)
        if best.option.base is not project:
            # Judged on an earlier design: hang it on this one.
            option = replace_base(best.option, project)
            presence, held = presence_of(option.project, best.room), presence_of(best.project, best.room)
            new = option.project
            if presence is not None and held is not None and (hold := hold_of(held.expr)) is not None:
                new = set_hold(new, presence.id, hold)
            bill = bill_of(option.project, best.room, [option.placed[1]])
            if bill.total > left + 1e-9:
                open_.remove(best)
                continue
            best = changed(best, option=option, project=switched(new, best.room), bill=bill)
        project = best.project
        left -= best.price
        out.append(best)
        report_progress(1 - left / budget if budget > 0 else 1.0)
        open_ = [p for p in open_ if p.room != best.room]
        open_ += purchases(project, types, should_continue, left, rooms={best.room})
    return out


def replace_base(option: Option, base: Project) -> Option:
    """The same option on another project that differs elsewhere."""
    return changed(option, base=base)

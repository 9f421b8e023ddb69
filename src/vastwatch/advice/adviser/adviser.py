"""The adviser: what would serve a room, alone or in pairs, with its whole bill, judged on weeks as everything else is.

Maps and formulas (`shortlist`) only say what is worth trying and where it would be mounted. What is offered has been
judged; what is not offered says which need it misses, or why it cannot be mounted there at all.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from vastwatch.advice.adviser.baselines import SCHOOLS, options_of
from vastwatch.advice.adviser.candidate import Candidate, judge_candidate, rejudge
from vastwatch.advice.adviser.room_state import rate_of
from vastwatch.advice.adviser.shortlist import Option, second_option, shortlist
from vastwatch.advice.judging import judge as judging
from vastwatch.advice.judging.judge import Judgement
from vastwatch.advice.judging.settings import settings
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.edits.telling import without_what_tells
from vastwatch.design.project import Project, find
from vastwatch.design.relations import presence_of, sensors_of
from vastwatch.devices import DeviceType, catalogue
from vastwatch.words import duration_words

# Of types alone and of pairs so many are judged, those first that look best by the maps and their price; of what a
# pair is made so many of each kind.
SINGLES, PAIRS, EACH_KIND = 4, 4, 2
# At a glance so many seeds are looked at; some more of what could still do, and all of what looks well. So many that do
# are enough.
GLANCE, SOME, ENOUGH = 3, 8, 3
# No wait counts for longer when pairs are put in order, seconds.
MOST_WAIT_S = 7200.0
# A few weeks may make an offer seem so many times slower than it is.
SPARE = 1.3
# What costs so much less is cheaper, and what lights so much sooner quicker, as shares.
CHEAPER, QUICKER = 0.05, 0.2


@dataclass(frozen=True, eq=False)
class RoomAdvice:
    """The adviser's answer for a room: how what is mounted there is judged, what would do, what was judged and does
    not, and the types that were not tried or cannot be, each with the reason. `words`: the answer in a sentence."""

    room: str
    now: Judgement | None
    candidates: tuple[Candidate, ...]
    rejected: tuple[Candidate, ...]
    unjudged: tuple[Option, ...]
    words: str

    @property
    def promising(self) -> tuple[Option, ...]:
        """The types that look best by the maps, before anything is judged."""
        return tuple(placeable(list(self.unjudged))[:SINGLES])

    @property
    def met_already(self) -> bool:
        """Whether what is mounted there meets every need, at some legal hold."""
        return self.now is not None and self.now.meets


def advise(
    project: Project,
    room: str,
    types: Sequence[DeviceType] | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
    told: Callable[[RoomAdvice], None] = lambda _: None,
) -> RoomAdvice:
    """What would serve a room. `told` hears what is known so far, first after a glance. Raises KeyError for a room that
    is not there, ValueError with a sentence for one that nothing can be judged by."""
    every = list(catalogue() if types is None else types)
    record = find(project.rooms, room)
    if not lights_in(project, room):
        raise ValueError(f"{record.name} has no lamp that presence could switch on")
    here = shortlist(project, room, every)
    told(_sorted(project, room, None, [], here))
    now = _now(project, room, should_continue, lambda s: report_progress(0.2 * s))
    tried: list[Candidate] = []

    def known(done: float) -> RoomAdvice:
        report_progress(done)
        found = _sorted(project, room, now, tried, here)
        told(found)
        return found

    def judged(steps: Sequence[ProposedDesign], begin: float, end: float) -> None:
        """Judge some candidates: a glance at each, and more of what could do, while the work goes on from a share to
        another."""
        middle, looked = (begin + end) / 2.0, []
        for k, (base, added, instead) in enumerate(steps):
            if not should_continue():
                return
            if (offer := judge_candidate(base, room, added, GLANCE, should_continue, instead)) is not None:
                looked.append(offer)
                tried.append(offer)
                known(begin + (middle - begin) * (k + 1) / len(steps))
        waiting = [o for o in looked if o.may_meet and _worth_telling(project, room, now, o, SPARE)]
        waiting.sort(key=lambda o: o.rank_cost)
        for k, offer in enumerate(waiting):
            if not should_continue() or len(_told(project, room, now, tried)) >= ENOUGH:
                return
            every = len(settings().chosen_on)
            # Of what looks well already few fail on some more.
            for seeds in (every,) if offer.likely_meets else (SOME, every):
                more = rejudge(offer, room, seeds, should_continue)
                tried[tried.index(offer)] = offer = more
                if not more.likely_meets:
                    break
            known(middle + (end - middle) * (k + 1) / len(waiting))

    alone, pairs = _candidates(project, room, every, here, now is not None and now.meets)
    judged(alone, 0.2, 0.6)
    # A second device is worth its price only where one alone does not do for less.
    enough = min((o.price for o in _told(project, room, now, tried)), default=math.inf)
    judged([p for p in pairs() if sum(o.price for o in p[1]) < enough], 0.6, 0.9)
    if not _told(project, room, now, tried) and not (now is not None and now.meets) and should_continue():
        # What people usually do is tried as well, so that none of it is found to do where this says that nothing does.
        judged(_usual_ways(project, room, every, tried), 0.9, 1.0)
    return known(1.0)


def _now(
    project: Project, room: str, should_continue: Callable[[], bool], report_progress: Callable[[float], None]
) -> Judgement | None:
    if presence_of(project, room) is None:
        return None
    try:
        return judging.judge(project, room, should_continue=should_continue, report_progress=report_progress)
    except ValueError:
        return None


# -- what to try ---------------------------------------------------------------------------------------------------

ProposedDesign = tuple[Project, tuple[Option, ...], bool]


def _candidates(
    project: Project, room: str, types: list[DeviceType], here: list[Option], met: bool
) -> tuple[list[ProposedDesign], Callable[[], Iterator[ProposedDesign]]]:
    """What is worth judging: where needs are not met, what could be added; and what could be mounted there instead, or
    where nothing does, alone; and what could in pairs, laid out when it is asked for."""
    out: list[ProposedDesign] = []
    if presence_of(project, room) is not None and not met:
        out += [(project, (option,), False) for option in placeable(here)[:SINGLES]]
    bare = without_what_tells(project, room)
    instead = bare is not project
    alone = placeable(shortlist(bare, room, types) if instead else here)
    out += [(bare, (option,), instead) for option in alone[:SINGLES]]
    return out, lambda: ((bare, pair, instead) for pair in pairs(bare, room, alone))


def _usual_ways(project: Project, room: str, types: list[DeviceType], tried: list[Candidate]) -> list[ProposedDesign]:
    bare = without_what_tells(project, room)
    known = {tuple(d.id for d in o.devices) for o in tried if o.replaces or bare is project}
    out: list[ProposedDesign] = []
    for _, hung in SCHOOLS:
        options = options_of(bare, room, hung, types)
        if not isinstance(options, str) and tuple(o.device.id for o in options) not in known:
            out.append((bare, options, bare is not project))
    return out


def placeable(options: list[Option]) -> list[Option]:
    """Those that can be mounted there, the most promising first."""
    return [o for o in options if not o.blockers and o.device.presence and (not o.waits or _notices_somebody(o))]


def _notices_somebody(option: Option) -> bool:
    return any(math.isfinite(wait) for wait in option.waits.values())


def pairs(bare: Project, room: str, alone: list[Option]) -> Iterator[tuple[Option, ...]]:
    """A quick one that starts and a patient one that keeps; and two of a kind from opposite corners."""
    starters = [o for o in alone if o.device.starts and not o.device.patient]
    keepers = [o for o in alone if not o.device.starts]
    out: list[tuple[float, float, tuple[Option, ...]]] = []
    for first in starters[:EACH_KIND]:
        families: set[str] = set()
        for second in keepers:
            if second.device.family not in families:
                families.add(second.device.family)
                out.append((_waiting(first, second), first.price + second.price, (first, second)))
    for first in starters[:EACH_KIND]:
        twin = second_option(first.project, room, first.device, first.sensor.at[:2])
        if twin is not None and not twin.blockers:
            out.append((max(twin.waits.values(), default=0.0), first.price + twin.price, (first, twin)))

    # Those that wait as long as each other, in the rough, by price; last those that never notice.
    def in_the_rough(waits_s: float) -> float:
        return round(math.log2(max(waits_s, 10.0))) if math.isfinite(waits_s) else waits_s

    yield from (pair for *_, pair in sorted(out, key=lambda p: (in_the_rough(p[0]), p[1]))[:PAIRS])


def _waiting(first: Option, second: Option) -> float:
    """The mean wait at the spot where both together wait longest, seconds."""
    rates = [rate_of(w) + rate_of(second.waits[s]) for s, w in first.waits.items()]
    return max((1.0 / max(rate, 1.0 / MOST_WAIT_S) for rate in rates), default=0.0)


# -- the answer ----------------------------------------------------------------------------------------------------


def _sorted(
    project: Project, room: str, now: Judgement | None, tried: list[Candidate], here: list[Option]
) -> RoomAdvice:
    does = _told(project, room, now, tried)
    failing = sorted((o for o in tried if not o.meets), key=_misfit)
    judged = {o.devices[0].id for o in tried if len(o.devices) == 1}
    others = tuple(o for o in here if o.device.id not in judged)
    return RoomAdvice(room, now, tuple(does), tuple(failing), others, _words(project, room, now, does, failing))


def _told(project: Project, room: str, now: Judgement | None, tried: list[Candidate]) -> list[Candidate]:
    """What of it is offered, the best first."""
    does = (o for o in tried if o.meets and o.fully_judged and _worth_telling(project, room, now, o))
    return sorted(does, key=lambda o: o.rank_cost)


def _worth_telling(project: Project, room: str, now: Judgement | None, offer: Candidate, spare: float = 1.0) -> bool:
    """Whether an offer would be told of, did it do: where needs are met already, only what is better."""
    return now is None or not now.meets or _better_than_now(project, room, now, offer, spare)


def _misfit(offer: Candidate) -> tuple[float, float]:
    return offer.judged.violation, offer.rank_cost


def _better_than_now(project: Project, room: str, now: Judgement, offer: Candidate, spare: float = 1.0) -> bool:
    """Where needs are met already: whether it is cheaper, quicker, or needs no cable where what is mounted there does.
    `spare`: how many times slower it may seem in the few weeks looked at."""
    presence = presence_of(project, room)
    mine = [s for s in project.sensors if presence is not None and s.id in sensors_of(presence)]
    types = [find(project.devices, s.device) for s in mine]
    cabled = sum(d.power in ("mains", "usb") for d in types)
    cables = sum(d.power in ("mains", "usb") for d in offer.devices)
    if offer.price < (1.0 - CHEAPER) * sum(d.price for d in types) and cables <= cabled:
        return True
    quick = spare * (1.0 - QUICKER) * _first_light(now)
    return cables < cabled or _first_light(offer.judged) < quick


def _first_light(j: Judgement) -> float:
    return next((m.value for m in j.needs_at(j.recommended_s) if m.need == "first_light_s"), math.inf)


def _words(project: Project, room: str, now: Judgement | None, does: list[Candidate], failing: list[Candidate]) -> str:
    name = find(project.rooms, room).name
    if now is not None and now.meets:
        at = duration_words(now.recommended_s)
        met = f"{name}: the sensors already there meet every need"
        if not now.meets_now:
            met += f", with a hold time of {at} instead of {duration_words(now.current_s)}"
        return met + (". The suggestions below are cheaper, faster, or need no cable." if does else ".")
    if does:
        best = does[0]
        return f"{name}: {best.name} would be enough, {best.price:g} {project.brief.currency}".strip() + " in all."
    if failing:
        return f"{name}: nothing tried meets every need; {failing[0].name} comes closest."
    return f"{name}: no listed device can be mounted here."

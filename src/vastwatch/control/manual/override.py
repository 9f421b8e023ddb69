"""A hand above the ladder: what a press of a button does, and until when.

A press puts a row on top of its room's ladders: off, on, a scene, or whatever is just then. It ends as its button says,
or at the next press. People press because of what the light does, and the light is what they pressed: so this goes
event by event, over the instants at which something could change a hand's mind, while all else stays algebra.
"""

from __future__ import annotations

import bisect
from collections.abc import Callable, Mapping, Sequence
from types import MappingProxyType
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.ladder import Winners
from vastwatch.control.manual.manual_switching import AGAIN_S
from vastwatch.design.records import Button
from vastwatch.rng import at_ms, uniform_of
from vastwatch.signals import Calendar, Signal
from vastwatch.site.record import seconds_of

Array = NDArray[np.float64]

# Anybody who is woken, or watches a film, presses so long after a light they do not want came on, seconds.
UNWANTED_S = 6.0
Does = Literal["on", "off", "scene", "leave"]


class Override(NamedTuple):
    """What a press did: from when to when, by which button, and what; `scene` the id of the one it asks for, None for
    the brightest of each ladder; `kept_level` the instant of which it keeps what ladders did that no scene of it
    reaches, below zero where they go on."""

    begin: float
    end: float
    button: str
    does: Does
    scene: str | None = None
    kept_level: float = -1.0


class LightPreferences(NamedTuple):
    """What people want of a room's light that may make them press. `disturbed`: while what the ladder gives is more
    than somebody there bears; `needing`: while somebody there wants light and is to have it; `luck`: the key of the
    draws whether they press, at a `share` of the times."""

    disturbed: Signal
    needing: Signal
    luck: int
    share: float


class UnderlyingLight(NamedTuple):
    """What a hand presses against: while the ladders of the room give light at all, and of the room's lighting
    conclusion while it holds, with how long a press lasts by itself."""

    lit: Signal
    own: Signal
    hold_s: float
    # By scene that a press may ask for, None for the brightest, while the room is lit then; those not here light it.
    pressed: Mapping[str | None, Signal] = MappingProxyType({})


def overrides(
    underlying: UnderlyingLight, buttons: Sequence[Button], calendar: Calendar, wishes: LightPreferences | None = None,
    presses: Sequence[tuple[float, str]] = (),
) -> tuple[Override, ...]:  # fmt: skip
    """What hands do to the light of a room, in order of time; they never overlap. `presses`: given ones, (instant,
    button id), besides those that people's wishes lead to."""
    by_id = {b.id: b for b in buttons}
    given = sorted((t, b) for t, b in presses if b in by_id)
    away = next((b for b in buttons if b.does in ("toggle", "off")), None)
    back = next((b for b in buttons if b.does in ("toggle", "scene")), None)
    out: list[Override] = []
    now, k, active = underlying.own.start, 0, None
    # Anybody who pressed it away gives way to anybody who pressed it back, for as long as that goes on.
    gave_way = now
    while True:
        event: tuple[float, str] | None = given[k] if k < len(given) else None
        wanted = _by_wish(wishes, away, back, active, now, gave_way)
        if wanted is not None and (event is None or wanted[0] < event[0]):
            event, mine = wanted, True
        else:
            mine = False
        if active is not None and (event is None or event[0] >= active.end):
            out.append(active)
            now, active = active.end, None
            if now >= underlying.own.end:
                return tuple(out)
            continue
        if event is None:
            return tuple(out)
        now = event[0]
        k += 0 if mine else 1
        if mine and active is not None and wishes is not None:
            gave_way = _until(wishes.disturbed, now)
        pressed = by_id[event[1]]
        lit = bool(underlying.lit.at(now)) if active is None else _lit(active, underlying, now)
        if active is not None:
            before = active._replace(end=now)
            if before.end > before.begin:
                out.append(before)
        active = _pressed(pressed, now, lit, active, underlying, calendar)


def _lit(active: Override, underlying: UnderlyingLight, now: float) -> bool:
    if active.does == "off":
        return False
    lit = underlying.lit if active.does == "leave" else underlying.pressed.get(active.scene)
    return lit is None or bool(lit.at(active.kept_level if active.kept_level >= 0 else now))


def _pressed(
    button: Button, t: float, lit: bool, active: Override | None, underlying: UnderlyingLight, calendar: Calendar
) -> Override | None:
    """What a press begins; None where it only ends what another began."""
    does: Does
    if button.does == "toggle":
        if not lit and active is not None and underlying.lit.at(t):
            return None
        does = "off" if lit else "on"
    elif button.does == "leave":
        if active is not None and active.button == button.id:
            return None
        does = "leave"
        if active is not None:
            # What another press asked for, or kept, is kept as it is.
            kept = active.kept_level if active.kept_level >= 0 else t
            return active._replace(
                begin=t, end=_ends(button, t, underlying, calendar), button=button.id, kept_level=kept
            )
    else:
        does = button.does
    scene = button.scene if does in ("on", "scene") else None
    return Override(t, _ends(button, t, underlying, calendar), button.id, does, scene, t if does == "leave" else -1.0)


def _ends(button: Button, t: float, underlying: UnderlyingLight, calendar: Calendar) -> float:
    """When what a press began ends by itself; the end of the span where it does not."""
    end = underlying.own.end
    if button.ends == "minutes":
        return min(t + 60.0 * button.minutes, end)
    if button.ends == "clock":
        for day in range(calendar.days):
            at = calendar.instant(day, seconds_of(button.clock))
            if at > t:
                return min(at, end)
        return end
    if button.ends == "vacancy":
        # A press says that somebody is there, for as long as the room's hold.
        until = min(t + underlying.hold_s, end)
        rows = underlying.own.intervals
        i = bisect.bisect_right(rows[:, 0].tolist(), until) - 1
        while i >= 0 and rows[i, 1] > until:
            until = float(rows[i, 1])
            i = bisect.bisect_right(rows[:, 0].tolist(), until) - 1
        return min(until, end)
    return end


def _until(signal: Signal, t: float) -> float:
    """The end of the interval that an instant lies in; itself where it lies in none."""
    rows = signal.intervals
    i = int(np.searchsorted(rows[:, 0], t, side="right")) - 1
    return float(rows[i, 1]) if i >= 0 and rows[i, 1] > t else t


def _by_wish(
    wishes: LightPreferences | None, away: Button | None, back: Button | None, active: Override | None, now: float,
    gave_way: float,
) -> tuple[float, str] | None:  # fmt: skip
    """The next press that somebody's wish leads to, from an instant on, were nothing else pressed meanwhile."""
    if wishes is None:
        return None
    if active is None:
        if away is None or wishes.share <= 0:
            return None
        rows = wishes.disturbed.intervals
        for a, b in rows[np.searchsorted(rows[:, 1], now, side="right") :].tolist():
            # Where it is only now that nothing keeps the light away, it comes on now.
            since = max(a, now)
            if a < gave_way:
                continue
            if since + UNWANTED_S < b and uniform_of(wishes.luck, int(at_ms(since))) < wishes.share:
                return since + UNWANTED_S, away.id
        return None
    if back is None or active.does != "off":
        return None
    rows = wishes.needing.intervals
    for a, b in rows[np.searchsorted(rows[:, 1], now, side="right") :].tolist():
        since = max(a, active.begin)
        if since >= active.end:
            return None
        if since + AGAIN_S < min(b, active.end):
            return since + AGAIN_S, back.id
    return None


class OverriddenRows(NamedTuple):
    """Which row wins once hands are above the ladder: rows from `rows + 1` on are the `scenes` that presses asked for,
    by id, None for the brightest there is."""

    won: Winners
    scenes: tuple[str | None, ...]


def apply_overrides(
    winners: Winners, rows: int, hands: Sequence[Override], reached: Callable[[str | None], bool] = lambda _: True
) -> OverriddenRows:
    """A ladder of so many rows with hands on top. `reached`: whether a scene that a press asks for, None for the
    brightest, has a say in this ladder; where it has not, the press does nothing to it."""
    hands = [h for h in hands if h.kept_level >= 0 or h.does == "off" or reached(h.scene)]
    if not hands:
        return OverriddenRows(winners, ())
    scenes = [h.scene for h in hands if h.does in ("on", "scene") and reached(h.scene)]
    asked = tuple(dict.fromkeys(scenes))
    edges = np.unique(np.concatenate([winners.edges, [x for h in hands for x in (h.begin, h.end)]]))
    edges = edges[(edges >= winners.edges[0]) & (edges <= winners.edges[-1])]
    row = winners.row_at(edges[:-1])
    for h in hands:
        a, b = np.searchsorted(edges, [h.begin, h.end])
        if h.does == "off":
            row[a:b] = rows
        elif h.does == "leave" or h.scene not in asked:
            row[a:b] = winners.at(h.kept_level)
        else:
            row[a:b] = rows + 1 + asked.index(h.scene)
    turn = np.concatenate([[True], row[1:] != row[:-1]])
    return OverriddenRows(Winners(np.append(edges[:-1][turn], edges[-1]), row[turn]), asked)


def ends_words(button: Button) -> str:
    """When what a button does ends, in words."""
    if button.ends == "minutes":
        return f"for {button.minutes:g} min"
    if button.ends == "clock":
        return f"until {button.clock}"
    return {"vacancy": "until the room is empty", "press": "until the next press", "never": "indefinitely"}[button.ends]

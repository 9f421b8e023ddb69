"""What players play and who is on a call, of a truth: what the house is told of a room that no sensor notices.

While somebody sits where films are watched, the room's player shows one thing after another: films, and clips that are
over within ten minutes. Anybody who watches pauses now and then, and skips: for less than two seconds nothing plays. A
player tells the length of what it plays, so that a clip is known for one from its beginning, and tells an exercise
programme, to which nobody sits in the dark, from a film.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.memo import memoised
from vastwatch.people.truth import Truth
from vastwatch.rng import at_ms, key_of, poisson_times, poisson_times_batch, sub_key_of, sub_keys, uniform, uniform_of
from vastwatch.signals import Signal, any_of

# A change counts once it has lasted so long, seconds: skips are over sooner.
SETTLES_S = 2.0
# Of what is begun, so much is a clip.
CLIPS = 0.25
# Least and most, seconds: until the first thing plays, between two, of a clip, of a film.
STARTS_S, BETWEEN_S, CLIP_LASTS_S, FILM_LASTS_S = (15.0, 60.0), (5.0, 45.0), (60.0, 480.0), (1500.0, 7200.0)
# While a film plays: pauses an hour, the least of one and what it lasts beyond that on average, seconds; skips an hour,
# and what they last, least and most.
PAUSES_PER_H, PAUSE_LEAST_S, PAUSE_MEAN_S = 1.2, 5.0, 150.0
SKIPS_PER_H, SKIP_S = 4.0, (0.3, 1.8)
# The least of a call and what it lasts beyond that on average, seconds.
CALL_LEAST_S, CALL_MEAN_S = 40.0, 420.0


class PlayerSignals(NamedTuple):
    """What a room's player does: while a film plays, while one is paused, and while anything plays."""

    film: Signal
    paused: Signal
    anything: Signal


@memoised
def player_in(truth: Truth, room: str) -> PlayerSignals:
    """What the player of a room does, skips and all."""
    sessions = truth.stays_at(room, lambda spot: spot.activity == "film")
    films: list[tuple[float, float]] = []
    luck: list[int] = []
    clips: list[tuple[float, float]] = []
    for begin, end in sessions:
        day = truth.calendar.day_of(begin)
        key = key_of(truth.household.seed, room, "player", day, int(at_ms(begin)))
        for k, (item, length, start) in enumerate(_items(key, begin, end)):
            until = min(start + length, end)
            if item == "clip":
                clips.append((start, until))
                continue
            films.append((start, until))
            luck.append(sub_key_of(key, 1000 + k))
    exercise = truth.stays_at(room, lambda spot: spot.exercise)
    stopped = _stops(luck, np.array(films).reshape(-1, 2))
    paused = stopped[stopped[:, 1] - stopped[:, 0] >= SETTLES_S]
    whole, stops, held, clip = (Signal.from_intervals(x, 0.0, truth.end) for x in (films, stopped, paused, clips))
    played = whole - stops
    return PlayerSignals(played, held, any_of([played, clip, exercise]))


def _items(key: int, begin: float, end: float):  # type: ignore[no-untyped-def]
    """What is played one after the other while somebody sits there: (kind, whole length, start)."""
    t, k = begin + _between(key, 0, STARTS_S), 0
    while t < end:
        clip = uniform_of(key, 4 * k + 1) < CLIPS
        length = _between(key, 4 * k + 2, CLIP_LASTS_S if clip else FILM_LASTS_S)
        yield ("clip" if clip else "film"), length, t
        # A pause takes of the evening, not of the film: what is left unseen is left.
        t += length + _between(key, 4 * k + 3, BETWEEN_S)
        k += 1


def _stops(luck: list[int], films: NDArray[np.float64]) -> NDArray[np.float64]:
    """While films do not play between their beginnings and their ends, by keys of their own: pauses and skips, (n, 2)
    in no order."""
    begin, end = films.T
    out = [np.empty((0, 2))]
    for name, per_h in (("pause", PAUSES_PER_H), ("skip", SKIPS_PER_H)):
        keys = np.array([key_of(key, name) for key in luck], np.uint64)
        t, of = poisson_times_batch(keys, np.full(len(keys), per_h / 3600.0), begin, end)
        u = uniform(sub_keys(keys[of], at_ms(t)), 0)
        lasts = (
            PAUSE_LEAST_S - PAUSE_MEAN_S * np.log1p(-u) if name == "pause" else SKIP_S[0] + u * (SKIP_S[1] - SKIP_S[0])
        )
        out.append(np.column_stack([t, np.minimum(t + lasts, end[of])]))
    return np.concatenate(out)


def _between(key: int, index: int, bounds: tuple[float, float]) -> float:
    return bounds[0] + uniform_of(key, index) * (bounds[1] - bounds[0])


@memoised
def calls_in(truth: Truth, room: str) -> Signal:
    """While somebody is on a call in a room, at a place where calls are taken."""
    rows = [np.empty((0, 2))]
    for k, spot in enumerate(truth.spots):
        if spot.room != room or spot.calls_per_hour <= 0:
            continue
        for track in truth.tracks:
            if track.person.kind == "pet":
                continue
            key = key_of(truth.household.seed, track.person.id, spot.id, "call")
            at = track.spot == k
            for begin, end in truth.stays(track, at).tolist():
                own = sub_key_of(key, int(at_ms(begin)))
                for t in poisson_times(own, spot.calls_per_hour / 3600.0, begin, end).tolist():
                    u = uniform_of(sub_key_of(own, int(at_ms(t))), 0)
                    rows.append(np.array([[t, min(t + CALL_LEAST_S - CALL_MEAN_S * float(np.log1p(-u)), end)]]))
    return Signal.from_intervals(np.concatenate(rows), 0.0, truth.end)


@memoised
def _settled(signal: Signal) -> Signal:
    """What counts once it has lasted: gaps and bursts of less than SETTLES_S do not, and all of it comes that late."""
    return signal.hold(SETTLES_S).on_delay(SETTLES_S)


def fact_signal(truth: Truth, what: str, room: str) -> Signal:
    """Return the signal of a fact about a room: "film", "paused" or "call". Raises ValueError for any other name."""
    if what == "film":
        return _settled(player_in(truth, room).film)
    if what == "paused":
        return _settled(player_in(truth, room).paused)
    if what == "call":
        return calls_in(truth, room)
    raise ValueError(f"no source for '{what}'")

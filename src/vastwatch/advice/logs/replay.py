"""What a log of a real house says without anybody's truth: how long lights were on, what another hold would have saved,
and which gaps it would have made that may have been people."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

import numpy as np

from vastwatch.advice.judging.judge import settable_holds
from vastwatch.control.evaluation import evaluate_expr
from vastwatch.control.house import HouseRun
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.edits.conclusions import set_holds
from vastwatch.design.presence import hold_of, with_hold
from vastwatch.design.project import Project, find
from vastwatch.design.records import Conclusion
from vastwatch.design.relations import presence_of
from vastwatch.rehearsal.reaction_inputs import start_and_keep
from vastwatch.signals import Calendar, Signal
from vastwatch.words import clock_words, duration_words

WEEK_S = 7 * 86_400.0
# A diary's note is about the light that went off nearest to it, within so long, seconds.
NEAR_S = 900.0
LONGEST_NOTE = 500


class RoomReplay(NamedTuple):
    """What a log says of a room: hours a day that it was listened to in all, that somebody was concluded to be there,
    and that its light was on in the dark; how often that switched on, a day."""

    known_h: float
    presence_h_per_day: float
    lit_h_per_day: float
    switched_per_day: float


def room_replays(house: HouseRun) -> dict[str, RoomReplay]:
    """What a log says of every room that something lights."""
    out = {}
    for room in house.project.rooms:
        presence, lit = house.presence(room.id), house.served(room.id)
        if presence is None or lit is None:
            continue
        known = house.observed(room.id)
        listened = known.total()
        days = max(listened / 86_400.0, 1e-9)
        lit = lit & known
        out[room.id] = RoomReplay(
            listened / 3600.0, (presence & known).total() / 3600.0 / days, lit.total() / 3600.0 / days,
            len(lit.rises) / days,
        )  # fmt: skip
    return out


@dataclass(frozen=True)
class WhatIf:
    """Another hold on the same log: the hours a week it would have saved (less than zero: cost), and the `gaps`
    that the light would have been off in and on again after, where it stayed on: each may have been people who sat
    still, or nobody. The longest of them, seconds, and when they began."""

    conclusion: str
    now_s: float
    hold_s: float
    saved_h_per_week: float
    gaps: int
    longest_gap_s: float
    at: tuple[float, ...]

    def in_words(self) -> str:
        """`with 40 s instead of 15 min you would have saved 9.2 h a week; 3 gaps ... may have been people`."""
        new, old = duration_words(self.hold_s), duration_words(self.now_s)
        if self.hold_s >= self.now_s:
            return (
                f"With {new} instead of {old} the light would have been on {-self.saved_h_per_week:.1f} h a week more."
            )
        gaps = "no gap" if self.gaps == 0 else f"{self.gaps} gap{'s' * (self.gaps > 1)}"
        may = "may have been people" if self.gaps else "was made"
        return (
            f"With {new} instead of {old} you would have saved {self.saved_h_per_week:.1f} h a week; {gaps} between "
            f"{new} and {old} {may}."
        )


def what_if(house: HouseRun, presence: Conclusion, hold_s: float) -> WhatIf:
    """Another hold of a conclusion on the same recording. Raises ValueError where it has no single hold."""
    now = hold_of(presence.expr)
    if now is None:
        raise ValueError(f"“{presence.name}” has no single hold time to change")
    lit = _lit(house, presence, now)
    other = _lit(house, presence, hold_s)
    weeks = max(_known(house, presence).total() / WEEK_S, 1e-9)
    # It came on again while it would still have been on: between those two nobody switched anything, and somebody may
    # have been there.
    lost = (lit - other).intervals
    again = lost[other.at(lost[:, 1])] if len(lost) else lost
    lengths = again[:, 1] - again[:, 0] + min(hold_s, now)
    return WhatIf(
        presence.id, now, hold_s, (lit.total() - other.total()) / 3600.0 / weeks, len(again),
        float(lengths.max()) if len(again) else 0.0, tuple(again[:, 0].tolist()),
    )  # fmt: skip


def _known(house: HouseRun, presence: Conclusion) -> Signal:
    return house.observed(presence.room) if presence.room is not None else Signal.constant(True, 0.0, house.end)


def _lit(house: HouseRun, presence: Conclusion, hold_s: float) -> Signal:
    """While its light would be on with a hold: in the dark, where it lights a room, as far as anybody listened."""
    named = house.conclusions.presences
    expr = with_hold(presence.expr, hold_s) or presence.expr
    on = evaluate_expr(house.project, expr, house.recording, dependencies=named)
    if presence.room is not None and presence.lights and lights_in(house.project, presence.room):
        on = on & house.dark(presence.room)
    return on & _known(house, presence)


class LogCurve(NamedTuple):
    """Of a log, at each hold: hours a day that the light is on, and how often a week it comes on again within the
    longest hold after it went off."""

    hold_s: np.ndarray
    lit_h_per_day: np.ndarray
    returns_per_week: np.ndarray


def log_curve(house: HouseRun, presence: Conclusion) -> LogCurve:
    """The timing curve of a log, which knows who reported and not who was there."""
    holds = settable_holds()
    longest = float(holds[-1])
    lits = [_lit(house, presence, float(h)) for h in holds]
    known = max(_known(house, presence).total(), 1.0)
    lit = np.array([s.total() for s in lits]) / 3600.0 / (known / 86_400.0)
    returns = []
    for s in lits:
        falls, rises = s.falls, s.rises
        k = np.searchsorted(rises, falls, side="right")
        nxt = np.append(rises, np.inf)[k]
        returns.append(int((nxt - falls <= longest).sum()))
    return LogCurve(holds, lit, np.array(returns) / (known / WEEK_S))


def with_holds(project: Project, holds: dict[str, float]) -> Project:
    """The project with other holds for some conclusions, by id. Raises ValueError for one that is not there, or
    has none."""
    for ident, seconds in holds.items():
        if all(p.id != ident for p in project.presences):
            raise ValueError(f"unknown conclusion '{ident}'")
        if not 0.0 <= seconds <= 86_400.0:
            raise ValueError(f"a hold time of {seconds:g} s is not between 0 s and a day")
    return set_holds(project, holds)


# -- diaries -------------------------------------------------------------------------------------------------------


class Note(NamedTuple):
    """A note of somebody's diary: when, in true seconds from the log's first midnight, and what."""

    at: float
    text: str


class ExplainedNote(NamedTuple):
    """A note with the light that it is about, if any is, and what led to that, one thing after the other."""

    note: Note
    room: str | None
    chain: tuple[str, ...]


_NOTE = re.compile(r"^\s*(\d{4}-\d{2}-\d{2})[T ,]+(\d{1,2}:\d{2})(?::\d{2})?[\s,;]+(.*\S)\s*$")


def notes_in(text: str, house: HouseRun) -> tuple[list[Note], list[str]]:
    """The notes of a diary, a line each: date, time, text; and the lines that are none, in a sentence each."""
    notes, faults = [], []
    calendar = house.recording.calendar
    for n, line in enumerate(text.splitlines(), 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        try:
            when, words = dated(line)
        except ValueError as e:
            faults.append(f"line {n}: {e}")
            continue
        at = _instant(calendar, when)
        if not 0.0 <= at < house.end:
            faults.append(f"line {n} is about a day that is not in the log: '{line.strip()[:60]}'")
            continue
        notes.append(Note(at, words))
    return notes, faults


def dated(line: str) -> tuple[str, str]:
    """When a note is of, as YYYY-MM-DDTHH:MM by the clock there, and its words. Raises ValueError with a sentence."""
    found = _NOTE.match(line)
    try:
        if found is None:
            raise ValueError
        return datetime.fromisoformat(f"{found[1]}T{found[2]:0>5}").strftime("%Y-%m-%dT%H:%M"), found[3][:LONGEST_NOTE]
    except ValueError:
        shown = line.strip()[:60]
        raise ValueError(f"not a note such as 2026-01-13 21:10 light went off on me: '{shown}'") from None


def _instant(calendar: Calendar, when: str) -> float:
    at = datetime.fromisoformat(when)
    return calendar.instant((at.date() - calendar.begin).days, at.hour * 3600.0 + at.minute * 60.0)


def notes_of(house: HouseRun) -> list[tuple[str, Note]]:
    """The notes of the project's diary that are of a recording's days, by time, each with its id."""
    calendar = house.recording.calendar
    found = [(n.id, Note(_instant(calendar, n.at), n.text)) for n in house.project.diary]
    return sorted(((i, n) for i, n in found if 0.0 <= n.at < house.end), key=lambda x: x[1].at)


def explain_note(house: HouseRun, note: Note) -> ExplainedNote:
    """What led to what a note tells: the light that went off nearest to it, and why."""
    rooms = [r for r in house.project.rooms if house.served(r.id) is not None]
    named = [r for r in rooms if r.name.lower() in note.text.lower()]
    best: tuple[float, float, str] | None = None
    for room in named or rooms:
        lit = house.served(room.id)
        assert lit is not None
        if len(lit.falls) == 0:
            continue
        k = int(np.abs(lit.falls - note.at).argmin())
        off = abs(float(lit.falls[k]) - note.at)
        if off <= NEAR_S and (best is None or off < best[0]):
            best = off, float(lit.falls[k]), room.id
    if best is None:
        # A note that names a room is about no other.
        where = f" in {' or '.join(r.name.lower() for r in named)}" if named else ""
        return ExplainedNote(
            note, named[0].id if named else None, (f"No light went off{where} within {duration_words(NEAR_S)} of it.",)
        )
    _, at, room_id = best
    return ExplainedNote(note, room_id, tuple(_because(house, room_id, at)))


def _because(house: HouseRun, room: str, at: float) -> list[str]:
    """Why a light went off at an instant, as far as reports tell."""
    presence = presence_of(house.project, room)
    assert presence is not None
    calendar = house.recording.calendar

    def clock(t: float) -> str:
        return clock_words(calendar.clock_s(t))

    name = find(house.project.rooms, room).name
    chain = [f"{name}: the light went off at {clock(at)}."]
    if not bool(house.observed(room).at(at - 1.0)):
        return [*chain, "Its sensors sent no data then."]
    hold = hold_of(presence.expr)
    parts = start_and_keep(presence.expr)
    if hold is None or parts is None:
        return [*chain, f"“{presence.name}” ended."]
    keep = evaluate_expr(house.project, parts[1], house.recording, dependencies=house.conclusions.presences)
    falls = keep.falls[keep.falls <= at + 1.0]
    if len(falls) == 0:
        return chain
    last = float(falls[-1])
    rises = keep.rises[keep.rises > last]
    chain.append(f"The hold time of {duration_words(hold)} ran out: the last report ended at {clock(last)}.")
    if len(rises):
        gap = float(rises[0]) - last
        chain.append(f"The next report came {duration_words(gap)} later, at {clock(float(rises[0]))}.")
        if gap <= 2 * 3600.0:
            chain.append(
                f"A hold time of {duration_words(float(np.ceil(gap / 5.0) * 5.0))} would have kept the light on."
            )
    return chain

"""Answers about logs of a house: what one says, what another hold would have done, and the log of a rehearsal."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vastwatch.answers.json_values import RequestError, number
from vastwatch.design.project import Project
from vastwatch.files import ProjectError
from vastwatch.files.reading import read_text

if TYPE_CHECKING:
    from vastwatch.advice.logs.habits import RoomHabits

# A diary of more bytes is none.
LARGEST_DIARY = 1_000_000


def replay(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """What a log says of the house, and what other holds would have done with it."""
    from vastwatch.advice.logs.habits import habits_of_log
    from vastwatch.advice.logs.habits import in_words as told_of_habits
    from vastwatch.advice.logs.replay import explain_note, notes_in, room_replays, what_if, with_holds
    from vastwatch.commission.event_log import read_log
    from vastwatch.commission.format_guess import match
    from vastwatch.commission.kept_formats import format_for
    from vastwatch.commission.log_rows import LogError
    from vastwatch.control.house import run_house
    from vastwatch.design.project import find

    try:
        holds = dict(_hold(text) for text in args.hold or ())
        other = with_holds(project, holds)
        reading, kept = format_for(args.log, project)
        log = read_log(args.log, project, reading, unnamed=lambda name: match(name, project))
    except (LogError, ValueError) as e:
        raise RequestError(str(e)) from None
    house = run_house(project, log.recording)
    rooms = room_replays(house)
    changed = room_replays(run_house(other, log.recording)) if holds else {}
    tried = [what_if(house, find(project.presences, ident), seconds) for ident, seconds in holds.items()]
    diary = []
    faults: list[str] = []
    if args.diary is not None:
        try:
            text = read_text(Path(args.diary), "a diary", LARGEST_DIARY)
        except ProjectError as e:
            raise RequestError(f"--diary: {e}") from None
        notes, faults = notes_in(text, house)
        diary = [explain_note(house, note) for note in notes]
    found = habits_of_log(house) if args.habits else None
    calendar = log.recording.calendar
    document = {
        "begin": calendar.begin.isoformat(), "days": calendar.days, "lines": log.lines, "used": log.used,
        "layout": None if kept is None else kept.name,
        "notes": [*log.notes, *faults], "unknown_devices": list(log.unknown_devices),
        "gaps": [[calendar.clock(a).isoformat(), calendar.clock(b).isoformat()] for a, b in log.gaps],
        "messages_per_hour": {s: number(n, 2) for s, n in log.per_hour.items()},
        "rooms": {r: _told(x) for r, x in rooms.items()},
        "rooms_then": {r: _told(x) for r, x in changed.items()},
        "what_if": {
            w.conclusion: {
                "now_s": number(w.now_s), "hold_s": number(w.hold_s), "saved_h_per_week": number(w.saved_h_per_week, 3),
                "gaps": w.gaps, "longest_gap_s": number(w.longest_gap_s, 1), "text": w.in_words(),
            }
            for w in tried
        },
        "diary": [
            {"at": calendar.clock(d.note.at).isoformat(), "text": d.note.text, "room": d.room, "chain": list(d.chain)}
            for d in diary
        ],
    }  # fmt: skip
    words = [f"{calendar.days} days from {calendar.begin}, {log.used:,} of {log.lines:,} lines used."]
    words += [*log.notes, *faults]
    for room, x in rooms.items():
        name = find(project.rooms, room).name
        words.append(f"{name}: lit {x.lit_h_per_day:.1f} h a day, switched on {x.switched_per_day:.1f} times a day.")
    words += [w.in_words() for w in tried]
    words += [f"{d.note.text}: {' '.join(d.chain)}" for d in diary]
    if found is not None:
        document["habits"] = {
            "rooms": {h.room: _habits(h) for h in found.rooms}, "people_at_least": found.people,
            "untold": list(found.undetermined),
        }  # fmt: skip
        words += [*told_of_habits(found, project), *found.undetermined]
    return document, words


def _habits(h: RoomHabits) -> dict[str, Any]:
    return {
        "visits_per_workday": number(h.visits[0], 2), "visits_per_free_day": number(h.visits[1], 2),
        "stay_s": {"median": number(h.stay_s[0], 1), "one_in_ten": number(h.stay_s[1], 1),
                   "mean": number(h.mean_stay_s, 1)},
        "begin_by_hour": [number(share, 3) for share in h.by_hour],
        "silence_s": None if h.parting is None else number(h.parting.still_s, 1),
        "absent_from_s": None if h.parting is None else number(h.parting.at_s, 1),
        "in_doubt": None if h.parting is None else number(h.parting.doubt, 3),
    }  # fmt: skip


def _told(x: Any) -> dict[str, Any]:
    return {
        "known_h": number(x.known_h, 2), "presence_h_per_day": number(x.presence_h_per_day, 3),
        "lit_h_per_day": number(x.lit_h_per_day, 3), "switched_per_day": number(x.switched_per_day, 2),
    }  # fmt: skip


def _hold(text: str) -> tuple[str, float]:
    ident, equals, value = text.partition("=")
    try:
        seconds = float(value)
    except ValueError:
        seconds = -1.0
    if not equals or not ident or not 0.0 <= seconds <= 86_400.0:
        raise ValueError(f"--hold: '{text}' is not a conclusion and its seconds, such as presence-shop=40")
    return ident, seconds


def log(project: Project, args: argparse.Namespace) -> tuple[Any, list[str]]:
    """Write what the sensors of a rehearsal say, as a log that can be read again."""
    from vastwatch.commission.log_writing import write_log
    from vastwatch.files import ProjectError
    from vastwatch.files.project_file import SUFFIX
    from vastwatch.files.writing import same_file
    from vastwatch.people.truth import simulate_days
    from vastwatch.rehearsal.run import make_recording

    out = Path(args.out)
    if (args.file is not None and same_file(out, Path(args.file))) or out.name.endswith(SUFFIX):
        raise RequestError(f"--out: {out} is a project and no log; name another file")
    if out.exists() and not args.over:
        raise RequestError(f"--out: {out} exists; choose another file, or use --over")
    recording = make_recording(project, simulate_days(project, args.days, args.seed))
    try:
        written = write_log(recording, out, parts=args.parts, wide=args.wide)
    except ProjectError as e:
        raise RequestError(f"--out: {e}") from None
    document = {"out": str(args.out), "days": args.days, "seed": args.seed, "events": written}
    return document, [f"{written:,} events of {args.days} days in {args.out}."]

"""The command line: the same functions as the desktop, one JSON document on stdout, messages on stderr.

Exit codes: 0 done, 1 the file or the request is wrong (one line says what and where), 2 usage, 130 stopped by hand.
"""

from __future__ import annotations

import argparse
import json
import math
import os
import re
import sys

from vastwatch import __version__
from vastwatch.answers import COMMANDS, WITHOUT_PROJECT, RequestError
from vastwatch.files import ProjectError, load_demo, load_project
from vastwatch.loops.announcing import when_compiling
from vastwatch.memory import keep_freed_memory
from vastwatch.words import UNSEEN, harmless


def main(argv: list[str] | None = None) -> int:
    """Run the program; returns the exit code."""
    argv = sys.argv[1:] if argv is None else argv
    keep_freed_memory()
    if not argv or argv[0] not in {*COMMANDS, *WITHOUT_PROJECT}:
        return _desktop(argv)
    args = _parser().parse_args(argv)
    when_compiling(lambda: print("vastwatch: preparing compiled code, once after an update ...", file=sys.stderr))
    try:
        if args.command in WITHOUT_PROJECT:
            document, lines = WITHOUT_PROJECT[args.command](args)
        else:
            project = load_demo() if args.demo else load_project(args.file)
            document, lines = COMMANDS[args.command](project, args)
        if args.json:
            text = UNSEEN.sub(_escaped, json.dumps(document, ensure_ascii=False, allow_nan=False))
        else:
            text = harmless("\n".join(lines))
        if sys.stdout is not None:
            print(text)
            sys.stdout.flush()
    except (ProjectError, RequestError) as e:
        print(harmless(f"vastwatch: {e}"), file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
    except BrokenPipeError:
        # Whoever read the output has had enough of it.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except Exception as e:
        if os.environ.get("VASTWATCH_DEBUG"):
            raise
        print(
            f"vastwatch: a failure of the program stopped it ({type(e).__name__}: {harmless(str(e))})", file=sys.stderr
        )
        return 1
    return 0


def _escaped(found: re.Match[str]) -> str:
    """A character as JSON writes one that is not to be seen."""
    return f"\\u{ord(found[0]):04x}"


def _desktop(argv: list[str]) -> int:
    parser = argparse.ArgumentParser(
        prog="vastwatch",
        description="Design occupancy sensing for lighting.",
        epilog=f"commands: {', '.join([*COMMANDS, *WITHOUT_PROJECT])} (each with --help)",
    )
    parser.add_argument("file", nargs="?", help="project to open")
    parser.add_argument("--demo", action="store_true", help="open the sample project")
    parser.add_argument("--version", action="version", version=f"vastwatch {__version__}")
    args = parser.parse_args(argv)
    from vastwatch.desk.shell.app import run

    return run(args.file, args.demo)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="vastwatch")
    commands = parser.add_subparsers(dest="command", required=True)

    def command(name: str, text: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=text, description=text)
        which = sub.add_mutually_exclusive_group(required=True)
        which.add_argument("file", nargs="?", help="project file")
        which.add_argument("--demo", action="store_true", help="the sample project instead of a file")
        sub.add_argument("--json", action="store_true", help="one JSON document on stdout")
        return sub

    sub = command("check", "findings on the design")
    sub.add_argument("--weeks", action="store_true", help="live the weeks of every room, of a large building too")
    sub = command("coverage", "who is noticed where, and how soon")
    sub.add_argument("--sensor", help="only this sensor's id")
    sub = command("rehearse", "let the people live some days in the design")
    sub.add_argument("--days", type=_days, default=7)
    sub.add_argument("--seed", type=int, default=1)
    sub = command("tune", "the timing curve of a room and the recommended hold time")
    sub.add_argument("--room", required=True, help="the room's id")
    sub.add_argument("--days", type=_days, default=28)
    sub.add_argument("--seed", type=int, default=1)
    sub.add_argument("--all-parameters", action="store_true", help="over all that can be set, not the hold alone")
    sub = command("replay", "what a log of the real house says, and what other holds would have done")
    sub.add_argument("log", help="a log: CSV or JSON Lines of time, device, value, in whatever columns")
    sub.add_argument("--hold", action="append", metavar="CONCLUSION=SECONDS", help="another hold for a conclusion")
    sub.add_argument("--diary", help="notes such as 2026-01-13 21:10 light went off on me, a line each")
    sub.add_argument("--habits", action="store_true", help="also how people use the rooms, as far as the log tells")
    sub = command("log", "write what the sensors of a rehearsal say, as a log")
    sub.add_argument("--days", type=_days, default=7)
    sub.add_argument("--seed", type=int, default=1)
    sub.add_argument("--out", required=True, help="the log to write: .csv, or JSON Lines")
    sub.add_argument("--over", action="store_true", help="also where that file is there already")
    sub.add_argument("--parts", action="store_true", help="also what is said of zones, of movement and of stillness")
    sub.add_argument("--wide", action="store_true", help="a column, or key, for each device")
    sub = command("trial", "somebody stays at a spot a hundred times: what the light does over them")
    sub.add_argument("--spot", required=True, help="the spot's id")
    sub.add_argument("--minutes", type=_minutes, default=120.0, help="how long they stay, 1 to 1440")
    sub = command("walk", "side-steps at the doors of a room and the way in and out, or any way")
    sub.add_argument("--room", help="the room's id; else --points")
    sub.add_argument("--points", type=_points, help="corners of a way in metres: 1,2 4,2 4,5", metavar="X,Y ...")
    sub.add_argument("--level", help="the level's id; the first by default")
    sub.add_argument("--speed", type=float, default=1.1, help="metres a second")
    sub = command("advise", "what would serve each room, alone and in pairs, and why the others would not")
    sub.add_argument("--room", help="only this room's id")
    sub = command("ways", "four ways to serve a room, side by side on the same weeks")
    sub.add_argument("--room", required=True, help="the room's id")
    sub = command("buy", "the next best purchase for the whole building, or a set to begin with")
    sub.add_argument("--budget", type=_money, help="instead of the brief's budget")
    sub.add_argument("--starter", action="store_true", help="a set from no sensor at all")
    sub = command("zones", "what to type into each tracking radar, and who is counted where")
    sub.add_argument("--sensor", help="only this sensor's id")
    sub.add_argument("--for-room", action="store_true", help="zones proposed for its room, in place of those drawn")
    sub = command("calibrate", "where a tracking radar really hangs and looks, from a walk")
    sub.add_argument("walk", help="a log of the walk: CSV or JSON Lines of time, target, x, y, mark")
    sub.add_argument("--sensor", required=True, help="the sensor's id")
    sub.add_argument("--unit", choices=("m", "cm", "mm", "ft", "in"), help="of the log, instead of what fits best")
    sub = command("scenes", "the rows of every ladder: which wins how often, every state, and what could be stuck")
    sub.add_argument("--room", help="only this room's id")
    sub.add_argument("--days", type=_days, default=7)
    sub.add_argument("--seed", type=int, default=1)
    sub = command("lux", "what a scene gives at the spots of its room, and on its floor")
    sub.add_argument("--scene", required=True, help="the scene's id")
    sub = command("recipes", "every ladder as lists of triggers, conditions and actions, for a controller")
    sub.add_argument("--room", help="only this room's id")
    sub.add_argument("--csv", action="store_true", help="a table in place of words")
    sub.add_argument("--text", action="store_true", help="words, as without it")
    sub.add_argument("--devices", action="store_true", help="what is set on the devices themselves, in place of them")
    sub.add_argument(
        "--names", help="by which convention things are named, instead of the project's own",
        choices=("words_with_underscores", "WordsTogether", "words with spaces", "ids"),
    )  # fmt: skip
    sub = command("ahead", "rows that light a room ahead of who comes, and whether weeks lived show that they pay")
    sub.add_argument("--room", help="only this room's id")
    sub = command("year", "the year's table: when what goes by the clock begins and ends, sun and free days included")
    sub.add_argument("--year", type=int, help="instead of the year that is rehearsed")
    sub.add_argument("--csv", action="store_true", help="as CSV")
    sub = command("circuits", "who switches what: the truth table of every circuit, and what is dead behind its switch")
    sub.add_argument("--days", type=_days, default=7)
    sub.add_argument("--seed", type=int, default=1)
    text = "make a project of a drawing: walls, rooms, doors, windows and archways"
    sub = commands.add_parser("import", help=text, description=text)
    sub.add_argument("drawing", help="a DXF drawing, text or binary")
    sub.add_argument("--out", required=True, help="the project file to write")
    sub.add_argument("--over", action="store_true", help="also where that file is there already")
    sub.add_argument("--layers", action="append", metavar="NAMES", help="only these layers, commas between their names")
    sub.add_argument(
        "--unit", choices=("m", "cm", "mm", "ft", "in"), help="instead of what the drawing says or looks like"
    )
    sub.add_argument("--as-drawn", action="store_true", help="do not straighten a drawing that is turned")
    sub.add_argument("--json", action="store_true", help="one JSON document on stdout")
    text = "what differs between two project files, record by record"
    sub = commands.add_parser("compare", help=text, description=text)
    sub.add_argument("old", help="a project file")
    sub.add_argument("new", nargs="?", help="another one; the first again, where that is left out")
    sub.add_argument("--variant", metavar="NAME", help="the second's variant of that name, or id")
    sub.add_argument("--weeks", action="store_true", help="live the same weeks in both, room by room")
    sub.add_argument("--json", action="store_true", help="one JSON document on stdout")
    text = "what a device type's box says, and what its model gives in the box's own tests"
    sub = commands.add_parser("device", help=text, description=text)
    sub.add_argument("id", help="the type's id: a shipped one, or one of the project's")
    sub.add_argument("--project", help="a project file: its own types, and what those placed report")
    sub.add_argument("--json", action="store_true", help="one JSON document on stdout")
    return parser


def _money(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text}' is not a sum of money") from None
    if not 0 <= value < 1e9:
        raise argparse.ArgumentTypeError("budget: from 0 on")
    return value


def _points(text: str) -> tuple[tuple[float, float], ...]:
    try:
        points = tuple((float(x), float(y)) for x, y in (pair.split(",") for pair in text.split()))
    except ValueError:
        points = ()
    if len(points) < 2 or not all(math.isfinite(c) and abs(c) < 1e5 for p in points for c in p):
        raise argparse.ArgumentTypeError("two or more corners are wanted, in metres: 1,2 4,2 4,5")
    return points


def _minutes(text: str) -> float:
    return _between(text, "minutes", 1, 1440)


def _days(text: str) -> int:
    days = _between(text, "days", 1, 366)
    if days != int(days):
        raise argparse.ArgumentTypeError(f"'{text}' is not a number of days")
    return int(days)


def _between(text: str, what: str, least: int, most: int) -> float:
    try:
        value = float(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text}' is not a number of {what}") from None
    if not least <= value <= most:
        raise argparse.ArgumentTypeError(f"{what}: {least} to {most}")
    return value


if __name__ == "__main__":
    sys.exit(main())

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
from vastwatch.allocator import raise_trim_thresholds
from vastwatch.answers import COMMANDS, WITHOUT_PROJECT, RequestError
from vastwatch.files import ProjectError, load_demo, load_project
from vastwatch.loops.announcing import when_compiling
from vastwatch.words import UNSEEN, harmless


def main(argv: list[str] | None = None) -> int:
    """Run the program; returns the exit code."""
    argv = sys.argv[1:] if argv is None else argv
    raise_trim_thresholds()
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
        # Anybody who read the output has had enough of it.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except Exception as e:
        if os.environ.get("VASTWATCH_DEBUG"):
            raise
        print(f"vastwatch: stopped by an internal error ({type(e).__name__}: {harmless(str(e))})", file=sys.stderr)
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
        sub.add_argument("--json", action="store_true", help="one JSON document on standard output")
        return sub

    sub = command("check", "check the design and list findings")
    sub.add_argument("--weeks", action="store_true", help="simulate weeks for every room, even in a large building")
    sub = command("coverage", "where people are noticed, and how soon")
    sub.add_argument("--sensor", help="only this sensor's id")
    sub = command("rehearse", "simulate some days with the occupants")
    sub.add_argument("--days", type=_days, default=7)
    sub.add_argument("--seed", type=int, default=1)
    sub = command("tune", "timing curve of a room and the recommended hold time")
    sub.add_argument("--room", required=True, help="the room's id")
    sub.add_argument("--days", type=_days, default=28)
    sub.add_argument("--seed", type=int, default=1)
    sub.add_argument("--all-parameters", action="store_true", help="search all settings, not only the hold time")
    sub = command("replay", "analyse a log of the real house, and the effect of other hold times")
    sub.add_argument("log", help="a log: CSV or JSON Lines with time, device and value, in any columns")
    sub.add_argument("--hold", action="append", metavar="CONCLUSION=SECONDS", help="another hold time for a conclusion")
    sub.add_argument("--diary", help="notes such as 2026-01-13 21:10 light went off on me, one a line")
    sub.add_argument(
        "--habits", action="store_true", help="also report how people use the rooms, as far as the log shows"
    )
    sub = command("log", "write the sensor reports of a rehearsal as a log")
    sub.add_argument("--days", type=_days, default=7)
    sub.add_argument("--seed", type=int, default=1)
    sub.add_argument("--out", required=True, help="the log to write: .csv, or JSON Lines")
    sub.add_argument("--over", action="store_true", help="overwrite the file if it exists")
    sub.add_argument("--parts", action="store_true", help="also write zone, movement and stillness reports")
    sub.add_argument("--wide", action="store_true", help="one column, or key, for each device")
    sub = command("trial", "simulate a hundred stays at a position and what the light does")
    sub.add_argument("--spot", required=True, help="the position's id")
    sub.add_argument("--minutes", type=_minutes, default=120.0, help="length of the stay, 1 to 1440")
    sub = command("walk", "side-steps at the doors of a room and the path in and out, or any path")
    sub.add_argument("--room", help="the room's id; else --points")
    sub.add_argument("--points", type=_points, help="corners of a path in metres: 1,2 4,2 4,5", metavar="X,Y ...")
    sub.add_argument("--level", help="the level's id; the first by default")
    sub.add_argument("--speed", type=float, default=1.1, help="metres per second")
    sub = command("advise", "what would serve each room, alone and in pairs, and why others would not")
    sub.add_argument("--room", help="only this room's id")
    sub = command("ways", "compare four strategies for a room on the same weeks")
    sub.add_argument("--room", required=True, help="the room's id")
    sub = command("buy", "next best purchase for the whole building, or a starter set")
    sub.add_argument("--budget", type=_money, help="instead of the brief's budget")
    sub.add_argument("--starter", action="store_true", help="a set starting from no sensors")
    sub = command("zones", "values to enter into each tracking radar, and reports counted per zone")
    sub.add_argument("--sensor", help="only this sensor's id")
    sub.add_argument("--for-room", action="store_true", help="zones suggested for its room, instead of those drawn")
    sub = command("calibrate", "find where a tracking radar is really mounted and aimed, from a walk")
    sub.add_argument("walk", help="a log of the walk: CSV or JSON Lines of time, target, x, y, mark")
    sub.add_argument("--sensor", required=True, help="the sensor's id")
    sub.add_argument("--unit", choices=("m", "cm", "mm", "ft", "in"), help="of the log, instead of the best match")
    sub = command("scenes", "rows of every ladder: how often each wins, every state, and what could be stuck")
    sub.add_argument("--room", help="only this room's id")
    sub.add_argument("--days", type=_days, default=7)
    sub.add_argument("--seed", type=int, default=1)
    sub = command("lux", "light of a scene at the positions of its room, and on its floor")
    sub.add_argument("--scene", required=True, help="the scene's id")
    sub = command("recipes", "every ladder as triggers, conditions and actions, for a controller")
    sub.add_argument("--room", help="only this room's id")
    sub.add_argument("--csv", action="store_true", help="as a table")
    sub.add_argument("--text", action="store_true", help="as text (default)")
    sub.add_argument("--devices", action="store_true", help="settings of the devices themselves instead")
    sub.add_argument(
        "--names", help="naming convention, instead of the project's own",
        choices=("words_with_underscores", "WordsTogether", "words with spaces", "ids"),
    )  # fmt: skip
    sub = command("ahead", "light ahead: rows that light a room before people arrive, and whether that pays")
    sub.add_argument("--room", help="only this room's id")
    sub = command("year", "table of the year: when clock-controlled things begin and end, with sun times and days off")
    sub.add_argument("--year", type=int, help="instead of the rehearsed year")
    sub.add_argument("--csv", action="store_true", help="as CSV")
    sub = command(
        "circuits", "what switches what: truth table of every circuit, and what loses power behind its switch"
    )
    sub.add_argument("--days", type=_days, default=7)
    sub.add_argument("--seed", type=int, default=1)
    text = "create a project from a drawing: walls, rooms, doors, windows and archways"
    sub = commands.add_parser("import", help=text, description=text)
    sub.add_argument("drawing", help="a DXF drawing, text or binary")
    sub.add_argument("--out", required=True, help="the project file to write")
    sub.add_argument("--over", action="store_true", help="overwrite the file if it exists")
    sub.add_argument("--layers", action="append", metavar="NAMES", help="only these layers, comma-separated")
    sub.add_argument("--unit", choices=("m", "cm", "mm", "ft", "in"), help="instead of the unit stated or guessed")
    sub.add_argument("--as-drawn", action="store_true", help="do not straighten a rotated drawing")
    sub.add_argument("--json", action="store_true", help="one JSON document on standard output")
    text = "what differs between two project files, record by record"
    sub = commands.add_parser("compare", help=text, description=text)
    sub.add_argument("old", help="a project file")
    sub.add_argument("new", nargs="?", help="the second project; if omitted, the first again")
    sub.add_argument("--variant", metavar="NAME", help="a variant of the second, by name or id")
    sub.add_argument("--weeks", action="store_true", help="simulate the same weeks in both, room by room")
    sub.add_argument("--json", action="store_true", help="one JSON document on standard output")
    text = "data sheet of a device type, and what its model gives in the same tests"
    sub = commands.add_parser("device", help=text, description=text)
    sub.add_argument("id", help="type id: built-in, or from the project")
    sub.add_argument("--project", help="project file: for its custom types, and the messages of placed devices")
    sub.add_argument("--json", action="store_true", help="one JSON document on standard output")
    return parser


def _money(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"'{text}' is not a sum of money") from None
    if not 0 <= value < 1e9:
        raise argparse.ArgumentTypeError("budget must be 0 or more")
    return value


def _points(text: str) -> tuple[tuple[float, float], ...]:
    try:
        points = tuple((float(x), float(y)) for x, y in (pair.split(",") for pair in text.split()))
    except ValueError:
        points = ()
    if len(points) < 2 or not all(math.isfinite(c) and abs(c) < 1e5 for p in points for c in p):
        raise argparse.ArgumentTypeError("two or more corners are needed, in metres: 1,2 4,2 4,5")
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

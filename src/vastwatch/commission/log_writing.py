"""A recording written as a log, in a shape that is read here."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

from vastwatch.control.recording import Recording
from vastwatch.files.writing import write_atomically
from vastwatch.signals import Calendar


def write_log(recording: Recording, path: str | Path, parts: bool = False, wide: bool = False) -> int:
    """Write what sensors said in the shapes that are read here: CSV where the name ends in .csv, else JSON Lines; a row
    for each event with time, device and value, or, where it is `wide`, a column (or key) for each device. How many
    events. With `parts`, what they said of their zones and states as well. Raises ProjectError where that cannot be
    written; what was there before is then untouched."""
    events: list[tuple[float, str, str]] = []
    for (sensor, part), signal in recording.reports.items():
        if part is not None and not parts:
            continue
        name = sensor if part is None else f"{sensor}/{part.removeprefix('zone ')}"
        events.append((0.0, name, "on" if signal.first else "off"))
        now = signal.first
        for t in signal.switches.tolist():
            now = not now
            events.append((t, name, "on" if now else "off"))
        known = recording.observed.get(sensor)
        if known is not None:
            # Said again once somebody listens: until then nothing is known.
            events = [e for e in events if e[1] != name or bool(known.at(e[0]))]
            events += [(t, name, "unavailable") for t in known.falls.tolist()]
            events += [(t, name, "on" if signal.at(t) else "off") for t in known.rises.tolist() if t > 0]
    events.sort(key=lambda e: e[0])
    rows = [(_stamp(recording.calendar, t), name, value) for t, name, value in events]
    file = Path(path)
    out = io.StringIO()
    if file.suffix.lower() == ".csv":
        writer = csv.writer(out, lineterminator="\n")
        names = list(dict.fromkeys(name for _, name, _ in rows))
        writer.writerow(["time", *names] if wide else ["time", "device", "value"])
        for when, name, value in rows:
            # What others say has not changed: their cells stay empty.
            cells = [value if n == name else "" for n in names] if wide else [name, value]
            writer.writerow([when, *cells])
    else:
        for when, name, value in rows:
            event = {name: value} if wide else {"device": name, "value": value}
            out.write(json.dumps({"time": when, **event}) + "\n")
    write_atomically(file, out.getvalue().encode())
    return len(rows)


def _stamp(calendar: Calendar, t: float) -> str:
    """An instant in UTC, to the millisecond."""
    return calendar.instant_utc(round(t, 3)).strftime("%Y-%m-%dT%H:%M:%S.%f")[:-3] + "Z"

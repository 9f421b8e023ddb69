"""Times, durations and refusals in a reader's words; used wherever a sentence carries a figure."""

from __future__ import annotations

import math
import os
import re
import unicodedata
from collections.abc import Sequence


def duration_words(seconds: float) -> str:
    """`0.8 s`, `45 s`, `6 min 50 s`, `2 h 05 min`."""
    if not math.isfinite(seconds):
        return "indefinitely"
    if seconds < 10:
        return f"{seconds:.1f}".rstrip("0").rstrip(".") + " s"
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        minutes, rest = divmod(whole, 60)
        return f"{minutes} min" + (f" {rest} s" if rest else "")
    hours, rest = divmod(round(seconds / 60), 60)
    return f"{hours} h" + (f" {rest:02d} min" if rest else "")


def rough_duration_words(seconds: float) -> str:
    """A rough figure: to ten seconds from a minute on, to minutes from ten minutes on, to hours from ten hours on."""
    step = 3600.0 if seconds >= 36_000 else 60.0 if seconds >= 600 else 10.0 if seconds >= 60 else 1.0
    return duration_words(round(seconds / step) * step)


def false_off_limit_words(per_week: float) -> str:
    """A limit of false-offs: `no drop`, `one drop a week`, `3 drops a week`, `one drop in 4 weeks`."""
    if per_week <= 0:
        return "no false-offs"
    if per_week < 1:
        return f"one false-off in {1 / per_week:.0f} weeks"
    return "one false-off a week" if per_week == 1 else f"{per_week:g} false-offs a week"


def clock_words(t: float) -> str:
    """Time of day of an instant in seconds from a midnight: `21:14:07`."""
    s = int(t) % 86_400
    return f"{s // 3600:02d}:{s // 60 % 60:02d}:{s % 60:02d}"


def notice_interval_words(seconds: float) -> str:
    """How often somebody is noticed whose mean wait is that: `every 6 min 50 s`, `at once`, `never`."""
    if not math.isfinite(seconds):
        return "never"
    return "within 2 s" if seconds < 2 else f"every {duration_words(seconds)}"


def capital(words: str) -> str:
    """The words as a sentence begins: the first letter large, the others as they are."""
    return words[:1].upper() + words[1:]


def figure(value: float) -> str:
    """A figure as it is read: one decimal, and none from a hundred on, so that it has three digits at most or is whole:
    `0.4`, `17.9`, `120`."""
    return f"{value:.1f}" if abs(value) < 99.95 else f"{value:,.0f}"


def counted(n: int, one: str, many: str = "") -> str:
    """A count with its noun: `1 problem`, `4 problems`."""
    return f"{n} {one if n == 1 else many or one + 's'}"


def and_list(words: Sequence[str]) -> str:
    """`a`, `a and b`, `a, b and c`."""
    return " and ".join([w for w in (", ".join(words[:-1]), *words[-1:]) if w])


def error_sentence(e: Exception) -> str:
    """What an edit refused with, as a sentence for the reader."""
    return capital(str(e)) + "."


# Characters that a terminal obeys instead of showing them, and those that turn the direction of text: all control
# characters but line ends and tabs (Unicode Cc), and the bidirectional embeddings, overrides and isolates.
UNSEEN = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]")


def harmless(text: str) -> str:
    """A text from wherever, for a terminal: nothing in it moves the cursor, changes a title or hides what follows."""
    return UNSEEN.sub("\ufffd", text)


def one_line(text: str, limit: int = 600) -> str:
    """A text on one line: line ends and other control characters become spaces, and a very long one is cut in its
    middle."""
    # Half characters, of names that are not UTF-8, cannot be shown anywhere, and marks of direction turn the rest
    # round.
    clean = "".join(" " if unicodedata.category(c) in ("Cc", "Cf", "Cn", "Co", "Cs", "Zl", "Zp") else c for c in text)
    clean = " ".join(clean.split())
    if len(clean) > limit:
        clean = f"{clean[: limit // 2]} … {clean[-limit // 2 + 3 :]}"
    return clean


def plain_reason(e: OSError | ValueError) -> str:
    """Why the system refused, in its words for people."""
    if isinstance(e, OSError) and e.errno:
        return os.strerror(e.errno).lower()
    return one_line(str(e.strerror if isinstance(e, OSError) and e.strerror else e)).lower()

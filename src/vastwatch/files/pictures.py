"""What a picture file is, by its first bytes and not by its name: PNG, JPEG or PDF, and how many pixels it says it
has."""

from __future__ import annotations

import base64
import binascii
from typing import Literal, NamedTuple

Kind = Literal["PNG", "JPEG", "PDF"]
# A picture kept in a project has no more pixels; one imported is made smaller to that.
MOST_KEPT_PX = 40_000_000
# The frame header of a JPEG comes within its first bytes, whatever comes before.
HEAD = 400_000
# Markers of JPEG frames: all kinds of start of frame, and not the tables among them.
_FRAMES = frozenset(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}


class Picture(NamedTuple):
    """What it is, and its width and height in pixels; 0 for a PDF, which has none."""

    kind: Kind
    width: int
    height: int


def identify_picture(data: bytes) -> Picture | None:
    """What some bytes are the beginning of; None for anything else than PNG, JPEG and PDF."""
    if data[:8] == b"\x89PNG\r\n\x1a\n" and data[12:16] == b"IHDR" and len(data) >= 24:
        return Picture("PNG", int.from_bytes(data[16:20], "big"), int.from_bytes(data[20:24], "big"))
    if data[:3] == b"\xff\xd8\xff":
        return _jpeg(data)
    if b"%PDF-" in data[:1024]:
        return Picture("PDF", 0, 0)
    return None


def _jpeg(data: bytes) -> Picture | None:
    at = 2
    while at + 9 < len(data) and data[at] == 0xFF:
        marker = data[at + 1]
        if marker in _FRAMES:
            return Picture(
                "JPEG", int.from_bytes(data[at + 7 : at + 9], "big"), int.from_bytes(data[at + 5 : at + 7], "big")
            )
        if marker == 0xFF:
            at += 1
            continue
        at += 2 + int.from_bytes(data[at + 2 : at + 4], "big")
    return None


def embedded_picture_fault(text: str) -> str | None:
    """What is wrong with the base64 text of a picture kept in a project, or None. Only its head is looked at."""
    try:
        head = base64.b64decode(text[: HEAD // 3 * 4], validate=True)
    except (binascii.Error, ValueError):
        return "this is not base64"
    found = identify_picture(head)
    if found is None or found.kind == "PDF":
        return "this is neither a PNG nor a JPEG picture"
    if not 0 < found.width * found.height <= MOST_KEPT_PX:
        return f"a picture of {found.width:,} × {found.height:,} pixels is too large"
    return None

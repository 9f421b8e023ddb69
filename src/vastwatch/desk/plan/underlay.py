"""Pictures and PDF pages as underlays: read in the background, made small enough to travel in the project."""

from __future__ import annotations

import base64
import math
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QImageReader, QPainter

from vastwatch.files import ProjectError
from vastwatch.files.pictures import MOST_KEPT_PX, Picture, identify_picture
from vastwatch.files.reading import read_whole
from vastwatch.site.building import Underlay

if TYPE_CHECKING:
    from PyQt6.QtPdf import QPdfDocument

# The longer side of a kept picture, pixels; and what is not even read.
LONGEST_PX = 2400
LARGEST_FILE, MOST_PIXELS = 200_000_000, 150_000_000
# What a reader of pictures may allocate, megabytes; and the longest side of a sheet, points of a 72nd of an inch.
ALLOWED_MB, LARGEST_PAGE_PT = 900, 20_000.0
JPEG_QUALITY = 82
# A picture of unknown scale comes in this wide, metres: about a house.
FIRST_WIDTH_M = 12.0


def pages_of(path: Path) -> int:
    """How many pages a PDF has; 1 for a picture. Raises ProjectError for what cannot be read."""
    data, found = _read(path)
    if found.kind != "PDF":
        return 1
    document, _held = _pdf(data, path)
    return document.pageCount()


# So many rows of what is kept are made at a time.
BAND_PX = 64


def _read(path: Path) -> tuple[bytes, Picture]:
    """The bytes of a picture or PDF, by what is in it: no other reader of pictures is let near a stranger's file."""
    data = read_whole(path, "a picture", LARGEST_FILE)
    found = identify_picture(data)
    if found is None:
        raise ProjectError(f"{path}: this is neither a PNG, a JPEG nor a PDF")
    return data, found


def read_underlay(path: Path, page: int = 0) -> Underlay:
    """The picture, or a page of a PDF from 0. Raises ProjectError with a sentence. Can be called from any thread."""
    data, found = _read(path)
    image = _page(data, path, page) if found.kind == "PDF" else _picture(data, found, path)
    return kept(_flat(image))


def _flat(image: QImage) -> QImage:
    """A picture on white, no longer than LONGEST_PX. It is made smaller in bands: as a whole it would be held with four
    bytes a pixel first, whatever it has."""
    share = min(LONGEST_PX / max(image.width(), image.height()), 1.0)
    width, height = (max(round(n * share), 1) for n in (image.width(), image.height()))
    flat = QImage(width, height, QImage.Format.Format_RGB32)
    flat.fill(QColor("white"))
    painter = QPainter(flat)
    for top in range(0, height, BAND_PX):
        below = min(top + BAND_PX, height)
        first, last = round(top * image.height() / height), round(below * image.height() / height)
        band = image.copy(0, first, image.width(), last - first)
        painter.drawImage(0, top, band.scaled(
            width, below - top, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
        ))  # fmt: skip
    painter.end()
    return flat


def kept(flat: QImage) -> Underlay:
    """A picture as it is kept in a project."""
    data = packed(flat, "PNG")
    if len(data) > 600_000:
        data = min(data, packed(flat, "JPG"), key=len)
    return Underlay(
        data=base64.b64encode(data).decode(), width_px=flat.width(), height_px=flat.height(),
        metres_per_px=FIRST_WIDTH_M / flat.width(),
    )  # fmt: skip


def packed(image: QImage, kind: str) -> bytes:
    """The bytes of a picture as a PNG or JPG file."""
    held = QByteArray()
    buffer = QBuffer(held)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, kind, JPEG_QUALITY if kind == "JPG" else -1)
    return bytes(held.data())


def _picture(data: bytes, found: Picture, path: Path) -> QImage:
    if not 0 < found.width * found.height <= MOST_PIXELS:
        raise ProjectError(f"{path}: {found.width:,} × {found.height:,} pixels is too large; reduce it first")
    held = QByteArray(data)
    buffer = QBuffer(held)
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer, QByteArray(found.kind.encode()))
    reader.setAutoTransform(True)
    reader.setAllocationLimit(ALLOWED_MB)
    # A JPEG can be made smaller while it is read; anything else would be held whole, four bytes a pixel.
    if found.kind == "JPEG" and max(found.width, found.height) > 2 * LONGEST_PX:
        size = QSize(found.width, found.height)
        reader.setScaledSize(size.scaled(QSize(LONGEST_PX, LONGEST_PX), Qt.AspectRatioMode.KeepAspectRatio))
    image = reader.read()
    if image.isNull() or image.width() < 2 or image.height() < 2:
        raise ProjectError(f"{path}: this picture is damaged or incomplete")
    return image


def _pdf(data: bytes, path: Path) -> tuple[QPdfDocument, QBuffer]:
    """The document, and the buffer it reads from, which has to outlive it."""
    from PyQt6.QtPdf import QPdfDocument

    buffer = QBuffer()
    buffer.setData(data)
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    document = QPdfDocument(None)
    document.load(buffer)
    if document.error() != QPdfDocument.Error.None_ or document.pageCount() < 1:
        raise ProjectError(f"{path}: this PDF cannot be read; it may be locked or damaged")
    return document, buffer


def _page(data: bytes, path: Path, page: int) -> QImage:
    document, _held = _pdf(data, path)
    if not 0 <= page < document.pageCount():
        raise ProjectError(f"{path}: it has {document.pageCount()} pages; there is no page {page + 1}")
    points = document.pagePointSize(page)
    sides = points.width(), points.height()
    if not all(math.isfinite(x) and 1.0 <= x <= LARGEST_PAGE_PT for x in sides) or max(sides) > 20 * min(sides):
        raise ProjectError(
            f"{path}: page {page + 1} is {sides[0]:g} by {sides[1]:g} points, which is not a usable page size"
        )
    k = LONGEST_PX / max(sides)
    image = document.render(page, QSize(max(round(sides[0] * k), 2), max(round(sides[1] * k), 2)))
    if image.isNull():
        raise ProjectError(f"{path}: page {page + 1} cannot be displayed")
    return image


def picture_of(underlay: Underlay) -> QImage:
    """The picture itself; empty where the data is damaged, or is no PNG or JPEG."""
    data = base64.b64decode(underlay.data, validate=False)
    found = identify_picture(data)
    if found is None or found.kind == "PDF" or found.width * found.height > MOST_KEPT_PX:
        return QImage()
    return QImage.fromData(data, found.kind)

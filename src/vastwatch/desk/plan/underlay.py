"""Pictures and PDF pages as underlays: read in the background, made small enough to travel in the project."""

from __future__ import annotations

import base64
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QImageReader, QPainter

from vastwatch.files import ProjectError
from vastwatch.site.building import Underlay

# The longer side of a kept picture, pixels; and what is not even read.
LONGEST_PX = 2400
LARGEST_FILE, MOST_PIXELS = 200_000_000, 400_000_000
JPEG_QUALITY = 82
# A picture of unknown scale comes in this wide, metres: about a house.
FIRST_WIDTH_M = 12.0


def pages_of(path: Path) -> int:
    """How many pages a PDF has; 1 for a picture. Raises ProjectError for what cannot be read."""
    _look_at(path)
    if path.suffix.lower() != ".pdf":
        return 1
    from PyQt6.QtPdf import QPdfDocument

    document = QPdfDocument(None)
    if document.load(str(path)) != QPdfDocument.Error.None_ or document.pageCount() < 1:
        raise ProjectError(f"{path}: this is not a PDF that can be read, or it is locked or damaged")
    return document.pageCount()


def _look_at(path: Path) -> None:
    try:
        if path.is_dir():
            raise ProjectError(f"{path}: this is a folder, not a picture")
        if path.stat().st_size > LARGEST_FILE:
            raise ProjectError(
                f"{path}: this file is larger than {LARGEST_FILE // 1_000_000} MB; make it smaller first"
            )
        with path.open("rb") as f:
            f.read(1)
    except FileNotFoundError:
        raise ProjectError(f"{path}: there is no such file") from None
    except OSError as e:
        raise ProjectError(f"{path}: cannot be read ({(e.strerror or str(e)).lower()})") from None


def read_underlay(path: Path, page: int = 0) -> Underlay:
    """The picture, or a page of a PDF from 0. Raises ProjectError with a sentence."""
    image = _page(path, page) if path.suffix.lower() == ".pdf" else _picture(path)
    longest = max(image.width(), image.height())
    if longest > LONGEST_PX:
        image = image.scaled(
            QSize(LONGEST_PX, LONGEST_PX), Qt.AspectRatioMode.KeepAspectRatio,
            Qt.TransformationMode.SmoothTransformation,
        )  # fmt: skip
    flat = QImage(image.size(), QImage.Format.Format_RGB32)
    flat.fill(QColor("white"))
    painter = QPainter(flat)
    painter.drawImage(0, 0, image)
    painter.end()
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


def _picture(path: Path) -> QImage:
    _look_at(path)
    reader = QImageReader(str(path))
    reader.setAutoTransform(True)
    # Only what the reader can scale while reading is asked of it: nothing allocates a gigabyte for an underlay.
    size = reader.size()
    if size.isValid() and size.width() * size.height() > MOST_PIXELS:
        raise ProjectError(f"{path}: {size.width():,} × {size.height():,} pixels are too many; make it smaller first")
    if size.isValid() and max(size.width(), size.height()) > 2 * LONGEST_PX:
        reader.setScaledSize(size.scaled(QSize(LONGEST_PX, LONGEST_PX), Qt.AspectRatioMode.KeepAspectRatio))
    image = reader.read()
    if image.isNull() or image.width() < 2 or image.height() < 2:
        if not reader.format().isEmpty():
            raise ProjectError(f"{path}: this picture is damaged, or cannot be read to its end")
        raise ProjectError(f"{path}: this is not a picture or PDF")
    return image


def _page(path: Path, page: int) -> QImage:
    from PyQt6.QtPdf import QPdfDocument

    _look_at(path)
    document = QPdfDocument(None)
    if document.load(str(path)) != QPdfDocument.Error.None_ or not 0 <= page < document.pageCount():
        raise ProjectError(f"{path}: this is not a PDF that can be read, or it is locked or damaged")
    points = document.pagePointSize(page)
    k = LONGEST_PX / max(points.width(), points.height(), 1.0)
    image = document.render(page, QSize(max(round(points.width() * k), 2), max(round(points.height() * k), 2)))
    if image.isNull():
        raise ProjectError(f"{path}: page {page + 1} of it cannot be drawn")
    return image


def picture_of(underlay: Underlay) -> QImage:
    """The picture itself; empty where the data is damaged."""
    return QImage.fromData(base64.b64decode(underlay.data, validate=False))

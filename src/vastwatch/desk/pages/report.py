"""The pages for a client as one PDF: each level to scale, then what was asked, set, found, and what it takes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from html import escape
from typing import NamedTuple

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QPointF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter, QPainterPath, QPdfWriter, QPen, QTextDocument
from PyQt6.QtPrintSupport import QPrinter

from vastwatch.advice.checks.cautions import cautions
from vastwatch.advice.checks.finding import Finding
from vastwatch.advice.judging.timing import TimingCurve
from vastwatch.causes.chain import IncidentView
from vastwatch.control.export.device_sheet import values_words
from vastwatch.design.needs import needs_of, use_words
from vastwatch.design.places import room_of
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.design.relations import levels_in_order, presence_of
from vastwatch.desk.pages.plan_sheet import (
    DPI,
    extent,
    fitting_scale,
    key_to_contours,
    paint_level,
    paper_font,
    scale_bar,
    state_for,
)
from vastwatch.desk.shell.theme import LIGHT
from vastwatch.rehearsal import Rehearsal
from vastwatch.words import duration_words, figure

PAPERS = {"A4": QPageSize.PageSizeId.A4, "A3": QPageSize.PageSizeId.A3}
MARGIN_MM = 12.0
MM = DPI / 25.4
# Heights of what stands above and below the plan, pixels.
HEAD, FOOT = 46.0, 30.0
SEVERITY_WORDS = {"wrong": "To fix", "risk": "To check", "caution": "Caution", "note": "Note"}


class Shown(NamedTuple):
    """An incident to show on the plan: whom it happened to, its level, and its title."""

    scene: IncidentView
    level: str
    title: str


# What is on the pages besides the project: week, findings, timing curve, and an incident.
Computed = tuple[Rehearsal | None, list[Finding] | None, TimingCurve | None, Shown | None]


def pages(
    project: Project,
    paper: str,
    rehearsal: Rehearsal | None = None,
    findings: list[Finding] | None = None,
    curve: TimingCurve | None = None,
    incident: Shown | None = None,
) -> bytes:
    """A PDF on "A4" or "A3". What has not been computed is left out, and its place says so. An `incident` has its level
    once more, with whom it happened to."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setTitle(project.name)
    writer.setCreator("Vast Watch")
    paint_pages(writer, project, paper, rehearsal, findings, curve, incident)
    return bytes(buffer.data().data())


def paint_pages(
    writer: QPdfWriter | QPrinter,
    project: Project,
    paper: str,
    rehearsal: Rehearsal | None = None,
    findings: list[Finding] | None = None,
    curve: TimingCurve | None = None,
    incident: Shown | None = None,
) -> None:
    """Paint the same pages on a printer or into a PDF."""
    writer.setResolution(DPI)
    margins = QMarginsF(MARGIN_MM, MARGIN_MM, MARGIN_MM, MARGIN_MM)
    wide, upright = QPageLayout.Orientation.Landscape, QPageLayout.Orientation.Portrait
    size = QPageSize(PAPERS[paper])
    drawn = [(level, frame) for level in levels_in_order(project) if (frame := extent(project, level.id)) is not None]
    writer.setPageLayout(QPageLayout(size, wide if drawn else upright, margins))
    painter = QPainter(writer)
    for k, (level, frame) in enumerate(drawn):
        if k:
            writer.newPage()
        _level(painter, project, level.id, frame, paper)
    if incident is not None and (frame := extent(project, incident.level)) is not None:
        writer.newPage()
        _level(painter, project, incident.level, frame, paper, incident)
    if drawn:
        writer.setPageLayout(QPageLayout(size, upright, margins))
        writer.newPage()
    _text(painter, writer, project, rehearsal, findings, curve)
    painter.end()


def _level(
    painter: QPainter, project: Project, level_id: str, frame: QRectF, paper: str, incident: Shown | None = None
) -> None:
    """A level as large as a usual scale allows, with its key and its scale."""
    page = QRectF(painter.viewport())
    level = find(project.levels, level_id)
    room = page.adjusted(0, HEAD, 0, -FOOT)
    scale = fitting_scale(frame, room)
    k = DPI / 0.0254 / scale
    painter.setPen(LIGHT.ink)
    painter.setFont(paper_font(17, 600))
    painter.drawText(QRectF(0, 0, page.width() * 0.7, 24), Qt.AlignmentFlag.AlignVCenter, project.name)
    painter.setFont(paper_font(10))
    painter.setPen(LIGHT.soft)
    client = f"for {project.client}, " if project.client else ""
    painter.drawText(QRectF(0, 24, page.width(), 16), Qt.AlignmentFlag.AlignVCenter,
                     f"{client}{level.name}, rehearsed from {project.brief.rehearse_from}")  # fmt: skip
    if incident is not None:
        painter.setPen(LIGHT.dropped)
        painter.drawText(QRectF(0, 24, page.width(), 16), Qt.AlignmentFlag.AlignRight, incident.title)
    state = state_for(project, level_id, incident.scene if incident else None)
    at = QPointF((room.width() - frame.width() * k) / 2, room.top() + (room.height() - frame.height() * k) / 2)
    paint_level(painter, state, frame, k, at)
    scale_bar(painter, QPointF(0, page.height() - 14), scale)
    key_to_contours(painter, QPointF(page.width() * 0.42, page.height() - 16), state)
    painter.setPen(LIGHT.soft)
    painter.setFont(paper_font(9))
    right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
    painter.drawText(QRectF(0, page.height() - 20, page.width(), 16), right, f"1 : {scale} on {paper}")


def _text(
    painter: QPainter,
    writer: QPdfWriter | QPrinter,
    project: Project,
    rehearsal: Rehearsal | None,
    findings: list[Finding] | None,
    curve: TimingCurve | None,
) -> None:
    page = QRectF(painter.viewport())
    document = QTextDocument()
    layout = document.documentLayout()
    assert layout is not None
    layout.setPaintDevice(writer)
    document.setDefaultFont(paper_font(11))
    document.setDefaultStyleSheet(
        "h1 { font-size: 15px; } h2 { font-size: 12px; margin-top: 14px; } td, th { padding: 2px 9px 2px 0; }"
        " th { text-align: left; color: #6A665E; font-weight: normal; } p { margin: 3px 0; }"
    )
    document.setPageSize(QSizeF(page.width(), page.height()))
    document.setHtml(report_html(project, rehearsal, findings))
    for k in range(document.pageCount()):
        if k:
            writer.newPage()
        painter.save()
        painter.translate(0, -k * page.height())
        document.drawContents(painter, QRectF(0, k * page.height(), page.width(), page.height()))
        painter.restore()
    if curve is not None:
        writer.newPage()
        _curve(painter, QRectF(0, 0, page.width(), min(page.height(), 420.0)), project, curve)


def report_html(project: Project, rehearsal: Rehearsal | None, findings: list[Finding] | None) -> str:
    """What was asked, set and found, and the parts, as the text of the pages. Names stand in it as they are."""
    out = [f"<h1>{escape(project.name)}</h1>"]
    if project.client:
        out.append(f"<p>For {escape(project.client)}</p>")
    out += [f"<p>{escape(text)}</p>" for text in project.notes.splitlines() if text.strip()]
    out += ["<h2>Room needs and results</h2>", _rooms(project, rehearsal)]
    out += ["<h2>Settings</h2>", _settings(project)]
    out += ["<h2>Findings</h2>"]
    if findings is None:
        out.append("<p>The design checks have not been run yet.</p>")
    else:
        rows = [
            (SEVERITY_WORDS[f.severity], f.text, "; ".join(r.text for r in f.remedies[:1]))
            for f in findings
            if f.severity != "caution" and f.rule != "no-presence"
        ]
        rows += _by_hand(project, [f.room for f in findings if f.rule == "no-presence" and f.room is not None])
        out.append(_table(("", "what", "improvement"), rows) if rows else "<p>No problems found.</p>")
    out += ["<h2>Parts</h2>", _parts(project)]
    said = [c.text for c in cautions(project)] + [f.text for f in findings or () if f.severity == "caution"]
    out += ["<h2>Cautions</h2>"] + [f"<p>{escape(text)}</p>" for text in dict.fromkeys(said)]
    out.append("<p>Local codes and licensed electricians have the final say.</p>")
    return "\n".join(out)


def _by_hand(project: Project, rooms: list[str]) -> list[tuple[str, str, str]]:
    """Rooms with a lamp and no sensor, all in one line."""
    if not rooms:
        return []
    names = ", ".join(find(project.rooms, room).name for room in rooms)
    return [(SEVERITY_WORDS["note"], f"Switched by hand only, without a sensor: {names}.", "")]


def _table(head: tuple[str, ...], rows: Sequence[tuple[str, ...]]) -> str:
    cells = "".join(f"<th>{escape(h)}</th>" for h in head)
    lines = "".join("<tr>" + "".join(f"<td>{escape(str(c))}</td>" for c in row) + "</tr>" for row in rows)
    return f'<table width="100%"><tr>{cells}</tr>{lines}</table>'


def _rooms(project: Project, rehearsal: Rehearsal | None) -> str:
    rows = []
    for room in project.rooms:
        it = needs_of(project, room)
        scores = rehearsal.scores.get(room.id) if rehearsal is not None else None
        occupied = scores is not None and rehearsal is not None and rehearsal.truth.occupied(room.id, False).total() > 0
        did = ("–", "–", "–")
        if scores is not None and occupied:
            did = (f"{7 * scores.false_offs:.1f}", f"{figure(scores.dark_min)} min", f"{scores.wasted_h:.1f} h")
        rows.append((room.name, use_words(project, room), duration_words(it.notice_s), f"{it.drops_per_week:g}", *did))
    head = (
        "room",
        "used as",
        "noticed within",
        "false-offs a week, limit",
        "false-offs a week",
        "dark a day",
        "lit while empty a day",
    )
    days = (
        "" if rehearsal is None else f"<p>Rehearsed for {rehearsal.days} days from {project.brief.rehearse_from}.</p>"
    )
    return _table(head, rows) + days


def _settings(project: Project) -> str:
    rows = []
    for sensor in project.sensors:
        device, room = find(project.devices, sensor.device), room_of(project, sensor)
        x, y, z = sensor.at
        presence = None if room is None else presence_of(project, room.id)
        hold = None if presence is None else hold_of(presence.expr)
        rows.append(
            (
                sensor.name, device.name, room.name if room else "–", f"{x:.2f}, {y:.2f} m", f"{z:.2f} m",
                f"{sensor.yaw:.0f}° / {sensor.pitch:.0f}°",
                values_words(device, sensor.settings) or "nothing to set",
                "–" if hold is None else duration_words(hold),
            )
        )  # fmt: skip
    head = ("sensor", "type", "room", "at", "height", "aim / pitch", "device settings", "room hold time")
    return _table(head, rows) if rows else "<p>No sensor is placed yet.</p>"


def _parts(project: Project) -> str:
    counts = Counter(s.device for s in project.sensors) + Counter(c.module for c in project.circuits if c.module)
    owned = {o.device: o.count for o in project.brief.owned}
    rows, total = [], 0.0
    for ident, count in sorted(counts.items()):
        device = find(project.devices, ident)
        bought = max(count - owned.get(ident, 0), 0)
        total += bought * device.price
        have = f"{count - bought} already owned" if bought < count else ""
        rows.append((f"{count} ×", device.name, f"{device.price:g}", f"{bought * device.price:g}", have))
    if not rows:
        return "<p>Nothing to buy yet.</p>"
    currency = f" {project.brief.currency}" if project.brief.currency else ""
    rows.append(("", "Total", "", f"{total:g}{currency}", ""))
    return _table(("", "part", "each", "together", ""), rows)


def _curve(painter: QPainter, area: QRectF, project: Project, curve: TimingCurve) -> None:
    """False-offs a week over the hold, with the present and the recommended one."""
    room = find(project.rooms, curve.room)
    painter.save()
    painter.setPen(LIGHT.ink)
    painter.setFont(paper_font(12, 600))
    painter.drawText(
        QRectF(0, 0, area.width(), 18), Qt.AlignmentFlag.AlignVCenter, f"{room.name}: false-offs a week by hold time"
    )
    plot = area.adjusted(44, 34, -16, -40)
    hold, drops = curve.hold_s, 7.0 * curve.drops_per_day
    # With hardly any hold the light goes off on somebody all the time: what people choose among lies below.
    longest = float(hold[-1]) or 1.0
    most = max(float(drops[hold >= min(60.0, longest / 4)].max()), 1.0)

    def at(s: float, d: float) -> QPointF:
        return QPointF(plot.left() + s / longest * plot.width(), plot.bottom() - d / most * plot.height())

    painter.setPen(QPen(LIGHT.hairline, 1))
    painter.drawRect(plot)
    painter.setFont(paper_font(9))
    for share in (0.0, 0.25, 0.5, 0.75, 1.0):
        painter.setPen(LIGHT.soft)
        side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, at(0, share * most).y() - 8, 38, 16), side, f"{share * most:.1f}")
        x = at(share * longest, 0).x()
        painter.drawText(QRectF(x - 40, plot.bottom() + 4, 80, 14), Qt.AlignmentFlag.AlignHCenter,
                         duration_words(share * longest) if share else "0")  # fmt: skip
    path = QPainterPath(at(float(hold[0]), float(drops[0])))
    for s, d in zip(hold[1:].tolist(), drops[1:].tolist()):
        path.lineTo(at(s, d))
    painter.setPen(QPen(LIGHT.dropped, 1.6))
    painter.save()
    painter.setClipRect(plot)
    painter.drawPath(path)
    painter.restore()
    for s, words, colour in (
        (curve.current_s, f"now {duration_words(curve.current_s)}", LIGHT.soft),
        (curve.recommended_s, f"recommended {duration_words(curve.recommended_s)}", LIGHT.ink),
    ):
        x = at(min(s, longest), 0).x()
        painter.setPen(QPen(colour, 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, plot.top() - 4), QPointF(x, plot.bottom()))
        edge = Qt.AlignmentFlag.AlignRight if x > plot.center().x() else Qt.AlignmentFlag.AlignLeft
        box = QRectF(x - 204, 0, 200, 14) if x > plot.center().x() else QRectF(x + 4, 0, 200, 14)
        box.moveTop(plot.top() + (2 if colour == LIGHT.soft else 16))
        painter.drawText(box, edge, words)
    painter.setPen(LIGHT.soft)
    below = QRectF(0, area.bottom() - 14, area.width(), 80)
    painter.drawText(below, int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap), curve.reason)
    painter.restore()

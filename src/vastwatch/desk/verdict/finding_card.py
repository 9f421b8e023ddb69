"""A finding as a card: what is wrong, what would help, and the way to the record and to the guide."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from html import escape

from PyQt6.QtCore import QCoreApplication, Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout

from vastwatch.advice.checks.finding import Finding
from vastwatch.desk.results.findings import FINDINGS
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.guide_window import EXPLAINED_BY, ExplainButton
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import LinkCard, column_in, label, plain
from vastwatch.guide import topic_of

# About as high as a finding of two lines with a remedy, pixels.
USUAL_HEIGHT = 88


def card_to_come() -> QFrame:
    """The place of a card while the design is being checked: what lies below it need not move when it comes."""
    card = QFrame()
    card.setProperty("role", "card")
    card.setFixedHeight(USUAL_HEIGHT)
    card.setAccessibleName(QCoreApplication.translate("Finding", "A finding to come"))
    return card


def finding_card(finding: Finding, theme: Theme, go: Callable[[str], object]) -> LinkCard:
    """A card that goes to the first record of a finding; its question mark opens the guide where it explains it."""
    card = LinkCard(finding.text)
    bars = {"wrong": theme.dropped, "risk": theme.lamp, "caution": theme.ink, "note": theme.hairline}
    card.setStyleSheet(f"QFrame[role='card'] {{ border-left: 3px solid {bars[finding.severity].name()}; }}")
    inner = column_in(card, 3, (10, 7, 5, 7))
    caution = QCoreApplication.translate("Finding", "Caution: ") if finding.severity == "caution" else ""
    top = QHBoxLayout()
    top.setSpacing(2)
    inner.addLayout(top)
    top.addWidget(label(caution + finding.text, "", True), 1)
    topic = topic_of(finding.rule)
    if topic is not None:
        card.setProperty(EXPLAINED_BY, topic.name)
        top.addWidget(ExplainButton(topic), 0, Qt.AlignmentFlag.AlignTop)
    if finding.remedies:
        inner.addWidget(label(finding.remedies[0].text, "soft", True))
    tips = "".join(f"<li>{escape(r.text)}</li>" for r in finding.remedies)
    card.setToolTip(f"<ul style='margin-left:-24px'>{tips}</ul>" if tips else plain(finding.text))
    if finding.records:
        card.chosen.connect(partial(go, finding.records[0]))
    return card


def no_findings(results: Results, room: str) -> str:
    """What is said of a room in which the checks found nothing."""

    def tr(words: str) -> str:
        return QCoreApplication.translate("Finding", words)

    if results[FINDINGS].state == "failed":
        return tr("The design checks failed because of an internal error; see the log.")
    r = results.rehearsal
    count = sum(i.dark for i in r.incidents if i.room == room) if r else 0
    if count == 0 and r is not None and r.truth.occupied(room, False).total() == 0:
        return tr("No problems found by the design checks; a rehearsal may show more.")
    if count == 0:
        return tr("No problems found in this room.")
    times = tr("once") if count == 1 else tr("{} times").format(count)
    return tr(
        "No problems found by the design checks, but somebody was left in the dark {}. Press . to step through."
    ).format(times)

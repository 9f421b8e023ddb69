"""A finding as a card: what is wrong, what would help, and the way to the record and to the guide."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from html import escape

from PyQt6.QtCore import QCoreApplication, Qt
from PyQt6.QtWidgets import QHBoxLayout

from vastwatch.advice.checks.finding import Finding
from vastwatch.desk.shell.guide_window import EXPLAINED_BY, ExplainButton
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import LinkCard, column_in, label, plain
from vastwatch.guide import topic_of


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

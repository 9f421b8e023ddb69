"""The adviser in the verdict: what would serve the room, its bill and what it is judged at, and why the others do
not."""

from __future__ import annotations

from functools import partial
from html import escape

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QWidget

from vastwatch.advice.adviser.adviser import Candidate, RoomAdvice
from vastwatch.desk.results.adviser import OPTIONS
from vastwatch.desk.results.derived import NOT_COMPUTED
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.theme import Theme
from vastwatch.desk.shell.widgets import LinkCard, clear, column, label, pressed, row
from vastwatch.words import capital

# Of what would do so many are shown; of what does not, where nothing does, so many.
SHOWN, NEAREST = 3, 2


class OffersView(QWidget):
    """Asks the adviser and shows its answer, first at a glance and then as it is judged."""

    # An offer is to be mounted; the four ways are to be shown.
    taken = pyqtSignal(object)
    ways = pyqtSignal()

    def __init__(self, results: Results, theme: Theme) -> None:
        super().__init__()
        self.results, self.theme = results, theme
        _, self._box = column(7)
        self.setLayout(self._box)
        self._why_not = False
        results[OPTIONS].changed.connect(self.refresh)
        results[OPTIONS].progressed.connect(self._progress)
        self._button: QPushButton | None = None
        self._shown: tuple[object, ...] = ()
        self.refresh()

    def ask(self) -> None:
        """Ask what would do in the focused room."""
        options = self.results[OPTIONS]
        if options.value is None and not options.busy:
            options.ask()

    def refresh(self) -> None:
        """Show what is known; where nothing of it is new, all stays as it is: much is judged that changes no line."""
        options = self.results[OPTIONS]
        shown = (options.state, options.words, options.busy, self._why_not, *self._shown_of(options.value))
        if shown == self._shown:
            self._progress()
            return
        self._shown = shown
        clear(self._box)
        self._button = None
        ways = QPushButton(self.tr("Compare four strategies"))
        ways.setToolTip(self.tr("Motion with a long hold time, radar alone, both, a mat: on the same simulated weeks."))
        ways.clicked.connect(self.ways)
        self._box.addWidget(ways)
        if options.state in ("failed", "refused"):
            words = NOT_COMPUTED if options.state == "failed" else capital(options.words) + "."
            self._box.addWidget(label(words, "soft", True))
            return
        if options.busy or options.value is None:
            self._button = QPushButton(self.tr("Suggest a sensor"))
            self._button.setToolTip(
                self.tr("Tries every listed type in corners, on walls and on the ceiling, alone and in pairs. (W)")
            )
            self._button.clicked.connect(options.forget if options.busy else self.ask)
            self._box.addWidget(self._button)
            self._progress()
        if options.value is not None:
            self._answer(options.value, options.busy)

    def _shown_of(self, found: RoomAdvice | None) -> tuple[object, ...]:
        """All of an answer that is shown."""
        if found is None:
            return ()
        others = () if self.results[OPTIONS].busy else (found.rejected, found.unjudged)
        tried = bool(found.candidates or found.rejected)
        return found.words, _cards(found), tried, () if tried else found.promising, others

    def _progress(self) -> None:
        options = self.results[OPTIONS]
        if self._button is not None and options.busy:
            share = round(100 * options.progress)
            self._button.setText(self.tr("Simulating weeks, {} %… stop").format(share))

    def _answer(self, found: RoomAdvice, busy: bool) -> None:
        tried = len(found.candidates) + len(found.rejected)
        if tried or not busy:
            self._box.addWidget(label(found.words, "", True))
        elif found.promising:
            names = "; ".join(o.device.name for o in found.promising)
            words = self.tr("Most promising by coverage: {}. Simulating weeks…").format(names)
            self._box.addWidget(label(words, "soft", True))
        for k, offer in enumerate(_cards(found)):
            self._box.addWidget(self._card(offer, bool(found.candidates) and k == 0))
        left = found.rejected if found.candidates or found.met_already else found.rejected[NEAREST:]
        if busy or not (left or found.unjudged):
            return
        words = self.tr("Why not the others") if not self._why_not else self.tr("Hide the others")
        others = pressed(words, self._fold, self.tr("Why each of the others fails."))
        self._box.addWidget(others)
        if not self._why_not:
            return
        for offer in left:
            self._reason(offer.name, offer.reason)
        for option in found.unjudged:
            if option.shortfalls:
                self._reason(option.device.name, capital("; ".join(option.shortfalls)) + ".")

    def _reason(self, name: str, words: str) -> None:
        self._box.addWidget(label(f"<b>{escape(name)}</b>: {escape(words)}", "soft", True, rich=True))

    def _fold(self) -> None:
        self._why_not = not self._why_not
        self.refresh()

    def _card(self, offer: Candidate, best: bool) -> LinkCard:
        currency = offer.project.brief.currency
        card = LinkCard(f"{offer.name}, {offer.price:g}: {offer.reason}")
        if best:
            card.setStyleSheet(f"QFrame[role='card'] {{ border-color: {self.theme.lamp.name()}; }}")
        _, inner = column(2)
        card.setLayout(inner)
        inner.setContentsMargins(10, 6, 10, 7)
        price = f"{offer.price:g} {currency}".strip() if offer.price else self.tr("owned")
        inner.addWidget(row(label(offer.name, "head", True), label(price, "soft"), stretch=0))
        inner.addWidget(label(offer.reason, "soft", True))
        more = [f"{item.what} ({item.price:g}), which {item.why}" for item in offer.bill.items if item.why]
        more += [self.tr("{} already owned").format(i.what) for i in offer.bill.items if not i.why and not i.price]
        if more:
            inner.addWidget(label(self.tr("With {}.").format("; ".join(more)), "soft", True))
        for words in offer.bill.unpriced:
            inner.addWidget(label(capital(words) + ".", "bad", True))
        how = self.tr("Replaces what is placed there. ") if offer.replaces else ""
        card.setToolTip(how + self.tr("Place it as judged, with that hold time. Ctrl+Z undoes it."))
        card.chosen.connect(partial(self.taken.emit, offer))
        return card


def _cards(found: RoomAdvice) -> tuple[Candidate, ...]:
    """What is shown at length: what would do, or where nothing does what comes nearest."""
    return found.candidates[:SHOWN] or (() if found.met_already else found.rejected[:NEAREST])

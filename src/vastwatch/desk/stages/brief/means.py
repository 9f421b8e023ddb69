"""The Means page: budget, what matters more, kit that is there already; and from those what to buy next."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSlider,
    QWidget,
)  # fmt: skip

from vastwatch.advice.adviser.purchase import Purchase, budget_left, spent
from vastwatch.design.project import Brief, Owned, Project, find
from vastwatch.design.relations import readers_of
from vastwatch.desk.results.adviser import PURCHASES
from vastwatch.desk.results.derived import NOT_COMPUTED
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.editing import Edited, at_part
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import MARGIN
from vastwatch.desk.shell.widgets import (
    Choice,
    Count,
    LazyPanel,
    LinkCard,
    Slide,
    clear,
    column_in,
    column_under,
    label,
    line,
    pressed,
    row,
    scrolling,
)
from vastwatch.desk.stages.brief.rooms import number
from vastwatch.desk.stages.sensors.own_types import OwnTypes
from vastwatch.words import duration_words, error_sentence

WEIGHTS = {
    "cost": "low cost", "comfort": "never in the dark", "no_cables": "no new cables", "fewest": "few devices",
}  # fmt: skip
WEIGHT_WORDS = ("not important", "normal", "important", "very important")
SHOWN = 6


class MeansPage(LazyPanel):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, results: Results, own: OwnTypes) -> None:
        super().__init__()
        self.document, self.focus, self.results, self.own = document, focus, results, own
        outer = column_in(self, margins=(MARGIN, 2, 4, 8))
        area, box = scrolling(8, (0, 0, 10, 0))
        outer.addWidget(area)
        self.edited = Edited(document, focus, Brief, at_part("brief"))
        self.edited.say.connect(self.say)
        self.budget = QLineEdit()
        self.budget.setAccessibleName(self.tr("Budget"))
        self.budget.setPlaceholderText(self.tr("no limit"))
        self.budget.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.budget.editingFinished.connect(self._set_budget)
        self.currency = self.edited.line("currency", self.tr("Currency"), 8, True, self.tr("currency"))
        self.currency.setFixedWidth(76)
        box.addWidget(row(guide_label(self.tr("Budget"), "budget", "head"), self.budget, self.currency, stretch=1))
        self._left = label("", "soft", True)
        box.addWidget(self._left)
        self.drops = self.edited.field("drops_per_week")
        self.code_hold = self.edited.field(
            "code_hold_max_s", lambda b: b.code_hold_max_s or 0.0, lambda b, v: replace(b, code_hold_max_s=v or None)
        )
        for field in (self.drops, self.code_hold):
            field.setFixedWidth(76)
            box.addWidget(row(label(field.accessibleName(), "soft"), field, stretch=0))
        self.code_hand, self.code_half = map(self.edited.field, ("code_manual_on", "code_half_off"))
        box.addWidget(self.code_hand)
        box.addWidget(self.code_half)
        box.addWidget(line())
        box.addWidget(label(self.tr("Priorities"), "head"))
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(8)
        grid.setColumnStretch(1, 1)
        self.weights: dict[str, QSlider] = {}
        self._weight_words: dict[str, QWidget] = {}
        for k, (name, words) in enumerate(WEIGHTS.items()):
            slider = Slide()
            slider.setRange(0, 3)
            slider.setPageStep(1)
            slider.setAccessibleName(words)
            slider.valueChanged.connect(partial(self._set_weight, name))
            said = label("", "soft")
            said.setMinimumWidth(96)
            grid.addWidget(label(words), k, 0)
            grid.addWidget(slider, k, 1)
            grid.addWidget(said, k, 2)
            self.weights[name], self._weight_words[name] = slider, said
        box.addWidget(holder)
        box.addWidget(line())
        self.kit = Choice()
        self.kit.setAccessibleName(self.tr("Kit owned"))
        self.kit.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.kit.setMinimumContentsLength(12)
        self.count = Count()
        self.count.setRange(1, 999)
        self.count.setFixedWidth(52)
        self.count.setAccessibleName(self.tr("Quantity"))
        have = pressed(self.tr("Add to kit"), self._add_owned)
        box.addWidget(label(self.tr("Kit already owned"), "head"))
        box.addWidget(row(self.kit, self.count, have, stretch=0, spacing=5))
        self._owned = column_under(box, 2)
        box.addWidget(line())
        self.next = QPushButton(self.tr("Next best purchase"))
        self.next.setToolTip(self.tr("Compares the best types for every room on the same weeks. (B)"))
        self.next.clicked.connect(self.ask_next)
        self.starter = QPushButton(self.tr("Starter set"))
        self.starter.setToolTip(self.tr("Starting with no sensors: what to buy first, second, … within the budget."))
        self.starter.clicked.connect(self.ask_starter)
        box.addWidget(
            row(guide_label(self.tr("What to buy"), "budget", "head"), QWidget(), self.next, self.starter, stretch=1)
        )
        self._progress = QProgressBar()
        self._progress.setTextVisible(False)
        self._progress.setFixedHeight(6)
        self._stop = pressed(self.tr("Stop"), lambda: self.results[PURCHASES].forget())
        self._working = row(self._progress, self._stop, stretch=0)
        box.addWidget(self._working)
        self._found = column_under(box, 5)
        box.addStretch(1)
        document.changed.connect(self.wake)
        own.changed.connect(self._fill_kit)
        results[PURCHASES].changed.connect(self._tell)
        results[PURCHASES].progressed.connect(self._tell)
        self._fill_kit()
        self.refresh()
        self._tell()

    # -- showing -------------------------------------------------------------------------------------------------

    def _fill_kit(self) -> None:
        self.kit.clear()
        for device in self.own.all(self.document.project):
            self.kit.addItem(device.name, device.id)

    def refresh(self, *_: object) -> None:
        """Show the brief as it is."""
        project = self.document.project
        brief = project.brief
        if not self.budget.hasFocus():
            self.budget.setText("" if brief.budget is None else f"{brief.budget:g}")
        self.edited.fill()
        left = budget_left(project)
        words = self.tr("{:g} {} spent so far").format(spent(project), brief.currency)
        if left is not None:
            words += self.tr("; {:g} left.").format(left) if left >= 0 else self.tr("; {:g} over.").format(-left)
        self._left.setText(words)
        for name, slider in self.weights.items():
            value = getattr(brief.weights, name)
            slider.blockSignals(True)
            slider.setValue(value)
            slider.blockSignals(False)
            self._weight_words[name].setText(WEIGHT_WORDS[value])  # type: ignore[attr-defined]
        clear(self._owned)
        for owned in brief.owned:
            device = find(project.devices, owned.device)
            away = QPushButton("×")
            away.setFixedSize(24, 26)
            away.setProperty("role", "pick")
            away.setAccessibleName(self.tr("No {} there").format(device.name))
            away.clicked.connect(partial(self._remove_owned, owned.device))
            self._owned.addWidget(row(label(f"{owned.count} × {device.name}"), QWidget(), away, stretch=1))

    def _tell(self) -> None:
        derived = self.results[PURCHASES]
        self._working.setVisible(derived.busy)
        self._progress.setRange(0, 100)
        self._progress.setValue(round(100 * derived.progress))
        if derived.busy:
            return
        clear(self._found)
        if derived.state == "failed":
            self._found.addWidget(label(NOT_COMPUTED, "soft", True))
            return
        if derived.value is None:
            self._found.addWidget(label(self.tr("All figures are from the same 80 simulated weeks."), "soft", True))
            return
        found, a_set, _ = derived.value
        if not found:
            self._found.addWidget(label(self.tr("No device within this budget would help."), "soft", True))
            return
        if a_set:
            total = sum(p.price for p in found)
            take = QPushButton(self.tr("Place all {} for {:g} {}").format(
                len(found), total, self.document.project.brief.currency))  # fmt: skip
            take.setProperty("role", "best")
            take.clicked.connect(partial(self._take, found[-1].project, self.tr("Place the starter set")))
            self._found.addWidget(take)
        else:
            self._tell_free(*derived.value.free)
            # The best for each room; another type for the same room is a question for the room itself.
            best = {p.room: p for p in reversed(found)}
            found = sorted(best.values(), key=lambda p: -p.gain_per_cost)
        shown = found if a_set else found[:SHOWN]
        for k, purchase in enumerate(shown, 1):
            self._found.addWidget(self._card(k, purchase, a_set))

    def _tell_free(self, dark: float, idle: float) -> None:
        if dark < 0.5:
            return
        words = self.tr("No cost: better hold times alone would save {} in the dark a day").format(
            duration_words(round(dark) * 60)
        )
        words += (
            self.tr(", and add {} lit while empty.").format(duration_words(-idle * 3600 // 60 * 60))
            if idle < -0.1
            else "."
        )
        go = LinkCard(words)
        inner = column_in(go, margins=(10, 6, 10, 7))
        inner.addWidget(label(words, "", True))
        go.setToolTip(self.tr("Go to Timing."))
        go.chosen.connect(lambda: self.focus.set(stage="Timing"))
        self._found.addWidget(go)

    def _card(self, k: int, p: Purchase, a_set: bool) -> LinkCard:
        card = LinkCard(p.words)
        inner = column_in(card, 2, (10, 6, 10, 7))
        currency = self.document.project.brief.currency
        price = self.tr("owned") if p.price == 0 else f"{p.price:g} {currency}".strip()
        room = find(p.project.rooms, p.room).name
        title = f"{k}  {p.offer.name}, {room.lower()}"
        inner.addWidget(row(label(title, "head"), label(price, "soft"), stretch=0))
        _, _, figures = p.words.partition(": ")
        inner.addWidget(label(figures[:1].upper() + figures[1:], "soft", True))
        more = [self.tr("{} ({:g}), which {}").format(i.what, i.price, i.why) for i in p.bill.items if i.why]
        if more:
            inner.addWidget(label(self.tr("With {}.").format("; ".join(more)), "soft", True))
        if a_set:
            card.setToolTip(self.tr("Place everything up to here. Ctrl+Z undoes it."))
        else:
            card.setToolTip(self.tr("Place it as judged, with that hold time."))
        card.chosen.connect(partial(self._take, p.project, f"Place {p.offer.name} in {room.lower()}"))
        return card

    # -- asking and taking -----------------------------------------------------------------------------------------

    def ask_next(self) -> None:
        """What to buy next on top of what there is."""
        self._ask(None)

    def _ask(self, budget: float | None) -> None:
        self.results[PURCHASES].wanted = budget
        self.results[PURCHASES].ask()

    def ask_starter(self) -> None:
        """A set from nothing, within the budget."""
        budget = self.document.project.brief.budget
        if budget is None:
            self.say.emit(self.tr("A starter set needs a budget: enter one above."))
            self.budget.setFocus()
            return
        self._ask(budget)

    def _take(self, project: Project, words: str) -> None:
        before = {s.id for s in self.document.project.sensors}
        self.document.apply(project, words)
        new = next((s for s in reversed(project.sensors) if s.id not in before), None)
        if new is not None:
            rooms = [p.room for p in readers_of(project, new.id) if p.room is not None]
            self.focus.set(level=new.level, room=rooms[0] if rooms else self.focus.room, selected=new.id)

    # -- writing -------------------------------------------------------------------------------------------------

    def _brief(self, words: str, key: str | None = None, **fields: object) -> None:
        project = self.document.project
        self.document.apply(replace(project, brief=replace(project.brief, **fields)), words, key)

    def _set_budget(self) -> None:
        text = self.budget.text().strip()
        now = self.document.project.brief.budget
        if not text:
            if now is not None:
                self._brief("No budget limit", budget=None)
            return
        try:
            value = number(text, "a sum of money")
        except ValueError as e:
            self.say.emit(error_sentence(e))
            return
        if value != now:
            self._brief(f"Budget of {value:g}", budget=value)

    def _set_weight(self, name: str, value: int) -> None:
        weights = replace(self.document.project.brief.weights, **{name: value})
        self._brief(f"{WEIGHTS[name].capitalize()} {WEIGHT_WORDS[value]}", f"weight-{name}", weights=weights)

    def _add_owned(self) -> None:
        project = self.document.project
        device = next(d for d in self.own.all(project) if d.id == self.kit.currentData())
        if all(d.id != device.id for d in project.devices):
            project = replace(project, devices=(*project.devices, device))
        others = tuple(o for o in project.brief.owned if o.device != device.id)
        owned = (*others, Owned(device=device.id, count=self.count.value()))
        new = replace(project, brief=replace(project.brief, owned=owned))
        self.document.apply(new, f"Owned: {self.count.value()} × {device.name}")

    def _remove_owned(self, device: str) -> None:
        project = self.document.project
        owned = tuple(o for o in project.brief.owned if o.device != device)
        used = {s.device for s in project.sensors} | {c.module for c in project.circuits} | {o.device for o in owned}
        devices = tuple(d for d in project.devices if d.id in used)
        new = replace(project, brief=replace(project.brief, owned=owned), devices=devices)
        self.document.apply(new, "Remove from kit")

"""A dialog in which readings are typed, a line each: what they come to is told at once, and taken where they do."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QDialog, QPlainTextEdit, QWidget

from vastwatch.desk.shell.widgets import column_in, label, pressed, row
from vastwatch.words import error_sentence


class ReadingsDialog(QDialog):
    """`understood` makes of the text what it comes to, in words, and what is to be done with it when it is taken, which
    gives the words to close with; None where there is nothing to take yet. It raises ValueError with the reason."""

    def __init__(
        self, title: str, how: str, take: str, understood: Callable[[str], tuple[str, Callable[[], str] | None]],
        text: str = "", parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._understood = understood
        self.told = ""
        self._then: Callable[[], str] | None = None
        self.setWindowTitle(title)
        self.resize(440, 340)
        box = column_in(self, 8, (20, 16, 20, 16))
        box.addWidget(label(title, "title"))
        box.addWidget(label(how, "soft", True))
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(self.tr("Readings"))
        self.text.setPlainText(text)
        self.text.textChanged.connect(self._typed)
        box.addWidget(self.text, 1)
        self.words = label("", "", True)
        box.addWidget(self.words)
        self.take = pressed(take, self._take)
        box.addWidget(row(self.take, QWidget(), pressed(self.tr("Close"), self.reject), stretch=1))
        self._typed()

    def _typed(self) -> None:
        self._then = None
        try:
            words, self._then = self._understood(self.text.toPlainText())
        except ValueError as e:
            words = error_sentence(e)
        self.words.setText(words)
        self.take.setEnabled(self._then is not None)

    def _take(self) -> None:
        if self._then is not None:
            self.told = self._then()
            self.accept()

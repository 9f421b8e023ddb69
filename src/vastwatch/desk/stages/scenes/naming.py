"""Asking for a name in a small sheet that blocks nothing."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QInputDialog, QWidget

from vastwatch.design.project import Project
from vastwatch.desk.shell.document import Document

# A name is no longer than this.
LONGEST = 80


def ask_name(
    parent: QWidget,
    title: str,
    now: str,
    document: Document,
    make: Callable[[str], Project],
    say: Callable[[str], None],
) -> QInputDialog:
    """Ask for a name; what `make` makes of it becomes the project, and what cannot be is said."""
    dialog = QInputDialog(parent)
    dialog.setWindowTitle(title)
    dialog.setLabelText(parent.tr("Name"))
    dialog.setTextValue(now)

    def take(text: str) -> None:
        try:
            document.apply(make(" ".join(text.split())[:LONGEST]), f"{title} “{text}”")
        except ValueError as e:
            say(str(e))

    dialog.textValueSelected.connect(take)
    dialog.open()
    return dialog

"""The guide in a window of its own: searched by words, or opened at what explains something in the program."""

from __future__ import annotations

from typing import TypeVar

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QFont, QKeyEvent, QMouseEvent, QTextBlockFormat, QTextCharFormat, QTextCursor, QTextFormat
from PyQt6.QtWidgets import (
    QDialog,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QTextBrowser,
    QToolButton,
    QWidget,
)  # fmt: skip

from vastwatch.desk.shell.theme import Theme, font
from vastwatch.desk.shell.widgets import column_in, label
from vastwatch.guide import Topic, search, topic_of, topic_of_field, topics

Explained = TypeVar("Explained", bound=QWidget)

# A widget that has this property is explained by the topic of that name.
EXPLAINED_BY = "explained-by"
# The stubs of Qt want a number here, Qt its enumeration's.
_PROPORTIONAL: int = QTextBlockFormat.LineHeightTypes.ProportionalHeight.value  # type: ignore[assignment]
LIST_WIDTH, LINE_WIDTH = 250, 580
# What is left above the heading that is shown, pixels.
ABOVE = 10


class GuideWindow(QDialog):
    """Stays open beside the work. `show_topic` goes to a topic."""

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        super().__init__(parent)
        self.theme = theme
        self.setObjectName("guide")
        self.setWindowTitle(self.tr("Guide"))
        self.setModal(False)
        self.resize(LIST_WIDTH + LINE_WIDTH + 40, 560)
        box = column_in(self, 8, (12, 12, 12, 12))
        self.typed = QLineEdit()
        self.typed.setPlaceholderText(self.tr("Search the guide: hold time, mat, waves…"))
        self.typed.setAccessibleName(self.tr("Search the guide"))
        self.typed.setClearButtonEnabled(True)
        box.addWidget(self.typed)
        split = QSplitter()
        box.addWidget(split, 1)
        self.list = QListWidget()
        self.list.setAccessibleName(self.tr("Topics"))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.page = QTextBrowser()
        self.page.setAccessibleName(self.tr("Topic"))
        self.page.setOpenLinks(False)
        self.page.setFont(font(14))
        self._chapter = ""
        self.page.document().setDocumentMargin(14)  # type: ignore[union-attr]
        split.addWidget(self.list)
        split.addWidget(self.page)
        split.setSizes([LIST_WIDTH, LINE_WIDTH])
        split.setStretchFactor(1, 1)
        split.setChildrenCollapsible(False)
        self._fill("")
        self.typed.textChanged.connect(self._fill)
        self.list.currentItemChanged.connect(self._show_current)

    def _fill(self, text: str) -> None:
        """All topics under their chapters, or those that are found, the likeliest first."""
        here = self.topic
        self.list.blockSignals(True)
        self.list.clear()
        found = search(text)
        chapter = ""
        for topic in found:
            if not text.strip() and topic.chapter != chapter:
                chapter = topic.chapter
                if topic.title != chapter:
                    self._add(chapter, None)
            own = topic.title == topic.chapter
            words = topic.title if own or not text.strip() else f"{topic.title} ({topic.chapter})"
            self._add(words if own or text.strip() else f"    {words}", topic, own and not text.strip())
        self.list.blockSignals(False)
        if text.strip():
            if found:
                self.list.setCurrentRow(0)
                self._show_current()
            else:
                self._chapter = ""
                self.page.setPlainText(self.tr("Nothing in the guide has all of these words."))
        elif here is not None:
            self.show_topic(here.name)

    def _add(self, words: str, topic: Topic | None, strong: bool = False) -> None:
        item = QListWidgetItem(words)
        if strong or topic is None:
            item.setFont(font(13, 600))
        if topic is None:
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            item.setForeground(self.theme.ink)
        else:
            item.setData(Qt.ItemDataRole.UserRole, topic.name)
        self.list.addItem(item)

    @property
    def topic(self) -> Topic | None:
        """The topic that is shown."""
        name = self._name_at(self.list.currentRow())
        return None if name is None else next(t for t in topics() if t.name == name)

    def _name_at(self, row: int) -> str | None:
        item = self.list.item(row)
        return None if item is None else item.data(Qt.ItemDataRole.UserRole)

    def show_topic(self, name: str) -> None:
        """Go to a topic by its name, whatever was searched for."""
        if self.typed.text():
            self.typed.clear()
        for k in range(self.list.count()):
            if self._name_at(k) == name:
                self.list.setCurrentRow(k)
                self.list.scrollToItem(self.list.item(k), QListWidget.ScrollHint.PositionAtCenter)
        self._show_current()

    def _show_current(self, *_: object) -> None:
        """The chapter of the topic, with the topic at the top of what is seen of it."""
        topic = self.topic
        if topic is None:
            return
        if topic.chapter != self._chapter:
            self._chapter = topic.chapter
            self._write_chapter()
        # Once it is laid out: how far it can be scrolled is not known before.
        QTimer.singleShot(0, self._scroll_to_topic)

    def _scroll_to_topic(self) -> None:
        topic = self.topic
        if topic is None:
            return
        at = self.page.document().begin()  # type: ignore[union-attr]
        while at.isValid() and not (at.blockFormat().headingLevel() and at.text() == topic.title):
            at = at.next()
        bar, layout = self.page.verticalScrollBar(), self.page.document().documentLayout()  # type: ignore[union-attr]
        if bar is not None and layout is not None and at.isValid():
            bar.setValue(round(layout.blockBoundingRect(at).top()) - ABOVE)

    def _write_chapter(self) -> None:
        chapter = [t for t in topics() if t.chapter == self._chapter]
        self.page.setMarkdown(
            "\n\n".join(f"{'##' if t.title == t.chapter else '###'} {t.title}\n\n{t.text}" for t in chapter)
        )
        at = QTextCursor(self.page.document())
        while True:
            block = QTextBlockFormat()
            if at.blockFormat().headingLevel():
                block.setTopMargin(18)
                block.setBottomMargin(4)
            else:
                block.setBottomMargin(8)
                block.setLineHeight(120.0, _PROPORTIONAL)
            at.mergeBlockFormat(block)
            if block.hasProperty(QTextFormat.Property.BlockTopMargin):
                at.select(QTextCursor.SelectionType.BlockUnderCursor)
                face = QTextCharFormat()
                face.setFontWeight(QFont.Weight.DemiBold)
                at.mergeCharFormat(face)
                at.clearSelection()
            if not at.movePosition(QTextCursor.MoveOperation.NextBlock):
                return

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The arrows step through the topics while words are typed."""
        if event is not None and event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            rows = range(self.list.currentRow() + step, self.list.count() if step > 0 else -1, step)
            # The headings of chapters that are no topics are stepped over.
            row = next((k for k in rows if self._name_at(k) is not None), None)
            if row is not None:
                self.list.setCurrentRow(row)
        elif event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            # What is found is shown already; no button is to be pressed by it.
            self.page.setFocus()
        else:
            super().keyPressEvent(event)


def explain(widget: QWidget, name: str) -> None:
    """Open the guide at a topic, in the window that a widget, or the dialog it is in, belongs to."""
    at: QWidget | None = widget
    while at is not None:
        show = getattr(at, "show_guide", None)
        if show is not None:
            show(name)
            return
        at = at.parentWidget()


def topic_at(widget: QWidget | None) -> str | None:
    """The topic that explains a widget, or what it stands in."""
    while widget is not None:
        name = widget.property(EXPLAINED_BY)
        if name:
            return str(name)
        widget = widget.parentWidget()
    return None


def explained_by(widget: Explained, kind: type, field: str) -> Explained:
    """A widget as what the guide explains with a field of a class of records."""
    topic = topic_of_field(kind, field)
    if topic is not None:
        widget.setProperty(EXPLAINED_BY, topic.name)
    return widget


class ExplainedLabel(QLabel):
    """Words that open the guide where it explains them."""

    def __init__(self, words: str, topic: str, role: str = "") -> None:
        super().__init__(words)
        self.topic = topic
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setProperty("role", role or None)
        self.setProperty("link", True)
        self.setProperty(EXPLAINED_BY, topic)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(self.tr("Click for the guide. (F1)"))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            explain(self, self.topic)


def guide_label(words: str, key: str, role: str = "") -> QLabel:
    """A label that leads to what explains a key of the guide."""
    topic = topic_of(key)
    return label(words, role) if topic is None else ExplainedLabel(words, topic.name, role)


class ExplainButton(QToolButton):
    """A small question mark that opens the guide."""

    def __init__(self, topic: Topic) -> None:
        super().__init__()
        self.setText("?")
        self.setObjectName("explain")
        self.setFixedSize(20, 20)
        words = self.tr("Guide: {}").format(topic.title)
        self.setToolTip(words)
        self.setAccessibleName(words)
        self.clicked.connect(lambda: explain(self, topic.name))

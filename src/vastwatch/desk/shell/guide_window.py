"""The guide in a window of its own: searched by words, or opened at what explains something in the program."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent
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

from vastwatch.desk.shell.parts import column_in, label
from vastwatch.desk.shell.theme import Theme, font
from vastwatch.guide import Topic, search, topic_of, topics

# A widget that has this property is explained by the topic of that name.
EXPLAINED_BY = "explained-by"
LIST_WIDTH, LINE_WIDTH = 250, 560


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
        item = self.list.currentItem()
        name = None if item is None else item.data(Qt.ItemDataRole.UserRole)
        return None if name is None else next(t for t in topics() if t.name == name)

    def show_topic(self, name: str) -> None:
        """Go to a topic by its name, whatever was searched for."""
        if self.typed.text():
            self.typed.clear()
        for k in range(self.list.count()):
            item = self.list.item(k)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == name:
                self.list.setCurrentItem(item)
                self.list.scrollToItem(item, QListWidget.ScrollHint.PositionAtCenter)
        self._show_current()

    def _show_current(self, *_: object) -> None:
        topic = self.topic
        if topic is not None:
            self.page.setMarkdown(f"### {topic.title}\n\n{topic.text}")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The arrows step through the topics while words are typed."""
        if event is not None and event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up) and self.typed.hasFocus():
            self.list.setFocus()
            self.list.keyPressEvent(event)
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


def explained(words: str, key: str, role: str = "") -> QLabel:
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

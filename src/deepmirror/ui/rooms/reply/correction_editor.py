"""The words of one correction: every one can be changed, or chosen from what was said before."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeySequence, QResizeEvent, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPlainTextEdit, QToolButton, QVBoxLayout, QWidget

from deepmirror.services.replies.composing import Correction, Since
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

FIELDS = (
    ("title", "Title", False),
    ("seen", "Seen", False),
    ("number", "Number", False),
    ("cue", "Cue", True),
    ("cause", "Most likely", True),
    ("why", "Why it matters", True),
    ("change", "What to change", True),
    ("film_next", "Film next", True),
    ("words", "What became of it", False),
)
LABEL_WIDTH = 88
FIELD_EDGE_PX = 20  # what a field is higher than its lines
LONGEST_ITEM = 90  # letters of a phrase shown in the menu


class WordsField(QPlainTextEdit):
    """A text that is as high as its lines, so that nothing of it has to be scrolled to; Tab goes on to the next field."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTabChangesFocus(True)
        for set_policy in (self.setVerticalScrollBarPolicy, self.setHorizontalScrollBarPolicy):
            set_policy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.textChanged.connect(self._grow)
        self._grow()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._grow()

    def _grow(self) -> None:
        document = self.document()
        lines = max(round(document.size().height()), 1) if document is not None else 1  # a plain text's document counts its height in lines
        self.setFixedHeight(QFontMetrics(self.font()).lineSpacing() * lines + FIELD_EDGE_PX)


class CorrectionWords(QWidget):
    """Edits one correction in place and tells when it changed."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.item: Correction | Since | None = None
        self._rows: dict[str, QWidget] = {}
        self.phrases: Callable[[Correction, str], list[str]] = lambda item, field: []
        self.edits: dict[str, WordsField] = {}
        self._menu: QMenu | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        for key, words, banked in FIELDS:
            edit = WordsField()
            edit.setAccessibleName(tr(words))
            edit.textChanged.connect(self._take)
            self.edits[key] = edit
            label = PlainLabel(tr(words))
            label.setObjectName("dim")
            label.setFixedWidth(LABEL_WIDTH)
            label.setWordWrap(True)
            self._rows[key] = QWidget()
            row = QHBoxLayout(self._rows[key])
            row.setContentsMargins(0, 0, 0, 0)
            row.addWidget(label, 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(edit, 1)
            if banked:
                more = QToolButton()
                more.setText("…")
                more.setToolTip(tr("Choose from suggestions and from words used before (Ctrl+Down)"))
                more.setFocusPolicy(Qt.FocusPolicy.NoFocus)
                more.clicked.connect(lambda _, k=key: self.offer(k))
                row.addWidget(more, 0, Qt.AlignmentFlag.AlignTop)
                QShortcut(QKeySequence("Ctrl+Down"), edit, lambda k=key: self.offer(k), context=Qt.ShortcutContext.WidgetShortcut)
            layout.addWidget(self._rows[key])

    def show_item(self, item: Correction | Since | None) -> None:
        """Edit the words this correction (or earlier one) has; None hides all fields."""
        self.item = None
        for key, edit in self.edits.items():
            self._rows[key].setVisible(hasattr(item, key))
            if edit.toPlainText() != (words := getattr(item, key, "")):  # laying a text out anew takes a millisecond
                edit.setPlainText(words)
        self.item = item

    def _take(self) -> None:
        if self.item is not None:
            for key, edit in self.edits.items():
                if hasattr(self.item, key):
                    setattr(self.item, key, " ".join(edit.toPlainText().split()))
            self.changed.emit()

    def offer(self, key: str) -> None:
        """Show the phrases for a field; choosing one puts it in."""
        if not isinstance(self.item, Correction):
            return
        self._menu = QMenu(self)
        for text in self.phrases(self.item, key):
            action = self._menu.addAction(text if len(text) <= LONGEST_ITEM else text[: LONGEST_ITEM - 1] + "…")
            if action is not None:
                action.triggered.connect(lambda _, words=text, k=key: self.edits[k].setPlainText(words))
        if self._menu.isEmpty():
            self._menu.addAction(tr("Nothing said before"))
        self._menu.popup(self.edits[key].mapToGlobal(self.edits[key].rect().bottomLeft()))

    def menu(self) -> QMenu | None:
        """The phrases on show."""
        return self._menu

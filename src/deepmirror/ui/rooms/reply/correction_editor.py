"""The words of one correction: every one can be changed, or chosen from what was said before."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPlainTextEdit, QToolButton, QVBoxLayout, QWidget

from deepmirror.services.replies.composing import Correction, Since
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

FIELDS = (
    ("title", "Title", 1, False),
    ("seen", "Seen", 1, False),
    ("number", "Number", 2, False),
    ("cue", "Cue", 2, True),
    ("cause", "Most likely", 1, True),
    ("why", "Why it matters", 3, True),
    ("change", "What to change", 3, True),
    ("film_next", "Film next", 2, True),
    ("words", "What became of it", 3, False),
)
LABEL_WIDTH = 88
LONGEST_ITEM = 90  # letters of a phrase shown in the menu


class WordsField(QPlainTextEdit):
    """A text of a few lines; Tab goes on to the next field."""

    def __init__(self, lines: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTabChangesFocus(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFixedHeight(round(QFontMetrics(self.font()).lineSpacing() * lines + 20))


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
        for key, words, lines, banked in FIELDS:
            edit = WordsField(lines)
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
            edit.setPlainText(getattr(item, key, ""))
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

"""Small helpers of the paper panels."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QLayout, QMessageBox, QScrollArea, QSizePolicy, QWidget

from deepmirror.ui.translation import tr


class PlainLabel(QLabel):
    """Words in the reader's language, and no markup: Qt's own label takes what looks like it for markup, and draws what a sender chose."""

    def __init__(self, words: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(words)

    def setText(self, words: str | None) -> None:
        super().setText(tr(words or ""))


class ElidedLabel(PlainLabel):
    """Words in one line that end in … where there is no room for all of them; the whole is in the tip."""

    def __init__(self, words: str = "", parent: QWidget | None = None) -> None:
        super().__init__(words, parent)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.setMinimumWidth(40)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        whole = self.text()
        shown = self.fontMetrics().elidedText(whole, Qt.TextElideMode.ElideRight, self.width())
        self.setToolTip(tip(whole) if shown != whole else "")
        with QPainter(self) as painter:
            painter.drawText(self.rect(), int(self.alignment()), tr(shown))


def shortened(painter: QPainter, words: str, room: float) -> str:
    """Words as a painter's font gets them into so many pixels, ending in … where it cannot."""
    return painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(room))


def tip(words: str) -> str:
    """Words for a tool tip, as they are: one that looks like markup would be drawn as such."""
    return f"<span>{escape(tr(words))}</span>" if words else ""


def plain(box: QMessageBox) -> QMessageBox:
    """A message box that shows its words as they are."""
    box.setTextFormat(Qt.TextFormat.PlainText)
    for label in box.findChildren(QLabel):
        label.setTextFormat(Qt.TextFormat.PlainText)
    return box


def heading(words: str) -> QLabel:
    """A small section heading."""
    label = PlainLabel(words)
    label.setObjectName("heading")
    label.setWordWrap(True)
    return label


class Paper(QWidget):
    """The inside of a panel that scrolls: as high as its words need at its width. Qt would rather squeeze wrapped lines than scroll."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")

    def event(self, event: QEvent | None) -> bool:
        done = super().event(event)
        if event is not None and event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Resize):
            layout = self.layout()
            if layout is not None:
                layout.invalidate()
                needs = max(layout.totalHeightForWidth(self.width()), layout.totalMinimumSize().height())
                if needs != self.minimumHeight():
                    self.setMinimumHeight(needs)
        return done


def vertical_scroll_area(inside: QWidget) -> QScrollArea:
    """A panel that scrolls up and down where it is too long, and sideways only where a language's longer words do not fit its width."""
    scroll = QScrollArea()
    scroll.setWidget(inside)
    scroll.setWidgetResizable(True)
    return scroll


def clear_layout(layout: QLayout) -> None:
    """Take all widgets out of a layout, and out of the layouts in it, and let them go."""
    while (item := layout.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()
        elif (inner := item.layout()) is not None:
            clear_layout(inner)

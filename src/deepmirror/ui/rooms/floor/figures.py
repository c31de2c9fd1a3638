"""What is read from three metres away: large figures, the bar of the asked tempo, the rest clock."""

from __future__ import annotations

from PyQt6.QtCore import QElapsedTimer, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from deepmirror.core.motion.tempo import PHASES, WORDS, Tempo
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr

TICK_MS = 40
ON_LIGHT = {t.COPPER_LIGHT: t.COPPER, t.TEAL_LIGHT: t.TEAL}
QUICK_S = 0.6  # how long the bar moves for a phase that is asked to be as fast as possible; our own choice


class BigText(QWidget):
    """Words as large as their place allows, on as many lines as they need."""

    def __init__(self, most_px: int = 400, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._words, self._most, self._colour, self.usual_colour = "", most_px, "", t.STAGE_TEXT
        self.setMinimumHeight(28)

    def say(self, words: str, colour: str = "") -> None:
        """Show these; in a colour of their own, or the room's."""
        if (words, colour) != (self._words, self._colour):
            self._words, self._colour = words, colour
            self.setAccessibleName(tr(words))
            self.update()

    def words(self) -> str:
        """What stands there."""
        return self._words

    def _seen_colour(self) -> str:
        """An accent meant for a dark ground is too pale on a light one."""
        on_light = self.usual_colour == t.TEXT
        return ON_LIGHT.get(self._colour, self._colour) if self._colour and on_light else self._colour or self.usual_colour

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(QColor(self._seen_colour()))
        font, flags = QFont(t.FAMILY), int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
        font.setBold(True)
        low, high = 10, min(self._most, max(self.height(), 11))
        while high - low > 1:  # the largest that fits
            size = (low + high) // 2
            font.setPixelSize(size)
            painter.setFont(font)
            needs = painter.boundingRect(QRectF(self.rect()), flags, self._words)
            whole = max((painter.fontMetrics().horizontalAdvance(w) for w in self._words.split()), default=0) <= self.width()
            low, high = (size, high) if whole and needs.height() <= self.height() and needs.width() <= self.width() else (low, size)
        font.setPixelSize(low)
        painter.setFont(font)
        painter.drawText(QRectF(self.rect()), flags, tr(self._words))


class TempoBar(QWidget):
    """The asked tempo as a moving bar: down while lowering, up while lifting, still in the holds. `ticked` comes each second."""

    ticked = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.tempo: Tempo | None = None
        self.usual_colour = t.STAGE_TEXT
        self._first = "eccentric"
        self._clock, self._timer = QElapsedTimer(), QTimer(self)
        self._timer.timeout.connect(self._tick)
        self._offset_s, self._second = 0.0, -1
        self.setMinimumSize(90, 160)
        self.setAccessibleName(tr("Asked tempo"))

    def begin(self, tempo: Tempo | None, first: str, gone_s: float = 0.0) -> None:
        """Run from the start of a rep, which was so many seconds ago; first: the phase a rep begins with."""
        self.tempo, self._first, self._offset_s, self._second = tempo, first, gone_s, -1
        self._clock.restart()
        self.setVisible(tempo is not None)
        if tempo is not None:
            self._timer.start(TICK_MS)
        else:
            self.stop()

    def stop(self) -> None:
        """Stand still."""
        self._timer.stop()
        self.update()

    def running(self) -> bool:
        """True while it moves."""
        return self._timer.isActive()

    def _phases(self) -> list[tuple[str, float]]:
        assert self.tempo is not None
        order = PHASES if self._first == "eccentric" else (*PHASES[2:], *PHASES[:2])
        return [(p, QUICK_S if (s := self.tempo.wanted(p)) is None else s) for p in order]

    def place(self) -> tuple[str, float, float]:
        """The phase it is in, the share of it that is gone, and its seconds that are left."""
        phases = self._phases()
        whole = sum(s for _, s in phases)
        at = (self._clock.elapsed() / 1000 + self._offset_s) % whole if whole > 0 else 0.0
        for phase, seconds in phases:
            if at < seconds:
                return phase, at / seconds, seconds - at
            at -= seconds
        return phases[-1][0], 1.0, 0.0

    def _tick(self) -> None:
        second = int(self._clock.elapsed() / 1000 + self._offset_s)
        if second != self._second:
            self._second = second
            self.ticked.emit()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        text = QColor(self.usual_colour)
        rail = QRectF(self.width() / 2 - 22, 8, 44, self.height() - 64)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(text.red(), text.green(), text.blue(), 40))
        painter.drawRoundedRect(rail, 8, 8)
        if self.tempo is None or not self.running():
            return
        phase, share, left = self.place()
        down = {"eccentric": share, "bottom": 1.0, "concentric": 1 - share, "top": 0.0}[phase]
        painter.setBrush(QColor(t.COPPER_LIGHT if phase == "eccentric" else t.TEAL_LIGHT))
        painter.drawRoundedRect(QRectF(rail.left(), rail.top() + down * (rail.height() - 26), rail.width(), 26), 8, 8)
        painter.setPen(text)
        font = QFont(t.FAMILY)
        font.setPixelSize(18)
        painter.setFont(font)
        words = tr("{phase} {left:.0f}", phase=WORDS[phase], left=left)
        painter.drawText(QRectF(0, self.height() - 50, self.width(), 46), int(Qt.AlignmentFlag.AlignCenter), tr(words))


class RestClock(BigText):
    """How long she has rested, from when her last rep ended."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(220, parent)
        self._clock, self._timer, self._offset_s, self.asked_s = QElapsedTimer(), QTimer(self), 0.0, 0
        self._timer.timeout.connect(self._show)

    def begin(self, gone_s: float, asked_s: int) -> None:
        """Run from a moment so many seconds ago; asked_s: the rest that was asked for."""
        self._offset_s, self.asked_s = gone_s, asked_s
        self._clock.restart()
        self._timer.start(200)
        self._show()

    def stop(self) -> None:
        """Stand still."""
        self._timer.stop()

    def seconds(self) -> float:
        """How long she has rested."""
        return self._clock.elapsed() / 1000 + self._offset_s if self._timer.isActive() else 0.0

    def _show(self) -> None:
        s = int(self.seconds())
        over = bool(self.asked_s) and s >= self.asked_s
        self.say(f"{s // 60}:{s % 60:02d}", t.COPPER_LIGHT if over else "")

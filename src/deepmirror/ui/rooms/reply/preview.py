"""The reply exactly as the client gets it: the film plays, the printed page beside it; sending sends these very files."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt, QTimer, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QImage, QPixmap
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QScrollArea, QSlider, QVBoxLayout, QWidget

from deepmirror.ui.jobs import FrameReader
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel

FILM_WIDTH, PAGE_WIDTH = 700, 440
Fetch = Callable[[int], NDArray[np.uint8]]


class PreviewDialog(QDialog):
    """Plays the written film and shows the written page; `wanted` asks to send them."""

    wanted = pyqtSignal()

    def __init__(self, fetch: Fetch, frames: int, fps: float, page: QImage, html: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("As the client gets it"))
        self._fetch, self._frames, self._now = fetch, frames, 0
        self.reader = FrameReader(self)
        self.reader.arrived.connect(self._show)
        self.film, self.at = PlainLabel(), QSlider(Qt.Orientation.Horizontal)
        self.film.setFixedWidth(FILM_WIDTH)
        self.film.setMinimumHeight(FILM_WIDTH * 9 // 16)
        self.film.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.at.setRange(0, max(frames - 1, 0))
        self.at.setAccessibleName(tr("Place in the film"))
        self.at.valueChanged.connect(self._seek)
        self.play = QPushButton(tr("Pause"))
        self.play.clicked.connect(self._toggle)
        open_page = QPushButton(tr("Open the page in the browser"))
        open_page.clicked.connect(lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(html))))
        self.send, close = QPushButton(tr("Send these files")), QPushButton(tr("Back to the words"))
        self.send.setObjectName("accent")
        self.send.setDefault(True)
        self.send.clicked.connect(self._send)
        close.clicked.connect(self.reject)
        sheet = PlainLabel()
        sheet.setPixmap(QPixmap.fromImage(page))
        scroll = QScrollArea()
        scroll.setWidget(sheet)
        scroll.setFixedWidth(PAGE_WIDTH + 20)
        self._build((scroll, open_page, close))
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._tick)
        self._clock.start(max(10, round(1000 / fps)))
        self.send.setFocus()
        self._seek(0)

    def _build(self, parts: tuple[QWidget, QWidget, QWidget]) -> None:
        scroll, open_page, close = parts
        bar = QHBoxLayout()
        bar.addWidget(self.play)
        bar.addWidget(self.at, 1)
        left = QVBoxLayout()
        left.addWidget(self.film)
        left.addLayout(bar)
        left.addStretch(1)
        buttons = QHBoxLayout()
        for widget in (open_page, close, self.send):
            buttons.addWidget(widget)
        left.addLayout(buttons)
        layout = QHBoxLayout(self)
        layout.addLayout(left)
        layout.addWidget(scroll)

    def _seek(self, number: int) -> None:
        self._now = number
        self.reader.ask(self._fetch, number)

    def _show(self, number: int, image: QImage) -> None:
        self.film.setPixmap(QPixmap.fromImage(image).scaledToWidth(FILM_WIDTH, Qt.TransformationMode.SmoothTransformation))
        self.at.blockSignals(True)
        self.at.setValue(number)
        self.at.blockSignals(False)

    def _tick(self) -> None:
        if self.at.value() != self._now:
            return  # the last wish has not come yet
        if self._now + 1 < self._frames:
            self._seek(self._now + 1)
        else:
            self._toggle()

    def _toggle(self) -> None:
        if self._clock.isActive():
            self._clock.stop()
            self.play.setText(tr("Play"))
        else:
            self._clock.start()
            self.play.setText(tr("Pause"))
            if self._now + 1 >= self._frames:
                self._seek(0)

    def _send(self) -> None:
        self.wanted.emit()
        self.accept()

    def done(self, result: int) -> None:
        """Stop playing before the window goes."""
        self._clock.stop()
        self.reader.close()
        super().done(result)

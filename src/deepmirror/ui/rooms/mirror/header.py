"""The row above the film: whose film it is, the ghost, from which side it was filmed and the tempo that was asked."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QSlider

from deepmirror.services.films.film_library import FilmState
from deepmirror.services.films.review import Review
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.import_dialog import SHORT_VIEWS
from deepmirror.ui.widgets.panel_helpers import ElidedLabel


class HeaderRow(QHBoxLayout):
    """The widgets of the row; the room knows what they do."""

    def __init__(self) -> None:
        super().__init__()
        self.title = ElidedLabel()
        self.title.setStyleSheet("font-weight: 700; font-size: 17px")
        self.view = QComboBox()
        self.view.setAccessibleName(tr("From which side it was filmed"))
        for key, words in SHORT_VIEWS:
            self.view.addItem(tr(words), key)
        self.ghost_button, self.opacity = _ghost_controls()
        self.tempo = QLineEdit()
        self.tempo.setPlaceholderText(tr("tempo"))
        self.tempo.setFixedWidth(90)
        self.tempo.setToolTip(tr("Lowering-bottom-lifting-top in seconds, X as fast as possible"))
        self.addWidget(self.title, 1)
        for widget in (self.ghost_button, self.opacity, self.view, self.tempo):
            self.addWidget(widget)

    def show_for(self, review: Review, visit: tuple[int, int]) -> None:
        """Show a film's state; visit: which film of how many it is."""
        file, (at, count) = review.brief.file, visit
        load = tr(" · {load_kg:g} kg", load_kg=file.load_kg) if file.load_kg else ""
        notes = tr(" · one-and-a-half reps") if file.pattern else ""
        notes += tr(" · film {at} of {count} of this visit", at=at, count=count) if count > 1 else ""
        notes += tr(" · a first look, the numbers will change") if review.record.state == FilmState.MEASURING else ""
        self.title.setText(
            tr(
                "{client_name} · {title}{load}{notes}",
                client_name=review.record.client_name,
                title=review.library.catalogue.movement(file.movement).title,
                load=load,
                notes=notes,
            )
        )
        self.view.setCurrentIndex(self.view.findData(file.view))
        self.tempo.setText(file.tempo or "")


def _ghost_controls() -> tuple[QPushButton, QSlider]:
    """The button that shows the ghost, and how strongly it is drawn, in hundredths."""
    button, slider = QPushButton(tr("Ghost")), QSlider(Qt.Orientation.Horizontal)
    button.setCheckable(True)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    slider.setRange(15, 100)
    slider.setValue(80)
    slider.setFixedWidth(70)
    slider.setAccessibleName(tr("How strongly the ghost is drawn"))
    return button, slider

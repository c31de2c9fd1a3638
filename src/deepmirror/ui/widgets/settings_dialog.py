"""The coach's settings: her name under replies, faces, and the folders films come from and replies go to."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)

from deepmirror.ui.translation import tr


class SettingsDialog(QDialog):
    """Asks; `wanted` carries (name, blur, inbox, outbox, working days until a reply, country of the holidays, hours
    within which films are one visit)."""

    wanted = pyqtSignal(str, bool, str, str, int, str, float)

    def __init__(
        self, coach: str, blur: bool, inbox: str, outbox: str, days: int, country: str, visit_hours: float, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Settings"))
        self.setMinimumWidth(560)
        self.coach, self.blur = QLineEdit(coach), QCheckBox(tr("Blur faces in new replies"))
        self.blur.setChecked(blur)
        self.days, self.country = QSpinBox(), QLineEdit(country)
        self.days.setRange(1, 30)
        self.days.setValue(days)
        self.days.setSuffix(tr(" working days"))
        self.country.setPlaceholderText(tr("two letters, as in NO; none when empty"))
        self.visit = QSpinBox()
        self.visit.setRange(0, 168)
        self.visit.setValue(round(visit_hours))
        self.visit.setSuffix(tr(" hours of each other"))
        self.visit.setSpecialValueText(tr("never: each film by itself"))
        self.inbox, self.outbox = QLineEdit(inbox), QLineEdit(outbox)
        form = QFormLayout(self)
        form.addRow(tr("Name under replies"), self.coach)
        form.addRow("", self.blur)
        form.addRow(tr("Films are answered within"), self.days)
        form.addRow(tr("Holidays of"), self.country)
        form.addRow(tr("A client's films are one visit within"), self.visit)
        for edit, words in ((self.inbox, "Watched folder"), (self.outbox, "Outbox folder")):
            edit.setPlaceholderText(tr("the library's own"))
            choose = QPushButton(tr("Choose…"))
            choose.clicked.connect(lambda _, e=edit: self._choose(e))
            row = QHBoxLayout()
            row.addWidget(edit, 1)
            row.addWidget(choose)
            form.addRow(tr(words), row)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self._keep)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)

    def _choose(self, edit: QLineEdit) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Choose a folder"), edit.text())
        if folder:
            edit.setText(folder)

    def _keep(self) -> None:
        self.wanted.emit(
            self.coach.text().strip(),
            self.blur.isChecked(),
            self.inbox.text().strip(),
            self.outbox.text().strip(),
            self.days.value(),
            self.country.text().strip(),
            float(self.visit.value()),
        )
        self.accept()

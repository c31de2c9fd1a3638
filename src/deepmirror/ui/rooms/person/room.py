"""The Person: the client's record and body to scale, with the source of every length; the build solver stands beside it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from deepmirror.core.body.client_body import JOINT_SHARE
from deepmirror.errors import DeepMirrorError
from deepmirror.services.clients.person import LIMIT_NAMES, PersonFile
from deepmirror.ui.rooms.person.schools import SchoolRows
from deepmirror.ui.rooms.person.solver import SolverPanel
from deepmirror.ui.translation import tr
from deepmirror.ui.turns import Turns
from deepmirror.ui.widgets.client_box import ClientBox
from deepmirror.ui.widgets.figure import SOURCE_MARKS, FigureView, front_figure, side_figure
from deepmirror.ui.widgets.panel_helpers import PlainLabel, heading, vertical_scroll_area
from deepmirror.words import capital, joined

SEXES = (("unspecified", "not said"), ("female", "female"), ("male", "male"))
AGES = ("", "under 18", "18-39", "40-59", "60 and over")


class PersonRoom(QWidget):
    """Edits one PersonFile; tells when the record changed so that films are judged anew."""

    changed = pyqtSignal()
    wants_client = pyqtSignal(int)
    complained = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.person: PersonFile | None = None
        self._filling = False
        self._build()
        self._turns = Turns(self)

    def _build(self) -> None:
        title = PlainLabel(tr("Person"))
        title.setObjectName("title")
        self.clients = ClientBox()
        self.clients.wanted.connect(self.wants_client)
        self.words = PlainLabel()
        self.words.setObjectName("dim")
        self.words.setWordWrap(True)
        top = QHBoxLayout()
        top.addWidget(title)
        top.addWidget(self.clients)
        top.addWidget(self.words, 1)
        body = QHBoxLayout()
        body.setSpacing(14)
        body.addWidget(self._build_record())
        body.addLayout(self._build_figures(), 8)
        self.solver = SolverPanel()
        body.addWidget(vertical_scroll_area(self.solver), 12)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 14, 20, 12)
        layout.addLayout(top)
        layout.addLayout(body, 1)

    def _build_record(self) -> QWidget:
        """The form: who, lengths, mobility and schools, cautions and history."""
        inside = QWidget()
        inside.setObjectName("paper")
        form = QFormLayout(inside)
        form.setContentsMargins(0, 0, 8, 0)
        form.setVerticalSpacing(5)
        self.stature, self.mass = self._line(lambda p, x: p.set_stature(x)), self._line(lambda p, x: p.set_mass(x))
        self.sex, self.age = QComboBox(), QComboBox()
        for key, title in SEXES:
            self.sex.addItem(tr(title), key)
        for band in AGES:
            self.age.addItem(tr(band), band)
        self.sex.activated.connect(lambda: self._do(lambda p: p.set_fields("sex", sex=self.sex.currentData())))
        self.age.activated.connect(lambda: self._do(lambda p: p.set_fields("age", age_band=self.age.currentData() or None)))
        self.imperial = QCheckBox(tr("feet, inches and pounds"))
        self.imperial.clicked.connect(lambda on: self._do(lambda p: p.set_fields("units", imperial=on)))
        for combo in (self.sex, self.age):
            combo.setFixedWidth(150)
        for words, widget in (
            ("Stature", self.stature),
            ("Body mass", self.mass),
            ("Sex", self.sex),
            ("Age", self.age),
            ("Units", self.imperial),
        ):
            form.addRow(tr(words), widget)
        form.addRow(heading(tr("Lengths  ● measured  ◐ film  ○ predicted")))
        self.lengths: dict[str, tuple[QLineEdit, QLabel]] = {}
        for name in ("thigh", "shank", "foot", "trunk", "biacromial", "hip_breadth", "seat_to_floor"):
            edit, note = self._line(partial(_set_length, name)), PlainLabel()
            note.setObjectName("dim")
            if name in JOINT_SHARE:
                edit.setToolTip(tr("Between the joints' centres, not over the outside"))
            row = QHBoxLayout()
            row.addWidget(edit)
            row.addWidget(note, 1)
            self.lengths[name] = (edit, note)
            form.addRow(
                tr({"biacromial": "Shoulders", "hip_breadth": "Hips", "seat_to_floor": "Seat height"}.get(name, capital(name))), row
            )
        self.take_films = QPushButton(tr("Take the films' lengths where none was measured"))
        self.take_films.clicked.connect(lambda: self._do(lambda p: p.use_films()))
        form.addRow(self.take_films)
        self._build_mobility(form)
        scroll = vertical_scroll_area(inside)
        scroll.setFixedWidth(404)
        return scroll

    def _build_mobility(self, form: QFormLayout) -> None:
        form.addRow(heading(tr("Mobility, shoes, schools")))
        self.wall = self._number(0, 25, " cm", lambda p, v: p.set_fields("knee to wall", knee_to_wall_cm=v or None))
        form.addRow(tr("Knee to wall"), self.wall)
        self.limits: dict[str, QDoubleSpinBox] = {}
        for name, title in LIMIT_NAMES.items():
            self.limits[name] = self._number(0, 180, "°", partial(_set_limit, name))
            form.addRow(tr(capital(title)), self.limits[name])
        self.heel = self._number(0, 8, " cm", lambda p, v: p.set_fields("shoe heel", shoe_heel_cm=v))
        form.addRow(tr("Shoe heel"), self.heel)
        self.schools = SchoolRows(None)
        self.schools.chosen.connect(lambda topic, school: self._do(lambda p: p.set_school(topic, school)))
        form.addRow(self.schools)
        self.usual, self.usual_tempo, self.usual_reps = QComboBox(), QLineEdit(), QLineEdit()
        self.usual.setFixedWidth(150)
        self.usual.activated.connect(self._show_default)
        self.usual_tempo.setPlaceholderText(tr("tempo"))
        self.usual_reps.setPlaceholderText(tr("reps"))
        row = QHBoxLayout()
        for edit in (self.usual_tempo, self.usual_reps):
            edit.setFixedWidth(92)
            edit.editingFinished.connect(self._set_default)
            row.addWidget(edit)
        row.addStretch(1)
        form.addRow(tr("Usual"), self.usual)
        form.addRow("", row)
        self.exercise_schools = SchoolRows("")
        self.exercise_schools.chosen.connect(self._set_exercise_school)
        form.addRow(self.exercise_schools)
        self.pain, self.notes = self._line(self._set_pain), self._line(lambda p, x: p.set_fields("notes", notes=x))
        self.pain.setFixedWidth(220)
        self.notes.setFixedWidth(220)
        self.pain.setPlaceholderText(tr("where it hurts, comma between"))
        form.addRow(tr("Pain"), self.pain)
        form.addRow(tr("Notes"), self.notes)
        self.caution = PlainLabel()
        self.caution.setWordWrap(True)
        form.addRow(self.caution)
        self.history = PlainLabel()
        self.history.setObjectName("dim")
        self.history.setWordWrap(True)
        form.addRow(heading(tr("Changes")))
        form.addRow(self.history)

    def _build_figures(self) -> QVBoxLayout:
        self.front, self.side = FigureView(), FigureView()
        self.front.setAccessibleName(tr("Figure from the front"))
        self.side.setAccessibleName(tr("Figure from the side"))
        column = QVBoxLayout()
        column.addWidget(heading(tr("The body to scale")))
        column.addWidget(self.front, 1)
        column.addWidget(self.side, 1)
        return column

    def _line(self, change: Callable[[PersonFile, str], None]) -> QLineEdit:
        edit = QLineEdit()
        edit.setFixedWidth(92)
        edit.editingFinished.connect(lambda: self._take(edit, change))
        return edit

    def _take(self, edit: QLineEdit, change: Callable[[PersonFile, str], None]) -> None:
        """Take what was typed; the line lets go of the keys, so that undo undoes the record and not the typing."""
        if edit.isModified():
            edit.setModified(False)
            self._do(lambda p: change(p, edit.text()))
        if edit.hasFocus():
            self.setFocus()

    def _number(self, low: float, high: float, unit: str, change: Callable[[PersonFile, float], None]) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setRange(low, high)
        box.setDecimals(1)
        box.setSuffix(unit)
        box.setSpecialValueText(tr("not tested") if unit != " cm" or high > 10 else tr("flat"))
        box.setKeyboardTracking(False)
        box.setFixedWidth(92)
        box.valueChanged.connect(lambda v: self._do(lambda p: change(p, v)))
        return box

    def _set_pain(self, person: PersonFile, text: str) -> None:
        person.set_fields("pain", pain=[w.strip() for w in text.split(",") if w.strip()])

    def _do(self, change: Callable[[PersonFile], object]) -> None:
        if self.person is None or self._filling:
            return
        before = self.person.client
        try:
            change(self.person)
        except DeepMirrorError as error:
            self.complained.emit(error.sentence)
        if self.person.client != before:
            self.changed.emit()
        self.refresh()

    def show_movements(self, movements: list[tuple[str, str]]) -> None:
        """Fill the list of movements that may have a usual tempo and rep range."""
        self.usual.clear()
        for movement, title in movements:
            self.usual.addItem(tr(title), movement)

    def _show_default(self) -> None:
        if self.person is not None:
            tempo, reps = self.person.default(self.usual.currentData() or "")
            self.usual_tempo.setText(tempo)
            self.usual_reps.setText(reps)
            self.exercise_schools.show_topics(self.person.topics(self.usual.currentData()) if self.usual.currentData() else [])

    def _set_default(self) -> None:
        movement, tempo, reps = self.usual.currentData(), self.usual_tempo.text(), self.usual_reps.text()
        if self.person is not None and movement and (tempo, reps) != self.person.default(movement):
            self._do(lambda p: p.set_default(movement, tempo, reps))

    def _set_exercise_school(self, topic: str, school: str) -> None:
        movement = self.usual.currentData()
        if movement:
            self._do(lambda p: p.set_school(topic, school, movement))

    def show_person(self, person: PersonFile) -> None:
        """Open a record."""
        self.person = person
        self.refresh()

    def refresh(self) -> None:
        """Show the record's present state."""
        person = self.person
        if person is None:
            return
        self._filling = True
        client = person.client
        self.stature.setText(person.words(client.stature_cm) if client.stature_cm else "")
        self.mass.setText(
            f"{client.mass_kg / 0.45359237:.0f} lb"
            if client.imperial and client.mass_kg
            else f"{client.mass_kg:g} kg"
            if client.mass_kg
            else ""
        )
        self.sex.setCurrentIndex(self.sex.findData(client.sex))
        self.age.setCurrentIndex(max(self.age.findData(client.age_band or ""), 0))
        self.imperial.setChecked(client.imperial)
        self.wall.setValue(client.knee_to_wall_cm or 0)
        for name, box in self.limits.items():
            box.setValue(client.limits_deg.get(name, 0))
        self.heel.setValue(client.shoe_heel_cm)
        self.pain.setText(joined(", ", client.pain))
        self.notes.setText(client.notes)
        self._show_lengths(person)
        self._filling = False
        self._turns.begin(*self.schools.showing(person.topics()), self._show_past, self._show_exercise, self._solve)

    def _show_past(self) -> None:
        """What pain asks for, and the record's last changes."""
        if self.person is None:
            return
        self.caution.setText(self.person.caution())
        changes = [tr("{at}  {label}", at=at[:16].replace("T", " "), label=label) for at, label in self.person.history()[:6]]
        self.history.setText(joined("\n", changes) or "none yet")

    def _show_exercise(self) -> None:
        self._filling = True
        self._show_default()
        self._filling = False

    def _solve(self) -> None:
        if self.person is not None:
            self.solver.show_person(self.person)

    def _show_lengths(self, person: PersonFile) -> None:
        rows = {r.name: r for r in person.lengths()}
        labels = {}
        for name, row in rows.items():
            edit, note = self.lengths[name]
            edit.setText(person.words(row.cm) if row.source == "measured" else "")
            edit.setPlaceholderText(person.words(row.cm))
            away = row.cm - row.predicted_cm
            words = tr("{source_marks} ", source_marks=SOURCE_MARKS[row.source]) + (
                "predicted" if row.source == "predicted" else tr("{away:+.1f} to predicted", away=away)
            )
            if row.film:
                words += tr("\n◐ film {film:.0f}±{film2:.0f}", film=row.film[0], film2=row.film[1]) + (" !" if row.flagged else "")
            note.setText(words)
            labels[name] = (person.words(row.cm), SOURCE_MARKS[row.source], row.flagged)
        cm = {n: r.cm for n, r in rows.items()}
        ankle = person.client.segments_cm.get("ankle_height", 0.039 * (person.client.stature_cm or 170))
        self.front.set_drawing(*front_figure(cm, ankle, labels))
        self.side.set_drawing(*side_figure(cm, ankle, labels))
        self.take_films.setEnabled(any(r.film is not None and r.source != "measured" for r in rows.values()))
        flagged = [n for n, r in rows.items() if r.flagged]
        extra = tr(" Film and tape disagree by more than 7 % at: {flagged}.", flagged=joined(", ", flagged)) if flagged else ""
        self.words.setText(joined(" ", person.proportions()) + extra)


def _set_length(name: str, person: PersonFile, text: str) -> None:
    person.set_length(name, text)


def _set_limit(name: str, person: PersonFile, degrees: float) -> None:
    person.set_limit(name, degrees or None)

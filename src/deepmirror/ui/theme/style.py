"""Applies the shipped typeface and the style sheet."""

from __future__ import annotations

from importlib import resources

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from deepmirror.ui.theme import tokens as t

SHEET = f"""
QMainWindow, QDialog, QWidget#paper {{ background: {t.BONE}; }}
QWidget#stage {{ background: {t.INK}; }}
QWidget#stage QLabel {{ color: {t.STAGE_TEXT}; }}
QWidget#rail {{ background: {t.INK_SOFT}; }}
QWidget#rail QPushButton {{ color: {t.STAGE_DIM}; background: transparent; border: none; border-left: 4px solid transparent; padding: 14px 10px; text-align: left; }}
QWidget#rail QPushButton:checked {{ color: {t.STAGE_TEXT}; border-left-color: {t.COPPER_LIGHT}; background: {t.INK}; }}
QWidget#rail QPushButton:hover {{ color: {t.STAGE_TEXT}; }}
QLabel#title {{ font-size: 22px; font-weight: 700; }}
QLabel#heading {{ font-weight: 700; color: {t.TEXT_DIM}; }}
QLabel#warning {{ color: {t.COPPER}; font-weight: 700; padding-left: 10px; }}
QLabel#cue {{ color: {t.COPPER}; font-weight: 700; }}
QLabel#teal {{ color: {t.TEAL}; }}
QLabel#dim {{ color: {t.TEXT_DIM}; }}
QPushButton {{ background: {t.PAPER}; border: 1px solid {t.PAPER_LINE}; border-radius: 5px; padding: 6px 14px; }}
QPushButton:hover {{ border-color: {t.COPPER}; }}
QPushButton:focus {{ border: 2px solid {t.COPPER}; padding: 5px 13px; }}
QPushButton:disabled {{ color: {t.DISABLED}; }}
QPushButton#accent {{ background: {t.COPPER}; color: white; border-color: {t.COPPER}; font-weight: 700; }}
QPushButton#accent:disabled {{ background: #d9c4b4; border-color: #d9c4b4; color: {t.BONE}; }}
QPushButton#small {{ padding: 1px 8px; font-size: 13px; }}
QPushButton#fold {{ border: none; background: transparent; text-align: left; padding: 3px 0; color: {t.TEXT_DIM}; font-weight: 700; }}
QPushButton#fold:hover {{ color: {t.COPPER}; }}
QWidget#stage QPushButton {{ background: {t.INK_SOFT}; color: {t.STAGE_TEXT}; border-color: #4a413b; }}
QWidget#stage QPushButton:checked {{ background: {t.COPPER}; border-color: {t.COPPER}; }}
QLineEdit, QPlainTextEdit, QComboBox, QDoubleSpinBox, QSpinBox, QDateEdit {{ background: {t.PAPER}; border: 1px solid {t.PAPER_LINE}; border-radius: 4px; padding: 4px 6px; selection-background-color: {t.TEAL}; }}
QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus {{ border-color: {t.COPPER}; }}
QComboBox::drop-down, QDateEdit::drop-down {{ border: none; width: 24px; }}
QComboBox::down-arrow, QDateEdit::down-arrow {{ image: url(ARROW); width: 12px; height: 12px; }}
QDoubleSpinBox::up-button, QDoubleSpinBox::down-button, QSpinBox::up-button, QSpinBox::down-button {{ width: 0; border: none; }}
QSlider::groove:horizontal {{ height: 4px; background: {t.PAPER_LINE}; border-radius: 2px; }}
QSlider::sub-page:horizontal {{ background: {t.TEAL}; border-radius: 2px; }}
QSlider::handle:horizontal {{ width: 12px; margin: -6px 0; border-radius: 6px; background: {t.COPPER}; }}
QScrollBar:vertical {{ background: transparent; width: 10px; }}
QScrollBar::handle:vertical {{ background: #cfc2ac; border-radius: 5px; min-height: 28px; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; }}
QScrollBar::handle:horizontal {{ background: #cfc2ac; border-radius: 5px; min-width: 28px; }}
QScrollBar::add-line:horizontal, QScrollBar::sub-line:horizontal, QScrollBar::add-page:horizontal, QScrollBar::sub-page:horizontal {{ width: 0; background: transparent; }}
QScrollBar::add-line:vertical, QScrollBar::sub-line:vertical, QScrollBar::add-page:vertical, QScrollBar::sub-page:vertical {{ height: 0; background: transparent; }}
QComboBox QAbstractItemView {{ background: {t.PAPER}; selection-background-color: {t.TEAL}; selection-color: white; }}
QScrollArea {{ border: none; background: transparent; }}
QListView, QListWidget, QTreeWidget, QTableWidget {{ background: {t.PAPER}; border: 1px solid {t.PAPER_LINE}; border-radius: 6px; outline: none; }}
QTableWidget {{ gridline-color: {t.PAPER_LINE}; selection-background-color: #eadfcb; selection-color: {t.TEXT}; }}
QListView::item:selected, QListWidget::item:selected {{ background: #eadfcb; color: {t.TEXT}; }}
QDialogButtonBox, QMessageBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
QHeaderView::section {{ background: {t.BONE}; color: {t.TEXT_DIM}; border: none; border-bottom: 1px solid {t.PAPER_LINE}; padding: 3px 6px; font-weight: 700; }}
QTableWidget#reps {{ border: none; border-bottom: 1px solid {t.PAPER_LINE}; border-radius: 0; }}
QTableWidget#reps QHeaderView::section {{ font-size: 13px; padding: 1px 4px 1px 12px; font-weight: 400; }}
QTableWidget#reps QTableCornerButton::section {{ background: {t.BONE}; border: none; border-bottom: 1px solid {t.PAPER_LINE}; }}
QListWidget#plain {{ background: transparent; border: none; }}
QFrame#card {{ background: {t.PAPER}; border: 1px solid {t.PAPER_LINE}; border-radius: 8px; }}
QFrame#card[picked="true"] {{ border: 2px solid {t.COPPER}; }}
QProgressBar {{ border: 1px solid {t.PAPER_LINE}; border-radius: 4px; background: {t.PAPER}; text-align: center; max-height: 16px; }}
QProgressBar::chunk {{ background: {t.TEAL}; border-radius: 3px; }}
QStatusBar, QMenuBar, QMenu {{ background: {t.BONE}; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: #eadfcb; color: {t.TEXT}; }}
QToolTip {{ background: {t.INK}; color: {t.STAGE_TEXT}; border: none; padding: 4px; }}
"""


def _palette() -> QPalette:
    """What every widget looks like unless the sheet says otherwise: a rule for all of them would have each one worked out by itself."""
    out, role = QPalette(), QPalette.ColorRole
    shown = {
        role.Window: t.BONE, role.Base: t.PAPER, role.AlternateBase: t.BONE, role.Button: t.PAPER, role.WindowText: t.TEXT, role.Text: t.TEXT,
        role.ButtonText: t.TEXT, role.PlaceholderText: t.TEXT_DIM, role.Highlight: t.TEAL, role.HighlightedText: t.PAPER,
        role.ToolTipBase: t.INK, role.ToolTipText: t.STAGE_TEXT, role.Link: t.TEAL,
    }  # fmt: skip
    for which, colour in shown.items():
        out.setColor(which, QColor(colour))
    for which in (role.WindowText, role.Text, role.ButtonText):
        out.setColor(QPalette.ColorGroup.Disabled, which, QColor(t.DISABLED))
    return out


def apply_theme(app: QApplication) -> None:
    """Load the fonts from the program itself and dress the application; one that is dressed already stays as it is."""
    arrow = str(resources.files("deepmirror") / "assets" / "icons" / "down.svg").replace("\\", "/")
    sheet = SHEET.replace("url(ARROW)", f'url("{arrow}")')
    if app.styleSheet() == sheet:
        return
    folder = resources.files("deepmirror") / "assets" / "fonts"
    for name in ("400Regular", "700Bold", "400Regular_Italic"):
        QFontDatabase.addApplicationFontFromData((folder / f"AtkinsonHyperlegible_{name}.ttf").read_bytes())
    app.setStyle("Fusion")
    face = QFont(t.FAMILY)
    face.setPixelSize(t.BASE_PX)
    app.setFont(face)
    app.setPalette(_palette())
    app.setStyleSheet(sheet)

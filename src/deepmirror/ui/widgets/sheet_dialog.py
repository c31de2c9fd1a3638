"""Shows a set-up sheet, and writes it for the printer."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtGui import QPageSize, QPdfWriter, QTextDocument
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QTextBrowser, QVBoxLayout, QWidget

from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel


class SheetDialog(QDialog):
    """The page as it will be printed; `write` saves the page and returns its path, a PDF is put beside it where `write` made none."""

    def __init__(self, html: str, write: Callable[[], Path], parent: QWidget | None = None, title: str = "Set-up sheet") -> None:
        super().__init__(parent)
        self.setWindowTitle(tr(title))
        self.resize(720, 720)
        self._html, self._write = html, write
        self.page = QTextBrowser()
        self.page.setHtml(html)
        self.written = PlainLabel()
        self.written.setObjectName("dim")
        self.save = QPushButton(tr("Write page and PDF"))
        self.save.setObjectName("accent")
        self.save.clicked.connect(self.save_both)
        row = QHBoxLayout()
        row.addWidget(self.written, 1)
        row.addWidget(self.save)
        layout = QVBoxLayout(self)
        layout.addWidget(self.page, 1)
        layout.addLayout(row)

    def save_both(self) -> None:
        """Write the HTML page and the PDF."""
        path = self._write()
        if not path.with_suffix(".pdf").exists():
            self._print(path.with_suffix(".pdf"))
        self.written.setText(tr("Written: {pdf}", pdf=path.with_suffix(".pdf")))

    def _print(self, path: Path) -> None:
        writer = QPdfWriter(str(path))
        writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
        document = QTextDocument()
        document.setHtml(self._html)
        document.print(writer)

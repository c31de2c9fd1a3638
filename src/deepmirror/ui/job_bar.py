"""Background work as the status line shows it: the work on show, how far it is, and stopping it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QLabel, QProgressBar, QPushButton, QStatusBar

from deepmirror.services.common.jobs import JobRunner
from deepmirror.ui.jobs import Job
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import PlainLabel


class JobBar(QObject):
    """Keeps the list of running and waiting jobs; the first of them is on show."""

    ended = pyqtSignal()

    def __init__(self, status: QStatusBar | None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs: list[Job] = []
        self.label: QLabel = PlainLabel()
        self.bar, self.stop_button = QProgressBar(), QPushButton(tr("Stop"))
        self.bar.setFixedWidth(220)
        self.stop_button.clicked.connect(self.stop)
        if status is not None:
            status.setSizeGripEnabled(False)
            for widget in (self.label, self.bar, self.stop_button):
                status.addPermanentWidget(widget)
        self._show(False)

    def run(self, job: Job, runner: JobRunner, on_show: bool, failed: Callable[[str], object]) -> Job:
        """Start background work; on_show: before whatever else runs, as the coach waits for it; failed: who tells why it failed."""
        self.jobs.insert(0 if on_show else len(self.jobs), job)
        job.failed.connect(failed)
        job.finished.connect(lambda: self._ended(job))
        job.progressed.connect(lambda share, words: self._show_progress(job, share, words))
        self._show_progress(self.jobs[0], 0.0, "waiting")
        job.start(runner)
        return job

    def stop(self) -> None:
        """Cancel the work on show."""
        if self.jobs:
            self.jobs[0].progress.cancel()

    def _show(self, on: bool) -> None:
        for widget in (self.label, self.bar, self.stop_button):
            widget.setVisible(on)

    def _show_progress(self, job: Job, share: float, words: str) -> None:
        if self.jobs and job is self.jobs[0]:
            self._show(True)
            self.label.setText(tr("{title}: {words}", title=job.title, words=words))
            self.bar.setUpdatesEnabled(False)  # it would paint the window at once, for each per cent
            self.bar.setValue(round(100 * share))
            self.bar.setUpdatesEnabled(True)

    def _ended(self, job: Job) -> None:
        self.jobs.remove(job)
        self._show(bool(self.jobs))
        self.ended.emit()

"""Job sheets: the order of work for fitting a part, ticked and dated, several in work at once."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, label, sheet
from crisp_hornet.core.build.job_sheets import SHEETS
from crisp_hornet.garage.jobs import Job, JobStep


class JobsPanel(QWidget):
    """The sheets in work on the active bike, and those that can be laid out."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self.theme = desk, theme
        self._open: int | None = None
        self._column = column_of(self, margins=0, spacing=8)
        desk.bike_changed.connect(self._show)
        self._show()

    def jobs(self) -> list[Job]:
        """The sheets in work."""
        return self._desk.story.jobs()

    def start(self, title: str) -> None:
        """Lay out a sheet."""
        steps = [JobStep(text, caution) for text, caution in SHEETS[title]]
        job = self._desk.story.start_job(title, steps)
        self._desk.log("job", f"Job begun: {title}", f"{len(steps)} steps")
        self._open = job.id
        self._show()

    def tick(self, job: Job, index: int, done: bool) -> None:
        """Tick a step, or take the tick back."""
        step = job.steps[index]
        ticked = replace(step, done_at=datetime.now().astimezone() if done else None)
        self._keep(replace(job, steps=(*job.steps[:index], ticked, *job.steps[index + 1 :])))
        self._desk.log(
            "job", f"{job.title}: {step.text}" if done else f"{job.title}, unticked: {step.text}", step.caution
        )

    def add_step(self, job: Job, text: str) -> None:
        """A step of one's own at the end."""
        if text.strip():
            self._keep(replace(job, steps=(*job.steps, JobStep(text.strip()[:300]))))

    def drop_step(self, job: Job, index: int) -> None:
        """Take a step out of this sheet."""
        self._keep(replace(job, steps=(*job.steps[:index], *job.steps[index + 1 :])))

    def close_job(self, job: Job) -> None:
        """The job is done, or given up."""
        done = sum(step.done_at is not None for step in job.steps)
        self._desk.story.keep_job(replace(job, closed=True))
        self._desk.log("job", f"Job closed: {job.title}", f"{done} of {len(job.steps)} steps done")
        self._open = None
        self._show()

    def _keep(self, job: Job) -> None:
        self._desk.story.keep_job(job)
        self._show()

    def _choose(self, job_id: int | None) -> None:
        self._open = job_id
        self._show()

    def _show(self) -> None:
        clear(self._column)
        if self._desk.bike is None:
            self._column.addWidget(label("Open a bike first: a job belongs to a bike.", "quiet", wrap=True))
            return
        jobs = self.jobs()
        current = next((job for job in jobs if job.id == self._open), None)
        if current is not None:
            self._show_job(current)
        else:
            for job in jobs:
                done = sum(step.done_at is not None for step in job.steps)
                words = f"{job.title}, begun {time_words(job.opened_at)}: {done} of {len(job.steps)} done"
                self._column.addWidget(
                    button(words, partial(self._choose, job.id), "large", f"Open the job {job.title}")
                )
            self._column.addWidget(label("NEW JOB SHEET", "caps"))
            for title in SHEETS:
                self._column.addWidget(button(title, partial(self.start, title), "large", f"Lay out: {title}"))
        self._column.addStretch(1)

    def _show_job(self, job: Job) -> None:
        head = QHBoxLayout()
        head.addWidget(label(job.title, "title"), 1)
        head.addWidget(button("Show all jobs", partial(self._choose, None), "small", "Show all jobs"))
        head.addSpacing(12)
        head.addWidget(button("Close the job", partial(self.close_job, job), "small", "Close the job"))
        self._column.addLayout(head)
        for index, step in enumerate(job.steps):
            self._column.addWidget(self._step(job, index, step))
        own = QLineEdit()
        own.setAccessibleName(tr("a new step"))
        own.returnPressed.connect(lambda: self.add_step(job, own.text()))
        self._column.addWidget(Captioned("own step, then Enter", own))

    def _step(self, job: Job, index: int, step: JobStep) -> QWidget:
        box = Confirm(self.theme, step.text)
        box.setChecked(step.done_at is not None)
        box.toggled.connect(lambda on: self.tick(job, index, on))
        words = column_of(spacing=0)
        words.addWidget(label(step.text, wrap=True))
        if step.caution:
            words.addWidget(label(step.caution, "quiet", wrap=True))
        row = row_of(margins=0)
        row.addWidget(box)
        row.addLayout(words, 1)
        if step.done_at is not None:
            row.addWidget(label(time_words(step.done_at), "quiet"))
        row.addWidget(button("Delete", partial(self.drop_step, job, index), "small", f"Delete the step {step.text}"))
        inside = QWidget()
        inside.setLayout(row)
        return sheet(inside, margin=4)

"""A draw counts only if the untouched bike shows what the customer complains of."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.job import Job
from crisp_hornet.practice.drawing import draw
from crisp_hornet.practice.jobs import bike_of
from crisp_hornet.practice.laying_out import held_backup, workshop_of
from crisp_hornet.practice.readers import holds
from crisp_hornet.practice.trial import HandedOver, Trial
from crisp_hornet.standin.snapshot import snapshot


def shows(job: Job, seed: int) -> bool:
    """Whether the bike of a seed shows the complaint. Raises :class:`DocumentError` for a job that makes no sense."""
    drawn = draw(job, seed)
    before = snapshot(workshop_of(job, drawn))
    handed = HandedOver(before, document=bike_of(job))
    trial = Trial(job, drawn, handed, before, held_backup(job, datetime.now().astimezone()))
    return all(holds(trial, check) for check in job.shows)


def first_that_shows(job: Job, seeds: Iterable[int]) -> int:
    """The first of some seeds whose bike shows it. Raises :class:`DocumentError` where none does."""
    for seed in seeds:
        if shows(job, seed):
            return seed
    raise DocumentError(job.name, "hidden", "no draw of it shows the complaint", "Correct its ranges or what it shows.")

"""A machine that does a job: its cure, or a wrong one, step by step on the simulated bike, then hands it over."""

import time
from datetime import datetime

from crisp_hornet.practice.drawing import draw
from crisp_hornet.practice.jobs import bike_of
from crisp_hornet.practice.laying_out import held_backup, workshop_of
from crisp_hornet.practice.steps import take_step
from crisp_hornet.practice.trial import HandedOver, Trial
from crisp_hornet.standin.snapshot import snapshot


class Try:
    """One job with one seed."""

    def __init__(self, job, seed=1):
        self.job, self.drawn = job, draw(job, seed)
        self.held = held_backup(job, datetime.now())
        self.before = snapshot(workshop_of(job, self.drawn))

    def untouched(self):
        handed = HandedOver(self.before, document=bike_of(self.job))
        return Trial(self.job, self.drawn, handed, self.before, self.held)

    def after(self, steps, backed_up=True, key=True, ridden=True):
        shop, bike, sentence, ending, learned = workshop_of(self.job, self.drawn), bike_of(self.job), "", "ride", ()
        for step in steps:
            take_step(shop, self.job, self.drawn, step, self.held)
            for path, asked in (step.document or {}).items():
                bike, learned = self._changed(bike, path, self.drawn.value(asked, self.job)), (time.time() + 1,)
            sentence, ending = step.said or sentence, step.ending or ending
        if any(row.kind == "write" for row in shop.journal.rows):
            if key:
                shop.do("key-off")
            shop.controller.raw("drive.phase_current_a")
            if ridden:
                shop.journal.add("ride")
        backups = (0.0,) if backed_up else ()
        handed = HandedOver(snapshot(shop), sentence, ending, backups, learned, bike, lever_proved_s=0.0)
        return Trial(self.job, self.drawn, handed, self.before, self.held)

    @staticmethod
    def _changed(bike, path, value):
        if path.startswith("chain."):
            last = bike.chain[-1].model_copy(update={path.removeprefix("chain."): value})
            return bike.model_copy(update={"chain": [*bike.chain[:-1], last]})
        return bike.with_value(path, value, "entered")

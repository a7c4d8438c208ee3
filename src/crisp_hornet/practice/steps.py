"""Steps of a cure, done to a simulated bike as hands and a line would: so that a machine can try every job."""

from __future__ import annotations

from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.job import Job, Step
from crisp_hornet.practice.drawing import Drawn
from crisp_hornet.standin.journal import WRITE
from crisp_hornet.standin.workshop import Workshop


def take_step(shop: Workshop, job: Job, drawn: Drawn, step: Step, held: Backup) -> None:
    """Do one step of a cure to a workshop's bike, as the line would. Raises :class:`DocumentError`."""
    wanted: dict[str, float | None] = {}
    if step.restore is not None:
        wanted = held.values(calibration=False)
    for name, asked in (step.set or {}).items():
        wanted[name] = drawn.value(asked, job)
    for name, value in wanted.items():
        register = shop.controller.map.register(name)
        if register is None:
            raise DocumentError(job.name, name, f"{job.controller} has no such setting", "Correct the step.")
        if shop.controller.values()[name] != value:
            raw = register.encode(value)
            before, after = register.decode(shop.controller.running[name]), register.decode(raw)
            shop.journal.add(WRITE, name, before, after)
            shop.controller.put(register, raw)
    if wanted:
        shop.do("keep")
    if step.act is not None:
        line = step.act
        for path, figure in drawn.figures.items():
            line = line.replace("{" + path + "}", f"{figure:.6g}")
        if (said := shop.do(line)).startswith("no "):
            raise DocumentError(job.name, line, said[3:], "Correct the step.")

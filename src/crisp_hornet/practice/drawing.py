"""A seed draws the hidden figures of a job: the same seed, the same bike."""

from __future__ import annotations

import random
from collections.abc import Mapping
from dataclasses import dataclass

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.job import Job, Range

# Truths that no job names agree with the document within these (share, one by one).
USUAL = {
    "pack_resistance": 0.02, "pack_capacity": 0.02, "wheel": 0.005, "drag": 0.02, "rolling": 0.02, "flux": 0.005,
    "winding_resistance": 0.02,
}  # fmt: skip


@dataclass(frozen=True)
class Drawn:
    """``figures`` by path; ``acts``: what makes the simulated bike so."""

    seed: int
    figures: Mapping[str, float]
    acts: tuple[str, ...]

    def value(self, asked: float | str | None, job: Job) -> float | None:
        """A figure, or the one that a name stands for. Raises :class:`DocumentError` for a name that is none."""
        if not isinstance(asked, str):
            return asked
        name, _, factor = asked.partition("*")
        if name.strip() not in self.figures:
            raise DocumentError(job.name, asked, "no hidden figure has this name", "Name one of hidden.figures.")
        return self.figures[name.strip()] * (float(factor) if factor else 1.0)


def draw(job: Job, seed: int) -> Drawn:
    """The hidden bike behind a job. Raises :class:`DocumentError` for a range that is none."""
    rng = random.Random(seed)
    figures = {path: _one(job, path, given, rng) for path, given in sorted(job.hidden.figures.items())}
    usual = {name: 1 + rng.uniform(-wide, wide) for name, wide in USUAL.items() if f"truth.{name}" not in figures}
    usual |= {name: 1.0 for name in ("current_gain", "phase_gain") if f"truth.{name}" not in figures}
    if "truth.current_zero_a" not in figures:
        usual["current_zero_a"] = 0.0
    acts = ["obey 1", *(f"truth {name} {value:.6g}" for name, value in usual.items())]
    for path, value in figures.items():
        kind, _, name = path.partition(".")
        if kind in ("truth", "sensor", "display", "defect"):
            acts.append(f"{kind} {name} {value:.6g}")
        elif kind == "register":
            acts.append(f"set {name} {value:.6g}")
    acts += [_filled(line, figures) for line in job.hidden.acts]
    acts += [f"key-on {due.after_s:g} {_filled(due.act, figures)}" for due in job.hidden.at_key_on]
    return Drawn(seed, figures, tuple(acts))


def _one(job: Job, path: str, given: Range, rng: random.Random) -> float:
    if given.of:
        return rng.choice(given.of)
    if given.from_ is None or given.to is None:
        raise DocumentError(job.name, f"hidden.figures.{path}", "it has neither from and to nor of", "Give a range.")
    return round(rng.uniform(given.from_, given.to), 4)


def _filled(line: str, figures: Mapping[str, float]) -> str:
    """An act with the drawn figures put in for their names in braces."""
    for path, value in figures.items():
        line = line.replace("{" + path + "}", f"{value:.6g}")
    return line

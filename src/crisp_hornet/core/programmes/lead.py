"""Leads through a programme, reading by reading: what to do now, and whether each run that was made can be used."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.programmes import wordings
from crisp_hornet.core.programmes.judging import heading_deg
from crisp_hornet.core.programmes.run import Programme, Run, Step
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import joined, quantity, say

LOOKED_EVERY_S = 0.2  # how often the questions are asked; readings in between are kept all the same
SHORTEST_S = 2.0  # what ends sooner was no run but a slip of the hand
BEFORE_S = 12.0
TURNED_DEG = 120.0


@dataclass(frozen=True)
class Result:
    """One run: which step, when (s of the recording), what spoils it (nothing: it can be used), and what it shows."""

    step: str
    from_s: float
    to_s: float
    spoils: tuple[str, ...]
    shows: str
    heading_deg: float = float("nan")

    @property
    def usable(self) -> bool:
        """Whether it can be used."""
        return not self.spoils

    @property
    def text(self) -> str:
        """In one line."""
        return (
            say("{step}: {shows}", step=self.step, shows=self.shows)
            if self.usable
            else say("{step}, not usable: {spoils}", step=self.step, spoils=joined("; ", self.spoils))
        )


class Lead:
    """``take`` every reading; ``results`` are the runs so far. A run that cannot be used is asked for again."""

    def __init__(self, programme: Programme, bike: Bike) -> None:
        self.programme, self._bike = programme, bike
        self.results: list[Result] = []
        self.under_way = False
        self._run = Run()
        self._looked_s = -np.inf
        self._why_not = ""
        self._good_rows = 0  # up to the last look at which the run went on: what ended it is no part of it

    @property
    def step(self) -> Step | None:
        """The next one that is still to be ridden; None once all can be used."""
        done = {result.step for result in self.results if result.usable}
        return next((step for step in self.programme.steps if step.name not in done), None)

    @property
    def done(self) -> bool:
        """Whether every run was made and can be used."""
        return self.step is None

    @property
    def sentence(self) -> str:
        """What to do now."""
        step = self.step
        if step is None:
            return say(
                "{title}: all {steps} runs can be used.", title=self.programme.title, steps=len(self.programme.steps)
            )
        at = self.programme.steps.index(step) + 1
        if self.under_way:
            return say(
                "Run {at} of {steps}, {name}: under way, {lasts}",
                at=at,
                steps=len(self.programme.steps),
                name=step.name,
                lasts=quantity(self._run.lasts_s, "s", ".0f"),
            )
        return say(
            "Run {at} of {steps}, {name}. {do}",
            at=at,
            steps=len(self.programme.steps),
            name=step.name,
            do=self._why_not or step.do,
        )

    def take(self, time_s: float, values: Mapping[str, float]) -> Result | None:
        """One reading; a run that it ends."""
        step = self.step
        if step is None or (self._run.times and time_s <= self._run.times[-1]):
            return None
        self._run.take(time_s, values)
        if time_s - self._looked_s < LOOKED_EVERY_S:
            return None
        self._looked_s = time_s
        if not self.under_way:
            if step.begins(self._run):
                self.under_way, last = True, {name: kept[-1] for name, kept in self._run.channels.items()}
                self._run = Run()
                self._run.take(time_s, last)
                self._good_rows = 1
                self._why_not = ""
            else:
                self._why_not = step.why_not(self._run) or self._why_not
                self._run.keep_last(BEFORE_S)
            return None
        if step.ends(self._run):
            self._run.cut(self._good_rows)
            return self.mark()
        self._good_rows = len(self._run.times)
        return None

    def mark(self) -> Result | None:
        """End the run that is under way, by hand or by what was seen; None where there is none."""
        step, run = self.step, self._run
        if step is None or not self.under_way:
            return None
        self.under_way, self._run = False, Run()
        if run.lasts_s < SHORTEST_S:
            return None
        result = self._judged(step, run)
        self.results.append(result)
        return result

    def _judged(self, step: Step, run: Run) -> Result:
        ride = run.ride(step.name)
        heading = heading_deg(ride)
        spoils: list[str] = [
            wordings.spoils("not-recorded", channel=name.replace("_", " "))
            for name in self.programme.needs
            if not ride.has(name)
        ]
        spoils = spoils or step.spoils(ride, self._bike) + self._same_way(step, heading)
        return Result(
            step.name,
            run.times[0],
            run.times[-1],
            tuple(spoils),
            "" if spoils else step.shows(ride, self._bike),
            heading,
        )

    def _same_way(self, step: Step, heading: float) -> list[str]:
        """Runs of a programme for both ways alternate; where positions are known, that is looked at."""
        before = [result for result in self.results if result.usable and np.isfinite(result.heading_deg)]
        if not self.programme.both_ways or not before or not np.isfinite(heading):
            return []
        turned = abs((heading - before[-1].heading_deg + 180) % 360 - 180)
        return wordings.spoilt(turned <= TURNED_DEG, "same-way")


def runs_in(ride: Ride, programme: Programme, bike: Bike) -> list[Result]:
    """The runs of a programme that a whole ride holds, in order."""
    lead = Lead(programme, bike)
    names = list(ride.channels)
    table = np.column_stack([ride.channels[name] for name in names]) if names else np.zeros((len(ride), 0))
    for time_s, row in zip(ride.time_s.tolist(), table.tolist(), strict=True):
        lead.take(time_s, dict(zip(names, row, strict=True)))
    lead.mark()
    return lead.results

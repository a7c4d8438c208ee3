"""The job document: a customer's complaint, a bike with a hidden cause, and how it is told whether it was found and cured.

Nothing in it is executed but the acts that the simulated bike knows.
"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field

from crisp_hornet.documents import wire
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.base import NotNegative, Number, Part, Text
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.store import parse

JOB_VERSION, MOST_BYTES = 1, 4 << 20
Long = Annotated[str, Field(strict=True, min_length=1, max_length=2000)]
Line = Annotated[str, Field(strict=True, min_length=1, max_length=300)]
Three = Annotated[list[Long], Field(min_length=3, max_length=3)]


class Range(Part):
    """A figure is drawn between ``from`` and ``to``, or is one ``of`` several."""

    from_: Number | None = Field(default=None, alias="from")
    to: Number | None = None
    of: Annotated[list[Number], Field(max_length=50)] | None = None


class DueAct(Part):
    """An act so long after each power-on."""

    after_s: NotNegative = Field(le=600)
    act: Line


class Hidden(Part):
    """What nobody is told. ``figures`` by path: ``truth.NAME``, ``sensor.NAME``, ``register.NAME``, ``defect.NAME``, ``display.NAME``, or
    any other name, for acts to refer to as ``{NAME}``."""

    figures: dict[str, Range] = {}
    acts: Annotated[list[Line], Field(max_length=50)] = []
    at_key_on: Annotated[list[DueAct], Field(max_length=20)] = []


class Mend(Part):
    """What hands can repair at the test stand: its name, the words on the button, and the act behind it."""

    name: Text
    words: Text
    act: Line


class Check(Part):
    """Something that can be told afterwards. ``least`` and ``most`` are figures or names of figures; ``is``: what it must be."""

    of: Text
    least: Number | str | None = None
    most: Number | str | None = None
    is_: Number | str | bool | list[str] | None = Field(default=None, alias="is")


class Step(Part):
    """One step of a cure: an ``act`` at the test stand, settings that are written and kept (a figure, or the name of one), a backup that is
    put back, figures of the bike on Build (``document``), or what is ``said`` at the end."""

    act: Line | None = None
    set: dict[str, Number | str | None] | None = None
    restore: Literal["held"] | None = None
    document: dict[str, Number | str] | None = None
    said: Long | None = None
    ending: Literal["ride", "nothing", "workshop"] | None = None


class Wrong(Part):
    """A cure that tempts: its steps, what then still shows, and what there is to say of it."""

    steps: list[Step]
    then: list[Check] = []
    says: Long


class Told(Part):
    """One line of what is already in the logbook."""

    days_ago: NotNegative = Field(le=5000)
    kind: Text
    title: Long
    detail: Annotated[str, Field(strict=True, max_length=2000)] = ""


class JobRoad(Route):
    """A road of a job, and how it is ridden there: full throttle unless said otherwise. ``hold_kmh``: a speed is held; ``human_nm`` and
    ``cadence_rpm``: the rider pedals; ``charge``, ``winding_c``: how pack and motor are at its start (None: as they were left);
    ``brake_at_kmh``: there the lever is pulled to ``brake``, the throttle still open; ``rider_kg``: somebody else rides (a figure, or the
    name of one)."""

    format: Literal["crisp-hornet/route"] = "crisp-hornet/route"
    version: Literal[1] = 1
    throttle: Annotated[float, Field(strict=True, ge=0, le=1)] = 1.0
    hold_kmh: NotNegative | None = None
    human_nm: NotNegative = Field(default=0.0, le=250)
    cadence_rpm: NotNegative = Field(default=0.0, le=140)
    level: Annotated[int, Field(strict=True, ge=0, le=12)] = 0
    gear: Annotated[int, Field(strict=True, ge=1, le=20)] = 1
    mode: Annotated[int, Field(strict=True, ge=0, le=8)] = 0
    charge: Annotated[float, Field(strict=True, gt=0, le=1)] | None = None
    winding_c: Number | None = None
    ambient_c: Number = Field(default=16.0, ge=-20, le=45)
    brake_at_kmh: NotNegative | None = None
    brake: Annotated[float, Field(strict=True, ge=0, le=1)] = 0.6
    rider_kg: NotNegative | str | None = None
    longest_s: NotNegative = Field(default=180.0, le=7200)


class Job(Part):
    """A whole job (``crisp-hornet/job``). ``bike``: a document, or the name of one that ships with practice. ``settings``: what the
    controller is set to besides its maker's settings; ``held``: a backup from before, which lies in the garage (made of the settings where
    it is left out). ``start``: charge at the beginning, 0 to 1. ``by_hand``: no line leads to it, only its display."""

    format: Literal["crisp-hornet/job"] = "crisp-hornet/job"
    version: Literal[1] = 1
    name: Text
    complaint: Annotated[list[Long], Field(min_length=1, max_length=12)]
    bike: Bike | Text
    skill: str = ""
    trains: str = ""
    controller: Text = "Weir 60"
    by_hand: bool = False
    settings: dict[str, Number | None] = {}
    held: Backup | None = None
    start: Annotated[float, Field(strict=True, gt=0, le=1)] = 0.78
    history: Annotated[list[Told], Field(max_length=200)] = []
    roads: dict[str, JobRoad] = {}
    hidden: Hidden = Hidden()
    mends: Annotated[list[Mend], Field(max_length=20)] = []
    shows: list[Check] = []
    cure: list[Step] = []
    wrong: list[Wrong] = []
    ending: Literal["ride", "nothing", "workshop"] = "ride"
    solved: list[Check] = []
    never: list[Check] = []
    path: Annotated[list[Long], Field(max_length=20)] = []
    hints: Three | None = None
    debrief: Three | None = None
    caution: str = ""


def read_job(path: Path) -> Job:
    """Read a job document. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    return parse(Job, "crisp-hornet/job", JOB_VERSION, wire.read_object(path), str(path))

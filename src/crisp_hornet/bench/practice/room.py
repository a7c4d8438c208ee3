"""The room of a job: its own garage and its own simulated bike, in a folder of practice. Nothing of the user's own garage is touched."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QLockFile

from crisp_hornet.bench.practice.practising import Room
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.standins import stand_in
from crisp_hornet.documents import store, wire
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.garage import Garage
from crisp_hornet.practice.drawing import Drawn, draw
from crisp_hornet.practice.jobs import JobFile, bike_of
from crisp_hornet.practice.laying_out import held_backup, make_garage, workshop_of
from crisp_hornet.practice.progress import BEGUN, Progress, Standing
from crisp_hornet.practice.showing import first_that_shows
from crisp_hornet.standin.snapshot import snapshot

BEFORE, BIKE, GARAGE, LINK, LOCK = "before.json", "bike-document.json", "garage", "simulated", "lock"
MOST_SEEDS, MOST_DRAWS = 10_000, 12


@contextmanager
def practice_room(
    file: JobFile, progress: Progress, seed: int | None = None, guided: bool = False, anew: bool = False
) -> Iterator[tuple[Garage, Room]]:
    """Lay a job out, or take it up where it was left; when the room is left, the bike's state is kept. Raises :class:`DocumentError`."""
    place, standing = progress.place(file.key), progress.of(file.key)
    lock = _locked(place, file)
    try:
        with _laid_out(file, progress, standing, seed, guided, anew) as (garage, room):
            yield garage, room
    finally:
        lock.unlock()


@contextmanager
def _laid_out(
    file: JobFile, progress: Progress, standing: Standing | None, seed: int | None, guided: bool, anew: bool
) -> Iterator[tuple[Garage, Room]]:
    place = progress.place(file.key)
    if standing is None or anew or (seed is not None and seed != standing.seed):
        progress.begin_anew(file.key)
        if seed is None:
            seed = standing.seed if standing is not None else _any_that_shows(file)
    else:
        seed = standing.seed
    drawn = draw(file.job, seed)
    state = progress.state_file(file.key)
    if not (place / BEFORE).is_file():
        _lay_out(place, state, file, drawn)
        progress.keep(file.key, BEGUN, seed, guided=guided)
    before = wire.parse_object(wire.read_bytes(place / BEFORE, 32 << 20), str(place / BEFORE))
    garage = make_garage(place / GARAGE, file.job)
    more = ("--controller", file.job.controller, "--bike", str(place / BIKE), "--state", str(state))
    try:
        with stand_in(place / LINK, *more) as started:
            simulated = started()
            if file.job.by_hand:  # no lead fits
                simulated = Simulated((), simulated.act)
            held = held_backup(file.job, datetime.now().astimezone())
            room = Room(file, drawn, simulated, place, progress, before, held, guided)
            yield garage, room
            room.keep_state()
    finally:
        garage.close()


def _any_that_shows(file: JobFile) -> int:
    chance = random.SystemRandom()
    return first_that_shows(file.job, (chance.randrange(1, MOST_SEEDS) for _ in range(MOST_DRAWS)))


def _lay_out(place: Path, state: Path, file: JobFile, drawn: Drawn) -> None:
    """Fill the folder of a job that begins."""
    told = json.dumps(snapshot(workshop_of(file.job, drawn))).encode()
    wire.write_bytes(place / BIKE, json.dumps(store.dump(bike_of(file.job))).encode(), private=True)
    wire.write_bytes(state, told, private=True)
    wire.write_bytes(place / BEFORE, told, private=True)


def _locked(place: Path, file: JobFile) -> QLockFile:
    """The job is this process's own until it is unlocked. Raises :class:`DocumentError` where another window has it."""
    try:
        place.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as error:
        raise DocumentError(
            str(place), "", (error.strerror or "it cannot be made").lower(), "Check that you may write there."
        ) from error
    lock = QLockFile(str(place / LOCK))
    lock.setStaleLockTime(0)  # only a process that is gone leaves one behind
    if not lock.tryLock(0):
        raise DocumentError(file.title, "", "it is open in another window", "Go on there, or close it first.")
    return lock

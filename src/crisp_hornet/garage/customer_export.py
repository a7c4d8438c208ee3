"""All that is known of one customer in one open file, and nothing of anybody else: who they are, what they allowed, their bikes' archives.

A line of a bike's logbook may name another bike, and a bike's name its owner: in what is handed over those names are left out.
"""

from __future__ import annotations

import json
import re
import tempfile
import zipfile
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from crisp_hornet.documents import store, wire
from crisp_hornet.garage.archive import export_bike
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.story import STORY

ANOTHER_BIKE, ANOTHER = "another bike", "another customer"
LEAST = 3  # letters of a name that is looked for
TOLD = """What this garage knows of you.

customer.json          name, contact, what was allowed and when, your bikes
bikes/*.zip            a bike each: its figures, tunes, what the controller held, rides and logbook (story.json), each ride as Parquet

Each bike can be opened by the same application, or taken apart by any program that reads ZIP, JSON and Parquet.
"""


def export_customer(garage: Garage, uid: str, path: Path) -> int:
    """Write it; gives the number of bikes. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    customer, bikes = garage.customers.get(uid), garage.customers.bikes(uid)
    others = names_of_others(garage, [name for _, name in bikes])
    with (
        tempfile.TemporaryDirectory(prefix=".crisp-hornet-", dir=garage.folder) as place,
        wire.written_whole(path, private=True) as whole,
        zipfile.ZipFile(whole, "w", zipfile.ZIP_DEFLATED) as packed,
    ):
        packed.writestr("README.txt", TOLD)
        packed.writestr("customer.json", json.dumps(store.dump(customer), ensure_ascii=False, indent=1))
        for at, (number, name) in enumerate(bikes):
            file = Path(place) / f"{at}.zip"
            export_bike(garage, number, file)
            packed.write(_of_one(file, others), f"bikes/{at + 1:02d} {_plain(name)}.zip", zipfile.ZIP_STORED)
            file.unlink()
    return len(bikes)


def names_of_others(garage: Garage, own: Iterable[str]) -> dict[str, str]:
    """The names of all other bikes and customers, and what stands for each where somebody else reads."""
    mine = list(own)
    owners = [one for one in garage.customers.all() if not any(name in _names(garage, one.uid) for name in mine)]
    found = {one.customer.name: ANOTHER for one in owners}
    found |= {bike.name: ANOTHER_BIKE for bike in garage.glance.bikes() if bike.name not in mine}
    return {
        name: instead for name, instead in found.items() if len(name) >= LEAST and not any(name in one for one in mine)
    }


def _names(garage: Garage, uid: str) -> set[str]:
    return {name for _, name in garage.customers.bikes(uid)}


def without_others(text: str, others: dict[str, str]) -> str:
    """A text in which nobody else is named."""
    if not others:
        return text
    names = sorted(others, key=len, reverse=True)
    return re.sub(rf"(?<!\w)(?:{'|'.join(map(re.escape, names))})(?!\w)", lambda found: others[found[0]], text)


def _of_one(archive: Path, others: dict[str, str]) -> Path:
    """A bike's archive without the names of others."""
    made = archive.with_suffix(".own.zip")
    with zipfile.ZipFile(archive) as source, zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as target:
        for member in source.infolist():
            data = source.read(member)
            if member.filename == STORY:
                story = _cleared(json.loads(data), others)
                data = json.dumps(story | {"met": {}}, ensure_ascii=False, indent=1).encode()
            target.writestr(member, data)
    return made


def _cleared(value: Any, others: dict[str, str]) -> Any:
    if isinstance(value, str):
        return without_others(value, others)
    if isinstance(value, list):
        return [_cleared(one, others) for one in value]
    if isinstance(value, dict):
        return {name: _cleared(one, others) for name, one in value.items()}
    return value


def _plain(name: str) -> str:
    return re.sub(r"[^\w ()+-]", "-", name)[:80]

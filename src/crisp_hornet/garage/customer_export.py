"""All that is known of one customer in one open file, and nothing of anybody else: who they are, what they allowed, their bikes' archives.

A line of a bike's logbook may name another bike: in what is handed over nobody else is named (:mod:`~crisp_hornet.garage.others`).
"""

from __future__ import annotations

import json
import re
import tempfile
import zipfile
from pathlib import Path
from typing import Any

from crisp_hornet.documents import store, wire
from crisp_hornet.garage.archive import export_bike
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.others import names_of_others, without_others
from crisp_hornet.garage.story import STORY

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

import shutil
import zlib
from pathlib import Path

import pytest
from sqlalchemy import select

from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.in_step import RIDES
from crisp_hornet.garage.opening import ATTACHMENTS, GarageError
from crisp_hornet.garage.story import looks_sound, rows_of, values_of
from crisp_hornet.garage.tables import BikeRow
from crisp_hornet.garage.workshop import Workshop
from tests import postgres
from tests.amount import LONG


@pytest.fixture
def benches(tmp_path, address):
    made = [(Garage(tmp_path / side), Workshop(address, who=f"bench {side}")) for side in "ab"]
    yield made
    for garage, workshop in made:
        garage.close()
        workshop.close()


@pytest.fixture(autouse=True)
def on_a_server_too(request, tmp_path_factory, monkeypatch):
    """Whatever garages a test of this folder makes go through a real PostgreSQL afterwards and come out as they were: of every test in a
    long run, else of every sixth."""
    drawn = LONG or zlib.crc32(request.node.nodeid.encode()) % 6 == 0
    if postgres.binaries() is None or {"address", "new_address"} & set(request.fixturenames) or not drawn:
        yield
        return
    server, opened, plain = request.getfixturevalue("server"), [], Garage.__init__

    def noted(garage, folder):
        plain(garage, folder)
        opened.append(folder)

    monkeypatch.setattr(Garage, "__init__", noted)
    yield
    monkeypatch.undo()
    for at, folder in enumerate(dict.fromkeys(opened)):
        if (folder / "garage.sqlite").is_file():
            name = f"t{zlib.crc32(request.node.nodeid.encode())}_{at}"
            through(server.ready(name), folder, tmp_path_factory.mktemp("through"))


def through(address, folder, place):
    """A garage brought into a shared one, and from there to a bench that has nothing."""
    shutil.copytree(folder, place / "here", symlinks=True)
    try:
        garage = Garage(place / "here")
    except GarageError:
        return  # the test broke it
    other, workshop = Garage(place / "there"), Workshop(address)
    try:
        refused = workshop.bring_in_step(garage).refused + workshop.bring_in_step(other).refused
        here, there = story_of(garage), story_of(other)
        assert refused or here.keys() == there.keys()
        for uid in here.keys() & there.keys():
            assert here[uid] == there[uid]
        assert garage.customers.all() == other.customers.all()
    finally:
        workshop.close()
        garage.close()
        other.close()


def story_of(garage):
    """All rows of each bike, by what is compared; but those that are damaged, or whose file is gone."""
    with garage.store.session() as session:
        bikes = list(session.scalars(select(BikeRow)))
        found = {}
        for bike in bikes:
            rows = rows_of(session, bike)
            found[bike.uid] = {
                key: content
                for key, (row, content) in rows.items()
                if lies_there(garage, key[0], row) and looks_sound(key[0], values_of(row))
            }
        return found


def lies_there(garage, table, row):
    name = getattr(row, "file", None)
    return name is None or (garage.folder / (RIDES if table == "rides" else ATTACHMENTS) / Path(name).name).exists()

"""Customers: kept apart, handed over whole and alone, and erased so that nothing of them is left or comes back."""

import io
import zipfile
from datetime import UTC, date, datetime

import numpy as np
import polars as pl
import pytest

from crisp_hornet import cli
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.track import ground_speed_kmh, without_positions
from crisp_hornet.documents.customer import CALLED, COMPARED, POSITIONS, Customer
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage import erasing, opening
from crisp_hornet.garage.archive import export_bike, import_bike
from crisp_hornet.garage.copies import bring_back, copy_garage
from crisp_hornet.garage.customer_export import export_customer
from crisp_hornet.garage.erasing import Thing, erase, erase_customer, positions_of
from crisp_hornet.garage.fleet import Asked, asked_of_all
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.opening import RECORDINGS
from crisp_hornet.garage.others import page_without_others, without_others
from crisp_hornet.rides.recorder import ENDING, Recorder
from tests.bikes import a_bike, a_tune

DAY = date(2026, 11, 29)
SECRETS = {"Orla Fenwick": ("Ferry Lane 3", "Marsh bike", "left pedal creaks", "W60-7781", "gentle for Orla"),
           "Piet Amsel": ("at the mill", "Mill bike", "brakes squeal", "W60-9912", "strong for Piet")}  # fmt: skip


def a_track(name):
    time = np.arange(0.0, 30.0, 0.5)
    where = {"lat_deg": 51 + time * 4e-5, "lon_deg": 0.5 + time * 1e-6}
    return Ride(name, time, {"pack_v": np.full(time.size, 60.0), **where})


@pytest.fixture
def garage(tmp_path):
    """Two customers with a bike each, and one of the workshop; each with all that is kept of a bike."""
    made = Garage(tmp_path / "g")
    for name, (contact, bike, note, serial, tune) in SECRETS.items():
        number = made.bikes.save(a_bike().model_copy(update={"name": bike}))
        uid = made.customers.keep(Customer(name=name, contact=contact))
        made.customers.keep(made.customers.get(uid).with_consent(POSITIONS, True, DAY), uid)
        made.customers.hand(made.bikes.uid(number), uid, DAY)
        for at in range(3):
            made.tunes.save_draft(number, a_tune(name=f"{tune} {at}"))
            made.book.log(number, "note", f"{note} {at}")
        made.rides.keep(number, a_track(f"round with {serial}"), a_tune(name=tune))
        (tmp_path / "plug.txt").write_text(f"plug of {note}")
        made.book.attach(number, tmp_path / "plug.txt", "a file")
        recorder = Recorder(made.folder / RECORDINGS / f"{number}{ENDING}")  # killed while it recorded
        recorder.bike(bike)
        recorder.note(note)
        recorder.finish()
        made.settings.keep(f"port of bike {number}", f"/dev/{serial}")
        erasing.meeting.remember(
            made, made.bikes.uid(number), {"x": erasing.meeting.Met(1, {("tunes", "draft"): {"name": tune}})}
        )
    number = made.bikes.save(a_bike().model_copy(update={"name": "Bench bike"}))
    made.rides.keep(number, a_track("own round"), a_tune())
    asked_of_all(made)  # what rides come to is kept beside
    (made.folder / "copies").mkdir()
    (made.folder / "copies" / "before-0009.sqlite").write_bytes((made.folder / "garage.sqlite").read_bytes())
    yield made
    made.close()


def called(garage, name):
    return next(one.uid for one in garage.customers.all() if one.customer.name == name)


def number_of(garage, name):
    return next(bike.id for bike in garage.glance.bikes() if bike.name == name)


def traces(folder, name):
    """Where anything of a customer still lies, in whatever file and whatever part of it."""
    words = [name, *SECRETS[name]]
    found = []
    for file in folder.rglob("*"):
        if file.is_file():
            data = file.read_bytes()
            found += [(file.name, word) for word in words if word.encode() in data or word.encode("utf-16-le") in data]
    return found


def whole(garage, name):
    """What is there of a customer that is not erased."""
    contact, bike, note, serial, tune = SECRETS[name]
    number = number_of(garage, bike)
    assert garage.customers.get(called(garage, name)).contact == contact
    assert {f"{note} {at}" for at in range(3)} < {line.title for line in garage.book.of(number)}
    assert garage.glance.tune(number, "draft").name == f"{tune} 2"
    assert garage.rides.load(garage.rides.of(number)[0]).has("lat_deg")
    assert garage.settings.get(f"port of bike {number}") == f"/dev/{serial}"
    assert next(line.file for line in garage.book.of(number) if line.file).read_text() == f"plug of {note}"


def test_a_bike_is_one_customer_s_and_what_was_allowed_has_its_day(garage):
    orla, piet = called(garage, "Orla Fenwick"), called(garage, "Piet Amsel")
    bike = garage.bikes.uid(number_of(garage, "Marsh bike"))
    assert garage.customers.of_bike(bike).uid == orla and garage.customers.allow(bike, POSITIONS)
    garage.customers.hand(bike, piet, DAY)
    assert garage.customers.of_bike(bike).uid == piet and not garage.customers.get(orla).bikes
    garage.customers.hand(bike, None, DAY)
    assert garage.customers.of_bike(bike) is None and garage.customers.allow(bike, COMPARED)  # the workshop's own
    told = garage.customers.get(piet).with_consent(CALLED, True, DAY).with_consent(CALLED, False, date(2026, 12, 1))
    assert (told.allows(CALLED), str(told.consents[CALLED].on), told.allows(COMPARED)) == (False, "2026-12-01", False)
    with pytest.raises(DocumentError, match="not there any more"):
        garage.customers.get("nobody")


def test_nothing_of_an_erased_customer_is_left_in_any_file_and_the_other_is_whole(garage, tmp_path):
    assert len({word for _, word in traces(garage.folder, "Orla Fenwick")}) == 6
    uid = called(garage, "Orla Fenwick")
    bikes = erase_customer(garage, uid, with_bikes=True)
    assert len(bikes) == 1 and traces(garage.folder, "Orla Fenwick") == []
    whole(garage, "Piet Amsel")
    assert [one.customer.name for one in garage.customers.all()] == ["Piet Amsel"] and not garage.unfinished
    assert asked_of_all(garage, Asked(["Mill bike"])).rides == 1
    number = garage.bikes.save(a_bike().model_copy(update={"name": "Next"}))  # may get a number that was free
    assert garage.settings.get(f"port of bike {number}") is None


def test_neither_archive_nor_copy_brings_it_back(garage, tmp_path):
    archive = tmp_path / "marsh.zip"
    export_bike(garage, number_of(garage, "Marsh bike"), archive)
    copy = copy_garage(garage, tmp_path / "copies", keep=5, now=datetime(2026, 11, 1, tzinfo=UTC)).path
    erase_customer(garage, called(garage, "Orla Fenwick"), with_bikes=True)
    with pytest.raises(DocumentError, match="erased here for good"):
        import_bike(garage, archive)
    assert traces(garage.folder, "Orla Fenwick") == []
    copy_garage(garage, tmp_path / "copies", keep=5, now=datetime(2026, 11, 2, tzinfo=UTC))
    bring_back(copy, tmp_path / "again")  # the older one
    assert traces(tmp_path / "again", "Orla Fenwick") == []
    again = Garage(tmp_path / "again")
    whole_but_settings = [line.title for line in again.book.of(number_of(again, "Mill bike"))]
    assert "brakes squeal 2" in whole_but_settings
    again.close()


def test_what_was_under_way_on_an_erased_bike_is_told_and_harms_nothing(garage):
    number = number_of(garage, "Marsh bike")
    erase(garage, [Thing("bike", garage.bikes.uid(number))])
    for late in (
        lambda: garage.tunes.save_draft(number, a_tune()),
        lambda: garage.book.log(number, "note", "late"),
        lambda: garage.bikes.update(number, a_bike()),
        lambda: garage.rides.keep(number, a_track("late"), a_tune()),
        lambda: garage.bikes.uid(number),
    ):
        with pytest.raises(DocumentError, match="erased meanwhile"):
            late()
    whole(garage, "Piet Amsel")


def test_the_last_copy_that_holds_it_takes_it_along(garage, tmp_path):
    to = tmp_path / "copies"
    for night in (1, 2):
        copy_garage(garage, to, keep=2, now=datetime(2026, 11, night, tzinfo=UTC))
    (to / "rides" / "mine.parquet").write_text("not ours")
    uid = called(garage, "Piet Amsel")
    erase(garage, positions_of(garage, garage.customers.get(uid).bikes))
    erase_customer(garage, called(garage, "Orla Fenwick"), with_bikes=True)
    copy_garage(garage, to, keep=2, now=datetime(2026, 11, 3, tzinfo=UTC))
    assert traces(to, "Orla Fenwick") and len(list((to / "rides").glob("*.parquet"))) == 4  # one older copy is left
    number = number_of(garage, "Mill bike")
    track = to / "rides" / garage.rides.of(number)[0].file.name
    assert "lat_deg" not in pl.read_parquet_schema(track)  # where rides went leaves at once
    copy_garage(garage, to, keep=2, now=datetime(2026, 11, 4, tzinfo=UTC))
    assert traces(to, "Orla Fenwick") == [] and (to / "rides" / "mine.parquet").exists()
    assert len(list((to / "rides").glob("*.parquet"))) == 3
    bring_back(sorted(to.glob("garage-*.sqlite"))[0], tmp_path / "again")
    again = Garage(tmp_path / "again")
    assert "brakes squeal 2" in [line.title for line in again.book.of(number_of(again, "Mill bike"))]
    again.close()


@pytest.mark.parametrize("step", ["carry_out", "_mark", "_beside", "forget", "of_bike", "_written_anew"])
def test_a_kill_at_any_step_is_finished_at_the_next_start_or_erased_nothing(garage, monkeypatch, step):
    uid = called(garage, "Orla Fenwick")

    def killed(*_):
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(erasing, step, killed)
        with pytest.raises(KeyboardInterrupt):
            erase_customer(garage, uid, with_bikes=True)
    garage.close()
    again = Garage(garage.folder)
    if again.unfinished:
        erasing.finish(again)
    assert not again.unfinished
    if step in ("carry_out", "_mark"):
        whole(again, "Orla Fenwick")
    else:
        assert traces(garage.folder, "Orla Fenwick") == []
    whole(again, "Piet Amsel")
    again.close()


def test_another_window_that_holds_the_garage_is_told_and_the_rest_is_done_later(garage, monkeypatch):
    monkeypatch.setattr(opening, "BUSY_S", 0.3)
    other = Garage(garage.folder)
    with other.store.session() as session:
        session.connection().exec_driver_sql("select count(*) from bike").fetchall()
        with pytest.raises(DocumentError, match="it is finished then"):
            erase(garage, [Thing("customer", called(garage, "Orla Fenwick"))])
        assert garage.unfinished
    other.close()
    erasing.finish(garage)
    assert not garage.unfinished and "Ferry Lane 3" not in {word for _, word in traces(garage.folder, "Orla Fenwick")}


def test_without_their_yes_no_door_keeps_where_they_rode(garage, tmp_path):
    number, uid = number_of(garage, "Marsh bike"), called(garage, "Orla Fenwick")
    archive = tmp_path / "marsh.zip"
    export_bike(garage, number, archive)
    garage.customers.keep(garage.customers.get(uid).with_consent(POSITIONS, False, DAY), uid)
    kept = garage.rides.keep(number, a_track("later"), a_tune())
    assert not {"lat_deg", "lon_deg"} & set(pl.read_parquet_schema(kept.file))
    things = positions_of(garage, garage.customers.get(uid).bikes)
    assert len(things) == 1
    erase(garage, things)
    rides = garage.rides.of(number)
    assert len(rides) == 2 and positions_of(garage, garage.customers.get(uid).bikes) == []
    speed = a_track("x")
    truth = ground_speed_kmh(speed.time_s, speed.channels["lat_deg"], speed.channels["lon_deg"])
    for ride in map(garage.rides.load, rides):
        assert not ride.has("lat_deg") and np.allclose(ride.get("gps_speed_kmh"), truth, equal_nan=True)
        assert ride.get("pack_v")[0] == 60.0
    import_bike(garage, archive)  # of before: what it holds of the rides stays out
    assert positions_of(garage, garage.customers.get(uid).bikes) == []
    own = garage.rides.of(number_of(garage, "Bench bike"))[0]
    assert garage.rides.load(own).has("lat_deg")  # the workshop's own stays


def test_a_bike_may_stay_when_its_customer_goes(garage):
    erase_customer(garage, called(garage, "Orla Fenwick"), with_bikes=False)
    number = number_of(garage, "Marsh bike")
    assert {word for _, word in traces(garage.folder, "Orla Fenwick")}.isdisjoint({"Orla Fenwick", "Ferry Lane 3"})
    assert len(garage.book.of(number)) == 4 and not garage.rides.load(garage.rides.of(number)[0]).has("lat_deg")


def test_what_was_not_allowed_is_not_counted_among_others(garage):
    fleet = asked_of_all(garage)
    assert (fleet.bikes, fleet.kept_out, fleet.rides) == (1, 2, 1)
    uid = called(garage, "Piet Amsel")
    garage.customers.keep(garage.customers.get(uid).with_consent(COMPARED, True, DAY), uid)
    assert (asked_of_all(garage).bikes, asked_of_all(garage).kept_out) == (2, 1)
    assert asked_of_all(garage, Asked(["Marsh bike"])).bikes == 1  # asked for by its name it is no comparison


def read_all(data):
    """Every byte of an archive, archives in it taken apart too."""
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        for name in packed.namelist():
            inner = packed.read(name)
            yield name.encode() + (b"".join(read_all(inner)) if name.endswith(".zip") else inner)


def test_all_of_one_customer_is_handed_over_and_nothing_of_another(garage, tmp_path, capsys):
    number = number_of(garage, "Marsh bike")
    garage.book.log(number, "bike", "Battery taken from Mill bike", "as Piet Amsel asked; Bench bike had none")
    export_customer(garage, called(garage, "Orla Fenwick"), tmp_path / "orla.zip")
    told = b"".join(read_all((tmp_path / "orla.zip").read_bytes())).decode(errors="replace")
    assert all(word in told for word in ("Orla Fenwick", *SECRETS["Orla Fenwick"]))
    assert not [word for word in ("Piet Amsel", *SECRETS["Piet Amsel"], "Bench bike", "own round") if word in told]
    assert "Battery taken from another bike" in told and "as another customer asked" in told
    assert (
        without_others("Mill bikes of the Mill bike", {"Mill bike": "another bike"}) == "Mill bikes of the another bike"
    )
    page = '<p>Mill bike</p><img src="data:image/png;base64,Mill bike">'
    assert page_without_others(page, {"Mill bike": "x"}) == page.replace("<p>Mill bike", "<p>x")
    export_bike(garage, number, tmp_path / "alone.zip")  # a bike alone says nothing of whose it is
    alone = b"".join(read_all((tmp_path / "alone.zip").read_bytes()))
    assert b"Orla Fenwick" not in alone and b"Ferry Lane 3" not in alone
    with zipfile.ZipFile(tmp_path / "orla.zip") as packed:
        bike = next(name for name in packed.namelist() if name.startswith("bikes/"))
        (tmp_path / "bike.zip").write_bytes(packed.read(bike))
    other = Garage(tmp_path / "theirs")
    taken = import_bike(other, tmp_path / "bike.zip")
    assert other.bikes.get(taken.number).name == "Marsh bike" and len(other.rides.of(taken.number)) == 1
    other.close()


def test_customers_by_commands(garage, tmp_path, capsys):
    folder = ["--garage", str(garage.folder)]
    assert cli.main(["customers", *folder]) == 0
    assert (
        "Orla Fenwick: Marsh bike" in (out := capsys.readouterr().out)
        and "Where they rode may be kept: yes, 2026-11-29" in out
    )
    assert cli.main(["customers", *folder, "--of", "Orla Fenwick", "--export", str(tmp_path / "o.zip")]) == 0
    assert cli.main(["customers", *folder, "--of", "Orla Fenwick", "--erase", "all"]) == 2  # without --yes
    assert "cannot be brought back" in capsys.readouterr().err and (tmp_path / "o.zip").exists()
    assert cli.main(["customers", *folder, "--of", "Nobody", "--erase", "all", "--yes"]) == 2
    assert cli.main(["customers", *folder, "--erase", "all", "--yes"]) == 2
    assert cli.main(["customers", *folder, "--of", "Orla Fenwick", "--erase", "all", "--yes"]) == 0
    assert traces(garage.folder, "Orla Fenwick") == []


def test_a_ride_without_positions_is_the_same_ride():
    plain = Ride("x", np.array([0.0, 1.0]), {"pack_v": np.array([1.0, 2.0])})
    assert without_positions(plain) is plain

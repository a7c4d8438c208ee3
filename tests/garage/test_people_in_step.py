"""Customers and what was erased, over a real PostgreSQL: what goes on one bench goes everywhere, and what both changed is asked."""

import sqlite3
from contextlib import closing
from datetime import date

import numpy as np
import pytest
from sqlalchemy import event, text

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.customer import CALLED, POSITIONS, Customer
from crisp_hornet.garage import erasing
from crisp_hornet.garage.archive import export_bike, import_bike
from crisp_hornet.garage.erasing import erase, erase_customer, positions_of
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.merging import CUSTOMERS
from crisp_hornet.garage.workshop import Workshop
from tests import postgres
from tests.amount import of
from tests.bikes import a_bike, a_tune

DAY = date(2026, 11, 29)
pytestmark = pytest.mark.skipif(
    postgres.binaries() is None, reason="no PostgreSQL here: scripts/test installs it (package postgresql)"
)


def a_track():
    time = np.arange(0.0, 20.0, 0.5)
    return Ride(
        "round", time, {"pack_v": np.full(time.size, 60.0), "lat_deg": 51 + time * 4e-5, "lon_deg": 0.5 + time * 1e-6}
    )


def in_step(benches):
    found = {}
    for _ in range(2):
        for garage, workshop in benches:
            found = dict(workshop.bring_in_step(garage).conflicts) or found
    return found


@pytest.fixture
def shared(benches):
    """Two benches in step: a customer with a bike, a ride and a file."""
    (a, _), _ = benches
    bike = a.bikes.save(a_bike())
    a.tunes.save_draft(bike, a_tune())
    a.customers.hand(a.bikes.uid(bike), a.customers.keep(Customer(name="Orla Fenwick", contact="Ferry Lane 3")), DAY)
    who = a.customers.all()[0]
    a.customers.keep(who.customer.with_consent(POSITIONS, True, DAY), who.uid)
    a.rides.keep(bike, a_track(), a_tune())
    in_step(benches)
    return benches


def bike_of(garage):
    return garage.glance.bikes()[0].id


def of_server(workshop, table):
    with workshop.engine.connect() as line:
        return line.execute(text(f"select * from {table}")).all()


def test_what_is_erased_on_one_bench_goes_everywhere_and_does_not_return(shared, tmp_path):
    (a, shop_a), (b, _) = shared
    assert b.customers.all() == a.customers.all() and len(of_server(shop_a, "stored_file")) == 1
    archive = tmp_path / "bike.zip"
    export_bike(b, bike_of(b), archive)
    b.book.log(bike_of(b), "note", "while the other erases")  # and is written there afterwards?
    gone = erase_customer(a, a.customers.all()[0].uid, with_bikes=True)
    assert len(gone) == 1
    third = Garage(tmp_path / "third")
    in_step([*shared, (third, shop_a)])
    for garage in (a, b, third):
        assert garage.glance.bikes() == [] and garage.customers.all() == []
        assert not [file for file in garage.folder.rglob("*") if file.is_file() and b"Orla" in file.read_bytes()]
        assert not list((garage.folder / "rides").iterdir())
    for table in ("bike", "tune", "ride", "event", "customer", "stored_file"):
        assert of_server(shop_a, table) == [], table
    with pytest.raises(erasing.DocumentError, match="erased here"):
        import_bike(b, archive)
    third.close()


def test_where_rides_went_is_erased_on_every_bench_and_on_the_server(shared, tmp_path):
    (a, shop_a), (b, _) = shared
    erase(b, positions_of(b, [b.bikes.uid(bike_of(b))]))
    third = Garage(tmp_path / "third")
    in_step([*shared, (third, shop_a)])
    for garage in (a, b, third):
        (ride,) = garage.rides.of(bike_of(garage))
        loaded = garage.rides.load(ride)
        assert not loaded.has("lat_deg") and loaded.has("gps_speed_kmh") and loaded.get("pack_v")[0] == 60.0
    (kept,) = of_server(shop_a, "stored_file")
    assert b"lat_deg" not in bytes(kept.data) and b"gps_speed_kmh" in bytes(kept.data)
    third.close()


@pytest.mark.parametrize("step", ["_erase_there", "_without_positions"])
def test_a_cut_while_erasing_on_the_server_is_made_good(shared, monkeypatch, step):
    from crisp_hornet.garage import people_in_step

    (a, shop_a), (b, shop_b) = shared
    things = positions_of(a, [a.bikes.uid(bike_of(a))])
    erase(a, things)

    def cut(*_):
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(people_in_step, step, cut)
        with pytest.raises(KeyboardInterrupt):
            shop_a.bring_in_step(a)
    shop_b.bring_in_step(b)
    assert b"lat_deg" in bytes(of_server(shop_a, "stored_file")[0].data)  # whole as it was, then whole as it should be
    in_step(shared)
    assert b"lat_deg" not in bytes(of_server(shop_a, "stored_file")[0].data)
    assert not b.rides.load(b.rides.of(bike_of(b))[0]).has("lat_deg")


def test_customers_are_merged_figure_by_figure_and_a_fight_is_asked(shared):
    (a, shop_a), (b, shop_b) = shared
    uid = a.customers.all()[0].uid
    a.customers.keep(a.customers.get(uid).with_consent(CALLED, True, DAY), uid)
    b.customers.keep(b.customers.get(uid).model_copy(update={"contact": "Ferry Lane 5"}), uid)
    assert in_step(shared) == {} and a.customers.get(uid) == b.customers.get(uid)
    assert (a.customers.get(uid).contact, a.customers.get(uid).allows(CALLED)) == ("Ferry Lane 5", True)
    a.customers.keep(a.customers.get(uid).model_copy(update={"contact": "here"}), uid)
    b.customers.keep(b.customers.get(uid).model_copy(update={"contact": "there"}), uid)
    shop_a.bring_in_step(a)
    (fight,) = shop_b.bring_in_step(b).conflicts[CUSTOMERS]
    assert (
        fight.paths == ("contact",)
        and b.customers.get(uid).contact == "there"
        and a.customers.get(uid).contact == "here"
    )
    assert shop_b.bring_in_step(b, {CUSTOMERS: {fight.key: "mine"}}).conflicts == {}
    in_step(shared)
    assert a.customers.get(uid).contact == b.customers.get(uid).contact == "there"


def test_a_member_who_may_not_see_customers_works_without_them(shared, server, address, tmp_path):
    a = shared[0][0]
    name = address.rpartition("/")[2]
    server.ask(
        name,
        "drop role if exists hand",
        "create role hand login",
        "grant all on all tables in schema public to hand",
        "grant create on schema public to hand",
        "grant usage on all sequences in schema public to hand",
        "revoke all on customer from hand",
    )
    bench, shop = Garage(tmp_path / "hand"), Workshop(server.database(name, "hand"))
    try:
        assert not shop.sees_customers
        shop.bring_in_step(bench)
        assert bench.customers.all() == [] and len(bench.rides.of(bike_of(bench))) == 1
        bench.book.log(bike_of(bench), "note", "by a hand")
        shop.bring_in_step(bench)
        in_step(shared)
        assert "by a hand" in [line.title for line in a.book.of(bike_of(a))] and len(a.customers.all()) == 1
        erase(bench, [erasing.Thing("bike", bench.bikes.uid(bike_of(bench)))])
        server.ask(name, "revoke insert on erased from hand")  # who may erase is the database's to say
        shop.close()
        shop = Workshop(server.database(name, "hand"))
        assert "you may not erase there" in " ".join(shop.bring_in_step(bench).refused) and bench.glance.bikes() == []
        in_step(shared)
        assert len(a.glance.bikes()) == 1
        server.ask(name, "grant insert on erased to hand")
        shop.close()
        shop = Workshop(server.database(name, "hand"))
        assert shop.bring_in_step(bench).refused == ()
        in_step(shared)
        assert a.glance.bikes() == bench.glance.bikes() == [] and len(a.customers.all()) == 1
    finally:
        bench.close()
        shop.close()


@pytest.mark.parametrize("broken", of(["'{broken'"], ["'[]'", "'3'"]))
def test_what_is_damaged_on_one_side_neither_spreads_nor_is_taken_for_deleted(shared, broken):
    (a, shop_a), (b, _) = shared
    a.tunes.keep_named(bike_of(a), a_tune(name="gentle"))
    in_step(shared)
    for damaged in ("update tune set document = {}", "update bike set document = {}"):
        with closing(sqlite3.connect(a.folder / "garage.sqlite")) as database, database:
            database.execute(damaged.format(broken))
        b.book.log(bike_of(b), "note", f"after {damaged}")
        in_step(shared)
        assert b.glance.tune(bike_of(b), "draft") == a_tune() and len(b.tunes.named(bike_of(b))) == 1
        assert b.bikes.get(bike_of(b)) == a_bike()
        heard = [line.title for line in a.book.of(1)]
        assert (f"after {damaged}" in heard) == ("tune" in damaged)  # a bike that cannot be read is left alone
    assert "bike" in " ".join(shop_a.bring_in_step(a).refused)


@pytest.mark.parametrize("broken", of(["'{broken'", """'{"format": "crisp-hornet/customer"}'"""], ["'[]'", "'3'"]))
def test_a_damaged_customer_neither_spreads_nor_is_lost_elsewhere(shared, broken):
    (a, shop_a), (b, _) = shared
    whole, uid = b.customers.all(), b.customers.all()[0].uid
    with closing(sqlite3.connect(a.folder / "garage.sqlite")) as database, database:
        database.execute(f"update customer set document = {broken}")
    other = b.customers.keep(Customer(name="Tam Reedley"))
    in_step(shared)
    assert [one.uid for one in a.customers.all()] == [other] and whole[0] in b.customers.all()
    assert shop_a.bring_in_step(a).refused == ()
    a.customers.keep(whole[0].customer.model_copy(update={"contact": "mended"}), uid)
    in_step(shared)
    assert len(a.customers.all()) == 2 and b.customers.get(uid).contact == "mended"


@pytest.mark.parametrize("at", of(range(0, 60, 16), [at for at in range(0, 60, 4) if at % 16]))
def test_what_is_erased_while_a_step_is_under_way_does_not_come_back(shared, at):
    """At one of the statements over the line, on the bench that waits for it."""
    (a, shop_a), (b, _) = shared
    bike, count = a.bikes.uid(bike_of(a)), iter(range(1000))
    b.book.log(bike_of(b), "note", "something new")
    a.book.log(bike_of(a), "note", "here too")

    def now(*_):
        if next(count) == at:
            erase(a, [erasing.Thing("bike", bike)])

    event.listen(shop_a.engine, "before_cursor_execute", now)
    shop_a.bring_in_step(a)
    event.remove(shop_a.engine, "before_cursor_execute", now)
    if next(count) <= at:
        erase(a, [erasing.Thing("bike", bike)])
    in_step(shared)
    assert a.glance.bikes() == b.glance.bikes() == [] and of_server(shop_a, "bike") == []
    assert not [file for one in (a, b) for file in (one.folder / "rides").iterdir()]

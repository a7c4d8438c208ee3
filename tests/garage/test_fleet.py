"""All rides asked together: against plain loops over the same rides, and against the truth of fleets that were made."""

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from crisp_hornet import cli
from crisp_hornet.core.fleet.asked import Case, Summary, ageing, consumption, mean, running_hot, share
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.garage import fleet as of_fleet
from crisp_hornet.garage.fleet import Asked, asked_of_all
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.tables import RideRow
from crisp_hornet.rides.exchange import write_parquet
from crisp_hornet.rides.summaries import summaries
from tests.amount import some
from tests.bikes import a_bike, a_tune

BEGIN = datetime(2026, 1, 10, tzinfo=UTC)


def a_ride(rng, ohm=0.08, hottest_c=70.0, fault=0, minutes=6, wh_per_km=14.0):
    """A ride by hand: current in steps, the pack sags by so many ohms, positions that nobody is to read."""
    time = np.arange(0, 60 * minutes, 0.5)
    amps = np.repeat(rng.uniform(2, 30, len(time) // 20 + 1), 20)[: len(time)]
    volts = 62 - ohm * amps + rng.normal(0, 0.02, len(time))
    speed = volts * amps / wh_per_km
    codes = np.zeros(len(time))
    codes[50:90] = fault
    return Ride("r", time, {
        "pack_v": volts, "battery_a": amps, "wheel_speed_kmh": speed, "motor_c": np.linspace(20, hottest_c, len(time)), "fault": codes,
        "lat_deg": np.full(len(time), 48.1), "lon_deg": np.full(len(time), 11.2),
    })  # fmt: skip


@pytest.fixture
def garage(tmp_path):
    made = Garage(tmp_path / "g")
    yield made
    made.close()


def keep(garage, number, ride, at, tune=None, **card):
    """As if it had been ridden then."""
    kept = garage.rides.keep(number, ride, tune or a_tune(), RideCard(**card))
    with garage.store.session() as session:
        session.get(RideRow, kept.id).at = at


def test_a_ride_comes_to_what_a_loop_over_its_rows_says(tmp_path):
    rng, paths, rides = np.random.default_rng(4), [], []
    for at in range(some(60, 20)):
        ride = a_ride(rng, ohm=rng.uniform(0.03, 0.2), hottest_c=rng.uniform(40, 140), fault=at % 3)
        holes = rng.random(len(ride.time_s)) < 0.03
        ride.channels["pack_v"][holes] = np.nan
        if at % 5 == 4:
            del ride.channels["wheel_speed_kmh"], ride.channels["fault"]
        ride.time_s[len(ride.time_s) // 2 :] += 40 * (at % 2)  # a pause that nothing is counted over
        paths.append(tmp_path / f"{at}.parquet")
        write_parquet(ride, paths[-1])
        rides.append(ride)
    paths.append(tmp_path / "gone.parquet")
    (tmp_path / "noise.parquet").write_bytes(b"PAR1" + rng.bytes(400))
    paths.append(tmp_path / "noise.parquet")
    found = [summary for _, summary in summaries(paths)]
    assert found[-2:] == [None, None]
    for ride, summary in zip(rides, found, strict=False):
        wh = km = seconds = vi = ii = 0.0
        for one in range(1, len(ride.time_s)):
            dt = ride.time_s[one] - ride.time_s[one - 1]
            if dt > 10:
                continue
            seconds += dt
            (v0, v1), (a0, a1) = (ride.channels[name][one - 1 : one + 1] for name in ("pack_v", "battery_a"))
            if np.isfinite(v0 * v1):
                wh += (v0 * a0 + v1 * a1) / 2 * dt / 3600
                if abs(a1 - a0) >= 3:
                    vi, ii = vi + (v1 - v0) * (a1 - a0), ii + (a1 - a0) ** 2
            if ride.has("wheel_speed_kmh"):
                km += sum(ride.channels["wheel_speed_kmh"][one - 1 : one + 1]) / 2 * dt / 3600
        assert summary.seconds == pytest.approx(seconds) and summary.wh == pytest.approx(wh)
        assert (summary.km is None) == (not ride.has("wheel_speed_kmh"))
        assert summary.km is None or summary.km == pytest.approx(km)
        assert summary.step_ohm is None or summary.step_ohm == pytest.approx(-vi / ii)
        assert summary.hottest_motor_c == pytest.approx(ride.channels["motor_c"].max())
        assert summary.faults == tuple(
            sorted({int(code) for code in ride.get("fault") if code >= 1} if ride.has("fault") else ())
        )


def cases(rng, count, rise, spread=0.06):
    """Rides of a bike whose pack rises by so much a year."""
    for _ in range(count):
        day = rng.uniform(0, 300)
        ohm = 0.08 * (1 + rise * day / 365.25) * (1 + spread * rng.standard_normal())
        yield Case(
            "Heron",
            "hub",
            "the pack",
            "Weir 60",
            "Daily",
            BEGIN + timedelta(days=day),
            Summary(600, 9, 120, step_ohm=ohm),
        )


def test_trends_and_shares_hold_the_truth_as_often_as_they_say():
    rng, inside, hot = np.random.default_rng(8), 0, 0
    rounds = some(400, 130)
    for _ in range(rounds):
        rise = rng.uniform(-0.1, 0.6)
        (told,) = ageing(cases(rng, 30, rise))
        middle = 1 + rise * 150 / 365.25  # it is told as a share of what it is in the middle
        inside += told.low <= rise / middle <= told.high
        p, n = rng.uniform(0.05, 0.95), int(rng.integers(5, 60))
        one = share("x", int(rng.binomial(n, p)), n)
        hot += one.low <= p <= one.high
    assert inside >= 0.9 * rounds and hot >= 0.92 * rounds


def test_consumption_of_a_kind_is_that_of_its_bikes_not_of_one_that_rode_much():
    """Bikes differ, rides of one hardly: the interval holds what a bike of the kind takes as often as it says."""
    rng, inside, rounds = np.random.default_rng(2), 0, some(400, 130)
    for _ in range(rounds):
        group = []
        for bike in range(6):
            own = 18 + 2 * rng.standard_normal()
            for _ in range(int(rng.integers(1, 40))):
                taken = (own + 0.3 * rng.standard_normal()) * 9
                group.append(Case(f"bike {bike}", "hub", "p", "c", "t", BEGIN, Summary(600, 9, taken)))
        (told,) = consumption(group)
        inside += told.low <= 18 <= told.high
    assert inside >= 0.91 * rounds and told.cases == len(group) and told.beside == "6 bikes"


def test_too_few_say_so_and_no_case_is_no_line():
    rng = np.random.default_rng(1)
    (told,) = ageing(cases(rng, 5, 0.2))
    assert told.value is None and "fewer than 6 rides" in told.why
    same = [Case("a", "k", "p", "c", "t", BEGIN, Summary(1, step_ohm=0.1)) for _ in range(9)]
    assert "less than 30 days" in ageing(same)[0].why and running_hot(same) == []
    assert mean("x", [1.0, 2.0]).value is None


def alike(one, other):
    figures = ("value", "low", "high")
    same = replace(one, value=None, low=None, high=None) == replace(other, value=None, low=None, high=None)
    return same and all(getattr(one, name) == pytest.approx(getattr(other, name), abs=1e-9) for name in figures)


def test_a_workshop_s_questions_are_answered_from_its_garage(garage, tmp_path, monkeypatch, capsys):
    rng = np.random.default_rng(3)
    for at, (name, rise, fault) in enumerate([("Heron", 0.5, 7), ("Plover", 0.0, 7), ("Coot", 0.0, 0)]):
        number = garage.bikes.save(a_bike(name=name))
        told = Backup(
            taken="2026-01-01T10:00:00+02:00",
            vendor="Tarn",
            product="Weir 60",
            firmware="3",
            serial=str(at),
            registers=[],
        )
        garage.backups.keep(number, told, BEGIN - timedelta(days=1))
        for ride in range(12):
            day = 25 * ride
            made = a_ride(
                rng, ohm=0.08 * (1 + rise * day / 365.25), hottest_c=130 if name == "Plover" and ride % 2 else 60,
                fault=fault if ride == 3 else 0, wh_per_km=20 if ride % 2 else 14,
            )  # fmt: skip
            keep(garage, number, made, BEGIN + timedelta(days=day), load="40 kg of bread" if ride % 2 else "empty")
        garage.book.log(
            number, "promise", f"Mill lane: {3 - at} of 3 figures as promised", at=BEGIN + timedelta(days=2)
        )
    gone = garage.rides.of(1)[0].file
    gone.unlink()
    found = asked_of_all(garage)
    assert (found.bikes, found.rides, found.unread) == (3, 35, 1)
    oldest = found.answers["ageing"][0]
    assert oldest.of == "Heron, the pack" and oldest.value == pytest.approx(0.5 / 1.171, abs=0.03) and oldest.low > 0.2
    hot = found.answers["running_hot"][0]
    assert hot.of.startswith("Plover") and hot.value == 0.5 and hot.cases == 12
    (fault,) = found.answers["shared_faults"]
    assert fault.of == "Tarn Weir 60, fault 7" and fault.beside == "2 of 3 bikes: Heron, Plover" and fault.cases == 35
    most, least = found.answers["consumption"]
    assert (
        "heavy load" in most.of
        and most.low <= 20 <= most.high
        and "no load" in least.of
        and least.low <= 14 <= least.high
    )
    assert [(one.of, one.value) for one in found.answers["promises"]] == [
        ("Coot", 1 / 3),
        ("Plover", 2 / 3),
        ("Heron", 1.0),
    ]

    monkeypatch.setattr(
        of_fleet, "summaries", lambda files, _tick: iter([(file, None) for file in files])
    )  # nothing is read twice
    assert asked_of_all(garage) == found
    part = asked_of_all(garage, Asked(["Coot"], BEGIN + timedelta(days=200)))
    assert (part.bikes, part.rides) == (1, 4) and part.answers["promises"] == []
    (garage.folder / of_fleet.KEPT).write_bytes(b"PAR1 not at all")
    monkeypatch.undo()
    again = asked_of_all(garage)  # sums are made by several threads: equal but for their rounding
    assert again.rides == found.rides
    for name, lines in found.answers.items():
        assert all(alike(one, other) for one, other in zip(lines, again.answers[name], strict=True)), name
    (garage.folder / of_fleet.KEPT).unlink()
    assert asked_of_all(garage, tick=lambda _share: False) is None

    assert (
        cli.main(["fleet", "--garage", str(garage.folder), "--json", str(tmp_path / "f.json"), "--since", "2026-01-01"])
        == 0
    )
    told = json.loads((tmp_path / "f.json").read_text())
    assert told["format"] == "crisp-hornet/fleet" and told["ageing"][0]["cases"] == 11
    assert (
        "48.1" not in (tmp_path / "f.json").read_text()
        and "35 rides of 3 bikes, 1 more could not be read" in capsys.readouterr().out
    )
    assert cli.main(["fleet", "--garage", str(garage.folder), "--since", "soon"]) == 2
    assert cli.main(["fleet", "--garage", str(garage.folder), "--bike", "Nobody"]) == 2

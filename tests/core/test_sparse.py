"""Logs that write a row only now and then: a way that is honest, or a reason; never nothing with certainty."""

import numpy as np
import pytest

from crisp_hornet.core.evidence.energy_seen import energy_used
from crisp_hornet.core.evidence.estimate import refused
from crisp_hornet.core.evidence.peaks import energy
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.cleaning import cleaned, flaws
from crisp_hornet.core.ride.track import ground_speed_kmh
from crisp_hornet.rides.registry import read_ride
from tests.amount import of, some
from tests.link.virtual import BIKE

NO_WHEEL = refused("not measured", "m")


def ridden(seed, minutes=40):
    """A ride a tenth of a second apart: stretches at a pace, stops between, its true distance (km) and energy (Wh) by a fine sum."""
    rng = np.random.default_rng(seed)
    time = np.arange(0, 60 * minutes, 0.1)
    wanted, at = np.zeros(len(time)), 0
    while at < len(time):
        lasts = int(rng.uniform(200, 1800))
        wanted[at : at + lasts] = rng.choice([0.0, rng.uniform(8, 45)], p=[0.15, 0.85])
        at += lasts
    speed = np.zeros(len(time))
    for k in range(1, len(time)):  # no faster than 1.5 m/s² either way
        speed[k] = speed[k - 1] + np.clip(wanted[k] - speed[k - 1], -0.54, 0.54)
    amps = np.maximum(speed * 0.5 + np.gradient(speed, time) * 6, 0) + rng.normal(0, 0.3, len(time))
    volts = 60 - 0.1 * amps
    channels = {"gps_speed_kmh": speed + rng.normal(0, 0.2, len(time)), "pack_v": volts, "battery_a": amps}
    return Ride("fine", time, channels), float(np.sum(speed) * 0.1 / 3600), float(np.sum(volts * amps) * 0.1 / 3600)


def thinned(ride, rows):
    return Ride(
        "thin", ride.time_s[rows] - ride.time_s[rows][0], {name: values[rows] for name, values in ride.channels.items()}
    )


@pytest.mark.parametrize("every_s", of([4.0], [1.0, 10.0]))
def test_a_row_every_few_seconds_still_tells_the_way_and_the_energy(every_s):
    inside = [0, 0]
    rides = some(16, 8)
    for seed in range(rides):
        fine, km, wh = ridden(seed)
        used = energy_used(thinned(fine, np.arange(0, len(fine), round(every_s * 10))), BIKE, NO_WHEEL)
        inside[0] += used.distance_km.low <= km <= used.distance_km.high
        inside[1] += used.wh_net.low <= wh <= used.wh_net.high
        assert used.distance_km.half_width < 0.1 * km and used.distance_km.value > 0.9 * km
    assert min(inside) >= 0.87 * rides - 0.1, inside


def test_a_log_that_leaves_out_what_is_alike_tells_its_way():
    """Like a watch that writes a row when something changed: steps of one to eight seconds."""
    for seed in range(8):
        fine, km, _ = ridden(seed)
        rng = np.random.default_rng(seed)
        rows = np.cumsum(rng.choice([10, 20, 40, 80], size=len(fine) // 30))
        used = energy_used(thinned(fine, rows[rows < len(fine)]), BIKE, NO_WHEEL)
        assert abs(used.distance_km.value / km - 1) < 0.05


def test_rows_too_far_apart_are_refused_with_the_reason():
    fine, _, _ = ridden(1)
    used = energy_used(thinned(fine, np.arange(0, len(fine), 450)), BIKE, NO_WHEEL)
    assert not used.distance_km.known and "a row every 45 s" in used.distance_km.reason and not used.wh_net.known


def test_a_pause_is_no_way():
    fine, km, _ = ridden(2)
    thin = thinned(fine, np.arange(0, len(fine), 30))
    late = thin.time_s + np.where(np.arange(len(thin)) > 300, 3600.0, 0.0)
    paused = energy_used(Ride("paused", late, thin.channels), BIKE, NO_WHEEL)
    assert abs(paused.distance_km.value / km - 1) < 0.05
    wheel = {"wheel_speed_kmh": thin.get("gps_speed_kmh"), **thin.channels}
    assert abs(energy(Ride("paused", late, wheel)).distance_km / km - 1) < 0.05


def test_what_the_device_counted_lies_within():
    fine, km, _ = ridden(3)
    thin = thinned(fine, np.arange(0, len(fine), 10))
    told = energy_used(Ride("t", thin.time_s, thin.channels, told_km=km * 1.03), BIKE, NO_WHEEL).distance_km
    assert told.low <= km * 1.03 <= told.high and told.low <= km <= told.high


def test_a_lone_leap_of_a_position_is_flagged_and_makes_no_speed(tmp_path):
    count = 300
    lat, lon = 47 + np.arange(count) * 5e-5, np.full(count, 8.0)
    lat[150] += 4.5e-4  # fifty metres off for one row: 180 km/h there and back
    time = np.arange(count, dtype=float)
    assert np.nanmax(ground_speed_kmh(time, lat, lon)) < 25
    ride = Ride("leap", time, {"lat_deg": lat, "lon_deg": lon})
    found = [one for one in flaws(ride) if one.id.startswith("leap")]
    assert {one.channel for one in found} == {"lat_deg", "lon_deg"} and "one position leaps" in found[0].text
    assert abs(cleaned(ride).get("lat_deg")[150] - (47 + 150 * 5e-5)) < 1e-6
    log = tmp_path / "log.csv"
    log.write_text(
        "time_s,lat,lon\n" + "\n".join(f"{t:.0f},{a:.6f},{b}" for t, a, b in zip(time, lat, lon, strict=True))
    )
    assert np.nanmax(read_ride(log).ride.get("gps_speed_kmh")) < 25


def test_a_ride_keeps_its_date(tmp_path):
    from crisp_hornet.rides.registry import write_ride

    log = tmp_path / "log.csv"
    rows = "\n".join(f"12-Oct-2025 10:00:{k:02d};47.{k:04d};8.1;20" for k in range(50))
    log.write_text("date;lat;lon;speed (km/h)\n" + rows)
    ride = read_ride(log).ride
    for name in ("a.gpx", "a.parquet"):
        write_ride(ride, tmp_path / name)
        assert abs(read_ride(tmp_path / name).ride.started_s - 1760263200) < 0.01
    assert "2025-10-12T10:00" in (tmp_path / "a.gpx").read_text()

"""The command ``verdict``: its JSON as documented, its lines, and wrong input."""

import json
from pathlib import Path

import numpy as np
import pytest

from crisp_hornet import cli
from crisp_hornet.core.pack.cells import charge_at
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.demo import FACTORY, HERON, ROUND
from crisp_hornet.documents.battery import Pack, Packs
from crisp_hornet.documents.store import read_bike, write
from crisp_hornet.rides.registry import read_ride, write_ride
from tests.said import holds

SAID = Path(__file__).parent / "said_by_verdict.json"


def verdict(ride, *more):
    return cli.main(["verdict", "--bike", str(HERON), "--tune", str(FACTORY), "--ride", str(ride), *map(str, more)])


def test_the_demo_ride_is_judged_and_what_the_simulated_bike_hides_is_found(tmp_path, capsys):
    assert verdict(ROUND, "--json", tmp_path / "v.json") == 0
    told = json.loads((tmp_path / "v.json").read_text())
    assert {"peaks", "pack", "wheel", "road", "energy", "distance_km", "heat", "assist", "pull", "findings"} <= set(
        told
    )
    # the truth of the stand-in: 2.9 % more wheel, 28 % more resistance than the 88 mΩ of the document in 10 s
    wheel, pack = told["wheel"]["circumference_m"], told["pack"]["resistance_ohm"]
    assert wheel["low"] <= 1.6361 <= wheel["high"] and wheel["high"] - wheel["low"] < 0.02
    ten_s = 1.28 * 0.088
    assert pack["low"] <= ten_s <= pack["high"] and pack["high"] - pack["low"] < 0.01 and pack["of_sensors"] > 0.8
    # its magnets are 1.5 % weaker than told, its winding resists 3 % more
    motor = told["motor"]
    assert motor["flux_linkage_wb"]["low"] <= 0.0265 * 0.985 <= motor["flux_linkage_wb"]["high"]
    assert motor["phase_resistance_ohm"]["low"] <= 0.058 * 1.03 <= motor["phase_resistance_ohm"]["high"]
    assert motor["weakening"] is None
    # a tenth more rolling, an eighth more air: from the whole ride, which holds no roll-outs both ways
    crr, cda = told["road"]["crr"], told["road"]["cda_m2"]
    assert crr["low"] <= 1.10 * 0.0105 <= crr["high"] and cda["low"] <= 1.12 * 0.78 <= cda["high"]
    assert told["energy"]["wh_per_km"]["value"] == pytest.approx(
        told["energy"]["wh_net"]["value"] / told["distance_km"]["value"], rel=1e-4
    )
    assert told["peaks"]["battery_a"]["reached"] is True and set(told["peaks"]["battery_a"]["sustained"]) == {
        "1",
        "10",
        "60",
    }
    wrong = next(one for one in told["findings"] if one["id"] == "wheel-off")
    assert wrong["suggest"]["path"] == "drivetrain.wheel_circumference_m" and wrong["suggest"]["of"] == "bike"
    assert all(set(one) == {"id", "severity", "text", "from_s", "to_s", "suggest"} for one in told["findings"])
    step = next(one for one in told["findings"] if one["id"] == "battery_a-reached")["suggest"]
    assert step["value"] == 33 and {"12 % hill", "0 to 25 km/h"} <= {one["what"] for one in step["predicted"]}
    lines = capsys.readouterr().out
    holds(SAID, "demo ride", lines.splitlines())
    assert "wheel: 1.63" in lines and "crr: 0.0" in lines and "wheel-off" in lines


def test_a_stopwatch_goes_through_the_same_chain(tmp_path, capsys):
    assert verdict(ROUND, "--timed", "0 to 25 km/h in 7.5 s; 100 m in 9 s and 10 s", "--json", tmp_path / "v.json") == 0
    launch, stretch = json.loads((tmp_path / "v.json").read_text())["timed"]
    assert launch["unit"] == "s" and launch["seen"]["value"] == 7.5 and 5 < launch["predicted"] < 6
    assert stretch["seen"]["value"] == pytest.approx(38.0) and stretch["seen"]["low"] < 38 < stretch["seen"]["high"]
    assert "timed-slower" in capsys.readouterr().out


def test_a_ride_against_another_one(tmp_path, capsys):
    ride = read_ride(ROUND).ride
    saving = Ride("saving", ride.time_s, ride.channels | {"battery_a": 0.8 * ride.get("battery_a")})
    write_ride(saving, tmp_path / "saving.csv")
    assert verdict(ROUND, "--against", tmp_path / "saving.csv", "--json", tmp_path / "v.json") == 0
    told = json.loads((tmp_path / "v.json").read_text())["against"]
    assert told["consumption_same_road"]["low"] <= 0.25 <= told["consumption_same_road"]["high"]
    assert told["differences"][0]["shown"] and told["differences"][0]["what"].startswith("consumption")
    assert "% more per km than the other" in capsys.readouterr().out
    assert verdict(ROUND, "--against", tmp_path / "none.csv") == 2 and "none.csv" in capsys.readouterr().err


def test_a_ride_is_judged_on_the_pack_it_was_ridden_on(tmp_path, capsys):
    bike = read_bike(HERON)
    each = [
        Pack(name="Old", battery=bike.battery),
        Pack(name="New", battery=bike.battery.model_copy(update={"resistance_ohm": 0.112})),
    ]
    write(tmp_path / "two.json", bike.with_packs(Packs(each=each)))
    command = ["verdict", "--bike", str(tmp_path / "two.json"), "--tune", str(FACTORY), "--ride", str(ROUND)]
    assert cli.main(command) == 0 and "Pack resistance is" in capsys.readouterr().out
    assert cli.main([*command, "--pack", "New"]) == 0 and "Pack resistance is" not in capsys.readouterr().out
    assert cli.main([*command, "--pack", "Red"]) == 2 and "no pack 'Red'; packs: Old, New" in capsys.readouterr().err


def test_a_ride_without_anything_useful_is_judged_without_a_crash(tmp_path, capsys):
    write_ride(Ride("bare", np.arange(40.0), {"cadence_rpm": np.full(40, 60.0)}), tmp_path / "bare.csv")
    assert verdict(tmp_path / "bare.csv", "--json", tmp_path / "v.json") == 0
    told = json.loads((tmp_path / "v.json").read_text())
    assert told["pack"]["resistance_ohm"]["value"] is None and told["distance_km"]["reason"]


def test_a_phones_track_and_two_voltages_are_judged_by_the_same_chain(tmp_path, capsys):
    """No log of the controller at all: way from the positions, energy from the rested pack, and honestly wide."""
    time = np.arange(0, 1500, 1.0)
    metres = time * 6.4
    track = {
        "lat_deg": 47 + metres * np.cos(metres / 3000) / 111_195,
        "lon_deg": 11 + metres * np.sin(metres / 3000) / 76_000,
    }
    write_ride(Ride("track", time, {**track, "gps_speed_kmh": np.full(1500, 23.04)}), tmp_path / "track.csv")
    assert verdict(tmp_path / "track.csv", "--rested", "64.2", "61.4", "--json", tmp_path / "v.json") == 0
    told = json.loads((tmp_path / "v.json").read_text())
    energy, distance = told["energy"]["wh_net"], told["distance_km"]
    assert distance["low"] < 9.6 < distance["high"]
    bike = read_bike(HERON)
    charges = [charge_at(bike.battery, volts).value for volts in (64.2, 61.4)]
    plain = (charges[0] - charges[1]) * bike.battery.capacity_ah * 62.8
    assert told["energy"]["ah_net"]["low"] < plain / 62.8 < told["energy"]["ah_net"]["high"]
    assert energy["low"] < plain < energy["high"] and energy["high"] - energy["low"] > 0.1 * plain
    assert told["energy"]["wh_per_km"]["value"] == pytest.approx(energy["value"] / distance["value"], rel=1e-3)
    assert verdict(tmp_path / "track.csv", "--rested", "61.4", "64.2", "--json", tmp_path / "v.json") == 0
    assert "no lower after" in json.loads((tmp_path / "v.json").read_text())["energy"]["wh_net"]["reason"]


def test_wrong_input_is_one_line_and_writes_nothing(tmp_path, capsys):
    assert verdict(tmp_path / "none.csv", "--json", tmp_path / "v.json") == 2
    assert "there is no such file" in capsys.readouterr().err and not (tmp_path / "v.json").exists()
    assert verdict(ROUND, "--json", tmp_path / "no" / "v.json") == 2
    assert cli.main(["verdict", "--bike", str(FACTORY), "--tune", str(FACTORY), "--ride", str(ROUND)]) == 2


@pytest.mark.parametrize("seed", range(40))
def test_whatever_a_log_holds_a_verdict_comes_of_it(seed):
    """Random lengths, channels, holes, constants and nonsense: no crash, and no interval without its value inside."""
    from crisp_hornet.core.evidence.judging import judge
    from crisp_hornet.core.ride.channels import CHANNELS
    from crisp_hornet.documents.store import read_bike, read_tune

    rng = np.random.default_rng(seed)
    rows = int(rng.choice([2, 3, 30, 400, 4000]))
    time = np.cumsum(rng.choice([0.05, 0.2, 1.0]) * rng.uniform(0.5, 1.5, rows))
    channels = {}
    for name in rng.choice(CHANNELS, rng.integers(1, len(CHANNELS)), replace=False):
        kind = rng.integers(4)
        values = [rng.normal(20, 15, rows), np.full(rows, 7.0), np.cumsum(rng.normal(0, 1, rows)), np.zeros(rows)][kind]
        values[rng.random(rows) < rng.choice([0, 0.2, 0.95])] = np.nan
        channels[str(name)] = values
    ride = Ride(
        "random", time - time[0], {name: values for name, values in channels.items() if np.isfinite(values).any()}
    )
    made, found = judge(ride, read_bike(HERON), read_tune(FACTORY), None)
    for one in (made.resistance_ohm, made.circumference_m, made.road.crr, made.energy.wh_net, made.energy.wh_per_km):
        assert not one.known or one.low <= one.value <= one.high
    assert all(one.text for one in found)

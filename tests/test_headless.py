"""The headless commands against the stand-in process: what they print, write, refuse and return."""

import json
import os
import signal
import subprocess
import sys

import pytest

from crisp_hornet import cli
from crisp_hornet.commands import guarded
from crisp_hornet.demo import FACTORY, HERON
from crisp_hornet.documents.backup import read_backup
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.store import read_tune, write
from crisp_hornet.link.errors import LineDead
from tests.amount import of
from tests.standins import StandInProcess

DAILY = {"drive.phase_current_a": 100.0, "drive.battery_current_a": 34.0}


@pytest.fixture
def folder(tmp_path, monkeypatch):
    monkeypatch.setattr(guarded, "default_folder", lambda: tmp_path / "data")
    return tmp_path / "data"


@pytest.fixture
def tune_file(tmp_path):
    def make(**changes):
        tune = read_tune(FACTORY)
        for path, value in changes.items():
            tune = tune.with_setting(path.replace("__", "."), value)
        write(tmp_path / "tune.json", tune)
        return tmp_path / "tune.json"

    return make


ALL = len(shipped_map("Weir 60").register_list)


def run(*arguments):
    return cli.main([str(one) for one in arguments])


def send(standin, tune, *more):
    return run("send", "--port", standin.port, "--bike", HERON, "--tune", tune, *more)


def test_check_lists_the_watch_list_and_says_by_its_code_whether_it_stops(tune_file, capsys):
    assert run("check", "--bike", HERON, "--tune", FACTORY) == 0
    capsys.readouterr()
    assert run("check", "--bike", HERON, "--tune", tune_file(drive__battery_current_a=55.0), "--json") == 1
    told = json.loads(capsys.readouterr().out)
    assert told[0]["strength"] == "stop" and set(told[0]) == {"id", "strength", "text", "mend"}
    assert run("check", "--bike", HERON, "--tune", HERON) == 2


def test_backup_holds_every_register_of_the_controller(standin, folder, tmp_path, capsys):
    assert run("backup", "--port", standin.port, "--out", tmp_path / "b.json") == 0
    backup = read_backup(tmp_path / "b.json")
    assert {one.name for one in backup.registers} == {one.name for one in shipped_map("Weir 60").register_list}
    assert run("backup", "--port", tmp_path / "none", "--out", tmp_path / "c.json") == 2
    assert run("backup", "--port", standin.port, "--out", tmp_path / "no" / "c.json") == 2
    assert not (tmp_path / "c.json").exists()


def test_send_proves_and_a_second_send_finds_nothing_to_do(standin, folder, tune_file, capsys):
    tune = tune_file(drive__phase_current_a=100.0, drive__battery_current_a=34.0)
    assert send(standin, tune) == 0
    said = capsys.readouterr()
    assert f"proved: {ALL} of {ALL}" in said.out and "phase current 90 A to 100 A" in said.out
    assert "Caution" in said.err and "backup saved" in said.err
    assert standin.shows("drive.phase_current_a") == ("100.0", "100.0")
    assert len(list((folder / "backups").iterdir())) == 1 and not list((folder / "sending").iterdir())
    assert send(standin, tune) == 0 and "already holds" in capsys.readouterr().out


def test_a_trial_runs_until_power_off_and_an_unsafe_one_is_refused(standin, folder, tune_file, capsys):
    assert send(standin, tune_file(drive__phase_current_a=100.0), "--trial") == 0
    assert standin.shows("drive.phase_current_a") == ("100.0", "90.0")
    assert send(standin, tune_file(drive__phase_current_a=60.0), "--trial") == 1
    assert "not on trial" in capsys.readouterr().err


def test_a_stop_is_never_overridden_and_a_warning_is_confirmed_by_its_id(standin, folder, tune_file, capsys):
    assert send(standin, tune_file(drive__battery_current_a=55.0), "--confirm", "battery-over-bms") == 1
    assert "Nothing overrides a stop" in capsys.readouterr().err
    hot = tune_file(heat_guard__motor_fade_end_c=170.0)
    assert send(standin, hot) == 1
    said = capsys.readouterr().err
    assert "--confirm heat-fade-late" in said and "Nothing was written" in said
    assert send(standin, hot, "--confirm", "heat-fade-late") == 0


def test_the_wrong_bike_is_refused(standin, folder, tmp_path, tune_file, capsys):
    other = json.loads(HERON.read_text())
    other["controller"]["serial"] = "TW60-00001"
    (tmp_path / "other.json").write_text(json.dumps(other))
    code = run(
        "send", "--port", standin.port, "--bike", tmp_path / "other.json", "--tune", tune_file(drive__motor_rpm=610.0)
    )
    assert code == 1 and "Wrong bike" in capsys.readouterr().err
    assert standin.shows("drive.motor_rpm") == ("600.0", "600.0")


def test_a_cut_line_is_not_proved_and_told_at_the_next_send(standin, folder, tune_file, capsys):
    tune = tune_file(drive__phase_current_a=100.0, drive__battery_current_a=34.0)
    standin.do("cut-after-writes 0")
    assert send(standin, tune) == 3
    assert "is not known" in capsys.readouterr().out and list((folder / "sending").iterdir())
    standin.do("plug")
    assert send(standin, tune) == 1  # it is not begun over a half-written one without being asked
    assert "was interrupted" in capsys.readouterr().err and list((folder / "sending").iterdir())
    assert send(standin, tune, "--confirm", "interrupted") == 0
    assert not list((folder / "sending").iterdir()) and standin.shows("drive.phase_current_a") == ("100.0", "100.0")


@pytest.mark.long
def test_what_runs_on_trial_is_kept_by_the_next_send(standin, folder, tune_file, capsys):
    tune = tune_file(drive__phase_current_a=100.0)
    assert send(standin, tune, "--trial") == 0 and standin.shows("drive.phase_current_a") == ("100.0", "90.0")
    assert send(standin, tune, "--trial") == 0 and "until power-off" in capsys.readouterr().out
    assert send(standin, tune) == 0 and standin.shows("drive.phase_current_a") == ("100.0", "100.0")
    assert "but not permanently" in capsys.readouterr().out


def test_a_keep_that_was_not_seen_is_not_called_proved(standin, folder, tune_file, capsys):
    standin.do("unkept-says 0")
    assert send(standin, tune_file(drive__phase_current_a=100.0)) == 3
    assert "prove it by a power cycle" in capsys.readouterr().out


def test_a_backup_is_put_back_from_the_command_line(standin, folder, tune_file, tmp_path, capsys):
    assert run("backup", "--port", standin.port, "--out", tmp_path / "b.json") == 0
    assert send(standin, tune_file(drive__phase_current_a=100.0, drive__speed_taper_kmh=4.0)) == 0
    standin.do("set calibration.throttle_rest_v 0.9")
    assert run("restore", "--port", standin.port, "--backup", tmp_path / "b.json", "--bike", HERON) == 0
    said = capsys.readouterr()
    assert "left as it is" in said.err and "read back as sent" in said.out
    assert standin.shows("drive.phase_current_a") == ("90.0", "90.0")
    assert standin.shows("calibration.throttle_rest_v")[0] == "0.9"
    assert run("restore", "--port", standin.port, "--backup", tmp_path / "b.json", "--calibration") == 0
    assert standin.shows("calibration.throttle_rest_v") == ("0.85", "0.85")
    other = json.loads((tmp_path / "b.json").read_text()) | {"product": "Sluice 40"}
    (tmp_path / "c.json").write_text(json.dumps(other))
    assert run("restore", "--port", standin.port, "--backup", tmp_path / "c.json") == 1


def test_a_bike_with_a_number_and_a_controller_without_one_must_be_shown(standin, folder, tune_file, tmp_path, capsys):
    standin.do("serial ")
    numbered = json.loads(HERON.read_text())
    numbered["controller"]["serial"] = "TW60-00417"
    (tmp_path / "n.json").write_text(json.dumps(numbered))
    ask = ("send", "--port", standin.port, "--bike", tmp_path / "n.json", "--tune", tune_file(drive__motor_rpm=610.0))
    assert run(*ask) == 1 and "--confirm not-shown" in capsys.readouterr().err
    assert run(*ask, "--confirm", "not-shown") == 0


def test_a_motor_left_disabled_is_said_and_enabled_where_asked(standin, folder, tmp_path, capsys):
    standin.do("inhibit 1")
    assert run("backup", "--port", standin.port, "--out", tmp_path / "b.json") == 0
    assert "motor is disabled" in capsys.readouterr().err
    assert run("faults", "--port", standin.port) == 1 and "motor is disabled" in capsys.readouterr().err
    assert run("faults", "--port", standin.port, "--release") == 0 and "enabled" in capsys.readouterr().err
    assert run("faults", "--port", standin.port) == 0 and "disabled" not in capsys.readouterr().err


@pytest.fixture
def slow(tmp_path):
    process = StandInProcess(tmp_path, "--baud", "9600")
    yield process
    process.close()


FOUR = {"drive__phase_current_a": 80.0, "drive__battery_current_a": 25.0, "drive__motor_rpm": 550.0, "calibrated": None}


@pytest.mark.parametrize("how", of(["disk full"], ["SIGTERM", "reader quits", "SIGINT", "SIGHUP"]))
def test_whatever_interrupts_a_send_it_is_ended_and_said(slow, tune_file, tmp_path, how):
    """A process of its own on a slow line, hit while it writes: taken back or ended, never half, and the motor free."""
    tune = tune_file(**{path: value for path, value in FOUR.items() if value}, throttle__dead_band=0.06)
    data = tmp_path / "share" / "crisp-hornet"
    command = [
        sys.executable,
        "-m",
        "crisp_hornet",
        "send",
        "--port",
        slow.port,
        "--bike",
        str(HERON),
        "--tune",
        str(tune),
    ]
    surroundings = os.environ | {"XDG_DATA_HOME": str(tmp_path / "share"), "PYTHONUNBUFFERED": "1"}
    said = subprocess.PIPE
    process = subprocess.Popen(command, stdout=said, stderr=said, text=True, env=surroundings)
    while "writing" not in (line := process.stderr.readline()):
        assert line, process.stdout.read()
    if how == "reader quits":
        process.stdout.close()
        process.stderr.close()
        code = process.wait(timeout=60)
        assert code == 0 and slow.shows("drive.phase_current_a") == ("80.0", "80.0")  # nobody told it to stop
        return
    if how == "disk full":  # as near as an ordinary user comes to it: the marker's folder takes no more
        (data / "sending").rename(data / "gone")
        (data / "sending").write_text("")
    else:
        process.send_signal(getattr(signal, how))
    out, _ = process.communicate(timeout=60)
    assert process.returncode == (3 if how == "disk full" else 1), out
    assert "holds what it held before" in out
    for name, value in (
        ("drive.phase_current_a", "90.0"),
        ("drive.motor_rpm", "600.0"),
        ("throttle.dead_band", "0.05"),
    ):
        assert slow.shows(name) == (value, value)
    assert slow.do("inhibited") == "is 0"
    assert how == "disk full" or not list((data / "sending").iterdir())


COMMANDS = [
    "pull",
    "check",
    "verdict",
    "backup",
    "send",
    "restore",
    "faults",
    "check-map",
    "standin",
    "rescue",
    "shots",
]


@pytest.mark.parametrize("command", ["", *COMMANDS])
def test_every_help_is_said(command, capsys):
    with pytest.raises(SystemExit) as ended:
        run(*([command] if command else []), "--help")
    assert ended.value.code == 0 and "usage" in capsys.readouterr().out


@pytest.mark.long
def test_squeezing_is_waited_for(standin, folder, tune_file, capsys):
    tune = tune_file(drive__motor_rpm=610.0)
    assert send(standin, tune, "--squeeze", "0.3") == 1
    assert "has not shown itself" in capsys.readouterr().err
    standin.do("turn-back 1")  # and kept turning: shown, but nothing is written to a turning wheel
    assert send(standin, tune, "--squeeze", "20") == 1
    said = capsys.readouterr()
    assert "turned back by hand" in said.err and "wheel is turning" in said.out


def test_faults_are_explained_and_cleared(standin, folder, capsys):
    assert run("faults", "--port", standin.port) == 0
    standin.do("fault 12")
    assert run("faults", "--port", standin.port) == 1
    assert "throttle signal out of range" in capsys.readouterr().out
    assert run("faults", "--port", standin.port, "--clear") == 0


def test_what_was_sent_before_the_line_went_is_not_called_nothing(standin, folder, capsys, monkeypatch):
    def gone(contact):
        raise LineDead("Reading", "no answer", "Check plug and power.")

    monkeypatch.setattr("crisp_hornet.commands.faults.standing_fault", gone)
    standin.do("fault 12")
    assert run("faults", "--port", standin.port, "--clear") == 3
    told = capsys.readouterr().err
    assert "was sent before that" in told and "Nothing was written" not in told
    assert run("faults", "--port", standin.port) == 3 and "Nothing was written" in capsys.readouterr().err


def test_a_description_is_checked_by_line_and_key(tmp_path, capsys):
    path = tmp_path / "own.toml"
    path.write_text('format = "crisp-hornet/controller-map"\nversion = 1\nname = "X"\n[identity]\nvendor = 3\n')
    assert run("check-map", path) == 2
    assert "line 5, identity.vendor: must be a valid string" in capsys.readouterr().err


def test_nobody_at_the_other_end(folder, tmp_path, capsys):
    assert run("faults", "--port", "tcp://127.0.0.1:1") == 2
    assert "nothing listens there" in capsys.readouterr().err

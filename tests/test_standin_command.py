"""The stand-in as a command: its ways in, its options, and what it says to wrong ones."""

import socket
import subprocess
import sys

import pytest

from crisp_hornet import cli
from crisp_hornet.documents.maps import shipped_maps
from crisp_hornet.link.contact import make_contact
from crisp_hornet.link.finding import open_line
from tests.standins import StandInProcess

MAPS = shipped_maps()


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (
            ("--controller", "Weir 61"),
            "no controller 'Weir 61'; there are: Culvert 50, Penstock 120, Sluice 40, Weir 60, Weir 90",
        ),
        (("--tcp", "70000"), "--tcp: 70000 is no port"),
        (("--bridge", "-3"), "--bridge: -3 is no port"),
        (("--map", "nothing.toml"), "nothing.toml: there is no such file"),
        (("--fault", "juggle 3"), "--fault juggle 3: unknown: juggle"),
        (("--link", "/nowhere/at/all/bike"), "--link needs a free name in an existing folder"),
        (("--bike", "nothing.json"), "nothing.json: there is no such file"),
        (("--tcp", "many"), "invalid int value"),
    ],
)
def test_a_wrong_option_ends_in_one_line(capsys, options, words):
    assert cli.main(["standin", *options]) == 2
    said = capsys.readouterr().err
    assert words in said and said.count("\n") == 1


def test_a_port_that_is_taken_is_said(capsys):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        assert cli.main(["standin", "--tcp", str(taken.getsockname()[1])]) == 2
    assert "address already in use" in capsys.readouterr().err


def test_every_way_in_leads_to_the_same_bike(tmp_path):
    standin = StandInProcess(tmp_path, "--tcp", "0", "--bridge", "0", "--fault", "fault 12", "--fault", "dip 3")
    try:
        assert [one.partition("://")[0] for one in standin.ports[1:]] == ["tcp", "rtu+tcp"]
        standin.do("set drive.motor_rpm 555")
        for port in standin.ports:
            line = open_line(port, MAPS)
            contact, backup = make_contact(line, lambda text: None)
            assert contact.tune("now").drive.motor_rpm == 555 and backup.serial == "TW60-00417"
            line.close()
    finally:
        standin.close()


def test_two_may_ask_at_once_over_the_network(tmp_path):
    standin = StandInProcess(tmp_path, "--tcp", "0")
    try:
        lines = [open_line(standin.ports[1], MAPS) for _ in range(2)]
        contacts = [make_contact(line, lambda text: None)[0] for line in lines]
        for _ in range(20):
            reads = [one.line.wire.read_settings(0x0100, 2) for one in contacts]
            assert reads[0] == reads[1]
        for line in lines:
            line.close()
    finally:
        standin.close()


def test_a_described_controller_can_be_played(tmp_path):
    text = tuple(MAPS)
    assert [one.name for one in text] == ["Culvert 50", "Penstock 120", "Sluice 40", "Weir 60", "Weir 90"]
    source = (
        __import__("importlib.resources", fromlist=["files"]).files("crisp_hornet.documents")
        / "controllers/sluice-40.toml"
    )
    own = tmp_path / "own.toml"
    own.write_text(
        source.read_text()
        .replace('product = "Sluice 40"', 'product = "Own 7"')
        .replace('name = "Sluice 40"', 'name = "Own 7"')
    )
    done = subprocess.run(
        [sys.executable, "-m", "crisp_hornet", "check-map", str(own)], capture_output=True, text=True, check=True
    )
    assert done.stdout.startswith("Own 7: 14 registers, 5 settings it lacks")
    standin = StandInProcess(tmp_path, "--map", str(own))
    try:
        from crisp_hornet.documents.map_file import read_map

        line = open_line(standin.port, [read_map(own)])
        assert make_contact(line, lambda text: None)[0].identity.product == "Own 7"
        line.close()
    finally:
        standin.close()

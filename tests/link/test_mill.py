"""A controller from the description alone, behind a Modbus library that nothing else here uses: backed up, sent to, restored."""

import json

import pytest

from crisp_hornet import cli
from crisp_hornet.commands import guarded
from crisp_hornet.demo import HERON
from crisp_hornet.documents.backup import read_backup
from crisp_hornet.documents.map_file import read_map
from crisp_hornet.documents.store import write
from crisp_hornet.link.session import open_session
from tests.link.mill import Mill, description


@pytest.fixture
def mill():
    made = Mill()
    yield made
    made.close()


def run(*arguments):
    return cli.main([str(one) for one in arguments])


def test_it_is_backed_up_sent_to_and_restored(mill, tmp_path, monkeypatch, capsys):
    own = tmp_path / "data" / "controllers"
    own.mkdir(parents=True)
    (own / "mill.toml").write_text(description())
    monkeypatch.setattr(guarded, "default_folder", lambda: tmp_path / "data")
    assert run("check-map", own / "mill.toml") == 0
    assert run("backup", "--port", mill.port, "--out", tmp_path / "b.json") == 0
    backup = read_backup(tmp_path / "b.json")
    assert backup.serial == "M-0042" and backup.values(True) == pytest.approx(mill.holds())
    session = open_session(mill.port, [read_map(own / "mill.toml")], None, None, False, lambda _text: None)
    tune = (
        session.contact.tune("as held")
        .with_setting("drive.phase_current_a", 80.0)
        .with_setting("drive.motor_rpm", 550.0)
    )
    session.close()
    write(tmp_path / "t.json", tune)
    bike = json.loads(HERON.read_text())
    bike["controller"]["serial"] = "M-0042"
    (tmp_path / "bike.json").write_text(json.dumps(bike))
    capsys.readouterr()
    assert run("send", "--port", mill.port, "--bike", tmp_path / "bike.json", "--tune", tmp_path / "t.json") == 0, (
        capsys.readouterr()
    )
    assert ", permanent" in capsys.readouterr().out
    mill.memory.power_cycle()
    assert mill.holds()["drive.phase_current_a"] == 80 and mill.holds()["drive.motor_rpm"] == 550
    assert run("restore", "--port", mill.port, "--backup", tmp_path / "b.json") == 0
    mill.memory.power_cycle()
    assert backup.values(True) == pytest.approx(mill.holds())

"""On a stranger's machine: what Qt lacks is named before Qt is loaded, the desktop's entry comes and goes, the doctor tells."""

import os
import subprocess
import sys
from xml.etree import ElementTree

import pytest

from crisp_hornet import cli
from crisp_hornet.system import health
from crisp_hornet.system.entry import FILES
from crisp_hornet.system.libraries import ALWAYS, FOR_A_WINDOW, missing, why_not


def lacking(*names):
    def load(name):
        if name in names:
            raise OSError(f"{name}: cannot open shared object file")

    return load


def test_each_missing_library_is_named_with_its_package():
    every = ALWAYS | FOR_A_WINDOW
    for name, package in every.items():
        told = why_not({"DISPLAY": ":0"}, lacking(name))
        assert name in told and f"sudo apt install {package}" in told
    assert [one.library for one in missing(True, lacking(*every))] == list(every)
    assert why_not({"WAYLAND_DISPLAY": "wayland-0"}, lacking("libxcb-cursor.so.0")) == ""  # not needed there
    assert why_not({"QT_QPA_PLATFORM": "offscreen"}, lacking(*FOR_A_WINDOW)) == ""
    assert "no display" in why_not({}, lacking())
    assert why_not(os.environ) == ""  # here, where the tests' windows open


def test_without_a_display_the_window_says_so_in_one_line():
    environment = {
        key: value for key, value in os.environ.items() if key not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    }
    done = subprocess.run(
        [sys.executable, "-m", "crisp_hornet"], env=environment, capture_output=True, text=True, timeout=60, check=False
    )
    assert done.returncode == 1 and "There is no display" in done.stderr and done.stderr.count("\n") == 1


def test_the_desktop_s_entry_comes_and_goes(tmp_path, capsys):
    assert cli.main(["install-desktop", "--prefix", str(tmp_path)]) == 0
    assert capsys.readouterr().out.count("written: ") == len(FILES)
    entry = (tmp_path / FILES["crisp-hornet.desktop"]).read_text()
    assert 'Exec="' in entry and " open %f" in entry and "@" not in entry
    for name in ("crisp-hornet.svg", "crisp-hornet.xml", "crisp-hornet.metainfo.xml"):
        ElementTree.fromstring((tmp_path / FILES[name]).read_bytes())
    assert cli.main(["install-desktop", "--prefix", str(tmp_path), "--undo"]) == 0
    assert not [path for path in tmp_path.rglob("crisp-hornet*") if path.is_file()]
    assert cli.main(["install-desktop", "--prefix", str(tmp_path), "--undo"]) == 0
    assert "nothing to remove" in capsys.readouterr().out


@pytest.mark.parametrize(("broken", "code"), [(False, 0), (True, 1)])
def test_the_doctor_tells_what_is_wrong_and_changes_nothing(tmp_path, monkeypatch, capsys, broken, code):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    folder = tmp_path / "crisp-hornet"
    folder.mkdir()
    if broken:
        (folder / "garage.sqlite").write_bytes(b"SQLite format 3\0" + b"\xff" * 3000)
    before = sorted(path.stat().st_mtime_ns for path in folder.rglob("*"))
    assert cli.main(["doctor"]) == code
    told = capsys.readouterr().out
    assert ("LACKS  garage" in told and "crisp-hornet rescue" in told) == broken
    assert "window: it can open" in told and "Python: 3." in told
    assert sorted(path.stat().st_mtime_ns for path in folder.rglob("*")) == before


def test_a_port_that_may_not_be_used_is_told_with_the_cure(tmp_path, monkeypatch):
    from crisp_hornet.link import ports

    monkeypatch.setattr(ports, "serial_ports", lambda: [ports.Port("/dev/none7", "a lead")])
    (found,) = [one for one in health.look(tmp_path) if one.what == "/dev/none7"]
    assert not found.fine and "dialout" in found.told

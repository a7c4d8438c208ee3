"""The worked example of a kind of line in a package of its own: installed as anybody would, then used by the ordinary commands."""

import os
import shutil
import socketserver
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.map_file import read_map
from crisp_hornet.link import lines
from crisp_hornet.standin.controller import Refusal, SimulatedController
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.truth import true_bike
from tests.link.inprocess import BIKE

EXAMPLE = Path(__file__).parents[2] / "docs" / "examples" / "text_line"
DESCRIBED = read_map(EXAMPLE / "lock-keeper-10.toml")


class Keeper(socketserver.StreamRequestHandler):
    """The invented controller: lines of text in front of the simulated one."""

    def handle(self):
        for line in self.rfile:
            self.wfile.write(f"{self.answer(line.decode().split())}\n".encode())

    def answer(self, words):
        it, places = self.server.it, {one.place: one for one in DESCRIBED.register_list}
        try:
            match words:
                case ["who"]:
                    return f"{DESCRIBED.identity.product};1.2;LK-0007"
                case ["get", place] if place in places:
                    return str(it.raw(places[place].name))
                case ["set", place, raw] if place in places:
                    it.write(places[place], int(raw))
                    return "ok"
                case ["do", "keep"]:
                    it.act(Act.KEEP)
                    return "ok"
                case ["live"]:
                    return " ".join(f"{channel.place}={raw}" for channel, raw in it.live_raws())
        except Refusal as refusal:
            return f"no code {refusal.code}"
        return "no such thing"


@pytest.fixture(scope="module")
def installed(tmp_path_factory):
    """The example package, installed into a folder of its own."""
    folder = tmp_path_factory.mktemp("plugin")
    source = shutil.copytree(EXAMPLE, folder / "source")
    command = [sys.executable, "-m", "pip", "install", "--quiet", "--no-index", "--no-deps", "--no-build-isolation"]
    subprocess.run([*command, "--disable-pip-version-check", "--target", str(folder / "site"), str(source)], check=True)
    return folder / "site"


@pytest.fixture
def keeper():
    bike = SimulatedBike(true_bike(BIKE))
    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), Keeper) as server:
        server.daemon_threads = True
        server.it = SimulatedController(DESCRIBED, bike, Hands())
        threading.Thread(target=server.serve_forever, daemon=True).start()
        server.port = f"text://127.0.0.1:{server.server_address[1]}"
        yield server
        server.shutdown()


@pytest.fixture
def run(installed, tmp_path):
    own = tmp_path / "data" / "crisp-hornet" / "controllers"
    own.mkdir(parents=True)
    shutil.copy(EXAMPLE / "lock-keeper-10.toml", own)
    paths = os.pathsep.join([str(installed), *sys.path])
    environment = os.environ | {"XDG_DATA_HOME": str(tmp_path / "data"), "PYTHONPATH": paths}

    def command(*options):
        return subprocess.run(
            [sys.executable, "-m", "crisp_hornet", *options],
            env=environment,
            capture_output=True,
            text=True,
            check=False,
        )

    return command


def set_elsewhere(it):
    it.put(DESCRIBED.register("drive.phase_current_a"), 700)
    it.kept = dict(it.running)


def test_a_package_that_is_broken_costs_no_other_line(monkeypatch, caplog):
    class Point:
        name = "broken"

        def load(self):
            raise ImportError("it needs what is not there")

    lines.kinds.cache_clear()
    monkeypatch.setattr(lines, "entry_points", lambda group: [Point()])
    try:
        assert [one.name for one in lines.kinds()] == ["modbus", "frames", "canopen"]
        assert "it needs what is not there" in caplog.text
    finally:
        lines.kinds.cache_clear()


@pytest.mark.long
def test_the_example_is_installed_and_speaks(run, keeper, tmp_path):
    told = run("backup", "--port", keeper.port, "--out", str(tmp_path / "before.json"))
    assert told.returncode == 0 and "15 registers of Lock keeper 10 LK-0007" in told.stdout, told.stderr
    set_elsewhere(keeper.it)
    told = run("restore", "--port", keeper.port, "--backup", str(tmp_path / "before.json"))
    assert told.returncode == 0 and "proved" in told.stdout, told.stdout + told.stderr
    assert keeper.it.kept["drive.phase_current_a"] == 900
    keeper.it.hands.throttle = 0.5
    set_elsewhere(keeper.it)
    told = run("restore", "--port", keeper.port, "--backup", str(tmp_path / "before.json"))
    assert told.returncode != 0 and "throttle is open" in told.stdout + told.stderr

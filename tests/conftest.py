import os
import shutil
import subprocess
import tempfile
import zlib
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest
from hypothesis.internal.conjecture import providers
from pytestqt.qtbot import QtBot

from tests import postgres
from tests.amount import LONG
from tests.standins import StandInProcess

# The library also tries numbers that it finds in the modules loaded so far. A seed would then mean other examples with every test that is
# run besides, and with every figure that is changed anywhere.
providers.is_local_module_file = lambda _path: False

REAL_TIME = (
    "tests/link/",
    "tests/standin/",
    "tests/test_",
    "tests/bench/test_application",
    "tests/bench/test_link",
    "tests/bench/test_recording",
)
PLACES = ("tests/bench/", "tests/link/", "tests/standin/", "tests/test_")  # scripts/test looks for them nowhere else
IN_ITS_OWN_TIME = ("tests/link/test_liars", "tests/link/test_session", "tests/test_hostile_files")  # simulated, or none


def pytest_collection_modifyitems(config, items):
    """What talks to a simulated controller, or to another process, is marked: it wants the processors to itself. What only
    a long run takes is left out of a short one."""
    for item in items:
        real = item.nodeid.startswith(REAL_TIME) and not item.nodeid.startswith(IN_ITS_OWN_TIME)
        if real or "standin" in " ".join(item.fixturenames):
            item.add_marker(pytest.mark.realtime)
        if item.get_closest_marker("realtime") and not item.nodeid.startswith(PLACES):
            raise pytest.UsageError(f"{item.nodeid} runs in real time: scripts/test is to look for such there, too")
    longer = [] if LONG else [item for item in items if item.get_closest_marker("long")]
    config.hook.pytest_deselected(items=longer)
    items[:] = [item for item in items if item not in longer]


LONGEST_MS = int(os.environ.get("TEST_PATIENCE_MS", "60000"))  # shorter while tests are written


class Patient(QtBot):
    """Waits for what will come: on a loaded machine late, and never by the clock."""

    def waitUntil(self, callback, *, timeout=LONGEST_MS):
        super().waitUntil(callback, timeout=timeout)

    def waitSignal(self, signal, *, timeout=LONGEST_MS, **more):
        return super().waitSignal(signal, timeout=timeout, **more)


@pytest.fixture
def qtbot(qapp, request):
    return Patient(request)


@pytest.fixture
def standin(tmp_path):
    process = StandInProcess(tmp_path)
    yield process
    process.close()


BUS = """<!DOCTYPE busconfig PUBLIC "-//freedesktop//DTD D-Bus Bus Configuration 1.0//EN"
 "http://www.freedesktop.org/standards/dbus/1.0/busconfig.dtd">
<busconfig><type>session</type><listen>unix:tmpdir={folder}</listen><auth>EXTERNAL</auth><policy context="default">
<allow send_destination="*" eavesdrop="true"/><allow eavesdrop="true"/><allow own="*"/></policy></busconfig>"""


@pytest.fixture
def bus(monkeypatch):
    """A private bus that the Bluetooth client takes for the system's. Its socket's path is to be short: some hundred characters at most."""
    if shutil.which("dbus-daemon") is None:
        pytest.fail("dbus-daemon is missing: scripts/test installs it (package dbus-daemon)")
    with tempfile.TemporaryDirectory(prefix="bus-") as folder:
        config = Path(folder) / "bus.conf"
        config.write_text(BUS.format(folder=folder))
        command = ["dbus-daemon", f"--config-file={config}", "--print-address=1", "--nofork", "--nopidfile"]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as daemon:
            address = daemon.stdout.readline().strip()
            monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", address)
            yield address
            daemon.terminate()


@pytest.fixture(scope="session")
def server():
    folder = Path(tempfile.mkdtemp(prefix="shared-"))
    made = postgres.Server(folder)
    yield made
    made.kill()
    shutil.rmtree(folder)


@pytest.fixture
def address(server, request):
    """A database with the tables of a shared garage."""
    return server.ready(f"d{zlib.crc32(request.node.nodeid.encode())}")


@pytest.fixture
def new_address(server, request):
    """A database with nothing in it."""
    return server.make(f"n{zlib.crc32(request.node.nodeid.encode())}")

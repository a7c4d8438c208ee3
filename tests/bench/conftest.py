import shutil

import pytest

from crisp_hornet.bench.app import link_of, make_application, tear_down
from crisp_hornet.bench.desk import watch
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.stations.tune.ride import range_page
from crisp_hornet.bench.window import Window
from crisp_hornet.core.goal import parts, reached, wish_map
from crisp_hornet.core.virtual_ride import again, band, ranging
from crisp_hornet.demo.garage import demo_garage
from crisp_hornet.garage.garage import Garage
from tests.link.inprocess import Threaded


@pytest.fixture(scope="session")
def qapp():
    yield make_application()


@pytest.fixture(autouse=True, scope="module")
def coarse_roads():
    """What is foreseen along roads is right elsewhere (``tests/core``): in the window fewer possible bikes and coarser maps do."""
    with pytest.MonkeyPatch.context() as patch:
        for module, names in {
            band: {"SAMPLES": 6, "FEW_SAMPLES": 5}, ranging: {"SAMPLES": 3}, reached: {"ROAD_SAMPLES": 3},
            wish_map: {"ROAD_PLACES": 5, "FEW_ROAD_PLACES": 4}, range_page: {"POINTS": 4}, parts: {"PART_RIDES": 8},
            again: {"SAMPLES": 3},
        }.items():  # fmt: skip
            for name, few in names.items():
                patch.setattr(module, name, few)
        yield


@pytest.fixture(autouse=True, scope="session")
def judged_once():
    """The worst corners of the same draft are the same in every window (``tests/core`` shows that they are right)."""
    known, search = {}, watch.watch_list

    def remembered(bike, tune, controller, conditions, speeds_kmh, sensors):
        texts = [one and one.model_dump_json() for one in (bike, tune, controller)]
        key = (*texts, conditions, tuple(speeds_kmh), *sorted(sensors.items()))
        if key not in known:
            known[key] = search(bike, tune, controller, conditions, speeds_kmh, sensors)
        return list(known[key])

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(watch, "watch_list", remembered)
        yield


@pytest.fixture
def open_window(qtbot, qapp):
    """Opens windows on a garage, and closes them all at the end."""
    opened = []

    def open_one(garage, port=""):
        window = Window(Desk(garage), link_of(garage), simulated=Simulated(ports=(port,)) if port else None)
        window.asks = lambda _window, _question: True
        window.show()
        with qtbot.waitActive(window):
            window.activateWindow()
        opened.append((window, garage))
        return window

    def close(window):
        garage = next(one for known, one in opened if known is window)
        opened.remove((window, garage))
        window.desk.draft.keep()
        tear_down(qapp, window)
        garage.close()

    open_one.close = close
    yield open_one
    for window, _ in list(opened):
        close(window)


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory):
    """The demo's garage, made once: tests get copies."""
    folder = tmp_path_factory.mktemp("demo") / "garage"
    demo_garage(folder).close()
    return folder


@pytest.fixture
def own_demo_garage(tmp_path, demo_folder):
    shutil.copytree(demo_folder, tmp_path / "garage")
    return Garage(tmp_path / "garage")


@pytest.fixture
def demo_window(own_demo_garage, open_window):
    return open_window(own_demo_garage)


@pytest.fixture
def empty_window(tmp_path, open_window):
    return open_window(Garage(tmp_path / "empty"))


@pytest.fixture
def threaded():
    made = Threaded()
    yield made
    made.close()

import pytest

from crisp_hornet.documents.maps import shipped_map, shipped_maps
from crisp_hornet.link.contact import make_contact
from crisp_hornet.link.finding import open_line
from tests.link.inprocess import InProcess, Threaded

MAPS = shipped_maps()
ANSWER_S = 1.0


@pytest.fixture(scope="session")
def threaded():
    made = Threaded()
    yield made
    made.close()


@pytest.fixture
def bench(threaded):
    """Makes stand-ins and contacts to them; closes them all."""
    opened = []

    class Bench:
        def stand_in(self, controller="Weir 60", **reached):
            made = InProcess(threaded, shipped_map(controller), **reached)
            opened.append(made)
            return made

        def contact(self, standin, address=None):
            line = open_line(address or standin.port, MAPS, ANSWER_S, standin.standin.controller.map)
            opened.append(line)
            return make_contact(line, lambda text: None)[0]

    yield Bench()
    for one in reversed(opened):
        one.close()


@pytest.fixture
def standin(bench):
    return bench.stand_in()


@pytest.fixture
def contact(bench, standin):
    return bench.contact(standin)

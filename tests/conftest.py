import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest

from tests.standins import StandInProcess


@pytest.fixture
def standin(tmp_path):
    process = StandInProcess(tmp_path)
    yield process
    process.close()

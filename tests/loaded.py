"""What the forked processes of tests have loaded before they begin: the stand-in with its documents, and the readers of logs."""

import fitdecode  # noqa: F401
import gpxpy.gpx  # noqa: F401
import numpy  # noqa: F401
import openpyxl  # noqa: F401
import polars  # noqa: F401
import python_calamine  # noqa: F401
from benchmarks import hostile  # noqa: F401

from crisp_hornet import cli  # noqa: F401
from crisp_hornet.commands import standin  # noqa: F401
from crisp_hornet.demo import HERON
from crisp_hornet.documents.maps import shipped_maps
from crisp_hornet.documents.store import read_bike

read_bike(HERON)
shipped_maps()

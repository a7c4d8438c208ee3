"""The ground that every wing stands on: what an array of figures is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Figure = float | Array

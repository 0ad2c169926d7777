"""The one type of arrays: numpy, float64."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Mask = NDArray[np.bool_]

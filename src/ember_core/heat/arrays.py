"""Names for the arrays that heat computes with."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

Index = NDArray[np.int64]

Links = NDArray[np.uint32]  # compiled loops index by them without a test for negative numbers

Numbers = NDArray[np.uint64]  # likewise, and vectors are made of loops that count from them

"""Array aliases and the clock's one unit."""

from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

IntArray: TypeAlias = NDArray[np.int64]
FloatArray: TypeAlias = NDArray[np.float64]
BoolArray: TypeAlias = NDArray[np.bool_]
Json: TypeAlias = dict[str, Any]

NS_PER_S = 1_000_000_000
NS_PER_MS = 1_000_000

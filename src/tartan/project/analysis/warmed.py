"""Loaded by the helper that solving processes are forked from: what each would wait for anew.

The compiler sets up its tables at the first call of any compiled function, for half a second. One
that runs in no threads does it here; what does would leave its threads behind at the fork.
"""

from __future__ import annotations

import threading

import numba
from numba.np.ufunc import parallel


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _same(x: float) -> float:
    return x


_same(1.0)

# Solvers make their threads each for itself, and are ended at any moment: a lock that they shared
# would be left behind, or held for ever.
parallel._backend_init_process_lock = threading.RLock()

"""Loaded by the helper that solving processes are forked from: what each would wait for anew.

The compiler sets up its tables at the first call of any compiled function, for half a second. One
that runs in no threads does it here; what does would leave its threads behind at the fork.
"""

from __future__ import annotations

import numba


@numba.njit(cache=True)  # type: ignore[untyped-decorator]
def _same(x: float) -> float:
    return x


_same(1.0)

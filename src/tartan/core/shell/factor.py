"""One sparse factorisation for statics, buckling and modes: CHOLMOD with its ordering kept.

Source: Y. Chen, T. A. Davis, W. W. Hager, S. Rajamanickam, ACM Trans. Math. Softw. 35 (2008) 22.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import scipy.sparse as sp
from cvxopt import cholmod, matrix, spmatrix
from numpy.typing import NDArray

from tartan.core.errors import MechanismError

Array = NDArray[np.float64]


class Factor:
    """Cholesky factor of a positive definite matrix; matrices of one pattern share an ordering."""

    def __init__(self) -> None:
        self._symbolic: Any = None

    def forget(self) -> None:
        """Drop the ordering: the next matrix is of another pattern."""
        self._symbolic = None

    def take(self, lower: Any) -> None:
        """Factorise the lower half of a matrix.

        Parameters
        ----------
        lower : spmatrix
            As `lower_half` gives.

        Raises
        ------
        MechanismError
            When the matrix is not positive definite.
        """
        if self._symbolic is None:
            self._symbolic = cholmod.symbolic(lower)
        try:
            cholmod.numeric(lower, self._symbolic)
        except ArithmeticError as error:
            # A failed factor must not be reused.
            self._symbolic = None
            what = "The stiffness matrix is singular: some of the part can move."
            raise MechanismError(what, "Supports", "Check supports and materials.") from error

    def solve(self, right: Array) -> Array:
        """Solve for one right side, shape (n,), or many, shape (n, k)."""
        block = matrix(np.ascontiguousarray(right, float).reshape(len(right), -1))
        cholmod.solve(self._symbolic, block)
        return np.asarray(np.array(block).reshape(right.shape))


def factor(K: Any) -> Factor:
    """Factorise a symmetric sparse matrix.

    Raises
    ------
    MechanismError
        When it is not positive definite.
    """
    made = Factor()
    made.take(lower_half(K))
    return made


def lower_half(K: Any) -> Any:
    """Lower half of a symmetric SciPy matrix, as CHOLMOD reads it."""
    low = sp.tril(K).tocoo()
    return spmatrix(
        matrix(low.data), matrix(low.row.astype(int)), matrix(low.col.astype(int)), K.shape
    )


def count_below(K: Any, M: Any, bound: float) -> int:
    """Eigenvalues of ``K φ = λ M φ`` below a bound, by the signs of the pivots (Sylvester)."""
    n = K.shape[0]
    lower = lower_half(K - bound * M)
    before = cholmod.options.get("supernodal", 2)
    cholmod.options["supernodal"] = 0
    try:
        symbolic = cholmod.symbolic(lower)
        cholmod.numeric(lower, symbolic)
        pivots = np.array(matrix(cholmod.getfactor(symbolic)[:: n + 1])).ravel()
    finally:
        cholmod.options["supernodal"] = before
    return int((pivots < 0).sum())

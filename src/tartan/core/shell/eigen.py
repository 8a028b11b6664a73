"""Linear buckling and natural modes, with a count that none is missed.

Buckling ``K φ = λ (−G) φ`` is solved for the largest 1/λ with the factor of K; modes
``K φ = ω² M φ`` by shift and invert about a shift below all of them. Sylvester's law of inertia
counts the eigenvalues below a bound from the signs of the pivots of ``K − σ M``.

Source: K.-J. Bathe, Finite Element Procedures (1996), chapters 10 and 11; R. B. Lehoucq et al.,
ARPACK Users' Guide (1998).
"""

from __future__ import annotations

from collections.abc import Callable, Generator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse.linalg import ArpackError, LinearOperator, eigsh

from tartan.core.errors import MechanismError, PartError
from tartan.core.shell.assembly import finished
from tartan.core.shell.factor import count_below, factor

Array = NDArray[np.float64]

MOST_STRAIN = 1.0
"""Strain at which a linear buckling load is no answer any more."""

MOST_FACTOR = 1e12
"""Greatest multiplier where nothing is known of the strains."""


@dataclass(frozen=True, eq=False)
class Modes:
    """Eigenvalues with their shapes.

    Attributes
    ----------
    values : ndarray, shape (q,)
        Buckling load multipliers [1] or circular frequencies squared [1/s²], ascending.
    shapes : ndarray, shape (q, n)
        Unknowns, each scaled to a largest value of one.
    counted : int or None
        How many lie below the bound just above the last, by the pivots; None if not counted.
    reversed_at : float or None
        Where nothing buckles under the load: the multiplier of the reversed load that does.
    held_fails : bool
        Whether what is held buckles the part by itself; there are no values then.
    """

    values: Array
    shapes: Array
    counted: int | None
    reversed_at: float | None = None
    held_fails: bool = False

    @property
    def complete(self) -> bool:
        """Whether the count agrees: no eigenvalue below the last was missed."""
        return self.counted is not None and self.counted == len(self.values)

    @property
    def frequencies(self) -> Array:
        """Natural frequencies of modes [Hz]; those of rigid motions are zero."""
        return np.sqrt(np.maximum(self.values, 0.0)) / (2 * np.pi)


def buckling(
    K: Any,
    G: Any,
    count: int = 4,
    *,
    held: Any = None,
    most: float = MOST_FACTOR,
    compresses: bool = True,
    check: bool = True,
) -> Generator[tuple[str, float], None, Modes]:
    """Lowest positive load multipliers at which ``K + held + λ G`` becomes singular.

    Parameters
    ----------
    K, G : sparse matrix
        Stiffness, and geometric stiffness of the load that grows, of the free unknowns.
    count : int
        How many.
    held : sparse matrix, optional
        Geometric stiffness of the load that stays.
    most : float
        Multipliers beyond it are no answer; see `greatest_factor`.
    compresses : bool
        False where the prestress is known not to compress anywhere: then only the reversed load
        is looked at.
    check : bool
        Whether to count by pivots too, which costs one more factorisation.

    Returns
    -------
    Modes
        Without values where it does not buckle; then `reversed_at` may say more.

    Raises
    ------
    MechanismError
        When K is singular.
    """
    yield "factorising", 0.0
    none = np.zeros((0, K.shape[0]))
    if held is not None:
        factor(K)
        K = K + held
    try:
        solve = factor(K).solve
    except MechanismError:
        if held is None:
            raise
        return Modes(np.zeros(0), none, None, held_fails=True)
    yield "iterating", 0.3
    mu, vectors = np.zeros(0), none.T
    if compresses or held is not None:
        mu, vectors = _largest(K, -G, solve, count, most)
    if len(mu) == 0:
        back, _ = _largest(K, G, solve, 1, most)
        reverse = -float(1 / back[0]) if len(back) else None
        return Modes(np.zeros(0), none, 0 if check else None, reverse)
    values = 1 / mu
    vectors, every = vectors[:, :count], values
    values = values[:count]
    counted = None
    if check:
        yield "counting", 0.8
        # K − λ(−G): pivots below zero are multipliers between 0 and λ.
        counted = count_below(K, -G, _above(values, every))
    return Modes(values, _scaled(vectors), counted)


def _largest(
    K: Any, G: Any, solve: Callable[[Array], Array], count: int, most: float
) -> tuple[Array, Array]:
    """Largest μ of ``G φ = μ K φ``, greatest first, that are more than 1/most."""
    n = K.shape[0]
    if not G.nnz or not np.abs(G.data).max():
        return np.zeros(0), np.zeros((n, 0))
    back = LinearOperator((n, n), matvec=solve, dtype=float)
    wanted = min(count + 2, n - 2)
    # Sandwiches crimp at nearly one load whatever the wave length: a wide basis parts such modes.
    basis = min(n - 1, 4 * wanted + 40)
    try:
        mu, vectors = _iterate(G, 300, k=wanted, M=K, Minv=back, which="LA", ncv=basis)
    except PartError:
        # Where nothing buckles all μ crowd at zero and none settles; pivots tell it from slowness.
        if np.isfinite(most) and count_below(K, G, most) == 0:
            return np.zeros(0), np.zeros((n, 0))
        raise
    keep = mu > max(1 / most, 1e-12 * float(np.abs(mu).max(initial=0.0)))
    order = np.argsort(-mu[keep])
    return mu[keep][order], vectors[:, keep][:, order]


def greatest_factor(strains: Array, thickness: Array) -> float:
    """Multiplier at which a prestress strains the part by its whole length.

    Linear buckling beyond it means nothing, and what rounding leaves of a state without
    compression lies far beyond.

    Parameters
    ----------
    strains : ndarray, shape (m, p, 8)
        Section strains that cause stress.
    thickness : ndarray, shape (m,)
        Of the sections [m].
    """
    size = np.abs(strains[..., :3]).max(axis=(1, 2)) + thickness / 2 * np.abs(
        strains[..., 3:6]
    ).max(axis=(1, 2))
    peak = float(size.max(initial=0.0))
    return MOST_STRAIN / peak if peak > 0 else MOST_FACTOR


def modes(
    K: Any, M: Any, count: int = 6, *, shift: float = 0.0, check: bool = True
) -> Generator[tuple[str, float], None, Modes]:
    """Lowest natural modes.

    Parameters
    ----------
    K, M : sparse matrix
        Stiffness and mass of the free unknowns.
    count : int
        How many.
    shift : float
        Added times M to K before factorising [1/s²]; a free part needs some, as its K is
        singular.
    check : bool
        Whether to count by pivots too.

    Raises
    ------
    MechanismError
        When ``K + shift M`` is singular.
    """
    yield "factorising", 0.0
    solve = factor(K + shift * M if shift else K).solve
    yield "iterating", 0.3
    n = K.shape[0]
    inverse = LinearOperator((n, n), matvec=solve, dtype=float)
    wanted = min(count + 2, n - 2)
    found, vectors = _iterate(K, k=wanted, M=M, sigma=-shift, OPinv=inverse, which="LM")
    order = np.argsort(found)
    every = found[order]
    values = every[:count]
    counted = None
    if check:
        yield "counting", 0.8
        counted = count_below(K, M, _above(values, every))
    return Modes(values, _scaled(vectors[:, order[:count]]), counted)


def _iterate(A: Any, most: int = 3000, **options: Any) -> tuple[Array, Array]:
    rng = np.random.default_rng(7)
    try:
        values, vectors = eigsh(
            A, v0=rng.normal(size=A.shape[0]), maxiter=most, tol=1e-9, **options
        )
    except ArpackError as error:
        raise PartError(
            "The iteration for eigenvalues did not converge.",
            "Buckling and modes",
            "Ask for fewer modes, or refine the mesh.",
        ) from error
    return values, vectors


def _above(values: Array, every: Array) -> float:
    """Bound between the last value asked for and the next one known."""
    last = float(values[-1])
    later = every[every > last * (1 + 1e-6)]
    return (last + float(later.min())) / 2 if len(later) else last * (1 + 1e-4)


def _scaled(vectors: Array) -> Array:
    peak = np.abs(vectors).max(axis=0)
    return np.asarray((vectors / np.where(peak > 0, peak, 1.0)).T)


run = finished

"""Criteria written by the user in a small, safe language.

An expression of the ply's stresses ``s1 s2 t12`` [Pa], mechanical strains ``e1 e2 g12`` [1] and
the material's fields (``Xt``, ``S12``, ``E1`` …) that reaches 1 at failure, such as
``max(s1 / Xt, -s1 / Xc) + (t12 / S12)**2``. Arithmetic, comparisons (1 when true, 0 when not)
and ``min max abs sqrt``. It is read into a tree of our own and walked; nothing is executed as
Python, there is no attribute, no index, no call but those four, and its size is limited.

What is the greatest of quadratic forms, as most are, is worked out as a table of branches and is
exact. For the rest the reserve factor is found numerically: the first crossing of 1 on a fine
geometric scan along the load, then bisection. A crossing and return between two scan points, 4 %
apart, is not seen.
"""

from __future__ import annotations

import ast
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from tartan.core.criteria.base import Array, Outcome, Strengths, guarded
from tartan.core.criteria.branches import Branch, evaluate_table, table_of
from tartan.core.criteria.expand import branches_of
from tartan.core.errors import CriterionError
from tartan.core.materials import FIELD_NAMES

LONGEST = 500
MOST_PARTS = 200
GREATEST_POWER = 8

_STRESSES = ("s1", "s2", "t12")
_STRAINS = ("e1", "e2", "g12")
_ELASTIC = ("E1", "E2", "nu12", "G12")
_FUNCTIONS: dict[str, Callable[..., Array]] = {
    "min": lambda *a: np.minimum.reduce(np.broadcast_arrays(*a)),
    "max": lambda *a: np.maximum.reduce(np.broadcast_arrays(*a)),
    "abs": np.abs,
    "sqrt": np.sqrt,
}
_OPERATORS: dict[type[ast.AST], Callable[[Array, Array], Array]] = {
    ast.Add: np.add, ast.Sub: np.subtract, ast.Mult: np.multiply, ast.Div: np.divide,
    ast.Pow: np.power, ast.Lt: np.less, ast.LtE: np.less_equal, ast.Gt: np.greater,
    ast.GtE: np.greater_equal, ast.Eq: np.equal, ast.NotEq: np.not_equal,
}  # fmt: skip

_SCAN = np.geomspace(1e-4, 1e4, 461)


@dataclass(frozen=True)
class FormulaCriterion:
    """A criterion of the common protocol made from a text.

    Attributes
    ----------
    key, title : str
        Names in files and on screen.
    text : str
        The expression.
    """

    key: str
    title: str
    text: str
    needs: tuple[str, ...] = field(init=False)
    modes: tuple[str, ...] = ("user criterion",)
    stress: Literal["in-plane", "transverse", "sandwich"] = "in-plane"
    source: str = "entered by the user"
    fibre: None = None

    @property
    def formula(self) -> str:
        """The text itself."""
        return self.text

    def __post_init__(self) -> None:
        tree = read(self.text)
        names = {n.id for n in ast.walk(tree) if isinstance(n, ast.Name)}
        fields = [f for f in FIELD_NAMES if f in names]
        if names & set(_STRAINS):
            fields += [f for f in _ELASTIC if f not in fields]
        object.__setattr__(self, "needs", tuple(fields))
        object.__setattr__(self, "_tree", tree)

    def branches(self, strengths: Strengths) -> tuple[Branch, ...] | None:
        """Branches where the formula is the greatest of quadratic forms, else None."""
        return branches_of(self._tree, strengths)  # type: ignore[attr-defined]

    @guarded
    def evaluate(self, strengths: Strengths, applied: Array, residual: Array | None = None
                 ) -> Outcome:  # fmt: skip
        """Evaluate by branches where there are some, else numerically along the load.

        Parameters
        ----------
        strengths : mapping of str to float
            The fields of `needs`.
        applied : ndarray, shape (..., 3)
            Stress scaled by the reserve factor, 1, 2, 12 [Pa].
        residual : ndarray, shape (..., 3), optional
            Stress held fixed [Pa].
        """
        rows = table_of(self, strengths)
        if rows is not None:
            return evaluate_table(rows, np.zeros(0), applied, residual)
        return self._along(strengths, applied, residual)

    def _along(self, strengths: Strengths, applied: Array, residual: Array | None) -> Outcome:
        """Evaluate numerically along the load."""
        held = np.zeros_like(applied) if residual is None else residual

        def index(scale: Array) -> Array:
            return self._index(strengths, held + scale[..., None] * applied)

        shape = applied.shape[:-1]
        low, high = np.zeros(shape), np.full(shape, np.inf)
        failed = index(low) >= 1
        # The scan is centred where the stress is of the size of a strength.
        size = np.abs(applied).max(axis=-1)
        unit = np.where(
            size > 0, self._strength_size(strengths) / np.where(size > 0, size, 1), 1.0
        )
        for step in _SCAN:
            at = step * unit
            open_ = np.isinf(high)
            reached = open_ & (index(at) >= 1) & (size > 0)
            high = np.where(reached, at, high)
            low = np.where(np.isinf(high), at, low)
        finite = np.isfinite(high)
        top = np.where(finite, high, 0.0)
        low = np.where(finite, np.minimum(low, top), 0.0)
        for _ in range(60):
            middle = (low + top) / 2
            beyond = index(middle) >= 1
            top, low = np.where(beyond, middle, top), np.where(beyond, low, middle)
        reserve = np.where(failed, 0.0, np.where(finite, top, np.inf))
        return Outcome(reserve, index(np.ones(shape)), np.zeros(shape, np.int8))

    def _strength_size(self, strengths: Strengths) -> float:
        found = [strengths[f] for f in ("Xt", "Xc", "Yt", "Yc", "S12") if f in strengths]
        return float(np.exp(np.mean(np.log(found)))) if found else 1e8

    def _index(self, strengths: Strengths, stress: Array) -> Array:
        names: dict[str, Array] = {k: np.full((), v) for k, v in strengths.items()}
        names |= {n: stress[..., i] for i, n in enumerate(_STRESSES)}
        if all(f in strengths for f in _ELASTIC):
            E1, E2, nu, G = (strengths[f] for f in _ELASTIC)
            names["e1"] = stress[..., 0] / E1 - nu / E1 * stress[..., 1]
            names["e2"] = stress[..., 1] / E2 - nu / E1 * stress[..., 0]
            names["g12"] = stress[..., 2] / G
        with np.errstate(all="ignore"):
            value: Array = _walk(self._tree.body, names)  # type: ignore[attr-defined]
        # What cannot be computed, such as 0/0, counts as failing: nothing passes silently.
        return np.broadcast_to(np.where(np.isnan(value), np.inf, value), stress.shape[:-1])


def read(text: str) -> ast.Expression:
    """Read and check an expression.

    Raises
    ------
    CriterionError
        With the position of what is not allowed.
    """
    if len(text) > LONGEST:
        raise _refuse(f"The formula is longer than {LONGEST} characters.", "Shorten it.")
    try:
        tree = ast.parse(text.strip(), mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        at = getattr(error, "offset", None) or 1
        raise _refuse(
            f"The formula cannot be read at character {at}.",
            "Write an expression such as (s1 / Xt)**2 + (t12 / S12)**2.",
        ) from error
    parts = list(ast.walk(tree))
    if len(parts) > MOST_PARTS:
        raise _refuse(f"The formula has more than {MOST_PARTS} parts.", "Shorten it.")
    for part in parts:
        _check(part)
    return tree


def _refuse(what: str, mend: str) -> CriterionError:
    return CriterionError(what, "Formula", mend)


def _check(part: ast.AST) -> None:
    """Refuse whatever is not of the language."""
    plain = (ast.Expression, ast.BinOp, ast.Compare, ast.UnaryOp, ast.USub, ast.UAdd, ast.Load)
    if isinstance(part, plain) or type(part) in _OPERATORS:
        if isinstance(part, ast.BinOp) and isinstance(part.op, ast.Pow):
            _check_power(part.right)
        return
    at = f" at character {part.col_offset + 1}" if hasattr(part, "col_offset") else ""
    if isinstance(part, ast.Constant):
        if isinstance(part.value, bool) or not isinstance(part.value, int | float):
            raise _refuse(f"{part.value!r}{at} is not a number.", "Use numbers only.")
        if abs(part.value) > 1e30:
            raise _refuse(f"The number{at} is too large.", "Use numbers below 1e30.")
    elif isinstance(part, ast.Name):
        if part.id not in (*_STRESSES, *_STRAINS, *FIELD_NAMES, *_FUNCTIONS):
            known = ", ".join((*_STRESSES, *_STRAINS, *_FUNCTIONS))
            raise _refuse(f"'{part.id}'{at} is not known.",
                          f"Known are {known} and the material's fields.")  # fmt: skip
    elif isinstance(part, ast.Call):
        named = isinstance(part.func, ast.Name) and part.func.id in _FUNCTIONS
        single = named and part.func.id in ("abs", "sqrt")  # type: ignore[attr-defined]
        if not named or part.keywords or not part.args or (single and len(part.args) != 1):
            raise _refuse(f"This call{at} is not allowed.", "Use min, max, abs or sqrt.")
    else:
        raise _refuse(f"'{type(part).__name__}'{at} is not part of the language.",
                      "Use arithmetic, comparisons, min, max, abs, sqrt.")  # fmt: skip


def _check_power(exponent: ast.AST) -> None:
    value = exponent.value if isinstance(exponent, ast.Constant) else None
    if not isinstance(value, int | float) or not 0 <= value <= GREATEST_POWER:
        raise _refuse(f"A power must be a number from 0 to {GREATEST_POWER}.", "Write it out.")


def _walk(part: ast.AST, names: dict[str, Array]) -> Array:
    """Value of a checked tree."""
    if isinstance(part, ast.Constant):
        return np.asarray(part.value, float)
    if isinstance(part, ast.Name):
        if part.id not in names:
            raise _refuse(f"'{part.id}' stands alone.", "Functions need brackets.")
        return names[part.id]
    if isinstance(part, ast.UnaryOp):
        value = _walk(part.operand, names)
        return -value if isinstance(part.op, ast.USub) else value
    if isinstance(part, ast.BinOp):
        left, right = _walk(part.left, names), _walk(part.right, names)
        return np.asarray(_OPERATORS[type(part.op)](left, right))
    if isinstance(part, ast.Compare):
        values = [_walk(p, names) for p in (part.left, *part.comparators)]
        holds = np.asarray(1.0)
        for op, left, right in zip(part.ops, values[:-1], values[1:], strict=True):
            holds = holds * np.asarray(_OPERATORS[type(op)](left, right), float)
        return holds
    assert isinstance(part, ast.Call)
    assert isinstance(part.func, ast.Name)
    return np.asarray(_FUNCTIONS[part.func.id](*(_walk(a, names) for a in part.args)))

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
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from tartan.core.criteria.base import Array, Outcome, Strengths, guarded
from tartan.core.criteria.branches import Branch, evaluate_table, table_of
from tartan.core.criteria.expand import branches_of
from tartan.core.criteria.program import (
    FUNCTIONS,
    OPERATORS,
    STRAINS,
    STRESSES,
    along,
    program,
)
from tartan.core.errors import CriterionError
from tartan.core.materials import FIELD_NAMES

LONGEST = 500
MOST_PARTS = 200
GREATEST_POWER = 8

_ELASTIC = ("E1", "E2", "nu12", "G12")


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
        if names & set(STRAINS):
            fields += [f for f in _ELASTIC if f not in fields]
        object.__setattr__(self, "needs", tuple(fields))
        object.__setattr__(self, "_tree", tree)

    def branches(self, strengths: Strengths) -> tuple[Branch, ...] | None:
        """Branches where the formula is the greatest of quadratic forms, else None."""
        return branches_of(self._tree, strengths)  # type: ignore[attr-defined]

    @guarded
    def evaluate(
        self, strengths: Strengths, applied: Array, residual: Array | None = None
    ) -> Outcome:
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
        steps = program(self._tree, strengths)  # type: ignore[attr-defined]
        reserve, index = along(steps, self._strength_size(strengths), applied, residual)
        return Outcome(reserve, index, np.zeros(reserve.shape, np.int8))

    def _strength_size(self, strengths: Strengths) -> float:
        found = [strengths[f] for f in ("Xt", "Xc", "Yt", "Yc", "S12") if f in strengths]
        return float(np.exp(np.mean(np.log(found)))) if found else 1e8


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
    if isinstance(part, plain) or type(part) in OPERATORS:
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
        if part.id not in (*STRESSES, *STRAINS, *FIELD_NAMES, *FUNCTIONS):
            known = ", ".join((*STRESSES, *STRAINS, *FUNCTIONS))
            raise _refuse(
                f"'{part.id}'{at} is not known.", f"Known are {known} and the material's fields."
            )
    elif isinstance(part, ast.Call):
        named = isinstance(part.func, ast.Name) and part.func.id in FUNCTIONS
        single = named and part.func.id in ("abs", "sqrt")  # type: ignore[attr-defined]
        if not named or part.keywords or not part.args or (single and len(part.args) != 1):
            raise _refuse(f"This call{at} is not allowed.", "Use min, max, abs or sqrt.")
    else:
        raise _refuse(
            f"'{type(part).__name__}'{at} is not part of the language.",
            "Use arithmetic, comparisons, min, max, abs, sqrt.",
        )


def _check_power(exponent: ast.AST) -> None:
    value = exponent.value if isinstance(exponent, ast.Constant) else None
    if not isinstance(value, int | float) or not 0 <= value <= GREATEST_POWER:
        raise _refuse(f"A power must be a number from 0 to {GREATEST_POWER}.", "Write it out.")

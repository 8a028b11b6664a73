"""A checked formula as a program for a small compiled machine with a stack.

The tree is written out once, operand before operator; the machine works it out for one state of
stress after the other, along the load, where tables of branches do not reach.
"""

from __future__ import annotations

import ast
from itertools import pairwise
from math import inf, isnan, nan, sqrt
from typing import Any

import numpy as np

from tartan.core.compiled import compiled, prange
from tartan.core.criteria.base import Array, Strengths
from tartan.core.errors import CriterionError

_PUSH, _STRESS = 0, 1
_ADD, _SUB, _MUL, _DIV, _POW, _NEG = 2, 3, 4, 5, 6, 7
_ABS, _SQRT, _MIN, _MAX = 8, 9, 10, 11
_LT, _LE, _GT, _GE, _EQ, _NE = 12, 13, 14, 15, 16, 17

OPERATORS: dict[type[ast.AST], int] = {
    ast.Add: _ADD,
    ast.Sub: _SUB,
    ast.Mult: _MUL,
    ast.Div: _DIV,
    ast.Pow: _POW,
    ast.Lt: _LT,
    ast.LtE: _LE,
    ast.Gt: _GT,
    ast.GtE: _GE,
    ast.Eq: _EQ,
    ast.NotEq: _NE,
}
FUNCTIONS = {"min": _MIN, "max": _MAX, "abs": _ABS, "sqrt": _SQRT}
STRESSES = ("s1", "s2", "t12")
STRAINS = ("e1", "e2", "g12")

DEEPEST = 256
"""Places of the stack; a formula has fewer parts."""

_SCAN = np.geomspace(1e-4, 1e4, 461)
_HALVINGS = 60


def program(tree: ast.Expression, strengths: Strengths) -> Array:
    """Steps of a formula, shape (n, 2): what to do, and a number or the index of a stress.

    Raises
    ------
    CriterionError
        When a name has no value.
    """
    return np.array(list(_steps(tree.body, strengths)), float)


def _steps(part: ast.AST, strengths: Strengths) -> list[tuple[float, float]]:
    if isinstance(part, ast.Constant):
        return [(_PUSH, float(part.value))]  # type: ignore[arg-type]
    if isinstance(part, ast.Name):
        return _name(part.id, strengths)
    if isinstance(part, ast.UnaryOp):
        inside = _steps(part.operand, strengths)
        return [*inside, (_NEG, 0.0)] if isinstance(part.op, ast.USub) else inside
    if isinstance(part, ast.BinOp):
        both = _steps(part.left, strengths) + _steps(part.right, strengths)
        return [*both, (OPERATORS[type(part.op)], 0.0)]
    if isinstance(part, ast.Compare):
        found: list[tuple[float, float]] = []
        each = [_steps(p, strengths) for p in (part.left, *part.comparators)]
        for i, (op, (left, right)) in enumerate(zip(part.ops, pairwise(each), strict=True)):
            found += [*left, *right, (OPERATORS[type(op)], 0.0)]
            found += [(_MUL, 0.0)] if i else []
        return found
    assert isinstance(part, ast.Call)
    assert isinstance(part.func, ast.Name)
    does = FUNCTIONS[part.func.id]
    first, *rest = [_steps(a, strengths) for a in part.args]
    if does in (_ABS, _SQRT):
        return [*first, (does, 0.0)]
    return first + [s for more in rest for s in (*more, (does, 0.0))]


def _name(name: str, strengths: Strengths) -> list[tuple[float, float]]:
    if name in STRESSES:
        return [(_STRESS, float(STRESSES.index(name)))]
    if name in STRAINS:
        E1, E2, nu, G = (float(strengths[f]) for f in ("E1", "E2", "nu12", "G12"))
        if name == "g12":
            return [(_STRESS, 2), (_PUSH, G), (_DIV, 0)]
        own, modulus, other = (0, E1, 1) if name == "e1" else (1, E2, 0)
        return [
            (_STRESS, own),
            (_PUSH, modulus),
            (_DIV, 0),
            (_STRESS, other),
            (_PUSH, nu / E1),
            (_MUL, 0),
            (_SUB, 0),
        ]
    if name in strengths:
        return [(_PUSH, float(strengths[name]))]
    raise CriterionError(f"'{name}' stands alone.", "Formula", "Functions need brackets.")


def along(
    steps: Array, size: float, applied: Array, residual: Array | None
) -> tuple[Array, Array]:
    """Reserve factors and indices of states of stress.

    Parameters
    ----------
    steps : ndarray, shape (n, 2)
        By `program`.
    size : float
        Stress about which the search along the load is centred [Pa].
    applied, residual : ndarray, shape (..., 3)
        Stress scaled and stress held fixed [Pa].
    """
    flat = np.require(applied, np.float64, ["C", "W"]).reshape(-1, 3)
    held = np.zeros_like(flat)
    if residual is not None:
        held = np.require(np.broadcast_to(residual, applied.shape), np.float64, ["C", "W"])
        held = held.reshape(-1, 3)
    found = np.empty((2, len(flat)))
    _along(steps, size, flat, held, _SCAN, found)
    return found[0].reshape(applied.shape[:-1]), found[1].reshape(applied.shape[:-1])


def compile_all() -> None:
    """Compile the machine, or load it from its cache."""
    one = np.ones((1, 3))
    _along(np.array([[_STRESS, 0.0]]), 1.0, one, one * 0, _SCAN, np.ones((2, 1)))


_compiled = compiled(error_model="numpy")


@_compiled
def _two(does: int, a: float, b: float) -> float:
    if does == _ADD:
        return a + b
    if does == _SUB:
        return a - b
    if does == _MUL:
        return a * b
    if does == _DIV:
        return a / b
    if does == _POW:
        return a * a if b == 2.0 else a**b
    if does in (_MIN, _MAX):
        if isnan(a) or isnan(b):
            return nan
        return min(a, b) if does == _MIN else max(a, b)
    holds = (
        (does == _LT and a < b)
        or (does == _LE and a <= b)
        or (does == _GT and a > b)
        or (does == _GE and a >= b)
        or (does == _EQ and a == b)
        or (does == _NE and a != b)
    )
    return 1.0 if holds else 0.0


@_compiled
def _index(steps: Array, p: Array, r: Array, scale: float, stack: Array) -> float:
    """Value of the formula; what cannot be computed, such as 0/0, counts as failing."""
    top = 0
    for n in range(steps.shape[0]):
        does = int(steps[n, 0])
        if does == _PUSH:
            stack[top] = steps[n, 1]
            top += 1
        elif does == _STRESS:
            axis = int(steps[n, 1])
            stack[top] = r[axis] + scale * p[axis]
            top += 1
        elif does == _NEG:
            stack[top - 1] = -stack[top - 1]
        elif does == _ABS:
            stack[top - 1] = abs(stack[top - 1])
        elif does == _SQRT:
            stack[top - 1] = sqrt(stack[top - 1]) if stack[top - 1] >= 0 else nan
        else:
            top -= 1
            stack[top - 1] = _two(does, stack[top - 1], stack[top])
    return inf if isnan(stack[0]) else float(stack[0])


@_compiled
def _first(steps: Array, p: Array, r: Array, unit: float, scan: Array, stack: Array) -> float:
    """First crossing of 1 on the scan, then by bisection."""
    low = 0.0
    for step in scan:
        high = step * unit
        if _index(steps, p, r, high, stack) >= 1:
            for _ in range(_HALVINGS):
                middle = (low + high) / 2
                if _index(steps, p, r, middle, stack) >= 1:
                    high = middle
                else:
                    low = middle
            return float(high)
        low = high
    return inf


@_compiled
def _state(steps: Array, size: float, p: Array, r: Array, scan: Array, stack: Array) -> Any:
    """Reserve factor and index of one state."""
    index = _index(steps, p, r, 1.0, stack)
    if _index(steps, p, r, 0.0, stack) >= 1:
        return 0.0, index
    greatest = max(abs(p[0]), abs(p[1]), abs(p[2]))
    if not greatest > 0:
        return inf, index
    return _first(steps, p, r, size / greatest, scan, stack), index


@compiled(error_model="numpy", parallel=True, nogil=True)
def _along(
    steps: Array, size: float, applied: Array, held: Array, scan: Array, out: Array
) -> None:
    for i in prange(applied.shape[0]):
        stack = np.empty(DEEPEST)
        out[0, i], out[1, i] = _state(steps, size, applied[i], held[i], scan, stack)

"""Formulas that are the greatest of quadratic forms, worked out as such.

An expression is held as a few polynomials of the three stresses, of second degree at most, whose
greatest is meant. Sums, products, squares, `max` and `abs` keep that form where they can; what
leaves it (roots, minima, comparisons, higher powers, a constant) is for the numerical way.
"""

from __future__ import annotations

import ast
from itertools import product

import numpy as np

from tartan.core.criteria.base import Array, Strengths
from tartan.core.criteria.branches import Branch

MOST = 32
"""Polynomials beyond which the numerical way is taken."""

# A polynomial: one, s1, s2, t12, s1², s2², t12², s1 s2, s1 t12, s2 t12.
_TERMS = 10
_PAIRS = {(1, 1): 4, (2, 2): 5, (3, 3): 6, (1, 2): 7, (1, 3): 8, (2, 3): 9}

Forms = list[Array]


class _LeftError(Exception):
    """The expression leaves the form."""


def branches_of(tree: ast.Expression, strengths: Strengths) -> tuple[Branch, ...] | None:
    """Branches of a checked formula; None where it is not the greatest of quadratic forms."""
    try:
        forms = _expand(tree.body, strengths)
    except (_LeftError, KeyError, TypeError, ArithmeticError):
        return None
    found = []
    for f in forms:
        if f[0] or f[8] or f[9] or not np.isfinite(f).all():
            return None
        found.append(Branch((f[4], f[5], f[6], f[7] / 2), (f[1], f[2], f[3])))
    return tuple(found)


def _form(at: int, value: float = 1.0) -> Array:
    found = np.zeros(_TERMS)
    found[at] = value
    return found


def _names(strengths: Strengths) -> dict[str, Array]:
    known = {name: _form(0, float(value)) for name, value in strengths.items()}
    known |= {"s1": _form(1), "s2": _form(2), "t12": _form(3)}
    if all(name in strengths for name in ("E1", "E2", "nu12", "G12")):
        E1, E2, nu, G = (float(strengths[n]) for n in ("E1", "E2", "nu12", "G12"))
        known["e1"] = _form(1, 1 / E1) + _form(2, -nu / E1)
        known["e2"] = _form(2, 1 / E2) + _form(1, -nu / E1)
        known["g12"] = _form(3, 1 / G)
    return known


def _expand(part: ast.AST, strengths: Strengths) -> Forms:
    """Polynomials whose greatest a part of the tree is."""
    if isinstance(part, ast.Constant):
        return [_form(0, float(part.value))]  # type: ignore[arg-type]
    if isinstance(part, ast.Name):
        return [_names(strengths)[part.id]]
    if isinstance(part, ast.UnaryOp):
        inside = _expand(part.operand, strengths)
        return [-_single(inside)] if isinstance(part.op, ast.USub) else inside
    if isinstance(part, ast.BinOp):
        return _joined(part, strengths)
    if isinstance(part, ast.Call) and isinstance(part.func, ast.Name):
        each = [_expand(a, strengths) for a in part.args]
        if part.func.id == "max":
            return _few([f for forms in each for f in forms])
        if part.func.id == "abs":
            one = _single(each[0])
            return [one, -one]
        if part.func.id == "sqrt":
            return [_form(0, _constant(_single(each[0])) ** 0.5)]
    raise _LeftError


def _joined(part: ast.BinOp, strengths: Strengths) -> Forms:
    left, right = _expand(part.left, strengths), _expand(part.right, strengths)
    if isinstance(part.op, ast.Add):
        return _few([a + b for a, b in product(left, right)])
    if isinstance(part.op, ast.Sub):
        return [a - _single(right) for a in left]
    if isinstance(part.op, ast.Div):
        return _scaled(left, 1 / _constant(_single(right)))
    if isinstance(part.op, ast.Mult):
        if len(left) == len(right) == 1:
            return [_product(left[0], right[0])]
        some, one = (left, right) if len(right) == 1 else (right, left)
        return _scaled(some, _constant(_single(one)))
    if isinstance(part.op, ast.Pow):
        return _power(left, _constant(_single(right)))
    raise _LeftError


def _power(forms: Forms, exponent: float) -> Forms:
    if exponent == 1:
        return forms
    if exponent == 2 and len(forms) == 2 and bool((forms[0] == -forms[1]).all()):
        # The square of a size.
        return [_product(forms[0], forms[0])]
    one = _single(forms)
    if not one[1:].any():
        return [_form(0, float(one[0]) ** exponent)]
    if exponent != 2:
        raise _LeftError
    return [_product(one, one)]


def _product(a: Array, b: Array) -> Array:
    found: Array = a[0] * b + b[0] * a
    found[0] = a[0] * b[0]
    if (a[4:].any() and b[1:].any()) or (b[4:].any() and a[1:].any()):
        raise _LeftError
    for i in (1, 2, 3):
        for j in (1, 2, 3):
            found[_PAIRS[min(i, j), max(i, j)]] += a[i] * b[j]
    return found


def _scaled(forms: Forms, factor: float) -> Forms:
    if factor < 0:
        return [factor * _single(forms)]
    return [factor * f for f in forms]


def _single(forms: Forms) -> Array:
    if len(forms) != 1:
        raise _LeftError
    return forms[0]


def _constant(form: Array) -> float:
    if form[1:].any():
        raise _LeftError
    return float(form[0])


def _few(forms: Forms) -> Forms:
    if len(forms) > MOST:
        raise _LeftError
    return forms

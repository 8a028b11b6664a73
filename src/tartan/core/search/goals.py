"""What an order of plies is judged by: stiffness, buckling of a panel, first-ply reserve.

Every goal gives the value of many full stacks at once, and says whether more of it is better. One
that is linear in D, or the least of such forms, also says what leaves a branch of the search.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS
from tartan.core.errors import CriterionError, MaterialError, StackError
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.materials import Material
from tartan.core.search import plate
from tartan.core.search.candidates import Layers, layers_of
from tartan.core.search.changes import Change
from tartan.core.search.orders import Bound
from tartan.core.search.plate import Panel
from tartan.core.search.plyset import Orders, PlySet, Stiffness
from tartan.core.search.whatif import rank
from tartan.core.strength.laminate_reserves import Sets

Array = NDArray[np.float64]

Value = Callable[[Orders], Array]

FORMS = 4
"""Buckling modes whose forms leave branches: those that governed the stack as it was."""


@dataclass(frozen=True, eq=False)
class Goal:
    """A figure of stacks.

    Attributes
    ----------
    key : str
        Which figure.
    value : callable
        Values of full stacks, shape (k,), from their kinds (k, length).
    more : bool
        Whether more of it is better.
    least : float or None
        Limit that it has to keep, at least or at most; None where it is to be improved.
    quick : callable or None
        Values that are at least as good and found sooner.
    bound : Bound or None
        Of what `quick`, or `value`, comes to.
    form : callable
        What the forms of the bound come to at a value of the goal.
    """

    key: str
    value: Value
    more: bool = True
    least: float | None = None
    quick: Value | None = None
    bound: Bound | None = None
    form: Callable[[float], float] = float


BENDING = {"D11": (0, 0), "D22": (1, 1), "D66": (2, 2)}
"""Bending stiffnesses that can be a goal, and where they stand in D."""


def bending_goal(stiff: Stiffness, key: str = "D11", least: float | None = None) -> Goal:
    """Bending stiffness along x or y, or against twisting [N·m]."""
    i, j = BENDING[key]
    forms = _forms(stiff, stiff.Qbar[:, i, j][None])
    return Goal(key, lambda full: stiff.abd(full)[2][:, i, j], True, least, None, forms)


def buckling_goal(stiff: Stiffness, panel: Panel, least: float | None = None) -> Goal:
    """Least multiplier of a panel's load at which it buckles [1].

    Stacks that are not symmetric are judged by D - B A⁻¹ B (J. E. Ashton, Approximate solutions
    for unsymmetrically laminated plates, J. Composite Materials 3 (1969), 189-191).

    Raises
    ------
    StackError
        Sides that are none, or a load that presses nowhere.
    """
    panel.checked("load")

    def exact(full: Orders) -> Array:
        return _apart(lambda D: plate.exact_buckling(panel, D), _reduced(stiff, full))

    def quick(full: Orders) -> Array:
        return plate.buckling(panel, _reduced(stiff, full))

    bound = _plate_forms(stiff, panel) if max(panel.pressed[:2]) > 0 else None
    return Goal("buckling", exact, True, least, quick if bound is not None else None, bound)


def deflection_goal(stiff: Stiffness, panel: Panel, least: float | None = None) -> Goal:
    """Deflection of the middle of a panel under its pressure, D of buckling [m].

    Raises
    ------
    StackError
        Sides that are none, or no pressure.
    """
    panel.checked("pressure")
    return Goal(
        "deflection",
        lambda full: _apart(lambda D: plate.deflection(panel, D), _reduced(stiff, full)),
        False,
        least,
    )


def frequency_goal(
    stiff: Stiffness, panel: Panel, mass: float, least: float | None = None
) -> Goal:
    """First natural frequency of a panel by its mass per area [kg/m²], D of buckling [Hz].

    Raises
    ------
    StackError
        Sides that are none, or no mass.
    """
    panel.checked()
    if not mass > 0:
        raise StackError("The plies have no mass.", "Materials, density", "Enter densities.")

    def exact(full: Orders) -> Array:
        D = _reduced(stiff, full)
        return _apart(lambda d: plate.exact_frequency(panel, d, np.full(len(d), mass)), D)

    def quick(full: Orders) -> Array:
        D = _reduced(stiff, full)
        return plate.frequency(panel, D, np.full(len(D), mass))

    _, held, _ = plate.modes(panel)
    forms = _forms(stiff, held @ _plate_kinds(stiff).T)

    def form(value: float) -> float:
        return (2 * math.pi * value) ** 2 * mass

    return Goal("frequency", exact, True, least, quick, forms, form)


TOGETHER = 256
"""Plates whose matrices are held together."""


def _apart(value: Callable[[Array], Array], D: Array) -> Array:
    pieces = [value(D[k : k + TOGETHER]) for k in range(0, len(D), TOGETHER)]
    return np.concatenate(pieces) if pieces else np.zeros(0)


def _reduced(stiff: Stiffness, full: Orders) -> Array:
    """D, or what is left of it where bending also stretches, shape (k, 3, 3)."""
    A, B, D = stiff.abd(full)
    size = np.sqrt(np.abs(A).max() * np.abs(D).max()) if len(A) else 0.0
    if not np.abs(B).max(initial=0.0) > 1e-12 * size:
        return D
    return np.asarray(D - B @ np.linalg.solve(A, B))


def _plate_forms(stiff: Stiffness, panel: Panel) -> Bound | None:
    """The least modes of the closed form as forms linear in what lies where."""
    _, held, work = plate.modes(panel)
    on = work > 0
    if not on.any():
        # Pulled more than pressed, it gives way to shear alone, of which no form is known.
        return None
    coefficients = (held[on] @ _plate_kinds(stiff).T) / work[on, None]
    # Modes that are least for one kind of ply or the mean of all are those that ever govern.
    mean = coefficients @ np.array(stiff.plies.counts)
    chosen = dict.fromkeys([*np.argsort(mean)[:FORMS], *coefficients.argmin(axis=0)])
    return _forms(stiff, coefficients[list(chosen)])


def _plate_kinds(stiff: Stiffness) -> Array:
    """D11, D12 + 2 D66 and D22 of every kind by its share, shape (kinds, 3)."""
    Q = stiff.Qbar
    return np.stack([Q[:, 0, 0], Q[:, 0, 1] + 2 * Q[:, 2, 2], Q[:, 1, 1]], axis=1)


def _forms(stiff: Stiffness, coefficients: Array) -> Bound | None:
    """Forms by the share that each place has in D; None where it depends on what lies there."""
    plies = stiff.plies
    shares = shares_of(plies)
    if shares is None:
        return None
    rest = np.zeros(len(coefficients))
    if plies.middle >= 0:
        rest = coefficients[:, plies.middle] * plies.thickness[plies.middle] ** 3 / 12
    return Bound(shares, coefficients, rest)


def shares_of(plies: PlySet) -> Array | None:
    """∫ z² over each place, and its image, shape (places,) [m³]; None where plies differ."""
    held = plies.held or (-1,) * plies.places
    free = [
        k for k, count in enumerate(plies.counts) if count > sum(1 for one in held if one == k)
    ]
    sizes = {plies.kinds[k].thickness for k in free}
    if len(sizes) > 1:
        return None
    size = sizes.pop() if sizes else 0.0
    t = np.array([plies.thickness[k] if k >= 0 else size for k in held])
    if not plies.symmetric:
        z = np.concatenate([[0.0], np.cumsum(t)]) - t.sum() / 2
        return np.asarray((z[1:] ** 3 - z[:-1] ** 3) / 3)
    half = plies.thickness[plies.middle] / 2 if plies.middle >= 0 else 0.0
    outer = half + np.cumsum(t[::-1])[::-1]
    return np.asarray(2 / 3 * (outer**3 - (outer - t) ** 3))


def reserve_goal(
    stiff: Stiffness,
    materials: Mapping[str, Material],
    loads: Sequence[LoadCase],
    sets: Sets = DEFAULT_SETS,
    least: float | None = None,
) -> Goal:
    """Least reserve factor of first ply failure over load cases [1].

    Raises
    ------
    StackError
        Without a load case.
    CriterionError, MaterialError
        As `rank`.
    """
    if not loads:
        raise StackError("There is no load to order plies for.", "Load cases", "Add a load case.")
    table = _compiled(stiff.plies, materials, loads, sets)
    if table is not None:
        forces = np.array([load.values for load in loads], float)
        return Goal("reserve", lambda full: table.reserves(full, forces), True, least)
    kinds = stiff.plies.kinds

    def value(full: Orders) -> Array:
        changes = [Change("", tuple(kinds[k] for k in row), ()) for row in full]
        every = [r.reserve for piece in rank(changes, materials, loads, sets) for r in piece]
        return np.array(every)

    return Goal("reserve", value, True, least)


def _compiled(
    plies: PlySet, materials: Mapping[str, Material], loads: Sequence[LoadCase], sets: Sets
) -> Layers | None:
    """Tables of the compiled loop; None where loads or criteria ask for more than it knows."""
    if any(not _forces_alone(load) for load in loads):
        return None
    own = [materials[p.material] for p in plies.kinds]
    if any(m.kind == "core" for m in own):
        return None
    keys = [sets.get(m.name, sets.get(m.kind, ())) for m in own]
    try:
        return layers_of(plies.kinds, own, keys)
    except (CriterionError, MaterialError):
        # A criterion without a table, or a strength that is missing: the other way says which.
        return None


def _forces_alone(load: LoadCase) -> bool:
    heat = load.rests or load.growing_dT or load.growing_gradient
    return not (heat or any(load.Q) or load.press or load.is_strain.any() or load.tube) and all(
        way == "force" for way in load.ways
    )


@dataclass(frozen=True, eq=False)
class Slots:
    """A figure of something larger by what lies at every place of a stack in it.

    Attributes
    ----------
    at : ndarray, shape (r,)
        What it comes to at the stack it was derived at; of several the worst counts.
    slope : ndarray, shape (r, length, kinds)
        By how much a kind of ply at a place changes each, to first order.
    """

    at: Array
    slope: Array


def slots_goal(key: str, slots: Slots, least: float | None = None, *, more: bool = True) -> Goal:
    """A figure that is known at one stack, and at others to first order."""
    places = np.arange(slots.slope.shape[1])

    def value(full: Orders) -> Array:
        each = slots.at[:, None] + slots.slope[:, places, full].sum(axis=-1)
        found = each.min(axis=0) if more else each.max(axis=0)
        # Far from where it was derived a straight line may even change its sign.
        floor = 0.02 * float(np.abs(slots.at).min())
        return np.asarray(np.maximum(found, floor))

    return Goal(key, value, more, least)

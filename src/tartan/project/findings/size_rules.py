"""Choices of a sizing and the rules that tie them: ends of plies between zones, and covers."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError
from tartan.core.search.sizing import Choices, Rule
from tartan.core.stack.plies import is_symmetric
from tartan.project.analysis.gradients import Variable
from tartan.project.analysis.inputs import Layout, layout_of, part_inputs
from tartan.project.analysis.sized import effect, now_of, part_of, places, spread
from tartan.project.document.sizingmodel import SizeAsk, SizeVariable
from tartan.project.findings.size_points import Sizing, mass_of

Array = NDArray[np.float64]

WHERE = "Sizing"


def start_of(sizing: Sizing) -> tuple[float, ...]:
    """Values of the groups in the design as it is; of linked ones the first's."""
    return tuple(now_of(sizing.project, sizing.variables[g[0]]) for g in sizing.groups)


def laid_out(
    sizing: Sizing, values: Sequence[Sequence[float]]
) -> tuple[Layout, list[Variable], list[float]]:
    """The merged design in which all lies that may, what each group changes, and its values.

    `values` are those allowed, group by group.
    """
    most = [max(v) for v in values]
    design = sizing.design(most, solid=False)
    layout = layout_of(part_inputs(design.project))
    each = [
        effect(sizing.project, design, layout, [sizing.variables[n] for n in group])
        for group in sizing.groups
    ]
    return layout, each, most


def choices_of(sizing: Sizing, ask: SizeAsk) -> Choices:
    """What may be chosen, at what cost.

    Raises
    ------
    DocumentError
        Nothing may change, or a variable changes nothing.
    MaterialError
        A density or a price is missing.
    """
    if not sizing.groups:
        raise DocumentError(
            "Nothing may change.", WHERE, "Let something of the lay-up change, by its mark."
        )
    values = [_allowed(sizing, ask, group) for group in sizing.groups]
    layout, each, most = laid_out(sizing, values)
    cost = np.array([mass_of(layout, v, priced=ask.least == "cost") for v in each])
    falls = np.array([sizing.variables[g[0]].kind != "angle" for g in sizing.groups])
    for group, effect_ in zip(sizing.groups, each, strict=True):
        if not (effect_.thickness.any() or effect_.angle.any()):
            raise DocumentError(
                f"{_name(sizing, group)} changes nothing: it is not laid.",
                WHERE,
                "Lay it, or let it stay as it is.",
            )
    whole = layout.needed_mass() if ask.least == "mass" else layout.cost()
    if whole is None:
        raise DocumentError(
            "A material of the part has no price.", WHERE, "Give it one, or ask for least mass."
        )
    return Choices(tuple(values), cost, falls, whole - float(cost @ np.array(most)))


def _name(sizing: Sizing, group: Sequence[int]) -> str:
    one = sizing.variables[group[0]]
    return f"'{one.stack}'" if one.rung < 0 else f"Rung {one.rung + 1}"


def _allowed(sizing: Sizing, ask: SizeAsk, group: Sequence[int]) -> tuple[float, ...]:
    """Values of a group that can be made, and keep the outermost plies where they have to stay.

    Raises
    ------
    DocumentError
        Where none is left.
    """
    found = sorted(set(sizing.variables[group[0]].values))
    for number in group:
        found = [v for v in found if _fits(sizing, ask, sizing.variables[number], v)]
    if not found:
        raise DocumentError(
            f"No value of {_name(sizing, group)} can be made.",
            WHERE,
            "Give even numbers where the stack is symmetric, and keep its outermost plies.",
        )
    return tuple(found)


def _fits(sizing: Sizing, ask: SizeAsk, variable: SizeVariable, value: float) -> bool:
    project = sizing.project
    outer = ask.covers and variable.kind in ("plies", "laid")
    if variable.rung >= 0:
        return not (outer and value < 1 and variable.rung in _ends(sizing))
    if variable.kind != "plies":
        return True
    stack = project.stack(variable.stack)
    assert stack is not None
    where = places(project, variable)
    try:
        counts = spread(int(value), where, symmetric=is_symmetric(stack.plies))
    except DocumentError:
        return False
    if not outer:
        return True
    lay_up = part_of(project).lay_up
    ends = [lay_up[i].stack == stack.name for i in _ends(sizing)]
    edges = [0] if ends[0] else []
    edges += [len(stack.plies) - 1] if ends[-1] else []
    return all(n > 0 for i, n in zip(where, counts, strict=True) if i in edges)


def _ends(sizing: Sizing) -> tuple[int, int]:
    """The rungs laid first and last."""
    laid = [i for i, r in enumerate(part_of(sizing.project).lay_up) if r.active]
    return laid[0], laid[-1]


def rules_of(sizing: Sizing, ask: SizeAsk) -> tuple[Rule, ...]:
    """How many plies may end at each border of two zones, as sums of the groups.

    Raises
    ------
    DocumentError
        A border at which too many end, whatever is chosen.
    """
    if ask.most_dropped is None:
        return ()
    layout, each, _ = laid_out(sizing, [_allowed(sizing, ask, g) for g in sizing.groups])
    plies = [frozenset(p) for p in layout.zones.plies]
    found: dict[tuple[float, ...], Rule] = {}
    counted = _counts(sizing, layout, each)
    for one, other in _borders(layout):
        for a, b in ((one, other), (other, one)):
            ends = sorted(plies[a] - plies[b])
            if not ends:
                continue
            factors = counted[0][ends].sum(axis=0)
            fixed = float(counted[1][ends].sum())
            rule = Rule(factors, ask.most_dropped - fixed)
            found[(*factors, rule.most)] = rule
    return tuple(found.values())


def _counts(sizing: Sizing, layout: Layout, each: Sequence[Variable]) -> tuple[Array, Array]:
    """Whole plies that every laid one stands for: by the groups' values, and of itself."""
    factors = np.zeros((len(layout.laid), len(each)))
    fixed = np.ones(len(layout.laid))
    for k, (group, variable) in enumerate(zip(sizing.groups, each, strict=True)):
        kind = sizing.variables[group[0]].kind
        if kind not in ("plies", "laid"):
            continue
        for n in map(int, np.flatnonzero(variable.thickness)):
            share = 1.0
            if kind == "plies":
                one = next(
                    v for v in (sizing.variables[i] for i in group) if _means(sizing, v, layout, n)
                )
                share = 1.0 if one.rung >= 0 else 1.0 / len(places(sizing.project, one))
            factors[n, k], fixed[n] = share, 0.0
    return factors, fixed


def _means(sizing: Sizing, variable: SizeVariable, layout: Layout, ply: int) -> bool:
    """Whether a variable means a ply of the merged lay-up."""
    laid = layout.laid[ply]
    if variable.rung >= 0:
        return laid.rung == variable.rung
    own = part_of(sizing.project).lay_up[laid.rung]
    return own.stack == variable.stack and laid.within in places(sizing.project, variable)


def _borders(layout: Layout) -> list[tuple[int, int]]:
    """Pairs of zones that share a side."""
    mesh, zone = layout.mesh, layout.zones.zone
    sides, owner = [], []
    for block in mesh.blocks:
        both = np.stack([block.nodes, np.roll(block.nodes, -1, axis=1)], axis=2)
        sides.append(np.sort(both.reshape(-1, 2), axis=1))
        owner.append(np.repeat(np.arange(block.which.start, block.which.stop), block.corners))
    side, mine = np.concatenate(sides), zone[np.concatenate(owner)]
    order = np.lexsort((side[:, 1], side[:, 0]))
    side, mine = side[order], mine[order]
    same = (side[1:] == side[:-1]).all(axis=1) & (mine[1:] != mine[:-1])
    pairs = np.sort(np.stack([mine[1:][same], mine[:-1][same]], axis=1), axis=1)
    return [(int(a), int(b)) for a, b in np.unique(pairs, axis=0)]

"""Reserve factors of a laminate under a load case, temperature and moisture held or scaled."""

from __future__ import annotations

from collections.abc import Sequence

from tartan.core.errors import StackError
from tartan.core.laminate import Laminate
from tartan.core.laminate.loadcase import Answer, LoadCase, answer
from tartan.core.strength.laminate_reserves import Beside, Reserves, Sets, checks_of, reserves


def reserves_under(
    laminate: Laminate, loads: LoadCase, sets: Sets, found: Answer | None = None
) -> Reserves:
    """Reserve factors of every ply and level under one load case.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    loads : LoadCase
        Its load.
    sets : mapping
        Criteria by material name or kind.
    found : Answer, optional
        Its response, where that is known.

    Raises
    ------
    StackError, CriterionError, MaterialError
        As `answer` and `checks_of`.
    """
    got = answer(laminate, loads) if found is None else found
    return reserves(
        checks_of(laminate, sets),
        got.applied.stress_12[None],
        got.shear[None],
        got.residual,
        got.held_shear,
        Beside.of(loads),
    )


def least_under(laminate: Laminate, loads: Sequence[LoadCase], sets: Sets) -> float:
    """Least reserve factor over load cases that load anything [1].

    Raises
    ------
    StackError
        Without such a load case; and as `reserves_under`.
    """
    asked = [load for load in loads if load.loaded]
    if not asked:
        raise StackError("The stack has no load case.", "Load cases", "Add one in Stacks.")
    return min(float(reserves_under(laminate, x, sets).governing().reserve) for x in asked)

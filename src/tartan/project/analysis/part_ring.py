"""A vessel as one of several equal parts of its ring: what can be asked of it, and its totals."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import LoadError, PartError
from tartan.core.shell.constraints import Held
from tartan.core.shell.cyclic import cyclic_tie
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.ties import Tie
from tartan.project.analysis.inputs import PartInputs, copies
from tartan.project.document.loadmodel import Acceleration, EdgeForce, Force, Load, Movement
from tartan.project.document.partmodel import Part

Array = NDArray[np.float64]

WHOLE_RING = "Make it the whole ring in Part, 'parts of the ring' 1."


def whole_total(part: Part, total: Array) -> Array:
    """Forces and moments of the whole from those of the meshed part, shape (..., 6) [N, N·m]."""
    count = copies(part)
    if count == 1:
        return total
    along = np.zeros(total.shape)
    along[..., 2], along[..., 5] = count * total[..., 2], count * total[..., 5]
    return along


def ring_ties(part: Part, mesh: Mesh) -> tuple[Tie, ...]:
    """The tie of the cuts of a part of a ring; none of a whole.

    Raises
    ------
    PartError
        Where the cuts do not meet.
    """
    count = copies(part)
    return () if count == 1 else (cyclic_tie(mesh, count),)


def check_ring(inputs: PartInputs, held: Sequence[Held]) -> None:
    """Refuse what is not the same in every part of a ring.

    Raises
    ------
    PartError
        Supports that hold one way across the axis alone, and answers that would miss waves.
    LoadError
        Loads that point across the axis.
    """
    if copies(inputs.part) == 1:
        return
    for number, one in enumerate(held, start=1):
        lone = any((a in one.unknowns) != (a + 1 in one.unknowns) for a in (0, 3))
        joined = {u for h in held if h.axes is None and _same(h, one) for u in h.unknowns}
        mended = all((a in joined) == (a + 1 in joined) for a in (0, 3))
        if one.axes is not None or (lone and not mended):
            raise PartError(
                "A part of a ring is held alike all round: along x and y both, or neither, in "
                "global axes.",
                f"Support {number}",
                f"Hold both. {WHOLE_RING}",
            )
    for case in inputs.cases:
        for number, load in enumerate(case.loads, start=1):
            if _across(load):
                raise LoadError(
                    "It points across the axis, which is not alike all round the ring.",
                    f"Case '{case.name}', load {number}",
                    f"Let it point along z. {WHOLE_RING}",
                )
    if inputs.buckling or inputs.modes:
        raise PartError(
            "A part of a ring shows waves that repeat from part to part alone: its buckling and "
            "frequencies would miss the lowest.",
            "Requirements",
            f"Take them away. {WHOLE_RING}",
        )


def _same(one: Held, other: Held) -> bool:
    return np.array_equal(one.nodes, other.nodes)


def _across(load: Load) -> bool:
    """Whether a load points across z anywhere."""
    vectors: tuple[tuple[float, float, float], ...] = ()
    if isinstance(load, Acceleration):
        vectors = (load.vector,)
    elif isinstance(load, EdgeForce):
        vectors = (load.force,)
    elif isinstance(load, Force):
        vectors = (load.force, load.moment)
    elif isinstance(load, Movement):
        vectors = (load.move,)
    return any(x or y for x, y, _ in vectors)

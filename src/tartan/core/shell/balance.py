"""Whether a solution is in equilibrium: in its unknowns, and with its supports' reactions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.loads import resultant
from tartan.core.shell.model import ShellModel

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Equilibrium:
    """Balance of cases: reactions of the supports, shape (k, 6), and what is left over."""

    reaction: Array
    imbalance: float
    residual: float
    unknowns: int


def equilibrium(model: ShellModel, internal: Array, forces: Array) -> Equilibrium:
    """Judge equilibrium in the kept unknowns, and of the reactions at the supports alone.

    Summed over all nodes ``K u − f`` balances for any u, so that proves nothing; what the kept
    unknowns feel, and what the held ones alone have to give, does.

    Parameters
    ----------
    model : ShellModel
        Mesh and supports.
    internal, forces : ndarray, shape (k, n, 6)
        ``K u`` and the loads [N, N·m].
    """
    mesh, rules = model.mesh, model.constraints
    left = (internal - forces).reshape(len(forces), -1)
    flat = forces.reshape(len(forces), -1)
    if rules is None:
        free = ~model.fixed.ravel()
        kept, loads = left[:, free], flat[:, free]
        at_supports = np.where(free, 0.0, left)
    else:
        kept, loads = left @ rules.T, flat @ rules.T
        at_supports = (left @ rules.held_rows) @ rules.held_axes.T
    nodal = at_supports.reshape(forces.shape)
    applied, reaction = (
        np.array([resultant(mesh, f) for f in x]).reshape(len(forces), 6) for x in (forces, nodal)
    )
    size = float(np.ptp(mesh.nodes, axis=0).max()) or 1.0
    weights = np.repeat([1.0, 1 / size], 3)
    pull = np.maximum(
        np.abs(forces * weights).sum(axis=(1, 2)), np.abs(nodal * weights).sum(axis=(1, 2))
    )
    # Moments are taken about the part's own middle: far from the origin they lose their digits.
    middle = mesh.nodes.mean(axis=0)
    total = applied + reaction
    if rules is not None and any(t.turned for t in rules.ties):
        # Of the whole ring only what runs along its axis is left; the rest cancels part by part.
        total[:, [0, 1, 3, 4]] = 0.0
        middle = np.zeros(3)
    total[:, 3:] -= np.cross(middle, total[:, :3])
    gap = np.abs(total * weights).max(axis=1)
    turned = np.maximum(np.linalg.norm(loads, axis=1), np.linalg.norm(at_supports, axis=1))

    def share(part: Array, whole: Array) -> float:
        return float((part / np.where(whole > 0, whole, 1.0)).max(initial=0.0))

    return Equilibrium(
        reaction, share(gap, pull), share(np.linalg.norm(kept, axis=1), turned), kept.shape[1]
    )

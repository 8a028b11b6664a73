"""Yarns of draped plies as strokes on the part."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.drape.net import Net
from tartan.core.shell.mesh import Mesh
from tartan.project.analysis.draping import Draping
from tartan.project.analysis.pieces import locator_of

Array = NDArray[np.float64]

MOST_LINES = 12_000
"""Strokes of a net that are drawn."""


def lines(made: Draping, mesh: Mesh) -> tuple[Array, Array]:
    """Warp and weft of a ply on a mesh as strokes, shapes (q, 2, 3) [m]."""
    most = MOST_LINES // len(made.nets)
    each = [
        _strokes(net, _on_piece(net, piece, mesh) if len(made.pieces) > 1 else net.laid, most)
        for net, piece in zip(made.nets, made.pieces, strict=True)
    ]
    warp, weft = (np.concatenate(x) for x in zip(*each, strict=True))
    return warp, weft


def _on_piece(net: Net, piece: NDArray[np.int64], mesh: Mesh) -> NDArray[np.bool_]:
    """Joints that lie on a piece: nets find their way beyond a cut, yarns end at it."""
    on = net.laid.copy()
    on[on] = np.isin(locator_of(mesh).locate(net.places[on]).element, piece)
    return on


def _strokes(net: Net, on: NDArray[np.bool_], most: int) -> tuple[Array, Array]:
    on = on & (net.beyond <= 0.5 * max(net.cell))
    # A trace outwards, clear of the flat elements.
    places = net.places + 0.1 * max(net.cell) * net.normals
    found = []
    for axis in (0, 1):
        x, there = np.moveaxis(places, axis, 0), np.moveaxis(on, axis, 0)
        every = max(1, int(np.ceil(there.sum() / most)))
        # Whole yarns are left out, not pieces of them: from the start's yarn on.
        chosen = (np.arange(x.shape[1]) - net.start[1 - axis]) % every == 0
        x, there = x[:, chosen], there[:, chosen]
        both = there[1:] & there[:-1]
        found.append(np.stack([x[:-1][both], x[1:][both]], axis=1))
    return found[0], found[1]

"""What an element has to bring, and the elements there are by their number of corners.

An element is one module. Meshes hold elements in blocks of one number of corners; assembly,
loads, mass and recovery ask the block's form and know no element by name.
"""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell import element, triangle
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]


class ElementForm(Protocol):
    """Functions of a block of shell elements of one form, with c corners and p points."""

    def block_operators(self, mesh: Mesh, nodes: Index, which: Index, along: Array) -> Any:
        """Strain operators of elements by corner nodes (q, c), numbers (q,), reference (q, 3)."""

    def stiffness(self, op: Any, C: Array) -> Array:
        """Stiffness matrices, shape (q, 6c, 6c), of section stiffnesses (q, 8, 8) or (8, 8)."""

    def section_strains(self, op: Any, C: Array, u: Array) -> Array:
        """Section strains, shape (k, q, 4, 8), of displacements, shape (q, 6c, k)."""

    def points(self, x: Array) -> tuple[Array, Array]:
        """Shape functions (p, c) and normal times area at the points (q, p, 3) of corners."""

    def surface(self, x: Array, reference: Array) -> tuple[Array, Array, Array, Array]:
        """Shape functions (p, c), areas (q, p), derivatives (q, p, 2, c), normals (q, c, 3)."""


FORMS: dict[int, ElementForm] = {4: element, 3: triangle}
"""Elements by their number of corners."""

"""A meshed shell with its sections and supports."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate, shears_of
from tartan.core.shell.constraints import Constraints
from tartan.core.shell.inertia import mass_moments
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.zones import Zones

Array = NDArray[np.float64]
Index = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class ShellModel:
    """A meshed shell of one laminate with supports.

    Attributes
    ----------
    mesh : Mesh
        Elements whose normals point to the laying side.
    laminate : Laminate
        Its section.
    reference : ndarray, shape (3,)
        Reference direction, projected on every element.
    fixed : ndarray of bool, shape (n, 6)
        Unknowns held at zero.
    section : ndarray, shape (8, 8), optional
        Section stiffness in place of the laminate's own.
    zones : Zones, optional
        Sections of a part of several zones, in place of the one laminate.
    constraints : Constraints, optional
        Supports and ties in place of `fixed`, which holds nothing then.
    """

    mesh: Mesh
    laminate: Laminate
    reference: Array
    fixed: NDArray[np.bool_]
    section: Array | None = None
    zones: Zones | None = None
    constraints: Constraints | None = None

    def stiffness(self) -> Array:
        """Section stiffness A, B, D and transverse shear of each zone, shape (z, 8, 8)."""
        if self.section is not None:
            return self.section[None]
        sections = (self.laminate,) if self.zones is None else self.zones.laminates
        shears = shears_of(sections)
        return np.array([section_matrix(s.ABD, H) for s, H in zip(sections, shears, strict=True)])

    def section_of(self, which: Index) -> Array:
        """Section stiffness of some elements, shape (len(which), 8, 8)."""
        C = self._stiffness
        if self.zones is None:
            return np.broadcast_to(C[0], (len(which), 8, 8))
        found: Array = C[self.zones.zone[which]]
        return found

    @cached_property
    def _stiffness(self) -> Array:
        return self.stiffness()

    def mass_moments(self) -> Array:
        """I0, I1, I2 of every element, shape (m, 3)."""
        if self.zones is None:
            return np.broadcast_to(mass_moments(self.laminate), (self.mesh.count, 3))
        each = np.array([mass_moments(s) for s in self.zones.laminates])
        found: Array = each[self.zones.zone]
        return found


def section_matrix(ABD: Array, shear: Array) -> Array:
    """Join ABD, shape (6, 6), and transverse shear stiffness, shape (2, 2), into (8, 8)."""
    C = np.zeros((8, 8))
    C[:6, :6] = ABD
    C[6:, 6:] = shear
    return C

"""Classical lamination stiffness about any reference surface.

Source: R. M. Jones, Mechanics of Composite Materials, 2nd ed., eqs. 2.61–2.85 (reduced
stiffness and its rotation) and 4.22–4.25 (A, B, D).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import MaterialError, StackError
from tartan.core.laminate.shear import shear_stiffness, transverse_moduli
from tartan.core.materials import Material, checked
from tartan.core.stack.operations import rotate
from tartan.core.stack.plies import Stack, check_stack

Array = NDArray[np.float64]


def reduced_stiffness(material: Material) -> Array:
    """Plane-stress stiffness in ply axes.

    Returns
    -------
    ndarray, shape (3, 3)
        Q, order 1, 2, 12 [Pa].
    """
    E1, E2, nu12 = material.E1, material.E2, material.nu12
    d = 1.0 - nu12 * nu12 * E2 / E1
    q12 = nu12 * E2 / d
    return np.array([[E1 / d, q12, 0.0], [q12, E2 / d, 0.0], [0.0, 0.0, material.G12]])


def strain_rotation(angle: float | Array) -> Array:
    """Matrix that takes engineering strains from laminate to ply axes.

    Parameters
    ----------
    angle : float or ndarray, shape (...)
        Ply angle from x towards y [rad].

    Returns
    -------
    ndarray, shape (..., 3, 3)
        T with ``strain_12 = T @ strain_xy``; its transpose takes stresses back to laminate axes.
    """
    c, s = np.cos(angle), np.sin(angle)
    rows = [[c * c, s * s, c * s], [s * s, c * c, -c * s], [-2 * c * s, 2 * c * s, c * c - s * s]]
    return np.moveaxis(np.array(rows), (0, 1), (-2, -1))


@dataclass(frozen=True, eq=False)
class Laminate:
    """A stack with its materials resolved and its reference surface.

    Attributes
    ----------
    stack : Stack
        The stacking sequence.
    materials : tuple of Material
        One a ply.
    offset : float
        z of the mid-surface measured from the reference surface z = 0 [m].
    """

    stack: Stack
    materials: tuple[Material, ...]
    offset: float = 0.0

    @cached_property
    def angles(self) -> Array:
        """Angle of each ply, shape (n,) [rad]."""
        return np.asarray(_geometry([self])[0][0])

    @cached_property
    def z(self) -> Array:
        """Heights of the plies' faces above the reference surface, shape (n + 1,) [m]."""
        return np.asarray(_geometry([self])[1][0])

    @property
    def count(self) -> int:
        """Number of plies."""
        return len(self.materials)

    @property
    def thickness(self) -> float:
        """Total thickness [m]."""
        return float(self.z[-1] - self.z[0])

    @cached_property
    def Q(self) -> Array:
        """Reduced stiffness a ply in ply axes, shape (n, 3, 3) [Pa]."""
        known = {id(m): m for m in self.materials}
        each = {key: reduced_stiffness(m) for key, m in known.items()}
        return np.array([each[id(m)] for m in self.materials])

    @cached_property
    def T(self) -> Array:
        """Strain rotation a ply, laminate to ply axes, shape (n, 3, 3)."""
        return strain_rotation(self.angles)

    @cached_property
    def Qbar(self) -> Array:
        """Reduced stiffness a ply in laminate axes, shape (n, 3, 3) [Pa]."""
        return np.swapaxes(self.T, -1, -2) @ self.Q @ self.T

    @cached_property
    def ABD(self) -> Array:
        """Stiffness, shape (6, 6), ``[N; M] = ABD @ [eps0; kappa]`` [N/m, N, N·m]."""
        return _integrated(self.Qbar, self.z)

    @property
    def A(self) -> Array:
        """Membrane stiffness, shape (3, 3) [N/m]."""
        return self.ABD[:3, :3]

    @property
    def B(self) -> Array:
        """Coupling stiffness, shape (3, 3) [N]."""
        return self.ABD[:3, 3:]

    @property
    def D(self) -> Array:
        """Bending stiffness, shape (3, 3) [N·m]."""
        return self.ABD[3:, 3:]

    @cached_property
    def compliance(self) -> Array:
        """Inverse of ABD, blocks a, b; bᵀ, d, shape (6, 6) [m/N, 1/N, 1/(N·m)]."""
        return _inverse(self.ABD, np.array(self.thickness))

    @cached_property
    def shear(self) -> Array:
        """Transverse shear stiffness H, shape (2, 2), order xz, yz [N/m] (see `shear`)."""
        return shear_stiffness(self.Qbar, self.z, self.shear_moduli, self.compliance)

    @cached_property
    def shear_moduli(self) -> Array:
        """Transverse shear moduli a ply in laminate axes, shape (n, 2, 2) [Pa].

        Raises
        ------
        MaterialError
            When a ply's G13 or G23 is missing.
        """
        return transverse_moduli(np.array([_shear_of(m) for m in self.materials]), self.angles)

    @property
    def areal_mass(self) -> float:
        """Mass per area [kg/m²].

        Raises
        ------
        MaterialError
            When a ply's density is missing.
        """
        rho = [m.need("rho", "the mass") for m in self.materials]
        return float(np.dot(rho, np.diff(self.z)))

    @property
    def areal_cost(self) -> float:
        """Cost per area [currency/m²].

        Raises
        ------
        MaterialError
            When a ply's density or price is missing.
        """
        each = [m.need("rho", "the cost") * m.need("price", "the cost") for m in self.materials]
        return float(np.dot(each, np.diff(self.z)))

    def turned(self, angle: float) -> Laminate:
        """Return the laminate with every ply turned by an angle [deg]: its axes turned back."""
        stack = self.stack.with_plies(rotate(self.stack.plies, angle))
        return Laminate(stack, self.materials, self.offset)

    def about(self, offset: float) -> Laminate:
        """Return the laminate about another reference surface; `offset` as the attribute [m]."""
        return Laminate(self.stack, self.materials, offset)


def make_laminate(
    stack: Stack, materials: Mapping[str, Material], offset: float = 0.0
) -> Laminate:
    """Resolve a stack's materials.

    Parameters
    ----------
    stack : Stack
        The stacking sequence.
    materials : mapping of str to Material
        Materials by name.
    offset : float
        z of the mid-surface measured from the reference surface [m].

    Raises
    ------
    StackError
        When the stack is empty, or a ply has no positive thickness or an unknown material.
    MaterialError
        When a material is not admissible.
    """
    return make_laminates([stack], materials, [offset])[0]


def make_laminates(
    stacks: Sequence[Stack], materials: Mapping[str, Material], offsets: Sequence[float]
) -> tuple[Laminate, ...]:
    """Resolve the materials of many stacks; those with as many plies are worked out at once.

    Parameters
    ----------
    stacks : sequence of Stack
        Stacking sequences, such as of a part's zones.
    materials : mapping of str to Material
        Materials by name.
    offsets : sequence of float
        Of each: z of the mid-surface measured from the reference surface [m].

    Raises
    ------
    StackError, MaterialError
        As `make_laminate`, on the first that cannot be.
    """
    # Zones of a part share most of their plies and materials: each is checked once.
    good: set[int] = set()
    made = []
    for stack, offset in zip(stacks, offsets, strict=True):
        if not stack.plies or any(id(p) not in good for p in stack.plies):
            check_stack(stack, materials.keys())
            good.update(map(id, stack.plies))
        if not np.isfinite(offset):
            raise StackError(
                "offset is not a finite number.",
                f"Stack '{stack.name}'",
                "Enter the reference offset as a length.",
            )
        used = tuple(materials[p.material] for p in stack.plies)
        for material in used:
            if id(material) not in good:
                checked(material)
                good.add(id(material))
        made.append(Laminate(stack, used, float(offset)))
    for _, alike in of_one_count(made):
        _work_out(alike)
    return tuple(made)


def of_one_count(laminates: Sequence[Laminate]) -> Iterator[tuple[list[int], list[Laminate]]]:
    """Those of as many plies each, with their numbers: what can be worked out as one array."""
    by_count: dict[int, list[int]] = {}
    for number, laminate in enumerate(laminates):
        by_count.setdefault(laminate.count, []).append(number)
    for numbers in by_count.values():
        yield numbers, [laminates[k] for k in numbers]


def _work_out(alike: Sequence[Laminate]) -> None:
    """Give laminates of as many plies each their stiffness.

    Raises
    ------
    MaterialError
        On the first whose membrane stiffness is not positive definite.
    """
    each: dict[int, Array] = {}
    for material in (m for x in alike for m in x.materials):
        if id(material) not in each:
            each[id(material)] = reduced_stiffness(material)
    Q = np.array([[each[id(m)] for m in x.materials] for x in alike])
    angles, z = _geometry(alike)
    T = strain_rotation(angles)
    Qbar = np.swapaxes(T, -1, -2) @ Q @ T
    ABD = _integrated(Qbar, z)
    bad = np.flatnonzero(~(np.linalg.eigvalsh(ABD[:, :3, :3])[:, 0] > 0))
    if len(bad):
        raise MaterialError(
            "The membrane stiffness is not positive definite.",
            f"Stack '{alike[bad[0]].stack.name}'",
            "Check the elastic constants.",
        )
    for k, laminate in enumerate(alike):
        # Where cached properties look first.
        vars(laminate).update(angles=angles[k], z=z[k], Q=Q[k], T=T[k], Qbar=Qbar[k], ABD=ABD[k])


def shears_of(laminates: Sequence[Laminate]) -> Array:
    """Transverse shear stiffness of many laminates; those of as many plies are worked out at once.

    Parameters
    ----------
    laminates : sequence of Laminate
        Such as of a draped part's zones, which are thousands.

    Returns
    -------
    ndarray, shape (k, 2, 2)
        H of each, as `Laminate.shear` [N/m].

    Raises
    ------
    MaterialError
        When a ply's G13 or G23 is missing.
    """
    lacking = [x for x in laminates if "shear" not in vars(x)]
    for _, alike in of_one_count(lacking):
        each: dict[int, tuple[float, float]] = {}
        for material in (m for x in alike for m in x.materials):
            if id(material) not in each:
                each[id(material)] = _shear_of(material)
        moduli = np.array([[each[id(m)] for m in x.materials] for x in alike])
        angles, Qbar, z = (
            np.array([getattr(x, n) for x in alike]) for n in ("angles", "Qbar", "z")
        )
        compliance = _inverse(np.array([x.ABD for x in alike]), z[:, -1] - z[:, 0])
        H = shear_stiffness(Qbar, z, transverse_moduli(moduli, angles), compliance)
        for laminate, own in zip(alike, H, strict=True):
            vars(laminate)["shear"] = own
    return np.array([x.shear for x in laminates]).reshape(-1, 2, 2)


def _shear_of(material: Material) -> tuple[float, float]:
    G13, G23 = (material.need(g, "the transverse shear stiffness") for g in ("G13", "G23"))
    return G13, G23


def _inverse(ABD: Array, thickness: Array) -> Array:
    """Inverse of ABD, shape (..., 6, 6), of laminates of a thickness, shape (...)."""
    # Blocks differ by many powers of ten; scaling by the thickness conditions the inverse.
    s = np.ones((*thickness.shape, 6))
    s[..., 3:] = thickness[..., None]
    scale = s[..., :, None] * s[..., None, :]
    return np.asarray(np.linalg.inv(ABD / scale) / scale)


def _geometry(alike: Sequence[Laminate]) -> tuple[Array, Array]:
    """Angles, shape (q, n) [rad], and heights of faces, shape (q, n + 1) [m], of as many plies."""
    angles = np.deg2rad([[p.angle for p in x.stack.plies] for x in alike])
    thickness = np.array([[p.thickness for p in x.stack.plies] for x in alike])
    heights = np.zeros((len(alike), thickness.shape[1] + 1))
    np.cumsum(thickness, axis=1, out=heights[:, 1:])
    offset = np.array([x.offset for x in alike])
    return angles, heights - heights[:, -1:] / 2 + offset[:, None]


def _integrated(Qbar: Array, z: Array) -> Array:
    """ABD by plies' stiffness, shape (..., n, 3, 3), and heights, shape (..., n + 1)."""
    low, high = z[..., :-1, None, None], z[..., 1:, None, None]
    t, mean = high - low, (high + low) / 2
    A = (Qbar * t).sum(axis=-3)
    B = (Qbar * t * mean).sum(axis=-3)
    # z² integrated as t·(mean² + t²/12) keeps digits that z³ differences would lose.
    D = (Qbar * t * (mean**2 + t**2 / 12)).sum(axis=-3)
    return np.concatenate(
        [np.concatenate([A, B], axis=-1), np.concatenate([B, D], axis=-1)], axis=-2
    )

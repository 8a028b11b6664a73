"""Stability of sandwiches as criteria: wrinkling and dimpling of faces, crimping, core crushing.

They are judged at the core ply, whose bottom and top stand for the face below and above, and its
middle for the whole section. What they read is linear in the plies' stresses; the greatest
compression in the plane is held against the limit of its own direction, with the stiffness that
face and core have there.

Sources: N. J. Hoff and S. E. Mautner, J. Aeronaut. Sci. 12 (1945) 285–297 (wrinkling on thick and
thin cores); C. B. Norris, FPL report 1817 (1964) (dimpling); H. G. Allen, Analysis and Design of
Structural Sandwich Panels (1969), ch. 8 and 9 (crimping; crushing by curvature).
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria.base import Fibre, Outcome, Strengths, first_reach, guarded
from tartan.core.criteria.growing import Way, at_rows

Array = NDArray[np.float64]

THICK, THIN_BEND, THIN_SHEAR = 0.91, 0.817, 0.166
"""Hoff and Mautner's factors: σ = 0.91 (Ef Ec Gc)^⅓ on a thick core, and on a thin one
0.817 √(Ef Ec tf/tc) + 0.166 Gc tc/tf."""

DIRECTIONS, ROOM = 360, 1.1
"""Directions in which limits are looked up, and how far beyond those they may lie."""


@dataclass(frozen=True, eq=False)
class Sandwich:
    """What the stability of one core with its faces depends on.

    Attributes
    ----------
    faces : tuple
        Compliance inv(A) of each face, below and above, shape (3, 3) [m/N], and its thickness
        [m]; None where there is none.
    tc, distance : float
        Thickness of the core, and distance of the faces' middles [m].
    Ec : float or None
        Modulus of the core through its thickness [Pa].
    G : ndarray, shape (2, 2) or None
        Transverse shear moduli of the core in laminate axes [Pa].
    """

    faces: tuple[tuple[Array, float] | None, tuple[Array, float] | None]
    tc: float
    distance: float
    Ec: float | None
    G: Array | None


class SandwichCriterion(Protocol):
    """What a criterion of sandwich stability offers besides a criterion's own.

    Attributes
    ----------
    reads : {"faces", "forces", "bending"}
        Mean stresses of the faces; forces of the whole section; or moments and curvatures.
    """

    reads: Literal["faces", "forces", "bending"]

    def limits(self, sandwich: Sandwich, core: Strengths) -> dict[str, Array]:
        """Data by level of the core: arrays whose first axis is bottom, middle, top."""
        ...


def compression(stress: Array) -> tuple[Array, Array]:
    """Greatest compression of x, y, xy components, shape (..., 3), and its direction from x [rad].

    Both have shape (...); compression is positive.
    """
    x, y, t = stress[..., 0], stress[..., 1], stress[..., 2]
    # The lesser principal stress stands across the greater.
    angle = np.arctan2(2 * t, x - y) / 2 + np.pi / 2
    return np.hypot((x - y) / 2, t) - (x + y) / 2, angle


def modulus(compliance: Array, thickness: Array, angle: Array) -> tuple[Array, Array]:
    """Membrane modulus of a face in a direction [Pa], and ν12 ν21 there.

    Parameters
    ----------
    compliance : ndarray, shape (..., 3, 3)
        inv(A) of the face alone [m/N].
    thickness, angle : ndarray, shape (...)
        Of the face [m]; from x [rad].
    """
    cos, sin = np.cos(angle), np.sin(angle)
    c, s, t = cos * cos, sin * sin, cos * sin
    S = compliance
    S11, S22, S66 = S[..., 0, 0], S[..., 1, 1], S[..., 2, 2]
    S12, S16, S26 = S[..., 0, 1], S[..., 0, 2], S[..., 1, 2]
    # The compliance turned to the direction, component by component: it is asked for at every
    # point of a part a hundred times, where products of small matrices take five times as long.
    both = (2 * S12 + S66) * t * t
    a11 = S11 * c * c + S22 * s * s + both + 2 * t * (S16 * c + S26 * s)
    a22 = S11 * s * s + S22 * c * c + both - 2 * t * (S16 * s + S26 * c)
    a12 = (S11 + S22 - S66) * t * t + S12 * (c * c + s * s) + (S16 - S26) * t * (s - c)
    with np.errstate(divide="ignore", invalid="ignore"):
        return 1 / (thickness * a11), a12**2 / (a11 * a22)


def core_shear_modulus(G: Array, angle: Array) -> Array:
    """Shear modulus of a core (..., 2, 2) in a direction's upright plane [Pa]."""
    cos, sin = np.cos(angle), np.sin(angle)
    across = (G[..., 0, 1] + G[..., 1, 0]) * cos * sin
    return np.asarray(G[..., 0, 0] * cos * cos + G[..., 1, 1] * sin * sin + across)


def wrinkling_stress(Ef: Array, Gc: Array, Ec: Any, sizes: tuple[Any, Any], factor: Any) -> Array:
    """Wrinkling stress of a face: the smaller of its forms on a thick and on a thin core.

    A core thinner than the waves reach holds the face better; the thick form stays on the safe
    side of it, and is what counts unless the thin one is smaller.

    Parameters
    ----------
    Ef, Gc : ndarray
        Moduli of the face, and shear moduli of the core [Pa].
    Ec : float or ndarray
        Modulus of the core through its thickness [Pa].
    sizes : tuple of float or ndarray
        Thickness of face and core [m].
    factor : float or ndarray
        Entered knock-down: what stands for 0.91 on a thick core [1]; the thin form is lowered
        in the same measure.
    """
    tf, tc = sizes
    thick = THICK * np.cbrt(Ef * Ec * Gc)
    thin = THIN_BEND * np.sqrt(Ef * Ec * tf / tc) + THIN_SHEAR * Gc * tc / tf
    return np.asarray(factor / THICK * np.minimum(thick, thin))


class _Compressed(ABC):
    """The greatest compression against the limit of its direction."""

    modes: tuple[str, ...]
    stress: Literal["in-plane", "transverse", "sandwich"] = "sandwich"
    fibre: Fibre | None = None
    kinds = ("core",)
    optional = True

    @abstractmethod
    def limit(self, data: Strengths, angle: Array) -> Array:
        """Limit in a direction, shape (...); infinite where there is nothing to judge."""

    @guarded
    def evaluate(
        self, strengths: Strengths, applied: Array, residual: Array | None = None
    ) -> Outcome:
        """Evaluate; the index is of first degree in the stress.

        Parameters
        ----------
        strengths : mapping of str to ndarray
            By `limits`.
        applied : ndarray, shape (..., 3)
            Stress [Pa] or force [N/m] that is scaled, in laminate axes.
        residual : ndarray, shape (..., 3), optional
            What is held fixed of it.
        """
        index = self.index(strengths, applied)
        with np.errstate(divide="ignore"):
            reserve = np.where(index > 0, 1 / np.where(index > 0, index, 1.0), np.inf)
        if residual is not None:
            reserve = self._first(strengths, applied, residual)
            index = self.index(strengths, applied + residual)
        mode = np.broadcast_to(np.asarray(strengths["mode"], np.int8), index.shape)
        return Outcome(reserve, index, mode.copy())

    def index(self, strengths: Strengths, stress: Array) -> Array:
        """Compression as a share of its limit, in the shape of the stresses less their axis."""
        push, angle = compression(stress)
        judged = np.broadcast_to(np.asarray(strengths["judged"], bool), push.shape)
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(
                judged & ~np.isnan(push),
                push / self.limit(strengths, angle),
                np.where(np.isnan(push), np.nan, 0.0),
            )

    def _first(self, strengths: Strengths, applied: Array, residual: Array) -> Array:
        """Least multiplier at which the index reaches one; the compression may turn on the way."""
        push, _ = compression(applied)
        held, _ = compression(np.broadcast_to(residual, applied.shape))
        least = self.index(strengths, residual)
        weak, strong = self._limits(strengths)
        judged = np.broadcast_to(np.asarray(strengths["judged"], bool), push.shape)
        reserve = np.where(least >= 1, 0.0, np.inf)
        # Only what is judged and pressed is looked at: of a part's points often a few. What is
        # pulled may yet turn a held compression into a weaker direction.
        rows = np.flatnonzero(judged & ((push > 0) | (held > weak)) & (least < 1))
        if rows.size:
            data = at_rows({**strengths, "weak": weak, "strong": strong}, push.shape, rows)
            limits = data.pop("weak"), data.pop("strong")
            way = Way(self, data, applied, residual, rows)
            reserve.reshape(-1)[rows] = way.first(limits)
        return reserve

    def _limits(self, strengths: Strengths) -> tuple[Array, Array]:
        """Least and greatest limit over all directions, with room for those between the looked at.

        A stiff fibre is narrow: half a degree off it a face of E1 = 1000 G12 has 98 % of its
        modulus, and 4 % at eight degrees.
        """
        here = np.shape(strengths["judged"])
        angles = np.pi * np.arange(DIRECTIONS).reshape(-1, *[1] * len(here)) / DIRECTIONS
        with np.errstate(divide="ignore", invalid="ignore"):
            found = self.limit(strengths, angles)
        found = np.where(np.isfinite(found), found, 0.0)
        return np.asarray(found.min(axis=0) / ROOM), np.asarray(found.max(axis=0) * ROOM)


def _faces(sandwich: Sandwich) -> dict[str, Array]:
    """Faces by level: bottom and top are the faces, nothing is judged at the middle."""
    below, above = sandwich.faces
    return {
        "judged": np.array([below is not None, False, above is not None]),
        "compliance": np.array([f[0] if f else np.eye(3) for f in (below, None, above)]),
        "tf": np.array([f[1] if f else 1.0 for f in (below, None, above)]),
        "mode": np.array([0, 0, 1], np.int8),
    }


class Wrinkling(_Compressed):
    """Short waves of a face that the core does not hold down."""

    key = "wrinkling"
    title = "face wrinkling"
    formula = "−s_min / (k (Ef Ec Gc)^⅓), or the thin-core form where less"
    needs: tuple[str, ...] = ("E3", "G13", "G23", "wrinkling_k")
    modes = ("face wrinkling, bottom face", "face wrinkling, top face")
    source = "Hoff & Mautner, J. Aeronaut. Sci. 12 (1945) 285–297"
    reads: Literal["faces", "forces", "bending"] = "faces"

    def limits(self, sandwich: Sandwich, core: Strengths) -> dict[str, Array]:
        """Faces and core by level, each of shape (3,)."""
        whole = {"G": sandwich.G, "Ec": sandwich.Ec, "tc": sandwich.tc, "k": core["wrinkling_k"]}
        return _faces(sandwich) | {k: np.array([v] * 3) for k, v in whole.items()}

    def limit(self, data: Strengths, angle: Array) -> Array:
        """Wrinkling stress [Pa], in the shape of the angles [rad]."""
        Ef, _ = modulus(data["compliance"], data["tf"], angle)
        return wrinkling_stress(
            Ef,
            core_shear_modulus(data["G"], angle),
            data["Ec"],
            (data["tf"], data["tc"]),
            data["k"],
        )


class Dimpling(_Compressed):
    """A face that buckles into the cells of a honeycomb."""

    key = "dimpling"
    title = "dimpling"
    formula = "−s_min / (2 Ef / (1 − ν12 ν21) · (tf / cell)²)"
    needs: tuple[str, ...] = ("cell_size",)
    modes = ("dimpling, bottom face", "dimpling, top face")
    source = "Norris, FPL report 1817 (1964)"
    reads: Literal["faces", "forces", "bending"] = "faces"

    def limits(self, sandwich: Sandwich, core: Strengths) -> dict[str, Array]:
        """Faces and cells by level, each of shape (3,)."""
        return _faces(sandwich) | {"cell": np.full(3, core["cell_size"])}

    def limit(self, data: Strengths, angle: Array) -> Array:
        """Dimpling stress [Pa], in the shape of the angles [rad]."""
        Ef, product = modulus(data["compliance"], data["tf"], angle)
        return np.asarray(2 * Ef / (1 - product) * (data["tf"] / data["cell"]) ** 2)


class Crimping(_Compressed):
    """The whole section gives way in shear of its core, whatever its length."""

    key = "crimping"
    title = "shear crimping"
    formula = "−N_min / (Gc d² / tc)"
    needs: tuple[str, ...] = ("G13", "G23")
    modes = ("shear crimping",)
    source = "Allen, Analysis and Design of Structural Sandwich Panels (1969), ch. 8"
    reads: Literal["faces", "forces", "bending"] = "forces"

    def limits(self, sandwich: Sandwich, core: Strengths) -> dict[str, Array]:
        """Core and sizes by level, each of shape (3,); judged at the middle."""
        judged = np.array([False, None not in sandwich.faces, False])
        depth = sandwich.distance**2 / sandwich.tc
        return {
            "judged": judged,
            "mode": np.zeros(3, np.int8),
            "depth": np.full(3, depth),
            "G": np.array([sandwich.G] * 3),
        }

    def limit(self, data: Strengths, angle: Array) -> Array:
        """Force per width [N/m], in the shape of the angles [rad]."""
        return np.asarray(core_shear_modulus(data["G"], angle) * data["depth"])


class Crushing:
    """Bent faces press on the core between them, q = M κ / d, and so does a pressure on them.

    A surface that is curved from the start adds its curvature to κ. The core is held to carry all
    of a pressure where it acts; pressures that pull count as none.
    """

    key = "crushing"
    title = "core crushing"
    formula = "((Mx kx + My ky + Mxy kxy) / d + p) / Zc"
    needs: tuple[str, ...] = ("Zc",)
    modes: tuple[str, ...] = ("core crushing",)
    stress: Literal["in-plane", "transverse", "sandwich"] = "sandwich"
    source = "Allen, Analysis and Design of Structural Sandwich Panels (1969), ch. 9"
    reads: Literal["faces", "forces", "bending"] = "bending"
    fibre: Fibre | None = None
    kinds = ("core",)
    optional = True

    def limits(self, sandwich: Sandwich, core: Strengths) -> dict[str, Array]:
        """Strength and distance of the faces, each of shape (3,); judged at the middle."""
        strength = np.full(3, np.inf)
        if None not in sandwich.faces:
            strength[1] = core["Zc"]
        return {"Zc": strength, "d": np.full(3, sandwich.distance), "curved": np.zeros((3, 3))}

    @guarded
    def evaluate(
        self, strengths: Strengths, applied: Array, residual: Array | None = None
    ) -> Outcome:
        """Evaluate; the index is of second degree in the load.

        Parameters
        ----------
        strengths : mapping of str to ndarray
            By `limits`; `curved` is the curvature of the surface, shape (..., 3) [1/m].
        applied : ndarray, shape (..., 7)
            Moments about the middle [N], curvatures by bending [1/m] and pressure on the faces
            [Pa] that are scaled.
        residual : ndarray, shape (..., 7), optional
            What is held fixed of them.
        """
        strength = np.asarray(strengths["Zc"])
        held = np.zeros_like(applied) if residual is None else residual
        start = held[..., 3:6] + np.asarray(strengths["curved"])

        def by_bending(moment: Array, curvature: Array) -> Array:
            product = (moment[..., :3] * curvature).sum(axis=-1)
            return np.asarray(product / (strength * np.asarray(strengths["d"])))

        a, c = by_bending(applied, applied[..., 3:6]), by_bending(held, start)
        b = by_bending(applied, start) + by_bending(held, applied[..., 3:6])
        whole = (np.zeros_like(a), np.full_like(a, np.inf))
        grows, stays = applied[..., 6] / strength, held[..., 6] / strength
        # A pressure that pulls does not relieve: without it is a way to fail of its own.
        reserve = np.minimum(
            first_reach(a, b, c - 1, whole), first_reach(a, b + grows, c + stays - 1, whole)
        )
        index = a + b + c + np.maximum(grows + stays, 0.0)
        return Outcome(reserve, index, np.zeros(a.shape, np.int8))


RULES = (Wrinkling(), Dimpling(), Crimping(), Crushing())
"""All of them."""

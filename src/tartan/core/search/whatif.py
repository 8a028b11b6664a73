"""What each of many candidate stacks would do to the governing reserve factor.

Candidates of one ply count are worked out together: stiffness, response and ply stresses as
arrays over candidates, load cases, plies and levels, and one call of each criterion a material.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS
from tartan.core.errors import StackError
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.laminate.shear import growth_distribution, shear_distribution
from tartan.core.laminate.stiffness import Laminate, reduced_stiffness, strain_rotation
from tartan.core.materials import Material
from tartan.core.search.changes import Change
from tartan.core.stack.plies import Ply, Stack
from tartan.core.strength.laminate_reserves import Beside, Check, Sets, checks_of, reserves

Array = NDArray[np.float64]

LEVELS = np.array([-1.0, 0.0, 1.0])

BLOCK = 12_000
"""Ply levels in one piece of work: a few tens of milliseconds."""

SANDWICHES = 32
"""Sandwiches in one piece: each takes some milliseconds, between which there are pauses."""


@dataclass(frozen=True)
class Ranked:
    """A change with its effect.

    Attributes
    ----------
    change : Change
        The change.
    reserve : float
        Governing reserve factor over all load cases [1].
    load : int
        Load case that governs.
    mass : float
        Mass per area [kg/m²]; NaN when a density is missing.
    """

    change: Change
    reserve: float
    load: int
    mass: float


def rank(
    changes: Sequence[Change],
    materials: Mapping[str, Material],
    loads: Sequence[LoadCase],
    sets: Sets = DEFAULT_SETS,
    block: int = BLOCK,
) -> Iterator[list[Ranked]]:
    """Evaluate changes piece by piece.

    Parameters
    ----------
    changes : sequence of Change
        Candidates.
    materials : mapping of str to Material
        Every material they use.
    loads : sequence of LoadCase
        Load cases; the worst governs.
    sets : mapping
        Criteria by material name or kind.
    block : int
        Ply levels times load cases in one piece.

    Yields
    ------
    list of Ranked
        In the order of `changes` within a piece; pieces of unlike ply counts follow each other.
        Empty ones say that a piece takes longer, so that whoever goes through them is not held up.

    Raises
    ------
    StackError
        Without a load case.
    CriterionError, MaterialError
        As `checks_of`.
    """
    if not loads:
        raise StackError("There is no load to rank changes by.", "Load cases", "Add a load case.")
    by_count: dict[int, list[Change]] = {}
    for change in changes:
        by_count.setdefault(len(change.plies), []).append(change)
    table = _Table(materials, sets)
    for count, group in by_count.items():
        size = max(1, block // (count * 3 * max(1, len(loads))))
        if any(materials[p.material].kind == "core" for p in group[0].plies):
            size = min(size, SANDWICHES)
        for start in range(0, len(group), size):
            piece = group[start : start + size]
            yield from _evaluate(piece, table, loads)


class _Table:
    """Layers (material and angle) met so far, with their stiffness, and the checks."""

    def __init__(self, materials: Mapping[str, Material], sets: Sets) -> None:
        self._materials, self._sets = materials, sets
        self._index: dict[tuple[str, float], int] = {}
        # Candidates share most of their plies: each object is looked up once.
        self._by_object: dict[int, tuple[int, Ply]] = {}
        self.names: list[str] = []
        self.checks: list[Check] = []

    def rows(self, piece: Sequence[Change]) -> NDArray[np.int64]:
        """Layer of every ply of some candidates of one ply count, shape (m, n)."""
        known = len(self._index)
        rows = np.array([[self._at(p) for p in c.plies] for c in piece])
        if len(self._index) != known:
            self._renew()
        return rows

    def _at(self, ply: Ply) -> int:
        found = self._by_object.get(id(ply))
        if found is None:
            layer = (ply.material, ply.angle)
            # The ply is kept with its number, so that no other object takes its place.
            found = (self._index.setdefault(layer, len(self._index)), ply)
            self._by_object[id(ply)] = found
        return found[0]

    def _renew(self) -> None:
        """Stiffness of all layers, and checks of all materials."""
        layers = list(self._index)
        names = list(dict.fromkeys(name for name, _ in layers))
        used = [self._materials[name] for name in names]
        self.material = np.array([names.index(name) for name, _ in layers])
        T = strain_rotation(np.deg2rad([angle for _, angle in layers]))
        Q = np.array([reduced_stiffness(m) for m in used])[self.material]
        self.T = T
        self.Qbar = np.swapaxes(T, 1, 2) @ Q @ T
        self.operator = Q @ T
        free = np.array([[m.alpha1, m.alpha2, 0.0, m.beta1, m.beta2, 0.0] for m in used])
        free = free[self.material].reshape(-1, 2, 3)
        # Free expansion in laminate axes: by temperature and by moisture.
        self.free = np.einsum("uij,utj->uti", np.linalg.inv(T), free)
        self.rho = np.array([np.nan if m.rho is None else m.rho for m in used])[self.material]
        if names != self.names:
            self.names = names
            one_each = Stack("", tuple(Ply(name, 0.0, 1e-3) for name in names))
            every = checks_of(Laminate(one_each, tuple(used)), self._sets)
            self.checks = [c for c in every if c.rule.stress != "sandwich"]

    def stability(
        self, piece: Sequence[Change], stresses: tuple[Array, Array], least: Array, beside: Beside
    ) -> Iterator[None]:
        """Lower reserve factors, shape (k, m), in place where a sandwich gives way as a whole.

        Faces and core differ from candidate to candidate, so these are looked up one by one; then
        every criterion judges all of them together. It pauses where it may be left for a while.
        """
        if not any(m.kind == "core" for m in map(self._materials.get, self.names) if m):
            return
        alike: dict[tuple[str, int], list[tuple[int, Check]]] = {}
        for i, change in enumerate(piece):
            used = tuple(self._materials[p.material] for p in change.plies)
            if not any(m.kind == "core" for m in used):
                continue
            for check in checks_of(Laminate(Stack("", tuple(change.plies)), used), self._sets):
                if check.rule.stress == "sandwich":
                    alike.setdefault((check.rule.key, len(check.plies)), []).append((i, check))
            yield
        for group in alike.values():
            at = [i for i, _ in group]
            least[:, at] = np.minimum(least[:, at], _together(group, stresses, beside))
            yield


def _together(
    group: list[tuple[int, Check]], stresses: tuple[Array, Array], beside: Beside
) -> Array:
    """Reserve factors, shape (k, q), of q candidates by one sandwich criterion each."""
    stress, held = stresses
    fed = np.stack([c.fed(stress[:, i], None, beside.press) for i, c in group], axis=1)
    rest = None
    if held.any() or beside.held.any():
        rest = np.stack([c.fed(held[:, i], None, beside.held) for i, c in group], axis=1)
    first = group[0][1]
    data = {k: np.stack([np.asarray(c.strengths[k]) for _, c in group]) for k in first.strengths}
    check = replace(first, strengths=data).on_surface(beside.curved[:, None])
    found = check.rule.evaluate(check.strengths, fed, rest).reserve.min(axis=(2, 3))
    for q in np.flatnonzero(np.isnan(found).any(axis=0)):
        # Whoever judges one laminate says what is wrong with it.
        i, own = group[q]
        reserves([own], stress[:, i], residual=held[:, i], beside=beside)
    return np.asarray(found)


def _evaluate(
    piece: list[Change], table: _Table, loads: Sequence[LoadCase]
) -> Iterator[list[Ranked]]:
    layer = table.rows(piece)
    t = np.array([[p.thickness for p in c.plies] for c in piece])
    h = t.sum(axis=1)
    low = np.cumsum(t, axis=1) - t - h[:, None] / 2
    mean = low + t / 2
    Qbar = table.Qbar[layer]
    ABD = _stiffness(Qbar, t, mean)
    stress = np.empty((len(loads), *layer.shape, 3, 3))
    held = np.zeros_like(stress)
    place = mean[..., None] + t[..., None] / 2 * LEVELS
    for k, load in enumerate(loads):
        strain, resting = _response(load, ABD, (Qbar, t, mean, h), table.free[layer])
        stress[k] = _stress(strain, place, table.operator[layer])
        if load.growing_dT or load.growing_gradient:
            rise = load.growing_dT + load.growing_gradient * place
            stress[k] -= np.einsum(
                "mnij,mnsj->mnsi",
                table.operator[layer],
                rise[..., None] * table.free[layer][:, :, :1],
            )
        if resting is not None:
            free = (load.dT + load.dT_gradient * place)[..., None] * table.free[layer][:, :, :1]
            free = free + load.dC * table.free[layer][:, :, 1:]
            whole = resting[:, None, None, :3] + place[..., None] * resting[:, None, None, 3:]
            held[k] = np.einsum("mnij,mnsj->mnsi", table.operator[layer], whole - free)
            if load.scales_temperature:
                stress[k] += held[k]
                held[k] = 0.0
    section = (Qbar, (t, low), ABD, layer, table)
    shear = _shear(np.array([load.shearing for load in loads]), *section)
    held_shear = _shear(np.array([load.held_shearing for load in loads]), *section)
    if held_shear is not None:
        shear = np.zeros_like(held_shear) if shear is None else shear
        moves = [k for k, load in enumerate(loads) if load.scales_temperature]
        shear[moves] += held_shear[moves]
        held_shear[moves] = 0.0
    least = _least(table, layer, (stress, shear), (held, held_shear))
    each = [Beside.of(load) for load in loads]
    beside = Beside(
        np.array([b.press for b in each]),
        np.array([b.held for b in each]),
        np.array([b.curved for b in each]),
    )
    for _ in table.stability(piece, (stress, held), least, beside):
        yield []
    worst = least.argmin(axis=0)
    mass = (table.rho[layer] * t).sum(axis=1)
    yield [
        Ranked(c, float(least[worst[i], i]), int(worst[i]), float(mass[i]))
        for i, c in enumerate(piece)
    ]


def _stiffness(Qbar: Array, t: Array, mean: Array) -> Array:
    """A, B, D of every candidate, shape (m, 6, 6)."""
    weights = np.stack([t, t * mean, t * (mean**2 + t**2 / 12)])
    A, B, D = np.einsum("wmn,mnij->wmij", weights, Qbar)
    return np.block([[A, B], [B, D]])


def _solve(ABD: Array, h: Array, known: NDArray[np.bool_], values: Array, free: Array) -> Array:
    """Strains of mixed problems, as `respond_mixed`, shape (m, 6)."""
    s = np.concatenate([np.ones((len(h), 3)), np.repeat(h[:, None], 3, axis=1)], axis=1)
    K = ABD / (s[:, :, None] * s[:, None, :])
    strain = np.where(known, values, 0.0) * s
    right = (np.where(known, 0.0, values) + free) / s - np.einsum("mij,mj->mi", K, strain)
    open_ = ~known
    if open_.any():
        rows = np.flatnonzero(open_)
        strain[:, rows] = np.linalg.solve(K[:, rows[:, None], rows], right[:, rows, None])[..., 0]
    found: Array = strain / s
    return found


def _response(
    load: LoadCase, ABD: Array, section: tuple[Array, Array, Array, Array], free: Array
) -> tuple[Array, Array | None]:
    """Strains under the mechanical part and under temperature and moisture, shape (m, 6)."""
    Qbar, t, mean, h = section
    values = np.array([load.prescribed(float(size)) for size in h])
    known = load.is_strain
    if not (load.rests or load.growing_dT or load.growing_gradient):
        return _solve(ABD, h, known, values, np.zeros_like(values)), None
    a = np.einsum("mnij,mnj->mni", Qbar, free[:, :, 0])
    b = np.einsum("mnij,mnj->mni", Qbar, free[:, :, 1])
    powers = np.stack([t, t * mean, t * (mean**2 + t**2 / 12)])

    def freely(dT: float, gradient: float, dC: float = 0.0) -> Array:
        """Resultants of free expansion, shape (m, 6)."""
        heat = [dT * powers[i] + gradient * powers[i + 1] for i in (0, 1)]
        each = [
            np.einsum("mni,mn->mi", a, heat[i]) + dC * np.einsum("mni,mn->mi", b, powers[i])
            for i in (0, 1)
        ]
        return np.concatenate(each, axis=1)

    grows = freely(load.growing_dT, load.growing_gradient)
    strain = _solve(ABD, h, known, values, grows)
    if not load.rests:
        return strain, None
    stays = np.broadcast_to(load.held_forces, values.shape)
    held = _solve(ABD, h, known, stays, freely(load.dT, load.dT_gradient, load.dC))
    return strain, held


def _stress(strain: Array, place: Array, operator: Array) -> Array:
    """Ply stresses, shape (m, n, 3, 3) [Pa]."""
    membrane = np.einsum("mnij,mj->mni", operator, strain[:, :3])
    bending = np.einsum("mnij,mj->mni", operator, strain[:, 3:])
    found: Array = membrane[:, :, None] + place[..., None] * bending[:, :, None]
    return found


def _shear(
    shearing: Array,
    Qbar: Array,
    heights: tuple[Array, Array],
    ABD: Array,
    layer: NDArray[np.int64],
    table: _Table,
) -> Array | None:
    """Interlaminar shear stresses in ply axes, shape (k, m, n, 3, 2); None when there are none."""
    if not shearing.any():
        return None
    t, low = heights
    compliance = np.linalg.inv(ABD)
    # cos² and cos·sin are in the strain rotation; cos and sin follow up to a common sign.
    c2, cs = table.T[layer][..., 0, 0], table.T[layer][..., 0, 2]
    angle = np.arctan2(cs, c2)
    c, s = np.cos(angle), np.sin(angle)
    turn = np.moveaxis(np.array([[c, s], [-s, c]]), (0, 1), (-2, -1))
    found = np.empty((len(shearing), *layer.shape, 3, 2))
    grows = bool(shearing[:, 2:].any())
    for i in range(len(layer)):
        z = np.append(low[i], low[i, -1] + t[i, -1])
        f = shear_distribution(Qbar[i], z, compliance[i], LEVELS)
        if grows:
            f = np.concatenate([f, growth_distribution(Qbar[i], z, compliance[i], LEVELS)], -1)
        found[:, i] = np.einsum("nij,nsjq,kq->knsi", turn[i], f, shearing[:, : f.shape[-1]])
    return found


def _least(
    table: _Table,
    layer: NDArray[np.int64],
    scaled: tuple[Array, Array | None],
    rests: tuple[Array, Array | None],
) -> Array:
    """Least reserve factor by load case and candidate, shape (k, m)."""
    (stress, shear), (held, held_shear) = scaled, rests
    reserve = np.full(stress.shape[:-1], np.inf)
    material = table.material[layer]
    residual = bool(held.any())
    for check in table.checks:
        here = material == check.plies[0]
        if not here.any():
            continue
        if check.rule.stress == "transverse":
            if shear is None:
                continue
            rest = None if held_shear is None else held_shear[:, here]
            found = check.rule.evaluate(check.strengths, shear[:, here], rest).reserve
        else:
            rest = held[:, here] if residual else None
            found = check.rule.evaluate(check.strengths, stress[:, here], rest).reserve
        reserve[:, here] = np.minimum(reserve[:, here], found)
    least: Array = reserve.min(axis=(2, 3))
    return least

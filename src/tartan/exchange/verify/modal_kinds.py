"""Answers by shell elements: buckling and frequencies of simply supported plates, bent strips.

Each eigenvalue is extrapolated from two meshes with the elements' second order; modes are
matched from mesh to mesh by their half waves.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import shear_from_section, stress_from_section
from tartan.core.shell import eigen
from tartan.core.shell.inertia import mass_moments
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.solve import (
    ShellModel,
    geometric_matrix,
    mass_matrix,
    section_matrix,
    solve,
    stiffness_matrix,
)
from tartan.exchange.verify.reading import Inputs, number, read_laminate
from tartan.exchange.verify.shell_kinds import shear_form, simple_supports

Array = NDArray[np.float64]
Found = dict[tuple[int, int], float]

MESHES = (12, 20, 32, 48)
"""Elements along the shorter side, from mesh to mesh."""

AGREEMENT = 1e-3
"""Extrapolations that differ by less than this share have converged."""

MORE = 8
"""Modes asked for beyond those wanted: some move in the plane, some swap places."""

MOST_UNKNOWNS = 60_000


def navier_buckling(inputs: Inputs) -> dict[str, Any]:
    """Buckling of a simply supported plate under uniform membrane forces."""
    laminate = read_laminate(inputs)
    nx, ny = (number(inputs.get(k), k) for k in ("nx", "ny"))

    def values(model: ShellModel, count: int) -> tuple[Array, Array]:
        forces = np.zeros((len(model.mesh.quads), 4, 6))
        forces[..., 0], forces[..., 1] = -nx, -ny
        G = geometric_matrix(model, forces, normal_only=True)
        push = np.append(laminate.compliance[:3, :3] @ [-nx, -ny, 0.0], np.zeros(5))
        most = eigen.greatest_factor(push[None, None], np.zeros(1))
        steps = eigen.buckling(stiffness_matrix(model), G, count, most=most, check=False)
        found = eigen.run(steps)
        if len(found.values) == 0:
            raise PartError(
                "No part of the load compresses: it does not buckle.",
                "nx, ny",
                "Turn the load round.",
            )
        return found.values, found.shapes

    return _by_form(inputs, laminate, values, "load_multiplier")


def navier_frequency(inputs: Inputs) -> dict[str, Any]:
    """Natural frequencies of a simply supported plate."""
    laminate = read_laminate(inputs)
    moments = mass_moments(laminate)
    if not inputs.get("rotary", True):
        moments = moments * np.array([1.0, 0.0, 0.0])

    def values(model: ShellModel, count: int) -> tuple[Array, Array]:
        K, M = stiffness_matrix(model), mass_matrix(model, moments)
        found = eigen.run(eigen.modes(K, M, count, check=False))
        return found.frequencies, found.shapes

    return _by_form(inputs, laminate, values, "frequency")


def _by_form(inputs: Inputs, laminate: Laminate, values: Any, name: str) -> dict[str, Any]:
    count = int(number(inputs.get("count"), "count", default=1.0))
    a, b = (number(inputs.get(k), k) for k in ("a", "b"))
    if min(a, b) <= 0 or not 0 < count <= 50:
        raise PartError("Sides and count must be greater than zero.", "a, b, count", "Mend them.")
    edges = str(inputs.get("edges", "SS1"))
    found: dict[str, Any] = {}
    for form in inputs.get("shear", ["energy"]):
        label, H = shear_form(form, laminate)
        C = section_matrix(laminate.ABD, H)
        best = _converged(
            lambda n, s=C: _of_mesh(laminate, s, (a, b), edges, n, count, values), count
        )
        chosen = _lowest(best, count)
        found[f"{label}.{name}"] = [v for _, v in chosen]
        found[f"{label}.half_waves"] = [list(k) for k, _ in chosen]
    return found


def _lowest(found: Found, count: int) -> list[tuple[tuple[int, int], float]]:
    return sorted(found.items(), key=lambda kv: kv[1])[:count]


def _converged(of_mesh: Any, count: int) -> Found:
    """Extrapolated from mesh to mesh until the lowest, which are asked for, agree."""
    last: tuple[int, Found] | None = None
    best: Found = {}
    for n in MESHES:
        new = of_mesh(n)
        if last is not None:
            ratio = (n / last[0]) ** 2
            better = {
                k: (ratio * v - last[1][k]) / (ratio - 1) for k, v in new.items() if k in last[1]
            }
            now, before = _lowest(better, count), _lowest(best, count)
            same = [k for k, _ in now] == [k for k, _ in before] and all(
                abs(v - w) <= AGREEMENT * abs(v)
                for (_, v), (_, w) in zip(now, before, strict=True)
            )
            if best and same:
                return better
            best = better
        last = (n, new)
    return best


def _of_mesh(
    laminate: Laminate,
    C: Array,
    plate: tuple[float, float],
    edges: str,
    n: int,
    count: int,
    values: Any,
) -> Found:
    """Eigenvalues by half waves on one mesh."""
    a, b = plate
    counts = [max(n, min(6 * n, 2 * round(n * side / min(a, b) / 2))) for side in (a, b)]
    mesh = grid_mesh(Panel(a, b), *counts)
    if 6 * len(mesh.nodes) > MOST_UNKNOWNS:
        shrink = np.sqrt(MOST_UNKNOWNS / (6 * len(mesh.nodes)))
        counts = [max(8, int(c * shrink)) for c in counts]
        mesh = grid_mesh(Panel(a, b), *counts)
    fixed = simple_supports(mesh, edges)
    model = ShellModel(mesh, laminate, np.array([1.0, 0.0, 0.0]), fixed, C)
    found, shapes = values(model, count + MORE)
    flat = np.zeros((len(shapes), fixed.size))
    flat[:, ~fixed.ravel()] = shapes
    return _labelled(found, flat.reshape(len(shapes), len(mesh.nodes), 6), counts)


def _labelled(values: Array, shapes: Array, counts: list[int]) -> Found:
    """Half waves of every bending mode; near-equal modes share what they have together."""
    waves: list[Array | None] = []
    for shape in shapes:
        grid = shape[:, 2].reshape(counts[1] + 1, counts[0] + 1)[1:-1, 1:-1]
        bends = (shape[:, 2] ** 2).sum() > 0.05 * (shape[:, :3] ** 2).sum()
        waves.append(scipy.fft.dstn(grid, type=1) ** 2 if bends else None)
    found: Found = {}
    i = 0
    while i < len(values):
        j = i
        while j + 1 < len(values) and values[j + 1] <= values[i] * (1 + 1e-6):
            j += 1
        group = [k for k in range(i, j + 1) if waves[k] is not None]
        if group:
            energy = np.sum([w for k in group if (w := waves[k]) is not None], axis=0)
            order = np.argsort(energy, axis=None)[::-1][: len(group)]
            pairs = sorted(
                (int(m) + 1, int(n) + 1)
                for n, m in zip(*np.unravel_index(order, energy.shape), strict=True)
            )
            for k, pair in zip(group, pairs, strict=True):
                found.setdefault(pair, float(values[k]))
        i = j + 1
    return found


def strip_bending(inputs: Inputs) -> dict[str, Any]:
    """Strip in three-point bending: stress, interlaminar shear and deflection at mid-span."""
    laminate = read_laminate(inputs)
    length, width, span, q = (
        number(inputs.get(k), k) for k in ("length", "width", "span", "line_load")
    )
    if not 0 < span <= length or width <= 0:
        raise PartError("The span must lie within the strip.", "span, length, width", "Mend them.")
    meshes = [_strip(laminate, (length, width, span), q, n) for n in (24, 48)]
    return {k: float((4 * meshes[1][k] - meshes[0][k]) / 3) for k in meshes[0]}


def _strip(
    laminate: Laminate, sizes: tuple[float, float, float], q: float, n: int
) -> dict[str, float]:
    """One mesh with n elements in half the span; outputs are means over the width."""
    length, width, span = sizes
    size = span / 2 / n
    over = max(1, round((length - span) / 2 / size)) if length > span else 0
    half = np.concatenate(
        [np.linspace(0, span / 2, n + 1), np.linspace(span / 2, length / 2, over + 1)[1:]]
    )
    x = np.concatenate([-half[:0:-1], half])
    across = max(4, 2 * round(width / size / 2))
    mesh = grid_mesh(Panel(length, width), len(x) - 1, across)
    nodes = mesh.nodes.copy()
    nodes[:, 0] = np.tile(x, across + 1)
    mesh = Mesh(nodes, mesh.quads, mesh.edges, mesh.places)
    fixed = np.zeros((len(nodes), 6), bool)
    fixed[np.isclose(np.abs(nodes[:, 0]), span / 2, atol=size * 1e-6), 2] = True
    middle = np.flatnonzero(np.isclose(nodes[:, 0], 0.0, atol=size * 1e-6))
    fixed[middle, 0] = True
    fixed[middle[across // 2], 1] = True
    forces = np.zeros((1, len(nodes), 6))
    share = np.full(across + 1, width / across)
    share[[0, -1]] /= 2
    forces[0, middle, 2] = -q * share
    model = ShellModel(mesh, laminate, np.array([1.0, 0.0, 0.0]), fixed)
    found = solve(model, forces)
    strains = found.strains[0].mean(axis=1).reshape(across, len(x) - 1, 8).mean(axis=0)
    centre = (x[1:] + x[:-1]) / 2
    # The moment is straight between support and load: a line through two centres reaches it.
    first = int(np.argmax(centre > 0))
    slope = (strains[first + 1] - strains[first]) / (centre[first + 1] - centre[first])
    peak = strains[first] - slope * centre[first]
    quarter = strains[np.abs(centre - span / 4).argmin()]
    outer = stress_from_section(laminate, peak)[0, 0, 0]
    shear = np.abs(shear_from_section(laminate, quarter)[0, 2, 0])
    deflection = np.abs(found.displacement[0, middle, 2] @ share) / width
    return {"sigma_11_E": abs(float(outer)), "tau_D": float(shear), "w_E": float(deflection)}

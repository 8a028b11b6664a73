"""Answers by shell elements: simply supported plates and a free one.

The whole plate is meshed and solved on finer and finer meshes; each output is extrapolated
from two meshes with the elements' second order, until the extrapolations agree. Fields are read
from element centres, where strains converge best, and carried to the asked point by local cubic
polynomials.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import (
    Load,
    free_resultants,
    level_heights,
    stress_from_section,
)
from tartan.core.shell.element import GAUSS, shape
from tartan.core.shell.loads import edge_force, free_strain, pressure
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.solve import ShellModel, section_matrix, solve
from tartan.exchange.verify.laminate_kinds import read_load
from tartan.exchange.verify.reading import (
    Inputs,
    NotYetError,
    number,
    numbers,
    read_laminate,
)

Array = NDArray[np.float64]

MESHES = (16, 32, 48, 64, 96)
"""Elements along the shorter side, from mesh to mesh."""

AGREEMENT = 5e-4
"""Extrapolations that differ by less than this share of their size have converged."""

RIGID = 1e5
"""Shear stiffness of a plate without shear deformation, against its in-plane one."""

# Unknowns held at x = 0, a and at y = 0, b, by the name of the edge condition.
_EDGE_CONDITIONS = {"SS1": ((1, 2, 3), (0, 2, 4)), "SS2": ((0, 2, 3), (1, 2, 4))}


@dataclass(frozen=True, eq=False)
class _Field:
    """Section strains at the centres of an (ny, nx) grid over a × b."""

    values: Array
    a: float
    b: float

    def at(self, x: float, y: float, dx: int = 0, dy: int = 0) -> Array:
        """Value or derivative at a point, shape (8,)."""
        ny, nx = self.values.shape[:2]
        i, wx = _stencil(nx, self.a, x, dx)
        j, wy = _stencil(ny, self.b, y, dy)
        return np.asarray(np.einsum("j,i,jis->s", wy, wx, self.values[j : j + 4, i : i + 4]))


def _stencil(count: int, length: float, x: float, derivative: int) -> tuple[int, Array]:
    """First of four centres around x, and their weights in the cubic through them."""
    h = length / count
    first = int(np.clip(round(x / h) - 2, 0, count - 4))
    places = (np.arange(first, first + 4) + 0.5) * h
    powers = ((places - x) / h)[None, :] ** np.arange(4)[:, None]
    target = np.zeros(4)
    target[derivative] = 1 / h**derivative
    return first, np.linalg.solve(powers, target)


def navier_bending(inputs: Inputs) -> dict[str, Any]:
    """Bending of a simply supported plate under transverse pressure."""
    laminate = read_laminate(inputs)
    a, b = (number(inputs.get(k), k) for k in ("a", "b"))
    q0 = number(inputs.get("q0"), "q0")
    edges, load = str(inputs.get("edges")), str(inputs.get("load"))
    if edges not in _EDGE_CONDITIONS:
        raise NotYetError(f"edge condition {edges}")
    if load not in ("uniform", "sinusoidal"):
        raise NotYetError(f"load {load}")
    if min(a, b) <= 0:
        raise PartError("The plate's sides must be greater than zero.", "a, b", "Mend a or b.")
    found: dict[str, Any] = {}
    for form in inputs.get("shear", ["energy"]):
        name, H = shear_form(form, laminate)
        C = section_matrix(laminate.ABD, H)
        outputs = _converged(laminate, C, (a, b, q0), (edges, load))
        outputs.pop("stress_xy_center")
        found |= {f"{name}.{key}": value for key, value in outputs.items()}
        if name != "clpt":
            found[f"{name}.H"] = H
    return found


def pagano(inputs: Inputs) -> dict[str, Any]:
    """The shell's share of a three-dimensional plate: first-order shear theory by elements.

    The three-dimensional figures themselves are not a shell's to answer.
    """
    laminate = read_laminate(inputs)
    a, b, q0 = (number(inputs.get(k), k) for k in ("a", "b", "q0"))
    if min(a, b) <= 0:
        raise PartError("The plate's sides must be greater than zero.", "a, b", "Mend a or b.")
    C = section_matrix(laminate.ABD, laminate.shear)
    found = _converged(laminate, C, (a, b, q0), ("SS1", "sinusoidal"))
    names = {
        "w_mid": "w_center",
        "stress_xy_center": "stress_xy_center",
        "tau_xz_edge": "tau_xz_edge",
        "tau_yz_edge": "tau_yz_edge",
    }
    return {f"fsdt_energy.{k}": found[v] for k, v in names.items()}


def free_plate(inputs: Inputs) -> dict[str, Any]:
    """Free plate under edge loads and temperature: displacements at points, held at the origin."""
    laminate = read_laminate(inputs)
    points = np.array([numbers(p, 2, "points") for p in inputs.get("points", ())]).reshape(-1, 2)
    if len(points) == 0 or points.min() < 0:
        raise PartError("Points must lie on the plate, at x, y ≥ 0.", "points", "Name some.")
    load = read_load(inputs)
    a, b = (float(v) if v > 0 else 1.0 for v in points.max(axis=0))
    mesh = grid_mesh(Panel(a, b), 12, 12)
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    fixed[0] = True
    x = np.array([1.0, 0.0, 0.0])
    forces = free_strain(mesh, x, free_resultants(laminate, load)) + _rim_loads(mesh, load)
    found = solve(ShellModel(mesh, laminate, x, fixed), forces[None]).displacement[0, :, :3]
    # The exact shape is quadratic, so a quadratic through the nodes carries it to any point.
    at = mesh.nodes[:, :2] + np.array([a, b]) / 2
    fit, *_ = np.linalg.lstsq(_quadratic(at), found, rcond=None)
    return dict(zip("uvw", (_quadratic(points) @ fit).T, strict=True))


def _rim_loads(mesh: Mesh, load: Load) -> Array:
    """Nodal forces and moments of uniform N and M on all four edges, shape (n, 6)."""
    N, M = (np.array([[v[0], v[2]], [v[2], v[1]]]) for v in (load.N, load.M))
    total = np.zeros((len(mesh.nodes), 6))
    for name, outward in (
        ("left edge", (-1.0, 0.0)),
        ("right edge", (1.0, 0.0)),
        ("lower edge", (0.0, -1.0)),
        ("upper edge", (0.0, 1.0)),
    ):
        n, chain = np.array(outward), mesh.edges[name]
        force, moment = N @ n, M @ n
        total += edge_force(mesh, chain, np.append(force, 0.0))
        # Directors move by θ × n = (θy, −θx): the moment along x works on θy.
        turned = edge_force(mesh, chain, np.array([-moment[1], moment[0], 0.0]))
        total[:, 3:] += turned[:, :3]
    return total


def _quadratic(at: Array) -> Array:
    x, y = at[:, 0], at[:, 1]
    return np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=1)


def shear_form(form: Any, laminate: Laminate) -> tuple[str, Array]:
    """Name and stiffness of a way to treat transverse shear."""
    if form == "energy":
        return "energy", laminate.shear
    if form == "clpt":
        return "clpt", np.eye(2) * laminate.A[2, 2] * RIGID
    total = np.einsum("n,nij->ij", np.diff(laminate.z), laminate.shear_moduli)
    if isinstance(form, dict) and set(form) == {"k"}:
        k = number(form["k"], "k")
        return f"k={k:.6g}", total * k
    raise NotYetError(f"shear form {form}")


def simple_supports(mesh: Mesh, edges: str) -> NDArray[np.bool_]:
    """Unknowns held by an edge condition on all four edges, shape (n, 6)."""
    if edges not in _EDGE_CONDITIONS:
        raise NotYetError(f"edge condition {edges}")
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    for names, held in zip(
        (("left edge", "right edge"), ("lower edge", "upper edge")),
        _EDGE_CONDITIONS[edges],
        strict=True,
    ):
        for name in names:
            fixed[np.ix_(mesh.edges[name], np.array(held))] = True
    return fixed


def _converged(
    laminate: Laminate, C: Array, plate: tuple[float, float, float], kind: tuple[str, str]
) -> dict[str, Array]:
    last: tuple[int, dict[str, Array]] | None = None
    best: dict[str, Array] | None = None
    for n in MESHES:
        new = _solve_plate(laminate, C, plate, kind, n)
        if last is not None:
            ratio = (n / last[0]) ** 2
            better = {k: (ratio * v - last[1][k]) / (ratio - 1) for k, v in new.items()}
            if best is not None and all(_near(better[k], best[k]) for k in better):
                return better
            best = better
        last = (n, new)
    assert best is not None
    return best


def _near(x: Array, y: Array) -> bool:
    return bool(np.abs(x - y).max() <= AGREEMENT * np.abs(x).max())


def _solve_plate(
    laminate: Laminate, C: Array, plate: tuple[float, float, float], kind: tuple[str, str], n: int
) -> dict[str, Array]:
    a, b, q0 = plate
    counts = [max(n, min(4 * n, 2 * round(n * side / min(a, b) / 2))) for side in (a, b)]
    mesh = grid_mesh(Panel(a, b), *counts)
    fixed = simple_supports(mesh, kind[0])
    traction = q0 * (np.ones((1, 1)) if kind[1] == "uniform" else _half_waves(mesh, a, b))
    model = ShellModel(mesh, laminate, np.array([1.0, 0.0, 0.0]), fixed, C)
    solution = solve(model, pressure(mesh, traction)[None])
    centres = solution.strains[0].mean(axis=1).reshape(counts[1], counts[0], 8)
    w = solution.displacement[0, :, 2].reshape(counts[1] + 1, counts[0] + 1)
    return _outputs(laminate, C, _Field(centres, a, b)) | {
        "w_center": w[counts[1] // 2, counts[0] // 2]
    }


def _half_waves(mesh: Mesh, a: float, b: float) -> Array:
    N, _ = shape(GAUSS)
    at = np.einsum("pi,mic->mpc", N, mesh.corners())
    waves: Array = np.cos(np.pi * at[..., 0] / a) * np.cos(np.pi * at[..., 1] / b)
    return waves


def _outputs(laminate: Laminate, C: Array, field: _Field) -> dict[str, Array]:
    """Resultants and stresses at the centre, a corner and the edges' middles."""
    a, b = field.a, field.b
    centre, corner = field.at(a / 2, b / 2), field.at(0, 0)
    M = C[3:6, :6]
    to_xy = np.swapaxes(laminate.T, 1, 2)
    stress_corner = np.einsum("nij,nsj->nsi", to_xy, stress_from_section(laminate, corner))
    x_edge = [field.at(0, b / 2, 1, 0), field.at(0, b / 2, 0, 1)]
    y_edge = [field.at(a / 2, 0, 1, 0), field.at(a / 2, 0, 0, 1)]
    Qx = (M @ x_edge[0][:6])[0] + (M @ x_edge[1][:6])[2]
    Qy = (M @ y_edge[1][:6])[1] + (M @ y_edge[0][:6])[2]
    return {
        "M_center": (M @ centre[:6])[:2],
        "Mxy_corner": (M @ corner[:6])[2],
        "stress_12_center": stress_from_section(laminate, centre),
        "stress_xy_center": np.einsum(
            "nij,nsj->nsi", to_xy, stress_from_section(laminate, centre)
        )[..., :2],
        "stress_xy_corner_xy": stress_corner[..., 2],
        "tau_xz_edge": _equilibrium(laminate, *x_edge)[0],
        "tau_yz_edge": _equilibrium(laminate, *y_edge)[1],
        "Q_edge": np.array([Qx, Qy]),
    }


def _equilibrium(laminate: Laminate, by_x: Array, by_y: Array) -> Array:
    """Shear stresses xz and yz from the gradients of the section strains, shape (2, n, 3)."""
    low = laminate.z[:-1, None]
    height = level_heights(laminate) - low

    def grown(gradient: Array) -> Array:
        """In-plane stress gradient integrated from the ply's bottom, shape (n, 3, 3)."""
        membrane = np.einsum("nij,j->ni", laminate.Qbar, gradient[:3])
        bending = np.einsum("nij,j->ni", laminate.Qbar, gradient[3:6])
        mean = low + height / 2
        return np.asarray(
            height[..., None] * membrane[:, None] + (height * mean)[..., None] * bending[:, None]
        )

    x, y = grown(by_x), grown(by_y)
    within = -np.stack([x[..., 0] + y[..., 2], x[..., 2] + y[..., 1]])
    below = np.cumsum(within[:, :, 2], axis=1) - within[:, :, 2]
    return np.asarray(within + below[..., None])

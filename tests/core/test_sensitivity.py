"""Derivatives of elements by their section stiffness against differences of fourth order."""

from collections.abc import Callable
from types import ModuleType

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell import element, triangle
from tartan.core.shell.assembly import groups
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.model import ShellModel
from tartan.core.shell.sensitivity import quad, tri, zonesums
from tartan.core.shell.sensitivity.sections import Change, Needs, figures, slope
from tartan.core.shell.sensitivity.shear import unsettled
from tartan.core.shell.shear_fit import oscillates
from tartan.core.shell.solve import settle_shear, stiffness_matrices
from tartan.core.shell.zones import Zones
from tests.conftest import laminate

Array = NDArray[np.float64]

FORMS = [
    (element, quad, np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float)),
    (triangle, tri, np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], float)),
]


def difference(of: Callable[[float], Array], h: float) -> Array:
    """Central difference of fourth order."""
    return (8 * (of(h) - of(-h)) - (of(2 * h) - of(-2 * h))) / (12 * h)


def sections(rng: np.random.Generator, count: int) -> Array:
    """Positive section stiffnesses with all couplings of membrane and bending."""
    X = rng.normal(size=(count, 8, 8))
    C = X @ np.swapaxes(X, 1, 2) + 8 * np.eye(8)
    C[:, :6, 6:] = C[:, 6:, :6] = 0
    return C


@pytest.mark.parametrize(("form", "slopes", "corners"), FORMS, ids=["quad", "triangle"])
@pytest.mark.parametrize("seed", range(4))
def test_work_and_strains_follow_the_section(
    form: ModuleType, slopes: ModuleType, corners: Array, seed: int
) -> None:
    rng = np.random.default_rng(seed)
    x = corners + 0.2 * rng.normal(size=(5, *corners.shape))
    op = form.operators(x, np.array([1.0, 0.2, 0.1]))
    C, dC = sections(rng, 5), sections(rng, 5) - 8 * np.eye(8)
    v, u, w = rng.normal(size=(3, 5, 6 * len(corners), 3))
    a = rng.normal(size=(3, 5, 4, 8))
    exact = difference(
        lambda t: np.einsum("mek,mef,mfk->km", v, form.stiffness(op, C + t * dC), u), 1e-3
    )
    found = slopes.work(op, C, v, u)
    np.testing.assert_allclose(
        (found * dC).sum(axis=(-1, -2)), exact, atol=1e-9 * np.abs(exact).max()
    )
    np.testing.assert_array_equal(found, np.swapaxes(found, -1, -2))
    by_u, by_C = slopes.pull(op, C, u, a)
    exact = difference(
        lambda t: (form.section_strains(op, C + t * dC, u) * a).sum(axis=(-1, -2)), 1e-3
    )
    np.testing.assert_allclose(
        (by_C * dC).sum(axis=(-1, -2)), exact, atol=1e-9 * np.abs(exact).max()
    )
    np.testing.assert_allclose(
        np.einsum("mek,mek->km", by_u, w),
        (form.section_strains(op, C, w) * a).sum(axis=(-1, -2)),
        rtol=1e-12,
        atol=1e-10,
    )


def mixed(thick: tuple[float, float], seed: int = 3) -> ShellModel:
    """Distorted curved shell of quadrilaterals and triangles, of two zones."""
    grid = grid_mesh(Panel(0.6, 0.4, 1.2, 0.9), 6, 5)
    rng = np.random.default_rng(seed)
    nodes = grid.nodes + 0.012 * rng.normal(size=grid.nodes.shape) * [1, 1, 0.2]
    quads, cut = grid.quads[:18], grid.quads[18:]
    triangles = np.concatenate([cut[:, [0, 1, 2]], cut[:, [0, 2, 3]]])
    mesh = Mesh(nodes, quads, triangles=triangles)
    first = laminate(("carbon", 20, thick[0]), ("foam", 0, 4e-3), ("glass", -40, thick[1]))
    second = laminate(("carbon", 70, thick[1]), ("glass", 10, thick[0]), offset=1e-3)
    zone = (np.arange(mesh.count) % 6 > 2).astype(np.int64)
    zones = Zones((first, second), zone)
    fixed = np.zeros((len(nodes), 6), bool)
    fixed[:6] = True
    return ShellModel(mesh, first, np.array([1.0, 0.1, 0.0]), fixed, zones=zones)


def with_laminates(model: ShellModel, laminates: tuple[Laminate, ...]) -> ShellModel:
    assert model.zones is not None
    return ShellModel(
        model.mesh,
        laminates[0],
        model.reference,
        model.fixed,
        zones=Zones(laminates, model.zones.zone),
    )


def energy(model: ShellModel, v: Array, u: Array) -> float:
    """The product ``vᵀ K u`` by the element matrices themselves."""
    total = 0.0
    for block, K in zip(model.mesh.blocks, stiffness_matrices(model), strict=True):
        a, b = (x[block.nodes].reshape(len(block.nodes), -1) for x in (v, u))
        total += float(np.einsum("me,mef,mf->", a, K, b))
    return total


def test_every_ply_of_every_zone_moves_the_work() -> None:
    model = mixed((0.6e-3, 0.9e-3))
    rng = np.random.default_rng(0)
    v, u = rng.normal(size=(2, len(model.mesh.nodes), 6))
    work = zonesums.stiffness_work(model, v[None], u[None])[0]
    assert model.zones is not None
    laminates = model.zones.laminates
    for zone, section in enumerate(laminates):
        for ply in range(section.count):
            for kind in ("thickness", "angle"):
                one = np.zeros((2, section.count))
                one[int(kind == "angle"), ply] = 1.0
                change = Change(*one, reference=-1.0)
                step = 3e-5 if kind == "thickness" else 0.05

                def moved(t: float, zone: int = zone, change: Change = change) -> Array:
                    new = list(laminates)
                    new[zone] = change.applied(new[zone], t)
                    return np.array(energy(with_laminates(model, tuple(new)), v, u))

                exact = float(difference(moved, step))
                rows = slope(section, change, lambda x: figures(x, Needs()))[:64].reshape(8, 8)
                assert float((work[zone] * rows).sum()) == pytest.approx(exact, rel=1e-6)


def test_the_reference_surface_stays_where_it_is() -> None:
    section = laminate(("carbon", 20, 1e-3), ("glass", -40, 2e-3), offset=1.5e-3)
    # The surface is the bottom: it stays at height zero however thick the plies become.
    thicker = Change(np.array([1.0, 0.0]), np.zeros(2), -1.0).applied(section, 0.3e-3)
    assert thicker.z[0] == pytest.approx(0.0, abs=1e-18)
    assert thicker.z[1:] == pytest.approx([1.3e-3, 3.3e-3])
    above = Change(np.array([1.0, 0.0]), np.zeros(2), 1.0).applied(
        laminate(("carbon", 20, 1e-3), ("glass", -40, 2e-3), offset=-1.5e-3), 0.3e-3
    )
    assert above.z[-1] == pytest.approx(0.0, abs=1e-18)


def told_strains(model: ShellModel, u: Array) -> Array:
    """Section strains as they are told, of one state, shape (m, 4, 8)."""
    found = np.zeros((1, model.mesh.count, 4, 8))
    for part in groups(model.mesh):
        op = part.operators(model.mesh, model.reference)
        C = np.ascontiguousarray(model.section_of(part.which))
        found[:, part.which] = part.form.section_strains(
            op, C, u.ravel()[part.unknowns][..., None]
        )
    settle_shear(model, found)
    return found[0]


def test_shear_of_equilibrium_is_derived_through_its_patch() -> None:
    model = mixed((0.6e-3, 0.9e-3))
    assert oscillates(model.mesh)
    rng = np.random.default_rng(5)
    u, w = 1e-3 * rng.normal(size=(2, len(model.mesh.nodes), 6))
    told, of_w = told_strains(model, u), told_strains(model, w)
    for where in (2, 17, 25, 40):
        for point in (0, 2):
            grad = rng.normal(size=8)
            own = unsettled(model, u, where, point, grad)
            by_u, by_C = zonesums.pull_strains(model, u, own.which, own.strains)
            # Strains are linear in the displacements, told ones too.
            assert float((by_u * u).sum()) == pytest.approx(float(grad @ told[where, point]))
            assert float((by_u * w).sum()) == pytest.approx(float(grad @ of_w[where, point]))
            whole = by_C + own.stiffness
            assert model.zones is not None
            zone = int(model.zones.zone[where])
            section = model.zones.laminates[zone]
            change = Change(np.eye(section.count)[0], np.zeros(section.count))

            def moved(
                t: float,
                zone: int = zone,
                change: Change = change,
                at: tuple[int, int] = (where, point),
                grad: Array = grad,
            ) -> Array:
                assert model.zones is not None
                new = list(model.zones.laminates)
                new[zone] = change.applied(new[zone], t)
                return grad @ told_strains(with_laminates(model, tuple(new)), u)[at]

            exact = float(difference(moved, 2e-5))
            rows = slope(section, change, lambda x: figures(x, Needs()))[:64].reshape(8, 8)
            assert float((whole[zone] * rows).sum()) == pytest.approx(exact, rel=1e-5)

"""Solutions against exact ones: plates, coupons, equilibrium; and models that cannot be solved."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.errors import CriterionError, MechanismError, PartError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import Load, respond
from tartan.core.shell import loads
from tartan.core.shell.directions import undefined as undefined_directions
from tartan.core.shell.margins import assess, hot_spots
from tartan.core.shell.mesh import Mesh, Panel, check_panel, grid_mesh, panel_mesh, place_words
from tartan.core.shell.solve import Reuse, ShellModel, solution_steps, solve
from tartan.core.shell.supports import SUPPORT_KINDS, free_motions
from tartan.core.strength.reserve import first_failure
from tests.conftest import laminate

X = np.array([1.0, 0.0, 0.0])


def none_held(mesh: Mesh) -> NDArray[np.bool_]:
    return np.zeros((len(mesh.nodes), 6), bool)


def pulled_coupon(lam: Laminate, N: NDArray[np.float64]) -> tuple[ShellModel, NDArray[np.float64]]:
    """Free rectangle under uniform edge forces, held at one node only."""
    mesh = grid_mesh(Panel(0.2, 0.1), 7, 4)
    fixed = none_held(mesh)
    fixed[17] = True
    force = np.zeros((len(mesh.nodes), 6))
    for edge, sign, row in (
        ("right edge", 1, [0, 2]),
        ("left edge", -1, [0, 2]),
        ("upper edge", 1, [2, 1]),
        ("lower edge", -1, [2, 1]),
    ):
        force += loads.edge_force(mesh, mesh.edges[edge], sign * np.array([*N[row], 0.0]))
    return ShellModel(mesh, lam, X, fixed), force[None]


@pytest.mark.parametrize("symmetric", [True, False])
def test_coupon_gives_the_laminates_own_strains(symmetric: bool, unsymmetric: Laminate) -> None:
    lam = unsymmetric
    if symmetric:
        lam = laminate(("carbon", 30, 1e-3), ("glass", -45, 1e-3), ("carbon", 30, 1e-3))
    N = np.array([2e4, -5e3, 8e3])
    model, force = pulled_coupon(lam, N)
    strains = solve(model, force).strains[0]
    exact = respond(lam, Load(N=N))
    expected = np.concatenate([exact.eps0, exact.kappa, [0, 0]])
    scale = np.abs(expected).max()
    np.testing.assert_allclose(
        strains, np.broadcast_to(expected, strains.shape), atol=1e-8 * scale
    )
    margins = assess(lam, solve(model, force).strains)
    by_hand = [first_failure(lam, Load(N=N), key) for key in ("tsai_wu", "hashin")]
    least = min(by_hand, key=lambda r: r.reserve.min())
    np.testing.assert_allclose(margins.reserve, least.reserve.min(), rtol=1e-7)
    assert (margins.ply == least.governing[0]).all()
    assert margins.mode_label(3) == least.label


def simply_supported(n: int) -> tuple[ShellModel, NDArray[np.float64]]:
    lam = laminate(("carbon", 0, 2e-3), ("carbon", 90, 4e-3), ("carbon", 0, 2e-3))
    mesh = grid_mesh(Panel(0.2, 0.3), n, n)
    fixed = none_held(mesh)
    for edge, held in (
        ("left edge", (1, 2, 3)),
        ("right edge", (1, 2, 3)),
        ("lower edge", (0, 2, 4)),
        ("upper edge", (0, 2, 4)),
    ):
        fixed[np.ix_(mesh.edges[edge], np.array(held))] = True
    return ShellModel(mesh, lam, X, fixed), loads.pressure(mesh, 1e4)[None]


def navier(lam: Laminate, a: float, b: float, q: float, terms: int = 99) -> float:
    """Centre deflection of a specially orthotropic plate with shear deformation.

    J. N. Reddy, Mechanics of Laminated Composite Plates and Shells, 2nd ed., section 7.2.
    """
    D, H, total = lam.D, lam.shear, 0.0
    for m in range(1, terms + 1, 2):
        for n in range(1, terms + 1, 2):
            p, r = m * np.pi / a, n * np.pi / b
            K = np.array(
                [
                    [H[0, 0] * p * p + H[1, 1] * r * r, H[0, 0] * p, H[1, 1] * r],
                    [
                        H[0, 0] * p,
                        D[0, 0] * p * p + D[2, 2] * r * r + H[0, 0],
                        (D[0, 1] + D[2, 2]) * p * r,
                    ],
                    [
                        H[1, 1] * r,
                        (D[0, 1] + D[2, 2]) * p * r,
                        D[2, 2] * p * p + D[1, 1] * r * r + H[1, 1],
                    ],
                ]
            )
            load = 16 * q / (np.pi**2 * m * n)
            w = np.linalg.solve(K, [load, 0, 0])[0]
            total += w * np.sin(m * np.pi / 2) * np.sin(n * np.pi / 2)
    return total


def test_plate_converges_to_navier_with_second_order() -> None:
    errors = []
    for n in (12, 24, 48):
        model, force = simply_supported(n)
        found = solve(model, force).displacement[0, :, 2].reshape(n + 1, n + 1)[n // 2, n // 2]
        errors.append(abs(found / navier(model.laminate, 0.2, 0.3, 1e4) - 1))
    assert errors[-1] < 2e-3
    orders = np.log2(np.array(errors[:-1]) / np.array(errors[1:]))
    assert (np.abs(orders - 2) < 0.1).all()


def test_reactions_energy_and_superposition() -> None:
    model, force = simply_supported(6)
    mesh = model.mesh
    weight = loads.acceleration(mesh, model.laminate.areal_mass, np.array([1.0, 2.0, -9.81]))
    both = np.stack([force[0], weight, force[0] - 2 * weight])
    reuse = Reuse()
    found = solve(model, both, reuse)
    np.testing.assert_allclose(
        found.reaction, -found.applied, atol=1e-6 * np.abs(found.applied).max()
    )
    assert found.imbalance < 1e-9
    work = np.einsum("kni,kni->k", both, found.displacement) / 2
    np.testing.assert_allclose(found.energy, work, rtol=1e-8)
    np.testing.assert_allclose(
        found.strains[2], found.strains[0] - 2 * found.strains[1], atol=1e-12
    )
    again = solve(model, both, reuse)
    np.testing.assert_allclose(again.displacement, found.displacement, rtol=1e-9, atol=1e-15)
    area, mass = 0.2 * 0.3, model.laminate.areal_mass
    np.testing.assert_allclose(found.applied[0, :3], [0, 0, 1e4 * area], atol=1e-9)
    np.testing.assert_allclose(found.applied[1, :3], mass * area * np.array([1, 2, -9.81]))


def test_what_is_kept_of_one_part_is_not_taken_for_another() -> None:
    """Parts of as many unknowns, in every order: whichever came before, each answers as alone."""
    whole, force = simply_supported(6)
    parts = [whole]
    for edge in ("left edge", "right edge", "lower edge", "upper edge"):
        fixed = whole.fixed.copy()
        fixed[whole.mesh.edges[edge], 2] = False
        parts.append(replace(whole, fixed=fixed))
    parts.append(replace(whole, mesh=grid_mesh(Panel(0.2, 0.25), 6, 6)))
    alone = [solve(part, force).displacement for part in parts]
    reuse = Reuse()
    for pair in itertools.permutations(range(len(parts)), 2):
        for k in pair:
            again = solve(parts[k], force, reuse).displacement
            np.testing.assert_allclose(again, alone[k], rtol=1e-7, atol=1e-15)


def test_progress_rises_and_ends() -> None:
    model, force = simply_supported(40)
    shares = [share for _, share in solution_steps(model, force)]
    assert shares == sorted(shares)
    assert shares[-1] < 1


def test_curved_panel_is_a_cylinder_or_flat_as_a_special_case() -> None:
    flat = panel_mesh(Panel(1.0, 0.5), 0.1)
    assert len(flat.quads) == 50
    np.testing.assert_allclose(flat.nodes[:, 2], 0)
    assert flat.areas().sum() == pytest.approx(0.5)
    single = panel_mesh(Panel(1.0, 0.5, 2.0), 0.02)
    np.testing.assert_allclose(single.nodes[:, 0] ** 2 + (single.nodes[:, 2] - 2) ** 2, 4)
    exact = 4 * np.arcsin(0.25) * 0.5
    assert single.areas().sum() == pytest.approx(exact, rel=1e-4)
    double = panel_mesh(Panel(1.0, 0.5, 2.0, -3.0), 0.05)
    assert double.nodes[:, 2].max() > 0 > double.nodes[:, 2].min()
    assert (double.normals()[:, 2] > 0.9).all()
    assert (double.flipped().normals()[:, 2] < -0.9).all()


def test_pressure_follows_the_surface() -> None:
    # On a half cylinder the resultant is pressure times the projected area.
    mesh = grid_mesh(Panel(1.9999, 1.0, 1.0), 200, 4)
    total = loads.resultant(mesh, loads.pressure(mesh, 1e3))
    assert total[2] == pytest.approx(1e3 * 1.9999, rel=1e-3)
    assert abs(total[0]) < 1e-6


@pytest.mark.parametrize(
    ("panel", "size", "words"),
    [
        (Panel(0, 1), 0.1, "length"),
        (Panel(1, -1), 0.1, "width"),
        (Panel(1, 1, 0.4), 0.1, "radius"),
        (Panel(1, 1), 0.0, "mesh size"),
        (Panel(1, 1), 2.0, "larger than the panel"),
        (Panel(1, 1), 1e-4, "elements"),
        (Panel(1, 1), float("nan"), "mesh size"),
    ],
)
def test_nonsense_of_shape_or_mesh_is_refused(panel: Panel, size: float, words: str) -> None:
    with pytest.raises(PartError, match=words) as caught:
        check_panel(panel, size)
    assert caught.value.mend


def test_free_motions_are_named() -> None:
    mesh = grid_mesh(Panel(1, 1), 3, 3)
    fixed = none_held(mesh)
    assert len(free_motions(mesh.nodes, fixed)) == 6
    fixed[np.ix_(mesh.edges["left edge"], [0, 1, 2])] = True
    assert free_motions(mesh.nodes, fixed) == ["turn about y"]
    fixed[np.ix_(mesh.edges["right edge"], [2])] = True
    assert free_motions(mesh.nodes, fixed) == []


def test_unsupported_parts_are_refused_before_factorising(unsymmetric: Laminate) -> None:
    mesh = grid_mesh(Panel(1, 1), 3, 3)
    force = loads.pressure(mesh, 1.0)[None]
    with pytest.raises(MechanismError, match="no supports"):
        solve(ShellModel(mesh, unsymmetric, X, none_held(mesh)), force)
    fixed = none_held(mesh)
    fixed[np.ix_(mesh.edges["left edge"], [0, 2])] = True
    with pytest.raises(MechanismError, match="move along y"):
        solve(ShellModel(mesh, unsymmetric, X, fixed), force)
    fixed[mesh.edges["left edge"]] = True
    with pytest.raises(PartError, match="9 of 9 elements"):
        solve(ShellModel(mesh, unsymmetric, np.array([0.0, 0.0, 1.0]), fixed), force)
    with pytest.raises(PartError, match="no length"):
        undefined_directions(mesh, np.zeros(3))
    assert set(SUPPORT_KINDS["clamped"]) == set(range(6))


def test_margins_do_not_depend_on_blocks_and_keep_their_address(sandwich: Laminate) -> None:
    rng = np.random.default_rng(3)
    strains = rng.normal(size=(2, 900, 4, 8)) * np.array([1e-3] * 6 + [5e-3] * 2)
    whole = assess(sandwich, strains)
    single = [assess(sandwich, strains[:, i : i + 1]) for i in (0, 5, 450, 899)]
    for i, one in zip((0, 5, 450, 899), single, strict=True):
        assert one.reserve[0] == pytest.approx(whole.reserve[i])
        assert (one.case[0], one.ply[0], one.mode[0]) == (
            whole.case[i],
            whole.ply[i],
            whole.mode[i],
        )
    per_case = np.stack([assess(sandwich, strains[k : k + 1]).reserve for k in (0, 1)])
    np.testing.assert_allclose(whole.reserve, per_case.min(axis=0))
    assert (whole.case == per_case.argmin(axis=0)).all()
    assert {sandwich.materials[p].kind for p in whole.ply} == {"core", "ply"}


def test_a_layer_without_criterion_is_not_passed_over(sandwich: Laminate) -> None:
    with pytest.raises(CriterionError, match="foam"):
        assess(sandwich, np.zeros((1, 1, 4, 8)), {"ply": ("tsai_wu",)})


def test_hot_spots_are_apart_and_unloaded_parts_have_none(unsymmetric: Laminate) -> None:
    mesh = grid_mesh(Panel(1, 1), 10, 10)
    strains = np.zeros((1, 100, 4, 8))
    assert hot_spots(mesh, assess(unsymmetric, strains)) == []
    strains[0, [12, 13, 87], :, 0] = [[1e-3], [2e-3], [5e-4]]
    assert hot_spots(mesh, assess(unsymmetric, strains)) == [13, 87]


def test_places_in_words() -> None:
    words = [
        place_words(np.array(p)) for p in ((0.5, 0.5), (0.01, 0.5), (0.99, 0.99), (0.4, 0.01))
    ]
    assert words == [
        "field, centre",
        "left edge, middle",
        "upper right corner",
        "lower edge, middle",
    ]

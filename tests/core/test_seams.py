"""Where parts meet: reference surface, temperature and buckling, weight, equilibrium, ties."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.linalg import eigh

from tartan.core.errors import PartError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.response import Load, free_resultants
from tartan.core.materials import isotropic
from tartan.core.shell import eigen, loads, recovery
from tartan.core.shell.balance import equilibrium
from tartan.core.shell.constraints import Held, constrain, tie_nodes
from tartan.core.shell.inertia import mass_moments
from tartan.core.shell.matrices import geometric_matrix, mass_matrix, stiffness_matrix
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.model import ShellModel
from tartan.core.shell.prestress import prestress
from tartan.core.shell.solve import Problem, Solution, solve, solve_steps
from tartan.core.shell.tying import find_ties
from tartan.core.stack import Ply, Stack
from tests.conftest import laminate

Array = NDArray[np.float64]
X = np.array([1.0, 0.0, 0.0])
ALL = tuple(range(6))
EDGES = ("left edge", "right edge", "lower edge", "upper edge")


def rim(mesh: Mesh) -> NDArray[np.int64]:
    return np.unique(np.concatenate([mesh.edges[e] for e in EDGES]))


def distorted(mesh: Mesh, amount: float, seed: int = 5) -> Mesh:
    nodes = mesh.nodes.copy()
    inner = np.setdiff1d(np.arange(len(nodes)), rim(mesh))
    nodes[inner, :2] += np.random.default_rng(seed).uniform(-amount, amount, (len(inner), 2))
    return dataclasses.replace(mesh, nodes=nodes)


plies = st.lists(
    st.tuples(st.sampled_from(["carbon", "glass"]), st.integers(-90, 90), st.floats(1e-4, 8e-4)),
    min_size=1,
    max_size=5,
)


@settings(max_examples=12)
@given(plies=plies, offset=st.floats(-4e-3, 4e-3), split=st.booleans())
def test_nothing_depends_on_the_reference_surface_of_flat_parts(
    plies: list[tuple[str, int, float]], offset: float, split: bool
) -> None:
    mesh = distorted(grid_mesh(Panel(0.3, 0.2), 5, 4), 0.01)
    mesh = mesh.split() if split else mesh
    left, right = mesh.edges["left edge"], mesh.edges["right edge"]
    found = []
    for e in (0.0, offset):
        lam = laminate(*((m, float(a), t) for m, a, t in plies), offset=e)
        fixed = np.zeros((len(mesh.nodes), 6), bool)
        fixed[left] = True
        model = ShellModel(mesh, lam, X, fixed)
        pull = np.zeros((len(mesh.nodes), 6))
        pull[right, 0], pull[right, 2] = -40.0, 3.0
        # The same forces in space act at mid-thickness: at height e they turn the reference.
        pull[right, 3:] = np.cross([0, 0, e], pull[right, :3])
        moments = np.broadcast_to(mass_moments(lam), (mesh.count, 3))
        cases = np.array(
            [
                pull,
                loads.pressure(mesh, 150.0),
                loads.acceleration(mesh, moments, np.array([3.0, -2.0, -9.81])),
                recovery.thermal_forces(model, -40.0, 900.0),
            ]
        )
        solution = solve(model, cases)
        u = solution.displacement
        middle = u[..., :3] + e * np.cross(u[..., 3:], [0, 0, 1.0])
        strains = solution.strains.copy()
        strains[..., :3] += e * strains[..., 3:6]
        K = stiffness_matrix(model)
        modes = eigen.run(eigen.modes(K, mass_matrix(model), 4)).values
        factors = []
        for case, heat in ((0, (0.0, 0.0)), (3, (-40.0, 900.0))):
            state = prestress(model, solution.strains[case], *heat)
            G = geometric_matrix(model, state.forces)
            # Dense, so that the least of either sign is found whatever the load's sense.
            ratios = eigh(-G.toarray(), K.toarray(), eigvals_only=True)
            factors += [1 / ratios[0], 1 / ratios[-1]] if G.nnz else [0.0]
        found.append((middle, strains, modes, np.array(factors)))
    # An offset e adds A e² to D, which the solution takes away again: of h²/12 parts that are kept
    # apart from e² the digits of (e/h)² are lost in any arithmetic of fixed length.
    thick = sum(t for _, _, t in plies)
    lost = max(1.0, (offset / thick) ** 2)
    # Stretching is stiffer than bending by n² (L / h)² with n elements along L: so many digits no
    # arithmetic keeps, which is more than the bound on the thinnest plies alone.
    share = lost * (1e-8 + (5 * 0.3 / thick) ** 2 * np.finfo(float).eps)
    for one, other in zip(*found, strict=True):
        assert one.shape == other.shape
        if one.ndim > 1:
            size = np.abs(one).reshape(len(one), -1).max(axis=1)
            gap = np.abs(one - other).reshape(len(one), -1).max(axis=1)
            assert (gap <= share * size + 1e-22).all()
        else:
            np.testing.assert_allclose(one, other, rtol=share)


def simply_supported(n: int, lam: Laminate, *, held: bool) -> ShellModel:
    """Square plate of 1 m on soft simple supports, its edges held in the plane or free."""
    mesh = grid_mesh(Panel(1.0, 1.0), n, n)
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    fixed[rim(mesh), 2] = True
    for edge, turn in zip(EDGES, (3, 3, 4, 4), strict=True):
        fixed[mesh.edges[edge], turn] = True
    fixed[rim(mesh)[:, None], [[0, 1]]] |= held
    fixed[0, [0, 1]] = fixed[n, 1] = True
    return ShellModel(mesh, lam, X, fixed)


def metal(h: float) -> Laminate:
    material = isotropic("metal", 70e9, 0.3, rho=2700.0, alpha=23e-6)
    return make_laminate(Stack("one", (Ply("metal", 0.0, h),)), {"metal": material})


def test_a_heated_plate_buckles_at_the_thermal_load_and_a_free_one_does_not() -> None:
    lam = metal(5e-3)
    D = lam.D[0, 0]
    per_kelvin = free_resultants(lam, Load(dT=1.0))[0]
    exact = 2 * np.pi**2 * D / per_kelvin
    model = simply_supported(12, lam, held=True)
    for heat in (20.0, -20.0):
        u = solve(model, recovery.thermal_forces(model, heat)[None])
        state = prestress(model, u.strains[0], heat)
        G = geometric_matrix(model, state.forces)
        found = eigen.run(eigen.buckling(stiffness_matrix(model), G, 1, most=state.most))
        if heat > 0:
            assert state.compresses
            assert found.complete
            assert found.values[0] * heat == pytest.approx(exact, rel=0.01)
        else:
            # Cooled it is drawn taut: only the reversed load buckles it.
            assert not state.compresses
            assert len(found.values) == 0
            assert found.reversed_at == pytest.approx(-exact / 20, rel=0.01)
    free = simply_supported(8, laminate(("carbon", 0, 1e-3), ("carbon", 90, 1e-3)), held=False)
    for heat in (-60.0, 80.0):
        loose = dataclasses.replace(free, laminate=metal(2e-3))
        u = solve(loose, recovery.thermal_forces(loose, heat)[None])
        state = prestress(loose, u.strains[0], heat)
        assert not state.forces.any()
        assert not state.compresses


def test_a_held_load_takes_from_what_may_grow() -> None:
    # (1, 1) buckles at Nx + Ny = 4 π² D / a² whatever their shares.
    lam = metal(5e-3)
    model = simply_supported(20, lam, held=False)
    K = stiffness_matrix(model)
    limit = 4 * np.pi**2 * lam.D[0, 0]

    def G(nx: float, ny: float) -> object:
        forces = np.zeros((model.mesh.count, 4, 9))
        forces[..., 0], forces[..., 1] = nx, ny
        return geometric_matrix(model, forces)

    for share in (-0.5, 0.25, 0.5):
        held = G(0.0, -share * limit)
        found = eigen.run(eigen.buckling(K, G(-1.0, 0.0), 1, held=held))
        assert found.values[0] == pytest.approx((1 - share) * limit, rel=0.01)
    assert eigen.run(eigen.buckling(K, G(-1.0, 0.0), 1, held=G(0, -1.2 * limit))).held_fails


def test_a_hanging_plate_is_pulled_evenly_whatever_its_reference() -> None:
    for offset in (0.0, 1e-3, -4e-3):
        lam = laminate(("carbon", 0, 2e-3), offset=offset)
        mesh = grid_mesh(Panel(0.2, 1.0), 2, 40)
        fixed = np.zeros((len(mesh.nodes), 6), bool)
        fixed[mesh.edges["upper edge"]] = True
        moments = np.broadcast_to(mass_moments(lam), (mesh.count, 3))
        weight = loads.acceleration(mesh, moments, np.array([0.0, -9.81, 0.0]))
        solution = solve(ShellModel(mesh, lam, X, fixed), weight[None])
        low = np.argsort(mesh.centres()[:, 1])[20]
        forces = recovery.section_forces(ShellModel(mesh, lam, X, fixed), solution.strains)[0, low]
        y = 0.5 + mesh.centres()[low, 1]
        mean = forces.mean(axis=0)
        assert mean[1] == pytest.approx(1580 * 9.81 * y * 2e-3, rel=2e-3)
        # No bending about mid-thickness: σ is the same at both faces.
        assert abs(mean[4] - offset * mean[1]) < 1e-3 * abs(mean[1]) * 1e-3


def test_a_corrupted_answer_is_noticed() -> None:
    lam = laminate(("carbon", 0, 1e-3), ("glass", 30, 0.7e-3))
    mesh = grid_mesh(Panel(0.3, 0.2), 6, 4)
    held = [Held(mesh.edges["left edge"], ALL), Held(mesh.edges["right edge"][:1], (2,))]
    turned = Held(
        mesh.edges["right edge"][2:3],
        (0,),
        axes=np.array([[0.6, 0.8, 0.0], [-0.8, 0.6, 0.0], [0.0, 0.0, 1.0]]),
    )
    rules = constrain(mesh, [*held, turned])
    forces = np.zeros((1, len(mesh.nodes), 6))
    forces[0, mesh.edges["right edge"], :3] = [50.0, 20.0, 5.0]
    for model in (
        ShellModel(mesh, lam, X, np.zeros((len(mesh.nodes), 6), bool), constraints=rules),
        ShellModel(mesh, lam, X, fixed_by(mesh, held)),
    ):
        solution = solve(model, forces)
        assert solution.residual < 1e-8
        assert solution.imbalance < 1e-8
        K = stiffness_matrix(
            dataclasses.replace(
                model, constraints=None, fixed=np.zeros((len(mesh.nodes), 6), bool)
            )
        )
        rng = np.random.default_rng(2)
        for damage in (1e-4, 1.0):
            u = solution.displacement.copy()
            u *= 1 + damage * rng.normal(size=u.shape)
            checked = equilibrium(model, (u.reshape(1, -1) @ K).reshape(u.shape), forces)
            assert checked.residual > 0.1 * damage
            assert checked.imbalance > 0.1 * damage


def fixed_by(mesh: Mesh, held: list[Held]) -> NDArray[np.bool_]:
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    for one in held:
        fixed[np.ix_(one.nodes, np.array(one.unknowns))] = True
    return fixed


def test_movements_are_loads_of_their_own() -> None:
    lam = laminate(("carbon", 0, 1e-3), ("carbon", 90, 1e-3))
    mesh = grid_mesh(Panel(0.4, 0.2), 8, 4)
    right = mesh.edges["right edge"]
    rules = constrain(mesh, [Held(mesh.edges["left edge"], ALL), Held(right, (0, 2))])
    model = ShellModel(mesh, lam, X, np.zeros((len(mesh.nodes), 6), bool), constraints=rules)
    moves = np.array(
        [
            rules.moved([Held(right, (0,), (1e-3,))]),
            rules.moved([Held(right, (2,), (2e-3,))]),
            rules.moved([]),
        ]
    )
    forces = np.zeros((3, len(mesh.nodes), 6))
    forces[2] = loads.pressure(mesh, 500.0)
    apart = solve(model, forces, moves=moves)
    factors = np.array([1.0, 1.5, -2.0])
    together = solve(
        model, (factors @ forces.reshape(3, -1)).reshape(1, -1, 6), moves=(factors @ moves)[None]
    )
    combined = recovery.combined(apart, factors)
    for name in ("displacement", "strains", "reaction"):
        one, other = getattr(combined, name), getattr(together, name)
        np.testing.assert_allclose(one, other, atol=1e-9 * np.abs(other).max())
    assert together.displacement[0, right, 0] == pytest.approx(1e-3)
    with pytest.raises(PartError, match="no support holds"):
        rules.moved([Held(right, (1,), (1e-3,))])


def test_one_assembly_serves_all_support_sets() -> None:
    lam = laminate(("carbon", 0, 1e-3), ("glass", 45, 1e-3))
    mesh = grid_mesh(Panel(0.4, 0.2), 8, 4)
    models = [
        ShellModel(mesh, lam, X, fixed_by(mesh, [Held(mesh.edges[e], ALL)]))
        for e in ("left edge", "lower edge")
    ]
    pressed = loads.pressure(mesh, 100.0)[None]
    steps = solve_steps([Problem(m, pressed) for m in models])
    both: Solution = eigen.run(steps)
    for k, model in enumerate(models):
        alone = solve(model, pressed)
        np.testing.assert_allclose(both.strains[k], alone.strains[0], rtol=1e-9, atol=1e-15)
        np.testing.assert_allclose(both.reaction[k], alone.reaction[0], atol=1e-9)


# Ties


def side_by_side(
    na: int, nb: int, *, split: bool, amount: float
) -> tuple[Mesh, NDArray[np.int64], NDArray[np.int64]]:
    a = distorted(grid_mesh(Panel(1, 1), na, na), amount / na, 1)
    b = distorted(grid_mesh(Panel(1, 1), nb, nb), amount / nb, 2)
    b = b.split() if split else b
    first = len(a.nodes)
    mesh = Mesh(
        np.concatenate([a.nodes, b.nodes + np.array([1.0, 0, 0])]),
        np.concatenate([a.quads, b.quads + first]),
        {"end": first + b.edges["right edge"]},
        triangles=b.triangles + first,
    )
    return mesh, first + b.edges["left edge"], np.arange(len(a.quads))


@pytest.mark.parametrize(
    ("na", "nb", "split"),
    [
        (5, 3, False),
        (4, 7, False),
        (3, 8, True),
        (2, 1, False),
        (5, 2, True),
        (6, 6, True),
    ],
)
def test_constant_states_pass_a_tie_of_any_two_meshes(
    na: int, nb: int, split: bool, unsymmetric: Laminate
) -> None:
    mesh, follow, lead = side_by_side(na, nb, split=split, amount=0.2)
    tie = tie_nodes(mesh, follow, lead)
    assert tie.length == pytest.approx(1.0)
    x, y = mesh.nodes[:, 0], mesh.nodes[:, 1]
    outer = (np.abs(np.abs(y) - 0.5) < 1e-9) | (np.abs(x - 0.5) > 1 - 1e-9)
    for lam in (unsymmetric, unsymmetric.about(1e-3)):
        for number in range(6):
            force = np.zeros(6)
            force[number] = 1e4 if number < 3 else 10.0
            e = lam.compliance @ force
            u = np.zeros((len(x), 6))
            u[:, 0], u[:, 1] = e[0] * x + e[2] * y / 2, e[1] * y + e[2] * x / 2
            u[:, 2] = -(e[3] * x * x + e[4] * y * y + e[5] * x * y) / 2
            u[:, 3], u[:, 4] = -(e[4] * y + e[5] * x / 2), e[3] * x + e[5] * y / 2
            held = [Held(np.array([n]), ALL, tuple(u[n])) for n in np.flatnonzero(outer)]
            rules = constrain(mesh, held, [tie])
            model = ShellModel(mesh, lam, X, np.zeros((len(x), 6), bool), constraints=rules)
            found = solve(model, np.zeros((1, len(x), 6)))
            got = found.strains[0][..., :6] @ lam.ABD.T
            scale = (
                np.repeat([1.0, lam.thickness], 3)
                * force.sum()
                / (1.0 if number < 3 else lam.thickness)
            )
            assert (np.abs(got - force) / scale).max() < 1e-8


def test_a_pulled_plate_tied_across_is_as_one(unsymmetric: Laminate) -> None:
    # Free sides, constant pull: the reaction passes the tie without a ripple.
    lam = laminate(("carbon", 0, 1e-3), ("carbon", 90, 1e-3), ("carbon", 0, 1e-3))
    mesh, follow, lead = side_by_side(7, 4, split=False, amount=0.15)
    left = np.flatnonzero(mesh.nodes[:, 0] < -0.5 + 1e-9)
    held = [Held(left, (0, 2, 3, 4, 5)), Held(left[:1], (1,))]
    rules = constrain(mesh, held, [tie_nodes(mesh, follow, lead)])
    model = ShellModel(mesh, lam, X, np.zeros((len(mesh.nodes), 6), bool), constraints=rules)
    pull = loads.edge_force(mesh, mesh.edges["end"], np.array([1e4, 0.0, 0.0]))
    found = recovery.section_forces(model, solve(model, pull[None]).strains)[0]
    np.testing.assert_allclose(found[..., 0], 1e4, rtol=1e-8)
    np.testing.assert_allclose(found[..., 1:3], 0.0, atol=1e-4)


def lifted(mesh: Mesh, shift: tuple[float, float, float], turn: Array | None = None) -> Mesh:
    nodes = mesh.nodes if turn is None else mesh.nodes @ turn.T
    return dataclasses.replace(mesh, nodes=nodes + np.array(shift))


def both(a: Mesh, b: Mesh) -> Mesh:
    return Mesh(
        np.concatenate([a.nodes, b.nodes]), np.concatenate([a.quads, b.quads + len(a.nodes)])
    )


UPRIGHT = np.array([[1.0, 0, 0], [0, 0, -1.0], [0, 1.0, 0]])


def test_a_wide_gap_ties_a_blade_by_its_foot_alone() -> None:
    skin = grid_mesh(Panel(0.4, 0.3), 12, 9)
    blade = lifted(grid_mesh(Panel(0.4, 0.03), 10, 3), (0.0, 0.0, 0.017), UPRIGHT)
    mesh = both(skin, blade)
    for gap in (3e-3, 0.05, 0.2):
        (tie,) = find_ties(mesh, gap)
        assert len(tie.nodes) == 11
        np.testing.assert_allclose(mesh.nodes[tie.nodes, 2], 2e-3)
        assert tie.length == pytest.approx(0.4)
        np.testing.assert_allclose(tie.gaps, 2e-3)
    assert find_ties(mesh, 1.9e-3) == ()


def test_of_two_faces_on_one_another_the_finer_follows() -> None:
    skin = grid_mesh(Panel(0.4, 0.3), 16, 12)
    for n in (4, 24):
        patch = lifted(grid_mesh(Panel(0.2, 0.15), n, n), (0.01, 0.02, 3e-3))
        (tie,) = find_ties(both(skin, patch), 4e-3)
        finer_is_patch = n == 24
        assert (tie.nodes >= len(skin.nodes)).all() == finer_is_patch
        assert tie.area == pytest.approx(0.03)
        np.testing.assert_allclose(tie.gaps, 3e-3, atol=1e-12)
    # Side by side in one plane nothing lies on anything, however wide the gap.
    beside = both(skin, lifted(grid_mesh(Panel(0.2, 0.3), 5, 6), (0.301, 0.0, 0.0)))
    (tie,) = find_ties(beside, 0.05)
    assert tie.area == 0.0
    assert tie.length == pytest.approx(0.3)


@pytest.mark.parametrize("corners", [3, 4])
def test_an_acceleration_is_the_mass_matrix_times_that_motion(corners: int) -> None:
    from tartan.core.shell.inertia import driven, mass

    rng = np.random.default_rng(corners)
    x = np.array([[0, 0, 0], [1, 0, 0.2], [1.1, 0.9, 0], [-0.1, 1, 0.1]])[:corners]
    x = x + 0.1 * rng.standard_normal((5, corners, 3))
    moments, vector = rng.standard_normal((5, 3)), rng.standard_normal(3)
    rigid = np.tile([*vector, 0.0, 0.0, 0.0], corners)
    expected = mass(x, moments) @ rigid
    np.testing.assert_allclose(driven(x, moments, vector), expected, rtol=1e-12, atol=1e-13)

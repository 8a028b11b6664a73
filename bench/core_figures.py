"""Figures of criteria, laminates and the shell core."""

import statistics
import time

import numpy as np

from bench.figures import RUNS, Figure, median, sized
from bench.shell import growth, more_cases, more_plies, peak_memory, whole_ratios
from tartan.core.criteria import criterion
from tartan.core.criteria.base import strengths_of
from tartan.core.laminate import make_laminate
from tartan.core.laminate.response import Load, stress_from_section
from tartan.core.search.candidates import layers_of
from tartan.core.shell.margins import assess
from tartan.core.shell.solve import Reuse, solve
from tartan.core.stack import Ply, Stack
from tartan.core.strength.laminate_reserves import checks_of, reserves
from tartan.core.strength.reserve import first_failure
from tartan.project.analysis.caseloads import case_forces
from tartan.project.analysis.inputs import layout_of, part_inputs
from tartan.project.analysis.shellinputs import shell_model
from tartan.project.document.samples import UNIDIRECTIONAL


def core_figures() -> list[Figure]:
    """Solution against its factorisation, margins against the solution."""
    from tartan.core.shell import solve as module

    inputs = part_inputs(sized(0.017))
    model = shell_model(inputs)
    forces = np.array([case_forces(layout_of(inputs), c) for c in inputs.cases])
    reuse = Reuse()
    solution = solve(model, forces, reuse)
    whole = median(lambda: solve(model, forces, reuse))
    factor = []
    inner = module._factor_and_solve

    def spy(*arguments):  # type: ignore[no-untyped-def]
        start = time.perf_counter()
        result = inner(*arguments)
        factor.append(time.perf_counter() - start)
        return result

    module._factor_and_solve = spy
    for _ in range(RUNS):
        solve(model, forces, reuse)
    module._factor_and_solve = inner
    margins = median(lambda: assess(model.laminate, solution.strains))
    note = f"{solution.unknowns} unknowns"
    return [
        Figure(
            "solve_whole",
            "whole solution / matrix, CHOLMOD factor and solves",
            whole / statistics.median(factor),
            3.0,
            note,
        ),
        Figure(
            "margins_anew",
            "margins after a changed strength / whole solution",
            margins / whole,
            2.0,
            f"{margins:.2f} s against {whole:.2f} s",
        ),
    ]


def criteria_figures() -> list[Figure]:
    """Reserve factor and mode of a million ply points against copying them once."""
    stress = np.random.default_rng(1).normal(size=(10**6, 3)) * np.array([800e6, 60e6, 60e6])
    copied = median(stress.copy, 9)
    found = []
    for key, goal in (("tsai_wu", 6.0), ("hashin", 10.0), ("puck", 25.0)):
        rule = criterion(key)
        strengths = strengths_of(UNIDIRECTIONAL, rule)
        rule.evaluate(strengths, stress)
        spent = median(lambda r=rule, s=strengths: r.evaluate(s, stress))
        found.append(
            Figure(
                f"criteria_{key}",
                "reserve factor and mode of 10⁶ ply points / copying their stresses",
                spent / copied,
                goal,
            )
        )
    return found


def laminate_figures() -> list[Figure]:
    """A 200-ply stack whole, random candidates, and bounded memory."""
    rng = np.random.default_rng(3)
    plies = tuple(Ply(UNIDIRECTIONAL.name, float(a), 8e-5) for a in rng.integers(-90, 90, 200))
    lam = make_laminate(Stack("big", plies), {UNIDIRECTIONAL.name: UNIDIRECTIONAL})
    loads = rng.normal(size=(16, 6)) * np.array([1e6, 1e6, 5e5, 1e3, 1e3, 5e2])
    sets = {"ply": ("tsai_wu", "hashin", "puck", "max_stress")}

    def whole() -> None:
        fresh = make_laminate(lam.stack, {UNIDIRECTIONAL.name: UNIDIRECTIONAL})
        section = np.zeros((len(loads), 8))
        section[:, :6] = loads @ fresh.compliance
        reserves(checks_of(fresh, sets), stress_from_section(fresh, section))

    def plain() -> None:
        fresh = make_laminate(lam.stack, {UNIDIRECTIONAL.name: UNIDIRECTIONAL})
        strain = loads @ fresh.compliance
        z = np.stack([fresh.z[:-1], (fresh.z[:-1] + fresh.z[1:]) / 2, fresh.z[1:]], axis=1)
        at = strain[:, None, None, :3] + z[..., None] * strain[:, None, None, 3:]
        s = np.einsum("nij,knsj->knsi", fresh.Q @ fresh.T, at)
        m = UNIDIRECTIONAL
        Xt, Xc, Yt, Yc, S12 = (m.need(f, "the bench") for f in ("Xt", "Xc", "Yt", "Yc", "S12"))
        f11, f22 = 1 / (Xt * Xc), 1 / (Yt * Yc)
        a = (
            f11 * s[..., 0] ** 2
            + f22 * s[..., 1] ** 2
            + s[..., 2] ** 2 / S12**2
            - np.sqrt(f11 * f22) * s[..., 0] * s[..., 1]
        )
        b = (1 / Xt - 1 / Xc) * s[..., 0] + (1 / Yt - 1 / Yc) * s[..., 1]
        _ = (-b + np.sqrt(b * b + 4 * a)) / (2 * a)

    whole()
    stack_ratio = median(whole, 9) / median(plain, 9)
    angles = np.array([0.0, 45.0, -45.0, 90.0])
    chosen = rng.integers(0, 4, (100_000, 24))
    load = np.array([1e5, 2e4, 1e4, 10.0, 5.0, 2.0])
    kinds = [Ply(UNIDIRECTIONAL.name, a, 1e-4) for a in angles]
    table = layers_of(kinds, [UNIDIRECTIONAL] * 4, [("tsai_wu",)] * 4)
    table.reserves(chosen[:10], load[None])
    spent = median(lambda: table.reserves(chosen, load[None]), 3)

    def one_by_one() -> None:
        for row in chosen[:20]:
            stack = Stack("c", tuple(Ply(UNIDIRECTIONAL.name, angles[q], 1e-4) for q in row))
            one = make_laminate(stack, {UNIDIRECTIONAL.name: UNIDIRECTIONAL})
            first_failure(one, Load(load[:3], load[3:]), "tsai_wu")

    loop = median(one_by_one, 3) / 20
    return [
        Figure(
            "stack_200",
            "200 plies, 16 loads, 4 criteria, 3 levels / plain NumPy script, one criterion",
            stack_ratio,
            4.0,
        ),
        Figure(
            "candidates",
            "time for 100 000 candidates of 24 plies / one second",
            spent,
            1.0,
            f"{len(chosen) / spent:,.0f} a second, {loop / (spent / len(chosen)):,.0f} times "
            "the same one by one",
        ),
        Figure(
            "memory_margins",
            "growth of the peak from 10⁷ to 10⁸ ply points / the peak",
            memory_growth(),
            0.1,
        ),
    ]


def memory_growth() -> float:
    """Assess blocks of section strains, ten times as many the second time."""
    import resource

    inputs = part_inputs(sized(0.04))
    laminate = shell_model(inputs).laminate
    strains = np.random.default_rng(5).normal(size=(1, 6000, 4, 8)) * 1e-4
    points = strains.shape[1] * 4 * laminate.count * 3

    def peak(target: float) -> float:
        for _ in range(round(target / points)):
            assess(laminate, strains)
        return float(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)

    first = peak(1e7)
    return (peak(1e8) - first) / first


def shell_figures() -> list[Figure]:
    """The shell core: a whole answer, its growth, cases, plies, memory."""
    first, turned, anew = whole_ratios()
    whole, rest = growth()
    solid = "CHOLMOD's factorisation and solves of that matrix"
    return [
        Figure(
            "shell_whole",
            f"assembly, solution, recovery, envelope / {solid}",
            first,
            3.0,
            "100 × 100 quads, 24 plies, 8 cases, Tsai–Wu and Hashin",
        ),
        Figure("shell_turned", f"the same after one ply's angle / {solid}", turned, 2.5),
        Figure("shell_allowable", f"the same after an allowable / {solid}", anew, 0.5),
        Figure(
            "shell_growth",
            "fitted exponent of the whole over the unknowns",
            whole,
            1.4,
            "10⁴ to 2.5·10⁵ unknowns",
        ),
        Figure("shell_growth_rest", "the same of all but the factorisation", rest, 1.05),
        Figure("shell_cases", "16 cases / one", more_cases(), 1.6),
        Figure("shell_plies", "solving with 64 plies / with 8", more_plies(), 1.1),
        Figure(
            "shell_memory",
            "peak of 250 000 unknowns, 48 plies, 16 cases / 4 GiB",
            peak_memory() / 2**32,
            1.0,
        ),
    ]

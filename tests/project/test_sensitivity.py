"""Derivatives of a part's answers against differences through the whole program."""

import dataclasses
from collections.abc import Sequence

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.stack import Ply, Stack
from tartan.project.analysis.gradients import (
    Buckles,
    MovedAt,
    Question,
    ReserveAt,
    Swings,
    Variable,
)
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import Memory, PartAnswer, SolveRequest, run_solve
from tartan.project.analysis.sensitivity import Slopes
from tartan.project.document.model import CriteriaSet, Project
from tartan.project.document.packed_arrays import pack_mesh
from tartan.project.document.partmodel import (
    Acceleration,
    BucklingRequirement,
    Case,
    Combination,
    Force,
    FrequencyRequirement,
    Movement,
    Part,
    Pressure,
    ReadSurface,
    Region,
    Rung,
    Support,
    SupportSet,
    Temperature,
)
from tartan.project.document.samples import dish_panel
from tartan.project.findings.chosen_margins import case_worst

Array = NDArray[np.float64]

RULES = (
    ("ply", ("tsai_wu", "interlaminar")),
    ("woven", ("hashin", "interlaminar")),
    ("core", ("core_shear",)),
)


def mesh(*, triangles: bool) -> Mesh:
    """A small shallow shell, distorted where it has triangles."""
    grid = grid_mesh(Panel(0.6, 0.4, 1.5, 1.2), 6, 4)
    if not triangles:
        return dataclasses.replace(grid, places=np.zeros((0, 2)), regions={})
    rng = np.random.default_rng(3)
    nodes = grid.nodes + 0.012 * rng.normal(size=grid.nodes.shape) * [1, 1, 0.2]
    quads, cut = grid.quads[:12], grid.quads[12:]
    both = np.concatenate([cut[:, [0, 1, 2]], cut[:, [0, 2, 3]]])
    return Mesh(nodes, quads, grid.edges, triangles=both)


def shell(*, triangles: bool = False) -> Project:
    """Every kind of load, two sets of supports, a doubler, a core, and a shifted surface."""
    sample = dish_panel()
    face = Stack("face", (Ply("UD carbon", 20.0, 0.4e-3), Ply("woven carbon", 45.0, 0.3e-3)))
    part = Part(
        ReadSurface("shell.vtu", pack_mesh(mesh(triangles=triangles))),
        0.1,
        (
            Rung(stack="face"),
            Rung("middle", ply=Ply("UD carbon", 75.0, 0.25e-3)),
            Rung(ply=Ply("honeycomb", 0.0, 6e-3)),
            Rung(stack="face", turn=30.0),
        ),
        regions=(Region("middle", elements=(1, 2, 7, 8, 13, 14, 20)),),
        reference_surface="bottom",
        offset=0.4e-3,
    )
    ends = (Support("left edge", "clamped"),)
    both = (*ends, Support("right edge", "held along z"), Support("right edge", "held along x"))
    return dataclasses.replace(
        sample,
        stacks=(face,),
        part=part,
        supports=ends,
        support_sets=(SupportSet("both", both),),
        cases=(
            Case("press", (Pressure(900.0), Acceleration((0.0, 3.0, -20.0)))),
            Case("cold", (Temperature(-70.0, 1500.0), Force("right edge", (0.0, 0.0, 4.0)))),
            Case("shut", (Movement("right edge", (-2e-4, 0.0, 1e-4)), Pressure(200.0)), "both"),
        ),
        combinations=(
            Combination("all", (("press", 1.2), ("cold", 0.7)), ("cold",)),
            Combination("growing cold", (("press", -0.5), ("cold", 1.0))),
        ),
        criteria=(CriteriaSet("of these", RULES),),
        tables=(),
        left_out=(),
        requirements=(
            BucklingRequirement(1.0, "press"),
            BucklingRequirement(1.0, "shut"),
            BucklingRequirement(1.0, "all"),
            FrequencyRequirement(1.0),
            FrequencyRequirement(1.0, "press"),
            FrequencyRequirement(1.0, "all"),
        ),
    )


def solved(project: Project) -> tuple[PartAnswer, Memory]:
    memory = Memory()
    job = run_solve(SolveRequest(0, part_inputs(project)), memory)
    while True:
        try:
            next(job)
        except StopIteration as end:
            return end.value, memory


def questions(answer: PartAnswer) -> list[Question]:
    """The governing place of every case, some of their shears and displacements, eigenvalues."""
    found: list[Question] = []
    names = answer.inputs.case_names
    for k, (_, e, m) in enumerate(case_worst(answer)):
        level = int(m.level[e])
        found.append(
            ReserveAt(k, e, int(m.point[e]), int(m.ply[e]), level, m.checks[int(m.check[e])])
        )
        found.append(ReserveAt(k, 8, 1, 2, 1, "interlaminar"))
        u = answer.solution.displacement[k, :, :3]
        found.append(MovedAt(k, int(np.linalg.norm(u, axis=1).argmax()), (0.3, -0.2, 0.9)))
    found += [Buckles(names.index(s.case)) for s in answer.buckling if len(s.values)]
    found += [Swings(names.index(s.case) if s.case else None) for s in answer.modes]
    return found


def value(answer: PartAnswer, memory: Memory, asked: Question) -> float:
    if isinstance(asked, ReserveAt):
        return Slopes(answer, memory).place(asked).value
    if isinstance(asked, MovedAt):
        moved = answer.solution.displacement[asked.case, asked.node, :3]
        return float(moved @ np.array(asked.along))
    known = answer.buckling if isinstance(asked, Buckles) else answer.modes
    name = "" if asked.case is None else answer.inputs.case_names[asked.case]
    return next(float(s.values[0]) for s in known if s.case == name)


def changed(project: Project, rung: int, ply: int, dt: float, da: float) -> Project:
    """The project with one ply of a rung thicker and turned; a stack's own where it lays one."""
    assert project.part is not None
    rungs = list(project.part.lay_up)
    own = rungs[rung].ply
    if own is not None:
        new = dataclasses.replace(own, thickness=own.thickness + dt, angle=own.angle + da)
        rungs[rung] = dataclasses.replace(rungs[rung], ply=new)
        return dataclasses.replace(
            project, part=dataclasses.replace(project.part, lay_up=tuple(rungs))
        )
    (stack,) = project.stacks
    plies = list(stack.plies)
    plies[ply] = dataclasses.replace(
        plies[ply], thickness=plies[ply].thickness + dt, angle=plies[ply].angle + da
    )
    return dataclasses.replace(project, stacks=(stack.with_plies(plies),))


def variable(
    project: Project, answer: PartAnswer, rung: int, ply: int, *, turns: bool
) -> Variable:
    part = project.part
    assert part is not None
    found = np.zeros((2, len(answer.layout().laid)))
    for n, laid in enumerate(answer.layout().laid):
        alike = part.lay_up[laid.rung].stack == part.lay_up[rung].stack
        if laid.within == ply and (laid.rung == rung or (alike and part.lay_up[rung].stack)):
            found[int(turns), n] = 1.0
    return Variable(*found)


VARIABLES = [(0, 1, True), (1, 0, False), (2, 0, False), (0, 0, False), (1, 0, True)]


def differences(
    project: Project, asked: Sequence[Question], which: tuple[int, int, bool]
) -> Array:
    """Central differences of fourth order of answers through the whole program."""
    rung, ply, turns = which
    step = 0.05 if turns else 1e-6 if rung < 2 else 2e-5

    def at(k: int) -> Array:
        own = changed(project, rung, ply, 0.0 if turns else k * step, k * step if turns else 0.0)
        answer, memory = solved(own)
        return np.array([value(answer, memory, q) for q in asked])

    return (8 * (at(1) - at(-1)) - (at(2) - at(-2))) / (12 * step)


@pytest.mark.parametrize("triangles", [False, True], ids=["quads", "mixed"])
def test_derivatives_are_those_of_the_whole_program(triangles: bool) -> None:
    project = shell(triangles=triangles)
    answer, memory = solved(project)
    asked = questions(answer)
    assert {type(q) for q in asked} == {ReserveAt, MovedAt, Buckles, Swings}
    slopes = Slopes(answer, memory)
    gradients = slopes.of(asked)
    # Triangles differ in the element, which three of them show.
    looked = VARIABLES[:3] if triangles else VARIABLES
    variables = [variable(project, answer, rung, ply, turns=turns) for rung, ply, turns in looked]
    found = slopes.by(gradients, variables)
    for number, which in enumerate(looked):
        exact = differences(project, asked, which)
        for q, got, want, one in zip(asked, found[:, number], exact, gradients, strict=True):
            assert value(answer, memory, q) == pytest.approx(one.value)
            # Of what a variable hardly moves the difference keeps few digits.
            floor = 1e-7 * abs(one.value) / (1.0 if which[2] else 1e-3)
            assert got == pytest.approx(want, rel=1e-5, abs=floor), (which, q)


def test_an_older_factor_is_not_taken() -> None:
    project = shell()
    answer, memory = solved(project)
    asked = [q for q in questions(answer) if isinstance(q, MovedAt)]
    one = variable(project, answer, 0, 0, turns=False)
    right = Slopes(answer, memory).by(Slopes(answer, memory).of(asked), [one])
    # Another design is solved with the same memory, whose factors are now of that.
    other = changed(project, 0, 0, 2e-3, 0.0)
    for _ in run_solve(SolveRequest(0, part_inputs(other)), memory):
        pass
    again = Slopes(answer, memory).by(Slopes(answer, memory).of(asked), [one])
    np.testing.assert_allclose(again, right, rtol=1e-9)


def test_what_does_not_buckle_has_no_derivative() -> None:
    project = shell()
    assert project.part is not None
    pulled = dataclasses.replace(
        project,
        cases=(Case("still", (Pressure(0.0),)),),
        combinations=(),
        requirements=(BucklingRequirement(1.0, "still"),),
    )
    answer, memory = solved(pulled)
    with pytest.raises(PartError, match="Nothing buckles"):
        Slopes(answer, memory).of([Buckles(0)])

"""Random work on a project: it stays valid, files keep it, and undo takes back exactly."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence
from typing import Any

from hypothesis import Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from tartan.core.errors import TartanError
from tartan.core.shell.mesh import Opening, Pad, Panel
from tartan.core.shell.mesher import Finer
from tartan.core.stack import Ply
from tartan.project.document.history import History
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Acceleration,
    Case,
    Combination,
    EdgeForce,
    Force,
    LeftOut,
    Near,
    Pressure,
    Region,
    ReserveRequirement,
    Rung,
    Support,
    Temperature,
)
from tartan.project.edits import case_edits, design_edits, part_edits, stack_edits, versions
from tartan.project.files.storage import from_text, to_text
from tests.conftest import CARBON
from tests.project.test_part import plate

NAMES = st.sampled_from(
    [
        "",
        "a",
        "A",
        "skin",
        "left edge",
        "pad",
        "mount, upper",
        'the "old" one',
        "größe ∅",
        "x" * 60,
    ]
)
FIGURES = st.floats(-1e3, 1e3, allow_nan=False) | st.sampled_from([0.0, 1e-12, 1e300])
VECTORS = st.tuples(FIGURES, FIGURES, FIGURES)
FACTORS = st.floats(-3, 3, allow_nan=False)
PLIES = st.lists(
    st.builds(
        Ply,
        st.sampled_from(["UD carbon", "woven carbon", "nothing like it"]),
        st.floats(-180, 180, allow_nan=False),
        st.sampled_from([0.125e-3, 1e-3, 0.0]),
    ),
    max_size=5,
)
LOADS = (
    st.builds(Pressure, FIGURES, NAMES)
    | st.builds(EdgeForce, NAMES, VECTORS)
    | st.builds(Force, NAMES, VECTORS, VECTORS)
    | st.builds(Acceleration, VECTORS)
    | st.builds(Temperature, FIGURES)
)


def picked(many: Sequence[Any], i: int) -> str:
    """Name of one of many, whatever the number; a name that is not there where there are none."""
    return many[i % len(many)].name if many else "nothing"


def every(project: Project) -> tuple[Any, ...]:
    """Cases, combinations and outside forces."""
    return (*project.cases, *project.combinations, *project.outside)


class Work(RuleBasedStateMachine):
    """A user at work, who may ask for anything."""

    @initialize()
    def begin(self) -> None:
        self.history = History.start(plate())
        self.been = [self.history.project]

    def do(self, edit: Callable[[Project], Project]) -> None:
        before = self.history.project
        try:
            changed = self.history.apply("edit", edit)
        except TartanError as error:
            refused = error
        else:
            refused = None
        if refused is not None:
            assert self.history.project is before
            assert refused.what
            assert refused.mend
            return
        if changed:
            del self.been[self.history.at :]
            self.been.append(self.history.project)

    @invariant()
    def it_is_valid_and_a_file_keeps_it(self) -> None:
        if not hasattr(self, "history"):
            return
        project = self.history.project
        assert from_text(to_text(project)) == project
        stack_edits.check_project(project)

    @invariant()
    def its_names_are_its_own(self) -> None:
        if not hasattr(self, "history"):
            return
        p = self.history.project
        for many in (p.materials, p.stacks, p.cases, p.support_sets, p.tables):
            names = [x.name for x in many]  # type: ignore[attr-defined]
            assert len(names) == len(set(names))
        assert len(p.case_names) == len(set(p.case_names))
        for both in p.combinations:
            assert {n for n, _ in both.factors} <= {c.name for c in p.cases}
        laid = p.part.stacks() if p.part else ()
        assert set(laid) <= {s.name for s in p.stacks}

    # Stacks and materials

    @rule(name=NAMES, plies=PLIES)
    def lay(self, name: str, plies: list[Ply]) -> None:
        self.do(lambda p: stack_edits.add_stack(p, name, plies)[0])

    @rule(i=st.integers(0, 9), plies=PLIES)
    def lay_anew(self, i: int, plies: list[Ply]) -> None:
        self.do(lambda p: stack_edits.put_plies(p, picked(p.stacks, i), plies))

    @rule(i=st.integers(0, 9), new=NAMES)
    def rename_stack(self, i: int, new: str) -> None:
        self.do(lambda p: stack_edits.rename_stack(p, picked(p.stacks, i), new))

    @rule(i=st.integers(0, 9))
    def remove_stack(self, i: int) -> None:
        self.do(lambda p: stack_edits.remove_stack(p, picked(p.stacks, i)))

    @rule(i=st.integers(0, 9), new=NAMES)
    def rename_material(self, i: int, new: str) -> None:
        def edit(p: Project) -> Project:
            old = picked(p.materials, i)
            material = p.material(old) or CARBON
            return stack_edits.put_material(p, old, dataclasses.replace(material, name=new))

        self.do(edit)

    @rule(i=st.integers(0, 9))
    def remove_material(self, i: int) -> None:
        self.do(lambda p: stack_edits.remove_material(p, picked(p.materials, i)))

    @rule(i=st.integers(0, 9), field=st.sampled_from(["E1", "nu12", "Xt", "rho"]), value=FIGURES)
    def change_a_figure(self, i: int, field: str, value: float) -> None:
        self.do(lambda p: stack_edits.set_value(p, picked(p.materials, i), field, value))

    # Part

    @rule(length=FIGURES, width=st.floats(0.05, 2), size=st.sampled_from([0.05, 0.1, 1e-9]))
    def shape(self, length: float, width: float, size: float) -> None:
        def edit(p: Project) -> Project:
            assert p.part is not None
            part = dataclasses.replace(p.part, surface=Panel(length, width), mesh_size=size)
            return part_edits.put_surface(p, part)[0]

        self.do(edit)

    @rule(name=NAMES, x=st.floats(-0.3, 0.3), y=st.floats(-0.2, 0.2))
    def cut(self, name: str, x: float, y: float) -> None:
        def edit(p: Project) -> Project:
            assert p.part is not None
            assert isinstance(p.part.surface, Panel)
            cuts = (*p.part.surface.openings, Opening(name, x, y, 0.08, 0.08))
            pads = (*p.part.surface.pads, Pad(name + "'", y, x, 0.06))
            surface = dataclasses.replace(p.part.surface, openings=cuts[-1:], pads=pads[-1:])
            return part_edits.put_surface(p, dataclasses.replace(p.part, surface=surface))[0]

        self.do(edit)

    @rule(name=NAMES, old=NAMES, distance=st.floats(0.01, 0.3))
    def name_a_region(self, name: str, old: str, distance: float) -> None:
        region = Region(name, near=(Near(distance, "left edge"),))
        self.do(lambda p: part_edits.put_region(p, region, old))

    @rule(name=NAMES)
    def drop_a_region(self, name: str) -> None:
        self.do(lambda p: part_edits.remove_region(p, name))

    @rule(region=NAMES, stack=NAMES, angle=st.floats(-90, 90))
    def lay_on(self, region: str, stack: str, angle: float) -> None:
        rung = Rung(region, stack=stack, turn=angle)

        def edit(p: Project) -> Project:
            assert p.part is not None
            return part_edits.put_lay_up(p, (*p.part.lay_up, rung))

        self.do(edit)

    @rule(edge=NAMES, size=st.sampled_from([0.02, 0.05, -1.0]))
    def refine(self, edge: str, size: float) -> None:
        def edit(p: Project) -> Project:
            assert p.part is not None
            finer = (Finer(size, 0.1, edge),)
            return part_edits.put_surface(p, dataclasses.replace(p.part, finer=finer))[0]

        self.do(edit)

    # Cases

    @rule(name=NAMES, loads=st.lists(LOADS, max_size=3))
    def add_case(self, name: str, loads: list[object]) -> None:
        case = Case(name, tuple(loads))  # type: ignore[arg-type]
        self.do(lambda p: case_edits.put_cases(p, (*p.cases, case)))

    @rule(i=st.integers(0, 9), new=NAMES)
    def rename_case(self, i: int, new: str) -> None:
        self.do(
            lambda p: case_edits.rename_case(
                p, p.case_names[i % len(p.case_names)] if p.case_names else "", new
            )
        )

    @precondition(lambda self: len(self.history.project.cases) > 1)
    @rule()
    def drop_the_last_case(self) -> None:
        self.do(lambda p: case_edits.put_cases(p, p.cases[:-1]))

    @rule(name=NAMES, factors=st.lists(FACTORS, max_size=4))
    def combine(self, name: str, factors: list[float]) -> None:
        def edit(p: Project) -> Project:
            pairs = tuple(zip((c.name for c in p.cases), factors, strict=False))
            return case_edits.put_combinations(p, (*p.combinations, Combination(name, pairs)))

        self.do(edit)

    @rule(place=NAMES)
    def hold(self, place: str) -> None:
        self.do(lambda p: case_edits.put_supports(p, (*p.supports, Support(place, "pinned"))))

    @rule(value=FIGURES, case=NAMES)
    def ask(self, value: float, case: str) -> None:
        asked = ReserveRequirement(value, case=case)
        self.do(lambda p: case_edits.put_requirements(p, (*p.requirements, asked)))

    @rule(
        near=st.sampled_from(["supports", "loads", "region"]),
        rings=st.integers(-1, 5),
        distance=st.sampled_from([None, None, 0.05, 0.0, -1.0, 1e9]),
    )
    def leave_out(self, near: str, rings: int, distance: float | None) -> None:
        left = LeftOut(near, rings, "pad" if near == "region" else "", distance)  # type: ignore[arg-type]
        self.do(lambda p: case_edits.put_left_out(p, (left,)))

    # Versions and criteria

    @rule(name=NAMES)
    def clone(self, name: str) -> None:
        self.do(lambda p: versions.clone_version(p, name))

    @rule(name=NAMES)
    def switch(self, name: str) -> None:
        self.do(lambda p: versions.switch_version(p, name))

    @rule()
    def pin(self) -> None:
        self.do(versions.pin_baseline)

    @rule(name=NAMES, text=st.sampled_from(["s1/Xt", "abs(s2)/Yt", "s1/", "s9", "t12/S12 + 1"]))
    def write_a_criterion(self, name: str, text: str) -> None:
        self.do(lambda p: design_edits.put_formula(p, name, text))

    # Time

    @rule(steps=st.integers(1, 6))
    def go_back_and_forth(self, steps: int) -> None:
        at = self.history.at
        for _ in range(steps):
            self.history.undo()
        assert self.history.project == self.been[max(0, at - steps)]
        while self.history.at < at:
            assert self.history.redo()
        assert self.history.project == self.been[at]

    @rule(steps=st.integers(1, 6))
    def go_back(self, steps: int) -> None:
        for _ in range(steps):
            self.history.undo()

    def teardown(self) -> None:
        if hasattr(self, "history"):
            while self.history.undo():
                assert self.history.project == self.been[self.history.at]
            assert self.history.project == plate()


Work.TestCase.settings = settings(
    max_examples=15, stateful_step_count=20, deadline=None, phases=(Phase.generate,)
)
test_random_work_keeps_a_project_whole = Work.TestCase

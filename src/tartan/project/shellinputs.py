"""What a part's answer depends on, cut out of the project and made into a shell model."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.materials import ELASTIC_FIELDS, Material
from tartan.core.shell import loads
from tartan.core.shell.mesh import Mesh, Panel, panel_mesh
from tartan.core.shell.solve import ShellModel
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.core.stack import Stack
from tartan.core.stack.groups import bare
from tartan.project.model import (
    CORNERS,
    USUAL,
    Acceleration,
    Case,
    CriteriaSet,
    EdgeForce,
    Level,
    Part,
    Pressure,
    Project,
    Side,
    Support,
)

Array = NDArray[np.float64]

_OFFSETS: dict[Level, float] = {"bottom": 0.5, "middle": 0.0, "top": -0.5}


@dataclass(frozen=True)
class PartInputs:
    """Everything the margins of a part depend on; equal inputs have equal answers."""

    part: Part
    stack: Stack
    materials: tuple[Material, ...]
    supports: tuple[Support, ...]
    cases: tuple[Case, ...]
    criteria: CriteriaSet = USUAL

    def elastic(self) -> PartInputs:
        """Return the inputs with all that a solution does not feel blanked.

        Solutions of two inputs agree when these are equal, whatever the strengths and names.
        """
        materials = tuple(
            Material(m.name, m.E1, m.E2, m.nu12, m.G12,
                     **{f: getattr(m, f) for f in ELASTIC_FIELDS[4:]})
            for m in self.materials
        )  # fmt: skip
        cases = tuple(replace(c, name=str(i)) for i, c in enumerate(self.cases))
        stack = Stack("", bare(self.stack.plies))
        return PartInputs(replace(self.part, stack=""), stack, materials, self.supports, cases)


def part_inputs(project: Project) -> PartInputs:
    """Cut the inputs out of a project.

    Raises
    ------
    DocumentError
        When there is no part, no case, or the part's stack does not exist.
    """
    if project.part is None:
        raise DocumentError("There is no part yet.", "Part", "Give the surface its size.")
    stack = project.stack(project.part.stack)
    if stack is None:
        raise DocumentError(f"There is no stack '{project.part.stack}'.", "Part",
                            "Choose another.")  # fmt: skip
    if not project.cases:
        raise DocumentError("There is no load case.", "Cases", "Add one in Cases.")
    return PartInputs(project.part, stack, project.materials_of(stack), project.supports,
                      project.cases, replace(project.criteria[0], name=""))  # fmt: skip


@lru_cache(maxsize=8)
def mesh_for(surface: Panel, size: float, side: Side) -> Mesh:
    """Mesh of a surface whose normals point to the laying side."""
    mesh = panel_mesh(surface, size)
    return mesh if side == "up" else mesh.flipped()


@lru_cache(maxsize=256)
def laminate_for(stack: Stack, materials: tuple[Material, ...], offset: float = 0.0) -> Laminate:
    """Laminate of a stack, remembered.

    Raises
    ------
    StackError, MaterialError
        As `make_laminate`.
    """
    return make_laminate(stack, {m.name: m for m in materials}, offset)


def part_laminate(inputs: PartInputs) -> Laminate:
    """Laminate laid on the part, about its reference surface."""
    share = _OFFSETS[inputs.part.reference_surface]
    return laminate_for(inputs.stack, inputs.materials, share * inputs.stack.thickness)


def place_nodes(mesh: Mesh, place: str) -> NDArray[np.int64]:
    """Nodes of a named edge or corner."""
    if place in CORNERS:
        vertical, horizontal, _ = place.split()
        edge = mesh.edges[f"{vertical} edge"]
        return edge[:1] if horizontal == "left" else edge[-1:]
    return mesh.edges[place]


def shell_model(inputs: PartInputs) -> ShellModel:
    """Meshed model with laminate and supports.

    Raises
    ------
    TartanError
        When surface, stack or materials are not usable.
    """
    part = inputs.part
    laminate = part_laminate(inputs)
    mesh = mesh_for(part.surface, part.mesh_size, part.laying_side)
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    for support in inputs.supports:
        nodes = place_nodes(mesh, support.place)
        fixed[np.ix_(nodes, np.array(SUPPORT_KINDS[support.kind]))] = True
    return ShellModel(mesh, laminate, np.array(part.reference), fixed)


def case_forces(mesh: Mesh, laminate: Laminate, case: Case) -> Array:
    """Nodal forces of a case, shape (n, 6) [N, N·m].

    Raises
    ------
    MaterialError
        When an acceleration meets a material without density.
    """
    total = np.zeros((len(mesh.nodes), 6))
    for load in case.loads:
        if isinstance(load, Pressure):
            # Positive presses on the laying side, against its normal.
            total += loads.pressure(mesh, -load.value)
        elif isinstance(load, EdgeForce):
            total += loads.edge_force(mesh, mesh.edges[load.edge], np.array(load.force))
        elif isinstance(load, Acceleration):
            total += loads.acceleration(mesh, laminate.areal_mass, np.array(load.vector))
    return total

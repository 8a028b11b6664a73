"""Fields of an answer as a VTU file, which general viewers read: nodes, elements, values."""

from __future__ import annotations

from html import escape
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError
from tartan.exchange.maps.fields import FIELDS, section_forces
from tartan.exchange.ply_fields import ply_fields
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.disk.wholefile import replacing
from tartan.project.document.model import Project
from tartan.project.files.storage import not_written
from tartan.project.findings.chosen_margins import excluded, margins_for

Array = NDArray[np.float64]

CELLS = {4: "quad", 3: "triangle"}
"""Cells of the file by their corners."""


NAMES = tuple(f.key for f in FIELDS if f.sort == "section" and f.key[0] in "NMQ")
SI = {"N": "N/m", "M": "N", "Q": "N/m"}


def write_fields(project: Project, answer: PartAnswer, path: Path, *, plies: bool = False) -> None:
    """Write margins, zones, section forces and displacements, in SI.

    Parameters
    ----------
    project : Project
        Whose areas left out.
    answer : PartAnswer
        What is written.
    path : Path
        A file that ends in ``.vtu``.
    plies : bool
        Whether stresses and strains of every ply are written too.

    Raises
    ------
    DocumentError
        Another ending, or a file that cannot be written.
    """
    if path.suffix.lower() != ".vtu":
        raise DocumentError(
            f"'{path.suffix}' is no file of fields.", path.name, "End the name in .vtu."
        )
    import meshio

    mesh = answer.layout().mesh
    cells = _cell_data(project, answer)
    if plies:
        cells |= dict(ply_fields(answer))
    made = meshio.Mesh(
        mesh.nodes,
        [(CELLS[b.corners], b.nodes) for b in mesh.blocks],
        # The writer sets names into XML as they are.
        point_data={escape(n, quote=True): v for n, v in _point_data(answer).items()},
        cell_data={
            escape(name, quote=True): [values[b.which] for b in mesh.blocks]
            for name, values in cells.items()
        },
    )
    try:
        with replacing(path) as beside:
            made.write(beside, file_format="vtu")
    except OSError as error:
        raise not_written(error, path) from error


def _cell_data(project: Project, answer: PartAnswer) -> dict[str, NDArray[np.generic]]:
    margins = margins_for(answer)
    # Viewers stumble over infinity; what never fails is written as a very large factor.
    found: dict[str, NDArray[np.generic]] = {
        "element": np.arange(1, len(margins.reserve) + 1),
        "zone": answer.layout().zones.zone + 1,
        "reserve factor": np.minimum(margins.reserve, 1e9),
        "failure index": np.nan_to_num(margins.index),
        "governing ply": margins.ply + 1,
        "governing level": margins.level,
        "governing case": margins.case + 1,
        "left out": excluded(answer, project.left_out).mask.astype(np.int64),
    }
    for k, name in enumerate(answer.inputs.case_names):
        forces = section_forces(answer, k)
        for j, key in enumerate(NAMES):
            found[f"{name}: {key} [{SI[key[0]]}]"] = np.ascontiguousarray(forces[:, j])
    return found


def _point_data(answer: PartAnswer) -> dict[str, Array]:
    names = answer.inputs.solved_names
    return {
        f"{name}: displacement [m]": np.ascontiguousarray(answer.solution.displacement[k, :, :3])
        for k, name in enumerate(names)
    }

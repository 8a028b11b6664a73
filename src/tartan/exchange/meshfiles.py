"""Meshes from open formats: VTU, XDMF, MSH, STL, OBJ, PLY, through meshio."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError
from tartan.core.shell.directions import turned, turned_elements
from tartan.core.shell.mesh import MOST_ELEMENTS, Mesh

Index = NDArray[np.int64]

SUFFIXES = (".vtu", ".xdmf", ".msh", ".stl", ".obj", ".ply")
"""Forms that are read."""

LENGTHS = {"m": 1.0, "mm": 1e-3, "cm": 1e-2, "in": 0.0254}
"""Units a mesh can be in; the formats do not say."""

LOOSE = (".stl", ".obj", ".ply")
"""Forms that repeat corners from element to element; in the others a doubled node is a finding."""

MOST_HEAD = 65_536
"""Bytes within which the head of a PLY file ends."""

SAME = 1e-7
"""Nodes of those forms nearer than this share of the part's size are one."""


def read_mesh(path: Path, unit: str = "mm") -> Mesh:
    """Read a mesh of quadrilaterals and triangles.

    Parameters
    ----------
    path : Path
        The file; its suffix tells the form.
    unit : str
        Unit of its coordinates, a key of `LENGTHS`.

    Raises
    ------
    DocumentError
        Another form, a damaged file, no surface elements, or too many of them.
    """
    if path.suffix.lower() not in SUFFIXES:
        raise DocumentError(
            f"Files of the form '{path.suffix}' are not read.",
            path.name,
            f"Convert it to one of {', '.join(SUFFIXES)}.",
        )
    if unit not in LENGTHS:
        raise DocumentError(
            f"The unit '{unit}' is not known.", path.name, f"Choose one of {', '.join(LENGTHS)}."
        )
    import meshio

    try:
        if path.suffix.lower() == ".ply":
            _check_head(path)
        with np.errstate(all="ignore"):
            # The reader of STL overflows on purpose when it tells text from binary.
            found = meshio.read(path)
    except DocumentError:
        raise
    except (Exception, SystemExit) as error:
        reason = str(error) or type(error).__name__
        raise DocumentError(
            f"The file could not be read ({reason}).", path.name, "Export the mesh anew."
        ) from error
    points = _checked(found.points, path.name) * LENGTHS[unit]
    check_corners(found.cells, len(points), path.name)
    if path.suffix.lower() in LOOSE:
        nodes, back = _merged(points)
    else:
        nodes, back = points, np.arange(len(points))
    four, three, four_names, three_names = _elements(found, back)
    if len(four) + len(three) == 0:
        raise DocumentError(
            "It holds no triangles and no quadrilaterals.", path.name, "Export the surface mesh."
        )
    if len(four) + len(three) > MOST_ELEMENTS:
        what = f"It holds {len(four) + len(three):,} elements."
        raise DocumentError(what, path.name, f"Use up to {MOST_ELEMENTS:,}.")
    names = np.array([*four_names, *three_names])
    regions = {str(n): np.flatnonzero(names == n) for n in dict.fromkeys(names.tolist())}
    used = np.unique(np.concatenate([four.ravel(), three.ravel()]))
    place = np.full(len(nodes), -1)
    place[used] = np.arange(len(used))
    mesh = Mesh(nodes[used], place[four], {}, triangles=place[three], regions=regions)
    mesh = turned(mesh, turned_elements(mesh))
    return Mesh(
        mesh.nodes, mesh.quads, free_edges(mesh), triangles=mesh.triangles, regions=regions
    )


def _check_head(path: Path) -> None:
    """Refuse a PLY file whose head does not end; its reader would look for the end for ever."""
    with path.open("rb") as file:
        if b"end_header" not in file.read(MOST_HEAD):
            raise DocumentError(
                "The head of the file has no end ('end_header').",
                path.name,
                "Export the mesh anew.",
            )


def check_corners(cells: Any, count: int, name: str) -> None:
    """Refuse elements whose corners are no nodes of the file.

    Raises
    ------
    DocumentError
        Naming the first such element.
    """
    for block in cells:
        try:
            corners = np.asarray(block.data, np.int64)
        except (ValueError, TypeError, OverflowError) as error:
            raise DocumentError(
                f"Its elements of the sort '{block.type}' are no node numbers.",
                name,
                "Export the mesh anew.",
            ) from error
        least = 4 if block.type.startswith("quad") else 3 if "triangle" in block.type else 0
        if corners.ndim != 2 or corners.shape[1] < least:
            raise DocumentError(
                f"Its elements of the sort '{block.type}' lack corners.",
                name,
                "Export the mesh anew.",
            )
        wrong = np.argwhere((corners < 0) | (corners >= count))
        if len(wrong):
            element, corner = (int(i) for i in wrong[0])
            what = (
                f"Element {element + 1} of the sort '{block.type}' has node "
                f"{int(corners[element, corner]) + 1}, there are {count}."
            )
            raise DocumentError(what, name, "Export the mesh anew.")


def _checked(given: Any, name: str) -> NDArray[np.float64]:
    try:
        points = np.asarray(given, float)
    except (ValueError, TypeError) as error:
        raise DocumentError("Its points are not numbers.", name, "Export it anew.") from error
    if points.ndim == 2 and points.shape[1] not in (2, 3):
        raise DocumentError(
            "Its points have no two or three coordinates.", name, "Export it anew."
        )
    if points.ndim != 2 or len(points) == 0 or not np.isfinite(points).all():
        raise DocumentError("Its points are not finite numbers.", name, "Export it anew.")
    if points.shape[1] == 2:
        points = np.column_stack([points, np.zeros(len(points))])
    return points


def _merged(points: NDArray[np.float64]) -> tuple[NDArray[np.float64], Index]:
    size = float(np.linalg.norm(np.ptp(points, axis=0))) or 1.0
    key = np.round(points / (size * SAME)).astype(np.int64)
    _, keep, back = np.unique(key, axis=0, return_index=True, return_inverse=True)
    return points[keep], back.ravel()


def _elements(found: Any, back: Index) -> tuple[Index, Index, list[str], list[str]]:
    """Quadrilaterals and triangles without doubled corners, and their region names."""
    form: dict[str, list[Index]] = {"quad": [], "triangle": []}
    names: dict[str, list[str]] = {"quad": [], "triangle": []}
    titles = {
        int(v[0]): k
        for k, v in (found.field_data or {}).items()
        if len(np.atleast_1d(v)) > 1 and int(v[1]) == 2
    }
    tags = next(
        (
            found.cell_data[k]
            for k in ("region", "gmsh:physical", "gmsh:geometrical")
            if k in found.cell_data
        ),
        None,
    )
    for block, cells in enumerate(found.cells):
        kind = {
            "quad": "quad",
            "triangle": "triangle",
            "quad8": "quad",
            "quad9": "quad",
            "triangle6": "triangle",
        }.get(cells.type)
        if kind is None:
            continue
        width = 4 if kind == "quad" else 3
        corners = back[np.asarray(cells.data, np.int64)[:, :width]]
        whole = (np.diff(np.sort(corners, axis=1), axis=1) > 0).all(axis=1)
        form[kind].append(corners[whole])
        own = (
            np.zeros(len(corners), int)
            if tags is None
            else np.asarray(tags[block])[: len(corners)]
        )
        names[kind] += [
            titles.get(int(t), f"region {int(t)}" if tags is not None else "surface")
            for t in own[whole]
        ]
    four = np.concatenate([np.zeros((0, 4), np.int64), *form["quad"]])
    three = np.concatenate([np.zeros((0, 3), np.int64), *form["triangle"]])
    return four, three, names["quad"], names["triangle"]


def free_edges(mesh: Mesh) -> dict[str, Index]:
    """Chains of sides that belong to one element, as named edges, longest first."""
    sides = mesh.sides
    _, first, count = np.unique(
        np.sort(sides, axis=1), axis=0, return_index=True, return_counts=True
    )
    follow: dict[int, list[int]] = {}
    for a, b in sides[first[count == 1]].tolist():
        follow.setdefault(a, []).append(b)
    chains = []
    while follow:
        start = next(iter(follow))
        chain = [start]
        while follow.get(chain[-1]):
            here = chain[-1]
            chain.append(follow[here].pop())
            if not follow[here]:
                del follow[here]
        follow.pop(start, None) if not follow.get(start) else None
        if len(chain) > 1:
            chains.append(np.array(chain))
    chains.sort(key=len, reverse=True)
    return {f"free edge {n}": chain for n, chain in enumerate(chains, start=1)}

"""Unstructured meshes of trimmed faces, made by gmsh, as meshes of our own form.

gmsh keeps one global state, so its use is behind a lock; the model is thrown away afterwards.
Source of the mesher: C. Geuzaine and J.-F. Remacle, Int. J. Numer. Meth. Engng 79 (2009)
1309–1331.
"""

from __future__ import annotations

import ctypes
import signal
import threading
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.mesh import MOST_ELEMENTS, Mesh

gmsh: Any = None
_missing = ""
try:
    import gmsh  # type: ignore[no-redef]
except (ImportError, OSError) as error:
    # It asks for graphics libraries of the system; all but trimmed surfaces works without.
    _missing = str(error)

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Tags = list[int]

_LOCK = threading.Lock()
_TRIANGLE, _QUAD = 2, 3
_BEST_PAIRS, _DIVIDED = 1, 2


@dataclass(frozen=True)
class Finer:
    """Smaller elements around an edge or a point.

    Attributes
    ----------
    size : float
        Element size there [m].
    reach : float
        Distance over which it grows to the usual size [m].
    edge : str
        Named edge; empty for a point.
    at : tuple of float
        The point, when no edge is named [m].
    """

    size: float
    reach: float
    edge: str = ""
    at: tuple[float, float, float] = (0.0, 0.0, 0.0)


def _keep_broken_pipes_errors() -> None:
    """Ignore SIGPIPE again, as Python does: gmsh gives it back its default, which is to die.

    With it, writing to a solver that has just ended would end the window. Python's own call would
    work in the main thread only.
    """
    if hasattr(signal, "SIGPIPE"):
        handler = ctypes.CDLL(None).signal
        handler.argtypes, handler.restype = (ctypes.c_int, ctypes.c_void_p), ctypes.c_void_p
        handler(signal.SIGPIPE, ctypes.c_void_p(int(signal.SIG_IGN)))


@contextmanager
def session() -> Iterator[Any]:
    """Give gmsh with an empty model and no output.

    Raises
    ------
    PartError
        When gmsh fails, in its own words.
    """
    if gmsh is None:
        raise PartError(
            f"The mesher cannot be loaded ({_missing}).",
            "Surface",
            "Install the system packages: scripts/system_packages.sh",
        )
    with _LOCK:
        # Not interruptible: its own handler of signals only works in the main thread.
        gmsh.initialize(interruptible=False, readConfigFiles=False)
        _keep_broken_pipes_errors()
        try:
            gmsh.option.setNumber("General.Terminal", 0)
            gmsh.option.setNumber("General.NumThreads", 1)
            gmsh.model.add("part")
            yield gmsh
        except PartError:
            raise
        except Exception as error:
            # gmsh raises bare exceptions that carry its message.
            raise PartError(
                f"The surface could not be meshed ({error}).",
                "Surface",
                "Choose another size, or a simpler surface.",
            ) from error
        finally:
            gmsh.finalize()


def generate(
    size: float,
    curves: Mapping[str, Tags],
    finer: Sequence[Finer] = (),
    kept_round: float = 12.0,
    *,
    many: bool = False,
) -> None:
    """Mesh the faces of the current model with quadrilaterals.

    Parameters
    ----------
    size : float
        Element size [m].
    curves : mapping of str to list of int
        Curves by the name of their edge.
    finer : sequence of Finer
        Where elements are smaller.
    kept_round : float
        Least number of elements round a full turn of a curved line.
    many : bool
        Whether there will be thousands of elements: the best pairs of triangles are not looked for
        then, as that takes a time that grows faster than their number; a coarser mesh is paired
        and divided instead, which is as good where elements are small.

    Raises
    ------
    PartError
        A named edge that does not exist, or sizes that make no sense.
    """
    for number, each in enumerate(finer, start=1):
        where = f"Mesh size, refinement {number}"
        if not (0 < each.size <= size and each.reach > 0):
            raise PartError(
                "A refinement needs a size below the mesh size, and a reach.",
                where,
                f"Give a size up to {size:g} m and a positive reach.",
            )
        if each.edge and each.edge not in curves:
            raise PartError(
                f"There is no edge '{each.edge}'.", where, f"There are {', '.join(curves)}."
            )
    option = gmsh.option.setNumber
    option("Mesh.MeshSizeMax", size)
    option("Mesh.MeshSizeMin", min([size / 20, *(f.size for f in finer)]))
    option("Mesh.MeshSizeFromCurvature", kept_round)
    option("Mesh.MeshSizeExtendFromBoundary", 1)
    fields = [_field(each, size, curves) for each in finer]
    if fields:
        field = gmsh.model.mesh.field
        least = field.add("Min")
        field.setNumbers(least, "FieldsList", fields)
        field.setAsBackgroundMesh(least)
    option("Mesh.Algorithm", 8)
    option("Mesh.RecombineAll", 1)
    option("Mesh.RecombinationAlgorithm", _DIVIDED if many else _BEST_PAIRS)
    gmsh.model.mesh.generate(2)


def _field(each: Finer, size: float, curves: Mapping[str, Tags]) -> int:
    """Size field that grows with the distance from the edge or point."""
    model, field = gmsh.model, gmsh.model.mesh.field
    distance = field.add("Distance")
    if each.edge:
        field.setNumbers(distance, "CurvesList", curves[each.edge])
        field.setNumber(distance, "Sampling", 200)
    else:
        point = model.occ.addPoint(*each.at)
        model.occ.synchronize()
        field.setNumbers(distance, "PointsList", [point])
    grow = field.add("Threshold")
    for name, value in (
        ("InField", distance),
        ("SizeMin", each.size),
        ("SizeMax", size),
        ("DistMin", 0.15 * each.reach),
        ("DistMax", each.reach),
    ):
        field.setNumber(grow, name, value)
    return int(grow)


def collected(faces: Mapping[str, Tags], curves: Mapping[str, Tags]) -> Mesh:
    """Take the mesh of the current model.

    Parameters
    ----------
    faces, curves : mapping of str to list of int
        Faces and curves by the names of regions and edges.

    Returns
    -------
    Mesh
        Quadrilaterals before triangles; a region a face name, an edge a curve name.

    Raises
    ------
    PartError
        When a face has no elements, or there are too many.
    """
    mesh = gmsh.model.mesh
    tags, points, _ = mesh.getNodes()
    number = np.full(int(tags.max(initial=0)) + 1, -1)
    number[tags.astype(np.int64)] = np.arange(len(tags))
    nodes = points.reshape(-1, 3)
    by_form: dict[int, list[tuple[str, Index]]] = {_QUAD: [], _TRIANGLE: []}
    for name, each in faces.items():
        found = 0
        for face in each:
            for form, parts in by_form.items():
                _, corners = mesh.getElementsByType(form, face)
                corners = number[corners.astype(np.int64)].reshape(-1, 4 if form == _QUAD else 3)
                parts.append((name, corners))
                found += len(corners)
        if found == 0:
            raise PartError(
                f"The face '{name}' could not be meshed.",
                "Surface",
                "Choose a smaller mesh size, or leave the face out.",
            )
    quads, quad_names = _joined(by_form[_QUAD], 4)
    triangles, triangle_names = _joined(by_form[_TRIANGLE], 3)
    owner = np.concatenate([quad_names, triangle_names])
    if len(owner) > MOST_ELEMENTS:
        raise PartError(
            f"The mesh would have {len(owner):,} elements.", "Mesh size", "Choose a larger size."
        )
    chains = {name: _chain(number, each) for name, each in curves.items()}
    used = np.unique(np.concatenate([quads.ravel(), triangles.ravel()]))
    back = np.full(len(nodes), -1)
    back[used] = np.arange(len(used))
    edges = {name: back[chain[back[chain] >= 0]] for name, chain in chains.items()}
    regions = {name: np.flatnonzero(owner == name) for name in faces}
    return Mesh(nodes[used].copy(), back[quads], edges, triangles=back[triangles], regions=regions)


def _joined(parts: list[tuple[str, Index]], width: int) -> tuple[Index, NDArray[np.str_]]:
    corners = np.concatenate([np.zeros((0, width), np.int64), *(c for _, c in parts)])
    names = np.array([n for n, c in parts for _ in range(len(c))], dtype=str)
    return corners, names


def _chain(number: Index, curves: Tags) -> Index:
    """Nodes along curves, in order along each."""
    chains = []
    for curve in curves:
        _, _, sides = gmsh.model.mesh.getElements(1, curve)
        if len(sides) == 0:
            continue
        pairs = number[sides[0].astype(np.int64)].reshape(-1, 2)
        chains.append(np.concatenate([pairs[:, 0], pairs[-1:, 1]]))
    return np.concatenate(chains) if chains else np.zeros(0, np.int64)

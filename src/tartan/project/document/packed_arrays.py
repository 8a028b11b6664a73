"""Meshes and files as text inside a project file: compressed, then base 64 (RFC 4648)."""

from __future__ import annotations

import base64
import io
import json
import zipfile
import zlib
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError
from tartan.core.shell.mesh import MOST_ELEMENTS, Mesh

MOST_BYTES = 400_000_000
"""Size that anything packed may unpack to."""

MOST_ENTRIES = 20_000

_DAMAGED = DocumentError(
    "The surface kept in the project is damaged.", "Surface", "Read its file anew."
)


def _bounded(packed: str) -> io.BytesIO:
    """An archive of arrays that does not unpack into more than makes sense."""
    file = io.BytesIO(base64.b64decode(packed, validate=True))
    with zipfile.ZipFile(file) as archive:
        entries = archive.infolist()
        if len(entries) > MOST_ENTRIES or sum(e.file_size for e in entries) > MOST_BYTES:
            raise _DAMAGED
    file.seek(0)
    return file


def pack_text(text: str) -> str:
    """Text made short."""
    return base64.b64encode(zlib.compress(text.encode(), 6)).decode()


def unpack_text(packed: str) -> str:
    """Text from `pack_text`.

    Raises
    ------
    DocumentError
        When it is damaged.
    """
    try:
        short = zlib.decompressobj()
        found = short.decompress(base64.b64decode(packed, validate=True), MOST_BYTES)
        if short.unconsumed_tail or not short.eof:
            raise _DAMAGED
        return found.decode()
    except (ValueError, zlib.error) as error:
        raise _DAMAGED from error


def pack_rows(rows: NDArray[np.float64]) -> str:
    """Rows of figures as text, shape (n, c)."""
    file = io.BytesIO()
    np.savez_compressed(file, rows=np.asarray(rows, float))
    return base64.b64encode(file.getvalue()).decode()


@lru_cache(maxsize=16)
def unpack_rows(packed: str, columns: int) -> NDArray[np.float64]:
    """Rows from `pack_rows`, finite and with so many columns.

    Raises
    ------
    DocumentError
        When they are damaged.
    """
    damaged = DocumentError(
        "The table kept in the project is damaged.", "Outside forces", "Read its file anew."
    )
    try:
        with np.load(_bounded(packed)) as data:
            rows = np.asarray(data["rows"], float)
    except Exception as error:
        # The reader of archives raises whatever a damaged one makes it meet.
        raise damaged from error
    if rows.ndim != 2 or rows.shape[1] != columns or not np.isfinite(rows).all():
        raise damaged
    rows.setflags(write=False)
    return rows


def pack_mesh(mesh: Mesh) -> str:
    """Mesh with its named edges and regions as text."""
    names = json.dumps({"edges": list(mesh.edges), "regions": list(mesh.regions)})
    arrays = {
        "nodes": mesh.nodes,
        "quads": mesh.quads.astype(np.int32),
        "triangles": mesh.triangles.astype(np.int32),
        "names": np.frombuffer(names.encode(), np.uint8),
    }
    arrays |= {f"e{i}": v.astype(np.int32) for i, v in enumerate(mesh.edges.values())}
    arrays |= {f"r{i}": v.astype(np.int32) for i, v in enumerate(mesh.regions.values())}
    file = io.BytesIO()
    np.savez_compressed(file, **arrays)  # type: ignore[arg-type]
    return base64.b64encode(file.getvalue()).decode()


@lru_cache(maxsize=4)
def unpack_mesh(packed: str) -> Mesh:
    """Mesh from `pack_mesh`.

    Raises
    ------
    DocumentError
        When it is damaged.
    """
    try:
        with np.load(_bounded(packed)) as data:
            names = json.loads(bytes(data["names"]).decode())
            edges = {n: data[f"e{i}"].astype(np.int64) for i, n in enumerate(names["edges"])}
            regions = {n: data[f"r{i}"].astype(np.int64) for i, n in enumerate(names["regions"])}
            mesh = Mesh(
                np.asarray(data["nodes"], float),
                data["quads"].astype(np.int64),
                edges,
                triangles=data["triangles"].astype(np.int64),
                regions=regions,
            )
    except Exception as error:
        # The reader of archives raises whatever a damaged one makes it meet.
        raise _DAMAGED from error
    every = np.concatenate([mesh.quads.ravel(), mesh.triangles.ravel(), *edges.values()])
    sound = (
        0 < mesh.count <= MOST_ELEMENTS
        and mesh.nodes.ndim == 2
        and mesh.nodes.shape[1] == 3
        and np.isfinite(mesh.nodes).all()
        and every.min() >= 0
        and every.max() < len(mesh.nodes)
        and all(len(r) == 0 or 0 <= r.min() <= r.max() < mesh.count for r in regions.values())
    )
    if not sound:
        raise _DAMAGED
    return mesh

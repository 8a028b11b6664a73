"""Figures of the ply layout: a file of 200 plies read onto 50 000 elements."""

import json
import tempfile
import time
from pathlib import Path

import numpy as np

from bench.figures import median
from tartan.core.shell.outlines import links_of, outlines
from tartan.core.shell.shapes import Tube, mesh_of
from tartan.core.shell.within import Locator
from tartan.exchange.plies.form import FORMAT, SCHEMA
from tartan.exchange.plies.read import lay, read_layout

PLIES = 200


def _layout(locator: Locator, rng: np.random.Generator) -> tuple[str, list[np.ndarray]]:
    """A layout of round patches as text, and the elements of each."""
    mesh = locator.mesh
    centres, normals, links = mesh.centres(), mesh.normals(), links_of(mesh)
    entries, every = [], []
    for number in range(PLIES):
        far = np.linalg.norm(centres - centres[rng.integers(mesh.count)], axis=1)
        own = np.flatnonzero(far < rng.uniform(0.1, 0.6))
        at = own[np.linspace(0, len(own) - 1, 60).astype(int)]
        zero = np.cross(normals[at], [0.0, 0.0, 1.0])
        entries.append(
            {
                "name": f"patch {number + 1}",
                "ply": {"material": "UD carbon", "angle": 45.0, "thickness": 0.12},
                "boundary": [
                    {"points": (x.points * 1e3).tolist(), "normals": x.normals.tolist()}
                    for x in outlines(mesh, own, links)
                ],
                "directions": {
                    "at": (centres[at] * 1e3).tolist(),
                    "zero": zero.tolist(),
                    "normals": normals[at].tolist(),
                },
            }
        )
        every.append(own)
    head = {"format": FORMAT, "schema": SCHEMA, "units": {"length": "mm"}}
    return json.dumps(head | {"plies": entries}), every


def reading_ratio() -> tuple[float, float]:
    """Reading the layout and finding its elements / locating all centres once; it in seconds."""
    mesh = mesh_of(Tube(0.5, 2.0), 0.0112)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "many.plies.json"
        text, every = _layout(Locator(mesh), np.random.default_rng(3))
        path.write_text(text, encoding="utf-8")
        # What is compiled is compiled; the table of neighbours is made anew each time.
        found = lay(read_layout(path), Locator(mesh))
        assert all(np.array_equal(x.elements, own) for x, own in zip(found, every, strict=True))
        took = []
        for _ in range(3):
            start = time.perf_counter()
            lay(read_layout(path), Locator(mesh))
            took.append(time.perf_counter() - start)
        located = median(lambda: Locator(mesh).locate(mesh.centres()), 5)
    return float(np.median(took)) / located, float(np.median(took))

"""What reads input from outside, each with sound inputs to begin with."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import meshio
import numpy as np

from storm import mutate
from tartan.core.criteria.formula import FormulaCriterion
from tartan.core.shell.mesh import Panel, grid_mesh
from tartan.core.stack.notation import parse
from tartan.core.stack.notation_written import context_for
from tartan.exchange.cases.table import read_cases, rows_of, text_of, with_pasted
from tartan.exchange.materials_table import read_materials, write_materials
from tartan.exchange.meshfiles import SUFFIXES, read_mesh
from tartan.exchange.outside_files import read_outside
from tartan.exchange.plies_table import plies_table, read_plies_file
from tartan.exchange.pressure_table import read_pressure
from tartan.exchange.rungs_table import parse_rungs
from tartan.exchange.tables import Table, write_table
from tartan.exchange.verify import load_cases, verify
from tartan.project.analysis.shellinputs import layout_of, part_inputs
from tartan.project.document.samples import dish_panel, light_dish_panel
from tartan.project.files import recovery, storage

SAMPLE = dish_panel()


@dataclass(frozen=True, eq=False)
class Reader:
    """A reader: its name, the end of the files, sound inputs, what damages them, and itself."""

    name: str
    suffix: str
    seeds: tuple[bytes, ...]
    ways: tuple[mutate.Mutator, ...]
    read: Callable[[Path], object]


def _project(path: Path) -> object:
    project = storage.load(path)
    inputs = part_inputs(project)
    return layout_of(inputs)


def _notation(path: Path) -> object:
    known = {m.name: m.ply_thickness for m in SAMPLE.materials}
    return parse(path.read_text("utf-8", "replace")[:5000], context_for((), known))


def _formula(path: Path) -> object:
    text = path.read_text("utf-8", "replace")[:2000]
    rule = FormulaCriterion("storm", "storm", text)
    data = dict.fromkeys(rule.needs, 50e6)
    return rule.evaluate(data, np.array([[30e6, -5e6, 8e6], [0.0, 0.0, 0.0]]))


def _rungs(path: Path) -> object:
    return parse_rungs(path.read_text("utf-8", "replace"), SAMPLE)


def _verify(path: Path) -> object:
    return [r for _, r in verify(load_cases(path))][-1:]


def _recovery(path: Path) -> object:
    return recovery._read(path)


def _written(write: Callable[[Path], object], suffix: str) -> bytes:
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / f"seed{suffix}"
        write(path)
        return path.read_bytes()


def _meshes(suffix: str) -> bytes:
    mesh = grid_mesh(Panel(1.0, 0.5), 3, 3)
    if suffix in (".stl",):
        three = np.concatenate([mesh.quads[:, [0, 1, 2]], mesh.quads[:, [0, 2, 3]]])
        made = meshio.Mesh(mesh.nodes, [("triangle", three)])
    else:
        made = meshio.Mesh(mesh.nodes, [("quad", mesh.quads)])
    options = {
        ".vtu": {"binary": False},
        ".xdmf": {"data_format": "XML"},
        ".ply": {"binary": False},
        ".msh": {"binary": False},
    }
    form = {".msh": {"file_format": "gmsh22"}}.get(suffix, {})
    return _written(lambda p: made.write(p, **form, **options.get(suffix, {})), suffix)


def _simple_cases() -> bytes:
    """The cases that come with Tartan and are answered in a moment."""
    text = (Path(storage.__file__).parents[2] / "exchange/verify/public.json").read_text("utf-8")
    data = json.loads(text)
    quick = [
        c
        for c in data["cases"]
        if c["kind"] in ("clt", "failure", "input_error", "laminate", "criteria")
    ]
    return json.dumps({**data, "cases": (quick or data["cases"][:3])[:2]}).encode()


def _load_cases(path: Path) -> object:
    text = path.read_bytes().decode("utf-8", "replace")
    return with_pasted(SAMPLE, read_cases(rows_of(text), SAMPLE, path.name))


def readers() -> list[Reader]:
    """All of them."""
    table = Table(
        "p",
        ("x [mm]", "y [mm]", "z [mm]", "p [kPa]"),
        tuple((float(i), float(i % 3), 0.0, 1.5) for i in range(6)),
    )
    forces = Table(
        "f",
        ("element", "case", "Nx [N/mm]", "Ny [N/mm]"),
        tuple((i, "a", 1.0, -2.0) for i in range(1, 5)),
    )
    stack = SAMPLE.stacks[0]
    kept = json.dumps({"pid": 1, "started": "x", "path": "", "project": storage.to_text(SAMPLE)})
    found = [
        Reader(
            "project",
            storage.SUFFIX,
            tuple(storage.to_text(p()).encode() for p in (dish_panel, light_dish_panel)),
            mutate.JSON,
            _project,
        ),
        Reader("recovery", ".recovery.json", (kept.encode(),), mutate.JSON, _recovery),
        Reader("cases", ".json", (_simple_cases(),), mutate.JSON, _verify),
        Reader(
            "notation",
            ".txt",
            (b"[45 woven carbon/0_12 UD carbon/90_2]s", b"[(0/90)2/+-45]s", b"[0/45/-45/90 mid]s"),
            mutate.TEXT,
            _notation,
        ),
        Reader(
            "formula",
            ".txt",
            (
                b"(s1 / Xt)**2 + (s12 / S12)**2",
                b"max(abs(s1)/Xt, s2/Yt)",
                b"sqrt(s1**2 - s1*s2) / Xc if s1 < 0 else s2 / Yt",
            ),
            mutate.TEXT,
            _formula,
        ),
        Reader(
            "load cases",
            ".txt",
            (
                text_of(SAMPLE).encode(),
                b"case\ton\tFx [kN]\tp [bar]\naz\tleft edge\t1\t\n\ncombination\taz\nx\t1 held\n",
                b"Load case;where;Mz;dT [K];held\na;field;3;-40;yes\n",
            ),
            mutate.TEXT,
            _load_cases,
        ),
        Reader(
            "rungs",
            ".txt",
            (b"stack\tregion\ndish face\tall\n", b"0\tUD carbon\t0.1\n"),
            mutate.TEXT,
            _rungs,
        ),
    ]
    tables: list[tuple[str, Callable[[Path], object], Callable[[Path], object]]] = [
        ("materials", lambda p: write_materials(SAMPLE.materials, p), read_materials),
        (
            "plies",
            lambda p: write_table(plies_table("s", stack.plies), p),
            lambda p: read_plies_file(p, SAMPLE),
        ),
        ("pressure", lambda p: write_table(table, p), read_pressure),
        ("forces", lambda p: write_table(forces, p), read_outside),
    ]
    for name, write, read in tables:
        for suffix, ways in ((".csv", mutate.TEXT), (".xlsx", mutate.ZIP)):
            found.append(
                Reader(f"{name} {suffix[1:]}", suffix, (_written(write, suffix),), ways, read)
            )
    for suffix in SUFFIXES:
        ways = mutate.BYTES if suffix == ".stl" else mutate.TEXT
        found.append(Reader(f"mesh {suffix[1:]}", suffix, (_meshes(suffix),), ways, read_mesh))
    return found

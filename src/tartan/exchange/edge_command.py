"""Stresses at the free edge of a stack in tension, on the command line."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from tartan.core.errors import StackError
from tartan.core.laminate.stiffness import make_laminate
from tartan.core.solid.freeedge import Strip, in_tension
from tartan.core.stack.plies import is_symmetric
from tartan.exchange.tables import Cell, Table, write_table
from tartan.project.analysis.solids import solid_materials
from tartan.project.document.model import Project
from tartan.project.files import storage
from tartan.project.wording import units

WHERE = "Free edge"


def solved(
    project: Project, name: str, *, width: float, strain: float, assume: bool = False
) -> tuple[Strip, tuple[str, ...]]:
    """A strip of a stack in tension, and what was assumed for it in words.

    Raises
    ------
    StackError
        No such stack, or one that is not symmetric.
    MaterialError
        A material without what three dimensions need, where nothing may be assumed.
    PartError
        A width that is none.
    """
    stack = project.stack(name)
    if stack is None:
        raise StackError(f"There is no stack '{name}'.", WHERE, "Name one of the stacks.")
    if not is_symmetric(stack.plies) or len(stack.plies) < 2:
        raise StackError(
            "Only a symmetric stack of two plies or more stays flat when it is pulled.",
            f"Stack '{name}'",
            "Mirror it, or choose another.",
        )
    materials, told = solid_materials(
        project.materials_of(stack),
        assume=assume,
        mend="let transverse isotropy be assumed (--assume)",
    )
    return in_tension(make_laminate(stack, materials), width, strain), told


def edge_table(project: Project, name: str, strip: Strip, over: float) -> Table:
    """Means over a length from the edge, one line for every interface [MPa or as units say].

    Raises
    ------
    PartError
        A length that is none.
    """
    stack = project.stack(name)
    assert stack is not None
    unit, scale = units.STRESS.unit, units.STRESS.scale
    rows: list[tuple[Cell, ...]] = []
    for k, (below, above) in enumerate(zip(stack.plies[:-1], stack.plies[1:], strict=True)):
        txz, tyz, sz = (float(v) / scale for v in strip.mean(k, over))
        words = f"{units.number(below.angle)}° / {units.number(above.angle)}°"
        rows.append((k + 1, words, txz, tyz, sz))
    head = ("above ply", "plies", f"τxz [{unit}]", f"τyz [{unit}]", f"σz [{unit}]")
    about = (
        f"{name}, pulled by {strip.strain:.4%}, means over {units.show(over, units.LENGTH)} "
        "from the free edge"
    )
    return Table("free edge", head, tuple(rows), about)


def run(
    file: Path,
    name: str,
    *,
    width: float,
    strain: float,
    over: float,
    assume: bool,
    out: Path | None,
) -> Iterator[str]:
    """Lines of the answer.

    Raises
    ------
    TartanError
        What cannot be read, solved or written.
    """
    project = storage.load(file)
    strip, told = solved(project, name, width=width, strain=strain, assume=assume)
    table = edge_table(project, name, strip, over)
    yield table.about
    yield from told
    yield "  ".join(table.head)
    for row in table.rows:
        yield "  ".join(c if isinstance(c, str) else f"{c:.4g}" for c in row if c is not None)
    if out is not None:
        write_table(table, out)
        yield str(out)

"""What the palette can find in a project: each thing by name, and going there."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from tartan.desktop.finder import Entry
from tartan.desktop.session import Session
from tartan.project.edits import versions


def things(session: Session, open_regions: Callable[[], object]) -> list[Entry]:
    """Materials, stacks, plies, cases, regions and versions.

    Parameters
    ----------
    session : Session
        Whose project, and whose selection changes.
    open_regions : callable
        Shows the form of regions in Part.
    """
    project = session.project

    def go(**changes: object) -> Callable[[], object]:
        return lambda: session.select(**changes)

    def region(name: str) -> None:
        session.select(station="Part", region=name)
        open_regions()

    def work_on(name: str) -> None:
        session.edit(f"work on {name}", lambda p: versions.switch_version(p, name))

    found = [
        Entry(m.name, "material", go(station="Materials", material=m.name))
        for m in project.materials
    ]
    for stack in project.stacks:
        found.append(Entry(stack.name, "stack", go(station="Stacks", stack=stack.name, plies=())))
        found += [
            Entry(
                f"ply {i + 1} of {stack.name}",
                f"{ply.angle:g}° {ply.material}",
                go(station="Stacks", stack=stack.name, plies=(i,)),
            )
            for i, ply in enumerate(stack.plies)
        ]
    found += [Entry(n, "case", go(station="Cases", case=n)) for n in project.case_names]
    found += [
        Entry(r.name, "region", partial(region, r.name))
        for r in (project.part.regions if project.part else ())
    ]
    found += [
        Entry(f"work on {v.name}", "version", partial(work_on, v.name)) for v in project.versions
    ]
    return found

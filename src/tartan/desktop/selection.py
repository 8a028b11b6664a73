"""What is picked in a window."""

from __future__ import annotations

from dataclasses import dataclass, replace

from tartan.project.document.model import Project


@dataclass(frozen=True)
class Selection:
    """What is picked: names, and indices from 0."""

    station: str = "Margins"
    material: str = ""
    stack: str = ""
    load_case: str = ""
    plies: tuple[int, ...] = ()
    case: str = ""
    element: int | None = None
    spot_ply: int | None = None
    rungs: tuple[int, ...] = ()
    region: str = ""


def valid(selection: Selection, project: Project) -> Selection:
    """Selection in which everything picked exists."""

    def known(name: str, names: list[str]) -> str:
        return name if name in names else (names[0] if names else "")

    laid = project.part.stacks() if project.part else ()
    part_stack = laid[0] if laid else ""
    stacks = [s.name for s in project.stacks]
    stack = known(selection.stack or part_stack, stacks)
    found = project.stack(stack)
    count = len(found.plies) if found else 0
    loads = [s.name for s in project.loads_on(stack)]
    return replace(
        selection,
        material=known(selection.material, [m.name for m in project.materials]),
        stack=stack,
        load_case=known(selection.load_case, loads),
        plies=tuple(p for p in selection.plies if p < count),
        case=known(selection.case, list(project.case_names)),
        rungs=tuple(r for r in selection.rungs if project.part and r < len(project.part.lay_up)),
        region=selection.region if project.part and project.part.region(selection.region) else "",
    )

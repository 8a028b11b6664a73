"""The one next step of a page that has nothing to show yet, and the ways to take it. No Qt."""

from __future__ import annotations

from dataclasses import dataclass

from tartan.core.errors import TartanError
from tartan.project.document.model import Project
from tartan.project.findings.verdict import station_of


@dataclass(frozen=True)
class Way:
    """One way to take the step.

    Attributes
    ----------
    words : str
        What is done.
    tells : str
        What comes of it.
    key : str
        Which action of the page it is.
    """

    words: str
    tells: str
    key: str


@dataclass(frozen=True)
class NextStep:
    """What an empty page says in large.

    Attributes
    ----------
    head, words : str
        The step, and why.
    ways : tuple of Way
        Ways to take it; the first is the usual one.
    typed : str
        What stands in the field that takes the step by typing; empty where there is none.
    """

    head: str
    words: str
    ways: tuple[Way, ...]
    typed: str = ""


_SAMPLE = Way("open the sample", "A solved part to look round in", "sample")
_OPEN = Way("open a file", "A project that was saved", "open")


def next_step(
    station: str, project: Project, answered: bool, error: TartanError | None
) -> NextStep | None:
    """Next step of a station; None where its own page stands.

    Parameters
    ----------
    station : str
        Its name.
    project : Project
        The document.
    answered : bool
        Whether an answer of this document and version is there, stale or not.
    error : TartanError or None
        Why there is none.
    """
    if station == "Materials":
        return None if project.materials else _material()
    if station == "Stacks":
        return None if project.stacks else _stack(project)
    if station == "Part":
        return None if project.part is not None else _part()
    if station == "Cases":
        return None if project.part is not None else _cases()
    if station == "Margins":
        return None if answered or error is None else _margins(error)
    if station == "Report":
        return None if project.materials or project.stacks or project.part else _report()
    return None


def _material() -> NextStep:
    return NextStep(
        "First, a material",
        "Stacks are laid of materials. Type a name for a new one "
        "and give its figures, or take one that is there.",
        (
            Way("from the library", "Generic carbon, glass, woven and cores", "library"),
            Way("paste a table", "Copied in a spreadsheet, with its head", "paste"),
            Way("read a table", "CSV or XLSX", "read"),
            _OPEN,
            _SAMPLE,
        ),
        "name of a new material, then Enter",
    )


def _stack(project: Project) -> NextStep:
    if not project.materials:
        return NextStep(
            "A stack needs a material",
            "Its plies are of materials, and there is none yet.",
            (
                Way("to Materials", "Type, paste or read one there", "to Materials"),
                Way("from the library", "Generic carbon, glass, woven and cores", "library"),
                _SAMPLE,
            ),
        )
    first = project.materials[0].name
    return NextStep(
        "Now a stack",
        "A stacking sequence, bottom to top. Type it in notation, "
        f"such as [0/45/-45/90]s; plies are of {first} until told otherwise.",
        (
            Way("paste plies", "Copied in a spreadsheet: angle, material, thickness", "paste"),
            Way("an empty stack", "Then ply by ply", "empty"),
            _SAMPLE,
        ),
        "[0/45/-45/90]s, then Enter",
    )


def _part() -> NextStep:
    return NextStep(
        "Give the part a surface",
        "A shape by its sizes, or one that was drawn "
        "elsewhere. For laminates alone no part is needed.",
        (
            Way("a flat panel", "Length and width; curved by its radii", "panel"),
            Way("a tube", "Radius and length", "tube"),
            Way("a vessel to wind", "Cylinder with two domes", "vessel"),
            Way("another shape", "Choose among all kinds", "shape"),
            Way("read a surface", "STEP, or a mesh", "read"),
            _SAMPLE,
        ),
    )


def _cases() -> NextStep:
    return NextStep(
        "Supports and loads need a surface",
        "They are placed on edges, corners and regions of the part.",
        (Way("to Part", "Give it a surface there", "to Part"), _SAMPLE),
    )


def _margins(error: TartanError) -> NextStep:
    station = station_of(error)
    if station == "Margins":
        return NextStep("No answer yet", str(error), (Way("solve again", "F5", "solve"),))
    return NextStep(
        "No answer yet",
        str(error),
        (
            Way(f"to {station}", "What is missing is given there", f"to {station}"),
            *(() if station != "Part" else (_SAMPLE,)),
        ),
    )


def _report() -> NextStep:
    return NextStep(
        "Nothing to report yet",
        "A report tells of materials, stacks and a part.",
        (Way("to Materials", "Begin with a material", "to Materials"), _OPEN, _SAMPLE),
    )

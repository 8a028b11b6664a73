"""What a report is asked to be; light, so that the window can ask without what writes it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from tartan.core.errors import DocumentError
from tartan.core.shell.mesh import Mesh
from tartan.exchange.report.parts import CHAPTERS
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.meshes import MESHES, mesh_key
from tartan.project.document.model import Project


@dataclass(frozen=True, eq=False)
class Standing:
    """An answer that is there, and its part's mesh as it comes, where that is known."""

    answer: PartAnswer
    mesh: Mesh | None

    @classmethod
    def of(cls, answer: PartAnswer) -> Standing:
        """An answer with the mesh that was made for it."""
        return cls(answer, MESHES.found(mesh_key(answer.inputs.part)))


@dataclass(frozen=True)
class ReportRequest:
    """What is to be written.

    Attributes
    ----------
    project : Project
        The version at work, with the others beside it.
    paths : tuple of Path
        Files; the ending of each chooses HTML or PDF.
    wanted : tuple of str
        Chapters, of `CHAPTERS`.
    title : str
        Below the project's name.
    standing : tuple of Standing
        What is answered already, of the version at work and the baseline; what is not among
        it is solved.
    """

    project: Project
    paths: tuple[Path, ...]
    wanted: tuple[str, ...] = tuple(CHAPTERS)
    title: str = "Strength and stiffness report"
    standing: tuple[Standing, ...] = ()


def check_request(request: ReportRequest) -> None:
    """Check what can be checked before the work begins.

    Raises
    ------
    DocumentError
        No chapter, an unknown one, or a file whose ending is neither HTML nor PDF.
    """
    strange = [w for w in request.wanted if w not in CHAPTERS]
    if strange or not request.wanted:
        raise DocumentError(
            f"There is no chapter '{strange[0]}'." if strange else "No chapter is chosen.",
            "Report",
            f"There are {', '.join(CHAPTERS)}.",
        )
    for path in request.paths:
        if path.suffix.lower() not in (".html", ".htm", ".pdf"):
            raise DocumentError(
                f"'{path.suffix}' is no kind of report.",
                path.name,
                "End the name in .html or .pdf.",
            )

"""Writing a report: one HTML file that needs nothing beside it, and the same as PDF."""

from __future__ import annotations

import datetime
import logging
from collections.abc import Generator, Sequence
from dataclasses import replace
from importlib.resources import files
from pathlib import Path

import jinja2
from markupsafe import Markup

from tartan import __version__
from tartan.core.errors import DocumentError, TartanError
from tartan.exchange.report.document import Source, chapters
from tartan.exchange.report.parts import Chapter
from tartan.exchange.report.request import ReportRequest, check_request
from tartan.project.analysis import results
from tartan.project.analysis.jobs import Memory, PartAnswer, Progress, SolveRequest, run_solve
from tartan.project.analysis.meshes import MESHES, mesh_key
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.disk.wholefile import replacing
from tartan.project.document.model import Project
from tartan.project.edits.versions import as_project
from tartan.project.files.storage import write_whole
from tartan.project.findings.verdict import verdict

ASSETS = Path(str(files("tartan"))) / "assets"

_PDF_LIBRARIES = "Install the system packages: scripts/system_packages.sh"


def report_steps(request: ReportRequest) -> Generator[Progress, None, None]:
    """Solve what is not solved, make the chapters, and write the files.

    Raises
    ------
    TartanError
        When the part cannot be answered, or a file cannot be written.
    """
    check_request(request)
    project = request.project
    memory = Memory(on_disk=True)
    answer = yield from _answered(request, project, memory, 0.0, 0.2)
    before: PartAnswer | None = None
    if "versions" in request.wanted and project.baseline is not None:
        try:
            base = as_project(project, project.baseline)
            before = yield from _answered(request, base, memory, 0.2, 0.35)
        except TartanError:
            # The chapter says what differs all the same.
            before = None
    made: list[Chapter] = []
    for chapter in chapters(Source(project, answer, before), request.wanted):
        made.append(chapter)
        yield Progress(f"chapter {chapter.title}", 0.35 + 0.4 * len(made) / len(request.wanted))
    html = page(project, answer, made, request.title, before)
    for number, path in enumerate(request.paths):
        kind = path.suffix.lstrip(".").upper()
        yield Progress(f"writing the {kind}", 0.78 + 0.2 * number / len(request.paths))
        _write(html, path)


def _answered(
    request: ReportRequest, project: Project, memory: Memory, start: float, end: float
) -> Generator[Progress, None, PartAnswer]:
    inputs = part_inputs(project)
    for standing in request.standing:
        # Whoever asks may be a moment behind what is at work: what counts is what it answers.
        if standing.answer.inputs == inputs:
            if standing.mesh is not None:
                MESHES.keep(mesh_key(inputs.part), standing.mesh)
            return standing.answer
    steps = run_solve(SolveRequest(0, inputs), memory)
    while True:
        try:
            step = next(steps)
        except StopIteration as stop:
            found: PartAnswer = stop.value
            return found
        yield replace(step, share=start + (end - start) * step.share)


def page(
    project: Project,
    answer: PartAnswer,
    made: Sequence[Chapter],
    title: str,
    before: PartAnswer | None = None,
) -> str:
    """Set chapters as one HTML page; whatever comes from names is escaped."""
    source = files("tartan.exchange.report").joinpath("page.html").read_text("utf-8")
    strict = jinja2.StrictUndefined
    maker = jinja2.Environment(autoescape=True, trim_blocks=True, undefined=strict)
    template = maker.from_string(source)
    said = verdict(project, answer, before)
    now = datetime.datetime.now().astimezone()
    return template.render(
        project=project.name,
        title=title,
        design=project.version,
        version=__version__,
        made=f"{now:%Y-%m-%d %H:%M}",
        digest=results.digest(answer.inputs)[:16],
        running=Markup(_css_text(project.name)),
        state=said.state,
        figure=said.figure,
        sentence=said.sentence,
        chapters=made,
    )


def _css_text(text: str) -> str:
    """Text as a string in a style sheet: all but letters, digits and blanks as code points."""
    return "".join(c if c.isalnum() or c == " " else f"\\{ord(c):x} " for c in text)


def _write(html: str, path: Path) -> None:
    if path.suffix.lower() != ".pdf":
        write_whole(html, path)
        return
    try:
        import weasyprint
        from weasyprint.text.fonts import FontConfiguration
        from weasyprint.urls import URLFetcher
    except (ImportError, OSError) as error:
        raise DocumentError(
            f"PDF cannot be written here ({error}).",
            path.name,
            f"{_PDF_LIBRARIES}, or write HTML.",
        ) from error
    for name in ("weasyprint", "fontTools"):
        logging.getLogger(name).setLevel(logging.ERROR)
    fonts = FontConfiguration()
    style = weasyprint.CSS(string=_faces(), font_config=fonts)
    try:
        # A report holds all it shows; nothing is fetched from anywhere.
        own = URLFetcher(allowed_protocols=("data",))
        paper = weasyprint.HTML(string=html, url_fetcher=own)
        with replacing(path) as beside:
            paper.write_pdf(beside, stylesheets=[style], font_config=fonts)
    except OSError as error:
        raise DocumentError(
            f"The file cannot be written ({error.strerror}).", str(path), "Choose another folder."
        ) from error
    except Exception as error:
        # The library that sets pages raises whatever a page makes it meet.
        raise DocumentError(
            f"The pages cannot be set ({type(error).__name__}: {error}).",
            path.name,
            "Write HTML instead, or leave a chapter out.",
        ) from error


def _faces() -> str:
    """Style that names the bundled type family."""
    faces = {
        "Inter-Regular.otf": ("Inter", 400),
        "Inter-SemiBold.otf": ("Inter", 600),
        "JetBrainsMono-Regular.ttf": ("JetBrains Mono", 400),
    }
    return "".join(
        f"@font-face {{ font-family: '{family}'; font-weight: {weight}; "
        f"src: url('{(ASSETS / file).as_uri()}'); }}"
        for file, (family, weight) in faces.items()
    )


def write_report(request: ReportRequest) -> None:
    """Write a report to its end in this process.

    Raises
    ------
    TartanError
        As `report_steps`.
    """
    for _ in report_steps(request):
        pass

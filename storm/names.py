"""Hostile names through files, tables, pictures and the report."""

from __future__ import annotations

import argparse
import contextlib
import dataclasses
import logging
import os
import random
import sys
import tempfile
import time
import xml.etree.ElementTree as ET
from html.parser import HTMLParser
from pathlib import Path

from storm.disk import solved
from storm.kills import coarse
from tartan.core.errors import TartanError
from tartan.exchange.exports import export
from tartan.exchange.report.request import ReportRequest
from tartan.exchange.report.write import write_report
from tartan.exchange.tables import read_rows
from tartan.project.document.history import History
from tartan.project.document.model import Project
from tartan.project.edits import case_edits, part_edits, stack_edits
from tartan.project.files import storage

PIECES = (
    "<script>alert(1)</script>",
    "</style>",
    '"><img src=x onerror=y>',
    "<!--",
    "]]>",
    "&amp;",
    "&#0;",
    '=HYPERLINK("x")',
    "=1+1",
    "+1",
    "-1",
    "@a",
    "$\\frac{",
    "$x$",
    "\\",
    "%s",
    "%n",
    "{0}",
    "{{7*7}}",
    "{% raw %}",
    "../../etc/passwd",
    "a/b",
    "C:\\x",
    "'",
    '"',
    ",",
    ";",
    "|",
    "\u202e",
    "\u200b",
    "e\u0301",
    "\U0001f9f5",
    "\u00a0",
    "\ufeff",
    "\ufffe",
    "\u2028",
    "\x00",
    "\x1b[31m",
    "\ud800",
    "\n",
    "\t",
    "[0/90]s",
    "1e999",
    "nan",
    "x" * 400,
    "名前",
    "שם",
    " ",
    "",
    "part",
    "whole part",
    "0",
)


class _Tags(HTMLParser):
    """Tags and attributes of a page, and its words."""

    def __init__(self) -> None:
        super().__init__()
        self.tags: set[str] = set()
        self.words: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.add(tag)
        self.tags.update(f"{tag}.{name}" for name, _ in attrs)

    def handle_data(self, data: str) -> None:
        self.words.append(data)


def hostile(rng: random.Random) -> str:
    """A name that nobody would give."""
    return "".join(rng.choice(PIECES) for _ in range(rng.choice((1, 1, 2, 3))))


def renamed(project: Project, rng: random.Random) -> Project:
    """The project with hostile names wherever one is taken."""
    part, material, stack, case = (
        project.part,
        project.materials[0],
        project.stacks[0],
        project.cases[0],
    )
    assert part is not None
    ways = [
        lambda p, n: stack_edits.rename_project(p, n),
        lambda p, n: stack_edits.put_material(
            p, material.name, dataclasses.replace(material, name=n)
        ),
        lambda p, n: stack_edits.rename_stack(p, stack.name, n),
        lambda p, n: case_edits.rename_case(p, case.name, n),
    ]
    if part.regions:
        region = part.regions[0]
        ways.append(
            lambda p, n: part_edits.put_region(p, dataclasses.replace(region, name=n), region.name)
        )
    history = History.start(project)
    for way in ways:
        name = hostile(rng)
        with contextlib.suppress(TartanError):
            history.apply("rename", lambda p, w=way, n=name: w(p, n))  # type: ignore[misc]
    return history.project


def tags_of(path: Path) -> _Tags:
    """What a page holds."""
    found = _Tags()
    found.feed(path.read_text("utf-8"))
    return found


def look_through(project: Project, place: Path, plain: set[str], rng: random.Random) -> str:
    """Write a renamed project in some way and read it again; a fault in words, or nothing."""
    project = renamed(project, rng)
    answer = solved(project)
    way = rng.choice(("file", "csv", "xlsx", "svg", "html", "pdf"))
    path = place / f"names.{way}"
    if way == "file":
        storage.save(project, path)
        return "" if storage.load(path) == project else "the file reads as another project"
    if way in ("csv", "xlsx"):
        export("materials", project, answer, path)
        cells = [str(c) for row in read_rows(path) for c in row]
        name = project.materials[0].name
        return "" if name in cells else f"{way} reads {name!r} as something else"
    if way == "svg":
        export("map", project, answer, path)
        ET.parse(path)
        return ""
    write_report(ReportRequest(project, (path,), ("summary", "materials", "stacks", "margins")))
    if way == "html":
        found = tags_of(path)
        if extra := found.tags - plain:
            return f"a name became {sorted(extra)} in the report"
        text = " ".join(found.words)
        if project.name not in text:
            return f"the report spells {project.name!r} otherwise"
    elif not path.read_bytes().startswith(b"%PDF"):
        return "no PDF"
    return ""


def main() -> int:
    """Run it; the status is 1 when a name did any harm."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--seconds", type=float, default=60.0)
    asked.add_argument("--seed", type=int, default=int(time.time()))
    given = asked.parse_args()
    rng = random.Random(given.seed)
    logging.disable(logging.CRITICAL)
    tried, faults = 0, set()
    with tempfile.TemporaryDirectory(prefix="tartan-names-") as name:
        place = Path(name)
        os.environ["TARTAN_STATE"] = str(place / "state")
        project, path = coarse(), place / "plain.html"
        write_report(
            ReportRequest(project, (path,), ("summary", "materials", "stacks", "margins"))
        )
        plain = tags_of(path).tags
        end = time.monotonic() + given.seconds
        while time.monotonic() < end:
            tried += 1
            seed = rng.randrange(2**32)
            try:
                fault = look_through(project, place, plain, random.Random(seed))
            except Exception as error:  # noqa: BLE001 - whatever it is, it is what is looked for
                fault = f"{type(error).__name__}: {error}"
            if fault:
                faults.add(f"{fault} (seed {seed})")
    print(f"names, seed {given.seed}: {tried} tried, {len(faults)} faults")
    for fault in sorted(faults)[:20]:
        print(fault)
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())

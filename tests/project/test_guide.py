"""Pages with code run as they stand, each block after those before it."""

import re
from pathlib import Path
from typing import Any

import pytest

import tartan

DOCS = Path(__file__).parents[2] / "docs"


def run(page: str) -> int:
    """Run the blocks of a page; return how many there were."""
    text = (DOCS / page).read_text("utf-8")
    blocks = [(m.start(), m.group(1)) for m in re.finditer(r"```python\n(.*?)```", text, re.S)]
    names: dict[str, Any] = {"__name__": "page"}
    for start, code in blocks:
        line = text.count("\n", 0, start) + 1
        exec(compile("\n" * line + code, page, "exec"), names)
    return len(blocks)


def test_what_is_said_on_adding_things_runs() -> None:
    assert run("how-to-add.md") >= 1
    text = (DOCS / "how-to-add.md").read_text("utf-8")
    for named in re.findall(r"`((?:tests|storm)/[\w/]+\.py)`", text):
        assert (DOCS.parent / named).exists(), named


def test_the_common_things_are_had_in_one_line() -> None:
    for name in tartan.__all__:
        assert getattr(tartan, name) is not None
    with pytest.raises(AttributeError, match="nothing_like_it"):
        getattr(tartan, "nothing_like_it")  # noqa: B009 - what is asked for is not there


def test_the_guide_runs(capsys: pytest.CaptureFixture[str]) -> None:
    assert run("guide.md") >= 8
    printed = capsys.readouterr().out
    assert "Tsai–Wu index" in printed
    assert "longest run" in printed
    assert "Reserve factor" in printed

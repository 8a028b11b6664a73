"""The guide page runs as it stands, each block after those before it."""

import re
from pathlib import Path
from typing import Any

import pytest

GUIDE = Path(__file__).parents[2] / "docs" / "guide.md"


def test_the_guide_runs(capsys: pytest.CaptureFixture[str]) -> None:
    text = GUIDE.read_text("utf-8")
    blocks = [(m.start(), m.group(1)) for m in re.finditer(r"```python\n(.*?)```", text, re.S)]
    assert len(blocks) >= 8
    names: dict[str, Any] = {}
    for start, code in blocks:
        line = text.count("\n", 0, start) + 1
        exec(compile("\n" * line + code, str(GUIDE), "exec"), names)
    printed = capsys.readouterr().out
    assert "Tsai–Wu index" in printed
    assert "longest run" in printed
    assert "Reserve factor" in printed

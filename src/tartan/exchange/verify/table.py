"""Solved cases as text: computed, expected, difference and source."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from tartan.exchange.verify.cases import BY_ELEMENTS_SUFFIX, Case, Report
from tartan.exchange.verify.judge import flat


def case_lines(case: Case, report: Report) -> Iterator[str]:
    """Write a case that was just answered.

    Yields
    ------
    str
        A head with title and source, then one line an output.
    """
    yield f"{case.id}  {case.kind}  {case.title}"
    yield f"      source: {case.source}"
    if case.id in report.not_yet:
        yield f"      not answered yet: {report.not_yet[case.id]}"
        return
    for line in (x for x in report.lines if x.case is case):
        expected = case.expected[line.output.removesuffix(BY_ELEMENTS_SUFFIX)]["value"]
        mark = "ok  " if line.verdict.passed else "OFF "
        difference = "" if line.verdict.difference is None else f"{line.verdict.difference:.2e}"
        yield (
            f"  {mark}  {line.output:34} {_short(line.computed):>26} "
            f"{_short(expected):>26}  {difference:>9}  {line.verdict.reason}".rstrip()
        )


def _short(value: Any) -> str:
    """Value in brief: one number, or the largest of many."""
    entries = flat(list(value.values()) if isinstance(value, dict) else value)
    figures = [x for x in entries if isinstance(x, int | float) and not isinstance(x, bool)]
    if len(entries) == 1:
        return f"{entries[0]:.7g}" if figures else str(entries[0])[:26]
    if figures and len(figures) == len(entries):
        return f"{len(entries)} values to {max(figures, key=abs):.6g}"
    return ", ".join(str(e) for e in entries)[:26]


def summary(report: Report | None) -> str:
    """Count outputs that agree, differ, and cases not answered yet."""
    if report is None:
        return "no cases"
    failed, count = len(report.failed), len(report.lines)
    text = f"{count - failed} of {count} outputs agree"
    if failed:
        text += f", {failed} differ"
    if report.not_yet:
        text += f"; {len(report.not_yet)} cases not answered yet: {', '.join(report.not_yet)}"
    return text

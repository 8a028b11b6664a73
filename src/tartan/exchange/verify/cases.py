"""Read a file of solved cases, answer it and judge the answers."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from importlib.resources import files
from pathlib import Path
from typing import Any

from tartan.core.errors import DocumentError, TartanError
from tartan.exchange.verify import (
    drape_kinds,
    laminate_kinds,
    large_kinds,
    modal_kinds,
    obstacles,
    search_kinds,
    shell_kinds,
    solid_kinds,
    strength_kinds,
    vessel_kinds,
    winding_kinds,
)
from tartan.exchange.verify.judge import Verdict, judge, mentions
from tartan.exchange.verify.reading import Inputs, NotYetError

KINDS: dict[str, Callable[[Inputs], dict[str, Any]]] = {
    "clt_abd": laminate_kinds.clt_abd,
    "clt_constants": laminate_kinds.clt_constants,
    "clt_response": laminate_kinds.clt_response,
    "clt_shear": laminate_kinds.clt_shear,
    "clt_thermal": laminate_kinds.clt_thermal,
    "clt_mixed": laminate_kinds.clt_mixed,
    "ply_failure": laminate_kinds.ply_failure,
    "laminate_fpf": laminate_kinds.laminate_fpf,
    "critical_loads": strength_kinds.critical_loads,
    "progressive": strength_kinds.progressive,
    "interlaminar": strength_kinds.interlaminar,
    "sandwich_check": strength_kinds.sandwich_check,
    "navier_buckling": modal_kinds.navier_buckling,
    "navier_frequency": modal_kinds.navier_frequency,
    "strip_bending": modal_kinds.strip_bending,
    "thin_cylinder": strength_kinds.thin_cylinder,
    "thick_cylinder": strength_kinds.thick_cylinder_case,
    "navier_bending": shell_kinds.navier_bending,
    "pagano": shell_kinds.pagano,
    "free_plate": shell_kinds.free_plate,
    "shell_benchmark": obstacles.shell_benchmark,
    "wound_vessel": winding_kinds.wound_vessel,
    "drape": drape_kinds.drape_case,
    "stacking_search": search_kinds.stacking_search,
    "large_deflection": large_kinds.large_deflection,
}
"""What Tartan answers, by the kind of a case."""

SHELL_KINDS = frozenset(
    {
        "navier_bending",
        "pagano",
        "shell_benchmark",
        "free_plate",
        "navier_buckling",
        "navier_frequency",
        "strip_bending",
    }
)
"""Kinds answered by shell elements, judged with the tolerances for a converged mesh."""

BY_ELEMENTS_SUFFIX = " by elements"

BY_ELEMENTS: dict[str, Callable[[Inputs], dict[str, Any]]] = {
    "thin_cylinder": vessel_kinds.thin_cylinder,
}
"""Kinds that theory answers, and elements a second time; those lines name the elements."""

BY_SOLIDS: dict[str, Callable[[Inputs], dict[str, Any]]] = {
    "pagano": solid_kinds.pagano_solid,
}
"""Kinds of which layered solids answer what a shell does not."""


@dataclass(frozen=True, eq=False)
class Case:
    """One solved case: inputs, expected outputs and their source."""

    id: str
    title: str
    source: str
    kind: str
    inputs: dict[str, Any]
    expected: dict[str, dict[str, Any]]


@dataclass(frozen=True, eq=False)
class Line:
    """One judged output of a case."""

    case: Case
    output: str
    computed: Any
    verdict: Verdict


@dataclass(eq=False)
class Report:
    """Answers to a file of cases.

    Attributes
    ----------
    answers : dict
        Case id to output name to value, in JSON form.
    lines : list of Line
        Judged outputs.
    not_yet : dict of str to str
        Cases that Tartan cannot answer yet, with the reason.
    """

    answers: dict[str, dict[str, Any]] = field(default_factory=dict)
    lines: list[Line] = field(default_factory=list)
    not_yet: dict[str, str] = field(default_factory=dict)

    @property
    def failed(self) -> list[Line]:
        """Outputs that differ from their expectation."""
        return [line for line in self.lines if not line.verdict.passed]


def load_cases(path: Path | None = None) -> list[Case]:
    """Read a file of cases, the one that comes with Tartan when none is named.

    Raises
    ------
    DocumentError
        When the file cannot be read or is not of this form.
    """
    where = str(path) if path else "Tartan's own cases"
    try:
        text = (path or files("tartan.exchange.verify") / "public.json").read_text("utf-8")
        data = json.loads(text)
        return [
            Case(
                str(c["id"]),
                str(c.get("title", "")),
                str(c.get("source", "")),
                str(c["kind"]),
                dict(c["inputs"]),
                dict(c.get("expected", {})),
            )
            for c in data["cases"]
        ]
    except OSError as error:
        raise DocumentError(
            f"The file cannot be read ({error.strerror}).", where, "Check the path."
        ) from error
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise DocumentError(
            f"This is not a file of solved cases ({error}).",
            where,
            "It needs a list 'cases' with id, kind and inputs.",
        ) from error


def answer(case: Case) -> dict[str, Any]:
    """Compute a case's outputs.

    Raises
    ------
    NotYetError
        When its kind is not answered yet.
    TartanError
        When the inputs are refused.
    """
    if case.kind == "input_error":
        return _refusal(case)
    if case.kind not in KINDS:
        raise NotYetError(f"kind {case.kind}")
    found = KINDS[case.kind](case.inputs)
    if case.kind in BY_SOLIDS:
        # What solids refuse, such as plies at an angle, the shell still answers.
        with contextlib.suppress(TartanError):
            found |= BY_SOLIDS[case.kind](case.inputs)
    return {k: laminate_kinds.plain(v) for k, v in found.items()}


def _refusal(case: Case) -> dict[str, Any]:
    operation = str(case.inputs.get("operation"))
    if operation not in KINDS:
        raise NotYetError(f"operation {operation}")
    try:
        KINDS[operation](case.inputs)
    except TartanError as error:
        return {"error": True, "message": str(error)}
    return {"error": False, "message": ""}


def verify(cases: list[Case]) -> Iterator[tuple[Case, Report]]:
    """Answer and judge case by case.

    Yields
    ------
    tuple of Case and Report
        The case just done, and the report so far.
    """
    report = Report()
    for case in cases:
        try:
            found = answer(case)
        except NotYetError as error:
            report.not_yet[case.id] = str(error)
        except TartanError as error:
            report.not_yet[case.id] = f"refused: {error}"
        except Exception as error:  # noqa: BLE001 - one bad case must not cost the others
            report.not_yet[case.id] = f"broke off: {type(error).__name__}: {error}"
        else:
            report.answers[case.id] = found
            try:
                report.lines += list(_judged(case, found))
                report.lines += _by_elements(case)
            except Exception as error:  # noqa: BLE001 - nor must one broken expectation
                report.not_yet[case.id] = (
                    f"its expectation is broken: {type(error).__name__}: {error}"
                )
        yield case, report


def _by_elements(case: Case) -> list[Line]:
    """Second answer of a case by elements, judged as a shell's."""
    if case.kind not in BY_ELEMENTS:
        return []
    found = {k: laminate_kinds.plain(v) for k, v in BY_ELEMENTS[case.kind](case.inputs).items()}
    return [
        Line(
            case,
            name + BY_ELEMENTS_SUFFIX,
            value,
            judge(name, case.expected[name], value, "_fe"),
        )
        for name, value in found.items()
        if "tol_rel_fe" in case.expected.get(name, {})
    ]


def _judged(case: Case, found: dict[str, Any]) -> Iterator[Line]:
    shell = case.kind in SHELL_KINDS
    for name, expected in case.expected.items():
        if expected.get("informative") or name not in found:
            continue
        suffix = "_fe" if shell else ""
        if shell and "tol_rel_fe" not in expected:
            if "tol_rel_solid" not in expected:
                continue
            suffix = "_solid"
        verdict = judge(name, expected, found[name], suffix)
        if name == "error" and verdict.passed:
            lacking = mentions(found["message"], case.inputs.get("must_mention", []))
            if lacking:
                verdict = Verdict(passed=False, reason=f"the message does not mention {lacking}")
        yield Line(case, name, found[name], verdict)

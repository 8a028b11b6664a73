"""Solved cases: the public ones all agree, others of the same kinds by formula, and the judge."""

import copy
import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tartan.core.errors import DocumentError
from tartan.exchange.verify import Case, load_cases, verify
from tartan.exchange.verify.cases import BY_ELEMENTS_SUFFIX, KINDS, SHELL_KINDS, Report, answer
from tartan.exchange.verify.judge import judge
from tartan.exchange.verify.reading import NotYetError
from tartan.exchange.verify.table import case_lines, summary

CASES = load_cases()
DONE = [c for c in CASES if c.kind in KINDS or c.kind == "input_error"]


def report_of(cases: list[Case]) -> Report:
    report = Report()
    for _, report in verify(cases):  # noqa: B007 - the last one is whole
        pass
    return report


@pytest.mark.parametrize("case", DONE, ids=[c.id for c in DONE])
def test_public_case_agrees(case: Case) -> None:
    report = report_of([case])
    assert report.lines
    assert not report.not_yet
    assert [(x.output, x.verdict.reason) for x in report.failed] == []
    judged = {x.output.removesuffix(BY_ELEMENTS_SUFFIX) for x in report.lines}
    by_elements = [x for x in report.lines if x.output.endswith(BY_ELEMENTS_SUFFIX)]
    assert bool(by_elements) == (case.kind == "thin_cylinder")
    wanted = {k for k, e in case.expected.items() if not e.get("informative")}
    if case.kind in SHELL_KINDS:
        either = {"tol_rel_fe", "tol_rel_solid"}
        wanted = {k for k in wanted if either & set(case.expected[k])}
    assert judged == wanted
    assert all(line.isprintable() for line in case_lines(case, report))


def test_every_public_kind_is_done_and_an_unknown_one_is_listed() -> None:
    assert {c.kind for c in CASES if c not in DONE} == set()
    report = report_of([Case("X1", "", "", "weather", {}, {})])
    assert set(report.not_yet) == {"X1"}
    assert report.answers == {}
    assert "not answered yet" in summary(report)


def test_one_broken_case_does_not_cost_the_others() -> None:
    good = CASES[0]
    broken = [
        Case(f"B{i}", "", "", "clt_abd", inputs, {})
        for i, inputs in enumerate(
            ({"stack": 5}, {"stack": [7], "materials": {}}, good.inputs | {"materials": [1]}, {})
        )
    ]
    report = report_of([*broken, good])
    assert set(report.not_yet) == {"B0", "B1", "B2", "B3"}
    assert set(report.answers) == {good.id}
    unloaded = next(c for c in CASES if c.id == "P14")
    still = Case(
        "still",
        "",
        "",
        "laminate_fpf",
        unloaded.inputs | {"N": [0] * 3, "M": [0] * 3, "dT": 0},
        {},
    )
    assert answer(still)["puck.RF"] == "inf"
    json.dumps(answer(still), allow_nan=False)


def test_a_cylinder_needs_no_criterion() -> None:
    base = next(c for c in CASES if c.kind == "thin_cylinder")
    bare = {k: v for k, v in base.inputs.items() if k != "criteria"}
    found = answer(Case("bare", "", "", "thin_cylinder", bare, {}))
    assert found["radial_growth"] == pytest.approx(base.expected["radial_growth"]["value"])


def refused(operation: str, **changes: Any) -> str:
    """Message with which a spoilt case is refused."""
    base = next(c for c in CASES if c.kind == operation)
    inputs = copy.deepcopy(base.inputs)
    for path, value in changes.items():
        target = inputs
        *way, last = path.split("__")
        for step in way:
            target = target[int(step)] if step.isdigit() else target[step]
        target[int(last) if last.isdigit() else last] = value
    found = answer(Case("x", "", "", "input_error", inputs | {"operation": operation}, {}))
    assert found["error"] is True
    return str(found["message"])


@pytest.mark.parametrize(
    ("operation", "changes", "words"),
    [
        ("clt_abd", {"stack": []}, ["empty", "plies"]),
        ("clt_abd", {"stack__1__thickness": -1e-3}, ["ply 2", "thickness"]),
        ("clt_abd", {"stack__2__thickness": math.nan}, ["ply 3", "thickness"]),
        ("clt_abd", {"stack__0__material": "tin"}, ["ply 1", "tin"]),
        ("clt_abd", {"stack__0__angle_deg": "ten"}, ["ply 1", "angle"]),
        ("clt_abd", {"materials__c__nu12": 5.0}, ["nu12", "E1/E2"]),
        ("clt_abd", {"materials__c__E1": None}, ["E1", "missing"]),
        ("clt_abd", {"materials__c__G12": 0.0}, ["G12"]),
        ("clt_abd", {"offset": math.inf}, ["offset"]),
        ("clt_constants", {"materials__c__E2": -9e9}, ["E2"]),
        ("clt_response", {"N": [1.0, 2.0]}, ["N", "3 numbers"]),
        ("clt_response", {"M": [0, math.nan, 0]}, ["M", "finite"]),
        ("ply_failure", {"material__Yt": 0.0, "criteria": ["hashin"]}, ["Yt"]),
        ("ply_failure", {"material__S23": None, "criteria": ["hashin"]}, ["S23", "Hashin"]),
        ("ply_failure", {"criteria": [{"name": "tsai_wu", "F12_star": 1.2}]}, ["F12"]),
        ("ply_failure", {"criteria": ["tsai_foo"]}, ["tsai_foo"]),
        ("laminate_fpf", {"criteria": []}, ["criterion"]),
        ("progressive", {"criterion": None}, ["criterion"]),
        ("critical_loads", {"criteria": [3]}, ["3"]),
        ("clt_mixed", {"prescribed_is_strain": [True, 2]}, ["six flags"]),
        ("sandwich_check", {"core_ply": 1}, ["core"]),
        ("thin_cylinder", {"R": 0.0}, ["radius"]),
        ("thick_cylinder", {"ri": -0.1}, ["radius"]),
        ("thick_cylinder", {"materials__c__E3": None}, ["E3", "'c'"]),
        ("ply_failure", {"stress_12": [[1.0, 2.0]]}, ["state 1"]),
        ("laminate_fpf", {"materials__c__Xc": None, "criteria": ["tsai_wu"]}, ["Xc", "'c'"]),
        ("laminate_fpf", {"criteria": ["tsai_wu"], "dT": "cold"}, ["dT"]),
        ("large_deflection", {"L": 0.0}, ["no length"]),
        ("large_deflection", {"values": []}, ["no values"]),
        ("large_deflection", {"values": [1.0, math.nan]}, ["finite", "values"]),
        ("navier_bending", {"a": -1.0}, ["a"]),
        ("navier_bending", {"materials__p__G23": None}, ["G23"]),
    ],
)
def test_bad_inputs_are_refused_in_words(
    operation: str, changes: dict[str, Any], words: list[str]
) -> None:
    message = refused(operation, **changes)
    for word in words:
        assert word.lower() in message.lower()


def test_what_is_not_done_is_never_guessed() -> None:
    base = next(c for c in CASES if c.kind == "navier_bending")
    for key, value in (("edges", "CCCC"), ("load", "point"), ("shear", ["zigzag"])):
        with pytest.raises(NotYetError, match=value if isinstance(value, str) else value[0]):
            answer(Case("x", "", "", base.kind, base.inputs | {key: value}, {}))
    strip = next(c for c in CASES if c.kind == "large_deflection")
    arch = next(c for c in CASES if c.inputs.get("model") == "shallow_arch")
    for base, key, value in (
        (strip, "model", "whip"),
        (strip, "load", "wind"),
        (arch, "load", "wind"),
        (arch, "ends", "glued"),
    ):
        with pytest.raises(NotYetError, match=value):
            answer(Case("x", "", "", base.kind, base.inputs | {key: value}, {}))
    failure = next(c for c in CASES if c.kind == "ply_failure")
    unknown = failure.inputs | {"criteria": [{"name": "hashin", "secret": 2.0}]}
    with pytest.raises(NotYetError, match="secret"):
        answer(Case("x", "", "", "ply_failure", unknown, {}))


def test_criterion_parameters_of_a_case_count() -> None:
    base = next(c for c in CASES if c.id == "P12")
    uncoupled = base.inputs | {"criteria": [{"name": "tsai_wu", "F12_star": 0.0}]}
    found = answer(Case("x", "", "", "ply_failure", uncoupled, {}))["tsai_wu.RF"]
    m, s = base.inputs["material"], np.array(base.inputs["stress_12"])
    lam = np.array(found)[:, None] * s
    index = (
        (1 / m["Xt"] - 1 / m["Xc"]) * lam[:, 0]
        + (1 / m["Yt"] - 1 / m["Yc"]) * lam[:, 1]
        + lam[:, 0] ** 2 / (m["Xt"] * m["Xc"])
        + lam[:, 1] ** 2 / (m["Yt"] * m["Yc"])
        + lam[:, 2] ** 2 / m["S12"] ** 2
    )
    np.testing.assert_allclose(index, 1, rtol=1e-9)


@pytest.mark.slow
def test_rectangular_offset_plate_by_formula() -> None:
    """A case of our own: long rectangle, reference at the bottom face, moved centre by w only."""
    base = next(c for c in CASES if c.id == "P20")
    plain = base.inputs | {"a": 0.1, "b": 0.25, "shear": ["energy"], "load": "uniform"}
    found = answer(Case("x", "", "", "navier_bending", plain, {}))
    from tartan.exchange.verify.reading import read_laminate
    from tests.core.test_shell import navier

    exact = navier(read_laminate(plain), 0.1, 0.25, plain["q0"])
    assert found["energy.w_center"] == pytest.approx(exact, rel=1e-4)


def expectation(value: Any, **more: Any) -> dict[str, Any]:
    return {"value": value, "unit": "1", "tol_rel": 1e-3, "tol_abs": 0.01, **more}


@pytest.mark.parametrize(
    ("name", "expected", "got", "passed"),
    [
        ("x", expectation(5.0), 5.009, True),
        ("x", expectation(5.0), 5.02, False),
        ("x", expectation([1.0, 2.0]), [1.0], False),
        ("x", expectation([100.0, 0.0], elementwise=True), [100.1, 0.0], True),
        ("x", expectation([100.0, 0.0]), [100.1, 0.0], False),
        ("x", expectation([1.0, 2.0], tol_abs=[0.5, 0.01]), [1.4, 2.0], True),
        ("x", expectation([1.0, 2.0], tol_abs=[0.5, 0.01]), [1.0, 2.4], False),
        ("x", expectation(["inf", 1.0]), ["inf", 1.0], True),
        ("x", expectation(["inf", 1.0]), [9e9, 1.0], False),
        ("x", expectation({"p": 1.0}), {"p": 1.0, "q": 5.0}, True),
        ("x", expectation({"p": 1.0}), 1.0, False),
        ("x", expectation([None, 2.0]), [None, 2.0], True),
        ("a.mode", expectation([["shear"], ["b", "c"]], unit="text"), ["shear", "c"], True),
        ("a.mode", expectation([["shear"], ["b", "c"]], unit="text"), ["shear"], False),
        ("a.mode", expectation(["shear"], unit="text"), "fibre", False),
        ("critical_plies", expectation([2, 7], unit="text"), 7, True),
        ("critical_plies", expectation([2, 7], unit="text"), [2, 3], False),
        ("error", expectation(True, unit="text"), False, False),
    ],
)
def test_judge(name: str, expected: dict[str, Any], got: Any, passed: bool) -> None:
    verdict = judge(name, expected, got)
    assert verdict.passed is passed
    assert bool(verdict.reason) is not passed


def test_files_that_are_no_cases(tmp_path: Path) -> None:
    for text in ("{", "[]", '{"cases": [{"id": 1}]}', '{"cases": [7]}'):
        (tmp_path / "x.json").write_text(text)
        with pytest.raises(DocumentError, match=r"x\.json"):
            load_cases(tmp_path / "x.json")
    with pytest.raises(DocumentError, match="cannot be read"):
        load_cases(tmp_path / "none.json")
    mine = [
        {
            "id": "U1",
            "kind": "clt_abd",
            "inputs": CASES[0].inputs,
            "expected": {"thickness": expectation(0.015)},
        }
    ]
    (tmp_path / "mine.json").write_text(json.dumps({"cases": mine}))
    assert len(report_of(load_cases(tmp_path / "mine.json")).lines) == 1

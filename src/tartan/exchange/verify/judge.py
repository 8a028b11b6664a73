"""Hold an answer against the expectation of a solved case.

The rules are those of the case format: a number passes within its absolute tolerance (with
`elementwise`, plus its relative one); labels pass when they are among those listed.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

Expected = Mapping[str, Any]


@dataclass(frozen=True)
class Verdict:
    """Whether an answer passes, the largest difference, and a reason when it does not."""

    passed: bool
    difference: float | None = None
    reason: str = ""


def judge(name: str, expected: Expected, answer: Any, suffix: str = "") -> Verdict:
    """Judge one output.

    Parameters
    ----------
    name : str
        Output name; those that end in ``mode`` and ``critical_plies`` list acceptable labels.
    expected : mapping
        `value`, `unit`, `tol_rel`, `tol_abs` and the same with a suffix.
    answer : Any
        The computed value in JSON form.
    suffix : {"", "_fe", "_solid"}
        Judge with the tolerances of theory, of a converged shell, or of converged solids.
    """
    if expected["unit"] == "text":
        return _judge_text(name, expected["value"], answer)
    wanted, got = expected["value"], answer
    if isinstance(wanted, Mapping):
        if not isinstance(got, Mapping):
            return Verdict(passed=False, reason="named values are expected")
        wanted, got = list(wanted.values()), [got.get(k) for k in wanted]
    a, b = flat(wanted), flat(got)
    if len(a) != len(b):
        return Verdict(passed=False, reason=f"{len(b)} numbers, {len(a)} expected")
    bounds = expected[f"tol_abs{suffix}"]
    bounds = bounds if isinstance(bounds, list) else [bounds]
    share = expected[f"tol_rel{suffix}"] if expected.get("elementwise") else 0.0
    worst, bad = 0.0, None
    for i, (x, y) in enumerate(zip(b, a, strict=True)):
        if not isinstance(x, int | float) or not isinstance(y, int | float):
            wrong = x != y
        else:
            wrong = not abs(x - y) <= bounds[i % len(bounds)] + share * abs(y)
            worst = max(worst, abs(x - y))
        if wrong and bad is None:
            bad = f"value {i + 1} is {x}, expected {y}"
    return Verdict(bad is None, worst, bad or "")


def _judge_text(name: str, wanted: Any, got: Any) -> Verdict:
    if name == "error":
        return Verdict(got is True, reason="" if got is True else "it was not refused")
    if name.endswith("mode"):
        many = bool(wanted) and isinstance(wanted[0], list)
        pairs = list(zip(wanted, got, strict=False)) if many else [(wanted, got)]
        bad = [str(g) for allowed, g in pairs if str(g) not in allowed]
        passed = not bad and (not many or len(got) == len(wanted))
        return Verdict(passed, reason="" if passed else f"labels {bad}")
    if name.endswith("critical_plies"):
        given = got if isinstance(got, list) else [got]
        passed = bool(given) and set(given) <= set(wanted)
        return Verdict(passed, reason="" if passed else f"{given} is not among {wanted}")
    return Verdict(got == wanted, reason="" if got == wanted else f"{got}, expected {wanted}")


def flat(value: Any) -> list[Any]:
    """All entries of nested lists, in order."""
    if isinstance(value, Sequence) and not isinstance(value, str):
        return [entry for part in value for entry in flat(part)]
    return [value]


def mentions(message: str, words: Sequence[str]) -> list[str]:
    """Those of `words` that a message does not contain, letter case apart."""
    return [w for w in words if w.lower() not in message.lower()]

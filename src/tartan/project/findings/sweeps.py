"""Answers over a range of one or two figures, or over samples of many that scatter."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError, TartanError
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import Project
from tartan.project.edits.figures import figure, held_at, put_figures
from tartan.project.findings.answer_figures import Need, answers, check_answer
from tartan.project.wording import units
from tartan.project.wording.figure_units import quantity_of

Array = NDArray[np.float64]

MOST_POINTS = 20_000
"""Points of a sweep, or samples, at most."""

WHERE = "Sweep"


@dataclass(frozen=True)
class Over:
    """A figure and the values it takes.

    Attributes
    ----------
    paths : tuple of str
        Figures that take the same value; one that begins with ``-`` takes the opposite, ``[*]``
        stands for every one of several.
    values : tuple of float
        In SI; angles of plies in degrees.
    """

    paths: tuple[str, ...]
    values: tuple[float, ...]


@dataclass(frozen=True)
class Scatter:
    """A figure that scatters.

    Attributes
    ----------
    paths : tuple of str
        As `Over` has them.
    mean, spread : float
        Of a normal distribution its standard deviation; of a uniform one half its width.
    uniform : bool
        Whether all values within the spread are alike.
    """

    paths: tuple[str, ...]
    mean: float
    spread: float
    uniform: bool = False


@dataclass(frozen=True)
class Task:
    """One state of a project that is asked: figures by paths, their values, and answers."""

    paths: tuple[tuple[str, ...], ...]
    values: tuple[float, ...]
    answers: tuple[str, ...]


@dataclass(frozen=True)
class Outcome:
    """What came of a task: its answers, or why there are none."""

    values: tuple[float, ...]
    fault: str = ""


def tasks_of(overs: Sequence[Over], names: Sequence[str]) -> list[Task]:
    """Every point of a sweep, the last figure changing fastest.

    Raises
    ------
    DocumentError
        Too many points, or no figure or answer.
    """
    if not 1 <= len(overs) <= 2 or not names:
        raise DocumentError(
            "A sweep is over one or two figures, and asks for an answer.", WHERE, "Name them."
        )
    count = math.prod(len(o.values) for o in overs)
    if not 1 <= count <= MOST_POINTS:
        raise DocumentError(f"That is {count} points.", WHERE, f"Take 1 to {MOST_POINTS} of them.")
    paths = tuple(o.paths for o in overs)
    grid = np.meshgrid(*(o.values for o in overs), indexing="ij")
    rows = np.stack([g.ravel() for g in grid], axis=1)
    return [Task(paths, tuple(map(float, row)), tuple(names)) for row in rows]


def samples_of(
    scatters: Sequence[Scatter], names: Sequence[str], count: int, seed: int = 0
) -> list[Task]:
    """Samples by a Latin hypercube (M. D. McKay, R. J. Beckman, W. J. Conover, Technometrics 21
    (1979), 239-245).

    Raises
    ------
    DocumentError
        No figure, no answer, or too many samples.
    """  # noqa: D205
    # Loaded when samples are asked for: it takes as long as the window takes to open.
    from scipy.stats import norm, qmc

    if not scatters or not names:
        raise DocumentError("Nothing scatters, or nothing is asked.", WHERE, "Name a figure.")
    if not 2 <= count <= MOST_POINTS:
        raise DocumentError(f"That is {count} samples.", WHERE, f"Take 2 to {MOST_POINTS}.")
    unit = qmc.LatinHypercube(d=len(scatters), rng=np.random.default_rng(seed)).random(count)
    columns = []
    for k, one in enumerate(scatters):
        way = 2 * unit[:, k] - 1 if one.uniform else norm.ppf(unit[:, k])
        columns.append(one.mean + one.spread * way)
    paths = tuple(s.paths for s in scatters)
    rows = np.stack(columns, axis=1)
    return [Task(paths, tuple(map(float, row)), tuple(names)) for row in rows]


def changed(project: Project, task: Task) -> Project:
    """The project with the figures of a task.

    Raises
    ------
    TartanError
        No such figure, or a value that cannot be.
    """
    values = [
        (one, -value if path.startswith("-") else value)
        for paths, value in zip(task.paths, task.values, strict=True)
        for path in paths
        for one in _every(project, path.removeprefix("-"))
    ]
    return put_figures(project, values)


def _every(project: Project, path: str) -> list[str]:
    """Paths that a path with ``[*]`` stands for."""
    before, star, after = path.partition("[*]")
    if not star:
        return [path]
    found = []
    for number in range(1, 1000):
        try:
            held_at(project, f"{before}[{number}]")
        except DocumentError:
            break
        found += _every(project, f"{before}[{number}]{after}")
    if not found:
        raise DocumentError(f"'{path}' stands for nothing.", WHERE, "Name a figure.")
    return found


def run_task(project: Project, task: Task) -> Outcome:
    """Answer one task; what goes wrong is told in its stead."""
    try:
        now = changed(project, task)
        return Outcome(tuple(answers(now, task.answers, _solved)))
    except TartanError as error:
        return Outcome((math.nan,) * len(task.answers), str(error))


def _solved(project: Project) -> PartAnswer:
    return solve_now(part_inputs(project))


def check_sweep(project: Project, tasks: Sequence[Task]) -> None:
    """See that figures and answers are there, before anything is worked out.

    Raises
    ------
    TartanError
        What is missing.
    """
    first = tasks[0]
    for name in first.answers:
        check_answer(project, name)
    for paths in first.paths:
        for path in paths:
            for one in _every(project, path.removeprefix("-")):
                figure(project, one)


def idle(tasks: Sequence[Task], outcomes: Sequence[Outcome]) -> list[tuple[str, ...]]:
    """Figures that change no answer, whatever the other one is."""
    found = []
    for k, paths in enumerate(tasks[0].paths):
        groups: dict[tuple[float, ...], set[tuple[float, ...]]] = {}
        values = set()
        for task, outcome in zip(tasks, outcomes, strict=True):
            if outcome.fault:
                continue
            others = task.values[:k] + task.values[k + 1 :]
            groups.setdefault(others, set()).add(tuple(float(f"{v:.12e}") for v in outcome.values))
            values.add(task.values[k])
        if len(values) > 1 and all(len(answers_) == 1 for answers_ in groups.values()):
            found.append(paths)
    return found


def over_of(project: Project, text: str) -> Over:
    """A figure and its values from words: ``PATH = 0 to 90 by 15``, ``in 6``, or ``0, 30, 45``.

    A unit may stand at the end; without one values are in SI, angles of plies in degrees.

    Raises
    ------
    DocumentError
        What cannot be read, or is no figure.
    """
    paths, values = _sides(text, "0 to 90 by 15")
    quantity = quantity_of(paths[0])
    span = re.fullmatch(r"(.+?)\s+to\s+(.+?)\s+(by|in)\s+(\S+)(.*)", values)
    if span is None:
        words = [w for w in re.split(r"[,;]\s*", values) if w.strip()]
        unit = _unit(words[-1]) if words else ""
        found = [_read(w, quantity, unit) for w in words]
    else:
        low, high, way, step, rest = span.groups()
        equal = way == "in"
        # A unit stands once, behind whichever of them.
        unit = rest.strip() or ("" if equal else _unit(step)) or _unit(high) or _unit(low)
        start, end = _read(low, quantity, unit), _read(high, quantity, unit)
        size = _read(step, units.RATIO, "") if equal else _read(step, quantity, unit)
        found = _spread(start, end, way, size, text)
    if not found:
        raise DocumentError(f"'{text}' names no values.", WHERE, "Write PATH = 0 to 90 by 15.")
    for path in paths:
        for one in _every(project, path.removeprefix("-")):
            figure(project, one)
    return Over(paths, tuple(found))


def scatter_of(project: Project, text: str) -> Scatter:
    """A figure that scatters from words: ``PATH = 5 %`` of its value, ``PATH = 2 within``.

    ``within`` at the end makes it uniform; else it is normal with that standard deviation.

    Raises
    ------
    DocumentError
        What cannot be read, or is no figure.
    """
    paths, words = _sides(text, "5 %")
    uniform = words.endswith("within")
    words = words.removesuffix("within").strip()
    mean = figure(project, _every(project, paths[0].removeprefix("-"))[0])
    if words.endswith("%"):
        spread = abs(mean) * _read(words[:-1], units.RATIO, "") / 100
    else:
        spread = _read(words, quantity_of(paths[0]), _unit(words))
    if not spread > 0:
        raise DocumentError(
            f"'{text}' does not scatter.", WHERE, "Give a spread greater than zero."
        )
    return Scatter(paths, mean, spread, uniform)


def _sides(text: str, example: str) -> tuple[tuple[str, ...], str]:
    left, sign, right = text.partition("=")
    paths = tuple(p.strip() for p in left.split("&") if p.strip())
    if not sign or not paths or not right.strip():
        raise DocumentError(
            f"'{text}' is no figure with values.",
            WHERE,
            f"Write stacks[feed strut].plies[3].angle = {example}.",
        )
    return paths, right.strip()


def _unit(word: str) -> str:
    """Unit at the end of a word, if any."""
    found = re.fullmatch(r"\s*[-+−]?[\d.]+(?:[eE][-+]?\d+)?\s*(\D.*)?", word)
    return (found.group(1) or "").strip() if found else ""


def _read(word: str, quantity: units.Quantity, unit: str) -> float:
    own = _unit(word) or unit
    plain = word.strip()
    if own and plain.endswith(own):
        plain = plain.removesuffix(own).strip()
    try:
        if own:
            return units.parse(f"{plain} {own}", quantity)
        return units.parse(plain, units.RATIO)
    except TartanError as error:
        raise DocumentError(f"'{word}' is no value.", WHERE, error.mend or str(error)) from error


def _spread(start: float, end: float, way: str, step: float, text: str) -> list[float]:
    count = round(step) if way == "in" else (end - start) / step if step else 0.0
    if not 0 < count <= MOST_POINTS:
        raise DocumentError(
            f"'{text}' never comes to its end.", WHERE, "Give a step that leads there."
        )
    if way == "in":
        return [float(x) for x in np.linspace(start, end, round(step) + 1)]
    # The last step reaches the end, or stops before it.
    return [float(start + k * step) for k in range(math.floor(count * (1 + 1e-9)) + 1)]


@dataclass(frozen=True)
class Spread:
    """What samples say of one answer.

    Attributes
    ----------
    name : str
        The answer.
    holds : float or None
        Share of the samples that reach what is needed; None where nothing is asked of it.
    quantiles : tuple of float
        At 1, 10, 50, 90 and 99 per cent.
    matters : tuple of float
        Rank correlation with every figure (C. Spearman, 1904), -1 to 1.
    count : int
        Samples that were answered.
    """

    name: str
    holds: float | None
    quantiles: tuple[float, ...]
    matters: tuple[float, ...]
    count: int


QUANTILES = (0.01, 0.1, 0.5, 0.9, 0.99)


def spread_of(
    tasks: Sequence[Task], outcomes: Sequence[Outcome], need: Callable[[str], Need | None]
) -> list[Spread]:
    """What samples say of every answer."""
    given = np.array([t.values for t in tasks])
    found = np.array([o.values for o in outcomes])
    spreads = []
    for k, name in enumerate(tasks[0].answers):
        good = np.isfinite(found[:, k])
        value = found[good, k]
        if not len(value):
            spreads.append(Spread(name, None, (), (), 0))
            continue
        asked = need(name)
        matters = [_rank(given[good, j], value) for j in range(given.shape[1])]
        spreads.append(
            Spread(
                name,
                None if asked is None else float(np.mean([asked.met(v) for v in value])),
                tuple(float(q) for q in np.quantile(value, QUANTILES)),
                tuple(matters),
                int(good.sum()),
            )
        )
    return spreads


def _rank(x: Array, y: Array) -> float:
    from scipy.stats import spearmanr

    if len(x) < 3 or np.ptp(x) == 0 or np.ptp(y) == 0:
        return 0.0
    return float(spearmanr(x, y).statistic)

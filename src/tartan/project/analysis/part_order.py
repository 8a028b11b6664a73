"""Orders of a stack's plies judged by the part that it is laid on.

A part cannot be solved for every order. It is solved for one, which gives its figures there and,
by adjoint solutions, what any ply at any place would change to first order; the search by that
ends at an order for which it is solved anew, until nothing better is found. What is told was
solved.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError, StackError
from tartan.core.laminate.stiffness import reduced_stiffness, strain_rotation
from tartan.core.search.goals import Slots
from tartan.core.search.judging import Judged, Question
from tartan.core.search.ordering import MOST_TRIES, TRIED, Found, search
from tartan.core.search.plyset import PlySet
from tartan.core.shell.assembly import finished
from tartan.core.shell.sensitivity.sections import STIFFNESS
from tartan.core.stack import Ply
from tartan.project.analysis.gradients import Gradient, MovedAt, Swings
from tartan.project.analysis.gradients import Question as Asked
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import Memory, PartAnswer, SolveRequest, run_solve
from tartan.project.analysis.ordering import plies_of, question_for
from tartan.project.analysis.sensitivity import Slopes
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import OF_THE_PART, OrderAsk

Array = NDArray[np.float64]

ROUNDS = 6
"""How often the part is derived anew at most."""

SOLVED = 2
"""Orders of each round for which the part is solved."""

WHERE = "Order of plies"


@dataclass(frozen=True)
class OnPart:
    """A stack in the part: what is derived at it.

    Attributes
    ----------
    stack : str
        The stack.
    plies : tuple of Ply
        In the order that it is derived at.
    kinds : tuple of Ply
        What may lie at its places.
    figures : tuple of str
        Of the part, that are asked for.
    """

    stack: str
    plies: tuple[Ply, ...]
    kinds: tuple[Ply, ...]
    figures: tuple[str, ...]


Answer = Callable[[Project, OnPart], dict[str, Slots]]
"""Whoever solves the part: here, or on a worker."""

_memory = Memory()


def slots_of(project: Project, asked: OnPart) -> dict[str, Slots]:
    """Figures of the part with a stack in an order, and what every place of it is worth.

    Raises
    ------
    TartanError
        A part that cannot be solved, or on which the stack is not laid.
    """
    stacks = tuple(
        s.with_plies(asked.plies) if s.name == asked.stack else s for s in project.stacks
    )
    inputs = part_inputs(replace(project, stacks=stacks))
    if not any(r.stack == asked.stack and r.active for r in inputs.part.lay_up):
        raise StackError(
            f"'{asked.stack}' is not laid on the part.", WHERE, "Lay it, or choose another goal."
        )
    swings = "part-frequency" in asked.figures
    inputs = replace(inputs, buckling=(), modes=("",) if swings else ())
    answer = finished(run_solve(SolveRequest(0, inputs), _memory))
    slopes = Slopes(answer, _memory)
    found = {}
    for figure in asked.figures:
        questions = _questions(answer, figure)
        gradients = slopes.of(questions)
        table = np.array([_table(answer, asked, g) for g in gradients])
        found[figure] = Slots(np.array([g.value for g in gradients]), table)
    return found


def _questions(answer: PartAnswer, figure: str) -> list[Asked]:
    if figure == "part-frequency":
        return [Swings()]
    found: list[Asked] = []
    for case in range(len(answer.inputs.solved_names)):
        u = answer.solution.displacement[case, :, :3]
        size = np.linalg.norm(u, axis=1)
        node = int(size.argmax())
        if size[node] > 0:
            x, y, z = (float(v) for v in u[node] / size[node])
            found.append(MovedAt(case, node, (x, y, z)))
    if not found:
        raise PartError("No case moves the part.", WHERE, "Load a case in Cases.")
    return found


def _table(answer: PartAnswer, asked: OnPart, gradient: Gradient) -> Array:
    """What a kind at a place changes, shape (length, kinds): by A, B and D of every zone."""
    layout = answer.layout()
    materials = {m.name: m for s in layout.zones.laminates for m in s.materials}
    found = np.zeros((len(asked.plies), len(asked.kinds)))
    for zone, laminate in enumerate(layout.zones.laminates):
        G = gradient.zones[zone, STIFFNESS].reshape(8, 8)
        A, B, D = G[:3, :3], G[:3, 3:6] + G[3:6, :3], G[3:6, 3:6]
        for place, n in enumerate(layout.zones.plies[zone]):
            laid = layout.laid[n]
            if answer.inputs.part.lay_up[laid.rung].stack != asked.stack:
                continue
            low, high = laminate.z[place : place + 2]
            mean, t = (low + high) / 2, high - low
            weight = A + mean * B + (mean**2 + t**2 / 12) * D
            before = t * laminate.Qbar[place]
            turn = laminate.stack.plies[place].angle - asked.plies[laid.within].angle
            for k, kind in enumerate(asked.kinds):
                Q = reduced_stiffness(materials[kind.material])
                T = strain_rotation(np.deg2rad(kind.angle + turn))
                share = kind.thickness / asked.plies[laid.within].thickness
                found[laid.within, k] += (weight * (share * t * T.T @ Q @ T - before)).sum()
    return found


def searched(
    project: Project, ask: OrderAsk, answer: Answer = slots_of, tries: int = MOST_TRIES
) -> Iterator[tuple[Question, Found]]:
    """Search by goals of which some are of the part.

    Yields the question as it stands and where the search does; the last is the result. Every
    order of the history was solved on the part.

    Raises
    ------
    TartanError
        As `question_for` and `slots_of`.
    """
    plies = plies_of(project, ask)
    figures = tuple(dict.fromkeys(g.figure for g in ask.goals if g.figure in OF_THE_PART))

    def solved(order: tuple[int, ...]) -> dict[str, Slots]:
        return answer(project, OnPart(ask.stack, plies.plies(order), plies.kinds, figures))

    stack = project.stack(ask.stack)
    assert stack is not None
    start = question_for(project, ask, _nothing(plies, figures)).start
    base = start or tuple(k for k, n in enumerate(plies.counts) for _ in range(n))
    question = question_for(project, ask, solved(base))
    reference = question.reference
    best = question.judged(np.array([base], np.int8))[0]
    known = {base: best}
    found = Found(TRIED, plies.total, history=(best,))
    yield question, found
    tried = 0
    for number in range(ROUNDS):
        stands = found
        for stands in search(question, tries):
            share = (number + 0.9 * stands.share) / ROUNDS
            yield question, replace(found, share=share, tried=tried + stands.tried)
        tried += stands.tried
        fresh = [o for o in _candidates(stands) if o not in known][:SOLVED]
        better = None
        for order in fresh:
            there = replace(question_for(project, ask, solved(order)), _reference=[reference])
            one = replace(there.judged(np.array([order], np.int8))[0], tried=tried)
            known[order] = one
            if one.kept and (not best.kept or one.merit > best.merit + 1e-9 * abs(best.merit)):
                best, better = one, there
                found = replace(found, history=(*found.history, one))
        found = replace(found, tried=tried, front=_front(question, list(known.values())))
        yield question, replace(found, share=(number + 1) / ROUNDS)
        if better is None:
            break
        question = better
    yield question, replace(found, share=1.0)


def _nothing(plies: PlySet, figures: Sequence[str]) -> dict[str, Slots]:
    """Figures that say nothing, for a question whose order alone is wanted."""
    none = Slots(np.ones(1), np.zeros((1, plies.length, len(plies.kinds))))
    return dict.fromkeys(figures, none)


def _candidates(found: Found) -> list[tuple[int, ...]]:
    """The best order by what was derived, then others that came near, of a front its ends."""
    best = [] if found.best is None else [found.best.order]
    front = [j.order for j in (found.front[:1] + found.front[-1:]) if j.kept]
    rest = [j.order for j in reversed(found.history) if j.kept]
    return list(dict.fromkeys([*best, *front, *rest]))


def _front(question: Question, known: list[Judged]) -> tuple[Judged, ...]:
    """Solved orders of which none is better in all goals, where several are improved."""
    if not question.several:
        return ()
    kept = [j for j in known if j.kept and j.meets]
    signs = [1.0 if g.more else -1.0 for g in question.goals if g.least is None]
    which = question.improved

    def values(one: Judged) -> Array:
        return np.array([s * one.values[i] for s, i in zip(signs, which, strict=True)])

    return tuple(
        one
        for one in kept
        if not any(
            (values(o) >= values(one)).all() and (values(o) > values(one)).any() for o in kept
        )
    )

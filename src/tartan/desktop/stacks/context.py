"""What the panes of the Stacks station share: the chosen stack with all its answers' inputs."""

from __future__ import annotations

from dataclasses import dataclass

from tartan.core.errors import TartanError
from tartan.core.laminate import Laminate
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.stack import Stack
from tartan.desktop.session import Session
from tartan.exchange.maps.mapped import required
from tartan.pages.stack_answers import Question
from tartan.pages.stacks import laminate_or_error
from tartan.project.document.model import CriteriaSet

NOTHING = LoadCase("no load")


@dataclass(frozen=True, eq=False)
class Chosen:
    """The chosen stack.

    Attributes
    ----------
    session : Session
        Where it is chosen.
    stack : Stack
        The stack.
    laminate : Laminate or None
        None when it cannot be made; `error` says why.
    before : Laminate or None
        The baseline's, when there is one of that name.
    loads : LoadCase
        The chosen load case; one of zeros when there is none.
    criteria : CriteriaSet
        The set in force.
    need : float
        Least reserve factor asked for [1].
    """

    session: Session
    stack: Stack
    laminate: Laminate | None
    before: Laminate | None
    loads: LoadCase
    criteria: CriteriaSet
    need: float
    error: TartanError | None

    @property
    def question(self) -> Question | None:
        """The laminate under the chosen load case; None without a laminate."""
        if self.laminate is None:
            return None
        return Question(self.laminate, self.loads, self.criteria, self.need)


def chosen(session: Session) -> Chosen | None:
    """The chosen stack, if there is one."""
    project = session.project
    stack = project.stack(session.selection.stack)
    if stack is None:
        return None
    laminate, error = laminate_or_error(project, stack)
    before = None
    base = project.baseline
    if base is not None and (old := base.stack(stack.name)) is not None:
        before, _ = laminate_or_error(base, old)
    name = session.selection.load_case
    loads = next((s for s in project.loads_on(stack.name) if s.name == name), NOTHING)
    return Chosen(
        session, stack, laminate, before, loads, project.criteria[0], required(project), error
    )

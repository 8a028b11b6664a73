"""A measured ratio, and how times are taken."""

import dataclasses
import statistics
import time
from collections.abc import Callable

from tests.panels import dish_panel

from tartan.project.document.model import Project
from tartan.project.edits import part_edits

RUNS = 5
GAP = 0.100


@dataclasses.dataclass
class Figure:
    """One measured ratio."""

    id: str
    divides: str
    ratio: float
    goal: float
    note: str = ""

    @property
    def met(self) -> bool:
        return self.ratio <= self.goal


def sized(size: float) -> Project:
    project = dish_panel()
    assert project.part is not None
    return part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=size))


def timed(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def median(work: Callable[[], object], runs: int = RUNS) -> float:
    return statistics.median(timed(work) for _ in range(runs))

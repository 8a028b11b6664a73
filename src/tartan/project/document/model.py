"""The Project: frozen records of scalars and tuples, so equality and hash are sound.

SI units throughout; angles of plies in degrees.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from functools import lru_cache
from typing import Any

from tartan.core.conditions import Condition, under
from tartan.core.criteria import DEFAULT_SETS, REGISTRY, Criterion, criterion, fits
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.materials import Material
from tartan.core.search.shoprules import ShopRule
from tartan.core.stack import Stack
from tartan.project.document.ordermodel import OrderAsk
from tartan.project.document.partmodel import (
    Case,
    Combination,
    LeftOut,
    OutsideForces,
    Part,
    PressureTable,
    Requirement,
    Support,
    SupportSet,
)
from tartan.project.document.sizingmodel import NO_SIZING, SizeAsk


@dataclass(frozen=True)
class CriteriaSet:
    """Failure criteria by the kind or the name of a material; the worst governs."""

    name: str
    rules: tuple[tuple[str, tuple[str, ...]], ...]

    @property
    def sets(self) -> Mapping[str, tuple[str, ...]]:
        """As the core reads them."""
        return dict(self.rules)


USUAL = CriteriaSet("usual", tuple(DEFAULT_SETS.items()))
"""Criteria of a new project."""


@dataclass(frozen=True)
class AppliedCondition:
    """A knock-down condition, the materials it is applied to, and whether it is switched on."""

    name: str
    factors: tuple[tuple[str, float], ...]
    materials: tuple[str, ...] = ()
    active: bool = True


@dataclass(frozen=True, kw_only=True)
class Design:
    """All that is entered of a design: what a version keeps, and what a project has at work."""

    materials: tuple[Material, ...] = ()
    stacks: tuple[Stack, ...] = ()
    part: Part | None = None
    supports: tuple[Support, ...] = ()
    cases: tuple[Case, ...] = ()
    requirements: tuple[Requirement, ...] = ()
    load_cases: tuple[LoadCase, ...] = ()
    conditions: tuple[AppliedCondition, ...] = ()
    criteria: tuple[CriteriaSet, ...] = (USUAL,)
    tables: tuple[PressureTable, ...] = ()
    combinations: tuple[Combination, ...] = ()
    left_out: tuple[LeftOut, ...] = ()
    outside: tuple[OutsideForces, ...] = ()
    support_sets: tuple[SupportSet, ...] = ()

    def entered(self) -> dict[str, Any]:
        """What is entered, by field: what versions hand to each other."""
        return {f.name: getattr(self, f.name) for f in fields(Design)}

    def material(self, name: str) -> Material | None:
        """Material of that name as entered, if any."""
        return next((m for m in self.materials if m.name == name), None)

    def stack(self, name: str) -> Stack | None:
        """Stack of that name, if any."""
        return next((s for s in self.stacks if s.name == name), None)

    def in_force(self, material: Material) -> Material:
        """Material with the factors of its active conditions."""
        chosen = tuple(
            Condition(c.name, c.factors)
            for c in self.conditions
            if c.active and material.name in c.materials
        )
        return _under(material, chosen) if chosen else material

    def materials_of(self, stack: Stack) -> tuple[Material, ...]:
        """Materials in force that a stack uses, in order of first use; unknown ones left out."""
        used = dict.fromkeys(p.material for p in stack.plies)
        return tuple(self.in_force(m) for name in used if (m := self.material(name)) is not None)

    def stacks_using(self, material: str) -> tuple[str, ...]:
        """Names of the stacks that a change of a material touches."""
        return tuple(s.name for s in self.stacks if any(p.material == material for p in s.plies))


@lru_cache(maxsize=256)
def _under(material: Material, conditions: tuple[Condition, ...]) -> Material:
    return under(material, conditions)


@dataclass(frozen=True)
class Version(Design):
    """Another state of the design: all that is entered but for the project's name."""

    name: str


@dataclass(frozen=True)
class KeptWorking:
    """A working kept for the report: its title, and its text with figures as they were then."""

    title: str
    text: str


@dataclass(frozen=True)
class Project(Design):
    """Everything the engineer has entered: the version at work, and the others beside it."""

    name: str
    version: str = "A"
    workings: tuple[KeptWorking, ...] = ()
    versions: tuple[Version, ...] = ()
    against: str = ""
    formulas: tuple[str, ...] = ()
    """Criteria that the user wrote, as keys that hold name and formula."""
    shop_rules: tuple[ShopRule, ...] = ()
    orders: tuple[OrderAsk, ...] = ()
    """What is asked of the order of plies, by stack."""
    sizing: SizeAsk = NO_SIZING
    """What is asked of the sizing of the part."""

    @property
    def baseline(self) -> Version | None:
        """Version that this one is compared with; none while it is the baseline itself."""
        return next((v for v in self.versions if v.name == self.against), None)

    @property
    def case_names(self) -> tuple[str, ...]:
        """Cases, then combinations, then what outside forces bring."""
        return (
            *(c.name for c in self.cases),
            *(c.name for c in self.combinations),
            *(c.name for c in self.outside),
        )

    def supports_of(self, name: str) -> tuple[Support, ...]:
        """Supports of a set by its name; the empty name is the project's own."""
        sets = {x.name: x.supports for x in self.support_sets}
        return sets.get(name, self.supports)

    def offered(self, kind: str = "") -> list[Criterion]:
        """Criteria that can be chosen for a kind of material, the user's own last."""
        used = (k for c in self.criteria for _, keys in c.rules for k in keys)
        own = dict.fromkeys(k for k in (*self.formulas, *used) if k not in REGISTRY)
        every = (*REGISTRY.values(), *(criterion(k) for k in own))
        return [r for r in every if not kind or fits(r, kind)]

    @property
    def governing_sets(self) -> Mapping[str, tuple[str, ...]]:
        """Criteria in force: those of the first set."""
        return self.criteria[0].sets if self.criteria else USUAL.sets

    def loads_on(self, stack: str) -> tuple[LoadCase, ...]:
        """Load cases that apply to a stack."""
        return tuple(s for s in self.load_cases if s.stack in ("", stack))


OF_THE_PART_ALONE = frozenset(
    {
        "cases",
        "combinations",
        "left_out",
        "outside",
        "requirements",
        "support_sets",
        "supports",
        "tables",
    }
)
"""Fields that laminates and materials know nothing of."""


def changed_fields(before: Project, after: Project) -> frozenset[str]:
    """Fields in which two projects differ; what is the same object is not looked into."""
    return frozenset(
        f.name
        for f in fields(Project)
        if (was := getattr(before, f.name)) is not (now := getattr(after, f.name)) and was != now
    )

"""Failure criteria behind one protocol, and the registry that knows them by key."""

from __future__ import annotations

from tartan.core.criteria.base import Criterion, Outcome
from tartan.core.criteria.core_shear import CoreShear, Interlaminar
from tartan.core.criteria.hashin import Hashin
from tartan.core.criteria.max_stress import MaxStrain, MaxStress
from tartan.core.criteria.puck import Puck
from tartan.core.criteria.quadratic import Hoffman, TsaiHill
from tartan.core.criteria.sandwich import RULES
from tartan.core.criteria.tsai_wu import TsaiWu
from tartan.core.criteria.von_mises import VonMises
from tartan.core.errors import CriterionError

_ALL: tuple[Criterion, ...] = (
    TsaiWu(), Hashin(), Puck(), MaxStress(), MaxStrain(), TsaiHill(), Hoffman(), VonMises(),
    CoreShear(), Interlaminar(), *RULES,
)  # fmt: skip

REGISTRY: dict[str, Criterion] = {c.key: c for c in _ALL}

DEFAULT_SETS: dict[str, tuple[str, ...]] = {
    "ply": ("tsai_wu", "hashin"),
    "woven": ("tsai_wu", "hashin"),
    "isotropic": ("von_mises",),
    "core": ("core_shear", "wrinkling", "dimpling", "crimping", "crushing"),
}
"""Criteria by the kind of a material."""


def fits(rule: Criterion, kind: str) -> bool:
    """Whether a criterion means something for a kind of material."""
    kinds: tuple[str, ...] = getattr(rule, "kinds", ())
    return not kinds or kind in kinds


def criterion(key: str) -> Criterion:
    """Look a criterion up.

    Raises
    ------
    CriterionError
        When there is none of that key.
    """
    try:
        return REGISTRY[key]
    except KeyError:
        known = ", ".join(REGISTRY)
        raise CriterionError(f"Unknown criterion '{key}'.", "Criteria",
                             f"Known criteria: {known}.") from None  # fmt: skip


__all__ = ["DEFAULT_SETS", "REGISTRY", "Criterion", "Outcome", "criterion", "fits"]

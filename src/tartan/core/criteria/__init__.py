"""Failure criteria behind one protocol, and the registry that knows them by key."""

from __future__ import annotations

from functools import lru_cache

from tartan.core.criteria.base import Criterion, Outcome
from tartan.core.criteria.core_shear import CoreShear, Interlaminar
from tartan.core.criteria.formula import FormulaCriterion
from tartan.core.criteria.hashin import Hashin
from tartan.core.criteria.max_stress import MaxStrain, MaxStress
from tartan.core.criteria.puck import Puck
from tartan.core.criteria.quadratic import Hoffman, TsaiHill
from tartan.core.criteria.sandwich import RULES
from tartan.core.criteria.tsai_wu import TsaiWu
from tartan.core.criteria.von_mises import VonMises
from tartan.core.errors import CriterionError

_ALL: tuple[Criterion, ...] = (
    TsaiWu(),
    Hashin(),
    Puck(),
    MaxStress(),
    MaxStrain(),
    TsaiHill(),
    Hoffman(),
    VonMises(),
    CoreShear(),
    Interlaminar(),
    *RULES,
)

REGISTRY: dict[str, Criterion] = {c.key: c for c in _ALL}

_IS = " = "
"""Between the name of a user's criterion and its formula."""

DEFAULT_SETS: dict[str, tuple[str, ...]] = {
    "ply": ("tsai_wu", "hashin"),
    "woven": ("tsai_wu", "hashin"),
    "isotropic": ("von_mises",),
    "core": ("core_shear", "wrinkling", "dimpling", "crimping", "crushing"),
    "filler": (),
}
"""Criteria by the kind of a material; a filler fills, and is judged where that is asked for."""


def fits(rule: Criterion, kind: str) -> bool:
    """Whether a criterion means something for a kind of material."""
    kinds: tuple[str, ...] = getattr(rule, "kinds", ())
    return not kinds or kind in kinds


def written(name: str, text: str) -> str:
    """Key of a criterion that a user writes: its name and formula, so that the key is enough.

    Raises
    ------
    CriterionError
        For a name that is empty, taken or holds "=", and a formula that cannot be read.
    """
    name, text = name.strip(), " ".join(text.split())
    taken = name in REGISTRY or name in {r.title for r in REGISTRY.values()}
    if not name or "=" in name or taken:
        what = (
            "A criterion needs a name."
            if not name
            else (
                f"There is a criterion '{name}' already." if taken else "A name cannot hold '='."
            )
        )
        raise CriterionError(what, "Criteria", "Give it another name.")
    key = f"{name}{_IS}{text}"
    criterion(key)
    return key


@lru_cache(maxsize=256)
def _of_user(key: str) -> FormulaCriterion:
    name, _, text = key.partition(_IS)
    return FormulaCriterion(key, name, text)


def criterion(key: str | Criterion) -> Criterion:
    """Look a criterion up; one that is given as such is returned.

    Parameters
    ----------
    key : str or Criterion
        A key of `REGISTRY`, or of `written`, which is name and formula.

    Raises
    ------
    CriterionError
        When there is none of that key, or its formula cannot be read.
    """
    if not isinstance(key, str):
        return key
    if _IS in key:
        return _of_user(key)
    try:
        return REGISTRY[key]
    except KeyError:
        known = ", ".join(REGISTRY)
        raise CriterionError(
            f"Unknown criterion '{key}'.", "Criteria", f"Known criteria: {known}."
        ) from None


__all__ = ["DEFAULT_SETS", "REGISTRY", "Criterion", "Outcome", "criterion", "fits", "written"]

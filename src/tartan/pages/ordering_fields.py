"""Fields of what is asked of an order of plies: goals, the panel, and the rules of the shop."""

from __future__ import annotations

from tartan.core.errors import StackError, TartanError
from tartan.core.search.shoprules import (
    COUPLED,
    COVER,
    KINDS,
    MIDDLE,
    PAIRS,
    RUN,
    SEQUENCE,
    SHARE,
    STEP,
    TWIST,
    ShopRule,
)
from tartan.pages.fields import Flag, Line, Number, OneOf, Parsed, Remove, Said, Table, Unit, line
from tartan.project.document.ordermodel import FIGURES, LESS, OrderGoal
from tartan.project.findings.order_words import FIGURE_TITLES, QUANTITIES, RULE_TITLES, angle_text
from tartan.project.wording import units

RULE_TIPS = {
    RUN: "At most so many neighbours of one direction, over the mid-plane too",
    COVER: "The outermost plies, on both faces, are of one of these angles",
    PAIRS: "A ply other than 0° and 90° is followed at once by that of the opposite sign",
    STEP: "The greatest angle between neighbours",
    MIDDLE: "At most so many of a direction in a row on each side of the mid-plane",
    SEQUENCE: "These angles never follow each other, read from either face",
    SHARE: "At least this share of the thickness lies in a direction",
    TWIST: "The greater of γ = D16/(D11³ D22)^¼ and δ = D26/(D11 D22³)^¼ (Nemeth 1986)",
    COUPLED: "The greatest of B against h √(A11 A22)",
}

NEW_RULES = {
    RUN: ShopRule(RUN, 3),
    COVER: ShopRule(COVER, angles=(45.0, -45.0)),
    PAIRS: ShopRule(PAIRS),
    STEP: ShopRule(STEP, 60.0),
    MIDDLE: ShopRule(MIDDLE, 1, 0.0),
    SEQUENCE: ShopRule(SEQUENCE, angles=(0.0, 90.0)),
    SHARE: ShopRule(SHARE, 0.1),
    TWIST: ShopRule(TWIST, 0.2),
    COUPLED: ShopRule(COUPLED, 0.02),
}
"""Rules as they are when added."""

_COST = (
    Said("costs", "What each place that breaks it costs, in percent of the goal"),
    Number(
        "weight",
        units.SHARE,
        "cost of {}",
        "What each place that breaks it costs, in percent of the goal; empty: it has to be kept",
        optional=True,
        empty="must",
        wide=52,
    ),
    Unit(units.SHARE),
    Remove("Remove this rule"),
)


def angles_of(text: str) -> tuple[float, ...]:
    """Angles as they are typed, such as ``45 / -45``.

    Raises
    ------
    StackError
        What is no number.
    """
    plain = text.replace("°", " ").replace("−", "-").replace("±", " ±")
    words = plain.replace("/", " ").replace(";", " ").split()
    found: list[float] = []
    for word in words:
        try:
            value = units.parse(word.lstrip("±"), units.RATIO)
        except TartanError as error:
            raise StackError(
                f"'{word}' is no angle.", "Shop rule", "Enter angles such as 45 / -45."
            ) from error
        found += [value, -value] if word.startswith("±") else [value]
    return tuple(found)


def rule_fields(rule: ShopRule) -> Table:
    """Fields of a rule, in one line by its kind."""
    whose = Number(
        "angle",
        units.RATIO,
        "direction of {}",
        "Direction it is of; empty: every one",
        optional=True,
        empty="all",
        wide=46,
    )
    angles = Parsed("angles", angles_of, angle_text, "angles of {}", wide=96)
    kind = rule.kind
    own: tuple[object, ...] = ()
    if kind in (RUN, MIDDLE):
        limit = Number("limit", units.RATIO, "limit of {}", "At most", whole=True, wide=36)
        own = (limit, Said("of"), whose, Said("°"))
    elif kind in (COVER, SEQUENCE):
        own = (angles, Said("°"))
    elif kind == STEP:
        own = (Number("limit", units.RATIO, "limit of {}", "At most", wide=46), Said("°"))
    elif kind == SHARE:
        least = Number("limit", units.SHARE, "limit of {}", "At least", wide=46)
        own = (least, Unit(units.SHARE), Said("of"), whose, Said("°"))
    elif kind in (TWIST, COUPLED):
        own = (Number("limit", units.RATIO, "limit of {}", "At most", wide=52),)
    on = Flag("active", RULE_TITLES[kind], "{} counts", RULE_TIPS[kind])
    return (Line((on, *own, None, *_COST)),)  # type: ignore[arg-type]


def goal_fields(goal: OrderGoal) -> Table:
    """Fields of a goal: its figure, and a limit or none."""
    quantity = QUANTITIES[goal.figure]
    most = goal.figure in LESS
    tip = f"Kept at {'most' if most else 'least'}; empty: made as good as can be"
    limit = Number("limit", quantity, "limit of {}", tip, optional=True, empty="best", wide=66)
    figure = OneOf("figure", lambda: FIGURES, "figure of {}", shown=FIGURE_TITLES)
    sign = Said("at most" if most else "at least", tip)
    return (line(figure, None, sign, limit, Unit(quantity), Remove("Remove this goal")),)


def new_rule(title: str) -> ShopRule:
    """A rule of a kind by its title."""
    kind = next(k for k in KINDS if RULE_TITLES[k] == title)
    return NEW_RULES[kind]

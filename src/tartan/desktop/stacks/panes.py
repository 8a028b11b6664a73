"""The panes of answers of the Stacks station, and what they are called."""

from __future__ import annotations

from tartan.desktop.stacks.couponpane import CouponPane
from tartan.desktop.stacks.envelope import EnvelopePane
from tartan.desktop.stacks.history import HistoryPane
from tartan.desktop.stacks.orderpane import OrderPane
from tartan.desktop.stacks.results import ResultsPane
from tartan.desktop.stacks.sharespane import SharesPane
from tartan.desktop.stacks.stiffness import StiffnessPane
from tartan.desktop.stacks.strength import StrengthPane
from tartan.desktop.stacks.sweeppane import SweepPane
from tartan.desktop.stacks.tubepane import TubePane

PANES = (
    "Stiffness",
    "Strength",
    "Envelope",
    "History",
    "Plies",
    "Tube",
    "Order",
    "Sweep",
    "Shares",
    "Coupon",
)


AnswerPane = (
    StiffnessPane
    | StrengthPane
    | EnvelopePane
    | HistoryPane
    | ResultsPane
    | TubePane
    | OrderPane
    | SweepPane
    | SharesPane
    | CouponPane
)

LONG = frozenset({"Stiffness", "Coupon"})
"""Panes that may be longer than their place."""

WORKING = (TubePane, OrderPane, SweepPane, CouponPane)
"""Panes that may have work under way beside the window."""

"""Plies, stacks, and the notation in which the trade writes them."""

from tartan.core.stack.plies import Ply, Stack, check_stack

__all__ = ["Ply", "Stack", "check_stack"]

"""What the command line says, and how it ends on bad input."""

from __future__ import annotations

import sys

import typer

from tartan.core.errors import TartanError

BAD_INPUT = 2


def say(text: str = "") -> None:
    """Write a line."""
    sys.stdout.write(text + "\n")


def refused(error: TartanError) -> typer.Exit:
    """Tell an error; what ends the command."""
    sys.stderr.write(f"tartan: {error}\n")
    return typer.Exit(BAD_INPUT)

"""The laminate: stiffness, constants, transverse shear and response to load."""

from tartan.core.laminate.stiffness import Laminate, make_laminate

__all__ = ["Laminate", "make_laminate"]

"""Sample data: a made-up mountain radio station. Materials are generic and no maker's."""

from __future__ import annotations

import dataclasses

from tartan.core.laminate.loadset import LoadSet
from tartan.core.materials import Material, isotropic
from tartan.core.shell.mesh import EDGES, Panel
from tartan.core.stack import Ply, Stack
from tartan.project.model import (
    USUAL,
    Acceleration,
    Case,
    CriteriaSet,
    DisplacementRequirement,
    Part,
    Pressure,
    Project,
    ReserveRequirement,
    Support,
)

_SOURCE = "generic, made up for the sample"

WOVEN = Material(
    "woven carbon", E1=62e9, E2=61e9, nu12=0.05, G12=4.2e9, G13=3.4e9, G23=3.3e9, rho=1520.0,
    ply_thickness=0.12e-3, alpha1=2.4e-6, alpha2=2.5e-6, Xt=440e6, Xc=355e6, Yt=425e6, Yc=345e6,
    S12=56e6, S13=48e6, S23=48e6, kind="woven", source=_SOURCE,
)  # fmt: skip
UNIDIRECTIONAL = Material(
    "UD carbon", E1=136e9, E2=8.9e9, nu12=0.31, G12=4.7e9, G13=4.7e9, G23=3.1e9, rho=1570.0,
    ply_thickness=0.08e-3, alpha1=-0.2e-6, alpha2=29e-6, Xt=2050e6, Xc=1240e6, Yt=52e6,
    Yc=190e6, S12=84e6, S13=84e6, S23=58e6, source=_SOURCE,
)  # fmt: skip
GLASS = Material(
    "woven glass", E1=23.5e9, E2=22.8e9, nu12=0.13, G12=3.6e9, G13=3.0e9, G23=2.9e9, rho=1880.0,
    ply_thickness=0.25e-3, alpha1=13e-6, alpha2=13.5e-6, Xt=395e6, Xc=345e6, Yt=380e6, Yc=330e6,
    S12=68e6, S13=48e6, S23=47e6, kind="woven", source=_SOURCE,
)  # fmt: skip
HONEYCOMB = Material(
    "honeycomb", E1=1.2e6, E2=0.9e6, nu12=0.3, G12=0.6e6, kind="core", G13=62e6, G23=36e6,
    E3=210e6, rho=64.0, ply_thickness=5e-3, alpha1=20e-6, alpha2=20e-6, S13=2.1e6, S23=1.3e6,
    source=_SOURCE,
)  # fmt: skip
ALUMINIUM = isotropic("aluminium", 71e9, 0.33, strength=310e6, rho=2760.0, ply_thickness=1e-3,
                      alpha=23e-6, source=_SOURCE)  # fmt: skip


def _sandwich(name: str, *face: tuple[Material, float]) -> Stack:
    """Core between two mirrored faces."""
    lower = tuple(Ply(m.name, angle, m.ply_thickness or 0.0) for m, angle in face)
    return Stack(name, (*lower, Ply(HONEYCOMB.name, 0.0, 5e-3), *lower[::-1]))


def dish_panel() -> Project:
    """Build the dish panel as released: it holds, with a little in hand."""
    return Project(
        name="Mountain station · dish panel",
        materials=(WOVEN, UNIDIRECTIONAL, GLASS, HONEYCOMB, ALUMINIUM),
        stacks=(
            _sandwich("reflector sandwich", (WOVEN, 45.0), (UNIDIRECTIONAL, 0.0),
                      (UNIDIRECTIONAL, 90.0)),
            _sandwich("light sandwich", (WOVEN, 45.0), (UNIDIRECTIONAL, 0.0)),
            Stack("feed strut", tuple(
                Ply(UNIDIRECTIONAL.name, a, 0.08e-3)
                for a in (0.0, 0.0, 45.0, -45.0, 90.0, 90.0, -45.0, 45.0, 0.0, 0.0)
            )),
        ),
        part=Part(Panel(1.6, 1.2, 9.0, 9.0), "reflector sandwich", 0.04),
        supports=(
            *(Support(edge, "held along z") for edge in EDGES),
            Support("left edge", "held along x"),
            Support("lower left corner", "held along y"),
        ),
        cases=(
            Case("operating wind", (Pressure(3200.0), Acceleration((0.0, 0.0, -9.81)))),
            Case("own weight", (Acceleration((0.0, 0.0, -9.81)),)),
        ),
        requirements=(ReserveRequirement(1.25), DisplacementRequirement(0.25e-3, "own weight")),
        load_sets=(
            LoadSet("gust, at the middle", (40e3, 26e3, 6e3, 180.0, 126.0, 22.0), Q=(4.6e3, 2.9e3),
                    stack="reflector sandwich"),
            LoadSet("ice, cold", (-12e3, -8e3, 0.0, 60.0, 48.0, 0.0), dT=-60.0,
                    stack="reflector sandwich"),
            LoadSet("sway", (140e3, 0.0, 9e3, 26.0, 0.0, 3.0), stack="feed strut"),
            LoadSet("sway, cold", (-80e3, 0.0, -9e3, -18.0, 0.0, 3.0), dT=-60.0,
                    stack="feed strut"),
            LoadSet("clamp", (0.0, 0.0, 0.0, 0.0, -6.0, 0.0), stack="feed strut"),
        ),
        criteria=(USUAL, CriteriaSet("first look", (
            ("ply", ("max_stress",)), ("woven", ("max_stress",)), ("isotropic", ("von_mises",)),
            ("core", ("core_shear",)),
        ))),
    )  # fmt: skip


def light_dish_panel() -> Project:
    """Build the same panel with the light sandwich: it does not hold."""
    project = dish_panel()
    assert project.part is not None
    part = dataclasses.replace(project.part, stack="light sandwich")
    return dataclasses.replace(project, name="Mountain station · light dish panel", part=part)


SAMPLES = {"dish panel": dish_panel, "light dish panel": light_dish_panel}
"""Sample projects by name."""

"""Sample data: a made-up mountain radio station. Materials are generic and no maker's."""

from __future__ import annotations

import dataclasses

from tartan.core.laminate.loadcase import LoadCase
from tartan.core.materials import Material, isotropic
from tartan.core.shell.mesh import Opening, Pad, Panel
from tartan.core.stack import Ply, Stack
from tartan.project.document.anchor_sample import anchor_plate
from tartan.project.document.cylinder_sample import air_cylinder
from tartan.project.document.model import USUAL, CriteriaSet, Project
from tartan.project.document.partmodel import (
    Acceleration,
    BucklingRequirement,
    Case,
    Combination,
    DisplacementRequirement,
    Force,
    FrequencyRequirement,
    MappedPressure,
    Near,
    Part,
    Pressure,
    PressureTable,
    Region,
    ReserveRequirement,
    Rung,
    Support,
    Temperature,
)
from tartan.project.document.radome_sample import radome_cap

_SOURCE = "generic, made up for the sample"

WOVEN = Material(
    "woven carbon",
    E1=62e9,
    E2=61e9,
    nu12=0.05,
    G12=4.2e9,
    G13=3.4e9,
    G23=3.3e9,
    rho=1520.0,
    fibre_share=0.65,
    ply_thickness=0.12e-3,
    alpha1=2.4e-6,
    alpha2=2.5e-6,
    Xt=440e6,
    Xc=355e6,
    Yt=425e6,
    Yc=345e6,
    S12=56e6,
    S13=48e6,
    S23=48e6,
    kind="woven",
    price=65.0,
    source=_SOURCE,
)
UNIDIRECTIONAL = Material(
    "UD carbon",
    E1=136e9,
    E2=8.9e9,
    nu12=0.31,
    G12=4.7e9,
    G13=4.7e9,
    G23=3.1e9,
    rho=1570.0,
    fibre_share=0.69,
    ply_thickness=0.08e-3,
    alpha1=-0.2e-6,
    alpha2=29e-6,
    Xt=2050e6,
    Xc=1240e6,
    Yt=52e6,
    Yc=190e6,
    S12=84e6,
    S13=84e6,
    S23=58e6,
    price=90.0,
    source=_SOURCE,
)
GLASS = Material(
    "woven glass",
    E1=23.5e9,
    E2=22.8e9,
    nu12=0.13,
    G12=3.6e9,
    G13=3.0e9,
    G23=2.9e9,
    rho=1880.0,
    fibre_share=0.68,
    ply_thickness=0.25e-3,
    alpha1=13e-6,
    alpha2=13.5e-6,
    Xt=395e6,
    Xc=345e6,
    Yt=380e6,
    Yc=330e6,
    S12=68e6,
    S13=48e6,
    S23=47e6,
    kind="woven",
    price=24.0,
    source=_SOURCE,
)
HONEYCOMB = Material(
    "honeycomb",
    E1=1.2e6,
    E2=0.9e6,
    nu12=0.3,
    G12=0.6e6,
    kind="core",
    G13=62e6,
    G23=36e6,
    E3=210e6,
    rho=64.0,
    ply_thickness=5e-3,
    alpha1=20e-6,
    alpha2=20e-6,
    S13=2.1e6,
    S23=1.3e6,
    Zc=4.2e6,
    cell_size=4.8e-3,
    price=180.0,
    source=_SOURCE,
)
ALUMINIUM = isotropic(
    "aluminium",
    71e9,
    0.33,
    strength=310e6,
    rho=2760.0,
    ply_thickness=1e-3,
    alpha=23e-6,
    source=_SOURCE,
)


def _sandwich(name: str, *face: tuple[Material, float]) -> Stack:
    """Core between two mirrored faces."""
    lower = tuple(Ply(m.name, angle, m.ply_thickness or 0.0) for m, angle in face)
    return Stack(name, (*lower, Ply(HONEYCOMB.name, 0.0, 5e-3), *lower[::-1]))


MOUNTS = (
    Pad("mount A", -0.52, 0.0, 0.18),
    Pad("mount B", 0.42, -0.34, 0.18),
    Pad("mount C", 0.42, 0.34, 0.18),
)
CUT_OUT = Opening("access cut-out", 0.0, 0.0, 0.32, 0.24)


def _wind(peak: float, lean: float) -> tuple[tuple[float, float, float, float], ...]:
    """Made-up wind pressure at a grid of points: highest inside, falling to the edges [Pa]."""
    rows = []
    for y in (-0.6, -0.3, 0.0, 0.3, 0.6):
        for x in (-0.8, -0.48, -0.16, 0.16, 0.48, 0.8):
            fall = 1 - 0.55 * (x / 0.8) ** 2 - 0.35 * (y / 0.6) ** 2
            p = peak * (fall + lean * x / 0.8)
            rows.append((x, y, round((x * x + y * y) / 18, 4), round(p, 1)))
    return tuple(rows)


def _lay_up(face: str, doubler: Material) -> tuple[Rung, ...]:
    """Two faces and a core, with doublers on the mounts between core and faces."""
    pads = [
        Rung("mounts", ply=Ply(doubler.name, a, doubler.ply_thickness or 0.0)) for a in (0.0, 90.0)
    ]
    core = Rung(ply=Ply(HONEYCOMB.name, 0.0, 16e-3))
    return (Rung(stack=face), *pads, core, *reversed(pads), Rung(stack=f"{face}, upper"))


def dish_panel() -> Project:
    """Build the dish panel as released: it holds, with a little in hand."""
    light = (Ply(WOVEN.name, 45.0, 0.12e-3), Ply(UNIDIRECTIONAL.name, 0.0, 0.08e-3))
    face = (*light, Ply(UNIDIRECTIONAL.name, 90.0, 0.08e-3))
    g = 9.81
    return Project(
        name="Mountain station · dish panel",
        materials=(WOVEN, UNIDIRECTIONAL, GLASS, HONEYCOMB, ALUMINIUM),
        stacks=(
            Stack("dish face", face),
            Stack("dish face, upper", face[::-1]),
            Stack("light face", light),
            Stack("light face, upper", light[::-1]),
            _sandwich(
                "reflector sandwich", (WOVEN, 45.0), (UNIDIRECTIONAL, 0.0), (UNIDIRECTIONAL, 90.0)
            ),
            _sandwich("light sandwich", (WOVEN, 45.0), (UNIDIRECTIONAL, 0.0)),
            Stack(
                "feed strut",
                tuple(
                    Ply(UNIDIRECTIONAL.name, a, 0.08e-3)
                    for a in (0.0, 0.0, 45.0, -45.0, 90.0, 90.0, -45.0, 45.0, 0.0, 0.0)
                ),
            ),
        ),
        part=Part(
            Panel(1.6, 1.2, 9.0, 9.0, (CUT_OUT,), MOUNTS),
            0.04,
            lay_up=_lay_up("dish face", UNIDIRECTIONAL),
            regions=(
                Region("mounts", faces=tuple(m.name for m in MOUNTS)),
                Region("rim of the cut-out", near=(Near(0.05, "access cut-out"),)),
            ),
        ),
        supports=(
            Support("mount A", "pinned"),
            Support("mount B", "held along z"),
            Support("mount B", "held along y"),
            Support("mount C", "held along z"),
        ),
        tables=(
            PressureTable("operating wind", _wind(42.0, 0.2)),
            PressureTable("survival wind", _wind(8400.0, 0.35)),
        ),
        cases=(
            Case("operating wind", (MappedPressure("operating wind"),)),
            Case("survival wind", (MappedPressure("survival wind"),)),
            Case("weight, dish upright", (Acceleration((0.0, -g, 0.0)),)),
            Case("weight, dish flat", (Acceleration((0.0, 0.0, -g)),)),
            Case("ice", (Pressure(650.0),)),
            Case("60 K colder", (Temperature(-60.0),)),
            Case(
                "lifting",
                (Force("upper edge", (0.0, 420.0, 160.0)), Acceleration((0.0, -2 * g, 0.0))),
            ),
        ),
        combinations=(
            Combination(
                "survival wind, iced and cold",
                (
                    ("survival wind", 1.0),
                    ("ice", 1.0),
                    ("weight, dish upright", 1.0),
                    ("60 K colder", 0.75),
                ),
            ),
        ),
        requirements=(
            ReserveRequirement(1.25),
            DisplacementRequirement(0.15e-3, "operating wind", "normal"),
            FrequencyRequirement(25.0),
            BucklingRequirement(2.0, "survival wind"),
        ),
        load_cases=(
            LoadCase(
                "gust, at the middle",
                (40e3, 26e3, 6e3, 180.0, 126.0, 22.0),
                Q=(4.6e3, 2.9e3),
                stack="reflector sandwich",
            ),
            LoadCase(
                "ice, cold",
                (-12e3, -8e3, 0.0, 60.0, 48.0, 0.0),
                dT=-60.0,
                stack="reflector sandwich",
            ),
            LoadCase("sway", (140e3, 0.0, 9e3, 26.0, 0.0, 3.0), stack="feed strut"),
            LoadCase(
                "sway, cold", (-80e3, 0.0, -9e3, -18.0, 0.0, 3.0), dT=-60.0, stack="feed strut"
            ),
            LoadCase("clamp", (0.0, 0.0, 0.0, 0.0, -6.0, 0.0), stack="feed strut"),
        ),
        criteria=(
            USUAL,
            CriteriaSet(
                "first look",
                (
                    ("ply", ("max_stress",)),
                    ("woven", ("max_stress",)),
                    ("isotropic", ("von_mises",)),
                    ("core", ("core_shear",)),
                ),
            ),
        ),
    )


def light_dish_panel() -> Project:
    """Build the same panel with the light sandwich: it does not hold."""
    project = dish_panel()
    assert project.part is not None
    rungs = _lay_up("light face", UNIDIRECTIONAL)
    part = dataclasses.replace(project.part, lay_up=rungs)
    return dataclasses.replace(project, name="Mountain station · light dish panel", part=part)


def breathing_air_cylinder() -> Project:
    """Build the crew's breathing-air cylinder: a wound vessel on a polymer liner."""
    return air_cylinder(UNIDIRECTIONAL)


def radome_cap_project() -> Project:
    """Build the cap of the station's radome, draped."""
    return radome_cap(GLASS)


def anchor_plate_project() -> Project:
    """The anchor plate of a guy rope: thick, drilled, with all that three dimensions need."""
    return anchor_plate(UNIDIRECTIONAL)


SAMPLES = {
    "dish panel": dish_panel,
    "light dish panel": light_dish_panel,
    "breathing-air cylinder": breathing_air_cylinder,
    "radome cap": radome_cap_project,
    "anchor plate": anchor_plate_project,
}
"""Sample projects by name."""

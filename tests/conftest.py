"""Shared materials and laminates; textbook or made-up values."""

from __future__ import annotations

import gc
from collections.abc import Iterator

import pytest
from hypothesis import settings

from tartan.core.laminate import Laminate, make_laminate
from tartan.core.materials import Material, isotropic
from tartan.core.stack import Ply, Stack
from tartan.project.analysis.engine import Engine


def pytest_collection_finish() -> None:
    """What was loaded stays to the end: looking through it again and again takes its time."""
    gc.collect()
    gc.freeze()


# What an example takes says nothing of it: machines differ, and cores are shared.
settings.register_profile("patient", deadline=None)
settings.load_profile("patient")

CARBON = Material(
    "carbon",
    140e9,
    9e9,
    0.3,
    4.8e9,
    G13=4.8e9,
    G23=3.2e9,
    rho=1580.0,
    ply_thickness=0.125e-3,
    alpha1=-0.3e-6,
    alpha2=28e-6,
    Xt=2.1e9,
    Xc=1.3e9,
    Yt=55e6,
    Yc=200e6,
    S12=85e6,
    S13=85e6,
    S23=60e6,
)
GLASS = Material(
    "glass",
    45e9,
    12e9,
    0.28,
    5e9,
    G13=5e9,
    G23=4.2e9,
    rho=2000.0,
    ply_thickness=0.25e-3,
    Xt=1.1e9,
    Xc=650e6,
    Yt=38e6,
    Yc=130e6,
    S12=70e6,
    S13=70e6,
    S23=45e6,
)
FOAM = Material(
    "foam",
    60e6,
    60e6,
    0.3,
    23e6,
    "core",
    G13=23e6,
    G23=15e6,
    rho=60.0,
    ply_thickness=10e-3,
    S13=0.8e6,
    S23=0.5e6,
)
STEEL = isotropic("steel", 210e9, 0.3, strength=250e6, rho=7850.0)
MATERIALS = {m.name: m for m in (CARBON, GLASS, FOAM, STEEL)}


def laminate(*plies: tuple[str, float, float], offset: float = 0.0) -> Laminate:
    """Laminate of (material, angle, thickness) rows."""
    stack = Stack("test", tuple(Ply(*p) for p in plies))
    return make_laminate(stack, MATERIALS, offset)


@pytest.fixture(scope="session")
def engine() -> Iterator[Engine]:
    """Two workers for all tests that only need some: starting them takes seconds."""
    with Engine(workers=2) as made:
        yield made


@pytest.fixture
def unsymmetric() -> Laminate:
    return laminate(("carbon", 0, 1e-3), ("glass", 30, 0.7e-3), ("carbon", -50, 0.4e-3))


@pytest.fixture
def sandwich() -> Laminate:
    return laminate(("carbon", 0, 1e-3), ("foam", 0, 20e-3), ("carbon", 0, 1e-3))

"""The library: generic materials to copy from, and those a user keeps for other projects.

The user's own are a table of materials (CSV) in the program's data folder; TARTAN_STATE moves it.
All generic figures are made up and no maker's.
"""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path

import platformdirs

from tartan.core.errors import DocumentError
from tartan.core.materials import Material, isotropic
from tartan.exchange.materials_table import read_materials, write_materials
from tartan.project.document.samples import ALUMINIUM, GLASS, HONEYCOMB, UNIDIRECTIONAL, WOVEN

_SOURCE = "generic, made up for the library"

GENERIC: tuple[Material, ...] = (
    UNIDIRECTIONAL,
    WOVEN,
    Material(
        "UD stiff carbon",
        E1=215e9,
        E2=7.1e9,
        nu12=0.29,
        G12=4.6e9,
        G13=4.6e9,
        G23=2.7e9,
        rho=1610.0,
        ply_thickness=0.1e-3,
        alpha1=-0.7e-6,
        alpha2=31e-6,
        Xt=1850e6,
        Xc=840e6,
        Yt=38e6,
        Yc=160e6,
        S12=68e6,
        S13=68e6,
        S23=48e6,
        source=_SOURCE,
    ),
    Material(
        "UD glass",
        E1=44e9,
        E2=11.5e9,
        nu12=0.27,
        G12=4.1e9,
        G13=4.1e9,
        G23=3.9e9,
        rho=1980.0,
        ply_thickness=0.2e-3,
        alpha1=6.8e-6,
        alpha2=27e-6,
        Xt=1080e6,
        Xc=640e6,
        Yt=41e6,
        Yc=135e6,
        S12=71e6,
        S13=71e6,
        S23=50e6,
        source=_SOURCE,
    ),
    GLASS,
    Material(
        "UD aramid",
        E1=77e9,
        E2=5.4e9,
        nu12=0.35,
        G12=2.0e9,
        G13=2.0e9,
        G23=1.8e9,
        rho=1370.0,
        ply_thickness=0.13e-3,
        alpha1=-3.8e-6,
        alpha2=62e-6,
        Xt=1320e6,
        Xc=275e6,
        Yt=29e6,
        Yc=135e6,
        S12=48e6,
        S13=48e6,
        S23=33e6,
        source=_SOURCE,
    ),
    Material(
        "UD flax",
        E1=32e9,
        E2=4.6e9,
        nu12=0.34,
        G12=1.9e9,
        G13=1.9e9,
        G23=1.6e9,
        rho=1310.0,
        ply_thickness=0.25e-3,
        alpha1=-1.2e-6,
        alpha2=74e-6,
        Xt=315e6,
        Xc=135e6,
        Yt=21e6,
        Yc=88e6,
        S12=36e6,
        S13=36e6,
        S23=26e6,
        source=_SOURCE,
    ),
    HONEYCOMB,
    Material(
        "foam, light",
        E1=72e6,
        E2=72e6,
        nu12=0.3,
        G12=27e6,
        kind="core",
        G13=27e6,
        G23=27e6,
        E3=72e6,
        rho=75.0,
        ply_thickness=10e-3,
        alpha1=35e-6,
        alpha2=35e-6,
        S13=1.1e6,
        S23=1.1e6,
        Zc=1.3e6,
        source=_SOURCE,
    ),
    Material(
        "foam, dense",
        E1=168e6,
        E2=168e6,
        nu12=0.3,
        G12=63e6,
        kind="core",
        G13=63e6,
        G23=63e6,
        E3=168e6,
        rho=145.0,
        ply_thickness=10e-3,
        alpha1=33e-6,
        alpha2=33e-6,
        S13=2.4e6,
        S23=2.4e6,
        Zc=3.1e6,
        source=_SOURCE,
    ),
    ALUMINIUM,
    isotropic(
        "steel",
        207e9,
        0.29,
        strength=345e6,
        rho=7840.0,
        ply_thickness=1e-3,
        alpha=11.6e-6,
        source=_SOURCE,
    ),
)
"""Generic materials of every kind."""


def own_file() -> Path:
    """File of the user's own materials."""
    base = os.environ.get("TARTAN_STATE") or platformdirs.user_data_dir("tartan")
    return Path(base) / "library.csv"


def own_materials() -> list[Material]:
    """Materials the user keeps; none when there is no file.

    Raises
    ------
    DocumentError
        When the file is damaged.
    """
    file = own_file()
    return read_materials(file) if file.exists() else []


def library() -> list[Material]:
    """All materials to copy from; the user's own stand before generic ones of the same name."""
    own = own_materials()
    taken = {m.name for m in own}
    return [*own, *(m for m in GENERIC if m.name not in taken)]


def keep(material: Material) -> None:
    """Keep a material in the user's library, in place of one of the same name.

    Raises
    ------
    DocumentError
        When the library cannot be read or written.
    """
    own = [m for m in own_materials() if m.name != material.name]
    file = own_file()
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise DocumentError(
            "The folder cannot be made.", str(file.parent), "Check its permissions."
        ) from error
    write_materials([*own, replace(material)], file)


def newer(material: Material) -> Material | None:
    """The library's material of the same name, when it differs."""
    found = next((m for m in library() if m.name == material.name), None)
    return found if found is not None and found != material else None

"""Ply materials: elastic constants, strengths, physical data, and their admissibility.

Symbols follow CMH-17 Volume 3; strengths are positive numbers.
"""

from __future__ import annotations

import dataclasses
import math
from dataclasses import dataclass
from typing import Literal

from tartan.core.bounds import MATERIAL, UNITS
from tartan.core.errors import MaterialError

Kind = Literal["ply", "woven", "isotropic", "core", "filler"]

ISOTROPIC: tuple[Kind, ...] = ("isotropic", "filler")
"""Kinds that are alike in all directions."""


@dataclass(frozen=True)
class Material:
    """One material record; it serves every analysis.

    Attributes
    ----------
    name : str
        Unique within a project.
    kind : {"ply", "woven", "isotropic", "core", "filler"}
        Chooses the failure criteria by default; a woven ply carries fibres along 1 and 2. An
        isotropic material is written out in all fields, so that every analysis reads the same
        record. A filler is isotropic resin between plies, which nothing judges by default.
    E1, E2, G12 : float
        In-plane moduli [Pa].
    nu12 : float
        Major Poisson's ratio (contraction along 2 under stress along 1) [1].
    G13, G23 : float, optional
        Transverse shear moduli [Pa]; needed by shear stiffness and shells.
    E3 : float, optional
        Modulus through the thickness [Pa].
    nu13, nu23 : float, optional
        Poisson's ratios through the thickness [1].
    rho : float, optional
        Density [kg/m³].
    price : float, optional
        Price per mass, in any currency [1/kg].
    ply_thickness : float, optional
        Cured ply thickness offered for new plies [m].
    fibre_share : float, optional
        Mass of the fibres over the mass of the ply; the rest is matrix [1].
    alpha1, alpha2, alpha3 : float
        Thermal expansion [1/K]; alpha3 equals alpha2 while it is empty.
    beta1, beta2 : float
        Moisture expansion per unit moisture content [1].
    Xt, Xc, Yt, Yc : float, optional
        Strengths along 1 and 2, tension and compression [Pa].
    S12, S13, S23 : float, optional
        Shear strengths [Pa].
    f12_star : float
        Normalised Tsai–Wu interaction F12/√(F11·F22) [1].
    hashin_alpha : float
        Weight of shear in Hashin's fibre tension mode [1].
    p_nl_t, p_nl_c : float
        Puck's inclinations p⊥∥ at zero transverse stress, tension and compression [1].
    wrinkling_k : float
        Of a core: knocked-down factor of the thick-core wrinkling formula, 0.91 at most [1].
    locking : float, optional
        Of a fabric: shear at which its yarns lock [deg].
    cell_size : float, optional
        Of a honeycomb core: width of a cell across its flats [m].
    Zc : float, optional
        Of a core: compressive strength through the thickness [Pa].
    eXt, eXc, eYt, eYc, eS12 : float, optional
        Strain allowables [1]; those left empty follow from strength and modulus.
    source : str
        Where the figures come from.
    """

    name: str
    E1: float
    E2: float
    nu12: float
    G12: float
    kind: Kind = "ply"
    G13: float | None = None
    G23: float | None = None
    E3: float | None = None
    nu13: float | None = None
    nu23: float | None = None
    rho: float | None = None
    price: float | None = None
    ply_thickness: float | None = None
    fibre_share: float | None = None
    alpha1: float = 0.0
    alpha2: float = 0.0
    alpha3: float | None = None
    beta1: float = 0.0
    beta2: float = 0.0
    Xt: float | None = None
    Xc: float | None = None
    Yt: float | None = None
    Yc: float | None = None
    S12: float | None = None
    S13: float | None = None
    S23: float | None = None
    f12_star: float = -0.5
    hashin_alpha: float = 1.0
    p_nl_t: float = 0.35
    p_nl_c: float = 0.30
    wrinkling_k: float = 0.5
    locking: float | None = None
    cell_size: float | None = None
    Zc: float | None = None
    eXt: float | None = None
    eXc: float | None = None
    eYt: float | None = None
    eYc: float | None = None
    eS12: float | None = None
    source: str = ""

    def need(self, field: str, purpose: str) -> float:
        """Value of an optional field, or an error that names material, field and purpose.

        Raises
        ------
        MaterialError
            When the field is empty.
        """
        value = getattr(self, field)
        if value is None:
            raise MaterialError(
                f"{field} ({FIELD_NAMES[field]}) is missing; {purpose} needs it.",
                f"Material '{self.name}', {field}",
                f"Enter {field} in Materials.",
            ).of(self.name)
        return float(value)


FIELD_NAMES: dict[str, str] = {
    "E1": "modulus along the fibre",
    "E2": "modulus across the fibre",
    "E3": "modulus through the thickness",
    "nu13": "Poisson's ratio in the plane 13",
    "nu23": "Poisson's ratio in the plane 23",
    "nu12": "major Poisson's ratio",
    "G12": "in-plane shear modulus",
    "G13": "transverse shear modulus along 1",
    "G23": "transverse shear modulus along 2",
    "rho": "density",
    "price": "price per mass",
    "ply_thickness": "cured ply thickness",
    "fibre_share": "mass of fibres over mass of the ply",
    "alpha1": "thermal expansion along 1",
    "alpha2": "thermal expansion along 2",
    "alpha3": "thermal expansion along 3",
    "beta1": "moisture expansion along 1",
    "beta2": "moisture expansion along 2",
    "Xt": "tensile strength along 1",
    "Xc": "compressive strength along 1",
    "Yt": "tensile strength along 2",
    "Yc": "compressive strength along 2",
    "S12": "in-plane shear strength",
    "S13": "transverse shear strength along 1",
    "S23": "transverse shear strength along 2",
    "f12_star": "Tsai–Wu interaction",
    "hashin_alpha": "weight of shear in fibre tension",
    "p_nl_t": "Puck inclination p⊥∥ in tension",
    "p_nl_c": "Puck inclination p⊥∥ in compression",
    "wrinkling_k": "wrinkling factor",
    "locking": "shear at which the yarns lock",
    "cell_size": "width of a honeycomb cell",
    "Zc": "compressive strength through the thickness",
    "eXt": "tensile strain allowable along 1",
    "eXc": "compressive strain allowable along 1",
    "eYt": "tensile strain allowable along 2",
    "eYc": "compressive strain allowable along 2",
    "eS12": "in-plane shear strain allowable",
}
"""Plain name of every number of a material, by field."""

_POSITIVE = (
    "E1",
    "E2",
    "E3",
    "G12",
    "G13",
    "G23",
    "rho",
    "price",
    "ply_thickness",
    "fibre_share",
    "Xt",
    "Xc",
    "Yt",
    "Yc",
    "S12",
    "S13",
    "S23",
    "wrinkling_k",
    "locking",
    "cell_size",
    "Zc",
    "eXt",
    "eXc",
    "eYt",
    "eYc",
    "eS12",
)

ELASTIC_FIELDS = (
    "E1",
    "E2",
    "nu12",
    "G12",
    "G13",
    "G23",
    "rho",
    "alpha1",
    "alpha2",
    "beta1",
    "beta2",
)
"""Fields a shell solution depends on; all others can change without a new solve."""

OPTIONAL = {f.name for f in dataclasses.fields(Material) if f.default is None}


@dataclass(frozen=True)
class Finding:
    """A field of a material that cannot stand as it is: field, what is wrong, what to do."""

    field: str
    what: str
    mend: str


def findings(material: Material) -> list[Finding]:
    """Check a material field by field.

    Positive moduli, densities and strengths; every number finite; ``nu12² < E1/E2``, without
    which the compliance is not positive definite (R. M. Jones, Mechanics of Composite
    Materials, 2nd ed., eq. 2.56); ``|f12_star| < 1``, without which the Tsai–Wu surface is open.

    Returns
    -------
    list of Finding
        Empty when the material is admissible.
    """
    found = []
    for name, words in FIELD_NAMES.items():
        value = getattr(material, name)
        if value is None:
            empty = Finding(name, f"{name} ({words}) is empty.", "Enter a number.")
            found += [] if name in OPTIONAL else [empty]
        elif not math.isfinite(value):
            found.append(Finding(name, f"{name} is not a finite number.", "Enter a number."))
        elif name in _POSITIVE and value <= 0:
            what = f"{name} ({words}) must be greater than zero, it is {value:g}."
            found.append(Finding(name, what, "Enter a positive value."))
        elif name in MATERIAL and not MATERIAL[name][0] <= value <= MATERIAL[name][1]:
            low, high = (f"{v:g}{UNITS.get(name, '')}" for v in MATERIAL[name])
            what = f"{name} ({words}) is {value:g}{UNITS.get(name, '')}, beyond {low} to {high}."
            found.append(Finding(name, what, "Check its unit."))
    if not found and material.nu12**2 >= material.E1 / material.E2:
        limit = math.sqrt(material.E1 / material.E2)
        what = (
            f"nu12 = {material.nu12:g} is not admissible: nu12² must be less than E1/E2 "
            f"({material.E1 / material.E2:.4g})."
        )
        found.append(Finding("nu12", what, f"Keep nu12 below {limit:.4g}, or check E1 and E2."))
    if not found:
        found += _spatial(material)
    if all(f.field != "f12_star" for f in found) and abs(material.f12_star) >= 1:
        what = f"f12_star (F12*) = {material.f12_star:g} leaves the Tsai–Wu surface open."
        found.append(Finding("f12_star", what, "Keep F12* between -1 and 1; -0.5 is usual."))
    return found


def _spatial(material: Material) -> list[Finding]:
    """Check the three-dimensional constants as far as they are entered.

    The compliance must be positive definite (R. M. Jones, eqs. 2.55–2.57).
    """
    E1, E2, E3 = material.E1, material.E2, material.E3
    n12, n13, n23 = material.nu12, material.nu13, material.nu23
    if E3 is None:
        return []
    for name, value, E in (("nu13", n13, E1), ("nu23", n23, E2)):
        if value is not None and value**2 >= E / E3:
            what = (
                f"{name} = {value:g} is not admissible: its square must be less than {E / E3:.4g}."
            )
            return [Finding(name, what, "Lower it, or check the moduli.")]
    if n13 is None or n23 is None:
        return []
    rest = 1 - n12**2 * E2 / E1 - n13**2 * E3 / E1 - n23**2 * E3 / E2
    if rest - 2 * n12 * n13 * n23 * E3 / E1 <= 0:
        what = "nu12, nu13 and nu23 are not admissible together: the compliance is not positive."
        return [Finding("nu23", what, "Lower one of them.")]
    return []


def checked(material: Material) -> Material:
    """Return the material, or raise on the first finding.

    Raises
    ------
    MaterialError
        With the field in `where`.
    """
    for finding in findings(material):
        where = f"Material '{material.name}', {finding.field}"
        raise MaterialError(finding.what, where, finding.mend).of(material.name)
    return material


def isotropic(  # noqa: PLR0913 - a material has this many figures
    name: str,
    E: float,
    nu: float,
    *,
    strength: float | None = None,
    rho: float | None = None,
    ply_thickness: float | None = None,
    alpha: float = 0.0,
    source: str = "",
) -> Material:
    """Make an isotropic material.

    Parameters
    ----------
    name : str
        Unique name.
    E : float
        Young's modulus [Pa].
    nu : float
        Poisson's ratio, -1 < nu < 0.5 [1].
    strength : float, optional
        Stress that von Mises is held against [Pa].
    rho : float, optional
        Density [kg/m³].
    ply_thickness : float, optional
        Usual layer thickness [m].
    alpha : float
        Thermal expansion [1/K].
    source : str
        Where the figures come from.

    Raises
    ------
    MaterialError
        When nu is outside the admissible range.
    """
    if not -1 < nu < 0.5:
        raise MaterialError(
            f"nu12 = {nu:g} is outside -1 … 0.5.",
            f"Material '{name}', nu12",
            "Metals lie between 0.25 and 0.35.",
        ).of(name)
    G = E / (2 * (1 + nu))
    return Material(
        name,
        E,
        E,
        nu,
        G,
        "isotropic",
        G13=G,
        G23=G,
        E3=E,
        nu13=nu,
        nu23=nu,
        rho=rho,
        alpha3=alpha,
        ply_thickness=ply_thickness,
        alpha1=alpha,
        alpha2=alpha,
        Xt=strength,
        Xc=strength,
        Yt=strength,
        Yc=strength,
        source=source,
    )


_ALIKE = (
    ("E1", "E2", "E3"),
    ("nu12", "nu13", "nu23"),
    ("Xt", "Xc", "Yt", "Yc"),
    ("alpha1", "alpha2", "alpha3"),
)
"""Fields that are one in an isotropic material; the first leads."""


def replace_value(material: Material, field: str, value: float | str | None) -> Material:
    """Material with one field changed; an isotropic one stays isotropic in all its fields.

    Raises
    ------
    MaterialError
        When the result is not admissible.
    """
    changed = dataclasses.replace(material, **{field: value})  # type: ignore[arg-type]
    if changed.kind not in ISOTROPIC:
        return checked(changed)
    if field in ("G12", "G13", "G23"):
        raise MaterialError(
            f"{field} follows from E and ν in an isotropic material.",
            f"Material '{material.name}', {field}",
            "Change E1 or nu12, or its kind.",
        ).of(material.name)
    lead = next((group[0] for group in _ALIKE if field in group), field)
    changed = dataclasses.replace(changed, **{lead: value})  # type: ignore[arg-type]
    checked(dataclasses.replace(changed, kind="ply"))
    made = isotropic(
        changed.name, changed.E1, changed.nu12, strength=changed.Xt, alpha=changed.alpha1
    )
    alike = {f: getattr(made, f) for group in _ALIKE for f in group}
    return checked(dataclasses.replace(changed, G12=made.G12, G13=made.G13, G23=made.G23, **alike))

"""Tartan: design and substantiation of composite laminates and shells.

The common things stand here under one name each, such as ``tartan.Material`` and
``tartan.first_failure``; each is imported when it is first asked for.
"""

from importlib import import_module
from typing import Any

__version__ = "0.1.0"

_HOMES = {
    "core.materials": ("Material",),
    "core.stack": ("Ply", "Stack"),
    "core.stack.notation": ("Context", "parse"),
    "core.stack.notation_written": ("write",),
    "core.laminate": ("Laminate", "make_laminate"),
    "core.laminate.response": ("Load", "respond"),
    "core.laminate.loadcase": ("LoadCase",),
    "core.criteria": ("criterion", "written"),
    "core.strength.reserve": ("first_failure",),
    "core.strength.govern": ("govern",),
    "core.strength.critical": ("critical_loads",),
    "core.strength.envelope": ("envelope",),
    "core.strength.progressive": ("ply_discount",),
    "core.strength.sandwich": ("check_sandwich",),
    "core.vessel.cylinder": ("CylinderLoad", "thick_cylinder", "thin_resultants"),
    "core.laminate.tube": ("TubeLoad",),
    "core.vessel.tube": ("first_burst", "last_burst", "growth", "thick_wall"),
    "core.vessel.tube_buckling": ("tube_buckling",),
    "core.vessel.isotensoid": ("Isotensoid",),
    "core.vessel.meridian": ("Ellipsoid", "Torisphere", "Profile", "membrane_forces"),
    "core.vessel.netting": ("netting", "netting_stress"),
    "core.vessel.winding": ("Helical", "WoundDome"),
    "core.working_strength": ("reserve_working",),
    "project.files.storage": ("load", "save"),
    "project.analysis.shellinputs": ("part_inputs",),
    "project.analysis.jobs": ("solve_now",),
    "project.findings.verdict": ("verdict",),
}
_WHERE = {name: home for home, names in _HOMES.items() for name in names}

__all__ = ["__version__", *sorted(_WHERE)]  # noqa: PLE0604 - the names are texts


def __getattr__(name: str) -> Any:
    if name not in _WHERE:
        raise AttributeError(f"module 'tartan' has no attribute '{name}'")
    found = getattr(import_module(f"tartan.{_WHERE[name]}"), name)
    globals()[name] = found
    return found


def __dir__() -> list[str]:
    return __all__

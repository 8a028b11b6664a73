"""What a sizing made of every zone, and what keeps each from being thinner."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tartan.project.analysis.inputs import Layout, layout_of, part_inputs
from tartan.project.analysis.sized import effect, part_of
from tartan.project.document.sizingmodel import SizeZone
from tartan.project.findings.size_points import Sizing


def zones_found(sizing: Sizing, point: Sequence[float]) -> tuple[SizeZone, ...]:
    """Zones of a solid design: thickness before and after, and what could make each thinner.

    Places where the same plies lie are one zone here, also where they were wound or draped into
    many: what may change is the same in all of them.

    Parameters
    ----------
    sizing : Sizing
        What is sized.
    point : sequence of float
        One value a group, of whole plies.

    Raises
    ------
    TartanError
        Where the design cannot be laid.
    """
    design = sizing.design(point, solid=True)
    after = layout_of(part_inputs(design.project))
    old = _thickness(layout_of(part_inputs(sizing.project)))
    new, areas = _thickness(after), after.mesh.areas()
    thins = [
        {
            n
            for n, grows in enumerate(
                effect(
                    sizing.project, design, after, [sizing.variables[v] for v in group]
                ).thickness
            )
            if grows
        }
        for group in sizing.groups
    ]
    lay_up = part_of(design.project).lay_up
    same: dict[tuple[int, ...], list[int]] = {}
    for number, plies in enumerate(after.zones.plies):
        same.setdefault(plies, []).append(number)
    found = []
    for plies, numbers in same.items():
        where = np.isin(after.zones.zone, numbers)
        if not where.any():
            continue
        regions = dict.fromkeys(
            lay_up[after.laid[n].rung].region for n in plies if lay_up[after.laid[n].rung].region
        )
        share = areas[where] / areas[where].sum()
        found.append(
            SizeZone(
                _numbered(numbers) + (f" ({', '.join(regions)})" if regions else ""),
                float(share @ old[where]),
                float(share @ new[where]),
                tuple(k for k, own in enumerate(thins) if own & set(plies)),
            )
        )
    return tuple(found)


def _numbered(zones: Sequence[int]) -> str:
    """Zones as they are numbered beside the part."""
    first = zones[0] + 1
    return f"zone {first}" if len(zones) == 1 else f"zone {first} and {len(zones) - 1} like it"


def _thickness(layout: Layout) -> NDArray[np.float64]:
    """Thickness of the laminate at every element, shape (m,) [m]."""
    return np.array([x.thickness for x in layout.zones.laminates])[layout.zones.zone]

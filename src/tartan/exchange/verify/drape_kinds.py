"""Nets draped on surfaces given by equations: joints, shear, areas of a solved case.

A net of finite cells is off by the square of their size; three nets of halved cells give the limit
(L. F. Richardson, Phil. Trans. R. Soc. A 226 (1927) 299–361).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.drape.net import Net, drape
from tartan.core.drape.pattern import NetFinder, area_of
from tartan.core.drape.surface import Level, cone, cylinder, graph, sphere
from tartan.core.errors import PartError
from tartan.exchange.verify.reading import Inputs, NotYetError, number, numbers

Array = NDArray[np.float64]

CELLS = (8, 16, 32)
"""Cells from the start to a place, net by net."""

BOX = 64
"""Cells of a box along each side."""

OVER = 2
"""Cells beyond a place, so that its directions are central."""


def _surface(given: Inputs) -> Level:
    kind = given.get("type")

    def read(*names: str) -> list[float]:
        return [number(given.get(n), f"surface, {n}") for n in names]

    if kind == "sphere":
        return sphere(*read("R"))
    if kind == "cylinder":
        return cylinder(*read("R"))
    if kind == "cone":
        return cone(math.radians(*read("half_angle_deg")))
    if kind == "bump":
        H, s = read("H", "s")

        def bump(x: Array, y: Array) -> tuple[Array, Array, Array]:
            z = H * np.exp(-(x * x + y * y) / (2 * s * s))
            return z, -z * x / s**2, -z * y / s**2

        return graph(bump)
    if kind == "saddle":
        (c,) = read("c")
        return graph(lambda x, y: (c * x * y, c * y, c * x))
    if kind == "paraboloid":
        (c,) = read("c")
        return graph(lambda x, y: (c * (x * x + y * y), 2 * c * x, 2 * c * y))
    if kind == "quadric":
        a, b, c = read("a", "b", "c")
        return graph(
            lambda x, y: (a * x * x + b * x * y + c * y * y, 2 * a * x + b * y, b * x + 2 * c * y)
        )
    raise NotYetError(f"surface {kind}")


class _Case:
    """Surface, start and warp of a case."""

    def __init__(self, inputs: Inputs) -> None:
        self.surface = _surface(inputs.get("surface", {}))
        self.start = np.array(numbers(inputs.get("start"), 3, "start"))
        self.reference = np.array(numbers(inputs.get("reference"), 3, "reference"))
        found = self.surface.foot(self.start[None], np.array([-1]))
        angle = math.radians(number(inputs.get("warp_angle_deg", 0.0), "warp_angle_deg"))
        n = found.normal[0]
        along = self._along(n[None])[0]
        self.warp = math.cos(angle) * along + math.sin(angle) * np.cross(n, along)

    def _along(self, normals: Array) -> Array:
        """Reference projected at places, shape (q, 3)."""
        way = self.reference - (normals @ self.reference)[:, None] * normals
        size = np.linalg.norm(way, axis=1, keepdims=True)
        if not (size > 1e-9).all():
            raise PartError(
                "The reference is normal to the surface.", "Draping, reference", "Choose another."
            )
        return np.asarray(way / size)

    def net(self, ends: tuple[float, float], cells: int) -> tuple[Net, int, int]:
        """Net to a place by its yarn lengths, and the numbers of its joint."""
        u, v = ends
        cell = tuple(abs(x) / cells if x else 1.0 for x in ends)
        if not u or not v:
            # On one of the yarns through the start: cells across are as long as along.
            cell = (max(abs(u), abs(v)) / cells,) * 2
        counts = [OVER] * 4
        for k, x in enumerate(ends):
            counts[2 * k + (x < 0)] += cells if x else 0
        made = drape(self.surface, self.start, self.warp, (cell[0], cell[1]), tuple(counts))  # type: ignore[arg-type]
        i, j = (made.start[k] + int(np.sign(x)) * (cells if x else 0) for k, x in enumerate(ends))
        return made, i, j

    def at(self, ends: tuple[float, float], cells: int) -> Array:
        """Place, yarn angle and fibre angle there, as five numbers [m, deg]."""
        made, i, j = self.net(ends, cells)
        n = made.normals[i, j]
        along, warp = self._along(n[None])[0], made.along(0)[i, j]
        fibre = math.degrees(math.atan2(float(np.cross(along, warp) @ n), float(along @ warp)))
        return np.array([*made.places[i, j], made.yarn_angle()[i, j], fibre])

    def box(self, sides: tuple[float, float], cells: int, *, all_round: bool) -> Net:
        """Net over a box from the start, or over it in all four quarters."""
        U, V = sides
        back = cells + OVER if all_round else OVER
        counts = (cells + OVER, back, cells + OVER, back)
        return drape(self.surface, self.start, self.warp, (U / cells, V / cells), counts)


def _limit(found: Callable[[int], Array]) -> Array:
    """Limit of what nets of halved cells give."""
    coarse, middle, fine = (found(n) for n in CELLS)
    first, second = middle + (middle - coarse) / 3, fine + (fine - middle) / 3
    return np.asarray(second + (second - first) / 15)


def drape_case(inputs: Inputs) -> dict[str, Any]:
    """Answer a case of the kind `drape`.

    Raises
    ------
    PartError
        Where surface, start or warp make no sense, or a net does not reach a place.
    """
    case = _Case(inputs)
    answers: dict[str, Any] = {}
    points = [tuple(numbers(p, 2, "points")) for p in inputs.get("points", ())]
    if points:
        rows = np.array([_limit(lambda n, p=p: case.at(p, n)) for p in points])  # type: ignore[misc]
        if not np.isfinite(rows).all():
            raise PartError(
                "The yarns do not reach a place.", "Draping, points", "Choose one nearer."
            )
        answers["position"] = rows[:, :3].tolist()
        answers["yarn_angle"] = rows[:, 3].tolist()
        answers["shear"] = (90.0 - rows[:, 3]).tolist()
        answers["fibre_angle"] = rows[:, 4].tolist()
        answers["thickness_factor"] = (1 / np.sin(np.radians(rows[:, 3]))).tolist()
    if "box" in inputs:
        U, V = numbers(inputs["box"], 2, "box")
        answers |= _box(case, (U, V))
    if "region" in inputs:
        answers |= _region(case, inputs)
    return answers


def _box(case: _Case, sides: tuple[float, float]) -> dict[str, float]:
    U, V = sides
    shear = case.box(sides, BOX, all_round=True).shear()[OVER:-OVER, OVER:-OVER]

    def area(cells: int) -> Array:
        made = case.box(sides, cells, all_round=False)
        sine = np.sin(np.radians(made.yarn_angle()))[OVER:-OVER, OVER:-OVER]
        return np.array([np.trapezoid(np.trapezoid(sine, dx=V / cells), dx=U / cells)])

    return {
        "max_shear": float(np.abs(shear).max()),
        "box_flat_area": U * V,
        "box_surface_area": float(_limit(area)[0]),
    }


def _region(case: _Case, inputs: Inputs) -> dict[str, float]:
    given, surface = inputs["region"], inputs.get("surface", {})
    kind = surface.get("type")
    if kind == "sphere":
        R = number(surface.get("R"), "surface, R")
        theta = math.radians(number(given.get("polar_angle_deg"), "region, polar_angle_deg"))
        flat = _limit(lambda n: np.array([_cap(case, R, theta, n)]))
        return {
            "region_surface_area": 2 * math.pi * R * R * (1 - math.cos(theta)),
            "region_flat_area": float(flat[0]),
        }
    turn = math.radians(number(given.get("angle_deg"), "region, angle_deg"))
    if kind == "cylinder":
        area = number(surface.get("R"), "surface, R") * turn
        area *= number(given.get("length"), "region, length")
    elif kind == "cone":
        half = math.radians(number(surface.get("half_angle_deg"), "surface, half_angle_deg"))
        low, high = numbers(given.get("z"), 2, "region, z")
        area = abs(high**2 - low**2) / 2 * turn * math.sin(half) / math.cos(half) ** 2
    else:
        raise NotYetError(f"region of a {kind}")
    # A developable surface is its own flat pattern: no yarn shears on it.
    return {"region_surface_area": area, "region_flat_area": area}


def _cap(case: _Case, R: float, theta: float, cells: int) -> float:
    """Area of the flat pattern of a cap about the start."""
    # As a net is sheared its yarns reach a circle about the start at most after a right angle's
    # share more than its radius.
    reach = 1.25 * R * theta
    side = reach / (2 * cells)
    made = drape(case.surface, case.start, case.warp, (side, side), (2 * cells + OVER,) * 4)
    up = case.start / np.linalg.norm(case.start)
    across = case.warp
    third = np.cross(up, across)
    a = np.linspace(0.0, 2 * math.pi, 40 * cells, endpoint=False)[:, None]
    ring = math.cos(theta) * up + math.sin(theta) * (np.cos(a) * across + np.sin(a) * third)
    lengths = NetFinder(made).at(R * ring).lengths
    if not np.isfinite(lengths).all():
        raise PartError(
            "The net does not cover the region.", "Draping, region", "Choose a smaller one."
        )
    return area_of(lengths)

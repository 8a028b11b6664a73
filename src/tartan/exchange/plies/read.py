"""Reading a ply layout, and laying it by place on the elements of a mesh."""

from __future__ import annotations

import gc
import json
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ValidationError

from tartan.core.errors import DocumentError, PartError
from tartan.core.shell.crossings import crossing
from tartan.core.shell.outlines import Outline
from tartan.core.shell.within import Locator
from tartan.exchange.plies.form import FORMAT, SCHEMA, SUFFIX, Entry, PlyLayout, points_of

Array = NDArray[np.float64]
Index = NDArray[np.int64]

MOST_BYTES = 1_000_000_000
"""Longest file that is read."""

FAR = 0.05
"""How far off the surface a layout may lie, as a share of the part's size."""

OUT_OF_MEASURE = 1e7
"""Coordinate that no part has [m]."""

THREADS = 2

_NONE = np.zeros(0, np.int64)


@dataclass(frozen=True, eq=False)
class Placement:
    """A layout moved in space so that three of its places come to three of the part's.

    Attributes
    ----------
    turn : ndarray, shape (3, 3)
        Rotation.
    shift : ndarray, shape (3,)
        What is added after it [m].
    """

    turn: Array
    shift: Array

    def place(self, points: Array) -> Array:
        """Points moved, shape (q, 3) [m]."""
        return np.asarray(points @ self.turn.T + self.shift)

    def way(self, vectors: Array) -> Array:
        """Directions turned, shape (q, 3)."""
        return np.asarray(vectors @ self.turn.T)


STAY = Placement(np.eye(3), np.zeros(3))


def placement_of(own: Array, there: Array) -> Placement:
    """The movement that brings three points to three others, shapes (3, 3) [m].

    Source: S. Umeyama, IEEE Trans. Pattern Anal. 13 (1991) 376–380, without its scale.

    Raises
    ------
    PartError
        Where three points lie on a line, or the triangles are of other sizes.
    """
    own, there = np.asarray(own, float), np.asarray(there, float)
    sizes = [np.linalg.norm(np.roll(x, -1, axis=0) - x, axis=1) for x in (own, there)]
    longest = float(max(sizes[0].max(), sizes[1].max(), 1e-300))
    for x in (own, there):
        if not np.linalg.norm(np.cross(x[1] - x[0], x[2] - x[0])) > 1e-6 * longest**2:
            raise PartError(
                "The three points lie on one line.",
                "Placement",
                "Choose three that span a triangle.",
            )
    off = float(np.abs(sizes[0] - sizes[1]).max())
    if off > 0.01 * longest:
        raise PartError(
            f"The three points are not the same: their distances differ by up to {off:.4g} m.",
            "Placement",
            "Check the points, and the unit of the file.",
        )
    a, b = own - own.mean(axis=0), there - there.mean(axis=0)
    u, _, vt = np.linalg.svd(b.T @ a)
    sign = np.diag([1.0, 1.0, float(np.sign(np.linalg.det(u @ vt)))])
    turn = u @ sign @ vt
    return Placement(turn, there.mean(axis=0) - turn @ own.mean(axis=0))


def read_layout(path: Path) -> PlyLayout:
    """Read a ply layout.

    Raises
    ------
    DocumentError
        When it is none, damaged or newer, or its lists do not belong together; the message names
        the place.
    """
    try:
        if path.stat().st_size > MOST_BYTES:
            raise DocumentError(
                "The file is longer than a layout can be.", path.name, "Choose another."
            )
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise DocumentError(
            "It cannot be read as text.", path.name, f"Choose a file that ends in {SUFFIX}."
        ) from error
    return layout_from(text, path.name)


def layout_from(text: str, where: str) -> PlyLayout:
    """Read a ply layout from its text.

    Raises
    ------
    DocumentError
        As `read_layout`.
    """
    try:
        # At once and fast; only what fails is looked at closely, for its words.
        with _uncollected():
            layout = PlyLayout.model_validate_json(text)
    except ValidationError:
        layout = _looked_at(text, where)
    _check_form(layout.form, where)
    for number, entry in enumerate(layout.plies, start=1):
        _check_entry(layout, entry, f"{where}, {entry_title(entry, number)}")
    return layout


@contextmanager
def _uncollected() -> Iterator[None]:
    """No search for rings of garbage meanwhile: it would go through all points, many times."""
    on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if on:
            gc.enable()


def _check_form(version: int, where: str) -> None:
    if version > SCHEMA:
        raise DocumentError(
            f"It is of a later form (schema {version}, this program reads {SCHEMA}).",
            where,
            "Have it written in that form, or read it with a newer Tartan.",
        )


def _looked_at(text: str, where: str) -> PlyLayout:
    """A layout from text that is damaged, none, newer or wrong somewhere: said which."""
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        line, column = getattr(error, "lineno", 1), getattr(error, "colno", 1)
        raise DocumentError(
            f"The file is damaged at line {line}, column {column}.", where, "Ask for it anew."
        ) from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise DocumentError(
            "This is not a ply layout.", where, f'Choose a file whose "format" is "{FORMAT}".'
        )
    version = data.get("schema")
    if isinstance(version, int) and not isinstance(version, bool):
        _check_form(version, where)
    try:
        return PlyLayout.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = " → ".join(str(x + 1 if isinstance(x, int) else x) for x in first["loc"])
        raise DocumentError(
            f"{place}: {first['msg']}.", where, "Mend that value; nothing was read."
        ) from error


def entry_title(entry: Entry, number: int) -> str:
    """An entry as it is called in messages, such as "ply 3 'patch'"."""
    return f"ply {number}" + (f" '{entry.name}'" if entry.name else "")


def _check_entry(layout: PlyLayout, entry: Entry, where: str) -> None:
    """Refuse what a form alone does not tell: what belongs together, and has a size."""
    if (entry.ply is None) == (not entry.laminate):
        raise DocumentError(
            "It is either a ply or a laminate.", where, 'Give "ply", or "laminate" by name.'
        )
    if entry.laminate and entry.laminate not in {x.name for x in layout.laminates}:
        raise DocumentError(
            f"There is no laminate '{entry.laminate}' in the file.",
            where,
            'List its plies under "laminates".',
        )
    given = entry.directions
    if not len(given.at) == len(given.zero) == len(given.normals):
        raise DocumentError(
            "Places, directions and normals are not as many.",
            where,
            'Give "at", "zero" and "normals" one for each place.',
        )
    if not given.at:
        raise DocumentError(
            "Its 0° is not given at any place.", where, 'Give at least one under "directions".'
        )
    for outline in entry.boundary:
        if len(outline.points) != len(outline.normals):
            raise DocumentError(
                "Points and normals of its boundary are not as many.",
                where,
                "Give a normal for the stretch from each point to the next.",
            )
    for words, vectors in (("direction", given.zero), ("normal", given.normals)):
        if not (np.linalg.norm(points_of(vectors), axis=1) > 1e-6).all():
            raise DocumentError(f"A {words} has no length.", where, "Give a unit vector.")


@dataclass(frozen=True, eq=False)
class Lying:
    """An entry as it lies on a mesh.

    Attributes
    ----------
    elements : ndarray of int
        Those of which more than half is within its boundary.
    at : ndarray, shape (q, 3)
        Places where its directions are given, moved [m].
    zero, normals : ndarray, shape (q, 3)
        Its 0° and the laying side there, unit vectors.
    off : float
        How far its boundary or its places lie off the surface at most [m].
    start : ndarray, shape (3, 3) or None
        Its start [m], the 0° and the normal there.
    """

    elements: Index
    at: Array
    zero: Array
    normals: Array
    off: float
    start: Array | None


def lay(
    layout: PlyLayout, locator: Locator, placement: Placement = STAY, far: float | None = None
) -> list[Lying]:
    """Find the elements of all entries of a layout.

    Parameters
    ----------
    layout : PlyLayout
        As `read_layout` gives it.
    locator : Locator
        Of the mesh.
    placement : Placement
        How it is moved first.
    far : float, optional
        How far off the surface it may lie [m]; a twentieth of the part's size when left out.

    Raises
    ------
    PartError
        Naming the entry whose boundary crosses itself, lies too far off, or holds no element.
    """
    if not layout.plies:
        raise PartError("There is not one ply in it.", "Ply layout", "Choose another file.")
    scale = layout.metres
    limit = far if far is not None else FAR * locator.size
    bounds = [_outlines(e, placement, scale) for e in layout.plies]
    traced = [locator.trace(x) for x in bounds]
    samples = [placement.place(points_of(e.directions.at, scale)) for e in layout.plies]
    places = [x for t, s in zip(traced, samples, strict=True) for x in (t.middles, s)]
    for number, entry in enumerate(layout.plies):
        _check_measure(entry, number, places[2 * number : 2 * number + 2])
    found = locator.locate(np.concatenate(places))
    ends = np.cumsum([len(x) for x in places])[:-1]
    element, off = np.split(found.element, ends), np.split(found.off, ends)
    for number, entry in enumerate(layout.plies):
        _check_near(layout, number, entry, np.concatenate(off[2 * number : 2 * number + 2]), limit)

    def one(number: int) -> Index:
        _check_crossing(bounds[number], f"Ply layout, {titles[number]}")
        on, seeds = element[2 * number], element[2 * number + 1]
        return locator.within(traced[number], on, seeds)

    titles = [entry_title(e, i) for i, e in enumerate(layout.plies, start=1)]
    with ThreadPoolExecutor(THREADS) as pool:
        elements = list(pool.map(one, range(len(layout.plies))))
    lying = []
    for number, (entry, own, at) in enumerate(zip(layout.plies, elements, samples, strict=True)):
        if not len(own):
            raise PartError(
                "No element lies within its boundary.",
                f"Ply layout, {entry_title(entry, number + 1)}",
                "Make elements smaller there, or check which way its boundary runs round.",
            )
        farthest = float(np.concatenate(off[2 * number : 2 * number + 2]).max())
        zero, n = (
            _unit(placement.way(points_of(x)))
            for x in (entry.directions.zero, entry.directions.normals)
        )
        lying.append(Lying(own, at, zero, n, farthest, _start(entry, placement, scale)))
    return lying


def _check_measure(entry: Entry, number: int, places: Sequence[Array]) -> None:
    if not all((np.abs(x) < OUT_OF_MEASURE).all() for x in places):
        raise PartError(
            "A place of it is out of all measure.",
            f"Ply layout, {entry_title(entry, number + 1)}",
            "Have it written anew, or mend its unit.",
        )


def _check_near(layout: PlyLayout, number: int, entry: Entry, off: Array, limit: float) -> None:
    if not off.max() > limit:
        return
    where = f"Ply layout, {entry_title(entry, number + 1)}"
    if (off > limit).mean() > 0.5:
        raise PartError(
            f"It lies {off.max():.4g} m off this part: it is the layout of another, or of one "
            "that lies elsewhere.",
            where,
            "Choose its file, give its placement by three points, or mend its unit "
            f"({layout.units.length}).",
        )
    raise PartError(
        f"It lies up to {off.max():.4g} m off the surface; {limit:.4g} m is as far as it may.",
        where,
        "Check the surface, or allow a greater distance.",
    )


def _outlines(entry: Entry, placement: Placement, scale: float) -> list[Outline]:
    return [
        Outline(
            placement.place(points_of(x.points, scale)), _unit(placement.way(points_of(x.normals)))
        )
        for x in entry.boundary
    ]


def _check_crossing(outlines: Sequence[Outline], where: str) -> None:
    hit = crossing(outlines) if outlines else None
    if hit is not None:
        x, y, z = (f"{v:.4g}" for v in hit)
        raise PartError(
            f"Its boundary crosses itself near {x}, {y}, {z} m.",
            where,
            "Have it written so that it runs round once.",
        )


def _start(entry: Entry, placement: Placement, scale: float) -> Array | None:
    start = entry.start
    if start is None:
        return None
    ways = _unit(placement.way(points_of([start.zero, start.normal])))
    return np.concatenate([placement.place(points_of([start.at], scale)), ways])


def _unit(vectors: Array) -> Array:
    size = np.linalg.norm(vectors, axis=-1, keepdims=True)
    return np.asarray(vectors / np.where(size > 0, size, 1.0))


def extras(model: BaseModel) -> dict[str, Any]:
    """What a record holds beyond its form, at all depths of single records."""
    found: dict[str, Any] = dict(model.model_extra or {})
    for name, value in model:
        if isinstance(value, BaseModel):
            more = extras(value)
            if more:
                found[name] = more
    return found

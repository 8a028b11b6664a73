"""Maps: values of elements in colours, with all that a legend says."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.criteria import criterion
from tartan.core.laminate.response import LEVELS
from tartan.exchange.maps import colours
from tartan.exchange.maps.fields import BY_KEY, Field, View, values
from tartan.exchange.maps.limits import Limits
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.document.model import Project
from tartan.project.document.partmodel import ReserveRequirement
from tartan.project.findings.chosen_margins import excluded, failing_share, margins_for, modes_of
from tartan.project.findings.verdict import ply_words
from tartan.project.wording import units

Array = NDArray[np.float64]
Bytes = NDArray[np.uint8]

RAMP = 255

OF_DATA = Limits()


@dataclass(frozen=True, eq=False)
class Map:
    """Colours of all elements with what a legend needs.

    Attributes
    ----------
    rgb : ndarray of uint8, shape (m, 3)
        One colour an element.
    title, unit : str
        What is shown, and its unit or what it is taken over.
    ticks : tuple of (float, str)
        Share of the legend from its foot, and text.
    ramp : ndarray of uint8, shape (n, 3)
        Colours of the legend from its foot; empty for names.
    need : float or None
        Share at which the requirement stands.
    note : str
        A line below the map.
    names : tuple of (str, tuple of int, float)
        For names instead of figures: each with its colour and its share of the area.
    label : ndarray of int, shape (m,), optional
        Which of the names an element has; -1 is none.
    bare : ndarray of bool, shape (m,), optional
        Elements that have no value.
    """

    rgb: Bytes
    title: str
    unit: str
    ticks: tuple[tuple[float, str], ...]
    ramp: Bytes
    need: float | None
    note: str
    names: tuple[tuple[str, tuple[int, int, int], float], ...] = ()
    label: NDArray[np.int64] | None = None
    bare: NDArray[np.bool_] | None = None


def required(project: Project) -> float:
    """Least reserve factor asked for; 1 when nothing is."""
    asked = [r.value for r in project.requirements if isinstance(r, ReserveRequirement)]
    return max(asked, default=1.0)


def make_map(
    project: Project,
    answer: PartAnswer,
    view: View,
    *,
    dark: bool = False,
    failing: bool = False,
    reach: float = 0.0,
    limits: Limits = OF_DATA,
) -> Map:
    """Draw a field.

    Parameters
    ----------
    project : Project
        Whose requirements and areas left out.
    answer : PartAnswer
        Of its part.
    view : View
        What is looked at.
    dark : bool
        Appearance of bare elements.
    failing : bool
        Colour only what is below the required reserve factor.
    reach : float
        Least size of the largest value of the legend in SI, so that two maps share one.
    limits : Limits
        Where the colours of a field begin and end; names have no range, and what is judged
        against the requirement reaches as far below it as above.
    """
    field = BY_KEY[view.field]
    if field.sort == "category":
        made = _named(answer, view, dark=dark)
    elif field.sort == "envelope":
        made = _against_need(project, answer, view, limits, dark=dark)
    else:
        made = _plain(field, values(answer, view), dark=dark, reach=reach, limits=limits)
    if failing:
        holds = ~(margins_for(answer, view.ask).reserve < required(project))
        rgb = made.rgb.copy()
        rgb[holds] = colours.bare(dark=dark)
        made = replace(made, rgb=rgb)
    return made


def over_words(view: View) -> str:
    """What an envelope is taken over, in a few words."""
    ask = view.ask
    parts = [
        f"{len(ask.plies)} plies"
        if len(ask.plies) > 1
        else f"ply {ask.plies[0] + 1}"
        if ask.plies
        else "all plies"
    ]
    parts.append(
        f"{len(ask.cases)} cases"
        if len(ask.cases) > 1
        else ask.cases[0]
        if ask.cases
        else "all cases"
    )
    if ask.levels:
        parts.append(", ".join(LEVELS[s] for s in ask.levels))
    if ask.criteria:
        parts.append(", ".join(criterion(k).title for k in ask.criteria))
    return f"worst of {', '.join(parts)}"


def _against_need(
    project: Project, answer: PartAnswer, view: View, limits: Limits, *, dark: bool
) -> Map:
    """Reserve factor, margin of safety or failure index about what is required."""
    field, need = BY_KEY[view.field], required(project)
    found = values(answer, view)
    bare = np.isnan(found)
    # A failure index knows no factor: its middle is failure itself, and small is good.
    middle = 1.0 if field.key == "index" else need
    with np.errstate(divide="ignore"):
        factor = {"reserve": found, "margin": found + 1, "index": 1 / np.maximum(found, 1e-12)}[
            field.key
        ]
    span = _span(field.key, middle, limits)
    rgb = colours.reserve_map(np.where(bare, middle, factor), middle, span)
    rgb[bare] = colours.bare(dark=dark)
    steps = middle * span ** np.linspace(-1, 1, RAMP)
    at = (-1.0, -0.5, 0.5, 1.0) if field.key != "index" else (-1.0, -0.5, 0.0, 0.5, 1.0)
    ticks = tuple((float((t + 1) / 2), _tick(field.key, middle * span**t)) for t in at)
    share = failing_share(answer, view.ask, project.left_out, need)
    note = f"{share:.1%} of the area is below {need:.2f}" if share else "the whole area holds"
    out = excluded(answer, project.left_out)
    if out.words:
        note += f" · hatched: {out.words}, left out"
    return Map(
        rgb,
        field.title,
        over_words(view),
        ticks,
        colours.reserve_map(steps, middle, span),
        None if field.key == "index" else 0.5,
        note,
        bare=bare,
    )


def _span(key: str, need: float, limits: Limits) -> float:
    """How far the colours reach about the requirement: to a given upper end, or as usual."""
    if limits.high is None or key == "index":
        return colours.RESERVE_SPAN
    return max((limits.high + (key == "margin")) / need, 1.01)


def _tick(key: str, factor: float) -> str:
    value = {"reserve": factor, "margin": factor - 1, "index": 1 / factor}[key]
    return units.factor(value) if value >= 0 else f"−{units.factor(-value)}"


def _plain(
    field: Field, found: Array, *, dark: bool, reach: float = 0.0, limits: Limits = OF_DATA
) -> Map:
    """Map of a stress, strain, force or displacement in its own range, or in a given one."""
    if limits:
        return _within(field, found, limits, dark=dark)
    shown = found / field.quantity.scale
    bare = np.isnan(shown)
    inside = shown[~bare] if (~bare).any() else np.zeros(1)
    low, high = float(inside.min()), float(inside.max())
    largest = max(abs(low), abs(high), reach / field.quantity.scale) or 1.0
    unit = field.quantity.unit
    if field.signed:
        ramp = colours.signed_map(np.linspace(-1, 1, RAMP))
        rgb = _looked_up(ramp, (np.where(bare, 0.0, shown) / largest + 1) / 2)
        ticks = tuple(
            ((t + 1) / 2, units.number(t * largest, 3)) for t in (-1.0, -0.5, 0.0, 0.5, 1.0)
        )
        note = f"from {units.number(low)} to {units.number(high)} {unit}"
    else:
        ramp = colours.size_map(np.linspace(0, 1, RAMP))
        rgb = _looked_up(ramp, np.where(bare, 0.0, shown) / largest)
        ticks = tuple((t, units.number(t * largest, 3)) for t in (0.0, 0.25, 0.5, 0.75, 1.0))
        note = f"largest {units.number(high)} {unit}"
    rgb[bare] = colours.bare(dark=dark)
    return Map(rgb, field.title, unit, ticks, ramp, None, note, bare=bare)


def _within(field: Field, found: Array, limits: Limits, *, dark: bool) -> Map:
    """Map of a field between ends of its own; what lies beyond has the colour of the end."""
    bare = np.isnan(found)
    inside = found[~bare] if (~bare).any() else np.zeros(1)
    ends = limits.ends(inside, signed=field.signed)
    low, high = ends
    if field.signed and not limits.log and low < 0 < high:
        # Zero keeps its colour, however far the ends lie from it.
        reach = max(-low, high)
        ramp = colours.signed_map(np.linspace(low / reach, high / reach, RAMP))
    else:
        ramp = colours.size_map(np.linspace(0, 1, RAMP))
    share = limits.share(np.where(bare, low, found), ends)
    rgb = _looked_up(ramp, share)
    rgb[bare] = colours.bare(dark=dark)
    beyond = limits.share(inside, ends)
    out = int(((beyond < -1e-9) | (beyond > 1 + 1e-9)).sum())
    quantity = field.quantity
    note = (
        f"colours from {units.show(low, quantity)} to {units.show(high, quantity)}"
        f"{', logarithmic' if limits.log else ''}; {out / len(inside):.1%} of the elements beyond"
    )
    return Map(
        rgb,
        field.title,
        f"{quantity.unit}{' of the size, logarithmic' if limits.log else ''}",
        limits.ticks(ends, quantity),
        ramp,
        None,
        note,
        bare=bare,
    )


def _looked_up(ramp: Bytes, share: Array) -> Bytes:
    """Colours of shares 0 to 1 out of a ramp: a step of it is less than the eye can tell."""
    steps = np.rint(np.clip(share, 0, 1) * (len(ramp) - 1)).astype(np.intp)
    return np.asarray(ramp[steps])


def _named(answer: PartAnswer, view: View, *, dark: bool) -> Map:
    """Map of names: which ply, mode, case or criterion governs."""
    margins = margins_for(answer, view.ask)
    if view.field == "mode":
        label, words = modes_of(margins)
    else:
        raw = {"ply": margins.ply, "case": margins.case, "criterion": margins.check}[view.field]
        present, label = np.unique(raw, return_inverse=True)
        label = np.where(margins.judged, label.reshape(raw.shape), -1)
        words = [_name(answer, view.field, int(k), margins.checks) for k in present]
    table = colours.category_colours(len(words))
    rgb = table[np.maximum(label, 0)]
    rgb[label < 0] = colours.bare(dark=dark)
    areas = answer.layout().mesh.areas()
    shares = [float(areas[label == k].sum() / areas.sum()) for k in range(len(words))]
    order = np.argsort(shares)[::-1]
    names = tuple(
        (words[k], (int(table[k, 0]), int(table[k, 1]), int(table[k, 2])), shares[k])
        for k in order
        if shares[k] > 0
    )
    rank = np.full(len(words) + 1, -1)
    rank[order] = np.arange(len(words))
    return Map(
        rgb,
        BY_KEY[view.field].title,
        over_words(view),
        (),
        np.zeros((0, 3), np.uint8),
        None,
        "share of the area beside each name",
        names,
        rank[label],
    )


def _name(answer: PartAnswer, field: str, number: int, checks: tuple[str, ...]) -> str:
    if field == "ply":
        return ply_words(answer, number)
    if field == "case":
        return answer.inputs.case_names[number]
    return criterion(checks[number]).title if checks else "none"


def shapes_of(answer: PartAnswer) -> list[tuple[str, Array]]:
    """Natural modes and buckling shapes, by what the chooser calls them, shape (n, 3) each."""
    found: list[tuple[str, Array]] = []
    for each in answer.modes:
        under = f" under {each.case}" if each.case else ""
        found += [
            (f"mode {i} · {units.number(float(v))} Hz{under}", s)
            for i, (v, s) in enumerate(zip(each.values, each.shapes, strict=True), 1)
        ]
    for each in answer.buckling:
        found += [
            (f"buckling {i} · {units.factor(float(v))} × {each.case}", s)
            for i, (v, s) in enumerate(zip(each.values, each.shapes, strict=True), 1)
        ]
    return found


def shape_map(answer: PartAnswer, name: str, shape: Array) -> Map:
    """Size of a mode's displacement; its scale is free, the largest is 1."""
    mesh = answer.layout().mesh
    size = np.linalg.norm(shape, axis=1)[mesh.corner_table].mean(axis=1)
    ticks = tuple((t, units.number(t, 3)) for t in (0.0, 0.5, 1.0))
    ramp = colours.size_map(np.linspace(0, 1, RAMP))
    title = name.split(" · ", maxsplit=1)[0]
    note = "its size is free; the largest is 1"
    return Map(colours.size_map(size), title, "share", ticks, ramp, None, note)


def difference_map(
    project: Project, answer: PartAnswer, before: PartAnswer, view: View, *, dark: bool = False
) -> Map:
    """Change of a field against another version, element by element or by the nearest centre.

    Parameters
    ----------
    project : Project
        The version at work.
    answer, before : PartAnswer
        Its answer, and the other version's.
    view : View
        What is looked at; names are not compared.
    dark : bool
        Appearance of bare elements.
    """
    field = BY_KEY[view.field]
    now, then = values(answer, view), values(before, view)[nearest(answer, before)]
    # Of two factors beyond all need the difference says nothing.
    both = np.isfinite(now) & np.isfinite(then)
    change = np.full(now.shape, np.nan)
    np.subtract(now, then, out=change, where=both)
    made = _plain(replace(field, signed=True), change, dark=dark)
    if field.sort == "envelope":
        # Teal is for the better here too, and the scale is the requirement's own size.
        better = -1.0 if field.key == "index" else 1.0
        reach = max(float(np.abs(change[both]).max(initial=0.0)), 1e-9)
        reach = min(reach, required(project))
        t = np.clip(np.where(both, better * change, 0.0) / reach, -1, 1)
        rgb = colours.change_map(t)
        rgb[~both] = colours.bare(dark=dark)
        ticks = tuple(
            ((s + 1) / 2, _with_sign(better * s * reach)) for s in (-1.0, -0.5, 0.0, 0.5, 1.0)
        )
        made = replace(
            made, rgb=rgb, ticks=ticks, ramp=colours.change_map(np.linspace(-1, 1, RAMP))
        )
    worse, better_ = _shares(answer, field, change)
    note = (
        f"{better_:.1%} of the area gains, {worse:.1%} loses"
        if field.sort == "envelope"
        else made.note
    )
    return replace(made, title=f"change of {field.title}", note=note)


def _with_sign(value: float) -> str:
    return f"+{units.number(value, 3)}" if value > 0 else units.number(value, 3)


def _shares(answer: PartAnswer, field: Field, change: Array) -> tuple[float, float]:
    areas = answer.layout().mesh.areas()
    sign = -1.0 if field.key == "index" else 1.0
    found = sign * np.nan_to_num(change)
    whole = areas.sum()
    return (float(areas[found < -1e-9].sum() / whole), float(areas[found > 1e-9].sum() / whole))


def nearest(answer: PartAnswer, before: PartAnswer) -> NDArray[np.int64]:
    """Element of another version's mesh nearest to each of this one's."""
    mine, other = answer.layout().mesh, before.layout().mesh
    if mine is other or (
        mine.count == other.count and np.allclose(mine.centres(), other.centres(), atol=1e-9)
    ):
        return np.arange(mine.count)
    return np.asarray(scipy.spatial.cKDTree(other.centres()).query(mine.centres())[1], np.int64)

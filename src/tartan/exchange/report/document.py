"""The chapters of a report, from a project and its answer."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import criterion
from tartan.core.errors import TartanError
from tartan.core.laminate.loadcase import answer as laminate_answer
from tartan.core.laminate.loadcase import parts
from tartan.core.strength.laminate_reserves import Beside, checks_of, reserves
from tartan.core.working import Working
from tartan.core.working_sandwich import sandwich_working
from tartan.core.working_strength import reserve_working, shear_reserve_working
from tartan.exchange.maps.fields import View
from tartan.exchange.maps.mapped import (
    Map,
    difference_map,
    make_map,
    required,
    shape_map,
    shapes_of,
)
from tartan.exchange.report import figures, tables
from tartan.exchange.report.derivation import derive
from tartan.exchange.report.orders import orders_chapter
from tartan.exchange.report.parts import Chapter, Figure, Text
from tartan.exchange.report.plysheets import plies_chapter
from tartan.exchange.report.proof import verification_table
from tartan.exchange.report.sizing import sizing_chapter
from tartan.exchange.tables import Cell, Table
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.part_ring import whole_total
from tartan.project.document.model import Project
from tartan.project.document.partmodel import DisplacementRequirement
from tartan.project.findings.chosen_margins import (
    Ask,
    case_worst,
    excluded,
    hot_list,
    margins_for,
    worst_of,
)
from tartan.project.findings.differences import differences
from tartan.project.findings.limits import limits
from tartan.project.findings.spot_laminate import drivers_at, spot_loads
from tartan.project.findings.verdict import Status, margin_address, status_of, statuses
from tartan.project.wording import units

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Source:
    """What a report is made from: the version at work, its answer, and the baseline's."""

    project: Project
    answer: PartAnswer
    before: PartAnswer | None = None

    @property
    def statuses(self) -> list[Status]:
        """Requirements with their values."""
        return statuses(self.project, self.answer)


def chapters(source: Source, wanted: Sequence[str]) -> Iterator[Chapter]:
    """Make the chapters that are wanted, one after another."""
    makers: dict[str, Callable[[Source], Chapter]] = {
        "summary": _summary,
        "materials": _materials,
        "stacks": _stacks,
        "order": lambda s: orders_chapter(s.project),
        "sizing": lambda s: sizing_chapter(s.project),
        "part": _part,
        "plies": lambda s: plies_chapter(s.project),
        "cases": _cases,
        "margins": _margins,
        "workings": _workings,
        "versions": _versions,
        "method": _method,
        "verification": _verification,
    }
    for name, make in makers.items():
        # Nothing was searched in most projects: no chapter says so, unless it alone is asked for.
        project = source.project
        idle = (name == "order" and not any(a.found for a in project.orders)) or (
            name == "sizing" and project.sizing.found is None
        )
        if name in wanted and not (idle and len(wanted) > 1):
            yield make(source)


def _summary(source: Source) -> Chapter:
    chapter, found = Chapter("Does it hold"), source.statuses
    met = sum(s.met for s in found)
    chapter.say(f"{met} of {len(found)} requirements are met.")
    marks = tuple("holds" if s.met else "fails" for s in found)
    chapter.show(tables.requirements_table(found, source.answer), marks)
    out = excluded(source.answer, source.project.left_out)
    if out.words:
        chapter.say(f"Left out of the margins: {out.words}, {out.share:.1%} of the area.")
    layout = source.answer.layout()
    cost = layout.cost()
    price = "" if cost is None else f", cost of materials {units.number(cost)}"
    mass = layout.mass()
    if mass is None:
        chapter.say(f"The mass is not known: {layout.weightless()} has no density.")
    else:
        chapter.say(f"Mass {units.number(mass)} kg{price}.")
    return chapter


def _materials(source: Source) -> Chapter:
    chapter, project = Chapter("Materials"), source.project
    used = {m.name for m in source.answer.inputs.materials}
    chapter.show(tables.materials_table(project, used=used))
    active = [c for c in project.conditions if c.active and set(c.materials) & used]
    for each in active:
        factors = ", ".join(f"{n} × {units.number(f)}" for n, f in each.factors)
        chapter.say(
            f"Condition {each.name} on {', '.join(each.materials)}: {factors}. The table "
            "shows the values with it."
        )
    sources = {m.name: m.source for m in project.materials if m.name in used and m.source}
    chapter.show(Table("sources", ("material", "source"), tuple(sources.items())))
    return chapter


def _stacks(source: Source) -> Chapter:
    chapter = Chapter("Stacks")
    chapter.show(tables.stacks_table(source.project))
    return chapter


def _part(source: Source) -> Chapter:
    chapter, layout = Chapter("Part"), source.answer.layout()
    mesh = layout.mesh
    area = units.number(float(mesh.areas().sum()))
    chapter.say(
        f"{mesh.count} elements, {len(mesh.nodes)} nodes, {area} m². Plies are counted "
        "from the first laid; 0° is the reference direction."
    )
    chapter.show(tables.lay_up_table(source.project))
    chapter.show(tables.zones_table(source.answer))
    chapter.blocks.append(
        Figure(
            figures.svg_of(figures.zones_sheet(source.answer), for_page=True),
            "Zones: areas of equal stacking sequence.",
        )
    )
    return chapter


def _cases(source: Source) -> Chapter:
    chapter, project, answer = Chapter("Cases"), source.project, source.answer
    chapter.show(tables.supports_table(project))
    chapter.show(tables.cases_table(project))
    if answer.inputs.cases:
        solution = answer.solution
        applied, reaction = (
            whole_total(answer.inputs.part, x) for x in (solution.applied, solution.reaction)
        )
        rows: tuple[tuple[Cell, ...], ...] = tuple(
            (n, *_clean(applied[k, :3]), *_clean(reaction[k, :3]))
            for k, n in enumerate(answer.inputs.solved_names)
        )
        head = (
            "case",
            *(f"applied {a} [N]" for a in "xyz"),
            *(f"reaction {a} [N]" for a in "xyz"),
        )
        chapter.show(Table("resultants", head, rows))
        chapter.say(
            f"{solution.unknowns} unknowns; reactions balance the loads to "
            f"{solution.imbalance:.1e} of their size, and the unknowns are in "
            f"equilibrium to {solution.residual:.1e}."
        )
    ties = tables.ties_table(answer)
    if ties is not None:
        chapter.show(ties)
    return chapter


def _clean(values: Array) -> list[float]:
    """Values without the traces that rounding leaves."""
    trace = 1e-9 * float(np.abs(values).max())
    return [float(v) if abs(v) > trace else 0.0 for v in values]


def _margins(source: Source) -> Chapter:
    chapter, project, answer = Chapter("Margins"), source.project, source.answer
    for limit in limits(answer):
        chapter.say(limit.words)
    out = excluded(answer, project.left_out).mask
    worst = worst_of(answer, Ask(), project.left_out)
    places = [] if worst is None else [(worst, _label(answer, worst))]
    for field, words in (
        ("reserve", "Reserve factor, worst of all plies, levels and cases."),
        ("ply", "Which ply governs."),
        ("mode", "Which mode governs."),
        ("case", "Which case governs."),
    ):
        shown = make_map(project, answer, View(field))
        _draw(chapter, source, shown, f"{words} {shown.note}.", out, places)
    chapter.show(tables.brief_hot_spots(project, answer))
    chapter.show(tables.by_case_table(project, answer))
    found = case_worst(answer, project.left_out)
    bars = figures.bars_sheet(
        [n for n, _, _ in found],
        [float(m.reserve[e]) for _, e, m in found],
        required(project),
        "multiple of the case at which the first ply fails",
    )
    words = "Load at which the first ply fails, case by case; the line is what is required."
    chapter.blocks.append(Figure(figures.svg_of(bars, for_page=True), words))
    if worst is not None:
        _spot(chapter, source, worst)
    for r in project.requirements:
        status = status_of(project, r, answer)
        if isinstance(r, DisplacementRequirement) and status and status.address:
            field = "u" if r.measure == "size" else "un"
            case = answer.inputs.case_names[status.address.case]
            shown = make_map(project, answer, View(field, case=case))
            words = f"Displacement in {case}; largest {status.amount}."
            _draw(chapter, source, shown, words, None, (), case=case)
    for name, shape in shapes_of(answer)[:4]:
        reach = 0.06 * float(np.linalg.norm(np.ptp(answer.layout().mesh.nodes, axis=0)))
        shown = shape_map(answer, name, shape)
        sheet = figures.map_sheet(answer, shown, moved=shape * reach, for_page=True)
        chapter.blocks.append(
            Figure(figures.svg_of(sheet, for_page=True), f"{name}; its size is free.")
        )
    return chapter


def _label(answer: PartAnswer, element: int) -> str:
    m = answer.margins
    mode = m.mode_label(element)
    return f"{units.factor(float(m.reserve[element]))} · ply {int(m.ply[element]) + 1} {mode}"


def _draw(
    chapter: Chapter,
    source: Source,
    shown: Map,
    words: str,
    out: NDArray[np.bool_] | None,
    places: Sequence[tuple[int, str]],
    *,
    case: str = "",
) -> None:
    """Add a map; with a case it is drawn on the deformed shape."""
    answer, displaced = source.answer, None
    if case:
        u = answer.solution.displacement[answer.inputs.case_names.index(case), :, :3]
        size = float(np.linalg.norm(np.ptp(answer.layout().mesh.nodes, axis=0)))
        factor = 0.05 * size / max(float(np.abs(u).max()), 1e-300)
        displaced = u * factor
        words += f" Deformed × {units.number(factor, 2)}."
    sheet = figures.map_sheet(
        answer, shown, moved=displaced, left_out=out, places=places, for_page=True
    )
    chapter.blocks.append(Figure(figures.svg_of(sheet, for_page=True), words))


def _spot(chapter: Chapter, source: Source, element: int) -> None:
    """Section at the governing spot, and what drives it."""
    answer, m = source.answer, source.answer.margins
    case, ply, level = int(m.case[element]), int(m.ply[element]), int(m.level[element])
    layout = answer.layout()
    laminate, plies = layout.laminate(element), layout.plies(element)
    loads = spot_loads(answer, element, case)
    response = laminate_answer(laminate, loads)
    found = reserves(
        checks_of(laminate, answer.inputs.criteria.sets),
        response.applied.stress_12[None],
        response.shear[None],
        response.residual,
        response.held_shear,
        Beside.of(loads),
    )
    stress = response.total.stress_12 / units.STRESS.scale
    columns = [
        (f"stress {n}", units.STRESS.unit, stress[..., i])
        for i, n in enumerate(("σ₁", "σ₂", "τ₁₂"))
    ]
    columns.append(("reserve factor", "worst level", found.reserve[0].min(axis=1)))
    kinds = [x.kind for x in laminate.materials]
    sheet = figures.section_sheet(
        layout.local_plies(element), kinds, plies, columns, required(source.project)
    )
    words = margin_address(answer, element).words
    chapter.blocks.append(
        Figure(
            figures.svg_of(sheet, for_page=True),
            f"Section at the governing spot, element {element + 1}: {words}. "
            "Bands are drawn of even height.",
        )
    )
    key, driven = drivers_at(
        answer, element, case, ply, level, m.checks[int(m.check[element])], int(m.point[element])
    )
    names = ("σ₁", "σ₂", "τ₁₂") if len(driven.shares) == 3 else ("τ₁₃", "τ₂₃")
    rows = [
        (n, float(s) / units.STRESS.scale, f"{v:.0%}")
        for n, s, v in zip(names, driven.stress, driven.shares, strict=True)
    ]
    if driven.held:
        rows.append(("what a temperature holds fixed", None, f"{driven.held:.0%}"))  # type: ignore[arg-type]
    head = ("what drives it", f"stress [{units.STRESS.unit}]", "share of the criterion at failure")
    chapter.show(Table(f"{criterion(key).title} at the governing spot", head, tuple(rows)))


def _workings(source: Source) -> Chapter:
    chapter = Chapter("Workings")
    chapter.say(
        "How the governing figures came about: formula, numbers with units, and where "
        "each came from. What is needed more than once stands once, by its number."
    )
    for element in hot_list(source.answer, Ask(), source.project.left_out, "case")[:3]:
        try:
            made = governing_working(source.answer, element)
        except TartanError as error:
            chapter.say(str(error))
            continue
        words = margin_address(source.answer, element).words
        chapter.say(f"{words}. In the working, plies are counted within the zone.")
        chapter.blocks.append(derive(made, units.worded_short))
    for kept in source.project.workings:
        chapter.say(f"{kept.title} (kept)")
        chapter.blocks.append(Text(kept.text, kept=True))
    return chapter


def governing_working(answer: PartAnswer, element: int) -> Working:
    """Working of an element's governing reserve factor, from its section forces.

    Raises
    ------
    TartanError
        When a strength is missing.
    """
    m, layout = margins_for(answer), answer.layout()
    laminate = layout.laminate(element)
    place = layout.plies(element).index(int(m.ply[element]))
    loads = spot_loads(answer, element, int(m.case[element]))
    key, level = m.checks[int(m.check[element])], int(m.level[element])
    if criterion(key).stress == "transverse":
        return shear_reserve_working(
            laminate, loads.shearing, key, place, level, loads.held_shearing
        )
    applied, held = parts(laminate, loads)
    if criterion(key).stress == "sandwich":
        return sandwich_working(laminate, applied, key, place, level, held, Beside.of(loads))
    return reserve_working(laminate, applied, key, place, level, held)


def _versions(source: Source) -> Chapter:
    chapter, base = Chapter("Against the baseline"), source.project.baseline
    if base is None:
        chapter.say("No version is the baseline.")
        return chapter
    found = differences(base, source.project)
    chapter.show(
        Table(
            f"what differs from {base.name}",
            ("station", "what", "change"),
            tuple((d.station, d.what, d.words) for d in found),
        )
    )
    if not found:
        chapter.say(f"Nothing differs from {base.name}.")
    if source.before is not None:
        old = statuses(source.project, source.before)
        rows: list[tuple[str, ...]] = []
        for s in source.statuses:
            then = next((o.amount for o in old if o.requirement == s.requirement), "–")
            rows.append((s.requirement.kind, then, s.amount))
        masses = [a.layout().mass() for a in (source.before, source.answer)]
        rows.append(("mass [kg]", *("–" if m is None else units.number(m) for m in masses)))
        head = ("requirement", base.name, source.project.version)
        chapter.show(Table("requirement by requirement", head, tuple(rows)))
        shown = difference_map(source.project, source.answer, source.before, View("reserve"))
        _draw(chapter, source, shown, f"Change of the reserve factor: {shown.note}.", None, ())
    return chapter


def _method(source: Source) -> Chapter:
    chapter, inputs = Chapter("Method"), source.answer.inputs
    chapter.say(
        "Shell elements of four and three nodes with six unknowns a node, assumed "
        "transverse shear strains (Dvorkin & Bathe 1984) and the whole stiffness of the "
        "section: membrane, coupling, bending, and transverse shear by energy (Whitney "
        "1972; Rohwer 1988). Linear statics; sparse Cholesky factorisation."
    )
    chapter.say(
        "Ply stresses follow from the section strains by classical laminate theory; "
        "interlaminar shear from equilibrium through the thickness. A reserve factor is "
        "the least multiple of a case at which a criterion is met; what a temperature "
        "causes beside other loads stays as it is."
    )
    keys = dict.fromkeys(k for _, ks in inputs.criteria.rules for k in ks)
    used = [k for k in keys if k in source.answer.margins.checks]
    rows = tuple((criterion(k).title, criterion(k).formula, criterion(k).source) for k in used)
    chapter.show(Table("criteria in force", ("criterion", "expression", "source"), rows))
    return chapter


def _verification(source: Source) -> Chapter:
    chapter = Chapter("Verification")
    table, words = verification_table()
    chapter.say(f"Published and exact solutions answered by this version of Tartan: {words}.")
    chapter.show(table)
    return chapter

"""Every figure of a project by a path, such as ``stacks[feed strut].plies[3].angle``.

A path goes from field to field; one of several is named in brackets, by its name where it has one
and else by its number from 1. Figures are in SI, angles of plies in degrees, as in the file.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import fields, is_dataclass, replace
from typing import Any

from tartan.core.errors import DocumentError
from tartan.project.document.model import Project
from tartan.project.edits.order_edits import check_orders
from tartan.project.edits.stack_edits import check_project

ROOTS = (
    "materials",
    "stacks",
    "load_cases",
    "part",
    "supports",
    "support_sets",
    "cases",
    "combinations",
    "requirements",
)
"""Fields of a project in which figures are looked for."""

COMPONENTS: dict[tuple[str, int], tuple[str, ...]] = {
    ("values", 6): ("Nx", "Ny", "Nxy", "Mx", "My", "Mxy"),
    ("Q", 2): ("Qx", "Qy"),
    ("force", 3): ("x", "y", "z"),
    ("moment", 3): ("x", "y", "z"),
    ("vector", 3): ("x", "y", "z"),
    ("acceleration", 3): ("x", "y", "z"),
}
"""Names of what a field holds, by the field and how many there are."""

MOST_FIGURES = 20_000
"""Figures that are listed at most."""


def put_figure(project: Project, path: str, value: float) -> Project:
    """The project with another value of a figure; see `put_figures`."""
    return put_figures(project, [(path, value)])


def put_figures(project: Project, values: Iterable[tuple[str, float]]) -> Project:
    """The project with other values of figures by their paths, checked once they all stand.

    Raises
    ------
    DocumentError
        No such figure.
    TartanError
        Values that cannot be.
    """
    changed = project
    for path, value in values:
        changed = _put(changed, steps_of(path), value, path)
    return check_orders(check_project(changed))


def figure(project: Project, path: str) -> float:
    """The value of a figure.

    Raises
    ------
    DocumentError
        No such figure.
    """
    found = held_at(project, path)
    if isinstance(found, bool) or not isinstance(found, int | float):
        raise _no_figure(path, "it is no number")
    return float(found)


def held_at(project: Project, path: str) -> Any:
    """What stands at a path, whatever it is.

    Raises
    ------
    DocumentError
        Where nothing does.
    """
    found: Any = project
    for step in steps_of(path):
        found = _inside(found, step, path)
    return found


def figures(project: Project) -> Iterator[tuple[str, float]]:
    """All figures with their paths, in the order of the route."""
    count = 0
    for root in ROOTS:
        for path, value in _walk(getattr(project, root), root):
            count += 1
            if count > MOST_FIGURES:
                return
            yield path, value


def steps_of(path: str) -> list[str]:
    """Fields and keys of a path; a key keeps its bracket, so that it is told from a field.

    Raises
    ------
    DocumentError
        Brackets that do not close, or nothing between dots.
    """
    text = path.strip()
    found: list[str] = []
    word, within = "", False
    for at, sign in enumerate(text):
        if within and sign == "]" and text[at + 1 : at + 2] in ("", ".", "["):
            # A bracket in a name is followed by more of the name.
            found.append(word)
            word, within = "", False
        elif within or sign not in "[.":
            word += sign
        else:
            if word:
                found.append(word)
            word, within = ("[", True) if sign == "[" else ("", False)
    if within:
        raise _no_figure(path, "a bracket does not close")
    if word:
        found.append(word)
    if not found:
        raise _no_figure(path, "it is empty")
    return found


def nameable(name: str) -> bool:
    """Whether a path can hold a name: not where the name itself reads like the end of a key."""
    try:
        return steps_of(f"x[{name}].y") == ["x", f"[{name}", "y"]
    except DocumentError:
        return False


def _no_figure(path: str, why: str) -> DocumentError:
    return DocumentError(
        f"There is no figure '{path}': {why}.",
        "Figures",
        "Write a path such as stacks[feed strut].plies[3].angle.",
    )


def _names(many: tuple[Any, ...], field: str) -> list[str]:
    """What each of several is called."""
    own = COMPONENTS.get((field, len(many)))
    if own is not None:
        return list(own)
    names = [getattr(x, "name", "") for x in many]
    told_apart = len(set(names)) == len(names)
    if told_apart and all(isinstance(n, str) and n and nameable(n) for n in names):
        return names
    return [str(i + 1) for i in range(len(many))]


def _at(many: tuple[Any, ...], field: str, key: str, path: str) -> int:
    names = _names(many, field)
    if key in names:
        return names.index(key)
    if key.isdecimal() and len(key) < 9 and 1 <= int(key) <= len(many):
        return int(key) - 1
    shown = ", ".join(names[:8]) + (" …" if len(names) > 8 else "")
    raise _no_figure(path, f"'{key}' is none of {shown or 'none'}")


def _inside(found: Any, step: str, path: str) -> Any:
    if step.startswith("["):
        many, field = found if isinstance(found, _Many) else (found, "")
        if not isinstance(many, tuple):
            raise _no_figure(path, f"nothing in it is called '{step[1:]}'")
        return many[_at(many, field, step[1:], path)]
    holder = found
    if not is_dataclass(holder) or step not in {f.name for f in fields(holder)}:
        raise _no_figure(path, f"'{step}' is no field")
    value = getattr(holder, step)
    return _Many((value, step)) if isinstance(value, tuple) else value


class _Many(tuple[Any, str]):
    """Several things and the field that holds them."""

    __slots__ = ()


def _put(found: Any, steps: list[str], value: float, path: str) -> Any:
    step, rest = steps[0], steps[1:]
    inner = _inside(found, step, path)
    if step.startswith("["):
        many, field = found if isinstance(found, _Many) else (found, "")
        at = _at(many, field, step[1:], path)
        new = _leaf(inner, value, path) if not rest else _put(inner, rest, value, path)
        return (*many[:at], new, *many[at + 1 :])
    new = _leaf(inner, value, path) if not rest else _put(inner, rest, value, path)
    return replace(found, **{step: new})


def _leaf(old: Any, value: float, path: str) -> float | int:
    if isinstance(old, bool) or not isinstance(old, int | float):
        raise _no_figure(path, "it is no number")
    if isinstance(old, int):
        if value != int(value):
            raise _no_figure(path, f"it counts, and {value:g} is no whole number")
        return int(value)
    return value


def _walk(found: Any, path: str, field: str = "") -> Iterator[tuple[str, float]]:
    if isinstance(found, bool) or found is None:
        return
    if isinstance(found, int | float):
        yield path, float(found)
    elif isinstance(found, tuple):
        if len(found) > 400:
            # Points of a table or of a file are no figures that one turns.
            return
        for name, each in zip(_names(found, field), found, strict=True):
            yield from _walk(each, f"{path}[{name}]")
    elif is_dataclass(found):
        for one in fields(found):
            value = getattr(found, one.name)
            yield from _walk(value, f"{path}.{one.name}", one.name)

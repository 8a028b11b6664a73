"""Project files: readable JSON with a schema version, written whole or not at all."""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tartan.core.criteria import DEFAULT_SETS
from tartan.core.errors import DocumentError, TartanError
from tartan.project.disk.wholefile import replacing
from tartan.project.document.model import Project
from tartan.project.edits.order_edits import check_orders
from tartan.project.edits.sizing_edits import check_ask
from tartan.project.edits.stack_edits import check_project

if TYPE_CHECKING:
    from pydantic import TypeAdapter

SCHEMA = 7
"""Version of the file form; raised when an older Tartan could misread it."""

SUFFIX = ".tartan.json"

_HEAD = {"format": "tartan project", "schema": SCHEMA, "units": "SI; ply angles in degrees"}


@cache
def _adapter() -> TypeAdapter[Project]:
    """What reads and writes a project; made once, with the first file: it takes a while."""
    from pydantic import TypeAdapter

    return TypeAdapter(Project)


@cache
def json_schema() -> dict[str, Any]:
    """Schema of a project file, JSON Schema 2020-12, as it is kept beside the program.

    To make it takes longer than to read a file; `made_schema` is what has to be kept.
    """
    kept: dict[str, Any] = json.loads(
        (files("tartan") / "assets" / "project.schema.json").read_text("utf-8")
    )
    return kept


def made_schema() -> dict[str, Any]:
    """Schema of a project file as it follows from the records of the document."""
    schema = _adapter().json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Tartan project"
    head = {
        "format": {"const": _HEAD["format"]},
        "schema": {"const": SCHEMA},
        "units": {"type": "string"},
    }
    schema["properties"] = head | schema["properties"]
    schema["required"] = ["format", "schema", *schema["required"]]
    schema["additionalProperties"] = False
    for definition in schema["$defs"].values():
        definition["additionalProperties"] = False
    return schema


def prepare() -> None:
    """Make what reads and writes projects, and does not change, before there is one to write."""
    _adapter()
    json_schema()


def to_text(project: Project) -> str:
    """Write a project as JSON text, one field a line."""
    data = _HEAD | _adapter().dump_python(project, mode="json")
    return json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def from_text(text: str, where: str = "Project file") -> Project:
    """Read a project from JSON text.

    Parameters
    ----------
    text : str
        The file's content.
    where : str
        Its name, for messages.

    Raises
    ------
    DocumentError
        When it is damaged, of another form or newer; the message names the place.
    """
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        line = getattr(error, "lineno", 1)
        column = getattr(error, "colno", 1)
        raise DocumentError(
            f"The file is damaged at line {line}, column {column}.",
            where,
            "Open a backup, or mend that place in a text editor.",
        ) from error
    if not isinstance(data, dict) or data.get("format") != _HEAD["format"]:
        raise DocumentError(
            "This is not a Tartan project.", where, f"Choose a file that ends in {SUFFIX}."
        )
    version = data.get("schema")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise DocumentError(
            f"Its schema version {version!r} is not a number.",
            where,
            'Restore the line "schema": 1.',
        )
    if version > SCHEMA:
        raise DocumentError(
            f"It was written by a newer Tartan (schema {version}, this one reads {SCHEMA}).",
            where,
            "Open it with that version.",
        )
    body = {k: v for k, v in data.items() if k not in _HEAD}
    for made in _STEPS[version - 1 :]:
        body = made(body)
    from pydantic import ValidationError

    try:
        _refuse_unknown(body, json_schema(), where)
        project = _adapter().validate_json(json.dumps(body), strict=True)
    except ValidationError as error:
        first = error.errors()[0]
        raise DocumentError(
            f"{_path(first['loc'])}: {first['msg']}.",
            where,
            "Mend that value; nothing was opened.",
        ) from error
    try:
        checked = check_orders(check_project(project))
        check_ask(checked.sizing)
        return checked
    except TartanError as error:
        raise DocumentError(str(error), where, "Nothing was opened.") from error


def _from_first(body: dict[str, Any]) -> dict[str, Any]:
    """Body of a file of schema 1, whose part was one stack on one panel, in today's form."""
    part = body.get("part")
    if not isinstance(part, dict) or "lay_up" in part:
        return body
    old = dict(part)
    new = {k: v for k, v in old.items() if k in ("surface", "mesh_size", "reference_surface")}
    new["lay_up"] = [{"stack": old.get("stack", "")}]
    new["directions"] = [{"vector": old.get("reference", [1.0, 0.0, 0.0])}]
    new["flipped"] = [""] if old.get("laying_side") == "down" else []
    return {**body, "part": new}


def _from_second(body: dict[str, Any]) -> dict[str, Any]:
    """Body of a file of schema 2, whose baseline was but materials and stacks."""
    base = body.get("baseline")
    rest = {k: v for k, v in body.items() if k != "baseline"}
    if not isinstance(base, dict):
        return rest
    # A baseline of today is a whole version; what the old one did not know stays empty.
    return {**rest, "versions": [base], "against": base.get("name", "")}


def _from_fourth(body: dict[str, Any]) -> dict[str, Any]:
    """Body of a file of schema 4, in which a laminate's load cases were called load sets."""

    def renamed(design: Any) -> Any:
        if not isinstance(design, dict):
            return design
        return {"load_cases" if k == "load_sets" else k: v for k, v in design.items()}

    versions = body.get("versions")
    if isinstance(versions, list):
        body = {**body, "versions": [renamed(v) for v in versions]}
    changed: dict[str, Any] = renamed(body)
    return changed


def _from_third(body: dict[str, Any]) -> dict[str, Any]:
    """Body of a file of schema 3, in which supports moved and pressures followed the laying side.

    A movement goes into every case, as it acted in all of them; pressures keep the side that they
    pressed on; sandwiches are judged for their stability too.
    """
    versions = body.get("versions")
    if isinstance(versions, list):
        body = {**body, "versions": [_third(v) if isinstance(v, dict) else v for v in versions]}
    return _third(body)


def _from_fifth(body: dict[str, Any]) -> dict[str, Any]:
    """Body of a file of schema 5, which had no criteria of the user's own: none is added."""
    return body


def _from_sixth(body: dict[str, Any]) -> dict[str, Any]:
    """Body of a file of schema 6, whose found sizing did not say what had been required.

    Its figures may belong to requirements changed since, so it is left out; what is asked stays.
    """

    def stripped(design: Any) -> Any:
        asked = design.get("sizing") if isinstance(design, dict) else None
        if not isinstance(asked, dict):
            return design
        return {**design, "sizing": {k: v for k, v in asked.items() if k != "found"}}

    versions = body.get("versions")
    if isinstance(versions, list):
        body = {**body, "versions": [stripped(v) for v in versions]}
    changed: dict[str, Any] = stripped(body)
    return changed


_STEPS = (_from_first, _from_second, _from_third, _from_fourth, _from_fifth, _from_sixth)
"""What brings a file of each schema to the next."""


def _third(state: dict[str, Any]) -> dict[str, Any]:
    supports, cases, part = (state.get(k) for k in ("supports", "cases", "part"))
    found = dict(state)
    moves = []
    if isinstance(supports, list):
        found["supports"] = []
        for each in supports:
            move = each.get("move") if isinstance(each, dict) else None
            if not (isinstance(move, list) and all(isinstance(v, int | float) for v in move)):
                found["supports"].append(each)
                continue
            found["supports"].append({k: v for k, v in each.items() if k != "move"})
            if any(move):
                moves.append(
                    {k: each[k] for k in ("place", "at", "local") if k in each}
                    | {"kind": "movement", "move": move}
                )
    flipped = part.get("flipped") if isinstance(part, dict) else None
    criteria = state.get("criteria")
    if isinstance(criteria, list):
        found["criteria"] = [_third_criteria(c) for c in criteria]
    side = {"[]": "front", "['']": "back", "None": "front"}.get(str(flipped), "laying")
    if isinstance(cases, list):
        found["cases"] = [_third_case(c, moves, side) for c in cases]
    return found


def _third_criteria(chosen: Any) -> Any:
    """A set of criteria whose cores were judged by their shear alone, with what is usual now."""
    rules = chosen.get("rules") if isinstance(chosen, dict) else None
    if not isinstance(rules, list):
        return chosen
    usual = ["core", list(DEFAULT_SETS["core"])]
    return {**chosen, "rules": [usual if r == ["core", ["core_shear"]] else r for r in rules]}


def _third_case(case: Any, moves: list[dict[str, Any]], side: str) -> Any:
    loads = case.get("loads", []) if isinstance(case, dict) else None
    if not isinstance(loads, list):
        return case
    sided = ("pressure", "pressure table", "temperature")
    new = [
        {"side": side, **x} if isinstance(x, dict) and x.get("kind") in sided else x for x in loads
    ]
    return {**case, "loads": [*new, *moves]}


def _path(location: tuple[int | str, ...]) -> str:
    """Place in the file in words: list entries are counted from 1."""
    words = [f"entry {p + 1}" if isinstance(p, int) else str(p) for p in location]
    return ", ".join(words) or "the file"


def _refuse_unknown(
    value: Any,
    schema: dict[str, Any],
    where: str,
    root: dict[str, Any] | None = None,
    at: tuple[int | str, ...] = (),
) -> None:
    """Refuse fields that the schema does not know; dropping them would lose data silently."""
    root = root or schema
    schema = _resolve(schema, root)
    if isinstance(value, dict):
        options = [_resolve(s, root) for s in schema.get("anyOf", [schema])]
        options = [o for o in options if "properties" in o and _kind_fits(value, o)]
        known = options[0]["properties"] if options else value
        for key, entry in value.items():
            if key not in known:
                what = f"{_path((*at, key))}: this field is not known."
                raise DocumentError(what, where, f"Known here: {', '.join(known)}.")
            if options:
                _refuse_unknown(entry, known[key], where, root, (*at, key))
    elif isinstance(value, list) and "items" in schema:
        for i, entry in enumerate(value):
            _refuse_unknown(entry, schema["items"], where, root, (*at, i))


def _resolve(schema: dict[str, Any], root: dict[str, Any]) -> dict[str, Any]:
    reference = schema.get("$ref", "")
    return root["$defs"][reference.rsplit("/", 1)[1]] if reference else schema


def _kind_fits(value: dict[str, Any], schema: dict[str, Any]) -> bool:
    kind = schema["properties"].get("kind", {}).get("const")
    return kind is None or value.get("kind", kind) == kind


def load(path: Path) -> Project:
    """Open a project file.

    Raises
    ------
    DocumentError
        When it cannot be read or as `from_text`.
    """
    try:
        text = path.read_text("utf-8")
    except OSError as error:
        raise DocumentError(
            f"The file cannot be read ({error.strerror}).",
            str(path),
            "Check the path and its permissions.",
        ) from error
    except UnicodeDecodeError as error:
        raise DocumentError(
            "The file is not UTF-8 text.", str(path), f"Choose a file that ends in {SUFFIX}."
        ) from error
    return from_text(text, path.name)


def save(project: Project, path: Path) -> None:
    """Write a project file: the old one stays until the new one is whole on disk.

    Raises
    ------
    DocumentError
        When it cannot be written.
    """
    write_whole(to_text(project), path)


def write_whole(text: str, path: Path) -> None:
    """Write a text file: the old one stays until the new one is whole on disk.

    Raises
    ------
    DocumentError
        When it cannot be written.
    """
    try:
        with replacing(path) as beside:
            beside.write_text(text, "utf-8")
    except OSError as error:
        raise not_written(error, path) from error


def not_written(error: OSError, path: Path) -> DocumentError:
    """Error of a file that cannot be written."""
    return DocumentError(
        f"The file cannot be written ({error.strerror}).", str(path), "Choose another folder."
    )

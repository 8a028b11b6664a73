"""Damage to files: anywhere in their bytes, and in the places that their form gives meaning."""

from __future__ import annotations

import copy
import io
import json
import random
import zipfile
from collections.abc import Callable
from typing import Any

ODD_NUMBERS = (
    0,
    -1,
    1,
    2**31,
    -(2**31),
    2**63,
    10**18,
    10**400,
    1e308,
    -1e308,
    1e-308,
    5e-324,
    0.1,
    1e300,
    1e-150,
    float("inf"),
    float("-inf"),
    float("nan"),
)
ODD_TEXTS = (
    "",
    " ",
    "=1+1",
    "\u0000",
    "\ud800",
    "x" * 5000,
    "∞",
    "nan",
    "../../etc",
    "[0/90]s",
    "'",
    '"',
    "%s",
    "{a}",
    "<b>",
    "\r\n",
    "é",
    "0",
    "1e999",
    "-",
    "\u202e",
)


def flipped(data: bytes, rng: random.Random) -> bytes:
    """A few bytes are others."""
    found = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 5, 40))):
        if found:
            found[rng.randrange(len(found))] = rng.randrange(256)
    return bytes(found)


def cut(data: bytes, rng: random.Random) -> bytes:
    """The end is missing, or a piece in the middle."""
    if len(data) < 2:
        return b""
    a = rng.randrange(len(data))
    return data[:a] if rng.random() < 0.5 else data[:a] + data[rng.randrange(a, len(data)) :]


def doubled(data: bytes, rng: random.Random) -> bytes:
    """A piece stands twice, or many times."""
    a = rng.randrange(len(data) + 1)
    b = min(len(data), a + rng.choice((1, 10, 200)))
    return data[:b] + data[a:b] * rng.choice((1, 3, 50)) + data[b:]


def words(data: bytes, rng: random.Random) -> bytes:
    """A number or a word of a text is another."""
    text = data.decode("latin-1")
    parts = text.replace("\t", " \t ").split(" ")
    at = rng.randrange(len(parts))
    odd = rng.choice(ODD_NUMBERS) if rng.random() < 0.6 else rng.choice(ODD_TEXTS)
    parts[at] = str(odd)
    return " ".join(parts).encode("utf-8", "surrogatepass")


def lines(data: bytes, rng: random.Random) -> bytes:
    """Lines change places, are missing, or stand twice."""
    rows = data.split(b"\n")
    a, b = rng.randrange(len(rows)), rng.randrange(len(rows))
    way = rng.randrange(3)
    if way == 0:
        rows[a], rows[b] = rows[b], rows[a]
    elif way == 1:
        del rows[a]
    else:
        rows.insert(a, rows[b])
    return b"\n".join(rows)


def entries(data: bytes, rng: random.Random) -> bytes:
    """Places of a JSON tree hold something else, or are missing."""
    try:
        tree = json.loads(data)
    except (ValueError, RecursionError):
        return flipped(data, rng)
    tree = copy.deepcopy(tree)
    for _ in range(rng.choice((1, 1, 1, 2, 4))):
        tree = _changed(tree, rng)
    try:
        return json.dumps(tree).encode("utf-8", "surrogatepass")
    except (ValueError, RecursionError):
        return data


def _changed(tree: Any, rng: random.Random) -> Any:
    holder, key = None, None
    here = tree
    while isinstance(here, dict | list) and here and (holder is None or rng.random() < 0.85):
        holder = here
        key = rng.choice(list(here)) if isinstance(here, dict) else rng.randrange(len(here))
        here = here[key]
    if holder is None:
        return _odd(rng)
    way = rng.random()
    if way < 0.15:
        del holder[key]
    elif way < 0.25 and isinstance(holder, list):
        holder.insert(key, copy.deepcopy(here))
    elif way < 0.3 and isinstance(holder, dict):
        holder[rng.choice(ODD_TEXTS)] = here
    elif isinstance(here, int | float) and not isinstance(here, bool) and way < 0.6:
        holder[key] = here * rng.choice((-1, 0, 1e-12, 1e12, 1e3, -1e3, 0.5))
    else:
        holder[key] = _odd(rng)
    return tree


def _odd(rng: random.Random) -> Any:
    return rng.choice(
        (
            rng.choice(ODD_NUMBERS),
            rng.choice(ODD_TEXTS),
            None,
            True,
            [],
            {},
            [[]],
            {"kind": rng.choice(ODD_TEXTS)},
            [0.0] * 3,
        )
    )


def members(data: bytes, rng: random.Random) -> bytes:
    """A member of a ZIP archive is damaged, and packed again in good order."""
    out = io.BytesIO()
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
            names = old.namelist()
            which = rng.choice(names)
            for name in names:
                part = old.read(name)
                if name == which:
                    part = rng.choice((flipped, cut, doubled, words))(part, rng)
                new.writestr(name, part, zipfile.ZIP_DEFLATED)
    except Exception:  # noqa: BLE001 - an archive that is damaged already
        return flipped(data, rng)
    return out.getvalue()


Mutator = Callable[[bytes, random.Random], bytes]

BYTES: tuple[Mutator, ...] = (flipped, cut, doubled)
TEXT: tuple[Mutator, ...] = (*BYTES, words, lines, words)
JSON: tuple[Mutator, ...] = (entries, entries, entries, *BYTES)
ZIP: tuple[Mutator, ...] = (members, members, *BYTES)

"""Formulas of the workings set as formulas: indices, powers, roots and fractions, as HTML.

The text itself stays what it is; a reader that knows no styles still sees every sign of it.
"""

from __future__ import annotations

import re
from html import escape

GREEK = {
    "nu": "ν",
    "eps": "ε",
    "kappa": "κ",
    "alpha": "α",
    "beta": "β",
    "theta": "θ",
    "phi": "φ",
    "gamma": "γ",
    "sigma": "σ",
    "tau": "τ",
}
STRESSES = {"s": "σ", "t": "τ", "e": "ε", "g": "γ", "a": "α", "b": "β"}
"""Letters that stand for components where a number follows, as in s1."""

POWERS = {"²": "2", "³": "3", "⁴": "4", "⅓": "1/3"}

DEEPEST = 60
"""Brackets of a formula that is still set; deeper ones stand as they were typed."""

_BETWEEN = "+−=,|·"

_ENDS = r"(?![A-Za-z0-9_])"
_SYMBOL = re.compile(
    r"(?P<word>or|by|of|to|in|at|as|is|if|the|max|min)" + _ENDS + "|"
    r"(?P<greek>nu|eps|kappa|alpha|beta|theta|phi|gamma|sigma|tau)"
    r"(?P<of>_?\d+|_[a-z]+)?(?P<axis> (?:xy|x|y))?" + _ENDS + "|"
    r"(?P<letter>[A-Za-zνεκαβθφγστ]{1,2})(?P<number>\d+)" + _ENDS + "|"
    r"(?P<upright>(?![NMGE](?:xy|xz|yz)(?![A-Za-z0-9_]))[A-Za-z]{3,})" + "|"
    r"(?P<single>[A-Za-zνεκαβθφγστ])(?P<index>[a-z]{1,2}|_[a-z]+|[₀-₉]+)?" + _ENDS
)


def typeset(formula: str) -> str:
    """A formula as HTML, whose only markup is its own.

    Parameters
    ----------
    formula : str
        Such as ``E1 / (1 - nu12² E2/E1)``.
    """
    if formula.count("(") > DEEPEST:
        return escape(formula)
    return _sum(formula)


def _parts(text: str, signs: str) -> list[str]:
    """Text parted at signs that stand outside all brackets, the signs kept."""
    found, depth, last = [], 0, 0
    for i, c in enumerate(text):
        depth += c in "(["
        depth -= c in ")]"
        if depth == 0 and c in signs and i > last:
            found += [text[last:i], c]
            last = i + 1
    return [*found, text[last:]]


def _sum(text: str) -> str:
    """Terms with the signs and words between them."""
    parts = _minus(text) if " - " in text else _parts(text, _BETWEEN)
    return "".join(escape(p) if p in (*_BETWEEN, " − ") else _term(p) for p in parts)


def _minus(text: str) -> list[str]:
    """Terms where a hyphen between blanks is a minus sign."""
    pieces: list[str] = []
    for number, part in enumerate(_outside(text, " - ")):
        if number:
            pieces.append(" − ")
        pieces += _parts(part, _BETWEEN)
    return pieces


def _outside(text: str, mark: str) -> list[str]:
    """Text parted at a mark outside all brackets."""
    found, depth, last, i = [], 0, 0, 0
    while i < len(text):
        depth += text[i] in "(["
        depth -= text[i] in ")]"
        if depth == 0 and text.startswith(mark, i):
            found.append(text[last:i])
            i += len(mark)
            last = i
            continue
        i += 1
    return [*found, text[last:]]


def _term(text: str) -> str:
    """A product, as a fraction where one thing is divided by another."""
    pieces = _outside(text, "/")
    if len(pieces) != 2 or not pieces[0].strip() or not pieces[1].strip():
        return _product(text)
    over, under = pieces[0].rstrip(), pieces[1].lstrip()
    lead = text[: len(text) - len(text.lstrip())]
    below, rest = _first_factor(under)
    if re.search(r"[A-Za-z]{3,} [A-Za-z]{2,}", over):
        # Words with a stroke between them are no fraction.
        return _product(text)
    return (
        f"{lead}<span class='frac'><span class='over'>{_bare(over)}</span>"
        f"<span class='under'>{_bare(below)}</span></span>{_product(rest)}"
    )


def _first_factor(text: str) -> tuple[str, str]:
    """What a stroke divides by: a bracket with its power, or all that follows up to a blank."""
    if text.startswith("("):
        depth = 0
        for i, c in enumerate(text):
            depth += c == "("
            depth -= c == ")"
            if depth == 0:
                end = i + 1
                while end < len(text) and text[end] in POWERS:
                    end += 1
                return text[:end], text[end:]
    head, blank, rest = text.partition(" ")
    return head, blank + rest


def _bare(text: str) -> str:
    """A part of a fraction without the bracket that is round all of it."""
    text = text.strip()
    if text.startswith("(") and _first_factor(text) == (text, "") and text.endswith(")"):
        return _sum(text[1:-1])
    return _sum(text)


def _product(text: str) -> str:
    """Factors: brackets, roots and symbols."""
    made, i = [], 0
    while i < len(text):
        c = text[i]
        inside = _first_factor(text[i:])[0] if c == "(" else ""
        if c in "√^":
            inside, _ = _first_factor(text[i + 1 :])
            if c == "√":
                made.append(f"√<span class='root'>{_bare(inside)}</span>")
            else:
                made.append(_powers(inside) or f"<sup>{_bare(inside)}</sup>")
            i += 1 + len(inside)
        elif _closed(inside):
            closed = inside.rindex(")")
            made.append(f"({_sum(inside[1:closed])}){_powers(inside[closed + 1 :])}")
            i += len(inside)
        elif c in POWERS:
            made.append(_powers(c))
            i += 1
        elif found := _SYMBOL.match(text, i):
            made.append(_symbol(found))
            i = found.end()
        else:
            joins = c == "-" and 0 < i < len(text) - 1 and text[i - 1].isalpha()
            made.append("−" if c == "-" and not joins else escape(c))
            i += 1
    return "".join(made)


def _closed(text: str) -> bool:
    """Whether a bracket ends, with nothing but powers after it."""
    head, mark, rest = text.rpartition(")")
    return bool(mark and head) and all(c in POWERS for c in rest)


def _powers(text: str) -> str:
    """Powers as raised figures; empty where the text is none."""
    if not all(c in POWERS for c in text):
        return ""
    return "".join(f"<sup>{POWERS[c]}</sup>" for c in text)


def _symbol(found: re.Match[str]) -> str:
    if found["greek"]:
        index, axis = (found["of"] or "").lstrip("_"), (found["axis"] or "").strip()
        # Of the middle surface along an axis: eps0 x.
        raised = f"<sup>{index}</sup>" if axis and index else ""
        lowered = axis or index
        return (
            f"<i>{GREEK[found['greek']]}</i>{raised}{f'<sub>{lowered}</sub>' if lowered else ''}"
        )
    if found["letter"]:
        letter = STRESSES.get(found["letter"], found["letter"])
        return f"<i>{escape(letter)}</i><sub>{found['number']}</sub>"
    if plain := found["upright"] or found["word"]:
        return escape(plain)
    index = (found["index"] or "").lstrip("_")
    return f"<i>{escape(found['single'])}</i>{f'<sub>{escape(index)}</sub>' if index else ''}"

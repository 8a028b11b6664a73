"""Stacks written in the trade's notation, which `notation` reads back."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np

from tartan.core.stack.groups import sub_laminates
from tartan.core.stack.notation import LENGTHS, Context, braced, spelled
from tartan.core.stack.plies import Ply, is_symmetric


def context_for(
    plies: Sequence[Ply], thickness: Mapping[str, float | None], unit: str = "mm"
) -> Context:
    """Context in which a stack is written shortest: its most frequent material is the default."""
    if plies:
        default = Counter(p.material for p in plies).most_common(1)[0][0]
    else:
        default = next(iter(thickness), "")
    return Context(thickness, default, unit=unit if unit in LENGTHS else "mm")


def write(plies: Sequence[Ply], context: Context) -> str:
    """Write a stack in notation that `parse` reads back to the same plies.

    Parameters
    ----------
    plies : sequence of Ply
        First-laid ply first.
    context : Context
        As for `parse`.

    Returns
    -------
    str
        Symmetric halves, ± pairs and repeats folded.
    """
    whole = tuple(plies)
    if len(whole) > 1 and is_symmetric(whole) and _mirrors_exactly(whole):
        half = whole[: (len(whole) + 1) // 2]
        return f"[{_write_run(half, context, middle=len(whole) % 2 == 1)}]s"
    return f"[{_write_run(whole, context, middle=False)}]"


def _mirrors_exactly(plies: tuple[Ply, ...]) -> bool:
    # 90 and -90 are one direction, yet notation must give back what was entered.
    return plies == plies[::-1]


def _write_run(plies: tuple[Ply, ...], context: Context, *, middle: bool) -> str:
    body, last = (plies[:-1], plies[-1:]) if middle else (plies, ())
    parts = _fold(_pairs(body, context))
    parts += [f"{_word(p, context)} mid" for p in last]
    return "/".join(parts)


def _pairs(plies: tuple[Ply, ...], context: Context) -> list[str]:
    """One word a ply, with +θ/−θ neighbours joined to ±θ."""
    words, i = [], 0
    groups = {g.first: g for g in sub_laminates(plies, context.stacks)}
    while i < len(plies):
        ply = plies[i]
        if i in groups and not groups[i].reversed:
            words.append(braced(groups[i].name))
            i += groups[i].count
            continue
        partner = plies[i + 1] if i + 1 < len(plies) else None
        joined = partner is not None and i + 1 not in groups
        if joined and partner and _opposite(ply, partner):
            sign = "±" if ply.angle > 0 else "∓"
            words.append(sign + _word(replace(ply, angle=abs(ply.angle)), context))
            i += 2
        else:
            words.append(_word(ply, context))
            i += 1
    return words


def _opposite(ply: Ply, partner: Ply) -> bool:
    """Whether the partner is the same ply at the opposite angle."""
    alike = (ply.material, ply.thickness, ply.sub) == (
        partner.material,
        partner.thickness,
        partner.sub,
    )
    return alike and ply.angle != 0 and partner.angle == -ply.angle


def _word(ply: Ply, context: Context) -> str:
    return _written(ply, context.default, context.thickness.get(ply.material), context.unit)


@lru_cache(maxsize=2048)
def _written(ply: Ply, default: str, nominal: float | None, unit: str) -> str:
    # All its digits, and never an exponent: what is written is read back to the same angle.
    word = np.format_float_positional(ply.angle + 0.0, trim="-")
    if ply.material != default:
        word += f" {spelled(ply.material)}"
    if ply.thickness != nominal:
        word += f" {_length(ply.thickness, unit)} {unit}"
    return word


def _length(thickness: float, unit: str) -> str:
    """Shortest decimal text in a unit that reads back to the same thickness."""
    scale = LENGTHS[unit]
    for digits in range(1, 18):
        text = np.format_float_positional(float(f"{thickness / scale:.{digits}g}"), trim="-")
        if float(text) * scale == thickness:
            return text
    return np.format_float_positional(thickness / scale, trim="-")


def _fold(words: list[str]) -> list[str]:
    """Repeated groups in brackets, longest saving first."""
    folded, i = [], 0
    while i < len(words):
        size, times = _best_repeat(words, i)
        if times > 1:
            group = words[i : i + size]
            single = size == 1 and not group[0].startswith(("±", "∓", "{"))
            inner = "/".join(_fold(group))
            folded.append(_counted(group[0], times) if single else f"({inner}){times}")
            i += size * times
        else:
            folded.append(words[i])
            i += 1
    return folded


def _counted(word: str, times: int) -> str:
    angle, space, rest = word.partition(" ")
    return f"{angle}_{times}{space}{rest}"


def _best_repeat(words: list[str], i: int) -> tuple[int, int]:
    best = (1, 1)
    for size in range(1, min(12, (len(words) - i) // 2) + 1):
        times = 1
        while words[i + times * size : i + (times + 1) * size] == words[i : i + size]:
            times += 1
        if times > 1 and (times - 1) * size > (best[1] - 1) * best[0]:
            best = (size, times)
    return best

"""Where elements lie, in words: many at once as one by one."""

from dataclasses import replace

import numpy as np
import pytest

from tartan.core.shell.cyclic import FAR, NEAR
from tartan.project.analysis.inputs import layout_of, part_inputs, where_all, where_words
from tartan.project.analysis.partmesh import Meshed, place_names
from tartan.project.document.partmodel import Region
from tartan.project.document.samples import SAMPLES, dish_panel
from tartan.project.edits import part_edits


def by_hand(whole: Meshed, names: list[str], element: int) -> str:
    """Region and edge of one element, from every region and every point of every edge."""
    mesh = whole.mesh
    words = [n for n in names if element in set(whole.regions[n].tolist())][-1:]
    centre = mesh.centres()[element]
    low, high = mesh.nodes.min(axis=0), mesh.nodes.max(axis=0)
    near = [
        (min(np.sqrt(((mesh.nodes[node] - centre) ** 2).sum()) for node in chain), name)
        for name, chain in mesh.edges.items()
        if name not in (NEAR, FAR)
    ]
    least, name = min(near, key=lambda pair: pair[0], default=(np.inf, ""))
    if least < 0.04 * np.sqrt(((high - low) ** 2).sum()):
        words.append(name)
    return ", ".join(words)


@pytest.mark.parametrize("name", SAMPLES)
def test_many_are_told_as_each_alone_is(name: str) -> None:
    project = SAMPLES[name]()
    part = project.part
    if part is None:
        return
    inputs = part_inputs(project)
    whole = layout_of(inputs).whole
    some = np.random.default_rng(5).choice(whole.mesh.count, 60).tolist()
    names = list(whole.regions)
    assert place_names(whole, names, some) == [by_hand(whole, names, e) for e in some]
    assert where_all(inputs, some) == [where_words(inputs, e) for e in some]
    assert where_all(inputs, []) == []


def test_of_regions_that_lie_over_each_other_the_last_is_told() -> None:
    project = dish_panel()
    assert project.part is not None
    regions = (Region("patch", elements=(5, 6, 7)), Region("spot", elements=(6,)))
    part = replace(project.part, regions=(*project.part.regions, *regions))
    project = part_edits.put_part(project, part)
    said = where_all(part_inputs(project), [5, 6, 7])
    assert [words.split(",")[0] for words in said] == ["patch", "spot", "patch"]

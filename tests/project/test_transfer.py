"""Answers between processes: every array arrives as it was, and each is sent once."""

from __future__ import annotations

import dataclasses
import pickle
from multiprocessing.shared_memory import SharedMemory
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import Memory, PartAnswer, SolveRequest, run_solve
from tartan.project.analysis.transfer import REMEMBERED, Receiver, Sender
from tartan.project.document.model import Project
from tartan.project.edits import part_edits, stack_edits
from tests.panels import dish_panel


@dataclasses.dataclass(frozen=True, eq=False)
class Inner:
    one: Any
    words: str = "as it is"


@dataclasses.dataclass(frozen=True, eq=False)
class Outer:
    inner: Inner
    many: tuple[Inner, ...]
    other: Any


def size_of(parcel: tuple[Any, str]) -> int:
    """Bytes of new arrays in a parcel; it is looked at and left."""
    memory = SharedMemory(parcel[1])
    size = memory.size
    memory.close()
    return size


kinds = st.sampled_from([np.float64, np.int64, np.bool_, np.float32])
shapes = arrays.array_shapes(min_dims=0, max_dims=4, min_side=0, max_side=5)
any_array = kinds.flatmap(lambda kind: arrays.arrays(kind, shapes))


@given(any_array, any_array, st.lists(any_array, max_size=3))
def test_arrays_of_any_kind_and_shape_arrive(
    a: np.ndarray, b: np.ndarray, more: list[np.ndarray]
) -> None:
    sent = Outer(Inner(a), tuple(Inner(x) for x in more), b.T)
    parcel = Sender().pack(sent)
    found = Receiver().unpack(pickle.loads(pickle.dumps(parcel)))
    pairs = [(found.inner.one, a), (found.other, b.T)]
    pairs += [(x.one, y) for x, y in zip(found.many, more, strict=True)]
    for got, given_ in pairs:
        assert got.dtype == given_.dtype
        np.testing.assert_array_equal(got, given_)
        assert not got.flags.writeable
    with pytest.raises(FileNotFoundError):
        SharedMemory(parcel[1])


@given(st.lists(st.integers(0, 5), min_size=1, max_size=20))
def test_what_both_ends_remember_agrees_in_any_order(order: list[int]) -> None:
    pool = [np.full(100, float(i)) for i in range(6)]
    sender, receiver = Sender(), Receiver()
    for at, i in enumerate(order):
        parcel = sender.pack(Outer(Inner(pool[i]), (), pool[i - 1]))
        lately = {k for j in order[max(0, at - REMEMBERED) : at] for k in (j, (j - 1) % 6)}
        fresh = {i, (i - 1) % 6} - lately
        assert (size_of(parcel) >= 800) == bool(fresh)
        found = receiver.unpack(parcel)
        np.testing.assert_array_equal(found.inner.one, pool[i])
        np.testing.assert_array_equal(found.other, pool[i - 1])


def answer(project: Project, memory: Memory) -> PartAnswer:
    job = run_solve(SolveRequest(0, part_inputs(project)), memory)
    while True:
        try:
            next(job)
        except StopIteration as end:
            found: PartAnswer = end.value
            return found


def test_a_changed_strength_sends_no_strains_again(monkeypatch: pytest.MonkeyPatch) -> None:
    """Neither displacements nor strains go again, no model is built, nothing is kept twice."""
    project = dish_panel()
    assert project.part is not None
    coarse = part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=0.12))
    weaker = coarse
    for material in coarse.materials:
        for strength in ("Xt", "Xc", "Yt", "Yc", "S12"):
            value = getattr(material, strength)
            if value is not None:
                weaker = stack_edits.set_value(weaker, material.name, strength, value / 2)
    sender, receiver, memory = Sender(), Receiver(), Memory()
    parcel = sender.pack(answer(coarse, memory))
    whole = size_of(parcel)
    first = receiver.unpack(parcel)

    def no_model(*_: object) -> None:
        raise AssertionError("a model was built")

    monkeypatch.setattr("tartan.project.analysis.jobs.shell_model", no_model)
    parcel = sender.pack(answer(weaker, memory))
    moved = first.solution.displacement.nbytes + first.solution.strains.nbytes
    assert size_of(parcel) < whole - moved
    second = receiver.unpack(parcel)
    assert second.solution.strains is first.solution.strains
    assert second.solution.displacement is first.solution.displacement
    assert all(
        a.shapes is b.shapes
        for a, b in zip(
            (*first.buckling, *first.modes), (*second.buckling, *second.modes), strict=True
        )
    )
    assert second.margins.reserve.min() < first.margins.reserve.min()

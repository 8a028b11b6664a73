"""Meshes that are made at once, or apart while whoever listens goes on."""

import time
from collections.abc import Callable, Iterator

import numpy as np
import pytest

from tartan.core.errors import PartError
from tartan.core.shell.mesh import Opening, Panel
from tartan.core.shell.mesher import Finer
from tartan.core.shell.shapes import Tube, mesh_of
from tartan.project.analysis import meshes
from tartan.project.analysis.meshes import Key, Meshes, MeshPending, MeshStopped

HOLED = Panel(1.0, 0.8, openings=(Opening("hole", 0.1, 0.05, 0.3, 0.3),))


def key(size: float) -> Key:
    return HOLED, size, ()


@pytest.fixture
def told() -> list[bool]:
    return []


@pytest.fixture
def store(told: list[bool]) -> Iterator[Meshes]:
    """A store that somebody listens to."""
    made = Meshes()
    made.listen(told.append)
    yield made
    made.leave(told.append)
    assert not made.busy
    assert made._process is None


def until(store: Meshes, done: Callable[[], bool]) -> None:
    end = time.monotonic() + 60
    while not done():
        assert time.monotonic() < end
        store.poll()
        time.sleep(0.005)


def test_without_a_listener_every_mesh_is_there_at_once() -> None:
    store = Meshes()
    fine = key(0.02)
    assert meshes._expected(fine) > meshes.AT_ONCE
    found = store.mesh(fine)
    assert found is store.mesh(fine)
    np.testing.assert_array_equal(found.nodes, mesh_of(HOLED, 0.02).nodes)


def test_only_what_takes_a_while_is_made_apart(store: Meshes, told: list[bool]) -> None:
    assert store.mesh(key(0.1)).count > 10
    # Meshes of a pattern take no time, whatever their number.
    assert store.mesh((Tube(0.1, 1.0), 0.004, ())).count > 20 * meshes.AT_ONCE
    assert told == []
    with pytest.raises(MeshPending, match="about 2,000 elements"):
        store.mesh(key(0.02))
    assert store.waits(key(0.02))
    assert told == [False]
    until(store, lambda: not store.busy)
    assert told == [False, True]
    found = store.found(key(0.02))
    assert found is not None
    assert found.count == mesh_of(HOLED, 0.02).count
    assert store.mesh(key(0.02)) is found


def test_what_is_stopped_stays_refused_until_it_is_forgotten(store: Meshes) -> None:
    with pytest.raises(MeshPending):
        store.mesh(key(0.01))
    store.cancel()
    assert not store.busy
    refused = []
    for _ in range(2):
        with pytest.raises(MeshStopped, match="stopped") as caught:
            store.mesh(key(0.01))
        refused.append(caught.value)
    # What is kept holds no frames of those who asked: a window would stay with them.
    assert refused[0] is not refused[1]
    assert refused[0].mend == refused[1].mend
    assert "F5" in refused[0].mend
    store.forget()
    with pytest.raises(MeshPending):
        store.mesh(key(0.01))


def test_the_last_wanted_goes_first_and_given_up_it_is_asked_anew(
    store: Meshes, told: list[bool]
) -> None:
    for size in (0.018, 0.016, 0.014):
        store.want(key(size))
    # The one begun is ended, then the last that was wanted.
    assert store._wanted == [key(0.018), key(0.014), key(0.016)]
    store.give_up()
    assert not store.busy
    assert told[-1]
    assert store.found(key(0.014)) is None
    assert store.waits(key(0.014))
    until(store, lambda: not store.busy)
    assert store.found(key(0.014)) is not None


def test_what_is_seen_to_be_wrong_is_refused_at_once(store: Meshes, told: list[bool]) -> None:
    """No mesher is asked for cut-outs that leave the panel, nor for figures beyond all parts."""
    outside = Panel(1.0, 0.8, openings=(Opening("hole", 0.45, 0.0, 0.3, 0.3),))
    sizes = (1e-200, 5e-324, 1e-9, float("nan"), float("inf"), -1.0, 0.0)
    wrong: list[Key] = [(outside, 0.02, ()), *(key(x) for x in sizes)]
    wrong += [(HOLED, 0.05, (Finer(x, 0.05, "hole"),)) for x in (1e-200, 5e-324, 1e-8)]
    wrong += [(HOLED, 0.02, (Finer(0.01, x, "hole"),)) for x in (1e200, float("inf"))]
    for each in wrong:
        with pytest.raises(PartError) as caught:
            store.mesh(each)
        assert not isinstance(caught.value, MeshPending), each
    assert told == []


def test_whoever_else_waits_is_told_of_a_stop(store: Meshes, told: list[bool]) -> None:
    store.want(key(0.01))
    store.cancel()
    assert told == [False, True]


def test_old_meshes_make_room(store: Meshes) -> None:
    for i in range(meshes.KEPT + 3):
        store.mesh(key(0.1 + 0.001 * i))
    assert store.found(key(0.1)) is None
    assert store.found(key(0.1 + 0.001 * (meshes.KEPT + 2))) is not None

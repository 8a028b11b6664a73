"""Meshes of surfaces, each made once; in a window, those that take a while are made apart.

What is worked out on them by a thread, such as how plies lie, is awaited together with them.

Whoever needs a mesh asks for it and has it at once, or is told by `MeshPending` that it is being
made. Without anybody who listens (command line, solver, tests) every mesh is made at once.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from contextlib import suppress
from copy import copy
from multiprocessing.connection import Connection

from tartan.core.errors import PartError, TartanError
from tartan.core.shell.mesh import Mesh, Panel
from tartan.core.shell.mesher import Finer
from tartan.core.shell.shapes import check_shape, expected_elements, is_trimmed, mesh_of
from tartan.project.analysis.children import Child
from tartan.project.document.packed_arrays import unpack_mesh
from tartan.project.document.partmodel import Part, ReadSurface, Surface

Key = tuple[Surface, float, tuple[Finer, ...]]
"""A surface, its element size [m] and its refinements."""

Ear = Callable[[bool], None]
"""Told whether meshing has ended, else that it begins."""

KEPT = 12
"""Meshes remembered: of the part at work, of steps that can be taken back, of other versions."""

AT_ONCE = 500
"""Elements of a trimmed surface up to which nobody waits for its mesh: about 50 ms."""

AT_OPENING = 2500
"""The same while a project is opened, where a moment is expected."""


def mesh_key(part: Part) -> Key:
    """What a part's mesh depends on."""
    return part.surface, part.mesh_size, part.finer


class MeshPending(PartError):  # noqa: N818 - nothing is wrong
    """A mesh is being made, or plies are laid on it; what needs them can be had when they are."""

    passing = True


class MeshStopped(PartError):  # noqa: N818 - who stopped it knows
    """A mesh is not made as its making was stopped; it is once it is asked for anew."""


def _expected(key: Key) -> float:
    """About how many elements a mesh will have that takes its time; zero where it does not."""
    surface, size, finer = key
    if not isinstance(surface, Panel) or not is_trimmed(surface, finer):
        return 0.0
    return expected_elements(surface, size, finer)


class Meshes:
    """Meshes by surface, size and refinements.

    Used from the window's thread and from threads beside it; only the first is spared the wait.
    """

    def __init__(self) -> None:
        self._kept: OrderedDict[Key, Mesh | TartanError] = OrderedDict()
        self._ears: list[Ear] = []
        self._wanted: list[Key] = []
        self._beside: list[threading.Event] = []
        self._process: Child | None = None

    # What is there

    def mesh(self, key: Key) -> Mesh:
        """The mesh of a surface.

        Raises
        ------
        MeshPending
            When it takes a while and is being made apart.
        PartError, DocumentError
            As `mesh_of` and `unpack_mesh`.
        """
        surface, size, finer = key
        if isinstance(surface, ReadSurface):
            return unpack_mesh(surface.mesh)
        found = self._kept.get(key)
        if found is None:
            if self._spared(AT_ONCE, key):
                # What can be seen to be wrong is refused now, not when the mesher comes to it.
                check_shape(surface, size, finer)
                self.want(key)
                count = _expected(key)
                raise MeshPending(
                    f"The part is being meshed with about {count:,.0f} elements.",
                    "Mesh size",
                    "It is taken over as soon as it is there.",
                )
            found = mesh_of(surface, size, finer)
            self.keep(key, found)
        if isinstance(found, TartanError):
            # Another each time: one that is kept would keep the frames, and windows, it came by.
            raise copy(found)
        # Another thread may have let it go meanwhile; it stays with whoever uses it.
        with suppress(KeyError):
            self._kept.move_to_end(key)
        return found

    @property
    def heard_here(self) -> bool:
        """Whether a window asks, which is spared what takes a while."""
        return bool(self._ears) and threading.current_thread() is threading.main_thread()

    def _spared(self, most: int, key: Key) -> bool:
        return self.heard_here and _expected(key) > most

    def found(self, key: Key) -> Mesh | None:
        """A mesh that was made, else None."""
        found = self._kept.get(key)
        return found if isinstance(found, Mesh) else None

    def waits(self, key: Key) -> bool:
        """Whether a mesh has to be waited for; it is then being made."""
        try:
            self.mesh(key)
        except MeshPending:
            return True
        except TartanError:
            return False
        return False

    def keep(self, key: Key, found: Mesh | TartanError) -> None:
        """Remember a mesh, or why there is none."""
        self._kept[key] = found
        while len(self._kept) > KEPT:
            self._kept.popitem(last=False)

    def open(self, key: Key) -> None:
        """Mesh at once what does not take long, as a project is opened."""
        surface, size, finer = key
        if isinstance(surface, ReadSurface) or self._spared(AT_OPENING, key):
            return
        with suppress(TartanError):
            if key not in self._kept:
                self.keep(key, mesh_of(surface, size, finer))

    # What is made apart

    def listen(self, ear: Ear) -> None:
        """Have long meshing done apart, be told when it begins, poll, and be told when it ends."""
        self._ears.append(ear)

    def leave(self, ear: Ear) -> None:
        """Listen no more; what is made for nobody is given up."""
        self._ears = [each for each in self._ears if each != ear]
        if not self._ears:
            self._wanted, self._beside = [], []
            self._end()

    @property
    def meshing(self) -> bool:
        """Whether a mesh is being made apart."""
        return bool(self._wanted)

    @property
    def busy(self) -> bool:
        """Whether a mesh, or what is laid on it, is being made apart."""
        return bool(self._wanted or self._beside)

    def await_beside(self, done: threading.Event) -> None:
        """Tell whoever listens, as of a mesh, when something is done that a thread is at."""
        if done not in self._beside:
            self._beside.append(done)
            self._tell(ended=False)

    def want(self, key: Key) -> None:
        """Have a mesh made apart; what was wanted before and is not begun waits behind it."""
        if key in self._wanted[:1]:
            return
        self._wanted = self._wanted[:1] + [key] + [k for k in self._wanted[1:] if k != key]
        self._begin()
        self._tell(ended=False)

    def _tell(self, ended: bool) -> None:
        for ear in list(self._ears):
            ear(ended)

    def _begin(self) -> None:
        if self._process is None and self._wanted:
            self._process = Child("tartan-mesher", serve, self._wanted[0])

    def poll(self) -> None:
        """See whether a mesh, or something beside, is there; whoever listens is told."""
        left = [each for each in self._beside if not each.is_set()]
        if len(left) < len(self._beside):
            self._beside = left
            self._tell(ended=True)
        if self._process is None:
            return
        connection = self._process.connection
        if not connection.poll() and self._process.is_alive():
            return
        found: Mesh | TartanError
        try:
            found = connection.recv()
        except (EOFError, OSError):
            found = PartError(
                "The mesher ended unexpectedly.",
                "Mesh size",
                "Press F5 to try again, or choose another size.",
            )
        key = self._wanted.pop(0)
        self._end()
        self.keep(key, found)
        self._begin()
        self._tell(ended=True)

    def give_up(self) -> None:
        """Make no more meshes; whoever listens and still needs one asks again."""
        if self.busy:
            self._wanted, self._beside = [], []
            self._end()
            self._tell(ended=True)

    def cancel(self) -> None:
        """Make no more meshes; those that were wanted stay refused until `forget`."""
        for key in self._wanted:
            self.keep(
                key,
                MeshStopped(
                    "Meshing was stopped.",
                    "Mesh size",
                    "Press F5 to mesh again, or choose a larger size.",
                ),
            )
        self.give_up()

    def forget(self) -> None:
        """Try again what was refused."""
        self._kept = OrderedDict((k, m) for k, m in self._kept.items() if isinstance(m, Mesh))

    def _end(self) -> None:
        if self._process is not None:
            self._process.connection.close()
            # Its end is not waited for: freeing its memory would hold up the window.
            self._process.kill()
        self._process = None


def serve(connection: Connection, key: Key) -> None:
    """Make one mesh and send it, or why there is none."""
    found: Mesh | TartanError
    try:
        found = mesh_of(*key)  # type: ignore[arg-type]
    except TartanError as error:
        found = error
    except Exception as error:  # noqa: BLE001 - whatever happens, the window must hear of it
        found = PartError(
            f"The surface could not be meshed ({type(error).__name__}).",
            "Mesh size",
            "Choose another size.",
        )
    with suppress(OSError):
        connection.send(found)


MESHES = Meshes()
"""Those of this process."""

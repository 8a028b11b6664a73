"""Nothing lost and nothing wrong from files: whole or not at all, checked, locked, named."""

import dataclasses
import json
import os
import shutil
import stat
import subprocess
import sys
import time
from pathlib import Path

import h5py
import numpy as np
import pytest

from tartan.core.errors import DocumentError
from tartan.core.stack import Ply, Stack
from tartan.project.analysis import results
from tartan.project.analysis.jobs import Memory, PartAnswer, SolveRequest, run_solve
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.disk.wholefile import PART, replacing
from tartan.project.document.history import History
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Case
from tartan.project.document.textgate import refuse_odd_text
from tartan.project.edits import stack_edits
from tartan.project.files import filelock, recovery, storage
from tests.conftest import CARBON
from tests.project.test_held_loads import coupon, pulled

FAULTS = Path(__file__).parents[1] / "faults"


@pytest.fixture(autouse=True)
def own_state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("TARTAN_STATE", str(tmp_path / "state"))
    return tmp_path / "state"


# Results


def answered(project: Project, memory: Memory | None = None) -> PartAnswer:
    job = run_solve(SolveRequest(0, part_inputs(project)), memory or Memory(on_disk=True))
    while True:
        try:
            next(job)
        except StopIteration as end:
            found: PartAnswer = end.value
            return found


def test_a_result_is_taken_for_what_it_holds_not_for_its_name() -> None:
    one = coupon([Case("pull", pulled(("right", 1e4)))])
    other = coupon([Case("pull", pulled(("right", 2e4)))])
    first, second = answered(one), answered(other)
    assert first.resolved
    assert not answered(one).resolved
    path = results.folder() / f"{results.digest(part_inputs(one))}.h5"
    foreign = results.folder() / f"{results.digest(part_inputs(other))}.h5"
    whole = path.read_bytes()

    def anew(reason: str) -> None:
        """The part is solved anew, says so once, and the file is good again."""
        found = answered(one)
        assert found.resolved
        assert reason in found.note
        np.testing.assert_array_equal(found.solution.strains, first.solution.strains)
        assert not answered(one).resolved
        assert answered(one).note == ""
        path.write_bytes(whole)

    # Another project's answer under this name.
    shutil.copy(foreign, path)
    anew("another project")
    # Strains a tenth of what they were, as a good-looking file.
    with h5py.File(path, "r+") as file:
        file["strains"][...] *= 0.1
    anew("not those that were kept")
    with h5py.File(path, "r+") as file:
        file.attrs["version"] = "0.0.0"
    anew("another project or version")
    for cut in (0, 10, len(whole) // 2, len(whole) - 1):
        path.write_bytes(whole[:cut])
        anew("damaged")
    flipped = bytearray(whole)
    flipped[len(whole) // 2] ^= 0xFF
    path.write_bytes(bytes(flipped))
    found = answered(one)
    np.testing.assert_array_equal(found.solution.strains, first.solution.strains)
    assert second.solution.strains.max() == pytest.approx(2 * first.solution.strains.max())


# Whole files


def test_a_file_is_whole_or_as_it_was(tmp_path: Path) -> None:
    path = tmp_path / "a.txt"
    path.write_text("old")
    path.chmod(0o640)
    with replacing(path) as beside:
        assert beside.parent == tmp_path
        beside.write_text("new")
        assert path.read_text() == "old"
    assert path.read_text() == "new"
    assert stat.S_IMODE(path.stat().st_mode) == 0o640

    def broken(error: BaseException) -> None:
        with replacing(path) as beside:
            beside.write_text("half")
            raise error

    for error in (OSError(28, "full"), KeyboardInterrupt()):
        with pytest.raises(type(error)):
            broken(error)
    assert path.read_text() == "new"
    assert [f.name for f in tmp_path.iterdir() if PART in f.name] == []
    # A new file has the mode that the user's other new files have.
    plain, made = tmp_path / "plain", tmp_path / "made"
    plain.touch()
    with replacing(made) as beside:
        beside.write_text("x")
    assert stat.S_IMODE(made.stat().st_mode) == stat.S_IMODE(plain.stat().st_mode)


def test_links_stay_and_lead_to_what_was_saved(tmp_path: Path) -> None:
    real, link = tmp_path / "real" / "p.tartan.json", tmp_path / "p.tartan.json"
    real.parent.mkdir()
    project = Project("one")
    storage.save(project, real)
    link.symlink_to(real)
    storage.save(dataclasses.replace(project, name="two"), link)
    assert link.is_symlink()
    assert storage.load(real).name == "two"


def test_what_a_killed_save_leaves_is_cleared_away(tmp_path: Path) -> None:
    path = tmp_path / "a[1].tartan.json"
    stale = tmp_path / f".{path.name}.abc{PART}.json"
    fresh = tmp_path / f".{path.name}.def{PART}.json"
    for f in (stale, fresh):
        f.write_text("{")
    os.utime(stale, (time.time() - 3600,) * 2)
    storage.save(Project("p"), path)
    assert not stale.exists()
    # Another process may be at work on a young one.
    assert fresh.exists()


def test_a_killed_save_damages_nothing(tmp_path: Path) -> None:
    path = tmp_path / "p.tartan.json"
    code = (
        "import sys; from pathlib import Path; from tartan.project.files import storage;"
        "from tartan.project.document.samples import dish_panel;"
        "import dataclasses; p = dish_panel();"
        "i = 0\n"
        "while True:\n"
        "    storage.save(dataclasses.replace(p, name=f'n{i}'), Path(sys.argv[1])); i += 1\n"
        "    print(i, flush=True)\n"
    )
    for wait in (0.0, 0.003, 0.011):
        child = subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE)
        assert child.stdout is not None
        for _ in range(3):
            child.stdout.readline()
        time.sleep(wait)
        child.kill()
        child.wait()
        child.stdout.close()
        assert storage.load(path).name.startswith("n")


# Recovery


def test_whatever_lies_in_the_state_folder_is_read_or_set_aside(own_state: Path) -> None:
    place = recovery.folder()
    place.mkdir(parents=True)
    for f in FAULTS.glob("*.recovery.json"):
        shutil.copy(f, place)
    good = recovery.Keeper()
    project = stack_edits.add_materials(Project("work"), [CARBON])
    good.keep(project, None)
    text = json.loads(good.file.read_text("utf-8"))
    good.file.write_text(json.dumps({**text, "started": "of another time"}))
    odd = {
        "deep": "[" * 100_000,
        "number": "1",
        "null": "null",
        "list": "[]",
        "bytes": "\udcff",
        "huge": json.dumps({**text, "pid": 10**400, "started": ""}),
        "bad pid": json.dumps({**text, "pid": True, "started": 5}),
        "bad path": json.dumps({**text, "path": 7}),
        "zero": json.dumps({**text, "path": "a\0b", "started": "x"}),
    }
    for name, content in odd.items():
        (place / f"{name}.recovery.json").write_text(content, "utf-8", "surrogateescape")
    (place / "folder.recovery.json").mkdir()
    aside = recovery.set_aside()
    assert len(aside) >= len(odd)
    assert all(f.exists() and f.name.endswith(".unreadable") for f in aside)
    left = recovery.left_behind()
    assert project in [x.project for x in left]
    # Told once: nothing is in the way at the next start.
    assert recovery.set_aside() == []
    assert recovery.left_behind() == left or len(recovery.left_behind()) == len(left)


# Names


@pytest.mark.parametrize("bad", ["a\ud800b", "a\x00", "tab\there", "\x1b[31m", "line\nbreak"])
def test_text_that_no_file_can_hold_is_refused_where_it_enters(bad: str) -> None:
    project = stack_edits.add_materials(Project("p"), [CARBON])
    history = History.start(project, saved=True)
    changes = (
        lambda p: dataclasses.replace(p, name=bad),
        lambda p: dataclasses.replace(p, materials=(dataclasses.replace(CARBON, name=bad),)),
        lambda p: dataclasses.replace(p, stacks=(Stack(bad, (Ply(CARBON.name, 0.0, 1e-3),)),)),
    )
    for change in changes:
        with pytest.raises(DocumentError, match="U\\+"):
            history.apply("name", change)
        assert history.project == project
    # In several lines where several lines are meant.
    refuse_odd_text(
        dataclasses.replace(project, materials=(dataclasses.replace(CARBON, source="one\ntwo"),)),
        project,
    )
    history.apply("name", lambda p: dataclasses.replace(p, name="größer ∅ 字 é"))
    assert storage.from_text(storage.to_text(history.project)) == history.project


# Locks


def test_a_lock_names_who_has_a_file_open(tmp_path: Path) -> None:
    path = tmp_path / "p.tartan.json"
    path.write_text("{}")
    mine, yours = filelock.Lock(), filelock.Lock()
    assert mine.take(path) is None
    other = yours.take(path)
    assert other is not None
    assert other.user in other.words
    assert "another window" in other.words
    # Releasing what one does not hold leaves it.
    yours.release()
    assert filelock.holder(path) == other
    mine.release()
    assert filelock.holder(path) is None
    assert yours.take(path) is None
    yours.release()
    file = filelock.lock_file(path)
    dead = {
        "token": "x",
        "user": "ada",
        "host": filelock.socket.gethostname(),
        "pid": 1,
        "started": "never",
        "since": time.time(),
    }
    away = {**dead, "host": "another-machine"}
    for content, held in (
        (dead, False),
        (away, True),
        ({**away, "since": 0.0}, False),
        ({**dead, "pid": 10**400}, False),
        ([], False),
        ("x", False),
        ({**away, "since": "1e999"}, False),
    ):
        file.write_text(json.dumps(content))
        assert (filelock.holder(path) is not None) == held, content
    file.write_bytes(b"\xff" * 100)
    assert filelock.holder(path) is None
    # Where nothing can be written beside the file, nobody is told and nothing breaks.
    assert filelock.Lock().take(tmp_path / "no" / "folder.tartan.json") is None


def test_a_stamp_tells_files_apart(tmp_path: Path) -> None:
    a, b = tmp_path / "a", tmp_path / "b"
    a.write_text("x")
    b.write_text("x")
    assert filelock.stamp(a) == filelock.stamp(b) != filelock.stamp(tmp_path / "none") == ""

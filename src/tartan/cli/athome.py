"""Tartan among the user's programs: icon, menu entry, file type, man page and completion.

Places are those of the freedesktop.org base directory, desktop entry, shared MIME info, icon theme
and AppStream specifications, all in the user's own folders.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from importlib.resources import files
from pathlib import Path
from typing import Any

import platformdirs

from tartan import __version__
from tartan.cli.completion import script
from tartan.cli.man import man_page
from tartan.core.errors import DocumentError
from tartan.project.disk.wholefile import replacing

ASSETS = ("assets", "desktop")

RENEWED = (
    ("update-mime-database", "mime"),
    ("update-desktop-database", "applications"),
    ("gtk-update-icon-cache", "icons/hicolor"),
)
"""Programs that make the desktop look again, and the folder each is told; those that are there."""


def data_home() -> Path:
    """The user's folder of shared data."""
    given = os.environ.get("XDG_DATA_HOME", "")
    return Path(given) if given.startswith("/") else Path.home() / ".local/share"


def _config_home() -> Path:
    given = os.environ.get("XDG_CONFIG_HOME", "")
    return Path(given) if given.startswith("/") else Path.home() / ".config"


def places() -> dict[str, Path]:
    """Where each thing lies, by its name."""
    home = data_home()
    return {
        "tartan.desktop": home / "applications/tartan.desktop",
        "tartan.svg": home / "icons/hicolor/scalable/apps/tartan.svg",
        "tartan-project.svg": home
        / "icons/hicolor/scalable/mimetypes/application-x-tartan+json.svg",
        "tartan-mime.xml": home / "mime/packages/tartan.xml",
        "tartan.metainfo.xml": home / "metainfo/tartan.metainfo.xml",
        "man": home / "man/man1/tartan.1",
        "bash": home / "bash-completion/completions/tartan",
        "zsh": home / "zsh/site-functions/_tartan",
        "fish": _config_home() / "fish/completions/tartan.fish",
    }


def program() -> str:
    """The command as a menu entry calls it."""
    beside = Path(sys.executable).with_name("tartan")
    called = shutil.which("tartan") or str(beside)
    return str(beside) if beside.exists() else called


def _exec(path: str) -> str:
    """A path in the quotes of the desktop entry specification."""
    for sign in ("\\", '"', "`", "$"):
        path = path.replace(sign, "\\" + sign)
    # A per cent sign begins a code, and a backslash is read twice.
    return '"' + path.replace("%", "%%").replace("\\", "\\\\") + '"'


def settle(command: Any) -> Iterator[Path]:
    """Put everything in its place; tells each file that was written.

    Parameters
    ----------
    command : click group
        All commands, for man page and completion.

    Raises
    ------
    DocumentError
        When a file cannot be written.
    """
    for name, path in places().items():
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            with replacing(path) as beside:
                beside.write_text(_content(name, command), "utf-8")
        except OSError as error:
            raise DocumentError(
                f"It cannot be written ({error.strerror}).", str(path), "Free the folder."
            ) from error
        yield path
    _renew()


def _content(name: str, command: Any) -> str:
    if name == "man":
        return man_page(command)
    if name in ("bash", "zsh", "fish"):
        return script(command, name) + "\n"
    text = files("tartan").joinpath(*ASSETS, name).read_text("utf-8")
    return text.replace("@PROGRAM@", _exec(program())).replace("@VERSION@", __version__)


def take_away() -> Iterator[Path]:
    """Take everything away again; tells each file that was there.

    Raises
    ------
    DocumentError
        When a file cannot be removed.
    """
    for path in places().values():
        try:
            path.unlink()
        except FileNotFoundError:
            continue
        except OSError as error:
            raise DocumentError(
                f"It cannot be removed ({error.strerror}).", str(path), "Free the folder."
            ) from error
        _remove_empty(path.parent)
        yield path
    _renew()
    _remove_derived()


DERIVED = {
    "mime/packages": (
        "mime",
        "aliases generic-icons globs globs2 icons magic mime.cache subclasses treemagic types "
        "version XMLnamespaces application/x-tartan+json.xml",
    ),
    "applications": ("applications", "mimeinfo.cache"),
    "icons/hicolor/scalable": ("icons/hicolor", "icon-theme.cache"),
}
"""What the desktop derives of a folder, and where; left over once nothing else is in it."""


def _remove_derived() -> None:
    home = data_home()
    for source, (folder, names) in DERIVED.items():
        inside = home / source
        own = [home / folder / n for n in names.split()]
        others = [p for p in inside.rglob("*") if p.is_file() and p not in own]
        if others:
            continue
        for path in own:
            path.unlink(missing_ok=True)
            _remove_empty(path.parent)
        if (home / folder).is_dir():
            _remove_empty(home / folder)


def own_places() -> dict[str, Path]:
    """What the program keeps of the user's own, and what it can make again."""
    return {
        "materials": Path(platformdirs.user_data_dir("tartan")),
        "unsaved work": Path(platformdirs.user_state_dir("tartan")),
        "preferences": _config_home() / "tartan",
        "answers": Path(platformdirs.user_cache_dir("tartan")),
    }


def forget(*, everything: bool) -> Iterator[tuple[str, Path, bool]]:
    """Remove what can be made again, and with `everything` the user's own too.

    Tells each folder that was there: what is in it, where it is, and whether it was removed.
    """
    for what, path in own_places().items():
        if path.exists():
            gone = everything or what == "answers"
            if gone:
                shutil.rmtree(path, ignore_errors=True)
            yield what, path, gone


def _remove_empty(folder: Path) -> None:
    """Remove a folder that only we needed, and those above it, up to the user's own."""
    ends = {data_home(), _config_home(), Path.home()}
    while folder not in ends and folder.is_dir() and not any(folder.iterdir()):
        folder.rmdir()
        folder = folder.parent


def _renew() -> None:
    """Have the desktop look again, as far as it has the programs for it."""
    for name, folder in RENEWED:
        found, place = shutil.which(name), data_home() / folder
        if found and place.is_dir():
            subprocess.run([found, str(place)], check=False, capture_output=True, timeout=60)

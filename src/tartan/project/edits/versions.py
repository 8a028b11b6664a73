"""Versions of a design: cloned, switched, renamed, deleted, and compared with a baseline.

A project holds the version at work in its own fields and the others as records beside it; they
share whatever is equal. What both are made of is a `Design`.
"""

from __future__ import annotations

from dataclasses import replace

from tartan.core.errors import DocumentError
from tartan.project.document.model import Project, Version
from tartan.project.edits.design_edits import check_name


def as_version(project: Project) -> Version:
    """Return the version at work as a record."""
    return Version(project.version, **project.entered())


def as_project(project: Project, version: Version) -> Project:
    """Return the project as it would be with another version at work; the others stay."""
    return replace(project, version=version.name, **version.entered())


def version_names(project: Project) -> list[str]:
    """Names of all versions, in order."""
    return sorted((project.version, *(v.name for v in project.versions)), key=str.casefold)


def find_version(project: Project, name: str) -> Version:
    """Version of a name, the one at work included.

    Raises
    ------
    DocumentError
        When there is none.
    """
    if name == project.version:
        return as_version(project)
    found = next((v for v in project.versions if v.name == name), None)
    if found is None:
        raise DocumentError(
            f"There is no version '{name}'.",
            "Versions",
            f"There are {', '.join(version_names(project))}.",
        )
    return found


def clone_version(project: Project, name: str = "") -> Project:
    """Keep the version at work as it stands and go on in a copy of it.

    Raises
    ------
    DocumentError
        When the name is taken.
    """
    taken = version_names(project)
    if name:
        clean = check_name(name, taken, "version")
    else:
        clean = next_version(project.version)
        while clean in taken:
            clean = next_version(clean)
    return replace(project, version=clean, versions=(*project.versions, as_version(project)))


def add_version(project: Project, other: Project, name: str) -> Project:
    """Keep another project's design as a version of this one, to be compared with."""
    taken = version_names(project)
    number, clean = 2, name
    while clean in taken:
        clean, number = f"{name} {number}", number + 1
    kept = replace(as_version(other), name=clean)
    return replace(project, versions=(*project.versions, kept))


def switch_version(project: Project, name: str) -> Project:
    """Work on another version; the one left is kept as it stands."""
    if name == project.version:
        return project
    found = find_version(project, name)
    left = as_version(project)
    others = tuple(left if v is found else v for v in project.versions)
    return replace(as_project(project, found), versions=others)


def delete_version(project: Project, name: str) -> Project:
    """Delete a version that is not at work.

    Raises
    ------
    DocumentError
        When it is, or there is none of that name.
    """
    if name == project.version:
        raise DocumentError(
            f"Version {name} is the one at work.", "Versions", "Switch to another one first."
        )
    find_version(project, name)
    left = tuple(v for v in project.versions if v.name != name)
    against = "" if project.against == name else project.against
    return replace(project, versions=left, against=against)


def rename_version(project: Project, name: str, old: str = "") -> Project:
    """Give a version another name, the one at work where none is named."""
    old = old or project.version
    clean = check_name(name, (n for n in version_names(project) if n != old), "version")
    versions = tuple(replace(v, name=clean) if v.name == old else v for v in project.versions)
    against = clean if project.against == old else project.against
    version = clean if project.version == old else project.version
    return replace(project, version=version, versions=versions, against=against)


def compare_with(project: Project, name: str) -> Project:
    """Compare everything with a version; with nothing where the name is empty."""
    if name:
        find_version(project, name)
    return replace(project, against=name)


def pin_baseline(project: Project) -> Project:
    """Make the design as it stands the baseline; work goes on in a copy under the next name."""
    return compare_with(clone_version(project), project.version)


def unpin_baseline(project: Project) -> Project:
    """Compare with nothing; the versions stay."""
    return compare_with(project, "")


def next_version(name: str) -> str:
    """Name after this one: A, B … Z, then with numbers."""
    head = name[:1].upper()
    if len(name) == 1 and "A" <= head < "Z":
        return chr(ord(head) + 1)
    stem = name.rstrip("0123456789")
    number = name[len(stem) :]
    return f"{stem.rstrip()} {int(number) + 1 if number else 2}"

"""The man page, of the same words that the commands themselves say."""

from __future__ import annotations

import inspect
from typing import Any

from tartan import __version__

DESCRIPTION = """Tartan designs and substantiates parts made of composite laminates: plies,
stacking sequences and laminates; shells under loads and temperature; failure of plies and
sandwiches. It answers one question: does it hold, where, in which ply, in which load case, by
which failure mode, and by how much. Without a command it opens its window."""

EXIT = (
    ("0", "All requirements are met, or the command did what it was asked."),
    ("1", "A requirement is not met, or a solved case is not reached."),
    ("2", "The input cannot be used; what, where and how to mend it is said."),
)

FILES = (
    ("*.tartan.json", "A project: materials, stacks, part, cases, requirements and versions."),
    ("$XDG_STATE_HOME/tartan", "Unsaved work, offered again after a crash."),
    ("$XDG_CACHE_HOME/tartan", "Solved answers; may be deleted at any time."),
)


def man_page(command: Any) -> str:
    """Man page of the command line, in the macros of man(7).

    Parameters
    ----------
    command : click group
        All commands.
    """
    lines = [
        f'.TH TARTAN 1 "" "Tartan {__version__}" "User commands"',
        ".SH NAME",
        f"tartan \\- {_text(str(command.help).rstrip('.').lower())}",
        ".SH SYNOPSIS",
        ".B tartan",
        "[FILE]",
        ".br",
        ".B tartan",
        "COMMAND [OPTIONS] [ARGUMENTS]",
        ".SH DESCRIPTION",
        _text(" ".join(DESCRIPTION.split())),
        ".SH COMMANDS",
    ]
    for name, each in command.commands.items():
        usage = " ".join(_usage(p) for p in each.params if p.param_type_name == "argument")
        lines += [".TP", f".B tartan {_text(name)} {_text(usage)}".rstrip(), *_help(each.help)]
        for option in each.params:
            if option.param_type_name == "option" and "--help" not in option.opts:
                lines += [".RS", ".TP", f".B {_text(', '.join(option.opts))}"]
                lines += [_text(option.help or ""), ".RE"]
    lines += [".SH OPTIONS"]
    for option in command.params:
        if option.param_type_name == "option":
            lines += [".TP", f".B {_text(', '.join(option.opts))}", _text(option.help or "")]
    for title, entries in (("EXIT STATUS", EXIT), ("FILES", FILES)):
        lines.append(f".SH {title}")
        for head, words in entries:
            lines += [".TP", f".B {_text(head)}", _text(words)]
    return "\n".join(lines) + "\n"


def _usage(argument: Any) -> str:
    name = str(argument.metavar or argument.name).upper()
    name = f"{name} ..." if argument.nargs == -1 else name
    return name if argument.required else f"[{name}]"


def _help(words: str | None) -> list[str]:
    paragraphs = inspect.cleandoc(words or "").split("\n\n")
    return [_text(" ".join(p.split())) for p in paragraphs if p]


def _text(words: str) -> str:
    """Text as the macros take it."""
    words = words.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{words}" if words.startswith((".", "'")) else words

"""Completion of commands and options in a shell: plain scripts, so that a Tab starts nothing."""

from __future__ import annotations

from typing import Any

from tartan.core.errors import TartanError

SHELLS = ("bash", "zsh", "fish")


def script(command: Any, shell: str) -> str:
    """Script for a shell.

    Parameters
    ----------
    command : click group
        All commands.
    shell : str
        One of `SHELLS`.

    Raises
    ------
    TartanError
        For another shell.
    """
    makers = {"bash": _bash, "zsh": _zsh, "fish": _fish}
    if shell not in makers:
        raise TartanError(
            f"There is no completion for '{shell}'.",
            "Completion",
            f"Choose one of {', '.join(SHELLS)}.",
        )
    return makers[shell](_tree(command))


Tree = dict[str, tuple[str, tuple[tuple[str, str], ...]]]


def _tree(command: Any) -> Tree:
    """Commands with their first sentence and their options."""
    return {
        name: (
            (each.help or "").strip().partition("\n\n")[0].replace("\n", " "),
            tuple(
                (opt, p.help or "")
                for p in each.params
                if p.param_type_name == "option"
                for opt in p.opts
                if opt.startswith("--")
            ),
        )
        for name, each in command.commands.items()
    }


def _bash(tree: Tree) -> str:
    cases = "\n".join(
        f'    {name}) words="{" ".join(o for o, _ in options)}" ;;'
        for name, (_, options) in tree.items()
    )
    return f"""# Completion of tartan for bash.
_tartan() {{
  local here="${{COMP_WORDS[COMP_CWORD]}}" words=""
  if [ "$COMP_CWORD" -eq 1 ]; then
    words="{" ".join(tree)} --version --help"
  else
    case "${{COMP_WORDS[1]}}" in
{cases}
    esac
  fi
  if [ "${{here#-}}" != "$here" ] || [ "$COMP_CWORD" -eq 1 ]; then
    mapfile -t COMPREPLY < <(compgen -W "$words" -- "$here")
  fi
}}
complete -o default -F _tartan tartan"""


def _quoted(words: str) -> str:
    return "'" + words.replace("'", "'\\''") + "'"


def _zsh(tree: Tree) -> str:
    commands = "\n".join(
        f"    {_quoted(n + ':' + words.replace(':', ' -'))}" for n, (words, _) in tree.items()
    )
    cases = "\n".join(
        f"    {name}) _arguments {' '.join(_quoted(f'{o}[{_bare(w)}]') for o, w in options)} "
        "'*:file:_files' ;;"
        for name, (_, options) in tree.items()
    )
    return f"""#compdef tartan
# Completion of tartan for zsh.
local -a commands
commands=(
{commands}
)
if (( CURRENT == 2 )); then
  _describe command commands
  _files
else
  case "$words[2]" in
{cases}
  esac
fi"""


def _bare(words: str) -> str:
    return words.replace("[", "(").replace("]", ")")


def _fish(tree: Tree) -> str:
    lines = ["# Completion of tartan for fish."]
    for name, (words, options) in tree.items():
        lines.append(f"complete -c tartan -n __fish_use_subcommand -a {name} -d {_quoted(words)}")
        lines += [
            f"complete -c tartan -n '__fish_seen_subcommand_from {name}' "
            f"-l {option.removeprefix('--')} -d {_quoted(help_)}"
            for option, help_ in options
        ]
    return "\n".join(lines)

"""All compiled loops of the core: compiled with the program, and read before they are needed."""

from importlib import import_module

WITH_LOOPS = (
    "criteria.kernels",
    "criteria.program",
    "shell.sweep",
    "shell.force_gradients",
    "drape.net",
    "drape.pattern",
    "shell.within",
    "search.candidates",
    "search.orders",
)
"""Modules of the core that have some; loading them all takes as long as the program's start."""


def compile_in(module: str) -> None:
    """Compile and keep the loops of a module, or read them from where they are kept."""
    import_module(f"tartan.core.{module}").compile_all()


def compile_all() -> None:
    """Compile and keep every loop, which takes a minute, or read it from where it is kept."""
    for module in WITH_LOOPS:
        compile_in(module)


if __name__ == "__main__":
    compile_all()

"""Hold docstrings of the core to what a user of it needs: shapes, and what is raised.

Of every public function or method of a public class in `tartan.core`: where arrays go in or come
out, the docstring says their shape, as in ``shape (n, 3)`` or ``(n, 3)``; where it raises an error
of its own, it says so under Raises.
"""

import ast
import re
import sys
from collections.abc import Iterator
from pathlib import Path

CORE = Path("src/tartan/core")
SHAPE = re.compile(r"shape|\([^()]*\b(?:n|m|k|q|p|c|s|e|\d)\b[^()]*\)|scalar|array")
ARRAYS = ("Array", "NDArray", "Index", "ArrayLike")

Function = ast.FunctionDef


def public(body: list[ast.stmt], prefix: str = "") -> Iterator[tuple[str, Function]]:
    """Public functions of a module, and of its public classes."""
    for node in body:
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            yield from public(node.body, f"{node.name}.")
        elif isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            yield prefix + node.name, node


def has_arrays(function: Function) -> bool:
    """Whether an array goes in or comes out by the annotations."""
    given = [a.annotation for a in (*function.args.args, *function.args.kwonlyargs)]
    words = " ".join(ast.unparse(a) for a in (*given, function.returns) if a is not None)
    return any(re.search(rf"\b{name}\b", words) for name in ARRAYS)


def own_raises(function: Function) -> bool:
    """Whether it raises one of the program's errors itself."""
    for node in ast.walk(function):
        if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call):
            name = ast.unparse(node.exc.func)
            if name.endswith("Error") and name not in ("NotImplementedError", "AssertionError"):
                return True
    return False


def faults(path: Path) -> Iterator[str]:
    """What a file's docstrings leave out."""
    for name, function in public(ast.parse(path.read_text("utf-8")).body):
        words = ast.get_docstring(function) or ""
        place = f"{path}:{function.lineno} {name}"
        if any(
            ast.unparse(d).startswith(("property", "overload")) for d in function.decorator_list
        ):
            continue
        if has_arrays(function) and not SHAPE.search(words):
            yield f"{place}: say the shapes of its arrays"
        if own_raises(function) and "Raises\n" not in words and "Raise `" not in words:
            yield f"{place}: say what it raises"


def main() -> int:
    """Print what is left out; the status is 1 when anything is."""
    found = [fault for path in sorted(CORE.rglob("*.py")) for fault in faults(path)]
    print(*found, sep="\n")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())

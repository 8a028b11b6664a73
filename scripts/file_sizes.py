"""Hold files to a size that can be kept in the head."""

import sys
from pathlib import Path

MOST = 420

long = [
    (count, path)
    for root in ("src", "tests", "scripts", "bench")
    for path in sorted(Path(root).rglob("*.py"))
    if (count := len(path.read_text("utf-8").splitlines())) > MOST
]
for lines, path in long:
    print(f"{path}: {lines} lines, at most {MOST}")
sys.exit(1 if long else 0)

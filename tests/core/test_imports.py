"""What core stands on: its own parts, pure parts of the standard library, NumPy and SciPy where they are said to be."""

from __future__ import annotations

import ast
from collections import defaultdict
from pathlib import Path

import umbrak.core

HOME = Path(umbrak.core.__file__).parent
#: Parts of the standard library that neither read nor write nor know what time it is. `datetime` gives types; asking it for the
#: time of day is looked for below.
PURE = {"__future__", "collections", "copy", "dataclasses", "datetime", "decimal", "difflib", "enum", "fnmatch", "functools", "itertools", "math", "re", "types", "typing"}  # fmt: skip
IMPURE = {"open", "print", "input", "datetime.now", "datetime.utcnow", "date.today"}
#: What only some of core may use -> where.
SOME = {
    "numpy": {"routes", "proof", "rounds"},
    "scipy": {"routes", "proof", "rounds"},
    "operator": {"routes"},
    "time": {"routes", "rounds"},
    # Seeded: which parts of a round are thought over again.
    "random": {"rounds"},
}


def test_core_stands_on_what_it_says() -> None:
    found: dict[str, set[str]] = defaultdict(set)
    for path in HOME.rglob("*.py"):
        where = path.relative_to(HOME).parts[0]
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Import):
                names = [a.name for a in node.names]
            elif isinstance(node, ast.ImportFrom):
                names = [node.module or ""]
            else:
                assert not (isinstance(node, ast.Call) and ast.unparse(node.func) in IMPURE), path
                continue
            for name in names:
                top = name.partition(".")[0]
                if top != "umbrak":
                    found[top].add(where)
                else:
                    assert name.startswith("umbrak.core"), f"{path} imports {name}"
    assert {n: w for n, w in found.items() if n not in PURE} == {n: w for n, w in SOME.items() if n in found}
    assert SOME.keys() <= found.keys()

"""How the house is kept, where no tool of the trade checks it: what could be swapped is named."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import umbrak

HOME = Path(umbrak.__file__).parent
#: More members, or strings, than these have to be named.
MOST_MEMBERS, MOST_STRINGS, MOST_UNNAMED = 5, 2, 2
TREES = {p: ast.parse(p.read_text("utf-8")) for p in HOME.rglob("*.py") if "migrations" not in p.parts}


def records() -> dict[str, int]:
    """Name of each dataclass -> how many members it has of its own; one name of several classes is left out."""
    found: dict[str, list[int]] = {}
    for tree in TREES.values():
        for node in ast.walk(tree):
            if isinstance(node, ast.ClassDef) and any("dataclass" in ast.unparse(d) for d in node.decorator_list):
                members = sum(isinstance(b, ast.AnnAssign) for b in node.body)
                found.setdefault(node.name, []).append(members)
    return {name: counts[0] for name, counts in found.items() if len(counts) == 1}


def calls() -> Iterator[tuple[Path, str, ast.Call]]:
    for path, tree in TREES.items():
        for node in ast.walk(tree):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
                yield path, node.func.id, node


def test_records_of_many_members_are_built_by_keyword() -> None:
    large = {name for name, members in records().items() if members > MOST_MEMBERS}
    assert len(large) > 50
    wrong = [
        f"{path.relative_to(HOME)}:{call.lineno} {name}"
        for path, name, call in calls()
        if name in large and len(call.args) > MOST_UNNAMED and not any(isinstance(a, ast.Starred) for a in call.args)
    ]
    assert wrong == []


def test_no_function_takes_many_strings_by_their_place() -> None:
    wrong = []
    for path, tree in TREES.items():
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef) and not node.name.startswith("_") and path.parts[-2] in ROOMS:
                told = [ast.unparse(a.annotation) for a in node.args.args if a.annotation]
                if sum(t in ("str", "str | None") for t in told) > MOST_STRINGS:
                    wrong.append(f"{path.relative_to(HOME)}:{node.lineno} {node.name}")
    assert wrong == []


#: Where strings of one kind are taken for another most easily: what people and tables say.
ROOMS = {"store", *(p.name for p in (HOME / "services").iterdir() if p.is_dir())}

"""Examples that people read are run: those of docstrings, and those of docs/library.md."""

from __future__ import annotations

import doctest
import importlib
import re
from pathlib import Path

import pytest

import umbrak

HOME = Path(umbrak.__file__).parent
DOCS = HOME.parents[1] / "docs"
MODULES = sorted(
    ".".join(p.relative_to(HOME.parent).with_suffix("").parts)
    for p in HOME.rglob("*.py")
    if ">>>" in p.read_text("utf-8")
)


@pytest.mark.parametrize("name", MODULES)
def test_examples_of_docstrings_are_true(name: str) -> None:
    done = doctest.testmod(importlib.import_module(name))
    assert done.attempted and not done.failed


def test_the_library_is_as_it_is_documented(capsys: pytest.CaptureFixture[str]) -> None:
    blocks = re.findall(r"```python\n(.*?)```", (DOCS / "library.md").read_text("utf-8"), re.S)
    assert len(blocks) >= 4 and len(blocks[0].splitlines()) <= 10
    names: dict[str, object] = {}
    told = []
    for block in blocks:
        exec(compile(block, "docs/library.md", "exec"), names)
        told.append(capsys.readouterr().out.strip())
    assert all(told)
    assert told[0].startswith("undecided 768") and "(1.35, 1.5) 2" in told[1]
    assert "SlotState.FILLED" in told[2] or "filled" in told[2]
    assert told[3].startswith("['")

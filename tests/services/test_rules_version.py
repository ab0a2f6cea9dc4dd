"""The version of the rules follows from the rules."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import umbrak
from umbrak.services.known.rules_version import JUDGED_BY, rules_version, version_of

HOME = Path(umbrak.__file__).parent
_LOADED = "import sys, umbrak.core.evaluate, umbrak.formats.sheet.reading; print(*(m for m in sys.modules if m.startswith('umbrak.')))"


def judging_modules() -> list[Path]:
    """Every module that an evaluation of a sheet loads, as Python itself tells."""
    there = {**os.environ, "PYTHONPATH": str(HOME.parent)}
    told = subprocess.run([sys.executable, "-c", _LOADED], env=there, capture_output=True, text=True, check=True)
    names = told.stdout.split()
    paths = [HOME.parent / n.replace(".", "/") for n in names]
    return [p / "__init__.py" if p.is_dir() else p.with_suffix(".py") for p in paths]


def test_any_change_to_what_judges_changes_it(tmp_path: Path) -> None:
    copy = tmp_path / "umbrak"
    shutil.copytree(HOME, copy, ignore=shutil.ignore_patterns("__pycache__"))
    assert version_of(copy) == rules_version()
    covered = [p.relative_to(HOME) for p in judging_modules()]
    rules = [p for p in covered if any(str(p.parent) == j or str(p) == j for j in JUDGED_BY)]
    # What else is loaded reads text and bounds it: nothing that says what a layout comes to.
    assert {str(p.parent) for p in covered if p not in rules} <= {".", "formats"}, covered
    assert len(rules) > 25
    for path in rules:
        module = copy / path
        kept = module.read_text("utf-8")
        module.write_text(kept + "\nX = 1\n", "utf-8")
        assert version_of(copy) != rules_version(), path
        module.write_text(kept, "utf-8")
    assert version_of(copy) == rules_version()

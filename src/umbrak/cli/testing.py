"""`umbrak test`: every check and test, each step told with its time; the first failure does not hide the others."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

from umbrak.cli.provision import ROOT, WEB, need_front_end, need_modules, need_packages, say

_PYTHON = sys.executable
_LINT_IMPORTS = [_PYTHON, "-c", "from importlinter.cli import lint_imports_command as run; run()"]


def run_all(pytest_arguments: list[str]) -> int:
    """Run everything; with arguments, only pytest with them. Returns the exit code."""
    need_packages(tests=True)
    environment = need_modules()
    need_front_end()
    workers = ["-n", "2", "--dist", "loadgroup"]
    if pytest_arguments:
        return subprocess.call([_PYTHON, "-m", "pytest", *pytest_arguments], cwd=ROOT, env=_python_environment())
    steps: list[tuple[str, list[str], Path, dict[str, str]]] = [
        ("ruff check", [_PYTHON, "-m", "ruff", "check", "-q", "."], ROOT, _python_environment()),
        ("ruff format", [_PYTHON, "-m", "ruff", "format", "-q", "--check", "."], ROOT, _python_environment()),
        ("imports", _LINT_IMPORTS, ROOT, _python_environment()),
        ("mypy", [_PYTHON, "-m", "mypy"], ROOT, _python_environment()),
        ("eslint", ["npm", "run", "-s", "lint"], WEB, environment),
        ("vue-tsc", ["npm", "run", "-s", "check"], WEB, environment),
        ("vitest", ["npm", "run", "-s", "test"], WEB, environment),
        ("pytest", [_PYTHON, "-m", "pytest", *workers], ROOT, {**_python_environment(), "PATH": environment["PATH"]}),
    ]
    failed = []
    for name, command, folder, env in steps:
        began = time.monotonic()
        code = subprocess.call(command, cwd=folder, env=env)
        say(f"{name}: {'failed' if code else 'passed'} in {time.monotonic() - began:.1f} s")
        if code:
            failed.append(name)
    if failed:
        say(f"failed: {', '.join(failed)}")
    return 1 if failed else 0


def _python_environment() -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(ROOT / "src")}

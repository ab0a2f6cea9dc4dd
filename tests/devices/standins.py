"""Stand-ins as the demo starts them: processes of their own on loopback."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from umbrak.demo.seed import Scenario
from umbrak.standins.spec import Spec, spec_of

ROOT = Path(__file__).resolve().parents[2]


def demo_spec(name: str, **more: Any) -> Spec:
    scenario = Scenario.read()
    given = next(m for m in scenario.machines if m["name"] == name)
    return spec_of(name, *scenario.parts(given), **more)


Start = Callable[[str, Spec], tuple[str, Path]]


@pytest.fixture
def start(tmp_path: Path) -> Iterator[Start]:
    """`start("controller", spec)`: (its address, its folder)."""
    running: list[subprocess.Popen[str]] = []

    def begin(kind: str, spec: Spec) -> tuple[str, Path]:
        folder = tmp_path / f"{kind}-{len(running)}"
        folder.mkdir()
        (folder / "spec.json").write_text(json.dumps(spec))
        command = [sys.executable, "-m", "umbrak.standins", kind, str(folder / "spec.json")]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env={"PYTHONPATH": str(ROOT / "src")})
        running.append(process)
        assert process.stdout
        return process.stdout.readline().strip(), folder

    yield begin
    for process in running:
        process.terminate()
    for process in running:
        process.wait(timeout=10)
        if process.stdout:
            process.stdout.close()

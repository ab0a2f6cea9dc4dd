"""The installed package, away from the checkout: commands, library, and a server with its pages."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import sysconfig
import urllib.request
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
LISTING = "Handle 0x0001, DMI type 17, 40 bytes\nMemory Device\n\tSize: 16 GB\n\tLocator: DIMM_A1\n\tType: DDR4\n"


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """An environment with the package and, from ours, just what it depends on. Returns its folder of programs."""
    folder = tmp_path_factory.mktemp("elsewhere")
    # Where the checkout's sources are on the path, an installer takes the package to be there already.
    apart = {k: v for k, v in os.environ.items() if k != "PYTHONPATH"}
    pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "-q"]
    subprocess.run([*pip, "wheel", "--no-deps", "-w", str(folder), str(ROOT)], env=apart, check=True)
    env = folder / "env"
    subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(env)], env=apart, check=True)
    (wheel,) = folder.glob("umbrak-*.whl")
    subprocess.run(
        [*pip, "--python", str(env / "bin" / "python"), "install", "--no-deps", str(wheel)], env=apart, check=True
    )
    (packages,) = (env / "lib").glob("python*/site-packages")
    (packages / "ours.pth").write_text(sysconfig.get_paths()["purelib"] + "\n")
    return env / "bin"


def ask(installed: Path, folder: Path, *command: str, **more: str) -> str:
    """What a program of the environment prints, run away from the checkout."""
    env = {k: v for k, v in os.environ.items() if k != "PYTHONPATH"} | more
    done = subprocess.run(
        [str(installed / command[0]), *command[1:]], env=env, cwd=folder, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr
    return done.stdout


def test_commands_library_and_server_need_no_checkout(installed: Path, tmp_path: Path, database_url: str) -> None:
    assert "DDR4" in ask(installed, tmp_path, "umbrak", "label", "16GB 2Rx8 PC4-2666V-UA1")
    (tmp_path / "report.txt").write_text(LISTING)
    assert "umbrak-sheet: 1" in ask(installed, tmp_path, "umbrak", "sheet", "draft", "report.txt")
    first = re.findall(r"```python\n(.*?)```", (ROOT / "docs" / "library.md").read_text("utf-8"), re.S)[0]
    assert ask(installed, tmp_path, "python", "-c", first).startswith("undecided")
    where = ask(installed, tmp_path, "python", "-c", "import umbrak; print(umbrak.__file__)")
    assert str(installed.parent) in where

    env = {k: v for k, v in os.environ.items() if k != "PYTHONPATH"}
    env |= {"UMBRAK_DATABASE_URL": database_url, "UMBRAK_DATA": str(tmp_path), "PYTHONUNBUFFERED": "1"}
    command = [str(installed / "umbrak"), "serve", "--port", "0"]
    server = subprocess.Popen(command, env=env, cwd=tmp_path, stdout=subprocess.PIPE, text=True)
    try:
        assert server.stdout
        address = next(found[1] for line in server.stdout if (found := re.search(r"open\s+(http\S+)/", line)))
        with urllib.request.urlopen(f"{address}/") as page:
            scripts = re.findall(r'src="(/assets/[^"]+\.js)"', page.read().decode())
        assert scripts
        for path in (*scripts, "/readyz"):
            with urllib.request.urlopen(address + path) as answer:
                assert answer.status == 200 and answer.read()
    finally:
        server.send_signal(signal.SIGINT)
        server.wait()

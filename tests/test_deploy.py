"""The units of deploy/ as systemd reads them."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path

import pytest

UNITS = sorted((Path(__file__).resolve().parents[1] / "deploy").glob("umbrak*.*"))


def test_the_units_are_what_systemd_takes(tmp_path: Path) -> None:
    """Their own program stands elsewhere here: any that is there takes its place."""
    assert [u.name for u in UNITS] == ["umbrak-backup.service", "umbrak-backup.timer", "umbrak.service"]
    for unit in UNITS:
        (tmp_path / unit.name).write_text(unit.read_text().replace("/opt/umbrak/umbrak", "/bin/true"))
    paths = [str(tmp_path / u.name) for u in UNITS]
    done = subprocess.run(
        ["systemd-analyze", "verify", "--man=no", *paths], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stdout + done.stderr) == (0, "")


@pytest.mark.parametrize("unit", [u for u in UNITS if u.suffix == ".service"], ids=lambda u: u.name)
def test_a_service_runs_as_its_own_user_and_takes_nothing_else(unit: Path) -> None:
    said = dict(re.findall(r"^(\w+)=(.*)$", unit.read_text(), re.M))
    assert (said["User"], said["NoNewPrivileges"], said["ProtectSystem"]) == ("umbrak", "yes", "strict")
    assert said["EnvironmentFile"] == "-/etc/umbrak/environment" and said["UMask"] == "0077"

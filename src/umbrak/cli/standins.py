"""Starts and ends the stand-ins of the demo."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from umbrak.cli.cluster import free_port
from umbrak.demo.simulated import Simulated, write_specs
from umbrak.standins.certificate import make_certificate


@contextmanager
def simulated(folder: Path) -> Iterator[dict[str, tuple[Simulated, str]]]:
    """The demo's simulated machines, each a process of its own on loopback: machine -> (what it is, address).

    They are not waited for: who asks one too early is told that it does not answer yet.
    """
    started: list[subprocess.Popen[bytes]] = []
    found: dict[str, tuple[Simulated, str]] = {}
    try:
        for one in write_specs(folder):
            port = free_port()
            if one.kind == "redfish" and not one.spec.with_name("controller.key").exists():
                make_certificate(one.spec.parent)
            command = [sys.executable, "-m", "umbrak.standins", one.program, str(one.spec), "--port", str(port)]
            # They end with this process, however it ends: its death closes their input. A Ctrl+C in the terminal is for this
            # process alone, which then ends them.
            started.append(
                subprocess.Popen(
                    [*command, "--while-told"],
                    stdin=subprocess.PIPE,
                    stdout=subprocess.DEVNULL,
                    start_new_session=True,
                )
            )
            scheme = "https" if one.kind == "redfish" else "snmp"
            found[one.machine] = (one, f"{scheme}://127.0.0.1:{port}")
        yield found
    finally:
        for process in started:
            process.terminate()
            if process.stdin:
                process.stdin.close()
        for process in started:
            try:
                process.wait(timeout=5)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()

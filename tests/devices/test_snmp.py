"""The SNMP client and the simulated appliance, each against Debian's own programs."""

from __future__ import annotations

import socket
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.devices.standins import Start, demo_spec
from umbrak.core.platform.survey import SlotState
from umbrak.devices.networks import DeviceError, Networks
from umbrak.devices.snmp import Agent, ask
from umbrak.formats.bounds import Deadline
from umbrak.formats.snmp import HR_MEMORY_SIZE, SYS_DESCR, read_snmp, write_snmp
from umbrak.standins.spec import module_of

LOOPBACK = Networks.parse("127.0.0.0/8")
V3 = {"user": "umbrak", "auth_password": "tide-gauge-7", "privacy_password": "tide-gauge-7"}


def test_our_client_asks_the_simulated_appliance(start: Start) -> None:
    spec = demo_spec("gauge-01")
    address, _ = start("appliance", spec)
    by_community = ask(Agent(address, "gauges"), LOOPBACK)
    assert ask(Agent(address, **V3), LOOPBACK) == by_community
    reading = read_snmp(write_snmp(by_community.values).decode(), Deadline())
    assert reading.usable_gib == pytest.approx(spec["usable_gib"], abs=1e-5)
    assert reading.description == "Fjell N2 storage, system 9.1"
    for wrong, code in (
        (Agent(address, "another"), "unreachable"),
        (Agent(address, **{**V3, "auth_password": "not-the-word"}), "refused"),
        (Agent(address, user="nobody"), "refused"),
    ):
        with pytest.raises(DeviceError) as refused:
            ask(wrong, LOOPBACK, patience=0.3)
        assert refused.value.code == code
    with pytest.raises(DeviceError) as outside:
        ask(Agent(address, "gauges"), Networks.parse("10.0.0.0/8"))
    assert outside.value.code == "not-allowed"


def test_modules_that_are_listed_as_entities_are_read(start: Start) -> None:
    """By our client, and from what Debian's prints: each module in the slot that holds it; a slot without one is unknown."""
    spec = {**demo_spec("store-01"), "entities": True}
    spec["slots"] = {**spec["slots"], "spare": {"locator": "DIMM C", "channel": "C", "module": None}}
    address, _ = start("appliance", spec)
    found = ask(Agent(address, "gauges"), LOOPBACK)
    walked = subprocess.run(
        ["snmpwalk", "-v2c", "-c", "gauges", address.removeprefix("snmp://"), "1.3.6.1.2.1"],
        capture_output=True, text=True, check=True,
    ).stdout  # fmt: skip
    wanted = {s["locator"]: module_of(s["module"]) for s in spec["slots"].values()}
    for text in (write_snmp(found.values).decode(), walked):
        reading = read_snmp(text, Deadline())
        assert {s.locator for s in reading.slots} == set(wanted)
        for slot in reading.slots:
            module = wanted[str(slot.locator)]
            assert (slot.state is SlotState.UNKNOWN) == (module is None)
            if module and slot.module:
                assert (slot.module.capacity_gib, slot.module.part) == (module.capacity_gib, module.part)
    assert found.notes == ()


@pytest.mark.parametrize("by", ["SHA-224", "SHA-256", "SHA-384", "SHA-512"])
def test_users_known_by_a_hash_of_sha_2(start: Start, by: str) -> None:
    """RFC 7860: our client and Debian's ask the simulated appliance; by another hash nobody is let in."""
    address, _ = start("appliance", {**demo_spec("gauge-01"), "authentication": by})
    found = ask(Agent(address, **V3, authentication=by), LOOPBACK)
    at = address.removeprefix("snmp://")
    command = ["snmpget", "-v3", "-l", "authPriv", "-u", "umbrak", "-a", by, "-A", "tide-gauge-7", "-x", "AES", "-X", "tide-gauge-7", "-Oqv", at, HR_MEMORY_SIZE]  # fmt: skip
    printed = subprocess.run(command, capture_output=True, text=True, check=True).stdout
    assert printed.strip() == str(found.values[HR_MEMORY_SIZE])
    with pytest.raises(DeviceError):
        ask(Agent(address, **V3), LOOPBACK, patience=0.3)


def test_debians_client_asks_the_simulated_appliance(start: Start) -> None:
    spec = demo_spec("store-01")
    address, _ = start("appliance", spec)
    at = address.removeprefix("snmp://")

    def run(*command: str) -> str:
        return subprocess.run(command, capture_output=True, text=True, check=True).stdout

    community = ["-v2c", "-c", spec["community"]]
    user = [
        "-v3",
        "-l",
        "authPriv",
        "-u",
        "umbrak",
        "-a",
        "SHA",
        "-A",
        "tide-gauge-7",
        "-x",
        "AES",
        "-X",
        "tide-gauge-7",
    ]
    kb = int(spec["usable_gib"] * (1 << 20))
    for way in (community, user):
        assert run("snmpget", *way, "-Oqv", at, HR_MEMORY_SIZE).strip() == str(kb)
        # A whole walk ends, and our reader reads what that program prints.
        walked = run("snmpwalk", *way, "-On", at, "1.3.6.1.2.1")
        reading = read_snmp(walked, Deadline())
        assert reading.usable_gib == kb / (1 << 20) and reading.system and reading.system.model == "store-01"
    bulk = run("snmpbulkwalk", *community, "-On", at, "1.3.6.1.2.1.25.2.3")
    assert sum(line.startswith(".1.3.6.1.2.1.25.2.3.1.") and "No more" not in line for line in bulk.splitlines()) == 6


@pytest.fixture
def debians_agent(tmp_path: Path) -> Iterator[str]:
    """Debian's agent on loopback, with a configuration of its own."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    (tmp_path / "snmpd.conf").write_text(
        'createUser umbrak SHA "tide-gauge-7" AES "tide-gauge-7"\n'
        "rouser umbrak authPriv\nrocommunity gauges 127.0.0.1\nsysDescr an agent of Debian's\n"
    )
    command = ["/usr/sbin/snmpd", "-f", "-Lo", "-C", "-c", "snmpd.conf", "-p", "snmpd.pid", f"udp:127.0.0.1:{port}"]
    agent = subprocess.Popen(
        command, cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
        env={"SNMP_PERSISTENT_DIR": str(tmp_path / "kept"), "PATH": "/usr/sbin:/usr/bin:/bin"},
    )  # fmt: skip
    assert agent.stdout
    lines = []
    for line in agent.stdout:
        lines.append(line)
        if "NET-SNMP version" in line:
            break
    else:
        pytest.fail("".join(lines))
    yield f"127.0.0.1:{port}"
    agent.terminate()
    agent.wait(timeout=10)
    agent.stdout.close()


def test_our_client_asks_debians_agent(debians_agent: str) -> None:
    by_community, by_user = ask(Agent(debians_agent, "gauges"), LOOPBACK), ask(Agent(debians_agent, **V3), LOOPBACK)
    assert by_community.values == by_user.values and by_community.values[SYS_DESCR] == "an agent of Debian's"
    with open("/proc/meminfo") as meminfo:
        total = next(int(line.split()[1]) for line in meminfo if line.startswith("MemTotal"))
    assert by_community.values[HR_MEMORY_SIZE] == total

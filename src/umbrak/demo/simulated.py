"""The demo's machines that answer: which of them are simulated, as what, and where the demo's database finds them."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Engine

from umbrak.demo.seed import ACCOUNT, Scenario
from umbrak.services.reach import Outside
from umbrak.services.surveys.network import Access, ServiceKind, keep_service
from umbrak.standins.spec import spec_of
from umbrak.store.accounts import find_credentials
from umbrak.store.machines import machine_by_name_or_serial

#: Machine -> kind of stand-in.
_KINDS: dict[str, ServiceKind] = {"hall-02": "redfish", "hall-03": "redfish", "gauge-01": "snmp"}


@dataclass(frozen=True, slots=True)
class Simulated:
    """A stand-in to start: `controller` or `appliance` with its spec."""

    machine: str
    kind: ServiceKind
    spec: Path

    @property
    def program(self) -> str:
        return "controller" if self.kind == "redfish" else "appliance"


def write_specs(folder: Path) -> list[Simulated]:
    """Specs of the demo's simulated machines, each in a folder of its own."""
    scenario = Scenario.read()
    found = []
    for given in scenario.machines:
        if given["name"] in _KINDS:
            sheet, machine, layout = scenario.parts(given)
            spec = spec_of(
                given["name"], sheet, machine, layout, faults=dict.fromkeys(given.get("failed", ()), "failed")
            )
            path = folder / given["name"] / "spec.json"
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(json.dumps(spec, indent=1), "utf-8")
            found.append(Simulated(given["name"], _KINDS[given["name"]], path))
    return found


def name_services(engine: Engine, outside: Outside, addresses: dict[str, tuple[Simulated, str]]) -> None:
    """Keep where each simulated machine answers now: machine -> (what it is, address)."""
    with engine.connect() as db:
        known = find_credentials(db, ACCOUNT)
        keys = {name: row.id for name in addresses if (row := machine_by_name_or_serial(db, name, ""))}
    if known is None:
        return
    for name, (simulated, address) in addresses.items():
        if name not in keys:
            continue  # somebody renamed it
        spec = json.loads(simulated.spec.read_text("utf-8"))
        if simulated.kind == "redfish":
            authority = simulated.spec.with_name("controller.pem").read_text("ascii")
            access = Access(address, spec["user"], authority, password=spec["password"])
        else:
            access = Access(address, community=spec["community"])
        keep_service(engine, known.account, outside, keys[name], simulated.kind, access)

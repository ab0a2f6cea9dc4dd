"""What a simulated management controller tells of its machine: the resources of DSP0268, made anew at each look."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from umbrak.core.memory.module import Buffering, Form, Generation, Module
from umbrak.standins.spec import Spec, module_of

Document = dict[str, Any]
ROOT, SYSTEM, CHASSIS = "/redfish/v1", "/redfish/v1/Systems/1", "/redfish/v1/Chassis/1"
SESSIONS = f"{ROOT}/SessionService/Sessions"
PAGE = 16
FAULTS = ("failed", "badly-seated", "half-size", "errors")

#: Collection -> name of what is in it.
_COLLECTIONS = {
    f"{ROOT}/Systems": "ComputerSystem", f"{ROOT}/Chassis": "Chassis", SESSIONS: "Session", f"{SYSTEM}/Processors": "Processor",
    f"{SYSTEM}/Memory": "Memory", f"{CHASSIS}/Drives": "Drive",
}  # fmt: skip
#: How deep $expand goes.
MAX_LEVELS = 2

_TYPES = {
    (Form.DIMM, Buffering.REGISTERED): "RDIMM", (Form.DIMM, Buffering.UNBUFFERED): "UDIMM",
    (Form.DIMM, Buffering.LOAD_REDUCED): "LRDIMM", (Form.SO_DIMM, Buffering.UNBUFFERED): "SO_DIMM",
}  # fmt: skip


class SimulatedMachine:
    """The machine behind the controller: what is in its slots, what is wrong with them, what its last start found."""

    def __init__(self, spec: Spec) -> None:
        self.spec = spec
        self.fitted = {slot: module_of(s["module"]) for slot, s in spec["slots"].items()}
        self.faults: dict[str, str] = dict(spec["faults"])
        self.counted: dict[str, int] = {}
        self.on = True
        self.light = False
        self.slow, self.drop, self.old = 0.0, 0, False
        self.sessions: dict[str, str] = {}
        self.start()

    def start(self) -> None:
        """Power on: what is seen from now on is what is there now."""
        self.on = True
        self.seen = {slot: self._seen(slot, module) for slot, module in self.fitted.items()}

    def _seen(self, slot: str, module: Module | None) -> tuple[Module | None, int, str, str]:
        """(module, MiB, health, state) of a slot at a start."""
        if module is None or self.faults.get(slot) == "badly-seated":
            return None, 0, "OK", "Absent"
        size = int((module.capacity_gib or 0) * 1024)
        if self.faults.get(slot) == "failed":
            return module, 0, "Critical", "Disabled"
        return module, size // 2 if self.faults.get(slot) == "half-size" else size, "OK", "Enabled"

    def errors_of(self, slot: str) -> int:
        """Correctable errors counted so far; a module at fault makes one between any two looks."""
        if self.faults.get(slot) == "errors" and self.fitted[slot] is not None:
            self.counted[slot] = self.counted.get(slot, 0) + 1
        return self.counted.get(slot, 0)


class Resources:
    """What is at which path."""

    def __init__(self, machine: SimulatedMachine) -> None:
        self.machine = machine
        self._made = _documents(machine)

    def at(self, path: str, skip: int = 0, query: str = "") -> Document | None:
        """The document at a path without its last slash; of a collection the page from `skip` on, whose following
        one is asked for by `query` too (DSP0266 clause 7.3.1)."""
        if path in _COLLECTIONS:
            return None if self.machine.old and path == SESSIONS else self._page(path, skip, query)
        session, _, key = path.rpartition("/")
        if session == SESSIONS and key in self.machine.sessions:
            return {
                "@odata.id": path, "@odata.type": "#Session.v1_6_0.Session", "Id": key, "Name": "Session",
                "UserName": self.machine.spec["user"],
            }  # fmt: skip
        if path not in self._made:
            return None
        # DSP0266 clause 6.2: this one has nothing but the version.
        return self._made[path]() if path == "/redfish" else {"@odata.id": self.named(path), **self._made[path]()}

    @staticmethod
    def named(path: str) -> str:
        return f"{path}/" if path == ROOT else path

    def expanded(self, document: Document, levels: int) -> Document:
        """With what it links to within it, but not what stands under Links or Actions (DSP0266 clause 7.3.2, ".")."""

        def within(value: Any, name: str = "") -> Any:
            if isinstance(value, list):
                return [within(v) for v in value]
            if not isinstance(value, dict) or name in ("Links", "Actions"):
                return value
            if set(value) == {"@odata.id"}:
                found = self.at(value["@odata.id"])
                return value if found is None else self.expanded(found, levels - 1)
            return {n: within(v, n) for n, v in value.items()}

        return document if levels < 1 else {n: within(v, n) for n, v in document.items()}

    def methods_of(self, path: str) -> tuple[str, ...]:
        """What may be done there."""
        if path == SESSIONS:
            return ("GET", "HEAD", "POST")
        if path.startswith(f"{SESSIONS}/"):
            return ("GET", "HEAD", "DELETE")
        return ("GET", "HEAD", "PATCH") if path == SYSTEM else ("GET", "HEAD")

    def _page(self, path: str, skip: int, query: str) -> Document:
        m = self.machine
        names = (
            sorted(m.sessions)
            if path == SESSIONS
            else [p.rsplit("/", 1)[1] for p in self._made if p.rpartition("/")[0] == path]
        )
        kind = _COLLECTIONS[path]
        page: Document = {
            "@odata.id": path, "@odata.type": f"#{kind}Collection.{kind}Collection", "Name": f"{kind} Collection",
            "Members@odata.count": len(names), "Members": [{"@odata.id": f"{path}/{n}"} for n in names[skip : skip + PAGE]],
        }  # fmt: skip
        if skip + PAGE < len(names):
            page["Members@odata.nextLink"] = f"{path}?$skip={skip + PAGE}{query}"
        return page


def _documents(m: SimulatedMachine) -> dict[str, Callable[[], Document]]:
    """Path -> what makes the document there; collections are paged apart."""
    spec = m.spec

    def link(path: str) -> Document:
        return {"@odata.id": path}

    def root() -> Document:
        document = {
            "@odata.type": "#ServiceRoot.v1_15_0.ServiceRoot", "Id": "RootService", "Name": "Root Service", "RedfishVersion": "1.15.0",
            "UUID": "5e7a1c52-0d3c-4c80-9f8e-2b8f4f1d6a10", "Systems": link(f"{ROOT}/Systems"), "Chassis": link(f"{ROOT}/Chassis"),
        }  # fmt: skip
        if m.old:
            return document
        features = {
            "ExpandQuery": {
                "Levels": True,
                "MaxLevels": MAX_LEVELS,
                "NoLinks": True,
                "Links": False,
                "ExpandAll": False,
            }
        }
        return {
            **document, "SessionService": link(f"{ROOT}/SessionService"), "Links": {"Sessions": link(SESSIONS)},
            "ProtocolFeaturesSupported": features,
        }  # fmt: skip

    def system() -> Document:
        seen = sum(size for _, size, _, _ in m.seen.values()) / 1024
        healthy = all(health == "OK" for _, _, health, _ in m.seen.values())
        return {
            "@odata.type": "#ComputerSystem.v1_20_0.ComputerSystem", "Id": "1", "Name": "System", "HostName": spec["name"],
            "Manufacturer": spec["maker"], "Model": spec["model"], "SerialNumber": spec["serial"], "BiosVersion": spec["firmware"],
            "SystemType": "Physical", "PowerState": "On" if m.on else "Off",
            **({"IndicatorLED": "Blinking" if m.light else "Off"} if m.old else {"LocationIndicatorActive": m.light}),
            "Status": {"State": "Enabled", "Health": "OK" if healthy else "Critical"},
            "MemorySummary": {"TotalSystemMemoryGiB": seen}, "Processors": link(f"{SYSTEM}/Processors"), "Memory": link(f"{SYSTEM}/Memory"),
            "Links": {"Chassis": [link(CHASSIS)]},
            "Actions": {"#ComputerSystem.Reset": {
                "target": f"{SYSTEM}/Actions/ComputerSystem.Reset",
                "ResetType@Redfish.AllowableValues": ["On", "ForceOff", "GracefulShutdown", "ForceRestart"],
            }},
        }  # fmt: skip

    def chassis() -> Document:
        return {
            "@odata.type": "#Chassis.v1_22_0.Chassis", "Id": "1", "Name": "Chassis", "ChassisType": "RackMount",
            "Drives": link(f"{CHASSIS}/Drives"), "Links": {"ComputerSystems": [link(SYSTEM)]},
        }  # fmt: skip

    found: dict[str, Callable[[], Document]] = {
        ROOT: root,
        "/redfish": lambda: {"v1": f"{ROOT}/"},
        f"{ROOT}/SessionService": lambda: {
            "@odata.type": "#SessionService.v1_1_8.SessionService", "Id": "SessionService", "Name": "Sessions", "ServiceEnabled": True,
            "Sessions": link(SESSIONS),
        },
        SYSTEM: system,
        CHASSIS: chassis,
    }  # fmt: skip
    for i, (socket, title) in enumerate(spec["processors"].items(), 1):
        found[f"{SYSTEM}/Processors/{i}"] = partial(_processor, str(i), socket, title)
    for slot in spec["slots"]:
        path = f"{SYSTEM}/Memory/{slot}"
        found[path] = partial(_memory, m, slot)
        found[f"{path}/Metrics"] = partial(_metrics, m, slot)
        found[f"{path}/Environment"] = partial(_environment, m)
    for number, drive in spec["drives"].items():
        found[f"{CHASSIS}/Drives/{number}"] = partial(_drive, number, drive)
    return found


def _processor(key: str, socket: str, title: str | None) -> Document:
    return {
        "@odata.type": "#Processor.v1_18_0.Processor", "Id": key, "Name": socket, "Socket": socket, "Model": title,
        "Status": {"State": "Enabled" if title else "Absent"},
    }  # fmt: skip


def _drive(number: str, drive: Document) -> Document:
    location = {"LocationType": "Bay", "LocationOrdinalValue": int(number), "ServiceLabel": f"Bay {number}"}
    return {
        "@odata.type": "#Drive.v1_18_0.Drive", "Id": number, "Name": f"Drive {number}", "SerialNumber": drive.get("serial"),
        "Model": drive.get("model"), "Status": {"State": "Enabled", "Health": "OK"}, "PhysicalLocation": {"PartLocation": location},
    }  # fmt: skip


def _metrics(m: SimulatedMachine, slot: str) -> Document:
    counts = {"CorrectableECCErrorCount": m.errors_of(slot), "UncorrectableECCErrorCount": 0}
    return {
        "@odata.type": "#MemoryMetrics.v1_7_0.MemoryMetrics",
        "Id": "Metrics",
        "Name": "Metrics",
        "LifeTime": counts,
    }


def _environment(m: SimulatedMachine) -> Document:
    return {
        "@odata.type": "#EnvironmentMetrics.v1_3_0.EnvironmentMetrics", "Id": "Environment", "Name": "Environment",
        "TemperatureCelsius": {"Reading": 41 if m.on else 22},
    }  # fmt: skip


def _memory(m: SimulatedMachine, slot: str) -> Document:
    module, size, health, state = m.seen[slot]
    path = f"{SYSTEM}/Memory/{slot}"
    document: Document = {
        "@odata.type": "#Memory.v1_18_0.Memory", "Id": slot, "Name": slot, "DeviceLocator": m.spec["slots"][slot]["locator"],
        "Status": {"State": state, "Health": health}, "CapacityMiB": size, "Metrics": {"@odata.id": f"{path}/Metrics"},
    }  # fmt: skip
    if module is None:
        return document
    ecc = module.ecc_bits or 0
    extra = ecc * 2 if module.generation is Generation.DDR5 else ecc
    return {
        **document,
        "CapacityMiB": size or None,
        "MemoryDeviceType": "DDR2_SDRAM_FB_DIMM" if module.buffering is Buffering.FULLY_BUFFERED else module.generation and module.generation.value,
        "BaseModuleType": _TYPES.get((module.form, module.buffering)) if module.form and module.buffering else None,
        "BusWidthBits": 64 + extra, "DataWidthBits": 64, "RankCount": module.package_ranks,
        "AllowedSpeedsMHz": [module.rate_mts] if module.rate_mts else [], "OperatingSpeedMhz": module.rate_mts,
        "Manufacturer": module.maker, "PartNumber": module.part, "SerialNumber": module.serial or f"{sum(map(ord, slot)):08X}",
        "EnvironmentMetrics": {"@odata.id": f"{path}/Environment"},
    }  # fmt: skip

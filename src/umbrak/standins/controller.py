"""A simulated management controller: Redfish (DSP0266) over HTTPS, of one machine.

What it shows is what the machine found at its last start. Beside /redfish it has /standin, by which a person in the
demo, or a test, changes the machine as hands would:

    POST /standin/fitted   {slot: module or null}        refused while the machine is on
    POST /standin/faults   {slot: fault or null}         failed, badly-seated, half-size, errors
    POST /standin/manner   {"slow": seconds, "drop": n}  answers late; drops the link within the next n answers
"""

from __future__ import annotations

import asyncio
import base64
import secrets
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from functools import partial
from ipaddress import ip_address
from pathlib import Path
from typing import Any

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from fastapi import FastAPI, Request, Response
from fastapi.responses import JSONResponse
from starlette.types import ASGIApp, Receive, Scope, Send

from umbrak.core.memory.module import Buffering, Form, Generation, Module
from umbrak.standins.spec import Spec, module_of

Document = dict[str, Any]
ROOT, SYSTEM, CHASSIS = "/redfish/v1", "/redfish/v1/Systems/1", "/redfish/v1/Chassis/1"
SESSIONS = f"{ROOT}/SessionService/Sessions"
PAGE = 16
FAULTS = ("failed", "badly-seated", "half-size", "errors")

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
        self.slow, self.drop = 0.0, 0
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


def _documents(m: SimulatedMachine) -> dict[str, Callable[[], Document]]:
    """Path -> what makes the document there; collections are paged apart."""
    spec = m.spec

    def link(path: str) -> Document:
        return {"@odata.id": path}

    def root() -> Document:
        return {
            "@odata.type": "#ServiceRoot.v1_15_0.ServiceRoot", "Id": "RootService", "Name": "Root Service", "RedfishVersion": "1.15.0",
            "UUID": "5e7a1c52-0d3c-4c80-9f8e-2b8f4f1d6a10", "Systems": link(f"{ROOT}/Systems"), "Chassis": link(f"{ROOT}/Chassis"),
            "SessionService": link(f"{ROOT}/SessionService"), "Links": {"Sessions": link(SESSIONS)},
        }  # fmt: skip

    def system() -> Document:
        seen = sum(size for _, size, _, _ in m.seen.values()) / 1024
        healthy = all(health == "OK" for _, _, health, _ in m.seen.values())
        return {
            "@odata.type": "#ComputerSystem.v1_20_0.ComputerSystem", "Id": "1", "Name": "System", "HostName": spec["name"],
            "Manufacturer": spec["maker"], "Model": spec["model"], "SerialNumber": spec["serial"], "BiosVersion": spec["firmware"],
            "SystemType": "Physical", "PowerState": "On" if m.on else "Off", "LocationIndicatorActive": m.light,
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


#: Collection -> name of what is in it.
_COLLECTIONS = {
    f"{ROOT}/Systems": "ComputerSystem", f"{ROOT}/Chassis": "Chassis", SESSIONS: "Session", f"{SYSTEM}/Processors": "Processor",
    f"{SYSTEM}/Memory": "Memory", f"{CHASSIS}/Drives": "Drive",
}  # fmt: skip


def make_controller(spec: Spec) -> FastAPI:
    """The service of one simulated machine."""
    m = SimulatedMachine(spec)
    documents = _documents(m)
    app = FastAPI(openapi_url=None)
    app.state.machine = m

    app.add_middleware(_Manner, machine=m)

    @app.post(SESSIONS)
    @app.post(f"{SESSIONS}/Members")
    async def sign_in(request: Request) -> Response:
        body = await request.json()
        if (body.get("UserName"), body.get("Password")) != (spec["user"], spec["password"]):
            return _error(401, "ResourceAtUriUnauthorized", "User name or password is wrong.")
        token, key = secrets.token_urlsafe(24), secrets.token_hex(4)
        m.sessions[key] = token
        session = {
            "@odata.id": f"{SESSIONS}/{key}", "@odata.type": "#Session.v1_6_0.Session", "Id": key, "Name": "Session", "UserName": spec["user"],
        }  # fmt: skip
        return JSONResponse(session, 201, {"X-Auth-Token": token, "Location": f"{SESSIONS}/{key}"})

    @app.delete(SESSIONS + "/{key}")
    async def sign_out(key: str, request: Request) -> Response:
        if not _let_in(m, request):
            return _error(401, "ResourceAtUriUnauthorized", "Sign in first.")
        return Response(status_code=204 if m.sessions.pop(key, None) else 404)

    @app.post(f"{SYSTEM}/Actions/ComputerSystem.Reset")
    async def reset(request: Request) -> Response:
        if not _let_in(m, request):
            return _error(401, "ResourceAtUriUnauthorized", "Sign in first.")
        kind = (await request.json()).get("ResetType")
        if kind in ("On", "ForceRestart"):
            m.start()
        elif kind in ("ForceOff", "GracefulShutdown"):
            m.on = False
        else:
            return _error(400, "ActionParameterNotSupported", f"ResetType {kind} is not supported.")
        return Response(status_code=204)

    @app.patch(SYSTEM)
    async def change(request: Request) -> Response:
        if not _let_in(m, request):
            return _error(401, "ResourceAtUriUnauthorized", "Sign in first.")
        body = await request.json()
        if set(body) != {"LocationIndicatorActive"} or not isinstance(body["LocationIndicatorActive"], bool):
            return _error(400, "PropertyNotWritable", "Only LocationIndicatorActive can be written.")
        m.light = body["LocationIndicatorActive"]
        return _document(documents[SYSTEM]())

    @app.post("/standin/fitted")
    async def fitted(request: Request) -> Response:
        body = await request.json()
        if m.on:
            return _error(409, "GeneralError", "The machine is on: power it off before its slots are touched.")
        if wrong := [s for s in body if s not in m.fitted]:
            return _error(404, "GeneralError", f"There is no slot {wrong[0]}.")
        m.fitted |= {slot: module_of(module) for slot, module in body.items()}
        # Whoever puts a module in anew seats it.
        m.faults = {s: f for s, f in m.faults.items() if f != "badly-seated" or s not in body}
        return Response(status_code=204)

    @app.post("/standin/faults")
    async def faults(request: Request) -> Response:
        body = await request.json()
        if any(s not in m.fitted or f not in (*FAULTS, None) for s, f in body.items()):
            return _error(404, "GeneralError", f"A slot, and one of {', '.join(FAULTS)} or null.")
        m.faults = {s: f for s, f in {**m.faults, **body}.items() if f}
        m.start() if m.on else None
        return Response(status_code=204)

    @app.post("/standin/manner")
    async def set_manner(request: Request) -> Response:
        body = await request.json()
        m.slow, m.drop = float(body.get("slow", 0)), int(body.get("drop", 0))
        return Response(status_code=204)

    @app.get("/redfish")
    @app.get("/redfish/{path:path}")
    async def see(request: Request) -> Response:
        path = request.url.path.rstrip("/")
        if path not in ("/redfish", ROOT) and not _let_in(m, request):
            return _error(401, "ResourceAtUriUnauthorized", "Sign in first.")
        if path in _COLLECTIONS:
            return _document(_collection(m, documents, path, request.query_params.get("$skip", "0")))
        if path not in documents:
            return _error(404, "ResourceMissingAtURI", f"There is nothing at {path}.")
        return _document({"@odata.id": f"{path}/" if path == ROOT else path, **documents[path]()})

    return app


class _Manner:
    """How the controller answers: late where it is told to, and with a link that drops within the answer."""

    def __init__(self, app: ASGIApp, machine: SimulatedMachine) -> None:
        self.app, self.machine = app, machine

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and scope["path"].startswith("/redfish"):
            if self.machine.drop > 0:
                self.machine.drop -= 1
                await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"1000")]})
                await send({"type": "http.response.body", "body": b"{", "more_body": True})
                raise ConnectionResetError("told to drop it")
            await asyncio.sleep(self.machine.slow)
        await self.app(scope, receive, send)


def _collection(m: SimulatedMachine, documents: dict[str, Any], path: str, skip: str) -> Document:
    """A page of a collection, with a link to the next."""
    names = (
        sorted(m.sessions)
        if path == SESSIONS
        else [p.rsplit("/", 1)[1] for p in documents if p.rpartition("/")[0] == path]
    )
    start = int(skip) if skip.isdigit() else 0
    kind = _COLLECTIONS[path]
    page: Document = {
        "@odata.id": path, "@odata.type": f"#{kind}Collection.{kind}Collection", "Name": f"{kind} Collection",
        "Members@odata.count": len(names), "Members": [{"@odata.id": f"{path}/{n}"} for n in names[start : start + PAGE]],
    }  # fmt: skip
    if start + PAGE < len(names):
        page["Members@odata.nextLink"] = f"{path}?$skip={start + PAGE}"
    return page


def _let_in(m: SimulatedMachine, request: Request) -> bool:
    """By a session's token, or by basic authentication (DSP0266 wants both)."""
    if request.headers.get("X-Auth-Token") in m.sessions.values():
        return True
    kind, _, given = request.headers.get("Authorization", "").partition(" ")
    wanted = base64.b64encode(f"{m.spec['user']}:{m.spec['password']}".encode()).decode()
    return kind == "Basic" and secrets.compare_digest(given, wanted)


def _document(document: Document) -> Response:
    return JSONResponse(document, headers={"OData-Version": "4.0"})


def _error(status: int, code: str, message: str) -> Response:
    """DSP0266 clause 8.6."""
    info = {"MessageId": f"Base.1.18.{code}", "Message": message}
    return JSONResponse(
        {"error": {"code": f"Base.1.18.{code}", "message": message, "@Message.ExtendedInfo": [info]}}, status
    )


def make_certificate(folder: Path, named: str | None = None) -> tuple[Path, Path]:
    """A certificate that vouches for itself, as controllers come with: for loopback, or for one DNS name alone.

    Returns
        (certificate, key), PEM
    """
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    loopback = [x509.DNSName("localhost"), x509.IPAddress(ip_address("127.0.0.1"))]
    names = x509.SubjectAlternativeName([x509.DNSName(named)] if named else loopback)
    now = datetime.now(UTC)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=365))
        .add_extension(names, critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .sign(key, hashes.SHA256())
    )
    certificate_file, key_file = folder / "controller.pem", folder / "controller.key"
    certificate_file.write_bytes(certificate.public_bytes(serialization.Encoding.PEM))
    key_file.touch(mode=0o600)
    key_file.write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    return certificate_file, key_file

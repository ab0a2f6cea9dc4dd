"""A simulated management controller: Redfish (DSP0266) over HTTPS, of one machine.

What it shows is what the machine found at its last start. Beside /redfish it has /standin, by which a person in the
demo, or a test, changes the machine as hands would:

    POST /standin/fitted   {slot: module or null}        refused while the machine is on
    POST /standin/faults   {slot: fault or null}         failed, badly-seated, half-size, errors
    POST /standin/manner   {"slow": seconds, "drop": n, "old": bool}
                           answers late; drops the link within the next n answers; has neither sessions nor $expand
"""

from __future__ import annotations

import asyncio
import base64
import re
import secrets
from http import HTTPStatus
from typing import Any
from xml.sax.saxutils import quoteattr

from fastapi import FastAPI, Request, Response
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Receive, Scope, Send

from umbrak.standins.resources import FAULTS, MAX_LEVELS, ROOT, SESSIONS, SYSTEM, Document, Resources, SimulatedMachine
from umbrak.standins.spec import Spec, module_of

#: Of every answer (DSP0266 clause 8.3): nothing of it is kept, since the machine changes.
_HEADERS = {"OData-Version": "4.0", "Cache-Control": "no-store"}
#: Paths that are shown to anybody (clause 6.5.4).
_OPEN = ("/redfish", ROOT, f"{ROOT}/$metadata", f"{ROOT}/odata")
_SCHEMAS = "http://redfish.dmtf.org/schemas/v1"


def make_controller(spec: Spec) -> FastAPI:
    """The service of one simulated machine."""
    m = SimulatedMachine(spec)
    resources = Resources(m)
    app = FastAPI(openapi_url=None, redirect_slashes=False)
    app.state.machine = m

    app.add_middleware(_Manner, machine=m)

    @app.post(SESSIONS)
    @app.post(f"{SESSIONS}/Members")
    async def sign_in(request: Request) -> Response:
        if m.old:
            return _error(404, "ResourceMissingAtURI", "There are no sessions.")
        body = await _object(request)
        if (body.get("UserName"), body.get("Password")) != (spec["user"], spec["password"]):
            return _unknown("User name or password is wrong.")
        token, key = secrets.token_hex(24), secrets.token_hex(4)
        m.sessions[key] = token
        document = resources.at(f"{SESSIONS}/{key}") or {}
        return _answer(document, 201, {"X-Auth-Token": token, "Location": f"{SESSIONS}/{key}"})

    @app.delete(SESSIONS + "/{key}")
    async def sign_out(key: str, request: Request) -> Response:
        if not _let_in(m, request):
            return _unknown()
        if key not in m.sessions:
            return _error(404, "ResourceMissingAtURI", f"There is no session {key}.")
        del m.sessions[key]
        return Response(status_code=204, headers=_HEADERS)

    @app.post(f"{SYSTEM}/Actions/ComputerSystem.Reset")
    async def reset(request: Request) -> Response:
        if not _let_in(m, request):
            return _unknown()
        kind = (await _object(request)).get("ResetType")
        if kind in ("On", "ForceRestart"):
            m.start()
        elif kind in ("ForceOff", "GracefulShutdown"):
            m.on = False
        else:
            return _error(400, "ActionParameterNotSupported", f"ResetType {kind} is not supported.")
        return Response(status_code=204, headers=_HEADERS)

    @app.patch(SYSTEM)
    async def change(request: Request) -> Response:
        if not _let_in(m, request):
            return _unknown()
        body = await _object(request)
        name, wanted = ("IndicatorLED", ("Blinking", "Off")) if m.old else ("LocationIndicatorActive", (True, False))
        if set(body) != {name} or not any(body[name] is w or body[name] == w != 1 for w in wanted):
            return _error(400, "PropertyNotWritable", f"Only {name} can be written.")
        m.light = body[name] is True or body[name] == "Blinking"
        return _answer(resources.at(SYSTEM) or {})

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
        m.slow, m.drop, m.old = float(body.get("slow", 0)), int(body.get("drop", 0)), bool(body.get("old", False))
        return Response(status_code=204)

    @app.api_route("/redfish", methods=["GET", "HEAD"])
    @app.api_route("/redfish/{path:path}", methods=["GET", "HEAD"])
    async def see(request: Request) -> Response:
        path = request.url.path.rstrip("/")
        if request.headers.get("OData-Version", "4.0") != "4.0":
            return _error(412, "GeneralError", "OData-Version 4.0 alone is spoken here.")
        if path not in _OPEN and not _let_in(m, request):
            return _unknown()
        allow = {"Allow": ", ".join(resources.methods_of(path))}
        if path == f"{ROOT}/$metadata":
            return Response(_metadata(resources), headers=_HEADERS | allow, media_type="application/xml")
        if path == f"{ROOT}/odata":
            return _answer(_service_document(resources), headers=allow)
        if others := [n for n in request.query_params if n.startswith("$") and n not in ("$skip", "$expand")]:
            return _error(501, "QueryNotSupported", f"{others[0]} is not supported.")
        skip, levels = request.query_params.get("$skip", "0"), _levels(request.query_params.get("$expand"))
        if levels is None or not skip.isdigit():
            return _error(400, "QueryParameterValueFormatError", "$skip is a number, $expand is .($levels=1 or 2).")
        document = resources.at(path, int(skip), f"&$expand=.($levels={levels})" if levels else "")
        if document is None:
            return _error(404, "ResourceMissingAtURI", f"There is nothing at {path}.")
        return _answer(document if m.old else resources.expanded(document, levels), headers=allow)

    @app.exception_handler(HTTPException)
    async def refused(request: Request, error: HTTPException) -> Response:
        if error.status_code == 405:
            allow = ", ".join(resources.methods_of(request.url.path.rstrip("/")))
            return _error(405, "OperationNotAllowed", "That cannot be done here.", {"Allow": allow})
        return _error(error.status_code, "GeneralError", str(error.detail))

    return app


async def _object(request: Request) -> Document:
    """The body, an object. Raises HTTPException 400."""
    try:
        body = await request.json()
    except ValueError:
        body = None
    if not isinstance(body, dict):
        raise HTTPException(400, "A JSON object is expected.")
    return body


def _levels(asked: str | None) -> int | None:
    """Levels of $expand; 0 where it is not asked for, None where it is asked for otherwise than is offered."""
    if asked is None:
        return 0
    match = re.fullmatch(r"\.(?:\(\$levels=(\d)\))?", asked)
    levels = int(match[1] or 1) if match else 0
    return levels if 1 <= levels <= MAX_LEVELS else None


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


def _let_in(m: SimulatedMachine, request: Request) -> bool:
    """By a session's token, or by basic authentication (DSP0266 wants both)."""
    if request.headers.get("X-Auth-Token") in m.sessions.values():
        return True
    kind, _, given = request.headers.get("Authorization", "").partition(" ")
    wanted = base64.b64encode(f"{m.spec['user']}:{m.spec['password']}".encode()).decode()
    return kind == "Basic" and secrets.compare_digest(given, wanted)


def _answer(document: Document, status: int = 200, headers: dict[str, str] | None = None) -> Response:
    kind = str(document.get("@odata.type", "")).lstrip("#").rpartition(".")[0]
    described = {"Link": f"<{_SCHEMAS}/{kind}.json>; rel=describedby"} if kind else {}
    return JSONResponse(document, status, _HEADERS | described | (headers or {}))


def _unknown(message: str = "Sign in first.") -> Response:
    challenge = {"WWW-Authenticate": 'Basic realm="controller"'}
    return _error(401, "ResourceAtUriUnauthorized", message, challenge)


def _error(status: int, code: str, message: str, headers: dict[str, str] | None = None) -> Response:
    """DSP0266 clause 8.6."""
    info = {
        "@odata.type": "#Message.v1_1_2.Message", "MessageId": f"Base.1.18.{code}", "Message": message,
        "MessageSeverity": "Warning", "Resolution": HTTPStatus(status).phrase,
    }  # fmt: skip
    error: dict[str, Any] = {"code": f"Base.1.18.{code}", "message": message, "@Message.ExtendedInfo": [info]}
    return JSONResponse({"error": error}, status, _HEADERS | (headers or {}))


def _top(resources: Resources) -> list[tuple[str, str, str]]:
    """(name, path, type) of the root and what it links to."""
    root = resources.at(ROOT) or {}
    named = [("Service", f"{ROOT}/", root), *(
        (n, v["@odata.id"], resources.at(v["@odata.id"]) or {}) for n, v in root.items() if isinstance(v, dict) and "@odata.id" in v
    )]  # fmt: skip
    return [(n, p, str(d.get("@odata.type", "")).lstrip("#")) for n, p, d in named]


def _service_document(resources: Resources) -> Document:
    """DSP0266 clause 8.4.3."""
    value = [{"name": name, "kind": "Singleton", "url": path} for name, path, _ in _top(resources)]
    return {"@odata.context": f"{ROOT}/$metadata", "value": value}


def _metadata(resources: Resources) -> str:
    """The OData metadata document (DSP0266 clause 8.4.2): where the types are described, and what stands at the top."""
    top = _top(resources)
    kinds = sorted({kind.rpartition(".")[0] for _, _, kind in top})
    references = "".join(
        f"<edmx:Reference Uri={quoteattr(_SCHEMAS + '/' + kind.partition('.')[0] + '_v1.xml')}>"
        f"<edmx:Include Namespace={quoteattr(kind)}/></edmx:Reference>"
        for kind in kinds
    )
    singletons = "".join(f"<Singleton Name={quoteattr(name)} Type={quoteattr(kind)}/>" for name, _, kind in top)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>'
        f'<edmx:Edmx xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx" Version="4.0">{references}<edmx:DataServices>'
        '<Schema xmlns="http://docs.oasis-open.org/odata/ns/edm" Namespace="Service">'
        f'<EntityContainer Name="Service" Extends="ServiceRoot.v1_15_0.ServiceContainer">{singletons}</EntityContainer>'
        "</Schema></edmx:DataServices></edmx:Edmx>"
    )

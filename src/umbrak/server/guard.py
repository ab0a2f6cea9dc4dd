"""What stands before every route: answers that are always problems, and large bodies only from people who are signed in."""

from __future__ import annotations

import asyncio
from urllib.parse import urlsplit

from sqlalchemy import Engine
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from umbrak.server.deps import asking
from umbrak.server.problems import handled, note, problem, too_large, unexpected

#: Of a request whose route says nothing else [bytes]: the largest layout in full words is half of it.
BODY_BYTES = 1 << 20
#: Up to this nobody is asked who sends it: signing in is a body too [bytes].
_SMALL = 16 << 10


_SAFE_METHODS = ("GET", "HEAD", "OPTIONS")
#: Of every answer that says nothing else itself: what keeps a page from being misused.
_HEADERS = {
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "X-Frame-Options": "DENY",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(self), geolocation=(), microphone=(), payment=(), usb=()",
}


class Shield:
    """Writes come from our own pages only; every answer, a refusal too, carries what keeps a page from being misused."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def shielded(message: Message) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = list(message["headers"])
                _shield(scope, MutableHeaders(raw=message["headers"]))
            await send(message)

        if scope["method"] in _SAFE_METHODS or _is_same_origin(Headers(scope=scope)):
            await self.app(scope, receive, shielded)
        else:
            words = "This request comes from another site's page; it is not carried out."
            await problem(403, "other-origin", "Not from here", words)(scope, receive, shielded)


def _shield(scope: Scope, headers: MutableHeaders) -> None:
    for name, value in _HEADERS.items():
        headers.setdefault(name, value)
    if scope.get("scheme") == "https":
        headers.setdefault("Strict-Transport-Security", "max-age=63072000")
    if scope["path"].startswith("/api/"):
        headers.setdefault("Cache-Control", "no-store")
        if "json" in headers.get("Content-Type", ""):  # a browser shows PDFs by pages of its own
            headers.setdefault("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")


def _is_same_origin(headers: Headers) -> bool:
    """By what browsers say of themselves: Sec-Fetch-Site, else Origin. Programs that are no browser send neither."""
    site = headers.get("sec-fetch-site")
    if site is not None:
        return site in ("same-origin", "none")
    origin = headers.get("origin")
    return origin is None or urlsplit(origin).netloc == headers.get("host")


class Guard:
    """What stands around the routes: whatever comes up to it is answered by a problem document, never by plain text."""

    def __init__(self, app: ASGIApp, hosts: frozenset[str] = frozenset()) -> None:
        """`hosts`: names under which it may be asked; none = any."""
        self.app, self.hosts = app, hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        if self.hosts and scope["path"] not in _ASKED_BY_ADDRESS and _host(scope) not in self.hosts:
            await problem(421, "other-host", "Another host", "This server is not asked under that name.")(
                scope, receive, send
            )
            return
        started = replaced = False

        async def watched(message: Message) -> None:
            nonlocal started, replaced
            if message["type"] == "http.response.start":
                started = True
                headers = dict(message["headers"])
                # The framework says this one, where a body is larger than its route takes, in words of its own.
                if message["status"] == 413 and headers.get(b"content-type", b"").startswith(b"text/plain"):
                    replaced = True
                    await too_large()(scope, receive, send)
            if not replaced:
                await send(message)

        try:
            await self.app(scope, receive, watched)
        except Exception as error:
            if started:
                note(scope, error)  # half an answer cannot be taken back: the connection ends
                raise
            await unexpected(scope, error)(scope, receive, send)


#: Asked by programs beside it, by its address.
_ASKED_BY_ADDRESS = ("/healthz", "/readyz", "/metrics")


def _host(scope: Scope) -> str:
    given = next((v.decode("latin-1") for n, v in scope["headers"] if n == b"host"), "")
    return (given.rpartition("]")[0] + "]" if given.startswith("[") else given.partition(":")[0]).lower()


class LargeBodies:
    """Who sends a large body is signed in, or nothing of it is read: no stranger's costs memory, disk or a thread."""

    def __init__(self, app: ASGIApp, engine: Engine) -> None:
        self.app, self.engine = app, engine

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and scope["path"].startswith("/api/") and _may_be_large(scope):
            try:
                await asyncio.to_thread(asking, self.engine, scope)
            except Exception as error:
                await handled(scope, error)(scope, receive, send)
                return
        await self.app(scope, receive, send)


def _may_be_large(scope: Scope) -> bool:
    headers = dict(scope["headers"])
    length: bytes = headers.get(b"content-length", b"")
    return b"transfer-encoding" in headers or (length.isdigit() and (len(length) > 9 or int(length) > _SMALL))

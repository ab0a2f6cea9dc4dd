"""A client for Redfish services (DSP0266): signs in, collects the documents that tell of memory and drives, signs out.

Nothing that a service answers is trusted: answers, documents, pages and time are bounded, redirections and links to
elsewhere are not followed, and the certificate is one that was given or pinned before any secret is sent.
"""

from __future__ import annotations

import hashlib
import json
import socket
import ssl
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlsplit

import httpx

from umbrak.devices.networks import DeviceError, Networks, split_address
from umbrak.formats.bounds import MAX_BYTES, Deadline
from umbrak.formats.faults import InputError
from umbrak.formats.json_text import load_json

Document = dict[str, Any]
ROOT = "/redfish/v1/"


@dataclass(frozen=True, slots=True)
class Bounds:
    """How much of a service is taken. Times in seconds."""

    connect: float = 5.0
    read: float = 10.0
    whole: float = 90.0
    answer_bytes: int = 2 << 20
    all_bytes: int = MAX_BYTES
    documents: int = 3000
    pages: int = 200
    retries: int = 2
    pause: float = 0.3


@dataclass(frozen=True, slots=True)
class Service:
    """Where a service is, who signs in, and how its certificate is known: by an authority, or itself by fingerprint."""

    address: str
    user: str
    password: str = field(repr=False)
    #: Certificates of authorities, PEM.
    authority: str | None = None
    #: SHA-256 of the service's own certificate, in hex.
    fingerprint: str | None = None


@dataclass(frozen=True, slots=True)
class Collection:
    #: Path -> document.
    documents: dict[str, Document]
    #: (path, what was odd): documents that could not be had cost themselves, not the rest.
    notes: tuple[tuple[str, str], ...]

    def as_bytes(self) -> bytes:
        """As a file that formats.redfish reads."""
        return json.dumps(self.documents, indent=1, ensure_ascii=False).encode()


def collect(
    service: Service,
    networks: Networks,
    bounds: Bounds = Bounds(),
    told: Callable[[int], None] = lambda count: None,
) -> Collection:
    """All that a service tells of its systems' memory, processors and drives.

    Parameters
        told    called with the number of documents had so far; what it raises ends the collecting

    Raises
        DeviceError
    """
    host, port, named = split_address(service.address, "https", 443)
    address = networks.address_of(host, port)
    context = _context(service, host, address, port, bounds)
    netloc = f"[{address}]:{port}" if ":" in address else f"{address}:{port}"
    with httpx.Client(
        base_url=f"https://{netloc}",
        headers={"Host": named, "Accept": "application/json", "OData-Version": "4.0"},
        transport=httpx.HTTPTransport(verify=context),
        timeout=httpx.Timeout(bounds.read, connect=bounds.connect),
        follow_redirects=False,
        trust_env=False,
    ) as http:
        walk = _Walk(http, host, bounds, told)
        with walk.signed_in(service):
            walk.everything()
    return Collection(walk.documents, tuple(walk.notes))


def fingerprint_of(certificate: bytes) -> str:
    """SHA-256 of a certificate in DER, in hex."""
    return hashlib.sha256(certificate).hexdigest()


def _context(service: Service, host: str, address: str, port: int, bounds: Bounds) -> ssl.SSLContext:
    """A context that trusts the given authority, or the one certificate whose fingerprint is known."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    if service.authority:
        try:
            context.load_verify_locations(cadata=service.authority)
        except (ssl.SSLError, ValueError) as error:
            raise DeviceError("certificate", "The authority's certificate is no PEM certificate.") from error
        return context
    # The certificate is had by itself first: no secret is sent before it is known.
    look = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    look.check_hostname, look.verify_mode = False, ssl.CERT_NONE
    try:
        with (
            socket.create_connection((address, port), bounds.connect) as plain,
            look.wrap_socket(plain, server_hostname=host) as secured,
        ):
            certificate = secured.getpeercert(binary_form=True) or b""
    except (OSError, ValueError) as error:
        raise DeviceError("unreachable", f"{host} port {port} cannot be reached by TLS: {error}.") from error
    found = fingerprint_of(certificate)
    wanted = (service.fingerprint or "").replace(":", "").lower()
    if not wanted:
        raise DeviceError(
            "certificate-unknown",
            f"The certificate of {host} is not known here. Its SHA-256 is {found}: compare it at the machine, then trust it.",
            found,
        )
    if found != wanted:
        raise DeviceError(
            "certificate", f"{host} shows another certificate than the one that is trusted: SHA-256 {found}.", found
        )
    # Trusted for itself, whatever name stands in it: management controllers make their own.
    context.check_hostname = False
    context.verify_flags |= ssl.VERIFY_X509_PARTIAL_CHAIN
    context.load_verify_locations(cadata=ssl.DER_cert_to_PEM_cert(certificate))
    return context


class _Walk:
    def __init__(self, http: httpx.Client, host: str, bounds: Bounds, told: Callable[[int], None]) -> None:
        self.http, self.host, self.bounds, self.told = http, host, bounds, told
        self.documents: dict[str, Document] = {}
        self.notes: list[tuple[str, str]] = []
        self._end = time.monotonic() + bounds.whole
        # The connection goes to an address; its certificate is asked for, and verified, by the name that was given.
        self._named = {"sni_hostname": host}
        self._bytes = 0

    @contextmanager
    def signed_in(self, service: Service) -> Iterator[None]:
        root = self.get(ROOT)
        path = _path(_link(root, "Links", "Sessions")) or "/redfish/v1/SessionService/Sessions"
        answer, _ = self._send("POST", path, {"UserName": service.user, "Password": service.password})
        token = answer.headers.get("X-Auth-Token")
        if answer.status_code in (400, 401, 403):
            raise DeviceError("refused", f"{self.host} does not let {service.user} in: check name and password.")
        if answer.status_code not in (200, 201) or not token:
            raise DeviceError("wrong-type", f"{self.host} answered the sign-in with {answer.status_code} and no token.")
        self.http.headers["X-Auth-Token"] = token
        try:
            yield
        finally:
            session = urlsplit(answer.headers.get("Location", "")).path
            if session.startswith("/redfish/"):
                try:
                    self.http.delete(session, timeout=self.bounds.connect, extensions=self._named)
                except httpx.HTTPError as error:
                    self.notes.append((session, f"signing out failed: {error}"))

    def everything(self) -> None:
        for system in self.members(_link(self.documents[ROOT], "Systems"), must=True):
            for _ in self.members(_link(system, "Processors")):
                pass
            for memory in self.members(_link(system, "Memory")):
                self.try_get(_link(memory, "Metrics"))
                self.try_get(_link(memory, "EnvironmentMetrics"))
            for chassis in self.each(_list(system, "Links", "Chassis")):
                for _ in self.members(_link(chassis, "Drives")):
                    pass
                for _ in self.each(_list(chassis, "Links", "Drives")):
                    pass
            for storage in self.members(_link(system, "Storage")):
                for _ in self.each(_list(storage, "Drives")):
                    pass

    def members(self, link: object, must: bool = False) -> Iterator[Document]:
        """Documents of a collection, page by page, each page once."""
        page = (
            self.get(
                _path(link) or "",
            )
            if must
            else self.try_get(link)
        )
        seen: set[str] = set()
        while page is not None:
            yield from self.each(_list(page, "Members"))
            following = page.get("Members@odata.nextLink")
            if following is None:
                return
            path = _path(following)
            if path is None or path in seen or len(seen) >= self.bounds.pages:
                self.notes.append(
                    (str(following)[:200], "the paging leads round or elsewhere; what was had till here is kept")
                )
                return
            seen.add(path)
            page = self.try_get(path)

    def each(self, links: list[Any]) -> Iterator[Document]:
        for link in links:
            document = self.try_get(link)
            if document is not None:
                yield document

    def try_get(self, link: object) -> Document | None:
        """A document, or a note of why not. What concerns the whole service is raised."""
        if link is None:
            return None
        path = _path(link)
        if path is None:
            self.notes.append((json.dumps(link)[:200], "a link that leads elsewhere; it is not followed"))
            return None
        try:
            return self.get(path)
        except DeviceError as error:
            if error.code not in ("redirected", "wrong-type", "not-found"):
                raise
            self.notes.append((path, str(error)))
            return None

    def get(self, path: str) -> Document:
        if path in self.documents:
            return self.documents[path]
        if len(self.documents) >= self.bounds.documents:
            raise DeviceError("too-large", f"{self.host} has more than {self.bounds.documents} documents.")
        answer, body = self._send("GET", path)
        if answer.is_redirect:
            where = answer.headers.get("Location", "nowhere")[:200]
            raise DeviceError("redirected", f"{self.host} sends on to {where}; that is not followed.")
        if answer.status_code in (401, 403):
            raise DeviceError("refused", f"{self.host} does not show {path} to this user.")
        if answer.status_code != 200:
            raise DeviceError("not-found", f"{self.host} answered {path} with {answer.status_code}.")
        try:
            document = load_json(body, Deadline())
        except InputError:
            document = None
        if not isinstance(document, dict):
            kind = answer.headers.get("Content-Type", "something else")[:60]
            raise DeviceError("wrong-type", f"{self.host} answered {path} with {kind}, not with a JSON object.")
        document["@odata.id"] = path
        self.documents[path] = document
        self.told(len(self.documents))
        return document

    def _send(self, method: str, path: str, body: object = None) -> tuple[httpx.Response, bytes]:
        """An answer and its body; tried again where the service is busy or the link dropped."""
        for attempt in range(self.bounds.retries + 1):
            last = attempt == self.bounds.retries
            wait = self.bounds.pause * (attempt + 1)
            try:
                with self.http.stream(method, path, json=body, extensions=self._named) as answer:
                    content = self._body(answer, path)
                if answer.status_code not in (429, 502, 503, 504) or last:
                    return answer, content
                asked = answer.headers.get("Retry-After", "")
                wait = min(float(asked[:6]), self.bounds.connect) if asked.isascii() and asked.isdigit() else wait
            except httpx.TimeoutException as error:
                if last:
                    raise DeviceError("too-slow", f"{self.host} took too long to answer {path}.") from error
            except httpx.TransportError as error:
                if last or (method == "POST" and not isinstance(error, httpx.ConnectError)):
                    code = "certificate" if "certificate" in str(error).lower() else "unreachable"
                    raise DeviceError(code, f"{self.host} cannot be asked for {path}: {error}.") from error
            self._in_time(path)
            time.sleep(wait)
        raise AssertionError("the last attempt returns or raises")

    def _body(self, answer: httpx.Response, path: str) -> bytes:
        content = bytearray()
        for chunk in answer.iter_bytes():
            content += chunk
            self._in_time(path)
            if len(content) > self.bounds.answer_bytes:
                raise DeviceError(
                    "too-large", f"{self.host} answered {path} with more than {self.bounds.answer_bytes} bytes."
                )
        self._bytes += len(content)
        if self._bytes > self.bounds.all_bytes:
            raise DeviceError("too-large", f"{self.host} answered with more than {self.bounds.all_bytes} bytes in all.")
        return bytes(content)

    def _in_time(self, path: str) -> None:
        if time.monotonic() > self._end:
            raise DeviceError(
                "too-slow", f"{self.host} took more than {self.bounds.whole:g} s in all; it was at {path}."
            )


def _link(document: Document, *names: str) -> object:
    value: object = document
    for name in names:
        value = value.get(name) if isinstance(value, dict) else None
    return value


def _list(document: Document, *names: str) -> list[Any]:
    value = _link(document, *names)
    return value if isinstance(value, list) else []


def _path(link: object) -> str | None:
    """The path that a link names on its own service; None where it leads elsewhere, or is none."""
    path = link.get("@odata.id") if isinstance(link, dict) else link
    if (
        not isinstance(path, str)
        or not path.startswith("/redfish/")
        or "\\" in path
        or ".." in path
        or len(path) > 2000
    ):
        return None
    return path.split("#")[0]

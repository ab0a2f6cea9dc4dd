"""A client for Redfish services (DSP0266): signs in, collects the documents that tell of memory and drives, signs out.

Nothing that a service answers is trusted: answers, documents, pages and time are bounded, redirections and links to
elsewhere are not followed, and the certificate is one that was given or pinned before any secret is sent. Ordinary old
controllers are met as they are: without sessions, slow, and with less than was asked for; what was had is kept.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlsplit

import httpx

from umbrak.devices.certificates import by_authority, by_fingerprint
from umbrak.devices.networks import DeviceError, Networks, split_address
from umbrak.formats.bounds import MAX_BYTES, Deadline
from umbrak.formats.faults import InputError
from umbrak.formats.json_text import load_json
from umbrak.formats.redfish import gather

Document = dict[str, Any]
ROOT = "/redfish/v1/"


@dataclass(frozen=True, slots=True)
class Bounds:
    """How much of a service is taken. Times in seconds."""

    connect: float = 5.0
    read: float = 15.0
    whole: float = 90.0
    answer_bytes: int = 2 << 20
    all_bytes: int = MAX_BYTES
    documents: int = 3000
    pages: int = 200
    retries: int = 2
    pause: float = 0.3
    #: Requests under way at one time: small controllers fall over more.
    at_once: int = 4
    #: Documents that may take too long before the rest is left.
    patience: int = 4


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
        DeviceError   where not even one memory document was had; what came after that cost itself, and is noted
    """
    with _open(service, networks, bounds, told) as walk:
        walk.everything()
    return Collection(walk.documents, tuple(walk.notes))


def set_light(service: Service, networks: Networks, on: bool, bounds: Bounds = Bounds()) -> bool:
    """Switch the locator light of the system that is read of a service, or of its chassis where the system has none.

    By LocationIndicatorActive (DSP0268 since 2020.3), or IndicatorLED, which it replaced.

    Returns
        whether it was on before: then it is somebody else's

    Raises
        DeviceError   "no-light" where it tells of none; or what went wrong
    """
    with _open(service, networks, bounds, lambda count: None) as walk:
        # As formats.redfish chooses: of several the first that lists memory.
        first = min(walk.systems(), key=lambda s: (_link(s, "Memory") is None, str(s["@odata.id"])), default=None)
        chassis = () if first is None or _light(first) else walk.fetch(_list(first, "Links", "Chassis"))
        for having in (first, *chassis):
            if having is not None and (light := _light(having)):
                walk.change(having, {light: on if light == _ACTIVE else "Blinking" if on else "Off"})
                return having[light] in (True, "Blinking")
        raise DeviceError("no-light", f"{walk.host} tells of no locator light that can be switched.")


_ACTIVE, _LED = "LocationIndicatorActive", "IndicatorLED"


def _light(document: Document) -> str | None:
    """The property by which the light of a system or chassis is switched; None where it has none."""
    if isinstance(document.get(_ACTIVE), bool):
        return _ACTIVE
    return _LED if isinstance(document.get(_LED), str) else None


@contextmanager
def _open(service: Service, networks: Networks, bounds: Bounds, told: Callable[[int], None]) -> Iterator[_Walk]:
    """A walk that is signed in, and out again."""
    host, port, named = split_address(service.address, "https", 443)
    address = networks.address_of(host, port)
    weak: list[str] = []
    if service.authority:
        context = by_authority(service.authority)
    else:
        context, weak = by_fingerprint(service.fingerprint, host, address, port, bounds.connect)
    netloc = f"[{address}]:{port}" if ":" in address else f"{address}:{port}"
    with (
        httpx.Client(
            base_url=f"https://{netloc}",
            headers={"Host": named, "Accept": "application/json", "OData-Version": "4.0"},
            transport=httpx.HTTPTransport(verify=context),
            timeout=httpx.Timeout(bounds.read, connect=bounds.connect),
            follow_redirects=False,
            trust_env=False,
        ) as http,
        ThreadPoolExecutor(bounds.at_once) as pool,
    ):
        walk = _Walk(http, pool, host, bounds, told)
        walk.notes += [(service.address, words) for words in weak]
        try:
            with walk.signed_in(service):
                yield walk
        finally:
            pool.shutdown(cancel_futures=True)


class _OutOfTime(DeviceError):
    """The whole has taken as long as it may, or too many of its documents have."""


class _Walk:
    """What was had of a service. Requests run beside each other; what they bring is looked at in one thread alone."""

    def __init__(
        self, http: httpx.Client, pool: ThreadPoolExecutor, host: str, bounds: Bounds, told: Callable[[int], None]
    ) -> None:
        self.http, self.pool, self.host, self.bounds, self.told = http, pool, host, bounds, told
        self.documents: dict[str, Document] = {}
        self.notes: list[tuple[str, str]] = []
        self._end = time.monotonic() + bounds.whole
        # The connection goes to an address; its certificate is asked for, and verified, by the name that was given.
        self._named = {"sni_hostname": host}
        self._bytes = 0
        self._late = 0
        #: The query by which members come with their collection; "" where the service has none.
        self._expand = ""

    @contextmanager
    def signed_in(self, service: Service) -> Iterator[None]:
        root = self.get(ROOT)
        self._expand = _expand_query(root)
        path = _path(_link(root, "Links", "Sessions"))
        if path is None and _link(root, "SessionService") is None:
            # DSP0266 clause 13.3.2: basic authentication is of every service. The certificate is known by now.
            self._basic(service, "has no sessions")
            yield
            return
        path = path or "/redfish/v1/SessionService/Sessions"
        answer, body = self._send("POST", path, {"UserName": service.user, "Password": service.password})
        token = answer.headers.get("X-Auth-Token")
        if answer.status_code in (404, 405, 501, 503, 507):
            self._basic(service, "has no session free" if answer.status_code in (503, 507) else "has no sessions")
            yield
            return
        if answer.status_code in (400, 401, 403):
            raise DeviceError("refused", f"{self.host} does not let {service.user} in: check name and password.")
        if answer.status_code not in (200, 201) or not token:
            raise DeviceError("wrong-type", f"{self.host} answered the sign-in with {answer.status_code} and no token.")
        self.http.headers["X-Auth-Token"] = token
        try:
            yield
        finally:
            session = urlsplit(answer.headers.get("Location", "")).path or _own_path(body)
            if session.startswith("/redfish/"):
                try:
                    self.http.delete(session, timeout=self.bounds.connect, extensions=self._named)
                except httpx.HTTPError as error:
                    self.notes.append((session, f"signing out failed: {error}"))

    def _basic(self, service: Service, why: str) -> None:
        self.notes.append((ROOT, f"it {why}: name and password go with every request, over its known certificate"))
        self.http.auth = httpx.BasicAuth(service.user, service.password)

    def systems(self) -> list[Document]:
        return self.members(_link(self.documents[ROOT], "Systems"), must=True)

    def everything(self) -> None:
        """What tells of memory first, then what is good to know: time may run out."""
        memory: list[Document] = []
        try:
            systems = self.systems()
            for system in systems:
                memory += self.members(_link(system, "Memory"))
            for system in systems:
                self.members(_link(system, "Processors"))
            self.fetch(_link(m, name) for m in memory for name in ("Metrics", "EnvironmentMetrics") if _link(m, name))
            for chassis in self.fetch(link for s in systems for link in _list(s, "Links", "Chassis")):
                if chassis is not None:
                    self.members(_link(chassis, "Drives"))
                    self.fetch(_list(chassis, "Links", "Drives"))
            for system in systems:
                for storage in self.members(_link(system, "Storage")):
                    self.fetch(_list(storage, "Drives"))
        except _OutOfTime as error:
            if not any("/Memory/" in path for path in self.documents):
                raise
            self.notes.append((ROOT, f"{error} What was had till then is kept; the rest stays unknown."))

    def change(self, document: Document, change: Document) -> None:
        """Write to a document, if nobody else has since it was had. Raises DeviceError."""
        path, tag = str(document["@odata.id"]), document.get("@odata.etag")
        headers = {"If-Match": tag} if isinstance(tag, str) and tag.isascii() and tag.isprintable() else {}
        answer, _ = self._send("PATCH", path, change, headers)
        if answer.status_code in (401, 403):
            raise DeviceError("refused", f"{self.host} does not let this user change {path}.")
        if answer.status_code not in (200, 202, 204):
            raise DeviceError("wrong-type", f"{self.host} answered a change of {path} with {answer.status_code}.")

    def members(self, link: object, must: bool = False) -> list[Document]:
        """Documents of a collection, page by page, each page once; those that the page has within it are not asked for."""
        page = self._page(link, must)
        found: list[Document] = []
        seen: set[str] = set()
        while page is not None:
            found += [d for d in self.fetch(_list(page, "Members")) if d is not None]
            following = page.get("Members@odata.nextLink")
            if following is None:
                break
            path = _path(following)
            if path is None or path in seen or len(seen) >= self.bounds.pages:
                self.notes.append(
                    (str(following)[:200], "the paging leads round or elsewhere; what was had till here is kept")
                )
                break
            seen.add(path)
            page = self._taken(path, self.fetch([path])[0])
        return found

    def _page(self, link: object, must: bool) -> Document | None:
        """The first page of a collection, with its members within it where the service can."""
        path = _path(link)
        if self._expand and path and path not in self.documents and "?" not in path:
            try:
                return self._taken(path, self._keep(path, *self._send("GET", f"{path}?{self._expand}")))
            except _OutOfTime:
                raise
            except DeviceError:
                self._expand = ""  # said, and not so: each is asked for by itself
        return self.get(path or "") if must else self.fetch([link])[0]

    def _taken(self, path: str, page: Document | None) -> Document | None:
        """A page, the members that it has within it taken as documents."""
        base = path.split("?")[0].rstrip("/") + "/"
        for own, document in gather(_list(page or {}, "Members"), Deadline()).items():
            whole = "Name" in document and "Members" not in document  # a collection deep within has links alone
            if own.startswith(base) and whole and len(self.documents) < self.bounds.documents:
                self.documents.setdefault(own, document)
        self.told(len(self.documents))
        return page

    def fetch(self, links: Iterable[object]) -> list[Document | None]:
        """The documents of links in their order, several asked for at once; None, and a note, for what cannot be had.

        Raises
            DeviceError   for what concerns the whole service
        """
        asked: dict[str, Future[tuple[httpx.Response, bytes]]] = {}
        paths: list[str | None] = []
        for link in links:
            path = _path(link)
            if path is None and link is not None:
                self.notes.append((json.dumps(link)[:200], "a link that leads elsewhere; it is not followed"))
            elif path is not None and path not in self.documents and path not in asked:
                if len(self.documents) + len(asked) >= self.bounds.documents:
                    raise DeviceError("too-large", f"{self.host} has more than {self.bounds.documents} documents.")
                asked[path] = self.pool.submit(self._send, "GET", path)
            paths.append(path)
        try:
            for path, answer in asked.items():
                self._try(path, answer)
        except BaseException:
            for answer in asked.values():
                answer.cancel()
            raise
        return [self.documents.get(path) if path is not None else None for path in paths]

    def _try(self, path: str, answer: Future[tuple[httpx.Response, bytes]]) -> None:
        try:
            self._keep(path, *answer.result())
        except _OutOfTime:
            raise
        except DeviceError as error:
            if error.code == "too-large":
                raise
            self.notes.append((path, str(error)))
            self._late += error.code in ("too-slow", "unreachable")
            if self._late > self.bounds.patience:
                raise _OutOfTime("too-slow", f"{self.host} did not answer {self._late} times.") from error

    def get(self, path: str) -> Document:
        """A document that the rest hangs on. Raises DeviceError."""
        return self.documents[path] if path in self.documents else self._keep(path, *self._send("GET", path))

    def _keep(self, path: str, answer: httpx.Response, body: bytes) -> Document:
        """The document of an answer. Raises DeviceError where it is none."""
        if answer.is_redirect:
            where = answer.headers.get("Location", "nowhere")[:200]
            raise DeviceError("redirected", f"{self.host} sends on to {where}; that is not followed.")
        if answer.status_code == 401 and self.http.auth is not None:
            raise DeviceError("refused", f"{self.host} does not let this user in: check name and password.")
        if answer.status_code in (401, 403):
            raise DeviceError("refused", f"{self.host} does not show {path} to this user.")
        if answer.status_code != 200:
            raise DeviceError("not-found", f"{self.host} answered {path} with {answer.status_code}.")
        self._bytes += len(body)
        if self._bytes > self.bounds.all_bytes:
            raise DeviceError("too-large", f"{self.host} answered with more than {self.bounds.all_bytes} bytes in all.")
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

    def _send(
        self, method: str, path: str, body: object = None, headers: dict[str, str] | None = None
    ) -> tuple[httpx.Response, bytes]:
        """An answer and its body; tried again where the service is busy or the link dropped. Of any thread."""
        for attempt in range(self.bounds.retries + 1):
            last = attempt == self.bounds.retries
            wait = self.bounds.pause * (attempt + 1)
            left = self._in_time(path)
            timeout = httpx.Timeout(min(self.bounds.read, left), connect=min(self.bounds.connect, left))
            try:
                with self.http.stream(
                    method, path, json=body, headers=headers, extensions=self._named, timeout=timeout
                ) as answer:
                    content = self._body(answer, path)
                if answer.status_code not in (429, 502, 503, 504) or last:
                    return answer, content
                asked = answer.headers.get("Retry-After", "")
                wait = min(float(asked[:6]), self.bounds.connect) if asked.isascii() and asked.isdigit() else wait
            except httpx.TimeoutException as error:
                self._in_time(path)
                if last:
                    raise DeviceError("too-slow", f"{self.host} took too long to answer {path}.") from error
            except httpx.TransportError as error:
                if last or (method == "POST" and not isinstance(error, httpx.ConnectError)):
                    code = "certificate" if "certificate" in str(error).lower() else "unreachable"
                    raise DeviceError(code, f"{self.host} cannot be asked for {path}: {error}.") from error
            time.sleep(min(wait, self._in_time(path)))
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
        return bytes(content)

    def _in_time(self, path: str) -> float:
        """Seconds that are left. Raises _OutOfTime where none are."""
        left = self._end - time.monotonic()
        if left <= 0:
            raise _OutOfTime(
                "too-slow", f"{self.host} took more than {self.bounds.whole:g} s in all; it was at {path}."
            )
        return left


def _expand_query(root: Document) -> str:
    """How a service's own words let members be had within their collection (DSP0266 clause 7.3.2); "" = not."""
    offered = _link(root, "ProtocolFeaturesSupported", "ExpandQuery")
    if not isinstance(offered, dict):
        return ""
    kind = "." if offered.get("NoLinks") is True else "*" if offered.get("ExpandAll") is True else ""
    most = offered.get("MaxLevels")
    deep = offered.get("Levels") is True and isinstance(most, int) and not isinstance(most, bool) and most >= 2
    return f"$expand={kind}" + ("($levels=2)" if deep else "") if kind else ""


def _own_path(body: bytes) -> str:
    """The path that a document gives as its own; "" where it is none."""
    try:
        document = load_json(body, Deadline())
    except InputError:
        return ""
    return _path(document) or ""


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

"""A small client for scripts: machines, what they report, what is on the Shelf, tables, the Desk.

    from umbrak.client import Umbrak

    with Umbrak("https://umbrak.example:8470", token) as umbrak:
        for machine in umbrak.machines(want="stop"):
            print(machine.name, machine.worst)

What it does not have goes by `request`: the whole API is described at /api/openapi.json.

ApiError        Umbrak refused, or cannot be reached
"""

from __future__ import annotations

import ssl
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime
from types import TracebackType
from typing import Any

import httpx

#: Tries of what may be asked again: reads, and any request that was answered with "busy".
TRIES = 4
_LONGEST_WAIT = 30.0
_BUSY = (429, 503)


class ApiError(Exception):
    """A problem document (RFC 9457), or that there was no answer.

    Attributes
        status    0 = there was no answer
        kind      such as "stale", "refused", "not-found"
        errors    [{"field", "message"}, ...]
        problem   the whole document
    """

    def __init__(self, status: int, problem: dict[str, Any]) -> None:
        self.status, self.problem = status, problem
        self.kind = str(problem.get("type", "")).rsplit(":", 1)[-1]
        self.errors: list[dict[str, Any]] = problem.get("errors") or []
        super().__init__(str(problem.get("detail") or problem.get("title") or f"answered with {status}"))


@dataclass(frozen=True, slots=True)
class Machine:
    """A line of Machines."""

    id: str
    name: str
    model: str
    site: str | None
    installed_gib: float
    official_gib: float | None
    #: Of its plan, or as it is where there is none: go, at risk, undecided, no-go; and what it could still become.
    verdict: str
    at_worst: str
    #: What stands most against it, in words; "": nothing.
    worst: str
    surveyed_at: datetime
    #: The whole line as it was answered.
    document: dict[str, Any] = field(repr=False)


@dataclass(frozen=True, slots=True)
class SlotChange:
    """A slot of a report beside what was known of it."""

    slot: str
    #: same, learnt, differs, ... as the API has it.
    change: str
    document: dict[str, Any] = field(repr=False)


@dataclass(frozen=True, slots=True)
class Difference:
    """A report beside what is known of a machine. Nothing changes by it."""

    machine_id: str
    intake_id: str
    slots: tuple[SlotChange, ...]
    document: dict[str, Any] = field(repr=False)


class Umbrak:
    """One installation, asked by a token. Use it as a context, or `close` it."""

    def __init__(
        self, address: str, token: str, *, verify: ssl.SSLContext | bool = True, timeout: float = 60.0
    ) -> None:
        headers = {"Authorization": f"Bearer {token}", "Accept": "application/json"}
        self._http = httpx.Client(base_url=address, headers=headers, verify=verify, timeout=timeout)

    def __enter__(self) -> Umbrak:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        self._http.close()

    def request(self, method: str, path: str, **more: Any) -> Any:
        """The answer's JSON, its bytes where it is none, None where it is empty. Raises ApiError.

        Parameters
            more    as of httpx: params, json, files, data
        """
        answer = self._asked(method, path, **more)
        if answer.status_code == 204 or not answer.content:
            return None
        return answer.json() if "json" in answer.headers.get("Content-Type", "") else answer.content

    def _asked(self, method: str, path: str, **more: Any) -> httpx.Response:
        for tries in range(1, TRIES + 1):
            last = tries == TRIES
            try:
                answer = self._http.request(method, path, **more)
            except httpx.TransportError as error:
                # A write may have been carried out: whoever made it has to look.
                if last or method != "GET":
                    raise ApiError(0, {"detail": f"Umbrak did not answer: {error}"}) from error
                time.sleep(0.5 * 2**tries)
                continue
            if answer.is_success:
                return answer
            if answer.status_code not in _BUSY or last:
                raise ApiError(answer.status_code, _problem(answer))
            time.sleep(_wait(answer, tries))
        raise AssertionError("the last try returns or raises")

    def machines(self, q: str = "", want: str | None = None) -> Iterator[Machine]:
        """Every machine that is looked after, page by page.

        Parameters
            q       as in the field of Machines: name, place, serial, model
            want    what the worst of it has to be: stop, ask, risk, slow, note
        """
        page = 0
        while True:
            params = {"q": q, "page": page, **({"want": want} if want else {})}
            found = self.request("GET", "/api/machines", params=params)
            yield from map(_machine, found["machines"])
            page += 1
            if page * found["page_size"] >= found["total"]:
                return

    def machine(self, name: str) -> Machine:
        """The machine of just this name. Raises ApiError where there is none."""
        for machine in self.machines(q=name):
            if machine.name == name:
                return machine
        raise ApiError(404, {"type": "urn:umbrak:problem:not-found", "detail": f"There is no machine {name}."})

    def compare(self, machine_id: str, report: bytes, name: str = "report") -> Difference:
        """Take in what a machine reports of itself, in any of the formats that are read, and hold it against what is known."""
        intake = self.request("POST", "/api/intakes", files={"file": (name, report)})
        body = {"intake_id": intake["id"]}
        found = self.request("POST", f"/api/machines/{machine_id}/difference", json=body)
        slots = tuple(SlotChange(s["slot"], s["change"], s) for s in found["slots"])
        return Difference(machine_id, intake["id"], slots, found)

    def export(self, what: str = "slots", form: str = "csv") -> bytes:
        """A table of all machines, or of all their slots.

        Parameters
            what    machines, slots
            form    csv, json, xlsx
        """
        answer = self._asked("GET", f"/api/machines/exports/{what}", params={"as": form})
        return answer.content

    def put_on_shelf(self, part: str, count: int, place: str = "", note: str = "") -> None:
        """Modules that have come, by their part number."""
        body = {"module": {}, "part": part, "count": count, "place": place, "note": note}
        self.request("POST", "/api/shelf/stock", json=body)

    def desk(self) -> dict[str, Any]:
        """What wants somebody."""
        found: dict[str, Any] = self.request("GET", "/api/desk")
        return found


def _problem(answer: httpx.Response) -> dict[str, Any]:
    try:
        found = answer.json()
    except ValueError:
        found = None
    return found if isinstance(found, dict) else {"detail": f"answered with {answer.status_code}"}


def _wait(answer: httpx.Response, tries: int) -> float:
    """As the answer says, within reason. [s]"""
    said = answer.headers.get("Retry-After", "")
    return min(float(said) if said.isdecimal() else 0.5 * 2**tries, _LONGEST_WAIT)


def _machine(line: dict[str, Any]) -> Machine:
    summary = line["summary"]
    return Machine(
        id=line["id"],
        name=line["name"],
        model=line["sheet_title"],
        site=line["site"],
        installed_gib=summary["installed_gib"],
        official_gib=summary["official_gib"],
        verdict=summary["verdict"],
        at_worst=summary["at_worst"],
        worst=summary["worst_message"] or "",
        surveyed_at=datetime.fromisoformat(line["surveyed_at"]),
        document=line,
    )

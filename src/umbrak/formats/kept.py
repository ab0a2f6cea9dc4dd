"""Documents that are kept in the database: one adapter a kind, which writes the shape of today and reads every shape ever
written (tests/formats/kept.yaml has a sample of each)."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, field, fields
from datetime import datetime
from typing import Any, Generic, TypeVar

from pydantic import TypeAdapter, ValidationError

from umbrak.core.evidence.trial import Held
from umbrak.core.memory.module import Module
from umbrak.core.plan.sizing import Sizing
from umbrak.core.plan.symptoms import Symptoms
from umbrak.core.platform.known import Claim, Disputed, Drive, Known, Origin, Running, Totals
from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.platform.sheet import SheetHash
from umbrak.core.platform.survey import SlotHealth, SurveyReading
from umbrak.core.rules.finding import Verdict
from umbrak.core.runsheet.step import RunSheet
from umbrak.formats.documents import MachineDoc, StatementDoc, layout_json, module_json, read_layout
from umbrak.formats.entries import KEPT_ENTRY, KeptEntry
from umbrak.formats.sheet.answers import NewSource
from umbrak.formats.sheet.qualified import ListLine
from umbrak.formats.to_json import compact, jsonable

T = TypeVar("T")
_Data = dict[str, Any]
_Upgrade = Callable[[_Data], _Data]


class Unreadable(Exception):
    """A kept document that this version does not understand; `str()` says which, and what to do."""


class Kept(Generic[T]):
    """One kind of document: how it is written now, and how it is read whatever version wrote it.

    A document has its number under "schema"; one without is of the first shape. `upgrades` has, for each number but the newest,
    what makes a document of that number one of the next.
    """

    def __init__(
        self, what: str, read: Callable[[_Data], T], write: Callable[[T], _Data], upgrades: tuple[_Upgrade, ...] = ()
    ) -> None:
        self.what = what
        self.schema = len(upgrades) + 1
        self._read = read
        self._write = write
        self._upgrades = upgrades

    def write(self, value: T) -> _Data:
        return {"schema": self.schema, **self._write(value)}

    def read(self, document: Mapping[str, Any]) -> T:
        """Raises Unreadable for a document of a newer version, or of none."""
        if not isinstance(document, Mapping):
            raise Unreadable(f"{self.what} cannot be read: what is kept is no such document. Restore a backup.")
        # The first shape had no number; where its members are people's names, one of them may be called so.
        numbered = isinstance(document.get("schema"), int)
        number = document["schema"] if numbered else 1
        if number < 1:
            raise Unreadable(f"{self.what} cannot be read: shape {number} was never written. Restore a backup.")
        if number > self.schema:
            raise Unreadable(
                f"{self.what} was written by a newer version (shape {number}; this one knows {self.schema}): start that version."
            )
        data = {k: v for k, v in document.items() if not (numbered and k == "schema")}
        try:
            for upgrade in self._upgrades[number - 1 :]:
                data = upgrade(data)
            return self._read(data)
        except (ValidationError, ValueError, TypeError, KeyError, AttributeError, LookupError) as error:
            raise Unreadable(
                f"{self.what} cannot be read: what is kept is no such document ({type(error).__name__}). Restore a backup."
            ) from error


def _no_more_than(kind: type[Any], value: T, document: _Data) -> T:
    """The value, unless the document says more than it has members for: that would be lost when it is written again."""
    if odd := set(document) - {f.name for f in fields(kind)}:
        raise ValueError(f"unknown members {', '.join(sorted(odd))}")
    return value


def read_or_say(kept: Kept[T], document: Mapping[str, Any], instead: T) -> tuple[T, str]:
    """(value, "") or (what stands in for it, why it cannot be read): a line of a list that cannot be read costs that line."""
    try:
        return kept.read(document), ""
    except Unreadable as error:
        return instead, str(error)


# -- machines, statements, modules ----------------------------------------------------------------------

FACTS: Kept[MachineDoc] = Kept(
    "What is particular to this machine", lambda d: MachineDoc(**d), lambda v: v.model_dump()
)
STATEMENT: Kept[StatementDoc] = Kept(
    "A statement", lambda d: StatementDoc(**d), lambda v: v.model_dump(mode="json", by_alias=True, exclude_none=True)
)
MODULE: Kept[Module] = Kept("A module", lambda d: _module(d), module_json)
#: What a machine held when something was tried.
HELD: Kept[Held] = Kept("What a machine held at a trial", lambda d: _held(d), lambda v: jsonable(_held_json(v)))
GOAL: Kept[Layout] = Kept("A plan's layout", lambda d: read_layout(d["slots"]), lambda v: {"slots": layout_json(v)})
#: What is fitted after each stage but the last.
STAGES: Kept[tuple[Layout, ...]] = Kept(
    "A plan's stages",
    lambda d: tuple(read_layout(s) for s in d["stages"]),
    lambda v: {"stages": [layout_json(s) for s in v]},
)
#: Facts that a plan sets; those it does not set are not in it.
RUNS_WITH: Kept[MachineDoc] = Kept(
    "What a plan will run with",
    lambda d: MachineDoc(**d["facts"]),
    lambda v: {"facts": v.model_dump(exclude_unset=True)},
)


def _held_json(v: Held) -> _Data:
    sets = {n: sorted(getattr(v, n)) for n in ("makers", "kits", "facts")}
    return {"most": dict(v.most), **sets, "firmware": v.firmware, "system": v.system}


def _held(d: _Data) -> Held:
    sets = {n: frozenset(d.get(n, ())) for n in ("makers", "kits", "facts")}
    most = {str(scope): float(gib) for scope, gib in d.get("most", {}).items()}
    return _no_more_than(Held, Held(most=most, **sets, firmware=d.get("firmware"), system=d.get("system")), d)


def _module(document: _Data) -> Module:
    found = read_layout({"x": document})["x"]
    if not isinstance(found, Module):
        raise ValueError("no module")
    return found


def occupant_json(occupant: Occupant | None) -> Any:
    """What is in one slot as a document that `read_occupant` reads; null = nothing."""
    return layout_json(Layout({"x": occupant})).get("x")


def read_occupant(document: Any) -> Occupant | None:
    return read_layout({"x": document}).get("x")


@dataclass(frozen=True, slots=True)
class Change:
    """What a command made of one slot; None = empty."""

    before: Occupant | None
    after: Occupant | None


COMMAND: Kept[Mapping[str, Change]] = Kept(
    "An edit of a plan",
    lambda d: {s: Change(read_occupant(c["from"]), read_occupant(c["to"])) for s, c in d["slots"].items()},
    lambda v: {"slots": {s: {"from": occupant_json(c.before), "to": occupant_json(c.after)} for s, c in v.items()}},
    # The first had the slots themselves as its members.
    (lambda d: {"slots": d},),
)


# -- surveys --------------------------------------------------------------------------------------------

_READING: TypeAdapter[SurveyReading] = TypeAdapter(SurveyReading)
INTAKE: Kept[SurveyReading] = Kept(
    "What a machine reported", lambda d: _READING.validate_python(d["reading"]), lambda v: {"reading": compact(v)}
)


def _read_known(d: _Data) -> Known:
    """Members that came later are not in older documents."""
    totals, claim, running = d.get("totals"), d.get("claim"), d.get("running")
    return Known(
        slots=read_layout(d["slots"]),
        failed=tuple(d.get("failed", ())),
        in_use=tuple(d.get("in_use", ())),
        sources={
            s: Origin(o["kind"], _at(o), o.get("over"), o.get("ran", False)) for s, o in d.get("sources", {}).items()
        },
        disputed={s: Disputed(o["kind"], _at(o), read_occupant(o["says"])) for s, o in d.get("disputed", {}).items()},
        bays={int(n): None if o is None else Drive(**o) for n, o in d.get("bays", {}).items()},
        health={s: SlotHealth(**h) for s, h in d.get("health", {}).items()},
        totals=Totals(
            totals["installed_gib"], totals["usable_gib"], totals["kind"], _at(totals), totals.get("used_gib")
        )
        if totals
        else None,
        claim=Claim(claim["gib"], claim["kind"], _at(claim)) if claim else None,
        running=Running(running["rate_mts"], running["kind"], _at(running)) if running else None,
    )


def _at(document: _Data) -> datetime:
    return datetime.fromisoformat(document["at"])


def _write_known(v: Known) -> _Data:
    def timed(value: Any) -> _Data:
        told = {**asdict(value), "at": value.at.isoformat()}
        return {k: x for k, x in told.items() if (k, x) not in (("over", None), ("ran", False))}

    return {
        "slots": layout_json(v.slots),
        "failed": list(v.failed),
        "in_use": list(v.in_use),
        "sources": {s: timed(o) for s, o in v.sources.items()},
        "disputed": {
            s: {"kind": o.kind, "at": o.at.isoformat(), "says": occupant_json(o.says)} for s, o in v.disputed.items()
        },
        "bays": {str(n): None if d is None else asdict(d) for n, d in v.bays.items()},
        "health": {s: asdict(h) for s, h in v.health.items()},
        "totals": timed(v.totals) if v.totals else {},
        "claim": timed(v.claim) if v.claim else {},
        "running": timed(v.running) if v.running else {},
    }


SURVEY: Kept[Known] = Kept("What is known of the slots", _read_known, _write_known)


# -- runs -----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Begun:
    """A run sheet as it was begun, with what it was made from."""

    sheet: RunSheet
    now: Layout
    goal: Layout
    failed: frozenset[str]
    #: Bay -> what tells its drive apart; "" where it is known to be empty.
    bays: Mapping[int, str]
    soak_days: float
    #: What the goal was judged when it was begun.
    verdict: Verdict
    findings: tuple[str, ...]
    sheet_hash: SheetHash
    firmware: str | None
    rules: str


_SHEET: TypeAdapter[RunSheet] = TypeAdapter(RunSheet)


def _read_begun(d: _Data) -> Begun:
    return Begun(
        sheet=_SHEET.validate_python(d["sheet"]),
        now=read_layout(d["now"]),
        goal=read_layout(d["goal"]),
        failed=frozenset(d["failed"]),
        bays={int(n): drive for n, drive in d["bays"].items()},
        soak_days=d["soak_days"],
        verdict=Verdict(d["verdict"]),
        findings=tuple(d["findings"]),
        sheet_hash=d["sheet_hash"],
        firmware=d["firmware"],
        rules=str(d["rules"]),
    )


def _write_begun(v: Begun) -> _Data:
    return {
        "sheet": jsonable(v.sheet),
        "now": layout_json(v.now),
        "goal": layout_json(v.goal),
        "failed": sorted(v.failed),
        "bays": {str(n): drive for n, drive in v.bays.items()},
        "soak_days": v.soak_days,
        "verdict": v.verdict.value,
        "findings": list(v.findings),
        "sheet_hash": v.sheet_hash,
        "firmware": v.firmware,
        "rules": v.rules,
    }


def _sheet_of_its_own(d: _Data) -> _Data:
    """The first kept the command line's JSON: slots of an action under "from" and "to"; rules as a whole number."""
    steps = []
    for step in d["sheet"]["steps"]:
        action = step["action"] and dict(step["action"])
        if action:
            action |= {"source": action.pop("from"), "target": action.pop("to")}
        steps.append({**step, "action": action})
    return {**d, "sheet": {**d["sheet"], "steps": steps}, "rules": str(d["rules"])}


RUN: Kept[Begun] = Kept("A run sheet", _read_begun, _write_begun, (_sheet_of_its_own,))
#: With its kind and step, which have columns of their own.
ENTRY: Kept[KeptEntry] = Kept(
    "What was entered of a run",
    lambda d: KEPT_ENTRY.validate_json(json.dumps(d)),
    lambda v: v.model_dump(mode="json", exclude={"kind", "step"}),
)


@dataclass(frozen=True, slots=True)
class Taken:
    """What a lead saw of a plan's risk when taking it."""

    verdict: Verdict
    trouble: float
    reasons: tuple[str, ...]
    version: int
    #: By which model trouble was reckoned: 1 = with what is only shown oddly, 2 = that it does not run.
    model: int = 1
    #: What it was to cost less than the official way; None where there was none with a price.
    saving: float | None = None
    #: Of which currency.
    currency: str = ""


#: The model of today.
MODEL = 2
APPROVAL: Kept[Taken] = Kept(
    "An approval",
    lambda d: Taken(
        Verdict(d["verdict"]),
        d["trouble"],
        tuple(d["reasons"]),
        d["version"],
        d.get("model", 1),
        d.get("saving"),
        d.get("currency", ""),
    ),
    jsonable,
)


# -- the rest -------------------------------------------------------------------------------------------

_SIZING: TypeAdapter[Sizing] = TypeAdapter(Sizing)
SIZING: Kept[Sizing] = Kept(
    "What a machine is to carry", lambda d: _no_more_than(Sizing, _SIZING.validate_python(d), d), asdict
)


_SYMPTOMS: TypeAdapter[Symptoms] = TypeAdapter(Symptoms)
SYMPTOMS: Kept[Symptoms] = Kept(
    "What a machine showed", lambda d: _no_more_than(Symptoms, _SYMPTOMS.validate_python(d), d), asdict
)

#: A line of a qualified list that waits for its model.
LIST_LINE: Kept[ListLine] = Kept(
    "A line of a qualified list",
    lambda d: ListLine(**{**d, "source": NewSource(**d["source"])}),
    asdict,
)


@dataclass(frozen=True, slots=True)
class JobOptions:
    #: Whether machines are made of reports whose model is clear.
    make: bool = False
    #: Of a table: column -> what is meant by it.
    names: dict[str, str] = field(default_factory=dict)


JOB: Kept[JobOptions] = Kept("What a job is to do", lambda d: JobOptions(**d), asdict)


@dataclass(frozen=True, slots=True)
class ServiceFacts:
    """What may be read by all of how a machine is asked over the network: no secret."""

    user: str = ""
    #: SHA-256 of the certificate that was seen, where nobody's authority vouches for it.
    fingerprint: str = ""
    #: Certificate of the authority that vouches for it, as PEM.
    authority: str = ""
    #: SNMP v3: the hash that its user is known by.
    authentication: str = "SHA"


SERVICE: Kept[ServiceFacts] = Kept("How a machine is asked", lambda d: ServiceFacts(**d), asdict)

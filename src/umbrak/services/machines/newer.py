"""Verdicts that changed although nobody changed the layout; and a machine brought under a corrected sheet."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.platform.machine import Layout
from umbrak.core.platform.sheet import SheetHash
from umbrak.core.rules.finding import Verdict
from umbrak.services.errors import Refused
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded, as_planned
from umbrak.services.known.summaries import refresh
from umbrak.services.known.view import current
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.library import load_sheet
from umbrak.store import machines as store
from umbrak.store import plans as plan_store
from umbrak.store import sheets as sheet_store
from umbrak.store.accounts import Account
from umbrak.store.history import MachineLine, newest_of, record
from umbrak.store.plans import plans_of


@dataclass(frozen=True, slots=True)
class Rejudged:
    """A layout that is judged otherwise than before."""

    id: int
    machine_id: UUID
    machine: str
    #: None = what is fitted.
    plan_id: UUID | None
    name: str
    was: str
    verdict: str
    because: str
    at: datetime


@dataclass(frozen=True, slots=True)
class ChangedVerdicts:
    """A page of them, and how many there are in all."""

    total: int
    changes: tuple[Rejudged, ...]


@dataclass(frozen=True, slots=True)
class WouldBe:
    """What a corrected sheet makes of one layout of a machine."""

    name: str
    verdict: Verdict
    #: By the sheet that the machine is under now.
    was: Verdict


@dataclass(frozen=True, slots=True)
class NewerSheet:
    """A revision of the machine's sheet that came after the one it is under."""

    hash: SheetHash
    revision: int
    layouts: tuple[WouldBe, ...]


def changed_verdicts(engine: Engine, days: int, before: int | None = None) -> ChangedVerdicts:
    """A page of the changes of the last days, the newest first, of machines that are still looked after.

    Parameters
        before   id of the last change seen
    """
    with engine.connect() as db:
        found, total = newest_of(db, "verdict changed", datetime.now(UTC) - timedelta(days=days), before)
    return ChangedVerdicts(total, tuple(_rejudged(f) for f in found))


def _rejudged(found: MachineLine) -> Rejudged:
    line, told = found.line, found.line.detail
    return Rejudged(
        id=line.id,
        machine_id=found.machine_id,
        machine=found.machine,
        plan_id=line.plan_id,
        name=line.plan or told["name"],
        was=told["was"],
        verdict=told["verdict"],
        because=told["because"],
        at=line.at,
    )


def newer_sheet(db: Connection, m: Loaded) -> NewerSheet | None:
    """What a newer revision of its sheet would make of a machine and its plans; None where there is none."""
    row = next((s for s in sheet_store.current_sheets(db) if s.sheet_id == m.sheet.id), None)
    if row is None or row.hash == m.row.sheet_hash:
        return None
    sheet = load_sheet(db, row.hash)
    layouts: list[tuple[str, Loaded, Layout, Layout | None]] = [("what is fitted", m, m.layout, None)]
    layouts += [(p.name, as_planned(m, p.runs_with), p.goal, m.layout) for p in plans_of(db, m.row.id) if not p.ended]
    judged = tuple(
        WouldBe(
            name,
            judge(replace(then, sheet=sheet), layout, before).verdict,
            judge(then, layout, before).verdict,
        )
        for name, then, layout, before in layouts
    )
    return NewerSheet(row.hash, row.revision, judged)


def take_newer_sheet(engine: Engine, account: Account, key: UUID, version: int) -> None:
    """Bring a machine, and its plans that are not on the bench, under the newest revision of its sheet.

    Raises NotFound, Stale; Refused where there is none, it lacks a slot or processor that is in use, or it is on the bench.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        take_newer_within(db, account, key, version)


def take_newer_within(db: Connection, account: Account, key: UUID, version: int | None) -> None:
    """`take_newer_sheet`, as a part of a transaction; version None: whatever it is at."""
    m = current(db, key, version, None)
    newer = newer_sheet(db, m)
    if newer is None:
        raise Refused("sheet", f"{m.row.name} is under the newest revision of its sheet already.")
    sheet = load_sheet(db, newer.hash)
    plans = [p for p in plan_store.plans_of(db, key) if p.state in ("draft", "approved")]
    if any(p.state == "under way" for p in plan_store.plans_of(db, key)):
        raise Refused("sheet", f"{m.row.name} is on the bench: end its run first.")
    used = {*m.layout, *(s for p in plans for s in p.goal)}
    if gone := sorted(used - set(sheet.slots)):
        raise Refused("sheet", f"The newer sheet has no slot {gone[0]}, and one is in use.")
    known = {p for s in sheet.sockets.values() for p in s.processors}
    if odd := next((p for p in m.machine.processors.values() if p and p not in known), None):
        raise Refused("sheet", f"The newer sheet knows no processor {odd}.")
    store.change_machine(db, key, m.row.version + 1, {"sheet_hash": newer.hash})
    for p in plans:
        plan_store.set_sheet(db, p.id, newer.hash)
    refresh(db, key)
    record(db, "sheet taken", account.id, key, revision=newer.revision, version=m.row.version + 1)

"""What a sheet's text would change on machines while it is written; and taking it over on all of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.platform.machine import Layout
from umbrak.core.platform.sheet import Sheet, SheetHash
from umbrak.core.rules.finding import Verdict
from umbrak.formats.bounds import Deadline
from umbrak.formats.sheet.reading import read_sheet
from umbrak.services.errors import NotFound, ServiceError
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded, as_planned, load_machine
from umbrak.services.machines.newer import newer_sheet, take_newer_sheet
from umbrak.services.people.accounts import Role, need
from umbrak.store import sheets as sheet_store
from umbrak.store.accounts import Account
from umbrak.store.plans import plans_of

#: Machines that a draft is tried on at once: more would keep its writer waiting.
_MOST_TRIED = 40


@dataclass(frozen=True, slots=True)
class WouldChange:
    """A layout that the draft judges otherwise than the sheet that its machine is under."""

    machine_id: UUID
    machine: str
    #: "what is fitted", or a plan's name.
    layout: str
    was: Verdict
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class Tried:
    """What a text would change."""

    #: It says what a revision that is kept says, this one.
    kept_as: SheetHash | None = None
    #: Number that it would be kept under.
    revision: int = 1
    changes: tuple[WouldChange, ...] = ()
    #: Machines under the sheet, and how many of them it was tried on.
    machines: int = 0
    tried_on: int = 0
    #: Machines that are under another revision.
    behind: int = 0


def try_text(engine: Engine, text: str, left: Callable[[], bool] = lambda: False) -> Tried:
    """Keeps nothing. Raises InputError (formats) where the text has errors."""
    sheet = read_sheet(text, Deadline(left=left)).sheet
    with engine.connect() as db:
        revisions = sheet_store.revisions_of(db, sheet.id)
        machines = sheet_store.machines_under(db, sheet.id)
        behind = len(machines) - len(sheet_store.machines_under(db, sheet.id, sheet.hash))
        changes = [c for key in machines[:_MOST_TRIED] for c in _changes(db, key, sheet)]
    return Tried(
        kept_as=next((r.hash for r in revisions if r.hash == sheet.hash), None),
        revision=revisions[0].revision + 1 if revisions else 1,
        changes=tuple(changes),
        machines=len(machines),
        tried_on=min(len(machines), _MOST_TRIED),
        behind=behind,
    )


def _changes(db: Connection, key: UUID, sheet: Sheet) -> list[WouldChange]:
    m = load_machine(db, key)
    if sheet.hash == m.sheet.hash:
        return []
    layouts: list[tuple[str, Loaded, Layout, Layout | None]] = [("what is fitted", m, m.layout, None)]
    layouts += [(p.name, as_planned(m, p.runs_with), p.goal, m.layout) for p in plans_of(db, key) if not p.ended]
    found = []
    for name, then, layout, before in layouts:
        was, now = judge(then, layout, before).verdict, judge(replace(then, sheet=sheet), layout, before).verdict
        if was != now:
            found.append(WouldChange(key, m.row.name, name, was, now))
    return found


@dataclass(frozen=True, slots=True)
class TakenOver:
    """What became of the machines under a sheet."""

    taken: tuple[str, ...]
    #: Machine -> why its sheet stays.
    refused: dict[str, str]


def take_everywhere(engine: Engine, account: Account, sheet_id: str) -> TakenOver:
    """Bring every machine under the newest revision of its sheet; one that cannot be brought stays, and says why.

    Raises NotFound where there is no such sheet.
    """
    need(account, Role.technician)
    with engine.connect() as db:
        if not sheet_store.revisions_of(db, sheet_id):
            raise NotFound("sheet")
        machines = sheet_store.machines_under(db, sheet_id)
    taken: list[str] = []
    refused: dict[str, str] = {}
    for key in machines:
        with engine.connect() as db:
            m = load_machine(db, key)
            if newer_sheet(db, m) is None:
                continue
        try:
            take_newer_sheet(engine, account, key, m.row.version)
            taken.append(m.row.name)
        except ServiceError as error:
            refused[m.row.name] = str(error)
    return TakenOver(tuple(taken), refused)

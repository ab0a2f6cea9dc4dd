"""Machines that were made twice: which seem to be, put together into one; and what was made by mistake deleted."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import groupby
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.platform.joined import Side, joined
from umbrak.formats.about import About
from umbrak.formats.documents import MachineDoc
from umbrak.services.errors import Refused
from umbrak.services.known.loading import Loaded, load_machine, sound_layout, sources_of
from umbrak.services.known.summaries import refresh
from umbrak.services.known.view import current
from umbrak.services.people.accounts import Role, need
from umbrak.services.rounds.asked import ASKED
from umbrak.services.shelf.changing import note_needs
from umbrak.store import machines as store
from umbrak.store import merging
from umbrak.store import plans as plan_store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.rounds import rounds
from umbrak.store.surveys import add_survey


@dataclass(frozen=True, slots=True)
class Twin:
    id: UUID
    name: str
    version: int
    sheet_title: str


@dataclass(frozen=True, slots=True)
class Twins:
    """Machines that share what only one can have: the same one made twice, or one of them mistyped."""

    #: "serial" or "asset_tag"
    field: str
    value: str
    machines: tuple[Twin, ...]


def list_twins(engine: Engine) -> tuple[Twins, ...]:
    with engine.connect() as db:
        rows = merging.twins(db)
    return tuple(
        Twins(field, value, tuple(Twin(r.machine_id, r.name, r.version, r.sheet_title) for r in some))
        for (field, value), some in groupby(rows, key=lambda r: (r.field, r.value))
    )


def merge_machines(engine: Engine, account: Account, kept: UUID, version: int, gone: UUID, gone_version: int) -> None:
    """Make one of two: what is told of either is told of the one that stays, and the other is no more.

    Slots that contradict are as the later report tells, the earlier one kept beside it as disputed. Plans, runs, statements,
    surveys and history go over; a name, place or number that both have stays the kept one's.

    Raises
        NotFound, Stale
        Refused   one machine twice; other models or revisions of a sheet; one is on the bench, or in a round that goes on
    """
    need(account, Role.technician)
    if kept == gone:
        raise Refused("other", "These are one machine already.")
    with engine.begin() as db:
        # In one order, whichever is kept: two who merge the same two do not wait for each other.
        for key in sorted((kept, gone)):
            store.find_machine(db, key, lock=True)
        m, other = current(db, kept, version, None), current(db, gone, gone_version, None)
        if m.sheet.id != other.sheet.id:
            told = (
                f"{m.row.name} is a {m.sheet.title} and {other.row.name} a {other.sheet.title}: say which it is first."
            )
            raise Refused("other", told)
        if m.row.sheet_hash != other.row.sheet_hash:
            told = f"They are under two revisions of the sheet of {m.sheet.title}: bring both under the newest first."
            raise Refused("other", told)
        for one in (m, other):
            _check_free(db, one)
        content = joined(_side(m), _side(other), m.sheet.slots)
        held = merging.standing_names(db, kept)
        for name, plan in merging.standing_names(db, gone).items():
            if name in held:
                merging.rename_plan(db, plan, f"{name} ({other.row.name})"[:200])
        values = _together(m, other)
        merging.hand_over(db, gone, kept)
        merging.delete_machine(db, gone)
        now = datetime.now(UTC)
        newer = max((m.survey, other.survey), key=lambda s: s.taken_at)
        add_survey(db, kept, newer.kind, content, account.id, None, now)
        store.change_machine(db, kept, version + 1, values)
        whole = load_machine(db, kept)
        for p in plan_store.plans_of(db, kept):
            if p.state in ("draft", "approved"):
                note_needs(db, p.id, sound_layout(whole), p.goal)
        refresh(db, kept)
        record(db, "machines merged", account.id, kept, name=other.row.name, merged=str(gone), version=version + 1)


def _side(m: Loaded) -> Side:
    return Side(m.survey.content, sources_of(m))


def _check_free(db: Connection, m: Loaded) -> None:
    if any(p.state == "under way" for p in plan_store.plans_of(db, m.row.id)):
        raise Refused("other", f"{m.row.name} is on the bench: end its run first.")
    for r in rounds(db, open_ones=True):
        if m.row.id in ASKED.read(r.asked).machines:
            raise Refused("other", f"{m.row.name} is in the round {r.name}: close that, or take it out of it, first.")


def _together(m: Loaded, other: Loaded) -> dict[str, Any]:
    """Columns of the machine that stays, filled in from the other."""
    # Whatever the other reported, the one that stays reports.
    known = m.row.about.reporting(other.row.about.serial, *other.row.about.others)
    values: dict[str, Any] = {"serial": known.serial, "other_serials": known.other_serials}
    for name, field in About.model_fields.items():
        if name not in ("own", *values) and getattr(m.row.about, name) == field.default:
            values[name] = getattr(other.row.about, name)
    values["own"] = {**other.row.about.own, **m.row.about.own}
    facts, theirs = m.row.facts, other.row.facts
    told = {n: getattr(theirs, n) for n in MachineDoc.model_fields if getattr(facts, n) is None}
    processors = {**theirs.processors, **facts.processors}
    values["facts"] = facts.model_copy(update={**told, "processors": processors})
    return values


def delete_machine(engine: Engine, account: Account, key: UUID, version: int) -> None:
    """Take a machine away for good, with its surveys and plans; the reports that they are from stay.

    Raises
        NotFound, Stale
        Refused   it was worked on, or is in a round that goes on: it is retired, or merged into the machine that it is
    """
    need(account, Role.technician)
    with engine.begin() as db:
        m = current(db, key, version, None)
        if runs := merging.count_runs(db, key):
            times = "once" if runs == 1 else f"{runs} times"
            raise Refused(
                "machine", f"{m.row.name} was worked on {times}: retire it, or merge it into the machine that it is."
            )
        _check_free(db, load_machine(db, key))
        merging.delete_machine(db, key)
        record(db, "machine deleted", account.id, key, name=m.row.name, serial=m.row.about.serial)

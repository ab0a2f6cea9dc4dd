"""Machines, their list, and what is kept of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Numeric, Select, Text, case, cast, exists, func, insert, or_, select, true, update
from sqlalchemy.dialects.postgresql import insert as upsert

from umbrak.core.platform.sheet import SheetHash
from umbrak.formats.about import SEARCHED, About
from umbrak.formats.documents import MachineDoc
from umbrak.formats.kept import FACTS
from umbrak.store.engine import new_id
from umbrak.store.finding import like_of
from umbrak.store.plans import PlanRow, plan_row
from umbrak.store.tables import machine, machine_summary, plan, sheet, site, survey, waiting_machine

PAGE_SIZE = 50


@dataclass(frozen=True, slots=True)
class MachineRow:
    id: UUID
    name: str
    site: str | None
    zone: str
    sheet_hash: SheetHash
    sheet_id: str
    sheet_title: str
    _facts: dict[str, Any]
    version: int
    about: About
    retired_at: datetime | None

    @property
    def facts(self) -> MachineDoc:
        """Raises Unreadable."""
        return FACTS.read(self._facts)


@dataclass(frozen=True, slots=True)
class ListRow:
    """A machine with what its line in the list is made from."""

    machine: MachineRow
    survey_id: UUID
    surveyed_at: datetime
    plan: PlanRow | None
    #: What the kept summary was computed from, and the summary; None where there is none yet.
    summary_key: str | None
    summary: dict[str, Any] | None


def find_or_add_site(db: Connection, name: str, zone: str) -> UUID:
    found = db.execute(select(site.c.id).where(site.c.name == name)).scalar()
    if found:
        return UUID(str(found))
    key = new_id()
    db.execute(insert(site).values(id=key, name=name, zone=zone))
    return key


def machine_exists(db: Connection, key: UUID) -> bool:
    return db.execute(select(machine.c.id).where(machine.c.id == key)).scalar() is not None


def add_machine(
    db: Connection,
    key: UUID | None = None,
    *,
    name: str,
    site_id: UUID | None,
    sheet_hash: SheetHash,
    facts: MachineDoc,
    about: About,
) -> UUID | None:
    """The new machine's id, or None when the name is taken."""
    values = {
        **about.model_dump(),
        "id": key or new_id(),
        "name": name,
        "site_id": site_id,
        "sheet_hash": sheet_hash,
        "facts": FACTS.write(facts),
    }
    return db.execute(upsert(machine).values(values).on_conflict_do_nothing().returning(machine.c.id)).scalar()


_MACHINE = select(
    machine,
    site.c.name.label("site"),
    func.coalesce(site.c.zone, "UTC").label("zone"),
    sheet.c.sheet_id,
    sheet.c.title.label("sheet_title"),
).select_from(machine.join(sheet).outerjoin(site))


def _machine(row: Any) -> MachineRow:
    # As it was kept, also where it was kept before there were bounds.
    about = About.model_construct(**{name: getattr(row, name) for name in About.model_fields})
    return MachineRow(
        id=row.id, name=row.name, site=row.site, zone=row.zone, sheet_hash=row.sheet_hash, sheet_id=row.sheet_id, sheet_title=row.sheet_title,
        _facts=row.facts, version=row.version, about=about, retired_at=row.retired_at,
    )  # fmt: skip


def find_machine(db: Connection, key: UUID, lock: bool = False) -> MachineRow | None:
    """A machine; `lock` keeps others from changing it until the transaction ends."""
    query = _MACHINE.where(machine.c.id == key)
    row = db.execute(query.with_for_update(of=machine) if lock else query).one_or_none()
    return _machine(row) if row else None


def find_machines(db: Connection, keys: Sequence[UUID]) -> list[MachineRow]:
    """Those of some machines that there are, by name."""
    return [_machine(r) for r in db.execute(_MACHINE.where(machine.c.id.in_(keys)).order_by(machine.c.name))]


def all_machines(db: Connection) -> list[MachineRow]:
    """Those that are looked after, by name."""
    return [_machine(r) for r in db.execute(_MACHINE.where(machine.c.retired_at.is_(None)).order_by(machine.c.name))]


def summaries_of(db: Connection, keys: Sequence[UUID]) -> dict[UUID, dict[str, Any]]:
    """Machine -> its summary as it was kept last, of those of some machines that have one."""
    query = select(machine_summary.c.machine_id, machine_summary.c.document)
    return {r.machine_id: r.document for r in db.execute(query.where(machine_summary.c.machine_id.in_(keys)))}


def all_summaries(db: Connection) -> dict[UUID, dict[str, Any]]:
    """Machine -> its summary as it is kept, of all that are looked after."""
    query = select(machine_summary.c.machine_id, machine_summary.c.document)
    query = query.join(machine, machine.c.id == machine_summary.c.machine_id).where(machine.c.retired_at.is_(None))
    return {r.machine_id: r.document for r in db.execute(query)}


def machine_by_name_or_serial(db: Connection, name: str, serial: str) -> MachineRow | None:
    """The machine that reports this serial number, else the one of this name; None where none, or several report it."""
    of_serial = machines_of_serial(db, serial)
    return of_serial[0] if len(of_serial) == 1 else machines_named(db, [name]).get(name.casefold())


def machines_of_serial(db: Connection, serial: str) -> list[MachineRow]:
    """Those that report a serial number; none for ""."""
    if not serial:
        return []
    numbered = or_(machine.c.serial == serial, machine.c.other_serials.icontains(serial, autoescape=True))
    return [r for r in (_machine(row) for row in db.execute(_MACHINE.where(numbered))) if r.about.is_known_by(serial)]


def machines_named(db: Connection, names: Sequence[str]) -> dict[str, MachineRow]:
    """Those of some names that machines have, without regard to case: case folded -> the machine."""
    wanted = [func.lower(n) for n in dict.fromkeys(names)]
    return {
        m.name.casefold(): m
        for m in (_machine(r) for r in db.execute(_MACHINE.where(func.lower(machine.c.name).in_(wanted))))
    }


def name_taken(db: Connection, name: str, but: UUID | None = None) -> bool:
    """By another machine than `but`, without regard to case."""
    taken = select(machine.c.id).where(func.lower(machine.c.name) == func.lower(name))
    return bool(db.execute(taken if but is None else taken.where(machine.c.id != but)).scalar())


def change_machine(db: Connection, key: UUID, version: int, values: dict[str, Any]) -> None:
    """Set columns and the version; `facts` is given as a MachineDoc."""
    if "facts" in values:
        values = {**values, "facts": FACTS.write(values["facts"])}
    db.execute(
        update(machine).where(machine.c.id == key).values(**values, version=version, updated_at=func.clock_timestamp())
    )


#: What the list can be narrowed to -> condition on the kept summary.
WANTS = {
    "stop": machine_summary.c.worst_rank == 0,
    "ask": machine_summary.c.worst_rank == 1,
    "risk": machine_summary.c.worst_rank == 2,
    "failed": machine_summary.c.failed > 0,
}


#: What the list can be grouped by -> the group's name. A place is told apart by what stands before its first comma.
GROUPS = {
    "place": func.trim(func.split_part(machine.c.place, ",", 1)),
    "group": machine.c.duty_group,
    "model": sheet.c.title,
}


@dataclass(frozen=True, slots=True)
class Listing:
    """Which machines are listed, and in which order."""

    text: str = ""
    want: str | None = None
    retired: bool = False
    #: name, worst or oldest; within groups where it is grouped by something.
    order: str = "name"
    by: str | None = None


@dataclass(frozen=True, slots=True)
class GroupRow:
    """Machines that have something in common, as far as they are listed."""

    name: str
    count: int
    installed_gib: float
    #: Doubling of a GiB -> how many have that much: 5 stands for 32 up to 64 GiB.
    spread: dict[int, int]


def groups_of(db: Connection, w: Listing) -> list[GroupRow]:
    """Every group of the machines listed, by name; none where they are not grouped."""
    if w.by is None:
        return []
    name = GROUPS[w.by].label("name")
    gib = machine_summary.c.installed_gib
    doubling = func.floor(func.log(2, cast(func.greatest(gib, 1), Numeric))).label("doubling")
    query = _chosen(w).with_only_columns(name, doubling, func.count().label("machines"), func.sum(gib).label("gib"))
    found: dict[str, GroupRow] = {}
    for r in db.execute(query.group_by(name, doubling).order_by(name)):
        had = found.get(r.name) or GroupRow(r.name, 0, 0.0, {})
        spread = had.spread if r.doubling is None else {**had.spread, int(r.doubling): int(r.machines)}
        found[r.name] = GroupRow(r.name, had.count + r.machines, had.installed_gib + float(r.gib or 0), spread)
    return list(found.values())


def has_any(db: Connection) -> bool:
    """Whether there is a machine, looked after or retired, or one that waits for its model."""
    found = select(exists(select(machine.c.id)) | exists(select(waiting_machine.c.id)))
    return bool(db.execute(found).scalar())


def counts_of(db: Connection, w: Listing) -> dict[str, int]:
    """How many of the machines that have the text there are to each thing that the list can be narrowed to; "wanting" = those
    that somebody should look at."""
    conditions = {**WANTS, "wanting": or_(WANTS["stop"], WANTS["ask"], WANTS["failed"])}
    every = _chosen(replace(w, want=None)).with_only_columns(
        func.count().label("all"), *(func.count().filter(held).label(name) for name, held in conditions.items())
    )
    row = db.execute(every).one()
    return dict(row._mapping)


def found_machines(db: Connection, w: Listing, most: int) -> list[tuple[UUID, str]]:
    """(id, name) of those listed, over all pages, by name; no more than `most`."""
    query = _chosen(w).with_only_columns(machine.c.id, machine.c.name).order_by(machine.c.name).limit(most)
    return [(r.id, r.name) for r in db.execute(query)]


def page_of_machines(db: Connection, w: Listing, page: int = 0) -> list[ListRow]:
    """One page of machines whose name, model, place or group has the text; `counts_of` tells how many there are in all.

    In one query, whose joins to the newest survey and plan are made for the page's machines alone.
    """
    chosen = _chosen(w)
    # A failed module is as bad as anything that the rules can find.
    worst = case((machine_summary.c.failed > 0, 0), else_=machine_summary.c.worst_rank)
    seen = select(func.max(survey.c.taken_at)).where(survey.c.machine_id == machine.c.id).scalar_subquery()
    within = {"worst": [worst.nulls_first()], "oldest": [seen.asc()]}.get(w.order, [])
    order = [*([GROUPS[w.by]] if w.by else []), *within, machine.c.name]
    chosen = chosen.order_by(*order).limit(PAGE_SIZE).offset(PAGE_SIZE * page)
    ids = list(db.execute(chosen).scalars())
    newest = (
        select(survey.c.id.label("survey_id"), survey.c.taken_at)
        .where(survey.c.machine_id == machine.c.id)
        .order_by(survey.c.revision.desc())
        .limit(1)
        .lateral("newest")
    )
    latest = (
        select(plan)
        .where(plan.c.machine_id == machine.c.id, plan.c.discarded_at.is_(None))
        .order_by(plan.c.updated_at.desc(), plan.c.id.desc())
        .limit(1)
        .lateral("latest")
    )
    columns = (*newest.c, *(c.label(f"plan_{c.name}") for c in latest.c))
    kept = (machine_summary.c.key.label("summary_key"), machine_summary.c.document.label("summary"))
    query = _MACHINE.add_columns(*columns, *kept).join(newest, true()).outerjoin(latest, true())
    query = query.outerjoin(machine_summary, machine_summary.c.machine_id == machine.c.id)
    found = {r.id: r for r in db.execute(query.where(machine.c.id.in_(ids)))}
    return [_list_row(found[i]) for i in ids]


def _chosen(w: Listing) -> Select[Any]:
    query = select(machine.c.id).select_from(
        machine.join(sheet).outerjoin(site).outerjoin(machine_summary, machine_summary.c.machine_id == machine.c.id)
    )
    query = query.where(machine.c.retired_at.is_not(None) if w.retired else machine.c.retired_at.is_(None))
    if w.text:
        like = like_of(w.text)
        searched = (
            machine.c.name,
            site.c.name,
            sheet.c.title,
            *(machine.c[name] for name in SEARCHED),
            cast(machine.c.own, Text),
        )
        # One comparison of all of them, a line each, is much less work than one of each.
        query = query.where(func.concat_ws("\n", *searched).ilike(like))
    return query.where(WANTS[w.want]) if w.want else query


def _list_row(row: Any) -> ListRow:
    planned = plan_row(row, "plan_") if row.plan_id else None
    return ListRow(
        machine=_machine(row),
        survey_id=row.survey_id,
        surveyed_at=row.taken_at,
        plan=planned,
        summary_key=row.summary_key,
        summary=row.summary,
    )


@dataclass(frozen=True, slots=True)
class SummaryRow:
    """A machine's summary as it is kept: what the list sorts and filters by, and the whole of it."""

    machine_id: UUID
    #: What it was computed from.
    key: str
    rules_version: int
    installed_gib: float
    worst_rank: int
    #: Failed modules.
    failed: int
    document: dict[str, Any]


def keep_summaries(db: Connection, rows: Sequence[SummaryRow]) -> None:
    if not rows:
        return
    values = [{f.name: getattr(r, f.name) for f in fields(r)} for r in rows]
    statement = upsert(machine_summary)
    new = {name: statement.excluded[name] for name in values[0]}
    statement = statement.on_conflict_do_update(index_elements=["machine_id"], set_={**new, "computed_at": func.now()})
    db.execute(statement, values)


def summaries_lacking(db: Connection, rules_version: int, limit: int) -> list[UUID]:
    """Machines whose summary was never computed, or by other rules."""
    summary = machine_summary.c
    query = select(machine.c.id).outerjoin(machine_summary, summary.machine_id == machine.c.id)
    stale = summary.machine_id.is_(None) | (summary.rules_version != rules_version)
    return list(db.execute(query.where(stale).order_by(machine.c.id).limit(limit)).scalars())

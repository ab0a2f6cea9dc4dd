"""All that is looked after, as tables: machines, slots, modules, plans; as CSV, XLSX or JSON."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from enum import StrEnum
from typing import Any
from uuid import UUID

from sqlalchemy import Connection, Engine

from umbrak.core.memory.module import Module
from umbrak.core.plan.sizing import need_of
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.formats.documents import module_json
from umbrak.formats.kept import Unreadable
from umbrak.formats.spreadsheet import harmless
from umbrak.services.sheets.library import load_sheet
from umbrak.services.shelf.view import see_stock
from umbrak.store import machines as store
from umbrak.store.machines import MachineRow, all_summaries
from umbrak.store.plans import PlanRow, standing_plans
from umbrak.store.sizings import find_sizings
from umbrak.store.surveys import SurveyRow, newest_surveys

#: Machines whose surveys are read at a time.
_BATCH = 500


class What(StrEnum):
    MACHINES = "machines"
    SLOTS = "slots"
    MODULES = "modules"
    PLANS = "plans"


class As(StrEnum):
    CSV = "csv"
    XLSX = "xlsx"
    JSON = "json"


MEDIA_TYPES = {
    As.CSV: "text/csv; charset=utf-8",
    As.XLSX: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    As.JSON: "application/json",
}

_Row = dict[str, Any]
_MODULE = (
    "module",
    "part",
    "serial",
    "maker",
    "generation",
    "form",
    "buffering",
    "ecc",
    "capacity_gib",
    "package_ranks",
    "device_width",
    "die_gbit",
    "rate_mts",
)
COLUMNS: dict[What, tuple[str, ...]] = {
    What.MACHINES: (
        "machine", "model", "site", "place", "duty group", "looked after by", "serial", "asset tag", "warranty end", "firmware", "system",
        "installed_gib", "usable_gib", "official_gib", "need_gib", "planned_gib", "verdict", "could become", "worst", "slots",
        "slots known", "failed", "surveyed",
    ),
    What.SLOTS: ("machine", "model", "slot", "state", *_MODULE, "seen by", "seen", "disputed"),
    What.MODULES: ("where", "slot", "state", "count", *_MODULE, "note"),
    What.PLANS: (
        "machine", "model", "plan", "state", "verdict", "changed", "puts_in", "takes_out", "installed_gib_after", "id",
    ),
}  # fmt: skip


def export(engine: Engine, what: What, as_: As) -> bytes:
    """A whole table. Machines that were retired are left out; of what cannot be read the row says so."""
    makers: dict[What, Callable[[Connection], Iterator[_Row]]] = {
        What.MACHINES: _machines,
        What.SLOTS: _slots,
        What.MODULES: _modules,
        What.PLANS: _plans,
    }
    with engine.connect() as db:
        own = {own_column(c) for m in store.all_machines(db) for c in m.about.own} if what is What.MACHINES else ()
        return _written(what, as_, (*COLUMNS[what], *sorted(own)), makers[what](db))


def own_column(name: str) -> str:
    """What an installation's own column is called in a table: never as one of ours."""
    return f"own {name}" if name in COLUMNS[What.MACHINES] else name


def _written(what: What, as_: As, columns: Sequence[str], rows: Iterable[_Row]) -> bytes:
    if as_ is As.JSON:
        told = [{c: _plain(r.get(c)) for c in columns} for r in rows]
        return json.dumps({what.value: told}, ensure_ascii=False).encode()
    lines = ([_plain(r.get(c)) for c in columns] for r in rows)
    if as_ is As.CSV:
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\r\n")
        writer.writerow(columns)
        writer.writerows([harmless("" if x is None else str(x)) for x in line] for line in lines)
        return out.getvalue().encode()
    from openpyxl import Workbook  # here: half a second that only this needs

    book = Workbook(write_only=True)
    page = book.create_sheet(what.value)
    page.append(list(columns))
    for line in lines:
        page.append([harmless(x) if isinstance(x, str) else x for x in line])
    held = io.BytesIO()
    book.save(held)
    return held.getvalue()


def _plain(value: Any) -> Any:
    if isinstance(value, datetime | date):
        return value.isoformat()
    if isinstance(value, Decimal):
        return float(value)
    return str(value) if isinstance(value, UUID | StrEnum) else value


def _surveyed(
    db: Connection, machines: Sequence[MachineRow] | None = None
) -> Iterator[tuple[MachineRow, SurveyRow | None]]:
    """These machines, or every one, with their newest survey; None where that cannot be read."""
    for some in _in_batches(store.all_machines(db) if machines is None else machines):
        try:
            found = newest_surveys(db, [m.id for m in some])
        except Unreadable:
            found = {}
            for m in some:
                try:
                    found |= newest_surveys(db, [m.id])
                except Unreadable:
                    continue
        yield from ((m, found.get(m.id)) for m in some)


def _in_batches(rows: Sequence[MachineRow]) -> Iterator[Sequence[MachineRow]]:
    for at in range(0, len(rows), _BATCH):
        yield rows[at : at + _BATCH]


def _machines(db: Connection) -> Iterator[_Row]:
    told = all_summaries(db)
    needs = {k: need_of(s).total or None for k, s in find_sizings(db, list(told)).items()}
    for m, survey in _surveyed(db):
        s = told.get(m.id, {})
        try:
            facts: Any = m.facts
        except Unreadable:
            facts = None
        yield {
            "machine": m.name, "model": m.sheet_title, "site": m.site, "place": m.about.place, "duty group": m.about.duty_group,
            "looked after by": m.about.keeper, "serial": m.about.serial, "other serials": m.about.other_serials, "asset tag": m.about.asset_tag, "warranty end": m.about.warranty_end,
            "firmware": facts.firmware if facts else None, "system": facts.system if facts else None,
            "installed_gib": s.get("installed_gib"), "usable_gib": s.get("usable_gib"), "official_gib": s.get("official_gib"),
            "need_gib": needs.get(m.id), "planned_gib": s.get("planned_gib"), "verdict": s.get("verdict"),
            "could become": s.get("at_worst"), "worst": s.get("worst_message"), "slots": s.get("total"), "slots known": s.get("known"),
            "failed": s.get("failed"), "surveyed": survey.taken_at if survey else None,
            **{own_column(c): v for c, v in m.about.own.items()},
        }  # fmt: skip


def _slots(db: Connection) -> Iterator[_Row]:
    for m, survey in _surveyed(db):
        if survey is None:
            yield {"machine": m.name, "model": m.sheet_title, "state": "cannot be read"}
            continue
        known, sheet = survey.content, load_sheet(db, m.sheet_hash)
        for slot in (*sheet.slots, *(s for s in known.slots if s not in sheet.slots)):
            held = known.slots.get(slot)
            state = (
                "empty"
                if held is None
                else "unknown"
                if held is UNKNOWN
                else "failed"
                if slot in known.failed
                else "filled"
            )
            source = known.sources.get(slot)
            yield {
                "machine": m.name, "model": m.sheet_title, "slot": slot, "state": state, **_told(held),
                "seen by": source.kind if source else survey.kind, "seen": source.at if source else survey.taken_at,
                "disputed": "yes" if slot in known.disputed else "",
            }  # fmt: skip


def _modules(db: Connection) -> Iterator[_Row]:
    for m, survey in _surveyed(db):
        for slot, held in (survey.content.slots if survey else {}).items():
            if survey and isinstance(held, Module):
                state = "failed" if slot in survey.content.failed else "fitted"
                yield {"where": m.name, "slot": slot, "state": state, "count": 1, **_told(held), "note": ""}
    for v in see_stock(db):
        told = _told(v.module)
        told["part"] = told["part"] or v.part
        yield {"where": v.place or "Shelf", "slot": "", "state": v.state, "count": v.count, **told, "note": v.note}


def _plans(db: Connection) -> Iterator[_Row]:
    told, plans = all_summaries(db), dict[UUID, list[PlanRow]]()
    for p in standing_plans(db):
        plans.setdefault(p.machine_id, []).append(p)
    for m, survey in _surveyed(db, [m for m in store.all_machines(db) if m.id in plans]):
        yield from (_plan(m, survey, p, told) for p in plans[m.id])


def _plan(m: MachineRow, survey: SurveyRow | None, p: PlanRow, told: Mapping[UUID, _Row]) -> _Row:
    verdict = told.get(m.id, {}).get("verdicts", {}).get(str(p.id), {}).get("verdict")
    row: _Row = {
        "machine": m.name, "model": m.sheet_title, "plan": p.name, "state": p.state, "verdict": verdict, "changed": p.updated_at,
        "id": p.id,
    }  # fmt: skip
    try:
        goal = p.goal
    except Unreadable:
        return {**row, "puts_in": "cannot be read"}
    before = survey.content.slots if survey else Layout()
    puts_in = [f"{s}: {_short(goal[s])}" for s in goal if goal.get(s) != before.get(s)]
    takes_out = [f"{s}: {_short(before[s])}" for s in before if goal.get(s) != before.get(s)]
    gib = sum(x.capacity_gib or 0 for x in goal.values() if isinstance(x, Module))
    return {**row, "puts_in": "; ".join(puts_in), "takes_out": "; ".join(takes_out), "installed_gib_after": gib}


def _short(held: Any) -> str:
    return held.short() if isinstance(held, Module) else "unknown"


def _told(held: Any) -> _Row:
    if not isinstance(held, Module):
        return dict.fromkeys(_MODULE)
    document = module_json(held)
    return {"module": held.short(), **{c: document.get(c) for c in _MODULE if c != "module"}}

"""Field notes as a table: CSV and XLSX in, CSV out."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from datetime import UTC, datetime

from pydantic import TypeAdapter
from sqlalchemy import Engine

from umbrak.core.evidence.table import Outcome
from umbrak.core.platform.statement import SourceKind
from umbrak.formats.quantities import SoakDays, TotalGib
from umbrak.formats.rows import DAY, NAME, TEXT, CellFault, RowReader
from umbrak.formats.spreadsheet import harmless, read_table
from umbrak.services.evidence.trials import NewTrial, note_within, trial_of
from umbrak.services.known.taking import check_columns, take_each
from umbrak.services.people.accounts import Role, need
from umbrak.store import sheets as sheet_store
from umbrak.store import trials as store
from umbrak.store.accounts import Account

#: Columns of the file, as it is written and read.
COLUMNS = (
    "model",
    "processor",
    "part",
    "revision",
    "module",
    "total gb",
    "outcome",
    "who",
    "date",
    "soak days",
    "note",
    "source",
    "firmware",
)
_NEEDED = ("model", "outcome", "who", "date")
_TOTAL: TypeAdapter[float] = TypeAdapter(TotalGib)
_SOAK: TypeAdapter[float] = TypeAdapter(SoakDays)


@dataclass(frozen=True, slots=True)
class TakenNotes:
    good: int
    errors: tuple[CellFault, ...]
    kept: bool


def export_trials(engine: Engine) -> str:
    """Every trial as CSV (RFC 4180)."""
    with engine.connect() as db:
        rows = store.all_trials(db)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for r in rows:
        t = trial_of(r)
        module = t.module.short() if t.module else ""
        total = "" if r.total_gib is None else f"{r.total_gib:g}"
        cells = (
            r.sheet_id,
            r.processor,
            r.part,
            r.revision,
            module,
            total,
            r.outcome,
            r.who,
            r.tried_on,
            f"{r.soak_days:g}",
            r.note,
            r.source,
            r.held.firmware,
        )
        writer.writerow(["" if c is None else harmless(str(c)) for c in cells])
    return out.getvalue()


def take_trials(engine: Engine, account: Account, raw: bytes, keep: bool) -> TakenNotes:
    """Trials from CSV or XLSX. With `keep` they are noted, unless a row is wrong: then none is.

    Raises InputError when it is no table, Refused where a needed column is missing.
    """
    need(account, Role.technician)
    table = read_table(raw, COLUMNS)
    check_columns(table, _NEEDED)
    with engine.begin() as db:
        current = sheet_store.current_sheets(db)
        sheets = {s.sheet_id: s.hash for s in current}
        ids = {name.casefold(): s.sheet_id for s in current for name in (s.sheet_id, s.title)}

        def take(row: RowReader) -> None:
            new = _read_row(row, ids)
            if new is not None:
                note_within(db, account, new, sheets)

        taken = take_each(db, table, take, keep=keep)
    return TakenNotes(good=len(taken.rows), errors=taken.faults, kept=taken.kept)


def _read_row(row: RowReader, ids: dict[str, str]) -> NewTrial | None:
    """None where the row has a fault, which it tells."""
    model = row.text("model", NAME, needed=True)
    given = {
        "sheet_id": ids.get(model.casefold(), model),
        "outcome": row.choice("outcome", Outcome, Outcome.FINE),
        "who": row.choice("who", SourceKind, SourceKind.HEARSAY),
        "tried_on": row.text("date", DAY, datetime.now(UTC).date()),
        "processor": row.text("processor", NAME, None),
        "part": row.text("part", NAME, None),
        "revision": row.text("revision", NAME, None),
        "module": row.label("module"),
        "total_gib": row.decimal("total gb", _TOTAL),
        "soak_days": row.decimal("soak days", _SOAK, 0),
        "note": row.text("note", TEXT),
        "source": row.text("source", TEXT),
        "firmware": row.text("firmware", NAME, None),
    }
    return None if row.faults else NewTrial(**given)

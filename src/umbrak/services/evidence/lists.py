"""Qualified lists: taken into the sheets of the models that they name; lines of models that nobody knows wait for them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from difflib import get_close_matches

from sqlalchemy import Connection, Engine

from umbrak.core.platform.sheet import SheetHash
from umbrak.core.platform.statement import SourceKind
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.rows import CellFault
from umbrak.formats.sheet.answers import NewSource
from umbrak.formats.sheet.compared import ClauseChange, compare
from umbrak.formats.sheet.qualified import COLUMNS, NEEDED, ListLine, read_line, with_lines
from umbrak.formats.sheet.reading import read_sheet
from umbrak.formats.spreadsheet import read_table
from umbrak.formats.yaml_text import load_yaml
from umbrak.services.errors import NotFound, Refused
from umbrak.services.known.taking import check_columns, names_of, take_each
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.library import keep_sheet, load_sheet
from umbrak.store import drafts as draft_store
from umbrak.store import lists as store
from umbrak.store import sheets as sheet_store
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.sheets import SheetRow

#: Names that are put beside one that no sheet has.
_NEAR = 3


@dataclass(frozen=True, slots=True)
class AboutList:
    """Whose list it is, and of when."""

    title: str
    kind: SourceKind
    dated: date | None = None

    def source(self) -> NewSource:
        return NewSource(self.title, self.kind.value, self.dated.isoformat() if self.dated else None)


@dataclass(frozen=True, slots=True)
class IntoSheet:
    """What a list brings to one sheet."""

    sheet_hash: SheetHash
    sheet_id: str
    title: str
    #: Parts that it does not list yet; parts that it lists already.
    added: tuple[str, ...]
    there: tuple[str, ...]
    changes: tuple[ClauseChange, ...]
    #: Somebody writes its next revision: the lines go into that; "" = into a revision of their own.
    draft_by: str
    #: Why nothing can be written into it; "" = it can.
    fault: str


@dataclass(frozen=True, slots=True)
class UnknownModel:
    """A model that no sheet is called by, and how many lines are of it."""

    model: str
    lines: int
    #: Names of models that are nearly that.
    near: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class TakenList:
    sheets: tuple[IntoSheet, ...]
    unknown: tuple[UnknownModel, ...]
    errors: tuple[CellFault, ...]
    kept: bool


def take_list(engine: Engine, account: Account, raw: bytes, about: AboutList, keep: bool) -> TakenList:
    """A qualified list from CSV or XLSX. Without `keep` it is a preview; a wrong row keeps all out.

    Kept, it makes a revision of each sheet that it brings something to, or goes into the draft that somebody has of it; lines of
    models that no sheet is called by wait, and so do those that cannot be written into their sheet.

    Raises
        InputError   it is no table
        Refused      a column is missing that every row needs, no title, a day that has not come
        NotAllowed
    """
    need(account, Role.technician)
    if not about.title.strip():
        raise Refused("title", "Say what the list is called: it is the source of what it says.")
    if about.dated and about.dated > datetime.now(UTC).date():
        raise Refused("dated", f"{about.dated} has not come yet.")
    table = read_table(raw, names_of(dict.fromkeys(COLUMNS, ())))
    check_columns(table, NEEDED, COLUMNS)
    source = about.source()
    with engine.begin() as db:
        taken = take_each(db, table, lambda row: read_line(row, source), keep=keep, names=COLUMNS)
        lines = [line for of_row in taken.rows for line in of_row]
        names = _names(db)
        into: dict[SheetHash, list[ListLine]] = {}
        unknown: dict[str, list[ListLine]] = {}
        for line in lines:
            row = names.get(_plain(line.model))
            if row is None:
                unknown.setdefault(line.model, []).append(line)
            else:
                into.setdefault(row.hash, []).append(line)
        sheets = [_into(db, account, hash_, new, about.title, keep=taken.kept) for hash_, new in into.items()]
        if taken.kept:
            # What could not be written into its sheet waits too: nothing of a list is lost.
            left = [x for s in sheets if s.fault for x in into[s.sheet_hash]]
            store.add_waiting(db, account.id, [*(x for xs in unknown.values() for x in xs), *left])
            record(
                db,
                "list taken",
                account.id,
                name=about.title,
                lines=len(lines),
                waiting=sum(map(len, unknown.values())),
            )
    return TakenList(tuple(sheets), tuple(_unknown(unknown, names)), taken.faults, taken.kept)


def _plain(name: str) -> str:
    """Equal for spellings of one model's name."""
    return " ".join(name.split()).casefold()


def _names(db: Connection) -> Mapping[str, SheetRow]:
    """Every name of a model that is not shipped or retired -> its newest sheet; a name that two have is nobody's."""
    retired = sheet_store.retired_sheets(db)
    found: dict[str, SheetRow | None] = {}
    for row in sheet_store.current_sheets(db):
        if row.archetype or row.sheet_id in retired:
            continue
        for name in {_plain(n) for n in (row.sheet_id, row.title, *load_sheet(db, row.hash).models)}:
            found[name] = None if name in found else row
    return {n: r for n, r in found.items() if r is not None}


def _unknown(lines: Mapping[str, Sequence[ListLine]], names: Mapping[str, SheetRow]) -> Iterable[UnknownModel]:
    for model, of_model in lines.items():
        near = dict.fromkeys(names[n].title for n in get_close_matches(_plain(model), names, _NEAR))
        yield UnknownModel(model, len(of_model), tuple(near))


def _into(db: Connection, account: Account, hash_: SheetHash, lines: Sequence[ListLine], title: str, *, keep: bool) -> IntoSheet:  # fmt: skip
    row = sheet_store.find_sheet(db, hash_)
    key = draft_store.draft_of(db, row.sheet_id)
    draft = draft_store.find_draft(db, key, lock=True) if key else None
    text = draft.text if draft else sheet_store.text_of_sheet(db, hash_) or ""
    try:
        written = with_lines(text, lines)
        changes = tuple(compare(load_yaml(text)[0], load_yaml(written.text)[0]))
        reading = None if draft else read_sheet(written.text)
    except InputError as error:
        fault = error.faults[0] if error.faults else Fault(str(error))
        return IntoSheet(sheet_hash=hash_, sheet_id=row.sheet_id, title=row.title, added=(), there=(), changes=(), draft_by=draft.by if draft else "", fault=str(fault))  # fmt: skip
    if keep and written.text != text:
        if draft and key:
            draft_store.write_draft(
                db, key, version=draft.version + 1, text=written.text, what="listed", account_id=account.id
            )
        elif reading:
            keep_sheet(db, reading, account, f"the list “{title}”")
            record(db, "sheet kept", account.id, name=row.sheet_id, hash=reading.sheet.hash)
    return IntoSheet(
        sheet_hash=hash_, sheet_id=row.sheet_id, title=row.title, added=written.added, there=written.there, changes=changes,
        draft_by=draft.by if draft else "", fault="",
    )  # fmt: skip


# -- lines that wait ----------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class WaitingModel:
    """Lines that wait for a model, and the sheet that is called so now."""

    model: str
    parts: tuple[str, ...]
    #: Titles of the lists that they are from.
    lists: tuple[str, ...]
    by: str
    sheet_hash: SheetHash | None
    sheet_title: str


def waiting_models(engine: Engine) -> list[WaitingModel]:
    """Models that lines of lists wait for, by name."""
    with engine.connect() as db:
        lines = store.waiting_lines(db)
        names = _names(db) if lines else {}
    models = dict.fromkeys(w.line.model for w in lines)
    found = []
    for model in models:
        own = [w for w in lines if w.line.model == model]
        row = names.get(_plain(model))
        found.append(WaitingModel(
            model=model, parts=tuple(dict.fromkeys(w.line.part for w in own)), lists=tuple(dict.fromkeys(w.line.source.title for w in own)),
            by=own[0].by, sheet_hash=row.hash if row else None, sheet_title=row.title if row else "",
        ))  # fmt: skip
    return found


def end_waiting(engine: Engine, account: Account, model: str, into: SheetHash | None) -> IntoSheet | None:
    """Take the lines that wait for a model into a sheet, whatever that is called; or forget them, with none.

    Raises NotFound; Refused where nothing can be written into it: then they wait on.
    """
    need(account, Role.technician)
    with engine.begin() as db:
        waiting = store.waiting_lines(db, model, lock=True)
        if not waiting:
            raise NotFound("model that lines of a list wait for")
        store.end_waiting(db, [w.id for w in waiting])
        if into is None:
            record(db, "list lines forgotten", account.id, name=model, lines=len(waiting))
            return None
        if sheet_store.text_of_sheet(db, into) is None:
            raise NotFound("sheet")
        row = sheet_store.find_sheet(db, into)
        newest = sheet_store.revisions_of(db, row.sheet_id)[0].hash
        if row.archetype:
            raise Refused("into", f"{row.title} is an architecture that comes with Umbrak, and no model.")
        found = _into(db, account, newest, [w.line for w in waiting], waiting[0].line.source.title, keep=True)
        if found.fault:
            raise Refused("into", f"{row.title}: {found.fault}")
        return found

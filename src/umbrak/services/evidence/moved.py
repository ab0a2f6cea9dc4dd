"""The library in and out: sheets as YAML and trials as CSV in one archive; and what an archive would bring, before it does."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Collection
from dataclasses import dataclass
from typing import Literal

from sqlalchemy import Engine

from umbrak.core.platform.sheet import SheetHash
from umbrak.formats.archive import unpacked
from umbrak.formats.bounds import MAX_BYTES
from umbrak.formats.faults import InputError
from umbrak.formats.sheet.compared import ClauseChange, compare
from umbrak.formats.sheet.reading import SheetReading, read_sheets, shipped_sheets
from umbrak.formats.yaml_text import Document
from umbrak.services.errors import NotFound, Refused
from umbrak.services.evidence.tables import export_trials, take_trials
from umbrak.services.people.accounts import Role, need
from umbrak.services.sheets.library import keep_sheet
from umbrak.store import sheets as store
from umbrak.store.accounts import Account
from umbrak.store.history import record

_TRIALS = "field-notes.csv"
_MOST_FILES = 2_000


def export_library(engine: Engine, only: SheetHash | None = None) -> bytes:
    """A ZIP of every sheet in its newest revision, or of the one, as it is written, and of every trial. Raises NotFound."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        with engine.connect() as db:
            rows = store.current_sheets(db)
            if only and store.text_of_sheet(db, only) is None:
                raise NotFound("sheet")
            for row in [store.find_sheet(db, only)] if only else rows:
                if only or not row.archetype:
                    archive.writestr(f"{row.sheet_id}.yaml", store.text_of_sheet(db, row.hash) or "")
        if only is None:
            archive.writestr(_TRIALS, export_trials(engine))
    return out.getvalue()


#: new: the library has no such id; same: it says what the newest revision says; older: it says what an older one does;
#: different: the library has the id with other content; shipped: an architecture that comes with the tool; wrong: it
#: cannot be read.
Coming = Literal["new", "same", "older", "different", "shipped", "wrong"]


@dataclass(frozen=True, slots=True)
class ComingSheet:
    """A sheet of an archive, and what the library has of its id."""

    #: Of its file, and which of the sheets in it, from 0.
    file: str
    number: int
    sheet_id: str
    title: str
    coming: Coming
    #: Against the newest revision that is kept.
    changes: tuple[ClauseChange, ...]
    #: What is wrong with it, with its lines.
    faults: tuple[str, ...]
    kept: bool


@dataclass(frozen=True, slots=True)
class ComingLibrary:
    """What an archive brings; what of it was kept."""

    sheets: tuple[ComingSheet, ...]
    #: Trials that nobody has noted here, and what is wrong in others.
    trials: int
    trial_faults: tuple[str, ...]


def import_library(
    engine: Engine, account: Account, name: str, raw: bytes, keep: Collection[str], trials: bool
) -> ComingLibrary:
    """What a file or an archive brings; nothing is kept but what is named.

    Parameters
        keep     ids whose sheets are kept: as a new sheet, or as the newest revision of one that is there
        trials   whether its trials are noted
    Raises
        InputError   (formats) an archive that cannot be unpacked
        NotAllowed, Refused
    """
    need(account, Role.technician)
    files = unpacked(name, raw, most_files=_MOST_FILES, most_bytes=10 * MAX_BYTES)
    found = [one for file, text in files if file.endswith((".yaml", ".yml", ".json")) for one in _read(file, text)]
    tables = [text for file, text in files if file.endswith((".csv", ".xlsx"))]
    if not found and not tables:
        raise Refused("file", "There is no sheet in it (.yaml), nor a table of field notes (.csv).")
    ids = [r.sheet.id for _, _, r in found if isinstance(r, SheetReading)]
    if twice := next((i for i in ids if ids.count(i) > 1), None):
        raise Refused("file", f"There are two sheets {twice} in it: take one out.")
    coming = tuple(_coming(engine, account, file, number, one, keep) for file, number, one in found)
    new, faults = 0, []
    for table in tables:
        fresh = _fresh(engine, table)
        try:
            taken = take_trials(engine, account, fresh, trials) if fresh else None
        except (Refused, InputError) as error:
            faults.append(str(error))
            continue
        if taken:
            new += taken.good
            faults += [f"row {f.row}: {f.message}" for f in taken.errors]
    return ComingLibrary(coming, new, tuple(faults))


def _read(file: str, raw: bytes) -> list[tuple[str, int, SheetReading | InputError]]:
    try:
        return [(file, i, reading) for i, reading in enumerate(read_sheets(raw))]
    except InputError as error:
        return [(file, 0, error)]


def _coming(
    engine: Engine, account: Account, file: str, number: int, one: SheetReading | InputError, keep: Collection[str]
) -> ComingSheet:
    if isinstance(one, InputError):
        return ComingSheet(
            file=file,
            number=number,
            sheet_id="",
            title="",
            coming="wrong",
            changes=(),
            faults=tuple(map(str, one.faults)),
            kept=False,
        )
    with engine.begin() as db:
        revisions = store.revisions_of(db, one.sheet.id)
        hashes = [r.hash for r in revisions]
        coming: Coming = (
            "shipped"
            if one.sheet.id in shipped_sheets()
            else "new"
            if not revisions
            else "same"
            if hashes[0] == one.sheet.hash
            else "older"
            if one.sheet.hash in hashes
            else "different"
        )
        newest = store.find_document(db, hashes[0]) if revisions else None
        changes = compare(Document(newest, {}), Document(one.data, {})) if newest is not None else []
        kept = one.sheet.id in keep and coming in ("new", "different")
        if kept:
            keep_sheet(db, one, account, f"from {file}")
            record(db, "sheet kept", account.id, name=one.sheet.id, hash=one.sheet.hash)
    return ComingSheet(
        file=file,
        number=number,
        sheet_id=one.sheet.id,
        title=one.sheet.title,
        coming=coming,
        changes=tuple(changes),
        faults=(),
        kept=kept,
    )


def _fresh(engine: Engine, table: bytes) -> bytes:
    """The rows of an exported table that nobody has noted here; a table of another make comes back whole."""
    if table.startswith(b"PK"):
        return table
    have = set(export_trials(engine).encode().splitlines())
    head, *rows = table.splitlines(keepends=True) or [b""]
    if head.rstrip(b"\r\n") not in have:
        return table
    new = [r for r in rows if r.rstrip(b"\r\n") not in have]
    return b"".join([head, *new]) if new else b""

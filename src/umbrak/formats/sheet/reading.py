"""Sheet text to Sheet, and the sheets that ship with Umbrak."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

from umbrak.core.platform.sheet import Sheet, SheetHash
from umbrak.formats.bounds import Deadline
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.sheet.document import SheetDoc
from umbrak.formats.sheet.expand import expand
from umbrak.formats.sheet.lint import lint
from umbrak.formats.yaml_text import Document, check, load_yaml


@dataclass(frozen=True, slots=True)
class SheetReading:
    """A sheet as read: its text, its values, and what the linter says of it."""

    text: str
    data: dict[str, object]
    sheet: Sheet
    findings: tuple[Fault, ...]


def content_hash(data: object) -> SheetHash:
    """Hash of a sheet's content: the same for the same facts, however they were written. 16 hex digits."""
    return SheetHash(hashlib.sha256(json.dumps(data, sort_keys=True, ensure_ascii=False).encode()).hexdigest()[:16])


def read_sheets(text: str | bytes, deadline: Deadline | None = None) -> list[SheetReading]:
    """Every sheet of a text (documents apart by ---).

    Raises
        InputError   no YAML, wrong fields, unresolved names; the first faults with line and column; too large, too slow
    """
    deadline = deadline or Deadline()
    documents = load_yaml(text, deadline)
    if not documents:
        raise InputError("empty", [Fault("there is no sheet in it")])
    return [read_document(d, text, deadline) for d in documents]


def read_sheet(text: str | bytes, deadline: Deadline | None = None) -> SheetReading:
    """The one sheet of a text. Raises InputError as `read_sheets`, and when there are several."""
    sheets = read_sheets(text, deadline)
    if len(sheets) > 1:
        raise InputError("several-sheets", [Fault(f"one sheet was expected, {len(sheets)} found")])
    return sheets[0]


def sheet_from_data(data: object) -> Sheet:
    """A sheet from plain data, such as one that is stored."""
    return read_document(Document(data, {}), "", Deadline(60)).sheet  # it was read once within the usual time


def read_document(document: Document, text: str | bytes, deadline: Deadline) -> SheetReading:
    """One document as a sheet. Raises InputError as `read_sheets`."""
    if not isinstance(document.data, dict):
        raise InputError(
            "not-a-sheet", [document.fault((), "a sheet is a block of fields that begins with umbrak-sheet: 1")]
        )
    doc = check(document, SheetDoc)
    sheet, odd = expand(document, doc, content_hash(document.data), deadline)
    shown = text if isinstance(text, str) else text.decode("utf-8-sig")
    return SheetReading(
        shown,
        document.data,
        sheet,
        tuple(sorted((*odd, *lint(document, sheet, deadline)), key=_as_listed)),
    )


def _as_listed(fault: Fault) -> tuple[object, ...]:
    """What is wrong by its line; then what is open, as the linter has it: by what it could hide."""
    return (True,) if fault.code == "fact-open" else (False, fault.line or 0, fault.column or 0, fault.message)


@cache
def shipped_sheets() -> dict[str, SheetReading]:
    """Sheet id -> sheet, for the archetypes that come with Umbrak."""
    found = {}
    for path in sorted(files("umbrak.formats.sheet").joinpath("archetypes").iterdir(), key=lambda p: p.name):
        if path.name.endswith(".yaml"):
            reading = read_sheet(path.read_text("utf-8"))
            found[reading.sheet.id] = reading
    return found

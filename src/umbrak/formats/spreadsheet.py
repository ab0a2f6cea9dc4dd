"""Tables that people keep: CSV (RFC 4180) with commas, semicolons or tabs, and XLSX. The first row names the columns."""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError

MAX_ROWS, MAX_COLUMNS, MAX_CELL = 20_000, 400, 4000
#: What an XLSX, which is an archive, may unpack to [bytes].
MAX_UNPACKED = 100 << 20


@dataclass(frozen=True, slots=True)
class Row:
    #: As a person counts: the header is row 1.
    number: int
    #: Column's name, in lower case -> what stands there, stripped; empty cells are left out.
    cells: dict[str, str]


@dataclass(frozen=True, slots=True)
class Table:
    columns: tuple[str, ...]
    rows: tuple[Row, ...]


def looks_like_xlsx(data: bytes) -> bool:
    return data[:4] == b"PK\x03\x04" and b"[Content_Types].xml" in data[:4096] + data[-65536:]


def read_table(data: bytes) -> Table:
    """The rows of a CSV or XLSX file (its first sheet); empty rows are left out.

    Raises
        InputError   too large, too slow, no table, two columns of one name; names row and column
    """
    check_size(len(data))
    lines = _xlsx(data) if looks_like_xlsx(data) else _csv(data)
    return _table(lines)


def _table(lines: Iterable[tuple[int, list[str]]]) -> Table:
    deadline = Deadline()
    columns: list[str] = []
    rows: list[Row] = []
    for number, cells in lines:
        if number % 256 == 0:
            deadline.check(f"row {number}")
        if not any(cells):
            continue
        if len(cells) > MAX_COLUMNS:
            raise InputError("too-large", [Fault(f"more than {MAX_COLUMNS} columns", f"row {number}", number)])
        if not columns:
            columns = [" ".join(c.lower().split()) for c in cells]
            named = [c for c in columns if c]
            if len(set(named)) < len(named):
                twice = next(c for c in named if named.count(c) > 1)
                raise InputError("not-a-table", [Fault(f"two columns are called “{twice}”", f"row {number}", number)])
            continue
        if len(rows) >= MAX_ROWS:
            raise InputError("too-large", [Fault(f"more than {MAX_ROWS} rows", f"row {number}", number)])
        rows.append(Row(number, {c: v for c, v in zip(columns, cells, strict=False) if c and v}))
    if not columns:
        raise InputError("not-a-table", [Fault("there is no row in it; the first one names the columns", "row 1", 1)])
    return Table(tuple(c for c in columns if c), tuple(rows))


def _csv(data: bytes) -> Iterator[tuple[int, list[str]]]:
    if b"\0" in data[:4096] and data[:2] not in (b"\xff\xfe", b"\xfe\xff"):
        raise InputError("not-a-table", [Fault("neither CSV nor XLSX: there are zero bytes in it", "byte 0")])
    wide = data[:2] in (b"\xff\xfe", b"\xfe\xff")
    try:
        text = data.decode("utf-16" if wide else "utf-8-sig")
    except UnicodeDecodeError as error:
        # Office programs of the West write this where nothing else is said.
        text = data.decode("cp1252", "replace") if not wide else ""
        if wide:
            raise InputError("not-a-table", [Fault("no UTF-16 text", f"byte {error.start}")]) from error
    head = text.split("\n", 1)[0]
    between = max(",;\t", key=head.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=between, strict=True)
    number = 0
    try:
        for number, cells in enumerate(reader, 1):
            yield number, [c.strip()[:MAX_CELL] for c in cells]
    except csv.Error as error:
        raise InputError("not-a-table", [Fault(f"no CSV: {error}", f"row {number + 1}", number + 1)]) from error


def _xlsx(data: bytes) -> Iterator[tuple[int, list[str]]]:
    # With defusedxml there, openpyxl refuses entities; the archive's entries say how much each unpacks to, and no more
    # than that is read of it.
    import openpyxl

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(m.file_size for m in archive.infolist()) > MAX_UNPACKED:
                raise InputError("too-large", [Fault(f"it unpacks to more than {MAX_UNPACKED >> 20} MiB", "byte 0")])
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        if not book.worksheets:
            raise InputError("not-a-table", [Fault("there is no sheet in it", "byte 0")])
        for number, cells in enumerate(book.worksheets[0].iter_rows(values_only=True), 1):
            yield number, [_cell(c) for c in cells[: MAX_COLUMNS + 1]]
    except InputError:
        raise
    except Exception as error:  # the library raises whatever a broken archive or document makes it stumble over
        raise InputError("not-a-table", [Fault(f"no XLSX that can be read: {str(error)[:200]}", "byte 0")]) from error


def _cell(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, datetime):
        value = value.date() if value.time().isoformat() == "00:00:00" else value
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        value = int(value)
    return str(value).strip()[:MAX_CELL]

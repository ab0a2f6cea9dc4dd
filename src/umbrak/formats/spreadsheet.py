"""Tables that people keep: CSV (RFC 4180) with commas, semicolons or tabs, and XLSX. The first row names the columns."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from umbrak.formats.apart import read_apart
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.text import cleaned, is_wide

MAX_ROWS, MAX_COLUMNS, MAX_CELL = 20_000, 400, 4000
#: Filled cells of one table.
MAX_CELLS = 600_000
#: Characters of one row, over all its lines.
MAX_ROW = 1 << 20
#: XML_ERROR_NO_MEMORY of expat.
_NO_MEMORY = 1
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


def harmless(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula."""
    return f"'{cell}" if cell[:1] in ("=", "+", "-", "@", "\t", "\r") else cell


def looks_like_xlsx(data: bytes) -> bool:
    return data[:4] == b"PK\x03\x04" and b"[Content_Types].xml" in data[:4096] + data[-65536:]


def read_table(data: bytes) -> Table:
    """The rows of a CSV or XLSX file (its first sheet); empty rows are left out.

    Raises
        InputError   too large, too slow, no table, two columns of one name; names row and column
    """
    check_size(len(data))
    lines = sheet_rows(data) if looks_like_xlsx(data) else _csv(data)
    return _table(lines, Deadline())


def _table(lines: Iterable[tuple[int, list[str]]], deadline: Deadline) -> Table:
    columns: list[str] = []
    rows: list[Row] = []
    #: Cells of tables repeat themselves: each text is kept once.
    texts: dict[str, str] = {}
    filled = 0
    for read, (number, cells) in enumerate(lines):
        if read % 256 == 0:
            deadline.check(f"row {number}")
        if not any(cells):
            continue
        if len(cells) > MAX_COLUMNS:
            raise InputError(
                "too-large", [Fault(message=f"more than {MAX_COLUMNS} columns", where=f"row {number}", line=number)]
            )
        if not columns:
            columns = [" ".join(c.lower().split()) for c in cells]
            named = Counter(c for c in columns if c)
            twice = next((c for c, times in named.items() if times > 1), None)
            if twice is not None:
                raise InputError(
                    "not-a-table",
                    [Fault(message=f"two columns are called “{twice}”", where=f"row {number}", line=number)],
                )
            continue
        if len(rows) >= MAX_ROWS:
            raise InputError(
                "too-large", [Fault(message=f"more than {MAX_ROWS} rows", where=f"row {number}", line=number)]
            )
        row = {c: texts.setdefault(v, v) for c, v in zip(columns, cells, strict=False) if c and v}
        filled += len(row)
        if filled > MAX_CELLS:
            raise InputError(
                "too-large", [Fault(message=f"more than {MAX_CELLS} filled cells", where=f"row {number}", line=number)]
            )
        rows.append(Row(number, row))
    if not columns:
        raise InputError(
            "not-a-table",
            [Fault(message="there is no row in it; the first one names the columns", where="row 1", line=1)],
        )
    return Table(tuple(c for c in columns if c), tuple(rows))


def _csv(data: bytes) -> Iterator[tuple[int, list[str]]]:
    wide = is_wide(data)
    if b"\0" in data[:4096] and not wide:
        raise InputError("not-a-table", [Fault("neither CSV nor XLSX: there are zero bytes in it", "byte 0")])
    # As a stream: the whole of it as text may take four times its bytes.
    lines = io.TextIOWrapper(io.BytesIO(data), _encoding(data), errors="replace", newline="")
    head = lines.readline(MAX_ROW)
    lines.seek(0)
    number, row_characters = 0, 0

    def bounded() -> Iterator[str]:
        nonlocal row_characters
        while line := lines.readline(MAX_ROW + 1):
            row_characters += len(line)
            if row_characters > MAX_ROW:
                where = f"row {number + 1}"
                raise InputError(
                    "too-large",
                    [Fault(message=f"more than {MAX_ROW} characters in a row", where=where, line=number + 1)],
                )
            yield line

    reader = csv.reader(bounded(), delimiter=max(",;\t", key=head.count), strict=True)
    try:
        for number, cells in enumerate(reader, 1):
            row_characters = 0
            yield number, [cleaned(c, MAX_CELL) for c in cells]
    except csv.Error as error:
        raise InputError(
            "not-a-table", [Fault(message=f"no CSV: {error}", where=f"row {number + 1}", line=number + 1)]
        ) from error


def _encoding(data: bytes) -> str:
    if is_wide(data):
        try:
            data.decode("utf-16")
        except UnicodeDecodeError as error:
            raise InputError("not-a-table", [Fault("no UTF-16 text", f"byte {error.start}")]) from error
        return "utf-16"
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return "cp1252"  # office programs of the West write this where nothing else is said
    return "utf-8-sig"


def sheet_rows(data: bytes) -> Iterator[tuple[int, list[str]]]:
    """(number, cells) of each row of a workbook's first sheet. Raises InputError."""
    yield from json.loads(read_apart("xlsx", data))


def xlsx_rows(data: bytes) -> Iterator[tuple[int, list[str]]]:
    """The rows of a workbook's first sheet that have something in them. Done in a process apart: the library takes what
    time and memory it likes. Raises InputError for a workbook that cannot be read, or that has too much in it."""
    # With defusedxml there, openpyxl refuses entities; the archive's entries say how much each unpacks to, and no more
    # than that is read of it.
    from xml.etree.ElementTree import ParseError

    import openpyxl

    deadline = Deadline()
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(m.file_size for m in archive.infolist()) > MAX_UNPACKED:
                raise InputError("too-large", [Fault(f"it unpacks to more than {MAX_UNPACKED >> 20} MiB", "byte 0")])
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True, keep_links=False)
        if not book.worksheets:
            raise InputError("not-a-table", [Fault("there is no sheet in it", "byte 0")])
        filled = 0
        for number, values in enumerate(book.worksheets[0].iter_rows(values_only=True), 1):
            if number % 256 == 0:
                deadline.check(f"row {number}")
            cells = [_cell(c) for c in values[: MAX_COLUMNS + 1]]
            filled += (count := sum(map(bool, cells)))
            if filled > MAX_CELLS:
                raise InputError(
                    "too-large",
                    [Fault(message=f"more than {MAX_CELLS} filled cells", where=f"row {number}", line=number)],
                )
            if count:
                yield number, cells
    except (InputError, MemoryError):
        raise
    except ParseError as error:
        if error.code == _NO_MEMORY:
            raise MemoryError from error
        raise InputError("not-a-table", [Fault(f"no XLSX that can be read: {error}", "byte 0")]) from error
    except Exception as error:  # the library raises whatever a broken archive or document makes it stumble over
        why = cleaned(str(error), 200)
        raise InputError("not-a-table", [Fault(f"no XLSX that can be read: {why}", "byte 0")]) from error


def _cell(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, datetime):
        value = value.date() if value.time().isoformat() == "00:00:00" else value
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        value = int(value)
    return cleaned(str(value), MAX_CELL)

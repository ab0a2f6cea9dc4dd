"""Tables that people keep: CSV (RFC 4180) with commas, semicolons or tabs, and XLSX. A row names the columns: the first, or the one below
what stands above the table."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections import Counter
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from datetime import date, datetime
from itertools import chain, islice
from statistics import median
from typing import Any

from umbrak.formats.apart import read_apart
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.quantities import MONIES
from umbrak.formats.text import cleaned, is_wide

MAX_ROWS, MAX_COLUMNS, MAX_CELL = 20_000, 400, 4000
#: Filled cells of one table.
MAX_CELLS = 600_000
#: Characters of one row, over all its lines.
MAX_ROW = 1 << 20
#: Rows among which the one is looked for that names the columns.
HEAD_ROWS = 32
#: Characters of a name by which a row of names is known, and of such a row.
_LONGEST_NAME, _LONGEST_HEAD = 100, 1 << 16
#: What parts cells.
_MARKS = ",;\t"
_MONEY = "|".join(map(re.escape, sorted(MONIES)))
#: What a name says beside what it means: of one unit, before tax, in which money.
_NO_MORE = re.compile(
    r"\s*[(\[](?:net|gross|(?:excl?|incl?)\.? (?:vat|tax)|each|(?:per|/) ?(?:unit|piece|pc|module)|pcs?|pieces|units|days)\.?[)\]]$"
    rf"|\s*[(\[](?:{_MONEY})[)\]]$|(?<=[a-z]),? (?:in )?(?:{_MONEY})$"
)
#: XML_ERROR_NO_MEMORY of expat.
_NO_MEMORY = 1
#: What an XLSX, which is an archive, may unpack to [bytes].
MAX_UNPACKED = 100 << 20


@dataclass(frozen=True, slots=True)
class Row:
    #: As a person counts, from 1.
    number: int
    #: Column's name, in lower case -> what stands there, stripped; empty cells are left out.
    cells: dict[str, str]


@dataclass(frozen=True, slots=True)
class Table:
    columns: tuple[str, ...]
    rows: tuple[Row, ...]
    #: Rows above the one that names the columns: what stands there is left out.
    above: int = 0


def plain_name(column: str) -> str:
    """A column's name as it is looked up: in lower case, without what tells no more than its unit.

    Examples
        >>> plain_name("Part  No.:"), plain_name("Unit price (net)"), plain_name("Price per 10")
        ('part no', 'unit price', 'price per 10')
    """
    name = " ".join(column.lower().replace("_", " ").split())
    return _NO_MORE.sub("", name).rstrip(" .:*") or name


def harmless(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula."""
    return f"'{cell}" if cell[:1] in ("=", "+", "-", "@", "\t", "\r") else cell


def looks_like_xlsx(data: bytes) -> bool:
    return data[:4] == b"PK\x03\x04" and b"[Content_Types].xml" in data[:4096] + data[-65536:]


def read_table(data: bytes, known: Collection[str] = ()) -> Table:
    """The rows of a CSV or XLSX file (its first sheet); empty rows are left out.

    Whoever offers something writes his name, a number and a day above the table: the row that names the columns is the one of the
    first with most known names, from two on; else the first that is filled three quarters as far as those below it.

    Parameters
        known   names of columns, as `plain_name` has them

    Raises
        InputError   too large, too slow, no table, two columns of one name; names row and column
    """
    check_size(len(data))
    lines = sheet_rows(data) if looks_like_xlsx(data) else _csv(data, known)
    return _table(lines, Deadline(), known)


def _known_in(cells: Iterable[str], known: Collection[str]) -> int:
    return len({plain_name(c) for c in cells if 0 < len(c) <= _LONGEST_NAME} & set(known))


def _mark(first: list[str], known: Collection[str]) -> str:
    """What parts the cells: that by which a row of names is found; else what the first line has most of that has any."""

    def named(mark: str) -> int:
        cells = ([c.strip(' "\r\n') for c in line.split(mark, MAX_COLUMNS)] for line in first)
        return max((_known_in(c, known) for c in cells), default=0)

    best = max(_MARKS, key=named)
    if named(best) >= 2:
        return best
    head = next((line for line in first if any(m in line for m in _MARKS)), "")
    return max(_MARKS, key=head.count)


def _head(first: list[tuple[int, list[str]]], known: Collection[str]) -> int:
    """Which of the first rows names the columns."""
    names = [_known_in(cells, known) for _, cells in first]
    if max(names, default=0) >= 2:
        return names.index(max(names))
    filled = [sum(map(bool, cells)) for _, cells in first]
    return next((i for i, n in enumerate(filled) if 4 * n >= 3 * median(filled)), 0)


def _filled(lines: Iterable[tuple[int, list[str]]], deadline: Deadline) -> Iterator[tuple[int, list[str]]]:
    """The rows with something in them. Raises InputError for one that is too wide."""
    for read, (number, cells) in enumerate(lines):
        if read % 256 == 0:
            deadline.check(f"row {number}")
        if len(cells) > MAX_COLUMNS and any(cells):
            raise InputError(
                "too-large", [Fault(message=f"more than {MAX_COLUMNS} columns", where=f"row {number}", line=number)]
            )
        if any(cells):
            yield number, cells


def _table(lines: Iterable[tuple[int, list[str]]], deadline: Deadline, known: Collection[str]) -> Table:
    lines = _filled(lines, deadline)
    first = list(islice(lines, HEAD_ROWS))
    above = _head(first, known)
    columns: list[str] = []
    rows: list[Row] = []
    #: Cells of tables repeat themselves: each text is kept once.
    texts: dict[str, str] = {}
    filled = 0
    for number, cells in chain(first[above:], lines):
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
    return Table(tuple(c for c in columns if c), tuple(rows), above)


def _csv(data: bytes, known: Collection[str]) -> Iterator[tuple[int, list[str]]]:
    wide = is_wide(data)
    if b"\0" in data[:4096] and not wide:
        raise InputError("not-a-table", [Fault("neither CSV nor XLSX: there are zero bytes in it", "byte 0")])
    # As a stream: the whole of it as text may take four times its bytes.
    lines = io.TextIOWrapper(io.BytesIO(data), _encoding(data), errors="replace", newline="")
    first = list(islice(iter(lambda: lines.readline(_LONGEST_HEAD), ""), HEAD_ROWS))
    lines.seek(0)
    mark = _mark(first, known)
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

    reader = csv.reader(bounded(), delimiter=mark, strict=True)
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

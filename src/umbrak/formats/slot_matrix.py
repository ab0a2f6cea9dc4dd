"""A table of slots that has channels or processors side by side, and a row for what is called alike in each of them."""

from __future__ import annotations

import csv
import re
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from itertools import islice, pairwise

from umbrak.formats.bounds import MAX_SLOTS, Deadline
from umbrak.formats.columns import columns_of
from umbrak.formats.slot_headings import Heads, meaning_of
from umbrak.formats.slot_names import GROUPED, is_slot_like
from umbrak.formats.slot_words import says_empty
from umbrak.formats.text import numbered_lines

#: What parts the cells of a line.
_Cells = Callable[[str], list[str]]
_SIZE = re.compile(r"(?:[1248]|16|24|32|48|64|96|128|256|512)|\d{1,4} ?[MG]i?B\b.{0,60}", re.I)


def crossed(
    text: str, first: int, line: str, deadline: Deadline
) -> tuple[Heads, Iterator[tuple[int, list[str]]]] | None:
    """The slots of a table whose head is this line: their names, and what is in them; None where it is no such head."""
    for cells in _ways(
        line, lambda: list(islice((one for n, one in numbered_lines(text, deadline) if n > first), MAX_SLOTS))
    ):
        names = cells(line)
        if not _are_columns(names):
            continue
        lines = ((n, cells(one)) for n, one in numbered_lines(text, deadline) if n > first)
        its = ((n, row) for n, row in lines if row and is_slot_like(row[0]))
        rows = [(n, [*row, *[""] * len(names)][: len(names)]) for n, row in islice(its, MAX_SLOTS)]
        told = [cell for _, row in rows for cell in row[1:] if cell]
        if told and 2 * sum(bool(_SIZE.fullmatch(c)) or says_empty(c) for c in told) > len(told):
            heads = Heads(first, ("slot", "size"), ("slot", "size"))
            return heads, (
                (n, [_name(column, row[0]), cell])
                for n, row in rows
                for column, cell in zip(names[1:], row[1:], strict=True)
            )
    return None


def _ways(line: str, rows: Callable[[], Sequence[str]]) -> Iterator[_Cells]:
    """How cells may be parted in a line: by bars, commas and the like, or columns of a fixed width."""
    if line.count("|") > 1:
        yield lambda of: [c.strip().strip("*_`").strip() for c in of.strip().strip("|").split("|")]
    for mark in "\t;,":
        if mark in line:
            yield partial(_separated, mark)
    names = [m.span() for m in re.finditer(r"\S+(?: \S+)*", line)]
    if len(names) > 1 and not re.search(r"[|;,\t]", line):
        # The names of rows may stand under none of their own.
        names = names if meaning_of(line[slice(*names[0])]) == "slot" else [(0, 1), *names]
        where = dict(columns_of(line, rows(), names))
        if all(name in where for name in names):
            starts = [where[name][0] for name in names]
            yield lambda of: [of[a:b].strip() for a, b in pairwise([*starts, None])]


def _separated(mark: str, line: str) -> list[str]:
    return [c.strip() for c in next(csv.reader([line], delimiter=mark), [])]


def _are_columns(names: Sequence[str]) -> bool:
    """Whether they name channels, processors or the like, one after another; the first is of the rows."""
    columns = names[1:]
    if len(columns) < 2 or (names[0] and meaning_of(names[0]) != "slot"):
        return False
    letters = [ord(c.upper()) for c in columns if re.fullmatch(r"[A-Za-z]", c)]
    in_order = len(letters) == len(columns) and all(b == a + 1 for a, b in pairwise(letters))
    return in_order or all(GROUPED.fullmatch(c) and re.search(r"\d|\b[A-Z]$", c) for c in columns)


def _name(column: str, row: str) -> str:
    """ "A1" of column A and row 1; "CPU1 A1" of CPU1 and A1."""
    return f"{column}{row}" if len(column) == 1 and row.isdigit() else f"{column} {row}"

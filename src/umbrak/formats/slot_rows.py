"""The rows of a table of slots, wherever one begins in a file: cells between commas, bars or blanks, or each with its name."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import islice, takewhile

from umbrak.formats.bounds import MAX_SLOTS, Deadline
from umbrak.formats.columns import columns_of
from umbrak.formats.faults import InputError
from umbrak.formats.json_text import load_json
from umbrak.formats.slot_headings import Heads, heads_of, meaning_of
from umbrak.formats.slot_matrix import crossed
from umbrak.formats.slot_names import HOLDER, is_slot_like
from umbrak.formats.spreadsheet import MAX_COLUMNS, sheet_rows
from umbrak.formats.text import numbered_lines

#: What is looked at to find the headings: titles stand above them.
_FIRST = 15
_BAR = re.compile(r"[|│┃║]")
_RULE = re.compile(r"[\s|│┃║:+\-=─━═┼┌┬┐├┤└┴┘╔╦╗╠╬╣╚╩╝╪╞╡]+")
#: What begins another part of a print: "==== On-Board Devices ====".
_SECTION = re.compile(r"\s*={3,}\s*\w")
#: "Size: 16 GB", where each cell says what it is.
_PAIR = re.compile(r"\s*(?P<name>[^\W\d][^:=]{0,30}?)\s*[:=]\s*(?P<value>.*)")
#: "size=16 GB", of several with spaces between.
_EQUAL = re.compile(
    r"(?<![^\s,;:])(?P<name>[^\W\d]\w{0,20})\s?=\s?(?P<value>\"[^\"]{0,200}\"|[^=]{0,200}?)[\s,;]*(?=[^\W\d]\w{0,20}\s?=|$)"
)
#: One row: its line's number, and its cells.
Line = tuple[int, Sequence[str]]


def found_in(text: str, deadline: Deadline) -> tuple[Heads, Iterator[Line]] | None:
    """The headings of a text's first table of slots, and its rows; None where there is none."""
    seen = 0
    for number, line in numbered_lines(text, deadline):
        if not line.strip():
            continue
        seen += 1
        if seen > _FIRST:
            return None
        if seen == 1 and line.lstrip()[:1] in ("{", "["):
            return _of_objects(text, deadline)
        for way in (_paired, _barred, _separated, _aligned, _recorded, crossed):
            if table := way(text, number, line, deadline):
                return _side_by_side(*table)
    return None


def in_workbook(data: bytes) -> tuple[Heads, Iterator[Line]] | None:
    rows = list(sheet_rows(data))
    for at, (number, cells) in enumerate(rows[:_FIRST]):
        if heads := heads_of(number, cells):
            return _side_by_side(heads, iter(rows[at + 1 :]))
    return None


def _side_by_side(heads: Heads, rows: Iterator[Line]) -> tuple[Heads, Iterator[Line]]:
    """A table whose headings stand twice or more side by side, as one below the other."""
    means = [meaning_of(name) for name in heads.names]
    starts = [i for i, meaning in enumerate(means) if meaning == "slot"]
    width = starts[1] - starts[0] if len(starts) > 1 else 0
    if not width or len(means) != width * len(starts) or any(means[a : a + width] != means[:width] for a in starts):
        return heads, rows
    first = replace(heads, means=heads.means[:width], names=heads.names[:width])
    return first, ((n, cells[a : a + width]) for n, cells in rows for a in starts if any(cells[a : a + width]))


def _of_objects(text: str, deadline: Deadline) -> tuple[Heads, Iterator[Line]] | None:
    """Objects of JSON with a member for each column, a row each; a slot's name may stand before its object."""
    try:
        value = load_json(text.encode(), deadline)
    except InputError:
        return None
    within = list(_within_holders(value))
    named = [row for o, holder in within for row in _by_name(o, holder)]
    every = named or [_held(o, holder) for o, holder in within if any(isinstance(v, str) for v in o.values())]
    names = list(dict.fromkeys(str(n) for o in every[:MAX_SLOTS] for n in o))[:MAX_COLUMNS]
    if (heads := heads_of(1, names)) is None:
        return None
    # What stands round them is no slot, though it has a member or two that are called alike.
    key = "slot" if "slot" in heads.means else "size"
    mark = heads.names[heads.means.index(key)]
    return heads, ((1, [_cell(o.get(n)) for n in names]) for o in every if mark in o)


def _within_holders(value: object) -> Iterator[tuple[Mapping[str, object], str]]:
    """(object, the processor or the like that it stands in; "" where it stands in none) of all in a value, in its order."""
    todo: list[tuple[object, str]] = [(value, "")]
    while todo:
        one, holder = todo.pop()
        if isinstance(one, dict):
            yield one, holder
            own = next((v for v in one.values() if isinstance(v, str) and HOLDER.fullmatch(v)), holder)
            inner = [(v, str(n) if HOLDER.fullmatch(str(n)) else own) for n, v in one.items()]
            todo += [(v, its) for v, its in reversed(inner) if isinstance(v, list | dict)]
        elif isinstance(one, list):
            todo += [(v, holder) for v in reversed(one) if isinstance(v, list | dict)]


def _held(row: Mapping[str, object], holder: str) -> Mapping[str, object]:
    """A row that says what its slot hangs on, where it does not say so itself."""
    return row if not holder or any(meaning_of(str(n)) == "socket" for n in row) else {"socket": holder, **row}


def _by_name(value: Mapping[str, object], holder: str) -> list[Mapping[str, object]]:
    """The members of an object that has slots by their names: {"A1": "16 GB", "A2": null}, {"A1": {"size": 16}}; [] where it
    has others too."""
    if len(value) < 2 or not all(is_slot_like(str(name)) for name in value):
        return []
    rows: list[Mapping[str, object]] = []
    for name, told in value.items():
        if isinstance(told, dict):
            rows.append({"slot": name, **{str(n): v for n, v in told.items() if meaning_of(str(n)) != "slot"}})
        else:
            rows.append({"slot": name, "size" if isinstance(told, int | float) else "label": told})
    return [_held(row, holder) for row in rows]


def _cell(value: object) -> str:
    return "" if value is None or isinstance(value, dict | list) else str(value)


def _recorded(text: str, first: int, line: str, deadline: Deadline) -> tuple[Heads, Iterator[Line]] | None:
    """Lines that each say what they are, a slot's under its name: "Slot: A1", then "Size: 16 GB" and so on."""
    if not _names_slot(_of_record(line)):
        return None
    rows: list[tuple[int, dict[str, str]]] = []
    for number, one in numbered_lines(text, deadline):
        pair = _of_record(one) if number >= first else None
        if _names_slot(pair):
            if len(rows) == MAX_SLOTS:
                break
            rows.append((number, {}))
        if pair and rows:
            rows[-1][1].setdefault(*pair)
    heads = heads_of(first, list(dict.fromkeys(name for _, row in rows for name in row))[:MAX_COLUMNS])
    if heads is None or "slot" not in heads.means:
        return None
    return heads, ((n, [row.get(name, "") for name in heads.names]) for n, row in rows)


def _of_record(line: str) -> tuple[str, str] | None:
    """(name, value) of a line that is read here: "- slot: A1" is one too."""
    match = _PAIR.fullmatch(re.sub(r"^\s*- ", "", line[:500]))
    value = match["value"].strip().strip("\"'") if match else ""
    return (match["name"], value) if match and value and meaning_of(match["name"]) else None


def _names_slot(pair: tuple[str, str] | None) -> bool:
    return bool(pair and meaning_of(pair[0]) == "slot" and is_slot_like(pair[1]))


def _paired(text: str, first: int, line: str, deadline: Deadline) -> tuple[Heads, Iterator[Line]] | None:
    """Rows whose cells each say what they are: "Slot: A1, Size: 16 GB, Type: DDR4", "A1: size=16GB part=QD4R-16"."""
    begins = heads_of(first, [name for name, _ in _pairs(line)])
    if begins is None or "slot" not in begins.means:
        return None
    every = (
        (n, _slot_alone(_pairs(one))) for n, one in numbered_lines(text, deadline) if n >= first and len(one) < 1000
    )
    rows = list(islice(((n, row) for n, row in every if len(row) > 1), MAX_SLOTS))
    #: What it means, or its name where that is nothing, -> the name by which it was called first.
    called: dict[str, str] = {}
    told_of = [(n, {called.setdefault(meaning_of(name) or name, name): v for name, v in row}) for n, row in rows]
    heads = heads_of(first, list(called.values())[:MAX_COLUMNS]) or begins
    return heads, ((n, [row.get(name, "") for name in heads.names]) for n, row in told_of)


def _pairs(line: str) -> list[tuple[str, str]]:
    """(name, value) of each piece of a line; [] unless all of it is such."""
    if equal := list(_EQUAL.finditer(line)):
        told = [(m["name"], m["value"].strip('"')) for m in equal]
        slot = line[: equal[0].start()].strip().removesuffix(":").strip()
        if slot and len(told) == 1 and not is_slot_like(slot):
            return []  # "real memory = 34359738368"
        return [("slot", slot), *told] if slot else told
    found = [_PAIR.fullmatch(piece) for piece in re.split(r"[,;\t|]", line)]
    return [(m["name"], m["value"].strip()) for m in found if m] if all(found) else []


def _slot_alone(pairs: list[tuple[str, str]]) -> list[tuple[str, str]]:
    """A row of pairs; "A3: empty" is one too, among others of which more is told."""
    alone = len(pairs) == 1 and is_slot_like(pairs[0][0])
    return [("slot", pairs[0][0]), ("label", pairs[0][1])] if alone else pairs


def _barred(text: str, first: int, line: str, deadline: Deadline) -> tuple[Heads, Iterator[Line]] | None:
    """Cells between bars, as notes and terminals have them."""

    def cells(of: str) -> list[str]:
        return _BAR.split(re.sub(r"^\s*[|│┃║]|[|│┃║]\s*$", "", of))

    heads = heads_of(first, cells(line)) if len(_BAR.findall(line)) > 1 else None
    if heads is None:
        return None
    rows = (
        (n, [c.strip().strip("*_`").strip() for c in cells(one)])
        for n, one in numbered_lines(text, deadline)
        if n > first and _BAR.search(one) and not _RULE.fullmatch(one)
    )
    return heads, rows


def _separated(text: str, first: int, line: str, deadline: Deadline) -> tuple[Heads, Iterator[Line]] | None:
    """Values with a comma, semicolon or tab between (RFC 4180)."""
    for mark in "\t;,":
        if mark not in line:
            continue
        if heads := heads_of(first, next(csv.reader([line], delimiter=mark), [])):
            rest = ((n, one) for n, one in numbered_lines(text, deadline) if n > first and one.strip(f"{mark} \t"))
            return heads, ((n, next(csv.reader([one], delimiter=mark), [])) for n, one in rest)
    return None


def _aligned(text: str, first: int, line: str, deadline: Deadline) -> tuple[Heads, Iterator[Line]] | None:
    """Columns of a fixed width: two spaces or more between their names, or strokes below them that tell where each is."""
    names = [m.span() for m in re.finditer(r"\S+(?: \S+)*", line)]
    heads = heads_of(first, [line[a:b] for a, b in names])
    below = [] if heads else _strokes(text, first, deadline)
    if len(below) > 1:
        names = [(a, b) for a, b in below if line[a:b].strip()]
        heads = heads_of(first, [line[a:b] for a, b in names])
    if heads is None:
        return None
    lines = ((n, one) for n, one in numbered_lines(text, deadline) if n > first)
    its = takewhile(lambda told: not _SECTION.match(told[1]), lines)
    rows = list(islice(((n, one) for n, one in its if not _RULE.fullmatch(f"{one} ")), MAX_SLOTS))
    # A sentence below it goes through all columns, and parts none.
    parted = [one for _, one in rows if len(one) <= names[0][1] or re.search(r"\S\s{2,}\S", one)]
    where = dict(columns_of(line, parted, names))
    spans = names if below else [where.get(name) for name in names]
    in_columns = {*parted}
    return heads, (
        (n, [one[s[0] : s[1]].strip() if s else "" for s in spans] if one in in_columns else [one.strip()])
        for n, one in rows
    )


def _strokes(text: str, head: int, deadline: Deadline) -> list[tuple[int, int]]:
    """Where each run of strokes stands in the line below a head; [] where that is no line of them."""
    below = next((one for n, one in numbered_lines(text, deadline) if n == head + 1), "")
    return [m.span() for m in re.finditer(r"[-=]{2,}", below)] if re.fullmatch(r"[-= ]*", below) else []

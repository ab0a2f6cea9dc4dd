"""Where a table of slots begins in a file, what its columns are, and its rows: cells between commas, bars or blanks, or each with its name."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import islice

from umbrak.formats.bounds import MAX_SLOTS, Deadline
from umbrak.formats.columns import columns_of
from umbrak.formats.faults import InputError
from umbrak.formats.json_text import load_json, objects
from umbrak.formats.slot_labels import is_slot_like
from umbrak.formats.spreadsheet import MAX_COLUMNS, sheet_rows
from umbrak.formats.text import numbered_lines

#: What a column may be -> how people call it, in letters and figures alone.
_CALLED: Mapping[str, tuple[str, ...]] = {
    "slot": (
        "slot", "dimm", "dimm slot", "memory slot", "ram slot", "slot name", "slot id", "dimm name", "dimm location", "locator", "location",
        "device locator", "position", "slot no", "slot number", "slot label", "steckplatz", "ranura", "emplacement",
    ),
    "bank": ("bank", "channel", "bank locator", "kanal", "bank label"),
    "socket": ("cpu", "socket", "processor", "cpu socket", "cpu no", "node"),
    "size": ("size", "capacity", "module size", "dimm size", "memory size", "ram", "gb", "gib", "mb", "mib", "größe", "kapazität", "taille", "capacité", "capacidad", "tamaño"),
    "label": ("label", "module", "module label", "description", "desc", "dimm label", "memory", "contents", "content", "fitted", "installed", "current", "now", "modul", "inhalt"),
    "type": ("type", "technology", "memory type", "ddr", "generation", "kind", "module type", "dimm type", "typ", "art"),
    "form": ("form", "form factor", "formfactor"),
    "ranks": ("rank", "ranks"),
    "organisation": ("organization", "organisation", "config", "configuration", "width", "device width", "chip width"),
    "rate": ("speed", "rate", "data rate", "clock", "frequency", "mts", "mhz", "rated speed", "max speed", "takt", "geschwindigkeit", "vitesse", "velocidad"),
    "volts": ("voltage", "volt", "volts", "spannung", "tension"),
    "ecc": ("ecc",),
    "part": ("part number", "part no", "part", "pn", "p n", "partnumber", "model", "model number", "sku", "module part", "mpn", "teilenummer", "artikelnummer", "référence"),
    "serial": ("serial", "serial number", "serial no", "sn", "s n", "serialnumber", "seriennummer"),
    "maker": ("maker", "manufacturer", "vendor", "make", "brand", "mfr", "mfg", "hersteller", "fabricant", "fabricante"),
    "state": ("state", "status", "health", "populated", "present", "occupied", "in use", "used", "condition", "zustand"),
    "note": ("note", "notes", "comment", "comments", "remark", "remarks", "bemerkung", "kommentar"),
    "count": ("count", "qty", "quantity", "pieces", "pcs", "anzahl", "menge"),
    # What no slot has: then it is a list of what is sold.
    "offer": ("price", "cost", "supplier", "offer", "unit price", "in stock", "lead time", "preis", "prix", "precio"),
    "machine": ("machine", "host", "hostname", "host name", "server", "server name", "computer", "system", "node name", "device name", "asset"),
}  # fmt: skip
_MEANING = {name.casefold(): meaning for meaning, names in _CALLED.items() for name in names}
_UNIT = re.compile(r"\b(gib|gb|mib|mb|kib|kb|bytes?)\b", re.I)
UNITS = {"g": 1.0, "m": 1 / 1024, "k": 1 / (1 << 20), "b": 1 / (1 << 30)}
#: What is looked at to find the headings: titles stand above them.
_FIRST = 15
_BAR = re.compile(r"[|│┃║]")
_RULE = re.compile(r"[\s|│┃║:+\-=─━═┼┌┬┐├┤└┴┘╔╦╗╠╬╣╚╩╝╪╞╡]+")
#: "Size: 16 GB", where each cell says what it is.
_PAIR = re.compile(r"\s*(?P<name>[^\W\d][^:=]{0,30}?)\s*[:=]\s*(?P<value>.*)")
#: "size=16 GB", of several with spaces between.
_EQUAL = re.compile(
    r"(?<![^\s,;:])(?P<name>[^\W\d]\w{0,20})\s?=\s?(?P<value>\"[^\"]{0,200}\"|[^=]{0,200}?)[\s,;]*(?=[^\W\d]\w{0,20}\s?=|$)"
)
#: One row: its line's number, and its cells.
Line = tuple[int, Sequence[str]]


@dataclass(frozen=True, slots=True)
class Heads:
    """The headings of a table."""

    #: Line that they stand in.
    line: int
    #: Column -> what is meant by it; None = nothing that is read here.
    means: tuple[str | None, ...]
    names: tuple[str, ...]
    #: What size is in where a cell does not say [GiB]; None = to be found by the figures.
    unit: float | None = None


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
        for way in (_paired, _barred, _separated, _aligned):
            if table := way(text, number, line, deadline):
                return table
    return None


def in_workbook(data: bytes) -> tuple[Heads, Iterator[Line]] | None:
    rows = list(sheet_rows(data))
    for at, (number, cells) in enumerate(rows[:_FIRST]):
        if heads := _heads(number, cells):
            return heads, iter(rows[at + 1 :])
    return None


def _heads(line: int, cells: Sequence[str]) -> Heads | None:
    """The headings that a row's cells are; None where they are none, or tell nothing of slots."""
    names = tuple(" ".join(c.strip().strip("*_`").split()) for c in cells)
    means: list[str | None] = []
    unit: float | None = None
    for name in names:
        meaning = meaning_of(name)
        if meaning == "size" and (told_unit := _UNIT.search(name.replace("_", " "))):
            unit = UNITS[told_unit[1][0].lower()]
        means.append(meaning if meaning not in means else None)
    if names and not names[0] and "slot" not in means:
        means[0] = "slot"  # the names of rows often stand under none of their own
    known = {m for m in means if m}
    of_modules = known & {"size", "label", "type", "part"}
    if len(known) < 2 or "offer" in known or not of_modules or not ("slot" in known or {"size", "part"} <= known):
        return None
    # Of what else is in a row of words, most would be headings too.
    return Heads(line, tuple(means), names, unit) if 2 * len(known) >= sum(map(bool, names)) else None


def meaning_of(name: str) -> str | None:
    """What a column of this name is; None where that is nothing that is read here."""
    bare = re.sub(r"[(\[].*?[)\]]", " ", name[:100].casefold())
    called = " ".join(re.sub(r"[^\w]|_", " ", bare).split())
    return _MEANING.get(called) or _MEANING.get(re.sub(r"\s?(?:gib|gb|mib|mb|mts|mhz|v|bytes)$", "", called))


def _of_objects(text: str, deadline: Deadline) -> tuple[Heads, Iterator[Line]] | None:
    """Objects of JSON with a member for each column, a row each."""
    try:
        every = [o for o in objects(load_json(text.encode(), deadline)) if any(isinstance(v, str) for v in o.values())]
    except InputError:
        return None
    names = list(dict.fromkeys(str(n) for o in every[:MAX_SLOTS] for n in o))[:MAX_COLUMNS]
    if (heads := _heads(1, names)) is None:
        return None
    known = set(names)
    rows = [o for o in every if known & o.keys()]
    return heads, ((1, [_cell(o.get(n)) for n in names]) for o in rows)


def _cell(value: object) -> str:
    return "" if value is None or isinstance(value, dict | list) else str(value)


def _paired(text: str, first: int, line: str, deadline: Deadline) -> tuple[Heads, Iterator[Line]] | None:
    """Rows whose cells each say what they are: "Slot: A1, Size: 16 GB, Type: DDR4", "A1: size=16GB part=QD4R-16"."""
    begins = _heads(first, [name for name, _ in _pairs(line)])
    if begins is None or "slot" not in begins.means:
        return None
    every = (
        (n, _slot_alone(_pairs(one))) for n, one in numbered_lines(text, deadline) if n >= first and len(one) < 1000
    )
    rows = list(islice(((n, row) for n, row in every if len(row) > 1), MAX_SLOTS))
    #: What it means, or its name where that is nothing, -> the name by which it was called first.
    called: dict[str, str] = {}
    told_of = [(n, {called.setdefault(meaning_of(name) or name, name): v for name, v in row}) for n, row in rows]
    heads = _heads(first, list(called.values())[:MAX_COLUMNS]) or begins
    return heads, ((n, [row.get(name, "") for name in heads.names]) for n, row in told_of)


def _pairs(line: str) -> list[tuple[str, str]]:
    """(name, value) of each piece of a line; [] unless all of it is such."""
    if equal := list(_EQUAL.finditer(line)):
        told = [(m["name"], m["value"].strip('"')) for m in equal]
        slot = line[: equal[0].start()].strip().removesuffix(":").strip()
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

    heads = _heads(first, cells(line)) if len(_BAR.findall(line)) > 1 else None
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
        if heads := _heads(first, next(csv.reader([line], delimiter=mark), [])):
            rest = ((n, one) for n, one in numbered_lines(text, deadline) if n > first and one.strip(f"{mark} \t"))
            return heads, ((n, next(csv.reader([one], delimiter=mark), [])) for n, one in rest)
    return None


def _aligned(text: str, first: int, line: str, deadline: Deadline) -> tuple[Heads, Iterator[Line]] | None:
    """Columns of a fixed width, two spaces or more between their names."""
    names = [m.span() for m in re.finditer(r"\S+(?: \S+)*", line)]
    heads = _heads(first, [line[a:b] for a, b in names])
    if heads is None:
        return None
    rows = [(n, one) for n, one in numbered_lines(text, deadline) if n > first and not _RULE.fullmatch(f"{one} ")]
    rows = rows[:MAX_SLOTS]
    # A sentence below it goes through all columns, and parts none.
    parted = [one for _, one in rows if len(one) <= names[0][1] or re.search(r"\S\s{2,}\S", one)]
    where = dict(columns_of(line, parted, names))
    spans = [where.get(name) for name in names]
    in_columns = {*parted}
    return heads, (
        (n, [one[s[0] : s[1]].strip() if s else "" for s in spans] if one in in_columns else [one.strip()])
        for n, one in rows
    )

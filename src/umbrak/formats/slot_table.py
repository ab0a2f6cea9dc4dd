"""A table that somebody keeps of one machine's slots: a row a slot, under headings of their own.

As a spreadsheet saves it (CSV with commas, semicolons or tabs, XLSX), as notes have it (cells between bars), or in columns of a
fixed width. What a heading means is told by its words; what a row says of its slot is read as a label is.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import islice

from umbrak.core.memory.label import MAX_LABEL_LENGTH, decode_label
from umbrak.core.memory.module import Module
from umbrak.core.platform.survey import SlotFacts, SlotState, SurveyReading, Warning
from umbrak.formats.bounds import MAX_SLOTS, Deadline, check_size
from umbrak.formats.columns import columns_of
from umbrak.formats.documents import ReadLabel, kit_taken
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.json_text import load_json, objects
from umbrak.formats.placeholders import told
from umbrak.formats.slot_labels import MOST_AT_ONCE, SAYS_FAILED, named_by, read_slot, says_empty
from umbrak.formats.spreadsheet import MAX_COLUMNS, looks_like_xlsx, sheet_rows
from umbrak.formats.text import cleaned, decoded, numbered_lines

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
#: What of a row is read as a label, in the order that labels have.
_OF_LABEL = ("label", "size", "ranks", "organisation", "type", "form", "rate", "volts", "ecc")
_UNIT = re.compile(r"\b(gib|gb|mib|mb|kib|kb|bytes?)\b", re.I)
_UNITS = {"g": 1.0, "m": 1 / 1024, "k": 1 / (1 << 20), "b": 1 / (1 << 30)}
_PRESENT = re.compile(
    r"(?:yes|y|true|1|ok|okay|good|healthy|fine|populated|present|occupied|fitted|installed|in use|used|enabled|active|working|ja|x|✓|✔)\.?",
    re.I,
)
_ABSENT = re.compile(r"(?:no|n|false|0|absent|not present|unused|available|disabled and empty|nein)\.?", re.I)
#: What is looked at to find the headings: titles stand above them.
_FIRST = 15
_BAR = re.compile(r"[|│┃║]")
_RULE = re.compile(r"[\s|│┃║:+\-=─━═┼┌┬┐├┤└┴┘╔╦╗╠╬╣╚╩╝╪╞╡]+")
#: Figures in groups of three: no size has three decimals.
_THOUSANDS = re.compile(r"\d{1,3}(?:[.,'\s]\d{3})+")
#: "Size: 16 GB", where each cell says what it is.
_PAIR = re.compile(r"\s*(?P<name>[^\W\d][^:=]{0,30}?)\s*[:=]\s*(?P<value>.*)")
#: One row: its line's number, and its cells.
_Line = tuple[int, Sequence[str]]


@dataclass(frozen=True, slots=True)
class _Heads:
    """The headings of a table."""

    #: Line that they stand in.
    line: int
    #: Column -> what is meant by it; None = nothing that is read here.
    means: tuple[str | None, ...]
    names: tuple[str, ...]
    #: What size is in where a cell does not say [GiB]; None = to be found by the figures.
    unit: float | None = None


def looks_like_slot_table(text: str) -> bool:
    head = text if text.lstrip()[:1] in ("{", "[") else text[:40_000]
    return _found_in(head, Deadline()) is not None


def read_slot_table(data: bytes, deadline: Deadline, read_label: ReadLabel = decode_label) -> SurveyReading:
    """The slots of its rows.

    Raises
        InputError   no such table, one of several machines, too large, too slow
    """
    check_size(len(data))
    found = _in_workbook(data) if looks_like_xlsx(data) else _found_in(decoded(data), deadline)
    if found is None:
        said = "no table of slots: expected headings such as slot, size, type, speed, part number"
        besides = "; a table of machines is taken in with many at once" if looks_like_xlsx(data) else ""
        raise InputError("not-a-slot-table", [Fault(message=said + besides, where="line 1", line=1, column=1)])
    heads, rows = found
    warnings: list[Warning] = []
    if unused := [n for n, m in zip(heads.names, heads.means, strict=True) if m is None and n]:
        named = ", ".join(f"“{n[:40]}”" for n in unused[:8])
        warnings.append(Warning(f"line {heads.line}", f"not read: {named}{' and more' if len(unused) > 8 else ''}"))
    slots: list[SlotFacts] = []
    machines: set[str] = set()
    for number, cells in rows:
        deadline.check(f"line {number}")
        row = _Row(heads, number, cells, read_label)
        machines |= {row.words["machine"].casefold()} if "machine" in row.words else set()
        slots += row.slots()
        warnings += row.said
        if len(slots) > MAX_SLOTS:
            break
    if len(machines) > 1:
        many = f"rows of {len(machines)} machines: a table of machines is taken in with many at once, a machine’s own by itself"
        raise InputError(
            "not-a-slot-table", [Fault(message=many, where=f"line {heads.line}", line=heads.line, column=1)]
        )
    if not slots:
        raise InputError(
            "not-a-slot-table",
            [Fault(message="no row tells of a slot", where=f"line {heads.line}", line=heads.line, column=1)],
        )
    return SurveyReading("slot-table", slots=tuple(slots), warnings=tuple(warnings))


# -- headings and rows ------------------------------------------------------------------------------------


def _found_in(text: str, deadline: Deadline) -> tuple[_Heads, Iterator[_Line]] | None:
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


def _in_workbook(data: bytes) -> tuple[_Heads, Iterator[_Line]] | None:
    rows = list(sheet_rows(data))
    for at, (number, cells) in enumerate(rows[:_FIRST]):
        if heads := _heads(number, cells):
            return heads, iter(rows[at + 1 :])
    return None


def _heads(line: int, cells: Sequence[str]) -> _Heads | None:
    """The headings that a row's cells are; None where they are none, or tell nothing of slots."""
    names = tuple(" ".join(c.strip().strip("*_`").split()) for c in cells)
    means: list[str | None] = []
    unit: float | None = None
    for name in names:
        bare = re.sub(r"[(\[].*?[)\]]", " ", name.casefold())
        called = " ".join(re.sub(r"[^\w]|_", " ", bare).split())
        meaning = _MEANING.get(called) or _MEANING.get(re.sub(r"\s?(?:gib|gb|mib|mb|mts|mhz|v|bytes)$", "", called))
        if meaning == "size" and (told_unit := _UNIT.search(name.replace("_", " "))):
            unit = _UNITS[told_unit[1][0].lower()]
        means.append(meaning if meaning not in means else None)
    if names and not names[0] and "slot" not in means:
        means[0] = "slot"  # the names of rows often stand under none of their own
    known = {m for m in means if m}
    of_modules = known & {"size", "label", "type", "part"}
    if len(known) < 2 or "offer" in known or not of_modules or not ("slot" in known or {"size", "part"} <= known):
        return None
    # Of what else is in a row of words, most would be headings too.
    return _Heads(line, tuple(means), names, unit) if 2 * len(known) >= sum(map(bool, names)) else None


def _of_objects(text: str, deadline: Deadline) -> tuple[_Heads, Iterator[_Line]] | None:
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


def _paired(text: str, first: int, line: str, deadline: Deadline) -> tuple[_Heads, Iterator[_Line]] | None:
    """Rows whose cells each say what they are: "Slot: A1, Size: 16 GB, Type: DDR4"."""

    def pairs(of: str) -> list[tuple[str, str]]:
        found = [_PAIR.fullmatch(piece) for piece in re.split(r"[,;\t|]", of)]
        return [(m["name"], m["value"].strip()) for m in found if m] if all(found) else []

    begins = _heads(first, [name for name, _ in pairs(line)])
    if begins is None or "slot" not in begins.means:
        return None
    every = ((n, pairs(one)) for n, one in numbered_lines(text, deadline) if n >= first and len(one) < 1000)
    rows = list(islice(((n, row) for n, row in every if len(row) > 1), MAX_SLOTS))
    names = list(dict.fromkeys(name for _, row in rows for name, _ in row))[:MAX_COLUMNS]
    heads = _heads(first, names) or begins
    told_of = [(n, dict(row)) for n, row in rows]
    return heads, ((n, [row.get(name, "") for name in heads.names]) for n, row in told_of)


def _barred(text: str, first: int, line: str, deadline: Deadline) -> tuple[_Heads, Iterator[_Line]] | None:
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


def _separated(text: str, first: int, line: str, deadline: Deadline) -> tuple[_Heads, Iterator[_Line]] | None:
    """Values with a comma, semicolon or tab between (RFC 4180)."""
    for mark in "\t;,":
        if mark not in line:
            continue
        if heads := _heads(first, next(csv.reader([line], delimiter=mark), [])):
            rest = ((n, one) for n, one in numbered_lines(text, deadline) if n > first and one.strip(f"{mark} \t"))
            return heads, ((n, next(csv.reader([one], delimiter=mark), [])) for n, one in rest)
    return None


def _aligned(text: str, first: int, line: str, deadline: Deadline) -> tuple[_Heads, Iterator[_Line]] | None:
    """Columns of a fixed width, two spaces or more between their names."""
    names = [m.span() for m in re.finditer(r"\S+(?: \S+)*", line)]
    heads = _heads(first, [line[a:b] for a, b in names])
    if heads is None:
        return None
    rows = [(n, one) for n, one in numbered_lines(text, deadline) if n > first and not _RULE.fullmatch(f"{one} ")]
    rows = rows[:MAX_SLOTS]
    where = dict(columns_of(line, [one for _, one in rows], names))
    spans = [where.get(name) for name in names]
    return heads, ((n, [one[s[0] : s[1]].strip() if s else "" for s in spans]) for n, one in rows)


# -- a row ------------------------------------------------------------------------------------------------


class _Row:
    """What a row says of its slots."""

    def __init__(self, heads: _Heads, number: int, cells: Sequence[str], read_label: ReadLabel) -> None:
        self._heads, self._where, self._read = heads, f"line {number}", read_label
        pairs = zip(heads.means, (cleaned(c) for c in cells), strict=False)
        #: What each column says that says something.
        self.words = {m: c for m, c in pairs if m and c}
        self.said: list[Warning] = []
        #: Of how many modules its label is.
        self._kit = 1

    def slots(self) -> Iterator[SlotFacts]:
        """One for each that the row names; as many as it counts where it names none."""
        if not self.words.keys() - {"machine", "note", "count"}:
            return
        names: Sequence[str | None] = [self._named(n) for n in named_by(self.words.get("slot", ""))]
        facts = self._facts()
        if not names:
            if facts.module is None:
                return
            names = [None] * self._count(self._kit)
        else:
            if self._count() not in (1, len(names)):
                self._say(f"“{self.words['count']}” of one slot: taken as one module")
            if self._kit not in (1, len(names)):
                self._say(kit_taken(self._kit))
        for name in names:
            yield replace(facts, locator=name, bank=self.words.get("bank"))

    def _named(self, slot: str) -> str:
        """A slot's name, with its socket's where a column of its own tells that."""
        socket = self.words.get("socket", "")
        socket = f"CPU{socket}" if socket.isdigit() else socket
        return cleaned(slot if not socket or socket.casefold() in slot.casefold() else f"{socket} {slot}")

    def _count(self, else_: int = 1) -> int:
        words = self.words.get("count", "")
        return int(words) if re.fullmatch(r"[1-9]\d?", words) else else_

    def _facts(self) -> SlotFacts:
        of_module = {m: self.words[m] for m in _OF_LABEL if m in self.words and not _says_nothing(self.words[m])}
        none = [w for m, w in self.words.items() if m in ("label", "size", "state") and _is_empty(w, m)]
        of_module = {m: w for m, w in of_module.items() if not _is_empty(w, m)}
        named = {m: t for m in ("part", "serial", "maker") if (t := told(self.words.get(m, ""))) and not says_empty(t)}
        if none and (of_module.keys() & {"label", "size"} or named.keys() & {"part", "serial"}):
            self._say(f"“{none[0]}”, and a module beside it: what is in it stays unknown")
            return SlotFacts()
        if none or (not of_module and not named and any(map(says_empty, self._besides()))):
            return SlotFacts(state=SlotState.EMPTY)
        if not of_module and not named:
            if slot := self.words.get("slot"):
                self._say(f"nothing is said there: what is in {self._named(slot)[:60]} stays unknown")
            return SlotFacts()
        facts = self._module(" ".join(self._as_label(m, w) for m, w in of_module.items()), named)
        return self._by_state(facts, self.words.get("state", ""), self.words.get("note", ""))

    def _besides(self) -> list[str]:
        """What the row says but for its slot."""
        return [w for m, w in self.words.items() if m not in ("slot", "bank", "socket", "machine", "count")]

    def _as_label(self, meaning: str, words: str) -> str:
        """A cell as a label has it."""
        words = re.sub(r"[.,'\s]", "", words) if _THOUSANDS.fullmatch(words) else words
        bare = re.fullmatch(r"\d+(?:[.,]\d+)?", words)
        if meaning == "size" and bare:
            gib = _gib(float(words.replace(",", ".")), self._heads.unit)
            return f"{gib:g} GB"
        if meaning == "ranks" and bare:
            return f"{words}R"
        if meaning == "organisation" and bare:
            return f"x{words}"
        if meaning == "rate" and bare:
            return f"{words} MT/s"
        if meaning == "volts" and bare:
            return f"{words.replace(',', '.')} V"
        if meaning == "ecc" and (_PRESENT.fullmatch(words) or _ABSENT.fullmatch(words)):
            return "ECC" if _PRESENT.fullmatch(words) else "non-ECC"
        return words

    def _module(self, label: str, named: Mapping[str, str]) -> SlotFacts:
        label = label[:MAX_LABEL_LENGTH]
        found = read_slot(label, self._read, size_alone=True) if label else None
        if found is not None:
            for words in found.said:
                self._say(words)
            module, self._kit = found.module, min(found.count, MOST_AT_ONCE)
            if module is None:
                return SlotFacts(state=found.state)
        else:
            # A module is there, of which not all is told.
            module = self._read(label).module if label else Module()
            if module == Module() and not named.keys() & {"part", "serial"}:
                self._say(f"“{label[:60]}” tells no module: what is in it stays unknown")
                return SlotFacts()
        module = replace(
            module,
            maker=module.maker or named.get("maker"),
            part=module.part or named.get("part"),
            serial=module.serial or named.get("serial"),
        )
        return SlotFacts(state=found.state if found else SlotState.FILLED, module=module)

    def _by_state(self, facts: SlotFacts, state: str, note: str) -> SlotFacts:
        for words in (state, note):
            if SAYS_FAILED.search(words) and facts.state is SlotState.FILLED:
                self._say(f"“{words[:60]}”: taken as {SlotState.FAILED}")
                return replace(facts, state=SlotState.FAILED)
        unread = [w for w in (state, note) if w and not _says_nothing(w) and not _PRESENT.fullmatch(w)]
        for words in unread:
            self._say(f"not understood: “{words[:60]}”")
        return facts

    def _say(self, words: str) -> None:
        self.said.append(Warning(self._where, words))


def _is_empty(words: str, meaning: str) -> bool:
    """Whether a cell says that there is no module. A dash may say so, or that nothing is known."""
    if meaning == "size" and re.fullmatch(r"0+(?:[.,]0+)?(?: ?[GMK]i?B)?", words, re.I):
        return True
    return (says_empty(words) and not _says_nothing(words)) or (meaning == "state" and bool(_ABSENT.fullmatch(words)))


def _says_nothing(words: str) -> bool:
    return bool(re.fullmatch(r"[\s?.\-—–/]*|n/?a|unknown|tbd|not (?:specified|known|told)", words, re.I))


def _gib(figure: float, unit: float | None) -> float:
    """A module's size of a figure without a unit: no module has over 2 TiB, nor any of these under 64 MiB."""
    if unit is None:
        unit = _UNITS["g"] if figure < 64 or figure in _WHOLE_GIB else _UNITS["m"] if figure < 1 << 24 else _UNITS["b"]
    return figure * unit


#: Sizes over 64 that modules have in GiB; as MiB only what came before DDR2 had them.
_WHOLE_GIB = frozenset({64, 96, 128, 256, 512})

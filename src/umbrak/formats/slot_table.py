"""A table that somebody keeps of one machine's slots: a row a slot, under headings of their own.

As a spreadsheet saves it (CSV with commas, semicolons or tabs, XLSX), as notes have it (cells between bars), or in columns of a
fixed width. What a heading means is told by its words; what a row says of its slot is read as a label is.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from umbrak.core.memory.label import MAX_LABEL_LENGTH, decode_label
from umbrak.core.memory.module import Module
from umbrak.core.platform.survey import SlotFacts, SlotState, SurveyReading, Warning
from umbrak.formats.bounds import MAX_SLOTS, Deadline, check_size
from umbrak.formats.documents import ReadLabel, kit_taken
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.placeholders import told
from umbrak.formats.slot_headings import UNITS, Heads, meaning_of
from umbrak.formats.slot_names import MOST_AT_ONCE, is_slot_like, named_by, shape
from umbrak.formats.slot_rows import found_in, in_workbook
from umbrak.formats.slot_words import SAYS_FAILED, has_some_size, read_slot, says_empty, says_otherwise
from umbrak.formats.spreadsheet import looks_like_xlsx
from umbrak.formats.text import cleaned, decoded

#: What of a row is read as a label, in the order that labels have.
_OF_LABEL = ("label", "size", "ranks", "organisation", "type", "form", "rate", "volts", "ecc")
_SUM = re.compile(
    r"(?:grand )?(?:total|sum|in all|altogether|summe|gesamt|insgesamt|totale?|somme|suma)\b.{0,20}", re.I
)
_PRESENT = re.compile(
    r"(?:yes|y|true|1|ok|okay|good|healthy|fine|populated|present|occupied|fitted|installed|in use|used|enabled|active|working|ja|x|✓|✔)\.?",
    re.I,
)
_ABSENT = re.compile(r"(?:no|n|false|0|absent|not present|unused|available|disabled and empty|nein)\.?", re.I)
#: Figures in groups of three: no size has three decimals.
_THOUSANDS = re.compile(r"\d{1,3}(?:[.,'\s]\d{3})+")


def looks_like_slot_table(text: str) -> bool:
    head = text if text.lstrip()[:1] in ("{", "[") else text[:40_000]
    return found_in(head, Deadline()) is not None


def read_slot_table(data: bytes, deadline: Deadline, read_label: ReadLabel = decode_label) -> SurveyReading:
    """The slots of its rows.

    Raises
        InputError   no such table, one of several machines, too large, too slow
    """
    check_size(len(data))
    found = in_workbook(data) if looks_like_xlsx(data) else found_in(decoded(data), deadline)
    if found is None:
        said = "no table of slots: expected headings such as slot, size, type, speed, part number"
        besides = "; a table of machines is taken in with many at once" if looks_like_xlsx(data) else ""
        raise InputError("not-a-slot-table", [Fault(message=said + besides, where="line 1", line=1, column=1)])
    heads, rows = found
    warnings: list[Warning] = []
    if unused := [n for n, m in zip(heads.names, heads.means, strict=True) if m is None and n]:
        named = ", ".join(f"“{n[:40]}”" for n in unused[:8])
        warnings.append(Warning(f"line {heads.line}", f"not read: {named}{' and more' if len(unused) > 8 else ''}"))
    told_on: list[tuple[_Row, list[SlotFacts]]] = []
    machines: set[str] = set()
    for number, cells in rows:
        deadline.check(f"line {number}")
        if begins := _headings(heads, cells):
            if begins == {m for m in heads.means if m}:
                continue  # the same once more, as on another page
            warnings.append(Warning(f"line {number}", "another table begins; left out from here"))
            break
        row = _Row(heads, number, cells, read_label)
        machines |= {row.words["machine"].casefold()} if "machine" in row.words else set()
        told_on.append((row, list(row.slots())))
        if len(told_on) > MAX_SLOTS:
            break
    shapes = {shape(f.locator) for _, its in told_on for f in its if f.locator and f.state is not SlotState.UNKNOWN}
    slots: list[SlotFacts] = []
    for row, its in told_on:
        # Of which nothing is told is a slot where it is called like the others.
        strange = [f for f in its if f.state is SlotState.UNKNOWN and f.locator and shape(f.locator) not in shapes]
        if shapes and strange:
            warnings.append(Warning(row.where, f"“{row.words['slot'][:60]}” tells of no slot; left out"))
        else:
            slots += its
            warnings += row.said
    if len(machines) > 1:
        many = f"rows of {len(machines)} machines: a table of machines is taken in with many at once, a machine’s own by itself"
        raise InputError(
            "not-a-slot-table", [Fault(message=many, where=f"line {heads.line}", line=heads.line, column=1)]
        )
    if not slots or (any(row.odd for row, _ in told_on) and not any(s.module for s in slots)):
        none = "its sizes are of no memory module: a table of drives?" if slots else "no row tells of a slot"
        raise InputError(
            "not-a-slot-table", [Fault(message=none, where=f"line {heads.line}", line=heads.line, column=1)]
        )
    return SurveyReading("slot-table", slots=tuple(slots), warnings=tuple(warnings))


def _headings(heads: Heads, cells: Sequence[str]) -> set[str] | None:
    """What a row's cells name as columns, where they are headings: they have no figures, and none is a slot."""
    named = {m for c in cells if (m := meaning_of(c))}
    slot = next((c for m, c in zip(heads.means, cells, strict=False) if m == "slot"), "")
    are = len(named) > 1 and not re.search(r"\d", " ".join(cells)) and not is_slot_like(slot)
    return named if are else None


# -- a row ------------------------------------------------------------------------------------------------


class _Row:
    """What a row says of its slots."""

    def __init__(self, heads: Heads, number: int, cells: Sequence[str], read_label: ReadLabel) -> None:
        self._heads, self.where, self._read = heads, f"line {number}", read_label
        pairs = zip(heads.means, (cleaned(c) for c in cells), strict=False)
        #: What each column says that says something.
        self.words = {m: c for m, c in pairs if m and c}
        self.said: list[Warning] = []
        #: Whether what is there is no memory module.
        self.odd = False
        #: Of how many modules its label is.
        self._kit = 1

    def slots(self) -> Iterator[SlotFacts]:
        """One for each that the row names; as many as it counts where it names none."""
        if not self.words.keys() - {"machine", "note", "count"}:
            return
        if any(_SUM.fullmatch(self.words.get(m, "")) for m in ("slot", "bank", "socket")):
            self._say("a sum; left out")
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
        if not module.generation and not has_some_size(module):
            self.odd = True
            self._say(f"no module has {module.capacity_gib:g} GB: what is in it stays unknown")
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
            if says_otherwise(words):
                self._say(f"“{words[:60]}”: it may not be what is in it now: that stays unknown")
                return SlotFacts()
            if SAYS_FAILED.search(words) and facts.state is SlotState.FILLED:
                self._say(f"“{words[:60]}”: taken as {SlotState.FAILED}")
                return replace(facts, state=SlotState.FAILED)
        unread = [w for w in (state, note) if w and not _says_nothing(w) and not _PRESENT.fullmatch(w)]
        for words in unread:
            self._say(f"not understood: “{words[:60]}”")
        return facts

    def _say(self, words: str) -> None:
        self.said.append(Warning(self.where, words))


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
        unit = UNITS["g"] if figure < 64 or figure in _WHOLE_GIB else UNITS["m"] if figure < 1 << 24 else UNITS["b"]
    return figure * unit


#: Sizes over 64 that modules have in GiB; as MiB only what came before DDR2 had them.
_WHOLE_GIB = frozenset({64, 96, 128, 256, 512})

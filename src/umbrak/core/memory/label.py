"""Label text: what a module's label says, and what people type from it.

The formal label of each generation (JESD21-C 4.20 for DDR2, DDR3 and DDR4; JESD401-5 for DDR5) and
the words people use instead are rows of one table, `_PATTERNS`, tried in its order; a piece of the
text that one row has taken is left alone by the later ones. Nothing is guessed: two pieces that say
different things leave the member unknown and are reported, and what no row knows stays listed as
not understood.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

from umbrak.core.memory.module import (
    FIELD_NAMES,
    Buffering,
    Form,
    Generation,
    Module,
    amount,
    complete,
    contradictions,
)
from umbrak.core.memory.rates import DDR4_BINS, DDR5_BINS, RAILS_V, STANDARD_RATES_MTS, rate_named

#: Longest text taken as one label; a longer one is a document, not a label.
MAX_LABEL_LENGTH = 400


@dataclass(frozen=True, slots=True)
class Understood:
    """A piece of the text and the member it told: characters start to end (end not included)."""

    start: int
    end: int
    field: str
    value: Any


@dataclass(frozen=True, slots=True)
class LabelReading:
    """What a label's text came to."""

    text: str
    module: Module
    #: Members that the text did not say but that follow from what it said.
    derived: tuple[str, ...]
    #: Sentences: what in the text cannot all be true, or is no standard value.
    contradictions: tuple[str, ...]
    understood: tuple[Understood, ...]
    #: Pieces (start, end) that said nothing known.
    not_understood: tuple[tuple[int, int], ...]
    #: Modules in the kit, where the text names one ("2x8GB").
    kit: int | None = None


Said = Iterator[tuple[str, Any] | tuple[str, Any, str | int]]


def decode_label(text: str) -> LabelReading:
    """The module that a label's text describes, with every piece that was and was not understood.

    Parameters
        text : str   one label, in any spelling; only the first `MAX_LABEL_LENGTH` characters are read

    Returns
        LabelReading; a text that is no module gives an empty module and nothing understood

    Examples
        >>> decode_label("16GB 2Rx8 PC4-2400T-RE1-11").module.short()
        '16 GB 2Rx8 DDR4-2400 registered'
    """
    reader = _Reader(text[:MAX_LABEL_LENGTH])
    if other := _other_thing(reader.text):
        reader.complaints.append(f"“{other}”: this reads as something else than a memory module")
        return reader.result(text)
    for pattern, handle in _PATTERNS:
        for match in pattern.finditer(reader.text):
            reader.offer(match, handle)
    return reader.result(text)


def serial_in(text: str) -> str:
    """The serial number in what was typed or scanned into a field for one: of a code or label that names it, else the text itself."""
    return decode_label(text).module.serial or text.strip()


def part_in(text: str) -> str:
    """The part number in what was typed or scanned into a field for one, as `serial_in` has it."""
    return decode_label(text).module.part or text.strip()


#: Words of what has a capacity too and is no memory module: drives, graphics memory, sticks and cards for the pocket.
_OTHER = re.compile(
    r"(?<![A-Z0-9])(?:SSDs?|HDDs?|SSHD|NVMe|S?ATA(?:\s?(?:II+|[1-6]))?|eMMC|U?SAS|hard\s?(?:disk|drive)s?|solid[\s-]?state|M\.2|(?:micro|mini)?\s?SD(?:HC|XC)"
    r"|micro\s?SD|compact\s?flash|USB(?:\s?[23](?:\.\d)?)?|pen\s?drive|thumb\s?drive|flash\s?(?:drive|disk|card)|GDDR\d?X?|HBM\d?|VRAM"
    r"|graphics?\s?card|video\s?card|rpm|LTO-?\d?)(?![A-Z0-9])",
    re.I,
)
#: Words that only a memory module's label has.
_MEMORY = re.compile(
    r"(?<![A-Z])(?:DDR\s?-?[2-5]|PC\s?-?[2-5]L?\s?-|(?:SO|U|R|LR|FB)?[\s-]?DIMMs?(?![A-Z])|\dRx\d)", re.I
)


def _other_thing(text: str) -> str | None:
    """The word by which a text tells of something else than a memory module; None where it may be one."""
    found = _OTHER.search(text)
    return found[0] if found and not _MEMORY.search(text) else None


#: Dashes and spaces as typesetting has them; each stands for one plain one, so that places in the text stay.
_PLAIN = {**dict.fromkeys((*range(0x2010, 0x2016), 0x2212, 0xFE63, 0xFF0D), "-"), 0xA0: " ", 0x2007: " ", 0x202F: " "}


class _Reader:
    """One run over one text: who has taken which characters, and what was said."""

    def __init__(self, text: str) -> None:
        self.text = text.translate(_PLAIN)
        self.taken = [False] * len(text)
        self.said: dict[str, list[Understood]] = {}
        self.complaints: list[str] = []

    def offer(self, match: re.Match[str], handle: Callable[[_Reader, re.Match[str]], Said]) -> None:
        start, end = match.span()
        if any(self.taken[start:end]):
            return
        said = list(handle(self, match))
        if denied := _DENIED.search(self.text[:start]):
            # Whatever else is meant, it is not what the word alone would say.
            names = [n for n, *_ in said if n in _DENIABLE]
            if names:
                words = self.text[denied.start(1) : end]
                self.complaints.append(
                    f"“{words}” says what it is not; {_FIELD_WORDS.get(names[0], names[0])} left unknown"
                )
                self.taken[denied.start(1) : end] = [True] * (end - denied.start(1))
                return
        for name, value, *group in said:
            if name in _COUNTED and not value:
                self.complaints.append(
                    f"“{match[0].strip()}”: no module has that; {_FIELD_WORDS.get(name, name)} left unknown"
                )
                continue
            low, high = match.span(group[0]) if group else (start, end)
            self.said.setdefault(name, []).append(Understood(low, high, name, value))
            self.taken[low:high] = [True] * (high - low)
        if said and not any(len(s) > 2 for s in said):
            self.taken[start:end] = [True] * (end - start)

    def value(self, name: str) -> Any:
        """What the text has said so far of a member: None if nothing or two different things."""
        values = {u.value for u in self.said.get(name, ())}
        return values.pop() if len(values) == 1 else None

    def result(self, whole: str) -> LabelReading:
        known: dict[str, Any] = {}
        for name, pieces in self.said.items():
            values = sorted({p.value for p in pieces}, key=str)
            if name not in FIELD_NAMES:
                continue
            if name == "rails_v":
                known[name] = self._rails(pieces)
            elif name == "capacity_gib" and "kit_of" in self.said and not {"kit", "each"} & self.said.keys():
                self.complaints.append(
                    f"a kit of {self.value('kit_of')}: whether {_word(values[0])} GB is of each or of all it does not say; "
                    "write 2x8GB"
                )
            elif len(values) == 1:
                known[name] = values[0]
            elif name == "timing":
                known[name] = max(values, key=len)
            else:
                words = " and ".join(f"{_word(v)} (“{self._piece(pieces, v)}”)" for v in values)
                self.complaints.append(f"{_FIELD_WORDS.get(name, name)}: the text says {words}; left unknown")
        # A bandwidth with a type letter tells the generation, but not whether its label says PC3 or PC3L.
        if known.get("generation") is Generation.DDR3 and not known.get("rails_v") and "rails_untold" not in self.said:
            suffix = self.value("low_voltage") or ""
            known["rails_v"] = RAILS_V["DDR3" + suffix]
        module, derived = complete(Module(**known))
        letter = "low_voltage" if module.generation is Generation.DDR3 else None
        if "rails_v" in known and "rails_v" not in self.said and letter not in self.said:
            derived = tuple(n for n in FIELD_NAMES if n in {*derived, "rails_v"})
        wrong = tuple(c.message for c in contradictions(module))
        # The letter of low voltage tells the rails, and is underlined as what told them.
        told = [replace(u, field="rails_v", value=module.rails_v) if u.field == letter else u for u in self._all_said()]
        understood = sorted(told, key=lambda u: (u.start, u.end, u.field))
        return LabelReading(
            text=whole,
            module=module,
            derived=derived,
            contradictions=(*self.complaints, *wrong),
            understood=tuple(u for u in understood if u.field not in _NO_MEMBERS),
            not_understood=tuple(self._left_over()),
            kit=self.value("kit") or self.value("kit_of"),
        )

    def _all_said(self) -> Iterator[Understood]:
        return (u for pieces in self.said.values() for u in pieces)

    def _piece(self, pieces: list[Understood], value: Any) -> str:
        piece = next(p for p in pieces if p.value == value)
        return self.text[piece.start : piece.end]

    def _rails(self, pieces: list[Understood]) -> tuple[float, ...]:
        """Volts said in the text; a low-voltage letter vouches for its whole set (DDR3L: 1.35 and 1.5)."""
        volts = {v for p in pieces for v in p.value}
        suffix = self.value("low_voltage")
        if self.value("generation") is Generation.DDR3 and suffix:
            sure = set(RAILS_V["DDR3" + suffix])
            if not volts <= sure:
                self.complaints.append(
                    f"DDR3{suffix} runs at {' or '.join(amount(v) for v in sorted(sure))} V; "
                    f"the text also says {', '.join(amount(v) for v in sorted(volts - sure))} V"
                )
            volts = sure
        return tuple(sorted(volts))

    def _left_over(self) -> Iterator[tuple[int, int]]:
        for word in re.finditer(r"[^\s,;|/()\[\]]+", self.text):
            start = word.start()
            for end in range(word.start(), word.end() + 1):
                if end == word.end() or self.taken[end]:
                    if any(c.isalnum() for c in self.text[start:end]):
                        yield start, end
                    start = end + 1


_FIELD_WORDS = {
    "capacity_gib": "capacity", "rate_mts": "data rate", "package_ranks": "ranks", "device_width": "device width",
    "ecc": "ECC", "buffering": "buffering", "form": "form", "ecc_bits": "ECC bits", "die_gbit": "die density", "stack_height": "stack height",
    "low_voltage": "low voltage",
}  # fmt: skip


#: What pieces say that is no member of a module.
_NO_MEMBERS = ("noise", "low_voltage", "revision_of_spd", "rails_untold", "kit_of", "each")

#: A word that denies what follows it, in the languages of the shops that ship to us.
_NOT = r"(?:non?|not|un|without|w/o|ohne|nicht|keine?|sans|pas\s+de|senza|sin|zonder|geen|utan|uden|ikke|ej|bez|без|не)"
_DENIED = re.compile(rf"(?<![^\W_])({_NOT}[\s-]*)$", re.I)
#: Members of which there is always some.
_COUNTED = ("capacity_gib", "package_ranks", "die_gbit", "height_mm")
#: Members whose words may be denied.
_DENIABLE = ("ecc", "buffering", "form", "low_voltage")


def _word(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return amount(value) if isinstance(value, int | float) else str(value)


# -- letters of the formal labels -------------------------------------------------------------------

_U, _R, _L, _F = Buffering.UNBUFFERED, Buffering.REGISTERED, Buffering.LOAD_REDUCED, Buffering.FULLY_BUFFERED
#: Module type letter -> (form, buffering, ecc), by generation (label clauses named on top).
_TYPE_LETTERS: dict[str, dict[str, tuple[Form, Buffering, bool]]] = {
    "DDR2": {
        "E": (Form.DIMM, _U, True), "F": (Form.DIMM, _F, True), "P": (Form.DIMM, _R, True),
        "R": (Form.DIMM, _R, True), "S": (Form.SO_DIMM, _U, False), "U": (Form.DIMM, _U, False),
    },
    "DDR3": {
        "E": (Form.DIMM, _U, True), "L": (Form.DIMM, _L, True), "R": (Form.DIMM, _R, True),
        "S": (Form.SO_DIMM, _U, False), "T": (Form.SO_DIMM, _U, True), "U": (Form.DIMM, _U, False),
    },
    "DDR5": {
        "E": (Form.DIMM, _U, True), "R": (Form.DIMM, _R, True), "S": (Form.SO_DIMM, _U, False),
        "T": (Form.SO_DIMM, _U, True), "U": (Form.DIMM, _U, False),
    },
}  # fmt: skip
_TYPE_LETTERS["DDR4"] = _TYPE_LETTERS["DDR3"]


def _type_letter(generation: str, letter: str, group: int | str) -> Said:
    form, buffering, ecc = _TYPE_LETTERS[generation][letter]
    yield "form", form, group
    yield "buffering", buffering, group
    yield "ecc", ecc, group


def _formal(r: _Reader, m: re.Match[str]) -> Said:
    """PC3L-12800R-11-11-D3, PC4-2400T-RE1-11, PC5-4800B-RA0-1010-XT, PC2-5300F-555-11-E0, and shorter."""
    generation = Generation("DDR" + m["gen"])
    yield "generation", generation, "head"
    if m["low"]:
        yield "low_voltage", m["low"].upper(), "low"
    yield from _rate_and_letters(r, generation, m)


def _rate_and_letters(r: _Reader, generation: Generation, m: re.Match[str]) -> Said:
    number, letters, letter2 = int(m["rate"]), (m["letters"] or "").upper(), (m["type"] or "").upper()
    rate = rate_named(generation, number)
    if rate is None:
        r.complaints.append(f"{number} is no standard rate or bandwidth of {generation}; the rate is left unknown")
        return
    yield "rate_mts", rate, "rate"
    types = _TYPE_LETTERS[generation]
    by_rate = number == rate and generation in (Generation.DDR4, Generation.DDR5)
    bins = (DDR4_BINS[rate] if generation is Generation.DDR4 else DDR5_BINS) if by_rate else ()
    if letters in bins and letter2 in types:
        yield "timing", letters, "letters"
    elif letters in bins and letters in types and letters != "T":
        r.complaints.append(
            f"“{number}{letters}”: {letters} is a speed bin in this place and also stands for "
            f"{types[letters][1]}; write the kind out (RDIMM, UDIMM, LRDIMM)"
        )
    elif letters in bins:
        yield "timing", letters, "letters"
    elif letters in types and not letter2 and not (by_rate and m.string[m.start("letters") - 1] == " "):
        yield from _type_letter(generation, letters, "letters")
    if letter2 in types:
        yield from _type_letter(generation, letter2, "typed")
    # Behind a DDR2 or DDR3 type letter: CAS latency, then the SPD's revision and the raw card, which say nothing here.
    latency = m["tail"].split("-")[1] if m["tail"] else ""
    if latency.isdigit() and letters in types and not by_rate:
        yield "timing", latency, "tail"
    elif m["tail"]:
        yield "revision_of_spd", m["tail"], "tail"


_SUFFIX = (
    r"(?:(?:\s(?=[ELRSU](?![\w/:.+-])))?(?P<letters>[A-Z]{1,2}(?![A-Z])))?"  # speed bin, or module type ("10600 R")
    # Type, raw card and its revision: behind a dash, or behind a space where the speed bin stands before it ("2133P R").
    r"(?:(?:\s?-\s?|(?(letters)\s(?=[ELRSTU](?:[A-Z]{1,2}\d{1,2})?(?![\w/:.-]))|(?!)))(?P<typed>(?P<type>[A-Z])(?:[A-Z]{1,2}\d{0,2})?)(?![A-Z0-9]))?"
    r"(?P<tail>(?:-[0-9]{1,4}|-[A-Z]{1,2}\d?)*)(?![A-Z0-9])"
)


def _plain_rate(r: _Reader, m: re.Match[str]) -> Said:
    """A rate or bandwidth whose generation another piece of the text has told."""
    generation = r.value("generation")
    if generation is None and r.value("buffering") is Buffering.FULLY_BUFFERED:
        generation = Generation.DDR2
    if generation is None:
        number, letters = int(m["rate"]), (m["letters"] or "").upper()
        generation = _generation_by_bin(number, letters)
        if generation is None and number in _DDR3_BANDWIDTHS and letters in _TYPE_LETTERS["DDR3"]:
            generation = Generation.DDR3
            yield "rails_untold", True, "rate"
        if generation and "generation" not in r.said:
            yield "generation", generation, "rate"
    if generation is not None and rate_named(generation, int(m["rate"])) is not None:
        yield from _rate_and_letters(r, generation, m)


#: Bandwidths [MB/s] that labels write before a type letter ("12800U") in this generation alone: DDR2 has none so high, and
#: labels of DDR4 write the data rate there.
_DDR3_BANDWIDTHS = (10600, 10660, 12800, 14900)


def _generation_by_bin(rate: int, letters: str) -> Generation | None:
    """The one generation whose labels write these bin letters right behind this rate ("2400T", "4800B")."""
    if letters in DDR4_BINS.get(rate, ()) and letters not in ("R", "U", "L"):
        return Generation.DDR4
    if letters in DDR5_BINS and rate >= 3600 and rate in STANDARD_RATES_MTS["DDR5"]:
        return Generation.DDR5
    return None


def _ddr_name(r: _Reader, m: re.Match[str]) -> Said:
    generation = Generation("DDR" + m["gen"])
    yield "generation", generation, "head"
    if m["low"]:
        yield "low_voltage", m["low"].upper(), "low"


def _without_rules(r: _Reader, m: re.Match[str]) -> Said:
    """Memory before DDR2, or soldered and compressed kinds: what its figures would be read as is no other generation's."""
    r.complaints.append(
        f"“{m[0].strip()}” is memory that Umbrak has no rules of (it has them of DDR2 to DDR5 modules); its generation is left unknown"
    )
    yield from ()


def _old_bandwidth(r: _Reader, m: re.Match[str]) -> Said:
    """PC3200: DDR-400 by itself, and 3200 MB/s or MT/s beside the name of a later generation."""
    generation = r.value("generation")
    if generation and rate_named(generation, int(m["rate"])) is not None:
        yield "noise", True, "head"
        yield from _rate_and_letters(r, generation, m)
    else:
        yield from _without_rules(r, m)


def _rate_with_unit(r: _Reader, m: re.Match[str]) -> Said:
    number, generation = int(re.sub(r"[.,]", "", m[1])), r.value("generation")
    tables = [STANDARD_RATES_MTS[generation]] if generation else list(STANDARD_RATES_MTS.values())
    if any(number in t for t in tables):
        yield "rate_mts", number
    else:
        r.complaints.append(
            f"{number} MT/s is no standard rate{' of ' + generation if generation else ''}; left unknown"
        )


def _ranks(r: _Reader, m: re.Match[str]) -> Said:
    yield "package_ranks", int(m[1])
    # S and a figure: dies stacked behind one load. D and Q: packages of two or four dies, each a rank of its own.
    yield "stack_height", int(m[3]) if (m[2] or "").upper() == "S" and m[3] else 1
    yield "device_width", int(m[4])


def _capacity(r: _Reader, m: re.Match[str]) -> Said:
    size = float(m[1].replace(",", "."))
    unit = m[2]
    if unit == "Gb":
        if "capacity_gib" in r.said:
            yield "die_gbit", size
        else:
            r.complaints.append(
                f"“{m[0]}” reads as gigabits; write {amount(size)}GB for the module or {amount(size)}Gbit for its dies"
            )
        return
    gib = size * {"M": 1 / 1024, "М": 1 / 1024, "T": 1024, "Т": 1024}.get(unit[0].upper(), 1)
    if r.value("kit") and r.value("capacity_gib") and gib == r.value("kit") * r.value("capacity_gib"):
        yield "noise", gib  # the kit's total beside its "2x8GB"
    else:
        yield "capacity_gib", int(gib) if gib == int(gib) else gib


def _kit(r: _Reader, m: re.Match[str]) -> Said:
    count, size = int(m["count"]), float(m["size"])
    if count < 2:
        return
    gib = size / 1024 if m["unit"].upper().startswith("M") else size
    yield "kit", count
    yield "capacity_gib", int(gib) if gib == int(gib) else gib


def _volts(r: _Reader, m: re.Match[str]) -> Said:
    yield "rails_v", (round(float(m[1].replace(",", ".")), 3),)


def _pins(r: _Reader, m: re.Match[str]) -> Said:
    yield "form", {"288": Form.DIMM, "240": Form.DIMM}.get(m[1], Form.SO_DIMM)


def _word_says(*said: tuple[str, Any]) -> Callable[[_Reader, re.Match[str]], Said]:
    return lambda _reader, _match: iter(said)


def _field_group(name: str, convert: Callable[[str], Any] = str) -> Callable[[_Reader, re.Match[str]], Said]:
    return lambda _reader, match: iter(((name, convert(match[1])),))


def _number(text: str) -> float:
    value = float(text.replace(",", "."))
    return int(value) if value == int(value) else value


#: What stands between the fields of a scanned code: the characters themselves, or what a scanner types for them.
_SEPARATOR = r"(?:[\x1d\x1e|␝␞]|<[GR]S>|\{[GR]S\}|\^[\]^])"
#: Data identifiers (ANSI MH10.8.2): part numbers of the customer, supplier and maker; serial numbers.
_IDENTIFIED = {"P": "part", "1P": "part", "30P": "part", "S": "serial", "1S": "serial"}


def _identified(r: _Reader, m: re.Match[str]) -> Said:
    """A field of a code in the syntax of ISO/IEC 15434, format 06, as labels have it beside their bars."""
    if not r.text.lstrip().startswith("[)>"):
        return
    name = _IDENTIFIED.get(m["di"])
    yield (name, m["value"].strip()) if name and m["value"].strip() else ("noise", True)


#: What modules of DDR, the first generation, are called by; no later one is "PC3" and "200".
_OLD_BANDWIDTHS, _OLD_RATES = "1600|2100|2700|3200", "200|266|333|400"
_NOT_OLD = rf"(?!PC\s?-?(?:{_OLD_BANDWIDTHS})(?!\d)|DDR\s?-?(?:{_OLD_RATES})(?!\d))"
_WORD_RANKS = {"single": 1, "dual": 2, "double": 2, "quad": 4, "octal": 8}
_NO, _DIMM = ("ecc", False), ("form", Form.DIMM)

#: (pattern, what it says), in the order in which they may take a piece of the text.
_PATTERNS: tuple[tuple[re.Pattern[str], Callable[[_Reader, re.Match[str]], Said]], ...] = tuple(
    (re.compile(pattern, flags), handle)
    for pattern, handle, flags in (
        (rf"^\s*\[\)>{_SEPARATOR}?0[56](?={_SEPARATOR})", _word_says(("noise", True)), 0),
        (rf"{_SEPARATOR}(?P<di>[0-9]{{0,2}}[A-Z])(?P<value>(?:(?!{_SEPARATOR})[^\x04])*)", _identified, 0),
        (rf"{_SEPARATOR}|\x04|<EOT>|␄", _word_says(("noise", True)), 0),
        (r"(?<![A-Z0-9])(?:P/?N|part(?:\s?(?:no|number))?)(?:\s?[:.#]\s?|(?<!part)\s)([\w./+-]+)", _field_group("part"), re.I),
        (r"(?<![A-Z0-9])(?:S/?N|serial(?:\s?(?:no|number))?)(?:\s?[:.#]\s?|(?<!serial)\s)([\w./+-]+)", _field_group("serial"), re.I),
        (rf"(?<![A-Z0-9])(?:LP-?DDR\s?-?\d?X?|DDR-?[16]|SDR|RIMM|RDRAM|PC\s?-?(?:66|100|133))(?![A-Z0-9])|(?<![A-Z0-9])DDR\s?-?(?:{_OLD_RATES})(?!\d)", _without_rules, re.I),
        (rf"(?:(?<![A-Z0-9])|(?<=x[48])){_NOT_OLD}(?P<head>PC\s?-?(?P<gen>[2345]))(?P<low>[LU](?![A-Z]))?\s?-?\s?(?P<rate>\d{{3,5}})" + _SUFFIX, _formal, re.I),
        (r"(?<![A-Z0-9])(?P<head>PC(?P<gen>[2345]))(?P<low>[LU])?(?![A-Z0-9])", _ddr_name, re.I),
        (rf"(?<![A-Z0-9]){_NOT_OLD}(?P<head>DDR\s?-?(?P<gen>[2345]))\s?-?(?P<low>[LU](?![A-Z]))?(?=[^A-Z]|[RSU]|$)", _ddr_name, re.I),
        (rf"(?<![A-Z0-9])(?P<head>PC\s?-?)(?P<rate>{_OLD_BANDWIDTHS})(?!\d)" + _SUFFIX, _old_bandwidth, re.I),
        (r"(?:(?<![A-Z0-9.])|(?<=GB))(\d)([SDQM])?(\d)?\s?R(?:anks?)?\s?[x×*]\s?(4|8|16)(?![0-9])", _ranks, re.I),
        (r"(?<![A-Z0-9.])(?P<count>\d)\s?[x×*]\s?(?P<size>\d{1,5})\s?(?P<unit>G(?:i?B)?|M(?:i?B)?)(?![A-Z])", _kit, re.I),
        (r"(?<![A-Z0-9.])(?P<size>\d{1,5})\s?(?P<unit>GB|MB)\s?[x×*]\s?(?P<count>[2356])(?![0-9])", _kit, re.I),
        (r"(?<![A-Z0-9.])(\d{1,3}(?:[.,]5)?)\s?-?G(?:bit|b/s)(?![A-Z])", _field_group("die_gbit", _number), re.I),
        (r"(?<![A-Za-z0-9.])(\d{1,5}(?:[.,]\d{1,2})?)\s?-?(GiB|GB|gb|gB|Gigabytes?|gigabytes?|G[Bb]ytes?|Gigs?|gigs?|GIG|Gio|Go|GO|go|G|g|MiB|MB|mb|Mb|M[Bb]ytes?|Mio|Mo|MO|M|TiB|TB|Tio|To|ГиБ|ГБ|МиБ|МБ|ТБ)(?![A-Za-zА-я/])", _capacity, 0),
        (r"(?<![A-Za-z0-9.])(\d{1,3}(?:[.,]5)?)\s?(Gb)(?![A-Za-z0-9/])", _capacity, 0),
        (r"(?<![\d.])(1[.,]\d{1,3})\s?V(?:olts?)?(?![A-Z])", _volts, re.I),
        (r"(?<!\d)(?<!\d[.,])(\d{3,5}|\d[.,]\d{3})\s?(?:MT/?s?|MHz)(?![A-Z])", _rate_with_unit, re.I),
        (r"(?<!\d)(200|204|240|260|262|288)\s?-?\s?pins?(?![A-Z])", _pins, re.I),
        (r"(?<!\d)(\d{2}(?:[.,]\d{1,2})?)\s?mm(?![A-Z])", _field_group("height_mm", _number), re.I),
        (r"on[\s-]?die[\s-]ECC", _word_says(("noise", True)), re.I),  # the dies' own correction is none of the module's
        (rf"(?<![^\W_]){_NOT}[\s-]*ECC(?![A-Z0-9])|(?<![A-Z])ECC\s?[:=]?\s?(?:no(?:ne)?|nein|non|false)(?![A-Z-])", _word_says(_NO), re.I),
        (rf"(?<![^\W_])(?:{_NOT}[\s-]*|un-?)(?:register(?:ed)?|reg\.?|buff?(?:er(?:ed)?)?\.?)(?![A-Z])", _word_says(("buffering", _U)), re.I),
        (r"(?<![A-Z])EC(4|8)(?![0-9])", _field_group("ecc_bits", int), re.I),
        (r"(?<![A-Z])(?:LR[\s-]?DIMMs?|load[\s-]?reduced(?:\s?DIMM)?)(?![A-Z])", _word_says(_DIMM, ("buffering", _L)), re.I),
        (r"(?<![A-Z])(?:FB[\s-]?DIMMs?|FBD|fully?[\s-]?buffered(?:\s?DIMM)?)(?![A-Z])", _word_says(_DIMM, ("buffering", _F)), re.I),
        (r"(?<![A-Z])SO[\s-]?U?[\s-]?DIMMs?(?![A-Z])", _word_says(("form", Form.SO_DIMM)), re.I),
        (r"(?<![A-Z])R[\s-]?DIMMs?(?![A-Z])", _word_says(_DIMM, ("buffering", _R)), re.I),
        (r"(?<![A-Z])E[\s-]?(?:CC[\s-]?)?U[\s-]?DIMMs?(?![A-Z])", _word_says(_DIMM, ("buffering", _U), ("ecc", True)), re.I),
        (r"(?<![A-Z])U[\s-]?DIMMs?(?![A-Z])", _word_says(_DIMM, ("buffering", _U)), re.I),
        (r"(?<![A-Z])(?:registered|reg(?:\.|'d)?|RECC)(?![A-Z])", _word_says(("buffering", _R)), re.I),
        (r"(?<![A-Z])un-?buff?(?:ered)?\.?(?![A-Z])", _word_says(("buffering", _U)), re.I),
        (r"(?<![A-Z])ECC(?![A-Z0-9])", _word_says(("ecc", True)), re.I),
        (r"(?<![A-Z])DIMMs?(?![A-Z])", _word_says(_DIMM), re.I),
        (r"(?<![A-Z0-9])(?:LP)?CAMM2?(?![A-Z0-9])", _word_says(("form", Form.OTHER)), re.I),
        (r"(?<![A-Z])(single|dual|double|quad|octal)[\s-]?ranks?(?:ed)?(?![A-Z])",
         _field_group("package_ranks", lambda w: _WORD_RANKS[w.lower()]), re.I),
        (r"(?<![A-Z0-9.])(\d)\s?-?(?:R|ranks?)(?![A-Z0-9])", _field_group("package_ranks", int), re.I),
        (r"(?<![A-Z0-9])x(4|8|16)(?![A-Z0-9])", _field_group("device_width", int), re.I),
        (r"(?<![A-Z])ultra[\s-]?low[\s-]?voltage(?![A-Z])", _word_says(("low_voltage", "U")), re.I),
        (r"(?<![A-Z])low[\s-]?voltage(?![A-Z])", _word_says(("low_voltage", "L")), re.I),
        (r"(?<![A-Z])kit\s?of\s?([2-8])(?![0-9])", _field_group("kit_of", int), re.I),
        (r"(?<![A-Z])(?:each|a\s?piece|pro\s?St(?:ü|ue)ck|je(?=\s?\d))(?![A-Z])", _word_says(("each", True)), re.I),
        (r"(?<![A-Z])(CL\s?-?\d{1,2})(?![0-9])", _field_group("timing", lambda t: re.sub(r"[\s-]", "", t.upper())), re.I),
        (r"(?<![\w.-])(\d{1,2}-\d{1,2}-\d{1,2}(?:-\d{1,2})?)(?![\w-])", _field_group("timing"), 0),
        (r"(?<![A-Z0-9.])(?:-\s?)?(?P<rate>\d{3,5})" + _SUFFIX, _plain_rate, re.I),
        (r"(?<![A-Z])(?:RAM|SDRAM|memory|modules?|server|desktop|laptop|notebook|kit|of|@|CAS|[23]DS|VLP)(?![A-Z])",
         _word_says(("noise", True)), re.I),
    )
)  # fmt: skip

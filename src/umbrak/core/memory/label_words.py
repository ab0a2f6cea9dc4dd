"""What pieces of a label's text say: the formal labels of each generation, and the words that people use instead.

One table, `PATTERNS`, tried in its order; a piece that one row has taken is left alone by the later ones.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from umbrak.core.memory.label_reader import NOT, Reader, Said
from umbrak.core.memory.module import Buffering, Form, Generation, amount
from umbrak.core.memory.rates import DDR4_BINS, DDR5_BINS, STANDARD_RATES_MTS, rate_named

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


def _formal(r: Reader, m: re.Match[str]) -> Said:
    """PC3L-12800R-11-11-D3, PC4-2400T-RE1-11, PC5-4800B-RA0-1010-XT, PC2-5300F-555-11-E0, and shorter."""
    generation = Generation("DDR" + m["gen"])
    yield "generation", generation, "head"
    if m["low"]:
        yield "low_voltage", m["low"].upper(), "low"
    elif generation is Generation.DDR3:
        yield "without_low_voltage", True, "head"
    yield from _rate_and_letters(r, generation, m)


def _rate_and_letters(r: Reader, generation: Generation, m: re.Match[str]) -> Said:
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


def _plain_rate(r: Reader, m: re.Match[str]) -> Said:
    """A rate or bandwidth whose generation another piece of the text has told."""
    generation = r.value("generation")
    if generation is None and r.value("buffering") is Buffering.FULLY_BUFFERED:
        generation = Generation.DDR2
    if generation is None:
        number, letters = int(m["rate"]), (m["letters"] or "").upper()
        generation = _generation_by_bin(number, letters)
        if generation is None and number in _DDR3_BANDWIDTHS and letters in _TYPE_LETTERS["DDR3"]:
            generation = Generation.DDR3
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


def _ddr_name(r: Reader, m: re.Match[str]) -> Said:
    generation = Generation("DDR" + m["gen"])
    yield "generation", generation, "head"
    if m["low"]:
        yield "low_voltage", m["low"].upper(), "low"


def _without_rules(r: Reader, m: re.Match[str]) -> Said:
    """Memory before DDR2, or soldered and compressed kinds: what its figures would be read as is no other generation's."""
    r.complaints.append(
        f"“{m[0].strip()}” is memory that Umbrak has no rules of (it has them of DDR2 to DDR5 modules); its generation is left unknown"
    )
    yield from ()


def _kind_without_rules(r: Reader, m: re.Match[str]) -> Said:
    """Multiplexed ranks, a clock driver of its own: DDR5 modules that are neither registered nor plain unbuffered ones."""
    r.complaints.append(
        f"“{m[0].strip()}” is a kind of module that Umbrak has no rules of; its buffering is left unknown"
    )
    yield "without_rules", True


def _old_bandwidth(r: Reader, m: re.Match[str]) -> Said:
    """PC3200: DDR-400 by itself, and 3200 MB/s or MT/s beside the name of a later generation."""
    generation = r.value("generation")
    if generation and rate_named(generation, int(m["rate"])) is not None:
        yield "noise", True, "head"
        yield from _rate_and_letters(r, generation, m)
    else:
        yield from _without_rules(r, m)


def _rate_with_unit(r: Reader, m: re.Match[str]) -> Said:
    number, generation = int(re.sub(r"[.,]", "", m[1])), r.value("generation")
    tables = [STANDARD_RATES_MTS[generation]] if generation else list(STANDARD_RATES_MTS.values())
    if any(number in t for t in tables):
        yield "rate_mts", number
    else:
        r.complaints.append(
            f"{number} MT/s is no standard rate{' of ' + generation if generation else ''}; left unknown"
        )


#: Stacked dies without how many; nothing else may be said of them by a label that leaves the letter S out.
_STACKED = re.compile(r"(?<![A-Z0-9])(?:[23]DS|TSV)(?![A-Z0-9])", re.I)
#: Ranks that a module's chip selects can tell apart; a shop that says more counts the dies of stacks too.
_MOST_RANKS = 4


def _ranks(r: Reader, m: re.Match[str]) -> Said:
    ranks, letter = int(m[1]), (m[2] or "").upper()
    yield "device_width", int(m[4])
    if not letter and ranks > _MOST_RANKS:
        yield "logical_ranks", ranks
    elif not letter and ranks > 1 and _STACKED.search(r.text):
        r.complaints.append(
            f"“{m[0].strip()}” of stacked dies: whether it counts them too it does not say; ranks left unknown"
        )
    else:
        yield "package_ranks", ranks
        # S and a figure: dies stacked behind one load. D and Q: packages of two or four dies, each a rank of its own.
        if letter == "S" and m[3]:
            yield "stack_height", int(m[3])
        elif not _STACKED.search(r.text):
            yield "stack_height", 1


def _capacity(r: Reader, m: re.Match[str]) -> Said:
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


def _kit(r: Reader, m: re.Match[str]) -> Said:
    count, size = int(m["count"]), float(m["size"])
    if count < 1:
        return
    gib = size / 1024 if m["unit"].upper().startswith("M") else size
    yield ("kit", count) if count > 1 else ("each", True)  # "kit (1x16GB)" is one
    yield "capacity_gib", int(gib) if gib == int(gib) else gib


def _volts(r: Reader, m: re.Match[str]) -> Said:
    yield "rails_v", (round(float(m[1].replace(",", ".")), 3),)


def _pins(r: Reader, m: re.Match[str]) -> Said:
    yield "form", {"288": Form.DIMM, "240": Form.DIMM}.get(m[1], Form.SO_DIMM)


def _word_says(*said: tuple[str, Any]) -> Callable[[Reader, re.Match[str]], Said]:
    return lambda _reader, _match: iter(said)


def _field_group(name: str, convert: Callable[[str], Any] = str) -> Callable[[Reader, re.Match[str]], Said]:
    return lambda _reader, match: iter(((name, convert(match[1])),))


def _number(text: str) -> float:
    value = float(text.replace(",", "."))
    return int(value) if value == int(value) else value


#: What stands between the fields of a scanned code: the characters themselves, or what a scanner types for them.
_SEPARATOR = r"(?:[\x1d\x1e|␝␞]|<[GR]S>|\{[GR]S\}|\^[\]^])"
#: Data identifiers (ANSI MH10.8.2): part numbers of the customer, supplier and maker; serial numbers.
_IDENTIFIED = {"P": "part", "1P": "part", "30P": "part", "S": "serial", "1S": "serial"}


def _identified(r: Reader, m: re.Match[str]) -> Said:
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
PATTERNS: tuple[tuple[re.Pattern[str], Callable[[Reader, re.Match[str]], Said]], ...] = tuple(
    (re.compile(pattern, flags), handle)
    for pattern, handle, flags in (
        (rf"^\s*\[\)>{_SEPARATOR}?0[56](?={_SEPARATOR})", _word_says(("noise", True)), 0),
        (rf"{_SEPARATOR}(?P<di>[0-9]{{0,2}}[A-Z])(?P<value>(?:(?!{_SEPARATOR})[^\x04])*)", _identified, 0),
        (rf"{_SEPARATOR}|\x04|<EOT>|␄", _word_says(("noise", True)), 0),
        (r"(?<![A-Z0-9])(?:P/?N|part(?:\s?(?:no|number))?)(?:\s?[:.#]\s?|(?<!part)\s|\s(?=[\w./+-]*[A-Z])(?=[\w./+-]*\d))([\w./+-]+)", _field_group("part"), re.I),
        (r"(?<![A-Z0-9])(?:S/?N|serial(?:\s?(?:no|number))?)(?:\s?[:.#]\s?|(?<!serial)\s)([\w./+-]+)", _field_group("serial"), re.I),
        (rf"(?<![A-Z0-9])(?:LP-?DDR\s?-?\d?X?|DDR-?[16]|SDR|RIMM|RDRAM|PC\s?-?(?:66|100|133))(?![A-Z0-9])|(?<![A-Z0-9])DDR\s?-?(?:{_OLD_RATES})(?!\d)", _without_rules, re.I),
        (rf"(?:(?<![A-Z0-9])|(?<=x[48])){_NOT_OLD}(?P<head>PC\s?-?(?P<gen>[2345]))(?P<low>[LU](?![A-Z]))?\s?-?\s?(?P<rate>\d{{3,5}})" + _SUFFIX, _formal, re.I),
        (r"(?<![A-Z0-9])(?P<head>PC(?P<gen>[2345]))(?P<low>[LU])?(?![A-Z0-9])", _ddr_name, re.I),
        (rf"(?<![A-Z0-9]){_NOT_OLD}(?P<head>DDR\s?-?(?P<gen>[2345]))\s?-?(?P<low>[LU](?![A-Z]))?(?=[^A-Z]|[RSU]|$)", _ddr_name, re.I),
        (rf"(?<![A-Z0-9])(?P<head>PC\s?-?)(?P<rate>{_OLD_BANDWIDTHS})(?!\d)" + _SUFFIX, _old_bandwidth, re.I),
        (r"(?:(?<![A-Z0-9.])|(?<=GB))(\d)([SDQM])?(\d)?\s?R(?:anks?)?\s?[x×*]\s?(4|8|16)(?![0-9])", _ranks, re.I),
        (r"(?<![A-Z0-9.])(?P<count>\d)\s?[x×*]\s?(?P<size>\d{1,5})\s?(?P<unit>G(?:i?B)?|M(?:i?B)?)(?![A-Z])", _kit, re.I),
        (r"(?<![A-Z0-9.])(?P<count>\d)\s?(?:pcs?\.?|pieces?)\s?(?:[x×*]|of)?\s?(?P<size>\d{1,5})\s?(?P<unit>GB|MB)(?![A-Z])", _kit, re.I),
        (r"(?<![A-Z0-9.])(?P<size>\d{1,5})\s?(?P<unit>GB|MB)\s?[x×*]\s?(?P<count>[2356])(?![0-9])", _kit, re.I),
        (r"(?<![A-Z0-9.])(\d{1,3}(?:[.,]5)?)\s?-?G(?:bit|b/s)(?![A-Z])", _field_group("die_gbit", _number), re.I),
        (r"(?<![A-Za-z0-9.])(\d{1,5}(?:[.,]\d{1,2})?)\s?-?(GiB|GB|gb|gB|Gigabytes?|gigabytes?|G[Bb]ytes?|Gigs?|gigs?|GIG|Gio|Go|GO|go|G|g|MiB|MB|mb|Mb|M[Bb]ytes?|Mio|Mo|MO|M|TiB|TB|Tio|To|ГиБ|ГБ|МиБ|МБ|ТБ)(?![A-Za-zА-я]|/(?!\s?\d))", _capacity, 0),
        (r"(?<![A-Za-z0-9.])(\d{1,3}(?:[.,]5)?)\s?(Gb)(?![A-Za-z0-9/])", _capacity, 0),
        (r"(?<![\d.])([12][.,]\d{1,3})\s?V(?:olts?)?(?![A-Z])", _volts, re.I),
        (r"(?<!\d)(?<!\d[.,])(\d{3,5}|\d[.,]\d{3})\s?(?:MT/?s?|MHz)(?![A-Z])", _rate_with_unit, re.I),
        (r"(?<!\d)(200|204|240|260|262|288)\s?-?\s?pins?(?![A-Z])", _pins, re.I),
        (r"(?<!\d)(\d{2}(?:[.,]\d{1,2})?)\s?mm(?![A-Z])", _field_group("height_mm", _number), re.I),
        (r"on[\s-]?die[\s-]ECC", _word_says(("noise", True)), re.I),  # the dies' own correction is none of the module's
        (rf"(?<![^\W_]){NOT}[\s-]*ECC(?![A-Z0-9])|(?<![A-Z])ECC\s?[:=]?\s?(?:no(?:ne)?|nein|non|false)(?![A-Z-])", _word_says(_NO), re.I),
        (rf"(?<![^\W_])(?:{NOT}[\s-]*|un-?)(?:register(?:ed)?|reg\.?|buff?(?:er(?:ed)?)?\.?)(?![A-Z])", _word_says(("buffering", _U)), re.I),
        (r"(?<![A-Z])(?:register(?:ed)?|reg\.?|buffered)\s?[:=]\s?(?:no|nein|non|false)(?![A-Z-])", _word_says(("buffering", _U)), re.I),
        (r"(?<![A-Z])EC(4|8)(?![0-9])", _field_group("ecc_bits", int), re.I),
        (r"(?<![A-Z])(?:MRD|MCRD|CUD|CSOD|CSO-D)IMMs?(?![A-Z])", _kind_without_rules, re.I),
        (r"(?<![A-Z])(?:LR[\s-]?DIMMs?|load[\s-]?reduced(?:\s?DIMM)?)(?![A-Z])", _word_says(_DIMM, ("buffering", _L)), re.I),
        (r"(?<![A-Z])(?:FB[\s-]?DIMMs?|FBD|fully?[\s-]?buffered(?:\s?DIMM)?)(?![A-Z])", _word_says(_DIMM, ("buffering", _F)), re.I),
        (r"(?<![A-Z])SO[\s-]?U?[\s-]?DIMMs?(?![A-Z])", _word_says(("form", Form.SO_DIMM)), re.I),
        (r"(?<![A-Z])R[\s-]?DIMMs?(?![A-Z])", _word_says(_DIMM, ("buffering", _R)), re.I),
        (r"(?<![A-Z])E[\s-]?(?:CC[\s-]?)?U[\s-]?DIMMs?(?![A-Z])", _word_says(_DIMM, ("buffering", _U), ("ecc", True)), re.I),
        (r"(?<![A-Z])U[\s-]?DIMMs?(?![A-Z])", _word_says(_DIMM, ("buffering", _U)), re.I),
        (r"(?<![A-Z])(?:registered|reg(?:\.|'d)?|RECC)(?![A-Z])", _word_says(("buffering", _R)), re.I),
        (r"(?<![A-Z])un-?buff?(?:ered)?\.?(?![A-Z])", _word_says(("buffering", _U)), re.I),
        (r"(?<![A-Z])ECC(?![A-Z0-9])", _word_says(("ecc", True)), re.I),
        # The width of the whole module: 64 bits of data, the others are of the code.
        (r"(?<![A-Z0-9])x(64|72|80)(?![A-Z0-9])", _field_group("ecc", lambda bits: bits != "64"), re.I),
        (r"(?<=\s)[x×]\s?([2356])(?![A-Z0-9])", _field_group("kit", int), re.I),
        (r"(?<![A-Z])DIMMs?(?![A-Z])", _word_says(_DIMM), re.I),
        (r"(?<![A-Z0-9])(?:LP)?CAMM2?(?![A-Z0-9])", _word_says(("form", Form.OTHER)), re.I),
        (r"(?<![A-Z])(single|dual|double|quad|octal)[\s-]?ranks?(?:ed)?(?![A-Z])",
         _field_group("package_ranks", lambda w: _WORD_RANKS[w.lower()]), re.I),
        (r"(?<![A-Z0-9.])(\d)\s?-?(?:R|ranks?)(?![A-Z0-9])", _field_group("package_ranks", int), re.I),
        (r"(?<![A-Z0-9])x(4|8|16)(?![A-Z0-9])", _field_group("device_width", int), re.I),
        (r"(?<![A-Z])ultra[\s-]?low[\s-]?voltage(?![A-Z])", _word_says(("low_voltage", "U")), re.I),
        (r"(?<![A-Z])low[\s-]?voltage(?![A-Z])", _word_says(("low_voltage", "L")), re.I),
        (r"(?<![A-Z])(?:kit|pack|set|bundle|lot|box)\s?of\s?([2-9]|[1-9]\d)(?![0-9])", _field_group("kit_of", int), re.I),
        (r"(?<![A-Z0-9.])([2-9])(?:[\s-]?pack|er[\s-]?(?:kit|set|pack))(?![A-Z])", _field_group("kit_of", int), re.I),
        (r"(?<![A-Z])(?:(?:matched\s)?pair|(?:twin|duo)[\s-]?pack)(?![A-Z])", _word_says(("kit_of", 2)), re.I),
        (r"(?<![A-Z-])(?<!no\s)(?:speicher|arbeitsspeicher)?kit(?![A-Z])", _word_says(("kit_untold", True)), re.I),
        (r"(?<![A-Z])(?:each|a\s?piece|pro\s?St(?:ü|ue)ck|je(?=\s?\d))(?![A-Z])", _word_says(("each", True)), re.I),
        (r"(?<![A-Z])(CL\s?-?\d{1,2})(?![0-9])", _field_group("timing", lambda t: re.sub(r"[\s-]", "", t.upper())), re.I),
        (r"(?<![\w.-])(\d{1,2}-\d{1,2}-\d{1,2}(?:-\d{1,2})?)(?![\w-])", _field_group("timing"), 0),
        (r"(?<![A-Z0-9.])(?:-\s?)?(?P<rate>\d{3,5})" + _SUFFIX, _plain_rate, re.I),
        (r"(?<![A-Z])(?:RAM|SDRAM|memory|modules?|server|desktop|laptop|notebook|of|@|CAS|[23]DS|VLP)(?![A-Z])",
         _word_says(("noise", True)), re.I),
    )
)  # fmt: skip

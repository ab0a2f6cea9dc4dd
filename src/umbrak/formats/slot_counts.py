"""How many there are, told in words: slots and those of them that are full, processors, modules of each."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from umbrak.core.platform.survey import SlotFacts, SlotState
from umbrak.formats.slot_names import MOST_AT_ONCE
from umbrak.formats.slot_words import MOST_SAID, SIZE

#: What a list puts before each of its lines.
LISTED = re.compile(r"^\s*(?:[-*•·+]|\d{1,3}[.)])\s+(?=\S)")
#: How many slots there are, and how many of them are full: "Memory slots: 8 total, 4 used", "4 of 8 slots used", "8 slots (4 free)".
_KIND = r"(?:(?:memory|dimm|ram)[ -]?)?(?:slots?|sockets)"
_ARE = (
    r"(?P<{}>\d{{1,3}})\s*(?:(?P<{}>used|in use|full|filled|populated|occupied|taken)|free|empty|open|unused|available)"
)
_COUNTED = tuple(
    re.compile(rf"(?:there are |it has |has )?{one}\.?", re.I)
    for one in (
        rf"{_KIND}(?: (?:in all|total|altogether))?\s*[:=]\s*(?P<slots>\d{{1,3}})(?:\s*(?:in all|total|altogether))?(?:[\s,;/(]+{_ARE.format('some', 'full')}\)?)?",
        rf"(?P<slots>\d{{1,3}})\s+{_KIND}(?: (?:in all|total|altogether))?(?:[\s,;/(]+{_ARE.format('some', 'full')}\)?)?",
        rf"(?P<some>\d{{1,3}})\s*(?:of|/|out of)\s*(?P<slots>\d{{1,3}})\s+{_KIND}\s+(?:are )?(?:(?P<full>used|in use|full|filled|populated|occupied|taken)|free|empty|open|unused|available)",
    )
)
#: How many processors, or sockets for them: "2 CPUs", "a dual-socket server with"; what stands behind it is another piece.
_PROCESSORS = re.compile(
    r"(?:.{0,40}\b(?:with|has|have|are|is an?|an?) )?(?:(?P<count>[1-8])[ x]*(?:cpus?|processors?)|(?P<word>single|dual|two|quad|four)[ -](?:cpus?|processors?|sockets?))"
    r"(?: (?:server|machine|board|system|workstation))?(?P<end>\s*[,;:+/]\s+|\s+(?:with|and)\s+|\s*\.?$)",
    re.I,
)
_WORDS = {"single": 1, "dual": 2, "two": 2, "quad": 4, "four": 4}
#: "4 DIMMs per CPU: 8GB PC3L-10600R".
_PER_PROCESSOR = re.compile(
    rf"(?P<before>.*?)(?:^|[,;]\s*)(?P<count>\d{{1,2}}) (?:dimms?|modules?|sticks?) (?:per|on each|for each|each) (?:cpu|processor|socket)\s*[:,=]?\s*(?:of )?(?P<label>{SIZE}.*)",
    re.I,
)

#: How much there is in all: "total: 64GB", "= 64GB total", "64 GB altogether".
_IN_ALL = r"(?:in total|total|in all|altogether|all together)"
TOTAL = rf"(?:=\s*)?(?:(?:{_IN_ALL}|sum)(?: (?:memory|ram|installed))?(?: is| of)?\s*[:=]?\s*(?:{SIZE})|(?:{SIZE})(?: (?:of )?(?:memory|ram))? {_IN_ALL})"
_TOTAL = re.compile(rf"[(\s]*{TOTAL}[)\s.]*", re.I)
_NUMBERS = {n: i for i, n in enumerate(("two", "three", "four", "five", "six", "seven", "eight"), 2)}
#: "2 sticks of 16GB", "two 8GB", "4 * 32 GB": how many, in words of their own.
_HOW_MANY = re.compile(
    rf"^\s*(?:(?:(?:i|we) (?:have|see|found)|there (?:are|is)|it has|has|with)\s+)?(?:(?P<count>[1-9]\d?)\s*(?:\*|of\b|(?:pcs|pieces|sticks|modules|dimms|st(?:ü|ue)ck|stk)\b\.?)|(?P<word>{'|'.join(_NUMBERS)})\b"
    r"(?:\s+(?:pcs|pieces|sticks|modules|dimms)\b)?)(?:\s+of)?\s*(?=\d{1,4}\s*(?:[MG]i?B|gigs?\b))",
    re.I,
)


@dataclass(frozen=True, slots=True)
class Counted:
    """How many slots are told to be there, and how many to be full; None = that is not told."""

    slots: int
    full: int | None


def counted_in(line: str) -> Counted | None:
    bare = LISTED.sub("", line).strip()
    if len(bare) > 120 or not (match := next((m for p in _COUNTED if (m := p.fullmatch(bare))), None)):
        return None
    slots, some = int(match["slots"]), match["some"]
    if not 0 < slots <= MOST_AT_ONCE or (some and int(some) > slots):
        return None
    return Counted(slots, None if some is None else int(some) if match["full"] else slots - int(some))


def rest_of(told: Sequence[SlotFacts], counted: Counted) -> tuple[list[SlotFacts], str]:
    """(slots that are told to be there beside those of which something is told, what is to be said of it). They are empty where
    as many modules are told as slots are told to be full."""
    missing = counted.slots - len(told)
    if missing < 0:
        return [], f"{counted.slots} slots are told there, and {len(told)} elsewhere"
    if any(s.locator for s in told):
        return [], f"{counted.slots} slots are told there, and {len(told)} of them elsewhere" if missing else ""
    filled = sum(1 for s in told if s.module)
    if counted.full is not None and counted.full != filled:
        return (
            [SlotFacts()] * missing,
            f"{counted.full} of {counted.slots} slots are told to be full there, and {filled} modules elsewhere",
        )
    state = SlotState.UNKNOWN if counted.full is None else SlotState.EMPTY
    # Where all hang on something, as many of the others hang on each.
    holders = list(dict.fromkeys(s.bank for s in told))
    each, left = divmod(missing, len(holders))
    if None in holders or left:
        return [SlotFacts(state=state)] * missing, ""
    return [SlotFacts(bank=h, state=state) for h in holders for _ in range(each)], ""


def processors_told(line: str) -> int | None:
    """How many processors a line tells, and nothing else; None where it tells something else."""
    told = _PROCESSORS.fullmatch(line.strip()) if len(line) < MOST_SAID else None
    return _number(told) if told else None


def _number(told: re.Match[str]) -> int:
    return int(told["count"]) if told["count"] else _WORDS[told["word"].lower()]


def of_processors(line: str) -> list[str]:
    """A line that begins with how many processors there are, as pieces: that, and the rest; [] where it does not."""
    if not (told := _PROCESSORS.match(line)) or not (rest := line[told.end() :].strip()):
        return []
    each = _PER_PROCESSOR.fullmatch(rest)
    if each:
        before = each["before"].strip(" ,;")
        rest_of = [*([before] if before else []), f"{int(each['count']) * _number(told)}x{each['label']}"]
    else:
        rest_of = [rest]
    return [line[: told.start("end")].strip(), *rest_of]


def with_count(label: str) -> str:
    """A label with how many modules it is of as labels have it: "2x16GB"."""
    counted = _HOW_MANY.sub(lambda m: f"{m['count'] or _NUMBERS[m['word'].lower()]}x", label)
    return re.sub(r"^(\d{1,2}x\d{1,4})\s*gigs?\b", r"\1GB", counted, flags=re.I)


def total_in(line: str) -> float | None:
    """How much a line says that there is in all [GiB]; None where it says something else."""
    if len(line) > MOST_SAID or not _TOTAL.fullmatch(LISTED.sub("", line).strip()):
        return None
    size = re.search(r"(\d{1,4})\s?([MG])i?B", line, re.I)
    return int(size[1]) / (1024 if size[2] in "Mm" else 1) if size else None

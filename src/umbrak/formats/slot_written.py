"""Lines about slots as people write them, put into the form in which they are read: names, a colon, and what is said of them."""

from __future__ import annotations

import re
from collections.abc import Iterable

from umbrak.formats.slot_names import SEVERAL, is_slot_like, named_by
from umbrak.formats.slot_words import SIZE, says_empty, says_otherwise

_HOLDER = r"(?:CPU|proc(?:essor)?|socket|node|board|riser)[ ._#-]?[A-Z0-9]{1,2}"
_NAME = r"(?:(?:SO-?)?DIMM|slot)?[ ._#-]?[A-Z]{0,2}\d{1,2}"
#: "[A1] 16GB", "A1) 16GB": a number alone before a bracket counts the lines of a list.
_BRACKETED = re.compile(r"[\[(<]?(?P<slot>[A-Z][A-Z0-9 ._#-]{0,20}\d)[\])>]\s*[:=-]?\s*(?P<label>\S.*)", re.I)
#: "CPU 1 - DIMM A1 - 16GB", "CPU1/A1 16GB".
_HELD = re.compile(
    rf"(?P<group>{_HOLDER})(?P<between>\s+[-–—>|]+\s+|/)(?P<slot>{_NAME})(?:\s+[-–—>|]+\s+|\s+)(?P<label>\S.*)", re.I
)
#: "DIMM A1 (white): 16GB": what a slot looks like is no part of its name.
_REMARKED = re.compile(r"(?P<slot>[^():=]{1,30}\d)\s*\([^()]{1,20}\)\s*(?P<rest>[:=].*)")
_WHERE = r"(?:top|bottom|upper|lower|left|right|front|rear|back|inner|outer|first|second|third|fourth)"
#: "top slot 8GB DDR4", "left: 8GB DDR4".
_PLACED = re.compile(
    rf"(?:the )?(?P<slot>{_WHERE}(?: (?:slot|dimm|bank|socket|one))?)\s*(?:[:=]\s*|\s-\s|\s(?:is |has |holds )?)(?P<label>\S.*)",
    re.I,
)
_ONE_PLACE = re.compile(_WHERE, re.I)
_NEXT_PLACE = re.compile(rf"\s*[,;]\s*(?:and )?(?=(?:the )?{_WHERE}\b)", re.I)
#: "A1/A2/B1 all 8GB DDR4", "A1, B1 and C1 each have 8GB DDR4".
_EACH = re.compile(
    rf"(?P<slots>{_NAME}(?:\s*(?:[,/&+]|\band\b)\s*{_NAME}){{1,31}})\s+(?:(?:all|each|both|with|have|has|hold|are)\s+)+(?P<label>\S.*)",
    re.I,
)
#: "all 8 slots filled with 32GB DDR4".
_ALL_WITH = re.compile(
    rf"(?:all )(?:of )?(?:the |its )?(?P<slots>\d{{1,2}}) (?:(?:memory|dimm|ram) )?(?:slots|sockets)\s*(?:are |is )?"
    rf"(?:(?:filled|full|used|populated|occupied|taken) )?(?:with|by|have|hold):? (?P<label>{SIZE}.{{0,80}}?)\.?",
    re.I,
)
#: "..., currently 8x16GB PC4-2133P in A1-A4 and B1-B4".
_SO_MANY_IN = re.compile(
    rf"(?P<before>.*?)(?:^|[,;:.]\s+|\s)(?:(?:currently|now|has|have|with) )?(?P<count>\d{{1,2}})\s*[x×]\s*(?P<label>{SIZE}[^,;:]{{0,60}}?)"
    rf"(?: each)? in (?:slots? )?(?P<slots>{_NAME}(?:\s*-\s*{_NAME})?(?:\s*(?:,|&|\band\b)\s*{_NAME}(?:\s*-\s*{_NAME})?){{0,31}})\.?",
    re.I,
)
#: A line of a list that is counted.
_NUMBERED = re.compile(r"\s*(?P<number>\d{1,2})\s*[.)]\s+(?P<said>\S.*)")


def written_plainly(line: str) -> list[str]:
    """Pieces that tell of slots of one kind each, in the form in which they are read; [] where the line has another form."""
    if places := [_PLACED.fullmatch(p) for p in _NEXT_PLACE.split(line)]:
        told = [
            f"{m['slot']}: {m['label']}"
            for m in places
            if m and re.search(rf"{SIZE}|empty|free|none", m["label"], re.I)
        ]
        if len(told) == len(places):
            return told
    if (m := _BRACKETED.fullmatch(line)) and is_slot_like(m["slot"]):
        return [f"{m['slot']}: {m['label']}"]
    if m := _HELD.fullmatch(line):
        return [f"{m['group']}{'/' if m['between'] == '/' else ' '}{m['slot']}: {m['label']}"]
    if (m := _REMARKED.fullmatch(line)) and is_slot_like(m["slot"]):
        return [m["slot"] + m["rest"]]
    if m := _ALL_WITH.fullmatch(line):
        return [f"{m['slots']} slots, {m['slots']} full", f"{m['slots']}x{m['label']}"]
    if m := _EACH.fullmatch(line):
        names = [n for n in re.split(r"\s*(?:[,/&+]|\band\b)\s*", m["slots"]) if n]
        if all(map(is_slot_like, names)) and re.search(SIZE, m["label"]):
            return [f"{', '.join(names)}: {m['label']}"]
    if (m := _SO_MANY_IN.fullmatch(line)) and len(named_by(m["slots"])) == int(m["count"]):
        if says_otherwise(m["before"]):
            return []  # what is to come, or was there
        before = m["before"].strip(" ,;:")
        of_each = re.sub(r"\s*\bkit\b", "", m["label"], flags=re.I)  # how many a kit has is told by the slots
        return [*([before] if before else []), f"{m['slots']}: {of_each}"]
    return []


def are_names(written: str) -> bool:
    """Whether what stands before a colon may be the name of a slot, or names of several: "16 slots, 4 modules each" are none."""
    names = [n for n in SEVERAL.split(written) if n]
    return len(names) < 2 or all(map(is_slot_like, named_by(written))) or all(map(_ONE_PLACE.fullmatch, names))


def with_numbers(lines: Iterable[tuple[int, str]]) -> list[tuple[int, str]]:
    """A list that is counted, and says of some that they are empty: its numbers are those of the slots."""
    listed = list(lines)
    found = [(n, m) for n, line in listed if (m := _NUMBERED.fullmatch(line))]
    numbers = [int(m["number"]) for _, m in found]
    if (
        len(found) < 2
        or numbers != [*range(numbers[0], numbers[0] + len(numbers))]
        or not any(says_empty(m["said"]) for _, m in found)
    ):
        return listed
    named = {n: f"slot {m['number']}: {m['said']}" for n, m in found}
    return [(n, named.get(n, line)) for n, line in listed]

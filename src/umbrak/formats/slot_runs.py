"""Names of slots and what is in them with nothing between that says so: one after another in a line, row over row, line below line."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from itertools import pairwise

from umbrak.formats.slot_names import GROUP, is_slot_like, named_by, of_group, shape
from umbrak.formats.slot_words import MOST_SAID, NONE, SIZE

#: Sizes that modules have, written without a unit [GB]; 0 is none.
_BARE = r"(?:0|[1248]|16|24|32|48|64|96|128|256|512)"
_HELD = rf"(?:\d{{1,4}}\s?[MG](?:i?B)?|{_BARE}|{NONE}|\?+|unknown|not (?:read|seen|known))"
_NAME = r"(?!PC\d|x\d)(?:(?:CPU|P)\d[ ._/-]?)?(?:(?:(?:SO-?)?DIMM|slot|bank)[ ._#-]?[A-Z]?\d{1,2}|[A-Z]{1,2}\d{1,2})"
_NAMES = (
    rf"{_NAME}(?:\s*(?:[,&+/–-]|\band\b|\bto\b)\s*{_NAME}|\s*(?:[,&+]|\band\b)\s*\d{{1,2}}(?![\d.]|\s?[MGx]))"
    r"{0,31}"
)
#: Names where a piece of a run may begin; a number alone is one before a colon.
_BEGINS = re.compile(
    rf"(?:(?<=[\s,;|/])|^)(?:(?P<slot>{_NAMES})(?=[\s:=(\[])(?:\s+(?:holds?|contains?|has|have|with|all|each|both|are|is)\b)*|"
    r"(?P<number>\d{1,2})(?=[:=]))[ \t]*[:=]?",
    re.I,
)
_BEFORE = re.compile(rf"\s*(?:(?P<group>{GROUP}|P\d)\s*[:=|-]\s*)?", re.I)
_SIZE_ALONE = re.compile(r"(\d{1,4})(?:\s?G)?", re.I)
#: A box before a line of a list, ticked or not.
_TICKED = re.compile(r"^\s*(?:[-*+]\s+)?(?:\[[xX✓✔]\]|[☑✅✔✓])\s*(?=\S)")
_UNTICKED = re.compile(r"^\s*(?:[-*+]\s+)?(?:\[\s?\]|[☐◻])\s*(?=\S)")
_SAYS_WHAT = re.compile(rf"{SIZE}|^(?:{NONE}|\?+|unknown)$", re.I)
#: What is put before a line with an open box: it is not what is there.
NOT_TICKED = "not ticked"
#: A line between the head of a table and its rows.
_RULE = re.compile(r"(?=.*[-=]{3})[\s|:+=-]+")
_MARKS = (r"[;\t]", r"\|", r"\s{2,}", r"\s+")
#: Lines that one slot has in a list that was a table, at most.
_MOST_OF_ONE = 8


def in_a_run(line: str) -> list[str]:
    """Pieces of a line of names with what is in each behind it; [] where it is not one.

    A number without a unit is taken for GB where all of the line are sizes that modules have.
    """
    group, pairs = _run(line)
    return [
        f"{', '.join(of_group(group, one) for one in named_by(names))}: {_with_unit(held)}" for names, held in pairs
    ]


def lacks_units(line: str) -> bool:
    """Whether a line has sizes in a run without saying of what."""
    return len(line) < MOST_SAID and any(held.isdigit() and held != "0" for _, held in _run(line)[1])


def _run(line: str) -> tuple[str, list[tuple[str, str]]]:
    """(what the slots hang on, or "", (names, what is in each) one after another)"""
    before = _BEFORE.match(line)
    start, group = (before.end(), before["group"] or "") if before else (0, "")
    names = list(_BEGINS.finditer(line, start))
    if not names or names[0].start() != start:
        return "", []
    ends = [*(m.start() for m in names[1:]), len(line)]
    held = [
        re.sub(r"^[(\[](.*)[)\]]$", r"\1", line[m.end() : e].strip(" \t,;|/")).strip()
        for m, e in zip(names, ends, strict=True)
    ]
    pairs = [(m["slot"] or m["number"], h) for m, h in zip(names, held, strict=True)]
    bare = [h for _, h in pairs if not re.search(SIZE, h, re.I)]
    numbered = any(m["number"] for m in names)
    if (
        not _are_alike([one for name, _ in pairs for one in named_by(name)])
        or not all(re.fullmatch(_HELD, h, re.I) if h in bare else len(re.findall(SIZE, h, re.I)) == 1 for _, h in pairs)
        or not any(re.match(r"\d", h) for _, h in pairs)
        or (numbered and any(h.isdigit() for h in bare))
    ):
        return "", []
    return group, pairs


def laid_out(lines: Iterable[tuple[int, str]]) -> list[tuple[int, str]]:
    """Lines with what the layout says put into words: ticks before them, names above what is in them."""
    return _below_names(_below_rows([(number, _without_tick(line)) for number, line in lines]))


def _without_tick(line: str) -> str:
    if ticked := _TICKED.match(line):
        return line[ticked.end() :]
    if unticked := _UNTICKED.match(line):
        rest = line[unticked.end() :]
        # Of a slot with an open box alone nobody knows whether it is empty or was not looked at.
        return rest if is_slot_like(rest) else f"{NOT_TICKED}: {rest}"
    return line


def _below_rows(lines: Sequence[tuple[int, str]]) -> list[tuple[int, str]]:
    """A row of names over one of what is in them, as lines of one slot each."""
    found: list[tuple[int, str]] = []
    left = list(lines)
    while left:
        number, line = left.pop(0)
        ruled = 1 if left and _RULE.fullmatch(left[0][1]) else 0
        if len(left) > ruled and (pairs := _paired(line, left[ruled][1])):
            number = left[ruled][0]
            found += [(number, f"{name}: {_with_unit(held) or '?'}") for name, held in pairs]
            del left[: ruled + 1]
        else:
            found.append((number, line))
    return found


def _paired(above: str, below: str) -> list[tuple[str, str]]:
    if len(above) >= MOST_SAID or len(below) >= MOST_SAID or not re.search(r"\d\s*\|?\s*$", above):
        return []
    ways = [_cells(above, mark) for mark in _MARKS] + [[m["slot"] for m in _BEGINS.finditer(f"{above} ") if m["slot"]]]
    its = [_cells(below, mark) for mark in _MARKS] + [re.findall(rf"(?<!\S){_HELD}(?!\S)", below, re.I)]
    for names, held in zip(ways, its, strict=True):
        if len(names) != len(held) or not _are_alike(names):
            continue
        told = all(not h or re.search(SIZE, h, re.I) or re.fullmatch(_HELD, h, re.I) for h in held)
        if told and any(re.match(SIZE, h, re.I) for h in held):
            return list(zip(names, held, strict=True))
    return []


def _cells(line: str, mark: str) -> list[str]:
    """Cells between marks, which may be empty; between spaces none is."""
    found = [c.strip() for c in re.split(mark, line.strip().removeprefix("|").removesuffix("|").strip())]
    return found if mark in _MARKS[:2] else list(filter(None, found))


def _below_names(lines: Sequence[tuple[int, str]]) -> list[tuple[int, str]]:
    """Names on lines of their own with what is in each below, as lines of one slot each, where all of them have that form."""
    heads = [i for i, (_, line) in enumerate(lines) if _is_name(line)]
    if len(heads) < 2 or not _are_alike([lines[i][1].strip() for i in heads]):
        return list(lines)
    ends = [*heads[1:], min(len(lines), heads[-1] + max(b - a for a, b in pairwise(heads)))]
    blocks = [[line.strip() for _, line in lines[a + 1 : b]] for a, b in zip(heads, ends, strict=True)]
    told_elsewhere = any(_BEGINS.match(f"{line} ") for block in blocks for line in block)
    if told_elsewhere or not all(0 < len(b) <= _MOST_OF_ONE and any(map(_SAYS_WHAT.search, b)) for b in blocks):
        return list(lines)
    told = [(lines[a][0], f"{lines[a][1].strip()}: {', '.join(b)}") for a, b in zip(heads, blocks, strict=True)]
    return [*lines[: heads[0]], *told, *lines[ends[-1] :]]


def _is_name(line: str) -> bool:
    bare = line.strip()
    return len(bare) < 30 and bool(re.search(r"[A-Z].*\d$", bare, re.I)) and is_slot_like(bare)


def _are_alike(names: Sequence[str]) -> bool:
    """Whether they may be slots of one machine: two or more, none twice, each named as the others are."""
    return (
        len(names) > 1
        and len({*names}) == len(names)
        and len({*map(shape, names)}) == 1
        and all(map(is_slot_like, names))
    )


def _with_unit(held: str) -> str:
    size = _SIZE_ALONE.fullmatch(held)
    return f"{size[1]}GB" if size else held

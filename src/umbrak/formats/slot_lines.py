"""A line about slots as people write it, taken apart: pieces that each tell of slots of one kind, their names first."""

from __future__ import annotations

import re
from itertools import pairwise, takewhile

from umbrak.formats.slot_counts import TOTAL, of_processors, total_in, with_count
from umbrak.formats.slot_names import GROUP, GROUPED, is_slot_like, named_by, of_group
from umbrak.formats.slot_runs import in_a_run
from umbrak.formats.slot_words import MOST_SAID, NONE, SIZE, says_otherwise
from umbrak.formats.slot_written import written_plainly

#: A piece of a line that tells of a slot: several stand on one, "A1: 16GB; A2: 16GB", "A1 = 16GB, A2 = empty".
_TELLS = re.compile(r"\s*(?P<slot>[^\s:=;,][^:=;,\n]{0,40}?\d)\s*[:=]")
#: The same with a space alone before its size, or before that there is none: "A1 16GB, B1 empty".
_TELLS_SPACED = re.compile(
    rf"\s*(?P<slot>(?!PC\d|x\d)[^\s:=;,][^:=;,\n]{{0,20}}?\d)\s+(?=\d{{1,4}}\s*[MG]i?B\b|{NONE}\s*$)", re.I
)
#: What the slots behind it hang on: "CPU1: A1 16GB, B1 16GB; CPU2: A1 empty".
_GROUP_FIRST = re.compile(rf"(?:^|[;,.])\s*(?P<group>{GROUP})\s*[:=]\s*(?=[A-Z\d])", re.I)
_NAME = r"[A-Z_]{0,6}[ ._-]?[A-Z]?\d{1,2}(?:-[A-Z]?\d{1,2})?(?![\w-]|\s?[MG]i?B\b)"
#: "16GB in A1 and B1", "nothing in slots 2 and 4": what is in it first.
_PLACED = re.compile(
    rf"(?:^|[\s,;.]+(?:and )?)(?:(?:an?|the) )?(?P<label>(?:\d{{1,4}}\s?[MG]i?B\b|{NONE}\b)[^,;:=]{{0,60}}?)(?: (?:is|are|sits?))? in (?:each of )?(?:the )?"
    rf"(?P<slots>(?:slots? )?{_NAME}(?:\s*(?:,|&|\band\b)\s*{_NAME}){{0,31}})",
    re.I,
)
_OF_MEMORY = r"(?:(?:memory|dimm|ram) )?(?:slots|sockets)\b"
#: "it has 8 slots, 4 of them filled with 16 GB sticks", "8 slots, 4 used, all 16GB".
_FILLED_WITH = tuple(
    re.compile(
        rf"(?:(?:it|this|there) (?:has|are) )?{how_many} (?:are |is )?(?:filled|full|used|populated|occupied|taken)"
        rf"(?:[,;:]? all(?: of)?| with| by|[,;:]? each(?: with)?):? (?P<label>{SIZE}[^)]{{0,80}}?)\)?\.?",
        re.I,
    )
    for how_many in (
        rf"(?P<slots>\d{{1,2}}) {_OF_MEMORY}[ ,;:(-]*(?:of which |with )?(?P<some>\d{{1,2}}|all|both)(?: of (?:them|which))?",
        rf"(?P<some>\d{{1,2}}) (?:out )?of (?:the )?(?P<slots>\d{{1,2}}) {_OF_MEMORY}",
    )
)
#: "..., the rest is empty", "..., 64GB in all": what is said of the whole, behind what is said of slots.
_WHOLE_LAST = tuple(
    re.compile(pattern, re.I)
    for pattern in (
        rf"[,;.]\s{{0,3}}(?:and )?((?:all )?(?:the )?(?:others?|rest|remaining(?: (?:slots?|ones))?) ?[:=-]? ?(?:are |is )?{NONE}\.?)$",
        rf"[\s,;.(=]{{1,4}}({TOTAL})\s?\)?\.?$",
    )
)
_AT_MOST = re.compile(r"\b(?:max(?:imum)?|up to|supports?|at most|limit(?:ed)?|takes)\b", re.I)
#: "64GB total: 4x16GB DDR4".
_TOTAL_FIRST = re.compile(rf"\s*(?P<total>{TOTAL})\s*[,;:(=-]+\s*(?P<behind>\S.*?)\)?", re.I)
#: "A2 B2 C2 empty", "A2-D2 empty": names with nothing between them and what is said but a space.
_ROW = re.compile(
    r"(?P<slots>[A-Z]{1,2}\d{1,2}(?:(?:\s+|\s*(?:-|–|\bto\b)\s*)[A-Z]{1,2}\d{1,2}){1,31})\s+(?!and\b|[,&/+-])(?P<label>\S.*)",
    re.I,
)


def parts(line: str) -> list[str]:
    """A line, or each piece of one that tells of several slots; "A1, A2: 16GB" is one piece, of two."""
    bare = line.strip()
    said = bare if len(bare) < MOST_SAID else ""
    if pieces := of_processors(said):
        return [piece for one in pieces for piece in parts(one)] if pieces[0] != said else pieces
    if run := in_a_run(said) or _runs(said):
        return run
    whole = next((m for p in _WHOLE_LAST if (m := p.search(said)) and _are_slots(said[: m.start()])), None)
    if whole and not total_in(said):
        return [*parts(said[: whole.start()]), whole[1]]
    if first := _TOTAL_FIRST.fullmatch(said):
        return [first["total"], *parts(first["behind"])]
    if placed := _placed(said) or written_plainly(said) or written_plainly(with_count(said)):
        return [piece for one in placed for piece in parts(one)] if placed[0] != said else placed
    if (row := _ROW.fullmatch(said)) and _is_row(row["slots"]):
        return [f"{re.sub(r'(?<=[0-9])[ ]+(?=[A-Z])', ', ', row['slots'], flags=re.I)}: {row['label']}"]
    if filled := next((m for p in _FILLED_WITH if (m := p.fullmatch(said))), None):
        some = filled["some"].lower()
        count = filled["slots"] if some in ("all", "both") else some
        return [f"{filled['slots']} slots, {count} full", f"{count}x{filled['label']}"]
    cells = [c for c in re.split(r"\s*(?:\t|\s{2}|\|)\s*", bare) if c]
    if len(cells) > 1 and all(_named(cell) for cell in cells):
        return [_rewritten(cell) for cell in cells]
    groups = [m for m in _GROUP_FIRST.finditer(line) if _named(_pieces(line[m.end() : m.end() + MOST_SAID])[0])]
    before = line[: groups[0].start()] if groups else line
    found = [_rewritten(piece) for piece in _pieces(before)] if before.strip() else []
    ends = [g.start() for g in groups[1:]] + [len(line)] * bool(groups)
    for group, end in zip(groups, ends, strict=True):
        its = line[group.end() : end].strip()
        found += [_rewritten(piece, group["group"].strip()) for piece in _pieces(its)]
    return found or [line]


def _are_slots(before: str) -> bool:
    """Whether what stands before something of the whole may be of slots: "16GB, up to" and "8GB, planned" tell of another total."""
    return bool(re.search(r"\d", before)) and not _AT_MOST.search(before) and not says_otherwise(before)


def _runs(line: str) -> list[str]:
    """Pieces of a line that has a run for each of what slots hang on: "CPU1: A1-A4 16GB; CPU2: A1-A4 16GB"."""
    starts = [m.start("group") for m in _GROUP_FIRST.finditer(line)]
    runs = [in_a_run(line[a:b].rstrip(" ;,.")) for a, b in pairwise([*starts, None])] if starts[:1] == [0] else []
    return [piece for run in runs for piece in run] if all(runs) else []


def _is_row(written: str) -> bool:
    """Whether names count on, one channel after the other or one slot after the other: "P1 A1" is one, of a processor."""
    names = re.findall(r"([A-Z]+)(\d+)", written.upper())
    letters, numbers = [n[0] for n in names], [int(n[1]) for n in names]
    rising = letters == sorted(letters) and numbers == sorted(numbers) and len({*names}) == len(names)
    return rising and (len({*letters}) == 1 or len({*numbers}) == 1)


def heading(line: str) -> str | None:
    """What a line of its own says that the slots in the lines behind it hang on: "CPU1:", "## Processor 2"; None where it does not."""
    named = line.strip().strip("#*=-_ ").removesuffix(":").strip()
    return named if GROUPED.fullmatch(named) and re.search(r"[ ._#-][A-Z]$|\d$", named, re.I) else None


def _pieces(line: str) -> list[str]:
    pieces = list(re.finditer(r"[^;,]+", line))
    cuts = [0]
    for at, piece in enumerate(pieces):
        tells = _TELLS.match(piece[0]) or _TELLS_SPACED.match(piece[0])
        if not tells or not is_slot_like(tells["slot"]):
            continue
        first = at
        while first and is_slot_like(pieces[first - 1][0]) and line[pieces[first - 1].end()] == ",":
            first -= 1
        cuts.append(pieces[first].start())
    cuts = sorted({c if c > pieces[0].start() else 0 for c in cuts}) if pieces else cuts
    return [line[a:b].rstrip(";, \t") if b else line[a:b] for a, b in zip(cuts, [*cuts[1:], None], strict=True)]


def _named(piece: str) -> tuple[list[str], str] | None:
    """(slots, what is said of them) of a piece that begins with their names; None where it does not."""
    chunks = piece.split(",")
    names = [c.strip() for c in takewhile(is_slot_like, chunks[:-1])]
    rest = ",".join(chunks[len(names) :])
    tells = _TELLS.match(rest) or _TELLS_SPACED.match(rest)
    if tells is None or not is_slot_like(tells["slot"]):
        return None
    return [*names, tells["slot"].strip()], rest[tells.end() :].strip()


def _rewritten(piece: str, group: str = "") -> str:
    """A piece with a colon behind its names, and before each what it hangs on, where it would not be understood without."""
    named = _named(piece)
    if named is None or not (group or len(named[0]) > 1):
        return piece
    names = [of_group(group, name) for name in named[0]]
    return f"{', '.join(names)}: {named[1]}"


def _placed(line: str) -> list[str]:
    """Pieces of a line that says first what is in slots, and then in which; [] where not all of it does."""
    found: list[str] = []
    at = 0
    for match in _PLACED.finditer(line):
        slots = re.sub(r"^slots\b", "slot", match["slots"], flags=re.I)
        if match.start() != at or not all(is_slot_like(n) for n in named_by(slots)):
            return []
        at = match.end()
        found.append(f"{slots}: {match['label']}")
    return found if not line[at:].strip(" .") else []

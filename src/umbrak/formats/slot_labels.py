"""What somebody read from labels, typed as text: a line a slot, "A1: 16GB 2Rx8 PC4-2400T-RE1-11", or a label alone."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from umbrak.core.memory.label import MAX_LABEL_LENGTH, decode_label
from umbrak.core.memory.label_reader import LabelReading
from umbrak.core.memory.module import Generation, Module, odd_size
from umbrak.core.platform.survey import SlotFacts, SlotState, SurveyReading, Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.documents import ReadLabel, label_oddities
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.text import cleaned, numbered_lines

#: Far more slots than any machine has.
MAX_LINES = 2000
_NONE = (
    r"(?:empty|nothing|none|no module|free|vacant|unpopulated|not (?:populated|fitted|occupied)|0 ?[GM]i?B|-+|—|"
    # What keeps the air going where no module is.
    r"(?:an? )?(?:blank(?:ing)?|filler|dummy)(?: (?:plate|module|card|dimm))?|"
    r"leer|frei|vide|libre|vac[ií]o|vuoto|leeg|tom|prázdn[ýá]|пусто)"
)
_EMPTY = re.compile(rf"(?:is |now |currently )*{_NONE}(?: now)?\.?", re.I)
#: That it was full once, and is not.
_EMPTIED = re.compile(rf"(?:now|currently|today)(?: is)? {_NONE}\b|\b{_NONE} now\b", re.I)
#: Nobody saw what is in it.
_UNTOLD = re.compile(
    r"(?:is )?(?:\?+|unknown|n/?a|hidden|illegible|unreadable|not (?:seen|read|known|told|readable|looked at|checked)|"
    r"(?:could|can)(?: ?not|n.t) (?:read|see|be (?:read|seen)).*|(?:no|nobody) idea.*)\.?",
    re.I,
)
#: A guess is not what is there.
_GUESSED = re.compile(
    r"\b(?:maybe|perhaps|probably|possibly|presumably|likely|seems|looks|guess(?:ed)?|assum(?:e|ed|ing)|i think|about|or)\b",
    re.I,
)
#: What was there, or is to be, is not either.
_ANOTHER_TIME = re.compile(
    r"\b(?:was|were|had|formerly|previously|before|removed|taken out|missing|gone|will(?: be)?|to be|should|planned|ordered|wanted|needs?|want|until)\b|\bnot\s+(?:fitted|there|present)\b",
    re.I,
)
#: Words by which a module is no good.
SAYS_FAILED = re.compile(
    r"(?<!not )(?<!never )(?<!no longer )\b(?:failed|failing|dead|defect(?:ive)?|broken|faulty|kaputt|defekt)\b", re.I
)
_STATES = {
    SlotState.FAILED: SAYS_FAILED,
    SlotState.SOLDERED: re.compile(r"(?<!not )\b(?:soldered|on[- ]?board)\b", re.I),
}
_SAME = re.compile(r"(?:the )?same(?: (?:as (?:above|before)|again))?|ditto|dito|id(?:em)?|[\"″〃]", re.I)
#: What slots hang on: alone it is none.
_GROUP = r"(?:CPU|proc(?:essor)?|socket|node|board|riser|channel|ch)[ ._#-]?[A-Z0-9]{0,2}"
#: A name as boards have them printed, or as people say it: "A1", "4", "CPU1 B2", "DIMM slot 3".
_SLOT_LIKE = re.compile(
    rf"(?!{_GROUP}$)(?:[A-Z]{{1,8}}[ ._-]?[A-Z0-9]{{0,2}}/){{0,4}}(?:(?:{_GROUP}|P\d)[ ._/#-]{{0,2}}){{0,2}}"
    r"(?:(?:SO-?)?DIMM|slot|bank|MEM(?:ory)?|module|RAM)?[ ._#-]?(?:slot|bank)?[ ._#-]?(?:P\d[ ._-])?(?:[A-Z]{1,2}[ ._-]?\d{0,2}|\d{1,2})",
    re.I,
)
#: What stands between slots on one line: "A1: 16GB; A2: 16GB", "A1 = 16GB, A2 = empty".
_NEXT = re.compile(r"\s*[;,]\s*(?=(?P<slot>[^\s:=;,][^:=;,\n]{0,40}?\d)\s*[:=])")
#: "A1,16GB", as a spreadsheet writes it.
_COMMA = re.compile(r"^\s*(?P<slot>[^,;:=\t]{1,40}?\d)\s*[,;]\s*(?P<label>[^,;]+)[,;]*$")
#: A slot of which a form has left open what is in it.
_LEFT_OPEN = re.compile(r"^\s*(?P<slot>[^\t:=;→]{1,60}?)\s*[:=,;]\s*$")
#: A slot's name, then what stands between it and the label: a colon, an equals sign, a tab, a semicolon, an arrow, two spaces.
_NAMED = re.compile(r"^\s*(?P<slot>[^\t:=;→]{1,60}?)\s*(?:[-=]>|→|[:=;\t]|\s{2,})\s*(?P<label>\S.*)$")
#: The same with a hyphen between, which labels have too: a short name with a figure in it.
_HYPHENED = re.compile(
    r"^\s*(?P<slot>[A-Za-z#][A-Za-z0-9#_ ./]{0,22}\d[A-Za-z]?|[A-Za-z]{1,4}\d{1,3}) [-–—] (?P<label>\S.*)$"
)
#: One space alone between: a name as boards have them printed, which ends in what tells the slot from the others.
_SPACED = re.compile(
    r"^\s*(?P<slot>(?:(?:CPU|P|socket )\d{1,2}[ ._-]?)?(?:(?:DIMM|slot|bank|MEM|channel)[ ._#-]?(?=[A-Z]?\d|[A-Z] )|(?=[A-Z]))"
    r"(?P<which>[A-Z]{0,2}\d{1,2}|[A-Z](?<=[ ._#-].))) (?P<label>\S.*)$",
    re.I,
)
#: "A1-A4", "DIMM 1 to DIMM 4": the same name with numbers from one to the other.
_FROM_TO = re.compile(
    r"(?P<name>.*?\D|)(?P<low>\d{1,3})\s*(?:-|–|\.\.+|to|through|bis)\s*(?P=name)(?P<high>\d{1,3})", re.I
)
_SEVERAL = re.compile(r"\s*(?:,|&|\band\b)\s*", re.I)
_ALL = re.compile(r"(?:all|each|every|both|any|others?|the rest|rest)\b.*", re.I)
#: Slots that one line names, at most.
_MOST_AT_ONCE = 64
#: What a list puts before each of its lines.
_LISTED = re.compile(r"^\s*(?:[-*•·+]|\d{1,3}[.)])\s+(?=\S)")

#: A run of white space: it is made short first, since a pattern with several of them tries every way to part it.
_SPACE = re.compile(r"\s+")


#: What a line tells: its slots, and what is to be said of it.
_Told = tuple[tuple[SlotFacts, ...], tuple[str, ...]]


@dataclass(frozen=True, slots=True)
class _Named:
    """What may be slots, of which nothing is understood."""

    slots: tuple[str, ...]
    words: str


def looks_like_labels(text: str, read_label: ReadLabel = decode_label) -> bool:
    """Whether most of its first lines tell of slots, and one a module."""
    lines = [line for line in text[:4000].splitlines() if line.strip()][:20]
    told = [t for _, _, t in _told(enumerate(lines, 1), read_label) if t]
    # A text of nothing but "name: none" is something else.
    return any(said or any(f.module for f in facts) for facts, said in told) and len(told) * 2 > len(lines)


def read_labels(text: str, deadline: Deadline, read_label: ReadLabel = decode_label) -> SurveyReading:
    """A report with the slots of each line; lines that tell no module are named in the warnings.

    Raises
        InputError   not one line tells a module
    """
    check_size(len(text), "characters")
    slots: list[SlotFacts] = []
    warnings: list[Warning] = []
    first: tuple[int, str] | None = None
    told_on: dict[str, int] = {}
    lines = [(number, line) for number, whole in numbered_lines(text, deadline) if (line := whole.strip())]
    if len(lines) > MAX_LINES:
        warnings.append(Warning(f"line {lines[MAX_LINES][0]}", f"only {MAX_LINES} lines are read"))
    for number, line, found in _told(lines[:MAX_LINES], read_label, deadline):
        first = first or (number, line)
        if found is None:
            warnings.append(Warning(f"line {number}", f"“{line[:60]}” tells no module; left out"))
            continue
        told, said = found
        slots += told
        for facts in told:
            if facts.locator and (before := told_on.setdefault(facts.locator.casefold(), number)) != number:
                warnings.append(Warning(f"line {number}", f"{facts.locator} was told on line {before} already"))
        warnings += [Warning(f"line {number}", words) for words in said]
    if not slots:
        first = first or (1, "")
        raise InputError(
            "not-labels",
            [
                Fault(
                    message=f"expected lines such as “A1: 16GB 2Rx8 PC4-2400T-RE1-11”, found “{first[1][:60]}”",
                    where=f"line {first[0]}",
                    line=first[0],
                    column=1,
                )
            ],
        )
    return SurveyReading("labels", slots=tuple(slots), warnings=tuple(warnings))


def _spaced(line: str, read_label: ReadLabel) -> re.Match[str] | None:
    """A name with a space behind it, where what tells it from others is no piece of a label ("DDR4", "DIMM 16 GB")."""
    named = _SPACED.match(line)
    if named is None:
        return None
    start, end = named.span("which")
    told = read_label(line[:MAX_LABEL_LENGTH])
    return None if any(u.start < end and u.end > start for u in told.understood) else named


def _told(
    lines: Iterable[tuple[int, str]], read_label: ReadLabel, deadline: Deadline | None = None
) -> Iterator[tuple[int, str, _Told | None]]:
    """(number, line, what it tells) of each line. Of a slot whose name is like those of others it is told that it is there,
    though nothing that is said of it is understood."""
    found: list[tuple[int, str, _Told | _Named | None]] = []
    before: SlotFacts | None = None
    for number, line in ((n, part) for n, whole in lines for part in _parts(whole)):
        if deadline:
            deadline.check(f"line {number}")
        told = _line(line, read_label, before)
        if isinstance(told, tuple):
            before = told[0][-1]
        found.append((number, line, told))
    shapes = {_shape(f.locator) for _, _, told in found if isinstance(told, tuple) for f in told[0] if f.locator}
    for number, line, told in found:
        if isinstance(told, _Named):
            alike = all(_shape(s) in shapes for s in told.slots)
            words = f"“{told.words[:60]}” tells no module" if told.words else "nothing is said there"
            facts = tuple(SlotFacts(locator=s, state=SlotState.UNKNOWN) for s in told.slots)
            said = (f"{words}: what is in {', '.join(told.slots)} stays unknown",)
            yield number, line, ((facts, said) if alike else None)
        else:
            yield number, line, told


def _parts(line: str) -> list[str]:
    """A line, or each slot of one that tells of several."""
    cuts = [m for m in _NEXT.finditer(line) if _SLOT_LIKE.fullmatch(m["slot"])]
    return [line[a:b] for a, b in zip([0, *(m.end() for m in cuts)], [*(m.start() for m in cuts), None], strict=True)]


def _shape(name: str) -> str:
    """What names of slots of one machine have in common: "CPU0_@0" of CPU1_B2."""
    return re.sub(r"(?<![A-Z])[A-Z](?![A-Z])", "@", re.sub(r"\d+", "0", name.upper()))


def _line(line: str, read_label: ReadLabel, before: SlotFacts | None) -> _Told | _Named | None:
    """What one line tells; None where it tells of no slot and no module, slots alone where it names some.

    Parameters
        before   what the line before told of its last slot
    """
    line = _SPACE.sub(lambda run: "\t" if "\t" in run[0] else "  "[: len(run[0])], line)
    line = _LISTED.sub("", line)
    named = _NAMED.match(line) or _HYPHENED.match(line) or _spaced(line, read_label)
    if named is None and (comma := _COMMA.match(line)) and _SLOT_LIKE.fullmatch(comma["slot"]):
        named = comma
    some = named["slot"].strip() if named and _ALL.fullmatch(named["slot"].strip()) else ""
    if named and not some:
        slots = [cleaned(s) for s in named_by(named["slot"])]
        words = named["label"].strip()
        if before and _SAME.fullmatch(words):
            return tuple(replace(before, locator=s) for s in slots), ()
        # A size alone may stand in any sentence, and is told of what is surely a slot.
        if told := read_slot(words, read_label, all(_SLOT_LIKE.fullmatch(s) for s in slots)):
            return tuple(SlotFacts(locator=s, state=told.state, module=told.module) for s in slots), told.said
    for label in (named["label"], line) if named else (line,):
        module, said = _module(read_label(label[:MAX_LABEL_LENGTH]))
        if module is not None:
            whose = (f"“{some}” names no slot: write each on a line of its own",) if some else ()
            return (SlotFacts(state=SlotState.FILLED, module=module),), (*whose, *said)
    if open_ := _LEFT_OPEN.match(line):
        return _Named(tuple(cleaned(s) for s in named_by(open_["slot"])), "")
    return _Named(tuple(slots), words) if named and not some and _NAMED.match(line) else None


@dataclass(frozen=True, slots=True)
class SlotTold:
    """What words say of one slot."""

    state: SlotState
    module: Module | None = None
    #: What is to be said of it.
    said: tuple[str, ...] = ()


def read_slot(words: str, read_label: ReadLabel = decode_label, size_alone: bool = False) -> SlotTold | None:
    """What somebody wrote of a slot; None where it tells no module, and not that there is none.

    Parameters
        size_alone   whether "16 GB" tells a module
    """
    words = re.sub(r"^[(\[](.*)[)\]]$", r"\1", words).strip()
    short = f"“{words[:60]}”"
    if _EMPTY.fullmatch(words):
        return SlotTold(SlotState.EMPTY)
    if _UNTOLD.fullmatch(words):
        return SlotTold(SlotState.UNKNOWN)
    guess = SlotTold(SlotState.UNKNOWN, None, (f"{short} is a guess: what is in it stays unknown",))
    bare = _GUESSED.sub("", words).strip(" .,?")
    if bare != words and _EMPTY.fullmatch(bare):
        return guess
    told = read_label(words[:MAX_LABEL_LENGTH])
    module, said = _module(told, size_alone)
    if module is None:
        return None
    left = " ".join(told.text[a:b] for a, b in told.not_understood)
    if _EMPTIED.search(words):
        return SlotTold(SlotState.EMPTY, None, (f"{short}: empty now",))
    if _GUESSED.search(left) or words.rstrip().endswith("?"):
        return guess
    if _ANOTHER_TIME.search(left):
        unsure = f"{short} may not be what is in it now: that stays unknown; write what is, or “empty”"
        return SlotTold(SlotState.UNKNOWN, None, (unsure,))
    if known := next((s for s, sign in _STATES.items() if sign.search(left)), None):
        return SlotTold(known, module, (f"{short}: taken as {known}",))
    return SlotTold(SlotState.FILLED, module, said)


def _module(told: LabelReading, size_alone: bool = False) -> tuple[Module | None, tuple[str, ...]]:
    """A size alone may stand in any sentence; a module is told by its size and its generation."""
    m = told.module
    bare = size_alone and any(odd_size(replace(m, generation=g)) is None for g in Generation)
    is_told = m.capacity_gib is not None and (m.generation is not None or bare)
    return (m, tuple(label_oddities(told))) if is_told else (None, ())


def says_empty(words: str) -> bool:
    """Whether words say that there is no module: "empty", "not fitted", "-"."""
    return bool(_EMPTY.fullmatch(words.strip()))


def named_by(written: str) -> list[str]:
    """Slots of a name: several with commas between, or from one to another."""
    names = [n for n in _SEVERAL.split(written.strip()) if n]
    found: list[str] = []
    for name in names:
        span = _FROM_TO.fullmatch(name)
        low, high = (int(span["low"]), int(span["high"])) if span else (0, 0)
        # "DIMM 1-4" may be the fourth of the first: only a name that is written twice is a row of slots.
        if span and span["name"] and low < high < low + _MOST_AT_ONCE:
            found += [f"{span['name']}{n}" for n in range(low, high + 1)]
        else:
            found.append(name)
    return found[:_MOST_AT_ONCE]

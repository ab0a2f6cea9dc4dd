"""What somebody read from labels, typed as text: a line a slot, "A1: 16GB 2Rx8 PC4-2400T-RE1-11", or a label alone."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import islice

from umbrak.core.memory.label import MAX_LABEL_LENGTH, decode_label
from umbrak.core.platform.passed_over import passed_over
from umbrak.core.platform.survey import ArrayFacts, ProcessorFacts, SlotFacts, SlotState, SurveyReading, Warning
from umbrak.core.rules.context import listed
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.documents import ReadLabel, kit_taken
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.slot_counts import LISTED, Counted, counted_in, processors_told, rest_of, total_in, with_count
from umbrak.formats.slot_lines import heading, parts
from umbrak.formats.slot_names import (
    GROUPED,
    GROUPED_FIRST,
    HOLDER,
    MOST_AT_ONCE,
    Alike,
    is_slot_like,
    named_by,
    of_group,
    rows_in,
    shape,
)
from umbrak.formats.slot_runs import NOT_TICKED, lacks_units, laid_out
from umbrak.formats.slot_words import NONE, module_told, read_slot
from umbrak.formats.slot_written import are_names, with_numbers
from umbrak.formats.text import cleaned, numbered_lines

#: Far more slots than any machine has.
MAX_LINES = 2000
_SAME = re.compile(r"(?:the )?same(?: (?:as (?:above|before)|again))?|ditto|dito|id(?:em)?|[\"″〃]", re.I)
_SAME_AS = re.compile(r"(?:the )?(?:same )?(?:as|like) (?:in )?(?P<slot>\S.{0,40}?)\.?", re.I)
#: "A1,16GB", as a spreadsheet writes it.
_COMMA = re.compile(r"^\s*(?P<slot>[^,;:=\t]{1,40}?\d)\s*[,;]\s*(?P<label>[^,;]+)[,;]*$")
#: A slot of which a form has left open what is in it.
_LEFT_OPEN = re.compile(r"^\s*(?P<slot>[^\t:=;→]{1,60}?)\s*[:=,;]\s*$")
#: A slot's name, then what stands between it and the label: a colon, an equals sign, a tab, a semicolon, an arrow, dots, two spaces.
_NAMED = re.compile(r"^\s*(?P<slot>[^\t:=;→]{1,60}?)\s*(?:[-=]>|→|[:=;\t]|\.{3,}|…|\s{2,})\s*(?P<label>\S.*)$")
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
_ROW_OF = re.compile(r"\s*(?P<slot>[^\s:=;→][^\t:=;→]{0,60}?\d)\s{0,4}[:=]")
_ALL = re.compile(r"(?:all|each|every|both|any|others?|the rest|rest)\b.*", re.I)
_OTHERS_EMPTY = re.compile(
    rf"(?:(?:all|and)\s+)*(?:the\s+)?(?:others?|rest|remaining)(?:\s+(?:slots?|ones|of them))?\s*(?:[:=-]|\bare\b|\bis\b)?\s*{NONE}\.?",
    re.I,
)
#: Names of the whole, and of no slot.
_WHOLE = re.compile(
    r"(?:(?:total|currently|current|now|installed|fitted|main|system)\s+)?"
    r"(?:memory|ram|modules?|dimms?|sticks?|installed|fitted|currently|current|now|total|arbeitsspeicher|speicher|mémoire|memoria)"
    r"(?:\s+(?:installed|fitted|now|total|memory|ram|modules?))?",
    re.I,
)
#: What is to come, was there, or lies elsewhere.
_NOT_NOW = re.compile(
    rf"(?:{NOT_TICKED}|ordered|planned?|wanted|to buy|to order|new|next|after|target|goal|upgrade|removed|old|previous(?:ly)?|before|spares?|shelf|offers?)\b.{{0,30}}",
    re.I,
)
#: What programs write begins so; "[A1]" is a slot's name.
_OF_PROGRAMS = re.compile(r"\s*(?:\{|\[\s*(?:[\"\[{\]\d-]|$))")
#: "8x 32GB" and no more: a size with a count is of modules.
_COUNT_AND_SIZE = re.compile(
    r"\d{1,2}\s*[x×*]\s*\d{1,4}\s*[MG]i?B(?:\s+(?:of\s+)?(?:ram|memory|modules?|dimms?|sticks?|ecc))*", re.I
)
#: Sizes that share their kind: "2x16GB + 2x8GB DDR4", "16+16+8 GB DDR4".
_SIZE = r"(?:\d{1,3}\s*[x×]\s*)?\d{1,4}(?:\s*[MG]i?B)?"
_ADDED = re.compile(rf"(?P<sizes>{_SIZE}(?:\s*\+\s*{_SIZE}){{1,{16}}})\s*(?P<unit>GB)?\s+(?P<kind>\S.*)", re.I)
#: A run of white space: it is made short first, since a pattern with several of them tries every way to part it.
_SPACE = re.compile(r"\s+")


#: What a line tells: its slots, and what is to be said of it.
_Told = tuple[tuple[SlotFacts, ...], tuple[str, ...]]


@dataclass(frozen=True, slots=True)
class _Named:
    """What may be slots, of which nothing is understood."""

    slots: tuple[str, ...]
    words: str
    #: Whether its line is built as one of a slot; else it may be any sentence.
    surely: bool = True


class _Before:
    """What is told of slots in the lines before."""

    def __init__(self) -> None:
        self._last: SlotFacts | None = None
        self._by_name: dict[str, SlotFacts] = {}
        #: What they hang on -> the rest of each one's name -> what is told of it.
        self._held: dict[str, dict[str, SlotFacts]] = {}

    def add(self, bare: Iterable[SlotFacts], told: Sequence[SlotFacts]) -> None:
        """`told`: the same slots with what they hang on before their names."""
        for facts in (*bare, *told):
            self._by_name[(facts.locator or "").casefold()] = facts
        for facts in told:
            if holder := GROUPED_FIRST.match(facts.locator or ""):
                held = self._held.setdefault(holder[0].casefold(), {})
                if len(held) < MOST_AT_ONCE:
                    held[(facts.locator or "")[holder.end() :]] = facts
        self._last = told[-1]

    def named(self, name: str) -> SlotFacts | None:
        """The slot of a name; the last where none is said."""
        return self._by_name.get(name.casefold()) if name else self._last

    def held_by(self, name: str) -> tuple[str, Mapping[str, SlotFacts]] | None:
        """(what slots hang on, the rest of the name of each and what is told of it); of the last one where none is said."""
        last = GROUPED_FIRST.match((self._last.locator if self._last else "") or "")
        source = name or (last[0] if last else "")
        held = self._held.get(source.casefold())
        return (source, dict(held)) if held else None


def looks_like_labels(text: str, read_label: ReadLabel = decode_label) -> bool:
    """Whether most of its first lines tell of slots, and one a module."""
    if _OF_PROGRAMS.match(text):
        return False
    lines = laid_out(enumerate(islice(filter(str.strip, text[:4000].splitlines()), 20), 1))
    told = [t for _, _, t in _told(lines, read_label) if t]
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
    every = ((number, line) for number, whole in numbered_lines(text, deadline) if (line := whole.strip()))
    lines = list(islice(every, MAX_LINES + 1))
    if len(lines) > MAX_LINES:
        warnings.append(Warning(f"line {lines[MAX_LINES][0]}", f"only {MAX_LINES} lines are read"))
    warnings += [
        Warning(f"line {n}", "sizes without a unit are taken for GB") for n, line in lines if lacks_units(line)
    ]
    counted: tuple[int, Counted] | None = None
    processors: int | None = None
    others: list[tuple[int, str]] = []
    totals: set[float] = set()
    for number, line, found in _told(lines[:MAX_LINES], read_label, deadline):
        first = first or (number, line)
        counted = counted or ((number, c) if (c := counted_in(line)) else None)
        processors = processors or processors_told(line)
        if (total := total_in(line)) and (found is None or not found[0]):
            totals.add(total)
            continue
        if found is None and _OTHERS_EMPTY.fullmatch(LISTED.sub("", line).strip()):
            others.append((number, line))
            continue
        if found is None:
            warnings.append(Warning(f"line {number}", f"“{line[:60]}” tells no module; left out"))
            continue
        told, said = found
        slots += told
        for facts in told:
            if facts.locator and (before := told_on.setdefault(facts.locator.casefold(), number)) != number:
                warnings.append(Warning(f"line {number}", f"{facts.locator} was told on line {before} already"))
        warnings += [Warning(f"line {number}", words) for words in said]
    if counted and slots:
        rest, words = rest_of(slots, counted[1])
        slots += rest
        warnings += [Warning(f"line {counted[0]}", words)] if words else []
    if others:
        count = counted[1].slots if counted else None
        names = [s.locator for s in slots if s.locator]
        beside = passed_over(names, filled_only=True, count=count) if len(names) == len({*names}) == len(slots) else []
        slots += [SlotFacts(locator=name, state=SlotState.EMPTY) for name in beside]
        which = f"taken for {listed(beside)}" if beside else "which slots those are is not said; left out"
        warnings += [Warning(f"line {number}", f"“{line[:60]}”: {which}") for number, line in others]
    if not slots:
        first = first or (1, "")
        why = f"{warnings[0].message}; expected" if warnings and "left out" in warnings[0].message else "expected"
        raise InputError(
            "not-labels",
            [
                Fault(
                    message=f"{why} lines such as “A1: 16GB 2Rx8 PC4-2400T-RE1-11”, found “{first[1][:60]}”",
                    where=f"line {first[0]}",
                    line=first[0],
                    column=1,
                )
            ],
        )
    arrays = (ArrayFacts(slots=counted[1].slots),) if counted and counted[1].slots > len(slots) else ()
    return SurveyReading(
        kind="labels",
        processors=(ProcessorFacts(),) * (processors or 0),
        arrays=arrays,
        # Two that differ are of two things, or of two times.
        installed_gib=totals.pop() if len(totals) == 1 else None,
        slots=tuple(slots),
        warnings=tuple(warnings),
    )


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
    pieces: list[tuple[int, str]] = []
    for number, whole in with_numbers(laid_out(lines)):
        if deadline:
            deadline.check(f"line {number}")
        pieces += [(number, piece) for piece in ([whole] if whole.startswith(NOT_TICKED) else parts(whole))]
    rows = rows_in(m["slot"] for _, piece in pieces if (m := _ROW_OF.match(LISTED.sub("", piece[:120]))))
    found: list[tuple[int, str, _Told | _Named | None]] = []
    before = _Before()
    group = ""
    for number, line in pieces:
        if deadline:
            deadline.check(f"line {number}")
        if headed := heading(line):
            group = headed
            found.append((number, line, ((), ())))
            continue
        told = _line(line, read_label, before, rows)
        if isinstance(told, tuple) and told[0]:
            bare, told = told[0], (tuple(_within(group, facts) for facts in told[0]), told[1])
            before.add(bare, told[0])
        elif isinstance(told, _Named):
            told = replace(told, slots=tuple(of_group(group, name) for name in told.slots))
        found.append((number, line, told))
    known = Alike(f.locator for _, _, told in found if isinstance(told, tuple) for f in told[0] if f.locator)
    full = {shape(f.locator) for _, _, t in found if isinstance(t, tuple) for f in t[0] if f.locator and f.module}
    for number, line, told in found:
        if isinstance(told, _Named):
            alike = all(map(known.has_fellows if told.surely else known.is_beside, told.slots))
            words = f"“{told.words[:60]}” tells no module" if told.words else "nothing is said there"
            facts = tuple(SlotFacts(locator=s, state=SlotState.UNKNOWN) for s in told.slots)
            said = (f"{words}: what is in {', '.join(told.slots)} stays unknown",)
            yield number, line, ((facts, said) if alike else None)
        elif told and any(_is_no_slot(f, full) for f in told[0]):
            yield number, line, ((), (f"“{line.strip()[:60]}”: which slots those are is not said; left out",))
        else:
            yield number, line, told


def _within(group: str, facts: SlotFacts) -> SlotFacts:
    """A slot told under a heading of what it hangs on."""
    if not group or facts.bank:
        return facts
    return replace(facts, locator=of_group(group, facts.locator)) if facts.locator else replace(facts, bank=group)


def _is_no_slot(facts: SlotFacts, full: frozenset[str] | set[str]) -> bool:
    """Whether it is a processor, of which somebody says that nothing is there; with a module in one called alike, it is a slot."""
    name = facts.locator or ""
    return facts.state is SlotState.EMPTY and bool(HOLDER.fullmatch(name)) and shape(name) not in full


def _line(
    line: str, read_label: ReadLabel, before: _Before, rows: frozenset[str] = frozenset()
) -> _Told | _Named | None:
    """What one line tells; None where it tells of no slot and no module, slots alone where it names some.

    Parameters
        before   what is told of slots before it
        rows     names that are rows of slots, though they are written once
    """
    if counted_in(line) or processors_told(line):
        return (), ()
    line = _SPACE.sub(lambda run: "\t" if "\t" in run[0] else "  "[: len(run[0])], line)
    line = LISTED.sub("", line)
    named = _NAMED.match(line) or _HYPHENED.match(line) or _spaced(line, read_label)
    if named is None and (comma := _COMMA.match(line)) and is_slot_like(comma["slot"]):
        named = comma
    some = named["slot"].strip() if named and _ALL.fullmatch(named["slot"].strip()) else ""
    whole = bool(named and _WHOLE.fullmatch(named["slot"].strip()))
    if (
        named
        and _NOT_NOW.fullmatch(named["slot"].strip())
        and module_told(read_label(named["label"][:MAX_LABEL_LENGTH]))[0]
    ):
        return (), (f"“{line.strip()[:60]}” may not be what is in it now: left out",)
    if named and GROUPED.fullmatch(named["slot"].strip()):
        in_group = _nameless(named["label"], read_label, cleaned(named["slot"]))
        if in_group and len(in_group[0]) != 1:
            return in_group
    if named and not some and not whole and (not are_names(named["slot"]) or _is_sentence(named["slot"])):
        named = None
    if named and not some and not whole:
        slots = [cleaned(s) for s in named_by(named["slot"], rows)]
        words = named["label"].strip()
        if (as_in := _SAME_AS.fullmatch(words)) or _SAME.fullmatch(words):
            other = as_in["slot"] if as_in else ""
            if HOLDER.fullmatch(slots[0]) and (its := before.held_by(other)):
                source, held = its
                alike = tuple(replace(f, locator=slots[0] + rest) for rest, f in held.items())
                return alike, (f"{slots[0]} is taken as {source}: not read by itself",)
            if (same := before.named(other)) and not HOLDER.fullmatch(slots[0]):
                return tuple(replace(same, locator=s) for s in slots), ()
        # A size alone may stand in any sentence, and is told of what is surely a slot.
        if told := read_slot(words, read_label, all(is_slot_like(s) for s in slots)):
            said = told.said if told.count in (1, len(slots)) else (*told.said, kit_taken(told.count))
            return tuple(SlotFacts(locator=s, state=told.state, module=told.module) for s in slots), said
    whole_label = named["label"] if named and whole else line
    if (added := _ADDED.fullmatch(whole_label.strip()[:MAX_LABEL_LENGTH])) and (told_each := _added(added, read_label)):
        return told_each
    for label in (named["label"], line) if named else (line,):
        if several := _nameless(label, read_label):
            whose = (f"“{some}” names no slot: write each on a line of its own",) if some else ()
            return several[0], (*whose, *several[1])
    open_ = _LEFT_OPEN.match(line)
    bare = open_["slot"] if open_ else line.strip()
    if open_ or (is_slot_like(bare) and bare[-1:].isdigit()):
        return _Named(tuple(cleaned(s) for s in named_by(bare)), "")
    if not named or some or whole:
        return None
    surely = bool(_NAMED.match(line))
    return _Named(tuple(slots), words, surely) if surely or all(map(is_slot_like, slots)) else None


def _where_untold(count: int) -> str:
    return f"{count} modules of it; in which slots is not said"


def _nameless(label: str, read_label: ReadLabel, bank: str | None = None) -> _Told | None:
    """The modules of a label of which no slot is told; None where it tells none. A guess, and what was or is to be, is said."""
    told = read_slot(with_count(label), read_label, bool(_COUNT_AND_SIZE.fullmatch(label.strip())))
    if told is None or (told.module is None and not told.said):
        return None
    if told.module is None:
        return (), told.said
    count = min(told.count, MOST_AT_ONCE)
    facts = SlotFacts(bank=bank, state=told.state, module=told.module)
    return (facts,) * count, ((_where_untold(count),) if count > 1 else ()) + told.said


def _added(added: re.Match[str], read_label: ReadLabel) -> _Told | None:
    """The modules of sizes that share their kind; None where one of them is none."""
    found: list[SlotFacts] = []
    said: list[str] = []
    for size in re.split(r"\s*\+\s*", added["sizes"]):
        unit = "" if re.search(r"[MG]i?B$", size, re.I) else "GB"
        told = read_slot(f"{size}{unit} {added['kind']}", read_label)
        if told is None:
            return None
        if told.module is None:
            return (), told.said
        found += [SlotFacts(state=told.state, module=told.module)] * min(told.count, MOST_AT_ONCE)
        said += told.said
    return tuple(found), (_where_untold(len(found)), *dict.fromkeys(said))


def _is_sentence(name: str) -> bool:
    """Whether it is what somebody says, and no name of a slot: words without a figure or anything that slots are called."""
    if re.match(r"\s*\d{1,3} (?:slots|sockets|dimms|modules|sticks|cpus|processors)\b", name, re.I):
        return True
    return len(name.split()) > 3 and not re.search(r"\d|slot|dimm|bank|channel|socket|module|memory|cpu", name, re.I)

"""What somebody read from labels, typed as text: a line a slot, "A1: 16GB 2Rx8 PC4-2400T-RE1-11", or a label alone."""

from __future__ import annotations

import re

from umbrak.core.memory.label import MAX_LABEL_LENGTH, decode_label
from umbrak.core.platform.survey import SlotFacts, SlotState, SurveyReading, Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.documents import ReadLabel, label_oddities
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.text import cleaned, numbered_lines

#: Far more slots than any machine has.
MAX_LINES = 2000
_EMPTY = re.compile(r"(?:is )?(?:empty|nothing|none|no module|-+|—)\.?", re.I)
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
#: What a list puts before each of its lines.
_LISTED = re.compile(r"^\s*(?:[-*•·+]|\d{1,3}[.)])\s+(?=\S)")

#: A run of white space: it is made short first, since a pattern with several of them tries every way to part it.
_SPACE = re.compile(r"\s+")


def looks_like_labels(text: str, read_label: ReadLabel = decode_label) -> bool:
    """Whether most of its first lines tell a module."""
    lines = [line for line in text[:4000].splitlines() if line.strip()][:20]
    return bool(lines) and sum(_line(line, read_label) is not None for line in lines) * 2 > len(lines)


def read_labels(text: str, deadline: Deadline, read_label: ReadLabel = decode_label) -> SurveyReading:
    """A report with a slot for each line; lines that tell no module are named in the warnings.

    Raises
        InputError   not one line tells a module
    """
    check_size(len(text), "characters")
    slots: list[SlotFacts] = []
    warnings: list[Warning] = []
    first: tuple[int, str] | None = None
    told_on: dict[str, int] = {}
    count = 0
    for number, whole_line in numbered_lines(text, deadline):
        if not (line := whole_line.strip()):
            continue
        first = first or (number, line)
        count += 1
        if count > MAX_LINES:
            warnings.append(Warning(f"line {number}", f"only {MAX_LINES} lines are read"))
            break
        deadline.check(f"line {number}")
        found = _line(line, read_label)
        if found is None:
            warnings.append(Warning(f"line {number}", f"“{line[:60]}” tells no module; left out"))
            continue
        facts, said = found
        slots.append(facts)
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


def _line(line: str, read_label: ReadLabel) -> tuple[SlotFacts, tuple[str, ...]] | None:
    """One line's slot, named where the line names it, and what is to be said of its label; None where it tells no module."""
    line = _SPACE.sub(lambda run: "\t" if "\t" in run[0] else "  "[: len(run[0])], line)
    line = _LISTED.sub("", line)
    named = _NAMED.match(line) or _HYPHENED.match(line) or _spaced(line, read_label)
    if named and _EMPTY.fullmatch(named["label"].strip()):
        return SlotFacts(locator=cleaned(named["slot"]), bank=None, state=SlotState.EMPTY), ()
    for slot, label in ((named["slot"], named["label"]), (None, line)) if named else ((None, line),):
        told = read_label(label[:MAX_LABEL_LENGTH])
        module = told.module
        # A size alone may stand in any sentence; a module is told by its size and its generation.
        if module.capacity_gib is not None and module.generation is not None:
            facts = SlotFacts(locator=cleaned(slot) if slot else None, bank=None, state=SlotState.FILLED, module=module)
            return facts, tuple(label_oddities(told))
    return None

"""What a label says, read with what is known of the part number on it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

from sqlalchemy import Connection, Engine

from umbrak.core.memory.label import MAX_LABEL_LENGTH, LabelReading, Understood, decode_label
from umbrak.core.memory.module import Module
from umbrak.core.memory.parts import Beside, Candidate, Part, beside, candidates, choose, key_of
from umbrak.core.platform.machine import Layout
from umbrak.formats.documents import ModuleDoc, occupants
from umbrak.services.errors import Refused
from umbrak.services.parts.known import Numbers, parts_of
from umbrak.store import parts as store

#: Numbers that are put beside one that nobody knows.
_NEAR = 5
_SHORTEST_NEAR = 4
#: What stands before a part number and belongs to it.
_PREFIX = re.compile(r"(?:P/?N|part(?:\s?(?:no|number))?)\s?[:.#]?\s?$", re.I)


@dataclass(frozen=True, slots=True)
class LabelOfPart:
    """A label as it was understood."""

    #: Of the text; its module is what the label alone says.
    reading: LabelReading
    #: What the label and its part number say.
    module: Module
    part: Part | None = None
    beside: Beside | None = None
    #: Numbers that are nearly what was typed, where nothing in it is known.
    near: tuple[str, ...] = ()

    @property
    def is_disputed(self) -> bool:
        """Whether its number is of modules that differ, in what the label itself leaves open: it does not say which one it is."""
        return bool(self.beside and self.beside.open)

    @property
    def wrong(self) -> tuple[str, ...]:
        """Sentences: what in it cannot all be true, in itself and beside what is known of its part."""
        found = self.reading.contradictions
        if self.beside and self.part:
            disputed = (f"modules of the number {self.part.number} differ; {f.sentence()}" for f in self.beside.open)
            found = (*found, *disputed, *odd_words(self.part, self.beside))
        return found

    @property
    def notes(self) -> tuple[str, ...]:
        """Sentences: what is wrong, and what was read otherwise than it says."""
        return (*self.wrong, *self.reading.remarks)


def understand(db: Connection, text: str) -> LabelOfPart:
    """A label's text, with what is known of a part number in it; what the label says goes before what its number tells."""
    told = Labels(db).understand(text)
    return replace(told, near=_near(db, text)) if not told.reading.understood else told


class Labels:
    """Reads labels, one after the other, with what is known of the part numbers on them; each number is looked up once, each
    text read once: tables say one thing many times."""

    def __init__(self, db: Connection) -> None:
        self._db = db
        self._told: dict[str, LabelOfPart] = {}
        self._parts: dict[str, Part | None] = {}

    @cached_property
    def numbers(self) -> Numbers:
        return Numbers.load(self._db)

    def part(self, key: str) -> Part | None:
        if key not in self._parts:
            self._parts[key] = parts_of(self._db, [key], self.numbers).get(key)
        return self._parts[key]

    def learn(self, texts: Iterable[str]) -> Labels:
        """Look up the numbers in many labels at once."""
        keys = {c.key for text in texts for c in candidates(text[:MAX_LABEL_LENGTH])} - set(self._parts)
        if keys:
            self._parts |= dict.fromkeys(keys) | parts_of(self._db, keys, self.numbers)
        return self

    def understand(self, text: str) -> LabelOfPart:
        text = text[:MAX_LABEL_LENGTH]
        if text not in self._told:
            self._told[text] = self._understand(text)
        return self._told[text]

    def _understand(self, text: str) -> LabelOfPart:
        found = candidates(text)
        first = decode_label(text)
        if first.module.part and not any(c.key == key_of(first.module.part) for c in found):
            told = next(u for u in first.understood if u.field == "part")
            found = (*found, Candidate(told.start, told.end, key_of(first.module.part)))
        self.learn([text])
        known = choose((c, part) for c in found if (part := self.part(c.key)))
        if not known:
            return LabelOfPart(first, first.module)
        taken, part = known[0]
        same = set(self.numbers.keys(taken.key))
        others = [
            p.number for c, p in known if c.key not in same and not (taken.start <= c.start and c.end <= taken.end)
        ]
        if others:
            names = " and ".join(sorted({part.number, *others}))
            wrong = (*first.contradictions, f"the text has the numbers of several parts, {names}; none is taken")
            return LabelOfPart(replace(first, contradictions=wrong), first.module)
        reading = _without(text, taken, part.number, first)
        told_of = beside(reading.module, part)
        return LabelOfPart(reading, told_of.module, part, told_of)

    def read(self, text: str) -> LabelReading:
        """As `decode_label`, with what its part number tells in its module."""
        told = self.understand(text)
        return replace(told.reading, module=told.module)


def _without(text: str, taken: Candidate, number: str, first: LabelReading) -> LabelReading:
    """What the text says beside its part number: letters and digits of a number are no words of a label."""
    prefix = _PREFIX.search(text[: taken.start])
    start = prefix.start() if prefix else taken.start
    rest = decode_label(text[:start] + " " * (taken.end - start) + text[taken.end :])
    # Kept as the label has it: its revision or serial may stand behind it.
    piece = Understood(taken.start, taken.end, "part", number)
    understood = tuple(sorted((*rest.understood, piece), key=lambda u: (u.start, u.end, u.field)))
    revision = rest.module.revision or first.module.revision
    module = replace(rest.module, part=number, revision=revision)
    return replace(rest, text=text, module=module, understood=understood)


def _near(db: Connection, text: str) -> tuple[str, ...]:
    """Known numbers that begin with what was typed or have it in them, where it is one word."""
    key = key_of(text)
    if len(key) < _SHORTEST_NEAR or not re.fullmatch(r"[\w./+-]+", key):
        return ()
    return tuple(r.number for r in store.numbers(db, key, _NEAR))


def read_occupants(engine: Engine, given: Mapping[str, str | ModuleDoc | None], field: str) -> Layout:
    """What slots are said to hold, by labels or part numbers, or as modules. Raises Refused, which names the slot."""
    typed = [m for m in given.values() if isinstance(m, str) and m != "unknown"]
    if not typed:
        return occupants(given)
    with engine.connect() as db:
        labels = Labels(db).learn(typed)
        for slot, text in given.items():
            try:
                occupants({slot: text}, labels.read)
            except ValueError as error:
                raise Refused(f"{field}.{slot}", f"{error}, nor is it a part number that is known here.") from error
        return occupants(given, labels.read)


def described(db: Connection, module: Module, number: str | None) -> Module:
    """The module with its part number; one of which nothing but that is told as it is known by it.

    What somebody told of a module stays as it was told: what its number would add is offered, and not put in unasked.
    """
    number = (number or module.part or "").strip() or None
    module = replace(module, part=number)
    if number is None or module.capacity_gib is not None:
        return module
    part = parts_of(db, [key_of(number)]).get(key_of(number))
    return beside(module, part).module if part else module


def odd_beside(db: Connection, module: Module) -> tuple[str, ...]:
    """Sentences: what a module tells otherwise than others of its number."""
    part = parts_of(db, [key_of(module.part)]).get(key_of(module.part)) if module.part else None
    return tuple(odd_words(part, beside(module, part))) if part else ()


def odd_words(part: Part, told: Beside) -> Iterator[str]:
    """Sentences: what a module tells otherwise than others of its number."""
    return (f"other modules of the number {part.number} differ; {f.sentence()}" for f in told.against)

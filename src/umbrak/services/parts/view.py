"""Part numbers to look through, and one with all that is known of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from typing import Any
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.memory.module import Module, complete, known_by_number, member_words, read_off
from umbrak.core.memory.parts import Beside, Fact, Part, Seen, beside, key_of
from umbrak.services.errors import NotFound
from umbrak.services.parts.known import Numbers, is_named, parts_of
from umbrak.services.parts.understanding import LabelOfPart, odd_words, understand
from umbrak.services.sheets.library import load_sheet
from umbrak.store import parts as store
from umbrak.store import sheets as sheet_store
from umbrak.store.trials import trials_of_parts


@dataclass(frozen=True, slots=True)
class PartLine:
    """A part number among others."""

    number: str
    also: tuple[str, ...]
    #: What all agree on, in a few words.
    words: str
    #: Members of which its sightings tell otherwise.
    disputed: tuple[str, ...]
    #: Modules in machines and on the Shelf; offers and trials.
    fitted: int
    on_hand: int
    offers: int
    trials: int
    #: Qualified lists that have it by itself.
    listed: int


@dataclass(frozen=True, slots=True)
class SightingView:
    """One place where a part was seen."""

    number: str
    seen: Seen
    where: str
    on: date | None
    count: int
    module: Module
    words: str


@dataclass(frozen=True, slots=True)
class PartTrial:
    """A trial of the part: how it went, and where."""

    number: str
    model: str
    outcome: str
    who: str
    tried_on: date
    note: str


@dataclass(frozen=True, slots=True)
class PartWord:
    """What somebody told of it, and may take back."""

    id: UUID
    number: str
    #: The other number; None where it is told what it is.
    same: str | None
    words: str
    source: str
    by: str
    at: date


@dataclass(frozen=True, slots=True)
class Holder:
    """A machine that holds some."""

    machine_id: UUID
    machine: str
    count: int


@dataclass(frozen=True, slots=True)
class ListedFor:
    """A model whose qualified list has it."""

    sheet_hash: str
    model: str
    #: The list's line, which may end in * for any ending.
    line: str
    source: str
    #: What the list says beside it.
    note: str


@dataclass(frozen=True, slots=True)
class SaidView:
    """One value that is told of a member."""

    value: Any
    words: str
    source: str


@dataclass(frozen=True, slots=True)
class FactView:
    """What is told of a member; by several values where sightings cannot all be true."""

    member: str
    #: As people call it.
    called: str
    said: tuple[SaidView, ...]


@dataclass(frozen=True, slots=True)
class PartView:
    number: str
    also: tuple[str, ...]
    #: What nothing contradicts.
    module: Module
    words: str
    facts: tuple[FactView, ...]
    sightings: tuple[SightingView, ...]
    listed: tuple[ListedFor, ...]
    trials: tuple[PartTrial, ...]
    told: tuple[PartWord, ...]
    machines: tuple[Holder, ...]


def list_parts(engine: Engine, text: str = "") -> list[PartLine]:
    """Part numbers that were met anywhere, by number; those that have the text in them, or another number of theirs has."""
    with engine.connect() as db:
        rows = store.numbers(db, text.strip())
        numbers = Numbers.load(db)
        known = parts_of(db, [key_of(r.number) for r in rows], numbers)
    lines = []
    for r in rows:
        part = known.get(key_of(r.number)) or Part(r.number, (), ())
        disputed = tuple(f.sentence() for f in part.disputed)
        lines.append(PartLine(
            number=r.number, also=part.also, words=part.module.short() if part.facts else "", disputed=disputed,
            fitted=r.fitted, on_hand=r.on_hand, offers=r.offers, listed=r.listed, trials=r.trials,
        ))  # fmt: skip
    return lines


def see_part(engine: Engine, number: str) -> PartView:
    """Raises NotFound for a number that was met nowhere."""
    with engine.connect() as db:
        numbers = Numbers.load(db)
        key = key_of(number)
        part = parts_of(db, [key], numbers).get(key)
        keys = numbers.keys(key)
        trials = trials_of_parts(db, keys)
        if part is None and not trials:
            raise NotFound("part number here")
        part = part or Part(next(t.part or number for t in trials), numbers.also(number), ())
        titles = {s.sheet_id: s for s in sheet_store.current_sheets(db)}
        held: dict[UUID, Holder] = {}
        for f in store.fitted_of(db, keys):
            before = held.get(f.machine_id)
            held[f.machine_id] = Holder(f.machine_id, f.machine, f.count + (before.count if before else 0))
        sheets = [load_sheet(db, s.hash) for s in titles.values() if not s.archetype]
        listed = tuple(
            ListedFor(sheet_hash=s.hash, model=s.title, line=line.part, source=line.source.title, note=line.note)
            for s in sheets
            for line in s.listed
            if any(is_named(line, k) for k in keys)
        )
        told = store.words_of(db, keys)
    return PartView(
        number=part.number, also=part.also, module=part.module, words=part.module.short(),
        facts=tuple(FactView(f.member, member_words(f.member), tuple(SaidView(s.value, s.words, s.source) for s in f.said)) for f in part.facts),
        sightings=tuple(
            SightingView(number=s.number, seen=s.seen, where=s.where, on=s.on, count=s.count, module=s.module, words=s.module.short())
            for s in part.sightings
        ),
        listed=listed,
        trials=tuple(
            PartTrial(number=t.part or "", model=titles[t.sheet_id].title if t.sheet_id in titles else t.sheet_id, outcome=t.outcome, who=t.who, tried_on=t.tried_on, note=t.note)
            for t in trials
        ),
        told=tuple(
            PartWord(id=w.id, number=w.number, same=w.same, words=w.module.short() if w.module else "", source=w.source, by=w.by, at=w.at.date())
            for w in told
        ),
        machines=tuple(held.values()),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class FactToTake:
    """What its part number tells of an open member, to be taken at a press."""

    member: str
    #: The member as people call it.
    called: str
    #: Each value that is told, with where it is from; of several none is taken unasked.
    values: tuple[FactValue, ...]


@dataclass(frozen=True, slots=True)
class FactValue:
    words: str
    source: str
    #: The module with it.
    module: Module


@dataclass(frozen=True, slots=True)
class ModuleOfPart:
    """A module beside what is known of its number."""

    number: str
    also: tuple[str, ...]
    #: In how many places the number was seen.
    seen: int
    offered: tuple[FactToTake, ...]
    #: The module with all that is offered and undisputed.
    all_taken: Module
    #: Sentences: what the module tells otherwise than others of its number.
    against: tuple[str, ...]


def see_beside(engine: Engine, module: Module) -> ModuleOfPart | None:
    """What the part number of a module tells of it; None where it has none, or nothing is known of it."""
    with engine.connect() as db:
        part = parts_of(db, [key_of(module.part)]).get(key_of(module.part)) if module.part else None
    return of_part(module, part, beside(module, part)) if part else None


def see_label(engine: Engine, text: str) -> tuple[LabelOfPart, ModuleOfPart | None]:
    """A label's text as it is understood, and what the part number in it tells beside that."""
    with engine.connect() as db:
        told = understand(db, text)
    part = of_part(told.reading.module, told.part, told.beside) if told.part and told.beside else None
    return told, part


def of_part(module: Module, part: Part, told: Beside) -> ModuleOfPart:
    return ModuleOfPart(
        number=part.number,
        also=part.also,
        seen=len(part.sightings),
        offered=tuple(_offered(module, f) for f in (*told.adds, *told.open)),
        all_taken=told.module,
        against=tuple(odd_words(part, told)),
    )


def _offered(module: Module, fact: Fact) -> FactToTake:
    return FactToTake(
        member=fact.member,
        called=member_words(fact.member),
        values=tuple(FactValue(s.words, s.source, _with(module, fact.member, s.value)) for s in fact.said),
    )


def _with(module: Module, member: str, value: Any) -> Module:
    told: dict[str, Any] = {member: value}
    return known_by_number(complete(replace(module, **told))[0], read_off(module))

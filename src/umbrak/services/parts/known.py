"""What is known of part numbers, from everything here that carries one."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from fnmatch import fnmatchcase

from sqlalchemy import Connection

from umbrak.core.memory.module import Form, Generation, Module, alike, healthy, read_off
from umbrak.core.memory.parts import Part, Seen, Sighting, key_of
from umbrak.core.platform.sheet import Listed, Sheet
from umbrak.services.sheets.library import load_sheet
from umbrak.store import parts as store
from umbrak.store import sheets as sheet_store
from umbrak.store.shelf import all_offers, all_stock
from umbrak.store.trials import trials_of_parts

#: Characters before the * of a list's line from which on it tells what a number is.
_TELLING = 4


@dataclass(frozen=True, slots=True)
class Numbers:
    """Which part numbers are of the same thing, as people told."""

    #: Key -> every number of its thing, as written, by key; numbers that stand alone are not in it.
    things: Mapping[str, Mapping[str, str]]

    @classmethod
    def load(cls, db: Connection) -> Numbers:
        things: dict[str, dict[str, str]] = {}
        for w in store.all_same(db):
            pair = {key_of(n): n for n in (w.number, w.same or "")}
            one = {k: n for key in pair for k, n in things.get(key, {}).items()} | pair
            things |= dict.fromkeys(one, one)
        return cls(things)

    def also(self, number: str) -> tuple[str, ...]:
        """Other numbers of the same thing."""
        key = key_of(number)
        return tuple(sorted(n for k, n in self.things.get(key, {}).items() if k != key))

    def keys(self, key: str) -> tuple[str, ...]:
        """A number's key, and those of the other numbers of the same thing."""
        return (key, *(k for k in self.things.get(key, {}) if k != key))

    def widened(self, sheet: Sheet) -> Sheet:
        """The sheet with its qualified list speaking of other numbers of what it lists too."""
        if not sheet.listed or not self.things:
            return sheet
        more = []
        for key, thing in self.things.items():
            line = next((x for k in thing for x in sheet.listed if k != key and is_named(x, k)), None)
            if line and not any(is_named(x, key) for x in sheet.listed):
                more.append(replace(line, part=thing[key]))
        return replace(sheet, listed=(*sheet.listed, *more)) if more else sheet


def is_named(line: Listed, key: str) -> bool:
    """Whether a line of a qualified list names a part."""
    return fnmatchcase(key, key_of(line.part))


def parts_of(db: Connection, keys: Iterable[str], numbers: Numbers | None = None) -> dict[str, Part]:
    """Key -> what is known of its part; numbers that were met nowhere are left out.

    What was seen under another number of the same thing counts with it.
    """
    asked = list(keys)
    if not asked:
        return {}
    numbers = numbers or Numbers.load(db)
    wanted = {key: numbers.keys(key) for key in asked}
    every = sorted({k for ks in wanted.values() for k in ks})
    seen: dict[str, list[Sighting]] = {k: [] for k in every}
    for s in (*_held(db, every), *_told(db, every), *_listed(db, every)):
        if key_of(s.number) in seen:
            # What was taken from the number is no sighting of it.
            seen[key_of(s.number)].append(replace(s, module=read_off(s.module)))
    return {
        key: Part(_as_written(key, seen[key], numbers), numbers.also(key), found)
        for key, ks in wanted.items()
        if (found := tuple(s for k in ks for s in seen[k])) or key in numbers.things
    }


def _as_written(key: str, sightings: Collection[Sighting], numbers: Numbers) -> str:
    """A number as it is written where it is seen best."""
    order = tuple(Seen)
    best = min((s for s in sightings if s.seen is not Seen.LISTED), key=lambda s: order.index(s.seen), default=None)
    return best.number if best else numbers.things.get(key, {}).get(key, key)


def _held(db: Connection, keys: Collection[str]) -> Iterator[Sighting]:
    """In machines, on the Shelf, on offer."""
    words = {Seen.SPD: "SPD read in {}", Seen.READ: "read in {}", Seen.REPORTED: "reported by {}"}
    for f in store.fitted_of(db, keys):
        where = words[f.seen].format(f.machine)
        yield Sighting(number=f.number, module=f.module, seen=f.seen, where=where, on=f.seen_on, count=f.count)
    for s in all_stock(db, keys):
        if s.part and not s.unreadable:
            where = f"on the Shelf, {s.place}" if s.place else "on the Shelf"
            module = healthy(alike(read_off(s.module)))
            yield Sighting(number=s.part, module=module, seen=Seen.SHELF, where=where, on=s.updated_at.date(), count=s.count)  # fmt: skip
    for o in all_offers(db, keys):
        if not o.unreadable:
            where = f"offer of {o.supplier}" if o.supplier else "an offer"
            yield Sighting(number=o.part, module=o.module, seen=Seen.OFFER, where=where, on=o.priced_on)


def _told(db: Connection, keys: Collection[str]) -> Iterator[Sighting]:
    """By people, and by what they tried."""
    for w in store.words_of(db, keys):
        if w.module is not None:
            where = f"{w.source}, told by {w.by}"
            yield Sighting(number=w.number, module=w.module, seen=Seen.TOLD, where=where, on=w.at.date())
    for t in trials_of_parts(db, keys):
        if t.part and t.module is not None:
            where = f"tried on {t.sheet_id}"
            yield Sighting(number=t.part, module=t.module, seen=Seen.TRIAL, where=where, on=t.tried_on)


def _listed(db: Connection, keys: Collection[str]) -> Iterator[Sighting]:
    """By qualified lists: the size where the list tells it, and what the machine takes."""
    retired = sheet_store.retired_sheets(db)
    for row in sheet_store.current_sheets(db):
        if row.archetype or row.sheet_id in retired:
            continue
        sheet = load_sheet(db, row.hash)
        takes = Module(generation=Generation(sheet.memory.generation), form=Form(sheet.memory.form))
        # A line that has nearly any number among others tells of none.
        for line in (x for x in sheet.listed if "*" not in x.part or len(key_of(x.part).partition("*")[0]) >= _TELLING):
            for key in keys:
                if is_named(line, key):
                    # Under a pattern stands no number of its own.
                    number = key if "*" in line.part else line.part
                    module = replace(takes, capacity_gib=line.capacity_gib)
                    yield Sighting(number=number, module=module, seen=Seen.LISTED, where=f"listed for {sheet.title}, {line.source.title}", by_pattern="*" in line.part)  # fmt: skip

"""Modules that could be had where nobody has an offer: more of what is fitted, and of all that the standards have, what the sheet
takes.

What is fitted is known to run, and is what a hand would look for first. Of the standards one of each capacity and kind stands for
those that the rules see alike or nearly: the rate that the board uses best, then the fewest ranks, and dies of the usual width. They
carry no part number, so the rules take each as a part that no list has; parts that the machine's maker lists come beside them, under
the number of the list.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Set
from dataclasses import dataclass, replace
from decimal import Decimal

from umbrak.core.evaluate import evaluate
from umbrak.core.memory.module import DIE_GBIT, HEIGHT_MM, Buffering, Form, Generation, Module, alike, bus_of, complete
from umbrak.core.memory.organised import MADE_GBIT, ORGANISED, SOLD_GIB, kinds_of
from umbrak.core.memory.rates import STANDARD_RATES_MTS
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Statement
from umbrak.core.routes.problem import Candidate, Origin
from umbrak.core.rules.finding import Severity


@dataclass(frozen=True, slots=True)
class Guess:
    """What a technician thinks a GB costs; None = no idea."""

    official_per_gib: Decimal | None = None
    third_party_per_gib: Decimal | None = None

    @property
    def told(self) -> bool:
        return self.official_per_gib is not None or self.third_party_per_gib is not None


#: Of each capacity and kind so many organisations are told: the one of fewest ranks, and one of more.
_EACH = 2


def assumed_candidates(
    sheet: Sheet,
    machine: Machine,
    fitted: Layout,
    statements: tuple[Statement, ...] = (),
    guess: Guess | None = None,
) -> tuple[Candidate, ...]:
    """What could be bought for a machine, at guessed prices or none, in as many pieces as wanted.

    Each passes alone in some slot of the empty machine without anything against it that stops it. Of another kind than what is
    fitted, beside which it could not stand, only what is larger than all of that kind is told; and where nobody tells which kinds
    are taken, none for another bus than what is fitted.
    """
    guess, board = guess or Guess(), _Board(sheet, machine, statements, fitted)
    ran = {bus for m in fitted.values() if isinstance(m, Module) and (bus := bus_of(m.buffering))}
    buses = set() if sheet.memory.accepts else ran
    kinds = {(m.buffering, m.ecc) for m in fitted.values() if isinstance(m, Module)}
    found: list[Candidate] = []
    for module in board.takes_more_of():
        found += _candidate(module, module.part or "", guess, sheet.lists(module.part))
    largest = 0.0
    for kind, ecc in sorted(_kinds(sheet), key=lambda k: k not in kinds):
        if buses and bus_of(kind) not in buses:
            continue
        least = largest if kinds and (kind, ecc) not in kinds else 0.0
        for gib in SOLD_GIB[sheet.memory.generation]:
            if gib <= least:
                continue
            made = (_of(sheet, kind, ecc, gib, organised) for organised in ORGANISED[kind])
            taken = [m for m in map(board.taken, filter(None, made)) if m is not None][:_EACH]
            for module in taken:
                found += _candidate(module, module.short(), guess, None)
            if taken:
                largest = max(largest, gib)
                found += _listed(sheet, taken[0], guess, {c.part for c in found})
    return tuple(found)


def _candidate(module: Module, part: str, guess: Guess, listed: bool | None) -> Iterator[Candidate]:
    """None where others have a price and it has none: it would pass for free."""
    per_gib = guess.official_per_gib if listed else guess.third_party_per_gib
    if per_gib is None and guess.told:
        return
    price = (per_gib or Decimal(0)) * Decimal(str(module.capacity_gib))
    yield Candidate(
        part=part, module=module, price=price.quantize(Decimal("0.01")), listed=listed, origin=Origin.ASSUMED
    )


def _listed(sheet: Sheet, module: Module, guess: Guess, had: Set[str]) -> Iterator[Candidate]:
    """The part of this capacity that the machine's maker lists, where it tells of one that is not `had`."""
    line = next((x for x in sheet.listed if x.capacity_gib == module.capacity_gib), None)
    if line and line.part not in had:
        official = complete(replace(module, part=line.part, maker=line.maker))[0]
        yield from _candidate(official, line.part, guess, True)


def _kinds(sheet: Sheet) -> Iterator[tuple[Buffering, bool]]:
    """(kind, whether it corrects errors)"""
    for kind in kinds_of(Generation(sheet.memory.generation), Form(sheet.memory.form)):
        if kind is Buffering.UNBUFFERED:
            yield kind, False
        yield kind, True


def _of(sheet: Sheet, kind: Buffering, ecc: bool, gib: float, organised: tuple[int, int, int]) -> Module | None:
    """A module as the standards have it; None where its dies are not made, or x16 dies should correct errors."""
    generation = Generation(sheet.memory.generation)
    ranks, width, stack = organised
    die = gib * 8 * width / (64 * ranks * stack)
    if die not in DIE_GBIT[generation] or die > MADE_GBIT[generation] or (ecc and width == 16):
        return None
    rails = (1.35, 1.5) if generation is Generation.DDR3 else ()
    made = Module(
        generation=generation, form=Form(sheet.memory.form), buffering=kind, ecc=ecc, capacity_gib=gib, package_ranks=ranks,
        device_width=width, stack_height=stack, rails_v=rails,
        height_mm=HEIGHT_MM[(sheet.memory.form, sheet.memory.generation)],
    )  # fmt: skip
    return complete(made)[0]


class _Board:
    """What the empty machine takes."""

    def __init__(self, sheet: Sheet, machine: Machine, statements: tuple[Statement, ...], fitted: Layout) -> None:
        self.sheet, self.machine, self.statements = sheet, machine, statements
        self.fitted = tuple(dict.fromkeys(alike(m) for m in fitted.values() if isinstance(m, Module) and not m.failed))
        tests = [*sheet.memory.refuses, *(k.test for k in sheet.memory.accepts)]
        #: Of what a slower or a faster one may cure, another rate is tried.
        self.rates_matter = any(name == "rate_mts" for t in tests for name, _ in t.wanted)
        self.rates = _rates(sheet, machine, self.fitted)
        self.slots = _kinds_of_slot(sheet)

    def takes_more_of(self) -> Iterator[Module]:
        """Of what is fitted and works what could be asked for by its number, and goes in alone."""
        for m in self.fitted:
            if m.part and m.is_memory and not m.is_sizeless and any(not self._against(s, m) for s in self.slots):
                yield m

    def taken(self, module: Module) -> Module | None:
        """The module at the rate that suits the machine; None where no slot takes it at any."""
        for slot in self.slots:
            for rate in self.rates:
                at = replace(module, rate_mts=rate)
                against = self._against(slot, at)
                if not against:
                    return at
                if not self.rates_matter and not any(code.startswith("rate.") for code in against):
                    break
        return None

    def _against(self, slot: str, module: Module) -> set[str]:
        """Codes of what stops one module alone there; that it is not where the order begins is left out."""
        judged = evaluate(self.sheet, self.machine, Layout({slot: module}), self.statements)
        return {f.code for f in judged.findings if f.severity is Severity.STOP and not f.code.startswith("order.")}


def _rates(sheet: Sheet, machine: Machine, fitted: Iterable[Module]) -> list[int]:
    """Standard rates: the least that gives the processors all they reach, then slower ones, then faster ones. Where nobody tells what
    they reach, what is fitted is rated as what is known to run."""
    reached = [
        max(rates)
        for name, fitted in machine.processors.items()
        if name in sheet.sockets
        for p in ([fitted] if fitted else sheet.sockets[name].processors)
        if (rates := sheet.processors[p].rates_mts)
    ]
    standard = STANDARD_RATES_MTS[sheet.memory.generation]
    ran = max((m.rate_mts for m in fitted if m.rate_mts), default=standard[-1])
    wanted = max(reached, default=ran)
    enough = [r for r in standard if r >= wanted]
    slower = [r for r in reversed(standard) if r < wanted]
    return [*enough[:1], *slower, *enough[1:]]


def _kinds_of_slot(sheet: Sheet) -> list[str]:
    """The first slot of each kind of place: told apart by what limits name it, its clearance and its supply."""
    found: dict[object, str] = {}
    for name, slot in sheet.slots.items():
        limits = tuple(s.id for s in sheet.limits if s.scope == "slot" and s.where == name)
        found.setdefault((limits, slot.clearance), name)
    return list(found.values())

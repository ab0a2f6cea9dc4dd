"""A doubt: one thing that has to be true for a layout to run and that nothing has settled."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from umbrak.core.evidence.ladder import Figure, Ladder
from umbrak.core.evidence.table import DoubtKind, Table
from umbrak.core.memory.module import Module
from umbrak.core.platform.sheet import Sheet

#: Ladder of modules -> the member that it is about, and its unit.
MEMBERS = {
    DoubtKind.SLOT: ("capacity_gib", "GB in one slot"),
    DoubtKind.DENSITY: ("die_gbit", "Gbit dies"),
    DoubtKind.STACK: ("stack_height", "dies in a stack"),
}
_NO_MOST: Mapping[str, float] = {}
_NO_LADDER = Ladder()
#: What a part's doubt is about where a list, or somebody, leaves it out.
OFF_LIST = "off the list"


@dataclass(frozen=True, slots=True)
class Doubt:
    """One thing that has to be true for a layout to run."""

    kind: DoubtKind
    #: In words: "Fjell N2 runs 40 GB".
    words: str
    sheet: str
    #: Processors that are fitted, by id.
    processors: tuple[str, ...]
    #: Of a ladder: how much of it is asked for, and what is known of its ceiling.
    asks: float = 0.0
    ladder: Ladder = _NO_LADDER
    #: Of a part, and of a ladder of modules: the module.
    module: Module | None = None
    #: Of what is no ladder: the number of the table that it starts from, and what it is about.
    number: str = ""
    about: str = ""
    #: Of a mixture: the makers or kits.
    together: frozenset[str] = frozenset()
    #: Of reach: how the modules that come in are organised, and the most in one slot, channel, socket. [GiB]
    organisations: frozenset[tuple[object, ...]] = frozenset()
    most: Mapping[str, float] = field(default_factory=lambda: _NO_MOST, hash=False)

    def prior(self, table: Table) -> float:
        """Probability that it works, before any trial."""
        return self.ladder.prior(self.asks, table) if not self.number else table[self.number]

    def passes(self, table: Table) -> Figure | None:
        """The figure that counts, of those that it passes."""
        return self.ladder.worst(self.asks, table)[1]

    def lacks_word(self, table: Table) -> bool:
        """Whether somebody states less, a list leaves it out, or nobody vouches for it; else it is only what is always
        doubted of something new."""
        if self.kind is DoubtKind.PART:
            return self.about == OFF_LIST
        return bool(self.number) or self.passes(table) is not None

    def amount_of(self, module: Module) -> float | None:
        """Where a module lies on this ladder of modules; None where it does not tell."""
        member = MEMBERS.get(self.kind)
        value = getattr(module, member[0]) if member else None
        return None if value is None else float(value)


def part_doubt(sheet: Sheet, processors: tuple[str, ...], module: Module, told: bool | None = None) -> Doubt:
    """That a part runs on a board. `told`: whether the maker lists it, where somebody says so beside the sheet."""
    listed = told if told is not None else sheet.lists(module.part)
    return Doubt(
        kind=DoubtKind.PART,
        words=f"{module.part or module.short()} runs on {sheet.title}",
        sheet=sheet.id,
        processors=processors,
        module=module,
        number="part.listed" if listed else "part.unlisted",
        about=OFF_LIST if told is False or (not listed and sheet.listed) else "",
    )


def mixture_doubt(sheet: Sheet, processors: tuple[str, ...], kind: DoubtKind, together: frozenset[str]) -> Doubt:
    """That makers, or kits of one maker, run together on a board: one doubt for a layout."""
    number, what = {
        DoubtKind.MIXED_MAKERS: ("mixed.makers", "modules of several makers"),
        DoubtKind.MIXED_KITS: ("mixed.kits", "modules of several kits"),
    }[kind]
    return Doubt(
        kind=kind,
        words=f"{what.capitalize()} run together on {sheet.title}",
        sheet=sheet.id,
        processors=processors,
        number=number,
        together=together,
    )


def kit_of(sheet: Sheet, module: Module) -> tuple[str, str] | None:
    """What `risk.mixed-kits` tells kits apart by, part and revision; None for what it leaves out."""
    if not module.part or sheet.lists(module.part):
        return None
    return module.part, module.revision or ""


def kits_of(modules: Iterable[Module]) -> frozenset[str]:
    """Parts and revisions in words, listed ones too: what a trial held together."""
    return frozenset(f"{m.part} {m.revision or ''}".strip() for m in modules if m.part)

"""Claims: what a layout rests on that neither a hard rule nor anybody who vouches for it has settled."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from umbrak.core.evaluate import Evaluation
from umbrak.core.evidence.table import ClaimKind
from umbrak.core.memory.module import Module, alike, amount
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.rules.context import Context

#: Finding -> the claim that it leaves open.
OF_FINDING = {
    "risk.over-official": ClaimKind.OVER_OFFICIAL,
    "limit.firmware": ClaimKind.OVER_OFFICIAL,  # official with another version, and that is not the one it runs
    "risk.over-processor": ClaimKind.OVER_PROCESSOR,
    "risk.density": ClaimKind.DENSITY,
    "risk.unproved": ClaimKind.UNPROVED,
    "risk.mixed-makers": ClaimKind.MIXED_MAKERS,
    "risk.mixed-kits": ClaimKind.MIXED_KITS,
    "risk.unlisted": ClaimKind.PART,
}
_OVER = {
    ClaimKind.OVER_OFFICIAL: "its official total",
    ClaimKind.OVER_PROCESSOR: "its processor's figure",
    ClaimKind.UNPROVED: "what somebody states",
}
#: Claims that are about what the machine holds in all.
ABOUT_TOTAL = (ClaimKind.OVER_OFFICIAL, ClaimKind.OVER_PROCESSOR, ClaimKind.UNPROVED)


_NOTHING: Mapping[str, bool] = {}


@dataclass(frozen=True, slots=True)
class Claim:
    """One thing that has to be true for a layout to work."""

    kind: ClaimKind
    #: In words: "Fjell N2 runs 40 GB".
    words: str
    sheet: str
    #: Processors that are fitted, by id.
    processors: tuple[str, ...]
    #: What it is about: a total, or a module.
    total_gib: float | None = None
    module: Module | None = None

    @property
    def subject(self) -> tuple[object, ...]:
        """Two claims of one subject are one: a total, a density, a kind of module, or the mixture as such."""
        about: object = self.total_gib
        if self.module is not None and self.kind is ClaimKind.PART:
            about = self.module
        elif self.module is not None and self.kind is ClaimKind.DENSITY:
            about = self.module.die_gbit
        return (self.kind, about)


def claims_of(
    sheet: Sheet,
    machine: Machine,
    layout: Layout,
    judged: Evaluation,
    before: Layout | None = None,
    listed: Mapping[str, bool] = _NOTHING,
) -> tuple[Claim, ...]:
    """What a layout rests on, each once; nothing where all of it is vouched for.

    Parameters
        judged    `evaluate` of the layout
        before    what runs in the machine now: it has settled for itself that its parts, its densities and as much as
                  its total run there, and where nothing new comes in, everything
        listed    part -> whether the machine's maker lists it, where somebody told so beside the sheet
    """
    shown = (
        _Shown(before, Context(sheet=sheet, machine=machine, layout=before).installed_gib)
        if before is not None
        else None
    )
    if shown and shown.all_of(layout):
        return ()
    found: dict[tuple[object, ...], Claim] = {}
    for claim in (*_claims(sheet, machine, layout, judged), *_of_unlisted(sheet, machine, layout, listed)):
        if claim.kind is ClaimKind.PART and claim.module is not None and listed.get(claim.module.part or ""):
            continue
        if not (shown and shown.settles(claim)):
            found.setdefault(claim.subject, claim)
    return tuple(sorted(found.values(), key=lambda c: (c.kind, c.words)))


class _Shown:
    """What the memory that runs in the machine shows."""

    def __init__(self, before: Layout, total: float) -> None:
        modules = [m for m in before.values() if isinstance(m, Module)]
        self.kinds = Counter(alike(m) for m in modules)
        self.total = total
        self.densest = max((m.die_gbit for m in modules if m.die_gbit), default=0.0)

    def all_of(self, layout: Layout) -> bool:
        """Whether nothing in the layout is new to the machine."""
        return Counter(alike(m) for m in layout.values() if isinstance(m, Module)) <= self.kinds

    def settles(self, claim: Claim) -> bool:
        if claim.kind is ClaimKind.PART and claim.module is not None:
            return claim.module in self.kinds
        if claim.kind is ClaimKind.DENSITY and claim.module is not None:
            return (claim.module.die_gbit or 0) <= self.densest
        return claim.kind in ABOUT_TOTAL and (claim.total_gib or 0) <= self.total


def _claims(sheet: Sheet, machine: Machine, layout: Layout, judged: Evaluation) -> Iterator[Claim]:
    for finding in judged.findings:
        kind = OF_FINDING.get(finding.code)
        if kind is not None:
            modules = dict.fromkeys(alike(m) for s in finding.slots if isinstance(m := layout.get(s), Module))
            yield from claims_about(kind, sheet, machine, judged.installed_gib, tuple(modules))


def _of_unlisted(sheet: Sheet, machine: Machine, layout: Layout, listed: Mapping[str, bool]) -> Iterator[Claim]:
    """Parts that are told not to be listed, whether the sheet has a list or not."""
    modules = dict.fromkeys(
        alike(m) for m in layout.values() if isinstance(m, Module) and listed.get(m.part or "") is False
    )
    yield from claims_about(ClaimKind.PART, sheet, machine, 0, tuple(modules))


def claims_about(
    kind: ClaimKind, sheet: Sheet, machine: Machine, total: float, modules: tuple[Module, ...]
) -> Iterator[Claim]:
    """The claims that a finding of this kind leaves open, when the machine holds `total` and it points at `modules`."""
    processors = tuple(sorted({p for p in machine.processors.values() if p}))
    if kind in ABOUT_TOTAL:
        yield Claim(
            kind=kind,
            words=f"{sheet.title} runs {amount(total)} GB, over {_OVER[kind]}",
            sheet=sheet.id,
            processors=processors,
            total_gib=total,
        )
    elif kind is ClaimKind.DENSITY:
        for m in modules:
            words = f"{sheet.title} addresses dies of {amount(m.die_gbit)} Gbit"
            yield Claim(kind=kind, words=words, sheet=sheet.id, processors=processors, total_gib=None, module=m)
    elif kind is ClaimKind.PART:
        for m in modules:
            yield Claim(
                kind=kind,
                words=f"{m.part or m.short()} runs on {sheet.title}",
                sheet=sheet.id,
                processors=processors,
                total_gib=None,
                module=m,
            )
    elif modules:
        words = f"{modules[0].short()} runs beside the others on {sheet.title}"
        yield Claim(kind=kind, words=words, sheet=sheet.id, processors=processors, total_gib=None, module=modules[0])

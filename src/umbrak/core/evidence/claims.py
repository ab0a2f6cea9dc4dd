"""Claims: what a layout rests on that neither a hard rule nor anybody who vouches for it has settled."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from umbrak.core.evaluate import Evaluation
from umbrak.core.evidence.table import ClaimKind
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet

#: Finding -> the claim that it leaves open.
_OF_FINDING = {
    "risk.over-official": ClaimKind.OVER_OFFICIAL,
    "limit.firmware": ClaimKind.OVER_OFFICIAL,  # official with another version, and that is not the one it runs
    "risk.over-processor": ClaimKind.OVER_PROCESSOR,
    "risk.density": ClaimKind.DENSITY,
    "risk.unproved": ClaimKind.UNPROVED,
    "risk.mixed-makers": ClaimKind.MIXED_MAKERS,
    "risk.mixed-kits": ClaimKind.MIXED_KITS,
}


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
        """Two claims of one subject are one."""
        part = self.module and (self.module.part, self.module.revision, organisation(self.module))
        return (self.kind, self.total_gib, part)


def organisation(module: Module) -> tuple[object, ...]:
    """What the memory controller sees of a module: two of one organisation differ only in whose they are."""
    m = module
    return (m.generation, m.form, m.buffering, m.ecc, m.capacity_gib, m.package_ranks, m.device_width, m.die_gbit)


def claims_of(sheet: Sheet, machine: Machine, layout: Layout, judged: Evaluation) -> tuple[Claim, ...]:
    """What a layout rests on, each once; nothing where all of it is vouched for.

    Parameters
        judged    `evaluate` of the layout
    """
    found: dict[tuple[object, ...], Claim] = {}
    for claim in _claims(sheet, machine, layout, judged):
        found.setdefault(claim.subject, claim)
    return tuple(found.values())


def _claims(sheet: Sheet, machine: Machine, layout: Layout, judged: Evaluation) -> Iterator[Claim]:
    processors = tuple(sorted({p for p in machine.processors.values() if p}))
    total = judged.installed_gib
    for finding in judged.findings:
        kind = _OF_FINDING.get(finding.code)
        modules = [m for s in finding.slots if isinstance(m := layout.get(s), Module)]
        if kind in (ClaimKind.OVER_OFFICIAL, ClaimKind.OVER_PROCESSOR, ClaimKind.UNPROVED):
            yield Claim(kind, f"{sheet.title} runs {total:g} GB", sheet.id, processors, total)
        elif kind is ClaimKind.DENSITY and modules:
            words = f"{sheet.title} addresses dies of {modules[0].die_gbit or 0:g} Gbit"
            yield Claim(kind, words, sheet.id, processors, None, modules[0])
        elif kind is not None and modules:
            words = f"{modules[0].short()} runs beside the others on {sheet.title}"
            yield Claim(kind, words, sheet.id, processors, None, modules[0])
        elif finding.code == "risk.unlisted":
            for module in dict.fromkeys(modules):
                words = f"{module.part or module.short()} runs on {sheet.title}"
                yield Claim(ClaimKind.PART, words, sheet.id, processors, None, module)

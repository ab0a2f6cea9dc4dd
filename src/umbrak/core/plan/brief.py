"""What to look for in a shop: each kind that a plan buys, what would do as well, what is nearly right and what is wrong.

Nothing of it is a table of advice: every variant is put into the plan and judged by the rules, and its answer is told.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace

from umbrak.core.evaluate import Evaluation, evaluate
from umbrak.core.memory.module import DIE_GBIT, HEIGHT_MM, Buffering, Form, Generation, Module, alike, amount, complete
from umbrak.core.memory.rates import STANDARD_RATES_MTS
from umbrak.core.plan.actions import Do, actions
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Statement
from umbrak.core.rules.finding import Finding, Severity

#: What a shop calls each kind.
_SHOP: dict[Buffering, str] = {
    Buffering.REGISTERED: "RDIMM",
    Buffering.LOAD_REDUCED: "LRDIMM",
    Buffering.FULLY_BUFFERED: "FB-DIMM",
}
#: A module that is taller than usual, as with a heat spreader or a second row of chips. [mm]
_TALL_MM = 40.0


@dataclass(frozen=True, slots=True)
class Variant:
    """A module unlike the one looked for in one respect, and what it would do in the plan."""

    #: In what respect: "1.5 V only", "2Rx8", "without ECC".
    words: str
    #: What it would do, or why it is wrong; "" = the same.
    comes_to: str

    def __str__(self) -> str:
        return f"{self.words} ({self.comes_to})" if self.comes_to else self.words


@dataclass(frozen=True, slots=True)
class Detail:
    what: str
    words: str


@dataclass(frozen=True, slots=True)
class Wanted:
    """One kind that is bought."""

    count: int
    module: Module
    #: In a shop's words: "4 x 16 GB DDR4-2666 RDIMM".
    words: str
    #: What else the label or the listing has to say.
    details: tuple[Detail, ...]
    as_well: tuple[Variant, ...]
    nearly: tuple[Variant, ...]
    wrong: tuple[Variant, ...]


@dataclass(frozen=True, slots=True)
class Brief:
    lines: tuple[Wanted, ...]
    #: What is not known and could turn it: while any stands, nobody can say that it fits.
    open: tuple[str, ...]
    #: What stops the plan as it is.
    stops: tuple[str, ...]
    #: What to ask of all of it: "all of one part number".
    besides: tuple[str, ...]
    #: All of it as text that a shop, a colleague or an order can be sent; "" where nothing is bought.
    text: str = ""


def brief_of(
    sheet: Sheet,
    machine: Machine,
    now: Layout,
    goal: Layout,
    statements: tuple[Statement, ...] = (),
    ran: Layout | None = None,
) -> Brief:
    """What to look for, for the modules that a goal has beyond what is there.

    Parameters
        now    what is fitted; what of it goes to another slot is not bought
        ran    what of it is known to have run there; None = all of it
    """
    bought = Counter(
        alike(a.module)
        for a in actions(sheet, now, goal)
        if a.do is Do.PUT_IN and a.source is None and a.module is not None
    )
    judged = evaluate(sheet, machine, goal, statements, now, ran=ran)
    plan = _Plan(sheet=sheet, machine=machine, now=now, goal=goal, statements=statements, ran=ran, judged=judged)
    brief = Brief(
        lines=tuple(_line(plan, m, n) for m, n in bought.items()),
        open=_said(judged, Severity.ASK),
        stops=_said(judged, Severity.STOP),
        besides=tuple(_besides(sum(bought.values()), len(bought))),
    )
    return replace(brief, text="\n".join(_text(brief)))


def _text(brief: Brief) -> Iterator[str]:
    if not brief.lines:
        return
    if brief.stops:
        yield "This plan cannot work as it is:"
        yield from (f"  {w}" for w in brief.stops)
    for line in brief.lines:
        yield line.words
        yield from (f"    {d.what}: {d.words}" for d in line.details)
        yield from (f"  as well: {v}" for v in line.as_well)
        yield from (f"  nearly:  {v.words}: {v.comes_to}" for v in line.nearly)
        yield from (f"  wrong:   {v.words}: {v.comes_to}" for v in line.wrong)
    yield from brief.besides
    if brief.open:
        yield "Nobody can say yet that it fits; not known:"
        yield from (f"  {w}" for w in brief.open)


def _said(judged: Evaluation, severity: Severity) -> tuple[str, ...]:
    return tuple(dict.fromkeys(f.message for f in judged.findings if f.severity is severity))


def _besides(modules: int, kinds: int) -> Iterator[str]:
    if modules > kinds:
        yield "All of one kind from one maker under one part number: a kit of that many is best."
    if modules:
        yield "Ask for the part number and the right to send it back before paying."


@dataclass(frozen=True)
class _Plan:
    sheet: Sheet
    machine: Machine
    now: Layout
    goal: Layout
    statements: tuple[Statement, ...]
    ran: Layout | None
    judged: Evaluation

    def with_(self, instead: Module, of: Module) -> Evaluation:
        """The plan judged with another module wherever one kind would come in."""
        came = {s for s, m in self.goal.items() if isinstance(m, Module) and alike(m) == of and self.now.get(s) != m}
        goal = Layout({s: instead if s in came else m for s, m in self.goal.items()})
        return evaluate(self.sheet, self.machine, goal, self.statements, self.now, ran=self.ran)


def _line(plan: _Plan, module: Module, count: int) -> Wanted:
    as_well: list[Variant] = []
    nearly: list[Variant] = []
    wrong: list[Variant] = []
    for words, variant in _variants(module, plan.sheet):
        kind, comes_to = _compared(plan.judged, plan.with_(variant, module))
        (as_well if kind is None else wrong if kind is Severity.STOP else nearly).append(Variant(words, comes_to))
    return Wanted(
        count=count,
        module=module,
        words=f"{count} × {shop_words(module)}",
        details=tuple(_details(plan.sheet, module)),
        as_well=tuple(as_well),
        nearly=tuple(nearly),
        wrong=tuple(wrong),
    )


def _compared(before: Evaluation, after: Evaluation) -> tuple[Severity | None, str]:
    """(how bad what is new is, in words); None = it would do the same, or is only faster."""
    known = {x for f in before.findings for x in _told(f)}
    new = [f for f in after.findings if not known.issuperset(_told(f)) and f.code not in _OF_PARTS]
    worst = min(new, key=lambda f: _BADNESS.index(f.severity), default=None)
    if worst and worst.severity is Severity.STOP:
        return Severity.STOP, _sentence(worst)
    told = []
    if worst and worst.severity in (Severity.ASK, Severity.RISK):
        told.append(_sentence(worst))
    rate = ""
    if after.data_rate_mts and before.data_rate_mts and after.data_rate_mts != before.data_rate_mts:
        rate = f"all would run at {after.data_rate_mts} instead of {before.data_rate_mts} MT/s"
        if after.data_rate_mts < before.data_rate_mts:
            told.append(rate)
    if after.installed_gib != before.installed_gib:
        told.append(f"{amount(after.installed_gib)} instead of {amount(before.installed_gib)} GB in all")
    if volts := _volts(before, after):
        told.append(volts)
    if told:
        return worst.severity if worst else Severity.SLOW, "; ".join(told)
    return None, rate


def _told(f: Finding) -> Iterator[tuple[str, ...]]:
    """What makes a finding another one: its code and severity, and of what is asked each fact."""
    yield f.code, f.severity
    yield from ((f.code, n) for n in f.needs)


#: Findings that are about whose part it is: a variant has no part number yet.
_OF_PARTS = frozenset({"risk.unlisted", "risk.mixed-makers", "risk.mixed-kits"})
_BADNESS = (Severity.STOP, Severity.ASK, Severity.RISK, Severity.SLOW, Severity.NOTE)


def _sentence(f: Finding) -> str:
    return f.message


def _volts(before: Evaluation, after: Evaluation) -> str:
    was, then = ({r.domain: r.volts for r in e.rails} for e in (before, after))
    changed = [v for d, v in then.items() if v and was.get(d) and v != was[d]]
    return f"memory would run at {amount(changed[0])} V" if changed else ""


def shop_words(m: Module) -> str:
    """As a shop lists it: "16 GB DDR4-2666 ECC RDIMM"."""
    words = [f"{amount(m.capacity_gib)} GB" if m.capacity_gib else "size not told"]
    name = m.generation.value if m.generation else ""
    if m.generation is Generation.DDR3 and m.rails_v and m.rails_v[0] < 1.5:
        name += "L" if 1.35 in m.rails_v else "U"
    words.append(f"{name}-{m.rate_mts}" if m.rate_mts else name)
    if m.buffering in _SHOP:
        words.append(_SHOP[m.buffering])
    elif m.buffering is Buffering.UNBUFFERED:
        words.append("ECC" if m.ecc else "non-ECC" if m.ecc is False else "")
        words.append("SO-DIMM" if m.form is Form.SO_DIMM else "UDIMM")
    return " ".join(w for w in words if w)


def _details(sheet: Sheet, m: Module) -> Iterator[Detail]:
    if m.package_ranks and m.device_width:
        stack = f", stacked {m.stack_height} high" if (m.stack_height or 1) > 1 else ""
        yield Detail("ranks and width", f"{m.package_ranks}Rx{m.device_width}{stack}")
    if m.die_gbit:
        yield Detail("dies", f"{amount(m.die_gbit)} Gbit")
    if m.rails_v:
        yield Detail("volts", " or ".join(f"{v:g}" for v in m.rails_v) + " V")
    if m.rate_mts and m.generation:
        number = m.rate_mts * 8 // 100 * 100 if m.generation in _IN_MB else m.rate_mts
        yield Detail("on its label", f"PC{m.generation.value[3:]}-{number}")
    if heights := _clearances(sheet):
        yield Detail("height", f"at most {amount(min(heights))} mm")
    elif mm := m.height_mm or HEIGHT_MM.get((str(m.form), str(m.generation))):
        yield Detail("height", f"usual height, {amount(mm)} mm")
    if m.part:
        yield Detail("part", m.part)


def _clearances(sheet: Sheet) -> list[float]:
    """Room above slots, as far as it is told. [mm]"""
    told = (mm for s in sheet.slots.values() for mm in (s.clearance.fitted, s.clearance.on_the_way))
    return [mm for mm in told if mm is not None]


#: Generations whose modules are named by bandwidth in MB/s (JESD21-C); DDR4 and DDR5 by the rate and what is usual beside it.
_IN_MB = (Generation.DDR2, Generation.DDR3)


def _variants(m: Module, sheet: Sheet) -> Iterator[tuple[str, Module]]:
    """(in what respect, the module so): each made anew from what stays."""
    yield from _other_rates(m)
    yield from _other_organisations(m)
    if m.generation is Generation.DDR3:
        for words, rails in (("1.5 V only, without the L", (1.5,)), ("DDR3L, at 1.35 V as well", (1.35, 1.5))):
            if rails != m.rails_v:
                yield words, replace(m, rails_v=rails)
    if m.buffering is Buffering.UNBUFFERED and m.ecc is not None:
        width = 8 if m.device_width == 16 and not m.ecc else m.device_width
        yield "without ECC" if m.ecc else "with ECC", complete(replace(m, ecc=not m.ecc, ecc_bits=None, device_width=width, die_gbit=None if width != m.device_width else m.die_gbit))[0]  # fmt: skip
    if m.form is Form.DIMM:
        for kind in (Buffering.UNBUFFERED, Buffering.REGISTERED, Buffering.LOAD_REDUCED):
            if kind is not m.buffering and m.generation and (m.generation, kind) not in _NO_SUCH:
                name = _SHOP.get(kind, "ECC UDIMM")
                yield f"{name} instead", complete(replace(m, buffering=kind, ecc=True, ecc_bits=None))[0]
    if _clearances(sheet):
        yield f"{amount(_TALL_MM)} mm tall, with a heat spreader", replace(m, height_mm=_TALL_MM)


#: Kinds that a generation does not have.
_NO_SUCH = {(Generation.DDR2, Buffering.LOAD_REDUCED), (Generation.DDR5, Buffering.LOAD_REDUCED)}


def _other_rates(m: Module) -> Iterator[tuple[str, Module]]:
    if not m.rate_mts or not m.generation:
        return
    rates = STANDARD_RATES_MTS[m.generation]
    slower, faster = [r for r in rates if r < m.rate_mts], [r for r in rates if r > m.rate_mts]
    for rate in (*slower[-1:], *faster[:2]):
        yield f"{m.generation.value}-{rate}", replace(m, rate_mts=rate, timing=None)


def _other_organisations(m: Module) -> Iterator[tuple[str, Module]]:
    if not (m.generation and m.capacity_gib and m.package_ranks and m.device_width):
        return
    unbuffered = m.buffering is Buffering.UNBUFFERED
    for ranks in (1, 2) if unbuffered else (1, 2, 4):
        for width in (8, 16) if unbuffered else (4, 8):
            if (ranks, width) == (m.package_ranks, m.device_width) or (m.ecc and width == 16):
                continue
            die = m.capacity_gib * 8 * width / (64 * ranks)
            if die in DIE_GBIT[m.generation]:
                made = replace(m, package_ranks=ranks, device_width=width, stack_height=1, logical_ranks=ranks, die_gbit=die)  # fmt: skip
                yield f"{ranks}Rx{width}, of {amount(die)} Gbit dies", made

"""What a sheet says of a few fills: one, two, four ... modules by its order, and one that it forbids. For who writes it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from umbrak.core.evaluate import Evaluation, evaluate
from umbrak.core.memory.module import HEIGHT_MM, Buffering, Form, Generation, Module, complete
from umbrak.core.memory.rates import board_rails
from umbrak.core.plan.arrange import next_set
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.sheet import ModuleTest, Sheet
from umbrak.core.rules.finding import Finding, Severity, Verdict

#: A module of every size and rate of its time: what a sample is where the sheet does not bound it. [GiB], [MT/s]
_USUAL: dict[str, tuple[float, int]] = {"DDR2": (2, 667), "DDR3": (8, 1600), "DDR4": (16, 2400), "DDR5": (16, 4800)}
#: Fills shown of one sheet: the first steps of its order and its last.
_MOST = 8


@dataclass(frozen=True, slots=True)
class Sample:
    """One fill and what the sheet makes of it."""

    layout: Layout
    evaluation: Evaluation
    #: What is said first against it; None: nothing.
    first: Finding | None


@dataclass(frozen=True, slots=True)
class Samples:
    """Some fills with one module, and one that is forbidden."""

    #: None where it is not told what the board takes, nor known what ran.
    module: Module | None
    fills: tuple[Sample, ...]
    #: None where nothing that was tried is.
    forbidden: Sample | None


def samples_of(sheet: Sheet) -> Samples:
    """Fills in a machine whose sockets all hold their first processor."""
    module = sample_module(sheet)
    if module is None:
        return Samples(None, (), None)
    machine = Machine(processors={name: s.processors[0] for name, s in sheet.sockets.items()})
    fills = [_judged(sheet, machine, layout) for layout in _some(list(_fills(sheet, machine, module)))]
    tried = (_judged(sheet, machine, layout) for layout in _doubtful(sheet, machine, module, fills))
    return Samples(module, tuple(fills), next((s for s in tried if s.evaluation.verdict is Verdict.NO_GO), None))


def sample_module(sheet: Sheet) -> Module | None:
    """A usual module of the first kind that the sheet takes, within what it says of slots and dies; None where no kind is told."""
    memory = sheet.memory
    missing = sheet.not_told("memory.accepts")
    kinds = [k.test for k in memory.accepts] or [
        t for t in (missing.seen if missing else ()) if isinstance(t, ModuleTest)
    ]
    if not kinds:
        return None
    wanted = dict(kinds[0].wanted)
    gib, rate = _USUAL[memory.generation]
    # One that every processor takes.
    rates = [p.rates_mts[-1] for p in sheet.processors.values() if p.rates_mts]
    limits = [s for s in sheet.limits if s.scope == "slot" and s.capacity_gib]
    while any(gib > (s.capacity_gib or gib) for s in limits) and gib > 1:
        gib /= 2
    family = board_rails(Generation(memory.generation))
    buffering = Buffering(str(wanted["buffering"])) if "buffering" in wanted else Buffering.UNBUFFERED
    ranks = int(str(wanted.get("package_ranks") or 2))
    width = int(str(wanted.get("device_width") or 8))
    ecc = wanted.get("ecc")
    # Where there is a list it is one of that; all are of one part.
    listed = next(iter(sheet.listed), None)
    if listed and listed.capacity_gib:
        gib = listed.capacity_gib
    module = Module(
        part=listed.part.replace("*", "0") if listed else "SAMPLE",
        generation=Generation(memory.generation),
        form=Form(memory.form),
        buffering=buffering,
        ecc=bool(ecc) if ecc is not None else buffering is not Buffering.UNBUFFERED,
        capacity_gib=float(str(wanted.get("capacity_gib") or gib)),
        package_ranks=ranks,
        stack_height=int(str(wanted.get("stack_height") or 1)),
        device_width=width,
        rate_mts=min(rates, default=rate),
        height_mm=HEIGHT_MM[(memory.form, memory.generation)],
        rails_v=tuple(family if len(family) == 1 else sorted(family)),
    )
    return complete(module)[0]


def _judged(sheet: Sheet, machine: Machine, layout: Layout) -> Sample:
    found = evaluate(sheet, machine, layout)
    told = [f for f in found.findings if f.severity not in (Severity.NOTE,)]
    return Sample(layout, found, told[0] if told else None)


def _fills(sheet: Sheet, machine: Machine, module: Module) -> Iterator[Layout]:
    """Each step of the order, from empty to full."""
    layout: Layout | None = next_set(sheet, machine, Layout(), module)
    count = 0
    while layout is not None and len(layout) > count:
        yield layout
        count = len(layout)
        layout = next_set(sheet, machine, layout, module)


def _some(fills: list[Layout]) -> list[Layout]:
    """Of many the first, those about twice the one before, and the last."""
    kept: list[Layout] = []
    for i, layout in enumerate(fills):
        if len(fills) <= _MOST or not kept or len(layout) >= 2 * len(kept[-1]) or i == len(fills) - 1:
            kept.append(layout)
    return kept


def _doubtful(sheet: Sheet, machine: Machine, module: Module, fills: list[Sample]) -> Iterator[Layout]:
    """Fills that a sheet may well forbid: another number, other slots, unlike modules, refused ones, too much."""
    slots = list(sheet.slots)
    for fill in sheet.fills:
        for n in range(1, len(fill.slots)):
            if n not in fill.layouts:
                yield Layout(dict.fromkeys(fill.slots[:n], module))
        if len(fill.slots) > 1:
            least = min(fill.layouts)
            yield Layout(dict.fromkeys(fill.slots[-least:], module))
    full = Layout(dict.fromkeys(slots, module))
    for group in sheet.memory.never_together:
        for i, slot in enumerate(slots[:2]):
            full = Layout({**full, slot: _as(module, group[i % len(group)])})
        yield full
    for test in sheet.memory.refuses:
        yield Layout(dict.fromkeys(slots[:1], _as(module, test)))
    if fills and module.capacity_gib:
        yield Layout(
            dict.fromkeys(fills[-1].layout, replace(module, capacity_gib=module.capacity_gib * 8, die_gbit=None))
        )


def _as(module: Module, test: ModuleTest) -> Module:
    """The module as a test wants it."""
    wanted = {k: Buffering(str(v)) if k == "buffering" else v for k, v in test.wanted}
    changed: dict[str, object] = {"die_gbit": None, "logical_ranks": None, **wanted}
    return complete(replace(module, **changed))[0]  # type: ignore[arg-type]  # a test's members are a module's

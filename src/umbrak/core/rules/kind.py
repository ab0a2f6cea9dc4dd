"""kind: which kinds of module the machine drives, and which may live together."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace

from umbrak.core.memory.module import Buffering, Module, against_itself, alike, completions, member_words
from umbrak.core.platform.sheet import MemoryRules, ModuleTest
from umbrak.core.rules.context import Context
from umbrak.core.rules.finding import Finding, Severity
from umbrak.core.rules.fit import wrong_notch
from umbrak.core.rules.register import rule
from umbrak.core.seating import Seated


def kind_words(module: Module) -> str:
    """A module's kind for people: "unbuffered ECC"."""
    ecc = (
        ""
        if module.ecc is None or module.buffering is not Buffering.UNBUFFERED
        else " ECC"
        if module.ecc
        else " non-ECC"
    )
    return f"{module.buffering or 'unknown kind'}{ecc}"


def is_taken(ctx: Context, module: Module) -> tuple[bool | None, bool | None]:
    """(whether some kind accepts it, whether some certified kind does); a refused kind is never accepted. None where that
    hangs on a member that is not known: every value that it can have is tried."""
    memory = ctx.sheet.memory
    tests = (*(k.test for k in memory.accepts), *memory.refuses)
    members = ctx.once("kind members", lambda: sorted({name for t in tests for name, _ in t.wanted}))
    key = tuple([getattr(module, name) for name in members])
    return ctx.once(("kind", key), lambda: _judge_all(memory, completions(module, members)))


def _judge_all(memory: MemoryRules, modules: Iterable[Module]) -> tuple[bool | None, bool | None]:
    answers = [_judge(memory, m) for m in modules]
    accepted, certified = ({a for a, _ in answers}, {c for _, c in answers})
    return accepted.pop() if len(accepted) == 1 else None, certified.pop() if len(certified) == 1 else None


def _judge(memory: MemoryRules, module: Module) -> tuple[bool | None, bool | None]:
    refused = [t.matches(module) for t in memory.refuses]
    # Where nobody tells the kinds, `sheet.open` asks: only what is refused is sure.
    anything = (ModuleTest(),) if not memory.accepts else ()

    def any_of(tests: Iterable[ModuleTest]) -> bool | None:
        answers = [t.matches(module) for t in tests]
        accepted = True if True in answers else None if None in answers else False
        if True in refused or accepted is False:
            return False
        return None if None in refused else accepted

    certified = [k.test for k in memory.accepts if k.certified]
    return any_of((*anything, *(k.test for k in memory.accepts))), any_of((*anything, *certified))


def _lacks_only_ecc(ctx: Context, module: Module) -> bool:
    return module.ecc is False and any(
        ("ecc", True) in k.test.wanted and ModuleTest(tuple(w for w in k.test.wanted if w[0] != "ecc")).matches(module)
        for k in ctx.sheet.memory.accepts
    )


def _refused_by(ctx: Context, module: Module) -> ModuleTest | None:
    return next((t for t in ctx.sheet.memory.refuses if t.matches(module)), None)


def _accepted_words(ctx: Context) -> str:
    return " or ".join(dict.fromkeys(k.test.words() for k in ctx.sheet.memory.accepts))


@rule("kind.refused")
def refused(ctx: Context) -> Iterator[Finding]:
    """A kind that the machine does not take."""
    source = ctx.sheet.memory.source
    wrong: dict[str, list[str]] = {}
    unsure: list[str] = []
    needs: list[str] = []
    for m, slots in ctx.groups:
        accepted, _ = is_taken(ctx, m)
        if accepted is False and not _lacks_only_ecc(ctx, m) and not wrong_notch(ctx, m):
            refused = _refused_by(ctx, m)
            wrong.setdefault(refused.words() if refused else kind_words(m), []).extend(slots)
        elif accepted is None:
            unsure += slots
            tests = [*(k.test for k in ctx.sheet.memory.accepts), *ctx.sheet.memory.refuses]
            needs += [f"{slot}.{name}" for slot in slots for t in tests for name in t.unknown(m)]
    for kind, where in wrong.items():
        test = _refused_by(ctx, ctx.modules[where[0]])
        # What is taken but for something that is refused is told by what is refused.
        message = f"{ctx.names(where)}: {kind} is not taken; this machine takes {_accepted_words(ctx)}"
        if test is not None:
            message = f"{ctx.names(where)}: this machine refuses {test.words()} modules"
        yield ctx.finding("kind.refused", Severity.STOP, where, message, source)
    if unsure:
        words = _members(needs)
        message = f"{words} of {ctx.names(unsure)} {'are' if ' and ' in words else 'is'} not known; this machine takes {_accepted_words(ctx)}"
        yield ctx.ask("kind.refused", unsure, message, needs, Severity.STOP, source)


def _members(needs: Iterable[str]) -> str:
    """The members that are needed, for people: "ECC and device width"."""
    return " and ".join(member_words(n) for n in sorted({n.rsplit(".", 1)[1] for n in needs}))


@rule("kind.contradiction")
def contradiction(ctx: Context) -> Iterator[Finding]:
    """What is told of a module cannot all be true: which of it is not, nobody knows."""
    wrong: dict[tuple[str, Severity], list[tuple[str, str]]] = {}
    for m, slots in ctx.groups:
        for c in against_itself(alike(m)):
            # What a module that runs here is said to be may be wrong, but that it runs is seen; how much it holds is not.
            could = Severity.SLOW if ctx.known_here(m) and "capacity_gib" not in c.fields else Severity.STOP
            wrong.setdefault((c.message, could), []).extend((s, c.fields[0]) for s in slots)
    for (words, could), where in wrong.items():
        told = [s for s, _ in where]
        message = f"What is told of {ctx.names(told)} cannot be so: {words}"
        yield ctx.ask("kind.contradiction", told, message, [f"{s}.{member}" for s, member in where], could)


@rule("kind.ecc-required")
def ecc_required(ctx: Context) -> Iterator[Finding]:
    """A kind that would be taken, had it ECC."""
    alike = (slots for m, slots in ctx.groups if is_taken(ctx, m)[0] is False and _lacks_only_ecc(ctx, m))
    slots = [s for each in alike for s in each]
    if slots:
        message = (
            f"{ctx.names(slots)} {ctx.are(slots, 'has', 'have')} no ECC; this machine takes {_accepted_words(ctx)}"
        )
        yield ctx.finding("kind.ecc-required", Severity.STOP, slots, message, ctx.sheet.memory.source)


@rule(
    "kind.uncertified", applies=lambda ctx: bool(ctx.modules) and any(not k.certified for k in ctx.sheet.memory.accepts)
)
def uncertified(ctx: Context) -> Iterator[Finding]:
    """A kind that works but lacks the maker's word."""
    open_ = {s: m for m, each in ctx.groups if is_taken(ctx, m) == (True, None) for s in each}
    if open_:
        tests = [k.test for k in ctx.sheet.memory.accepts]
        needs = [f"{s}.{name}" for s, m in open_.items() for t in tests for name in t.unknown(m)]
        message = f"{_members(needs)} of {ctx.names(open_)} {'are' if ' and ' in _members(needs) else 'is'} not known; not every kind is certified"
        yield ctx.ask("kind.uncertified", open_, message, needs, Severity.RISK, ctx.sheet.memory.source)
    slots = [s for m, each in ctx.groups if is_taken(ctx, m) == (True, False) for s in each]
    if slots:
        kind = kind_words(ctx.modules[slots[0]])
        message = f"{ctx.names(slots)}: {kind} works in this machine, but its maker does not certify it"
        yield ctx.finding("kind.uncertified", Severity.RISK, slots, message, ctx.sheet.memory.source)


@rule("kind.mixed")
def mixed(ctx: Context) -> Iterator[Finding]:
    """Several bufferings in one machine (their bus loading and timing differ by standard), or what the sheet keeps apart."""
    source = ctx.sheet.memory.source
    kinds: dict[Buffering, list[str | None]] = {}
    for m, each in ctx.all_groups:
        if m.buffering is not None:
            kinds.setdefault(m.buffering, []).extend(each)
        elif m.ecc is False:  # buffered ones have ECC: whatever it is, it is none of those
            kinds.setdefault(Buffering.UNBUFFERED, []).extend(each)
    if len(kinds) > 1:
        least = min(kinds.values(), key=lambda slots: (len(slots), ctx.ordered(slots)))
        message = f"{' and '.join(sorted(kinds))} modules cannot work in one machine"
        yield ctx.finding("kind.mixed", Severity.STOP, least, message, source)
    for place, both in _scopes(ctx).items() if ctx.sheet.memory.never_together else ():
        seated: list[Seated] = [(s, m) for s, m in both if s is not None]  # what is soldered was made for its board
        for tests in ctx.sheet.memory.never_together:
            if len(kinds) > 1 and all(name == "buffering" for t in tests for name, _ in t.wanted):
                continue  # said above: the sheet tells what the standards do
            met = [(t, [s for s, m in seated if t.matches(m)]) for t in tests]
            met = [(t, slots) for t, slots in met if slots]
            if len(met) > 1:
                least = min((slots for _, slots in met), key=lambda slots: (len(slots), ctx.ordered(slots)))
                message = f"{' and '.join(t.words() for t, _ in met)} must not stand together in one {place[0]}"
                yield ctx.finding("kind.mixed", Severity.STOP, least, message, source)
                continue
            unsure = [(s, n) for s, m in seated for t in tests if t.matches(m) is None for n in t.unknown(m)]
            if unsure and len(seated) > 1:
                slots = sorted({s for s, _ in unsure if s})
                message = f"{' and '.join(t.words() for t in tests)} must not stand together; which of them {ctx.names(slots)} {ctx.are(slots)} is not known"
                yield ctx.ask("kind.mixed", slots, message, [f"{s}.{n}" for s, n in unsure], Severity.STOP, source)


def _scopes(ctx: Context) -> Mapping[tuple[str, str], list[tuple[str | None, Module]]]:
    within = ctx.sheet.memory.together_within
    if within == "machine":
        return {("machine", ""): list(ctx.all_seated)}
    if within == "socket":
        return {("socket", s): list(ctx.seated_on(s)) for s in ctx.live_sockets}
    return {("channel", c.id): list(ctx.seated[c.id]) for s in ctx.live_sockets for c in ctx.channels(s)}


@rule("kind.ecc-mixed")
def ecc_mixed(ctx: Context) -> Iterator[Finding]:
    """Modules with and without ECC in one machine, or some of which nobody knows whether they have it."""
    having = [s for m, slots in ctx.all_groups if m.ecc for s in slots]
    lacking = [s for m, slots in ctx.all_groups if m.ecc is False for s in slots]
    if not having or not lacking:
        yield from _ecc_untold(ctx)
        return
    source, least = ctx.sheet.memory.source, min(having, lacking, key=len)
    match ctx.sheet.memory.ecc_mixed:
        case "refused":
            yield ctx.finding(
                "kind.ecc-mixed",
                Severity.STOP,
                least,
                "Modules with and without ECC must not stand in one machine",
                source,
            )
        case "untold":
            message = "Modules with and without ECC stand together; the sources do not say what that does"
            yield ctx.finding("kind.ecc-mixed", Severity.RISK, least, message, source)
        case "loses":
            message = f"{ctx.names(lacking)} {ctx.are(lacking, 'has', 'have')} no ECC; the whole machine loses it"
            yield ctx.finding("kind.ecc-mixed", Severity.RISK, lacking, message, source)
        case _:
            message = "Modules with and without ECC stand together, and the sheet does not say what that does"
            yield ctx.ask("kind.ecc-mixed", least, message, ["sheet.memory.ecc_mixed"], Severity.STOP, source)


def _ecc_untold(ctx: Context) -> Iterator[Finding]:
    """Modules whose ECC is not known where the machine takes them with and without it."""
    unsure = [s for m, slots in ctx.groups if m.ecc is None and _may_have_ecc_or_not(ctx, m) for s in slots]
    if not unsure or len(ctx.all_seated) < 2:
        return
    could = Severity.RISK if ctx.sheet.memory.ecc_mixed in ("loses", "untold") else Severity.STOP
    does = (
        "the whole machine loses it by one without"
        if ctx.sheet.memory.ecc_mixed == "loses"
        else "modules with and without may not stand together"
    )
    message = f"Whether {ctx.names(unsure)} {ctx.are(unsure, 'has', 'have')} ECC is not known; {does}"
    yield ctx.ask("kind.ecc-mixed", unsure, message, [f"{s}.ecc" for s in unsure], could, ctx.sheet.memory.source)


def _may_have_ecc_or_not(ctx: Context, module: Module) -> bool:
    return all(_judge(ctx.sheet.memory, replace(module, ecc=ecc))[0] for ecc in (True, False))

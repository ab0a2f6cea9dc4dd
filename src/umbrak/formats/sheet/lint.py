"""What is legal in a sheet but wrong in the domain; the texts of the codes are in codes.py."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from fnmatch import fnmatchcase
from functools import partial
from itertools import chain, product

from umbrak.core.memory.rates import board_rails, family_rails
from umbrak.core.platform.fact import FACT_OF_AMOUNT, FACTS, State, asked_of
from umbrak.core.platform.sheet import Channel, Kind, ModuleTest, Processor, RateRow, Sheet
from umbrak.core.platform.statement import Statement, Versions, version_key
from umbrak.formats.bounds import MAX_TOLD, Deadline
from umbrak.formats.documents import AMOUNTS
from umbrak.formats.faults import Fault
from umbrak.formats.sheet.codes import CODES
from umbrak.formats.yaml_text import Document, Path

#: (path of what is wrong, what is wrong, code)
_Found = Iterator[tuple[Path, str, str]]


def lint(document: Document, sheet: Sheet, deadline: Deadline) -> list[Fault]:
    """What the checks find, MAX_TOLD things at most. Raises InputError when it takes too long."""
    checks = (_open, _rails, partial(_rates, deadline=deadline), _limits, _official_twice, _slots, _ways, _orders, _kinds_and_modes, _unused, _geometry)  # fmt: skip
    found = []
    for each in chain.from_iterable(check(sheet) for check in checks):
        deadline.check("the checks of the whole")
        found.append(each)
        if len(found) >= MAX_TOLD:
            break
    assert all(code in CODES for _, _, code in found)
    return [document.fault(path, message, code) for path, message, code in found]


def _open(sheet: Sheet) -> _Found:
    """Facts that nobody has looked up, those that could hide most first."""
    for fact in open_facts(sheet):
        asked = asked_of(fact)
        if asked:
            path = tuple(fact.split("."))
            yield (
                path[:1] if path[0] == "limits" else path,
                f"{asked.what} is open; it could hide {asked.hides}. Look in {asked.where}",
                "fact-open",
            )


def _like(fact: str, known: str) -> bool:
    return fnmatchcase(fact, known)


def open_facts(sheet: Sheet) -> list[str]:
    """Facts left out or open, as far as what the machine takes makes them matter; those that could hide most first."""
    kinds = [k.test for k in sheet.memory.accepts]
    if missing := sheet.not_told("memory.accepts"):
        kinds += [t for t in missing.seen if isinstance(t, ModuleTest)]
    takes = {value for test in kinds for name, value in test.wanted if name == "buffering"}
    driven = not takes or bool(takes - {"unbuffered", "fully-buffered"})
    matters = {
        "memory.load_reduced_counts_as": "load-reduced" in takes or not takes,
        "memory.never_together": driven or sheet.memory.generation == "DDR5",
    }
    every = [*sheet.limits, *(s for p in sheet.processors.values() for s in p.limits)]
    told = {n for n in AMOUNTS for s in every if getattr(s, n) is not None}
    named = {n: s.unsaid for s in sheet.limits_without for n in AMOUNTS if getattr(s, n) is not None}
    open_ = [FACT_OF_AMOUNT[n] for n, missing in named.items() if missing and missing.state is State.OPEN]
    open_ += [FACT_OF_AMOUNT[n] for n in ("die_gbit",) if n not in told | named.keys()]
    for fact, missing in sheet.unsaid.items():
        last = fact.rsplit(".", 1)[-1]
        asked = missing.named or matters.get(fact, last != "faster_modules" or driven)
        settled = fact == FACT_OF_AMOUNT["package_ranks"] and "package_ranks" in told | named.keys()
        # A table that is left out is `rate-table-missing`.
        if asked and not settled and missing.state is State.OPEN and (missing.named or last != "rate_table"):
            open_.append(fact)
    known = list(FACTS)
    return sorted(
        dict.fromkeys(open_),
        key=lambda f: [_like(f, k) for k in known].index(True) if any(_like(f, k) for k in known) else len(known),
    )


def told_facts(sheet: Sheet) -> list[str]:
    """Facts of the usual ones that it does tell, or tells to be none."""
    asked = ["memory.rails_v"] if len(board_rails(sheet.memory.generation)) > 1 else []
    asked += ["memory.accepts", "channels", "limits", "population", "memory.never_together"]
    asked += [f"processors.{p}.{f}" for p in sheet.processors for f in ("rate_table", "faster_modules")]
    return [f for f in asked if sheet.not_told(f) is None]


def _rails(sheet: Sheet) -> _Found:
    generation = sheet.memory.generation
    family = family_rails(generation)
    for domain in sheet.memory.rail_domains:
        odd = [f"{v:g}" for v in domain.rails_v if v not in family]
        at: Path = ("memory", "rails_v") if domain.id == "main" else ("memory", "rail_domains", domain.id)
        if odd:
            known = ", ".join(f"{v:g}" for v in family)
            yield at, f"{', '.join(odd)} V is no rail of {generation} ({known})", "rail-outside-generation"
        if domain.seen_v is None and len(domain.rails_v) > 1 and sheet.memory.rail_policy is None:
            yield at, "several rails but no rail_policy: lowest, highest or setting", "rail-policy-missing"


# -- rates ----------------------------------------------------------------------------------------------


def _rates(sheet: Sheet, deadline: Deadline) -> _Found:
    for name, p in sheet.processors.items():
        path: Path = ("processors", name)
        if not p.rate_table:
            missing = sheet.not_told(f"processors.{name}.rate_table")
            if missing is None or not missing.named:  # one that is called open or untold is no mistake
                yield path, "has no rate_table: no data rate can be told", "rate-table-missing"
            continue
        deepest = max((_depth(c) for c in sheet.channels.values() if _may_hold(sheet, c, name)), default=0)
        if holes := _holes(sheet, p, deepest, deadline):
            yield (*path, "rate_table"), f"no row for {holes[0]}" + _more(holes), "rate-table-hole"
        seen: dict[object, RateRow] = {}
        for i, row in enumerate(p.rate_table):
            at: Path = (*path, "rate_table", i)
            if p.rates_mts and row.rate_mts not in p.rates_mts:
                yield at, f"{row.rate_mts} is not among its rates_mts", "rate-not-listed"
            if row.dpc and row.dpc > deepest:
                yield at, f"no channel takes {row.dpc} modules", "rate-row-unreachable"
            tie = next((r for r in p.rate_table[:i] if _tie(r, row)), None)
            if tie is not None:
                message = f"{row.words} ({row.rate_mts}) and {tie.words} ({tie.rate_mts}) can both hold, and neither says more: the slower wins"
                yield at, message, "rate-rows-tie"
            like = seen.setdefault((row.dpc, row.ranks, row.rail_v, row.module), row)
            if like.rate_mts != row.rate_mts:
                message = f"{row.words}: both {like.rate_mts} and {row.rate_mts} MT/s"
                yield at, message, "rate-rows-clash"


def _tie(a: RateRow, b: RateRow) -> bool:
    """Whether two rows of equal weight and unlike rates can hold for one channel, by different conditions."""
    if a.rate_mts == b.rate_mts or a.specificity != b.specificity:
        return False
    said, other = dict(a.module.wanted), dict(b.module.wanted)
    if (a.dpc, a.ranks, a.rail_v, said) == (b.dpc, b.ranks, b.rail_v, other):
        return False  # that is `rate-rows-clash`
    apart = (a.dpc and b.dpc and a.dpc != b.dpc) or (a.rail_v and b.rail_v and a.rail_v != b.rail_v)
    alone = 1 in (a.dpc, b.dpc)
    if a.ranks and b.ranks and a.ranks != b.ranks:
        # One number is any module's of the channel, a list all of them.
        single, each = sorted((a.ranks, b.ranks), key=len)
        apart = apart or alone or (len(single) > 1) or (len(each) > 1 and single[0] not in each)
    unlike = any(other.get(name, value) != value for name, value in said.items())
    return not (apart or (unlike and alone))


def _depth(channel: Channel) -> int:
    return len(channel.slots) + (channel.soldered is not None)


def _may_hold(sheet: Sheet, channel: Channel, processor: str) -> bool:
    return processor in sheet.sockets[channel.socket].processors


def _holes(sheet: Sheet, p: Processor, deepest: int, deadline: Deadline) -> list[str]:
    """Populations that the board allows and no row covers: each kind, depth, rail and common number of ranks."""
    rails = sorted({v for d in sheet.memory.rail_domains for v in d.rails_v})
    selects = min((s.package_ranks for s in sheet.limits if s.package_ranks and s.hard), default=None)
    holes = []
    for kind, dpc, volts in product(sheet.memory.accepts, range(1, deepest + 1), rails):
        deadline.check(f"the rate table of {p.id}")
        uncovered = [
            r
            for r in (1, 2, 4)
            if _may_stand(sheet, kind, dpc, r, selects)
            and not any(_covers(row, kind, dpc, volts, r) for row in p.rate_table)
        ]
        if uncovered:
            rail = f" at {volts:g} V" if len(rails) > 1 else ""
            ranks = f", {' or '.join(map(str, uncovered))} ranks" if len(uncovered) < 3 else ""
            holes.append(f"{dpc} {kind.test.words()} module(s) in a channel{rail}{ranks}")
    return holes


def _may_stand(sheet: Sheet, kind: Kind, dpc: int, ranks: int, selects: int | None) -> bool:
    """Whether a module of so many ranks can be among so many in a channel: by its chip selects and what is refused."""
    said = {**dict(kind.test.wanted), "package_ranks": ranks}
    if any(all(said.get(name) == value for name, value in test.wanted) for test in sheet.memory.refuses):
        return False
    counts_as = sheet.memory.load_reduced_counts_as if said.get("buffering") == "load-reduced" else None
    return selects is None or (counts_as or ranks) + dpc - 1 <= selects


def _covers(row: RateRow, kind: Kind, dpc: int, volts: float, ranks: int) -> bool:
    said = dict(kind.test.wanted)
    return (
        row.dpc in (None, dpc)
        and row.rail_v in (None, volts)
        and (not row.ranks or ranks in row.ranks)
        and all(name == "package_ranks" or said.get(name, value) == value for name, value in row.module.wanted)
    )


def _more(found: list[str]) -> str:
    return f", and {len(found) - 1} more" if len(found) > 1 else ""


# -- limits ---------------------------------------------------------------------------------------------


def _limits(sheet: Sheet) -> _Found:
    stated: list[tuple[Path, Statement]] = [
        (("limits", i), s) for i, s in enumerate(s for s in sheet.limits if s.id != "chip-selects")
    ]
    stated += [(("processors", n, "limits", i), s) for n, p in sheet.processors.items() for i, s in enumerate(p.limits)]
    by_id = {s.id: s for _, s in stated}
    controllers = {c.controller for c in sheet.channels.values() if c.controller}
    places = {*sheet.sockets, *sheet.channels, *sheet.slots, *controllers}
    for at, s in stated:
        for name in s.replaces:
            if name not in by_id:
                yield (*at, "replaces"), f"there is no limit {name} to replace", "limit-replaces-unknown"
        if _leads_back(s.id, {n: x.replaces for n, x in by_id.items()}):
            yield (*at, "replaces"), f"{s.id} replaces itself in a circle", "limit-replaces-circle"
        if s.where is not None and s.where not in places:
            yield (*at, "where"), f"there is no socket, controller, channel or slot {s.where}", "limit-where-unknown"
        for name, span in (("firmware", s.firmware), ("system", s.system)):
            if span.first and span.until and version_key(span.first) >= version_key(span.until):
                yield (*at, name), f"from {span.first} until {span.until} holds for no version", "limit-versions-empty"
        if s.scope == "die" and s.die_gbit is None and s.stack_height is None:
            yield at, "a limit of scope die gives die_gbit or stack_height", "limit-scope-amount"
        if s.scope == "controller" and not controllers:
            yield at, "the sheet has no controllers", "limit-no-controller"


def _official_twice(sheet: Sheet) -> _Found:
    """Two official totals of the machine that hold at once, of which neither replaces the other."""
    totals = [(i, s) for i, s in enumerate(x for x in sheet.limits if x.id != "chip-selects") if s.official and s.scope == "machine" and s.capacity_gib is not None]  # fmt: skip
    for n, (i, s) in enumerate(totals):
        for _, other in totals[:n]:
            together = _overlap(s.firmware, other.firmware) and _overlap(s.system, other.system)
            if (
                together
                and s.processor in (None, other.processor)
                and not {s.id, other.id} & {*s.replaces, *other.replaces}
            ):
                message = f"{s.capacity_gib:g} and {other.capacity_gib:g} GB are both official for the same version: let one replace the other"
                yield ("limits", i), message, "limit-official-twice"
                break


def _overlap(a: Versions, b: Versions) -> bool:
    """Whether a version can lie in both spans."""
    return not any(
        x.until is not None and y.first is not None and version_key(y.first) >= version_key(x.until)
        for x, y in ((a, b), (b, a))
    )


def _leads_back(start: str, edges: Mapping[str, Iterable[str]]) -> bool:
    """Whether following the edges from a name leads to it again."""
    waiting, seen = list(edges.get(start, ())), set[str]()
    while waiting:
        name = waiting.pop()
        if name == start:
            return True
        if name not in seen:
            seen.add(name)
            waiting += edges.get(name, ())
    return False


# -- slots and ways -------------------------------------------------------------------------------------


def _slots(sheet: Sheet) -> _Found:
    if not sheet.slots:
        yield (), "has no slot: nothing can be planned", "no-slots"
    for socket in sheet.sockets:
        if not sheet.channels_of[socket]:
            yield ("sockets", socket), "has no memory channel", "socket-no-channel"
    yield from _twice({s.id: (s.printed,) for s in sheet.slots.values()}, "are both printed", "printed-twice")
    yield from _twice({s.id: s.locators for s in sheet.slots.values()}, "both report as", "locator-twice")
    behind = {s.id: s.behind for s in sheet.slots.values()}
    for slot in sheet.slots.values():
        for other in slot.behind:
            if other not in sheet.slots:
                yield ("slots",), f"{slot.id} is behind {other}, which is no slot", "behind-unknown"
        if _leads_back(slot.id, behind):
            yield ("slots",), f"{slot.id} is behind itself, by way of what is in front of it", "slot-unreachable"
    selects = next((s.package_ranks for s in sheet.limits if s.id == "chip-selects"), None)
    for c in sheet.channels.values():
        if selects and _depth(c) > selects:
            message = f"{selects} chip selects a channel, but {c.id} has {_depth(c)} modules"
            yield ("memory", "package_ranks_per_channel"), message, "slot-unfillable"
            break
    for socket, ways in sheet.interleave_ways.items():
        if ways and max(ways) > len(sheet.channels_of[socket]):
            message = f"{socket} has {len(sheet.channels_of[socket])} channels, fewer than {max(ways)} ways"
            yield ("interleave_ways",), message, "interleave-ways"


def _twice(names: Mapping[str, Iterable[str]], verb: str, code: str) -> _Found:
    owner: dict[str, str] = {}
    for slot, each in names.items():
        for name in each:
            if name in owner:
                yield ("slots",), f"{slot} and {owner[name]} {verb} {name}", code
            owner[name] = slot


def _ways(sheet: Sheet) -> _Found:
    bays = sheet.bay_numbers
    for way in sheet.access.values():
        lacking = [b for b in (*way.bays_out, *way.bays_ease) if b not in bays]
        if lacking:
            message = f"there is no bay {', '.join(map(str, lacking))} (bays has {len(bays)})"
            yield ("access", way.id), message, "bay-unknown"
    if sheet.access:
        for slot in sheet.slots.values():
            carrier = sheet.carriers.get(slot.carrier or "")
            if slot.access is None and not (carrier and carrier.access):
                yield ("slots", slot.id), f"no way leads to {slot.id}: give it access", "slot-no-way"


# -- orders, kinds, modes -------------------------------------------------------------------------------


def _orders(sheet: Sheet) -> _Found:
    for even in sheet.evens:
        if len(sheet.sockets) == 1 and (even.even_over_sockets or even.symmetric):
            yield ("population",), "spreads over sockets, but there is one", "even-over-one"
        least = min((sum(len(c.slots) for c in sheet.channels_of[s]) for s in sheet.sockets), default=0)
        if even.least_per_processor > least:
            message = f"asks for {even.least_per_processor} modules a processor; one has {least} slots"
            yield ("population",), message, "least-beyond-slots"


def _kinds_and_modes(sheet: Sheet) -> _Found:
    for i, kind in enumerate(sheet.memory.accepts):
        if any(set(test.wanted) <= set(kind.test.wanted) for test in sheet.memory.refuses):
            yield ("memory", "accepts", i), f"{kind.test.words()} is refused too", "kind-refused"
    channels = max((len(each) for each in sheet.channels_of.values()), default=0)
    seats = max((sum(map(_depth, each)) for each in sheet.channels_of.values()), default=0)
    for mode in sheet.memory.modes:
        at: Path = ("memory", "modes", mode.id)
        if mode.channels_used and mode.channels_used > channels:
            yield at, f"uses {mode.channels_used} channels of {channels}", "mode-impossible"
        if any(count > seats for count in mode.counts):
            yield at, f"wants {max(mode.counts)} modules where {seats} go", "mode-impossible"


def _unused(sheet: Sheet) -> _Found:
    used = {p for s in sheet.sockets.values() for p in s.processors}
    yield from (
        (("processors", n), "no socket may hold it", "processor-unused") for n in sheet.processors if n not in used
    )
    held = {s.carrier for s in sheet.slots.values()}
    yield from ((("carriers", n), "no slot stands on it", "carrier-unused") for n in sheet.carriers if n not in held)
    led = {s.access for s in sheet.slots.values()} | {c.access for c in sheet.carriers.values()}
    yield from ((("access", n), "it leads to no slot", "access-unused") for n in sheet.access if n not in led)


def _geometry(sheet: Sheet) -> _Found:
    placed = [s for s in sheet.slots if s in sheet.geometry]
    if placed and len(placed) < len(sheet.slots):
        missing = [s for s in sheet.slots if s not in sheet.geometry]
        yield ("geometry",), f"{', '.join(missing[:4])} has no place, others have", "geometry-partial"

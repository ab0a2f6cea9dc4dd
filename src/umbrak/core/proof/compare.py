"""What a fresh survey shows against what was planned: slot by slot, totals with their tolerance, the rate and its reason."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from umbrak.core.evaluate import Evaluation
from umbrak.core.memory.module import Module, alike, healthy, member_words, value_words
from umbrak.core.memory.parts import serial_key
from umbrak.core.plan.actions import Action, Do
from umbrak.core.platform.difference import MemberDifference, compare_slot
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.platform.sheet import Sheet


class Seen(StrEnum):
    RIGHT = "right"
    #: Not told by itself; the machine's total leaves no other filling, and labels told the places.
    BY_TOTAL = "right by its total"
    MISSING = "missing"
    ELSEWHERE = "elsewhere"
    SMALLER = "smaller"
    SLOWER = "slower"
    UNLIKE = "unlike part"
    #: A module where none was planned.
    EXTRA = "not planned"
    #: The survey does not tell of the slot.
    UNTOLD = "not told"


@dataclass(frozen=True, slots=True)
class SlotProof:
    slot: str
    seen: Seen
    planned: Occupant | None
    found: Occupant | None
    words: str = ""


@dataclass(frozen=True, slots=True)
class TotalProof:
    """A total planned and seen. [GiB]"""

    name: str
    planned: float
    #: None where the survey does not tell it.
    seen: float | None
    #: By how much it may differ.
    tolerance: float
    right: bool | None
    words: str = ""
    #: Where nobody tells what the machine keeps for itself, or what is in a slot, the planned total is "at most" or "at least" that.
    bound: str = ""

    @property
    def planned_words(self) -> str:
        if self.bound and not self.planned:
            return "not told"
        return f"{self.bound} {self.planned:g} GB".strip()


@dataclass(frozen=True, slots=True)
class RateProof:
    planned_mts: int | None
    seen_mts: int | None
    right: bool | None
    words: str = ""


@dataclass(frozen=True, slots=True)
class Comparison:
    slots: tuple[SlotProof, ...]
    totals: tuple[TotalProof, ...]
    rate: RateProof
    #: What several wrong slots have in common, and what nothing that was seen tells apart.
    remarks: tuple[str, ...]

    @property
    def right(self) -> bool:
        """Whether every slot was seen, and nothing that was told is other than planned."""
        return bool(self.slots) and not self.untold and not self.wrong

    @property
    def untold(self) -> tuple[str, ...]:
        """Slots that nobody saw: they are never right."""
        return tuple(s.slot for s in self.slots if s.seen is Seen.UNTOLD)

    @property
    def wrong(self) -> tuple[tuple[str, str], ...]:
        """What speaks against it: (slot, or "" where it is of the whole machine; words)."""
        return (
            *((s.slot, s.seen.value) for s in self.slots if s.seen not in (*_AS_PLANNED, Seen.UNTOLD)),
            *(("", f"{t.name} {t.words}") for t in self.totals if t.right is False),
            *((("", "rate below plan"),) if self.rate.right is False else ()),
        )


_AS_PLANNED = (Seen.RIGHT, Seen.BY_TOTAL)


@dataclass(frozen=True, slots=True)
class Handled:
    """What the work touched, for machines that show less than their slots."""

    slots: frozenset[str] = frozenset()
    #: Modules that were at hand: those that were in these slots, and those that came.
    modules: tuple[Module, ...] = ()
    #: Slots for which the label of the module that went in was held against the plan, and was right.
    labelled: frozenset[str] = frozenset()
    #: Serial number, as `serial_key` has it, of a module that was to leave -> the slot that it was in.
    leaving: Mapping[str, str] = field(default_factory=dict)
    #: Slots whose module was to be replaced by its like.
    replaced: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Fresh:
    """What a survey saw after the work."""

    #: Slots that it tells of -> what it saw; None = empty. Slots left out were not told.
    slots: Mapping[str, Occupant | None]
    #: Slots whose module the machine calls failed.
    failed: frozenset[str] = frozenset()
    #: Slot -> what it runs at. [MT/s]
    rates: Mapping[str, int] | None = None
    #: Totals that it tells apart from the slots. [GiB]
    installed_gib: float | None = None
    usable_gib: float | None = None
    #: Where it comes from: an SNMP total is cut off at 2 TiB.
    kind: str = ""


def exchanged(before: Layout, done: Sequence[Action]) -> tuple[dict[str, str], frozenset[str]]:
    """`Handled.leaving` and `Handled.replaced` of what was to be done. A serial number that several modules have tells none."""
    every = Counter(serial_key(m.serial) for m in before.values() if isinstance(m, Module))
    left = {a.source: a.module for a in done if a.source is not None and a.target is None and a.module is not None}
    came = {a.target: a.module for a in done if a.do is Do.PUT_IN and a.source is None and a.module is not None}
    keys = {serial_key(m.serial): s for s, m in left.items()}
    alike_ones = {s for s, m in left.items() if s in came and alike(healthy(m)) == alike(came[s])}
    return {k: s for k, s in keys.items() if k and every[k] == 1}, frozenset(alike_ones)


#: RFC 2790: hrStorageSize counts units in a signed 32-bit number; of the usual 1 KiB it cannot exceed 2 TiB.
_SNMP_MOST_GIB = 2048.0
#: How far totals may be apart where the sheet says nothing: firmware and system keep some. [share]
_SLACK = 0.05


def compare(
    sheet: Sheet, goal: Layout, planned: Evaluation, fresh: Fresh, judged_seen: Evaluation, handled: Handled = Handled()
) -> Comparison:
    """Compare.

    Parameters
        planned       evaluation of the goal
        judged_seen   evaluation of what was seen, by which a lower rate is explained
        handled       what the work touched: those slots are looked at also where they are to be empty
    """
    slots = _slots(sheet, goal, fresh, planned.data_rate_mts, handled)
    totals = _totals(sheet, goal, planned, judged_seen, fresh)
    return Comparison(
        _by_total(goal, planned, fresh, handled, slots, totals), totals, _rate(planned, judged_seen, fresh), _remarks(sheet, slots, handled)
    )  # fmt: skip


def _slots(sheet: Sheet, goal: Layout, fresh: Fresh, rate: int | None, handled: Handled) -> tuple[SlotProof, ...]:
    found = [
        _stayed(sheet, _slot(s, goal.get(s), fresh, rate), handled)
        for s in sheet.slots
        if s in goal or s in handled.slots or fresh.slots.get(s) is not None
    ]
    missing = [i for i, p in enumerate(found) if p.seen in (Seen.MISSING, Seen.UNLIKE, Seen.SMALLER)]
    extra = {i for i, p in enumerate(found) if p.seen in (Seen.EXTRA, Seen.UNLIKE, Seen.SMALLER)}
    for i in missing:
        at = next((j for j in sorted(extra) if j != i and _same(found[i].planned, found[j].found)), None)
        if at is not None:
            extra.discard(at)
            p = found[i]
            where = f"it is in {sheet.slots[found[at].slot].printed}"
            found[i] = SlotProof(p.slot, Seen.ELSEWHERE, p.planned, p.found, where)
    return tuple(found)


def _stayed(sheet: Sheet, proof: SlotProof, handled: Handled) -> SlotProof:
    """The proof of a slot, against it where the very module sits there that was to leave the machine, whatever its kind: nobody
    replaced it, or the report is from before."""
    serial = proof.found.serial if isinstance(proof.found, Module) else None
    was = handled.leaving.get(serial_key(serial))
    if not was or proof.planned is None:
        return proof
    words = f"S/N {serial} is the module that was to come out of {sheet.slots[was].printed}"
    return replace(proof, seen=Seen.UNLIKE, words=words)


def _same(a: Occupant | None, b: Occupant | None) -> bool:
    """Whether what was planned for one slot is what is seen in another: the very one, or its like as far as both tell."""
    if not isinstance(a, Module) or not isinstance(b, Module):
        return False
    if a.serial and b.serial:
        return a.serial == b.serial
    return not compare_slot("", alike(a), alike(b)).members


def _slot(slot: str, planned: Occupant | None, fresh: Fresh, rate: int | None) -> SlotProof:
    def say(seen: Seen, words: str = "") -> SlotProof:
        return SlotProof(slot, seen, planned, found, words)

    found = fresh.slots.get(slot)
    if slot not in fresh.slots or (found is not None and not isinstance(found, Module)):
        return say(Seen.UNTOLD, "the survey does not tell of it")
    if slot in fresh.failed:
        return say(Seen.MISSING, "seen, and switched off by the machine as failed")
    if planned is None:
        return say(Seen.RIGHT) if found is None else say(Seen.EXTRA, "nothing was planned here")
    if found is None:
        return say(Seen.MISSING, "not seen")
    if not isinstance(planned, Module):
        return say(Seen.RIGHT)
    if planned.capacity_gib and found.capacity_gib and found.capacity_gib < planned.capacity_gib:
        return say(Seen.SMALLER, f"{found.capacity_gib:g} of {planned.capacity_gib:g} GB")
    differing = compare_slot(slot, alike(planned), alike(found)).members
    if differing:
        return say(Seen.UNLIKE, _members(differing))
    known = any(n is not None and n == getattr(planned, m) for m in ("part", "serial") if (n := getattr(found, m)))
    if planned.capacity_gib and found.capacity_gib is None and not known:
        return say(Seen.UNTOLD, "something is there; the survey tells neither its size nor which it is")
    told = (fresh.rates or {}).get(slot)
    if told and rate and told < rate:
        return say(Seen.SLOWER, f"{told} of {rate} MT/s")
    return say(Seen.RIGHT)


def _members(differing: tuple[MemberDifference, ...]) -> str:
    return ", ".join(
        f"{member_words(m.member)} {value_words(m.member, m.reported)}, not {value_words(m.member, m.known)}"
        for m in differing
    )


def _rounding(value: float) -> float:
    """By how much a number that a machine shows may be off for being rounded: half of its last decimal. [GiB]"""
    return next((0.5 * 10.0**-n for n in range(3) if abs(value - round(value, n)) < 1e-9), 0.001)


#: An installed total is counted in whole modules. [share]
_OFF = 0.01


def _totals(
    sheet: Sheet, goal: Layout, planned: Evaluation, judged: Evaluation, fresh: Fresh
) -> tuple[TotalProof, ...]:
    told = all(s in fresh.slots and fresh.slots[s] is not UNKNOWN for s in sheet.slots)
    seen = fresh.installed_gib if fresh.installed_gib is not None else judged.installed_gib if told else None
    # Never so wide that a missing module fits in.
    sizes = [m.capacity_gib for m in goal.values() if isinstance(m, Module) and m.capacity_gib]
    slack = min(_OFF * planned.installed_gib + 0.001, 0.5 * min(sizes, default=planned.installed_gib))
    short = planned.installed_gib - seen if seen is not None else 0.0
    right = None if seen is None else abs(short) < slack
    words = "" if right is not False else f"{abs(short):g} GB {'short' if short > 0 else 'more'}"
    installed = TotalProof(
        name="installed",
        planned=planned.installed_gib,
        seen=seen,
        tolerance=slack,
        right=right,
        words=words,
        bound="at least" if planned.not_counted else "",
    )
    usable = _usable(planned, fresh)
    bound = "at least" if planned.tolerance_gib is None or planned.not_counted else ""
    reserved = planned.installed_gib - planned.usable_gib
    kept = (
        seen - fresh.usable_gib
        if seen is not None and fresh.usable_gib is not None and usable.right is not None
        else None
    )
    return installed, usable, TotalProof(
        name="reserved", planned=reserved, seen=kept, tolerance=usable.tolerance,
        right=None if kept is None else abs(kept - reserved) <= usable.tolerance, words="firmware, devices, mirrored or spared",
        bound=bound,
    )  # fmt: skip


def _usable(planned: Evaluation, fresh: Fresh) -> TotalProof:
    tolerance, why = _tolerance(planned)
    usable = fresh.usable_gib
    right: bool | None = None
    if usable is None:
        said = "the survey does not tell it"
    elif _cut_off(planned, fresh):
        said = "SNMP cannot tell more than 2 TiB: ask the machine another way"
    else:
        tolerance += _rounding(usable)
        off = usable - planned.usable_gib
        right = abs(off) <= tolerance
        said = f"within {tolerance:.2g} GB, {why}" if right else f"{abs(off):.3g} GB {'more' if off > 0 else 'less'}; {tolerance:.2g} GB are expected, {why}"  # fmt: skip
    bound = "at least" if planned.not_counted else "at most" if planned.tolerance_gib is None else ""
    return TotalProof(
        name="usable",
        planned=planned.usable_gib,
        seen=usable,
        tolerance=tolerance,
        right=right,
        words=said,
        bound=bound,
    )


def _tolerance(planned: Evaluation) -> tuple[float, str]:
    """(by how much usable may be off, why). [GiB]"""
    if planned.tolerance_gib is not None:
        return planned.tolerance_gib, "as its sheet says"
    return _SLACK * planned.installed_gib, "firmware, graphics and system keep some"


def _cut_off(planned: Evaluation, fresh: Fresh) -> bool:
    at_most = fresh.kind == "snmp" and fresh.usable_gib is not None and fresh.usable_gib >= _SNMP_MOST_GIB * 0.999
    return at_most and planned.usable_gib > (fresh.usable_gib or 0)


# -- right by its total ---------------------------------------------------------------------------------


def _by_total(
    goal: Layout, planned: Evaluation, fresh: Fresh, handled: Handled, slots: tuple[SlotProof, ...], totals: tuple[TotalProof, ...]
) -> tuple[SlotProof, ...]:  # fmt: skip
    """Slots that nobody told of are right by the total where it leaves no other filling of them: of the handled ones with
    what was at hand, and of the others as they are or dark. The total tells sizes; places are told by labels."""
    dark = {p.slot for p in slots if p.seen is Seen.UNTOLD}
    told = [t for t in totals[:2] if t.seen is not None and t.right is not None]
    if not dark or not told or any(t.right is False for t in told):
        return slots
    if not _only_filling(goal, planned, fresh, handled, dark):
        why = "the total fits, and would with another filling too"
        return tuple(replace(p, words=f"{p.words}; {why}") if p.slot in dark else p for p in slots)

    def judged(p: SlotProof) -> SlotProof:
        if p.slot not in dark:
            return p
        if p.slot in handled.slots and p.planned is not None and p.slot not in handled.labelled:
            return replace(
                p, words="the total fits, its place is not told: hold its label against the plan at the bench"
            )
        return replace(p, seen=Seen.BY_TOTAL, words="no other filling gives this total")

    return tuple(map(judged, slots))


def _only_filling(goal: Layout, planned: Evaluation, fresh: Fresh, handled: Handled, dark: set[str]) -> bool:
    """Whether, of all sizes that can be in the slots that nobody told of, only the planned ones give what was seen."""
    free = dark & handled.slots
    at_hand, stays = _sizes(handled.modules), _sizes(goal[s] for s in dark - free if s in goal)
    aim = _sizes(goal[s] for s in free if s in goal)
    if at_hand is None or stays is None or aim is None:
        return False
    # What is in the other slots is as planned, or the comparison says otherwise already.
    rest = planned.installed_gib - aim.total_gib - stays.total_gib
    ways = 0
    for ours, many in _sums(at_hand.counts, len(free)).items():
        for others, more in _sums(stays.counts, None).items():
            if _gives(planned, fresh, rest + ours + others):
                ways += many * more
    return ways == 1


@dataclass(frozen=True, slots=True)
class _Sizes:
    """How many modules there are of each size. [GiB]"""

    counts: Mapping[float, int]

    @property
    def total_gib(self) -> float:
        return sum(size * n for size, n in self.counts.items())


def _sizes(modules: Iterable[Occupant]) -> _Sizes | None:
    """None where a size is not known."""
    sizes = [m.capacity_gib if isinstance(m, Module) else None for m in modules]
    known = [x for x in sizes if x is not None]
    return _Sizes(Counter(known)) if len(known) == len(sizes) else None


def _sums(counts: Mapping[float, int], most: int | None) -> dict[float, int]:
    """Total of a choice of modules -> in how many ways of choosing so many of each size, at most `most` modules in all."""
    found: dict[tuple[int, float], int] = {(0, 0.0): 1}
    for size, n in counts.items():
        grown: dict[tuple[int, float], int] = {}
        for (used, total), ways in found.items():
            for k in range(n + 1 if most is None else min(n, most - used) + 1):
                key = (used + k, round(total + k * size, 6))
                grown[key] = grown.get(key, 0) + ways
        found = grown
    sums: dict[float, int] = {}
    for (_, total), ways in found.items():
        sums[total] = sums.get(total, 0) + ways
    return sums


def _gives(planned: Evaluation, fresh: Fresh, installed: float) -> bool:
    """Whether a machine with so much installed could show what was seen. What it keeps for itself may be a fixed part or a
    share: either will do, so that no filling is ruled out too soon."""
    if fresh.installed_gib is not None and abs(fresh.installed_gib - installed) > _rounding(fresh.installed_gib):
        return False
    if fresh.usable_gib is None or _cut_off(planned, fresh):
        return fresh.installed_gib is not None
    fixed = installed - (planned.installed_gib - planned.usable_gib)
    shared = installed * planned.usable_gib / planned.installed_gib if planned.installed_gib else installed
    allowed = _tolerance(planned)[0] + _rounding(fresh.usable_gib)
    return min(abs(fresh.usable_gib - fixed), abs(fresh.usable_gib - shared)) <= allowed


def _rate(planned: Evaluation, judged: Evaluation, fresh: Fresh) -> RateProof:
    rates = list((fresh.rates or {}).values())
    if not rates or planned.data_rate_mts is None:
        return RateProof(
            planned.data_rate_mts, min(rates, default=None), None, "the survey does not tell it" if not rates else ""
        )
    seen = min(rates)
    if seen >= planned.data_rate_mts:
        return RateProof(planned.data_rate_mts, seen, True)
    if judged.data_rate_mts == seen:
        by = " and ".join(b.by for b in judged.bound_by) or "what is fitted"
        return RateProof(planned.data_rate_mts, seen, False, f"explained: what was seen is bound by {by}")
    return RateProof(
        planned.data_rate_mts, seen, False, "nothing known explains it: look at firmware settings and rails"
    )


def _remarks(sheet: Sheet, slots: tuple[SlotProof, ...], handled: Handled) -> tuple[str, ...]:
    return (*_gone_together(sheet, slots), *_not_told_apart(sheet, slots, handled))


def _not_told_apart(sheet: Sheet, slots: tuple[SlotProof, ...], handled: Handled) -> Iterator[str]:
    """A module that was replaced by its like, and nothing seen of which one it is."""
    unsure = [
        sheet.slots[p.slot].printed
        for p in slots
        if p.slot in handled.replaced - handled.labelled
        and p.seen in _AS_PLANNED
        and not (isinstance(p.found, Module) and p.found.serial and handled.leaving)
    ]
    if unsure:
        named = " and ".join(unsure) if len(unsure) < 3 else f"{unsure[0]} and {len(unsure) - 1} more"
        yield f"Whether the module in {named} is the new one nothing tells: the old one was its like. Compare serial numbers, or its label."


def _gone_together(sheet: Sheet, slots: tuple[SlotProof, ...]) -> tuple[str, ...]:
    gone: dict[str, list[str]] = {}
    for p in slots:
        if p.seen is Seen.MISSING:
            gone.setdefault(sheet.slots[p.slot].channel, []).append(p.slot)
    names = {c: " and ".join(sheet.slots[s].printed for s in many) for c, many in gone.items() if len(many) > 1}
    share = "share" if sheet.not_told("channels") is None else "seem to share"
    return tuple(
        f"{which} {share} channel {sheet.channels[c].name}: one badly seated module can hide its neighbour."
        for c, which in names.items()
    )


def come_back(goal: Layout, earlier: Iterable[Fresh], now: Fresh) -> tuple[str, ...]:
    """Slots, sorted, whose module is there now and was not, or had failed, in an earlier look between which nothing was handled:
    what comes back by itself goes again."""

    def there(look: Fresh, slot: str) -> bool | None:
        if slot not in look.slots or look.slots[slot] is UNKNOWN:
            return None
        return look.slots[slot] is not None and slot not in look.failed

    planned = [s for s in goal if goal[s] is not None and there(now, s)]
    return tuple(sorted({s for look in earlier for s in planned if there(look, s) is False}))

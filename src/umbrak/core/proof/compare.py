"""What a fresh survey shows against what was planned: slot by slot, totals with their tolerance, the rate and its reason."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from umbrak.core.evaluate import Evaluation
from umbrak.core.memory.module import Module, alike
from umbrak.core.platform.difference import MemberDifference, compare_slot
from umbrak.core.platform.machine import UNKNOWN, Layout, Occupant
from umbrak.core.platform.sheet import Sheet


class Seen(StrEnum):
    RIGHT = "right"
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
    #: What several wrong slots have in common.
    remarks: tuple[str, ...]

    @property
    def right(self) -> bool:
        """Whether everything that was told is as planned."""
        return (
            all(s.seen in (Seen.RIGHT, Seen.UNTOLD) for s in self.slots)
            and any(s.seen is Seen.RIGHT for s in self.slots)
            and all(t.right is not False for t in self.totals)
            and self.rate.right is not False
        )

    def dark(self) -> frozenset[str]:
        """Slots whose planned module is not seen, or not whole."""
        return frozenset(s.slot for s in self.slots if s.seen in (Seen.MISSING, Seen.SMALLER))


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


#: RFC 2790: hrStorageSize counts units in a signed 32-bit number; of the usual 1 KiB it cannot exceed 2 TiB.
_SNMP_MOST_GIB = 2048.0
#: How far totals may be apart where the sheet says nothing: firmware and system keep some. [share]
_SLACK = 0.05


def compare(sheet: Sheet, goal: Layout, planned: Evaluation, fresh: Fresh, judged_seen: Evaluation) -> Comparison:
    """Compare.

    Parameters
        planned       evaluation of the goal
        judged_seen   evaluation of what was seen, by which a lower rate is explained
    """
    slots = _slots(sheet, goal, fresh, planned.data_rate_mts)
    return Comparison(
        slots,
        _totals(
            planned, judged_seen, fresh, all(s in fresh.slots and fresh.slots[s] is not UNKNOWN for s in sheet.slots)
        ),
        _rate(planned, judged_seen, fresh),
        _remarks(sheet, slots),
    )


def _slots(sheet: Sheet, goal: Layout, fresh: Fresh, rate: int | None) -> tuple[SlotProof, ...]:
    found = [_slot(s, goal.get(s), fresh, rate) for s in sheet.slots if s in goal or fresh.slots.get(s) is not None]
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
        return say(Seen.EXTRA, "nothing was planned here")
    if found is None:
        return say(Seen.MISSING, "not seen")
    if not isinstance(planned, Module):
        return say(Seen.RIGHT)
    if planned.capacity_gib and found.capacity_gib and found.capacity_gib < planned.capacity_gib:
        return say(Seen.SMALLER, f"{found.capacity_gib:g} of {planned.capacity_gib:g} GB")
    differing = compare_slot(slot, alike(planned), alike(found)).members
    if differing:
        return say(Seen.UNLIKE, _members(differing))
    told = (fresh.rates or {}).get(slot)
    if told and rate and told < rate:
        return say(Seen.SLOWER, f"{told} of {rate} MT/s")
    return say(Seen.RIGHT)


def _members(differing: tuple[MemberDifference, ...]) -> str:
    return ", ".join(f"{m.member.replace('_', ' ')} {_value(m.reported)}, not {_value(m.known)}" for m in differing)


def _value(value: object) -> str:
    return f"{value:g}" if isinstance(value, float) else str(value)


def _totals(planned: Evaluation, judged: Evaluation, fresh: Fresh, all_told: bool) -> tuple[TotalProof, ...]:
    totals = []
    seen = fresh.installed_gib if fresh.installed_gib is not None else judged.installed_gib if all_told else None
    short = planned.installed_gib - seen if seen is not None else 0.0
    right = None if seen is None else abs(short) < 0.01 * planned.installed_gib + 0.001
    words = "" if right is not False else f"{abs(short):g} GB {'short' if short > 0 else 'more'}"
    totals.append(
        TotalProof(name="installed", planned=planned.installed_gib, seen=seen, tolerance=0.0, right=right, words=words)
    )

    tolerance = planned.tolerance_gib if planned.tolerance_gib is not None else _SLACK * planned.installed_gib
    why = "as its sheet says" if planned.tolerance_gib is not None else "firmware, graphics and system keep some"
    usable = fresh.usable_gib
    most = _SNMP_MOST_GIB if fresh.kind == "snmp" else float("inf")
    if usable is None:
        totals.append(
            TotalProof(
                name="usable",
                planned=planned.usable_gib,
                seen=None,
                tolerance=tolerance,
                right=None,
                words="the survey does not tell it",
            )
        )
    elif usable >= most * 0.999 and planned.usable_gib > usable:
        said = "SNMP cannot tell more than 2 TiB: ask the machine another way"
        totals.append(
            TotalProof(
                name="usable", planned=planned.usable_gib, seen=usable, tolerance=tolerance, right=None, words=said
            )
        )
    else:
        off = usable - planned.usable_gib
        right = abs(off) <= tolerance
        said = f"within {tolerance:.2g} GB, {why}" if right else f"{abs(off):.3g} GB {'more' if off > 0 else 'less'}; {tolerance:.2g} GB are expected, {why}"  # fmt: skip
        totals.append(
            TotalProof(
                name="usable", planned=planned.usable_gib, seen=usable, tolerance=tolerance, right=right, words=said
            )
        )
    reserved = planned.installed_gib - planned.usable_gib
    kept = seen - usable if seen is not None and usable is not None else None
    right = None if kept is None else abs(kept - reserved) <= tolerance
    totals.append(
        TotalProof(
            name="reserved",
            planned=reserved,
            seen=kept,
            tolerance=tolerance,
            right=right,
            words="firmware, devices, mirrored or spared",
        )
    )
    return tuple(totals)


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


def _remarks(sheet: Sheet, slots: tuple[SlotProof, ...]) -> tuple[str, ...]:
    gone: dict[str, list[str]] = {}
    for p in slots:
        if p.seen is Seen.MISSING:
            gone.setdefault(sheet.slots[p.slot].channel, []).append(p.slot)
    names = {c: " and ".join(sheet.slots[s].printed for s in many) for c, many in gone.items() if len(many) > 1}
    return tuple(
        f"{which} share channel {sheet.channels[c].name}: one badly seated module can hide its neighbour."
        for c, which in names.items()
    )


#: Words by which alerts about parts as such are known; and those of a fault, which are never expected.
_ABOUT_PARTS = ("unsupported", "not supported", "not qualified", "unqualified", "uncertified", "not certified", "unknown part", "third-party", "third party", "non-genuine", "incompatible")  # fmt: skip
_ABOUT_FAULTS = ("error", "fail", "fault", "degraded", "disabled", "uncorrectable")


def alert_is_expected(text: str, unlisted: bool | None) -> bool | None:
    """Whether an alert is what third-party parts are known to cause: True, False, or None when its words, or the parts
    (`unlisted`), do not say."""
    said = text.casefold()
    if any(w in said for w in _ABOUT_FAULTS):
        return False
    if any(w in said for w in _ABOUT_PARTS):
        return unlisted
    return None


@dataclass(frozen=True, slots=True)
class Contradiction:
    """A clause of the sheet that the machine's own proposal contradicts."""

    code: str
    clause: str
    words: str


def after_moves(goal: Layout, moves: Mapping[str, str]) -> Layout:
    """The layout that the machine proposes: source -> target, all at once.

    Raises ValueError naming a slot from which nothing can move, or to which two would.
    """
    for source in moves:
        if source not in goal:
            raise ValueError(f"nothing is planned for {source}, so nothing moves from there")
    moved = {target: goal[source] for source, target in moves.items()}
    if len(moved) < len(moves):
        raise ValueError("two modules cannot move into one slot")
    stays = {s: m for s, m in goal.items() if s not in moves}
    if clash := sorted(set(moved) & set(stays)):
        raise ValueError(f"{clash[0]} is full, and its own module does not move")
    return Layout({**stays, **moved})


def contradicted(planned: Evaluation, proposed: Evaluation) -> tuple[Contradiction, ...]:
    """Clauses by which the sheet holds something against the proposal that it does not hold against the plan: one of the
    two, sheet or machine, is wrong about them."""
    known = {(f.code, f.slots) for f in planned.findings}
    found: dict[tuple[str, str], Contradiction] = {}
    for f in proposed.findings:
        if f.code.startswith("order.") and (f.code, f.slots) not in known and f.source is not None:
            clause = " ".join(p for p in (f.source.title, f.source.clause) if p)
            found.setdefault((f.code, clause), Contradiction(f.code, clause, f.message))
    return tuple(found.values())

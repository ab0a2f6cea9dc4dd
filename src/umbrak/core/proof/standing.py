"""How a proof stands: what is wanted of it, what of that is there, what is lacking, what speaks against it, what was waived.

Only what is lacking can be waived, never what speaks against: a waiver says that somebody who may decides to go on without
knowing, and it stays visible as that.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from umbrak.core.memory.module import amount
from umbrak.core.proof.compare import Comparison
from umbrak.core.proof.soak import Soak
from umbrak.core.proof.wanted import Wanted


class State(StrEnum):
    THERE = "there"
    LACKING = "lacking"
    AGAINST = "against"
    WAIVED = "waived"


@dataclass(frozen=True, slots=True)
class Item:
    """One thing that is wanted, and how it stands."""

    what: Wanted
    state: State
    #: What is there, what is lacking, or what speaks against it.
    words: str
    #: Slots that lack evidence.
    slots: tuple[str, ...] = ()
    #: Why it was waived; "" where it was not.
    reason: str = ""

    @property
    def settled(self) -> bool:
        return self.state in (State.THERE, State.WAIVED)


#: What share of the memory a test has to go over. From within a running system some is in use, and cannot be gone over.
ENOUGH = 0.75


@dataclass(frozen=True, slots=True)
class MemoryTests:
    """Memory tests since modules were handled last."""

    #: Without an error, over enough of the memory.
    passes: int
    #: Of all of them: no later test takes back what one found, while nothing was handled.
    errors: int
    count: int
    #: The most that passes went over, where none went over enough, and how much there is. [GiB]
    part_gib: float | None = None
    whole_gib: float = 0.0


@dataclass(frozen=True, slots=True)
class Alerts:
    """What lights and logs said after clearing."""

    #: None = not cleared yet; "" = nothing came back.
    back: str | None
    #: Whether what came back is what these parts are known to cause; None = nobody says.
    expected: bool | None = None


@dataclass(frozen=True, slots=True)
class Evidence:
    """Everything that was entered of a proof, as far as it is of the machine as it is now."""

    #: None = nothing was seen since modules were handled last.
    seen: Comparison | None
    tests: MemoryTests
    alerts: Alerts
    soak: Soak | None
    #: Whether a fault search is open.
    searching: bool = False
    #: Whether slots are wanted once more after closing; None = they are not, False = not seen yet.
    again: bool | None = None
    #: Steps of the run sheet that nobody ticked, in words.
    open_steps: Sequence[str] = ()


def standing(evidence: Evidence, waived: Mapping[Wanted, str], name: Callable[[str], str] = str) -> tuple[Item, ...]:
    """Everything that is wanted, in the order of the work.

    Parameters
        waived   what a lead waived -> why
        name     a slot's name as people know it
    """
    found = [
        _slots(evidence.seen, name),
        _test(evidence.tests),
        *([_again(evidence, name)] if evidence.again is not None else []),
        _alerts(evidence.alerts),
        *([Item(Wanted.SEARCH, State.AGAINST, "a fault search is open: end it")] if evidence.searching else []),
        _soak(evidence.soak),
        _steps(evidence.open_steps),
    ]
    return tuple(
        Item(i.what, State.WAIVED, i.words, i.slots, waived[i.what])
        if i.state is State.LACKING and waived.get(i.what)
        else i
        for i in found
    )


def may_soak(items: Sequence[Item]) -> str:
    """Why the soak may not begin yet; "" where it may: every slot is right and the memory test passed, or waived."""
    open_ = [i for i in items if i.what in (Wanted.SLOTS, Wanted.TEST, Wanted.SEARCH) and not i.settled]
    return "; ".join(i.words for i in open_)


#: Slots named one by one.
_NAMED = 24


def names(slots: Sequence[str], name: Callable[[str], str]) -> str:
    """Slots in words: all of them where they are few enough to be looked at one by one."""
    said = ", ".join(name(s) for s in slots[:_NAMED])
    return said + (f" and {len(slots) - _NAMED} more" if len(slots) > _NAMED else "")


def _slots(seen: Comparison | None, name: Callable[[str], str]) -> Item:
    if seen is None:
        return Item(Wanted.SLOTS, State.LACKING, "nobody has looked at what it shows since modules were handled")
    if seen.wrong:
        words = [f"{name(slot)} {said}" if slot else said for slot, said in seen.wrong]
        return Item(Wanted.SLOTS, State.AGAINST, f"not as planned: {', '.join(words)}")
    if not seen.slots:
        return Item(Wanted.SLOTS, State.LACKING, "no slot was looked at")
    if seen.untold:
        few = f"nobody saw {names(seen.untold, name)}"
        return Item(Wanted.SLOTS, State.LACKING, few, seen.untold)
    return Item(Wanted.SLOTS, State.THERE, f"{len(seen.slots)} of {len(seen.slots)} slots as planned")


def _again(evidence: Evidence, name: Callable[[str], str]) -> Item:
    if not evidence.again:
        return Item(Wanted.AGAIN, State.LACKING, "slots were not compared once more since it was closed")
    look = _slots(evidence.seen, name)
    return Item(Wanted.AGAIN, look.state, look.words, look.slots)


def _test(tests: MemoryTests) -> Item:
    if tests.errors:
        found = f"{tests.errors} {'error' if tests.errors == 1 else 'errors'}"
        return Item(Wanted.TEST, State.AGAINST, f"a memory test found {found}, and no module was handled since")
    if not tests.count:
        return Item(Wanted.TEST, State.LACKING, "no memory test since modules were handled")
    if not tests.passes and tests.part_gib is not None:
        part = f"{amount(tests.part_gib)} of {amount(tests.whole_gib)} GB"
        return Item(Wanted.TEST, State.LACKING, f"the memory test went over {part} alone")
    if not tests.passes:
        return Item(Wanted.TEST, State.LACKING, "the memory test did not end a pass")
    return Item(
        Wanted.TEST, State.THERE, f"{tests.passes} {'pass' if tests.passes == 1 else 'passes'} without an error"
    )


def _alerts(alerts: Alerts) -> Item:
    if alerts.back is None:
        return Item(Wanted.ALERTS, State.LACKING, "old alerts and lights were not cleared and read again")
    if not alerts.back:
        return Item(Wanted.ALERTS, State.THERE, "cleared, and nothing came back")
    if alerts.expected:
        return Item(Wanted.ALERTS, State.THERE, f"what came back is expected of these parts: {alerts.back}")
    if alerts.expected is None:
        return Item(Wanted.ALERTS, State.LACKING, f"nobody says whether what came back is expected: {alerts.back}")
    return Item(Wanted.ALERTS, State.AGAINST, f"it came back: {alerts.back}")


def _soak(soak: Soak | None) -> Item:
    if soak is None:
        return Item(Wanted.SOAK, State.LACKING, "the soak has not begun")
    if soak.passed is False:
        broken = ", ".join(f"{r.name}: {r.words}" for r in soak.rules if r.kept is False)
        return Item(Wanted.SOAK, State.AGAINST, f"the soak failed; {broken}")
    if soak.passed is None:
        # Two rules may wait for the same: it is said once.
        waits = "; ".join(dict.fromkeys(r.words for r in soak.rules if r.kept is None))
        return Item(Wanted.SOAK, State.LACKING, f"the soak is not over: {waits}", soak.open_slots)
    return Item(Wanted.SOAK, State.THERE, "the soak passed")


def _steps(open_steps: Sequence[str]) -> Item:
    if not open_steps:
        return Item(Wanted.STEPS, State.THERE, "every step is ticked")
    first = f"“{open_steps[0]}”"
    said = f"{first} is open" if len(open_steps) == 1 else f"{len(open_steps)} steps are open, from {first} on"
    return Item(Wanted.STEPS, State.LACKING, said)

"""Modules out and in: the actions in an order that stays at one carrier as long as it can, each as a step."""

from __future__ import annotations

from collections.abc import Sequence

from umbrak.core.memory.module import Generation, Module
from umbrak.core.plan.actions import MAT, Action, Do, actions
from umbrak.core.platform.sheet import Sheet
from umbrak.core.runsheet.step import Minutes, Phase, Step, Work

#: Drawing a module, pushing one in, both in one go. [min] Reasoned: a latch at each end, a look at the notch.
_MINUTES = {Do.TAKE_OUT: Minutes(0.5, 1), Do.PUT_IN: Minutes(1, 2), Do.MOVE: Minutes(1.5, 3)}
_IN = (
    "Both latches open.",
    "Hold it by the edges, meet the notch, press both ends.",
    "Each latch closes by itself, with a click; never close it by hand.",
)
_IN_SO_DIMM = (
    "Meet the notch, push it in at a slant until no gold shows.",
    "Press it flat; the clips close by themselves, with a click.",
)
_LAY = "Hold it by the edges and lay it on the mat."
_OUT = ("Open the latches at both ends, and draw it straight up.", _LAY)
_OUT_SO_DIMM = ("Spread the clips at both sides: it springs up at a slant.", f"Draw it out at that slant. {_LAY}")


def work_order(sheet: Sheet, done: Sequence[Action]) -> tuple[Action, ...]:
    """The same actions, those at one carrier together as far as they may change places: two that share a slot, or of
    which one's slot stands in front of the other's, or that both use the mat, stay in their order."""
    front = {s.id: frozenset(s.behind) for s in sheet.slots.values()}
    before = {i: {j for j in range(i) if _bound(front, done[j], done[i])} for i in range(len(done))}
    ordered: list[int] = []
    at: str | None = None
    while before:
        free = [i for i, needed in before.items() if needed.isdisjoint(before)]
        chosen = next((i for i in free if _carrier(sheet, done[i]) == at), free[0])
        del before[chosen]
        ordered.append(chosen)
        at = _carrier(sheet, done[chosen])
    return tuple(done[i] for i in ordered)


def _bound(front: dict[str, frozenset[str]], a: Action, b: Action) -> bool:
    mine, other = _ends(a), _ends(b)
    if mine & other:
        return True  # the mat is one place too
    return any(front.get(x, frozenset()) & other for x in mine) or any(front.get(x, frozenset()) & mine for x in other)


def _ends(a: Action) -> frozenset[str]:
    return frozenset(x for x in (a.source, a.target) if x is not None)


def _carrier(sheet: Sheet, a: Action) -> str | None:
    slot = a.target if a.target in sheet.slots else a.source
    known = sheet.slots.get(slot or "")
    return known.carrier if known else None


def module_steps(sheet: Sheet, work: Work) -> list[Step]:
    """What is drawn and pushed in, in workable order."""
    todo = [a for a in actions(sheet, work.now, work.goal, work.failed) if a.do is not Do.KEEP]
    return [_step(sheet, i, a, work.failed) for i, a in enumerate(work_order(sheet, todo), 1)]


def _step(sheet: Sheet, number: int, a: Action, failed: frozenset[str]) -> Step:
    module = a.module
    size = f"{module.capacity_gib:g} GB" if module and module.capacity_gib else "module"
    label = module_words(module)
    slots = tuple(x for x in (a.source, a.target) if x is not None and x in sheet.slots)
    where = [place_words(sheet, s) for s in slots]
    faulty = a.source in failed
    if a.do is Do.MOVE:
        text = f"Move {size} from {slot_words(sheet, slots[0])} to {slot_words(sheet, slots[1])}"
        how = _in_words(sheet, slots[1], module)
    elif a.do is Do.PUT_IN:
        text = f"Put {size} {'from the mat ' if a.source == MAT else ''}into {slot_words(sheet, slots[0])}"
        how = _in_words(sheet, slots[0], module)
    else:
        text = f"Take {'the failed ' if faulty else ''}{size} out of {slot_words(sheet, slots[0])}"
        how = _OUT_SO_DIMM if _is_flat(sheet, module) else _OUT
    # What comes from outside is told apart for good: whatever happens to it later is a matter of that one module.
    comes = a.do is Do.PUT_IN and a.source is None
    why = "only to free the way; it goes back in" if a.target == MAT else "mark it as failed at once" if faulty else ""
    return Step(
        key=f"module:{number}", phase=Phase.HANDLE, text=text, why=why, details=(*([label] if module else ()), *(w for w in where if w), *how), slots=slots,
        minutes=_MINUTES[a.do], carrier=_carrier(sheet, a), action=a,
        checks=("its label is the planned one's, and its serial is noted for this slot",) if comes else (),
    )  # fmt: skip


def module_words(module: Module | None) -> str:
    """A module as somebody holds it: size and kind, and its part number."""
    if module is None:
        return "the module"
    return " ".join(p for p in (module.short(), f"({module.part})" if module.part else "") if p)


def slot_words(sheet: Sheet, slot: str) -> str:
    known = sheet.slots.get(slot)
    return known.printed if known else slot


def place_words(sheet: Sheet, slot: str) -> str:
    """Where a slot is for the eye: landmark, tab, board, in front of what."""
    s = sheet.slots[slot]
    carrier = sheet.carriers.get(s.carrier or "")
    parts = [
        s.landmark,
        f"{s.tab} tab" if s.tab and not (s.landmark and s.tab in s.landmark) else None,
        f"on {carrier.title}" if carrier else None,
        f"behind {' and '.join(slot_words(sheet, b) for b in s.behind)}" if s.behind else None,
    ]
    said = [p for p in parts if p]
    return f"{s.printed}: {', '.join(said)}" if said else ""


def _in_words(sheet: Sheet, slot: str, module: Module | None) -> tuple[str, ...]:
    facing = sheet.slots[slot].facing
    flat = _is_flat(sheet, module)
    notch = _notch(sheet.memory.generation)
    return tuple(
        p for p in (facing and f"{facing[0].upper()}{facing[1:]}.", notch, *(_IN_SO_DIMM if flat else _IN)) if p
    )


def _is_flat(sheet: Sheet, module: Module | None) -> bool:
    """Whether it lies in its slot and is held by clips, as SO-DIMMs are."""
    return (module.form if module else None) == "SO-DIMM" or sheet.memory.form == "SO-DIMM"


def _notch(generation: str) -> str:
    """MO-269, MO-309 and MO-329 place the key off the middle: a module goes in one way round only."""
    off = {Generation.DDR5: "a little off the middle", Generation.DDR4: "off the middle"}.get(Generation(generation))
    return f"The notch is {off or 'well off the middle'}: it fits one way round only."

"""The fault search of a run: from the entries of its boots to what is believed, and what to try next.

Modules are named by the slot that they were planned for: that stays the same wherever the search puts them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.core.proof.fault_search import Outcome, look, what_to_do
from umbrak.core.proof.next_boot import Trial
from umbrak.core.proof.suspects import SHOWINGS, Boot, Case, Kind, Suspect, Symptom
from umbrak.core.rules.finding import Severity
from umbrak.core.runsheet.handling import slot_words
from umbrak.core.runsheet.timing import pass_minutes, start_minutes
from umbrak.formats.entries import BootDoc, BootUndoneDoc, FoundDoc, SymptomDoc
from umbrak.services.errors import Refused
from umbrak.services.known.judging import judge
from umbrak.services.known.loading import Loaded
from umbrak.services.proof.at_once import GoingOnView, Prices, see_going_on
from umbrak.services.proof.changes import boots_of
from umbrak.services.runs.entries import every, layouts_of, newest
from umbrak.store.runs import EntryRow, RunRow


@dataclass(frozen=True, slots=True)
class BeliefBar:
    kind: Kind
    #: Of a module, the slot it was planned for; of a slot or seating, the slot; "" for something else.
    slot: str
    words: str
    belief: float


@dataclass(frozen=True, slots=True)
class NextBoot:
    """A boot to try next."""

    words: str
    why: str
    #: Slot -> the module's name.
    arrangement: Mapping[str, str]
    reseated: tuple[str, ...]
    #: Slots that are touched to come there.
    touched: tuple[str, ...]
    #: Slot -> slot, for modules that move.
    moves: Mapping[str, str]
    minutes: float
    #: What it tells for its minutes, as a share of what the best one does.
    tells: float


@dataclass(frozen=True, slots=True)
class BootView:
    #: None of the first, which is how the search began.
    id: UUID | None
    words: str
    result: str
    #: Slots at which it showed, where that is told.
    dark: tuple[str, ...]
    at: datetime
    by: str


@dataclass(frozen=True, slots=True)
class FaultView:
    symptom: Symptom
    #: Whether a boot tells at which slots it shows.
    told: bool
    beliefs: tuple[BeliefBar, ...]
    boots: tuple[BootView, ...]
    trials: tuple[NextBoot, ...]
    #: Named when it is believed enough; "" until then.
    culprit: str
    #: Slots for which the modules were planned that are named.
    culprit_modules: tuple[str, ...]
    odds: float
    #: Whether what is named is cured: nothing is bad any more.
    cured: bool
    #: So many more clean boots as it stands would show that a contact was bad and is cured; None where it does not look so.
    clean_boots: int | None
    #: Whether no boot is left that would tell more, and nobody is named.
    stuck: bool
    #: What it would still take, and what could be done instead; None where somebody is named or nothing is left to try.
    left: GoingOnView | None
    to_do: tuple[str, ...]
    #: Slot -> module's name, as it stands after the last boot.
    arrangement: Mapping[str, str]
    #: What was done about it; "" while it is open.
    ended: str | None
    #: What lights at a fault, and how it is seen; "" where the sheet tells of none.
    lights: str


#: Suspects that are told one by one.
_BARS = 8


def check_boot(row: RunRow, entry: BootDoc) -> None:
    """Raises Refused where a boot names modules or slots that are none of this run's."""
    _, goal, _ = layouts_of(row)
    names = list(entry.arrangement.values())
    if wrong := next((n for n in names if n not in goal), None):
        raise Refused("arrangement", f"No module was planned for {wrong}.")
    if len(set(names)) < len(names):
        raise Refused("arrangement", "A module is in one slot only.")
    if wrong := next((s for s in [*entry.dark, *entry.reseated] if s not in entry.arrangement), None):
        raise Refused("dark", f"{wrong} is empty in this arrangement.")
    if wrong := next((s for s in entry.named if s not in entry.arrangement and s not in goal), None):
        raise Refused("named", f"{wrong} is no slot of this work.")


def check_undone(entries: Sequence[EntryRow], entry: BootUndoneDoc) -> None:
    """Raises Refused where what is taken back is no boot of the search that is open."""
    begun = newest(entries, SymptomDoc)
    if begun is None or entry.boot.lower() not in {str(e.id) for e, _ in boots_of(entries, begun[0])}:
        raise Refused("boot", "The search has no such boot, or it is taken back already.")


def see_faults(m: Loaded, row: RunRow, entries: Sequence[EntryRow], prices: Prices) -> FaultView | None:
    """The newest fault search of a run; None where none was begun."""
    found_at = newest(entries, SymptomDoc)
    if found_at is None:
        return None
    begun, symptom_told = found_at
    now, goal, _ = layouts_of(row)
    symptom = Symptom(symptom_told.symptom)
    showing = SHOWINGS[symptom]
    start = {s: s for s in m.sheet.slots if isinstance(goal.get(s), Module)}
    handled = frozenset(goal.changed_from(now)) & frozenset(start)
    case = Case(
        channels={s: m.sheet.slots[s].channel for s in m.sheet.slots if m.sheet.slots[s].channel},
        start=start,
        showing=showing,
        handled=handled,
        ways={s: (w.id, w.minutes) for s in m.sheet.slots if (w := m.sheet.way_to(s))},
    )
    later = boots_of(entries, begun)
    dark = frozenset(s for s in symptom_told.dark if s in start)
    named = frozenset(symptom_told.named)
    boots = [Boot(start, dark=dark, showed=True, named=named), *(_boot(b) for _, b in later)]
    minutes = start_minutes(m.sheet, goal)
    if symptom is Symptom.TEST:
        minutes += pass_minutes(m.sheet, goal)
    boot_min = (minutes.low + minutes.high) / 2 + showing.watch_min

    def allowed(arrangement: Mapping[str, str]) -> bool:
        layout = Layout({s: goal.get(name) for s, name in arrangement.items()})
        return not any(f.severity is Severity.STOP for f in judge(m, layout).findings)

    ended = next((f.text for e, f in every(entries, FoundDoc) if e.number > begun.number), None)
    found = look(case, boots, boot_min, allowed, several=0 if ended is not None else 3)
    last = dict(boots[-1].arrangement)
    best = max((t.worth for t in found.trials), default=1.0)
    return FaultView(
        symptom=symptom,
        told=showing.told,
        beliefs=_bars(m, goal, found),
        boots=(
            _boot_view(m, None, "as planned", boots[0], showing.told, begun),
            *(
                _boot_view(m, e.id, _change(m, before, boot), boot, showing.told, e)
                for before, boot, (e, _) in zip(boots, boots[1:], later, strict=False)
            ),
        ),
        trials=tuple(_trial(m, goal, last, t, best) for t in found.trials),
        culprit=" or ".join(_suspect(m, goal, s) for s in found.culprits),
        culprit_modules=tuple(s.name for s in found.culprits if s.kind is Kind.MODULE),
        odds=found.odds,
        cured=found.cured,
        clean_boots=found.clean_boots,
        left=see_going_on(goal, found, prices),
        stuck=not found.culprits and not found.trials and ended is None,
        to_do=what_to_do(found.culprits, found.cured, (first := found.culprits[0]).name in handled, slot_words(m.sheet, first.name)) if found.culprits else (),
        arrangement=last,
        ended=ended, lights=_lights(m),
    )  # fmt: skip


def _lights(m: Loaded) -> str:
    told = [f"{name}: {tells}" for name, tells in m.sheet.lights.items()]
    at_slots = {s.light for s in m.sheet.slots.values() if s.light and s.light not in m.sheet.lights}
    if not (told := [*told, *sorted(at_slots)]):
        return ""
    seen = {
        True: "they show only with power on and the cover off",
        False: "they show with the cover on",
        None: "whether they show with the cover on is not told",
    }
    return f"{'; '.join(told)} ({seen[m.sheet.lights_open]})"


def _boot_view(m: Loaded, key: UUID | None, words: str, boot: Boot, told: bool, entry: EntryRow) -> BootView:
    return BootView(id=key, words=words, result=_result(m, boot, told), dark=_dark(m, boot), at=entry.at, by=entry.by)


def _boot(b: BootDoc) -> Boot:
    return Boot(
        b.arrangement, frozenset(b.reseated), frozenset(b.dark), b.showed or bool(b.dark), named=frozenset(b.named)
    )


def _bars(m: Loaded, goal: Layout, found: Outcome) -> tuple[BeliefBar, ...]:
    shown = found.beliefs[:_BARS]
    bars = [BeliefBar(s.kind, s.name, _suspect(m, goal, s), p) for s, p in shown]
    rest = sum(p for _, p in found.beliefs[_BARS:])
    return (*bars, BeliefBar(Kind.OTHER, "", "all others together", rest)) if rest > 0.0005 else tuple(bars)


def _suspect(m: Loaded, goal: Layout, s: Suspect) -> str:
    if s.kind is Kind.OTHER:
        return "something else"
    where = slot_words(m.sheet, s.name)
    if s.kind is Kind.MODULE:
        module = goal.get(s.name)
        told = []
        if isinstance(module, Module):
            told = [f"{module.capacity_gib:g} GB" if module.capacity_gib else "", f"…{module.serial[-4:]}" if module.serial else ""]  # fmt: skip
        inner = ", ".join(p for p in told if p)
        return f"module planned for {where}" + (f" ({inner})" if inner else "")
    return f"slot {where}" if s.kind is Kind.SLOT else f"seating in {where}"


def _dark(m: Loaded, boot: Boot) -> tuple[str, ...]:
    return tuple(s for s in m.sheet.slots if s in boot.dark)


def _result(m: Loaded, boot: Boot, told: bool) -> str:
    named = [slot_words(m.sheet, s) for s in m.sheet.slots if s in boot.named]
    lit = f"; a light or log names {', '.join(named)}" if named else ""
    if not told:
        return ("it showed" if boot.showed else "it did not show") + lit
    dark = [slot_words(m.sheet, s) for s in _dark(m, boot)]
    return (f"{', '.join(dark)} dark" if dark else "all seen") + lit


def _change(m: Loaded, before: Boot, after: Boot) -> str:
    return _words(m, dict(before.arrangement), dict(after.arrangement), tuple(after.reseated))[0]


def _words(
    m: Loaded, now: Mapping[str, str], then: Mapping[str, str], reseated: Sequence[str]
) -> tuple[str, dict[str, str], tuple[str, ...]]:
    """(what is done, slot -> slot for modules that move, slots that are touched)"""

    def names(slots: Sequence[str]) -> str:
        words = [slot_words(m.sheet, s) for s in slots]
        if len(words) > 6:
            return f"{', '.join(words[:5])} and {len(words) - 5} more"
        return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"

    where = {name: s for s, name in now.items()}
    moves = {where[name]: s for s, name in then.items() if name in where and where[name] != s}
    out = [s for s, name in now.items() if name not in then.values()]
    into = [s for s, name in then.items() if name not in where]
    order = list(m.sheet.slots)
    swapped = sorted({tuple(sorted((a, b), key=order.index)) for a, b in moves.items() if moves.get(b) == a})
    said = [f"swap the modules of {slot_words(m.sheet, a)} and {slot_words(m.sheet, b)}" for a, b in swapped[:4]]
    if len(swapped) > 4:
        said.append(f"swap {len(swapped) - 4} more pairs as drawn")
    lone = [(a, b) for a, b in moves.items() if moves.get(b) != a]
    said += [f"move the module of {slot_words(m.sheet, a)} to {slot_words(m.sheet, b)}" for a, b in lone[:4]]
    if len(lone) > 4:
        said.append(f"move {len(lone) - 4} more as drawn")
    if out:
        said.insert(0, f"take out {names(out)}")
    # Which module, where it is not the one that was planned for the slot: nothing on the mat tells it otherwise.
    own = [s for s in into if then[s] == s]
    others = [s for s in into if then[s] != s]
    if own:
        said.append(f"put back {'that' if len(own) == 1 else 'those'} planned for {names(own)}")
    said += [
        f"put the module planned for {slot_words(m.sheet, then[s])} into {slot_words(m.sheet, s)}" for s in others[:4]
    ]
    if len(others) > 4:
        said.append(f"put in {len(others) - 4} more as drawn")
    if reseated:
        said.append(f"reseat {names(sorted(reseated, key=order.index))}")
    words = ", ".join(said) if said else "start it again as it is"
    touched = {*moves, *moves.values(), *out, *into, *reseated}
    return f"{words[0].upper()}{words[1:]}", moves, tuple(s for s in order if s in touched)


def _trial(m: Loaded, goal: Layout, now: Mapping[str, str], t: Trial, best: float) -> NextBoot:
    words, moves, touched = _words(m, now, t.arrangement, tuple(t.reseated))
    why = []
    if t.reseated:
        why.append("a bad seating is cured by it, a bad module or slot is not")
    if moves:
        why.append("a fault that follows is the module's, one that stays is the slot's")
    if len(t.arrangement) < len(now):
        why.append("if it goes, it is with what is out")
    elif set(t.arrangement.values()) - set(now.values()):
        why.append("it shows with what is at fault, wherever that stands")
    if not why:
        why.append("another look: what shows now and then needs more than one")
    reseated = tuple(s for s in m.sheet.slots if s in t.reseated)
    tells = round(t.worth / best, 3) if best else 0.0
    return NextBoot(
        words=words,
        why="; ".join(why),
        arrangement=t.arrangement,
        reseated=reseated,
        touched=touched,
        moves=moves,
        minutes=round(t.minutes, 1),
        tells=tells,
    )

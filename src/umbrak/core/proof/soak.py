"""The soak: whether a machine has run long and clean enough to be relied on."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from umbrak.core.platform.survey import SlotHealth

#: Correctable errors that one module may be suspected of. [1/d] Reasoned: at none counted, 95 % sure after three days.
LIMIT_PER_DAY = 1.0
#: JESD79-4 and JESD79-5: case temperature of the normal operating range. [°C]
TOP_CELSIUS = 85.0
#: How long a machine that counts nothing has to run without an unplanned restart. [d]
QUIET_DAYS = 3.0
#: How old the newest reading may be. [d]
FRESH_DAYS = 1.0
#: Longer than that beyond its least time nobody waits for few errors to become a low rate. [d]
_PATIENCE_DAYS = 30.0
_SURE = 0.95


@dataclass(frozen=True, slots=True)
class Reading:
    """What was counted and measured at one time."""

    #: Since the soak began; what was read before it began is at 0. [d]
    day: float
    slots: Mapping[str, SlotHealth]
    #: Counters that stand for a whole channel.
    channels: Mapping[str, SlotHealth] = field(default_factory=dict)
    #: Whether it is all that the machine tells: a slot that it leaves out is gone.
    whole: bool = False


@dataclass(frozen=True, slots=True)
class Rule:
    """One part of the rule, and how it stands."""

    name: str
    #: None = not yet.
    kept: bool | None
    words: str
    source: str = ""


@dataclass(frozen=True, slots=True)
class SlotRate:
    """Correctable errors of one slot since its soak began, and what rate they leave possible."""

    count: int
    #: From its first reading to its newest. [d]
    span: float
    #: None while no time has passed. [1/d]
    up_to: float | None


@dataclass(frozen=True, slots=True)
class Soak:
    rules: tuple[Rule, ...]
    #: True when it is over and clean, False when something broke the rule, None while it runs.
    passed: bool | None
    #: Until it can pass at the earliest, if nothing more is counted; None when it has failed. [d]
    days_left: float | None
    rates: Mapping[str, SlotRate]
    #: Slots that lack a reading.
    open_slots: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Watched:
    """What is soaked, and what is known of it."""

    #: Slot that holds a module -> when its soak began: 0, or later where it was begun anew. [d]
    since: Mapping[str, float]
    #: Slot -> its channel, whose counter stands for it where it has none of its own.
    channel: Mapping[str, str]
    #: Whether its errors are counted where somebody can read it; None = nobody said. A reading that counts outweighs it.
    counts: bool | None
    #: Whether it has an array that can be scrubbed.
    array: bool = False


@dataclass(frozen=True, slots=True)
class Events:
    """What happened since it began."""

    #: Passes of a memory test without an error; errors that the newest one found.
    passes: int = 0
    test_errors: int = 0
    #: That nobody planned.
    restarts: int = 0
    #: Whether the newest scrub of the array ended clean; None = none did.
    scrubbed: bool | None = None


def upper_rate(count: int, days: float) -> float:
    """The rate that `count` events in `days` leave possible: the one-sided 95 % bound of a Poisson rate. [1/d]

    chi²(0.95; 2 (k + 1)) / (2 t): Garwood's exact interval; half of that quantile is the gamma distribution's of shape k + 1.
    Without any time nothing is excluded.
    """
    from scipy.special import gammaincinv

    return float(gammaincinv(count + 1, _SURE) / days) if days > 0 else float("inf")


def days_needed(count: int, limit: float = LIMIT_PER_DAY) -> float:
    """How long it must run for so many errors to leave the bound below the limit. [d]"""
    return upper_rate(count, 1.0) / limit


def soak(
    readings: Sequence[Reading], day: float, watched: Watched, events: Events, least_days: float, name: Callable[[str], str] = str
) -> Soak:  # fmt: skip
    """How the soak stands.

    Where errors are counted, every slot is judged by itself, over its own time: uncorrectable ones by none, correctable
    ones by what rate they leave possible. A slot that was read once, is gone from the newest reading, or was read last more
    than a day ago is open. Where none are counted, tests, quiet days and a scrub have to do.

    Parameters
        readings     in order of time
        day          now, since it began
        least_days   how long it lasts at least, for every slot
        name         a slot's name as people know it
    """
    series = {s: _series(s, readings, watched) for s in watched.since}
    is_counted = any(
        h.correctable is not None or h.uncorrectable is not None for many in series.values() for _, h in many
    )
    newest_start = max(watched.since.values(), default=0.0)
    left = max(0.0, least_days - (day - newest_start))
    rates: dict[str, SlotRate] = {}
    open_slots: tuple[str, ...] = ()
    if is_counted or watched.counts:
        counted = [_Counted(s, many, watched.since[s]) for s, many in series.items()]
        rules = [
            _uncorrectable(counted, name),
            _correctable(counted, least_days, name),
            _newest(counted, readings, day, name),
        ]
        rates = {c.slot: c.rate for c in counted if c.rate is not None}
        left = max([left, *(days_needed(r.count) - r.span for r in rates.values())])
        open_slots = tuple(c.slot for c in counted if c.lacks or c.slot in _stale(counted, readings, day))
        if events.test_errors:
            rules.append(_tested(events))
        if events.restarts:
            rules.append(Rule("restarts", False, f"{events.restarts} unplanned"))
    elif watched.counts is None:
        rules = [Rule("counting", None, "nobody said whether its errors are counted: say so, or read its counters")]
    else:
        rules = list(_uncounted(watched, events, day - newest_start))
        left = max(left, QUIET_DAYS - (day - newest_start))
    rules += _temperatures(readings, name)
    rules.append(_time(day, watched, least_days, name))
    failed = any(r.kept is False for r in rules)
    over = bool(watched.since) and all(r.kept for r in rules)
    return Soak(
        rules=tuple(rules), passed=False if failed else True if over else None, days_left=None if failed else round(left, 2),
        rates=rates, open_slots=open_slots,
    )  # fmt: skip


def _series(slot: str, readings: Sequence[Reading], watched: Watched) -> list[tuple[float, SlotHealth]]:
    """(day, what was read) of one slot since its soak began, by its own counter or by its channel's."""
    since = watched.since[slot]
    mine = [(r.day, r.slots[slot]) for r in readings if slot in r.slots and r.day >= since]
    if any(h.correctable is not None or h.uncorrectable is not None for _, h in mine):
        return mine
    channel = watched.channel.get(slot, "")
    return [(r.day, r.channels[channel]) for r in readings if channel in r.channels and r.day >= since] or mine


class _Counted:
    """What one slot's counters say since its soak began."""

    def __init__(self, slot: str, series: Sequence[tuple[float, SlotHealth]], since: float) -> None:
        self.slot = slot
        self.newest = series[-1][0] if series else None
        corrected = [(d, h.correctable) for d, h in series if h.correctable is not None]
        lost = [(d, h.uncorrectable) for d, h in series if h.uncorrectable is not None]
        #: Uncorrectable errors; None where it was not read twice.
        self.lost = _risen([n for _, n in lost]) if len(lost) > 1 else None
        self.rate: SlotRate | None = None
        if len(corrected) > 1:
            count, span = _risen([n for _, n in corrected]), corrected[-1][0] - max(corrected[0][0], since)
            self.rate = SlotRate(count, span, upper_rate(count, span) if span > 0 else None)
        #: Why nothing can be said of it yet.
        self.lacks = "not read" if not series else "read once" if self.lost is None and self.rate is None else ""


def _risen(numbers: Sequence[int]) -> int:
    """Counted between the first and the last; a counter that went back began anew, so what it shows was counted since."""
    return sum(b - a if b >= a else b for a, b in zip(numbers, numbers[1:], strict=False))  # noqa: RUF007


def days_words(days: float) -> str:
    """A number of days, to three figures: "1 day", "2.5 days"."""
    figure = f"{days:.3g}"
    return f"{figure} day" if figure == "1" else f"{figure} days"


def _listed(slots: Sequence[str], name: Callable[[str], str]) -> str:
    """Every slot by name: each is looked at by itself."""
    return ", ".join(map(name, slots))


def _unread(lacking: Sequence[str], counted: Sequence[_Counted], name: Callable[[str], str]) -> str:
    return "no slot was read twice" if len(lacking) == len(counted) > 1 else f"not read twice: {_listed(lacking, name)}"


def _uncorrectable(counted: Sequence[_Counted], name: Callable[[str], str]) -> Rule:
    if lost := [c for c in counted if c.lost]:
        return Rule("uncorrectable", False, ", ".join(f"{name(c.slot)} {c.lost}" for c in lost))
    if lacking := [c.slot for c in counted if c.lost is None]:
        return Rule("uncorrectable", None, _unread(lacking, counted, name))
    return Rule("uncorrectable", True, "none counted")


def _correctable(counted: Sequence[_Counted], least_days: float, name: Callable[[str], str]) -> Rule:
    """Every slot's rate must be below the limit: the worst one decides, a slot without two readings keeps it open."""
    source = "Poisson, 95 % upper bound"
    told = {c.slot: c.rate for c in counted if c.rate is not None}
    lacking = [c.slot for c in counted if c.rate is None]
    words = []
    kept: bool | None = None if lacking or not told else True
    if told:
        worst = max(told, key=lambda s: days_needed(told[s].count) - told[s].span)
        r = told[worst]
        possible = f"leave up to {r.up_to:.2g} a day possible" if r.up_to is not None else "say nothing yet"
        words.append(f"{name(worst)}: {r.count} in {days_words(r.span)} {possible}; below {LIMIT_PER_DAY:g} passes")
        if any(
            days_needed(x.count) > least_days + _PATIENCE_DAYS and (x.up_to or LIMIT_PER_DAY) >= LIMIT_PER_DAY
            for x in told.values()
        ):
            kept = False
        elif r.up_to is None or r.up_to >= LIMIT_PER_DAY:
            kept = None
    if lacking:
        words.append(_unread(lacking, counted, name))
    return Rule("correctable", kept, "; ".join(words), source)


def _gone(counted: Sequence[_Counted], readings: Sequence[Reading]) -> list[str]:
    """Slots that were read, and that the newest whole reading leaves out."""
    whole = next((r for r in reversed(readings) if r.whole), None)
    return [c.slot for c in counted if whole is not None and c.newest is not None and c.newest < whole.day]


def _stale(counted: Sequence[_Counted], readings: Sequence[Reading], day: float) -> set[str]:
    return {
        *_gone(counted, readings),
        *(c.slot for c in counted if c.newest is not None and day - c.newest > FRESH_DAYS),
    }


def _newest(counted: Sequence[_Counted], readings: Sequence[Reading], day: float, name: Callable[[str], str]) -> Rule:
    if not any(c.newest is not None for c in counted):
        return Rule("newest reading", None, "its counters were not read yet")
    if gone := _gone(counted, readings):
        return Rule("newest reading", None, f"gone from the newest reading: {_listed(gone, name)}")
    oldest = min((c for c in counted if c.newest is not None), key=lambda c: c.newest or 0.0)
    age = day - (oldest.newest or 0.0)
    if age > FRESH_DAYS:
        return Rule("newest reading", None, f"{name(oldest.slot)} was read {days_words(age)} ago: read it again")
    return Rule("newest reading", True, "less than a day old")


def _tested(events: Events) -> Rule:
    if events.test_errors:
        return Rule("memory test", False, f"{events.test_errors} errors found")
    return Rule(
        "memory test",
        events.passes > 0 or None,
        f"{events.passes} {'pass' if events.passes == 1 else 'passes'} without an error",
    )


def _uncounted(watched: Watched, events: Events, quiet: float) -> Iterator[Rule]:
    """What has to do where no errors are counted."""
    yield Rule("correctable", True, "not applicable: this machine counts no errors that can be read")
    yield _tested(events)
    if events.restarts:
        yield Rule("restarts", False, f"{events.restarts} unplanned")
    else:
        yield Rule(
            "restarts",
            quiet >= QUIET_DAYS or None,
            f"{quiet:.1f} of {days_words(QUIET_DAYS)} without an unplanned restart",
        )
    if events.scrubbed is not None:
        yield Rule(
            "scrub",
            events.scrubbed,
            "a scrub of the array ended clean" if events.scrubbed else "a scrub of the array found errors",
        )
    elif watched.array:
        yield Rule("scrub", None, "no scrub of the array has ended yet")


def _time(day: float, watched: Watched, least_days: float, name: Callable[[str], str]) -> Rule:
    newest = max(watched.since, key=lambda s: watched.since[s], default="")
    past = day - watched.since.get(newest, 0.0)
    anew = f" for {name(newest)}, begun anew" if watched.since.get(newest, 0.0) > 0 else ""
    return Rule("time", past >= least_days or None, f"{past:.1f} of {days_words(least_days)}{anew}")


def _temperatures(readings: Sequence[Reading], name: Callable[[str], str]) -> list[Rule]:
    told = [(h.temperature_c, s) for r in readings for s, h in r.slots.items() if h.temperature_c is not None]
    if not told:
        return []
    top, slot = max(told)
    source = "JESD79: normal operating range, case temperature"
    return [Rule("temperature", top <= TOP_CELSIUS, f"{name(slot)} reached {top:g} of {TOP_CELSIUS:g} °C", source)]

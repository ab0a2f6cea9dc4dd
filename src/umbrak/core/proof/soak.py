"""The soak: whether a machine has run long and clean enough to be relied on."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from umbrak.core.platform.survey import SlotHealth

#: Correctable errors that one module may be suspected of. [1/d] Reasoned: at none counted, 95 % sure after three days.
LIMIT_PER_DAY = 1.0
#: JESD79-4 and JESD79-5: case temperature of the normal operating range. [°C]
TOP_CELSIUS = 85.0
#: How long a machine that counts nothing has to run without an unplanned restart. [d]
QUIET_DAYS = 3.0
_SURE = 0.95


@dataclass(frozen=True, slots=True)
class Reading:
    """What was counted and measured at one time."""

    #: Since the soak began. [d]
    day: float
    slots: Mapping[str, SlotHealth]


@dataclass(frozen=True, slots=True)
class Rule:
    """One half of the rule, and how it stands."""

    name: str
    #: None = not yet.
    kept: bool | None
    words: str
    source: str = ""


@dataclass(frozen=True, slots=True)
class SlotRate:
    """Correctable errors of one slot since the soak began, and what rate they leave possible."""

    count: int
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


def upper_rate(count: int, days: float) -> float:
    """The rate that `count` events in `days` leave possible: the one-sided 95 % bound of a Poisson rate. [1/d]

    chi²(0.95; 2 (k + 1)) / (2 t): Garwood's exact interval. Without any time nothing is excluded.
    """
    from scipy.stats import chi2

    return float(chi2.ppf(_SURE, 2 * (count + 1)) / 2 / days) if days > 0 else float("inf")


def days_needed(count: int, limit: float = LIMIT_PER_DAY) -> float:
    """How long it must run for so many errors to leave the bound below the limit. [d]"""
    return upper_rate(count, 1.0) / limit


def soak(
    readings: Sequence[Reading],
    day: float,
    modules: Iterable[str],
    passes: int,
    test_errors: int,
    restarts: int,
    scrubbed: bool | None,
    least_days: float,
    name: Callable[[str], str] = str,
) -> Soak:
    """How the soak stands.

    Parameters
        readings      in order of time; the first is what was counted before it began
        day           now, since it began
        modules       slots that hold one
        passes        passes of a memory test, and errors that they found
        restarts      restarts that nobody planned
        scrubbed      whether a scrub of the array ended clean; None where there is no array, or it was not looked at yet
        least_days    how long it lasts at least
        name          a slot's name as people know it
    """
    counted = _counted(readings, modules)
    rules: list[Rule] = []
    left = max(0.0, least_days - day)
    rates = {}
    if counted:
        span = readings[-1].day - readings[0].day
        rates = {s: SlotRate(c, upper_rate(c, span) if span > 0 else None) for s, (c, _) in counted.items()}
        lost = sorted(name(s) for s, (_, u) in counted.items() if u)
        rules.append(
            Rule("uncorrectable", not lost, f"uncorrectable errors in {', '.join(lost)}" if lost else "none counted")
        )
        worst = max(rates, key=lambda s: rates[s].count)
        count, rate = rates[worst].count, upper_rate(rates[worst].count, span)
        need = days_needed(count)
        kept = True if rate < LIMIT_PER_DAY else None if need <= least_days + 30 else False
        possible = f"leave up to {rate:.2g} a day possible" if span > 0 else "say nothing yet"
        words = f"{name(worst)}: {count} in {span:.3g} days {possible}; below {LIMIT_PER_DAY:g} passes"
        rules.append(Rule("correctable", kept, words, "Poisson, 95 % upper bound"))
        if kept is None:
            left = max(left, need - span)
    else:
        rules.append(Rule("correctable", True, "not applicable: this machine counts no errors"))
        words = f"{test_errors} errors found" if test_errors else f"{passes} passes without an error"
        rules.append(Rule("memory test", False if test_errors else passes > 0 or None, words))
        quiet = restarts == 0
        rules.append(Rule("restarts", (day >= QUIET_DAYS or None) if quiet else False,
                          f"{day:.1f} of {QUIET_DAYS:g} days without an unplanned restart" if quiet else f"{restarts} unplanned"))  # fmt: skip
        left = max(left, QUIET_DAYS - day)
        if scrubbed is not None:
            rules.append(Rule("scrub", scrubbed, "a scrub of the array ended clean" if scrubbed else "a scrub of the array found errors"))  # fmt: skip
    if test_errors and counted:
        rules.append(Rule("memory test", False, f"{test_errors} errors found"))
    if restarts and counted:
        rules.append(Rule("restarts", False, f"{restarts} unplanned"))
    rules += _temperatures(readings, name)
    rules.append(Rule("time", day >= least_days or None, f"{day:.1f} of {least_days:g} days"))
    failed = any(r.kept is False for r in rules)
    over = all(r.kept for r in rules)
    return Soak(tuple(rules), False if failed else True if over else None, None if failed else round(left, 2), rates)


def _counted(readings: Sequence[Reading], modules: Iterable[str]) -> dict[str, tuple[int, int]]:
    """Slot -> errors counted between the first reading and the last (correctable, uncorrectable); slots never told of are
    left out. A counter that went back began anew, so what it shows was counted since."""
    found: dict[str, tuple[int, int]] = {}
    for slot in modules:
        series = [r.slots[slot] for r in readings if slot in r.slots]
        numbers = [h.correctable for h in series if h.correctable is not None]
        if len(numbers) >= 2:
            lost = [h.uncorrectable for h in series if h.uncorrectable is not None]
            found[slot] = (_risen(numbers), _risen(lost))
    return found


def _risen(numbers: Sequence[int]) -> int:
    return sum(b - a if b >= a else b for a, b in zip(numbers, numbers[1:], strict=False))  # noqa: RUF007


def _temperatures(readings: Sequence[Reading], name: Callable[[str], str]) -> list[Rule]:
    told = [(h.temperature_c, s) for r in readings for s, h in r.slots.items() if h.temperature_c is not None]
    if not told:
        return []
    top, slot = max(told)
    source = "JESD79: normal operating range, case temperature"
    return [Rule("temperature", top <= TOP_CELSIUS, f"{name(slot)} reached {top:g} of {TOP_CELSIUS:g} °C", source)]

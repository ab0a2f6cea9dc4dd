"""Standard data rates and rails, as tables.

Sources: JESD79-2 (DDR2), JESD79-3 and -3-1 (DDR3, DDR3L), JESD79-4 (DDR4), JESD79-5 (DDR5);
the module names by bandwidth are those of the label clauses of JESD21-C.
"""

from __future__ import annotations

#: Generation -> standard data rates [MT/s], ascending.
STANDARD_RATES_MTS: dict[str, tuple[int, ...]] = {
    "DDR2": (400, 533, 667, 800, 1066),
    "DDR3": (800, 1066, 1333, 1600, 1866, 2133),
    "DDR4": (1600, 1866, 2133, 2400, 2666, 2933, 3200),
    "DDR5": (3200, 3600, 4000, 4400, 4800, 5200, 5600, 6000, 6400, 6800, 7200, 7600, 8000, 8400, 8800),
}

#: Generation -> {number in a name by bandwidth [MB/s]: data rate [MT/s]}. Several roundings of one
#: rate are in use, since 8 bytes times the true rate is rarely a round number.
BANDWIDTH_NAMES: dict[str, dict[int, int]] = {
    "DDR2": {3200: 400, 4200: 533, 4300: 533, 5300: 667, 5400: 667, 6400: 800, 8500: 1066, 8600: 1066},
    "DDR3": {
        6400: 800, 8500: 1066, 8600: 1066, 10600: 1333, 10660: 1333, 10666: 1333, 10700: 1333,
        12800: 1600, 14900: 1866, 15000: 1866, 17000: 2133, 17066: 2133,
    },
    "DDR4": {
        12800: 1600, 14900: 1866, 17000: 2133, 17066: 2133, 19200: 2400, 21300: 2666, 21333: 2666,
        23400: 2933, 23466: 2933, 25600: 3200,
    },
    "DDR5": {rate * 8: rate for rate in STANDARD_RATES_MTS["DDR5"]},
}  # fmt: skip

#: DDR4 speed bins by data rate: the letters that stand right behind the rate on a label (JESD79-4, speed bins).
DDR4_BINS: dict[int, tuple[str, ...]] = {
    1600: ("J", "K", "L"),
    1866: ("L", "M", "N"),
    2133: ("N", "P", "R"),
    2400: ("P", "R", "T", "U"),
    2666: ("T", "U", "V", "W"),
    2933: ("V", "W", "Y", "AA"),
    3200: ("W", "AA", "AC"),
}
#: DDR5 speed bins (JESD79-5); every rate has the same letters.
DDR5_BINS: tuple[str, ...] = ("A", "AN", "B", "BN", "C")

#: Generation (with its low-voltage suffix) -> rails that are sure [V]. DDR3L runs at either (JESD79-3-1);
#: of DDR3U a label makes only 1.25 V sure, SPD byte 6 may add more. DDR2's is the DRAM's rail.
RAILS_V: dict[str, tuple[float, ...]] = {
    "DDR2": (1.8,),
    "DDR3": (1.5,),
    "DDR3L": (1.35, 1.5),
    "DDR3U": (1.25,),
    "DDR4": (1.2,),
    "DDR5": (1.1,),
}


def family_rails(generation: str) -> tuple[float, ...]:
    """Every rail that some module of a generation has, ascending. [V]"""
    return tuple(sorted({v for name, volts in RAILS_V.items() if name.startswith(generation) for v in volts}))


def board_rails(generation: str) -> tuple[float, ...]:
    """The rails that boards of a generation wire, ascending; only DDR3's have a choice (JESD79-3-1). [V]"""
    return (1.35, 1.5) if generation == "DDR3" else RAILS_V[generation]


def rate_named(generation: str, number: int) -> int | None:
    """The data rate that a number in a module's name stands for, by rate or by bandwidth. [MT/s]

    None when the generation has no such name. A number is never both: the two tables of one
    generation overlap only for DDR5 (6400 by rate), where the name by rate is the label's.

    Examples
        >>> rate_named("DDR3", 12800), rate_named("DDR4", 2400), rate_named("DDR4", 2500)
        (1600, 2400, None)
    """
    if generation == "DDR2" or number not in STANDARD_RATES_MTS[generation]:
        by_bandwidth = BANDWIDTH_NAMES[generation].get(number)
        if by_bandwidth is not None:
            return by_bandwidth
    return number if number in STANDARD_RATES_MTS[generation] else None


def standard_rate(rate: int | None, generation: str | None) -> int | None:
    """The standard rate that a firmware's rounding means (1334 is 1333); the rate itself where none is near. [MT/s]"""
    if rate is None:
        return None
    tables = [STANDARD_RATES_MTS[generation]] if generation else list(STANDARD_RATES_MTS.values())
    near = [r for t in tables for r in t if abs(r - rate) <= 1]
    return min(near, key=lambda r: abs(r - rate)) if near else rate


def may_be_clock(rate: int, generation: str, in_transfers: bool) -> bool:
    """Whether a speed that a machine tells may be the clock, half the data rate: its double is a rate of the standard,
    and either the field is not in MT/s (`in_transfers`), or the speed is no rate of the standard."""
    standard = STANDARD_RATES_MTS[generation]
    return any(abs(2 * rate - r) <= 2 for r in standard) and not (in_transfers and rate in standard)


def clock_words(rate: int) -> str:
    """What is said of a speed that may be the clock."""
    return f"a speed of {rate} may be the data rate or the clock of {2 * rate} MT/s; the rate stays unknown"

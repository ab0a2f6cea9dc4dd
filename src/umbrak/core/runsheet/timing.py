"""How long a machine is left to itself: its first start, and a test of its memory."""

from __future__ import annotations

from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.sheet import Sheet
from umbrak.core.runsheet.step import Minutes

#: Where the sheet tells no times: from a small machine's to a large server's, as a range. [min]
_UNTOLD_START = Minutes(2, 20)
#: One pass of a memory test at 1600 MT/s. [min per GiB] Reasoned: from many channels to one slow one.
_TEST_PER_GIB = Minutes(0.15, 0.8)
_AT_MTS = 1600.0


def start_minutes(sheet: Sheet, layout: Layout) -> Minutes:
    """How long the first start takes: base, and per module and GiB, give or take the sheet's spread."""
    boot = sheet.first_boot
    if boot is None:
        return _UNTOLD_START
    modules = [m for m in layout.values() if isinstance(m, Module)]
    seconds = boot.base_s + boot.per_module_s * len(modules) + boot.per_gib_s * total_gib(sheet, layout)
    return Minutes(round(seconds * (1 - boot.spread) / 60, 1), round(seconds * (1 + boot.spread) / 60, 1))


def total_gib(sheet: Sheet, layout: Layout) -> float:
    """What is fitted and soldered, as far as sizes are known. [GiB]"""
    modules = [m for m in layout.values() if isinstance(m, Module)]
    soldered = [c.soldered for c in sheet.channels.values() if c.soldered]
    return sum(m.capacity_gib or 0 for m in (*modules, *soldered))


def pass_minutes(sheet: Sheet, layout: Layout, passes: int = 1) -> Minutes:
    """How long a memory test takes: by what is fitted, the slowest module's rate, and passes. One estimate for the run sheet,
    its downtime and the fault search."""
    rates = [m.rate_mts for m in layout.values() if isinstance(m, Module) and m.rate_mts]
    rate = min([*rates, *([sheet.rate_cap_mts] if sheet.rate_cap_mts else [])], default=_AT_MTS)
    factor = total_gib(sheet, layout) * passes * _AT_MTS / rate
    return Minutes(round(factor * _TEST_PER_GIB.low, 1), round(factor * _TEST_PER_GIB.high, 1))

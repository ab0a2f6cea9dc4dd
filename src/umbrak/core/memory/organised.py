"""How modules are made of dies: ranks, widths and stacks of each kind by the standards, and the sizes that are made."""

from __future__ import annotations

from umbrak.core.memory.module import Buffering, Form, Generation

#: How modules of each kind are organised: (package ranks, device width, stack height). Unbuffered ones by JESD21-C 4.20 and JESD308,
#: registered and load-reduced ones by JESD21-C 4.20.28 and JESD305; the usual ones first.
ORGANISED: dict[Buffering, tuple[tuple[int, int, int], ...]] = {
    Buffering.UNBUFFERED: ((1, 8, 1), (2, 8, 1), (1, 16, 1), (2, 16, 1)),
    Buffering.REGISTERED: ((1, 4, 1), (1, 8, 1), (2, 4, 1), (2, 8, 1), (4, 4, 1), (4, 8, 1), (2, 4, 2), (2, 4, 4)),
    Buffering.LOAD_REDUCED: ((2, 4, 1), (4, 4, 1), (2, 4, 2), (2, 4, 4)),
    Buffering.FULLY_BUFFERED: ((1, 8, 1), (2, 8, 1), (2, 4, 1)),
}
#: Kinds that a generation has as DIMM; a SO-DIMM is unbuffered.
_KINDS: dict[str, tuple[Buffering, ...]] = {
    "DDR2": (Buffering.UNBUFFERED, Buffering.REGISTERED, Buffering.FULLY_BUFFERED),
    "DDR3": (Buffering.UNBUFFERED, Buffering.REGISTERED, Buffering.LOAD_REDUCED),
    "DDR4": (Buffering.UNBUFFERED, Buffering.REGISTERED, Buffering.LOAD_REDUCED),
    "DDR5": (Buffering.UNBUFFERED, Buffering.REGISTERED),
}

#: Capacities that are sold of each generation: smaller ones are no upgrade, larger ones do not exist. [GiB]
SOLD_GIB: dict[str, tuple[float, ...]] = {
    "DDR2": (1, 2, 4, 8),
    "DDR3": (2, 4, 8, 16, 32),
    "DDR4": (4, 8, 16, 32, 64, 128, 256),
    "DDR5": (8, 16, 24, 32, 48, 64, 96, 128, 256),
}

#: The largest dies that modules are made of; the standards of DDR2 and DDR5 have larger ones, which nobody sells. [Gbit]
MADE_GBIT: dict[str, float] = {"DDR2": 2, "DDR3": 8, "DDR4": 16, "DDR5": 32}


def kinds_of(generation: Generation, form: Form) -> tuple[Buffering, ...]:
    """The kinds that modules of a generation and form have."""
    return (Buffering.UNBUFFERED,) if form is Form.SO_DIMM else _KINDS[generation]

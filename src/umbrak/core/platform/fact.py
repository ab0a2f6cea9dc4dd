"""Facts that a sheet does not tell: open (nobody has looked) or untold (somebody looked, and the sources are silent).

A fact that is told is simply in the sheet. Beside one that is not, `seen` keeps what a running machine of the model
showed: it bounds what is asked (what ran, runs), and never becomes the rule.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class State(StrEnum):
    OPEN = "open"
    UNTOLD = "untold"


@dataclass(frozen=True, slots=True)
class Unsaid:
    """One fact that the sheet does not tell."""

    state: State
    #: What is open in its writer's words, or where somebody looked.
    words: str | None = None
    #: When somebody looked.
    looked: str | None = None
    #: What ran: kinds, rails, numbers, sets of slots, by what the fact is about.
    seen: tuple[object, ...] = ()
    #: Whether the sheet names it at all; one left out counts as open.
    named: bool = True


@dataclass(frozen=True, slots=True)
class Asked:
    """What is asked of a fact that is not told."""

    #: "the order in which slots are filled"
    what: str
    #: What it could hide, in the fewest words.
    hides: str
    #: Where such a fact usually stands.
    where: str
    #: stop, slow or cost: the worst that it could do.
    harm: str = "stop"


#: Fact, by its place in the sheet's text ("*" for any name) -> what is asked of it.
FACTS: dict[str, Asked] = {
    "memory.rails_v": Asked("which rails the board wires", "a module that does not start, or harm to it", "the guide's memory specifications; what the firmware shows of a module that runs"),
    "memory.accepts": Asked("which kinds of module it takes", "a module that does not start", "the guide's list of supported memory"),
    "channels": Asked("which slots share a channel", "more ranks on a channel than it drives, and less bandwidth", "the guide's drawing of the board; the banks that the machine's own tables name"),
    "limits": Asked("how much memory anybody vouches for", "memory that is not seen, or no start", "the maker's specifications, the processor's data sheet, release notes"),
    "population": Asked("the order in which slots are filled", "slots in which modules are not seen", "the guide's chapter on installing memory; a table inside the cover"),
    "processors.*.rate_table": Asked("what rate it runs by modules and ranks in a channel", "a lower data rate", "the processor's data sheet; the guide's memory specifications", "slow"),
    "processors.*.faster_modules": Asked("whether modules rated faster than the processor's list are slowed or refused", "a module that does not start", "the guide's list of supported memory; the processor's data sheet"),
    "memory.never_together": Asked("which modules must not stand together", "a machine that does not start", "the guide's rules for mixing memory"),
    "limits.die_gbit": Asked("how dense dies it addresses", "a module that is not seen, or seen by half", "the processor's data sheet; release notes"),
    "memory.package_ranks_per_channel": Asked("how many ranks a channel drives", "a module that is not seen", "the guide's table of modules per channel; the processor's data sheet"),
    "limits.stack_height": Asked("how high stacked dies it addresses", "a module that is not seen", "the processor's data sheet"),
    "memory.load_reduced_counts_as": Asked("how the ranks of load-reduced modules count", "a module that is not seen", "the guide's table of modules per channel"),
    "memory.modes.*": Asked("what the mode keeps back", "less usable memory, or no protection", "the guide's chapter on memory modes", "cost"),
    "access.*.ends_warranty": Asked("whether opening this way ends the warranty", "the warranty", "the warranty's terms; the guide's chapter on what an owner may open", "cost"),
    "slots.*.clearance_mm": Asked("how much room there is above the slot", "a module that fouls the case", "the guide's drawings; a rule held beside the module that is in"),
}  # fmt: skip


#: What a limit is about -> the fact that it tells.
FACT_OF_AMOUNT = {
    "capacity_gib": "limits",
    "die_gbit": "limits.die_gbit",
    "package_ranks": "memory.package_ranks_per_channel",
    "stack_height": "limits.stack_height",
}


def asked_of(fact: str) -> Asked | None:
    """What is asked of a fact by its name, such as "processors.tern.faster_modules"; None where it is none of these."""
    if fact in FACTS:
        return FACTS[fact]
    parts = fact.split(".")
    for name, asked in FACTS.items():
        head, star, tail = name.partition("*")
        if star and fact.startswith(head) and fact.endswith(tail) and len(parts) > name.count("."):
            return asked
    return None

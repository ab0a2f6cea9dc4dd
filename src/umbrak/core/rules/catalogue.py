"""The one catalogue of codes.

A code says what kind of fact was found; its severities are those it can take (`ask` besides, when the
fact that decides is unknown). "sheet" severities follow the sheet's words: refused = stop,
unsupported = risk, slower = slow, silent = ask.
"""

from __future__ import annotations

from dataclasses import dataclass

from umbrak.core.rules.finding import Severity

_STOP, _RISK, _SLOW, _NOTE = (Severity.STOP,), (Severity.RISK,), (Severity.SLOW,), (Severity.NOTE,)
_SHEET = (Severity.STOP, Severity.RISK, Severity.SLOW)


@dataclass(frozen=True, slots=True)
class Code:
    """One line of the catalogue."""

    code: str
    severities: tuple[Severity, ...]
    #: Two to five words, for a heading.
    title: str
    why: str
    do: str
    #: What the rule rests on: a standard, a field of the sheet, or plain reasoning.
    source: str


CATALOGUE: dict[str, Code] = {
    row.code: row
    for row in (
        Code("fit.slot-unknown", _STOP, "No such slot", "the sheet has no slot of this name", "put the module into a slot that the sheet has", "the sheet"),
        Code("fit.unknown", (), "Slot not known", "what sits in a slot decides nearly everything else", "read its label, or the machine's tables", "the survey"),
        Code("fit.generation", _STOP, "Wrong generation", "each generation has its own notch, pins and signals", "use a module of the machine's generation", "JEDEC outlines MO-237, MO-269, MO-309, MO-329: each its own notch"),
        Code("fit.form", _STOP, "Wrong form", "a module of another form does not go into the slot", "use a module of the machine's form", "JEDEC outlines of DIMM and SO-DIMM; JESD305, JESD308 for the notch of DDR5"),
        Code("fit.height", (Severity.STOP, Severity.NOTE), "Too tall", "a tall module fouls the case or the airflow", "use a lower module", "the sheet's clearances; MO-268, MO-310 for SO-DIMM"),
        Code("fit.soldered", _STOP, "Soldered memory", "soldered memory has no slot and stays", "leave it and plan for the slots", "the sheet"),
        Code("fit.failed", (Severity.STOP, Severity.RISK), "Module has failed", "a failed module gives no memory, and still takes its slot, load and ranks", "replace it by one of its kind, or take it out", "the machine's own report; what somebody found"),
        Code("fit.facing", _NOTE, "Faces another way", "a module put in the wrong way round breaks its slot", "mind which way the label faces", "the sheet"),
        Code("power.rail", _STOP, "No common rail", "a module below its rail does not start, above it may be harmed", "use modules made for the board's rail", "JESD79-3-1 (1.35 V), JESD79-4, JESD79-5; the board by the sheet"),
        Code("power.mixed", _NOTE, "Held at the higher rail", "one module without low voltage keeps the others from it", "use low-voltage modules throughout to save power", "JESD79-3-1: a common rail serves all"),
        Code("power.policy", _SLOW, "Rail costs rate", "some boards hold a rate only at the higher rail", "set the other rail where the firmware lets you", "the sheet's rail_policy and rate table"),
        Code("kind.refused", _STOP, "Kind not taken", "the memory controller or board does not drive this kind", "use a kind that the sheet accepts", "the sheet's accepts and refuses"),
        Code("sheet.open", (), "The sheet does not tell", "nobody has looked up a rule that this layout hangs on", "look it up and tell the sheet; where the sources are silent, tell it so", "the sheet: facts left out or open"),
        Code("kind.uncertified", _RISK, "Kind not certified", "it works but lacks the maker's word", "use a certified kind where the warranty matters", "the sheet's accepts"),
        Code("kind.mixed", _STOP, "Kinds mixed", "kinds with different buffering or organisation cannot share a bus", "use one kind throughout", "JEDEC module specifications (bus loading differs); the sheet's never_together"),
        Code("kind.ecc-mixed", (Severity.STOP, Severity.RISK), "ECC mixed with none", "one module without ECC takes it from all, or stops the machine", "use ECC throughout or not at all", "the sheet's ecc_mixed"),
        Code("kind.ecc-required", _STOP, "ECC required", "the machine does not start without ECC modules", "use modules with ECC", "the sheet's accepts"),
        Code("limit.machine", _STOP, "Over the machine's hard limit", "address lines end there", "plan less", "the statement that is passed"),
        Code("limit.socket", _STOP, "Over a socket's hard limit", "the processor's address lines end there", "plan less on this socket", "the statement that is passed"),
        Code("limit.controller", _STOP, "Over a controller's hard limit", "the controller's address lines end there", "plan less on this controller", "the statement that is passed"),
        Code("limit.channel", _STOP, "Over a channel's hard limit", "the channel's address lines end there", "plan less on this channel", "the statement that is passed"),
        Code("limit.slot", _STOP, "Over a slot's hard limit", "the slot's address lines end there", "use a smaller module", "the statement that is passed"),
        Code("limit.die", _STOP, "Dies too dense", "the controller lacks the address lines for these dies", "use modules of less dense dies", "the statement that is passed"),
        Code("limit.ranks", _STOP, "Too many ranks", "every package rank needs a chip select, and a channel has only so many", "use modules of fewer ranks", "the statement that is passed"),
        Code("limit.stack", _STOP, "Stacked too high", "the controller does not address so many stacked dies", "use modules of lower stacks", "the statement that is passed"),
        Code("limit.os-width", _SLOW, "System sees less", "a 32-bit operating system addresses about 4 GiB, and devices take addresses of it", "install a 64-bit system", "32 address bits"),
        Code("limit.firmware", _RISK, "Another version needed", "the total is met only by another firmware or system version", "change the version first, then the memory", "the statement that is passed"),
        Code("speed.refused", _STOP, "Grade refused", "the processor does not start with modules of this grade", "use modules of a grade it accepts", "the processor's refuses_above_mts"),
        Code("speed.module", _SLOW, "Modules below the machine", "the modules are rated below what the machine would run", "use faster modules if bandwidth matters", "the processor's rate table in the sheet; SPD rating of the modules"),
        Code("speed.mixed", _SLOW, "Slowest module binds", "all modules of a machine run at the slowest one's rate", "swap the slowest for a module like the others", "the processor's rate table in the sheet; SPD rating of the modules"),
        Code("speed.population", _SLOW, "Full channels run slower", "more modules or ranks in a channel load its bus", "reach the total with fewer, larger modules", "the processor's rate table in the sheet; SPD rating of the modules"),
        Code("speed.processor", _SLOW, "Machine below the modules", "processor or board runs less than the modules are rated for", "no harm; slower modules would do", "the processor's rate table in the sheet; SPD rating of the modules"),
        Code("speed.untold", (), "Rate not known", "what decides the data rate is not known", "find the missing fact", "the processor's rate table in the sheet; SPD rating of the modules"),
        Code("order.place", _SHEET, "Wrong slots for this count", "the order says which slots come first", "move them to the slots of the order", "the sheet's population order"),
        Code("order.gap", _SHEET, "Gap in a channel", "a module behind an empty slot hangs on a stub of wire", "move it to the slot that comes first", "the sheet's population order"),
        Code("order.set", _SHEET, "Set incomplete or unlike", "modules go in sets so that the channels work together", "complete the set with like modules", "the sheet's population order"),
        Code("order.larger-first", _SLOW, "Larger belongs first", "the order puts the larger size into the first set", "swap the two sizes", "the sheet's population order"),
        Code("order.rank-far", _SLOW, "More ranks belong far", "the far slot ends the bus, where the heavier load does least harm", "swap the two", "the sheet's population order"),
        Code("order.sockets", _SLOW, "Sockets uneven", "threads on the poorer socket reach over for memory", "spread the modules evenly over the sockets", "the sheet's population order"),
        Code("order.balance", _SLOW, "Channels uneven", "memory beyond the smaller channels is spread over fewer", "fill the channels evenly", "reasoning: the fullest channel is the last to finish"),
        Code("order.channel-single", _SLOW, "One channel works", "with one of several channels filled the others idle", "split the total over the channels", "reasoning: peak is channels * 8 bytes * rate"),
        Code("order.socket-bare", _SHEET, "Processor without memory", "a processor without memory reaches over for all of it", "give each processor memory of its own", "the sheet's least_per_processor; otherwise reasoning"),
        Code("order.no-processor", _STOP, "Slot without processor", "slots hang on their processor; without it they are dead", "use slots of a socket that has its processor", "the sheet's sockets"),
        Code("risk.over-official", _RISK, "Over the official total", "the maker does not vouch for it", "look for proof that it works, or plan less", "the statement that is passed"),
        Code("risk.over-processor", _RISK, "Over the processor maker's figure", "the processor's maker does not vouch for it", "look for proof that it works, or plan less", "the statement that is passed"),
        Code("risk.density", _RISK, "Denser dies than stated", "the processor's maker states support for less dense dies", "choose modules of less dense dies", "the statement that is passed"),
        Code("risk.unproved", _RISK, "Over a stated limit", "somebody states that it goes no higher", "look for proof that it works, or plan less", "the statement that is passed"),
        Code("risk.unlisted", _RISK, "Part not on the list", "the maker's qualified list does not have this part", "use a listed part where support matters", "the sheet's listed parts"),
        Code("risk.untold", (Severity.RISK, Severity.SLOW), "Nobody tells", "the sources were looked at and do not say", "let a trial settle it, or do without", "the sheet: facts that it calls untold"),
        Code("risk.warranty", _RISK, "Opening ends the warranty", "the way to the slot is not open to the owner", "leave that slot, or decide to give up the warranty", "the sheet's access routes"),
        Code("risk.mixed-makers", _RISK, "Makers mixed", "modules of different makers are rarely tried together", "use one maker's modules throughout", "reasoning: what was never tried together is unproved"),
        Code("risk.mixed-kits", _RISK, "Kits mixed", "modules of different kits were never tried together", "use one kit, or modules from the machine's list", "reasoning: a kit is what was tried together"),
        Code("risk.staging", _NOTE, "Better in stages", "one module that proves itself costs less than a whole set that does not work", "put in one module, prove it, then the rest", "reasoning: one proof serves every like module"),
        Code("mode.unmet", _RISK, "Mode not met", "the machine falls back to independent channels and protection is lost", "match the mode's rule", "the sheet's modes"),
    )
}  # fmt: skip


#: What a sheet's word for an unlisted count or wrong slots comes to. Open = ask; where somebody looked and found nothing
#: it is tried at one's own risk.
SHEET_SEVERITY: dict[str | None, Severity] = {
    "refused": Severity.STOP,
    "unsupported": Severity.RISK,
    "slower": Severity.SLOW,
    "untold": Severity.RISK,
    None: Severity.ASK,
}

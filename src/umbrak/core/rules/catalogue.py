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
        Code(code="fit.slot-unknown", severities=_STOP, title="No such slot", why="the sheet has no slot of this name", do="put the module into a slot that the sheet has", source="the sheet"),
        Code(code="fit.unknown", severities=(), title="Slot not known", why="what sits in a slot decides nearly everything else", do="read its label, or the machine's tables", source="the survey"),
        Code(code="fit.generation", severities=_STOP, title="Wrong generation", why="each generation has its own notch, pins and signals", do="use a module of the machine's generation", source="JEDEC outlines MO-237, MO-269, MO-309, MO-329: each its own notch"),
        Code(code="fit.form", severities=_STOP, title="Wrong form", why="a module of another form does not go into the slot", do="use a module of the machine's form", source="JEDEC outlines of DIMM and SO-DIMM; JESD305, JESD308 for the notch of DDR5"),
        Code(code="fit.height", severities=(Severity.STOP, Severity.NOTE), title="Too tall", why="a tall module fouls the case or the airflow", do="use a lower module", source="the sheet's clearances; MO-268, MO-310 for SO-DIMM"),
        Code(code="fit.soldered", severities=_STOP, title="Soldered memory", why="soldered memory has no slot and stays", do="leave it and plan for the slots", source="the sheet"),
        Code(code="fit.failed", severities=(Severity.STOP, Severity.RISK), title="Module has failed", why="a failed module gives no memory, and still takes its slot, load and ranks", do="replace it by one of its kind, or take it out", source="the machine's own report; what somebody found"),
        Code(code="fit.facing", severities=_NOTE, title="Faces another way", why="a module put in the wrong way round breaks its slot", do="mind which way the label faces", source="the sheet"),
        Code(code="power.rail", severities=_STOP, title="No common rail", why="a module below its rail does not start, above it may be harmed", do="use modules made for the board's rail", source="JESD79-3-1 (1.35 V), JESD79-4, JESD79-5; the board by the sheet"),
        Code(code="power.mixed", severities=_NOTE, title="Held at the higher rail", why="one module without low voltage keeps the others from it", do="use low-voltage modules throughout to save power", source="JESD79-3-1: a common rail serves all"),
        Code(code="power.policy", severities=_SLOW, title="Rail costs rate", why="some boards hold a rate only at the higher rail", do="set the other rail where the firmware lets you", source="the sheet's rail_policy and rate table"),
        Code(code="kind.contradiction", severities=(), title="Told against itself", why="what cannot all be true of a module is not known of it", do="read its label, or its SPD, anew", source="the addressing of JESD79-2 to -5: ranks, widths and densities of dies that make up a size"),
        Code(code="kind.refused", severities=_STOP, title="Kind not taken", why="the memory controller or board does not drive this kind", do="use a kind that the sheet accepts", source="the sheet's accepts and refuses"),
        Code(code="sheet.open", severities=(), title="The sheet does not tell", why="nobody has looked up a rule that this layout hangs on", do="look it up and tell the sheet; where the sources are silent, tell it so", source="the sheet: facts left out or open"),
        Code(code="kind.uncertified", severities=_RISK, title="Kind not certified", why="it works but lacks the maker's word", do="use a certified kind where the warranty matters", source="the sheet's accepts"),
        Code(code="kind.mixed", severities=_STOP, title="Kinds mixed", why="kinds with different buffering or organisation cannot share a bus", do="use one kind throughout", source="JEDEC module specifications (bus loading differs); the sheet's never_together"),
        Code(code="kind.ecc-mixed", severities=(Severity.STOP, Severity.RISK), title="ECC mixed with none", why="one module without ECC takes it from all, or stops the machine", do="use ECC throughout or not at all", source="the sheet's ecc_mixed"),
        Code(code="kind.ecc-required", severities=_STOP, title="ECC required", why="the machine does not start without ECC modules", do="use modules with ECC", source="the sheet's accepts"),
        Code(code="limit.machine", severities=_STOP, title="Over the machine's hard limit", why="address lines end there", do="plan less", source="the statement that is passed"),
        Code(code="limit.socket", severities=_STOP, title="Over a socket's hard limit", why="the processor's address lines end there", do="plan less on this socket", source="the statement that is passed"),
        Code(code="limit.controller", severities=_STOP, title="Over a controller's hard limit", why="the controller's address lines end there", do="plan less on this controller", source="the statement that is passed"),
        Code(code="limit.channel", severities=_STOP, title="Over a channel's hard limit", why="the channel's address lines end there", do="plan less on this channel", source="the statement that is passed"),
        Code(code="limit.slot", severities=_STOP, title="Over a slot's hard limit", why="the slot's address lines end there", do="use a smaller module", source="the statement that is passed"),
        Code(code="limit.die", severities=_STOP, title="Dies too dense", why="the controller lacks the address lines for these dies", do="use modules of less dense dies", source="the statement that is passed"),
        Code(code="limit.ranks", severities=_STOP, title="Too many ranks", why="every package rank needs a chip select, and a channel has only so many", do="use modules of fewer ranks", source="the statement that is passed"),
        Code(code="limit.stack", severities=_STOP, title="Stacked too high", why="the controller does not address so many stacked dies", do="use modules of lower stacks", source="the statement that is passed"),
        Code(code="limit.os-width", severities=_SLOW, title="System sees less", why="a 32-bit operating system addresses about 4 GiB, and devices take addresses of it", do="install a 64-bit system", source="32 address bits"),
        Code(code="limit.firmware", severities=_RISK, title="Another version needed", why="the total is met only by another firmware or system version", do="change the version first, then the memory", source="the statement that is passed"),
        Code(code="speed.refused", severities=_STOP, title="Grade refused", why="the processor does not start with modules of this grade", do="use modules of a grade it accepts", source="the processor's refuses_above_mts"),
        Code(code="speed.module", severities=_SLOW, title="Modules below the machine", why="the modules are rated below what the machine would run", do="use faster modules if bandwidth matters", source="the processor's rate table in the sheet; SPD rating of the modules"),
        Code(code="speed.mixed", severities=_SLOW, title="Slowest module binds", why="all modules of a machine run at the slowest one's rate", do="swap the slowest for a module like the others", source="the processor's rate table in the sheet; SPD rating of the modules"),
        Code(code="speed.population", severities=_SLOW, title="Full channels run slower", why="more modules or ranks in a channel load its bus", do="reach the total with fewer, larger modules", source="the processor's rate table in the sheet; SPD rating of the modules"),
        Code(code="speed.processor", severities=_SLOW, title="Machine below the modules", why="processor or board runs less than the modules are rated for", do="no harm; slower modules would do", source="the processor's rate table in the sheet; SPD rating of the modules"),
        Code(code="speed.untold", severities=(), title="Rate not known", why="what decides the data rate is not known", do="find the missing fact", source="the processor's rate table in the sheet; SPD rating of the modules"),
        Code(code="order.place", severities=_SHEET, title="Wrong slots for this count", why="the order says which slots come first", do="move them to the slots of the order", source="the sheet's population order"),
        Code(code="order.gap", severities=_SHEET, title="Gap in a channel", why="a module behind an empty slot hangs on a stub of wire", do="move it to the slot that comes first", source="the sheet's population order"),
        Code(code="order.set", severities=_SHEET, title="Set incomplete or unlike", why="modules go in sets so that the channels work together", do="complete the set with like modules", source="the sheet's population order"),
        Code(code="order.larger-first", severities=_SLOW, title="Larger belongs first", why="the order puts the larger size into the first set", do="swap the two sizes", source="the sheet's population order"),
        Code(code="order.rank-far", severities=_SLOW, title="More ranks belong far", why="the far slot ends the bus, where the heavier load does least harm", do="swap the two", source="the sheet's population order"),
        Code(code="order.sockets", severities=_SLOW, title="Sockets uneven", why="threads on the poorer socket reach over for memory", do="spread the modules evenly over the sockets", source="the sheet's population order"),
        Code(code="order.balance", severities=_SLOW, title="Channels uneven", why="memory beyond the smaller channels is spread over fewer", do="fill the channels evenly", source="reasoning: the fullest channel is the last to finish"),
        Code(code="order.channel-single", severities=_SLOW, title="One channel works", why="with one of several channels filled the others idle", do="split the total over the channels", source="reasoning: peak is channels * 8 bytes * rate"),
        Code(code="order.socket-bare", severities=_SHEET, title="Processor without memory", why="a processor without memory reaches over for all of it", do="give each processor memory of its own", source="the sheet's least_per_processor; otherwise reasoning"),
        Code(code="order.no-processor", severities=_STOP, title="Slot without processor", why="slots hang on their processor; without it they are dead", do="use slots of a socket that has its processor", source="the sheet's sockets"),
        Code(code="risk.over-official", severities=_RISK, title="Over the official total", why="the maker does not vouch for it", do="look for proof that it works, or plan less", source="the statement that is passed"),
        Code(code="risk.over-processor", severities=_RISK, title="Over the processor maker's figure", why="the processor's maker does not vouch for it", do="look for proof that it works, or plan less", source="the statement that is passed"),
        Code(code="risk.density", severities=_RISK, title="Denser dies than stated", why="the processor's maker states support for less dense dies", do="choose modules of less dense dies", source="the statement that is passed"),
        Code(code="risk.unproved", severities=_RISK, title="Over a stated limit", why="somebody states that it goes no higher", do="look for proof that it works, or plan less", source="the statement that is passed"),
        Code(code="risk.unlisted", severities=_RISK, title="Part not on the list", why="the maker's qualified list does not have this part", do="use a listed part where support matters", source="the sheet's listed parts"),
        Code(code="risk.untold", severities=(Severity.RISK, Severity.SLOW), title="Nobody tells", why="the sources were looked at and do not say", do="let a trial settle it, or do without", source="the sheet: facts that it calls untold"),
        Code(code="risk.warranty", severities=_RISK, title="Opening ends the warranty", why="the way to the slot is not open to the owner", do="leave that slot, or decide to give up the warranty", source="the sheet's access routes"),
        Code(code="risk.content", severities=_RISK, title="Content leaves with it", why="a module that keeps its content without power holds what nothing else may hold yet: a write cache, a file system", do="leave it where it is; or write its content out first, by its own tool", source="reasoning: persistent memory is a medium (JESD245 and JESD304 for NVDIMMs)"),
        Code(code="risk.mixed-makers", severities=_RISK, title="Makers mixed", why="modules of different makers are rarely tried together", do="use one maker's modules throughout", source="reasoning: what was never tried together is unproved"),
        Code(code="risk.mixed-kits", severities=_RISK, title="Kits mixed", why="modules of different kits were never tried together", do="use one kit, or modules from the machine's list", source="reasoning: a kit is what was tried together"),
        Code(code="risk.staging", severities=_NOTE, title="Better in stages", why="one module that proves itself costs less than a whole set that does not work", do="put in one module, prove it, then the rest", source="reasoning: one proof serves every like module"),
        Code(code="mode.unmet", severities=_RISK, title="Mode not met", why="the machine falls back to independent channels and protection is lost", do="match the mode's rule", source="the sheet's modes"),
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

"""The numbers that doubts start from. None is measured: each has its reasoning, and an installation may set its own.

Most are probabilities that something works although nobody vouches for it; the others are the weight of what was tried.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from umbrak.core.platform.statement import SourceKind


class Outcome(StrEnum):
    """How a trial went."""

    FINE = "fine"
    #: It runs, with something odd: a gauge that shows less, an alert, a slow start.
    QUIRKS = "quirks"
    #: Not seen, seen in the wrong size, or the machine does not start.
    NOT_SEEN = "not-seen"
    #: It starts, and fails under load or in time.
    UNSTABLE = "unstable"

    @property
    def ran(self) -> bool:
        """Whether it shows that it runs: what is only displayed oddly does."""
        return self in (Outcome.FINE, Outcome.QUIRKS)


class DoubtKind(StrEnum):
    """What may be doubted: five ladders (does so much of it work?) and four that are yes or no."""

    REACH = "reach"
    SLOT = "slot"
    DENSITY = "density"
    STACK = "stack"
    RANKS = "ranks"
    PART = "part"
    MIXED_MAKERS = "mixed-makers"
    MIXED_KITS = "mixed-kits"
    UNTOLD = "untold"


#: Doubts in how much of something works.
LADDERS = (DoubtKind.REACH, DoubtKind.SLOT, DoubtKind.DENSITY, DoubtKind.STACK, DoubtKind.RANKS)


@dataclass(frozen=True, slots=True)
class Number:
    """One number of the table."""

    value: float
    because: str
    #: What it is, for a heading: figures, parts and mixtures, weights, quirks, early.
    group: str
    words: str
    least: float = 0.0
    most: float = 1.0


def _figure(name: str, value: float, words: str, because: str) -> tuple[str, Number]:
    return f"figure.{name}", Number(value=value, because=because, group="figures", words=words, least=0.01)


def _thing(name: str, value: float, words: str, because: str) -> tuple[str, Number]:
    return name, Number(value=value, because=because, group="parts", words=words, least=0.01)


def _weight(name: str, value: float, words: str, because: str, most: float = 1.0) -> tuple[str, Number]:
    return name, Number(value=value, because=because, group="weights", words=words, most=most)


def _says(kind: SourceKind, value: float, because: str) -> tuple[str, Number]:
    called = {"own-proof": "own proof", "survey": "what a machine's tables say"}
    words = called.get(kind.value, kind.value.replace("-", " "))
    return f"says.{kind.value}", Number(value=value, because=because, group="weights", words=words, most=2.0)


def _share(name: str, value: float, words: str, because: str, most: float = 1.0) -> tuple[str, Number]:
    return name, Number(value=value, because=because, group=name.split(".")[0], words=words, most=most)


#: Name -> the number as it ships.
NUMBERS: Mapping[str, Number] = dict((
    _figure("official", 0.95, "passing an official total", "official totals are what was tried at launch; more of the same usually works"),
    _figure("processor", 0.7, "passing a processor's figure", "a processor's figure is nearer to its address lines than a machine's"),
    _figure("density", 0.7, "passing a stated density", "a controller either knows a density, or halves the module, or does not start"),
    _figure("other", 0.9, "passing anybody else's figure", "somebody states less and may have a reason; more often nobody tried"),
    _figure("claimed", 0.97, "more than runs now, within what only a machine's own tables claim", "tables are often copied from another board; more often they name what the board is made for"),
    _figure("version", 0.7, "passing a figure that a version brought or lifts", "whoever changed a figure with a release had a reason to"),
    _thing("base", 0.995, "more than runs now, within every figure", "a slot or a channel that nobody has used yet may be bad"),
    _thing("part.unlisted", 0.97, "a part on no list", "standards make most modules of the right kind work; a few boards are choosy"),
    _thing("part.listed", 0.995, "a part on the maker's list", "the maker tried it, with the chips of that day"),
    _thing("mixed.makers", 0.95, "several makers together", "timings are trained to suit all; where it fails it fails under load"),
    _thing("mixed.kits", 0.98, "several kits of one maker", "one maker's parts differ less than two makers'"),
    _thing("untold", 0.9, "a fact that nobody tells", "most silent facts turn out as the trade expects"),
    _thing("untold.kind", 0.5, "a kind of module, where none ran and nobody tells which are taken", "boards for either bus are made; nothing here tells which"),
    _thing("untold.bus", 0.15, "registered where unbuffered ran, or the other way round, untold", "a controller that drives one seldom drives the other"),
    _thing("untold.faster", 0.97, "faster modules than a processor lists, untold", "nearly every controller slows them down"),
    _says(SourceKind.OWN_PROOF, 1.25, "run here, watched, with the memory test and the days told"),
    _says(SourceKind.MACHINE_MAKER, 1.25, "its maker tried it, and answers for it"),
    _says(SourceKind.PROCESSOR_MAKER, 0.9, "tried on the maker's own boards"),
    _says(SourceKind.MODULE_MAKER, 0.9, "tried by who wants to sell it"),
    _says(SourceKind.BOARD_MAKER, 0.9, "tried on that board, perhaps with other firmware"),
    _says(SourceKind.NAMED, 0.7, "somebody who can be asked"),
    _says(SourceKind.SURVEY, 0.5, "tables are often copied from another board"),
    _says(SourceKind.HEARSAY, 0.2, "nobody can be asked what exactly was tried"),
    _weight("reach.other-organisation", 0.8, "a total tried with another organisation", "the same total loads the address lines alike and the bus not"),
    _weight("reach.other-board", 0.3, "a total tried on another board of the processor", "the same address lines, other wiring and other firmware"),
    _weight("part.like-organisation", 0.6, "another part of like organisation", "the controller sees the same; timings and the SPD differ"),
    _weight("part.other-board", 0.3, "a part on another board of the processor", "the same controller, other wiring and other firmware"),
    _weight("version", 0.3, "a total tried beyond a figure of a version", "it may have run with another version than this one"),
    _weight("unsoaked.reach", 0.8, "a total that nobody let run", "what is not seen shows at once"),
    _weight("unsoaked.part", 0.5, "a part that nobody let run", "what is unstable shows in days"),
    _weight("unstable.ladder", 0.5, "an unstable total", "what is unstable is more often the part than the total"),
    _weight("full_soak_days", 14, "days until a trial counts fully", "most of what fails early fails within two weeks", most=365),
    _weight("half_life_days", 1826, "days after which a trial of a part weighs half", "chips change under the same number", most=36500),
    _weight("hearsay.most", 10, "all hearsay together moves odds at most so many times", "a hundred who repeat one rumour are one", most=1000),
    _share("quirks.passed", 0.15, "over a stated total something is shown oddly", "gauges and alerts are written for the stated total"),
    _share("quirks.within", 0.02, "within every figure something is shown oddly", "a part that firmware does not know by name"),
    _share("early.new", 0.003, "a new module fails early", "new modules that fail in their first months", most=0.5),
    _share("early.pulled", 0.01, "a pulled module fails early", "it ran elsewhere for years, was handled, and lay about", most=0.5),
))  # fmt: skip

#: A trial of weight 1 that ran multiplies the odds by so much, one that failed by this.
RAN, FAILED = 100.0, 0.1
#: Counts that quirks start from: one trial of weight 2 moves them half way.
QUIRK_COUNT = 2.0


@dataclass(frozen=True, slots=True)
class Cost:
    """What an outcome takes besides money for the module: hours of hands, hours without the machine, returns, exposure."""

    hours: float
    downtime_h: float
    returns: float
    exposure: float
    because: str


def _costs() -> dict[Outcome, Cost]:
    return {
        Outcome.FINE: Cost(0, 0, 0, 0, "nothing to do"),
        Outcome.QUIRKS: Cost(1, 0, 0, 0, "an hour to find that it is only shown wrong, and to note it"),
        Outcome.NOT_SEEN: Cost(2, 1, 1, 0, "opened again, swapped round, taken out; the modules go back"),
        Outcome.UNSTABLE: Cost(4, 3, 1, 1, "found only under load: restarts, a search, the modules go back, and data was at stake meanwhile"),
    }  # fmt: skip


#: What an early failure takes: one module found, taken out and replaced.
EARLY_COST = Cost(2, 1, 1, 0, "one module is found and replaced; the rest goes on")

#: Of a doubt that turns out badly, how often it shows as not seen; else it is unstable.
NOT_SEEN_SHARE: Mapping[DoubtKind, float] = {
    DoubtKind.REACH: 0.75, DoubtKind.SLOT: 0.85, DoubtKind.DENSITY: 0.85, DoubtKind.STACK: 0.85, DoubtKind.RANKS: 0.6,
    DoubtKind.PART: 0.5, DoubtKind.MIXED_MAKERS: 0.2, DoubtKind.MIXED_KITS: 0.2, DoubtKind.UNTOLD: 0.7,
}  # fmt: skip

#: Numbers that are chances to work: a range halves and doubles what they lack of certainty.
_CHANCES = tuple(n for n, x in NUMBERS.items() if x.group in ("figures", "parts"))
_EARLY = tuple(n for n, x in NUMBERS.items() if x.group == "early")


@dataclass(frozen=True)
class Table:
    """Everything that trouble is made from besides trials: the numbers as they ship, and those set here."""

    #: Name -> the number of this installation, where it is not the one that ships.
    set_here: Mapping[str, float] = field(default_factory=dict)
    costs: Mapping[Outcome, Cost] = field(default_factory=_costs)
    #: What exposure of data costs is divided by this for each tier of backup beyond the first.
    backup_factor: float = 10

    def __getitem__(self, name: str) -> float:
        found = self.set_here.get(name)
        return NUMBERS[name].value if found is None else found

    def with_doubts(self, times: float) -> Table:
        """The table with every doubt so many times as large."""
        chances = {n: max(1 - (1 - self[n]) * times, 0.01) for n in _CHANCES}
        early = {n: min(self[n] * times, 1.0) for n in _EARLY}
        return Table({**self.set_here, **chances, **early}, self.costs, self.backup_factor)


#: The table as it ships.
USUAL = Table()

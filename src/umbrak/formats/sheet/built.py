"""A sheet from answers: a board that nobody has written down, as somebody who stands before it tells it.

What is counted with the eye (processors, slots, boards, names) is told by who saw it. What the eye cannot tell stays open, and
what runs or is guessed stands beside it as seen: which slots share a channel, which kinds the board takes, at which volts.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Literal

from pydantic import Field

from umbrak.core.memory.module import Buffering, Module
from umbrak.core.memory.rates import board_rails
from umbrak.core.platform.machine import Layout
from umbrak.core.platform.pattern import Seat, first_of, names_like
from umbrak.core.platform.survey import SurveyReading
from umbrak.formats.documents import Doc, FormName, GenerationName, Gib, ShortText
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.sheet.draft import class_of, title_of
from umbrak.formats.sheet.left_out import told_as
from umbrak.formats.sheet.writing import names_once, slug
from umbrak.formats.yaml_splice import text_of

MOST_PROCESSORS, MOST_CHANNELS, MOST_IN_CHANNEL, MOST_CARRIERS = 8, 12, 3, 32
MOST_BUILT = MOST_PROCESSORS * MOST_CHANNELS * MOST_IN_CHANNEL

StandName = Literal["main board", "memory boards", "risers", "tray"]
KindName = Literal["unbuffered", "unbuffered ECC", "registered", "load-reduced", "fully buffered"]
ClassName = Literal["appliance", "server", "workstation"]

#: Kind as people say it -> buffering, ECC (None where the word does not say).
KINDS: dict[str, tuple[Buffering, bool | None]] = {
    "unbuffered": (Buffering.UNBUFFERED, False),
    "unbuffered ECC": (Buffering.UNBUFFERED, True),
    "registered": (Buffering.REGISTERED, None),
    "load-reduced": (Buffering.LOAD_REDUCED, None),
    "fully buffered": (Buffering.FULLY_BUFFERED, None),
}
#: One of what slots stand on, as it is named on the board.
_ONE = {"memory boards": "board", "risers": "riser", "tray": "tray"}
#: Who states the one limit -> (title, kind of source, whether the maker vouches).
_LIMIT_SOURCES = {
    "plate": ("its plate", "machine-maker", True),
    "guide": ("the maker's guide", "machine-maker", True),
    "sales page": ("a sales page", "hearsay", False),
    "report": ("what its own tables claim", "survey", False),
}


class ChannelAnswer(Doc):
    """One channel, the same on every processor."""

    slots: Annotated[int, Field(ge=0, le=MOST_IN_CHANNEL)] = 1
    soldered: bool = Field(False, description="memory on the board itself")
    soldered_gib: Gib | None = Field(None, description="how much of it; null = not known, or none")

    @property
    def bears(self) -> bool:
        return bool(self.slots) or self.soldered


class BoardAnswers(Doc):
    """What somebody says of a board that no sheet knows; what is left out was not looked at."""

    make: ShortText = ""
    model: ShortText = ""
    kind: ClassName | None = None
    processors: Annotated[int, Field(ge=1, le=MOST_PROCESSORS)] = 1
    channels: Annotated[list[ChannelAnswer], Field(min_length=1, max_length=MOST_CHANNELS)] = [
        ChannelAnswer(slots=2),
        ChannelAnswer(slots=2),
    ]
    channels_by: Literal["guess", "board", "guide"] = Field("guess", description="who says which slots share a channel")
    stand: StandName = "main board"
    carriers: Annotated[int, Field(ge=1, le=MOST_CARRIERS)] = Field(1, description="boards, risers or trays in all")
    generation: GenerationName | None = None
    form: FormName | None = None
    kinds: Annotated[list[KindName], Field(max_length=len(KINDS))] = []
    kinds_by: Literal["seen", "guide"] = Field("seen", description="seen: such a module runs in it")
    printed: ShortText = Field("", description="name of the first slot; the others are made like it")
    names: Annotated[list[ShortText], Field(max_length=MOST_BUILT)] = Field(
        default=[], description="names of single slots in order, empty = as the pattern has it"
    )
    behind: Annotated[
        list[Annotated[list[Annotated[int, Field(ge=0)]], Field(min_length=2, max_length=2)]],
        Field(max_length=MOST_BUILT),
    ] = Field(default=[], description="[slot, slot that has to be empty before], by their place in order")
    bays: Annotated[int, Field(ge=1, le=128)] | None = None
    rows: Annotated[int, Field(ge=1, le=16)] = 1
    first_bay: Annotated[int, Field(ge=0, le=1)] = 1
    right_to_left: bool = False
    limit_gib: Gib | None = None
    limit_by: Literal["plate", "guide", "sales page", "report"] | None = None


@dataclass(frozen=True, slots=True)
class Built:
    """A sheet's text, and its slots in the order of the answers."""

    text: str
    slots: tuple[str, ...]


def seats_of(answers: BoardAnswers) -> list[Seat]:
    """Where each slot is, processor by processor, channel by channel."""
    bearing = [(p, c) for p in range(answers.processors) for c, of in enumerate(answers.channels) if of.slots]
    each = len(bearing) // answers.carriers if _carried(answers) else 0
    return [
        Seat(p, c, i, k // each if each else None)
        for k, (p, c) in enumerate(bearing)
        for i in range(answers.channels[c].slots)
    ]


def names_of(answers: BoardAnswers) -> list[str]:
    """The slots' names: as renamed, otherwise by the pattern of the first."""
    made = names_like(answers.printed, seats_of(answers))
    given = [*answers.names, *[""] * len(made)]
    return [own.strip() or name for own, name in zip(given, made, strict=False)]


def faults_of(answers: BoardAnswers, modules: Sequence[Module] = ()) -> list[Fault]:
    """What makes no board, each fault at its answer."""
    found: list[Fault] = []

    def wrong(field: str, message: str) -> None:
        found.append(Fault(message, path=field, code="answers"))

    if not any(c.bears for c in answers.channels):
        wrong("channels", "Not one slot and no soldered memory: at least one channel needs either.")
    for i, c in enumerate(answers.channels):
        if not c.bears and any(x.bears for x in answers.channels):
            wrong(
                f"channels.{i}",
                f"Channel {_letter(i)} has neither a slot nor soldered memory: take it away, or give it one.",
            )
    bearing = answers.processors * sum(1 for c in answers.channels if c.slots)
    if _carried(answers) and bearing and bearing % answers.carriers:
        wrong(
            "carriers",
            f"{bearing} channels with slots cannot be shared evenly by {answers.carriers} {_ONE[answers.stand]}s.",
        )
    elif not any(f.path == "channels" for f in found):
        names = names_of(answers)
        for name, times in Counter(n.casefold() for n in names).items():
            if times > 1:
                at = [i for i, n in enumerate(names) if n.casefold() == name]
                wrong(
                    "names",
                    f"{times} slots are called {names[at[0]]}: slots {', '.join(str(i + 1) for i in at[:4])} in order. Name them apart.",
                )
        found += _behind_faults(answers, len(names))
    if not answers.generation:
        wrong("generation", "Which generation? The first figures of any label tell it: PC3 is DDR3, PC4 is DDR4.")
    if not answers.form:
        wrong("form", "DIMM or SO-DIMM? A DIMM is about 133 mm long, an SO-DIMM about 68 mm.")
    for m in modules:
        if answers.generation and m.generation and m.generation != answers.generation:
            wrong(
                "generation", f"A module in it is {m.generation}, and the board is said to take {answers.generation}."
            )
            break
    for m in modules:
        if answers.form and m.form and m.form != answers.form:
            wrong("form", f"A module in it is a {m.form}, and the board is said to take {answers.form}s.")
            break
    if not title_for(answers):
        wrong("model", "Say what the plate calls it: make and model. The host name is no model.")
    if answers.bays and answers.bays % answers.rows:
        wrong("rows", f"{answers.bays} bays do not lie in {answers.rows} even rows.")
    if answers.limit_by and not answers.limit_gib:
        wrong("limit_gib", f"How many GB does {_LIMIT_SOURCES[answers.limit_by][0]} state?")
    if answers.limit_gib and not answers.limit_by:
        wrong("limit_by", "Who states it: the plate, the guide, a sales page?")
    return found


def _behind_faults(answers: BoardAnswers, count: int) -> Iterator[Fault]:
    front = {x: y for x, y in answers.behind}  # noqa: C416  pydantic gives lists
    for a, b in answers.behind:
        if max(a, b) >= count or a == b:
            yield Fault("A slot lies behind another one of the board.", path="behind", code="answers")
            return
        seen, at = {a}, a
        while (at := front.get(at, -1)) >= 0:
            if at in seen:
                yield Fault("Slots lie behind each other in a ring.", path="behind", code="answers")
                return
            seen.add(at)


def title_for(answers: BoardAnswers) -> str:
    return title_of(answers.make, answers.model) if answers.model.strip() else ""


def built_sheet(
    answers: BoardAnswers, fitted: Layout | None = None, who: str = "", report: Report | None = None
) -> Built:
    """A sheet's text that says what was answered and no more. Raises InputError with a fault for each answer that makes no board.

    Parameters
        fitted   modules that run in it: their kinds and volts are seen
        who      who saw it
        report   what the machine reports: processors, rate and volts are seen, and the names its tables use are kept
    """
    modules = list(dict.fromkeys(m for m in (fitted or Layout()).values() if isinstance(m, Module)))
    if faults := faults_of(answers, modules):
        raise InputError("no-board", faults)
    return Built("\n".join(_Board(answers, modules, who, report).lines()) + "\n", tuple(names_of(answers)))


@dataclass(frozen=True, slots=True)
class Report:
    """A report beside the answers, and which slot of the board (by its place in order) each of its slots is."""

    reading: SurveyReading
    #: Slot, by its place in order -> index in the reading.
    slots: Mapping[int, int] = field(default_factory=dict)


class _Board:
    def __init__(self, answers: BoardAnswers, modules: Sequence[Module], who: str, report: Report | None) -> None:
        self.a = answers
        self.modules = modules
        self.who = who
        self.reading = report.reading if report else SurveyReading("none")
        self.reported = report.slots if report else {}
        self.names = names_of(answers)
        self.seats = seats_of(answers)
        start = int(first) if (first := first_of(answers.printed, "socket") or "").isdigit() else 1
        self.sockets = [f"CPU{start + i}" for i in range(answers.processors)] if answers.processors > 1 else ["CPU"]
        first_carrier = first_of(answers.printed, "carrier")
        self.carriers = (
            [f"{_ONE[answers.stand]} {_next(first_carrier, i)}" for i in range(answers.carriers)]
            if _carried(answers) and self.names
            else []
        )

    def lines(self) -> Iterator[str]:
        a = self.a
        title = title_for(a)
        yield "# Built by answers at the machine. What nobody looked up is `open`, with what runs there as `seen`: tell it in place of"
        yield "# the block when somebody finds it in the guide (or say `untold`, or `none`)."
        yield "umbrak-sheet: 1"
        yield f"id: {text_of(slug(title))}"
        yield f"title: {text_of(title)}"
        if a.make.strip():
            yield f"maker: {text_of(' '.join(a.make.split()))}"
        yield f"class: {a.kind or class_of(self.modules, bool(a.bays), a.processors)}"
        yield "sources:"
        by = f" by {' '.join(self.who.split())}" if self.who.strip() else ""
        yield f"  seen: {{title: {text_of(f'seen at the machine{by}')}, kind: survey}}"
        if a.limit_by:
            words, kind, _ = _LIMIT_SOURCES[a.limit_by]
            yield f"  limit: {{title: {text_of(words)}, kind: {kind}}}"
        if "guide" in (a.channels_by, a.kinds_by):
            yield "  guide: {title: the maker's guide, kind: machine-maker}"
        yield from self._processors()
        yield from self._memory()
        yield from self._places()
        yield "population: {open: 'the order in which slots are filled, and what an unlisted count does'}"
        if a.limit_by and a.limit_gib:
            official = ", official: true" if _LIMIT_SOURCES[a.limit_by][2] else ""
            yield f"limits: [{{scope: machine, capacity_gib: {a.limit_gib:g}{official}, source: limit}}]"
        else:
            yield "limits: {open: what the maker vouches for}"
        if a.bays:
            way = "right to left" if a.right_to_left else "left to right"
            columns = a.bays // a.rows
            first = "" if a.first_bay else ", first_number: 0"
            yield f"bays: {{rows: {a.rows}, columns: {columns}, numbering: {way}{first}}}"

    def _processors(self) -> Iterator[str]:
        rate = max((s.configured_mts or 0 for s in self.reading.slots), default=0)
        seen = f", seen: [{{rate_mts: {rate}}}]" if rate else ""
        fitted = (" ".join(p.model.split()) for p in self.reading.processors if p.model and p.model.strip())
        titles = list(dict.fromkeys(fitted)) or ["its processor"]
        ids = names_once(slug(t) for t in titles)
        yield "processors:"
        for name, title in zip(ids, titles, strict=True):
            yield f"  {text_of(name)}:"
            yield f"    title: {text_of(title)}"
            yield "    source: seen"
            yield f"    rate_table: {{open: data rates by modules and ranks in a channel{seen}}}"
            yield "    faster_modules: open"
        yield "sockets:"
        for name in self.sockets:
            absent = ", may_be_absent: true" if len(self.sockets) > 1 else ""
            yield f"  {name}: {{processors: [{', '.join(map(text_of, ids))}]{absent}}}"

    def _memory(self) -> Iterator[str]:
        a = self.a
        yield "memory:"
        yield f"  source: {'guide' if a.kinds and a.kinds_by == 'guide' else 'seen'}"
        yield f"  generation: {a.generation}"
        yield f"  form: {a.form}"
        if len(board_rails(str(a.generation))) > 1:
            # A module that runs at one rail alone shows that the board wires it; one that runs at several shows none.
            alone = {m.rails_v[0] for m in self.modules if len(m.rails_v) == 1}
            set_to = {s.configured_v for s in self.reading.slots if s.configured_v}
            rails = sorted((alone | set_to) & set(board_rails(str(a.generation))))
            seen = f", seen: [{', '.join(f'{v:g}' for v in rails)}]" if rails else ""
            yield f"  rails_v: {{open: every rail that the board wires{seen}}}"
        fitted = [_test(m.buffering, m.ecc) for m in self.modules if m.buffering]
        said = [_test(*KINDS[k]) for k in a.kinds]
        if said and a.kinds_by == "guide":
            yield f"  accepts: [{', '.join(said)}]"
        else:
            runs = list(dict.fromkeys([*fitted, *said]))
            seen = f", seen: [{', '.join(runs)}]" if runs else ""
            yield f"  accepts: {{open: every kind that the guide allows{seen}}}"
        yield "  never_together: open"
        yield "  package_ranks_per_channel: open"

    def _places(self) -> Iterator[str]:
        a = self.a
        if self.carriers:
            yield "carriers:"
            for name in self.carriers:
                yield f"  {text_of(name)}: {{title: {text_of(name if a.carriers > 1 else f'the {name}')}}}"
        yield "channels:"
        is_told = a.channels_by != "guess" or self._each_its_own
        if not is_told:
            yield f"  open: {text_of('which slots share a channel. Here it is a guess by what is usual; the guide draws it, colours of the slots may show it')}"
            yield "  seen:"
        pad = "  " if is_told else "    "
        for p, socket in enumerate(self.sockets):
            for c, channel in enumerate(a.channels):
                slots = [n for n, s in zip(self.names, self.seats, strict=True) if (s.socket, s.channel) == (p, c)]
                parts = [f"socket: {socket}"]
                if slots:
                    parts.append(f"slots: [{', '.join(map(text_of, slots))}]")
                if channel.soldered:
                    size = f"capacity_gib: {channel.soldered_gib:g}" if channel.soldered_gib else ""
                    parts.append(f"soldered: {{{size}}}")
                name = _letter(c) if len(self.sockets) == 1 else f"{socket}.{_letter(c)}"
                yield f"{pad}{text_of(name)}: {{{', '.join(parts)}}}"
        if self.names:
            yield "slots:"
        front = {x: y for x, y in a.behind}  # noqa: C416  pydantic gives lists
        told = self._locators()
        for i, (name, seat) in enumerate(zip(self.names, self.seats, strict=True)):
            parts = [f"printed: {text_of(name)}"]
            if seat.carrier is not None:
                parts.append(f"carrier: {text_of(self.carriers[seat.carrier])}")
            if i in front:
                parts.append(f"behind: [{text_of(self.names[front[i]])}]")
            if i in told:
                parts.append(f"locators: [{text_of(told[i])}]")
            yield f"  {text_of(name)}: {{{', '.join(parts)}}}"

    @property
    def _each_its_own(self) -> bool:
        """One slot, and no soldered memory that could stand in its channel: there is nothing to guess."""
        return len(self.names) == 1 and not any(c.soldered for c in self.a.channels)

    def _locators(self) -> dict[int, str]:
        """Slot -> the name under which only it is reported, where that is not what is printed."""
        found = {}
        names = told_as(self.reading.slots)
        for i, index in self.reported.items():
            name = names[index]
            if name and i < len(self.names) and name != self.names[i]:
                found[i] = name
        return found


def _carried(answers: BoardAnswers) -> bool:
    return answers.stand != "main board"


def _letter(i: int) -> str:
    return chr(ord("A") + i)


def _next(first: str | None, i: int) -> str:
    if first and first.isdigit():
        return str(int(first) + i)
    return chr(ord((first or "A").upper()) + i) if i < 26 else str(i + 1)


def _test(buffering: Buffering | None, ecc: bool | None) -> str:
    return f"{{buffering: {buffering}{'' if ecc is None else f', ecc: {str(ecc).lower()}'}}}"

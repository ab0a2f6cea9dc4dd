"""A sheet drafted from what a machine reports: what the report tells is filled in, what it cannot know is a marked question.

A draft is a sheet that can be kept and used at once; what is `open` in it is to be looked up in the maker's guide.
"""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any

from umbrak.core.memory.module import Buffering, Form, Generation, Module
from umbrak.core.memory.rates import board_rails, family_rails
from umbrak.core.platform.survey import SlotFacts, SlotState, SurveyReading, slots_missing
from umbrak.formats.sheet.left_out import board_shown, left_out_words, told_as
from umbrak.formats.sheet.writing import names_once, slug
from umbrak.formats.yaml_splice import text_of


def draft_sheet(reading: SurveyReading, unnamed: str = "") -> str:
    """YAML text of a sheet for the model that the report is of.

    Parameters
        unnamed   told apart by this where the report names no model: two machines that nobody named are not of one model
    """
    return "\n".join(_Draft(reading, unnamed).lines()) + "\n"


class _Draft:
    def __init__(self, reading: SurveyReading, unnamed: str) -> None:
        self.reading = reading
        self.unnamed = unnamed
        board = board_shown(reading)
        self.naming, self.in_rows, shown = board.naming, board.in_rows, board.slots
        self.reports = [s.facts for s in shown]
        self.soldered = [s for s in reading.slots if s.state is SlotState.SOLDERED]
        self.modules = [s.module for s in reading.slots if s.module]
        #: Sockets as the slots' names have them, in order.
        named = sorted({p.socket for p in self.naming.places if p.socket}, key=lambda n: (len(n), n))
        self.sockets = (
            names_once(p.socket or f"CPU{i + 1}" for i, p in enumerate(reading.processors))
            or [f"CPU{n}" for n in named]
            or ["CPU"]
        )
        self.socket_named = _sockets_named(named, self.sockets)
        self.told = told_as(self.reports)
        self.slots = names_once(
            told or s.locator or f"slot {i + 1}"
            for i, (s, told) in enumerate(zip(self.reports, self.told, strict=True))
        )
        self.left_out = [name for name, s in zip(self.slots, shown, strict=True) if s.index is None]

    def lines(self) -> Iterator[str]:
        system = self.reading.system
        model = (title_of(system.maker, system.model) if system else "") or " ".join(
            f"Unnamed model {self.unnamed}".split()
        )
        yield f"# Drafted from a {self.reading.kind} report. What it cannot know is `open`, with what the report showed as `seen`: look"
        yield "# it up in the maker's guide, tell it in place of the block (or say `untold`, or `none`), then run: umbrak sheet lint"
        yield "umbrak-sheet: 1"
        yield f"id: {text_of(slug(model))}"
        yield f"title: {text_of(model)}"
        if system and system.maker and system.maker.strip():
            yield f"maker: {text_of(' '.join(system.maker.split()))}"
        yield f"class: {self._class()}   # ask: appliance, server or workstation"
        yield "sources:"
        yield "  report: {title: what the machine reports of itself, kind: survey}"
        yield "  # ask: the maker's guide, with its date; and name it as the source below"
        yield from self._processors()
        yield from self._memory()
        yield from self._channels()
        yield "population: {open: 'the order in which slots are filled, and what an unlisted count does'}"
        yield from self._limits()

    def _processors(self) -> Iterator[str]:
        yield "processors:"
        models = dict.fromkeys(
            " ".join(p.model.split()) for p in self.reading.processors if p.model and p.model.strip()
        )
        titles = list(models) or ["its processor"]
        ids = dict(zip(titles, names_once(slug(t) for t in titles), strict=True))
        for title in titles:
            yield f"  {text_of(ids[title])}:"
            yield f"    title: {text_of(title)}"
            yield from self._rates()
        yield "sockets:"
        known = dict(zip(self.sockets, self.reading.processors, strict=False))
        for name in self.sockets:
            p = known.get(name)
            absent = ", may_be_absent: true" if p and p.populated is False else ""
            fitted = ids.get(" ".join(p.model.split())) if p and p.model else None
            held = [fitted] if fitted else list(ids.values())
            yield f"  {text_of(name)}: {{processors: [{', '.join(map(text_of, held))}]{absent}}}"

    def _rates(self) -> Iterator[str]:
        rate = max((s.configured_mts or 0 for s in self.reading.slots), default=0)
        seen = f", seen: [{{rate_mts: {rate}}}]" if rate else ""
        yield f"    rate_table: {{open: data rates by modules and ranks in a channel{seen}}}"
        yield "    faster_modules: open"

    def _memory(self) -> Iterator[str]:
        generation = _most((m.generation for m in self.modules), Generation.DDR4)
        form = _most((m.form for m in self.modules), Form.DIMM)
        rails = sorted({s.configured_v for s in self.reading.slots if s.configured_v} & set(family_rails(generation)))
        yield "memory:"
        yield f"  generation: {generation}"
        yield f"  form: {form}"
        if len(board_rails(generation)) > 1:
            seen = f", seen: {json.dumps(rails)}" if rails else ""
            yield f"  rails_v: {{open: every rail that the board wires{seen}}}"
        kinds = list(dict.fromkeys(_kind(m) for m in self.modules if m.buffering))
        seen = f", seen: [{', '.join(kinds)}]" if kinds else ""
        yield f"  accepts: {{open: every kind that the guide allows{seen}}}"
        yield "  never_together: open"
        yield "  package_ranks_per_channel: open"

    def _channels(self) -> Iterator[str]:
        if not self.reading.slots:
            yield "channels: {}"
            return
        why = "each has one of its own here, since names do not tell"
        if self.naming.has_channels:
            why = f"here {self.naming.why}; look whether the guide draws it so"
        if self.in_rows:
            why += f"; which hang on which processor neither: the first {self.in_rows} taken for the first"
        missing = left_out_words(self.left_out) or slots_missing(self.reading.arrays, self.reading.slots)
        yield "channels:"
        yield f"  open: {text_of('; '.join(filter(None, (f'which slots share a channel: {why}', missing))))}"
        yield "  seen:"
        for i, report in enumerate(self.soldered):
            size = report.module.capacity_gib if report.module else None
            held = f"{{capacity_gib: {size:g}}}" if size else "{}"
            yield f"    {text_of(f'S{i + 1}')}: {{socket: {text_of(self.sockets[0])}, soldered: {held}}}"
        for (socket, channel), slots in self._shared().items():
            listed = ", ".join(map(text_of, slots))
            yield f"    {text_of(channel)}: {{socket: {text_of(socket)}, slots: [{listed}]}}"
        if self.slots:
            yield "slots:"
            for slot, told, report in zip(self.slots, self.told, self.reports, strict=True):
                # A locator is what is printed (DSP0134, 7.18); with its bank in front it is how the report tells it apart.
                printed = "" if told and told != report.locator else f"printed: {text_of(slot)}"
                locators = f"locators: [{text_of(told)}]" if told else ""
                yield f"  {text_of(slot)}: {{{', '.join(filter(None, (printed, locators)))}}}"

    def _shared(self) -> dict[tuple[str, str], list[str]]:
        """(socket, channel) -> its slots: by their names, or each slot in a channel of its own."""
        found: dict[tuple[str, str], list[str]] = {}
        for slot, report, place in zip(self.slots, self.reports, self.naming.places, strict=True):
            socket = self.socket_named.get(place.socket or "") or self._socket(report)
            channel = f"C {slot}"
            if self.naming.has_channels:
                channel = f"{socket}.{place.channel}" if len(self.sockets) > 1 else f"C{place.channel}"
            found.setdefault((socket, channel), []).append(slot)
        return found

    def _class(self) -> str:
        return class_of(self.modules, bool(self.reading.drives), len(self.sockets))

    def _socket(self, report: SlotFacts) -> str:
        """The socket whose name the locator or bank begins with; the first where none does."""
        for text in (report.locator, report.bank):
            named = [s for s in self.sockets if text and text.casefold().startswith(s.casefold())]
            if named:
                return max(named, key=len)
        return self.sockets[0]

    def _limits(self) -> Iterator[str]:
        most = sum(a.max_gib for a in self.reading.arrays if a.max_gib)
        if most:
            yield "limits:"
            yield f"  - {{scope: machine, capacity_gib: {most:g}, source: report}}   # what its own tables claim; the maker's figure goes beside it"
        else:
            yield "limits: {open: what the maker vouches for}"


def class_of(modules: Iterable[Module], drives: bool, sockets: int) -> str:
    """What it seems to be, by its memory and drives: to be looked at."""
    held = list(modules)
    registered = any(m.buffering in (Buffering.REGISTERED, Buffering.LOAD_REDUCED) for m in held)
    if drives and not registered and sockets == 1:
        return "appliance"
    if registered or sockets > 1:
        return "server"
    return "appliance" if {m.form for m in held} == {Form.SO_DIMM} else "workstation"


def title_of(maker: str | None, model: str | None) -> str:
    """Maker and model, the maker once."""
    maker, model = (" ".join((x or "").split()) for x in (maker, model))
    if model.casefold().startswith(maker.casefold()):
        return model
    words = maker.split()
    # "Lorne Systems" makes the "Lorne K12".
    shared = next(
        (n for n in range(len(words), 0, -1) if model.casefold().startswith(" ".join(words[:n]).casefold() + " ")), 0
    )
    return model if shared else f"{maker} {model}".strip()


def _sockets_named(numbers: list[str], sockets: list[str]) -> dict[str, str]:
    """Number in the slots' names -> socket: the one whose own name has it, otherwise by order; {} where there are more."""
    if len(numbers) > len(sockets):
        return {}
    by_name = {n: [s for s in sockets if re.findall(r"\d+", s)[-1:] == [n]] for n in numbers}
    if all(len(found) == 1 for found in by_name.values()):
        return {n: found[0] for n, found in by_name.items()}
    return dict(zip(numbers, sockets, strict=False)) if len(numbers) == len(sockets) else {}


def _kind(module: Module) -> str:
    ecc = "" if module.ecc is None else f", ecc: {'true' if module.ecc else 'false'}"
    return f"{{buffering: {module.buffering}{ecc}}}"


def _most(values: Iterable[Any], otherwise: Any) -> Any:
    counted = Counter(v for v in values if v is not None)
    return counted.most_common(1)[0][0] if counted else otherwise

"""A checked sheet document to core's Sheet: repetition unrolled, patterns applied, references resolved."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import cached_property
from typing import Any

from umbrak.core.memory.module import Generation, Module, complete
from umbrak.core.memory.rates import board_rails
from umbrak.core.platform.fact import Unsaid
from umbrak.core.platform.sheet import (
    Access,
    AccessStep,
    Allocation,
    Bays,
    Carrier,
    Channel,
    Clearance,
    FirstBoot,
    Kind,
    Listed,
    MemoryRules,
    MemoryTest,
    Mode,
    ModuleTest,
    Note,
    Place,
    Processor,
    RailDomain,
    RateRow,
    Reserve,
    Sheet,
    SheetHash,
    Slot,
    Socket,
)  # fmt: skip
from umbrak.core.platform.statement import SourceKind, Statement
from umbrak.formats.bounds import MAX_SLOTS, Deadline
from umbrak.formats.documents import AMOUNTS
from umbrak.formats.faults import Fault
from umbrak.formats.sheet.document import ChannelDoc, RepeatDoc, SheetDoc, SheetLimitDoc, SlotDoc, TestDoc
from umbrak.formats.sheet.facts import OpenDoc, UntoldDoc, seen_of, told, told_word, unsaid
from umbrak.formats.sheet.population import Orders
from umbrak.formats.sheet.references import Naming, References, means
from umbrak.formats.yaml_text import Document, Path

_TEST_MEMBERS = tuple(TestDoc.model_fields)


def expand(document: Document, doc: SheetDoc, content_hash: SheetHash, deadline: Deadline) -> tuple[Sheet, list[Fault]]:
    """The sheet, ready for use, and what was odd about it but legal.

    Raises
        InputError   a name that refers to nothing, a count that contradicts its sets; the first of them with their
                     lines; more slots than any machine has; too slow
    """
    expander = _Expander(document, doc, deadline)
    return expander.sheet(content_hash), expander.refs.odd


class _Expander:
    def __init__(self, document: Document, doc: SheetDoc, deadline: Deadline) -> None:
        self.doc = doc
        self.refs = References(document, doc, deadline)
        self.channels: dict[str, Channel] = {}
        self.slots: dict[str, Slot] = {}
        self.ways: dict[str, tuple[int, ...]] = {}
        #: Facts that are not told, by their place.
        self.unsaid: dict[str, Unsaid] = {}
        self.limits_without: list[Statement] = []

    def keep(self, fact: str, given: object, seen: tuple[object, ...] = ()) -> None:
        """Notes a fact that is not told."""
        if found := unsaid(given, seen):
            self.unsaid[fact] = found

    def sheet(self, content_hash: SheetHash) -> Sheet:
        doc, refs = self.doc, self.refs
        processors = {name: self.processor(name) for name in doc.processors}
        for name, s in doc.sockets.items():
            for i, p in enumerate(s.processors):
                refs.known(processors, p, ("sockets", name, "processors", i), "processor")
        carriers = {
            n: Carrier(
                id=n,
                title=d.title or n,
                numbering=d.numbering,
                access=d.access,
                socket=d.socket,
                right_to_left=d.right_to_left,
            )
            for n, d in doc.carriers.items()
        }
        for name, d in doc.carriers.items():
            if d.socket:
                refs.known(doc.sockets, d.socket, ("carriers", name, "socket"), "socket")
            if d.access:
                refs.known(doc.access, d.access, ("carriers", name, "access"), "access")
        if isinstance(doc.channels, str | OpenDoc | UntoldDoc):
            self.keep("channels", doc.channels)
        self.block(doc, Naming(), ())
        for repeat, path in self.repeats():
            every = tuple(self.namings(repeat, path))
            for naming in every:
                self.block(repeat, naming, path, every)
        orders = Orders(refs, self.slots, self.channels)
        for repeat, path in self.repeats():
            for naming in self.namings(repeat, path):
                for j, order in enumerate(repeat.population):
                    orders.read(order, (*path, "population", j), naming, repeat.source)
        for j, order in enumerate(told(doc.population) or []):
            orders.read(order, ("population", j), Naming(), None)
        if not orders.fills and doc.population != []:
            seen = seen_of(doc.population) or []
            ran = tuple(frozenset(s for each in p.fill or [] for s in each) for p in seen)
            self.keep("population", None if told(doc.population) else doc.population, ran)
        memory = self.memory()
        others = len(self.limits_without)
        limits = self.limits(told(doc.limits) or [], ("limits",), "limit", None, None)
        named = [*limits, *self.limits_without[others:]]
        # What a machine's own tables claim is often copied from another board: it is a figure, and tells nothing of the maker's.
        if not any(s.capacity_gib is not None and s.source.kind is not SourceKind.SURVEY for s in named):
            ran_gib = [n for x in seen_of(doc.limits) or [] for n in (x.numbers()["capacity_gib"],) if n]
            self.keep("limits", None if told(doc.limits) else doc.limits, (max(ran_gib),) if ran_gib else ())
        if doc.limits in ("none", []):
            self.unsaid.pop("limits", None)
            self.limits_without.append(
                Statement(id="no-limit", scope="machine", source=memory.source, capacity_gib=math.inf)
            )
        if ranks := told(doc.memory.package_ranks_per_channel):
            limits.append(
                Statement(id="chip-selects", scope="channel", source=memory.source, package_ranks=ranks, hard=True)
            )
        geometry, access = self.geometry(), self.access()
        notes = tuple(
            Note(n.text, refs.source([n.source], ("os_notes", i), n.clause)) for i, n in enumerate(doc.os_notes)
        )
        listed = tuple(
            Listed(
                part=item.part,
                source=refs.source([item.source], ("listed", i)),
                capacity_gib=item.capacity_gib,
                maker=item.maker,
                note=item.note or "",
            )
            for i, item in enumerate(doc.listed)
        )
        memory_test = allocation = None
        if (how := doc.memory_test) is not None:
            source = refs.source([how.source], ("memory_test",), how.clause)
            memory_test = MemoryTest(source, how.start, how.read, how.without_drives)
        if (given := doc.allocation) is not None:
            source = refs.source([given.source], ("allocation",), given.clause)
            allocation = Allocation(source, given.do, given.needs, given.sharing_hides)
        refs.raise_faults()
        return Sheet(
            id=doc.id,
            title=doc.title,
            kind=doc.kind,
            hash=content_hash,
            maker=doc.maker,
            sources=refs.sources,
            processors=processors,
            sockets={n: Socket(n, tuple(s.processors), s.may_be_absent, s.soldered) for n, s in doc.sockets.items()},
            channels=self.channels,
            slots=self.slots,
            memory=memory,
            fills=tuple(orders.fills),
            evens=tuple(orders.evens),
            limits=tuple(limits),
            listed=listed,
            carriers=carriers,
            access=access,
            bays=Bays(**doc.bays.model_dump()) if doc.bays else None,
            reserve=Reserve(**doc.reserve.model_dump()) if doc.reserve else None,
            first_boot=FirstBoot(**doc.first_boot.model_dump()) if doc.first_boot else None,
            starts_open=doc.starts.open if doc.starts else None,
            starts_without_drives=doc.starts.without_drives if doc.starts else None,
            lights_open=doc.starts.lights_open if doc.starts else None,
            memory_test=memory_test,
            allocation=allocation,
            reports=doc.reports,
            lights=doc.lights,
            os_notes=notes,
            rate_alike=doc.rate_alike,
            rate_cap_mts=doc.rate_cap_mts,
            interleave_ways=self.ways,
            geometry=geometry,
            archetype=doc.archetype,
            notes=doc.notes,
            models=tuple(dict.fromkeys(doc.models)),
            unsaid=self.unsaid,
            limits_without=tuple(self.limits_without),
        )

    # -- repetition -----------------------------------------------------------------------------------

    def repeats(self) -> Iterator[tuple[RepeatDoc, Path]]:
        if isinstance(self.doc.repeat, list):
            yield from ((r, ("repeat", i)) for i, r in enumerate(self.doc.repeat))
        elif self.doc.repeat:
            yield self.doc.repeat, ("repeat",)

    def namings(self, repeat: RepeatDoc, path: Path) -> Iterator[Naming]:
        """One for each socket or carrier that the block is repeated over, and that there is."""
        for i, over in enumerate(repeat.over):
            carrier = self.doc.carriers.get(over)
            if over in self.doc.sockets:
                yield Naming(over, repeat.name, i + 1, socket=over)
            elif carrier:
                yield Naming(over, repeat.name, i + 1, socket=carrier.socket, carrier=over)
            elif ("over", over) not in self._said:
                self._said.add(("over", over))
                self.refs.known({**self.doc.sockets, **self.doc.carriers}, over, (*path, "over", i), "socket")

    @cached_property
    def _said(self) -> set[tuple[str, str]]:
        return set()

    # -- places and ways --------------------------------------------------------------------------------

    def access(self) -> dict[str, Access]:
        for name, a in self.doc.access.items():
            self.keep(f"access.{name}.ends_warranty", a.ends_warranty)
        return {
            name: Access(
                name,
                a.minutes or sum(s.minutes or 0 for s in a.steps),
                tuple(a.tools),
                told(a.ends_warranty),
                a.cools_min,
                tuple(a.bays_out),
                tuple(a.bays_ease),
                tuple(a.airflow),
                tuple(AccessStep(s.do, s.close, s.screws, s.minutes, s.back_minutes) for s in a.steps),
                a.hand or "",
            )
            for name, a in self.doc.access.items()
        }

    def geometry(self) -> dict[str, Place]:
        places = {}
        for name, xy in self.doc.geometry.items():
            if name not in self.doc.sockets and name not in self.slots and name not in self.doc.carriers:
                self.refs.wrong(("geometry", name), f"there is no socket, carrier or slot {name}", "geometry-unknown")
            elif len(xy) != 2:
                self.refs.wrong(("geometry", name), "give two numbers: [x, y]", "geometry-unknown")
            else:
                places[name] = Place(float(xy[0]), float(xy[1]))
        return places

    # -- processors and memory --------------------------------------------------------------------------

    def processor(self, name: str) -> Processor:
        p = self.doc.processors[name]
        path: Path = ("processors", name)
        rows = []
        self.keep(f"processors.{name}.rate_table", p.rate_table)
        if p.refuses_above_mts is None:
            self.keep(f"processors.{name}.faster_modules", p.faster_modules)
        for row in told(p.rate_table) or []:
            ranks = (row.ranks,) if isinstance(row.ranks, int) else tuple(sorted(row.ranks or ()))
            rows.append(RateRow(row.rate_mts, row.dpc, ranks, row.rail_v, _test(row)))
        return Processor(
            id=name,
            title=p.title or name.replace("-", " ").title(),
            source=self.refs.source([p.source], path, p.clause),
            rates_mts=tuple(sorted(p.rates_mts)),
            rate_table=tuple(rows),
            refuses_above_mts=p.refuses_above_mts,
            faster_modules=told(p.faster_modules),
            limits=tuple(self.limits(p.limits, (*path, "limits"), name, p.source, name)),
        )

    def limits(
        self, given: list[SheetLimitDoc], path: Path, name: str, block_source: str | None, processor: str | None
    ) -> list[Statement]:
        """The limits whose number is told; those whose number is not, or that are told to be none, are noted."""
        found = []
        for i, item in enumerate(given):
            at: Path = (*path, i)
            if item.processor is not None:
                self.refs.known(self.doc.processors, item.processor, (*at, "processor"), "processor")
            source = self.refs.source([item.source, block_source], at, item.clause)
            member = next(n for n in AMOUNTS if getattr(item, n) is not None)
            amount = getattr(item, member)
            statement = item.statement(f"{name}-{i + 1}", source)
            about = item.processor or processor
            if amount == "none":
                number = math.inf
            elif missing := unsaid(amount):
                statement, number = replace(statement, unsaid=missing), seen_of(amount) or 0
            else:
                found.append(statement)
                continue
            values: dict[str, Any] = {member: number, "processor": about}
            self.limits_without.append(replace(statement, **values))
        return found

    def rail_domains(self) -> tuple[RailDomain, ...]:
        """The supplies; channels that none names hang on the board's own."""
        m = self.doc.memory
        domains: list[RailDomain] = []
        for name, d in m.rail_domains.items():
            at: Path = ("memory", "rail_domains", name)
            for i, socket in enumerate(d.sockets):
                self.refs.known(self.doc.sockets, socket, (*at, "sockets", i), "socket")
            named = {
                c
                for i, p in enumerate(d.channels)
                for c in self.refs.matching(self.channels, p, (*at, "channels", i), "channel")
            }
            fed = tuple(c.id for c in self.channels.values() if c.socket in d.sockets or c.id in named)
            domains.append(RailDomain(name, tuple(sorted(d.rails_v)), fed))
        named = {c for d in domains for c in d.channels}
        rest = tuple(c for c in self.channels if c not in named)
        if rest or not domains:
            rails, seen = self.rails()
            domains.append(RailDomain("main", rails, rest, seen))
        return tuple(domains)

    def rails(self) -> tuple[tuple[float, ...], tuple[float, ...] | None]:
        """(the board's rails, what is known to run where nobody tells them). Of a generation with one rail that is usual."""
        m = self.doc.memory
        if volts := told(m.rails_v):
            return tuple(sorted(volts)), None
        family = board_rails(m.generation)
        if len(family) == 1:
            return family, None
        seen = tuple(sorted(seen_of(m.rails_v) or ()))
        self.keep("memory.rails_v", m.rails_v, seen)
        return family, seen

    def mode_slots(self, name: str, patterns: list[str]) -> frozenset[str]:
        at: Path = ("memory", "modes", name, "slots")
        return frozenset(s for i, p in enumerate(patterns) for s in self.refs.matching(self.slots, p, (*at, i), "slot"))

    def memory(self) -> MemoryRules:
        m = self.doc.memory
        self.keep("memory.accepts", m.accepts, tuple(_test(k) for k in seen_of(m.accepts) or ()))
        together = tuple(tuple(_test(t) for t in group) for group in seen_of(m.never_together) or ())
        self.keep("memory.never_together", m.never_together, together)
        ranks = seen_of(m.package_ranks_per_channel)
        self.keep("memory.package_ranks_per_channel", m.package_ranks_per_channel, () if ranks is None else (ranks,))
        self.keep("memory.load_reduced_counts_as", m.load_reduced_counts_as)
        for name, mode in m.modes.items():
            if mode.usable_share is None:
                self.keep(f"memory.modes.{name}", mode.spare_ranks)
        return MemoryRules(
            source=self.refs.source([m.source], ("memory",), m.clause),
            generation=m.generation,
            form=m.form,
            rail_domains=self.rail_domains(),
            accepts=tuple(Kind(_test(k), k.certified) for k in told(m.accepts) or ()),
            rail_policy=told(m.rail_policy),
            refuses=tuple(_test(t) for t in m.refuses),
            ecc_mixed=told_word(m.ecc_mixed),
            never_together=tuple(tuple(_test(t) for t in group) for group in told(m.never_together) or ()),
            together_within=m.together_within,
            load_reduced_counts_as=told(m.load_reduced_counts_as),
            modes=tuple(
                Mode(
                    id=n,
                    usable_share=d.usable_share or 1.0,
                    channels_used=d.channels_used,
                    bandwidth_factor=d.bandwidth_factor,
                    alike=tuple(d.alike),
                    counts=tuple(d.counts),
                    spare_ranks=told(d.spare_ranks) or 0,
                    told=f"memory.modes.{n}" not in self.unsaid,
                    slots=self.mode_slots(n, d.slots),
                )
                for n, d in m.modes.items()
            ),
            remaps_hole=m.remaps_hole,
        )

    # -- channels and slots ------------------------------------------------------------------------------

    def block(self, given: SheetDoc | RepeatDoc, naming: Naming, path: Path, every: tuple[Naming, ...] = ()) -> None:
        """One block of channels and slots: the sheet's own, or a repeated one for one socket or carrier (of `every`)."""
        only = next(iter(self.doc.sockets)) if len(self.doc.sockets) == 1 else None
        channels: Mapping[str, list[str] | ChannelDoc] = (
            given.channels if isinstance(given.channels, dict) else seen_of(given.channels) or {}
        )
        controller_of: dict[str, str] = {}
        for name, each in given.controllers.items():
            for i, channel in enumerate(each):
                at: Path = (*path, "controllers", name, i)
                self.refs.known(channels, channel, at, "channel")
                if channel in controller_of:
                    self.refs.wrong(at, f"channel {channel} is on two controllers", "channel-twice")
                controller_of[channel] = naming.full(name)
        locals_: list[str] = []
        for name, said in channels.items():
            c = ChannelDoc(slots=said) if isinstance(said, list) else said
            at = (*path, "channels", name)
            if c.socket and not self.refs.known(self.doc.sockets, c.socket, (*at, "socket"), "socket"):
                continue
            owner = c.socket or naming.socket or only
            if owner is None:
                self.refs.wrong(at, "which socket does it belong to? give socket", "socket-missing")
                continue
            full = naming.full(name)
            if full in self.channels:
                self.refs.wrong(at, f"there are two channels {full}", "channel-twice")
            ids = tuple(naming.full(s) for s in c.slots)
            soldered = self.soldered(c.soldered.said()) if c.soldered else None
            self.channels[full] = Channel(
                id=full,
                name=name.removeprefix(f"{owner}."),
                socket=owner,
                slots=ids,
                controller=controller_of.get(name),
                soldered=soldered,
            )
            if given.interleave_ways:
                self.ways[owner] = tuple(sorted(given.interleave_ways))
            if len(self.slots) + len(ids) > MAX_SLOTS:
                self.refs.wrong(at, f"the machine has more than {MAX_SLOTS} slots by now", "slots-too-many")
                self.refs.raise_faults()
            for local, slot in zip(c.slots, ids, strict=True):
                if slot in self.slots:
                    self.refs.wrong(at, f"slot {slot} is in two channels", "slot-twice")
                self.slots[slot] = self.slot(local, slot, full, owner, given.slots, naming, path)
            locals_ += c.slots
        fulls = {one.full(s) for one in every for s in locals_}
        for key in given.slots:
            self.refs.deadline.check("slots")
            if key not in fulls and not any(means(key, s) for s in locals_) and ("slots", key) not in self._said:
                self._said.add(("slots", key))
                self.refs.wrong((*path, "slots", key), "is in no channel", "slot-no-channel")

    def soldered(self, module: Module) -> Module:
        """Soldered memory is made for its board: generation and rails are the board's."""
        memory = self.doc.memory
        rails = module.rails_v or tuple(sorted(told(memory.rails_v) or board_rails(memory.generation)))
        return complete(replace(module, generation=Generation(memory.generation), rails_v=rails))[0]

    def slot(
        self,
        local: str,
        full: str,
        channel: str,
        socket: str,
        slots: Mapping[str, SlotDoc],
        naming: Naming,
        path: Path,
    ) -> Slot:
        self.refs.deadline.check(f"slot {full}")
        said: dict[str, Any] = {}
        at: dict[str, Path] = {}
        # What is said of one slot of a repeated block by its whole name holds against what is said of all.
        for key, d in sorted(slots.items(), key=lambda said: said[0] == full):
            if means(key, local) or key == full:
                for name in d.model_fields_set:
                    said[name], at[name] = getattr(d, name), (*path, "slots", key, name)

        def text(name: str) -> str | None:
            return naming.said(said[name], local, socket) if said.get(name) else None

        carrier, access = text("carrier") or naming.carrier, said.get("access")
        if carrier:
            self.refs.known(self.doc.carriers, carrier, at.get("carrier", path), "carrier")
        if access:
            self.refs.known(self.doc.access, access, at["access"], "access")
        clearance = told(said.get("clearance_mm"))
        return Slot(
            id=full,
            channel=channel,
            printed=text("printed") or (f"{naming.over} {local}" if naming.over else local),
            position=said.get("position"),
            tab=said.get("tab"),
            access=access,
            carrier=carrier,
            clearance=Clearance(clearance.fitted, clearance.on_the_way) if clearance else Clearance(),
            facing=said.get("facing"),
            landmark=text("landmark"),
            light=text("light"),
            behind=tuple(naming.full(b) for b in said.get("behind", ())),
            locators=tuple(naming.said(x, local, socket) for x in said.get("locators", ())),
        )


def _test(doc: TestDoc) -> ModuleTest:
    wanted = {n: v for n in _TEST_MEMBERS if (v := getattr(doc, n)) is not None}
    return ModuleTest(tuple(sorted(wanted.items())))

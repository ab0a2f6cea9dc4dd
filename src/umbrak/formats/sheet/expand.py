"""A checked sheet document to core's Sheet: repetition unrolled, patterns applied, references resolved."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping
from dataclasses import replace
from fnmatch import fnmatchcase
from typing import Any, TypeVar

from umbrak.core.memory.module import Generation, Module, complete
from umbrak.core.platform.sheet import (
    Access,
    AccessStep,
    Bays,
    Carrier,
    Channel,
    Clearance,
    EvenOrder,
    FillOrder,
    FirstBoot,
    Kind,
    Listed,
    MemoryRules,
    Mode,
    ModuleTest,
    Place,
    Processor,
    RailDomain,
    RateRow,
    Reserve,
    Sheet,
    Slot,
    Socket,
)  # fmt: skip
from umbrak.core.platform.statement import Source, Statement
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.sheet.document import ChannelDoc, PopulationDoc, SheetDoc, SheetLimitDoc, SlotDoc, TestDoc
from umbrak.formats.yaml_text import Document, Path

T = TypeVar("T")
_TEST_MEMBERS = tuple(TestDoc.model_fields)


def expand(document: Document, doc: SheetDoc, content_hash: str) -> tuple[Sheet, list[Fault]]:
    """The sheet, ready for use, and what was odd about it but legal.

    Raises
        InputError   a name that refers to nothing, a count that contradicts its sets; every one with its line
    """
    expander = _Expander(document, doc)
    return expander.sheet(content_hash), expander.odd


class _Expander:
    def __init__(self, document: Document, doc: SheetDoc) -> None:
        self.document = document
        self.doc = doc
        self.faults: list[Fault] = []
        self.odd: list[Fault] = []
        self.sources = {name: s.value(name) for name, s in doc.sources.items()}
        self.slot_docs: dict[str, tuple[SlotDoc, Path]] = {}
        self.channels: dict[str, Channel] = {}
        self.slots: dict[str, Slot] = {}
        self.ways: dict[str, tuple[int, ...]] = {}

    # -- faults and references ------------------------------------------------------------------------

    def wrong(self, path: Path, message: str, code: str) -> None:
        self.faults.append(self.document.fault(path, message, code))

    def known(self, names: Mapping[str, T], name: str, path: Path, what: str) -> T | None:
        if name in names:
            return names[name]
        near = difflib.get_close_matches(name, names, 1)
        hint = f"; did you mean {near[0]}?" if near else f"; known: {', '.join(names)}" if len(names) <= 12 else ""
        self.wrong(path, f"there is no {what} {name}{hint}", f"{what}-unknown")
        return None

    def source(self, names: Iterable[str | None], path: Path, clause: object = None) -> Source:
        """The nearest source: the first of `names` that is given; a sheet's only source needs no naming."""
        for name in names:
            if name is not None:
                found = self.known(self.sources, name, (*path, "source"), "source")
                if found:
                    return replace(found, clause=None if clause is None else str(clause))
                break
        else:
            if len(self.sources) > 1:
                self.wrong(path, "has no source: say who states it", "source-missing")
        first = next(iter(self.sources.values()))
        return replace(first, clause=None if clause is None else str(clause))

    # -- the whole --------------------------------------------------------------------------------------

    def sheet(self, content_hash: str) -> Sheet:
        doc = self.doc
        processors = {name: self.processor(name) for name in doc.processors}
        sockets = {}
        for name, s in doc.sockets.items():
            for i, p in enumerate(s.processors):
                self.known(processors, p, ("sockets", name, "processors", i), "processor")
            sockets[name] = Socket(name, tuple(s.processors), s.may_be_absent, s.soldered)
        memory = self.memory()
        fills: list[FillOrder] = []
        evens: list[EvenOrder] = []
        self.block(doc.channels, doc.slots, doc.controllers, doc.interleave_ways, None, ())
        repeats = doc.repeat if isinstance(doc.repeat, list) else [doc.repeat] if doc.repeat else []
        for i, r in enumerate(repeats):
            path: Path = ("repeat", i) if isinstance(doc.repeat, list) else ("repeat",)
            for socket in r.over:
                if self.known(sockets, socket, (*path, "over"), "socket"):
                    self.block(r.channels, r.slots, r.controllers, r.interleave_ways, socket, path)
        for i, r in enumerate(repeats):
            path = ("repeat", i) if isinstance(doc.repeat, list) else ("repeat",)
            for socket in r.over:
                for j, order in enumerate(r.population):
                    self.population(order, (*path, "population", j), socket, r.source, fills, evens)
        for j, order in enumerate(doc.population):
            self.population(order, ("population", j), None, None, fills, evens)
        limits = [self.limit(item, ("limits", i), f"limit-{i + 1}", None) for i, item in enumerate(doc.limits)]
        if doc.memory.package_ranks_per_channel:
            limits.append(
                Statement(
                    "chip-selects",
                    "channel",
                    memory.source,
                    package_ranks=doc.memory.package_ranks_per_channel,
                    hard=True,
                )
            )
        if self.faults:
            raise InputError("wrong-reference", self.faults)
        return Sheet(
            id=doc.id,
            title=doc.title,
            kind=doc.kind,
            hash=content_hash,
            maker=doc.maker,
            sources=self.sources,
            processors=processors,
            sockets=sockets,
            channels=self.channels,
            slots=self.slots,
            memory=memory,
            fills=tuple(fills),
            evens=tuple(evens),
            limits=tuple(limits),
            listed=tuple(
                Listed(item.part, self.source([item.source], ("listed", i)), item.capacity_gib) for i, item in enumerate(doc.listed)
            ),
            carriers={n: Carrier(n, d.title or n, d.numbering, d.access) for n, d in doc.carriers.items()},
            access={
                name: Access(
                    name, a.minutes, tuple(a.tools), a.ends_warranty, a.cools_min, tuple(a.bays_out), tuple(a.bays_ease),
                    tuple(AccessStep(s.do, s.close) for s in a.steps),
                )
                for name, a in doc.access.items()
            },
            bays=Bays(**doc.bays.model_dump()) if doc.bays else None,
            reserve=Reserve(**doc.reserve.model_dump()) if doc.reserve else None,
            first_boot=FirstBoot(**doc.first_boot.model_dump()) if doc.first_boot else None,
            starts_open=doc.starts.open if doc.starts else None,
            starts_without_drives=doc.starts.without_drives if doc.starts else None,
            reports=doc.reports,
            rate_alike=doc.rate_alike,
            rate_cap_mts=doc.rate_cap_mts,
            interleave_ways=self.ways,
            geometry=self.geometry(),
            archetype=doc.archetype,
            notes=doc.notes,
        )  # fmt: skip

    def geometry(self) -> dict[str, Place]:
        places = {}
        for name, xy in self.doc.geometry.items():
            if name not in self.doc.sockets and name not in self.slots:
                self.wrong(("geometry", name), f"there is no socket or slot {name}", "geometry-unknown")
            elif len(xy) != 2:
                self.wrong(("geometry", name), "give two numbers: [x, y]", "geometry-unknown")
            else:
                places[name] = Place(float(xy[0]), float(xy[1]))
        if self.faults:
            raise InputError("wrong-reference", self.faults)
        return places

    def processor(self, name: str) -> Processor:
        p = self.doc.processors[name]
        path: Path = ("processors", name)
        rows = []
        for row in p.rate_table:
            ranks = (row.ranks,) if isinstance(row.ranks, int) else tuple(sorted(row.ranks or ()))
            rows.append(RateRow(row.rate_mts, row.dpc, ranks, row.rail_v, _test(row)))
        return Processor(
            id=name,
            title=p.title or name.replace("-", " ").title(),
            source=self.source([p.source], path, p.clause),
            rates_mts=tuple(sorted(p.rates_mts)),
            rate_table=tuple(rows),
            refuses_above_mts=p.refuses_above_mts,
            limits=tuple(
                self.limit(item, (*path, "limits", i), f"{name}-{i + 1}", p.source) for i, item in enumerate(p.limits)
            ),
        )

    def limit(self, item: SheetLimitDoc, path: Path, name: str, block_source: str | None) -> Statement:
        if item.processor is not None:
            self.known(self.doc.processors, item.processor, (*path, "processor"), "processor")
        return item.statement(name, self.source([item.source, block_source], path, item.clause))

    def memory(self) -> MemoryRules:
        m = self.doc.memory
        domains = tuple(
            RailDomain(name, tuple(sorted(d.rails_v)), tuple(d.sockets)) for name, d in m.rail_domains.items()
        )
        for name, d in m.rail_domains.items():
            for i, socket in enumerate(d.sockets):
                self.known(self.doc.sockets, socket, ("memory", "rail_domains", name, "sockets", i), "socket")
        fed = {s for d in domains for s in d.sockets}
        rest = tuple(s for s in self.doc.sockets if s not in fed)
        if rest:
            domains = (*domains, RailDomain("main", tuple(sorted(m.rails_v)), rest))
        return MemoryRules(
            source=self.source([m.source], ("memory",), m.clause),
            generation=m.generation,
            form=m.form,
            rail_domains=domains,
            accepts=tuple(Kind(_test(k), k.certified) for k in m.accepts),
            rail_policy=m.rail_policy,
            refuses=tuple(_test(t) for t in m.refuses),
            ecc_mixed=m.ecc_mixed,
            never_together=tuple(tuple(_test(t) for t in group) for group in m.never_together),
            together_within=m.together_within,
            load_reduced_counts_as=m.load_reduced_counts_as,
            modes=tuple(
                Mode(
                    n,
                    d.usable_share,
                    d.channels_used,
                    d.bandwidth_factor,
                    tuple(d.alike),
                    tuple(d.counts),
                    d.spare_ranks,
                )
                for n, d in m.modes.items()
            ),
            remaps_hole=m.remaps_hole,
        )

    # -- sockets' memory ------------------------------------------------------------------------------

    def block(
        self,
        channels: Mapping[str, list[str] | ChannelDoc],
        slots: Mapping[str, SlotDoc],
        controllers: Mapping[str, list[str]],
        ways: list[int],
        socket: str | None,
        path: Path,
    ) -> None:
        """One block of channels and slots: the sheet's own, or a repeated one for one socket."""
        prefix = f"{socket}." if socket else ""
        only = next(iter(self.doc.sockets)) if len(self.doc.sockets) == 1 else None
        controller_of = {c: prefix + name for name, each in controllers.items() for c in each}
        for name, each in controllers.items():
            for channel in each:
                self.known(channels, channel, (*path, "controllers", name), "channel")
        matched: set[str] = set()
        for name, given in channels.items():
            c = ChannelDoc(slots=given) if isinstance(given, list) else given
            at: Path = (*path, "channels", name)
            owner = socket or c.socket or only
            if owner is None or (c.socket and not self.known(self.doc.sockets, c.socket, (*at, "socket"), "socket")):
                if owner is None:
                    self.wrong(at, "which socket does it belong to? give socket", "socket-missing")
                continue
            ids = tuple(prefix + s for s in c.slots)
            soldered = self.soldered(c.soldered.said()) if c.soldered else None
            self.channels[prefix + name] = Channel(prefix + name, name, owner, ids, controller_of.get(name), soldered)
            if ways:
                self.ways[owner] = tuple(sorted(ways))
            for local, full in zip(c.slots, ids, strict=True):
                if full in self.slots:
                    self.wrong(at, f"slot {local} is in two channels", "slot-twice")
                self.slots[full] = self.slot(local, full, prefix + name, owner, slots, path, matched)
        for key in slots:
            if key not in matched and not any(
                fnmatchcase(s, key) for c in channels.values() for s in (c if isinstance(c, list) else c.slots)
            ):
                self.wrong((*path, "slots", key), "is in no channel", "slot-no-channel")

    def soldered(self, module: Module) -> Module:
        """Soldered memory is made for its board: generation and rails are the board's."""
        memory = self.doc.memory
        given = replace(
            module, generation=Generation(memory.generation), rails_v=module.rails_v or tuple(sorted(memory.rails_v))
        )
        return complete(given)[0]

    def slot(
        self,
        local: str,
        full: str,
        channel: str,
        socket: str,
        slots: Mapping[str, SlotDoc],
        path: Path,
        matched: set[str],
    ) -> Slot:
        said: dict[str, Any] = {}
        for key, d in slots.items():
            if key == local or ("*" in key and fnmatchcase(local, key)):
                matched.add(key)
                said |= {name: getattr(d, name) for name in d.model_fields_set}
                if d.access is not None:
                    self.known(self.doc.access, d.access, (*path, "slots", key, "access"), "access")
        clearance = said.get("clearance_mm")

        def named(pattern: str) -> str:
            return pattern.replace("{socket}", socket).replace("{slot}", local)

        behind = tuple(
            b if b in self.slots or "." in b else full.removesuffix(local) + b for b in said.get("behind", ())
        )
        return Slot(
            id=full,
            channel=channel,
            printed=named(said.get("printed") or ("{socket} {slot}" if full != local else "{slot}")),
            position=said.get("position"),
            tab=said.get("tab"),
            access=said.get("access"),
            carrier=self.carrier(said.get("carrier"), socket, (*path, "slots")),
            clearance=Clearance(clearance.fitted, clearance.on_the_way) if clearance else Clearance(),
            facing=said.get("facing"),
            behind=behind,
            locators=tuple(named(x) for x in said.get("locators", ())),
        )

    def carrier(self, pattern: str | None, socket: str, path: Path) -> str | None:
        name = pattern.replace("{socket}", socket) if pattern else None
        if name is not None:
            self.known(self.doc.carriers, name, path, "carrier")
        return name

    def population(
        self,
        p: PopulationDoc,
        path: Path,
        socket: str | None,
        block_source: str | None,
        fills: list[FillOrder],
        evens: list[EvenOrder],
    ) -> None:
        source = self.source([p.source, block_source], path, p.clause)
        if p.even_over or p.least_per_processor:
            evens.append(EvenOrder(source, p.even_over == "sockets", p.least_per_processor, p.otherwise))
        if p.fill is None and p.counts is None:
            if not (p.even_over or p.least_per_processor):
                self.wrong(path, "says nothing: give fill, counts, even_over or least_per_processor", "order-empty")
            return
        if p.fill is not None and p.counts is not None:
            self.wrong(path, "give fill or counts, not both", "order-twice")
            return
        prefix = f"{socket}." if socket else ""
        layouts: dict[int, tuple[tuple[str, ...], ...]] = {}
        if p.fill is not None:
            sets = tuple(self.set_of(each, prefix, (*path, "fill", i)) for i, each in enumerate(p.fill))
            for end in range(1, len(sets) + 1):
                layouts[sum(map(len, sets[:end]))] = sets[:end]
        for key, groups in (p.counts or {}).items():
            at: Path = (*path, "counts", key)
            count = int(key) if str(key).isdigit() else 0
            sets = tuple(self.set_of(each, prefix, (*at, i)) for i, each in enumerate(groups))
            if count < 1 or sum(map(len, sets)) != count:
                self.wrong(at, f"says {key} modules but its sets hold {sum(map(len, sets))}", "count-contradicts-sets")
            layouts[count] = sets
        where = socket or p.where
        if p.where is not None and p.where not in (*self.doc.sockets, *self.doc.carriers):
            self.wrong((*path, "where"), f"there is no socket or carrier {p.where}", "where-unknown")
        members = [
            s for s, slot in self.slots.items() if where in (None, self.channels[slot.channel].socket, slot.carrier)
        ]
        ordered = list(dict.fromkeys(s for c in sorted(layouts) for each in layouts[c] for s in each))
        for sets in layouts.values():
            flat = [s for each in sets for s in each]
            if len(flat) != len(set(flat)):
                twice = sorted({s for s in flat if flat.count(s) > 1})
                self.wrong(path, f"{', '.join(twice)} stands in two sets", "order-repeats-slot")
                break
        lacking = [s for s in members if s not in ordered]
        if lacking and (p.scope != "socket" or socket) and not (p.scope == "machine" and socket):
            message = f"the order never fills {', '.join(lacking)}"
            self.odd.append(self.document.fault(path, message, "order-misses-slot"))
        fills.append(
            FillOrder(
                source, where or "machine", layouts, tuple(ordered), p.other_counts, p.otherwise, tuple(p.alike_in_set), p.larger_first,
                p.higher_ranks_far,
            )
        )  # fmt: skip

    def set_of(self, names: list[str], prefix: str, path: Path) -> tuple[str, ...]:
        for name in names:
            self.known(self.slots, prefix + name, path, "slot")
        return tuple(prefix + n for n in names)


def _test(doc: TestDoc) -> ModuleTest:
    wanted = {n: v for n in _TEST_MEMBERS if (v := getattr(doc, n)) is not None}
    return ModuleTest(tuple(sorted(wanted.items())))

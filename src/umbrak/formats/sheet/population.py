"""Population orders of a sheet document, in either form that makers give, to core's orders."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping

from umbrak.core.platform.sheet import Channel, EvenOrder, FillOrder, Slot
from umbrak.formats.sheet.document import PopulationDoc
from umbrak.formats.sheet.facts import told_word
from umbrak.formats.sheet.references import Naming, References
from umbrak.formats.text import whole
from umbrak.formats.yaml_text import Path

Sets = tuple[tuple[str, ...], ...]


class Orders:
    """Reads orders against the slots and channels that the sheet turned out to have."""

    def __init__(self, refs: References, slots: Mapping[str, Slot], channels: Mapping[str, Channel]) -> None:
        self.refs = refs
        self.slots = slots
        self.channels = channels
        self.fills: list[FillOrder] = []
        self.evens: list[EvenOrder] = []

    def read(self, p: PopulationDoc, path: Path, naming: Naming, block_source: str | None) -> None:
        """Keeps what one entry says; every fault goes to the references."""
        refs = self.refs
        source = refs.source([p.source, block_source], path, p.clause)
        across = bool(p.even_over or p.least_per_processor or p.symmetric)
        if across:
            self.evens.append(
                EvenOrder(source, p.even_over == "sockets", p.symmetric, p.least_per_processor, told_word(p.otherwise))
            )
        if p.fill is None and p.counts is None:
            if not across:
                refs.wrong(
                    path, "says nothing: give fill, counts, even_over, symmetric or least_per_processor", "order-empty"
                )
            return
        if p.fill is not None and p.counts is not None:
            refs.wrong(path, "give fill or counts, not both", "order-twice")
            return
        layouts = self._fill(p.fill, path, naming) if p.fill is not None else self._counts(p.counts or {}, path, naming)
        where = naming.over or p.where
        places = {*refs.doc.sockets, *refs.doc.carriers}
        if p.where is not None and p.where not in places:
            refs.wrong((*path, "where"), f"there is no socket or carrier {p.where}", "where-unknown")
        ordered = tuple(dict.fromkeys(s for c in sorted(layouts) for each in layouts[c] for s in each))
        self._check(p, path, naming, layouts, ordered, where)
        self.fills.append(
            FillOrder(
                source=source,
                where=where or "machine",
                layouts=layouts,
                slots=ordered,
                other_counts=told_word(p.other_counts),
                otherwise=told_word(p.otherwise),
                alike_in_set=tuple(p.alike_in_set),
                larger_first=p.larger_first,
                higher_ranks_far=p.higher_ranks_far,
            )
        )

    def _fill(self, fill: list[list[str]], path: Path, naming: Naming) -> dict[int, Sets]:
        """An ordered fill as what it comes to: each number of whole sets."""
        sets = tuple(self._set(each, naming, (*path, "fill", i)) for i, each in enumerate(fill))
        return {sum(map(len, sets[:end])): sets[:end] for end in range(1, len(sets) + 1)}

    def _counts(self, counts: Mapping[int | str, list[list[str]]], path: Path, naming: Naming) -> dict[int, Sets]:
        layouts = {}
        for key, groups in counts.items():
            at: Path = (*path, "counts", key)
            self.refs.deadline.check(f"counts {key}")
            count = whole(str(key)) or 0
            sets = tuple(self._set(each, naming, (*at, i)) for i, each in enumerate(groups))
            if count < 1 or sum(map(len, sets)) != count:
                self.refs.wrong(
                    at, f"says {key} modules but its sets hold {sum(map(len, sets))}", "count-contradicts-sets"
                )
            layouts[count] = sets
        return layouts

    def _set(self, names: list[str], naming: Naming, path: Path) -> tuple[str, ...]:
        self.refs.deadline.check("a set of an order")
        full = tuple(naming.full(n) for n in names)
        for name in full:
            self.refs.known(self.slots, name, path, "slot")
        return full

    def _check(
        self,
        p: PopulationDoc,
        path: Path,
        naming: Naming,
        layouts: Mapping[int, Sets],
        ordered: tuple[str, ...],
        where: str | None,
    ) -> None:
        refs = self.refs
        for sets in layouts.values():
            twice = sorted(s for s, times in Counter(s for each in sets for s in each).items() if times > 1)
            if twice:
                refs.wrong(path, f"{', '.join(twice)} stands in two sets", "order-repeats-slot")
                break
        group = [s for s, slot in self.slots.items() if where in (None, self._socket(slot), slot.carrier)]
        filled = set(ordered)
        lacking = [s for s in group if s not in filled]
        whole = not naming.over if p.scope in (None, "machine") else where is not None
        if lacking and whole:
            refs.doubt(path, f"the order never fills {', '.join(lacking)}", "order-misses-slot")
        here = set(group)
        foreign = [s for s in ordered if s in self.slots and s not in here]
        if foreign:
            refs.doubt(path, f"{', '.join(foreign)} belongs to another place than {where}", "order-outside-scope")

    def _socket(self, slot: Slot) -> str:
        return self.channels[slot.channel].socket

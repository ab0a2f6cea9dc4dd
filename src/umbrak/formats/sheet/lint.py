"""What is legal in a sheet but wrong in the domain: each check has a code and says what to do."""

from __future__ import annotations

from collections.abc import Iterator

from umbrak.core.memory.rates import RAILS_V
from umbrak.core.platform.sheet import Sheet
from umbrak.formats.faults import Fault
from umbrak.formats.yaml_text import Document


def lint(document: Document, sheet: Sheet) -> list[Fault]:
    """Everything the checks find."""
    return [*_rails(document, sheet), *_rates(document, sheet), *_limits(document, sheet), *_slots(document, sheet)]


def _rails(document: Document, sheet: Sheet) -> Iterator[Fault]:
    generation = sheet.memory.generation
    family = {v for name, volts in RAILS_V.items() if name.startswith(generation) for v in volts}
    for domain in sheet.memory.rail_domains:
        odd = [f"{v:g}" for v in domain.rails_v if v not in family]
        if odd:
            known = ", ".join(f"{v:g}" for v in sorted(family))
            yield document.fault(
                ("memory", "rails_v"),
                f"{', '.join(odd)} V is no rail of {generation} ({known})",
                "rail-outside-generation",
            )
        if len(domain.rails_v) > 1 and sheet.memory.rail_policy is None:
            yield document.fault(
                ("memory", "rails_v"),
                "several rails but no rail_policy: lowest, highest or setting",
                "rail-policy-missing",
            )


def _rates(document: Document, sheet: Sheet) -> Iterator[Fault]:
    deepest = max((len(c.slots) + (c.soldered is not None) for c in sheet.channels.values()), default=0)
    for name, p in sheet.processors.items():
        path = ("processors", name)
        if not p.rate_table:
            if sheet.archetype:
                continue  # an architecture has no rates of its own; the rules ask for them
            yield document.fault(path, "has no rate_table: no data rate can be told", "rate-table-missing")
            continue
        covered = {row.dpc for row in p.rate_table}
        holes = [n for n in range(1, deepest + 1) if n not in covered and None not in covered]
        if holes:
            yield document.fault(
                (*path, "rate_table"),
                f"no row for {', '.join(map(str, holes))} module(s) in a channel",
                "rate-table-hole",
            )
        for i, row in enumerate(p.rate_table):
            if p.rates_mts and row.rate_mts not in p.rates_mts:
                yield document.fault(
                    (*path, "rate_table", i), f"{row.rate_mts} is not among its rates_mts", "rate-not-listed"
                )
            if row.dpc and row.dpc > deepest:
                yield document.fault(
                    (*path, "rate_table", i), f"no channel takes {row.dpc} modules", "rate-row-unreachable"
                )


def _limits(document: Document, sheet: Sheet) -> Iterator[Fault]:
    ids = {s.id for s in (*sheet.limits, *(x for p in sheet.processors.values() for x in p.limits))}
    for i, s in enumerate(sheet.limits):
        for name in s.replaces:
            if name not in ids:
                yield document.fault(
                    ("limits", i, "replaces"), f"there is no limit {name} to replace", "limit-replaces-unknown"
                )
        places: set[str] = {
            *sheet.sockets,
            *sheet.channels,
            *sheet.slots,
            *(c.controller for c in sheet.channels.values() if c.controller),
        }
        if s.where is not None and s.where not in places:
            yield document.fault(
                ("limits", i, "where"),
                f"there is no socket, controller, channel or slot {s.where}",
                "limit-where-unknown",
            )


def _slots(document: Document, sheet: Sheet) -> Iterator[Fault]:
    if not sheet.slots:
        yield document.fault((), "has no slot: nothing can be planned", "no-slots")
    for socket in sheet.sockets:
        if not sheet.channels_of[socket]:
            yield document.fault(("sockets", socket), "has no memory channel", "socket-no-channel")
    printed: dict[str, str] = {}
    for slot in sheet.slots.values():
        if slot.printed in printed:
            yield document.fault(
                ("slots",), f"{slot.id} and {printed[slot.printed]} are both printed {slot.printed}", "printed-twice"
            )
        printed[slot.printed] = slot.id
        for other in slot.behind:
            if other not in sheet.slots:
                yield document.fault(("slots",), f"{slot.id} is behind {other}, which is no slot", "behind-unknown")

"""Each fact of a module, a machine or a sheet, blanked, and every value that it could have: for the tests of what is not
known."""

from __future__ import annotations

import copy
import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

from umbrak.core.memory.module import Buffering, Form, Generation, Module, complete, contradictions, most_ranks
from umbrak.core.memory.rates import RAILS_V, STANDARD_RATES_MTS
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.statement import Statement, version_key
from umbrak.formats.sheet.reading import sheet_from_data

#: Not who made a module: those that nobody named are taken to be like the named ones (`risk.mixed-*`).
MEMBERS = ("generation", "form", "buffering", "ecc", "capacity_gib", "package_ranks", "stack_height", "device_width", "die_gbit", "rate_mts", "rails_v", "height_mm")  # fmt: skip
#: Not the mode: where nobody tells one, the machine runs as every machine does that nobody set to another (docs/architecture.md).
FACTS = ("firmware", "system", "os_bits", "os_cap_gib", "device_hole_mib", "rail_setting")


@dataclass(frozen=True)
class Situation:
    """What one judgement is about."""

    sheet: Sheet
    machine: Machine
    layout: Layout
    before: Layout | None = None
    statements: tuple[Statement, ...] = ()


@dataclass(frozen=True)
class Blanked:
    """A situation without one fact, and with each value that the fact could have; no values where there is no end of them."""

    what: str
    vague: Situation
    values: tuple[Situation, ...] = ()


def blanks(s: Situation, data: dict[str, Any]) -> Iterator[Blanked]:
    """Every fact that matters to a situation, blanked: of modules, of the machine, of the sheet whose document is `data`."""
    yield from _of_modules(s)
    yield from _of_machine(s)
    if s.layout == s.before:
        return  # as it ran: it needs no rule to be right
    for what, vague, values in sheet_blanks(_key(data)):
        tried = [sheet for value, sheet in values if _can_be(s, what, value)]
        yield Blanked(what, replace(s, sheet=vague), tuple(replace(s, sheet=sheet) for sheet in tried))


@dataclass(frozen=True)
class Pair:
    """Two facts, and a situation without the one, without the other, without both."""

    facts: tuple[str, str]
    without_one: tuple[Situation, Situation]
    without_both: Situation


def pairs(s: Situation, data: dict[str, Any]) -> Iterator[Pair]:
    """Every two of the facts of `blanks`, of which none is part of the other."""
    own = {b.what: b.vague for b in (*_of_modules(s), *_of_machine(s))}
    for a, vague in own.items():
        for b in (*_of_modules(vague), *_of_machine(vague)):
            if a < b.what and b.what in own and not b.what.startswith(f"{a}."):
                yield Pair((a, b.what), (vague, own[b.what]), b.vague)
    if s.layout == s.before:
        return
    name = _key(data)
    sheets = {what: sheet for what, sheet, _ in sheet_blanks(name)}
    for (a, vague), (what, sheet) in itertools.product(own.items(), sheets.items()):
        yield Pair((a, what), (vague, replace(s, sheet=sheet)), replace(vague, sheet=sheet))
    for (a, what), sheet in sheet_pairs(name).items():
        yield Pair((a, what), (replace(s, sheet=sheets[a]), replace(s, sheet=sheets[what])), replace(s, sheet=sheet))


@cache
def sheet_pairs(name: str) -> dict[tuple[str, str], Sheet]:
    """Two facts that the document tells -> the sheet without both."""
    data = _DOCUMENTS[name]
    found = {}
    for (a, _), (b, _) in itertools.combinations(_told(data), 2):
        # Two ranks of a channel are less than is usual, which an untold number is taken for where channels are a guess.
        usual = {a, b} == {("memory", "package_ranks_per_channel"), ("channels",)}
        if a != b[: len(a)] and not (usual and data["memory"]["package_ranks_per_channel"] == 2):
            found[".".join(map(str, a)), ".".join(map(str, b))] = _put(_changed(data, a, "open"), b, "open")
    return found


def _can_be(s: Situation, what: str, value: Any) -> bool:
    """Whether a fact can have a value here: no load-reduced module takes more chip selects than it has ranks, and two modules
    of two ranks are driven everywhere (that is usual). What ran bounds the values of a sheet's facts, and is not tried."""
    modules = [m for m in s.layout.values() if isinstance(m, Module)]
    if what.endswith("load_reduced_counts_as"):
        return s.before is None and all(
            value <= (m.package_ranks or 1) for m in modules if m.buffering is Buffering.LOAD_REDUCED
        )
    if what.endswith("package_ranks_per_channel") and value == 2:
        return s.before is None and all(
            (m.package_ranks or 0) > 2 and m.buffering is Buffering.REGISTERED for m in modules
        )
    return s.before is None


# -- modules ----------------------------------------------------------------------------------------------


def _of_modules(s: Situation) -> Iterator[Blanked]:
    seen: set[tuple[Module, str]] = set()
    for slot, module in s.layout.items():
        if not isinstance(module, Module) or (module, "") in seen:
            continue
        seen.add((module, ""))
        yield Blanked(slot, _with(s, slot, UNKNOWN))
        for member in MEMBERS:
            # What nobody tells of a module's height is the standard's: that is usual (docs/architecture.md).
            if getattr(module, member) in (None, ()) or (member == "height_mm" and module.height_mm > 31.25):  # type: ignore[operator]
                continue
            vague = _without(module, member)
            derived = getattr(complete(vague)[0], member) not in (None, ())
            values = () if derived else tuple(_with(s, slot, m) for m in _filled(vague, member))
            yield Blanked(f"{slot}.{member}", _with(s, slot, vague), values)


def _with(s: Situation, slot: str, occupant: Any) -> Situation:
    return replace(s, layout=Layout({**s.layout, slot: occupant}))


def _without(module: Module, member: str) -> Module:
    """The module without one member, and without what would give it away again."""
    members: dict[str, Any] = {member: () if member == "rails_v" else None}
    if member == "ecc":
        members["ecc_bits"] = None
    if member in ("package_ranks", "stack_height"):
        members["logical_ranks"] = None
    return replace(module, **members)


def _filled(vague: Module, member: str) -> Iterator[Module]:
    """The module with each value of the member that does not contradict the others; none where the values have no end."""
    family = sorted(
        {v for n, volts in RAILS_V.items() if vague.generation and n.startswith(vague.generation) for v in volts}
    )
    values: dict[str, Sequence[Any]] = {
        "generation": list(Generation),
        "form": list(Form),
        "buffering": list(Buffering),
        "ecc": [True, False],
        "package_ranks": [n for n in (1, 2, 4, 8) if n <= most_ranks(vague.buffering)],
        "stack_height": [1, 2, 4],
        "device_width": [4, 8, 16],
        "die_gbit": [0.5, 1, 2, 4, 8, 16, 24, 32, 64],
        "rate_mts": STANDARD_RATES_MTS.get(vague.generation or "", ()),
        "rails_v": [c for n in range(1, len(family) + 1) for c in itertools.combinations(family, n)],
    }  # fmt: skip
    for value in values.get(member, ()):
        filled = complete(replace(vague, **{member: value}))[0]
        if not contradictions(filled):
            yield filled


# -- the machine ------------------------------------------------------------------------------------------


def _of_machine(s: Situation) -> Iterator[Blanked]:
    rails = sorted({v for d in s.sheet.memory.rail_domains for v in d.rails_v})
    every = [*s.sheet.limits, *s.statements, *(x for p in s.sheet.processors.values() for x in p.limits)]
    values: dict[str, Sequence[Any]] = {
        "os_bits": [32, 64],
        "rail_setting": rails,
        "firmware": _versions(v for x in every for v in (x.firmware.first, x.firmware.until)),
        "system": _versions(v for x in every for v in (x.system.first, x.system.until)),
    }
    for fact in FACTS:
        if getattr(s.machine, fact) is not None:
            tried = tuple(replace(s, machine=replace(s.machine, **{fact: v})) for v in values.get(fact, ()))
            yield Blanked(f"machine.{fact}", replace(s, machine=replace(s.machine, **{fact: None})), tried)
    for socket in s.machine.processors:
        rest = {x: p for x, p in s.machine.processors.items() if x != socket}
        about = s.sheet.sockets[socket]
        fitted = [*about.processors, *([None] if about.may_be_absent else [])]
        tried = tuple(replace(s, machine=replace(s.machine, processors={**rest, socket: p})) for p in fitted)
        yield Blanked(f"machine.processors.{socket}", replace(s, machine=replace(s.machine, processors=rest)), tried)


def _versions(bounds: Iterator[str | None]) -> list[str]:
    """A version before every bound, each bound, and one after them all."""
    return ["0", *sorted({b for b in bounds if b}, key=version_key), "9999"]


# -- the sheet --------------------------------------------------------------------------------------------

_DOCUMENTS: dict[str, dict[str, Any]] = {}


def _key(data: dict[str, Any]) -> str:
    _DOCUMENTS[data["id"]] = data
    return str(data["id"])


@cache
def sheet_blanks(name: str) -> tuple[tuple[str, Sheet, tuple[tuple[Any, Sheet], ...]], ...]:
    """(fact, the sheet without it, each of its values with the sheet that has it) for each fact that the document tells."""
    data = _DOCUMENTS[name]
    return tuple(
        (".".join(map(str, path)), _put(data, path, "open"), tuple((v, _put(data, path, v)) for v in values))
        for path, values in _told(data)
    )


def _put(data: dict[str, Any], path: tuple[Any, ...], value: Any) -> Sheet:
    return sheet_from_data(_changed(data, path, value))


def _changed(data: dict[str, Any], path: tuple[Any, ...], value: Any) -> dict[str, Any]:
    changed = copy.deepcopy(data)
    at: Any = changed
    for step in path[:-1]:
        at = at[step]
    # Slots have to be somewhere: which share a channel is then a guess.
    at[path[-1]] = {"open": "", "seen": at[path[-1]]} if path == ("channels",) else value
    return changed


_WORDS = ("refused", "unsupported", "slower")


def _told(data: dict[str, Any]) -> Iterator[tuple[tuple[Any, ...], Sequence[Any]]]:
    """(place of a fact that is told, its values; none where they have no end)."""
    memory = data["memory"]
    choices: dict[str, Sequence[Any]] = {
        "rails_v": [[1.35], [1.5], [1.35, 1.5]] if memory["generation"] == "DDR3" else [],
        "rail_policy": ["lowest", "highest", "setting"],
        "ecc_mixed": ["refused", "loses"],
        "load_reduced_counts_as": [1, 2, 4, 8],
        "package_ranks_per_channel": ["none", 2, 4, 6, 8, 12],
        "never_together": ["none", *([[a, b]] for a, b in _APART)],
        "accepts": [],
    }
    for name, values in choices.items():
        told = memory.get(name) not in (None, "open", "untold") and not isinstance(memory[name], dict)
        if told and (name != "rails_v" or values):
            yield ("memory", name), values
    for name, mode in memory.get("modes", {}).items():
        if "spare_ranks" in mode:
            yield ("memory", "modes", name, "spare_ranks"), []
    for name, p in data["processors"].items():
        if p.get("faster_modules") in ("slowed", "refused"):
            yield ("processors", name, "faster_modules"), ["slowed", "refused"]
        for i, limit in enumerate(p.get("limits", ())):
            yield from _of_limit(limit, ("processors", name, "limits", i))
    if isinstance(limits := data.get("limits"), list):
        yield ("limits",), []
        for i, limit in enumerate(limits):
            yield from _of_limit(limit, ("limits", i))
    if isinstance(data.get("channels"), dict) and "open" not in data["channels"] and data["channels"]:
        yield ("channels",), []
    blocks: list[tuple[tuple[Any, ...], Any]] = [(("population",), data.get("population"))]
    if isinstance(data.get("repeat"), dict):
        blocks.append((("repeat", "population"), data["repeat"].get("population")))
    for at, orders in blocks:
        for i, order in enumerate(orders if isinstance(orders, list) else ()):
            for word in ("otherwise", "other_counts"):
                # Of an order across sockets what is left out is slower, as reasoning has it.
                if order.get(word) in _WORDS and "even_over" not in order:
                    yield (*at, i, word), _WORDS
    if isinstance(data.get("population"), list) and not isinstance(data.get("repeat"), dict):
        yield ("population",), []
    for name, way in data.get("access", {}).items():
        if isinstance(way.get("ends_warranty"), bool):
            yield ("access", name, "ends_warranty"), [True, False]


_APART = (
    ({"device_width": 4}, {"device_width": 8}),
    ({"device_width": 4}, {"device_width": 16}),
    ({"stack_height": 1}, {"stack_height": 2}),
    ({"capacity_gib": 24}, {"capacity_gib": 16}),
    ({"capacity_gib": 24}, {"capacity_gib": 32}),
    ({"capacity_gib": 24}, {"capacity_gib": 8}),
)


def _of_limit(limit: dict[str, Any], path: tuple[Any, ...]) -> Iterator[tuple[tuple[Any, ...], Sequence[Any]]]:
    for amount in ("capacity_gib", "die_gbit", "package_ranks", "stack_height"):
        if isinstance(limit.get(amount), int | float):
            low = 1 if amount in ("package_ranks", "stack_height") else 0.125
            yield (*path, amount), [low, "none"]

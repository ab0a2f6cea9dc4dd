"""A machine's Redfish service (DSP0266, schemas of DSP0268), as a collection of its JSON documents.

The documents come from a live service (devices.redfish) or from a file: an object of path -> document, a list of
documents, or documents within each other as an expanded answer has them. Each carries its path as "@odata.id".
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from itertools import islice
from typing import Any

from umbrak.core.memory.module import (
    IN_USE,
    MAPPED_OUT,
    Buffering,
    Form,
    Generation,
    MakerCode,
    Module,
    complete,
    contradictions,
)
from umbrak.core.memory.rates import clock_words, may_be_clock, standard_rate
from umbrak.core.platform.survey import (
    DriveFacts,
    FirmwareFacts,
    ProcessorFacts,
    SlotFacts,
    SlotHealth,
    SlotState,
    SurveyReading,
    SystemFacts,
    Warning,
    keeps_its_content,
    not_main_memory,
)  # fmt: skip
from umbrak.formats.bounds import MAX_DRIVES, MAX_PROCESSORS, MAX_SLOTS, MAX_TOLD, Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.json_text import load_json
from umbrak.formats.placeholders import told
from umbrak.formats.text import decoded

Document = dict[str, Any]
#: Far more than the documents of any machine.
MAX_DOCUMENTS = 20_000
_MAX_DEPTH = 60

#: Memory.BaseModuleType -> (form, buffering).
_MODULE_TYPES = {
    "RDIMM": (Form.DIMM, Buffering.REGISTERED), "UDIMM": (Form.DIMM, Buffering.UNBUFFERED),
    "LRDIMM": (Form.DIMM, Buffering.LOAD_REDUCED), "SO_DIMM": (Form.SO_DIMM, Buffering.UNBUFFERED),
    "SO_UDIMM_72b": (Form.SO_DIMM, Buffering.UNBUFFERED), "SO_RDIMM_72b": (Form.SO_DIMM, Buffering.REGISTERED),
    "Mini_RDIMM": (Form.OTHER, Buffering.REGISTERED), "Mini_UDIMM": (Form.OTHER, Buffering.UNBUFFERED),
}  # fmt: skip
#: Resource.State of a place that holds nothing, and of a device that is there and out of use.
_ABSENT, _OUT_OF_USE = ("Absent",), ("Disabled", "UnavailableOffline", "Quiesced")


def looks_like_redfish(text: str) -> bool:
    return bool(re.match(r"\s{0,4096}[{\[]", text)) and '"@odata.id"' in text


def read_redfish(data: bytes, deadline: Deadline) -> SurveyReading:
    """What a saved collection reports.

    Raises
        InputError   too large, too slow, no JSON (with its line), or nothing of a computer system in it
    """
    check_size(len(data))
    return read_documents(gather(load_json(decoded(data).encode(), deadline), deadline), deadline)


def gather(root: object, deadline: Deadline) -> dict[str, Document]:
    """Path -> document, of everything in it that carries its path; of several with one path the one that was asked for by
    it, else the fullest: what stands within another may be cut short (a collection, to its first page without its members)."""
    found: dict[str, Document] = {}
    asked: set[str] = set()
    # A stack, not recursion: the nesting is the sender's.
    stack: list[tuple[str | None, object, int]] = [(None, root, 0)]
    looked = 0
    while stack:
        name, value, depth = stack.pop()
        looked += 1
        if looked % 4096 == 0:
            deadline.check(f"value {looked}")
        if depth > _MAX_DEPTH:
            continue
        if isinstance(value, dict):
            path = value.get("@odata.id")
            if not isinstance(path, str):
                path = name if name and name.startswith("/") else None
            key = _tidy(path) if path else ""
            itself = depth == 1 and name is not None and _tidy(name) == key
            if key and len(value) > 1 and key not in asked and (itself or len(value) > len(found.get(key, ()))):
                found[key] = value
                asked |= {key} if itself else set()
                if len(found) > MAX_DOCUMENTS:
                    raise InputError("too-large", [Fault(f"more than {MAX_DOCUMENTS} documents", key)])
            stack += [(k if depth == 0 else None, v, depth + 1) for k, v in reversed(value.items())]
        elif isinstance(value, list):
            stack += [(None, v, depth + 1) for v in reversed(value)]
    return found


def _tidy(path: str) -> str:
    return path.split("#")[0].rstrip("/") or "/"


class _Documents:
    """The documents, and what about them is odd. Nothing in them is trusted to have the type that it should have."""

    def __init__(self, documents: Mapping[str, Document], deadline: Deadline) -> None:
        self.deadline = deadline
        self.all = {_tidy(path): d for path, d in documents.items()}
        self.warnings: list[Warning] = []

    def of(self, link: object) -> Document:
        """The document that a link names; empty where it is not there."""
        path = link.get("@odata.id") if isinstance(link, dict) else None
        return self.all.get(_tidy(path), {}) if isinstance(path, str) else {}

    def members(self, link: object) -> Iterator[tuple[str, Document]]:
        """(path, document) of a collection's members, over its pages, each once."""
        seen: set[str] = set()
        told: set[str] = set()
        page = self.of(link)
        while page:
            for path, document in self.linked(page.get("Members")):
                if path not in told:
                    told.add(path)
                    yield path, document
            following = page.get("Members@odata.nextLink")
            if not isinstance(following, str) or following in seen:
                return
            seen.add(following)
            page = self.all.get(_tidy(following), {})
            if not page:
                self.warnings.append(
                    Warning(following[:200], "the next page is not in the collection: what stands on it stays unknown")
                )

    def linked(self, links: object) -> Iterator[tuple[str, Document]]:
        for link in links if isinstance(links, list) else []:
            path = link.get("@odata.id") if isinstance(link, dict) else None
            if not isinstance(path, str):
                continue
            document = self.all.get(_tidy(path))
            self.deadline.check(path[:200])
            if document is None:
                if len(self.warnings) <= MAX_TOLD:
                    self.warnings.append(Warning(path, "named, and not in the collection: it is left out"))
            else:
                yield path, document

    def whole(self, document: Document, name: str, where: str) -> int | None:
        value = document.get(name)
        if value is None:
            return None
        if isinstance(value, bool) or not isinstance(value, int | float) or value != value or not 0 <= value < 1 << 40:
            found = "a long number" if isinstance(value, int) and value.bit_length() > 64 else repr(str(value)[:40])
            self.warnings.append(Warning(f"{where} {name}", f"a number was expected, found {found}"))
            return None
        return int(value)


def read_documents(documents: Mapping[str, Document], deadline: Deadline) -> SurveyReading:
    """What the documents report. Raises InputError when no computer system is among them, or when it takes too long."""
    docs = _Documents(documents, deadline)
    path, system = _system(docs)
    # One more than are kept: `read_any` says so then.
    memory = docs.members(system.get("Memory")) if path else _memory_alone(docs)
    slots = [_slot(docs, p, d) for p, d in islice(memory, MAX_SLOTS + 1)]
    if not slots:
        docs.warnings.append(Warning(path, "it lists no memory: the slots stay unknown"))
    return SurveyReading(
        kind="redfish",
        system=SystemFacts(
            told(system.get("Manufacturer")), told(system.get("Model")), told(system.get("SerialNumber"))
        ),
        firmware=FirmwareFacts(None, told(system.get("BiosVersion")), None)
        if told(system.get("BiosVersion"))
        else None,
        processors=tuple(
            _processor(docs, p, d) for p, d in islice(docs.members(system.get("Processors")), MAX_PROCESSORS + 1)
        ),
        slots=tuple(slots),
        warnings=tuple(docs.warnings),
        description=told(system.get("HostName")) or told(system.get("Description")),
        installed_gib=docs.whole(_sub(system, "MemorySummary"), "TotalSystemMemoryGiB", path),
        drives=tuple(islice(_drives(docs, system), MAX_DRIVES + 1)),
        virtual=system.get("SystemType") == "Virtual",
    )


def _memory_alone(docs: _Documents) -> Iterator[tuple[str, Document]]:
    """Documents of memory that stand there without the system that they are of, as a saved collection has them."""
    for path, document in docs.all.items():
        if str(document.get("@odata.type", "")).startswith("#Memory.") or re.fullmatch(
            r"/redfish/v1/Systems/[^/]+/Memory/[^/]+", path
        ):
            docs.deadline.check(path[:200])
            yield path, document


def _system(docs: _Documents) -> tuple[str, Document]:
    """The computer system: the only one, or of several the first that lists memory; ("", {}) where memory stands alone."""
    known = [
        (p, d)
        for p, d in docs.all.items()
        if isinstance(d.get("@odata.type"), str) and "ComputerSystem." in d["@odata.type"]
    ]
    known = known or [(p, d) for p, d in docs.all.items() if re.fullmatch(r"/redfish/v1/Systems/[^/]+", p)]
    if not known and any(True for _ in _memory_alone(docs)):
        owners = sorted({p.partition("/Memory/")[0] for p, _ in _memory_alone(docs)})
        if len(owners) > 1:
            words = f"memory of {len(owners)} systems, and none of the systems: keep the one that is meant"
            raise InputError("no-system", [Fault(words, "line 1")])
        docs.warnings.append(Warning("the whole", "memory alone, without its system: whose it is, is not told"))
        found = sum(1 for _ in _memory_alone(docs))
        told_of = [d.get("Members@odata.count") for d in docs.all.values() if "Memory" in str(d.get("@odata.type"))]
        most = max((n for n in told_of if isinstance(n, int)), default=0)
        if most > found:
            docs.warnings.append(Warning("the whole", f"{found} of {most} members are in it: the others stay unknown"))
        return "", {}
    if not known:
        raise InputError(
            "no-system",
            [
                Fault(
                    "neither a ComputerSystem nor its Memory among the documents; save /redfish/v1/Systems/... and what it links to",
                    "line 1",
                )
            ],
        )
    known.sort(key=lambda pair: (not any(True for _ in docs.members(pair[1].get("Memory"))), pair[0]))
    docs.warnings.clear()
    for path, _ in known[1:]:
        docs.warnings.append(Warning(path, f"another system; only {known[0][0]} is read"))
    return known[0]


def _sub(document: Document, *names: str) -> Document:
    """An object within an object; empty where there is none."""
    for name in names:
        value = document.get(name)
        document = value if isinstance(value, dict) else {}
    return document


def _processor(docs: _Documents, path: str, d: Document) -> ProcessorFacts:
    state = _sub(d, "Status").get("State")
    populated = None if not isinstance(state, str) else state not in _ABSENT
    return ProcessorFacts(
        told(d.get("Socket")) or told(d.get("Id")), told(d.get("Model")), docs.whole(d, "TotalCores", path), populated
    )


def _slot(docs: _Documents, path: str, d: Document) -> SlotFacts:
    locator = told(d.get("DeviceLocator")) or told(_sub(d, "Location", "PartLocation").get("ServiceLabel"))
    locator = locator or _place(_sub(d, "MemoryLocation")) or told(d.get("Name"))
    status = _sub(d, "Status")
    capacity = docs.whole(d, "CapacityMiB", path)
    health = _health(docs, path, d)
    if status.get("State") in _ABSENT or (capacity == 0 and not told(d.get("PartNumber"))):
        return SlotFacts(locator=locator, bank=None, state=SlotState.EMPTY)
    out_of_use = status.get("State") in _OUT_OF_USE or d.get("Enabled") is False
    failed = status.get("Health") == "Critical" or out_of_use
    if not capacity and not failed:
        failed = any(told(d.get(n)) for n in ("PartNumber", "SerialNumber", "Manufacturer"))
        docs.warnings.append(
            Warning(
                f"slot {locator}",
                "a module is there whose size is not told: it is taken as failed"
                if failed
                else "its size is not told; what sits in it stays unknown",
            )
        )
        if not failed:
            return SlotFacts(locator=locator, bank=None, state=SlotState.UNKNOWN)
    elif failed:
        docs.warnings.append(
            Warning(
                f"slot {locator}",
                f"reported as {told(status.get('Health')) or ''} {told(status.get('State')) or ''}".rstrip()
                + (", and not enabled" if d.get("Enabled") is False else ""),
            )
        )
    kept = told(d.get("MemoryType"))
    if kept and kept != "DRAM":
        capacity = docs.whole(d, "VolatileSizeMiB", path)
        docs.warnings.append(Warning(f"slot {locator}", keeps_its_content(kept, capacity)))
    module, odd = _module(docs, path, d, capacity or None)
    if kept and kept != "DRAM":
        module, odd = (replace(module, keeps=kept[:80]), odd) if capacity else (not_main_memory(module, kept), [])
    if failed:
        used = bool(capacity) and not out_of_use and status.get("State") is not None
        module = replace(module, failed=IN_USE if used else MAPPED_OUT)
    docs.warnings += [Warning(f"slot {locator}", words) for words in odd]
    soldered = d.get("BaseModuleType") == "Die"
    state = SlotState.FAILED if failed else SlotState.SOLDERED if soldered else SlotState.FILLED
    return SlotFacts(
        locator=locator,
        bank=None,
        state=state,
        module=module,
        configured_mts=standard_rate(docs.whole(d, "OperatingSpeedMhz", path), None),
        configured_v=None,
        health=health,
    )


def _place(location: Document) -> str | None:
    """Memory.MemoryLocation in words, where a service gives no locator: "Socket 1 Channel 2 Slot 1"."""
    parts = [(n, location.get(n)) for n in ("Socket", "MemoryController", "Channel", "Slot")]
    told_ = [f"{n} {v}" for n, v in parts if isinstance(v, int) and not isinstance(v, bool) and 0 <= v < 10_000]
    return " ".join(told_) if len(told_) > 1 else None


def _module(docs: _Documents, path: str, d: Document, capacity_mib: int | None) -> tuple[Module, list[str]]:
    odd: list[str] = []
    kind = d.get("MemoryDeviceType") if isinstance(d.get("MemoryDeviceType"), str) else ""
    first = re.split(r"[_ ]", kind or "")[0]
    generation = Generation(first) if first in set(Generation) else None
    if kind and generation is None:
        odd.append(f"memory type “{kind[:40]}” is none of {', '.join(Generation)}; its generation stays unknown")
    form, buffering = _MODULE_TYPES.get(str(d.get("BaseModuleType")), (None, None))
    if "FB_DIMM" in (kind or ""):
        form, buffering = Form.DIMM, Buffering.FULLY_BUFFERED
    bus, width = docs.whole(d, "BusWidthBits", path), docs.whole(d, "DataWidthBits", path)
    extra = bus - width if bus and width and bus >= width else None
    ecc_bits = None
    if extra is not None:
        ecc_bits = ({0: 0, 8: 4, 16: 8} if generation is Generation.DDR5 and width == 64 else {0: 0, 8: 8}).get(extra)
    speeds = (
        [s for s in d.get("AllowedSpeedsMHz") or [] if isinstance(s, int) and not isinstance(s, bool) and s < 1 << 20]
        if isinstance(d.get("AllowedSpeedsMHz"), list)
        else []
    )
    rate = standard_rate(max(speeds, default=None), generation)
    if rate is not None and not 100 <= rate < 100_000:
        rate = None
    if rate and generation and may_be_clock(rate, generation, in_transfers=False):
        odd.append(clock_words(rate))
        rate = None
    gib = capacity_mib / 1024 if capacity_mib else None
    module, _ = complete(
        Module(
            generation=generation,
            form=form,
            buffering=buffering,
            ecc_bits=ecc_bits,
            capacity_gib=int(gib) if gib is not None and gib == int(gib) else gib,
            package_ranks=docs.whole(d, "RankCount", path) or None,
            rate_mts=rate,
            maker=told(d.get("Manufacturer")),
            maker_code=_maker_code(d.get("ModuleManufacturerID")),
            part=told(d.get("PartNumber")),
            serial=told(d.get("SerialNumber")),
        )
    )
    return module, odd + [c.message for c in contradictions(module)]


def _maker_code(value: object) -> MakerCode | None:
    """Memory.ModuleManufacturerID: two bytes as in the SPD. Which of them services write first differs: continuation
    counts are small and codes of the later banks are not told apart from them, so only a clear case is taken."""
    match = re.fullmatch(r"0x([0-9A-Fa-f]{2})([0-9A-Fa-f]{2})", value) if isinstance(value, str) else None
    if not match:
        return None
    one, other = (int(h, 16) & 0x7F for h in match.groups())
    few = 16  # banks in use
    if one < few <= other:
        return MakerCode(one + 1, other)
    return MakerCode(other + 1, one) if other < few <= one else None


def _health(docs: _Documents, path: str, d: Document) -> SlotHealth | None:
    metrics = docs.of(d.get("Metrics"))
    counts = _sub(metrics, "LifeTime") or _sub(metrics, "CurrentPeriod")
    reading = _sub(docs.of(d.get("EnvironmentMetrics")), "TemperatureCelsius").get("Reading")
    temperature = (
        float(reading)
        if isinstance(reading, int | float) and not isinstance(reading, bool) and -60 < reading < 200
        else None
    )
    health = SlotHealth(
        docs.whole(counts, "CorrectableECCErrorCount", path),
        docs.whole(counts, "UncorrectableECCErrorCount", path),
        temperature,
    )
    return health if health != SlotHealth() else None


def _drives(docs: _Documents, system: Document) -> Iterator[DriveFacts]:
    """Drives of the system's chassis and of its storage, each once."""
    links: list[tuple[str, Document]] = []
    for _, chassis in docs.linked(_sub(system, "Links").get("Chassis")):
        links += docs.members(chassis.get("Drives"))
        links += docs.linked(_sub(chassis, "Links").get("Drives"))
    for _, storage in docs.members(system.get("Storage")):
        links += docs.linked(storage.get("Drives"))
    for path, d in dict(links).items():
        if _sub(d, "Status").get("State") in _ABSENT:
            continue
        location = _sub(d, "PhysicalLocation", "PartLocation")
        bay = docs.whole(location, "LocationOrdinalValue", path)
        label = location.get("ServiceLabel")
        if bay is None and isinstance(label, str) and (digits := re.findall(r"\d{1,4}", label)):
            bay = int(digits[-1])
        yield DriveFacts(bay, told(d.get("SerialNumber")), told(d.get("Model")))

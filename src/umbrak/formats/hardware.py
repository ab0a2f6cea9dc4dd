"""The hardware listing (`lshw`): a tree of nodes, as text, JSON or XML, or short.

What it knows is the firmware's tables (DSP0134), in words: a bank's description says form, generation, buffering and rate.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import replace
from itertools import islice
from typing import Any
from xml.etree.ElementTree import Element, ParseError

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from umbrak.core.platform.survey import SurveyReading, Warning
from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.json_text import load_json, objects
from umbrak.formats.smbios import codes
from umbrak.formats.smbios.survey import survey_of
from umbrak.formats.smbios.tables import MAX_RECORDS, Record
from umbrak.formats.text import numbered_lines, whole

_NODE = re.compile(r"^[\s>|]*\*-([a-z][a-z0-9_-]*(?::\d{1,6})?)(?:\s+(UNCLAIMED|DISABLED|UNAVAILABLE))?\s*$", re.I)
_PAIR = re.compile(r"^[\s>|]*([a-z][a-z ]{1,30}):\s?(.*)$", re.I)
#: A line of the short form: path, class, words.
_SHORT = re.compile(r"^\s*(/[0-9a-f/.]+)\s+(?:\S+\s+)?memory\s+(\S.*)$", re.I)
_BYTES = {"": 1, "k": 1 << 10, "m": 1 << 20, "g": 1 << 30, "t": 1 << 40}
#: In the short form: what has the class of memory and is none that is fitted.
_OTHER = re.compile(r"\b(?:BIOS|EFI|firmware|flash|cache|ROM|controller)\b", re.I)
#: Nodes of a tree; the largest machines have thousands.
_MAX_NODES = 20_000
_Node = dict[str, str]


def looks_like_hardware(text: str) -> bool:
    head = text[:100_000]
    if re.match(r"\s{0,4096}<", head):
        return bool(re.search(r"<node\s[^>]{0,400}\bid=", head) and re.search(r"<(?:physid|description)>", head))
    if re.match(r"\s{0,4096}[\[{]", head):
        return (
            '"class"' in head
            and '"id"' in head
            and '"@odata.id"' not in head
            and bool(re.search('"(?:children|physid|handle)"', head))
        )
    return bool(
        re.search(r"^[ \t>|]{0,40}\*-(?:memory|bank|core|firmware|cpu)\b", head, re.M)
        or (re.search(r"^[ \t]{0,40}H/W path", head, re.M) and " memory " in head)
    )


def read_hardware(text: str, deadline: Deadline) -> SurveyReading:
    """What a listing tells. Raises InputError when no node of memory, processor or firmware is in it, too large, too slow."""
    check_size(len(text), "characters")
    warnings: list[Warning] = []
    records: list[tuple[int, Record]] = []
    total = None
    for number, (name, node) in enumerate(_nodes(text, deadline), 1):
        if number > _MAX_NODES or len(records) > MAX_RECORDS:
            warnings.append(Warning("the whole", f"more than {_MAX_NODES} nodes; the rest is left out"))
            break
        kind = name.split(":")[0].lower()
        if kind == "memory" and _size(node) and total is None:
            total = _size(node)
        records += _records(kind, node)
    if not records and total is None:
        raise InputError(
            "not-a-listing",
            [
                Fault(
                    message="no node of memory in it: expected lines such as “*-bank:0”",
                    where="line 1",
                    line=1,
                    column=1,
                )
            ],
        )
    reading = survey_of("lshw", records, warnings, deadline)
    # Without banks it was not allowed to read the tables: what it tells is what its system can use.
    banks = any(kind == codes.MEMORY_DEVICE for kind, _ in records)
    gib = round(total / (1 << 30), 3) if total else None
    if not banks:
        said = Warning("the whole", "no bank of memory in it: only who administers the machine is told them")
        return replace(reading, usable_gib=gib, warnings=(said,))
    return replace(reading, installed_gib=gib)


def _nodes(text: str, deadline: Deadline) -> Iterator[tuple[str, _Node]]:
    """(name of a node, its members). A bank of the firmware's own flash memory has another name: it is no slot."""
    if re.match(r"\s{0,4096}[\[{]", text):
        yield from _told_within(objects(load_json(text.encode(), deadline)))
    elif re.match(r"\s{0,4096}<", text):
        yield from _told_within(_elements(text, deadline))
    elif re.search(r"^[ \t]{0,40}H/W path", text[:100_000], re.M):
        yield from _short(text, deadline)
    else:
        yield from _listed(text, deadline)


def _told_within(nodes: Iterable[dict[str, Any]]) -> Iterator[tuple[str, _Node]]:
    """Of documents, each before those within it."""
    in_flash: set[int] = set()
    for one in nodes:
        name = str(one.get("id", ""))
        told = {k: str(v) for k, v in one.items() if isinstance(v, str | int | float)}
        within = one.get("children")
        if name.lower().startswith("flash") and isinstance(within, list):
            in_flash.update(map(id, within))
        yield "chip" if id(one) in in_flash else name, told | _inside(one)


def _elements(text: str, deadline: Deadline) -> Iterator[dict[str, Any]]:
    """The nodes of XML as documents, each with those within it as its children."""
    try:
        root = fromstring(text, forbid_dtd=True)
    except (ParseError, DefusedXmlException, ValueError) as error:
        line, column = getattr(error, "position", (1, 0))
        raise InputError(
            "not-xml", [Fault(message=f"no XML: {error}", where=f"line {line}", line=line, column=column + 1)]
        ) from error
    made: dict[Element, dict[str, Any]] = {}
    for element in islice(root.iter("node"), _MAX_NODES):
        deadline.check("a node")
        document = made.setdefault(element, {})
        document |= {e.tag: (e.text or "").strip() for e in element if e.tag != "node"}
        document["configuration"] = {e.get("id"): e.get("value") for e in element.findall("configuration/setting")}
        document["capabilities"] = {e.get("id"): True for e in element.findall("capabilities/capability")}
        document["children"] = [made.setdefault(e, {}) for e in element if e.tag == "node"]
        document |= {"id": element.get("id", ""), "class": element.get("class", "")}
        yield document


def _listed(text: str, deadline: Deadline) -> Iterator[tuple[str, _Node]]:
    name, node, flash = "system", _Node(), False
    for _, line in numbered_lines(text, deadline):
        if match := _NODE.match(line):
            yield name, node
            name, node = match[1], {}
            bank = name.lower().startswith("bank")
            flash = name.lower().startswith("flash") or (bank and flash)
            name = "chip" if bank and flash else name
        elif match := _PAIR.match(line):
            node.setdefault(match[1].strip().lower(), match[2].strip())
    yield name, node


def _short(text: str, deadline: Deadline) -> Iterator[tuple[str, _Node]]:
    """Of the short form: where the whole memory is in it, what stands below it is a bank, and nothing else is."""
    found = [
        (match[1].rstrip("/"), match[2]) for _, line in numbered_lines(text, deadline) if (match := _SHORT.match(line))
    ]
    wholes = [path for path, words in found if re.search(r"system memory", words, re.I)]
    for path, words in found:
        if path in wholes:
            yield "memory", {"size": words}
        elif any(path.startswith(f"{w}/") for w in wholes) if wholes else not _OTHER.search(words):
            yield "bank", {"description": words, "slot": path, "size": words}


def _inside(one: dict[str, object]) -> _Node:
    """Of what a node has documents for, those that are used here: how many cores, and what the firmware can do."""
    found: _Node = {}
    configuration, capabilities = one.get("configuration"), one.get("capabilities")
    if isinstance(configuration, dict) and "cores" in configuration:
        found["configuration"] = f"cores={configuration['cores']}"
    if isinstance(capabilities, dict):
        found["capabilities"] = " ".join(map(str, capabilities))
    return found


def _size(node: _Node) -> int | None:
    """Bytes: a number in JSON, "16GiB" in text."""
    match = re.match(r"\s*(\d{1,19})(?:\.0+)?\s*([kMGT]?)(i?B)?\b", node.get("size", ""))
    return int(match[1]) * _BYTES[match[2].lower()] if match and (match[3] or match[2] == "") else None


def _records(kind: str, node: _Node) -> Iterator[tuple[int, Record]]:
    words = node.get("description", "")
    if kind == "bank":
        yield codes.MEMORY_DEVICE, _device(node, words)
    elif kind == "firmware":
        yield (
            codes.BIOS,
            {
                "Vendor": node.get("vendor"),
                "Version": node.get("version"),
                "Release Date": node.get("date"),
                "Virtual": "virtualmachine" in node.get("capabilities", "").split(),
            },
        )
    elif kind == "cpu":
        cores = re.search(r"\bcores=(\d{1,5})\b", node.get("configuration", ""))
        filled = "[empty]" not in words
        yield codes.PROCESSOR, {
            "Socket Designation": node.get("slot"),
            "Version": node.get("product") if filled else None,
            "Core Count": int(cores[1]) if cores else None,
            "Populated": filled,
        }  # fmt: skip
    elif (kind == "system" or node.get("class") == "system") and ("product" in node or "vendor" in node):
        # What stands in brackets after the product is its number in the maker's books.
        product = re.sub(r"\s*\([^()]*\)\s*$", "", node.get("product", ""))
        yield (
            codes.SYSTEM,
            {"Manufacturer": node.get("vendor"), "Product Name": product, "Serial Number": node.get("serial")},
        )


def _device(node: _Node, words: str) -> Record:
    rate = re.search(r"\b(\d{3,5})\s?(MHz|MT/s)", words)
    kind = re.search(r"\b(LP)?DDR([2-5])\b", words, re.I)
    form = re.search(r"\b(FB-DIMM|SODIMM|DIMM|Row of chips)\b", words, re.I)
    # Without a size it is not said to be empty: what is there stays unknown.
    size = 0 if "[empty]" in words else _size(node)
    record: Record = {
        "Locator": node.get("slot"),
        "Manufacturer": node.get("vendor"),
        "Part Number": node.get("product"),
        "Serial Number": node.get("serial"),
        "Form Factor": {"row of chips": "Row Of Chips"}.get(form[1].lower(), form[1].upper()) if form else None,
        "Type": f"{kind[1] or ''}DDR{kind[2]}".upper() if kind else None,
        "Type Detail": words,
        "Data Width": whole(node.get("width", "")),
        "Speed": int(rate[1]) if rate else None,
        "Speed Unit": rate[2] if rate else None,
        "Size": size / (1 << 20) if size is not None else None,
    }
    return {k: v for k, v in record.items() if v is not None or k == "Size"}

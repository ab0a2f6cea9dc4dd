"""Inputs that readers of untrusted bytes are tried with: good ones, mutations of them and of a kept corpus, heavy ones.

Shared by the tests and by bench.hostile.
"""

from __future__ import annotations

import io
import json
import random
import re
import struct
import zipfile
import zlib
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path

from PIL import Image

from tests.formats.outputs import outputs
from tests.formats.smbios_facts import Device, listing, table, with_entry_point
from tests.formats.spd_facts import WRITERS, Chip
from tests.formats.test_reports import MEMORY, collection, xlsx
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.survey import SurveyReading
from umbrak.formats.bounds import MAX_BYTES, Deadline
from umbrak.formats.case import check_case, read_case
from umbrak.formats.faults import InputError
from umbrak.formats.json_text import load_json
from umbrak.formats.photo import written_anew
from umbrak.formats.reading import READERS, read_any
from umbrak.formats.sheet.draft import draft_sheet
from umbrak.formats.sheet.reading import read_sheets, shipped_sheets
from umbrak.formats.spreadsheet import looks_like_xlsx, read_table, xlsx_rows
from umbrak.formats.test_log import read_test_log

CORPUS = Path(__file__).resolve().parents[1] / "corpus"
DEVICES = [
    Device("A1"),
    Device("A2", 0),
    Device("A3", None, sized_by_none=True),
    Device("A4", 131072, maker_id=(3, 0x2D)),
]
_CASE = """\
sheet: one-socket-two-by-two
slots: {A1: 8GB 2Rx8 PC4-2400T-UA2-11, A2: null, B1: unknown}
goal: {A1: 16GB 2Rx8 PC4-2400T-UB1-11, B1: 16GB 2Rx8 PC4-2400T-UB1-11}
machine: {processors: {CPU: any}, firmware: "1.2", os_bits: 64}
statements: [{scope: machine, capacity_gib: 32, official: true, source: {title: Guide, kind: machine-maker}}]
wishes: {usable_gib: 24, budget: 100}
"""


def _reports(data: bytes, kind: str | None = None) -> set[str]:
    reading = read_any(data, kind)
    if isinstance(reading, SurveyReading):
        draft_sheet(reading)
    return {bare(w.message) for w in reading.warnings}


def _table(data: bytes) -> set[str]:
    # Here, not in the process apart that a workbook has in earnest: what the library does of it is what is looked at.
    rows = list(xlsx_rows(data)) if looks_like_xlsx(data) else read_table(data, {"name", "model"}).rows
    return {f"rows {len(rows) > 0}"}


def _sheet(data: bytes) -> set[str]:
    return {f.code for r in read_sheets(data) for f in r.findings}


def _case(data: bytes) -> set[str]:
    answer = check_case(read_case(data, CORPUS))
    return {f["code"] for f in answer["findings"]}


def _label(data: bytes) -> set[str]:
    reading = decode_label(data.decode("utf-8", "replace"))
    return {piece.field for piece in reading.understood}


#: Kind -> what reads it, and tells what it found without its values. Lets out InputError alone, or it is broken.
READ: dict[str, Callable[[bytes], set[str]]] = {
    **{kind: lambda data, kind=kind: _reports(data, kind) for kind in READERS},  # type: ignore[misc]
    "any": _reports,
    "table": _table,
    "sheet": _sheet,
    "case": _case,
    "label": _label,
    "test-log": lambda data: {f"passes {read_test_log(data).passes > 0}"},
    "json": lambda data: {type(load_json(data, Deadline())).__name__},
    "photo": lambda data: {f"photo {len(written_anew(data)) > 0}"},
}
KINDS = tuple(READ)


def _picture(kind: str) -> bytes:
    out = io.BytesIO()
    Image.effect_noise((40, 30), 60).convert("RGB").save(out, kind)
    return out.getvalue()


def seeds() -> dict[str, list[bytes]]:
    """Good inputs of each kind, made by the tests' own writers."""
    raw, text = table(DEVICES), listing(DEVICES).encode()
    sheets = [p.read_bytes() for p in sorted(files("umbrak.demo").joinpath("sheets").iterdir(), key=str)[:4]]  # type: ignore[type-var]
    found = {
        "smbios": [raw, with_entry_point(raw, True), with_entry_point(raw, False)],
        "smbios-text": [text],
        "spd": [write(Chip(generation, width=8)) for generation, write in WRITERS.items() if generation in ("DDR3", "DDR4")],
        "redfish": [json.dumps(collection(MEMORY, {"DeviceLocator": "A2"})).encode()],
        "snmp": [b".1.3.6.1.2.1.1.1.0 = STRING: \"x\"\n.1.3.6.1.2.1.25.2.2.0 = INTEGER: 16777216 KBytes\n"],
        "labels": [b"A1: 16GB 2Rx8 PC4-2400T-RE1-11\nA2: empty\n"],
        "table": [b"name,model\ngauge-11,x\n", xlsx([["name", "model"], ["gauge-11", 4]])],
        "sheet": [*sheets, *(r.text.encode() for r in list(shipped_sheets().values())[:3])],
        "case": [_CASE.encode()],
        "label": [b"16GB 2Rx8 PC4-2400T-RE1-11", b"Pellam 8GB DDR3L 1600 SO-DIMM non-ECC PN: X-1", b"4x32GB (128GB) DDR5-4800 CL40"],
        "test-log": [b"Pass 4 complete, errors: 0\nTest passed\n"],
        "json": [b'{"a": [1, {"b": "x"}], "c": null}'],
        "photo": [_picture(kind) for kind in ("PNG", "JPEG", "WEBP")],
    }  # fmt: skip
    for output in outputs():
        found.setdefault(output["reads"]["kind"], []).append(output["text"].encode())
    return {**found, "any": [data for kind in READERS for data in found[kind]]}


def bare(words: str) -> str:
    """A sentence without the values in it."""
    return re.sub(r"“.*”|'.*'|\b[0-9A-Fa-f]*[0-9][0-9A-Fa-f]*\b|[^a-zA-Z ]", "#", words)[:60]


def said(kind: str, data: bytes) -> set[str]:
    """What a reader says of an input, without values. Lets anything but InputError out."""
    try:
        return READ[kind](data)
    except InputError as error:
        assert error.faults and all(f.message for f in error.faults)
        return {f"{error.code} {bare(error.faults[0].message)}"}


_WORDS = (b"\0", b"\xff", b"\xff\xff", b"\x00\x00", b"\x7f\xff", b"\x80", b"\n", b"{", b"[", b'"', b":", b"Memory Device\n", b"Size: ", b"nan", b"-1", b"1e999", b"9" * 40, b"9" * 5000, b"\x07", b"\xed\xa0\x80", b"&a ", b"*a", b"[" * 200, b"\xe2\x80\xae", b"\n" * 300, b"- ", b"\\u0000", b"A" * 400, b" " * 3000, b"\t" * 3000)  # fmt: skip


def mutated(data: bytes, chance: random.Random) -> bytes:
    """One to four cuts, repetitions, swaps, overwritten or inserted bytes."""
    b = bytearray(data)
    for _ in range(chance.randint(1, 4)):
        at, to = sorted((chance.randrange(len(b) + 1), chance.randrange(len(b) + 1)))
        match chance.randrange(6):
            case 0:
                del b[at : min(to, at + 200)]
            case 1:
                b[at:at] = b[at : min(to, at + 200)] * chance.randint(1, 3)
            case 2 if at < len(b):
                b[at] = chance.randrange(256)
            case 3:
                b[at:at] = chance.choice(_WORDS)
            case 4:
                b = b[:to]
            case _:
                word = chance.choice(_WORDS)
                b[at : at + len(word)] = word
    return bytes(b)


def inputs(kind: str) -> list[bytes]:
    """The good ones of a kind, and those that the corpus keeps of it."""
    return [*seeds()[kind], *(p.read_bytes() for p in sorted(CORPUS.glob(f"{kind}-[0-9a-f]*")))]


# -- heavy ones: (kind, bytes), each as large as it may be, or small and growing ------------------------


def _workbook(**parts: bytes) -> bytes:
    """A good workbook whose named parts (by the stem of their names) are others."""
    out = io.BytesIO()
    with (
        zipfile.ZipFile(io.BytesIO(xlsx([["name"], ["a"]]))) as good,
        zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made,
    ):
        for name in good.namelist():
            stem = name.rsplit("/", 1)[-1].split(".")[0]
            made.writestr(name, parts.get(stem, good.read(name)))
    return out.getvalue()  # fmt: skip


def _styles(count: int) -> bytes:
    fonts = b'<font><b/><sz val="11"/><color rgb="FF00FF00"/><name val="X"/></font>' * count
    return (
        b'<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><fonts>'
        + fonts
        + b"</fonts></styleSheet>"
    )


def _rows(row: bytes, count: int) -> bytes:
    return (
        b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>'
        + row * count
        + b"</sheetData></worksheet>"
    )


def _flat_png(side: int) -> bytes:
    """A picture of one colour: next to nothing to send, and much to unpack."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    packed = zlib.compressobj(9)
    rows = b"".join(packed.compress(b"\0" * (side * 3 + 1)) for _ in range(side)) + packed.flush()
    header = struct.pack(">IIBBBBB", side, side, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", rows) + chunk(b"IEND", b"")


def heavy(scale: float = 1.0) -> dict[str, tuple[str, Callable[[], bytes]]]:
    """Name -> (kind, what makes the input). `scale` makes them smaller, for the tests."""
    most = int((MAX_BYTES - 8192) * scale)
    yaml_most = int((1 << 20) * min(1.0, scale * 8))

    def filled(piece: bytes, size: int = most) -> bytes:
        return piece * (size // len(piece))

    device = table(DEVICES)[:-6]
    sheet = shipped_sheets()["two-sockets-eight-by-two"].text.encode()
    return {
        "text of breaks": ("any", lambda: filled(b"-\n")),
        "text of spaces": ("any", lambda: b"x" + filled(b" ")),
        "text of Handle": ("smbios-text", lambda: filled(b"Handle 0x")),
        "listing of devices": ("smbios-text", lambda: filled(b"Memory Device\n\tSize: 8 GB\n\tLocator: A\n")),
        "listing with codes": ("smbios-text", lambda: filled(b'Memory Device: #17\nLocation: "A"\nSize: 8 GB\n')),
        "codes in one line": ("any", lambda: b"Memory Device: #1\nType: 0x1a (" + filled(b"(")),
        "listing of titles": ("any", lambda: filled(b"Memory Device\n")),
        "listing in one line": ("smbios-text", lambda: b"Memory Device\nSize: " + filled(b"9")),
        "wide text": ("any", lambda: ("\U0001f600" + "Memory Device\n" * (most // 14)).encode()),
        "snmp in one line": ("snmp", lambda: b".1" + filled(b".1")),
        "snmp of objects": ("snmp", lambda: b"".join(b".1.3.6.1.2.1.25.2.%d = INTEGER: 1\n" % i for i in range(most // 40))),
        "cim of members": ("cim", lambda: filled(b"DeviceLocator : A\nCapacity : 8589934592\n\n")),
        "cim of columns": ("cim", lambda: b"DeviceLocator Capacity\n" + filled(b"A 1\n")),
        "cim in one line": ("cim", lambda: b"DeviceLocator : A\nCapacity " + filled(b"Capacity ")),
        "cim of csv": ("cim", lambda: b"DeviceLocator,Capacity\n" + filled(b"A,1\n")),
        "lshw of banks": ("lshw", lambda: filled(b"*-bank:0\n size: 8GiB\n")),
        "lshw in one line": ("lshw", lambda: b"*-memory\n" + filled(b"a ")),
        "lshw of json": ("lshw", lambda: b'[' + filled(b'{"id":"bank:0","class":"memory"},')[:-1] + b"]"),
        "inxi of devices": ("inxi", lambda: b"RAM: total: 1 GiB\n" + filled(b"Device-1: A size: 8 GiB\n")),
        "inxi of names": ("inxi", lambda: b"Device-1: A " + filled(b"size: ")),
        "profiler of slots": ("profiler", lambda: b"Memory Slots:\n" + filled(b"DIMM0:\nSize: 8 GB\n")),
        "profiler of keys": ("profiler", lambda: filled(b"<key>dimm_size</key><string>8 GB</string></dict>")),
        "inventories": ("fru", lambda: filled(b"FRU Device Description : DIMM\n Memory Size : 1 GB\n")),
        "decoded of modules": ("decode-dimms", lambda: filled(b"Fundamental Memory type  DDR4 SDRAM\n")),
        "decoded in one line": ("decode-dimms", lambda: b"Fundamental Memory type  DDR4\n" + filled(b"a a ")),
        "counters": ("kernel", lambda: b"".join(b"mc0: csrow0: d%d: 1 Corrected Errors\n" % i for i in range(most // 36))),
        "figures of lines": ("any", lambda: filled(b"00 01 02 03 04 05 06 07\n")),
        "figures left out": ("any", lambda: b"00000000: 01 02 03 04 05 06 07 08\n00000008: 01 02 03 04 05 06 07 08\n*\n7fffffff: 01 02\n" * 3),
        "mail of marks": ("any", lambda: filled(b"<br>&nbsp;<p ")),
        "mail of quotes": ("any", lambda: filled(b"> > > >\n")),
        "labels in one line": ("labels", lambda: filled(b"8GB DDR4 ")),
        "labels": ("labels", lambda: filled(b"A1: 8GB DDR4-2400\n")),
        "labels alike": ("labels", lambda: b"CPU1 A1-P1: 8GB DDR4\n" + b"".join(b"CPU%d: same\n" % (i % 99) for i in range(most // 12))),
        "labels not understood": ("labels", lambda: b"A0: 8GB DDR4\n" + filled(b"A1 burnt, D2 to E2, empty?\n")),
        "labels of all others": ("labels", lambda: b"".join(b"A%d: 8GB DDR4\n" % (i % 9999) for i in range(1900)) + filled(b"others empty\n", most // 2)),
        "slots in one row": ("any", lambda: filled(b"A1 B1 ") + b"empty"),
        "slots under headings": ("slot-table", lambda: b"Slot,Size,Type\n" + filled(b"A1,16 GB,DDR4\n")),
        "slots between bars": ("slot-table", lambda: b"|Slot|Size|\n" + filled(b"|A1|16 GB|\n")),
        "slots in columns": ("slot-table", lambda: b"Slot  Size\n" + filled(b"A1    16 GB\n")),
        "slots in pairs": ("slot-table", lambda: filled(b"Slot: A1, Size: 16 GB\n")),
        "pairs in one line": ("any", lambda: b"A1: " + filled(b"size=1 ")),
        "slots in records": ("slot-table", lambda: filled(b"Slot: A1\nSize: 16 GB\n")),
        "channels side by side": ("slot-table", lambda: b",A,B\n" + filled(b"1,16,16\n")),
        "channels in one line": ("any", lambda: filled(b"A,B,")),
        "strokes in one line": ("any", lambda: b"Type Status Device Locator\n" + filled(b"-- ")),
        "processors in one line": ("any", lambda: filled(b"CPU1: A1 16GB; ")),
        "places in one line": ("any", lambda: filled(b"16GB in A1, ")),
        "slots by names in json": ("slot-table", lambda: b'{"A1": 16,' + b",".join(b'"A%d": 16' % i for i in range(most // 18)) + b"}"),
        "controllers drawn": ("kernel", lambda: b"| channel0 |\n" + filled(b"slot0: | 1 MB |\n")),
        "names in one line": ("any", lambda: filled(b"A1 16GB, ")),
        "pieces of one line": ("any", lambda: filled(b"A1 ") + b"16GB"),
        "headings in one line": ("slot-table", lambda: filled(b"slot,size,")),
        "bars in one line": ("slot-table", lambda: b"|slot|size|\n" + filled(b"|")),
        "json of empty objects": ("redfish", lambda: b"[" + filled(b"{},")[:-1] + b"]"),
        "json of objects": ("redfish", lambda: b"[" + filled(b'{"@odata.id":"/redfish/v1/Systems/%d"},')[:-1] + b"]"),
        "json of texts": ("json", lambda: b"[" + filled(b'"",')[:-1] + b"]"),
        "json of quotes": ("json", lambda: filled(b'"')),
        "json deep": ("redfish", lambda: filled(b"[")),
        "json of one text": ("json", lambda: b'"' + filled(b"a") + b'\\ud83d\\ude00"'),
        "json of digits": ("json", lambda: filled(b"9")),
        "smbios of empty structures": ("smbios", lambda: filled(b"\x7e\x04\x01\x00\x00\x00")),
        "smbios of devices": ("smbios", lambda: filled(device)),
        "smbios of strings": ("smbios", lambda: b"\x01\x1b\x00\x00" + b"\x01" * 23 + filled(b"a\0") + b"\0"),
        "smbios in one string": ("smbios", lambda: b"\x01\x1b\x00\x00" + b"\x01" * 23 + filled(b"a") + b"\0\0"),
        "smbios of end marks": ("smbios", lambda: filled(b"\x02\x04\x01\x00a\x00\x00")),
        "log of lines": ("test-log", lambda: filled(b"x\n")),
        "log of verdicts": ("test-log", lambda: filled(b"pass 1 errors 0\n")),
        "log in one line": ("test-log", lambda: filled(b"pass ")),
        "csv of cells": ("table", lambda: b"a,b\n" + filled(b"xy,")),
        "csv of rows": ("table", lambda: b"a,b,c,d\n" + filled(b"xy,z1,zz,\n")),
        "csv of quoted breaks": ("table", lambda: b"a\n" + filled(b'"\n",')),
        "csv of columns": ("table", lambda: b",".join(b"c%d" % i for i in range(399)) + b"\n" + filled(b"ab," * 398 + b"z\n")),
        "workbook of styles": ("xlsx", lambda: _workbook(styles=_styles(int(400_000 * scale)))),
        "workbook in one row": ("xlsx", lambda: _workbook(sheet1=_rows(b"<row>" + b"<c/>" * int(5_000_000 * scale) + b"</row>", 1))),
        "workbook of rows": ("xlsx", lambda: _workbook(sheet1=_rows(b"<row><c><v>1</v></c></row>", int(3_000_000 * scale)))),
        "workbook of far cells": ("xlsx", lambda: _workbook(sheet1=_rows(b'<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>', 1))),
        "workbook deep": ("xlsx", lambda: _workbook(sheet1=b"<worksheet>" + b"<a>" * int(4_000_000 * scale))),
        "picture of one colour": ("photo", lambda: _flat_png(int(7000 * min(1.0, scale * 4)))),
        "sheet of brackets": ("sheet", lambda: filled(b"[", yaml_most)),
        "sheet of keys": ("sheet", lambda: sheet + b"".join(b"k%d: 1\n" % i for i in range(yaml_most // 16))),
        "sheet of quotes": ("sheet", lambda: filled(b'"a" ', yaml_most)),
        "sheet of one word": ("sheet", lambda: b"a: " + filled(b"9", yaml_most)),
        "sheet of empty lists": ("sheet", lambda: b"[" + filled(b"[],", yaml_most) + b"]"),
        "sheet of anchors": ("sheet", lambda: b"".join(b"- &a%d [*a%d]\n" % (i + 1, i) for i in range(yaml_most // 24))),
        "sheet of documents": ("sheet", lambda: filled(b"---\n", yaml_most)),
        "case of slots": ("case", lambda: b"sheet: one-socket-two-by-two\nslots:\n" + b"".join(b"  s%d: 8GB DDR4\n" % i for i in range(yaml_most // 20))),
        "label": ("label", lambda: filled(b"8GB DDR4 ", yaml_most)),
    }  # fmt: skip

"""Readers of untrusted bytes against mutations of a kept corpus: read or refused, never anything else.

The corpus (tests/corpus) holds inputs that each made a reader say something no other one did. To look for more, and keep
them, run for some seconds:  PYTHONPATH=src python -m tests.formats.test_mutations 60
"""

from __future__ import annotations

import hashlib
import json
import random
import re
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.formats.smbios_facts import Device, listing, table, with_entry_point
from tests.formats.spd_facts import WRITERS, Chip
from tests.formats.test_reports import MEMORY, collection, xlsx
from umbrak.formats.bounds import MAX_SECONDS
from umbrak.formats.faults import InputError
from umbrak.formats.reading import READERS, read_any
from umbrak.formats.spreadsheet import looks_like_xlsx, read_table, xlsx_rows

CORPUS = Path(__file__).resolve().parents[1] / "corpus"
#: Inputs kept of a kind: enough to begin from, and no burden to whoever fetches them.
_MOST_KEPT = 40
KINDS = (*READERS, "table")
DEVICES = [
    Device("A1"),
    Device("A2", 0),
    Device("A3", None, sized_by_none=True),
    Device("A4", 131072, maker_id=(3, 0x2D)),
]


def seeds() -> dict[str, list[bytes]]:
    """Good inputs of each kind, made by the tests' own writers."""
    raw, text = table(DEVICES), listing(DEVICES).encode()
    return {
        "smbios": [raw, with_entry_point(raw, True), with_entry_point(raw, False)],
        "smbios-text": [text],
        "spd": [write(Chip(generation, width=8)) for generation, write in WRITERS.items() if generation in ("DDR3", "DDR4")],
        "redfish": [json.dumps(collection(MEMORY, {"DeviceLocator": "A2"})).encode()],
        "snmp": [b".1.3.6.1.2.1.1.1.0 = STRING: \"x\"\n.1.3.6.1.2.1.25.2.2.0 = INTEGER: 16777216 KBytes\n"],
        "labels": [b"A1: 16GB 2Rx8 PC4-2400T-RE1-11\nA2: empty\n"],
        "table": [b"name,model\ngauge-11,x\n", xlsx([["name", "model"], ["gauge-11", 4]])],
    }  # fmt: skip


def _bare(words: str) -> str:
    """A sentence without the values in it."""
    return re.sub(r"“.*”|'.*'|\b[0-9A-Fa-f]*[0-9][0-9A-Fa-f]*\b|[^a-zA-Z ]", "#", words)[:60]


def read(kind: str, data: bytes) -> set[str]:
    """What a reader says of it, without values. Lets anything but InputError out."""
    began = time.thread_time()
    try:
        if kind == "table":
            # Here, not in the process apart that it has in earnest: what the library does of it is what is looked at.
            rows = list(xlsx_rows(data)) if looks_like_xlsx(data) else read_table(data).rows
            return {f"{len(rows) > 0}"}
        reading = read_any(data, kind)
        return {_bare(w.message) for w in reading.warnings}
    except InputError as error:
        assert error.faults and all(f.message for f in error.faults)
        return {f"{error.code} {_bare(error.faults[0].message)}"}
    finally:
        assert time.thread_time() - began < MAX_SECONDS


_WORDS = (b"\0", b"\xff", b"\xff\xff", b"\x00\x00", b"\x7f\xff", b"\x80", b"\n", b"{", b"[", b'"', b":", b"Memory Device\n", b"Size: ", b"nan", b"-1", b"1e999", b"9" * 40)  # fmt: skip


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
    return [*seeds()[kind], *(p.read_bytes() for p in sorted(CORPUS.glob(f"{kind}-*")))]


@pytest.mark.parametrize("kind", KINDS)
def test_mutations_of_the_corpus_are_read_or_refused(kind: str) -> None:
    chance = random.Random(kind)
    kept = inputs(kind)
    assert len(kept) > 1
    for data in kept:
        read(kind, data)
        # Of another kind's reader too: a person may say what it is, and be wrong.
        read(chance.choice(KINDS), data)
    for _ in range(600):
        read(kind, mutated(chance.choice(kept), chance))


def explore(seconds: float) -> Iterator[tuple[str, bytes]]:
    """Inputs that made a reader say something new."""
    chance = random.Random()
    kept = {kind: inputs(kind) for kind in KINDS}
    known = {kind: {said for data in kept[kind] for said in read(kind, data)} for kind in KINDS}
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        kind = chance.choice(KINDS)
        data = mutated(chance.choice(kept[kind]), chance)
        try:
            said = read(kind, data)
        except Exception as error:
            said = {f"{type(error).__name__}: {error}"}
            print(kind, *said)
        if not said <= known[kind] and len(data) < 8000 and len(kept[kind]) < _MOST_KEPT:
            known[kind] |= said
            kept[kind].append(data)
            yield kind, data


if __name__ == "__main__":
    CORPUS.mkdir(exist_ok=True)
    for kind, data in explore(float(sys.argv[1])):
        (CORPUS / f"{kind}-{hashlib.sha256(data).hexdigest()[:10]}").write_bytes(data)

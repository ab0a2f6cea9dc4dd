"""Qualified lists: a maker's table of parts and the models they are qualified for, written into the sheets of those models."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import deepcopy
from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter

from umbrak.core.memory.parts import key_of
from umbrak.formats.documents import Gib
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.quantities import number
from umbrak.formats.rows import DAY, NAME, TEXT, RowReader
from umbrak.formats.sheet.answers import NewSource, name_source
from umbrak.formats.sheet.shapes import names_at
from umbrak.formats.yaml_splice import rewritten
from umbrak.formats.yaml_text import load_yaml


@dataclass(frozen=True, slots=True)
class ListLine:
    """A line of a qualified list: one part, for one model."""

    part: str
    model: str
    gib: float | None
    maker: str | None
    note: str | None
    source: NewSource


#: How makers head their columns -> the column that is meant.
COLUMNS: Mapping[str, str] = {
    "part": "part", "part number": "part", "part no": "part", "part no.": "part", "p/n": "part", "number": "part",
    "model": "model", "models": "model", "machine": "model", "system": "model", "server": "model", "product": "model",
    "size": "size", "capacity": "size", "gb": "size", "size gb": "size", "capacity gb": "size", "capacity (gb)": "size", "size (gb)": "size",
    "maker": "maker", "vendor": "maker", "manufacturer": "maker", "brand": "maker",
    "note": "note", "notes": "note", "remark": "note", "remarks": "note", "comment": "note",
    "date": "date", "qualified": "date", "tested": "date", "since": "date",
}  # fmt: skip
NEEDED = ("part", "model")
_GIB: TypeAdapter[float] = TypeAdapter(Gib)
#: Between models in one cell.
_BETWEEN = ";"


def read_line(row: RowReader, of: NewSource) -> tuple[ListLine, ...]:
    """The lines of a row, one for each model that it names; a date of its own goes before that of the list. None of them is
    to be taken where the row has faults."""
    part = row.text("part", NAME, needed=True)
    models = [m for m in (" ".join(x.split()) for x in row.text("model", TEXT, needed=True).split(_BETWEEN)) if m]
    gib = row.read("size", _GIB, _size)
    gib = int(gib) if gib is not None and gib == int(gib) else gib
    maker, note, day = row.text("maker", NAME, None), row.text("note", TEXT, None), row.text("date", DAY, None)
    source = NewSource(of.title, of.kind, day.isoformat() if day else of.date)
    return tuple(ListLine(part=part, model=m, gib=gib, maker=maker, note=note, source=source) for m in models)


def _size(text: str) -> float:
    """ "16", "16GB", "16 GB" """
    plain = text.upper().removesuffix("GIB").removesuffix("GB").strip()
    return float(number(plain))


@dataclass(frozen=True, slots=True)
class Written:
    """A sheet's text with lines of a list in it."""

    text: str
    #: Parts that it did not list; parts that it listed already and says the same of, or more.
    added: tuple[str, ...]
    there: tuple[str, ...]


def with_lines(text: str, lines: Sequence[ListLine]) -> Written:
    """A sheet's text that lists these parts too: each new line of it with its source, nothing else changed.

    A part that is listed stays as it is; its size, maker or note is put in where the sheet left that open. A part that the list
    says to be of another size than the sheet does is a fault: one of them is mistaken.

    Raises
        InputError   no YAML, a list that is no list, a part of two sizes
    """
    documents = load_yaml(text)
    if len(documents) != 1 or not isinstance(documents[0].data, dict):
        raise InputError("not-a-sheet", [Fault("it is no sheet that could be added to")])
    data: dict[str, Any] = deepcopy(documents[0].data)
    listed = data.get("listed")
    if listed is None:
        listed = data["listed"] = []
    if not isinstance(listed, list):
        raise InputError("wrong-field", [Fault("its list of parts is no list: put that right first", path="listed")])
    known = {key_of(str(x["part"])): x for x in listed if isinstance(x, dict) and "part" in x}
    added, there = [], []
    for line in lines:
        told = {"capacity_gib": line.gib, "maker": line.maker, "note": line.note}
        old = known.get(key_of(line.part))
        if old is not None:
            if line.gib is not None and old.get("capacity_gib", line.gib) != line.gib:
                raise InputError("two-sizes", [Fault(f"{line.part} is of {line.gib:g} GB on the list, and of {old['capacity_gib']:g} GB in the sheet", path="listed")])  # fmt: skip
            there += [line.part] if line.part not in added else []
            old |= {k: v for k, v in told.items() if v is not None and k not in old}
            continue
        new = {"part": line.part, **{k: v for k, v in told.items() if v is not None}}
        new["source"] = name_source(data, line.source)
        listed.append(new)
        known[key_of(line.part)] = new
        added.append(line.part)
    # A text that says all of it already is not written anew.
    changed = rewritten(text, data, names_at) if data != documents[0].data else text
    return Written(changed, tuple(added), tuple(dict.fromkeys(there)))

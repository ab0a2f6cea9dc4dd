"""What would make a sheet's order say what a machine proposed: the same counts, in the slots that it named."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from umbrak.formats.yaml_text import Path, load_yaml

#: [[path, value], ...]: what is to stand where.
Edits = list[tuple[Path, Any]]


def reordered(text: str, filled: Collection[str]) -> Edits:
    """Changes of a sheet's orders after which these slots are the ones that their number of modules goes to.

    A count is changed in its own clause alone; of a fill, which says every count at once, names change places. Whoever applies it
    has to judge anew whether the sheet then says so: of an order that is said for several sockets, whose proposals differ, and of
    counts that no clause has, nothing is proposed.

    Parameters
        filled   ids of slots that hold a module
    Raises
        InputError   no YAML
    """
    documents = load_yaml(text)
    data = documents[0].data if documents else None
    if not isinstance(data, dict):
        return []
    edits: Edits = []
    for path, entry, names in _entries(data):
        asked: dict[int, set[frozenset[str]]] = {}
        for full in names:
            here = frozenset(n for n in _names(entry) if full.get(n) in filled)
            asked.setdefault(len(here), set()).add(here)
        for count, wanted in asked.items():
            if count and len(wanted) == 1:
                edits += _changed(path, entry, count, next(iter(wanted)))
    return edits


def _entries(data: Mapping[str, Any]) -> Iterator[tuple[Path, Mapping[str, Any], list[dict[str, str]]]]:
    """(place, entry, for each thing that it holds for: name in the entry -> slot) of every order."""
    for i, entry in enumerate(_list(data.get("population"))):
        if isinstance(entry, dict):
            yield ("population", i), entry, [{n: n for n in _names(entry)}]
    repeat = data.get("repeat")
    for j, block in enumerate(_list(repeat) if isinstance(repeat, list) else [repeat]):
        if not isinstance(block, dict):
            continue
        at: Path = ("repeat", j) if isinstance(repeat, list) else ("repeat",)
        pattern = str(block.get("name", "{over}.{name}"))
        overs = [str(o) for o in _list(block.get("over"))]
        for i, entry in enumerate(_list(block.get("population"))):
            if isinstance(entry, dict):
                names = _names(entry)
                full = [
                    {n: pattern.replace("{name}", n).replace("{over}", over).replace("{n}", str(k)) for n in names}
                    for k, over in enumerate(overs, 1)
                ]
                yield (*at, "population", i), entry, full


def _list(given: Any) -> list[Any]:
    return given if isinstance(given, list) else []


def _names(entry: Mapping[str, Any]) -> list[str]:
    """Names in an entry's sets, each once, in their order."""
    counts = entry.get("counts")
    groups = [_list(entry.get("fill")), *(_list(g) for g in (counts.values() if isinstance(counts, dict) else ()))]
    return list(dict.fromkeys(str(n) for sets in groups for each in sets for n in _list(each)))


def _changed(path: Path, entry: Mapping[str, Any], count: int, wanted: frozenset[str]) -> Edits:
    fill, counts = entry.get("fill"), entry.get("counts")
    if isinstance(counts, dict):
        key = next((k for k in counts if str(k) == str(count)), None)
        if key is None:
            return []
        sets = [[str(n) for n in _list(each)] for each in _list(counts[key])]
        places = _places([n for each in sets for n in each], wanted)
        return [((*path, "counts", key), _renamed(sets, places))] if places else []
    sets = [[str(n) for n in _list(each)] for each in _list(fill)]
    first: list[str] = []
    for each in sets:
        first += each
        if len(first) >= count:
            break
    if len(first) != count:
        return []
    places = _places(first, wanted)
    # What goes out of the first sets goes where what comes in was.
    return [((*path, "fill"), _renamed(sets, {**places, **{b: a for a, b in places.items()}}))] if places else []


def _places(now: list[str], wanted: frozenset[str]) -> dict[str, str]:
    """Name that goes -> name that takes its place."""
    return dict(zip([n for n in now if n not in wanted], sorted(wanted - set(now)), strict=False))


def _renamed(sets: list[list[str]], places: Mapping[str, str]) -> list[list[str]]:
    return [[places.get(n, n) for n in each] for each in sets]

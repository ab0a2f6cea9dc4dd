"""Answers written into a sheet's text: a splice at the place of the question, so that comments and every other line stay as they were."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from copy import deepcopy
from dataclasses import dataclass
from typing import Any

from umbrak.formats.faults import Fault, InputError
from umbrak.formats.sheet.asked import ONLY
from umbrak.formats.sheet.questions import (
    AnswerState,
    Where,
    block_of,
    got,
    key_of,
    places_in,
    slots_in,
    whole_names_in,
)
from umbrak.formats.sheet.references import means
from umbrak.formats.sheet.shapes import names_at
from umbrak.formats.sheet.writing import slug
from umbrak.formats.yaml_splice import rewritten, same
from umbrak.formats.yaml_text import Path, load_yaml


@dataclass(frozen=True, slots=True)
class NewSource:
    """A guide or data sheet that the sheet does not name yet."""

    title: str
    kind: str
    date: str | None = None


@dataclass(frozen=True, slots=True)
class Answer:
    """What somebody answers to one question."""

    state: AnswerState
    #: When told: what is to stand there. When open or untold: what ran, where that is known.
    value: Any = None
    #: Beside open or untold: what, or where somebody looked; and when.
    words: str = ""
    looked: str = ""
    #: The source of the block that the question stands in, by its name; None: as it is.
    source: str | None = None
    new_source: NewSource | None = None
    clause: str | None = None


def answered(text: str, key: str, answer: Answer) -> str:
    """The text with one question answered: changed there and nowhere else.

    Raises
        InputError   no YAML, no such question, a state that it cannot have; a notation that only a person can change
    """
    documents = load_yaml(text)
    if len(documents) != 1 or not isinstance(documents[0].data, dict):
        raise InputError("not-a-sheet", [Fault("a sheet is one block of fields that begins with umbrak-sheet: 1")])
    data: dict[str, Any] = deepcopy(documents[0].data)
    at = next((p for p in places_in(data) if key_of(p) == key), None)
    if at is None:
        raise InputError("no-question", [Fault(f"the sheet asks nothing at {key}", path=key)])
    if at.field:
        if answer.state not in ("told", "left") or not isinstance(answer.value or {}, dict):
            raise InputError("no-answer", [Fault("say it of each slot, or leave it", path=key)])
        slots = slots_in(data, at.path[:-1])
        wanted = {k: v for k, v in (answer.value or {}).items() if v not in (None, "", [])}
        whole = whole_names_in(data, at.path[:-1])
        if odd := [k for k in wanted if k not in slots and k not in whole]:
            raise InputError("no-answer", [Fault(f"there is no slot {odd[0]}", path=key)])
        block = _with_slots(got(data, at.path), slots, at.field, wanted)
        put_at(data, at.path, _with_single(block, whole, at.field, wanted) or None)
    else:
        put_at(data, at.path, _written(data, at, answer))
    _source(data, at, answer)
    return rewritten(text, data, names_at)


def _written(data: Mapping[str, Any], at: Where, answer: Answer) -> Any:
    """What is to stand at the place; None: nothing."""
    words = at.ask.shape.words
    match answer.state:
        case "left":
            return None
        case "told":
            if answer.value is None:
                raise InputError("no-answer", [Fault("say what it is, or leave it", path=key_of(at))])
            given = got(data, at.path)
            if (only := ONLY.get(at.ask.id)) and isinstance(answer.value, dict):
                old = given if isinstance(given, dict) else {}
                return {
                    n: {**{k: v for k, v in (old.get(n) or {}).items() if k not in only}, **r}
                    for n, r in answer.value.items()
                }
            if at.ask.board == "channels":
                return _channels(given, answer.value)
            return answer.value
        case state if state not in words:
            raise InputError("no-answer", [Fault(f"it cannot be {state}: answer it, or leave it", path=key_of(at))])
        case "none":
            return "none"
        case state:
            if answer.value is None and not answer.words and not answer.looked:
                return state
            beside = {"looked": answer.looked} if answer.looked and state == "untold" else {}
            seen = {} if answer.value is None else {"seen": answer.value}
            return {state: answer.words, **beside, **seen}


def _channels(given: Any, wanted: Any) -> Any:
    """Channels as they are to be, each in the notation in which it stood: a list of slots, or a block."""
    old = given if isinstance(given, dict) else {}
    old = old["seen"] if isinstance(old.get("seen"), dict) else old
    if not isinstance(wanted, dict):
        return wanted
    return {
        n: c["slots"] if isinstance(old.get(n, []), list) and isinstance(c, dict) and set(c) == {"slots"} else c
        for n, c in wanted.items()
    }


def _source(data: dict[str, Any], at: Where, answer: Answer) -> None:
    block = block_of(at.path)
    name = answer.source
    if answer.new_source:
        name = name_source(data, answer.new_source)
    if block is None or not isinstance(got(data, block), dict):
        return
    for field, said in (("source", name), ("clause", answer.clause)):
        if said is not None:
            put_at(data, (*block, field), said or None)


def name_source(data: dict[str, Any], new: NewSource) -> str:
    """The name under which a sheet's data has a source: its own where it has just that one already, else a new one."""
    said = {"title": new.title, "kind": new.kind} | ({"date": new.date} if new.date else {})
    if not isinstance(data.get("sources"), dict):
        data["sources"] = {}
    sources: dict[str, Any] = data["sources"]
    if known := next((n for n, s in sources.items() if same(s, said)), None):
        return known
    name = free = slug(new.title)[:40]
    n = 1
    while free in sources:
        n += 1
        free = f"{name}-{n}"
    sources[free] = said
    return free


def put_at(data: dict[str, Any], path: Path, value: Any) -> None:
    """Sets what stands at a path, or takes it out; blocks on the way are made."""
    here: Any = data
    for step in path[:-1]:
        if isinstance(here, dict) and not isinstance(here.get(step), dict | list):
            if value is None:
                return
            here[step] = {}
        here = here[step]
    if value is not None:
        here[path[-1]] = value
    elif isinstance(here, dict):
        here.pop(path[-1], None)


# -- slots of a block, by their patterns ------------------------------------------------------------------


def _with_slots(given: Any, slots: list[str], field: str, wanted: Mapping[str, Any]) -> dict[str, Any]:
    """A block's `slots`, saying `wanted` of a field: by the pattern where that says it for all that it means."""
    block: dict[str, Any] = deepcopy(given) if isinstance(given, dict) else {}

    def effective(slot: str) -> tuple[Any, str | None]:
        value, by = None, None
        for key, said in block.items():
            if means(key, slot) and isinstance(said, dict) and field in said:
                value, by = said[field], key
        return value, by

    for key in list(block):
        meant = [s for s in slots if means(key, s)]
        said = block[key]
        if not meant or not isinstance(said, dict) or field not in said:
            continue
        if all(effective(s)[1] != key or same(effective(s)[0], wanted.get(s)) for s in meant):
            continue
        values = [wanted.get(s) for s in meant if effective(s)[1] == key]
        if all(same(v, values[0]) for v in values):
            if values[0] is None:
                del said[field]
            else:
                said[field] = values[0]
        elif any(v is None for v in values):
            # A pattern cannot be taken back for one of its slots: it is told one by one.
            del said[field]
    for slot in slots:
        value, by = effective(slot)
        want = wanted.get(slot)
        if same(value, want):
            continue
        own = block.get(slot)
        if want is None:
            if by == slot:
                del block[slot][field]
            continue
        if isinstance(own, dict) and (by in (None, slot) or _last(block, slot, slots)):
            own[field] = want
        else:
            # A name that stands after the patterns has the last word.
            block[slot] = {**(block.pop(slot) if isinstance(own, dict) else {}), field: want}
    return {k: v for k, v in block.items() if v != {} or not isinstance(given, dict) or given.get(k) == {}}


def _with_single(block: dict[str, Any], whole: Iterable[str], field: str, wanted: Mapping[str, Any]) -> dict[str, Any]:
    """A block's `slots`, saying `wanted` of single slots by their whole names too."""
    for name in whole:
        own = block.get(name)
        if name in wanted:
            block[name] = {**(own if isinstance(own, dict) else {}), field: wanted[name]}
        elif isinstance(own, dict) and field in own:
            block[name] = {k: v for k, v in own.items() if k != field}
            if not block[name]:
                del block[name]
    return block


def _last(block: Mapping[str, Any], slot: str, slots: list[str]) -> bool:
    """Whether no pattern after a slot's own name means it too."""
    names = list(block)
    return not any(means(k, slot) for k in names[names.index(slot) + 1 :])


def changed(text: str, edits: list[tuple[Path, Any]]) -> str:
    """The text with values set at places, and nothing else changed. Raises InputError as `answered`."""
    documents = load_yaml(text)
    if len(documents) != 1 or not isinstance(documents[0].data, dict):
        raise InputError("not-a-sheet", [Fault("a sheet is one block of fields that begins with umbrak-sheet: 1")])
    data: dict[str, Any] = deepcopy(documents[0].data)
    for path, value in edits:
        put_at(data, path, value)
    return rewritten(text, data, names_at)

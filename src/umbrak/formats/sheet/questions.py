"""A sheet's text as the questions that a maker's guide answers: what it answers to each, and what is open in it.

Questions and text are one document: a question's value is what stands at its place (answers.py writes it there).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import takewhile
from typing import Any, Literal

from umbrak.core.platform.fact import Asked, State, asked_of
from umbrak.core.platform.sheet import Sheet
from umbrak.formats.sheet.asked import ONLY, SOURCED, Ask, asks
from umbrak.formats.sheet.lint import open_facts
from umbrak.formats.sheet.references import Naming, means
from umbrak.formats.sheet.shapes import Shape
from umbrak.formats.yaml_text import Document, Path, dotted

AnswerState = Literal["told", "none", "untold", "open", "left"]


@dataclass(frozen=True, slots=True)
class SheetQuestion:
    """One question of one sheet, with what its text says now."""

    #: Its place in the text, unique in the sheet: "processors.tern.rate_table".
    key: str
    #: Id of the kind of question.
    ask: str
    #: What it is about, where the sheet has several: a processor, the sockets of a block.
    about: str
    #: left: the text says nothing of it, and nothing hangs on it.
    state: AnswerState
    #: As it stands in the text; beside a fact that is not told, what ran.
    value: Any
    #: What its writer said beside "open" or "untold"; when somebody looked.
    words: str
    looked: str
    #: Facts of it that are open, worst first.
    open: tuple[Asked, ...]
    #: Of the block that it stands in: whether that has a source, which, and where in it.
    sourced: bool
    source: str | None
    clause: str | None
    line: int | None


@dataclass(frozen=True, slots=True)
class Where:
    """Where a question's answer stands."""

    ask: Ask
    path: Path
    about: str
    #: Of a question about each slot: its field.
    field: str = ""


def questions_of(document: Document, sheet: Sheet | None) -> list[SheetQuestion]:
    """Every question of a sheet's text, in order.

    Parameters
        document   as far as it could be read; fields may be wrong
        sheet      what it comes to; None where it has errors: what is left out then counts as open where it is a fact
    """
    data = document.data if isinstance(document.data, dict) else {}
    facts = open_facts(sheet) if sheet else []
    unsaid = sheet.unsaid if sheet else {}
    places = list(places_in(data))
    keys = [key_of(at) for at in places]
    open_: dict[str, list[Asked]] = {}
    for fact in facts:
        if (asked := asked_of(fact)) and (key := question_at(keys, fact)):
            open_.setdefault(key, []).append(asked)
    found = []
    for at, key in zip(places, keys, strict=True):
        given = _value(data, at)
        state, value, words, looked = _said(given, at.ask.shape)
        missing = unsaid.get(".".join(map(str, at.path)))
        if state == "left" and missing and missing.state is State.UNTOLD:
            state = "untold"
        hidden = tuple(open_.get(key, ()))
        if state == "left" and not sheet and asked_of(".".join(map(str, at.path))):
            hidden = tuple(a for a in (asked_of(".".join(map(str, at.path))),) if a)
        if state == "left" and hidden:
            state = "open"
        block = block_of(at.path)
        held = got(data, block) if block else None
        held = held if isinstance(held, dict) else {}
        stood = document.places.get(at.path)
        found.append(
            SheetQuestion(
                key=key,
                ask=at.ask.id,
                about=at.about,
                state=state,
                value=value,
                words=words,
                looked=looked,
                open=hidden,
                sourced=block is not None,
                source=_text(held.get("source")),
                clause=_text(held.get("clause")),
                line=stood[0] if stood else None,
            )
        )
    return found


def question_at(keys: list[str], path: str) -> str | None:
    """The question that a place of the text belongs to, of the nearest one; None where none is asked there."""
    parts = [p for p in path.replace("[", ".").replace("]", "").split(".") if p]
    if "slots" in parts[:3] and len(parts) > parts.index("slots") + 2:
        cut = parts.index("slots") + 1
        parts = [*parts[:cut], parts[-1]]
    best, nearest = (0, 0), None
    for key in keys:
        own = [p for p in key.replace("[", ".").replace("]", "").split(".") if p]
        shared = sum(1 for _ in takewhile(lambda pair: pair[0] == pair[1], zip(own, parts, strict=False)))
        # The question whose place it is in; else the first in the same block, which has its source.
        if shared and (shared, shared == len(own)) > best:
            best, nearest = (shared, shared == len(own)), key
    # An order that is nowhere is asked where the sheet says how its sockets are built.
    return nearest or next((k for k in keys if parts and k.endswith(f".{parts[0]}")), None)


def places_in(data: Mapping[str, Any]) -> Iterator[Where]:
    blocks = list(blocks_in(data))
    processors = data.get("processors")
    for ask in asks().values():
        if ask.id.startswith(("@", "slot:")):
            mark, _, name = ask.id.partition(":" if ":" in ask.id else "@")
            for path, about in blocks:
                if ask.id in ("@over", "@name") and not path:
                    continue
                # A sheet whose slots are all said in repeated blocks has none of its own.
                if (
                    not path
                    and len(blocks) > 1
                    and ask.id != "@population"
                    and not (data.get("channels") or (mark and data.get("slots")))
                ):
                    continue
                if mark:
                    yield Where(ask, (*path, "slots"), about, name)
                else:
                    yield Where(ask, (*path, name), about if path else ("the whole machine" if len(blocks) > 1 else ""))
        elif "*" in ask.id:
            field = ask.id.rsplit(".", 1)[-1]
            for p, said in (processors if isinstance(processors, dict) else {}).items():
                title = said.get("title") if isinstance(said, dict) else None
                yield Where(ask, ("processors", p, field), str(title or p))
        else:
            yield Where(ask, tuple(ask.id.split(".")), "")


def blocks_in(data: Mapping[str, Any]) -> Iterator[tuple[Path, str]]:
    """Where channels and slots are said: in each repeated block, and in the sheet itself."""
    repeat = data.get("repeat")
    every = [(("repeat", i), r) for i, r in enumerate(repeat)] if isinstance(repeat, list) else [(("repeat",), repeat)]
    for path, block in every:
        if isinstance(block, dict):
            over = block.get("over")
            yield path, f"each of {', '.join(map(str, over))}" if isinstance(over, list) else ""
    yield (), ""


def key_of(at: Where) -> str:
    return dotted((*at.path, at.field) if at.field else at.path)


def got(data: Any, path: Path) -> Any:
    for step in path:
        if isinstance(data, dict):
            data = data.get(step)
        elif isinstance(data, list) and isinstance(step, int) and step < len(data):
            data = data[step]
        else:
            return None
    return data


def _value(data: Mapping[str, Any], at: Where) -> Any:
    given = got(data, at.path)
    if at.field:
        return _slot_values(data, at)
    if (only := ONLY.get(at.ask.id)) and isinstance(given, dict):
        return {n: {k: v for k, v in r.items() if k in only} if isinstance(r, dict) else {} for n, r in given.items()}
    return given


def _said(given: Any, shape: Shape) -> tuple[AnswerState, Any, str, str]:
    """(state, value or what ran, words, when looked) of what stands at a question's place."""
    if given is None or given in ({}, []):
        return ("none", None, "", "") if given == [] and "none" in shape.words else ("left", None, "", "")
    if given == "none" and "none" in shape.words:
        return "none", None, "", ""
    if given in ("open", "untold") and given in shape.words:
        return given, None, "", ""
    if isinstance(given, dict) and shape.words:
        for state in ("open", "untold"):
            if state in given and state in shape.words:
                return state, given.get("seen"), str(given[state]), str(given.get("looked") or "")
    return "told", given, "", ""


def block_of(path: Path) -> Path | None:
    """The block whose source holds for a place."""
    for pattern in sorted(SOURCED, key=len, reverse=True):
        head = path[: len(pattern)]
        if len(head) == len(pattern) and all(p in ("*", h) for p, h in zip(pattern, head, strict=True)):
            if pattern == ("repeat", "*") and not isinstance(path[1], int):
                continue
            if len(path) > len(pattern) or pattern in (("memory_test",), ("allocation",)):
                return head
    return None


def _text(value: Any) -> str | None:
    return None if value is None else str(value)


def board_names(data: Mapping[str, Any]) -> dict[str, dict[str, str]]:
    """For each block that says slots ("", "repeat", "repeat[0]"): slot of the board -> its name in the block."""
    found: dict[str, dict[str, str]] = {}
    for path, _ in blocks_in(data):
        block = got(data, path) if path else {}
        over = block.get("over") if path else [None]
        pattern = block.get("name") or "{over}.{name}" if path else "{name}"
        names = found.setdefault(dotted(path), {})
        for i, one in enumerate(over if isinstance(over, list) else []):
            naming = Naming(over=None if one is None else str(one), pattern=str(pattern), number=i + 1)
            names |= {naming.full(s): s for s in slots_in(data, path)}
    return found


# -- slots of a block -----------------------------------------------------------------------------------


def slots_in(data: Mapping[str, Any], block: Path) -> list[str]:
    """Names of the slots that a block says, by its channels."""
    channels = got(data, (*block, "channels"))
    if isinstance(channels, dict) and isinstance(channels.get("seen"), dict):
        channels = channels["seen"]
    found: list[str] = []
    for each in channels.values() if isinstance(channels, dict) else ():
        names = each.get("slots") if isinstance(each, dict) else each
        found += [str(n) for n in names] if isinstance(names, list) else []
    return list(dict.fromkeys(found))


def _slot_values(data: Mapping[str, Any], at: Where) -> dict[str, Any]:
    """slot -> what its block says of the field, patterns followed, and of single ones by their whole names; slots without are left out."""
    given = got(data, at.path)
    found: dict[str, Any] = {}
    for slot in slots_in(data, at.path[:-1]):
        for key, said in given.items() if isinstance(given, dict) else ():
            if means(str(key), slot) and isinstance(said, dict) and at.field in said:
                found[slot] = said[at.field]
    for key in whole_names_in(data, at.path[:-1]):
        if isinstance(given, dict) and isinstance(said := given.get(key), dict) and at.field in said:
            found[key] = said[at.field]
    return found


def whole_names_in(data: Mapping[str, Any], block: Path) -> list[str]:
    """Names by which a repeated block speaks of one slot of one of its repeats."""
    return [full for full, own in board_names(data)[dotted(block)].items() if full != own] if block else []
